"""The stand-ins: seeded, on their own clock, truer than the planner's view, and able to disappoint it."""

from __future__ import annotations

import statistics
from dataclasses import replace
from datetime import timedelta

import pytest
from tests.houses import random_house

from even_static.core.errors import InstrumentFault
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.tables.bands import BANDS
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row
from even_static.instruments.simulated.stand_ins import (
    SimulatedConsole,
    SimulatedHub,
    SimulatedScanner,
    SimulatedSpeedTest,
)
from even_static.instruments.simulated.world import World, build_world
from even_static.truth.outcome import TruthAt


def world(seed=3) -> World:
    return build_world(random_house(seed, nodes=2), seed, "2026-03-02T20:00:00+01:00")


def test_the_same_seed_gives_the_same_house():
    first, second = (SimulatedScanner(world()).listen("p1", BANDS) for _ in range(2))
    assert first == second
    assert SimulatedScanner(world(4)).listen("p1", BANDS) != first


def test_readings_scatter_by_2_to_4_db_and_time_passes():
    house = world()
    scanner = SimulatedScanner(house)
    began = house.now
    scans = [scanner.listen("p0", ("5 GHz",), 30.0) for _ in range(12)]
    assert (house.now - began).total_seconds() == 12 * 30
    own = next(r.bssid for r in house.job.radios if r.band == "5 GHz")
    spreads = [r.spread_db for li in scans for r in li.readings if r.bssid == own]
    assert 1.5 <= statistics.mean(spreads) <= 4.5
    levels = [r.rssi_dbm for li in scans for r in li.readings if r.bssid == own]
    assert max(levels) - min(levels) >= 1


def test_the_truth_is_not_what_was_read():
    house = world()
    job = house.job
    differences = [
        house.neighbour_level_dbm(n, scan.place_id) - r.rssi_dbm
        for scan in job.scans
        for r in scan.readings
        for n in house.state.neighbours
        if n.reading.bssid == r.bssid
    ]
    assert 1 < statistics.pstdev(differences) < 4
    assert any(n.hidden for n in house.state.neighbours)
    heard = {r.bssid for r in SimulatedScanner(house).listen("p0", BANDS).readings}
    assert not heard & {n.reading.bssid for n in house.state.neighbours if n.hidden}


def test_evenings_are_busier_than_mornings():
    house = world()
    neighbour = house.state.neighbours[0]
    evening = house.use_fraction(neighbour)
    house.advance(12 * 3600)
    assert house.use_fraction(neighbour) < evening


def test_the_console_saves_waits_and_reads_back():
    house = world()
    console = SimulatedConsole(house)
    setting = next(s for s in console.read() if s.radio_id == "n1-0")
    wanted = replace(setting, channel=1, width_mhz=20, centre_mhz=2412, eirp_dbm=14.0)
    began = house.now
    phases = list(console.save("node1", (wanted,)))
    assert [p.text.split(": ")[1] for p in phases] == [
        "saving",
        "radios restart, devices drop off",
        "devices come back",
    ]
    assert (house.now - began).total_seconds() == sum(p.seconds for p in phases) >= 60
    assert next(s for s in console.read() if s.radio_id == "n1-0") == wanted
    with pytest.raises(InstrumentFault, match="refuses the setting"):
        list(console.save("node1", (replace(wanted, channel=1, eirp_dbm=33.0),)))
    with pytest.raises(InstrumentFault, match="node of the call"):
        list(console.save("attic", (wanted,)))


def test_radar_can_drive_a_radio_off_and_it_is_read_back():
    house = world()
    console = SimulatedConsole(house)
    setting = next(s for s in console.read() if s.radio_id == "n0-1")
    wanted = replace(setting, channel=100, width_mhz=20, centre_mhz=5500)
    seen = set()
    for _ in range(80):
        list(console.save("node0", (wanted,)))
        seen.add(next(s.channel for s in console.read() if s.radio_id == "n0-1"))
    assert seen == {100, 36}
    assert any("radar" in e for e in house.state.events)


def test_less_power_is_received_weaker():
    house = world()
    radio = house.job.radios[0]
    assert house.own_level_dbm(radio.id, "p3", 14.0) == pytest.approx(house.own_level_dbm(radio.id, "p3", 20.0) - 6)


def test_hub_reports_follow_the_true_delivery():
    house = world_of(kiln_row())
    hub = SimulatedHub(house)
    before = {r.device_id: r.delivered / r.sent for r in hub.reports(4.0)}
    # Reports are drawn at the hour in their middle.
    middle = TruthAt(house.true_house, (house.now - timedelta(hours=2)).hour)
    truth = middle.outcome(house.state.settings).delivery
    for device, share in truth.items():
        # 240 reports: four standard errors.
        assert before[device] == pytest.approx(share, abs=4 * (share * (1 - share) / 240) ** 0.5 + 0.02)
    list(hub.move(25))
    assert hub.channel() == 25
    with pytest.raises(InstrumentFault):
        list(hub.move(26))


def test_the_speed_test_sees_the_true_house_not_the_plan():
    house = world_of(kiln_row())
    near = SimulatedSpeedTest(house).run("landing", 9)
    far = SimulatedSpeedTest(house).run("kiln-shed", 9)
    assert statistics.mean(near.down_mbps) > 2 * statistics.mean(far.down_mbps)
    assert statistics.pstdev(near.down_mbps) > 0


def test_a_plan_can_honestly_fail_to_help():
    """The planner's figures of the measured house differ from those of the true one: a promise is not the proof."""
    house = world_of(kiln_row())
    job = measure(house, "before")
    seen, true = evaluate(House(job), job.settings), house.truth().outcome(job.settings)
    assert seen.headroom != pytest.approx(true.headroom, rel=1e-3)
    assert seen.worst_zigbee_delivery != pytest.approx(true.worst_delivery, rel=1e-3)
