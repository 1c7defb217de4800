"""Running A/B tests in a practice house: turn by turn, each kept as it is done, the boxes set back at the end."""

from __future__ import annotations

from even_static.api.arm_runs import add_arm_run
from even_static.api.practice.setting import sendings_of
from even_static.api.practice.world import keep_world, practice_call, wait, world_of
from even_static.api.service import Service
from even_static.api.tasks import Task
from even_static.core.change.ab_tests import READINGS_A_RUN, AbTestView, find_ab_test, view_of
from even_static.core.change.sheet import setting_text, ssid_plan_text
from even_static.core.errors import BadInput, InstrumentFault
from even_static.core.house.ab_test import ArmRun
from even_static.core.house.changes import AbTest
from even_static.core.model.violations import same_setting
from even_static.core.tables.bands import BANDS
from even_static.core.tables.work import HUB_HOURS, RUN_S
from even_static.instruments.simulated.stand_ins import SimulatedHub, SimulatedScanner, SimulatedSpeedTest
from even_static.instruments.simulated.world import World
from even_static.store.steps import StoredCall


def run_ab_test(service: Service, call_id: int, ab_test_id: str) -> Task:
    """Take an A/B test's turns on the nodes until it is decided, each kept as it is done; then set the boxes back to
    what the call says. Stopped, it ends after the turn that is on. BadInput for an A/B test that is set by hand."""
    ab_test = find_ab_test(practice_call(service, call_id).job, ab_test_id)
    if ab_test.a.settings is None or ab_test.b.settings is None:
        raise BadInput("ab_test_id", "must be of two settings to run by itself", "one is set by hand", "turn by turn")

    def work(task: Task) -> None:
        world = world_of(service, service.get(call_id))
        try:
            while True:
                job = service.get(call_id).job
                view = view_of(job, find_ab_test(job, ab_test_id))
                if view.next_arm is None:
                    break
                _turn(service, task, call_id, world, view)
                if task.stop_wanted:
                    break
        finally:
            _back(service, task, call_id, world)
        task.notes.append(view.result.text)
        task.notes.append("the nodes are set as before the A/B test")

    return service.tasks.start("trial", work, call_id)


def _back(service: Service, task: Task, call_id: int, world: World) -> None:
    """Set the nodes back to what the call says."""
    job = service.get(call_id).job
    for _, phases in sendings_of(job, world, job.settings):
        for phase in phases:
            task.tell(f"setting the nodes back: {phase.text}", task.done_fraction)
            wait(service, phase.seconds)
    keep_world(service, call_id, world)


def left_over(service: Service, call_id: int) -> list[str]:
    """What the nodes are set to otherwise than the call says, as after an A/B test that was cut off."""
    call = service.get(call_id)
    if not call.job.ab_tests or call.job.kind != "practice":
        return []
    real, said = world_of(service, call).state.settings, call.job.settings
    found = [
        f"{s.radio_id}: {setting_text(s)}, the call says {setting_text(said.of(s.radio_id))}"
        for s in real.radios
        if not same_setting(s, said.of(s.radio_id))
    ]
    if real.ssid_plan != said.ssid_plan:
        found.append(
            f"SSIDs and steering: {ssid_plan_text(real.ssid_plan)}, the call says {ssid_plan_text(said.ssid_plan)}"
        )
    if real.zigbee_channel != said.zigbee_channel:
        found.append(f"Zigbee hub: channel {real.zigbee_channel}, the call says {said.zigbee_channel}")
    return found


def set_back(service: Service, call_id: int) -> Task:
    """Set the nodes back to what the call says."""
    call = practice_call(service, call_id)

    def work(task: Task) -> None:
        _back(service, task, call_id, world_of(service, call))
        task.notes.append("the nodes are set as the call says")

    return service.tasks.start("trial", work, call_id)


def _turn(service: Service, task: Task, call_id: int, world: World, view: AbTestView) -> None:
    """One turn: set the boxes, measure, keep."""
    ab_test, arm = view.ab_test, view.next_arm or "A"
    settings = (ab_test.a if arm == "A" else ab_test.b).settings
    assert settings is not None
    turns = max(view.plan.arm_runs, view.turn + 1)
    for _, phases in sendings_of(world.job, world, settings):
        for phase in phases:
            task.tell(f"turn {view.turn + 1}, {arm}: {phase.text}", view.turn / turns)
            wait(service, phase.seconds)
    # Kept before anything else: cut off from here on, it is known what the boxes were left at.
    keep_world(service, call_id, world)
    task.tell(f"turn {view.turn + 1}, {arm}: measuring", (view.turn + 0.7) / turns)
    visit = ArmRun(arm, world.state.clock, _measured(world, ab_test))
    wait(service, RUN_S * READINGS_A_RUN)
    keep_world(service, call_id, world)
    add_arm_run(service, call_id, ab_test.id, visit)
    task.notes.append(f"turn {view.turn + 1}, {arm}")


def measure_turn(service: Service, call_id: int, ab_test_id: str) -> StoredCall:
    """Measure the turn that is on, with the house as somebody has set it by hand."""
    call = practice_call(service, call_id)
    view = view_of(call.job, find_ab_test(call.job, ab_test_id))
    if view.next_arm is None:
        raise BadInput("ab_test_id", "must not have ended", ab_test_id, "an A/B test that goes on")
    world = world_of(service, call)
    visit = ArmRun(view.next_arm, world.state.clock, _measured(world, view.ab_test))
    keep_world(service, call_id, world)
    return add_arm_run(service, call_id, ab_test_id, visit)


def _measured(world: World, ab_test: AbTest) -> tuple[float, ...]:
    """One turn's values from the stand-ins, in the A/B test's unit."""
    if ab_test.measure == "Zigbee reports lost":
        reports = SimulatedHub(world).reports(HUB_HOURS)
        if not reports:
            raise BadInput("measure", "must be of something in the house", "no Zigbee device", "a link test")
        sent, delivered = sum(r.sent for r in reports), sum(r.delivered for r in reports)
        return (1 - delivered / sent,)
    assert ab_test.place_id is not None
    if ab_test.measure == "level":
        own = {r.bssid for r in world.job.radios}
        found = []
        for _ in range(READINGS_A_RUN):
            heard = SimulatedScanner(world).listen(ab_test.place_id, BANDS, 3.0).readings
            levels = [r.level_dbm for r in heard if r.bssid in own]
            if not levels:
                raise InstrumentFault("scanner", "must hear an own radio", "none at the place", "another place")
            found.append(max(levels))
        return tuple(found)
    test = SimulatedSpeedTest(world).run(ab_test.place_id, READINGS_A_RUN)
    if ab_test.measure == "latency under load":
        if not test.latency_ms:
            raise InstrumentFault("speed test", "must reach the house's Wi-Fi", "no link at the place", "another place")
        return test.latency_ms
    return test.down_mbps if ab_test.measure == "throughput down" else test.up_mbps
