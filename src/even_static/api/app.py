"""The web application: the API under /api, the built pages everywhere else."""

from __future__ import annotations

import asyncio
import logging
import tempfile
from collections.abc import Awaitable, Callable
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, FastAPI, HTTPException, Query, Request, Response
from fastapi import Path as PathParameter
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, PlainTextResponse
from pydantic import ValidationError
from starlette.exceptions import HTTPException as StarletteHTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware

from even_static import __version__
from even_static.api.building import router as building_router
from even_static.api.common import LARGEST_TEXT_BYTES, Serviced, body_text, call_body, download
from even_static.api.hand_over import router as hand_over_router
from even_static.api.house import router as house_router
from even_static.api.kit import router as kit_router
from even_static.api.link import router as link_router
from even_static.api.models import (
    AboutBody,
    CallBody,
    DetailBody,
    EditBody,
    HistoryLine,
    ListenBody,
    NewCallBody,
    StateBody,
)
from even_static.api.senders import router as senders_router
from even_static.api.service import Service
from even_static.api.share import Share, gate
from even_static.api.tasks import ErrorBody, Task, error_body
from even_static.api.trials import router as trials_router
from even_static.api.tuning import router as tuning_router
from even_static.api.work import router as work_router
from even_static.core.errors import BadInput, EvenStaticError, InstrumentFault, NotFound, Unlawful
from even_static.core.house.basics import is_timestamp
from even_static.core.house.edit import next_visit
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job
from even_static.core.spectrum.channels import BANDS
from even_static.core.tables import regulatory
from even_static.core.tables.zigbee import WANTED_DELIVERY
from even_static.core.tuning.airview import AirView, air_view
from even_static.core.tuning.candidates import POLICIES
from even_static.core.tuning.house import House
from even_static.formats.job_file import from_validation, job_from_data, read_job, write_job
from even_static.formats.readings_csv import known_places, read_readings, write_readings
from even_static.store.calls import CallLine, CallState, Store

LOG = logging.getLogger("even_static")
LARGEST_CAPTURE_BYTES = 4 << 30
LOCAL_HOSTS = ["127.0.0.1", "localhost", "testserver"]
STATUS = {NotFound: 404, Unlawful: 422, BadInput: 422, InstrumentFault: 502}
CONTENT_SECURITY = "default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; connect-src 'self'"
CONTENT_SECURITY += "; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

router = APIRouter(prefix="/api")


# -- calls -------------------------------------------------------------------------------------------------------


@router.get("/about")
def about() -> AboutBody:
    """What this is and what it knows."""
    countries = list(regulatory.country_codes())
    return AboutBody(__version__, regulatory.edition(), countries, list(POLICIES), WANTED_DELIVERY)


@router.get("/calls")
def list_calls(
    service: Serviced, search: Annotated[str, Query(max_length=200)] = "", state: CallState | None = None
) -> list[CallLine]:
    """Calls, newest first: those in a state, else all that are not archived."""
    return service.store.find(search, state=state)


@router.post("/calls/{call_id}/state", status_code=204)
def set_state(service: Serviced, call_id: int, body: StateBody) -> None:
    """Close, reopen or archive a call."""
    service.store.set_state(call_id, body.state)


@router.post("/calls/{call_id}/copy", status_code=201)
def copy_call(service: Serviced, call_id: int) -> CallBody:
    """Open the next visit: house, kit, settings and readings come along; complaints, trials and the sheet do not."""
    job = next_visit(service.store.get(call_id).job, datetime.now(UTC).isoformat(timespec="seconds"))
    return call_body(service, service.store.copy(call_id, job, f"the next visit after call {call_id}"))


@router.post("/calls", status_code=201)
def new_call(service: Serviced, body: NewCallBody) -> CallBody:
    """Open an empty call."""
    opened = datetime.now(UTC).isoformat(timespec="seconds")
    job = Job(title=body.title, country=body.country, complaint=body.complaint, opened_at=opened)
    validate_job(job)
    return call_body(service, service.store.add(job))


@router.post("/calls/import", status_code=201)
async def import_call(service: Serviced, request: Request) -> CallBody:
    """Open a call from a job file (the request's body)."""
    job = read_job(await body_text(request))
    return await asyncio.to_thread(lambda: call_body(service, service.store.add(job, "imported a job file")))


@router.get("/calls/{call_id}")
def get_call(service: Serviced, call_id: int) -> CallBody:
    """One call."""
    return call_body(service, service.store.get(call_id))


@router.delete("/calls/{call_id}", status_code=204)
def delete_call(service: Serviced, call_id: int) -> None:
    """Remove a call for good."""
    service.store.delete(call_id)


@router.get("/calls/{call_id}/export", response_class=PlainTextResponse)
def export_call(service: Serviced, call_id: int) -> Response:
    """The call as a job file."""
    text = write_job(service.store.whole(call_id))
    return download(text, "application/json", f"call-{call_id}.json")


@router.get("/calls/{call_id}/readings.csv", response_class=PlainTextResponse)
def export_readings(service: Serviced, call_id: int) -> Response:
    """All readings of the call as CSV."""
    return download(write_readings(service.store.get(call_id).job.listens), "text/csv", f"call-{call_id}-readings.csv")


@router.put("/calls/{call_id}/job")
def edit_call(service: Serviced, call_id: int, body: EditBody) -> CallBody:
    """Replace the call's job by an edited one."""
    job = job_from_data(body.job, edited=True)
    return call_body(service, service.edit(call_id, job, body.revision, body.summary))


@router.post("/calls/{call_id}/undo")
def undo(service: Serviced, call_id: int) -> CallBody:
    """Take back the last step."""
    return call_body(service, service.store.step(call_id, -1))


@router.post("/calls/{call_id}/redo")
def redo(service: Serviced, call_id: int) -> CallBody:
    """Do the step again that was taken back."""
    return call_body(service, service.store.step(call_id, +1))


@router.get("/calls/{call_id}/history")
def history(service: Serviced, call_id: int) -> list[HistoryLine]:
    """Every step of the call."""
    return [HistoryLine(*line) for line in service.store.history(call_id)]


@router.post("/calls/{call_id}/history/{number}")
def go_to_revision(service: Serviced, call_id: int, number: Annotated[int, PathParameter(ge=1)]) -> CallBody:
    """Go to a step of the call's history, back or forth; what was done on boxes is not stepped over."""
    return call_body(service, service.store.go_to(call_id, number))


# -- listening ---------------------------------------------------------------------------------------------------


@router.get("/calls/{call_id}/air")
def get_air(service: Serviced, call_id: int, place_id: str, until: str | None = None) -> AirView:
    """What a place hears, up to a time if one is given."""
    call = service.store.get(call_id)
    house = service.house(call)
    if place_id not in house.places:
        raise NotFound("place_id", "must name a place of the call", place_id, ", ".join(house.places) or "(none yet)")
    if until is not None and not is_timestamp(until):
        raise BadInput("until", "must be a date and time with an offset from UTC", until, "ISO 8601")
    if until is not None:
        house = House(call.job, until=until)
    return air_view(house, call.job.settings, place_id, until)


@router.post("/calls/{call_id}/listen", status_code=202)
def listen(service: Serviced, call_id: int, body: ListenBody) -> Task:
    """Listen with the scanner."""
    return service.listen(call_id, body.place_ids, tuple(body.bands or BANDS), with_tests=body.with_tests)


@router.post("/calls/{call_id}/captures", status_code=202)
async def upload_capture(
    service: Serviced,
    call_id: int,
    request: Request,
    place_id: str,
    name: Annotated[str, Query(max_length=200)] = "capture",
    channel: Annotated[int | None, Query(ge=11, le=26)] = None,
) -> Task:
    """Read a pcap or pcapng file (the request's body) as a listening at a place; it is streamed to disk, then read."""
    service.store.get(call_id)
    with tempfile.NamedTemporaryFile(prefix="even-static-", delete=False) as file:
        size = 0
        async for chunk in request.stream():
            size += len(chunk)
            if size > LARGEST_CAPTURE_BYTES:
                Path(file.name).unlink(missing_ok=True)
                raise BadInput("capture", "must not be larger than 4 GiB", f"{size} bytes", "split the capture")
            await asyncio.to_thread(file.write, chunk)
    return service.take_capture(call_id, Path(file.name), place_id, name, channel)


@router.post("/calls/{call_id}/readings")
async def upload_readings(
    service: Serviced, call_id: int, request: Request, place_id: str | None = None, name: str = "CSV file"
) -> CallBody:
    """Add readings from CSV (the request's body)."""
    call = service.store.get(call_id)
    now = datetime.now(UTC).isoformat(timespec="seconds")
    listens = read_readings(await body_text(request), source=name[:80], place_id=place_id, heard_at=now)
    known_places(call.job, listens)
    return await asyncio.to_thread(
        lambda: call_body(service, service.add_readings(call_id, listens, f"read {name[:60]}"))
    )


# -- tasks -----------------------------------------------------------------------------------------------------


@router.get("/tasks/{task_id}")
def get_task(service: Serviced, task_id: str) -> Task:
    """How far a piece of work is."""
    task = service.tasks.get(task_id)
    if task is None:
        raise NotFound("task", "must be one of this run of the application", task_id, "")
    return task


@router.post("/tasks/{task_id}/stop")
def stop_task(service: Serviced, task_id: str) -> Task:
    """Ask a piece of work to end with what it has so far."""
    task = get_task(service, task_id)
    task.stop_wanted = True
    return task


@router.api_route("/{rest:path}", methods=["GET", "POST", "PUT", "DELETE", "PATCH"], include_in_schema=False)
def no_such_path(rest: str) -> None:
    """Anything else under /api."""
    raise NotFound("path", "must be one of the API", f"/api/{rest}"[:80], "")


# -- the application ---------------------------------------------------------------------------------------------


def _failure(status: int, body: ErrorBody) -> JSONResponse:
    return JSONResponse(DetailBody(body).as_json(), status_code=status)


def _plain(status: int, field: str, rule: str, received: str = "") -> JSONResponse:
    message = f"{field}: {rule}" + (f"; received {received}" if received else "")
    return _failure(status, ErrorBody(field, rule, received, "", message))


def create_app(
    store: Store, *, clock_speed: float = 60.0, pages: Path | None = None, share: Share | None = None
) -> FastAPI:
    """The application over a store. ``pages`` is the folder of the built front end (the packaged one if not given);
    without ``share`` only this computer gets anything."""
    app = FastAPI(
        title="Even Static",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
        separate_input_output_schemas=False,
    )
    app.state.service = Service(store, clock_speed=clock_speed)
    app.state.share = share
    app.include_router(building_router)
    app.include_router(hand_over_router)
    app.include_router(house_router)
    app.include_router(kit_router)
    app.include_router(link_router)
    app.include_router(senders_router)
    app.include_router(trials_router)
    app.include_router(tuning_router)
    app.include_router(work_router)
    app.include_router(router)
    folder = pages or Path(str(files("even_static").joinpath("pages")))

    @app.middleware("http")
    async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
        """Only this application's own pages may change anything; no page may ask another host for anything."""
        stopped = await gate(request, app.state.share)
        origin = request.headers.get("origin")
        if stopped is None and origin not in (None, _own_origin(request)) and request.method not in ("GET", "HEAD"):
            return _plain(403, "origin", "must be this application's own page", origin or "")
        length = request.headers.get("content-length", "0")
        if "json" in request.headers.get("content-type", "") and int(length) > LARGEST_TEXT_BYTES:
            rule = f"must not be larger than {LARGEST_TEXT_BYTES >> 20} MiB"
            return _plain(413, "body", rule, f"{int(length) / 2**20:.1f} MiB")
        response = stopped or await call_next(request)
        response.headers.setdefault("Content-Security-Policy", CONTENT_SECURITY)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        if request.url.path.startswith("/api") or not request.url.path.startswith("/assets"):
            response.headers["Cache-Control"] = "no-store"
        return response

    # Added last, so that it comes first: a request under another host's name gets nothing.
    hosts = [*LOCAL_HOSTS, *(share.hosts if share is not None else [])]
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=hosts, www_redirect=False)

    @app.exception_handler(EvenStaticError)
    async def on_own_error(_: Request, error: EvenStaticError) -> JSONResponse:
        return _failure(STATUS.get(type(error), 422), error_body(error))

    @app.exception_handler(RequestValidationError)
    async def on_invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return _failure(422, error_body(_from_request(error)))

    @app.exception_handler(StarletteHTTPException)
    async def on_http(_: Request, error: HTTPException) -> JSONResponse:
        return _plain(error.status_code, "request", str(error.detail))

    @app.exception_handler(Exception)
    async def on_fault(_: Request, error: Exception) -> JSONResponse:
        LOG.error("unexpected fault", exc_info=error)
        return _plain(
            500, "Even Static", "met a fault of its own; nothing stored was lost, and the log has the details"
        )

    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> Response:
        """The built pages; every unknown path is the one page, which finds its way by the part behind #."""
        wanted = (folder / rest).resolve()
        if rest and wanted.is_file() and wanted.is_relative_to(folder.resolve()):
            return FileResponse(wanted)
        if not (folder / "index.html").is_file():
            return PlainTextResponse("The pages are not built: run `make setup`.\n", status_code=503)
        if rest.startswith("assets/"):
            return PlainTextResponse("no such file\n", status_code=404)
        return FileResponse(folder / "index.html")

    return app


def _own_origin(request: Request) -> str:
    return f"{request.url.scheme}://{request.headers.get('host', '')}"


def _from_request(error: RequestValidationError) -> BadInput:
    """A request that does not fit, named like any other bad input."""
    first: dict[str, Any] = dict(error.errors()[0])
    wrapped = ValidationError.from_exception_data(
        "request",
        [
            {
                "type": "value_error",
                "loc": tuple(first["loc"]),
                "input": first.get("input"),
                "ctx": {"error": ValueError(first["msg"])},
            }
        ],
    )
    found = from_validation(wrapped)
    rule = str(first["msg"]).removeprefix("Input should be ")
    return BadInput(found.field.removeprefix("body."), "must fit the request", found.received, rule)
