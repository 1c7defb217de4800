"""What a Zigbee coordinator tells of its network, and what a call takes over from it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.basics import Timestamp, fresh_identifier
from even_static.core.house.job import Job
from even_static.core.house.mesh import MeshLink
from even_static.core.house.other_sources import ChannelEnergy, EnergyScan
from even_static.core.spectrum.channels import ZIGBEE_CHANNELS
from even_static.core.tables.zigbee import AT_NO_ENERGY_DBM, ENERGY_DB_A_STEP, MOST_ENERGY


@dataclass(frozen=True, slots=True, kw_only=True)
class HeardDevice:
    """A device of the coordinator's network: address, what it is called there, and the level in dBm and link quality of
    what the coordinator received last (None where it does not tell)."""

    address: str
    name: str
    rssi_dbm: float | None
    lqi: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class CoordinatorRead:
    """What a coordinator tells. ``energy``: 0 to 255 by channel, without a unit; ``links``: pairs of devices that hear
    each other (addresses, link quality), which is no level."""

    channel: int
    pan_id: int
    devices: tuple[HeardDevice, ...]
    energy: dict[int, float]
    links: tuple[tuple[str, str, int], ...]


def energy_dbm(value: float) -> float:
    """A level in dBm from an energy of 0 to 255. Only its steps are standardised: the level is estimated."""
    return round(AT_NO_ENERGY_DBM + ENERGY_DB_A_STEP * min(max(value, 0.0), MOST_ENERGY), 1)


def with_coordinator(job: Job, read: CoordinatorRead, at: Timestamp) -> tuple[Job, list[str]]:
    """(the job with what a coordinator told, what is to be known of it in words). Its channel becomes the call's;
    levels of devices whose address is written down become links to the hub; link qualities are no levels and are not
    taken. BadInput where no hub is written down."""
    hub = job.zigbee
    if hub is None:
        raise BadInput("zigbee", "must be entered first", "none", "the hub, under Kit")
    by_address = {d.address: d.id for d in hub.devices if d.address is not None}
    links = {frozenset((link.a_id, link.b_id)): link for link in hub.links}
    notes, taken = [f"the hub is on channel {read.channel}"], 0
    for device in read.devices:
        known = by_address.get(device.address)
        if known is not None and device.rssi_dbm is not None:
            taken += 1
            link = MeshLink(a_id="hub", b_id=known, rssi_dbm=device.rssi_dbm, came_from="Zigbee coordinator")
            links[frozenset(("hub", known))] = link
    strange = [d for d in read.devices if d.address not in by_address]
    notes.append(f"levels of {taken} devices")
    if strange:
        few = ", ".join(f"{d.name} ({d.address})" for d in strange[:4])
        notes.append(
            f"{len(strange)} devices without their address under Kit: {few}{' ...' if len(strange) > 4 else ''}"
        )
    if read.links:
        notes.append(f"{len(read.links)} links between devices are told by link quality alone, which is no level")
    scans = job.energy_scans
    if any(read.energy.values()):
        levels = tuple(ChannelEnergy(c, energy_dbm(v)) for c, v in sorted(read.energy.items()) if c in ZIGBEE_CHANNELS)
        scan = EnergyScan(
            id=fresh_identifier("coordinator", [s.id for s in scans]),
            place_id=hub.hub_place_id,
            scanned_at=at,
            source="Zigbee coordinator",
            levels=levels,
            came_from="Zigbee coordinator",
            estimated=True,
        )
        scans = (*scans, scan)
        notes.append("energy on its channels, estimated from steps without a unit")
    else:
        notes.append("it does not report the energy on its channels")
    channels = tuple(sorted({*hub.selectable_channels, read.channel}))
    found = replace(
        job,
        zigbee=replace(hub, links=tuple(links.values()), selectable_channels=channels),
        settings=replace(job.settings, zigbee_channel=read.channel),
        energy_scans=scans,
    )
    return found, notes
