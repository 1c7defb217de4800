"""Notes taken down line by line: worked examples, and properties that hold for whatever is typed."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.core.house.building import Building
from even_static.core.house.devices import device_ids
from even_static.core.house.entries import fresh_key
from even_static.core.house.job import Job
from even_static.core.house.notes import take_notes, times_a_week, when_of
from even_static.core.house.notes_written import notes_of
from even_static.core.house.rooms_as_places import with_rooms_as_places, with_rooms_known
from even_static.core.house.typed import add_typed
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.tables.house_templates import HOUSE_TEMPLATES
from even_static.formats.job_file import read_job, require_storable, write_job
from even_static.truth.drawn import drawn_house

EMPTY = Job(title="A call", country="NL")
VISIT = """the film stalls in the back bedroom on the television, every evening, since the new extender
calls break up in the study, twice a week
ground floor:
hall 2.4 4.2
kitchen 4 3.1 behind hall
upstairs
landing 2.4 4.2 above hall
study 3 3
back bedroom 4 3.1
router, hall
mesh node, landing
hub, hall, channel 15
zigbee plug, study
2 x zigbee motion sensor, landing
laptop, study
3 x phone, kitchen
doorbell, front door
old thing, hall
subscription 200/20"""
ODD = ("4", ",", "x", "hall", "zigbee", "3 x", "router", "\t;")


def test_a_visit_is_taken_down_with_rooms_and_devices_made_on_the_spot():
    taken = take_notes(EMPTY, VISIT)
    job = taken.job
    validate_job(job)
    assert taken.left == ""
    assert all(n.kind is not None for n in taken.notes)
    first, second = job.complaints
    assert (first.what, first.when, first.per_week, first.since) == (
        "video stalls",
        "in the evening",
        7.0,
        "the new extender",
    )
    places = {p.id: p for p in job.places}
    assert places[first.place_id or ""].name == "back bedroom"
    television = next(d for d in job.devices if d.id == first.device_id)
    assert (television.name, television.place_id) == ("television", first.place_id)
    assert (second.what, second.per_week, places[second.place_id or ""].name) == ("calls break up", 2.0, "study")
    # The room that the complaint named first is the one that was typed with a size afterwards: nobody enters it twice.
    names = [p.name for p in job.places]
    assert len(names) == len(set(names))
    bedroom = next(p for p in job.places if p.name == "back bedroom")
    assert bedroom.room_id is not None
    assert (bedroom.storey, bedroom.x_m is not None) == (1, True)
    assert [(n.name, n.uplink.band if n.uplink else None) for n in job.nodes] == [
        ("Router", None),
        ("Mesh node", "5 GHz"),
    ]
    assert job.zigbee is not None
    assert [(d.name, d.mains_powered) for d in job.zigbee.devices] == [
        ("plug", True),
        ("motion sensor 1", False),
        ("motion sensor 2", False),
    ]
    assert [d.name for d in job.devices if d.unknown] == ["old thing"]
    assert job.subscription is not None
    assert (job.subscription.down_mbps, job.subscription.up_mbps) == (200.0, 20.0)
    assert evaluate(House(job), job.settings).lawful


@pytest.mark.parametrize(
    ("line", "kind", "part"),
    [
        ("everything is slow in the evening", "complaint", "everything is slow, everywhere, in the evening"),
        ("the motion sensor in the hall goes missing twice a day", "complaint", "hall, at random, 14 times"),
        ("my laptop drops off in the study when the microwave runs", "complaint", "laptop, while something runs"),
        ("no wi-fi in the attic", "complaint", "a room is slow, attic"),
        ("kitchen, bathroom, attic", "room", "Rooms: kitchen, bathroom, attic"),
        ("kitchen 4.2 3.1", "room", "4.2 by 3.1 m, ground floor"),
        ("12 x bulb, attic", "device", "12 × bulb: small 2.4 GHz gadget"),
        ("router, hall, three bands ax", "node", "three bands, 802.11ax"),
        ("internet 100 by 20", "line", "100 Mb/s down, 20 Mb/s up"),
        ("second floor", "floor", "second floor"),
        ("attic:", "floor", "first floor"),
        ("built as a timber frame", "built", "timber frame"),
    ],
)
def test_a_line_is_understood_by_its_words(line: str, kind: str, part: str):
    (note,) = take_notes(EMPTY, line).notes
    assert note.kind == kind
    assert part in note.said


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("television kitchen wall", "room where it is used"),
        ("zigbee plug, study", "after the hub"),
        ("hub, hall, channel 40", "11 to 26"),
        ("garden 6 4 behind kitchen", "kitchen"),
        ("cupboard 0.1 0.1", "room's size"),
        ("built as a castle", "brick terrace"),
    ],
)
def test_a_line_that_is_not_understood_is_left_and_says_what_one_looks_like(line: str, said: str):
    taken = take_notes(EMPTY, f"hall 2 2\n{line}\nlanding 2 2 above hall")
    assert [n.kind for n in taken.notes] == ["room", None, "room"]
    assert said in taken.notes[1].said
    assert taken.left == line


def test_how_often_and_when_are_read_from_words():
    assert times_a_week("3 times a week") == 3
    assert times_a_week("2x per day") == 14
    assert times_a_week("now and then") is None
    assert when_of("all the time") == "always"
    assert when_of("since the new router") == "since something changed"


@settings(max_examples=150, deadline=None)
@given(
    st.lists(
        st.sampled_from([*VISIT.splitlines(), "4", ",", "x", "hall", "zigbee", "3 x", "router", "\t;"]), max_size=25
    )
)
def test_any_order_of_lines_gives_a_call_that_keeps_its_rules(lines: list[str]):
    taken = take_notes(EMPTY, "\n".join(lines))
    validate_job(taken.job)
    assert len({p.id for p in taken.job.places}) == len(taken.job.places)
    # What was left says the same again: nothing is half taken.
    again = take_notes(taken.job, taken.left)
    assert [n.kind for n in again.notes if n.kind not in ("heading", "floor")].count(None) <= len(lines)


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=120))
def test_whatever_is_typed_raises_nothing(text: str):
    validate_job(take_notes(EMPTY, text).job)


@pytest.mark.parametrize("template", HOUSE_TEMPLATES, ids=lambda t: t.name)
def test_the_templates_are_houses(template):
    taken = take_notes(EMPTY, template.notes)
    assert taken.left == ""
    assert taken.job.building is not None
    assert f"built as {taken.job.building.house_type}" in template.notes
    assert len(taken.job.building.rooms) == len(taken.job.places) >= 5


@pytest.mark.parametrize("seed", range(5000, 5006))
def test_a_call_written_as_notes_and_taken_down_again_is_the_same_house(seed: int):
    job = drawn_house(seed).job
    again = take_notes(EMPTY, notes_of(job))
    assert again.left == ""
    there, here = again.job, job
    assert {(r.name, r.storey, r.outline[0], r.outline[2]) for r in there.building.rooms} == {  # type: ignore[union-attr]
        (r.name, r.storey, r.outline[0], r.outline[2])
        for r in here.building.rooms  # type: ignore[union-attr]
    }
    names = {p.id: p.name for p in there.places}, {p.id: p.name for p in here.places}
    for one, other in ((there.devices, here.devices), (there.nodes, here.nodes)):
        assert [(d.name, names[0][d.place_id]) for d in one] == [(d.name, names[1][d.place_id]) for d in other]
    if here.zigbee is not None:
        assert there.zigbee is not None
        assert [(d.name, d.mains_powered) for d in there.zigbee.devices] == [
            (d.name, d.mains_powered) for d in here.zigbee.devices
        ]


def test_rooms_are_places_and_old_places_keep_what_they_have():
    building, _ = add_typed(Building(), "hall 2 4")
    job = with_rooms_as_places(replace(EMPTY, building=building), None)
    assert [(p.name, p.x_m, p.y_m, p.room_id) for p in job.places] == [("hall", 1.0, 2.0, "hall")]
    # A room that was there before makes no place: nothing that was measured changes.
    more, _ = add_typed(building, "kitchen 3 3 behind hall")
    later = with_rooms_as_places(replace(EMPTY, building=more), building)
    assert [p.name for p in later.places] == ["kitchen"]
    # A spot of an old call hangs on the room that it lies in.
    old = random_house(1)
    spot = replace(old.places[0], x_m=1.0, y_m=1.0, storey=0)
    known = with_rooms_known(replace(old, building=more, places=(spot, *old.places[1:])))
    assert known.places[0].room_id == "hall"
    assert known.places[0].name == spot.name


def test_a_line_that_is_left_takes_nothing():
    """A second hub is refused: the room that its line names is not made either."""
    taken = take_notes(EMPTY, "hub, hall, channel 15\nhub, pantry, channel 15\nzigbee plug\nrouter, hall")
    assert [n.kind for n in taken.notes] == ["hub", None, None, "node"]
    assert [p.name for p in taken.job.places] == ["hall"]


@pytest.mark.parametrize(
    ("line", "times", "field"),
    [
        ("calls break up in the study, twice a week", 60, "complaints"),
        ("subscription 99999999/5", 1, "down_mbps"),
    ],
)
def test_what_could_not_be_read_back_is_left(line: str, times: int, field: str):
    """Bounds and longest lists are those of the job file: beyond them a line says so, and what is stored is whole."""
    taken = take_notes(EMPTY, "\n".join([line] * times), require_storable)
    left = [n for n in taken.notes if n.kind is None]
    assert left
    assert read_job(write_job(taken.job)) == taken.job
    whole = take_notes(EMPTY, "\n".join([line] * times)).job
    with pytest.raises(BadInput, match=field):
        require_storable(EMPTY, whole)


def test_a_kit_is_known_by_its_newest_generation_not_by_the_alphabet():
    """802.11n comes after 802.11ac in the alphabet and before it in the order of generations."""
    job = take_notes(EMPTY, "router, hall, dual ac\naccess point, attic, cable").job
    assert [r.generation for n in job.nodes for r in n.radios] == ["802.11n", "802.11ac"] * 2
    assert "router, hall, dual band 802.11ac" in notes_of(job).lower()


def test_a_device_of_one_name_on_two_networks_is_two_devices():
    """A drop-out or a complaint names one of them by its identifier."""
    job = take_notes(EMPTY, "router, hall\nhub, hall, channel 15\nzigbee plug, hall\nplug, hall\nzigbee lamp, hall").job
    assert len(device_ids(job)) == 3
    assert len(set(device_ids(job))) == 3
    assert fresh_key(job, "zigbee_devices", "plug") not in device_ids(job)


@pytest.mark.parametrize("said", ["found by the mesh", "the mesh finds it", "self-forming", "forms itself"])
def test_a_link_that_the_mesh_finds_itself_is_noted_and_written_again(said: str):
    job = take_notes(EMPTY, f"router, hall, three bands ax\nmesh node, landing, {said}\nnode, attic, over the air").job
    found = {n.name: n for n in job.nodes}
    assert [n.self_forming for n in job.nodes] == [False, True, False]
    assert found["Mesh node"].uplink is not None
    assert found["Mesh node"].uplink.band == "5 GHz"
    again = take_notes(EMPTY, notes_of(job)).job
    assert [(n.self_forming, n.uplink and n.uplink.band) for n in again.nodes] == [
        (n.self_forming, n.uplink and n.uplink.band) for n in job.nodes
    ]


def test_the_floor_under_the_roof_is_over_all_others_and_a_heading_that_nobody_knows_is_refused():
    rooms = "hall 2 4\nupstairs\nlanding 2 4 above hall\nloft:\nstudio 6 5 above landing\nbath 2 2 right of studio"
    job = take_notes(Job(title="A call", country="NL"), rooms).job
    assert {p.name: p.storey for p in job.places} == {"hall": 0, "landing": 1, "studio": 2, "bath": 2}
    found = take_notes(Job(title="A call", country="NL"), "plants:\nhall 2 4")
    assert found.left.splitlines() == ["plants:"]
    assert "attic:" in found.notes[0].said
    assert [p.name for p in found.job.places] == ["hall"]


def test_the_device_that_is_complained_of_is_one_of_those_listed():
    """Two laptops in the study are two, though a complaint has made one of them; another room's are others."""
    told = "calls freeze in the study on the laptop\n2 x laptop, study\nlaptop, attic\nlaptop 2, attic"
    found = take_notes(Job(title="A call", country="NL"), told)
    names = {p.id: p.name for p in found.job.places}
    assert [(d.name, names[d.place_id]) for d in found.job.devices] == [
        ("laptop", "study"),
        ("laptop 2", "study"),
        ("laptop", "attic"),
        ("laptop 2", "attic"),
    ]
    assert found.notes[1].said == "2 × laptop: laptop with video calls, study, the one in the complaint among them"
    one = take_notes(Job(title="A call", country="NL"), "calls freeze in the study on the laptop\nlaptop, study")
    assert len(one.job.devices) == 1
    assert one.notes[1].said == "Laptop: the one in the complaint, study"
