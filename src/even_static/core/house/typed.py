"""Rooms by typing: ``kitchen 4.2 3.1`` beside the hall is quicker than drawing."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.basics import fresh_identifier, printable_name
from even_static.core.house.building import Building, Room, RoomKind, Side, Storey

METRES_PER_FOOT = 0.3048
SMALLEST_M, LARGEST_M = 0.3, 100.0
_NUMBER = r"\d+(?:[.,]\d+)?"
_LENGTH = rf"(?:{_NUMBER}\s*(?:'|ft)\s*(?:\d+(?:[.,]\d+)?\s*(?:\"|in)?)?|{_NUMBER}\s*(?:cm|m)?)"
_LINE = re.compile(
    rf"^\s*(?P<name>.*?\S)\s+(?P<width>{_LENGTH})\s*(?:x|×|\*|by|\s)\s*(?P<depth>{_LENGTH})"
    r"(?:\s+(?P<side>right of|left of|behind|in front of|before|above|below|beside)(?:\s+(?P<beside>.+?))?)?\s*$",
    re.IGNORECASE,
)
_SIDE: dict[str, Side] = {
    "right of": "right",
    "left of": "left",
    "behind": "behind",
    "in front of": "front",
    "before": "front",
}
USAGE = 'a name, a width and a depth, then if wanted "right of", "left of", "behind", "in front of", "above" or "below"'
USAGE += ' and a room: "kitchen 4.2 3.1 behind hall"'


@dataclass(frozen=True, slots=True, kw_only=True)
class TypedRoom:
    """A typed line, understood. ``side`` None takes the first side that is free; lengths in m."""

    name: str
    width_m: float
    depth_m: float
    side: Side | None = None
    beside: str | None = None
    storeys_up: int = 0


def length_m(text: str, units: str) -> float:
    """A typed length in m: ``4.2``, ``420 cm``, ``13' 9"``, ``13.75 ft``; bare numbers are in the building's units."""
    clean = text.strip().lower().replace(",", ".")
    feet = re.fullmatch(rf"({_NUMBER})\s*(?:'|ft)\s*(?:({_NUMBER})\s*(?:\"|in)?)?", clean)
    if feet:
        return (float(feet[1]) + float(feet[2] or 0) / 12) * METRES_PER_FOOT
    if clean.endswith("cm"):
        return float(clean[:-2]) / 100
    if clean.endswith("m"):
        return float(clean[:-1])
    return float(clean) * (METRES_PER_FOOT if units == "feet" else 1.0)


def read_line(line: str, units: str = "metric") -> TypedRoom:
    """A typed line; BadInput tells what one looks like."""
    found = _LINE.match(line)
    if found is None:
        raise BadInput("line", "must name a room and its size", line, USAGE)
    sizes = []
    for part in ("width", "depth"):
        size = round(length_m(found[part], units), 3)
        if not SMALLEST_M <= size <= LARGEST_M:
            raise BadInput(f"{part}_m", "must be a room's size", found[part], f"{SMALLEST_M} to {LARGEST_M:g} m")
        sizes.append(size)
    word = (found["side"] or "").lower()
    if len(found["name"]) > 80:
        raise BadInput("name", "must not be longer than 80 characters", len(found["name"]), "1 to 80")
    name, storeys_up = printable_name("name", found["name"]), {"above": 1, "below": -1}.get(word, 0)
    return TypedRoom(
        name=name,
        width_m=sizes[0],
        depth_m=sizes[1],
        side=_SIDE.get(word),
        beside=found["beside"],
        storeys_up=storeys_up,
    )


def add_typed(building: Building, line: str, *, storey: int = 0, beside_id: str | None = None) -> tuple[Building, str]:
    """The building with one more room, snapped to another, and the new room's identifier.

    The room goes beside the one that the line names, else ``beside_id``, else the last of the storey; on the side that
    the line says, else on the first side where it fits. "above" and "below" stand it over or under that room. The
    first room of a storey stands at the origin, or over the first room of the storey below. A name that begins with
    "garden" or "yard" makes a garden, "shed", "garage" or "outbuilding" an outbuilding.
    """
    typed = read_line(line, building.units)
    anchor = _anchor(building, typed, storey, beside_id)
    if anchor is not None and (typed.storeys_up or typed.beside is not None):
        storey = anchor.storey + typed.storeys_up
    same = [r for r in building.rooms if r.storey == storey]
    room_id = fresh_identifier(typed.name, [r.id for r in building.rooms])
    kind = kind_of(typed.name)
    if anchor is None or anchor.storey != storey:
        x, y = _corner(anchor) if anchor is not None else (0.0, 0.0)
        options = [_rectangle(x, y, typed.width_m, typed.depth_m)]
        blocked = "must leave room for it: the spot over that room is taken"
    else:
        sides: tuple[Side, ...] = (typed.side,) if typed.side else ("right", "behind", "left", "front")
        options = [o for s in sides for o in _beside(anchor, s, typed.width_m, typed.depth_m)]
        blocked = f'must leave room for it beside "{anchor.name}"'
    for outline in options:
        room = Room(id=room_id, name=typed.name, storey=storey, outline=outline, kind=kind)
        if not any(overlap_m2(room, other) > 0.02 for other in same):
            storeys = building.storeys
            for level in range(min(storey, storeys[0].level), max(storey, storeys[-1].level) + 1):
                if all(s.level != level for s in storeys):
                    storeys = tuple(sorted((*storeys, Storey(level)), key=lambda s: s.level))
            return replace(building, rooms=(*building.rooms, room), storeys=storeys), room_id
    raise BadInput("line", blocked, line, "another side or size, or another room to stand beside")


def kind_of(name: str) -> RoomKind:
    """Whether a name means a garden, an outbuilding or a room."""
    first = name.lower()
    if first.startswith(("garden", "yard", "terrace", "lawn", "drive")):
        return "garden"
    if first.startswith(("shed", "garage", "outbuilding", "barn", "greenhouse")):
        return "outbuilding"
    return "room"


def _anchor(building: Building, typed: TypedRoom, storey: int, beside_id: str | None) -> Room | None:
    if typed.beside is not None:
        wanted = typed.beside.strip().lower()
        same = [r for r in building.rooms if wanted in (r.name.lower(), r.id.lower())]
        same.sort(key=lambda r: r.storey != storey)
        if not same:
            known = ", ".join(r.name for r in building.rooms if r.storey == storey)
            raise BadInput("beside", "must name a room", typed.beside, known or "none on this floor yet")
        return same[0]
    given = next((r for r in building.rooms if r.id == beside_id), None)
    if given is not None and (given.storey == storey or typed.storeys_up):
        return given
    here = [r for r in building.rooms if r.storey == storey]
    if here:
        return here[-1]
    under = [r for r in building.rooms if r.storey == storey - 1 and r.kind == "room"]
    over = [r for r in building.rooms if r.storey == storey + 1 and r.kind == "room"]
    return next(iter(under or over), None)


def _corner(room: Room) -> tuple[float, float]:
    return min(x for x, _ in room.outline), min(y for _, y in room.outline)


def _beside(anchor: Room, side: Side, width: float, depth: float) -> list[tuple[tuple[float, float], ...]]:
    """Rectangles on a side of a room: flush with its beginning, then with its end."""
    xs, ys = [x for x, _ in anchor.outline], [y for _, y in anchor.outline]
    x0, x1, y0, y1 = min(xs), max(xs), min(ys), max(ys)
    if side in ("right", "left"):
        x = x1 if side == "right" else x0 - width
        return [_rectangle(x, y, width, depth) for y in (y0, y1 - depth)]
    y = y1 if side == "behind" else y0 - depth
    return [_rectangle(x, y, width, depth) for x in (x0, x1 - width)]


def _rectangle(x: float, y: float, width: float, depth: float) -> tuple[tuple[float, float], ...]:
    x0, y0, x1, y1 = (round(v, 3) for v in (x, y, x + width, y + depth))
    return (x0, y0), (x1, y0), (x1, y1), (x0, y1)


def overlap_m2(a: Room, b: Room) -> float:
    """The area that two rooms of a storey share, in square metres."""
    from shapely import Polygon

    ax, ay = zip(*a.outline, strict=True)
    bx, by = zip(*b.outline, strict=True)
    if min(ax) >= max(bx) or min(bx) >= max(ax) or min(ay) >= max(by) or min(by) >= max(ay):
        return 0.0
    return float(Polygon(a.outline).intersection(Polygon(b.outline)).area)
