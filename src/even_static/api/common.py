"""What the parts of the API share."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import fields, replace
from typing import Annotated

from fastapi import Depends, Request, Response

from even_static.api.bodies import CallBody, EntriesBody, OfferedBlock, SettingsBody
from even_static.api.service import Service
from even_static.api.share import COOKIE, Share, is_local
from even_static.core.errors import BadInput, NotFound
from even_static.core.house.building import NodeStand, Stand
from even_static.core.house.job import Job
from even_static.core.house.readings import Scan, Trace
from even_static.core.house.settings import Settings
from even_static.core.house.validate import validate_settings
from even_static.core.house.validate_building import validate_in_building
from even_static.core.model.evaluate import evaluate
from even_static.core.spectrum.lawful import LawfulBlock
from even_static.formats.once import described
from even_static.store.calls import HERE
from even_static.store.steps import StoredCall

BODY = described(CallBody)


def get_service(request: Request) -> Service:
    """The application's service, for who asks: this computer or a paired phone, and what they have of a call."""
    service: Service = request.app.state.service
    share: Share | None = request.app.state.share
    phone = share.phone(request.cookies.get(COOKIE)) if share is not None and not is_local(request) else None
    knows = request.headers.get(KNOWS_HEADER, "")
    return service.by(
        phone.name if phone is not None else HERE,
        only_call=phone.call_id if phone is not None else None,
        knows=int(knows) if knows.isdecimal() and len(knows) < 12 else None,
    )


# The revision of a call that a page has: what it has of the job since is not sent again.
KNOWS_HEADER = "even-static-knows"
# Lists of which only the entries are sent that a page does not have.
LONG_LISTS = frozenset({"scans", "traces"})
LARGEST_TEXT_BYTES = 64 << 20
Serviced = Annotated[Service, Depends(get_service)]


def call_view(service: Service, call: StoredCall) -> CallBody:
    """A call with its figures under the current settings; without radios there are none."""
    now = evaluate(service.house(call), call.job.settings) if call.job.nodes else None
    aside = [f"{a.field}: {a.rule}" for a in call.set_aside]
    return CallBody(
        id=call.id,
        revision=call.revision,
        undo=call.undo,
        redo=call.redo,
        job=call.job,
        now=now,
        set_aside=aside,
        air_known=call.job.air_known,
        own_unnamed=call.job.own_unnamed,
    )


class CallReply(Response):
    """A call as a reply, written by :func:`call_body`; in the API's description it is a ``CallBody``.

    It is no response model of its routes: each of them would describe the whole job anew when the application starts.
    """

    media_type = "application/json"


def call_body(service: Service, call: StoredCall, status: int = 200) -> CallReply:
    """A call as a reply. To a page that has a revision of it, only those fields of its job are sent that differ;
    ``since`` names the revision then, and the page has the others.
    """
    body = call_view(service, call)
    if service.knows is not None and 1 <= service.knows < call.revision:
        base = service.store.job_at(call.id, service.knows)
        left_out = {f.name for f in fields(Job) if _same(getattr(base, f.name), getattr(call.job, f.name))}
        lists = {name: _entries(getattr(base, name), getattr(call.job, name)) for name in LONG_LISTS - left_out}
        body = replace(body, since=service.knows, entries=lists)
        text = BODY.dump_json(body, exclude={"job": left_out | LONG_LISTS})
    else:
        text = BODY.dump_json(body)
    return CallReply(text, status)


def _entries(base: tuple[Scan | Trace, ...], now: tuple[Scan | Trace, ...]) -> EntriesBody:
    """A long list as what differs in it."""
    known = {e.id: e for e in base}
    changed = [e for e in now if not _same(known.get(e.id), e)]
    return EntriesBody([e.id for e in now], changed)


def _same(a: object, b: object) -> bool:
    return a is b or a == b


def sent_by(service: Service, scan: Scan) -> Scan:
    """A scan that somebody brings: from a paired device its source says so, and which one."""
    if service.author == HERE:
        return scan
    return replace(scan, came_from="another device", source=f"{service.author}: {scan.source}"[:80])


def settings_of(service: Service, call_id: int, body: SettingsBody) -> tuple[StoredCall, Settings]:
    """A call and the settings that a body tries on it, checked."""
    call = service.get(call_id)
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
        # What is too large is still taken in, as far as the door lets it, and forgotten: cut off, a browser would
        # never see why.
        size += len(chunk)
        if size <= most:
            raw += chunk
    if size > most:
        raise BadInput(
            field, f"must not be larger than {most >> 20} MiB", f"{size / 2**20:.1f} MiB", f"at most {most >> 20} MiB"
        )
    return bytes(raw)


def file_name(name: str) -> str:
    """A file's name as it is kept as the source of what came from it: readable, and never nothing."""
    plain = "".join(c if c.isprintable() else " " for c in name).strip()
    return plain.encode("utf-8", "replace").decode()[:80] or "file"


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
    return OfferedBlock(
        channel=b.block.channel,
        width_mhz=b.block.width_mhz,
        centre_mhz=b.block.centre_mhz,
        max_eirp_dbm=b.max_eirp_dbm,
        dfs=b.dfs,
        indoor_only=b.indoor_only,
    )


async def body_text(request: Request) -> str:
    """A request's body as text; BadInput when it is none or too large."""
    raw = await body_bytes(request, LARGEST_TEXT_BYTES, "file")
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as error:
        raise BadInput("file", "must be text in UTF-8", f"byte {error.start} is not", "UTF-8") from None


def file_stem(service: Service, call_id: int) -> str:
    """How files of a call begin: those of a practice house say so."""
    return f"{'practice-' if service.get(call_id).job.kind == 'practice' else ''}call-{call_id}"
