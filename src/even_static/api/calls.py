"""Calls: the list, their steps, and what is heard into them."""

from __future__ import annotations

import asyncio
import tempfile
from typing import Annotated, BinaryIO, cast

from fastapi import APIRouter, Query, Request, Response
from fastapi import Path as PathParameter
from fastapi.responses import PlainTextResponse

from even_static import __version__
from even_static.api.bodies import CallBody
from even_static.api.calls_bodies import (
    AboutBody,
    CallsBody,
    GoBackBody,
    HistoryBody,
    NewCallBody,
    PracticeBody,
    ScanBody,
    StateBody,
)
from even_static.api.common import (
    CallReply,
    Serviced,
    body_text,
    call_body,
    download,
    file_name,
    file_stem,
    sent_by,
)
from even_static.api.practice import measuring
from even_static.api.practice.demo import open_practice_house
from even_static.api.tasks import Task
from even_static.core.errors import BadInput, Busy, NotFound
from even_static.core.explain.air_view import AirView, air_view
from even_static.core.house.basics import is_timestamp
from even_static.core.house.clock import known_time_zones
from even_static.core.house.edit import next_visit
from even_static.core.house.job import Job
from even_static.core.house.offered import offered
from even_static.core.model.prepared_house import House
from even_static.core.tables import regulatory
from even_static.core.tables.bands import BANDS
from even_static.formats.job_file import read_job, write_job
from even_static.formats.readings_csv import known_places, read_readings, write_readings
from even_static.formats.repair import SetAside
from even_static.now import now_text
from even_static.store.steps import CallState

LARGEST_CAPTURE_BYTES = 4 << 30
CALLS_AT_ONCE, STEPS_AT_ONCE = 200, 200

router = APIRouter(prefix="/api")


# -- calls -------------------------------------------------------------------------------------------------------


@router.get("/about")
def about() -> AboutBody:
    """What this is and what it knows."""
    countries = list(regulatory.country_codes())
    return AboutBody(
        version=__version__,
        regulatory_edition=regulatory.edition(),
        countries=countries,
        time_zones=sorted(known_time_zones()),
        offered=offered(),
    )


@router.get("/calls")
def list_calls(
    service: Serviced,
    search: Annotated[str, Query(max_length=200)] = "",
    state: CallState | None = None,
    skip: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
) -> CallsBody:
    """Calls, newest first, a page of them: those in a state, else all that are not archived."""
    if service.only_call is not None:
        found = [c for c in service.store.find(search, most=100_000, state=state) if c.id == service.only_call]
        return CallsBody(found, len(found))
    return CallsBody(
        service.store.find(search, most=CALLS_AT_ONCE, state=state, skip=skip), service.store.count(search, state)
    )


@router.post("/calls/{call_id}/state", status_code=204)
def set_state(service: Serviced, call_id: int, body: StateBody) -> None:
    """Close, reopen or archive a call."""
    service.store.set_state(call_id, body.state)


@router.post("/calls/{call_id}/copy", status_code=201)
def copy_call(service: Serviced, call_id: int) -> CallReply:
    """Open the next visit: house, kit, settings and readings come along; complaints, A/B tests and the sheet do not."""
    job = next_visit(service.get(call_id).job, now_text())
    return call_body(service, service.store.copy(call_id, job, f"the next visit after call {call_id}"), 201)


@router.post("/calls", status_code=201)
def new_call(service: Serviced, body: NewCallBody) -> CallReply:
    """Open an empty call."""
    opened = now_text()
    job = Job(
        title=body.title, country=body.country, complaint=body.complaint, opened_at=opened, time_zone=body.time_zone
    )
    return call_body(service, service.store.add(job, author=service.author), 201)


@router.post("/calls/practice", status_code=201)
def new_practice_house(service: Serviced, body: PracticeBody) -> CallReply:
    """Open a practice house made from a seed; its instruments are simulated, and everything says so."""
    call = open_practice_house(
        service.store,
        body.seed,
        body.size,
        body.difficulty,
        country=body.country,
        time_zone=body.time_zone,
        author=service.author,
    )
    return call_body(service, call, 201)


@router.post("/calls/import", status_code=201)
async def import_call(service: Serviced, request: Request) -> CallReply:
    """Open a call from a job file (the request's body)."""
    text = await body_text(request)

    def take() -> CallReply:
        return call_body(service, service.store.add(read_job(text), "imported a job file", service.author), 201)

    return await asyncio.to_thread(take)


@router.get("/calls/{call_id}", response_model=CallBody)
def get_call(service: Serviced, call_id: int) -> CallReply:
    """One call."""
    return call_body(service, service.get(call_id))


@router.delete("/calls/{call_id}", status_code=204)
def delete_call(service: Serviced, call_id: int) -> None:
    """Remove a call for good."""
    service.store.delete(call_id)


@router.get("/calls/{call_id}/export", response_class=PlainTextResponse)
def export_call(service: Serviced, call_id: int) -> Response:
    """The call as a job file."""
    text = write_job(service.store.whole(call_id))
    return download(text, "application/json", f"{file_stem(service, call_id)}.json")


@router.get("/calls/{call_id}/readings.csv", response_class=PlainTextResponse)
def export_readings(service: Serviced, call_id: int) -> Response:
    """All readings of the call as CSV."""
    return download(
        write_readings(service.get(call_id).job.scans), "text/csv", f"{file_stem(service, call_id)}-readings.csv"
    )


@router.post("/calls/{call_id}/undo")
def undo(service: Serviced, call_id: int, revision: Annotated[int, Query(ge=1)]) -> CallReply:
    """Take back the last step of one's own, as one sees the call at a revision; what others added stays."""
    return call_body(service, service.store.undo(call_id, revision, service.author))


@router.post("/calls/{call_id}/redo")
def redo(service: Serviced, call_id: int, revision: Annotated[int, Query(ge=1)]) -> CallReply:
    """Do the step again that one has taken back."""
    return call_body(service, service.store.redo(call_id, revision, service.author))


@router.get("/calls/{call_id}/history")
def history(service: Serviced, call_id: int, before: Annotated[int | None, Query(ge=1)] = None) -> HistoryBody:
    """The steps of the call, the newest first, a page of them; ``before`` leads to those before one."""
    service.get(call_id)
    steps = service.store.history(call_id, before=before, most=STEPS_AT_ONCE)
    return HistoryBody(steps, bool(steps) and steps[-1].number > 1)


@router.post("/calls/{call_id}/history/{number}")
def go_back(
    service: Serviced, call_id: int, number: Annotated[int, PathParameter(ge=1)], body: GoBackBody
) -> CallReply:
    """Go back to a step of the call's history; what others did since goes too only where that is said, and what was
    done on nodes is not stepped over."""
    found = service.store.go_to(call_id, number, body.revision, service.author, also_others=body.also_others)
    return call_body(service, found)


@router.get("/calls/{call_id}/set-aside")
def get_set_aside(service: Serviced, call_id: int) -> list[SetAside]:
    """Parts of the call that could not be read, as they were."""
    return list(service.get(call_id).set_aside)


# -- listening ---------------------------------------------------------------------------------------------------


@router.get("/calls/{call_id}/air")
def get_air(service: Serviced, call_id: int, place_id: str, until: str | None = None) -> AirView:
    """What a place hears, up to a time if one is given."""
    call = service.get(call_id)
    house = service.house(call)
    if place_id not in house.places:
        raise NotFound("place_id", "must name a place of the call", place_id, ", ".join(house.places) or "(none yet)")
    if until is not None and not is_timestamp(until):
        raise BadInput("until", "must be a date and time with an offset from UTC", until, "ISO 8601")
    if until is not None:
        house = House(call.job, until=until)
    return air_view(house, call.job.settings, place_id, until)


@router.post("/calls/{call_id}/listen", status_code=202)
def listen(service: Serviced, call_id: int, body: ScanBody) -> Task:
    """Listen with the scanner."""
    return measuring.listen(service, call_id, body.place_ids, tuple(body.bands or BANDS), with_tests=body.with_tests)


@router.post("/calls/{call_id}/captures", status_code=202)
async def upload_capture(
    service: Serviced,
    call_id: int,
    request: Request,
    place_id: str,
    name: Annotated[str, Query(max_length=200)] = "capture",
    channel: Annotated[int | None, Query(ge=11, le=26)] = None,
) -> Task:
    """Read a pcap or pcapng file (the request's body) as a scan at a place.

    It is kept in a file that has no name while it is read: whatever happens, nothing of it stays.
    """
    service.get(call_id)
    # The file belongs to the task, which closes it; nothing else can find it.
    file = cast("BinaryIO", tempfile.TemporaryFile(prefix="even-static-"))  # noqa: SIM115
    try:
        size = 0
        async for chunk in request.stream():
            size += len(chunk)
            if size > LARGEST_CAPTURE_BYTES:
                raise BadInput("capture", "must not be larger than 4 GiB", f"{size} bytes", "split the capture")
            await asyncio.to_thread(file.write, chunk)
        file.seek(0)
        return service.take_capture(call_id, file, place_id, name, channel)
    except BaseException as error:
        file.close()
        if isinstance(error, OSError):
            rule = f"cannot be read in: {error.strerror or error}"
            raise Busy("capture", rule, f"{size} bytes", "make room on the disk, or split the capture") from None
        raise


@router.post("/calls/{call_id}/readings")
async def upload_readings(
    service: Serviced, call_id: int, request: Request, place_id: str | None = None, name: str = "CSV file"
) -> CallReply:
    """Add readings from CSV (the request's body)."""
    service.get(call_id)
    text, source = await body_text(request), file_name(name)

    def take() -> CallReply:
        read = read_readings(text, source=source, place_id=place_id, heard_at=now_text())
        scans = [sent_by(service, scan) for scan in read]
        known_places(service.get(call_id).job, [s.place_id for s in scans])
        return call_body(service, service.add_readings(call_id, scans, f"read {source[:60]}"))

    return await asyncio.to_thread(take)


# -- tasks -----------------------------------------------------------------------------------------------------


@router.get("/tasks/{task_id}")
def get_task(service: Serviced, task_id: str) -> Task:
    """How far a piece of work is."""
    task = service.tasks.get(task_id)
    if task is None or service.only_call not in (None, task.call_id):
        raise NotFound("task", "must be one of this run of the application", task_id, "")
    return task


@router.post("/tasks/{task_id}/stop")
def stop_task(service: Serviced, task_id: str) -> Task:
    """Ask a piece of work to end with what it has so far."""
    task = get_task(service, task_id)
    task.stop_wanted = True
    return task
