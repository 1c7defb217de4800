"""What would help a mesh: every spot tried, links predicted by the house's own physics, routes held to networkx."""

from __future__ import annotations

import math
from dataclasses import replace

import networkx as nx
import numpy as np
import pytest

from even_static.core.explain.zigbee_help import (
    REPEATER_ID,
    facing_gain_db,
    predicted_links,
    zigbee_help,
    zigbee_level_dbm,
)
from even_static.core.house.kit import HUB_ID
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.model.zigbee_mesh import zigbee_mesh
from even_static.core.propagation.coverage import Coverage
from even_static.core.tables.zigbee import LEAST_LINK_DBM, ZIGBEE_EIRP_DBM
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row


@pytest.fixture(scope="module")
def job():
    return measure(world_of(kiln_row()), "before")


@pytest.fixture(scope="module")
def found(job):
    return zigbee_help(House(job), job.settings)


def test_levels_are_free_space_in_the_open_and_the_same_both_ways(job):
    """ITU-R P.525 at 2450 MHz, plus the calibrated clutter; a wall between takes its own loss."""
    coverage = Coverage(job)
    a, b = (2.2, 0.6, 1.2), (7.0, 0.6, 1.2)
    clutter = float(coverage.fit.value[coverage.fit.terms.clutter(0)])
    far = math.dist(a, b)
    free = 20 * math.log10(2450) + 20 * math.log10(far) - 27.55
    assert zigbee_level_dbm(coverage, a, b) == pytest.approx(ZIGBEE_EIRP_DBM - free - clutter * far, abs=0.05)
    assert zigbee_level_dbm(coverage, a, b) == pytest.approx(zigbee_level_dbm(coverage, b, a), abs=0.1)
    upstairs = (7.0, 0.6, 3.9)
    lost = ZIGBEE_EIRP_DBM - zigbee_level_dbm(coverage, a, upstairs)
    assert lost > 20 * math.log10(2450) + 20 * math.log10(math.dist(a, upstairs)) - 27.55 + 2


def test_only_what_nobody_measured_is_predicted(job):
    links = predicted_links(job, Coverage(job))
    known = {frozenset((li.a_id, li.b_id)) for li in job.zigbee.links}
    relays = {HUB_ID} | {d.id for d in job.zigbee.devices if d.mains_powered}
    for li in links:
        assert frozenset((li.a_id, li.b_id)) not in known
        assert li.a_id in relays
        assert li.rssi_dbm >= LEAST_LINK_DBM
    bare = replace(job, zigbee=replace(job.zigbee, links=()))
    assert len(predicted_links(bare, Coverage(bare))) > 10


def test_the_best_spot_is_the_best_of_all(job, found):
    """Each spot by itself, its mesh built here and its house from nothing; the first of the list must be the best."""
    coverage = Coverage(job)
    assert found.tried == len([o for o in job.building.outlets if o.power]) + sum(not p.outdoors for p in job.places)
    best = found.repeater[0]
    place = replace(job.places[0], id="here", x_m=best.x_m, y_m=best.y_m, storey=best.storey, height_m=0.4)
    points = {HUB_ID: job.zigbee.hub_place_id, **{d.id: d.place_id for d in job.zigbee.devices}}
    from even_static.core.propagation.stands import place_point

    at = {k: place_point(job, next(p for p in job.places if p.id == v)) for k, v in points.items()}
    here = (best.x_m, best.y_m, job.building.elevation_m(best.storey) + 0.4)
    links = [
        MeshLink(REPEATER_ID, k, level)
        for k, p in at.items()
        for level in [zigbee_level_dbm(coverage, here, p)]
        if level >= LEAST_LINK_DBM
    ]
    device = MeshDevice(REPEATER_ID, "repeater", "here", True)
    mesh = replace(job.zigbee, devices=(*job.zigbee.devices, device), links=(*job.zigbee.links, *links))
    whole = evaluate(replace(job, places=(*job.places, place), zigbee=mesh), job.settings)
    delivery = [z.delivery for z in whole.zigbee if z.device_id != REPEATER_ID]
    assert best.worst == pytest.approx(min(delivery), abs=0.01)
    ranks = [(s.short, -round(s.worst, 3), -s.mean) for s in found.repeater]
    assert ranks == sorted(ranks)
    # One more mains device never spoils a mesh: every route that was there still is.
    assert best.short <= found.short
    assert best.worst >= found.worst - 1e-9


def test_channels_carry_their_figures_and_their_price(job, found):
    """Battery devices may have to be paired again after a move: common practice."""
    for c in found.channels:
        then = evaluate(job, replace(job.settings, zigbee_channel=c.channel))
        assert c.worst == pytest.approx(then.worst_zigbee_delivery)
        assert c.may_need_pairing == (0 if c.now else sum(not d.mains_powered for d in job.zigbee.devices))
    with_26 = replace(job, zigbee=replace(job.zigbee, selectable_channels=(18, 26)))
    told = zigbee_help(House(with_26), with_26.settings).channels
    assert [bool(c.caution) for c in told] == [False, True]


def test_a_hub_on_top_of_a_box_is_told_to_move(found):
    """A metre or more between hub and Wi-Fi: common practice."""
    assert found.near_node_id == "landing"
    assert found.near_m < 1
    assert "a metre or more" in found.text


def test_without_a_house_or_a_mesh_nothing_is_made_up(job):
    bare = replace(job, building=None, nodes=tuple(replace(n, stand=None, outlet_id=None) for n in job.nodes))
    found = zigbee_help(House(bare), bare.settings)
    assert found.repeater == found.hub == found.predicted == []
    assert found.near_m is None
    none = replace(job, zigbee=None, zigbee_reports=(), settings=replace(job.settings, zigbee_channel=None))
    assert zigbee_help(House(none), none.settings) is None


def test_routes_over_a_new_repeater_are_networkx_s(job):
    """Best-delivery routes as shortest paths over minus the logarithm, by networkx."""
    house = House(job)
    state = radio_state(house, job.settings)
    terms = zigbee_mesh(state)
    ok, idle = (x.sum(axis=0) for x in terms.neighbours(job.settings.zigbee_channel))
    hops = terms.hop_deliveries(ok, idle)
    graph = nx.DiGraph()
    for h, s, t in zip(hops, terms.source, terms.target, strict=True):
        if terms.relays[s] and h > 0:
            graph.add_edge(int(s), int(t), weight=-np.log(h))
    length = nx.single_source_dijkstra_path_length(graph, 0)
    mine = terms.deliveries(ok, idle)
    for i, d in enumerate(mine, 1):
        assert d == pytest.approx(np.exp(-length[i]) if i in length else 0.0, rel=1e-9)


def test_routes_are_the_best_and_hops_multiply(job, found):
    """Each route walked to the hub, its hops multiplied: what arrives is the core's figure for the device."""
    arrives = {z.device_id: z.delivery for z in evaluate(job, job.settings).zigbee}
    by_id = {r.device_id: r for r in found.routes}
    assert set(by_id) == set(arrives)
    for device, delivered in arrives.items():
        at, product, steps = device, 1.0, 0
        while at != HUB_ID:
            product *= by_id[at].hop_delivery
            at = by_id[at].via_id
            steps += 1
            assert steps <= len(by_id)
        assert product == pytest.approx(delivered, rel=1e-9)


def test_the_hub_is_turned_to_where_its_far_devices_are(job):
    """Nothing is told where nobody knows how it looks; else every eighth of a turn, the present one unchanged."""
    assert zigbee_help(House(job), job.settings).turns == []
    east = replace(job, zigbee=replace(job.zigbee, hub_faces_deg=180.0))
    turns = zigbee_help(House(east), job.settings).turns
    assert {t.faces_deg for t in turns} == set(range(0, 360, 45))
    (now,) = [t for t in turns if t.now]
    as_it_is = evaluate(job, job.settings)
    assert now.worst == pytest.approx(as_it_is.worst_zigbee_delivery)
    assert [(t.short, -round(t.worst, 3)) for t in turns] == sorted((t.short, -round(t.worst, 3)) for t in turns)
    np.testing.assert_allclose([facing_gain_db(d) for d in (0, 90, 180)], [3.0, 0.0, -3.0], atol=1e-12)
    # What worst needs stands to the right of the plan: looking away from it cannot be the best.
    assert turns[0].worst >= now.worst
