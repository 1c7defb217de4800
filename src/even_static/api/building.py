"""Entering a house: rooms by typing and dragging, openings, obstacles, photographs, GeoJSON and drawings."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response

from even_static.api.building_bodies import (
    MoveRoomBody,
    PhotoMoveBody,
    PhotoScaleBody,
    PutBody,
    ResizeRoomBody,
    TypedRoomBody,
)
from even_static.api.common import CallReply, Serviced, body_bytes, call_body, download
from even_static.api.service import Service
from even_static.core.errors import BadInput
from even_static.core.house.building import Building, Level, Underlay
from even_static.core.house.edit import move_room, put_obstacle, put_opening, resize_room, without_room
from even_static.core.house.job import Job
from even_static.core.house.masking import masked
from even_static.core.house.rooms_as_places import with_rooms_as_places, with_rooms_known, without_lost_rooms
from even_static.core.house.typed import add_typed
from even_static.core.house.underlay import laid_at_first, moved_by_a_point, scaled_by_two_points
from even_static.core.propagation.coverage import entered_coverage
from even_static.core.propagation.picture import Direction, picture
from even_static.core.propagation.section import Axis, section
from even_static.core.tables.bands import Band
from even_static.formats.house_geojson import read_house, write_house
from even_static.formats.house_svg import plan_svg, section_svg
from even_static.formats.photo import LARGEST_BYTES, take_photo

router = APIRouter(prefix="/api")
MOST_GEOJSON_BYTES = 16 << 20


@router.post("/calls/{call_id}/rooms")
def type_room(service: Serviced, call_id: int, body: TypedRoomBody) -> CallReply:
    """Add a typed room, snapped to its neighbour."""

    def add(job: Job) -> Job:
        building, _ = add_typed(job.building or Building(), body.line, storey=body.storey, beside_id=body.beside_id)
        return with_rooms_as_places(replace(job, building=building), job.building)

    return call_body(service, service.amend(call_id, add, f"typed the room {body.line.strip()[:60]}"))


@router.post("/calls/{call_id}/rooms/move")
def drag_room(service: Serviced, call_id: int, body: MoveRoomBody) -> CallReply:
    """Move a room; it snaps to its neighbours, and what stands in it goes along."""

    def move(job: Job) -> Job:
        return move_room(job, body.room_id, body.dx_m, body.dy_m)

    return call_body(service, service.amend(call_id, move, f"moved the room {body.room_id}"))


@router.post("/calls/{call_id}/rooms/resize")
def change_size(service: Serviced, call_id: int, body: ResizeRoomBody) -> CallReply:
    """Give a rectangular room another size."""

    def resize(building: Building) -> Building:
        return resize_room(building, body.room_id, body.width_m, body.depth_m)

    return _change(service, call_id, resize, f"changed the size of {body.room_id}")


@router.delete("/calls/{call_id}/rooms/{room_id}")
def remove_room(service: Serviced, call_id: int, room_id: str) -> CallReply:
    """Remove a room with what hangs on its walls."""
    return _change(service, call_id, lambda b: without_room(b, room_id), f"removed the room {room_id[:40]}")


@router.post("/calls/{call_id}/put")
def put_on_the_plan(service: Serviced, call_id: int, body: PutBody) -> CallReply:
    """Put a door, window or passage in the nearest wall, or an obstacle at a point."""
    if (body.opening is None) == (body.obstacle is None):
        raise BadInput("opening", "must be given, or obstacle, and not both", None, "one of the two")

    def put(building: Building) -> Building:
        if body.opening is not None:
            return put_opening(building, body.opening, body.storey, body.x_m, body.y_m)[0]
        assert body.obstacle is not None
        return put_obstacle(building, body.obstacle, body.storey, body.x_m, body.y_m)[0]

    return _change(service, call_id, put, f"put down a {body.opening or body.obstacle}")


@router.get("/calls/{call_id}/house.geojson")
def export_house(service: Serviced, call_id: int) -> Response:
    """The house as GeoJSON in local metres."""
    text = write_house(masked(service.get(call_id).job))
    return download(text, "application/geo+json", f"call-{call_id}-house.geojson")


@router.post("/calls/{call_id}/house.geojson")
async def import_house(service: Serviced, call_id: int, request: Request) -> CallReply:
    """Replace the house by one from GeoJSON (the request's body); undo brings the former one back."""
    raw = await body_bytes(request, MOST_GEOJSON_BYTES, "GeoJSON")

    def take() -> CallReply:
        building = read_house(raw)
        return _change(service, call_id, lambda _: building, "read a house from GeoJSON")

    return await asyncio.to_thread(take)


@router.get("/calls/{call_id}/plan.svg")
def draw_plan(
    service: Serviced,
    call_id: int,
    storey: Level = 0,
    band: Band | None = None,
    node_id: str | None = None,
    direction: Direction = "downlink",
) -> Response:
    """A storey as SVG to scale: as built, or with a band's contours."""
    job, node_id = _to_hand_out(service.get(call_id).job, node_id)
    if job.building is None:
        raise BadInput("building", "must be entered before it can be drawn", "none", "rooms under House")
    drawn = None
    if band is not None:
        drawn = picture(entered_coverage(job), storey, band, node_id=node_id, direction=direction)
    text = plan_svg(job, job.building, storey, drawn)
    return download(text, "image/svg+xml", f"call-{call_id}-storey-{storey}.svg")


@router.get("/calls/{call_id}/section.svg")
def draw_section(
    service: Serviced,
    call_id: int,
    band: Band,
    axis: Axis = "along",
    at_m: float | None = None,
    node_id: str | None = None,
    direction: Direction = "downlink",
) -> Response:
    """A section as SVG to scale."""
    job, node_id = _to_hand_out(service.get(call_id).job, node_id)
    found = section(entered_coverage(job), band, axis, at_m, node_id=node_id, direction=direction)
    return download(section_svg(job, found), "image/svg+xml", f"call-{call_id}-section.svg")


def _to_hand_out(job: Job, node_id: str | None) -> tuple[Job, str | None]:
    """A job whose drawings name no neighbour, and what one of its nodes is called in it."""
    out = masked(job)
    same = {a.id: b.id for a, b in zip(job.nodes, out.nodes, strict=True)}
    return out, same.get(node_id, node_id) if node_id is not None else None


# -- photographs -------------------------------------------------------------------------------------------------


@router.post("/calls/{call_id}/photo")
async def lay_photo(
    service: Serviced, call_id: int, request: Request, storey: Annotated[int, Query(ge=-5, le=50)] = 0
) -> CallReply:
    """Lay a photograph of a paper plan (the request's body) under a storey."""
    raw = await body_bytes(request, LARGEST_BYTES, "photo")

    def take() -> CallReply:
        taken = take_photo(raw)
        service.store.keep_photo(call_id, taken.id, taken.jpeg)

        def lay(building: Building) -> Building:
            corners = [p for r in building.rooms if r.storey == storey for p in r.outline]
            x, y = min((x for x, _ in corners), default=0.0), min((y for _, y in corners), default=0.0)
            laid = laid_at_first(storey, taken.id, taken.width_px, taken.height_px, x, y)
            return _with_underlay(building, laid)

        return _change(service, call_id, lay, "laid a photograph under the plan")

    service.get(call_id)
    return await asyncio.to_thread(take)


@router.get("/calls/{call_id}/photo/{photo_id}")
def get_photo(service: Serviced, call_id: int, photo_id: str) -> Response:
    """A photograph."""
    return Response(service.store.photo(call_id, photo_id), media_type="image/jpeg")


@router.post("/calls/{call_id}/photo/scale")
def scale_photo(service: Serviced, call_id: int, body: PhotoScaleBody) -> CallReply:
    """Scale a photograph by two of its points."""

    def scale(building: Building) -> Building:
        laid = _underlay(building, body.storey)
        return _with_underlay(building, scaled_by_two_points(laid, body.a, body.b, body.length_m, body.straighten))

    return _change(service, call_id, scale, f"scaled the photograph: {body.length_m:g} m")


@router.post("/calls/{call_id}/photo/move")
def move_photo(service: Serviced, call_id: int, body: PhotoMoveBody) -> CallReply:
    """Move a photograph by one of its points."""

    def move(building: Building) -> Building:
        return _with_underlay(building, moved_by_a_point(_underlay(building, body.storey), body.start, body.end))

    return _change(service, call_id, move, "moved the photograph")


@router.delete("/calls/{call_id}/photo")
def take_photo_away(service: Serviced, call_id: int, storey: Level) -> CallReply:
    """Take the photograph of a storey away."""

    def remove(building: Building) -> Building:
        gone = _underlay(building, storey)
        return replace(building, underlays=tuple(u for u in building.underlays if u is not gone))

    return _change(service, call_id, remove, "removed the photograph")


def _underlay(building: Building, storey: int) -> Underlay:
    found = next((u for u in building.underlays if u.storey == storey), None)
    if found is None:
        raise BadInput("storey", "must have a photograph under it", storey, "lay one first")
    return found


def _with_underlay(building: Building, underlay: Underlay) -> Building:
    rest = tuple(u for u in building.underlays if u.storey != underlay.storey)
    return replace(building, underlays=(*rest, underlay))


def _change(service: Service, call_id: int, change: Callable[[Building], Building], summary: str) -> CallReply:
    def apply(job: Job) -> Job:
        changed = replace(job, building=change(job.building or Building()))
        return with_rooms_known(without_lost_rooms(with_rooms_as_places(changed, job.building)))

    return call_body(service, service.amend(call_id, apply, summary[:80]))
