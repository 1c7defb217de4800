"""Running trials in a practice house: turn by turn, each kept as it is done, the boxes set back at the end."""

from __future__ import annotations

from even_static.api.practice.setting import sendings_of
from even_static.api.practice.world import keep_world, wait, world_of
from even_static.api.service import Service
from even_static.api.tasks import Task
from even_static.api.trial_visits import add_visit
from even_static.core.change.ab_tests import HUB_HOURS, RUN_S, RUNS_A_VISIT, TrialView, find_trial, view_of
from even_static.core.change.sheet import names_text, setting_text
from even_static.core.errors import BadInput, InstrumentFault
from even_static.core.house.changes import Trial
from even_static.core.house.trial import TrialVisit
from even_static.core.model.violations import same_setting
from even_static.instruments.simulated.stand_ins import SimulatedHub, SimulatedSpeedTest
from even_static.instruments.simulated.world import World
from even_static.store.steps import StoredCall


def run_trial(service: Service, call_id: int, trial_id: str) -> Task:
    """Take a trial's turns on the boxes until it is decided, each kept as it is done; then set the boxes back to
    what the call says. BadInput for a trial that is set by hand."""
    trial = find_trial(service.get(call_id).job, trial_id)
    if trial.a.settings is None or trial.b.settings is None:
        raise BadInput("trial_id", "must be of two settings to run by itself", "one is set by hand", "turn by turn")

    def work(task: Task) -> None:
        world = world_of(service, service.get(call_id))
        try:
            while True:
                job = service.get(call_id).job
                view = view_of(job, find_trial(job, trial_id))
                if view.next_arm is None or task.stop_wanted:
                    break
                _turn(service, task, call_id, world, view)
        finally:
            _back(service, task, call_id, world)
        task.notes.append(view.result.text)
        task.notes.append("the boxes are set as before the trial")

    return service.tasks.start("trial", work, call_id)


def _back(service: Service, task: Task, call_id: int, world: World) -> None:
    """Set the boxes back to what the call says."""
    job = service.get(call_id).job
    for _, phases in sendings_of(job, world, job.settings):
        for phase in phases:
            task.tell(f"setting the boxes back: {phase.text}", task.done_fraction)
            wait(service, phase.seconds)
    keep_world(service, call_id, world)


def left_over(service: Service, call_id: int) -> list[str]:
    """What the boxes are set to otherwise than the call says, as after a trial that was cut off."""
    call = service.get(call_id)
    if not call.job.trials:
        return []
    real, said = world_of(service, call).state.settings, call.job.settings
    found = [
        f"{s.radio_id}: {setting_text(s)}, the call says {setting_text(said.of(s.radio_id))}"
        for s in real.radios
        if not same_setting(s, said.of(s.radio_id))
    ]
    if real.names != said.names:
        found.append(f"names and steering: {names_text(real.names)}, the call says {names_text(said.names)}")
    if real.zigbee_channel != said.zigbee_channel:
        found.append(f"Zigbee hub: channel {real.zigbee_channel}, the call says {said.zigbee_channel}")
    return found


def set_back(service: Service, call_id: int) -> Task:
    """Set the boxes back to what the call says."""
    call = service.get(call_id)

    def work(task: Task) -> None:
        _back(service, task, call_id, world_of(service, call))
        task.notes.append("the boxes are set as the call says")

    return service.tasks.start("trial", work, call_id)


def _turn(service: Service, task: Task, call_id: int, world: World, view: TrialView) -> None:
    """One turn: set the boxes, measure, keep."""
    trial, arm = view.trial, view.next_arm or "A"
    settings = (trial.a if arm == "A" else trial.b).settings
    assert settings is not None
    turns = max(view.plan.visits, view.turn + 1)
    for _, phases in sendings_of(world.job, world, settings):
        for phase in phases:
            task.tell(f"turn {view.turn + 1}, {arm}: {phase.text}", view.turn / turns)
            wait(service, phase.seconds)
    # Kept before anything else: cut off from here on, it is known what the boxes were left at.
    keep_world(service, call_id, world)
    task.tell(f"turn {view.turn + 1}, {arm}: measuring", (view.turn + 0.7) / turns)
    visit = TrialVisit(arm, world.state.clock, _measured(world, trial))
    wait(service, RUN_S * RUNS_A_VISIT)
    keep_world(service, call_id, world)
    add_visit(service, call_id, trial.id, visit)
    task.notes.append(f"turn {view.turn + 1}, {arm}")


def measure_turn(service: Service, call_id: int, trial_id: str) -> StoredCall:
    """Measure the turn that is on, with the house as somebody has set it by hand."""
    call = service.get(call_id)
    view = view_of(call.job, find_trial(call.job, trial_id))
    if view.next_arm is None:
        raise BadInput("trial_id", "must not have ended", trial_id, "a trial that goes on")
    world = world_of(service, call)
    visit = TrialVisit(view.next_arm, world.state.clock, _measured(world, view.trial))
    keep_world(service, call_id, world)
    return add_visit(service, call_id, trial_id, visit)


def _measured(world: World, trial: Trial) -> tuple[float, ...]:
    """One turn's values from the stand-ins, in the trial's unit."""
    if trial.measure == "Zigbee reports lost":
        reports = SimulatedHub(world).reports(HUB_HOURS)
        if not reports:
            raise BadInput("measure", "must be of something in the house", "no Zigbee device", "a link test")
        sent, delivered = sum(r.sent for r in reports), sum(r.delivered for r in reports)
        return (1 - delivered / sent,)
    assert trial.place_id is not None
    test = SimulatedSpeedTest(world).run(trial.place_id, RUNS_A_VISIT)
    if trial.measure == "latency under load":
        if not test.latency_ms:
            raise InstrumentFault("speed test", "must reach the house's Wi-Fi", "no link at the place", "another place")
        return test.latency_ms
    return test.down_mbps if trial.measure == "throughput down" else test.up_mbps
