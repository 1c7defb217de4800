"""Small edits of a call: fields of it, single entries of its lists, a wall, a mesh."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Query

from even_static.api.calls_bodies import EditBody
from even_static.api.common import CallReply, Serviced, call_body, stands_of
from even_static.api.entries_bodies import EntriesBody, EntryBody, HubBody, MeshDeviceBody, StandsBody, WallBody
from even_static.api.service import Service
from even_static.core.house.entries import (
    ListName,
    Mesh,
    fresh_key,
    with_hub,
    with_mesh_device,
    with_stands,
    with_wall,
    without_mesh,
)
from even_static.core.house.job import Job
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.validate import validate_job
from even_static.formats.entries import entry_added, entry_changed, entry_removed, job_patched

router = APIRouter(prefix="/api")
Revision = Annotated[int, Query(ge=1)]


def _edited(service: Service, call_id: int, revision: int, summary: str, change: Callable[[Job], Job]) -> CallReply:
    """A change made on a revision of a call; what others changed since stays."""
    job = change(service.store.job_at(call_id, revision))
    validate_job(job)
    return call_body(service, service.edit(call_id, job, revision, summary[:80]))


@router.patch("/calls/{call_id}/job")
def patch_call(service: Serviced, call_id: int, body: EditBody) -> CallReply:
    """Lay a merge patch over a job, as it was on a revision: objects field by field, lists as a whole, ``null``
    empties."""
    return _edited(service, call_id, body.revision, body.summary, lambda job: job_patched(job, body.job))


@router.post("/calls/{call_id}/entries/{name}")
def add_entry(service: Serviced, call_id: int, name: ListName, body: EntryBody) -> CallReply:
    """Add an entry to a list."""
    return _edited(service, call_id, body.revision, body.summary, lambda job: entry_added(job, name, body.entry))


@router.patch("/calls/{call_id}/entries/{name}/{key}")
def change_entry(service: Serviced, call_id: int, name: ListName, key: str, body: EntryBody) -> CallReply:
    """Lay a merge patch over an entry of a list."""
    return _edited(service, call_id, body.revision, body.summary, lambda job: entry_changed(job, name, key, body.entry))


@router.patch("/calls/{call_id}/entries")
def change_entries(service: Serviced, call_id: int, body: EntriesBody) -> CallReply:
    """Lay merge patches over several entries as one step: all of them or none."""

    def each(job: Job) -> Job:
        for change in body.changes:
            job = entry_changed(job, change.name, change.key, change.entry)
        return job

    return _edited(service, call_id, body.revision, body.summary, each)


@router.delete("/calls/{call_id}/entries/{name}/{key}")
def remove_entry(
    service: Serviced,
    call_id: int,
    name: ListName,
    key: str,
    revision: Revision,
    summary: Annotated[str, Query(min_length=1, max_length=80)],
) -> CallReply:
    """Take an entry from a list, with what names it."""
    return _edited(service, call_id, revision, summary, lambda job: entry_removed(job, name, key))


@router.post("/calls/{call_id}/walls")
def change_wall(service: Serviced, call_id: int, body: WallBody) -> CallReply:
    """Say what a wall is made of, or that it is open."""
    return _edited(service, call_id, body.revision, body.summary, lambda job: with_wall(job, body.wall))


@router.post("/calls/{call_id}/stands")
def keep_stands(service: Serviced, call_id: int, body: StandsBody) -> CallReply:
    """Write down where nodes stand."""
    stands_of(service.get(call_id).job, body.stands)

    def keep(job: Job) -> Job:
        return with_stands(job, body.stands, all_along=body.all_along)

    return _edited(service, call_id, body.revision, body.summary, keep)


@router.post("/calls/{call_id}/zigbee")
def add_hub(service: Serviced, call_id: int, body: HubBody) -> CallReply:
    """Write down the Zigbee hub and the channel that it is on."""

    def add(job: Job) -> Job:
        return with_hub(job, body.hub_place_id, body.channel, fixed=body.fixed)

    return _edited(service, call_id, body.revision, "added the Zigbee hub", add)


@router.delete("/calls/{call_id}/meshes/{mesh}")
def remove_mesh(service: Serviced, call_id: int, mesh: Mesh, revision: Revision) -> CallReply:
    """Remove a mesh with what belongs to it."""
    said = "removed the Zigbee hub" if mesh == "zigbee" else "removed the Thread mesh"
    return _edited(service, call_id, revision, said, lambda job: without_mesh(job, mesh))


@router.post("/calls/{call_id}/mesh-devices")
def add_mesh_device(service: Serviced, call_id: int, body: MeshDeviceBody) -> CallReply:
    """Write down a device of a mesh with a level that was read."""

    def add(job: Job) -> Job:
        device = MeshDevice(
            id=fresh_key(job, f"{body.mesh}_devices", body.name),
            name=body.name,
            place_id=body.place_id,
            mains_powered=body.mains_powered,
        )
        return with_mesh_device(job, body.mesh, device, from_id=body.from_id, rssi_dbm=body.rssi_dbm)

    return _edited(service, call_id, body.revision, f"added {body.name}", add)
