"""Rooms as areas: which one a point lies in, where its middle is, how large it is."""

from __future__ import annotations

from even_static.core.house.building import Building, Room


def room_at(building: Building, storey: int, x_m: float, y_m: float, slack_m: float = 0.0) -> Room | None:
    """The room, outbuilding or garden of a storey that a point lies in (or within a slack of), rooms first."""
    import shapely

    point = shapely.Point(x_m, y_m)
    found = [r for r in building.rooms if r.storey == storey and _near(r, x_m, y_m, slack_m)]
    inside = [r for r in found if shapely.Polygon(r.outline).distance(point) <= slack_m]
    inside.sort(key=lambda r: (shapely.Polygon(r.outline).distance(point), r.kind == "garden"))
    return inside[0] if inside else None


def middle(room: Room) -> tuple[float, float]:
    """A point well inside a room, in m: the middle of a rectangle, of an L the middle of its widest part."""
    import shapely

    outline = shapely.Polygon(room.outline)
    at = outline.centroid if outline.contains(outline.centroid) else outline.representative_point()
    return round(float(at.x), 2), round(float(at.y), 2)


def outline_area_m2(room: Room) -> float:
    """A room's area in square metres."""
    import shapely

    return float(shapely.Polygon(room.outline).area)


def _near(room: Room, x: float, y: float, slack: float) -> bool:
    xs, ys = zip(*room.outline, strict=True)
    return bool(min(xs) - slack <= x <= max(xs) + slack and min(ys) - slack <= y <= max(ys) + slack)
