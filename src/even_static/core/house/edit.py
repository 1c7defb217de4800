"""Changing a house by hand: rooms that are dragged and snapped, openings put in walls, obstacles put down."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import TypeVar

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.basics import Timestamp, fresh_identifier
from even_static.core.house.building import Building, NodeStand, Obstacle, Opening, Outlet, Room, Stand
from even_static.core.house.job import Job
from even_static.core.house.readings import Scan, Trace
from even_static.core.house.rooms_as_places import without_lost_rooms
from even_static.core.house.settings import Settings
from even_static.core.house.typed import LARGEST_M, SMALLEST_M
from even_static.core.house.walls import Wall, walls_of
from even_static.core.house.wiring import Wiring
from even_static.core.tables.materials import OBSTACLES, OPENING_WIDTH_M, ObstacleKind, OpeningKind

# A dragged edge within this of another room's edge lies on it, in m.
SNAP_M = 0.3
# A click within this of a wall means the wall, in m.
NEAR_WALL_M = 0.6

Point = tuple[float, float]
Then = TypeVar("Then", Scan, Trace)


def move_room(job: Job, room_id: str, dx_m: float, dy_m: float) -> Job:
    """The job with a room moved and snapped to its neighbours' edges (also those of the storeys above and below).

    Obstacles, outlets, spots and nodes that stand in it go with it. NotFound for an unknown room; rooms that would
    overlap are refused by the building's rules.
    """
    building = _building(job)
    room = _room(building, room_id)
    near = [r for r in building.rooms if r.id != room_id and abs(r.storey - room.storey) <= 1]
    dx = dx_m + _snap([x + dx_m for x, _ in room.outline], [x for r in near for x, _ in r.outline])
    dy = dy_m + _snap([y + dy_m for _, y in room.outline], [y for r in near for _, y in r.outline])
    dx, dy = round(dx, 3), round(dy, 3)
    moved = replace(room, outline=tuple((round(x + dx, 3), round(y + dy, 3)) for x, y in room.outline))

    def taken_along(storey: int, x: float | None, y: float | None) -> bool:
        return x is not None and y is not None and storey == room.storey and _inside(room, x, y)

    def put(thing: Obstacle | Outlet | Stand) -> bool:
        return taken_along(thing.storey, thing.x_m, thing.y_m)

    building = replace(
        building,
        rooms=tuple(moved if r.id == room_id else r for r in building.rooms),
        obstacles=tuple(
            replace(o, x_m=round(o.x_m + dx, 3), y_m=round(o.y_m + dy, 3)) if put(o) else o for o in building.obstacles
        ),
        outlets=tuple(
            replace(o, x_m=round(o.x_m + dx, 3), y_m=round(o.y_m + dy, 3)) if put(o) else o for o in building.outlets
        ),
    )
    places = tuple(
        replace(p, x_m=round(p.x_m + dx, 3), y_m=round(p.y_m + dy, 3))
        if p.x_m is not None and p.y_m is not None and taken_along(p.storey, p.x_m, p.y_m)
        else p
        for p in job.places
    )
    nodes = tuple(
        replace(n, stand=replace(n.stand, x_m=round(n.stand.x_m + dx, 3), y_m=round(n.stand.y_m + dy, 3)))
        if n.stand is not None and put(n.stand)
        else n
        for n in job.nodes
    )
    return replace(job, building=building, places=places, nodes=nodes)


def resize_room(building: Building, room_id: str, width_m: float, depth_m: float) -> Building:
    """The building with a rectangular room of another size, its front left corner kept. BadInput for other shapes."""
    room = _room(building, room_id)
    xs, ys = sorted({x for x, _ in room.outline}), sorted({y for _, y in room.outline})
    if len(room.outline) != 4 or len(xs) != 2 or len(ys) != 2:
        raise BadInput("room_id", "must be a rectangle to be given another size", room.name, "a room of four corners")
    for field, size in (("width_m", width_m), ("depth_m", depth_m)):
        if not SMALLEST_M <= size <= LARGEST_M:
            raise BadInput(field, "must be a room's size", size, f"{SMALLEST_M} to {LARGEST_M:g} m")
    x1, y1 = round(xs[0] + width_m, 3), round(ys[0] + depth_m, 3)
    outline = tuple((xs[0] if x == xs[0] else x1, ys[0] if y == ys[0] else y1) for x, y in room.outline)
    # An opening farther along than its wall is long now stays at the wall's end.
    openings = tuple(
        replace(o, at_m=min(o.at_m, _edge_length(outline, o.edge))) if o.room_id == room_id else o
        for o in building.openings
    )
    rooms = tuple(replace(r, outline=outline) if r.id == room_id else r for r in building.rooms)
    return replace(building, rooms=rooms, openings=openings)


def put_opening(building: Building, kind: OpeningKind, storey: int, x_m: float, y_m: float) -> tuple[Building, str]:
    """The building with a door, window or passage in the wall nearest to a point, and its identifier.

    BadInput where no wall is near.
    """
    wall, along, far = _nearest_wall(building, storey, x_m, y_m)
    if wall is None or far > NEAR_WALL_M:
        raise BadInput(
            "opening",
            "must be in a wall",
            f"{far:.1f} m from the nearest one" if wall else "no wall",
            "click on a wall",
        )
    found = fresh_identifier(kind, [o.id for o in building.openings])
    width = min(OPENING_WIDTH_M[kind], wall.length_m)
    at = min(max(along, width / 2), wall.length_m - width / 2) + wall.from_m
    opening = Opening(
        id=found, kind=kind, room_id=wall.room_id, edge=wall.edge, at_m=round(at, 3), width_m=round(width, 3)
    )
    return replace(building, openings=(*building.openings, opening)), found


def put_obstacle(building: Building, kind: ObstacleKind, storey: int, x_m: float, y_m: float) -> tuple[Building, str]:
    """The building with an obstacle of its kind's usual size, along the nearest wall if one is near."""
    _, width, depth, height = OBSTACLES[kind]
    wall, _, far = _nearest_wall(building, storey, x_m, y_m)
    heading = 0.0
    if wall is not None and far <= NEAR_WALL_M + depth:
        (ax, ay), (bx, by) = wall.start, wall.end
        heading = round(-math.degrees(math.atan2(by - ay, bx - ax)) % 180, 1)
    found = fresh_identifier(kind, [o.id for o in building.obstacles])
    obstacle = Obstacle(
        id=found,
        kind=kind,
        storey=storey,
        x_m=x_m,
        y_m=y_m,
        width_m=width,
        depth_m=depth,
        height_m=min(height, building.height_m(storey)),
        heading_deg=heading,
    )
    return replace(building, obstacles=(*building.obstacles, obstacle)), found


def without_room(building: Building, room_id: str) -> Building:
    """The building without a room and what hangs on its walls."""
    _room(building, room_id)
    return replace(
        building,
        rooms=tuple(r for r in building.rooms if r.id != room_id),
        wall_changes=tuple(w for w in building.wall_changes if room_id not in (w.room_id, w.to_room_id)),
        openings=tuple(o for o in building.openings if o.room_id != room_id),
    )


def _building(job: Job) -> Building:
    if job.building is None:
        raise BadInput("building", "must be entered first", "none", "a typed room")
    return job.building


def _room(building: Building, room_id: str) -> Room:
    for room in building.rooms:
        if room.id == room_id:
            return room
    raise NotFound("room_id", "must name a room", room_id, ", ".join(r.name for r in building.rooms[:12]))


def _inside(room: Room, x: float, y: float) -> bool:
    import shapely

    return bool(shapely.Polygon(room.outline).covers(shapely.Point(x, y)))


def _snap(moved: Iterable[float], lines: list[float]) -> float:
    """The smallest shift that lays one of some coordinates on a line; 0 where none is near."""
    shifts = [line - at for at in moved for line in lines]
    best = min(shifts, key=abs, default=math.inf)
    return best if abs(best) <= SNAP_M else 0.0


def _nearest_wall(building: Building, storey: int, x: float, y: float) -> tuple[Wall | None, float, float]:
    """(wall, m along it, m away from it)."""
    best: tuple[Wall | None, float, float] = (None, 0.0, math.inf)
    for wall in walls_of(building):
        if wall.storey != storey or wall.length_m == 0:
            continue
        (ax, ay), (bx, by) = wall.start, wall.end
        share = ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / wall.length_m**2
        share = min(max(share, 0.0), 1.0)
        far = math.hypot(x - ax - share * (bx - ax), y - ay - share * (by - ay))
        if far < best[2]:
            best = (wall, share * wall.length_m, far)
    return best


def _edge_length(outline: tuple[Point, ...], edge: int) -> float:
    return round(math.dist(outline[edge], outline[(edge + 1) % len(outline)]), 3)


def with_past_following(job: Job) -> Job:
    """The job whose earlier settings (of scans, traces) hold the kit as it is now: a radio that came later is as
    set now, what has gone is left out. So kit can be added and removed after somebody has listened. Cables go with the
    boxes that they ended at."""
    job = without_lost_rooms(job)
    radios = {r.id for r in job.radios}
    closable = {r.id for r in job.radios if r.can_be_backhaul_only}
    devices = {d.id for d in job.devices}
    nodes = {n.id for n in job.nodes if n.uplink is not None and n.uplink.band is not None}

    def follow(then: Settings | None) -> Settings | None:
        if then is None:
            return None
        known = {s.radio_id for s in then.radios}
        kept = tuple(s for s in then.radios if s.radio_id in radios)
        new = tuple(s for s in job.settings.radios if s.radio_id not in known)
        names = replace(
            then.ssid_plan,
            bands=tuple(b for b in then.ssid_plan.bands if b.device_id in devices),
            device_network=tuple(d for d in then.ssid_plan.device_network if d in devices),
            backhaul_only=tuple(r for r in then.ssid_plan.backhaul_only if r in closable),
        )
        channel = then.zigbee_channel if job.zigbee is not None else None
        found = replace(
            then,
            radios=(*kept, *new),
            ssid_plan=names,
            link_bands=tuple(e for e in then.link_bands if e.node_id in nodes),
            zigbee_channel=job.settings.zigbee_channel if channel is None else channel,
        )
        return then if found == then else found

    stood = {n.id for n in job.nodes}

    def stands(then: tuple[NodeStand, ...] | None) -> tuple[NodeStand, ...] | None:
        return None if then is None else tuple(s for s in then if s.node_id in stood)

    scans = (_following(li, follow(li.settings), stands(li.stands)) for li in job.scans)
    traces = (_following(t, follow(t.settings), stands(t.stands)) for t in job.traces)
    wiring = _wiring_left(job)
    ends = {n.id for n in job.nodes} | {b.id for b in (wiring.line_equipment if wiring else ())}
    works = tuple(w for w in job.works if w.to_node_id in ends and w.from_id in ends)
    ab_tests = tuple(
        replace(
            t,
            a=replace(t.a, settings=follow(t.a.settings)),
            b=replace(t.b, settings=follow(t.b.settings)),
        )
        for t in job.ab_tests
    )
    return replace(job, scans=tuple(scans), traces=tuple(traces), wiring=wiring, works=works, ab_tests=ab_tests)


def _following(then: Then, settings: Settings | None, stands: tuple[NodeStand, ...] | None) -> Then:
    """A scan or a trace with other settings and stands; itself where they are the same, so that what did not
    change is known by being the same."""
    if settings is then.settings and stands == then.stands:
        return then
    return replace(then, settings=settings, stands=stands)


def _wiring_left(job: Job) -> Wiring | None:
    """The wiring without the cables and facts of boxes that are gone."""
    wiring = job.wiring
    if wiring is None:
        return None
    left = {n.id for n in job.nodes} | {s.id for s in job.switches} | {b.id for b in wiring.line_equipment}
    places = {p.id for p in job.places}
    return replace(
        wiring,
        line_equipment=tuple(b if b.place_id in places else replace(b, place_id=None) for b in wiring.line_equipment),
        cables=tuple(c for c in wiring.cables if c.a_id in left and c.b_id in left),
        facts=tuple(f for f in wiring.facts if f.equipment_id in left),
    )


def next_visit(job: Job, opened_at: Timestamp) -> Job:
    """The job as the start of the next visit: the house, its kit, settings and readings; not complaints,
    answered, kept, or being worked through, and no changes, which belong to the visit before."""
    title = f"{job.title}, next visit"[:80]
    return replace(
        job,
        title=title,
        complaint="",
        opened_at=opened_at,
        complaints=(),
        answers=(),
        plans=(),
        sheet=None,
        changes=(),
        ab_tests=(),
        follow_ups=(),
        works=tuple(w for w in job.works if not w.done),
    )
