"""Drawn practice houses and what settings do in them: lawful, the same for a seed, and with the effects that count."""

from __future__ import annotations

from dataclasses import replace

import pytest

from even_static.core.house.settings import SsidPlan
from even_static.core.house.validate import validate_job
from even_static.core.model.violations import radio_violations
from even_static.truth import ranges
from even_static.truth.drawn import KINDS, drawn_house
from even_static.truth.house import Given, TrueHouse
from even_static.truth.measured import PHONE_OFF_DB, walked
from even_static.truth.outcome import TruthAt, _fair
from even_static.truth.speed import _latency_ms


def true(seed: int) -> TrueHouse:
    drawn = drawn_house(seed)
    return TrueHouse(drawn.job, drawn.neighbours, seed)


def test_a_seed_is_a_house_and_houses_are_of_many_kinds():
    assert drawn_house(5) == drawn_house(5)
    houses = [drawn_house(s) for s in range(60)]
    for house in houses:
        validate_job(house.job)
        assert not [v for s in house.job.settings.radios for v in radio_violations(house.job, s)]
        assert house.job.kind == "practice"
    nodes = {len(h.job.nodes) for h in houses}
    assert nodes >= {1, 2, 3, 4}
    assert min(len(h.job.devices) for h in houses) < 8 < 30 < max(len(h.job.devices) for h in houses)
    assert min(len(h.neighbours) for h in houses) <= 5 < 45 <= max(len(h.neighbours) for h in houses)
    links = [n.uplink.band for h in houses for n in h.job.nodes if n.uplink is not None]
    assert None in links
    assert "5 GHz" in links
    assert {len(h.job.zigbee.selectable_channels) > 1 for h in houses if h.job.zigbee} == {True, False}
    assert len(KINDS) == 3


@pytest.mark.parametrize("seed", [3, 11])
def test_a_walk_is_a_valid_job_that_reads_off_and_hears_nothing_hidden(seed):
    house = true(seed)
    job = walked(house)
    validate_job(job)
    hidden = {n.reading.bssid for n in house.neighbours if n.hidden}
    heard = {r.bssid for s in job.scans for r in s.readings}
    assert not heard & hidden
    off = []
    for scan in job.scans:
        for reading in scan.readings:
            for r, radio in enumerate(house.radios):
                if radio.bssid == reading.bssid:
                    eirp = job.settings.of(radio.id).eirp_dbm
                    off.append(reading.rssi_dbm - house.level_dbm(r, house.spot(scan.place_id), radio.band, eirp))
    assert PHONE_OFF_DB[0] - 1 < sum(off) / len(off) < PHONE_OFF_DB[1] + 1


def test_the_same_setting_has_the_same_outcome_whatever_was_tried_before():
    house = true(7)
    at = TruthAt(house)
    first = at.outcome(house.job.settings)
    at.outcome(replace(house.job.settings, ssid_plan=SsidPlan(high_band_from_dbm=-70.0)))
    assert at.outcome(house.job.settings) == first == TruthAt(house).outcome(house.job.settings)


def test_evenings_are_worse_than_nights():
    for seed in (2, 4, 8):
        house = true(seed)
        night, evening = (TruthAt(house, hour).outcome(house.job.settings) for hour in (4, 20))
        assert night.headroom > evening.headroom
        assert night.problems <= evening.problems


def test_what_hangs_behind_a_dead_link_is_not_carried():
    for seed in range(40):
        house = true(seed)
        at, settings = TruthAt(house), house.job.settings
        linked = at.links(settings)
        if not linked:
            continue
        node = linked[0].node
        outcome = at.outcome(settings)
        behind = [d for d, r in outcome.home.items() if r and at.node_of[house.radio_index[r]] == node]
        if not behind:
            continue
        far = house.radios[linked[0].far].id
        moved = tuple(replace(s, channel=149 if s.channel < 100 else 36, centre_mhz=None, width_mhz=20)
                      if s.radio_id == far else s for s in settings.radios)  # fmt: skip
        cut = at.outcome(replace(settings, radios=moved))
        still = [d for d, r in cut.home.items() if r and at.node_of[house.radio_index[r]] == node]
        assert still
        assert all(cut.carried[d] == 0.0 for d in still)
        musts = {d.id for d in house.job.devices if d.must_have and d.demand_down_mbps + d.demand_up_mbps > 0}
        assert {("not carried", d) for d in still if d in musts} <= set(cut.problem_list)
        return
    raise AssertionError("no house with devices behind a radio link")


def test_a_busy_neighbour_on_the_own_channel_takes_headroom():
    house = true(12)
    settings = house.job.settings
    radio = next(r for r in house.radios if r.band == "2.4 GHz")
    mine = settings.of(radio.id)
    near = next(n for n in house.neighbours if n.reading.band == "2.4 GHz")
    x, y, z = house.radio_at[house.radio_index[radio.id]]
    loud = replace(near, x_m=x + 4, y_m=y, z_m=z, busy_fraction=0.6, hidden=False,
                   reading=replace(near.reading, channel=mine.channel, centre_mhz=mine.centre_mhz or 2412,
                                   width_mhz=mine.width_mhz))  # fmt: skip
    with_it = TruthAt(TrueHouse(house.job, (*house.neighbours, loud), 12)).outcome(settings)
    without = TruthAt(house).outcome(settings)
    assert with_it.headroom_by_radio[radio.id] < 0.8 * without.headroom_by_radio[radio.id]


def test_given_levels_hold_at_their_spot():
    drawn = drawn_house(9)
    radio, place = drawn.job.radios[0], drawn.job.places[0]
    eirp = drawn.job.settings.of(radio.id).eirp_dbm
    given = Given(levels_dbm={f"{radio.bssid} {place.id}": -51.0}, eirp_dbm={radio.id: eirp})
    house = TrueHouse(drawn.job, drawn.neighbours, 9, given)
    assert house.level_dbm(0, house.spot(place.id), radio.band, eirp) == pytest.approx(-51.0)
    assert house.level_dbm(0, house.spot(place.id), radio.band, eirp - 6) == pytest.approx(-57.0)


def test_airtime_is_dealt_out_evenly_and_a_link_counts_for_several():
    """Worked by hand: 0.9 of a second among wants of 0.1, 0.3 and 0.8 leaves 0.5 for the last."""
    assert _fair({0: 0.1, 1: 0.3, 2: 0.8}, 0.9) == pytest.approx({0: 1.0, 1: 1.0, 2: 0.5 / 0.8})
    link = _fair({-1: 0.9, 0: 0.9}, 0.8)
    assert link == pytest.approx({-1: 0.6 / 0.9, 0: 0.2 / 0.9})


def test_latency_under_load_grows_with_every_hop_and_is_that_of_the_bursts():
    """Worked out by hand: to the router and back, and at each hop a burst each way for as long as a turn takes."""
    house = true(3)
    burst = 2 * house.burst_us / 1000 * house.queued_bursts
    assert _latency_ms(house, [1.0]) == pytest.approx(ranges.WIRED_MS + burst)
    assert _latency_ms(house, [0.5, 0.25]) == pytest.approx(ranges.WIRED_MS + burst * 6)
    # Nowhere is it shorter than on a free channel at one hop, and there is none where nothing gets through.
    found = 0
    for seed in range(20):
        house = true(seed)
        at = TruthAt(house)
        outcome = at.outcome(house.job.settings)
        for test in outcome.speed.values():
            assert (test.down_mbps > 0) == (test.latency_ms > 0)
            if test.down_mbps > 0:
                alone = ranges.WIRED_MS + 2 * house.burst_us / 1000 * house.queued_bursts
                assert test.latency_ms >= alone - 1e-6
                found += 1
    assert found > 50
