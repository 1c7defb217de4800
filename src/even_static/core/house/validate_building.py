"""Rules of a building that span several fields."""

from __future__ import annotations

import math

from even_static.core.errors import BadInput
from even_static.core.house.basics import unique
from even_static.core.house.building import Building
from even_static.core.house.rooms import room_at
from even_static.core.house.typed import overlap_m2

# Rooms may share this much by careless measuring, in square metres.
SHARED_M2 = 0.05
# A node may stand this far outside its rooms: on the outer side of a wall.
OUTSIDE_M = 0.6


def validate_building(building: Building) -> None:
    """Raise BadInput for the first rule of the building that does not hold."""
    levels = [s.level for s in building.storeys]
    if levels != list(range(levels[0], levels[0] + len(levels))):
        raise BadInput(
            "building.storeys",
            "must count upwards without leaving one out",
            levels,
            "such as -1, 0, 1 with 0 the ground",
        )
    rooms = unique("building.rooms", (r.id for r in building.rooms))
    unique("building.openings", (o.id for o in building.openings))
    unique("building.obstacles", (o.id for o in building.obstacles))
    unique("building.outlets", (o.id for o in building.outlets))
    _rooms(building, levels)
    _walls(building, rooms)
    for i, obstacle in enumerate(building.obstacles):
        _storey(f"building.obstacles[{i}].storey", obstacle.storey, levels)
    unique("building.underlays", (str(u.storey) for u in building.underlays))
    for i, underlay in enumerate(building.underlays):
        _storey(f"building.underlays[{i}].storey", underlay.storey, levels)
    for i, outlet in enumerate(building.outlets):
        _storey(f"building.outlets[{i}].storey", outlet.storey, levels)


def _rooms(building: Building, levels: list[int]) -> None:
    import shapely

    for i, room in enumerate(building.rooms):
        here = f"building.rooms[{i}]"
        _storey(f"{here}.storey", room.storey, levels)
        shape = shapely.Polygon(room.outline)
        if not shape.is_valid or shape.area < 0.05:
            raise BadInput(
                f"{here}.outline",
                f'must be a simple outline with an area (room "{room.name}")',
                f"{shape.area:.2f} square metres" if shape.is_valid else "one that crosses itself",
                "corners in order, none on another",
            )
        if not shape.exterior.is_ccw:
            raise BadInput(
                f"{here}.outline", f'must run counter-clockwise (room "{room.name}")', "clockwise", "the other order"
            )
        for other in building.rooms[:i]:
            if other.storey == room.storey and {room.kind, other.kind} != {"garden", "outbuilding"}:
                shared = overlap_m2(room, other)
                if shared > SHARED_M2:
                    raise BadInput(
                        f"{here}.outline",
                        f'must not overlap another room ("{room.name}" and "{other.name}")',
                        f"{shared:.2f} square metres in common",
                        "rooms that touch at most",
                    )


def _walls(building: Building, rooms: set[str]) -> None:
    """Changed walls and openings lie on walls that are there."""
    outlines = {r.id: r.outline for r in building.rooms}
    for i, change in enumerate(building.wall_changes):
        here = f"building.wall_changes[{i}]"
        _room(f"{here}.room_id", change.room_id, rooms)
        _edge(f"{here}.edge", change.edge, len(outlines[change.room_id]))
        if change.to_room_id is not None:
            _room(f"{here}.to_room_id", change.to_room_id, rooms - {change.room_id})
    for i, opening in enumerate(building.openings):
        here = f"building.openings[{i}]"
        _room(f"{here}.room_id", opening.room_id, rooms)
        outline = outlines[opening.room_id]
        _edge(f"{here}.edge", opening.edge, len(outline))
        length = math.dist(outline[opening.edge], outline[(opening.edge + 1) % len(outline)])
        if opening.at_m > length:
            raise BadInput(f"{here}.at_m", "must lie on the wall", opening.at_m, f"0 to {length:.2f} m")


def validate_in_building(building: Building, field: str, who: str, storey: int, x_m: float, y_m: float) -> None:
    """Raise BadInput unless a point lies in a room or garden of its storey, or just outside its wall."""
    if building.rooms and room_at(building, storey, x_m, y_m, OUTSIDE_M) is None:
        raise BadInput(
            field,
            f"must be in the house or garden ({who})",
            f"x {x_m:g}, y {y_m:g} m on floor {storey}",
            "a point in a room, outbuilding or garden of that floor; enter the room first",
        )


def _storey(field: str, level: int, levels: list[int]) -> None:
    if level not in levels:
        raise BadInput(field, "must be a floor of the house", level, ", ".join(map(str, levels)))


def _room(field: str, room_id: str, rooms: set[str]) -> None:
    if room_id not in rooms:
        raise BadInput(field, "must name a room", room_id, ", ".join(sorted(rooms)[:12]) or "(none yet)")


def _edge(field: str, edge: int, corners: int) -> None:
    if edge >= corners:
        raise BadInput(field, "must be an edge of the room", edge, f"0 to {corners - 1}")
