"""Rooms dragged and snapped, openings and obstacles put down, a photograph laid to scale."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from shapely import Point, affinity
from tests.houses import random_house

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.building import Building, Obstacle, Outlet, Stand
from even_static.core.house.edit import SNAP_M, move_room, put_obstacle, put_opening, resize_room, without_room
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place
from even_static.core.house.typed import add_typed
from even_static.core.house.underlay import laid_at_first, moved_by_a_point, scaled_by_two_points
from even_static.core.house.validate_building import validate_building
from even_static.core.house.walls import walls_of


def point_of_pixel(underlay, u, v):
    """Where a pixel (u to the right, v down from the upper left corner) lies in the house, in m."""
    c, s = math.cos(math.radians(underlay.turn_deg)), math.sin(math.radians(underlay.turn_deg))
    x, y = u * underlay.metres_per_px, -v * underlay.metres_per_px
    return underlay.x_m + c * x - s * y, underlay.y_m + s * x + c * y


def _typed(*lines: str) -> Building:
    building = Building()
    for line in lines:
        building, _ = add_typed(building, line)
    return building


HOUSE = _typed("hall 2 4", "kitchen 4 4 right of hall", "study 3 4 right of kitchen")


def _job() -> Job:
    node = replace(random_house(1, nodes=1).nodes[0], place_id="desk", stand=Stand(storey=0, x_m=7.0, y_m=1.0))
    return Job(
        title="moved",
        country="NL",
        places=(
            Place(id="desk", name="Desk", storey=0, outdoors=False, x_m=7.5, y_m=2.0),
            Place(id="door", name="Door", storey=0, outdoors=False, x_m=1.0, y_m=1.0),
        ),
        nodes=(Node(id="n", name="n", place_id="desk", radios=node.radios, stand=Stand(storey=0, x_m=7.0, y_m=1.0)),),
        building=replace(
            HOUSE,
            obstacles=(Obstacle(id="tank", kind="water tank", storey=0, x_m=8.0, y_m=3.0, width_m=0.6, depth_m=0.6),),
            outlets=(Outlet(id="o", name="o", storey=0, x_m=6.5, y_m=0.5),),
        ),
    )


@given(st.floats(0.05, SNAP_M - 0.01), st.floats(-SNAP_M + 0.01, SNAP_M - 0.01))
def test_a_room_dragged_nearly_home_snaps_home_with_all_that_stands_in_it(dx, dy):
    job = _job()
    away = move_room(job, "study", 5.0, 7.0)
    x, y = away.building.rooms[2].outline[0]
    back = move_room(away, "study", 6.0 - x + dx, -y + dy)
    assert back.building.rooms[2].outline == job.building.rooms[2].outline
    assert back.building.obstacles == job.building.obstacles
    assert back.building.outlets == job.building.outlets
    assert back.places == job.places
    assert back.nodes[0].stand == job.nodes[0].stand
    # What stands elsewhere did not go along.
    assert away.places[1] == job.places[1]
    assert away.places[0].x_m - job.places[0].x_m == pytest.approx(away.nodes[0].stand.x_m - 7.0)


def test_a_room_dragged_onto_another_is_refused():
    moved = move_room(_job(), "study", -2.0, 0.0)
    with pytest.raises(BadInput, match="must not overlap another room"):
        validate_building(moved.building)
    with pytest.raises(NotFound, match="hall, kitchen, study"):
        move_room(_job(), "cellar", 1, 1)


def test_another_size_keeps_the_corner_and_the_openings_in_the_wall():
    building, door = put_opening(HOUSE, "door", 0, 9.0, 3.8)
    assert next(o for o in building.openings if o.id == door).room_id == "study"
    smaller = resize_room(building, "study", 2.5, 2.0)
    room = next(r for r in smaller.rooms if r.id == "study")
    assert room.outline[0] == (6.0, 0.0)
    assert {y for _, y in room.outline} == {0.0, 2.0}
    validate_building(smaller)
    assert smaller.openings[0].at_m <= 2.0
    with pytest.raises(BadInput, match="width_m"):
        resize_room(building, "study", 0.1, 2)
    five = replace(HOUSE.rooms[0], outline=((0, 0), (2, 0), (2, 4), (1, 5), (0, 4)))
    with pytest.raises(BadInput, match="four corners"):
        resize_room(replace(HOUSE, rooms=(five,)), "hall", 2, 2)


@pytest.mark.parametrize(("kind", "at"), [("door", (2.1, 2.0)), ("window", (4.0, -0.3)), ("passage", (6.0, 3.9))])
def test_an_opening_goes_into_the_nearest_wall(kind, at):
    building, name = put_opening(HOUSE, kind, 0, *at)
    validate_building(building)
    (wall,) = [w for w in walls_of(building) if any(o.id == name for o in w.openings)]
    # The nearest wall by a geometry library.
    from shapely import LineString

    distances = {w: LineString([w.start, w.end]).distance(Point(at)) for w in walls_of(HOUSE)}
    nearest = min(distances.values())
    assert LineString([wall.start, wall.end]).distance(Point(at)) == pytest.approx(nearest)
    with pytest.raises(BadInput, match="must be in a wall"):
        put_opening(HOUSE, kind, 0, 4.0, 2.0)


def test_an_obstacle_by_a_wall_stands_along_it():
    building, name = put_obstacle(HOUSE, "mirror", 0, 2.2, 2.0)
    mirror = building.obstacles[0]
    assert mirror.id == name
    assert mirror.heading_deg % 180 == pytest.approx(90)
    free, _ = put_obstacle(HOUSE, "water tank", 0, 4.0, 2.0)
    assert free.obstacles[0].heading_deg == 0
    assert free.obstacles[0].height_m <= HOUSE.height_m(0)


def test_a_removed_room_takes_its_openings_and_wall_changes_along():
    building, _ = put_opening(HOUSE, "door", 0, 9.0, 2.0)
    without = without_room(building, "study")
    assert not without.openings
    validate_building(without)


points = st.tuples(st.floats(-20, 20), st.floats(-20, 20))


@given(points, points, st.floats(0.5, 40), st.booleans())
def test_two_points_scale_a_photograph(a, b, length, straighten):
    """Held to shapely's affine transformations."""
    if math.dist(a, b) < 0.3:
        return
    laid = laid_at_first(0, "p", 3000, 2000, -1.0, -2.0)
    assert_allclose(point_of_pixel(laid, 0, 2000), (-1.0, -2.0), atol=1e-3)
    scaled = scaled_by_two_points(laid, a, b, length, straighten)
    grow = length / math.dist(a, b)
    angle = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
    turn = round(angle / 90) * 90 - angle if straighten else 0.0
    for pixel in ((0, 0), (3000, 0), (700, 1900)):
        was = Point(point_of_pixel(laid, *pixel))
        told = affinity.rotate(affinity.scale(was, grow, grow, origin=Point(a)), turn, origin=Point(a))
        assert_allclose(point_of_pixel(scaled, *pixel), (told.x, told.y), atol=2e-3 * max(1, grow))
    moved = moved_by_a_point(scaled, (1.0, 1.0), (3.0, 0.5))
    assert_allclose(
        point_of_pixel(moved, 10, 10),
        [v + d for v, d in zip(point_of_pixel(scaled, 10, 10), (2, -0.5), strict=True)],
        atol=2e-4,
    )


def test_points_that_tell_no_scale_are_refused():
    laid = laid_at_first(0, "p", 3000, 2000, 0.0, 0.0)
    with pytest.raises(BadInput, match="another point"):
        scaled_by_two_points(laid, (1, 1), (1.01, 1), 3.0, True)
    with pytest.raises(BadInput, match="length_m"):
        scaled_by_two_points(laid, (1, 1), (4, 1), 900.0, True)
