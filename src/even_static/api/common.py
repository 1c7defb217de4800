"""What the parts of the API share."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

from fastapi import Depends, Request, Response

from even_static.api.models import CallBody, OfferedBlock, SettingsBody
from even_static.api.service import Service
from even_static.core.checks.lawful import LawfulBlock
from even_static.core.errors import BadInput, NotFound
from even_static.core.house.building import NodeStand, Stand
from even_static.core.house.job import Job, Settings
from even_static.core.house.validate import validate_settings
from even_static.core.house.validate_building import validate_in_building
from even_static.core.tuning.evaluate import evaluate
from even_static.store.calls import StoredCall


def get_service(request: Request) -> Service:
    """The application's service."""
    service: Service = request.app.state.service
    return service


MOST_TAKEN_IN_BYTES = 1 << 30
LARGEST_TEXT_BYTES = 64 << 20
Serviced = Annotated[Service, Depends(get_service)]


def call_body(service: Service, call: StoredCall) -> CallBody:
    """A call with its figures as set now; without radios there are none."""
    now = evaluate(service.house(call), call.job.settings) if call.job.nodes else None
    return CallBody(call.id, call.revision, call.undo, call.redo, call.job, now)


def settings_of(service: Service, call_id: int, body: SettingsBody) -> tuple[StoredCall, Settings]:
    """A call and the settings that a body tries on it, checked."""
    call = service.store.get(call_id)
    validate_settings(call.job, body.settings)
    return call, body.settings


def stands_of(job: Job, stands: Iterable[NodeStand]) -> dict[str, Stand]:
    """Stands on trial by node; NotFound for an unknown node, BadInput for one outside the house."""
    found = {}
    known = {n.id: n for n in job.nodes}
    for i, entry in enumerate(stands):
        if entry.node_id not in known:
            raise NotFound(f"stands[{i}].node_id", "must name a node of the call", entry.node_id, ", ".join(known))
        if job.building is not None:
            s = entry.stand
            who = f'node "{known[entry.node_id].name}"'
            validate_in_building(job.building, f"stands[{i}].stand.x_m", who, s.storey, s.x_m, s.y_m)
        found[entry.node_id] = entry.stand
    return found


async def body_bytes(request: Request, most: int, field: str) -> bytes:
    """A request's body; BadInput where it is larger than it may be."""
    raw, size = bytearray(), 0
    async for chunk in request.stream():
        # What is too large is still taken in, up to a point, and forgotten: cut off, a browser would never see why.
        size += len(chunk)
        if size <= most:
            raw += chunk
        elif size > MOST_TAKEN_IN_BYTES:
            break
    if size > most:
        came = f"{size / 2**20:.1f} MiB" if size <= MOST_TAKEN_IN_BYTES else "more than 1 GiB"
        raise BadInput(field, f"must not be larger than {most >> 20} MiB", came, f"at most {most >> 20} MiB")
    return bytes(raw)


def download(text: str, media_type: str, name: str) -> Response:
    """Text as a file to be saved."""
    return Response(text, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def place_name(job: Job, place_id: str) -> str:
    """A place's name; NotFound when the call has no such place."""
    known = {p.id: p.name for p in job.places}
    if place_id not in known:
        raise NotFound("place_id", "must name a place of the call", place_id, ", ".join(known) or "(none yet)")
    return known[place_id]


def offered(b: LawfulBlock) -> OfferedBlock:
    """A lawful block as the API tells it."""
    return OfferedBlock(b.block.channel, b.block.width_mhz, b.block.centre_mhz, b.max_eirp_dbm, b.dfs, b.indoor_only)


async def body_text(request: Request) -> str:
    """A request's body as text; BadInput when it is none or too large."""
    raw = await body_bytes(request, LARGEST_TEXT_BYTES, "file")
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as error:
        raise BadInput("file", "must be text in UTF-8", f"byte {error.start} is not", "UTF-8") from None
