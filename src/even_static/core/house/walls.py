"""Walls as they follow from the rooms: inner where two rooms touch, party or outer where one ends."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from even_static.core.house.building import SIDES, Build, Building, Opening, Room, WallChange
from even_static.core.tables.materials import Role

TOUCH_M = 0.08
Point = tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wall:
    """A straight piece of wall between two rooms, or between a room and outside (``to_room_id`` None).

    ``build`` is None where a wall was taken away. ``from_m`` is how far along the room's edge it starts.
    """

    storey: int
    start: Point
    end: Point
    room_id: str
    edge: int
    to_room_id: str | None
    role: Role
    build: Build | None
    changed: bool
    from_m: float
    openings: tuple[Opening, ...] = ()

    @property
    def length_m(self) -> float:
        """Length in m."""
        return math.dist(self.start, self.end)

    def at(self, along_m: float) -> Point:
        """The point so many metres from its start."""
        share = along_m / self.length_m if self.length_m else 0.0
        (x1, y1), (x2, y2) = self.start, self.end
        return x1 + (x2 - x1) * share, y1 + (y2 - y1) * share


def edges(room: Room) -> Iterator[tuple[int, Point, Point]]:
    """The edges of a room's outline with their numbers."""
    for i, start in enumerate(room.outline):
        yield i, start, room.outline[(i + 1) % len(room.outline)]


@lru_cache(maxsize=32)
def walls_of(building: Building) -> tuple[Wall, ...]:
    """All walls of a building; each wall between two rooms once, with the room that is listed first."""
    changes = {(c.room_id, c.edge, c.to_room_id): c for c in building.wall_changes}
    openings: dict[tuple[str, int], list[Opening]] = {}
    for opening in building.openings:
        openings.setdefault((opening.room_id, opening.edge), []).append(opening)
    found: list[Wall] = []
    for storey in building.storeys:
        rooms = [r for r in building.rooms if r.storey == storey.level and r.kind != "garden"]
        for n, room in enumerate(rooms):
            for edge, start, end in edges(room):
                found += _edge_walls(building, rooms, n, edge, start, end, changes, openings)
    return tuple(found)


def _edge_walls(
    building: Building,
    rooms: list[Room],
    n: int,
    edge: int,
    start: Point,
    end: Point,
    changes: dict[tuple[str, int, str | None], WallChange],
    openings: dict[tuple[str, int], list[Opening]],
) -> Iterator[Wall]:
    room = rooms[n]
    length = math.dist(start, end)
    if length < TOUCH_M:
        return
    covered: list[tuple[float, float]] = []
    shared: list[tuple[float, float, Room, int, bool]] = []
    for k, other in enumerate(rooms):
        if k == n:
            continue
        for other_edge, a, b in edges(other):
            span = _overlap(start, end, a, b)
            if span is not None:
                covered.append(span)
                shared.append((*span, other, other_edge, k < n))
    for low, high, other, other_edge, told in shared:
        if told:
            continue
        change = changes.get((room.id, edge, other.id)) or changes.get((other.id, other_edge, room.id))
        role: Role = "inner" if room.kind == other.kind == "room" else "outer"
        mine = [(o, o.at_m) for o in openings.get((room.id, edge), ())]
        theirs = [
            (o, _along(start, end, _point(other.outline, other_edge, o.at_m)))
            for o in openings.get((other.id, other_edge), ())
        ]
        yield _wall(building, room, edge, start, end, low, high, other.id, role, change, [*mine, *theirs])
    for low, high in _gaps(covered, length):
        if high - low < TOUCH_M:
            continue
        change = changes.get((room.id, edge, None))
        role = _outer_role(building, room, start, end)
        mine = [(o, o.at_m) for o in openings.get((room.id, edge), ())]
        yield _wall(building, room, edge, start, end, low, high, None, role, change, mine)


def _wall(
    building: Building,
    room: Room,
    edge: int,
    start: Point,
    end: Point,
    low: float,
    high: float,
    to_room_id: str | None,
    role: Role,
    change: WallChange | None,
    openings: list[tuple[Opening, float]],
) -> Wall:
    length = math.dist(start, end)
    ux, uy = (end[0] - start[0]) / length, (end[1] - start[1]) / length
    build = building.default(role) if change is None else change.build
    return Wall(
        storey=room.storey,
        start=(start[0] + ux * low, start[1] + uy * low),
        end=(start[0] + ux * high, start[1] + uy * high),
        room_id=room.id,
        edge=edge,
        to_room_id=to_room_id,
        role=role,
        build=build,
        changed=change is not None,
        from_m=low,
        openings=tuple(_placed(o, at - low) for o, at in openings if low <= at <= high),
    )


def _placed(opening: Opening, at_m: float) -> Opening:
    return Opening(
        id=opening.id,
        kind=opening.kind,
        room_id=opening.room_id,
        edge=opening.edge,
        at_m=max(0.0, at_m),
        width_m=opening.width_m,
    )


def _outer_role(building: Building, room: Room, start: Point, end: Point) -> Role:
    if room.kind == "outbuilding":
        return "shed"
    return "party" if outward(start, end) in building.party_walls else "outer"


def outward(start: Point, end: Point) -> str | None:
    """The side that an edge of a counter-clockwise outline faces, where it faces one squarely (within 20 degrees)."""
    dx, dy = end[0] - start[0], end[1] - start[1]
    turn = math.degrees(math.atan2(dy, dx)) % 360
    nearest = round(turn / 90) % 4
    off = abs((turn - nearest * 90 + 180) % 360 - 180)
    return SIDES[nearest] if off <= 20 else None


def _overlap(start: Point, end: Point, a: Point, b: Point) -> tuple[float, float] | None:
    """Which stretch of an edge (m from its start) another room's edge runs along, on the other side; None: nowhere."""
    length = math.dist(start, end)
    ux, uy = (end[0] - start[0]) / length, (end[1] - start[1]) / length
    off_a = (a[0] - start[0]) * uy - (a[1] - start[1]) * ux
    off_b = (b[0] - start[0]) * uy - (b[1] - start[1]) * ux
    if abs(off_a) > TOUCH_M or abs(off_b) > TOUCH_M:
        return None
    along_a = (a[0] - start[0]) * ux + (a[1] - start[1]) * uy
    along_b = (b[0] - start[0]) * ux + (b[1] - start[1]) * uy
    if along_b >= along_a:
        return None  # a neighbour's edge runs the other way
    low, high = max(0.0, along_b), min(length, along_a)
    return (low, high) if high - low > TOUCH_M else None


def _gaps(covered: list[tuple[float, float]], length: float) -> Iterator[tuple[float, float]]:
    at = 0.0
    for low, high in sorted(covered):
        if low > at:
            yield at, low
        at = max(at, high)
    if at < length:
        yield at, length


def _along(start: Point, end: Point, point: Point) -> float:
    length = math.dist(start, end)
    return ((point[0] - start[0]) * (end[0] - start[0]) + (point[1] - start[1]) * (end[1] - start[1])) / length


def _point(outline: tuple[Point, ...], edge: int, at_m: float) -> Point:
    a, b = outline[edge], outline[(edge + 1) % len(outline)]
    length = math.dist(a, b) or 1.0
    return a[0] + (b[0] - a[0]) * at_m / length, a[1] + (b[1] - a[1]) * at_m / length
