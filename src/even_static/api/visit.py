"""A visit: notes shown as understood while they are typed and taken down in one step; where the call stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Len
from fastapi import APIRouter

from even_static.api.bodies import CallBody
from even_static.api.common import Serviced, call_view
from even_static.core.explain.standing import Standing, standing
from even_static.core.house.basics import record
from even_static.core.house.job import Job
from even_static.core.house.notes import TakenNote, take_notes
from even_static.core.house.notes_written import notes_of
from even_static.core.house.validate import validate_job
from even_static.core.report.answers import Answer, answers
from even_static.core.survey.own_radios import FoundRadio, HeardName, heard_names, unnamed_radios, with_own_name
from even_static.core.tables.house_templates import HOUSE_TEMPLATES, HouseTemplate
from even_static.formats.job_file import require_storable

router = APIRouter(prefix="/api")


@record
@dataclass(frozen=True, slots=True)
class NotesBody:
    """Notes, a thing on each line, and whether they are taken down or only shown as understood."""

    text: Annotated[str, Len(0, 20_000)]
    take: bool = False


@dataclass(frozen=True, slots=True)
class NotesView:
    """Each line as understood, what is left to be put right, and the call where notes were taken down."""

    notes: list[TakenNote]
    left: str
    call: CallBody | None


@dataclass(frozen=True, slots=True)
class NotesText:
    """A call's rooms and kit as notes."""

    text: str


@dataclass(frozen=True, slots=True)
class OwnNamesView:
    """How many radios have no known address, and the names that were heard and could be theirs."""

    unnamed: int
    names: list[HeardName]


@record
@dataclass(frozen=True, slots=True)
class OwnNameBody:
    """The name of the household's network."""

    ssid: Annotated[str, Len(1, 128)]


@dataclass(frozen=True, slots=True)
class OwnNameTaken:
    """What was taken for which radio, and the call."""

    found: list[FoundRadio]
    call: CallBody


@router.get("/house-templates")
def get_house_templates() -> list[HouseTemplate]:
    """Usual houses as notes, to begin with."""
    return list(HOUSE_TEMPLATES)


@router.get("/calls/{call_id}/notes")
def get_notes(service: Serviced, call_id: int) -> NotesText:
    """This call's rooms and kit as notes, for another call."""
    return NotesText(text=notes_of(service.get(call_id).job))


@router.get("/calls/{call_id}/own-names")
def get_own_names(service: Serviced, call_id: int) -> OwnNamesView:
    """Names that were heard and could be the household's, while radios have no known address."""
    job = service.get(call_id).job
    return OwnNamesView(len(unnamed_radios(job)), heard_names(job))


@router.post("/calls/{call_id}/own-names")
def post_own_name(service: Serviced, call_id: int, body: OwnNameBody) -> OwnNameTaken:
    """Say which name is the household's: its radios take addresses, channels and widths as heard."""
    found: tuple[FoundRadio, ...] = ()

    def take(job: Job) -> Job:
        nonlocal found
        taken, found = with_own_name(job, body.ssid)
        validate_job(taken)
        return taken

    call = service.amend(call_id, take, f"the household's network is {body.ssid[:40]}")
    return OwnNameTaken(list(found), call_view(service, call))


@router.get("/calls/{call_id}/answers")
def get_answers(service: Serviced, call_id: int) -> list[Answer]:
    """What a customer asks at the table, answered from what is known under the present settings."""
    call = service.get(call_id)
    return answers(service.house(call), call.job.settings)


@router.get("/calls/{call_id}/standing")
def get_standing(service: Serviced, call_id: int) -> Standing:
    """What each step knows and still needs, and the one thing worth doing next."""
    return standing(service.get(call_id).job)


@router.post("/calls/{call_id}/notes")
def post_notes(service: Serviced, call_id: int, body: NotesBody) -> NotesView:
    """Show notes as understood, or take them down; lines that are not understood are left."""
    found = take_notes(service.get(call_id).job, body.text, require_storable)
    taken = [n for n in found.notes if n.kind is not None]
    if not body.take or not taken:
        return NotesView(list(found.notes), found.left, None)

    def add(job: Job) -> Job:
        nonlocal found
        found = take_notes(job, body.text, require_storable)
        return found.job

    call = service.amend(call_id, add, f"took down {len(taken)} {'note' if len(taken) == 1 else 'notes'}")
    return NotesView(list(found.notes), found.left, call_view(service, call))
