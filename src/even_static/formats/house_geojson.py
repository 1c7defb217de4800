"""A house as GeoJSON (RFC 7946) in local metres: x to the right, y to the back, as one looks at it from its front.

Coordinates are metres in the house, by prior arrangement (RFC 7946 section 4), never degrees. What a feature is stands
in its property ``feature``: room, wall, opening, obstacle, outlet, node or spot. The foreign member ``house`` holds
what has no place of its own: house type, units, storeys, party sides. Walls, nodes and spots are written for others to
see; read back, a wall counts only where ``changed`` is true, nodes and spots not at all. A polygon without ``feature``
is a room, named by its property ``name``, so that plans from elsewhere can be read.
"""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from typing import Any

from pydantic import TypeAdapter, ValidationError

from even_static.core.errors import BadInput
from even_static.core.house.basics import fresh_identifier, printable_name
from even_static.core.house.building import (
    MOST_ROOMS,
    Building,
    Obstacle,
    Opening,
    Outlet,
    Room,
    WallChange,
)
from even_static.core.house.job import Job
from even_static.core.house.typed import kind_of
from even_static.core.house.validate_building import validate_building
from even_static.core.house.walls import walls_of
from even_static.core.propagation.geometry import obstacle_sides
from even_static.core.propagation.loss import build_loss_db, obstacle_loss_db
from even_static.core.propagation.stands import stand_of
from even_static.core.tables.bands import BANDS
from even_static.formats.job_file import from_validation

MARK = "even-static-house"
_READ: dict[str, TypeAdapter[Any]] = {
    "room": TypeAdapter(Room),
    "wall": TypeAdapter(WallChange),
    "opening": TypeAdapter(Opening),
    "obstacle": TypeAdapter(Obstacle),
    "outlet": TypeAdapter(Outlet),
}
_BUILDING = TypeAdapter(Building)
_HOUSE_FIELDS = ("house_type", "units", "storeys", "party_walls", "underlays")
Feature = dict[str, Any]


def write_house(job: Job) -> str:
    """The job's house as GeoJSON text; BadInput where none has been entered."""
    building = job.building
    if building is None:
        raise BadInput("building", "must be entered before it can be written", "none", "rooms under House")
    head = {k: v for k, v in _BUILDING.dump_python(building, mode="json").items() if k in _HOUSE_FIELDS}
    features = [*_rooms(building), *_walls(building), *_things(building), *_standing(job)]
    whole = {
        "type": "FeatureCollection",
        "format": MARK,
        "coordinates_unit": "m",
        "house": head,
        "features": features,
    }
    return json.dumps(whole, indent=1, ensure_ascii=False) + "\n"


def read_house(text: str | bytes) -> Building:
    """A house from GeoJSON text; BadInput names the feature, the rule, what came and what is accepted."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadInput("GeoJSON", f"must be JSON in UTF-8: {error}", None, "a FeatureCollection") from None
    if not isinstance(data, dict) or data.get("type") != "FeatureCollection":
        came = data.get("type") if isinstance(data, dict) else type(data).__name__
        raise BadInput("type", "must be a FeatureCollection", came or "nothing", '"FeatureCollection"')
    features = data.get("features")
    if not isinstance(features, list):
        raise BadInput("features", "must be a list", type(features).__name__, "GeoJSON features")
    found: dict[str, list[Any]] = {k: [] for k in _READ}
    for i, feature in enumerate(features):
        where = f"features[{i}]"
        if not isinstance(feature, dict) or not isinstance(feature.get("properties") or {}, dict):
            raise BadInput(where, "must be a GeoJSON feature with properties", type(feature).__name__, "an object")
        properties = dict(feature.get("properties") or {})
        kind = properties.pop("feature", None)
        geometry = feature.get("geometry")
        shape = geometry if isinstance(geometry, dict) else {}
        if kind is None and shape.get("type") == "Polygon":
            kind, properties = "room", _foreign_room(properties, found["room"])
        if kind not in found or (kind == "wall" and not properties.get("changed")):
            continue
        if kind == "room" and len(found["room"]) >= MOST_ROOMS:
            raise BadInput("features", "must not hold more rooms than can be worked with", len(features), "300 at most")
        found[kind].append(_record(where, kind, properties, shape))
    house = data.get("house")
    head = {k: v for k, v in house.items() if k in _HOUSE_FIELDS} if isinstance(house, dict) else {}
    if "storeys" not in head and found["room"]:
        levels = [r.storey for r in found["room"]]
        head["storeys"] = [{"level": k} for k in range(min(*levels, 0), max(*levels, 0) + 1)]
    try:
        bare = _BUILDING.validate_json(json.dumps(head), strict=True)
    except ValidationError as error:
        failure = from_validation(error, head)
        raise BadInput(f"house.{failure.field}", failure.rule, failure.received, failure.accepted) from None
    building = Building(
        house_type=bare.house_type,
        units=bare.units,
        storeys=bare.storeys,
        party_walls=bare.party_walls,
        rooms=tuple(found["room"]),
        # A change that cuts a wall into pieces is written with each of them.
        wall_changes=tuple({(w.room_id, w.edge, w.to_room_id): w for w in found["wall"]}.values()),
        openings=tuple(found["opening"]),
        obstacles=tuple(found["obstacle"]),
        outlets=tuple(found["outlet"]),
        underlays=bare.underlays,
    )
    if not building.rooms:
        raise BadInput("features", "must hold a room", f"{len(features)} features", "polygons")
    validate_building(building)
    return building


def _rooms(building: Building) -> list[Feature]:
    return [
        _feature(
            "room",
            {"type": "Polygon", "coordinates": [[[x, y] for x, y in (*r.outline, r.outline[0])]]},
            {"id": r.id, "name": r.name, "storey": r.storey, "kind": r.kind},
        )
        for r in building.rooms
    ]


def _walls(building: Building) -> list[Feature]:
    found = []
    for wall in walls_of(building):
        build = asdict(wall.build) if wall.build is not None else None
        properties = {
            "room_id": wall.room_id,
            "edge": wall.edge,
            "to_room_id": wall.to_room_id,
            "build": build,
            "storey": wall.storey,
            "role": wall.role,
            "changed": wall.changed,
            "loss_db": {b: round(build_loss_db(wall.build, b), 2) if wall.build else 0.0 for b in BANDS},
        }
        line = [[round(x, 4), round(y, 4)] for x, y in (wall.start, wall.end)]
        found.append(_feature("wall", {"type": "LineString", "coordinates": line}, properties))
    return found


def _things(building: Building) -> list[Feature]:
    outlines = {r.id: r.outline for r in building.rooms}
    found = []
    for o in building.openings:
        outline = outlines[o.room_id]
        (ax, ay), (bx, by) = outline[o.edge], outline[(o.edge + 1) % len(outline)]
        length = math.dist((ax, ay), (bx, by)) or 1.0
        ends = [max(0.0, o.at_m - o.width_m / 2) / length, min(length, o.at_m + o.width_m / 2) / length]
        line = [[round(ax + (bx - ax) * s, 4), round(ay + (by - ay) * s, 4)] for s in ends]
        found.append(_feature("opening", {"type": "LineString", "coordinates": line}, asdict(o)))
    for obstacle in building.obstacles:
        sides = obstacle_sides(obstacle)
        ring = [[round(x, 4), round(y, 4)] for a, _, _ in sides for x, y in [a]]
        shape: Feature = {"type": "Polygon", "coordinates": [[*ring, ring[0]]]}
        if len(sides) == 1:
            shape = {"type": "LineString", "coordinates": [[round(v, 4) for v in p] for p in sides[0][:2]]}
        found.append(_feature("obstacle", shape, {**asdict(obstacle), "crossing_db": obstacle_loss_db(obstacle)}))
    found += [_feature("outlet", {"type": "Point", "coordinates": [o.x_m, o.y_m]}, asdict(o)) for o in building.outlets]
    return found


def _standing(job: Job) -> list[Feature]:
    found = []
    for node in job.nodes:
        stand = stand_of(job, node)
        if stand is not None:
            properties = {"id": node.id, "name": node.name, **asdict(stand)}
            found.append(_feature("node", {"type": "Point", "coordinates": [stand.x_m, stand.y_m]}, properties))
    for p in job.places:
        if p.x_m is not None and p.y_m is not None:
            properties = {"id": p.id, "name": p.name, "storey": p.storey, "height_m": p.height_m}
            found.append(_feature("spot", {"type": "Point", "coordinates": [p.x_m, p.y_m]}, properties))
    return found


def _feature(kind: str, geometry: Feature, properties: Feature) -> Feature:
    return {"type": "Feature", "geometry": geometry, "properties": {"feature": kind, **properties}}


def _foreign_room(properties: Feature, rooms: list[Room]) -> Feature:
    name = printable_name("properties.name", str(properties.get("name") or f"room {len(rooms) + 1}")[:80])
    storey = properties.get("storey", 0)
    kind = properties.get("kind") or kind_of(name)
    return {"id": fresh_identifier(name, [r.id for r in rooms]), "name": name, "storey": storey, "kind": kind}


def _record(where: str, kind: str, properties: Feature, shape: Feature) -> Any:
    if kind == "room":
        properties = {**properties, "outline": _outline(where, shape)}
    fields = set(_READ[kind].json_schema()["properties"])
    try:
        return _READ[kind].validate_json(
            json.dumps({k: v for k, v in properties.items() if (k in fields and v is not None) or k == "build"}),
            strict=True,
        )
    except ValidationError as error:
        failure = from_validation(error, properties)
        field = f"{where}.properties.{failure.field}"
        raise BadInput(field, failure.rule, failure.received, failure.accepted) from None


def _outline(where: str, shape: Feature) -> list[list[float]]:
    """A polygon's outer ring, counter-clockwise and open. Holes are refused: a room has none."""
    rings = shape.get("coordinates")
    if shape.get("type") != "Polygon" or not isinstance(rings, list) or len(rings) != 1:
        raise BadInput(f"{where}.geometry", "must be a Polygon without holes", shape.get("type"), "one ring")
    try:
        ring = [(round(float(p[0]), 4), round(float(p[1]), 4)) for p in rings[0]]
    except (TypeError, ValueError, IndexError):
        raise BadInput(
            f"{where}.geometry.coordinates", "must be pairs of numbers in m", None, "[[x, y], ...]"
        ) from None
    if len(ring) > 1 and ring[0] == ring[-1]:
        ring.pop()
    area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(ring, [*ring[1:], *ring[:1]], strict=True))
    return [list(p) for p in (ring if area >= 0 else ring[::-1])]
