"""Trials: two ways in turns, planned, run on the boxes or turn by turn, and judged."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from fastapi import APIRouter

from even_static.api.common import CallReply, Serviced, call_body
from even_static.api.practice import trials as practice_trials
from even_static.api.tasks import Task
from even_static.api.trial_visits import add_visit
from even_static.api.trials_bodies import NewTrialBody, VisitBody
from even_static.core.change.ab_tests import TrialPlan, TrialView, find_trial, plan_of, view_of
from even_static.core.errors import BadInput
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.changes import Trial, TrialArm
from even_static.core.house.job import Job
from even_static.core.house.trial import TrialVisit
from even_static.core.house.validate import validate_job, validate_settings
from even_static.core.model.violations import require_choosable

router = APIRouter(prefix="/api")


def _trial(job: Job, body: NewTrialBody) -> Trial:
    """The trial that a body asks for, checked."""
    settings = body.b_settings
    if settings is not None:
        validate_settings(job, settings, "b_settings")
        require_choosable(job, settings)
        if settings == job.settings:
            raise BadInput("b_settings", "must differ from the settings of now", "the same", "something on trial")
    found = fresh_identifier(f"trial {body.name}", [t.id for t in job.trials])
    now = datetime.now(UTC).isoformat(timespec="seconds")
    place = None if body.measure == "Zigbee reports lost" else body.place_id
    a = TrialArm(body.a_name, job.settings if settings is not None else None)
    trial = Trial(
        id=found,
        name=body.name,
        planned_at=now,
        measure=body.measure,
        a=a,
        b=TrialArm(body.b_name, settings),
        place_id=place,
        worth_fraction=body.worth_fraction,
    )
    if body.measure == "Zigbee reports lost" and job.zigbee is None:
        raise BadInput("measure", "must be of something in the house", "no Zigbee hub", "a link test")
    blocks = plan_of(job, trial).blocks
    trial = replace(trial, most_blocks=min(60, max(4, 2 * (blocks or 30))))
    validate_job(replace(job, trials=(*job.trials, trial)))
    return trial


@router.post("/calls/{call_id}/trials/plan")
def plan_trial(service: Serviced, call_id: int, body: NewTrialBody) -> TrialPlan:
    """How many turns a trial takes for the difference one cares about."""
    job = service.get(call_id).job
    return plan_of(job, _trial(job, body))


@router.get("/calls/{call_id}/trials")
def get_trials(service: Serviced, call_id: int) -> list[TrialView]:
    """The trials with what they say so far."""
    job = service.get(call_id).job
    return [view_of(job, t) for t in job.trials]


@router.post("/calls/{call_id}/trials", status_code=201)
def new_trial(service: Serviced, call_id: int, body: NewTrialBody) -> CallReply:
    """Plan a trial."""

    def add(job: Job) -> Job:
        return replace(job, trials=(*job.trials, _trial(job, body)))

    return call_body(service, service.amend(call_id, add, f"planned the trial {body.name}"[:80]), 201)


@router.delete("/calls/{call_id}/trials/{trial_id}")
def delete_trial(service: Serviced, call_id: int, trial_id: str) -> CallReply:
    """Forget a trial."""

    def drop(job: Job) -> Job:
        find_trial(job, trial_id)
        return replace(job, trials=tuple(t for t in job.trials if t.id != trial_id))

    return call_body(service, service.amend(call_id, drop, "forgot a trial"))


@router.get("/calls/{call_id}/boxes")
def get_boxes(service: Serviced, call_id: int) -> list[str]:
    """What the boxes are set to otherwise than the call says, as after a trial that was cut off."""
    return practice_trials.left_over(service, call_id)


@router.post("/calls/{call_id}/boxes/back", status_code=202)
def set_boxes_back(service: Serviced, call_id: int) -> Task:
    """Set the boxes back to what the call says."""
    return practice_trials.set_back(service, call_id)


@router.post("/calls/{call_id}/trials/{trial_id}/run", status_code=202)
def run_trial(service: Serviced, call_id: int, trial_id: str) -> Task:
    """Run a trial on the boxes until it is decided or stopped."""
    return practice_trials.run_trial(service, call_id, trial_id)


@router.post("/calls/{call_id}/trials/{trial_id}/visit")
def take_turn(service: Serviced, call_id: int, trial_id: str, body: VisitBody) -> CallReply:
    """A turn that was set by hand: with values that were read, or measured now."""
    if not body.values:
        return call_body(service, practice_trials.measure_turn(service, call_id, trial_id))
    at = datetime.now(UTC).isoformat(timespec="seconds")
    return call_body(service, add_visit(service, call_id, trial_id, TrialVisit(body.arm, at, body.values)))
