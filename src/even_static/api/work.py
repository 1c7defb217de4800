"""The work itself: the change sheet, step by step, by hand or on the nodes."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter

from even_static.api.bodies import SettingsBody
from even_static.api.common import CallReply, Serviced, call_body, settings_of, stands_of
from even_static.api.house_bodies import StandsBody
from even_static.api.practice import setting
from even_static.api.practice.world import time_of_a_step
from even_static.api.tasks import Task
from even_static.api.work_bodies import AnswerBody, SheetBody, TickBody, WiringBody
from even_static.core.change.materials import Materials, materials
from even_static.core.change.sheet import make_sheet
from even_static.core.change.sheet_view import SheetView, sheet_view
from even_static.core.checks.cabling import following
from even_static.core.checks.set_up import SetUp, set_up
from even_static.core.errors import BadInput
from even_static.core.explain.causes import LikelyCauses, likely_causes
from even_static.core.house.complaint import CauseAnswer
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job, validate_settings
from even_static.core.model.violations import require_choosable
from even_static.core.tables.cautions import CAUTIONS, Caution
from even_static.core.tables.work import RETURN_S, SAVE_S
from even_static.now import now_text

router = APIRouter(prefix="/api")


@router.get("/calls/{call_id}/causes")
def get_likely_causes(service: Serviced, call_id: int, complaint_id: str | None = None) -> LikelyCauses:
    """Likely causes of a complaint or of all, ranked, with what speaks for each and the cheapest test."""
    call = service.get(call_id)
    return likely_causes(service.house(call), call.job.settings, complaint_id)


@router.post("/calls/{call_id}/answers")
def answer_cause(service: Serviced, call_id: int, body: AnswerBody) -> CallReply:
    """What a test has shown of a likely cause; nothing takes the answer back."""
    at = now_text()

    def answer(job: Job) -> Job:
        others = tuple(
            a for a in job.answers if a.cause != body.cause or (body.complaint_id not in (None, a.complaint_id))
        )
        if body.shows is None:
            return replace(job, answers=others)
        made = CauseAnswer(
            cause=body.cause, shows=body.shows, answered_at=at, note=body.note, complaint_id=body.complaint_id
        )
        found = replace(job, answers=(*others, made))
        validate_job(found)
        return found

    said = f"{body.cause}: {body.shows or 'not answered'}"
    return call_body(service, service.amend(call_id, answer, said))


@router.get("/calls/{call_id}/set-up")
def get_set_up(service: Serviced, call_id: int) -> SetUp:
    """The cabling from the line outwards, and what is found about the boxes' set-up."""
    return set_up(service.get(call_id).job)


@router.put("/calls/{call_id}/wiring")
def put_wiring(service: Serviced, call_id: int, body: WiringBody) -> CallReply:
    """Take over the cabling as drawn; what feeds the nodes follows it."""
    job = following(replace(service.get(call_id).job, wiring=body.wiring))
    validate_job(job)
    return call_body(service, service.edit(call_id, job, body.revision, body.summary))


@router.get("/cautions")
def get_cautions() -> list[Caution]:
    """The cautions of the work and the steps that show them."""
    return list(CAUTIONS)


@router.post("/calls/{call_id}/materials")
def get_materials(service: Serviced, call_id: int, body: StandsBody) -> Materials:
    """Cables to be pulled, and what nodes need that would stand elsewhere."""
    job = service.get(call_id).job
    return materials(job, stands_of(job, body.stands))


@router.get("/calls/{call_id}/sheet")
def get_sheet(service: Serviced, call_id: int) -> SheetView | None:
    """The change sheet with its steps; nothing where none has been made."""
    return sheet_view(service.get(call_id).job)


@router.post("/calls/{call_id}/sheet")
def new_sheet(service: Serviced, call_id: int, body: SheetBody) -> CallReply:
    """Make the change sheet from the present settings to others. One in the middle of the work is not thrown away."""
    job = service.get(call_id).job
    validate_settings(job, body.settings)
    require_choosable(job, body.settings)
    states = {s.state for s in job.sheet.steps} if job.sheet is not None else set()
    if states & {"done", "differs"} and states & {"open", "taken back"} and not body.replace:
        came = "a sheet in the middle of the work"
        raise BadInput("sheet", "must be finished or taken back first", came, "finish it, or say that it may go")
    at = now_text()

    def make(now: Job) -> Job:
        return replace(now, sheet=make_sheet(now, body.settings, f"sheet-{len(now.changes) + 1}", at, body.reason))

    return call_body(service, service.amend(call_id, make, "made a change sheet"))


@router.post("/calls/{call_id}/sheet-preview")
def preview_sheet(service: Serviced, call_id: int, body: SettingsBody) -> SheetView:
    """What a setting would take to apply: steps and time, by the sheet that would be made; nothing is kept."""
    call, settings = settings_of(service, call_id, body)
    require_choosable(call.job, settings)
    found = sheet_view(replace(call.job, sheet=make_sheet(call.job, settings, "preview", now_text())))
    assert found is not None
    return found


@router.post("/calls/{call_id}/sheet/{step_id}/tick")
def tick_step(service: Serviced, call_id: int, step_id: str, body: TickBody) -> CallReply:
    """Say that a step was done by hand (and what was read back otherwise), or taken back by hand."""
    return call_body(
        service,
        service.tick(
            call_id,
            step_id,
            body.read_back,
            body.found,
            back=body.back,
            key=body.key,
            at=time_of_a_step(service, call_id, SAVE_S + RETURN_S),
        ),
    )


@router.post("/calls/{call_id}/sheet/{step_id}/send", status_code=202)
def send_step(service: Serviced, call_id: int, step_id: str, back: bool = False) -> Task:
    """Do a step on the nodes, or take it back there; every value is read back."""
    return setting.send_step(service, call_id, step_id, back=back)
