"""Findings about places, rods, links and power; sections; walks told wall by wall. On the simulated Kiln Row."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from even_static.core.errors import BadInput
from even_static.core.explain.measured_moves import measured_moves
from even_static.core.explain.placement import PLACES, decide, one_for_each_node
from even_static.core.house.building import Antenna, Outlet, Stand
from even_static.core.house.kit import Uplink
from even_static.core.house.readings import Trace, TracePoint
from even_static.core.house.settings import setting_block
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.section import section
from even_static.core.propagation.stands import place_point, stand_of, stand_point
from even_static.core.search.node_spots import Judge
from even_static.core.search.power import power_steps, useful_eirp_dbm, with_power
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.survey.trace import trace_view
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row


@pytest.fixture(scope="module")
def measured():
    world = world_of(kiln_row())
    world.job = measure(world, "before")
    return world.job


def _with_stand(job, node_id, stand, **more):
    nodes = tuple(replace(n, stand=stand, **more) if n.id == node_id else n for n in job.nodes)
    return replace(job, nodes=nodes)


def test_every_finding_s_figures_are_the_judge_s(measured):
    coverage = Coverage(measured)
    judge = Judge(coverage)
    found = decide(coverage)
    assert {d.kind for d in found} >= {"enclosure", "antennas", "radio link", "surplus node", "power step"}
    order = [("recommended", "optional", "leave").index(d.advice) for d in found]
    assert order == sorted(order)
    for d in found:
        assert d.now == judge.verdict()
        assert d.reasons
        if d.kind == "surplus node":
            assert d.then == judge.verdict(without=frozenset({d.node_id}))
        elif d.then is not None:
            assert d.then == judge.verdict({s.node_id: s.stand for s in d.stands}, d.settings)
        # Nothing is urged that leaves more spots too weak than now.
        if d.advice == "recommended" and d.then is not None:
            assert d.then.short <= d.now.short


def test_out_of_a_metal_enclosure(measured):
    stand = replace(stand_of(measured, measured.nodes[0]), mounting="metal enclosure", height_m=0.4)
    found = next(d for d in decide(Coverage(_with_stand(measured, "hall", stand))) if d.kind == "enclosure")
    assert found.advice == "recommended"
    assert found.stands[0].stand.mounting == "wall"
    assert any("two cables" in r for r in found.reasons)
    assert any("mains" in c for c in found.cautions)
    assert any("radio link of Studio node" in r for r in found.reasons)


def test_stacked_nodes_are_told_to_part(measured):
    hall = stand_of(measured, measured.nodes[0])
    above = Stand(storey=1, x_m=hall.x_m + 0.5, y_m=hall.y_m + 0.5, height_m=1.5)
    found = [d for d in decide(Coverage(_with_stand(measured, "landing", above))) if d.kind == "stacked nodes"]
    assert found
    assert found[0].node_id == "landing"
    apart = found[0].stands[0].stand
    assert np.hypot(apart.x_m - hall.x_m, apart.y_m - hall.y_m) >= 4
    # Two storeys apart, or diagonally across, nodes are not stacked.
    aside = _with_stand(measured, "landing", Stand(storey=1, x_m=6.5, y_m=3.5, height_m=1.5))
    assert not [d for d in decide(Coverage(aside)) if d.kind == "stacked nodes"]


def test_a_rod_is_laid_over_only_where_that_helps(measured):
    """One storey: nothing to gain by laying a rod over (common practice: one floor, all vertical)."""
    rods = (Antenna(60.0, 0.0), Antenna(), Antenna())
    flat = replace(
        measured,
        building=replace(
            measured.building,
            rooms=tuple(r for r in measured.building.rooms if r.storey == 0),
            outlets=tuple(o for o in measured.building.outlets if o.storey == 0),
            obstacles=tuple(o for o in measured.building.obstacles if o.storey == 0),
            openings=tuple(o for o in measured.building.openings if o.id != "bedroom-window"),
        ),
        places=tuple(p if p.storey == 0 else replace(p, x_m=None, y_m=None) for p in measured.places),
    )
    flat = _with_stand(flat, "hall", replace(stand_of(flat, flat.nodes[0]), antennas=rods))
    flat = _with_stand(flat, "landing", None)
    found = next(d for d in decide(Coverage(flat)) if d.kind == "antennas" and d.node_id == "hall")
    assert all(a.tilt_deg == 0 for a in found.stands[0].stand.antennas)


def test_a_cellular_gateway_keeps_its_window_and_a_router_stands_inside(measured):
    nodes = tuple(replace(n, kind="cellular gateway") if n.id == "hall" else n for n in measured.nodes)
    found = next(d for d in decide(Coverage(replace(measured, nodes=nodes))) if d.kind == "cellular gateway")
    assert "pass-through" in found.reasons[0]
    assert found.then is not None
    outlets = [(o.x_m, o.y_m, o.storey) for o in measured.building.outlets]
    stand = found.stands[0].stand
    assert (stand.x_m, stand.y_m, stand.storey) in outlets


def test_a_free_cable_near_a_radio_link_is_found(measured):
    studio = stand_of(measured, next(n for n in measured.nodes if n.id == "studio"))
    drop = Outlet(
        id="new-drop", name="New drop", storey=0, x_m=studio.x_m + 1.0, y_m=studio.y_m, power=True, cable_drops=1
    )
    job = replace(measured, building=replace(measured.building, outlets=(*measured.building.outlets, drop)))
    found = next(d for d in decide(Coverage(job)) if d.kind == "radio link")
    assert found.advice == "recommended"
    assert "New drop" in found.title
    # Without one, the link's level and the rate that it would carry are told for each band both ends have.
    bare = next(d for d in decide(Coverage(measured)) if d.kind == "radio link")
    assert sum("Mb/s" in r for r in bare.reasons) == 2


def test_power_is_lawful_answered_and_not_louder_than_needed(measured):
    coverage = Coverage(measured)
    judge = Judge(coverage)
    for power in power_steps(coverage):
        radio = measured.radio(power.radio_id)
        lawful = lawful_block(measured.country, setting_block(radio, measured.settings.of(radio.id)))
        assert all(s.eirp_dbm <= lawful.max_eirp_dbm for s in power.steps)
        assert power.advised_dbm in [s.eirp_dbm for s in power.steps]
        chosen = next(s for s in power.steps if s.eirp_dbm == power.advised_dbm)
        assert chosen.answered or chosen is power.steps[0]
        # Each step's figures are those of the house set so.
        verdict = judge.verdict(settings=with_power(measured.settings, radio.id, chosen.eirp_dbm))
        assert chosen.short <= verdict.short
        assert [s.ground_outside_fraction for s in power.steps] == sorted(
            s.ground_outside_fraction for s in power.steps
        )
        assert [s.covered_fraction for s in power.steps] == sorted(s.covered_fraction for s in power.steps)


def test_power_is_not_urged_where_no_level_was_read(measured):
    unread = replace(measured, scans=(), traces=(), speed_tests=())
    found = [d for d in decide(Coverage(unread)) if d.kind == "power step"]
    urged = [d for d in found if d.advice != "leave"]
    assert urged
    assert {d.advice for d in urged} == {"optional"}
    assert all(any("no level was read" in r for r in d.reasons) for d in urged)


def test_one_node_alone_is_loud_and_a_flat_is_not(measured):
    """Common practice: one router alone high; flats low, for the neighbours' sake."""
    alone = replace(
        measured,
        nodes=measured.nodes[:1],
        building=replace(measured.building, party_walls=()),
        settings=replace(measured.settings, radios=measured.settings.radios[:3]),
        scans=(),
    )
    five = next(p for p in power_steps(Coverage(alone)) if p.band == "5 GHz")
    assert five.alone
    # As loud as its clients can answer, and the ledger says so.
    assert five.advised_dbm == max(s.eirp_dbm for s in five.steps if s.answered)
    near = tuple(replace(p, x_m=1.5, y_m=1.5, storey=0) for p in alone.places)
    flat = replace(alone, places=near, building=replace(alone.building, house_type="concrete flat"))
    quiet = next(p for p in power_steps(Coverage(flat)) if p.band == "5 GHz")
    assert quiet.advised_dbm == min(s.eirp_dbm for s in quiet.steps)


def test_the_useful_power_is_where_both_ways_end_together():
    # -75 dBm at the edge is a path of P + 75; the client's 15 dBm less that path must reach -82 dBm: P = 22.
    assert useful_eirp_dbm(15.0) == pytest.approx(22.0)
    assert useful_eirp_dbm(12.0) == pytest.approx(19.0)


def test_a_move_is_told_by_the_spots_read_before_and_after(measured):
    world = world_of(kiln_row())
    world.job = measured
    assert measured_moves(Coverage(measured)) == []
    out = replace(stand_of(measured, measured.nodes[0]), mounting="wall", height_m=1.8)
    moved = _with_stand(measured, "hall", out)
    later = tuple(
        replace(
            li,
            id=f"{li.id}-later",
            heard_at="2026-03-09T20:00:00+01:00",
            stands=tuple(replace(s, stand=out) if s.node_id == "hall" else s for s in li.stands),
            readings=tuple(
                replace(r, rssi_dbm=r.rssi_dbm + 5) if r.bssid == measured.radio("hall-5").bssid else r
                for r in li.readings
            ),
        )
        for li in measured.scans[:3]
    )
    found = measured_moves(Coverage(replace(moved, scans=(*measured.scans, *later))))
    five = [m for m in found if m.radio_id == "hall-5"]
    assert {m.place_id for m in five} == {li.place_id for li in later}
    assert_allclose([m.difference_db for m in five], 5.0)
    assert all(m.spread_db >= 1 for m in found)


def test_a_section_shows_the_levels_of_its_plane(measured):
    coverage = Coverage(measured)
    found = section(coverage, "5 GHz", "along", 2.0)
    rows = [i for i, r in enumerate(coverage.radios) if r.band == "5 GHz"]
    off = []
    for contour in found.contours:
        for line in contour.lines[:2]:
            points = [(s, 2.0, h) for s, h in list(zip(line[::2], line[1::2], strict=True))[::9]]
            levels = np.nanmax(coverage.levels_at(points).level_dbm[rows], axis=0)
            off.extend(np.abs(levels - contour.level_dbm))
    assert np.median(off) < 1.5
    assert found.bottom_m == 0
    assert found.top_m == pytest.approx(2.7 + 2.7 + 2.5)
    assert {round(f.height_m, 1) for f in found.floors} >= {2.7, 5.4}
    assert any(abs(w.at_m - 2.0) < 0.01 for w in found.walls), "the wall between hall and kitchen is cut"
    across = section(coverage, "5 GHz", "across")
    assert across.at_m == stand_of(measured, measured.nodes[0]).x_m
    with pytest.raises(BadInput, match="must cut the house"):
        section(coverage, "5 GHz", "along", 60.0)


def test_a_walk_finds_the_wall_and_what_it_costs(measured):
    """Levels made from free space and one wall of 11 dB: the walk must tell 11 dB there, within its own spread."""
    coverage = Coverage(measured)
    hall = measured.nodes[0]
    tx = stand_point(measured.building, stand_of(measured, hall))
    a, b = (next(place_point(measured, p) for p in measured.places if p.id == i) for i in ("hall", "kitchen"))
    radio = measured.radio("hall-5")
    rng = np.random.default_rng(5)
    points, wall_db = [], 11.0
    duration = 6.0
    for t in np.arange(0, duration, 0.1):
        at = np.add(a, np.subtract(b, a) * t / duration)
        far = max(0.5, float(np.linalg.norm(at - tx)))
        level = 20 - 47.3 - 20 * np.log10(far) - (wall_db if at[0] > 2.0 else 0.0) + rng.normal(0, 1.0)
        points.append(TracePoint(float(t), radio.bssid, float(min(0.0, level))))
    trace = Trace(
        id="w",
        from_place_id="hall",
        to_place_id="kitchen",
        walked_at="2026-03-02T20:00:00Z",
        duration_s=duration,
        points=tuple(points),
    )
    told = trace_view(measured, coverage, trace)
    (line,) = told.lines
    step = min(line.steps, key=lambda s: abs(s.at_m - 1.1))
    assert "hall" in step.what
    assert abs(step.measured_db - wall_db) < 3 * step.spread_db + 0.5
    assert told.costliest is not None
    bare = trace_view(replace(measured, building=None), None, trace)
    assert bare.lines[0].steps == []
    assert bare.costliest is None


def test_a_weak_link_is_told_to_come_nearer(measured):
    far = tuple(
        replace(n, uplink=Uplink(to_node_id="hall", band="5 GHz", rssi_dbm=-84.0)) if n.id == "studio" else n
        for n in measured.nodes
    )
    found = next(d for d in decide(Coverage(replace(measured, nodes=far))) if d.kind == "radio link")
    assert found.advice == "recommended"
    assert "nearer" in found.title


def test_a_node_has_one_recommendation_of_where_it_stands(measured):
    """What else would help it is told as instead of that. In the house as it is, and with its router in a cabinet."""
    hidden = _with_stand(measured, "hall", replace(measured.nodes[0].stand, mounting="metal enclosure"))
    for job in (measured, hidden):
        found = decide(Coverage(job))
        placed = [d for d in found if d.kind in PLACES]
        for node in job.nodes:
            first = [d for d in placed if d.node_id == node.id and d.advice == "recommended"]
            assert len(first) <= 1
        instead = [d for d in placed if any("instead of" in r for r in d.reasons)]
        assert all(d.advice == "optional" for d in instead)


def test_of_two_recommendations_the_one_that_brings_more_is_kept(measured):
    found = [d for d in decide(Coverage(measured)) if d.kind in PLACES and d.then is not None]
    one = replace(found[0], node_id="hall", advice="recommended")
    better = replace(one, title="better", then=replace(one.then, short=one.now.short - 3))
    kept = one_for_each_node([one, better])
    assert [d.advice for d in kept] == ["optional", "recommended"]
    assert "instead of “better”" in kept[0].reasons[-1]
    # Each node has its own; what is only considered stays as it is.
    other = replace(one, node_id="studio")
    assert one_for_each_node([one, other]) == [one, other]
