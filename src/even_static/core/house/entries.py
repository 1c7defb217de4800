"""Single entries of a job's lists: added, changed, and taken away together with what names them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.after_care import DropOut, FollowUp
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.building import Building, NodeStand, Obstacle, Opening, Outlet, Storey, WallChange
from even_static.core.house.complaint import Complaint
from even_static.core.house.devices import device_ids
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio, Switch, Zigbee
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.other_sources import OtherSource, Thread
from even_static.core.house.readings import Instrument
from even_static.core.house.settings import RadioSetting
from even_static.core.house.works import CableRun
from even_static.core.spectrum.channels import Block
from even_static.core.tables.zigbee import USUAL_HUB_CHANNELS

ListName = Literal[
    "places",
    "nodes",
    "radios",
    "radio_settings",
    "devices",
    "switches",
    "instruments",
    "other_sources",
    "complaints",
    "drop_outs",
    "follow_ups",
    "works",
    "zigbee_devices",
    "thread_devices",
    "storeys",
    "openings",
    "obstacles",
    "outlets",
]
Mesh = Literal["zigbee", "thread"]
Entry = Any
"""An entry of one of the lists: a dataclass of the list's kind."""


@dataclass(frozen=True, slots=True, kw_only=True)
class EntryList:
    """A list of a job: what its entries are, what tells them apart, and where it is."""

    kind: type
    path: tuple[str, ...]
    """Fields that lead from the job to the list."""
    key: str = "id"
    fixed: bool = False
    """Whether its entries come and go with something else: they can be changed only."""


LISTS: dict[str, EntryList] = {
    "places": EntryList(kind=Place, path=("places",)),
    "nodes": EntryList(kind=Node, path=("nodes",)),
    "radios": EntryList(kind=Radio, path=("radios",), fixed=True),
    "radio_settings": EntryList(kind=RadioSetting, path=("settings", "radios"), key="radio_id", fixed=True),
    "devices": EntryList(kind=Device, path=("devices",)),
    "switches": EntryList(kind=Switch, path=("switches",)),
    "instruments": EntryList(kind=Instrument, path=("instruments",)),
    "other_sources": EntryList(kind=OtherSource, path=("other_sources",)),
    "complaints": EntryList(kind=Complaint, path=("complaints",)),
    "drop_outs": EntryList(kind=DropOut, path=("drop_outs",)),
    "follow_ups": EntryList(kind=FollowUp, path=("follow_ups",)),
    "works": EntryList(kind=CableRun, path=("works",)),
    "zigbee_devices": EntryList(kind=MeshDevice, path=("zigbee", "devices"), fixed=True),
    "thread_devices": EntryList(kind=MeshDevice, path=("thread", "devices"), fixed=True),
    "storeys": EntryList(kind=Storey, path=("building", "storeys"), key="level"),
    "openings": EntryList(kind=Opening, path=("building", "openings")),
    "obstacles": EntryList(kind=Obstacle, path=("building", "obstacles")),
    "outlets": EntryList(kind=Outlet, path=("building", "outlets")),
}


# Fields of a call that no figure of the house hangs on: what is written beside the house.
FIELDS_BESIDE: tuple[str, ...] = (
    *("title", "complaint", "complaints", "answers", "follow_ups", "drop_outs", "plans", "ab_tests", "works", "photos"),
    *("subscription", "instruments"),
)


def entries_of(job: Job, name: str) -> tuple[Entry, ...]:
    """The entries of a list; none where what holds it is not there yet."""
    found: Any = job
    for part in LISTS[name].path:
        found = getattr(found, part) if found is not None else None
    return tuple(found or ())


def key_of(name: str, entry: Entry) -> str:
    """What tells an entry from the others of its list, as text."""
    return str(getattr(entry, LISTS[name].key))


def entry_of(job: Job, name: str, key: str) -> Entry:
    """An entry of a list; NotFound, naming those that there are, for an unknown one."""
    known = entries_of(job, name)
    for entry in known:
        if key_of(name, entry) == key:
            return entry
    few = ", ".join(key_of(name, e) for e in known[:12]) or "(none)"
    raise NotFound(f"{name}.{LISTS[name].key}", "must name an entry of the list", key, few)


def fresh_key(job: Job, name: str, called: str) -> str:
    """An identifier for a new entry, from what it is called. Devices have different ones, of whatever network."""
    if name in ("devices", "zigbee_devices", "thread_devices"):
        return fresh_identifier(called, ["hub", "border", *device_ids(job)])
    return fresh_identifier(called, [key_of(name, e) for e in entries_of(job, name)])


def with_entry(job: Job, name: str, entry: Entry) -> Job:
    """The job with one more entry at the end of a list. BadInput for a list that grows with something else only."""
    if LISTS[name].fixed:
        raise BadInput("list", "must be one that entries are added to by themselves", name, ", ".join(_free()))
    return _put(job, name, (*entries_of(job, name), entry))


def with_changed(job: Job, name: str, key: str, entry: Entry) -> Job:
    """The job with an entry in the place of another of its list; NotFound for an unknown one."""
    entry_of(job, name, key)
    return _put(job, name, tuple(entry if key_of(name, e) == key else e for e in entries_of(job, name)))


def without_entry(job: Job, name: str, key: str) -> Job:
    """The job without an entry, and without what names it: settings of a node's radios, links and reports of a mesh
    device, a switch between nodes. Where an entry is still needed (a place where something stands), the rules of the
    job say so afterwards. NotFound for an unknown one, BadInput for a list whose entries go with something else."""
    gone = entry_of(job, name, key)
    if LISTS[name].fixed and name not in ("zigbee_devices", "thread_devices"):
        raise BadInput("list", "must be one that entries are taken from by themselves", name, ", ".join(_free()))
    left = _put(job, name, tuple(e for e in entries_of(job, name) if e is not gone))
    after = _AFTER.get(name)
    return after(left, gone) if after is not None else left


def with_wall(job: Job, change: WallChange) -> Job:
    """The job with a wall made of something else, or open; an earlier change of the same wall goes."""
    building = job.building or Building()
    wall = (change.room_id, change.edge, change.to_room_id)
    kept = tuple(w for w in building.wall_changes if (w.room_id, w.edge, w.to_room_id) != wall)
    return replace(job, building=replace(building, wall_changes=(*kept, change)))


def with_stands(job: Job, stands: Iterable[NodeStand], *, all_along: bool = False) -> Job:
    """The job with nodes that stand where they are said to; NotFound for an unknown node.

    Without ``all_along`` they were moved now: what was measured before keeps the stands of then. With it, this is how
    they stood all along (somebody found the enclosure, or placed them wrongly): what was measured belongs to it.
    """
    said = {s.node_id: s for s in stands}
    moved = {i for i, s in said.items() if entry_of(job, "nodes", i).stand != s.stand}
    for node_id, stand in said.items():
        job = with_changed(job, "nodes", node_id, replace(entry_of(job, "nodes", node_id), stand=stand.stand))
    if not all_along:
        return replace(job, nodes=tuple(_unread(n) if {n.id, _parent_of(n)} & moved else n for n in job.nodes))

    def corrected(then: tuple[NodeStand, ...] | None) -> tuple[NodeStand, ...]:
        return (*(s for s in then or () if s.node_id not in said), *said.values())

    scans = tuple(replace(scan, stands=corrected(scan.stands)) for scan in job.scans)
    traces = tuple(replace(trace, stands=corrected(trace.stands)) for trace in job.traces)
    return replace(job, scans=scans, traces=traces)


def _parent_of(node: Node) -> str | None:
    return None if node.uplink is None else node.uplink.to_node_id


def _unread(node: Node) -> Node:
    """A node whose radio link was read before one of its ends was moved."""
    if node.uplink is None or node.uplink.band is None:
        return node
    return replace(node, uplink=replace(node.uplink, rssi_dbm=None, read_at_eirp_dbm=None, expected=True))


def with_block_read(job: Job, radio_id: str, block: Block, ssid: str) -> Job:
    """The job with a radio on the block, and under the SSID, that its own page or file shows. NotFound for an unknown
    radio, BadInput for a block of another band or a width that it is not said to have."""
    radio = entry_of(job, "radios", radio_id)
    if block.band != radio.band:
        raise BadInput("band", "must be the radio's", block.band, radio.band)
    width = next((w for w in radio.widths_mhz if w == block.width_mhz), None)
    if width is None:
        has = ", ".join(map(str, radio.widths_mhz))
        raise BadInput("width_mhz", "must be one that the radio has", block.width_mhz, f"{has} MHz, under Kit")
    setting = job.settings.of(radio_id)
    now = replace(setting, channel=block.channel, width_mhz=width, centre_mhz=block.centre_mhz, enabled=True)
    job = with_changed(job, "radio_settings", radio_id, now)
    return with_changed(job, "radios", radio_id, replace(radio, ssid=ssid)) if ssid else job


def with_hub(job: Job, place_id: str, channel: int, *, fixed: bool) -> Job:
    """The job with a Zigbee hub. One that is not ``fixed`` to its channel is taken to offer those that most hubs do,
    and the one it is on. BadInput where there is one."""
    if job.zigbee is not None:
        raise BadInput("zigbee", "must not be there yet", f"a hub at {job.zigbee.hub_place_id}", "one hub")
    channels = (channel,) if fixed else tuple(sorted({*USUAL_HUB_CHANNELS, channel}))
    hub = Zigbee(hub_place_id=place_id, selectable_channels=channels)
    return replace(job, zigbee=hub, settings=replace(job.settings, zigbee_channel=channel))


def without_mesh(job: Job, mesh: Mesh) -> Job:
    """The job without a mesh; with the Zigbee hub go its channel and its reports."""
    if mesh == "thread":
        return replace(job, thread=None)
    return replace(job, zigbee=None, zigbee_reports=(), settings=replace(job.settings, zigbee_channel=None))


def with_mesh_device(job: Job, mesh: Mesh, device: MeshDevice, *, from_id: str, rssi_dbm: float) -> Job:
    """The job with a device of a mesh, and the level in dBm, as somebody typed it, of its link to the hub, the border
    router or another device. BadInput where there is no such mesh."""
    held = _held(job, mesh)
    link = MeshLink(a_id=from_id, b_id=device.id, rssi_dbm=rssi_dbm, came_from="typed")
    return _hold(job, mesh, replace(held, devices=(*held.devices, device), links=(*held.links, link)))


def with_mesh_member(job: Job, mesh: Mesh, device: MeshDevice) -> Job:
    """The job with a device of a mesh of which no link has been measured yet. BadInput where there is no such mesh."""
    held = _held(job, mesh)
    return _hold(job, mesh, replace(held, devices=(*held.devices, device)))


def _held(job: Job, mesh: Mesh) -> Zigbee | Thread:
    held = job.zigbee if mesh == "zigbee" else job.thread
    if held is None:
        raise BadInput(mesh, "must be entered first", "none", "a hub" if mesh == "zigbee" else "a border router")
    return held


def _hold(job: Job, mesh: Mesh, held: Any) -> Job:
    return replace(job, zigbee=held) if mesh == "zigbee" else replace(job, thread=held)


def _free() -> list[str]:
    return [n for n, found in LISTS.items() if not found.fixed]


def _put(job: Job, name: str, entries: tuple[Entry, ...]) -> Job:
    """The job with other entries in a list."""
    if name == "radios":
        by_id = {r.id: r for r in entries}
        nodes = tuple(replace(n, radios=tuple(by_id[r.id] for r in n.radios)) for n in job.nodes)
        return replace(job, nodes=nodes)
    *holders, last = LISTS[name].path
    if not holders:
        fields: dict[str, Any] = {last: entries}
        return replace(job, **fields)
    (holder,) = holders
    held = getattr(job, holder)
    if held is None and holder == "building":
        held = Building()
    if held is None:
        raise BadInput(holder, "must be entered first", "none", f"a call with its {holder}")
    fields = {holder: replace(held, **{last: entries})}
    return replace(job, **fields)


def _without_settings_of(job: Job, node: Node) -> Job:
    gone = {r.id for r in node.radios}
    settings = replace(
        job.settings,
        radios=tuple(s for s in job.settings.radios if s.radio_id not in gone),
        link_bands=tuple(e for e in job.settings.link_bands if e.node_id != node.id),
    )
    return replace(job, settings=settings)


def _without_wishes_of(job: Job, device: Device) -> Job:
    plan = job.settings.ssid_plan
    plan = replace(
        plan,
        bands=tuple(b for b in plan.bands if b.device_id != device.id),
        device_network=tuple(d for d in plan.device_network if d != device.id),
    )
    devices = tuple(replace(d, relayed_by_id=None) if d.relayed_by_id == device.id else d for d in job.devices)
    listed = tuple(c for c in job.client_list if c.device_id != device.id)
    return replace(job, devices=devices, client_list=listed, settings=replace(job.settings, ssid_plan=plan))


def _without_cables_through(job: Job, switch: Switch) -> Job:
    nodes = tuple(
        replace(n, uplink=replace(n.uplink, switch_id=None))
        if n.uplink is not None and n.uplink.switch_id == switch.id
        else n
        for n in job.nodes
    )
    switches = tuple(replace(s, behind_switch_id=None) if s.behind_switch_id == switch.id else s for s in job.switches)
    return replace(job, nodes=nodes, switches=switches)


def _without_plugs(job: Job, outlet: Outlet) -> Job:
    return replace(job, nodes=tuple(replace(n, outlet_id=None) if n.outlet_id == outlet.id else n for n in job.nodes))


def _without_links(mesh: Mesh) -> Callable[[Job, Entry], Job]:
    def after(job: Job, device: MeshDevice) -> Job:
        held = _held(job, mesh)
        links = tuple(link for link in held.links if device.id not in (link.a_id, link.b_id))
        job = _hold(job, mesh, replace(held, links=links))
        return replace(job, zigbee_reports=tuple(r for r in job.zigbee_reports if r.device_id != device.id))

    return after


def _without_answers_for(job: Job, complaint: Complaint) -> Job:
    return replace(job, answers=tuple(a for a in job.answers if a.complaint_id != complaint.id))


_AFTER: dict[str, Callable[[Job, Entry], Job]] = {
    "nodes": _without_settings_of,
    "devices": _without_wishes_of,
    "complaints": _without_answers_for,
    "switches": _without_cables_through,
    "outlets": _without_plugs,
    "zigbee_devices": _without_links("zigbee"),
    "thread_devices": _without_links("thread"),
}
