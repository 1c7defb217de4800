"""A call's rooms and kit written as notes, to be taken down again elsewhere: a kit seen before, the last visit."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

from even_static.core.errors import BadInput
from even_static.core.house.building import Building, Room, floor_text
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place
from even_static.core.house.typed import add_typed
from even_static.core.tables.boxes import NODE_KINDS
from even_static.core.tables.devices import KINDS
from even_static.core.tables.notes import NODE_WORDS
from even_static.core.tables.phy import GENERATION_ORDER

SAME_M = 0.02
SIDES = ("right of", "left of", "behind", "in front of", "above", "below")


def notes_of(job: Job) -> str:
    """Notes that make this call's rooms, nodes, Zigbee mesh and devices; without readings, settings or complaints.

    Rooms that typing cannot place as they are (an L, a gap) are named without a size.
    """
    names = {p.id: p.name for p in job.places}
    lines = [] if job.building is None else [f"built as {job.building.house_type}"]
    lines += _rooms(job)
    lines += [_node(job, n, names) for n in job.nodes]
    if job.zigbee is not None:
        fixed = ", fixed" if len(job.zigbee.selectable_channels) == 1 else ""
        hub = names[job.zigbee.hub_place_id]
        lines.append(f"hub, {hub}, channel {job.settings.zigbee_channel}{fixed}")
        for meshed in job.zigbee.devices:
            power = "on mains" if meshed.mains_powered else "battery"
            lines.append(f"zigbee {meshed.name}, {names[meshed.place_id]}, {power}")
    if job.devices:
        lines.append("devices:")
    for device in job.devices:
        kind = _kind(device.generation, device.bands, device.demand_down_mbps, device.demand_up_mbps)
        lines.append(f"{device.name}, {names[device.place_id]}{'' if device.unknown or kind is None else f', {kind}'}")
    if job.subscription is not None:
        lines.append(f"subscription {job.subscription.down_mbps:g}/{job.subscription.up_mbps:g}")
    return "\n".join(line for line in lines if line)


def _kind(generation: str, bands: tuple[str, ...], down: float, up: float) -> str | None:
    """The kind of a device that is still as its kind usually is."""
    wanted = (generation, bands, down, up)
    return next((k.name for k in KINDS if (k.generation, k.bands, k.down_mbps, k.up_mbps) == wanted), None)


def _node(job: Job, node: Node, names: dict[str, str]) -> str:
    bands = tuple(r.band for r in node.radios)
    newest = max((r.generation for r in node.radios), key=GENERATION_ORDER.index)
    fitting = [k for k in NODE_KINDS if k.bands == bands and k.repeater == (node.kind == "repeater")]
    kind = next((k.name for k in fitting if k.generation == newest), None)
    # A kind's name may hold commas, which part a note.
    told = "" if kind is None or node.kind == "repeater" else f", {kind.split(',')[0]} {newest}"
    fed = ""
    if node.uplink is not None and node.kind != "repeater":
        by_air = ", found by the mesh" if node.self_forming else ", over the air"
        fed = ", cable" if node.uplink.band is None else by_air
    name = node.name if _tells(node.name) else f"node {node.name}"
    return f"{name}, {names[node.place_id]}{told}{fed}"


def _tells(name: str) -> bool:
    return any(word in name.lower() for word in NODE_WORDS)


def _rooms(job: Job) -> list[str]:
    """Rooms of each floor as they are typed, then places that hang on none; a line that would not put a room where it
    is names it only."""
    found, floor = list[str](), 0
    typed: Building = Building() if job.building is None else replace(job.building, rooms=(), storeys=(), openings=())
    typed = replace(typed, storeys=Building().storeys, wall_changes=(), obstacles=(), outlets=())
    rooms = () if job.building is None else sorted(job.building.rooms, key=lambda r: (abs(r.storey), r.storey))
    written, made = set[str](), False
    for room in rooms:
        line, made_by = _typed(typed, room)
        if line is None or made_by is None:
            continue
        if room.storey != floor or not made:
            found.append(f"{floor_text(room.storey)}:" if abs(room.storey) <= 1 else f"storey {room.storey}")
            floor, made = room.storey, True
        typed = made_by
        found.append(line)
        written.add(room.name.lower())
    rest = [p for p in job.places if p.name.lower() not in written]
    for level in sorted({p.storey for p in rest}):
        if level != floor or not made:
            found.append(f"{floor_text(level)}:" if abs(level) <= 1 else f"storey {level}")
            floor, made = level, True
        found.append("rooms:")
        found += [_plain(p) for p in rest if p.storey == level]
    return found


def _plain(place: Place) -> str:
    return place.name.replace(",", " ").replace(";", " ")


def _typed(building: Building, room: Room) -> tuple[str | None, Building | None]:
    """(a line that types a room where it stands, the building with it); None where no line does."""
    xs, ys = zip(*room.outline, strict=True)
    size = f"{room.name} {max(xs) - min(xs):g} {max(ys) - min(ys):g}"
    ways = ["", *(f" {side} {r.name}" for r, side in product(reversed(building.rooms), SIDES))]
    for way in ways if len(room.outline) == 4 else []:
        line = f"{size}{way}"
        try:
            made, room_id = add_typed(building, line, storey=room.storey)
        except BadInput:
            continue
        new = next(r for r in made.rooms if r.id == room_id)
        if new.storey == room.storey and _same(new, room):
            return line, made
    return None, None


def _same(a: Room, b: Room) -> bool:
    """Whether two rooms are one rectangle."""
    boxes = []
    for room in (a, b):
        xs, ys = zip(*room.outline, strict=True)
        boxes.append((min(xs), max(xs), min(ys), max(ys)))
    return a.name == b.name and all(abs(p - q) <= SAME_M for p, q in zip(*boxes, strict=True))
