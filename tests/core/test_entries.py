"""Single entries of a call's lists: what is added, changed, and taken away with what names it."""

from __future__ import annotations

import json
from dataclasses import asdict, replace

import pytest
from tests.houses import random_house

from even_static.core.change.sheet import make_sheet
from even_static.core.change.sheet_view import sheet_view
from even_static.core.errors import BadInput, NotFound
from even_static.core.house.building import Building, NodeStand, Stand, WallChange
from even_static.core.house.entries import (
    LISTS,
    entries_of,
    key_of,
    with_hub,
    with_mesh_device,
    with_stands,
    with_wall,
    without_mesh,
)
from even_static.core.house.kit import Place, Switch
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.settings import SsidPlan
from even_static.core.house.typed import add_typed
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.spectrum.lawful import lawful_blocks
from even_static.formats.entries import entry_added, entry_changed, entry_removed, job_patched, merge_patched
from even_static.formats.job_file import read_job, write_job


@pytest.fixture(scope="module")
def job():
    return random_house(5, nodes=3, radio_link=True, devices=6)


# RFC 7396, appendix A, but for the cases that remove a member: here null empties a field.
RFC_7396 = [
    ({"a": "b"}, {"a": "c"}, {"a": "c"}),
    ({"a": "b"}, {"b": "c"}, {"a": "b", "b": "c"}),
    ({"a": ["b"]}, {"a": "c"}, {"a": "c"}),
    ({"a": "c"}, {"a": ["b"]}, {"a": ["b"]}),
    ({"a": [{"b": "c"}]}, {"a": [1]}, {"a": [1]}),
    (["a", "b"], ["c", "d"], ["c", "d"]),
    ({"a": "b"}, ["c"], ["c"]),
    ({"a": "foo"}, "bar", "bar"),
    ({"e": None}, {"a": 1}, {"e": None, "a": 1}),
    ([1, 2], {"a": "b"}, {"a": "b"}),
]


@pytest.mark.parametrize(("value", "patch", "expected"), RFC_7396)
def test_merge_patches_are_those_of_rfc_7396(value, patch, expected):
    assert merge_patched(value, patch) == expected


def test_every_list_can_be_written_and_read_back_entry_by_entry(job):
    """Laying an empty patch over any entry changes nothing, in every list that the house has."""
    seen = set()
    for name in LISTS:
        for entry in entries_of(job, name):
            seen.add(name)
            assert entry_changed(job, name, key_of(name, entry), {}) == job
    assert {"places", "nodes", "radios", "radio_settings", "devices"} <= seen
    assert read_job(write_job(job)) == job


def test_a_new_entry_is_named_after_what_it_is_called(job):
    found = entry_added(job, "places", {"name": "Müller's loft", "storey": 2})
    found = entry_added(found, "places", {"name": "Müller's loft", "storey": 2})
    assert [p.id for p in found.places[-2:]] == ["muller-s-loft", "muller-s-loft-2"]
    found = entry_added(found, "complaints", {"what": "a room is slow"})
    assert found.complaints[-1].id == "a-room-is-slow"
    found = entry_added(found, "drop_outs", {"at": "2026-03-02T19:30:00Z"})
    assert found.drop_outs[-1].id == "drop-out"


def test_a_patch_reaches_into_an_entry_and_leaves_the_rest(job):
    fed = next(n for n in job.nodes if n.uplink is not None and n.uplink.band is not None)
    found = entry_changed(job, "nodes", fed.id, {"uplink": {"rssi_dbm": -61.0}})
    (now,) = (n for n in found.nodes if n.id == fed.id)
    assert now == replace(fed, uplink=replace(fed.uplink, rssi_dbm=-61.0))
    radio = job.radios[0]
    found = entry_changed(job, "radios", radio.id, {"ssid": "elsewhere"})
    assert found.radio(radio.id) == replace(radio, ssid="elsewhere")
    assert found.radios[1:] == job.radios[1:]
    found = entry_changed(job, "nodes", fed.id, {"uplink": None})
    assert next(n for n in found.nodes if n.id == fed.id).uplink is None
    assert job_patched(job, {"title": "other", "settings": {"ssid_plan": {"kind": job.settings.ssid_plan.kind}}}) == (
        replace(job, title="other")
    )


def test_what_names_an_entry_goes_with_it(job):
    device, other = job.devices[:2]
    plan = replace(job.settings.ssid_plan, device_network=(device.id,))
    told = replace(
        job,
        settings=replace(job.settings, ssid_plan=plan),
        device_network_mbps=5.0,
        devices=tuple(replace(d, relayed_by_id=device.id) if d.id == other.id else d for d in job.devices),
    )
    validate_job(told)
    left = entry_removed(told, "devices", device.id)
    assert left.settings.ssid_plan == SsidPlan(kind=plan.kind)
    assert [d.id for d in left.devices] == [d.id for d in job.devices[1:]]
    assert next(d for d in left.devices if d.id == other.id).relayed_by_id is None

    leaf = next(n for n in job.nodes if all(o.uplink is None or o.uplink.to_node_id != n.id for o in job.nodes))
    left = entry_removed(job, "nodes", leaf.id)
    gone = {r.id for r in leaf.radios}
    assert gone
    assert not gone & {s.radio_id for s in left.settings.radios}
    assert all(not gone & {s.radio_id for s in scan.settings.radios} for scan in left.scans if scan.settings)

    switched = replace(
        job,
        switches=(Switch(id="s", name="S"), Switch(id="t", name="T", behind_switch_id="s")),
        nodes=tuple(
            replace(n, uplink=replace(n.uplink, band=None, rssi_dbm=None, switch_id="s")) if n.id == leaf.id else n
            for n in job.nodes
        ),
    )
    validate_job(switched)
    left = entry_removed(switched, "switches", "s")
    assert left.switches == (Switch(id="t", name="T"),)
    assert next(n for n in left.nodes if n.id == leaf.id).uplink.switch_id is None


def test_what_is_still_needed_stays_and_says_by_whom(job):
    place = job.nodes[0].place_id
    with pytest.raises(BadInput) as error:
        entry_removed(job, "places", place)
    assert place in str(error.value)
    with pytest.raises(NotFound, match=r"places\.id: must name an entry of the list; received nowhere"):
        entry_removed(job, "places", "nowhere")
    with pytest.raises(BadInput, match="entries are taken from by themselves"):
        entry_removed(job, "radios", job.radios[0].id)
    with pytest.raises(BadInput, match="entries are added to by themselves"):
        entry_added(job, "radio_settings", asdict(job.settings.radios[0]))
    with pytest.raises(BadInput, match=r"devices\.demand_down_mbps: must lie in its range; received -1"):
        entry_changed(job, "devices", job.devices[0].id, {"demand_down_mbps": -1})
    with pytest.raises(BadInput, match=r"places\.colour.*: is not a field of this format"):
        entry_added(job, "places", {"name": "x", "colour": "red"})


def test_a_mesh_comes_and_goes_with_what_belongs_to_it(job):
    place = job.places[0].id
    bare = without_mesh(without_mesh(job, "zigbee"), "thread")
    assert (bare.zigbee, bare.settings.zigbee_channel, bare.zigbee_reports) == (None, None, ())
    hub = with_hub(bare, place, 17, fixed=False)
    assert hub.settings.zigbee_channel == 17
    assert {11, 15, 17, 20, 25} <= set(hub.zigbee.selectable_channels)
    assert 26 not in hub.zigbee.selectable_channels
    assert with_hub(bare, place, 17, fixed=True).zigbee.selectable_channels == (17,)
    with pytest.raises(BadInput, match="must not be there yet"):
        with_hub(hub, place, 15, fixed=True)

    lamp = MeshDevice(id="lamp", name="Lamp", place_id=place, mains_powered=True)
    bulb = MeshDevice(id="bulb", name="Bulb", place_id=place)
    made = with_mesh_device(hub, "zigbee", lamp, from_id="hub", rssi_dbm=-60.0)
    made = with_mesh_device(made, "zigbee", bulb, from_id="lamp", rssi_dbm=-70.0)
    validate_job(made)
    assert {link.came_from for link in made.zigbee.links} == {"typed"}
    left = entry_removed(made, "zigbee_devices", "lamp")
    assert left.zigbee.links == ()
    assert [d.id for d in left.zigbee.devices] == ["bulb"]
    with pytest.raises(BadInput, match="thread: must be entered first"):
        with_mesh_device(hub, "thread", lamp, from_id="border", rssi_dbm=-60.0)


def test_walls_and_stands_are_written_down_once():
    job = random_house(1)
    building, _ = add_typed(Building(), "kitchen 4 3")
    job = replace(job, building=building)
    room = building.rooms[0].id
    open_wall = WallChange(room_id=room, edge=1)
    twice = with_wall(with_wall(job, open_wall), open_wall)
    assert twice.building.wall_changes == (open_wall,)
    stand = Stand(storey=0, x_m=1.0, y_m=1.0)
    moved = with_stands(job, [NodeStand(node_id=job.nodes[0].id, stand=stand)])
    assert moved.nodes[0].stand == stand
    assert moved.nodes[1:] == job.nodes[1:]
    with pytest.raises(NotFound):
        with_stands(job, [NodeStand(node_id="ghost", stand=stand)])


def test_the_same_entry_comes_from_the_file_and_from_the_wire(job):
    """What the API takes for an entry is what the job file holds for it."""
    place = Place(id="cellar", name="Cellar", storey=-1)
    added = entry_added(job, "places", json.loads(json.dumps(asdict(place))))
    assert added == replace(job, places=(*job.places, place))


def test_what_is_not_here_yet_or_not_the_household_s_own_is_said(job):
    """A device that is not bought yet counts, and its problem says so; a provider's node carries a caution."""
    away = replace(job.devices[0], demand_down_mbps=5000.0, must_have=True)
    job = replace(job, devices=(away, *job.devices[1:]))
    bought = [p for p in evaluate(job, job.settings).problem_list if p.subject_id == away.id]
    planned = entry_changed(job, "devices", away.id, {"planned": True})
    found = [p for p in evaluate(planned, planned.settings).problem_list if p.subject_id == away.id]
    assert [p.text for p in found] == [f"{p.text}; it is not bought yet" for p in bought]
    assert found
    node = job.nodes[0]
    after = with_changed_channel(job, node)
    sheet = make_sheet(job, after, "x", "2026-03-02T20:00:00Z")
    theirs = entry_changed(replace(job, sheet=sheet), "nodes", node.id, {"of_the_provider": True})
    (said,) = [s.note for s in sheet_view(theirs).steps if s.title == node.name]
    assert "belongs to the provider" in said
    (ours,) = [s.note for s in sheet_view(replace(job, sheet=sheet)).steps if s.title == node.name]
    assert ours == ""


def with_changed_channel(job, node):
    radio = node.radios[0]
    now = job.settings.of(radio.id)
    other = next(b for b in lawful_blocks(job.country, radio.band, 20) if b.block.channel != now.channel)
    moved = replace(now, channel=other.block.channel, width_mhz=20, centre_mhz=None)
    return replace(job.settings, radios=tuple(moved if s.radio_id == radio.id else s for s in job.settings.radios))
