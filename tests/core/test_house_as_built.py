"""Rooms by typing, walls that follow from them, and what is refused."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_static.core.errors import BadInput
from even_static.core.house.building import Build, Building, Obstacle, Opening, Outlet, Room, Stand, Storey, WallChange
from even_static.core.house.typed import METRES_PER_FOOT, add_typed, length_m, read_line
from even_static.core.house.validate import validate_job
from even_static.core.house.validate_building import validate_building
from even_static.core.house.walls import walls_of
from even_static.formats.job_file import job_to_data, read_job, write_job
from even_static.instruments.simulated.kiln_row import kiln_row
from even_static.instruments.simulated.kiln_row_building import kiln_row_building


def house(*lines: str) -> Building:
    building = Building()
    for line in lines:
        building, _ = add_typed(building, line)
    return building


def test_rooms_snap_to_what_they_are_typed_beside():
    building = house("hall 2 5", "kitchen 4.2 3.1", "living room 4.2 3.5 behind kitchen", "bath 2 2 left of hall")
    boxes = {r.id: (r.outline[0], r.outline[2]) for r in building.rooms}
    assert boxes["kitchen"] == ((2.0, 0.0), (6.2, 3.1))
    assert boxes["living-room"] == ((2.0, 3.1), (6.2, 6.6))
    assert boxes["bath"] == ((-2.0, 0.0), (0.0, 2.0))
    validate_building(building)


def test_a_storey_comes_with_its_first_room():
    building = house("hall 2 5", "landing 2 5 above hall", "bed 4 3 right of landing", "cellar 2 4 below hall")
    assert [s.level for s in building.storeys] == [-1, 0, 1]
    assert {r.id: r.storey for r in building.rooms} == {"hall": 0, "landing": 1, "bed": 1, "cellar": -1}
    assert building.elevation_m(-1) == -2.7
    assert building.elevation_m(1) == 2.7


@pytest.mark.parametrize(
    ("text", "units", "metres"),
    [
        ("4.2", "metric", 4.2),
        ("4,2", "metric", 4.2),
        ("420cm", "metric", 4.2),
        ("13' 9\"", "metric", 13.75 * METRES_PER_FOOT),
        ("13.75", "feet", 13.75 * METRES_PER_FOOT),
        ("13ft", "metric", 13 * METRES_PER_FOOT),
        ("4.2 m", "feet", 4.2),
    ],
)
def test_lengths_in_metres_and_feet(text, units, metres):
    assert length_m(text, units) == pytest.approx(metres)


NO_ROOMS = ["kitchen", "kitchen 4.2", "4.2 3.1", "kitchen four by three", "", "hall 0 3", "x 900 3"]


@pytest.mark.parametrize("line", NO_ROOMS)
def test_lines_that_are_no_rooms_are_answered(line):
    with pytest.raises(BadInput):
        read_line(line)


@given(st.text(max_size=60))
def test_no_line_crashes(line):
    try:
        read_line(line)
    except BadInput:
        return


def test_a_room_that_does_not_fit_leaves_the_house_as_it_was():
    building = house("hall 2 5", "kitchen 4 3 right of hall")
    with pytest.raises(BadInput, match="leave room"):
        add_typed(building, "study 3 3 right of hall")
    with pytest.raises(BadInput, match="must name a room"):
        add_typed(building, "study 3 3 right of cupboard")


def test_walls_follow_from_rooms():
    building = replace(house("hall 2 5", "kitchen 4 3", "garden 6 4 in front of hall"), party_walls=("left",))
    walls = walls_of(building)
    inner = [w for w in walls if w.role == "inner"]
    assert [(w.start, w.end) for w in inner] == [((2.0, 0.0), (2.0, 3.0))]
    # The hall's right wall goes on as an outer wall behind the kitchen.
    assert any(w.role == "outer" and w.start == (2.0, 3.0) and w.end == (2.0, 5.0) for w in walls)
    assert [w.role for w in walls if w.room_id == "hall" and w.edge == 3] == ["party"]
    assert not any(w.room_id == "garden" for w in walls)


@given(st.lists(st.tuples(st.integers(1, 6), st.integers(1, 6)), min_size=1, max_size=8))
def test_walls_cover_every_edge_once(sizes):
    building = Building()
    for i, (width, depth) in enumerate(sizes):
        building, _ = add_typed(building, f"r{i} {width} {depth}")
    total = sum(w.length_m * (2 if w.role == "inner" else 1) for w in walls_of(building))
    edges = sum(2 * (w + d) for w, d in sizes)
    assert total == pytest.approx(edges)


def test_a_wall_is_changed_from_either_side_and_openings_belong_to_it():
    building = house("hall 2 5", "kitchen 4 3")
    changed = replace(building, wall_changes=(WallChange("kitchen", 3, "hall", Build("concrete", 0.1)),))
    (wall,) = [w for w in walls_of(changed) if w.role == "inner"]
    assert wall.build == Build("concrete", 0.1)
    gone = replace(building, wall_changes=(WallChange("hall", 1, "kitchen", None),))
    (wall,) = [w for w in walls_of(gone) if w.role == "inner"]
    assert wall.build is None
    door = replace(building, openings=(Opening(id="d", kind="door", room_id="kitchen", edge=3, at_m=1.0),))
    (wall,) = [w for w in walls_of(door) if w.role == "inner"]
    # The kitchen's left edge runs to the front: 1 m from its start is 2 m from the wall's.
    assert wall.openings[0].at_m == pytest.approx(2.0)


def refused(building: Building, words: str) -> None:
    job = replace(kiln_row().job, building=building)
    with pytest.raises(BadInput, match=words):
        validate_job(job)


def test_what_cannot_be_is_named():
    good = kiln_row_building()
    box = ((0.0, 0.0), (3.0, 0.0), (3.0, 3.0), (0.0, 3.0))
    refused(
        replace(good, rooms=(*good.rooms, Room(id="x", name="Twin", storey=0, outline=box))),
        "must not overlap another room",
    )
    refused(
        replace(good, rooms=(Room(id="x", name="Twin", storey=0, outline=tuple(reversed(box))),)), "counter-clockwise"
    )
    refused(
        replace(good, rooms=(Room(id="x", name="Bow", storey=0, outline=(box[0], box[2], box[1], box[3])),)),
        "simple outline",
    )
    refused(replace(good, storeys=(Storey(0), Storey(2))), "without leaving one out")
    refused(replace(good, wall_changes=(WallChange("hall", 7),)), "edge of the room")
    refused(
        replace(good, openings=(Opening(id="o", kind="door", room_id="hall", edge=0, at_m=9.0),)),
        "must lie on the wall",
    )
    refused(
        replace(good, obstacles=(Obstacle(id="o", kind="mirror", storey=9, x_m=0, y_m=0, width_m=1),)),
        "floor of the house",
    )
    refused(
        replace(
            good,
            outlets=(
                Outlet(id="a", name="A", storey=0, x_m=0, y_m=0),
                Outlet(id="a", name="B", storey=0, x_m=0, y_m=0),
            ),
        ),
        "unique",
    )


def test_a_node_outside_the_house_is_pointed_out():
    job = kiln_row().job
    lost = replace(job.nodes[0], stand=Stand(storey=0, x_m=60.0, y_m=1.0))
    with pytest.raises(BadInput, match=r'nodes\[0\]\.stand.*node "Hall router"'):
        validate_job(replace(job, nodes=(lost, *job.nodes[1:])))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda b: b["storeys"][0].update(floor={"material": "brick", "thickness_m": 0}), "more than 0"),
        (lambda b: b.update(rooms=[b["rooms"][0]] * 10_000), "received 10000; accepted: at most 300"),
        (lambda b: b["obstacles"][0].update(kind="dragon"), "must be one of the values listed"),
    ],
)
def test_job_files_of_impossible_houses(change, words):
    import json

    data = job_to_data(kiln_row().job)
    change(data["building"])
    with pytest.raises(BadInput) as raised:
        read_job(json.dumps(data))
    assert words in raised.value.message


def test_a_house_survives_the_job_file():
    job = kiln_row().job
    assert read_job(write_job(job)) == job
