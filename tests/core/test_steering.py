"""Steering levels against the rates they come from, the SSID plans, and evenings of clients."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.airtime.rates import older, rate_steps
from even_static.core.explain.problem_clients import minimum_rates, on_gadget_network, small_points
from even_static.core.explain.ssids import compare_ssid_plans, joining, old_rates, steering_level
from even_static.core.house.settings import DeviceBand, SsidPlan
from even_static.core.model.evaluate import evaluate
from even_static.core.model.evening import MINUTES, evening
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.model.steering import split_ssids, ssid_choices
from even_static.core.tables.clients import FLAPS
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row


@pytest.fixture(scope="module")
def house():
    job = random_house(5, nodes=2, neighbours=15, devices=10)
    devices = (replace(job.devices[0], bands=("2.4 GHz",), awkward=True, group_id="music"), *job.devices[1:])
    both = next(i for i, d in enumerate(devices) if len(d.bands) > 1)
    devices = tuple(replace(d, group_id="music") if i == both else d for i, d in enumerate(devices))
    return House(replace(job, devices=devices))


def test_at_the_crossover_both_bands_carry_the_same(house):
    """Recomputed from the rate tables: a step below, the higher band carries less; from there on it does not."""
    setting = house.job.settings
    figures = {r.radio_id: r for r in evaluate(house, setting).radios}
    found = steering_level(house, setting)
    assert found.crossovers
    state = radio_state(house, setting)
    for c in found.crossovers:
        if c.crossover_dbm is None:
            continue
        d = next(x for x in house.job.devices if x.id == c.device_id)
        place = house.places[d.place_id]

        def goodput(i, level, d=d):
            r = house.radios[i]
            width = min(setting.of(r.id).width_mhz, d.max_width_mhz)
            steps = rate_steps(older(r.generation, d.generation), r.band, width, min(r.streams, d.streams))
            return float(steps.goodput(np.array(level))) * figures[r.id].available_fraction

        def loudest(band, d=d, place=place):
            rows = [i for i, r in enumerate(house.radios) if r.band == band]
            return max(rows, key=lambda i: state.own_rssi_dbm[i, place])

        low, high = loudest("2.4 GHz"), loudest(c.high_band)
        need = goodput(low, state.own_rssi_dbm[low, place])
        assert goodput(high, c.crossover_dbm) >= need
        if c.crossover_dbm > -90:
            assert goodput(high, c.crossover_dbm - 1) < need
        assert c.better_high == (c.level_dbm >= c.crossover_dbm)


def test_a_box_that_gives_no_say_means_steering_off(house):
    deaf = replace(house.job, nodes=tuple(replace(n, steering="nothing") for n in house.job.nodes))
    advice = steering_level(House(deaf), deaf.settings)
    assert advice.high_band_from_dbm is None
    assert "turn steering off" in advice.text
    steered = [s for s in compare_ssid_plans(House(deaf), deaf.settings) if s.ssid_plan.high_band_from_dbm is not None]
    assert steered == []


def test_every_school_s_figures_are_evaluate_s_and_the_best_is_recommended(house):
    found = compare_ssid_plans(house, house.job.settings)
    assert found[0].recommended
    assert sum(s.recommended for s in found) == 1
    assert {s.ssid_plan.kind for s in found} == {"one SSID", "split SSIDs", "one SSID plus a split pair"}
    for s in found:
        assert s.evaluation == evaluate(house, replace(house.job.settings, ssid_plan=s.ssid_plan))
        assert s.evaluation.rank.noticed >= found[0].evaluation.rank.noticed


def test_split_names_and_pairs_keep_groups_together(house):
    names = split_ssids(house, house.job.settings)
    bands = {b.device_id: b.band for b in names.bands}
    assert set(bands) == {d.id for d in house.job.devices}
    music = {bands[d.id] for d in house.job.devices if d.group_id == "music"}
    assert music == {"2.4 GHz"}
    pair = next(n for n in ssid_choices(house.job, (None, -65.0)) if n.kind == "one SSID plus a split pair")
    assert {b.device_id for b in pair.bands} == {d.id for d in house.job.devices if d.group_id == "music"}
    problems = evaluate(house, replace(house.job.settings, ssid_plan=pair)).problem_list
    assert not [t for t in problems if t.kind in ("flaps", "torn")]


def test_an_evening_shows_the_flapping_gadget_and_what_ends_it(house):
    """Steering makes single-band gadgets flap, and a name of their own ends it: common practice."""
    gadget = house.job.devices[0].id
    steered = replace(house.job.settings, ssid_plan=SsidPlan(high_band_from_dbm=-65.0))
    before = next(t for t in evening(house, steered) if t.device_id == gadget)
    assert before.flaps
    assert before.changes >= FLAPS
    assert "an SSID of its own" in before.remedy
    pair = SsidPlan("one SSID plus a split pair", -65.0, (DeviceBand(gadget, "2.4 GHz"),))
    for names in (pair, SsidPlan()):
        after = next(t for t in evening(house, replace(house.job.settings, ssid_plan=names)) if t.device_id == gadget)
        assert not after.flaps
        assert after.changes < before.changes
    assert evening(house, steered) == evening(house, steered), "the same evening each time"


@settings(max_examples=15)
@given(st.integers(0, 5000), st.sampled_from([None, -60.0, -75.0]))
def test_an_evening_adds_up(seed, level):
    house = House(random_house(seed, nodes=2, neighbours=0, devices=6, zigbee_devices=0))
    for t in evening(house, replace(house.job.settings, ssid_plan=SsidPlan(high_band_from_dbm=level)), seed):
        minutes = [m.minute for m in t.moments]
        assert minutes == sorted(minutes)
        assert all(0 <= m < MINUTES for m in minutes)
        assert 0 <= t.away_minutes <= MINUTES
        assert t.flaps == (t.changes >= FLAPS)
        held = [m.radio_id for m in t.moments]
        # Never twice in a row on the same radio without leaving it, and dropped means held by none.
        assert all(a != b for a, b in itertools.pairwise(held))
        device = next(d for d in house.job.devices if d.id == t.device_id)
        assert all(house.job.radio(r).band in device.bands for r in held if r)


def test_who_joins_what_and_which_rates_may_go(house):
    job = house.job
    pair = SsidPlan("one SSID plus a split pair", -65.0, (DeviceBand(job.devices[0].id, "2.4 GHz"),))
    sheet = joining(house, replace(job.settings, ssid_plan=pair))
    assert sheet[0].name == "house 2.4"
    assert {j.name for j in sheet[1:]} == {"house"}
    assert "may go" in old_rates(job)
    old = replace(job, devices=(replace(job.devices[0], generation="802.11b", name="Old till"), *job.devices[1:]))
    assert old_rates(old) == "keep 1 and 2 Mb/s: Old till needs them"


# -- what ends it ------------------------------------------------------------------------------------------------


def test_a_network_for_gadgets_that_throttles_is_a_problem_for_cameras_and_the_search_takes_them_off(house):
    """Common practice: cameras moved to a box's device network stopped working, where it is throttled."""
    job = house.job
    camera, plug = replace(job.devices[1], demand_up_mbps=2.0), replace(job.devices[2], demand_down_mbps=0.1)
    plug = replace(plug, demand_up_mbps=0.1)
    job = replace(job, devices=(job.devices[0], camera, plug, *job.devices[3:]), device_network_mbps=1.0)
    names = SsidPlan(device_network=(camera.id, plug.id))
    setting = replace(job.settings, ssid_plan=names)
    job = replace(job, settings=setting)
    problems = {(t.kind, t.subject_id) for t in evaluate(job, setting).problem_list}
    assert ("throttled", camera.id) in problems
    assert ("throttled", plug.id) not in problems
    first, second = on_gadget_network(job, setting)
    assert (first.device_id, first.throttled) == (camera.id, True)
    assert (second.device_id, second.text) == (plug.id, "carried")
    for choice in ssid_choices(job, (None, -65.0)):
        assert choice.device_network == (plug.id,)
    unknown = on_gadget_network(replace(job, device_network_mbps=None), setting)
    assert "run the link test on it" in unknown[0].text
    assert not unknown[0].throttled


def test_least_rates_spare_beacons_and_name_whom_they_lose(house):
    """IEEE 802.11: a beacon goes out at the slowest basic rate, so its airtime falls with it. The least levels are the
    standard's minimum sensitivities (802.11-2020 table 17-18 for 6, 12 and 24 Mb/s; from memory), typed here anew."""
    setting = house.job.settings
    state = radio_state(house, setting)
    found = minimum_rates(house, setting)
    for radio_id in {r.radio_id for r in found}:
        mine = [r for r in found if r.radio_id == radio_id]
        assert [r.rate_mbps for r in mine] == sorted(r.rate_mbps for r in mine)
        takes = [r.beacons_fraction for r in mine]
        assert takes == sorted(takes, reverse=True)
        for slower, faster in itertools.pairwise(mine):
            assert set(slower.loses) <= set(faster.loses)
        radio = house.radio_index[radio_id]
        for r in mine:
            needs = {1.0: -83, 6.0: -82, 12.0: -79, 24.0: -74}[r.rate_mbps]
            weak = {c.id for c in state.clients[radio] if min(c.level_down_dbm, c.level_up_dbm) < needs}
            assert set(r.loses) == weak
        advised = [r for r in mine if r.advised]
        assert len(advised) <= 1
        assert all(not r.loses and r.rate_mbps <= 12 for r in advised)
    one = next(r for r in found if r.rate_mbps == 1.0)
    assert one.beacons_fraction == pytest.approx((192 + 2400) / 102_400)


def test_a_small_access_point_is_tried_where_devices_drop():
    """Each offer evaluated by itself; it takes in the devices that drop, and they stop flapping."""
    job = measure(world_of(kiln_row()), "before")
    house = House(job)
    found = small_points(house, job.settings)
    assert found
    drops = {t.device_id for t in evening(house, job.settings) if t.flaps}
    assert all(drops <= set(p.device_ids) for p in found)
    assert [p.problems for p in found] == sorted(p.problems for p in found)
    now = evaluate(job, job.settings)
    assert found[0].better == ((found[0].problems, -found[0].headroom) < (now.problems, -now.headroom))
    assert found[0].problems < now.problems
    assert small_points(House(replace(job, building=None)), job.settings) == []


def test_the_sheet_says_what_each_band_would_give(house):
    setting = house.job.settings
    state = radio_state(house, setting)
    for line in joining(house, setting):
        device = next(d for d in house.job.devices if d.id == line.device_id)
        place = house.places[device.place_id]
        assert [b.band for b in line.bands] == ["2.4 GHz", "5 GHz", "6 GHz"]
        assert sum(b.holds for b in line.bands) == (line.radio_id is not None)
        for b in line.bands:
            assert b.can_use == (b.band in device.bands)
            if b.level_dbm is not None:
                rows = [i for i, r in enumerate(house.radios) if r.band == b.band]
                here = [float(state.own_rssi_dbm[i, place]) for i in rows]
                assert b.level_dbm == (line.level_dbm if b.holds else max(here))
