"""Which radio carries what: association, radio links that pay twice, cables that pay nothing, power and law."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.core.explain.reasons import radio_reasons
from even_static.core.house.kit import Device, Uplink
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.settings import setting_block
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import Rules, candidates, offered_blocks, with_lawful_power
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables.bands import BANDS


def two_nodes(uplink=None, *, apart_dbm=-60.0, far_dbm=-55.0, near_dbm=-80.0, demand=20.0):
    """Two nodes at 5 GHz on one block; one laptop near the far node. Every level is given."""
    job = random_house(1, nodes=2, bands=("5 GHz",), neighbours=0, places=3, devices=0, zigbee_devices=0)
    near, far = job.radios
    block = {"channel": 36, "width_mhz": 80, "centre_mhz": 5210}
    job = replace(
        job,
        settings=replace(job.settings, radios=tuple(replace(s, **block) for s in job.settings.radios)),
        devices=(
            Device(
                id="laptop",
                name="laptop",
                place_id="p2",
                bands=("5 GHz",),
                generation="802.11ax",
                streams=2,
                max_width_mhz=80,
                demand_down_mbps=demand,
                demand_up_mbps=2.0,
            ),
        ),
        nodes=(job.nodes[0], replace(job.nodes[1], uplink=uplink)),
    )
    levels = {"p0": (-30.0, apart_dbm), "p1": (apart_dbm, -30.0), "p2": (near_dbm, far_dbm)}
    scans = tuple(
        Scan(
            id=f"l-{place}",
            place_id=place,
            heard_at="2026-03-02T19:00:00Z",
            source="given",
            bands=BANDS,
            readings=tuple(
                Reading(
                    bssid=r.bssid, ssid="house", band="5 GHz", channel=36, centre_mhz=5210, width_mhz=80, rssi_dbm=level
                )
                for r, level in zip((near, far), pair, strict=True)
            ),
        )
        for place, pair in levels.items()
    )
    job = replace(job, scans=scans)
    validate_job(job)
    return job


def need(job, radio_id):
    return next(r for r in evaluate(job, job.settings).radios if r.radio_id == radio_id)


def test_a_device_takes_the_louder_node_and_a_known_radio_before_it():
    job = two_nodes(near_dbm=-70.0)
    assert evaluate(job, job.settings).devices[0].radio_id == "n1-0"
    known = replace(job, devices=(replace(job.devices[0], radio_id="n0-0"),))
    assert evaluate(known, known.settings).devices[0].radio_id == "n0-0"


def test_a_higher_band_is_taken_while_it_is_good_and_not_much_weaker():
    """Common practice: clients favour 5 GHz by some dB while it is good, and leave it towards -80 dBm."""
    job = random_house(2, nodes=1, bands=("2.4 GHz", "5 GHz"), neighbours=0, places=2, devices=1, zigbee_devices=0)
    device = replace(job.devices[0], place_id="p1", bands=("2.4 GHz", "5 GHz"))
    for loud, level, radio in ((-62.0, -68.0, "n0-1"), (-50.0, -68.0, "n0-0"), (-75.0, -79.0, "n0-0")):
        readings = tuple(
            Reading(
                bssid=r.bssid,
                ssid="house",
                band=r.band,
                channel=s.channel,
                centre_mhz=setting_block(r, s).centre_mhz,
                width_mhz=s.width_mhz,
                rssi_dbm=heard,
            )
            for r, s, heard in zip(job.radios, job.settings.radios, (loud, level), strict=True)
        )
        scan = Scan(
            id="l", place_id="p1", heard_at="2026-03-02T19:00:00Z", source="given", bands=BANDS, readings=readings
        )
        here = replace(job, devices=(device,), scans=(scan,))
        assert evaluate(here, here.settings).devices[0].radio_id == radio


def test_a_shared_radio_link_pays_twice_and_a_cable_nothing():
    cable = two_nodes(Uplink(to_node_id="node0"))
    radio = two_nodes(Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-60.0))
    assert need(cable, "n0-0").need_fraction == pytest.approx(need(two_nodes(), "n0-0").need_fraction)
    carried = need(radio, "n0-0").need_fraction - need(cable, "n0-0").need_fraction
    own = need(radio, "n1-0").need_fraction
    assert carried > 0.5 * own
    assert need(radio, "n1-0").headroom == pytest.approx(need(radio, "n0-0").headroom)
    assert need(radio, "n1-0").headroom < 0.7 * need(cable, "n1-0").headroom
    reasons = radio_reasons(House(radio), radio.settings, "n0-0")
    (link,) = [load for load in reasons.loads if load.is_link]
    assert (link.down_mbps, link.up_mbps) == (20.0, 2.0)


def test_a_weak_link_is_a_problem():
    job = two_nodes(Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-95.0))
    kinds = {(t.kind, t.subject_id) for t in evaluate(job, job.settings).problem_list}
    assert ("no link", "node1") in kinds


def test_an_overloaded_radio_is_a_problem_for_what_must_be_carried():
    job = two_nodes(demand=2000.0)
    result = evaluate(job, job.settings)
    assert [(t.kind, t.subject_id) for t in result.problem_list] == [("not carried", "laptop")]
    relaxed = replace(job, devices=(replace(job.devices[0], must_have=False),))
    assert evaluate(relaxed, relaxed.settings).problems == 0


def test_no_link_counts_even_for_what_is_nice_to_have():
    job = two_nodes(far_dbm=-97.0, near_dbm=-98.0)
    relaxed = replace(job, devices=(replace(job.devices[0], must_have=False),))
    assert [t.kind for t in evaluate(relaxed, relaxed.settings).problem_list] == ["no link"]


@settings(max_examples=20, deadline=None)
@given(st.floats(1, 60), st.floats(1.01, 3))
def test_more_demand_needs_more_airtime_and_never_gives_headroom(demand, more):
    low, high = (two_nodes(demand=d) for d in (demand, demand * more))
    assert need(high, "n1-0").need_fraction > need(low, "n1-0").need_fraction
    assert need(high, "n1-0").headroom <= need(low, "n1-0").headroom


def test_own_nodes_apart_in_frequency_do_not_share():
    job = two_nodes()
    radios = (job.settings.radios[0], replace(job.settings.radios[1], channel=100, width_mhz=80, centre_mhz=5530))
    apart = evaluate(job, replace(job.settings, radios=radios))
    assert all(r.shared_fraction == 0 for r in apart.radios)
    assert all(r.shared_fraction > 0 for r in evaluate(job, job.settings).radios)


def test_rings_and_missing_bands_are_refused():
    job = two_nodes(Uplink(to_node_id="node0"))
    ring = replace(job, nodes=(replace(job.nodes[0], uplink=Uplink(to_node_id="node1")), job.nodes[1]))
    with pytest.raises(BadInput, match="ring"):
        validate_job(ring)
    with pytest.raises(BadInput, match="both ends have a radio for"):
        validate_job(
            replace(
                job,
                nodes=(
                    job.nodes[0],
                    replace(job.nodes[1], uplink=Uplink(to_node_id="node0", band="6 GHz", rssi_dbm=-50.0)),
                ),
            )
        )


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 300), st.sampled_from(["NL", "US", "JP", "CA", "BR", "00"]))
def test_candidates_are_lawful_at_their_power_wherever_the_call_is(seed, country):
    job = replace(random_house(seed, nodes=1, neighbours=0, zigbee_devices=0), country=country)
    start = with_lawful_power(job, job.settings)
    for setting in start.radios:
        found = candidates(job, setting, Rules(avoid_dfs=True))
        offered = offered_blocks(job, setting.radio_id)
        if not offered or not setting.enabled:
            continue
        for block in found:
            lawful = lawful_block(country, block)
            if lawful is not None:
                assert setting.eirp_dbm <= lawful.max_eirp_dbm or len(found) == 1
                assert not lawful.dfs or len(found) == 1


def test_a_band_that_the_country_closes_is_switched_off():
    """6 GHz in China: the data has no rule for it, so a radio there may not stay on."""
    job = replace(random_house(4, nodes=1, neighbours=0, zigbee_devices=0), country="CN")
    lawful = with_lawful_power(job, job.settings)
    six = next(s for s in lawful.radios if job.radio(s.radio_id).band == "6 GHz")
    assert not six.enabled
    assert any("not open to access points in CN" in v for v in evaluate(job, job.settings).violations)
