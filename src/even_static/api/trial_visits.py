"""Keeping the turns of a trial."""

from __future__ import annotations

from dataclasses import replace

from even_static.api.service import Service
from even_static.core.change.ab_tests import find_trial, view_of
from even_static.core.errors import BadInput
from even_static.core.house.job import Job
from even_static.core.house.trial import TrialVisit
from even_static.store.steps import StoredCall


def add_visit(service: Service, call_id: int, trial_id: str, visit: TrialVisit) -> StoredCall:
    """Keep a turn of a trial. BadInput where it is not that arm's turn, or the trial has ended."""

    def add(job: Job) -> Job:
        view = view_of(job, find_trial(job, trial_id))
        if view.next_arm != visit.arm:
            wanted = view.next_arm or "none: it has ended"
            raise BadInput("arm", "must be the one whose turn it is", visit.arm, wanted)
        done = replace(view.trial, visits=(*view.trial.visits, visit))
        return replace(job, trials=tuple(done if t.id == trial_id else t for t in job.trials))

    return service.amend(call_id, add, f"turn {visit.arm} of a trial")
