"""The change sheet: an order that never cuts off what is still to be changed, and settings that follow every step."""

from __future__ import annotations

import itertools
from dataclasses import replace

import networkx as nx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.change.sheet import acted, differences, make_sheet, order_of_nodes, taken_back
from even_static.core.change.sheet_view import sheet_view
from even_static.core.errors import BadInput, NotFound
from even_static.core.house.kit import Uplink
from even_static.core.house.links import link_ends
from even_static.core.house.settings import SsidPlan, setting_block
from even_static.core.house.validate import validate_job
from even_static.core.tables.work import HUB_S, RADAR_S

NOW = "2026-03-02T20:00:00Z"


def tree_house(seed: int, parents: list[int], by_radio: list[bool]):
    """A house of nodes hanging on each other as told, by cable or by 5 GHz radio, all links on one block."""
    job = random_house(seed, nodes=len(parents) + 1, neighbours=0, devices=6, zigbee_devices=3)
    nodes = [job.nodes[0]]
    for n, (parent, radio) in enumerate(zip(parents, by_radio, strict=True), 1):
        up = (
            Uplink(to_node_id=f"node{parent}", band="5 GHz", rssi_dbm=-55.0)
            if radio
            else Uplink(to_node_id=f"node{parent}")
        )
        nodes.append(replace(job.nodes[n], uplink=up))
    near = replace(job.settings.of("n0-1"), channel=36, width_mhz=80, centre_mhz=5210)
    radios = tuple(replace(near, radio_id=s.radio_id) if s.radio_id.endswith("-1") else s for s in job.settings.radios)
    job = replace(job, nodes=tuple(nodes), settings=replace(job.settings, radios=radios))
    validate_job(job)
    return job


def moved(job, **more):
    """Everything changed: all 5 GHz radios to 44, all 2.4 GHz radios to 11 at 20 MHz."""
    radios = []
    for s in job.settings.radios:
        band = job.radio(s.radio_id).band
        if band == "5 GHz":
            s = replace(s, channel=44, width_mhz=20, centre_mhz=5220)
        elif band == "2.4 GHz":
            s = replace(s, channel=11 if s.channel != 11 else 1, width_mhz=20, centre_mhz=None)
        radios.append(s)
    return replace(job.settings, radios=tuple(radios), **more)


def reached(job, router: str) -> set[str]:
    """Nodes that the router reaches now: cables, and radio links whose two ends are on one block."""
    graph = nx.Graph()
    graph.add_nodes_from(n.id for n in job.nodes)
    for node in job.nodes:
        if node.uplink is None:
            continue
        ends = link_ends(job, node.id)
        blocks = [setting_block(job.radio(e), job.settings.of(e)) for e in ends or ()]
        if ends is None or blocks[0] == blocks[1]:
            graph.add_edge(node.id, node.uplink.to_node_id)
    return set(nx.node_connected_component(graph, router))


@st.composite
def trees(draw):
    count = draw(st.integers(1, 4))
    parents = [draw(st.integers(0, n)) for n in range(count)]
    return draw(st.integers(0, 999)), parents, [draw(st.booleans()) for _ in range(count)]


@settings(max_examples=40)
@given(trees())
def test_no_step_comes_when_its_box_cannot_be_reached(tree):
    """Whatever the tree: when a box's turn comes, the router still reaches it; in the end it reaches all of them."""
    job = tree_house(*tree)
    job = replace(job, sheet=make_sheet(job, moved(job), "s", NOW))
    for step in job.sheet.steps:
        assert step.node_id in reached(job, "node0")
        job = acted(job, step.id, NOW, by="hand")
    assert reached(job, "node0") == {n.id for n in job.nodes}
    assert job.settings.radios == job.sheet.after.radios


@given(trees())
def test_the_farthest_node_comes_first(tree):
    job = tree_house(*tree)
    graph = nx.DiGraph((n.uplink.to_node_id, n.id) for n in job.nodes if n.uplink)
    depth = nx.single_source_shortest_path_length(graph, "node0") if len(graph) else {"node0": 0}
    order = [depth[i] for i in order_of_nodes(job)]
    assert order == sorted(order, reverse=True)


def chain():
    return tree_house(3, [0, 1], [True, True])


def test_settings_follow_every_step_and_the_last_writes_the_change_down():
    job = chain()
    wanted = moved(
        job, ssid_plan=SsidPlan(high_band_from_dbm=-65.0), zigbee_channel=25 - (job.settings.zigbee_channel == 25)
    )
    start = job.settings
    job = replace(job, sheet=make_sheet(job, wanted, "s", NOW, "the best"))
    assert [s.id for s in job.sheet.steps] == ["box-node2", "box-node1", "box-node0", "ssids", "hub"]
    for n, step in enumerate(job.sheet.steps):
        assert job.changes == ()
        view = sheet_view(job)
        assert [s.may_act for s in view.steps] == [k == n for k in range(5)]
        assert view.done == n
        # The last one is set, and nobody reads it back.
        job = acted(job, step.id, NOW, by="hand", read_back=n < 4)
        validate_job(job)
    (change,) = job.changes
    assert (change.before, change.after, change.reason) == (start, wanted, "the best")
    assert sheet_view(job).text == "all done; 1 step not read back"
    read = replace(job.sheet.steps[-1], read_back=True)
    job = replace(job, sheet=replace(job.sheet, steps=(*job.sheet.steps[:-1], read)))
    assert sheet_view(job).text == "all done, every value read back as wanted"


def test_steps_are_taken_back_in_reverse_and_the_house_is_as_before():
    job = chain()
    start = job.settings
    job = replace(job, sheet=make_sheet(job, moved(job), "s", NOW))
    ids = [s.id for s in job.sheet.steps]
    for step_id in ids:
        job = acted(job, step_id, NOW, by="hand")
    with pytest.raises(BadInput, match="last one that was done"):
        taken_back(job, ids[0], NOW, by="hand")
    for step_id in reversed(ids):
        job = taken_back(job, step_id, NOW, by="hand")
    assert job.settings == start
    assert job.changes == ()
    assert {s.state for s in job.sheet.steps} == {"taken back"}
    again = acted(job, ids[0], NOW, by="hand")
    assert again.sheet.steps[0].state == "done"


def test_turns_are_kept_and_unknown_steps_named():
    job = chain()
    with pytest.raises(NotFound, match="must have been made"):
        acted(job, "box-node0", NOW, by="hand")
    with pytest.raises(BadInput, match="must change something"):
        make_sheet(job, job.settings, "s", NOW)
    job = replace(job, sheet=make_sheet(job, moved(job), "s", NOW))
    with pytest.raises(BadInput, match="must come in its turn"):
        acted(job, "box-node0", NOW, by="hand")
    with pytest.raises(NotFound, match="must name a step of the sheet"):
        acted(job, "box-ghost", NOW, by="hand")
    job = acted(job, "box-node2", NOW, by="hand")
    with pytest.raises(BadInput, match="must be open"):
        acted(job, "box-node2", NOW, by="hand")


def test_what_reads_back_otherwise_is_caught_and_kept():
    job = chain()
    job = replace(job, sheet=make_sheet(job, moved(job), "s", NOW))
    step = job.sheet.steps[0]
    mine = {r.id for r in job.nodes[2].radios}
    real = replace(
        job.settings,
        radios=tuple(
            replace(job.sheet.after.of(s.radio_id), eirp_dbm=11.0)
            if s.radio_id == "n2-0"
            else s
            if s.radio_id not in mine
            else job.sheet.after.of(s.radio_id)
            for s in job.settings.radios
        ),
    )
    said = differences(job, job.sheet, step, real)
    assert said.startswith("n2-0: channel")
    assert "11 dBm was read back" in said
    job = acted(job, step.id, NOW, by="application", found=said, real=real)
    assert job.settings.of("n2-0").eirp_dbm == 11.0
    view = sheet_view(job)
    assert (view.steps[0].state, view.steps[0].found, view.differs) == ("differs", said, 1)
    assert differences(job, job.sheet, job.sheet.steps[1], job.sheet.after) == ""


def test_each_step_says_what_to_set_how_long_who_drops_off_and_how_to_go_back():
    job = chain()
    wanted = moved(job, zigbee_channel=25 - (job.settings.zigbee_channel == 25))
    radar = tuple(
        replace(s, channel=100, width_mhz=20, centre_mhz=5500) if s.radio_id.endswith("-1") else s
        for s in wanted.radios
    )
    job = replace(job, sheet=make_sheet(job, replace(wanted, radios=radar), "s", NOW))
    plain = replace(job, sheet=make_sheet(job, wanted, "s", NOW))
    for slow, quick in zip(sheet_view(job).steps[:3], sheet_view(plain).steps[:3], strict=True):
        assert slow.wait_s == quick.wait_s + RADAR_S
        assert "radar check" in slow.check
        assert "radar check" not in quick.check
    far, middle, router, hub = sheet_view(job).steps
    assert "its link is away until node 1 follows in step 2: that is right" in far.lines
    assert "brings the link to node 2 back: see it come up" in middle.lines
    assert far.away_s > far.wait_s
    assert router.away_s == router.wait_s
    assert hub.wait_s == HUB_S
    assert len(hub.drops) == 3
    assert "channel 36, 80 MHz" in far.back
    homes = [name for step in (far, middle, router) for name in step.drops]
    assert len(homes) == len(set(homes))
    assert all(s.caution for s in (hub, *(x for x in (far, middle, router) if x.drops)))
    view = sheet_view(job)
    assert view.total_s == sum(s.wait_s for s in view.steps)
    assert "weekday between 9 and 11" in view.when
    assert "somebody can walk to its battery devices" in view.when


def test_a_quieter_part_of_the_day_that_was_heard_is_proposed():
    job = chain()
    interferer = replace(job.scans[0].readings[0], bssid="06:00:00:00:00:01", channel_use_fraction=0.5, rssi_dbm=-60.0)
    loud = [replace(li, readings=(*li.readings, interferer)) for li in job.scans]
    early = [replace(li, id=f"e-{li.id}", heard_at="2026-03-02T09:00:00Z") for li in job.scans]
    job = replace(job, scans=(*loud, *early))
    job = replace(job, sheet=make_sheet(job, moved(job), "s", NOW))
    assert sheet_view(job).when.startswith("Best done in the morning, 6 to 12 h: the quietest part")


def test_orders_hold_for_every_way_of_listing_the_nodes():
    job = tree_house(5, [0, 0, 1], [True, False, True])
    for nodes in itertools.permutations(job.nodes):
        order = order_of_nodes(replace(job, nodes=nodes))
        assert order[0] == "node3"
        assert order[-1] == "node0"
