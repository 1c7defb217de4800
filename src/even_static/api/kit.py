"""Devices written down quickly."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from fastapi import APIRouter, Request, Response
from fastapi.responses import PlainTextResponse

from even_static.api.common import CallReply, Serviced, body_text, call_body, call_view, download
from even_static.api.kit_bodies import KitView, NodeBody, PasteBody, PastedView, WishesBody, WishesView
from even_static.core.errors import BadInput
from even_static.core.house.boxes import with_node
from even_static.core.house.devices import crowds, read_devices, read_wishes, with_wishes
from even_static.core.house.edit import with_past_following
from even_static.core.house.entries import entry_of, with_block_read
from even_static.core.house.job import Job
from even_static.core.model.evaluate import evaluate
from even_static.core.spectrum.lawful import lawful_blocks
from even_static.core.tables.bands import BANDS
from even_static.core.tables.boxes import NODE_KINDS, NodeTemplate
from even_static.core.tables.devices import ACTIVITIES, KINDS
from even_static.formats.hostapd import read_hostapd, write_hostapd

router = APIRouter(prefix="/api")


@router.get("/calls/{call_id}/kit")
def get_kit(service: Serviced, call_id: int) -> KitView:
    """Kinds of devices, and how many each box has."""
    call = service.get(call_id)
    homes = {}
    if call.job.nodes:
        figures = evaluate(service.house(call), call.job.settings)
        homes = {d.device_id: d.radio_id for d in figures.devices}
    unknown = [d.name for d in call.job.devices if d.unknown]
    closed = [b for b in BANDS if not lawful_blocks(call.job.country, b, 20)]
    return KitView(
        kinds=list(KINDS),
        activities=[a.name for a in ACTIVITIES],
        crowds=crowds(call.job, homes),
        unknown=unknown,
        closed_bands=closed,
    )


@router.get("/node-kinds")
def get_box_kinds() -> list[NodeTemplate]:
    """Kinds of boxes."""
    return list(NODE_KINDS)


@router.post("/calls/{call_id}/nodes")
def add_node(service: Serviced, call_id: int, body: NodeBody) -> CallReply:
    """Add a node of a kind, lawfully set to begin with."""

    def add(job: Job) -> Job:
        return with_past_following(with_node(job, body.name, body.place_id, body.kind))

    return call_body(service, service.amend(call_id, add, f"added the node {body.name}"[:80]))


@router.post("/calls/{call_id}/radios/{radio_id}/hostapd")
async def read_conf(service: Serviced, call_id: int, radio_id: str, request: Request) -> CallReply:
    """Take a radio's setting from its hostapd.conf (the request's body); nothing else of the file is kept."""
    text = await body_text(request)

    def take() -> CallReply:
        found = read_hostapd(text)

        def with_it(job: Job) -> Job:
            return with_block_read(job, radio_id, found.block, found.ssid)

        said = f"{radio_id} is set as its hostapd.conf says"
        return call_body(service, service.amend(call_id, with_it, said[:80]))

    return await asyncio.to_thread(take)


@router.post("/calls/{call_id}/radios/{radio_id}/hostapd.conf", response_class=PlainTextResponse)
async def write_conf(service: Serviced, call_id: int, radio_id: str, request: Request) -> Response:
    """A hostapd.conf (the request's body) with the radio's setting of the call in it, all else as it was."""
    text = await body_text(request)

    def make() -> Response:
        job = service.get(call_id).job
        entry_of(job, "radios", radio_id)
        written = write_hostapd(text, job.radio(radio_id), job.settings.of(radio_id), job.country)
        return download(written, "text/plain", "hostapd.conf")

    return await asyncio.to_thread(make)


@router.post("/calls/{call_id}/devices")
def paste_devices(service: Serviced, call_id: int, body: PasteBody) -> PastedView:
    """Add devices from a pasted list or CSV."""
    found = read_devices(service.get(call_id).job, body.text, body.place_id)

    def add(job: Job) -> Job:
        return replace(job, devices=(*job.devices, *read_devices(job, body.text, body.place_id).devices))

    count = len(found.devices)
    stored = service.amend(call_id, add, f"added {count} {'device' if count == 1 else 'devices'}")
    return PastedView(call_view(service, stored), list(found.questions))


@router.post("/calls/{call_id}/wishes")
def tell_wishes(service: Serviced, call_id: int, body: WishesBody) -> WishesView:
    """Understand the busy hour told in words; taken over only when asked to."""
    wishes = read_wishes(service.get(call_id).job, body.text)
    if not body.take:
        return WishesView(wishes, None)
    if not any(w.device_ids for w in wishes):
        raise BadInput("text", "must say what a device of the call does", body.text[:60], "name devices or places")

    def take(job: Job) -> Job:
        return with_wishes(job, read_wishes(job, body.text))

    stored = service.amend(call_id, take, "took the busy hour from a description")
    return WishesView(wishes, call_view(service, stored))
