"""What a plan needs beyond settings: cables and new places for boxes, as a list of materials and of work.

A cable's way follows walls and floors: along one axis of the house, then along the other, and up or down between
storeys. What it goes through is taken from the house as built; of the two ways the easier one to drill counts.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from even_static.core.house.building import Building, Stand
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.house.walls import walls_of
from even_static.core.house.works import CableRun, Route
from even_static.core.propagation.geometry import describe
from even_static.core.propagation.stands import Point3, place_point, stand_of, stand_point
from even_static.core.tables.cabling import (
    BOX_MIN,
    END_LOOP_M,
    END_MIN,
    HOLE_MIN,
    LEAST_RUNS,
    MOST_CHANNEL_M,
    MOST_LINK_M,
    PULL_MIN_PER_M,
    SLACK_FRACTION,
    SOLD_BY_M,
)
from even_static.core.tables.cautions import Caution, CautionKind, cautions_for
from even_static.core.tables.placing import SOCKET_M

MOVED_M = 0.3
Hole = tuple[str, str]  # material, in words


@dataclass(frozen=True, slots=True, kw_only=True)
class RunView:
    """A cable run: its way, what one cable measures with slack, all runs together, what it goes through and how."""

    id: str
    title: str
    length_m: float | None
    each_m: int | None
    total_m: int | None
    runs: int
    outdoors: bool
    holes: tuple[str, ...]
    reasons: tuple[str, ...]
    minutes: int | None
    done: bool


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a list: how many or how much, of what, for what."""

    count: str
    what: str
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Materials:
    """Everything to buy and to do, with its cautions; ``text`` sums it up."""

    runs: tuple[RunView, ...]
    materials: tuple[Line, ...]
    work: tuple[str, ...]
    cautions: tuple[Caution, ...]
    minutes: int
    text: str


def materials(job: Job, moved: Mapping[str, Stand] | None = None) -> Materials:
    """Materials and work for the job's cable runs that are not done, and for nodes that move to other stands."""
    views = tuple(_run(job, run) for run in job.works)
    left = [(run, view) for run, view in zip(job.works, views, strict=True) if not run.done]
    stands = {n: s for n, s in (moved or {}).items() if _moves(job, n, s)}
    kinds: set[CautionKind] = set()
    work: list[str] = []
    lines = _cable_lines(job, left)
    for run, view in left:
        kinds |= {"drilling", "mains"}
        kinds |= {"attics"} if run.route == "through the attic" else set()
        kinds |= {"ladders"} if run.route != "through the rooms" else set()
        kinds |= {"outdoors", "ladders"} if view.outdoors else set()
        work.append(
            f"{view.title}: pull {run.runs} {'cable' if run.runs == 1 else 'cables'} {run.route}"
            + (f", {view.each_m} m each" if view.each_m else ", measure the route first")
            + (f"; through {', '.join(view.holes)}" if view.holes else "")
        )
    if left:
        work += [
            "Leave a loop at each end; bend no tighter than four times the cable's width, and do not staple through it",
            "Terminate both ends to one scheme (T568A or T568B, the same at both), and write the same label on both",
            "Test each run: all eight wires in order, and a link at the rate that both ends offer",
            "Close the holes; outside, slope them down to the outside and seal them",
        ]
    extra = 0.0
    for node_id, stand in stands.items():
        node = next(n for n in job.nodes if n.id == node_id)
        lines += _place_lines(job, node, stand)
        work += _place_work(job, node, stand)
        extra += BOX_MIN
        kinds |= {"mains"}
        kinds |= {"ladders", "drilling"} if stand.mounting in ("ceiling", "wall") else set()
    minutes = round(sum(v.minutes or 0 for _, v in left) + extra)
    text = "no cable and no new place is needed"
    if left or stands:
        parts = []
        if left:
            total = sum(v.total_m or 0 for _, v in left)
            open_ones = sum(v.total_m is None for _, v in left)
            parts.append(f"{len(left)} {'cable' if len(left) == 1 else 'cables'} to pull, {total} m in all")
            if open_ones:
                parts.append(f"{open_ones} still to be measured")
        if stands:
            parts.append(f"{len(stands)} {'node' if len(stands) == 1 else 'nodes'} to mount in a new place")
        text = "; ".join(parts) + f"; about {minutes} min of work (common practice)"
    return Materials(
        runs=views, materials=tuple(lines), work=tuple(work), cautions=cautions_for(*kinds), minutes=minutes, text=text
    )


# -- cables ----------------------------------------------------------------------------------------------------------


def _end(job: Job, equipment_id: str) -> tuple[str, Point3 | None, bool, str | None]:
    """(name, point, whether out in the open, the kind of the room that it is in) of a box that a cable ends at."""
    node = next((n for n in job.nodes if n.id == equipment_id), None)
    place_id = None if node is None else node.place_id
    name = node.name if node is not None else equipment_id
    point: Point3 | None = None
    if node is not None and job.building is not None:
        stand = stand_of(job, node)
        point = None if stand is None else stand_point(job.building, stand)
    for box in job.wiring.line_equipment if job.wiring is not None else ():
        if box.id == equipment_id:
            name, place_id = box.name, box.place_id
    place = next((p for p in job.places if p.id == place_id), None)
    if point is None and place is not None:
        point = place_point(job, place)
    return name, point, place is not None and place.outdoors, _house_of(job.building, point)


def _house_of(building: Building | None, point: Point3 | None) -> str | None:
    """The kind of the room that a point is in; None outside, or where nobody knows."""
    if building is None or point is None:
        return None
    import shapely

    at = shapely.Point(point[0], point[1])
    level = _level(building, point[2])
    room = next((r for r in building.rooms if r.storey == level and shapely.Polygon(r.outline).covers(at)), None)
    return room.kind if room is not None else None


def _level(building: Building, z_m: float) -> int:
    return max(
        (s.level for s in building.storeys if building.elevation_m(s.level) <= z_m + 1e-6),
        default=building.storeys[0].level,
    )


def _run(job: Job, run: CableRun) -> RunView:
    near, a, open_a, kind_a = _end(job, run.from_id)
    far, b, open_b, kind_b = _end(job, run.to_node_id)
    apart = {kind_a, kind_b} == {"room", "outbuilding"}
    outdoors = open_a or open_b or apart or run.route == "along the outside"
    reasons: list[str] = []
    way = run.length_m
    holes: tuple[Hole, ...] = ()
    if way is not None:
        reasons.append(f"way measured: {way:.1f} m")
    elif a is None or b is None or job.building is None:
        reasons.append("one end has no spot in the house yet: measure the route")
    else:
        way, told = _route(job.building, a, b, run)
        reasons.append(told)
    if a is not None and b is not None and job.building is not None:
        holes = _holes(job.building, a, b, run.route)
    each = None
    if way is not None:
        each = math.ceil(way * (1 + SLACK_FRACTION) + 2 * END_LOOP_M)
        reasons.append(f"and {SLACK_FRACTION * 100:.0f} % slack and {END_LOOP_M:g} m at each end: {each} m")
        if each > MOST_LINK_M:
            reasons.append(
                f"longer than {MOST_LINK_M:g} m ({MOST_CHANNEL_M:g} m with cords): put a switch between, or use fibre"
            )
    if run.runs < LEAST_RUNS:
        reasons.append(f"one run only: pull {LEAST_RUNS} while the wall is open")
    if apart:
        reasons.append("between two buildings: fibre, or protection fitted by somebody licensed")
    minutes = None
    if each is not None:
        drilled = sum(HOLE_MIN.get(material, 0.0) for material, _ in holes)
        minutes = round(drilled + each * PULL_MIN_PER_M + run.runs * 2 * END_MIN)
    counted = Counter(words for _, words in holes)
    said = tuple(f"{words} ×{n}" if n > 1 else words for words, n in counted.items())
    return RunView(
        id=run.id,
        title=f"{near} to {far}",
        length_m=None if way is None else round(way, 1),
        each_m=each,
        total_m=None if each is None else each * run.runs,
        runs=run.runs,
        outdoors=outdoors,
        holes=said,
        reasons=tuple(reasons),
        minutes=minutes,
        done=run.done,
    )


def _route(building: Building, a: Point3, b: Point3, run: CableRun) -> tuple[float, str]:
    """Length of the way in m, and how it adds up."""
    across, along = abs(a[0] - b[0]), abs(a[1] - b[1])
    if run.route == "through the attic":
        top = building.elevation_m(building.storeys[-1].level) + building.height_m(building.storeys[-1].level)
        up, down = max(top - a[2], 0.0), max(top - b[2], 0.0)
        told = f"{up:.1f} m up, {across:.1f} m and {along:.1f} m across the attic, {down:.1f} m down"
        return across + along + up + down, told
    rise = abs(a[2] - b[2])
    return across + along + rise, f"{across:.1f} m and {along:.1f} m along the walls, {rise:.1f} m up or down"


def _holes(building: Building, a: Point3, b: Point3, by: Route) -> tuple[Hole, ...]:
    """What a way goes through: the walls of the lower end's storey on the easier of the two ways round, then floors; by
    the attic only the floors above both ends."""
    import shapely

    level_a, level_b = _level(building, a[2]), _level(building, b[2])
    if by == "through the attic":
        top = building.storeys[-1].level
        above = [building.floor(k) for level in (level_a, level_b) for k in range(level + 1, top + 1)]
        ceilings = ("chipboard", "the ceiling below the attic")
        return (*((f.material, f"a floor of {describe(f)}") for f in above), ceilings, ceilings)
    low = min(level_a, level_b)
    ways = [shapely.LineString([a[:2], corner, b[:2]]) for corner in ((b[0], a[1]), (a[0], b[1])) if a[:2] != b[:2]]
    best: list[Hole] | None = None
    for line in ways:
        found: list[Hole] = []
        for wall in walls_of(building):
            if wall.storey == low and wall.build is not None and wall.length_m > 0:
                crossed = line.intersection(shapely.LineString([wall.start, wall.end]))
                if crossed.geom_type == "Point" and not crossed.is_empty:
                    found.append((wall.build.material, describe(wall.build)))
        if best is None or _minutes(found) < _minutes(best):
            best = found
    floors = [building.floor(level) for level in range(low + 1, max(level_a, level_b) + 1)]
    return tuple(best or ()) + tuple((f.material, f"a floor of {describe(f)}") for f in floors)


def _minutes(holes: list[Hole]) -> float:
    return sum(HOLE_MIN.get(material, 0.0) for material, _ in holes)


def _cable_lines(job: Job, left: list[tuple[CableRun, RunView]]) -> list[Line]:
    if not left:
        return []
    lines = []
    for outdoors in (False, True):
        total = sum(v.total_m or 0 for _, v in left if v.outdoors == outdoors)
        if total:
            bought = math.ceil(total / SOLD_BY_M) * SOLD_BY_M
            kind = "outdoor-rated network cable" if outdoors else "network cable"
            note = "UV-proof and water-tight, or in conduit" if outdoors else "solid copper"
            lines.append(Line(f"{bought:.0f} m", f"{kind}, category 6 or better", f"{note}; {total} m needed"))
    ends = sum(2 for _ in left)
    sockets = sum(2 * run.runs for run, _ in left)
    lines += [
        Line(str(ends), "faceplates", f"for {' and '.join(sorted({str(run.runs) for run, _ in left}))} sockets each"),
        Line(str(ends), "back boxes", "for the walls that they go into"),
        Line(str(sockets), "network sockets (modules)", "category as the cable's"),
        Line(str(2 * len(left)), "patch cords", "from the wall to the nodes"),
        Line(
            str(sum(run.runs for run, _ in left)),
            "free sockets at the near ends",
            "on the router or a switch behind it",
        ),
        Line("1", "cable tester, labels, pulling line", ""),
    ]
    return lines


# -- new places ------------------------------------------------------------------------------------------------------


def _moves(job: Job, node_id: str, stand: Stand) -> bool:
    node = next((n for n in job.nodes if n.id == node_id), None)
    if node is None:
        return False
    now = stand_of(job, node)
    if now is None:
        return True
    far = math.dist((now.x_m, now.y_m, now.height_m), (stand.x_m, stand.y_m, stand.height_m))
    return now.storey != stand.storey or far > MOVED_M or now.mounting != stand.mounting


def _socket(job: Job, stand: Stand) -> float | None:
    """Route to the nearest socket on the storey, in m; None where none is written down."""
    building = job.building
    outlets = [o for o in (building.outlets if building else ()) if o.power and o.storey == stand.storey]
    return min((math.hypot(o.x_m - stand.x_m, o.y_m - stand.y_m) for o in outlets), default=None)


def _place_lines(job: Job, node: Node, stand: Stand) -> list[Line]:
    lines = []
    if stand.mounting in ("wall", "ceiling"):
        lines.append(Line("1", f"{stand.mounting} bracket or screws and plugs", f"for {node.name}"))
    else:
        lines.append(Line("1", f"a place: {stand.mounting}", f"for {node.name}"))
    far = _socket(job, stand)
    if far is None or far > SOCKET_M:
        told = "no socket is written down on that floor" if far is None else f"the nearest socket is {far:.1f} m away"
        lines.append(Line("1", "socket near it, or power over the network cable", f"{node.name}: {told}"))
    return lines


def _place_work(job: Job, node: Node, stand: Stand) -> list[str]:
    said = [f"{node.name}: put it up ({stand.mounting}, {stand.height_m:.1f} m up), give it 3 to 4 min to start"]
    if node.uplink is None:
        said.append(
            f"{node.name} is the router: one cable brings the line to its new place, a second one brings the network "
            "back to what stays where the line comes in; its address may be another one afterwards"
        )
    far = _socket(job, stand)
    if far is None or far > SOCKET_M:
        said.append(f"{node.name}: a new mains socket is a licensed electrician's work")
    return said
