"""The truth of a practice house, shown to whoever practises, and hints on request."""

from __future__ import annotations

from even_static.api.practice.world import practice_call, world_of
from even_static.api.service import Service
from even_static.api.tasks import Task
from even_static.core.errors import BadInput
from even_static.instruments.simulated.trainer import hint_of, truth_of


def show_truth(service: Service, call_id: int) -> Task:
    """What the settings of a practice house really do, what was possible, and what each thing costs."""
    call = practice_call(service, call_id)
    if not call.job.nodes:
        raise BadInput("nodes", "must hold a node with a radio", "none", "add one under Kit")

    def work(task: Task) -> None:
        def on_progress(part: float) -> bool:
            task.tell("looking for the best that was possible", part)
            return not task.stop_wanted

        task.truth = truth_of(world_of(service, call), service.house(call), on_progress)

    return service.tasks.start("truth", work, call_id)


def hint(service: Service, call_id: int) -> Task:
    """Where something is to be gained, without saying how."""
    call = practice_call(service, call_id)
    if not call.job.nodes:
        raise BadInput("nodes", "must hold a node with a radio", "none", "add one under Kit")

    def work(task: Task) -> None:
        def on_progress(part: float) -> bool:
            task.tell("looking into the truth", part)
            return not task.stop_wanted

        task.notes.append(hint_of(world_of(service, call), service.house(call), on_progress))

    return service.tasks.start("hint", work, call_id)
