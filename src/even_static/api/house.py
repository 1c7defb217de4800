"""The house, its coverage and the walk."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter

from even_static.api.common import CallReply, Serviced, call_body, place_name, stands_of
from even_static.api.house_bodies import (
    CoverageBody,
    DecisionsView,
    HouseView,
    ObstacleShape,
    PlacingBody,
    PointBody,
    SampleBody,
    SampleView,
    SectionBody,
    TraceBody,
    TraceSampleBody,
    TrialSettingsBody,
    TypedLevelsBody,
    WalkBody,
    WallLine,
)
from even_static.api.practice import measuring
from even_static.api.practice.world import require_practice
from even_static.api.service import Service
from even_static.core.errors import NotFound
from even_static.core.explain.measured_moves import measured_moves
from even_static.core.explain.placement import decide
from even_static.core.house.building import Building, NodeStand, Stand
from even_static.core.house.job import Job
from even_static.core.house.readings import Trace
from even_static.core.house.rooms import outline_area_m2
from even_static.core.house.validate import validate_job, validate_settings
from even_static.core.house.walls import walls_of
from even_static.core.propagation.coverage import coverage_of
from even_static.core.propagation.geometry import describe, obstacle_sides
from even_static.core.propagation.loss import build_loss_db, obstacle_loss_db
from even_static.core.propagation.picture import Picture, PointView, picture, point_view
from even_static.core.propagation.section import Section, section
from even_static.core.propagation.stands import stand_of, stands_now
from even_static.core.search.node_spots import Placing, place_nodes
from even_static.core.survey.route import Route, plan_route
from even_static.core.survey.trace import TraceView, trace_view
from even_static.core.survey.typed_levels import scan_typed
from even_static.core.survey.walk import (
    has_settled,
    margins_at_spot,
    scan_of,
    settling,
    strange_readings,
    wall_fits,
    with_offset,
)
from even_static.core.tables.bands import BANDS
from even_static.core.tables.materials import HOUSE_TYPES, MATERIALS, MOUNTINGS, OBSTACLES, OPENINGS
from even_static.store.steps import StoredCall

router = APIRouter(prefix="/api")


@router.get("/calls/{call_id}/house")
def get_house(service: Serviced, call_id: int) -> HouseView:
    """Walls as they follow from the rooms, and what the readings make of them."""
    job = service.get(call_id).job
    building = job.building or Building()
    lines = []
    for wall in walls_of(building):
        build = wall.build
        lines.append(
            WallLine(
                storey=wall.storey,
                start=wall.start,
                end=wall.end,
                room_id=wall.room_id,
                edge=wall.edge,
                to_room_id=wall.to_room_id,
                role=wall.role,
                build=build,
                made_of=describe(build) if build else "no wall",
                changed=wall.changed,
                openings=list(wall.openings),
                loss_db={b: build_loss_db(build, b) if build else 0.0 for b in BANDS},
            )
        )
    shapes = [
        ObstacleShape(o.id, o.storey, [p for a, b, _ in obstacle_sides(o) for p in (a, b)], obstacle_loss_db(o))
        for o in building.obstacles
    ]
    stands = [NodeStand(n.id, s) for n in job.nodes for s in [stand_of(job, n)] if s is not None]
    area = sum(outline_area_m2(r) for r in building.rooms if r.kind == "room")
    coverage = coverage_of(job)
    fit = coverage.fit if coverage else None
    return HouseView(
        building=building,
        walls=lines,
        obstacles=shapes,
        stands=stands,
        area_m2=area,
        fits=wall_fits(coverage) if coverage else [],
        shadowing_db=fit.shadowing_db if fit else None,
        clutter_db_per_m={b: float(fit.value[fit.terms.clutter(i)]) for i, b in enumerate(BANDS)} if fit else {},
        readings=len(coverage.seen) if coverage else 0,
        strange=strange_readings(coverage) if coverage else [],
        materials=list(MATERIALS),
        house_types=list(HOUSE_TYPES),
        mountings=list(MOUNTINGS),
        openings=list(OPENINGS),
        obstacle_kinds={kind: OBSTACLES[kind][0] for kind in OBSTACLES},
        floors={s.level: describe(building.floor(s.level)) for s in building.storeys},
        new_stand=Stand(storey=0, x_m=0.0, y_m=0.0),
    )


@router.post("/calls/{call_id}/coverage")
def get_coverage(service: Serviced, call_id: int, body: CoverageBody) -> Picture:
    """Contours of one storey and band, as set or on trial."""
    call = _on_trial(service, call_id, body)
    return picture(
        service.coverage(call),
        body.storey,
        body.band,
        node_id=body.node_id,
        direction=body.direction,
        stands=stands_of(call.job, body.stands),
        settings=body.settings,
    )


@router.post("/calls/{call_id}/point")
def get_point(service: Serviced, call_id: int, body: PointBody) -> PointView:
    """Every radio's path to a point, wall by wall."""
    call = _on_trial(service, call_id, body)
    return point_view(
        service.coverage(call),
        body.storey,
        body.x_m,
        body.y_m,
        body.height_m,
        stands_of(call.job, body.stands),
        body.settings,
    )


@router.post("/calls/{call_id}/placing")
def get_placing(service: Serviced, call_id: int, body: PlacingBody) -> Placing:
    """The best spots for one, two and three nodes among the outlets, exactly compared."""
    return place_nodes(service.coverage(service.get(call_id)), sorted(set(body.counts)), height_m=body.height_m)


@router.get("/calls/{call_id}/route")
def get_round(service: Serviced, call_id: int, from_place_id: str | None = None) -> Route:
    """Where to measure next, and why."""
    return plan_route(service.coverage(service.get(call_id)), from_place_id)


@router.post("/calls/{call_id}/walk/sample")
def sample(service: Serviced, call_id: int, body: SampleBody) -> SampleView:
    """One more second of the scanner at a spot; nothing is stored."""
    call = service.get(call_id)
    place_name(call.job, body.place_id)
    series, heard = measuring.sample(service, call, body.place_id, body.so_far, body.instrument_id)
    said = [settling(s) for s in series]
    seen = margins_at_spot(call.job, call.job.settings, heard.readings)
    return SampleView(series, said, seen, has_settled(said, seen, call.job))


@router.post("/calls/{call_id}/walk")
def keep_reading(service: Serviced, call_id: int, body: WalkBody) -> CallReply:
    """Keep what the scanner of a practice house read on the walk; sent again under the same key, it is kept once."""
    call = service.get(call_id)
    name = place_name(call.job, body.place_id)
    require_practice(call)

    def add(job: Job) -> Job:
        scan = scan_of(
            job,
            body.key,
            body.place_id,
            body.heard_at,
            tuple(body.series),
            instrument_id=body.instrument_id,
            running=body.running,
        )
        return replace(job, scans=(*job.scans, scan))

    return call_body(service, service.amend(call_id, add, f"read the level at {name}", delivery_key=body.key))


@router.post("/calls/{call_id}/walk/typed")
def keep_typed_levels(service: Serviced, call_id: int, body: TypedLevelsBody) -> CallReply:
    """Keep what was read off a device by eye: own radios, neighbours. Sent again under the same key, it is kept
    once."""
    name = place_name(service.get(call_id).job, body.place_id)

    def add(job: Job) -> Job:
        scan = scan_typed(
            job,
            body.key,
            body.place_id,
            body.heard_at,
            own=tuple(body.own),
            neighbours=tuple(body.neighbours),
            instrument_id=body.instrument_id,
            running=body.running,
        )
        found = replace(job, scans=(*job.scans, scan))
        validate_job(found)
        return found

    return call_body(service, service.amend(call_id, add, f"typed levels at {name}", delivery_key=body.key))


def _on_trial(service: Service, call_id: int, body: TrialSettingsBody) -> StoredCall:
    """The call whose settings are tried, checked."""
    call = service.get(call_id)
    if body.settings is not None:
        validate_settings(call.job, body.settings)
    return call


@router.post("/calls/{call_id}/section")
def get_section(service: Serviced, call_id: int, body: SectionBody) -> Section:
    """A section through the storeys, as set or on trial."""
    call = _on_trial(service, call_id, body)
    return section(
        service.coverage(call),
        body.band,
        body.axis,
        body.at_m,
        node_id=body.node_id,
        direction=body.direction,
        stands=stands_of(call.job, body.stands),
        settings=body.settings,
    )


@router.get("/calls/{call_id}/decisions")
def get_decisions(service: Serviced, call_id: int) -> DecisionsView:
    """What to do about where boxes stand, each finding with its numbers."""
    coverage = service.coverage(service.get(call_id))
    return DecisionsView(decide(coverage), measured_moves(coverage))


@router.post("/calls/{call_id}/instruments/{instrument_id}/offset")
def set_offset(service: Serviced, call_id: int, instrument_id: str, place_id: str) -> CallReply:
    """Reconcile an instrument with the scanner at a common spot."""
    name = place_name(service.get(call_id).job, place_id)

    def add(job: Job) -> Job:
        return with_offset(job, instrument_id, place_id)

    return call_body(service, service.amend(call_id, add, f"compared {instrument_id[:30]} at {name}"[:80]))


@router.post("/calls/{call_id}/walk/trace/sample")
def sample_on_the_way(service: Serviced, call_id: int, body: TraceSampleBody) -> dict[str, float]:
    """Levels of own radios in dBm by address, that share of the way between two spots; nothing is stored."""
    call = service.get(call_id)
    for place_id in (body.from_place_id, body.to_place_id):
        place_name(call.job, place_id)
    return measuring.on_the_way(service, call, body.from_place_id, body.to_place_id, body.path_fraction)


@router.post("/calls/{call_id}/walk/trace")
def keep_trace(service: Serviced, call_id: int, body: TraceBody) -> CallReply:
    """Keep levels read while walking; sent again under the same key, they are kept once."""
    call = service.get(call_id)
    names = [place_name(call.job, p) for p in (body.from_place_id, body.to_place_id)]
    require_practice(call)

    def add(job: Job) -> Job:
        trace = Trace(
            id=body.key,
            from_place_id=body.from_place_id,
            to_place_id=body.to_place_id,
            walked_at=body.walked_at,
            duration_s=body.duration_s,
            points=tuple(body.points),
            settings=job.settings,
            stands=stands_now(job),
            came_from="simulated",
        )
        return replace(job, traces=(*job.traces, trace))

    summary = f"walked from {names[0]} to {names[1]}"[:80]
    return call_body(service, service.amend(call_id, add, summary, delivery_key=body.key))


@router.get("/calls/{call_id}/traces/{trace_id}")
def get_trace(service: Serviced, call_id: int, trace_id: str) -> TraceView:
    """A walk told wall by wall."""
    job = service.get(call_id).job
    trace = next((t for t in job.traces if t.id == trace_id), None)
    if trace is None:
        raise NotFound("trace_id", "must be a walk of the call", trace_id, "")
    return trace_view(job, coverage_of(job), trace)
