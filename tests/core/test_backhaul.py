"""The tree of nodes: hops, airtime, cables and cabled devices; its order held to networkx."""

from __future__ import annotations

from dataclasses import replace

import networkx as nx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.explain.backhaul import tree
from even_static.core.house.kit import Uplink
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.tables.placing import ASSUMED_LINK_DBM, CABLE_MBPS


def _chain(hops: int, *, devices: int = 0, level: float = -50.0):
    """Nodes hanging one on another by 5 GHz radio links at a level, on one block."""
    job = random_house(3, nodes=hops + 1, neighbours=0, devices=devices, zigbee_devices=0)
    nodes = [job.nodes[0]]
    for i, node in enumerate(job.nodes[1:], 1):
        nodes.append(replace(node, uplink=Uplink(to_node_id=f"node{i - 1}", band="5 GHz", rssi_dbm=level)))
    near = job.settings.of("n0-1")
    radios = tuple(replace(near, radio_id=s.radio_id) if s.radio_id.endswith("-1") else s for s in job.settings.radios)
    return replace(job, nodes=tuple(nodes), settings=replace(job.settings, radios=radios))


def test_an_extra_shared_hop_about_halves():
    """Common practice: each further hop on one radio about halves what is left (equal levels, a silent air)."""
    job = _chain(3)
    hops = tree(House(job), job.settings).hops
    first = hops[0].gets_mbps
    assert [h.hops for h in hops] == [1, 2, 3]
    for n, hop in enumerate(hops, 1):
        assert hop.gets_mbps == pytest.approx(first / n, rel=0.08)
    assert "halves" in hops[1].text
    assert "halves" not in hops[0].text


def test_a_cable_costs_no_airtime_and_helps_what_hangs_on_it():
    job = _chain(1, devices=6)
    cabled = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], uplink=Uplink(to_node_id="node0"))))
    (hop,) = tree(House(cabled), cabled.settings).hops
    assert (hop.by, hop.needs_fraction, hop.gets_mbps) == ("cable", 0.0, CABLE_MBPS)
    found = tree(House(job), job.settings)
    assert found.hops[0].needs_fraction > 0
    told = next(w for w in found.what_if if "a cable to it" in w.what)
    then = evaluate(cabled, cabled.settings)
    assert (told.problems, told.headroom) == (then.problems, then.headroom)
    assert not told.worse


def test_a_cabled_device_on_a_linked_node_loads_the_link_and_no_other_air():
    job = _chain(1, devices=4)
    wired = replace(job.devices[0], wired_to_id="node1", demand_down_mbps=20.0, demand_up_mbps=0.0)
    after = replace(job, devices=(wired, *job.devices[1:]))
    before = replace(job, devices=job.devices[1:])
    with_it, without = (tree(House(j), j.settings).hops[0] for j in (after, before))
    assert with_it.carries_mbps == pytest.approx(without.carries_mbps + 20)
    assert with_it.needs_fraction == pytest.approx(without.needs_fraction + 20 / with_it.clear_mbps)
    assert "no faster than the link" in with_it.text
    figures = {d.device_id: d for d in evaluate(after, after.settings).devices}
    assert figures[wired.id].radio_id is None
    assert figures[wired.id].carried
    assert not [t for t in evaluate(after, after.settings).problem_list if t.subject_id == wired.id]


@settings(max_examples=20)
@given(st.integers(2, 5), st.randoms(use_true_random=False))
def test_the_tree_is_networkx_s(count, rng):
    """Any tree of nodes, cable and radio mixed: hop counts and order are those of the graph."""
    job = random_house(7, nodes=count, neighbours=3, devices=4, zigbee_devices=0)
    nodes, graph = [job.nodes[0]], nx.DiGraph()
    graph.add_node("node0")
    for i in range(1, count):
        to = rng.randrange(i)
        band = rng.choice([None, "5 GHz"])
        nodes.append(
            replace(job.nodes[i], uplink=Uplink(to_node_id=f"node{to}", band=band, rssi_dbm=-55.0 if band else None))
        )
        graph.add_edge(f"node{to}", f"node{i}")
    job = replace(job, nodes=tuple(nodes))
    found = tree(House(job), job.settings)
    assert found.router_ids == ("node0",)
    assert {h.node_id: h.hops for h in found.hops} == {
        n: d for n, d in nx.single_source_shortest_path_length(graph, "node0").items() if d
    }
    order = [h.node_id for h in found.hops]
    assert all(order.index(a) < order.index(b) for a, b in graph.edges if a != "node0")
    assert all(h.gets_mbps >= 0 for h in found.hops)
    leaves = {n for n in graph if graph.out_degree(n) == 0} - {"node0"}
    assert {w.node_id for w in found.what_if if "without it" in w.what} == leaves


def test_a_link_that_nobody_read_is_heard_or_assumed_and_says_so():
    job = _chain(1, devices=3)
    unread = replace(job.nodes[1], uplink=replace(job.nodes[1].uplink, rssi_dbm=None))
    job = replace(job, nodes=(job.nodes[0], unread))
    house = House(job)
    (hop,) = tree(house, job.settings).hops
    # As the scanner heard the parent's radio at the node's own place.
    heard = float(house.air.own_rssi_dbm[house.radio_index["n0-1"], house.places[unread.place_id]])
    assert (hop.level_source, hop.level_known, hop.level_dbm) == ("heard", "measured", pytest.approx(heard))
    # With nothing heard anywhere it is what such links are placed for, and the hop says so.
    deaf = replace(job, scans=())
    (hop,) = tree(House(deaf), deaf.settings).hops
    assert (hop.level_source, hop.level_known, hop.level_dbm) == ("assumed", "assumed", ASSUMED_LINK_DBM)
    assert "assumed" in hop.text
    # And of no device is it said that it had no link.
    assert not [p for p in evaluate(deaf, deaf.settings).problem_list if p.kind == "no link"]
