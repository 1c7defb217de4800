"""The mesh and what else is on 2.4 GHz: link tables, energy scans, captures of 802.15.4 frames, ovens and cameras."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query, Request

from even_static.api.bodies import SettingsBody
from even_static.api.common import (
    CallReply,
    Serviced,
    body_text,
    call_body,
    file_name,
    place_name,
    settings_of,
)
from even_static.api.instruments import require_real
from even_static.api.other_sources_bodies import ChannelBody, OwnPanBody, SourceKindBody
from even_static.api.practice import measuring
from even_static.api.service import Service
from even_static.core.errors import BadInput, NotFound
from even_static.core.explain.other_sources import AirUsers, air_users
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.job import Job
from even_static.core.house.sheet import ReadBack
from even_static.core.house.validate import validate_job
from even_static.core.survey.coordinator import CoordinatorRead, with_coordinator
from even_static.core.tables.other_sources import USUAL
from even_static.formats.energy_scan import read_energy
from even_static.formats.zigbee_links import read_links
from even_static.instruments.zigbee import coordinator
from even_static.now import now_text

router = APIRouter(prefix="/api")


@router.get("/source-kinds")
def source_kinds() -> list[SourceKindBody]:
    """Kinds of other sources with what is usual for each."""
    return [
        SourceKindBody(
            kind=k, duty_fraction=u.duty_fraction, tuned=u.tuned, centre_mhz=u.lines[0].centre_mhz, advice=u.advice
        )
        for k, u in USUAL.items()
    ]


@router.post("/calls/{call_id}/air-users")
def get_air_users(service: Serviced, call_id: int, body: SettingsBody) -> AirUsers:
    """Other 2.4 GHz sources, and what it costs the house under a setting."""
    call, settings = settings_of(service, call_id, body)
    if not call.job.nodes:
        raise BadInput("nodes", "must hold a node with a radio", "none", "add one under Kit")
    return air_users(service.house(call), settings)


@router.post("/calls/{call_id}/energy-scans")
async def upload_energy(
    service: Serviced,
    call_id: int,
    request: Request,
    place_id: str,
    name: Annotated[str, Query(max_length=200)] = "energy scan",
) -> CallReply:
    """Take an energy scan (JSON or CSV, the request's body) as heard at a place."""
    at = place_name(service.get(call_id).job, place_id)
    text, source = await body_text(request), file_name(name)

    def take() -> CallReply:
        scan = read_energy(text, "scan", place_id, now_text(), source)

        def add(job: Job) -> Job:
            fresh = fresh_identifier(f"scan {place_id}", [s.id for s in job.energy_scans])
            return replace(job, energy_scans=(*job.energy_scans, replace(scan, id=fresh)))

        return call_body(service, service.amend(call_id, add, f"read a scan at {at}"))

    return await asyncio.to_thread(take)


@router.post("/calls/{call_id}/own-pan")
def mark_own_pan(service: Serviced, call_id: int, body: OwnPanBody) -> CallReply:
    """Say whether an 802.15.4 network that was heard is the house's own."""
    if all(p.pan_id != body.pan_id for p in service.get(call_id).job.pans):
        raise NotFound("pan_id", "must name a network that a capture heard", body.pan_id, "")

    def mark(job: Job) -> Job:
        return replace(job, pans=tuple(replace(p, own=body.own) if p.pan_id == body.pan_id else p for p in job.pans))

    said = f"{body.pan_id} is {'this house' if body.own else 'somebody else'}'s"
    return call_body(service, service.amend(call_id, mark, said))


@router.post("/calls/{call_id}/hub-links")
def hub_links(service: Serviced, call_id: int) -> CallReply:
    """Ask the hub for its link table."""
    return call_body(service, measuring.read_hub(service, call_id))


@router.post("/calls/{call_id}/hub-scan")
def hub_scan(service: Serviced, call_id: int) -> CallReply:
    """Have the hub scan the energy on its channels."""
    return call_body(service, measuring.scan_by_hub(service, call_id))


@router.post("/calls/{call_id}/coordinator/read")
def read_coordinator(service: Serviced, call_id: int) -> CallReply:
    """Read the Zigbee coordinator of this computer: its channel, levels of its devices, energy on the channels."""
    call = service.get(call_id)
    require_real(call)
    if call.job.zigbee is None:
        raise BadInput("zigbee", "must be entered first", "none", "the hub, under Kit")
    return _take_over(service, call_id, coordinator.ask(coordinator.read))


@router.post("/calls/{call_id}/coordinator/move")
def move_coordinator(service: Serviced, call_id: int, body: ChannelBody) -> CallReply:
    """Move the coordinator's network to another channel. What it reads back becomes the call's, and ticks the hub's
    step of the change sheet where that is the next one."""
    call = service.get(call_id)
    require_real(call)
    if call.job.zigbee is None:
        raise BadInput("zigbee", "must be entered first", "none", "the hub, under Kit")
    now_on = coordinator.ask(lambda app: coordinator.move(app, body.channel))
    # It has moved: whatever the sheet says, where it is now is written down.
    steps = call.job.sheet.steps if call.job.sheet is not None else ()
    step = next((s for s in steps if s.state in ("open", "taken back")), None)
    if step is not None and step.kind == "hub":
        read = ReadBack(zigbee_channel=now_on)
        return call_body(service, service.tick(call_id, step.id, read, "", back=False, key=None, at=now_text()))

    def moved(job: Job) -> Job:
        return replace(job, settings=replace(job.settings, zigbee_channel=now_on))

    return call_body(service, service.amend(call_id, moved, f"moved the hub to channel {now_on}", done_outside=True))


def _take_over(service: Service, call_id: int, read: CoordinatorRead) -> CallReply:
    _, notes = with_coordinator(service.get(call_id).job, read, now_text())

    def take(job: Job) -> Job:
        found = with_coordinator(job, read, now_text())[0]
        validate_job(found)
        return found

    return call_body(service, service.amend(call_id, take, f"read the coordinator: {'; '.join(notes)}"[:200]))


@router.post("/calls/{call_id}/zigbee-links")
async def upload_links(service: Serviced, call_id: int, request: Request) -> CallReply:
    """Take a link table (JSON or CSV, the request's body) as the mesh's measured links."""
    service.get(call_id)
    text = await body_text(request)

    def take() -> CallReply:
        def add(job: Job) -> Job:
            fresh = read_links(job, text)
            links = {frozenset((li.a_id, li.b_id)): li for li in job.zigbee.links} if job.zigbee else {}
            links.update({frozenset((li.a_id, li.b_id)): li for li in fresh})
            return replace(job, zigbee=replace(job.zigbee, links=tuple(links.values()))) if job.zigbee else job

        return call_body(service, service.amend(call_id, add, "read a Zigbee link table"))

    return await asyncio.to_thread(take)
