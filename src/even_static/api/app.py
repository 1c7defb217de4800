"""The web application: the API under /api, the built pages everywhere else."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any, get_type_hints

from fastapi import APIRouter, FastAPI, HTTPException, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, PlainTextResponse
from fastapi.routing import APIRoute
from pydantic import ValidationError
from starlette.exceptions import HTTPException as StarletteHTTPException

from even_static import __version__
from even_static.api.ab_tests import router as ab_tests_router
from even_static.api.bodies import DetailBody
from even_static.api.building import router as building_router
from even_static.api.calls import router as calls_router
from even_static.api.common import CallReply
from even_static.api.door import Door
from even_static.api.entries import router as entries_router
from even_static.api.hand_over import router as hand_over_router
from even_static.api.house import router as house_router
from even_static.api.instruments import router as instruments_router
from even_static.api.kit import router as kit_router
from even_static.api.link import router as link_router
from even_static.api.live import router as live_router
from even_static.api.other_sources import router as other_sources_router
from even_static.api.router_lists import router as router_lists_router
from even_static.api.service import Service
from even_static.api.share import Share
from even_static.api.tasks import ErrorBody, error_body
from even_static.api.tuning import router as tuning_router
from even_static.api.visit import router as visit_router
from even_static.api.work import router as work_router
from even_static.core.errors import (
    BadInput,
    Busy,
    Conflict,
    EvenStaticError,
    Full,
    InstrumentFault,
    NotFound,
    Unlawful,
)
from even_static.formats.job_file import from_validation
from even_static.store.calls import Store

LOG = logging.getLogger("even_static")
LOCAL_HOSTS = ["127.0.0.1", "localhost"]
STATUS = {NotFound: 404, Conflict: 409, Unlawful: 422, Full: 422, BadInput: 422, InstrumentFault: 502, Busy: 503}


def _class_of(route: APIRoute) -> type:
    """What a route answers with, if that is a response; else nothing in particular."""
    found = get_type_hints(route.endpoint).get("return")
    return found if isinstance(found, type) else object


ROUTERS = (
    building_router,
    entries_router,
    hand_over_router,
    house_router,
    instruments_router,
    kit_router,
    link_router,
    live_router,
    visit_router,
    other_sources_router,
    ab_tests_router,
    router_lists_router,
    tuning_router,
    work_router,
    calls_router,
)

# Routes that answer with a call.
CALL_REPLIES = {
    (method, route.path)
    for part in ROUTERS
    for route in part.routes
    if isinstance(route, APIRoute) and issubclass(_class_of(route), CallReply)
    for method in route.methods or ()
}

_rest = APIRouter(prefix="/api")


@_rest.api_route("/{rest:path}", methods=["GET", "POST", "PUT", "DELETE", "PATCH"], include_in_schema=False)
def no_such_path(rest: str) -> None:
    """Anything else under /api."""
    raise NotFound("path", "must be one of the API", f"/api/{rest}"[:80], "")


def _failure(status: int, body: ErrorBody) -> JSONResponse:
    return JSONResponse(DetailBody(body).as_json(), status_code=status)


def _plain(status: int, field: str, rule: str, received: str = "") -> JSONResponse:
    message = f"{field}: {rule}" + (f"; received {received}" if received else "")
    return _failure(status, ErrorBody(field=field, rule=rule, received=received, accepted="", message=message))


def create_app(
    store: Store, *, clock_speed: float = 60.0, pages: Path | None = None, share: Share | None = None
) -> FastAPI:
    """The application over a store. ``pages`` is the folder of the built front end (the packaged one if not given);
    without ``share`` only this computer gets anything."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        yield
        app.state.service.tasks.close()

    app = FastAPI(
        title="Even Static",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
        separate_input_output_schemas=False,
        lifespan=lifespan,
    )
    app.state.service = Service(store, clock_speed=clock_speed)
    app.state.share = share
    for part in ROUTERS:
        app.include_router(part)
    _describe_replies(app)
    app.include_router(_rest)
    folder = pages or Path(str(files("even_static").joinpath("pages")))
    # The outermost layer: a request under another host's name gets nothing, an unpaired phone the pairing page.
    hosts = [*LOCAL_HOSTS, *(share.hosts if share is not None else [])]
    app.add_middleware(Door, hosts=hosts, share=share)
    _answer_faults(app)
    _serve_pages(app, folder)
    return app


def _describe_replies(app: FastAPI) -> None:
    """In the description replies of a call are what they are."""
    described = app.openapi

    def openapi() -> dict[str, Any]:
        found = described()
        for path, operations in found["paths"].items():
            for method, operation in operations.items():
                if (method.upper(), path) in CALL_REPLIES:
                    good = next(a for code, a in operation["responses"].items() if code.startswith("2"))
                    good["content"] = {"application/json": {"schema": {"$ref": "#/components/schemas/CallBody"}}}
        return found

    app.openapi = openapi  # type: ignore[method-assign]


def _answer_faults(app: FastAPI) -> None:
    """Every fault becomes an error body that names field and rule; no traceback reaches a person."""

    @app.exception_handler(EvenStaticError)
    async def on_own_error(_: Request, error: EvenStaticError) -> JSONResponse:
        return _failure(STATUS.get(type(error), 422), error_body(error))

    @app.exception_handler(RequestValidationError)
    async def on_invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return _failure(422, error_body(_from_request(error)))

    @app.exception_handler(StarletteHTTPException)
    async def on_http(_: Request, error: HTTPException) -> JSONResponse:
        return _plain(error.status_code, "request", str(error.detail))

    @app.exception_handler(sqlite3.OperationalError)
    async def on_data_file(_: Request, error: sqlite3.OperationalError) -> JSONResponse:
        full = "full" in str(error)
        rule = "has no room left on its disk" if full else "is in use by another program, or cannot be written to"
        return _plain(503, "data file", f"{rule}; nothing was stored, and it can be tried again", str(error))

    @app.exception_handler(Exception)
    async def on_fault(_: Request, error: Exception) -> JSONResponse:
        LOG.error("unexpected fault", exc_info=error)
        return _plain(
            500, "Even Static", "met a fault of its own; nothing stored was lost, and the log has the details"
        )


def _serve_pages(app: FastAPI, folder: Path) -> None:
    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> Response:
        """The built pages; every unknown path is the one page, which finds its way by the part behind #."""
        found = _page_file(folder, rest)
        if found is not None:
            return FileResponse(found)
        if not (folder / "index.html").is_file():
            return PlainTextResponse("The pages are not built: run `make setup`.\n", status_code=503)
        if rest.startswith("assets/"):
            return PlainTextResponse("no such file\n", status_code=404)
        return FileResponse(folder / "index.html")


def _page_file(folder: Path, rest: str) -> Path | None:
    """A file of the built pages; None where there is none of that name, or nothing can have it."""
    try:
        wanted = (folder / rest).resolve()
        return wanted if rest and wanted.is_relative_to(folder.resolve()) and wanted.is_file() else None
    except (OSError, ValueError):
        return None


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
