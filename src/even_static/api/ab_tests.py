"""A/B tests: two settings in alternating blocks, planned, run on the nodes or turn by turn, and judged."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter

from even_static.api.ab_tests_bodies import ArmRunBody, NewAbTestBody
from even_static.api.arm_runs import add_arm_run
from even_static.api.common import CallReply, Serviced, call_body
from even_static.api.practice import ab_tests as practice_ab_tests
from even_static.api.tasks import Task
from even_static.core.change.ab_tests import AbTestPlan, AbTestView, find_ab_test, plan_of, view_of
from even_static.core.errors import BadInput
from even_static.core.house.ab_test import ArmRun
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.changes import AbArm, AbTest
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job, validate_settings
from even_static.core.model.violations import require_choosable
from even_static.now import now_text

router = APIRouter(prefix="/api")


def _ab_test(job: Job, body: NewAbTestBody) -> AbTest:
    """The A/B test that a body asks for, checked."""
    settings = body.b_settings
    if settings is not None:
        validate_settings(job, settings, "b_settings")
        require_choosable(job, settings)
        if settings == job.settings:
            raise BadInput("b_settings", "must differ from the current settings", "the same", "something on trial")
    found = fresh_identifier(f"test {body.name}", [t.id for t in job.ab_tests])
    now = now_text()
    place = None if body.measure == "Zigbee reports lost" else body.place_id
    a = AbArm(body.a_name, job.settings if settings is not None else None)
    ab_test = AbTest(
        id=found,
        name=body.name,
        planned_at=now,
        measure=body.measure,
        a=a,
        b=AbArm(body.b_name, settings),
        place_id=place,
        worth_fraction=body.worth_fraction,
    )
    if body.measure == "Zigbee reports lost" and job.zigbee is None:
        raise BadInput("measure", "must be of something in the house", "no Zigbee hub", "a link test")
    blocks = plan_of(job, ab_test).blocks
    ab_test = replace(ab_test, most_blocks=min(60, max(4, 2 * (blocks or 30))))
    validate_job(replace(job, ab_tests=(*job.ab_tests, ab_test)))
    return ab_test


@router.post("/calls/{call_id}/ab-tests/plan")
def plan_ab_test(service: Serviced, call_id: int, body: NewAbTestBody) -> AbTestPlan:
    """How many turns an A/B test takes for the difference one cares about."""
    job = service.get(call_id).job
    return plan_of(job, _ab_test(job, body))


@router.get("/calls/{call_id}/ab-tests")
def get_ab_tests(service: Serviced, call_id: int) -> list[AbTestView]:
    """The A/B tests with what they say so far."""
    job = service.get(call_id).job
    return [view_of(job, t) for t in job.ab_tests]


@router.post("/calls/{call_id}/ab-tests", status_code=201)
def new_ab_test(service: Serviced, call_id: int, body: NewAbTestBody) -> CallReply:
    """Plan an A/B test."""

    def add(job: Job) -> Job:
        return replace(job, ab_tests=(*job.ab_tests, _ab_test(job, body)))

    return call_body(service, service.amend(call_id, add, f"planned the A/B test {body.name}"[:80]), 201)


@router.delete("/calls/{call_id}/ab-tests/{ab_test_id}")
def delete_ab_test(service: Serviced, call_id: int, ab_test_id: str) -> CallReply:
    """Forget an A/B test."""

    def drop(job: Job) -> Job:
        find_ab_test(job, ab_test_id)
        return replace(job, ab_tests=tuple(t for t in job.ab_tests if t.id != ab_test_id))

    return call_body(service, service.amend(call_id, drop, "removed an A/B test"))


@router.get("/calls/{call_id}/boxes")
def get_boxes(service: Serviced, call_id: int) -> list[str]:
    """What the nodes are set to otherwise than the call says, as after an A/B test that was cut off."""
    return practice_ab_tests.left_over(service, call_id)


@router.post("/calls/{call_id}/boxes/back", status_code=202)
def set_boxes_back(service: Serviced, call_id: int) -> Task:
    """Set the nodes back to what the call says."""
    return practice_ab_tests.set_back(service, call_id)


@router.post("/calls/{call_id}/ab-tests/{ab_test_id}/run", status_code=202)
def run_ab_test(service: Serviced, call_id: int, ab_test_id: str) -> Task:
    """Run an A/B test on the nodes until it is decided or stopped."""
    return practice_ab_tests.run_ab_test(service, call_id, ab_test_id)


@router.post("/calls/{call_id}/ab-tests/{ab_test_id}/runs")
def take_turn(service: Serviced, call_id: int, ab_test_id: str, body: ArmRunBody) -> CallReply:
    """A turn that was set by hand: with values that were read, or measured now."""
    if not body.values:
        return call_body(service, practice_ab_tests.measure_turn(service, call_id, ab_test_id))
    at = now_text()
    return call_body(service, add_arm_run(service, call_id, ab_test_id, ArmRun(body.arm, at, body.values)))
