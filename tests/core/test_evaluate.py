"""Evaluation: its sums, its order, and what must never happen when the air gets worse."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import as_sent, network, random_house

from even_static.core.errors import BadInput, Unlawful
from even_static.core.explain.air_view import air_view
from even_static.core.explain.reasons import radio_reasons, zigbee_reasons
from even_static.core.house.readings import Reading, Scan
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.rank import (
    HEADROOM_BINS,
    MOST_COUNTED_HEADROOM,
    headroom_bin,
    headroom_of,
    house_rank,
    pack,
)
from even_static.core.model.violations import require_choosable
from even_static.core.search.candidates import Rules, candidates
from even_static.core.search.rules_of_thumb import with_block
from even_static.core.tables.bands import BANDS

seeds = st.integers(0, 400)


def with_setting(job, radio_id, **changes):
    radios = tuple(replace(s, **changes) if s.radio_id == radio_id else s for s in job.settings.radios)
    return replace(job.settings, radios=radios)


def lone_radio(channel=6, width=20, others=(), place_level=-50.0):
    """One node with one 2.4 GHz radio, one laptop, and other networks as (channel, level, use)."""
    job = random_house(1, nodes=1, bands=("2.4 GHz",), neighbours=0, places=2, devices=1, zigbee_devices=0)
    radio = job.radios[0]
    readings = []
    for place in ("p0", "p1"):
        heard = [
            Reading(
                bssid=radio.bssid,
                ssid="house",
                band="2.4 GHz",
                channel=channel,
                centre_mhz=2407 + 5 * channel,
                width_mhz=width,
                rssi_dbm=place_level,
            )
        ]
        heard += [network(n, *other) for n, other in enumerate(others)]
        readings.append(
            Scan(
                id=f"l-{place}",
                place_id=place,
                heard_at="2026-03-02T19:00:00Z",
                source="test",
                bands=BANDS,
                readings=tuple(heard),
            )
        )
    job = replace(job, scans=tuple(readings), devices=(replace(job.devices[0], place_id="p1", bands=("2.4 GHz",)),))
    return replace(job, settings=with_setting(job, radio.id, channel=channel, width_mhz=width, centre_mhz=None))


def only(job):
    return evaluate(as_sent(job), job.settings).radios[0]


def test_half_overlap_hurts_more_than_sharing():
    """A strong neighbour two numbers away is noise that nobody waits for (common practice: 1, 6, 11 only)."""
    needs = {}
    for offset in (0, 2):
        job = lone_radio(6, others=[(6 + offset, -63.0, 0.5)], place_level=-70.0)
        needs[offset] = only(job)
    assert needs[0].busy_fraction == pytest.approx(0.5)
    assert needs[2].busy_fraction == 0
    assert needs[2].noise_rise_db > 3 * needs[0].noise_rise_db
    assert needs[2].need_fraction > 1.5 * needs[0].need_fraction


def test_defers_by_preamble_at_minus_82_and_by_energy_at_minus_62():
    """Clear channel assessment, IEEE 802.11-2020 17.3.10.6 (from memory)."""
    assert only(lone_radio(6, others=[(6, -81.9, 0.3)])).busy_fraction == pytest.approx(0.3)
    assert only(lone_radio(6, others=[(6, -82.1, 0.3)])).busy_fraction == 0
    assert only(lone_radio(6, others=[(8, -40.0, 0.3)])).busy_fraction == pytest.approx(0.3)
    assert only(lone_radio(6, others=[(8, -75.0, 0.3)])).busy_fraction == 0


def test_many_quiet_networks_leave_what_they_do_not_send():
    """None of them sends much: together they take what they send, and the fair share of one more is no excuse."""
    quiet = only(lone_radio(6, others=[(6, -60.0 - n, 0.04) for n in range(10)]))
    assert quiet.busy_fraction == pytest.approx(0.4)
    assert quiet.available_fraction == pytest.approx(0.6)


def test_never_below_the_fair_share():
    crowd = lone_radio(6, others=[(6, -60.0, 0.9), (6, -61.0, 0.95), (6, -62.0, 0.9)])
    assert only(crowd).available_fraction == pytest.approx(1 / 4)


def _with_known_use(job):
    """The job with a channel use from every network: one that is broadcast takes the place of what was assumed of
    weaker ones, so that without it another neighbour may well help on paper."""
    own = {r.bssid for r in job.radios}

    def known(r):
        return r if r.bssid in own or r.channel_use_fraction is not None else replace(r, channel_use_fraction=0.1)

    return replace(job, scans=tuple(replace(li, readings=tuple(map(known, li.readings))) for li in job.scans))


@settings(max_examples=25, deadline=None)
@given(seeds, st.sampled_from(BANDS), st.floats(-80, -35))
def test_another_neighbour_never_helps(seed, band, level):
    job = _with_known_use(random_house(seed, nodes=2, neighbours=8, devices=5, zigbee_devices=4))
    before = evaluate(job, job.settings)
    channel = {"2.4 GHz": 6, "5 GHz": 36, "6 GHz": 5}[band]
    centre = {"2.4 GHz": 2437, "5 GHz": 5180, "6 GHz": 5975}[band]
    extra = Reading(
        bssid="0a:00:00:00:00:01",
        ssid="new",
        band=band,
        channel=channel,
        centre_mhz=centre,
        width_mhz=20,
        rssi_dbm=level,
        channel_use_fraction=0.4,
    )
    louder = replace(job, scans=tuple(replace(li, readings=(*li.readings, extra)) for li in job.scans))
    after = evaluate(louder, job.settings)
    assert after.problems >= before.problems
    # A neighbour may silence a half-overlapping one on paper, so single radios may gain a little; the house may not.
    assert after.headroom <= before.headroom * 1.02
    # A broadcast channel use takes the place of what was assumed of weaker networks: that may be a hair more. An own
    # radio that cannot carry its load any more sends less, which Zigbee beside it may even like.
    if before.worst_zigbee_delivery is not None and after.headroom >= 1:
        assert after.worst_zigbee_delivery <= before.worst_zigbee_delivery + 1e-4


@settings(max_examples=20, deadline=None)
@given(seeds)
def test_reasons_add_up_to_the_figures(seed):
    job = random_house(seed, nodes=3, neighbours=15, devices=9, radio_link=seed % 2 == 0)
    house = House(job)
    result = evaluate(house, job.settings)
    for figures in result.radios:
        reasons = radio_reasons(house, job.settings, figures.radio_id)
        busy = sum(r.counted_fraction for r in reasons.interferers if r.effect.startswith("shares"))
        assert min(busy, 1.0) == pytest.approx(figures.busy_fraction, abs=1e-9)
        noise = sum(o.costs_fraction for o in reasons.own if not o.shares)
        loads = sum(x.need_fraction for x in reasons.loads)
        assert reasons.beacons_fraction + loads + noise == pytest.approx(figures.need_fraction, rel=1e-3, abs=1e-3)
        assert min(reasons.headroom, 99.0) == pytest.approx(figures.headroom, rel=1e-6)
    for z in result.zigbee:
        hops = zigbee_reasons(house, job.settings, z.device_id)
        assert all(h.delivery == pytest.approx(z.delivery) for h in hops)
        assert not hops or hops[0].hop_delivery >= z.delivery - 1e-9


@settings(max_examples=15, deadline=None)
@given(seeds)
def test_kept_tables_give_what_fresh_ones_give(seed):
    """A house that has evaluated many settings answers the same as one that has seen none."""
    job = random_house(seed, nodes=2, neighbours=12)
    warm = House(job)
    for setting in job.settings.radios:
        for block in candidates(job, setting, Rules())[::7]:
            tried = replace(
                job.settings,
                radios=tuple(
                    with_block(s, block) if s.radio_id == setting.radio_id else s for s in job.settings.radios
                ),
            )
            last = tried
            result = evaluate(warm, tried)
    assert result == evaluate(House(job), last)


def test_switching_a_radio_off_moves_its_devices():
    job = random_house(3, nodes=2, neighbours=5)
    off = with_setting(job, "n0-1", enabled=False)
    result = evaluate(job, off)
    assert all(d.radio_id != "n0-1" for d in result.devices)
    assert next(r for r in result.radios if r.radio_id == "n0-1").headroom is None


def test_less_power_is_a_weaker_level():
    job = random_house(3, nodes=1, neighbours=5)
    quiet = replace(job.settings, radios=tuple(replace(s, eirp_dbm=14.0) for s in job.settings.radios))
    pairs = zip(evaluate(job, job.settings).devices, evaluate(job, quiet).devices, strict=True)
    for loud, low in pairs:
        if loud.radio_id is not None and loud.radio_id == low.radio_id:
            assert low.rssi_dbm == pytest.approx(loud.rssi_dbm - 6)


def test_only_lawful_supported_settings_may_be_sent(house_job):
    five = next(r for r in house_job.radios if r.band == "5 GHz")
    too_loud = with_setting(house_job, five.id, channel=52, width_mhz=20, centre_mhz=None, eirp_dbm=30.0)
    assert not evaluate(house_job, too_loud).lawful
    with pytest.raises(Unlawful, match="20 dBm allowed in NL"):
        require_choosable(house_job, too_loud)
    locked = replace(
        house_job,
        nodes=tuple(replace(n, radios=tuple(replace(r, locked=True) for r in n.radios)) for n in house_job.nodes),
    )
    with pytest.raises(BadInput, match="locked"):
        require_choosable(locked, with_setting(house_job, five.id, channel=100, width_mhz=20, centre_mhz=None))


@given(
    st.lists(st.floats(0, 3), min_size=3, max_size=3), st.lists(st.floats(0, 3), min_size=3, max_size=3), seeds, seeds
)
def test_packed_and_whole_keys_order_alike(a, b, spill_a, spill_b):
    def packed(heads, taken_airtime):
        first, second = pack(
            np.array([2]),
            headroom_bin(np.array([heads])),
            np.array([5]),
            np.array([1]),
            np.array([taken_airtime]),
        )
        return int(first[0]), int(second[0])

    whole = [house_rank(0, 2, np.array(h), 0.994, 1, np.array([s * 0.05])) for h, s in ((a, spill_a), (b, spill_b))]
    assert (packed(a, spill_a) < packed(b, spill_b)) == (whole[0] < whole[1])


def test_air_view_shows_what_was_heard(house_job):
    view = air_view(House(house_job), house_job.settings, "p0")
    heard = {r.bssid for r in house_job.scans[0].readings}
    assert {s.reading.bssid for sheet in view.sheets for s in sheet.strips} == heard
    assert sum(z.in_use for z in view.zigbee) == 1
    for sheet in view.sheets:
        assert all(0 <= c.busy_fraction <= 1 for c in sheet.channels)


def test_an_earlier_time_shows_the_air_of_then(house_job):
    """The sheet of an earlier listening has that time's networks and that time's busy channels."""
    later = replace(house_job.scans[0], id="later", heard_at="2026-03-03T19:00:00Z", readings=())
    job = replace(house_job, scans=(*house_job.scans, later))
    then = house_job.scans[0].heard_at
    before = air_view(House(job, until=then), job.settings, "p0", then)
    after = air_view(House(job), job.settings, "p0")
    assert sum(len(s.strips) for s in before.sheets) == len(house_job.scans[0].readings)
    assert sum(len(s.strips) for s in after.sheets) == 0
    assert before == air_view(House(house_job), job.settings, "p0")
    assert all(c.busy_fraction == 0 for s in after.sheets for c in s.channels)


def test_bins_of_headroom_end_where_it_counts_no_further():
    """5 % each up to twice the need, 15 % each up to 3.5."""
    begins = [headroom_of(b) for b in range(HEADROOM_BINS + 1)]
    assert begins == sorted(begins)
    assert begins[40] == pytest.approx(2.0)
    assert begins[-1] == pytest.approx(MOST_COUNTED_HEADROOM)
    assert headroom_bin(np.array(begins) + 1e-6).tolist() == list(range(HEADROOM_BINS + 1))
    assert headroom_bin(np.array([99.0]))[0] == HEADROOM_BINS
