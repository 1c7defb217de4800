"""Worlds that say what was measured are kept: speed tests and hub's logs under the present settings."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.houses import random_house

from even_static.core.house.changes import Change
from even_static.core.house.readings import SpeedTest, ZigbeeReport
from even_static.core.model.prepared_house import House
from even_static.core.tables import worlds as table
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Living
from even_static.core.worlds.present import agreeing_worlds, at_hour
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.measured import walked

AT = "2026-03-02T19:30:00Z"


def job():
    return random_house(3, nodes=2, neighbours=20, devices=8, zigbee_devices=8)


def said(house: House, device: int) -> float:
    return float(np.median(Living(Worlds(house)).lived(house.job.settings).deliveries[:, device]))


def test_without_evidence_worlds_are_as_drawn():
    house = House(job())
    worlds, agreement = agreeing_worlds(house, 16)
    assert agreement is None
    assert np.array_equal(worlds.own_device_dbm, Worlds(house, 16).own_device_dbm)


def test_a_hub_s_log_pulls_the_worlds_its_way():
    bare = job()
    ids = [d.id for d in bare.zigbee.devices]
    base = [said(House(bare), i) for i in range(len(ids))]
    # The device that is least certain, and a log that says the contrary of what is expected.
    spread = Living(Worlds(House(bare))).lived(bare.settings).deliveries.std(axis=0)
    n = int(spread.argmax())
    measured = 0.95 if base[n] < 0.7 else 0.4
    report = ZigbeeReport(device_id=ids[n], reported_at=AT, sent=200, delivered=round(200 * measured))
    house = House(replace(bare, zigbee_reports=(report,)))
    worlds, agreement = agreeing_worlds(house, 32)
    (held,) = agreement.measurements
    assert held.kind == "hub's log"
    assert held.measured == pytest.approx(measured)
    assert abs(held.middle - measured) < abs(held.before - measured)
    assert worlds.count == 32
    assert 8 <= agreement.agreeing <= agreement.drawn == 32 * table.DRAWN_FOR_EACH
    assert held.held == (held.low <= measured <= held.high)


def test_a_speed_test_narrows_what_is_expected_at_its_spot():
    bare = job()
    place = bare.places[0].id
    expected = Living(Worlds(House(bare))).lived(bare.settings).speed_mbps[:, 0]
    low = float(np.quantile(expected, 0.1))
    test = SpeedTest(place_id=place, tested_at=AT, down_mbps=(low, low * 1.1, low * 0.9), up_mbps=(low,) * 3)
    _, agreement = agreeing_worlds(House(replace(bare, speed_tests=(test,))), 64)
    (held,) = agreement.measurements
    assert held.middle < held.before
    assert held.high - held.low < np.quantile(expected, 0.95) - np.quantile(expected, 0.05)


def test_latencies_under_load_say_how_long_one_waits_and_narrow_what_is_expected_elsewhere():
    """Every spot but the last was tested, at three times what is expected: more waits here, so the last one will
    wait longer too. Over the internet the line may be to blame: that says nothing."""
    bare = job()
    house, kept = House(bare), len(bare.places) - 1
    expected = Living(Worlds(house)).speed_tests(bare.settings)
    slow = 3 * np.median(expected.latency_ms, axis=0)
    speed = np.median(expected.down_mbps, axis=0)
    tests = tuple(
        SpeedTest(
            place_id=p.id,
            tested_at=AT,
            down_mbps=(float(speed[i]),),
            up_mbps=(float(speed[i]),),
            latency_ms=(float(slow[i]),),
            reach="this computer",
        )
        for i, p in enumerate(bare.places[:kept])
        if speed[i] > 1
    )
    assert len(tests) > 2
    worlds, agreement = agreeing_worlds(House(replace(bare, speed_tests=tests)), 64)
    latencies = [m for m in agreement.measurements if m.kind == "latency"]
    assert [m.subject_id for m in latencies] == [t.place_id for t in tests]
    assert all(m.middle > m.before for m in latencies)
    assert np.median(worlds.waiting_ms) > 1.3 * table.WAITING_MS
    after = Living(worlds).speed_tests(bare.settings).latency_ms[:, kept]
    assert np.median(after) > 1.2 * np.median(expected.latency_ms[:, kept])
    outside = tuple(replace(t, reach="the internet") for t in tests)
    _, agreement = agreeing_worlds(House(replace(bare, speed_tests=outside)), 64)
    assert {m.kind for m in agreement.measurements} == {"speed test"}


def test_what_was_measured_before_the_last_change_or_over_cable_says_nothing():
    bare = job()
    test = SpeedTest(place_id=bare.places[0].id, tested_at=AT, down_mbps=(5.0,), up_mbps=(5.0,))
    cable = replace(test, over="cable")
    assert agreeing_worlds(House(replace(bare, speed_tests=(cable,))), 8)[1] is None
    change = Change("2026-03-03T10:00:00Z", bare.settings, bare.settings, "a change")
    changed = replace(bare, speed_tests=(test,), changes=(change,))
    assert agreeing_worlds(House(changed), 8)[1] is None


def test_nothing_over_the_internet_is_faster_than_the_line():
    from even_static.core.house.job import Subscription

    bare = replace(job(), subscription=Subscription(20.0, 5.0))
    test = SpeedTest(place_id=bare.places[0].id, tested_at=AT, down_mbps=(19.0,), up_mbps=(4.0,))
    _, agreement = agreeing_worlds(House(replace(bare, speed_tests=(test,))), 16)
    assert agreement.measurements[0].high <= 20.0
    _, inside = agreeing_worlds(House(replace(bare, speed_tests=(replace(test, reach="this computer"),))), 16)
    assert inside.measurements[0].high > 20.0


def test_a_night_wants_less_and_hears_less():
    worlds = Worlds(House(job()), 8)
    night = at_hour(worlds, 3)
    # Steeper or flatter than the usual day, as each world has it; the busiest hour is the same in all.
    wanted, others = (HOURLY_LOAD[3] ** day for day in (worlds.household_day, worlds.neighbours_day))
    assert 0.02 < wanted.min() < HOURLY_LOAD[3] < wanted.max() < 0.35
    assert np.allclose(night.wanted_mbps, worlds.wanted_mbps * wanted[:, :, None])
    assert np.array_equal(at_hour(worlds, 20).wanted_mbps, worlds.wanted_mbps)
    for band, foreign in worlds.foreign.items():
        wifi = foreign.wifi
        assert np.allclose(night.foreign[band].use[:, wifi], foreign.use[:, wifi] * others)
        assert np.array_equal(night.foreign[band].use[:, ~wifi], foreign.use[:, ~wifi])


def test_what_waits_in_houses_of_the_other_simulator_is_told_by_their_tests():
    """The queue of each practice house, which the planner does not know, from its speed tests' latencies; and whole
    worlds are not used up by it."""
    true_ms, said_ms, kept = [], [], []
    for seed in range(3100, 3106):
        drawn = drawn_house(seed)
        truth = TrueHouse(drawn.job, drawn.neighbours, seed)
        walked_job = walked(truth, lists=False)
        worlds, agreement = agreeing_worlds(House(walked_job), 64, seed=1)
        silent = tuple(replace(t, latency_ms=()) for t in walked_job.speed_tests)
        _, without = agreeing_worlds(House(replace(walked_job, speed_tests=silent)), 64, seed=1)
        true_ms.append(2 * truth.burst_us / 1000 * truth.queued_bursts)
        said_ms.append(float(np.median(worlds.waiting_ms)))
        kept.append(agreement.agreeing / without.agreeing)
    off = np.log(np.array(said_ms) / np.array(true_ms))
    assert np.corrcoef(np.log(true_ms), np.log(said_ms))[0, 1] > 0.8
    assert np.abs(off).mean() < 0.6 * np.abs(np.log(table.WAITING_MS / np.array(true_ms))).mean()
    assert np.median(kept) > 0.7
