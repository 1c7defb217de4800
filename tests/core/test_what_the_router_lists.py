"""The router's lists as evidence: worlds agree with them, the ranges hold the truth, and counters become demand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.houses import random_house

from even_static.core.explain.heavy_users import traffic_view
from even_static.core.house.changes import Change
from even_static.core.house.lists import ChannelUse, ClientSeen
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.survey.router_lists import lists_view
from even_static.core.survey.traffic import carried, with_carried_demand
from even_static.core.tables import worlds as table
from even_static.core.worlds.channel_use import told_by_channel_use
from even_static.core.worlds.client_list import told_by_the_list
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.hub_log import _kept, told_by_the_log
from even_static.core.worlds.living import Living
from even_static.core.worlds.outlook import _settles_demand
from even_static.core.worlds.present import agreeing_worlds
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.measured import walked
from even_static.truth.outcome import TruthAt

AT = "2026-03-02T21:00:00+01:00"


def seen(device_id: str, at: str = AT, **more) -> ClientSeen:
    return ClientSeen(device_id=device_id, listed_at=at, **more)


def test_counters_become_the_busy_hour_s_demand():
    """Worked by hand: 5.4 GB over a whole day are 0.5 Mb/s on average; with the usual day, whose hours
    add up to 11.61 busiest ones (``tables/daily.py``), 0.5 * 24 / 11.61 in that hour."""
    job = random_house(3, nodes=1, devices=3)
    a, b, c = (d.id for d in job.devices)
    job = replace(
        job,
        client_list=(
            seen(a, down_mb=5400.0, up_mb=0.0, counted_h=24.0),
            # From 20 to 21 h, the busiest hour: 450 MB are 1 Mb/s. Its counter had run for long before.
            seen(b, "2026-03-02T20:00:00+01:00", down_mb=70_000.0, up_mb=900.0, counted_h=900.0),
            seen(b, down_mb=70_450.0, up_mb=945.0),
            # A counter that was set back in between, and of which nobody knows how long it ran.
            seen(c, "2026-03-02T20:00:00+01:00", down_mb=800.0),
            seen(c, down_mb=20.0),
        ),
    )
    found = {x.device_id: x for x in carried(job)}
    assert set(found) == {a, b}
    assert found[a].busy_down_mbps == pytest.approx(0.5 * 24 / 11.61)
    assert (found[b].hours, found[b].busy_down_mbps, found[b].busy_up_mbps) == pytest.approx((1.0, 1.0, 0.1))
    assert found[b].traffic_share == pytest.approx(495 / (495 + 5400 / 24))
    measured = with_carried_demand(job, {b}).devices
    assert [d.demand_down_mbps for d in measured] == [
        job.devices[0].demand_down_mbps,
        1.0,
        job.devices[2].demand_down_mbps,
    ]


def test_what_would_settle_demand_follows_what_is_known_of_it():
    job = random_house(3, nodes=1, devices=2)
    assert "read the router's traffic counters over" in _settles_demand(job)
    counted = replace(job, client_list=(seen(job.devices[0].id, down_mb=5400.0, up_mb=1.0, counted_h=24.0),))
    assert "take the traffic" in _settles_demand(counted)
    assert "once more" in _settles_demand(with_carried_demand(counted))


def test_who_takes_what_is_what_the_model_says_without_them():
    job = random_house(5, nodes=1, neighbours=12, devices=5)
    heavy = job.devices[0].id
    job = replace(
        job,
        client_list=tuple(
            seen(d.id, down_mb=40_000.0 if d.id == heavy else 300.0, up_mb=10.0, counted_h=24.0) for d in job.devices
        ),
    )
    view = traffic_view(House(job), job.settings)
    assert view.users[0].carried.device_id == heavy
    measured = with_carried_demand(job)
    assert (view.problems, view.headroom) == (
        (figures := evaluate(House(measured), job.settings)).problems,
        figures.headroom,
    )
    without = tuple(
        replace(d, demand_down_mbps=0.0, demand_up_mbps=0.0) if d.id == heavy else d for d in measured.devices
    )
    alone = evaluate(House(replace(measured, devices=without)), job.settings)
    assert view.users[0].problems_without == alone.problems
    assert view.users[0].headroom_without == alone.headroom
    assert view.users[0].headroom_without >= view.headroom
    assert sum(u.carried.traffic_share for u in view.users) == pytest.approx(1.0)
    assert traffic_view(House(replace(job, client_list=())), job.settings).text == "no counters were read yet"


@pytest.mark.parametrize("seed", [3201, 3203, 3206])
def test_devices_are_on_the_radios_that_the_list_shows(seed):
    """On houses of the independent simulator: who is on which radio, which no scan can know, and what follows."""
    drawn = drawn_house(seed)
    true = TrueHouse(drawn.job, drawn.neighbours, seed)
    job = replace(walked(true), channel_uses=(), speed_tests=(), zigbee_reports=())
    outcome = TruthAt(true).outcome(job.settings, speeds=False)
    house = House(job)
    names = [r.id for r in house.radios]

    def right(worlds: Worlds) -> float:
        home = Living(worlds).lived(job.settings, at_places=False).home
        joined = [i for i, d in enumerate(job.devices) if outcome.home[d.id] is not None]
        return float(np.mean([home[:, i] == names.index(outcome.home[job.devices[i].id]) for i in joined]))

    blind, _ = agreeing_worlds(House(replace(job, client_list=())))
    told, agreement = agreeing_worlds(house)
    assert right(told) > 0.97 > right(blind)
    assert agreement is not None
    assert {x.device_id for x in agreement.listed} == {c.device_id for c in job.client_list}
    for x in agreement.listed:
        assert x.share_after >= x.share_before - 1e-9
        assert abs(x.level_dbm - x.level_after_dbm) <= abs(x.level_dbm - x.level_before_dbm) + 2.0
    # The worlds that were given stay as they were.
    again, _ = agreeing_worlds(House(replace(job, client_list=())))
    assert np.array_equal(again.whim_db, blind.whim_db)


def test_a_line_that_cannot_be_is_told_and_moves_no_level():
    job = random_house(7, nodes=2, bands=("2.4 GHz", "5 GHz"), devices=4)
    radio, device = job.radios[0], job.devices[0]
    level = -20.0
    house = House(replace(job, client_list=(seen(device.id, radio_id=radio.id, rssi_dbm=level),)))
    plain, _ = agreeing_worlds(House(job))
    worlds, agreement = agreeing_worlds(house)
    (listed,) = agreement.listed
    if abs(listed.level_before_dbm - level) > 25:
        assert not listed.held
        assert np.abs(worlds.own_device_dbm[:, 0].mean(axis=0) - plain.own_device_dbm[:, 0].mean(axis=0)).max() < 5
    # A radio that has gone since, and a line of before the last change, count for nothing.
    gone = House(replace(job, client_list=(seen(device.id, radio_id="gone", rssi_dbm=-60.0),)))
    _, agreement = agreeing_worlds(gone)
    assert (agreement.listed[0].radio_id, agreement.listed[0].share_after, agreement.listed[0].level_dbm) == (None,) * 3


@pytest.mark.parametrize("seed", [2, 5, 9])
def test_channel_use_moves_the_radio_s_own_airtime_and_the_neighbours(seed):
    job = random_house(seed, nodes=2, bands=("2.4 GHz", "5 GHz"), neighbours=15, devices=8)
    worlds = Worlds(House(job), 200)
    all_asked = Living(at_hour(worlds, 20)).lived(job.settings, at_places=False).asked
    # A radio of which something is to be learnt: neither idle nor full.
    index = int(np.argmin(np.abs(np.median(all_asked, axis=0) - 0.6)))
    radio, asked = worlds.house.radios[index].id, all_asked[:, index]
    wanted = float(np.quantile(asked, 0.25))
    assert 0.1 < wanted < 0.9
    use = ChannelUse(radio_id=radio, seen_at="2026-03-02T20:00:00+01:00", busy_fraction=wanted)
    told, (found,) = told_by_channel_use(worlds, [use])
    after = Living(at_hour(told, 20)).lived(job.settings, at_places=False).asked[:, index]
    assert abs(np.median(after) - wanted) < abs(np.median(asked) - wanted)
    assert np.std(np.log(after)) < np.std(np.log(asked))
    assert found.held
    assert np.array_equal(Living(at_hour(worlds, 20)).lived(job.settings, at_places=False).asked[:, index], asked)


def test_the_hub_s_log_moves_the_device_that_it_tells_of():
    drawn = drawn_house(3111)
    true = TrueHouse(drawn.job, drawn.neighbours, 3111)
    job = walked(true, lists=False)
    worlds = Worlds(House(job), 200)
    told = told_by_the_log(worlds, list(job.zigbee_reports))

    def off(lived: Worlds) -> list[float]:
        living = Living(at_hour(lived, 14))
        said = living.lived(job.settings, at_places=False).deliveries
        return [
            abs(float(np.median(said[:, living.mesh.ids.index(r.device_id) - 1])) - r.delivered / r.sent)
            for r in job.zigbee_reports
        ]

    assert np.mean(off(worlds)) > 0.015
    assert np.mean(off(told)) < 0.6 * np.mean(off(worlds))


def test_a_listed_level_moves_the_draws_as_kalman_s_formula_says():
    """One reading of one level, prior and error Gaussian: mean and variance after it are those of the closed form
    (Kalman, J. Basic Eng. 82, 1960; any textbook), which a large ensemble must come to."""
    job = random_house(4, nodes=1, bands=("5 GHz",), devices=2, neighbours=0, zigbee_devices=0)
    house = House(job)
    worlds = Worlds(house, 20_000)
    level = worlds.own_device_dbm[:, 0, 0] + worlds.client_eirp_dbm[:, 0]
    # Clear of the loudest that counts, so that the level stays Gaussian.
    worlds.own_device_dbm -= np.float32(level.mean() + 60.0)
    level = (worlds.own_device_dbm[:, 0, 0] + worlds.client_eirp_dbm[:, 0]).astype(np.float64)
    own = worlds.own_device_dbm[:, 0, 0].astype(np.float64)
    measured, error = float(level.mean()) - 6.0, table.LISTED_LEVEL_DB**2
    told, _ = told_by_the_list(worlds, [seen(job.devices[0].id, radio_id=house.radios[0].id, rssi_dbm=measured)])
    gain = level.var() / (level.var() + error)
    after = (told.own_device_dbm[:, 0, 0] + told.client_eirp_dbm[:, 0]).astype(np.float64)
    assert after.mean() == pytest.approx(level.mean() + gain * (measured - level.mean()), abs=0.1)
    assert after.var() == pytest.approx(gain * error, rel=0.05)
    # The part that is not seen alone moves by how it varies with what is.
    share = np.cov(own, level)[0, 1] / (level.var() + error)
    assert told.own_device_dbm[:, 0, 0].mean() == pytest.approx(own.mean() + share * (measured - level.mean()), abs=0.1)


def test_devices_are_taken_over_as_often_as_their_weight_says():
    """Systematic resampling keeps each one floor or ceiling of its weight times the count (Douc and Cappe 2005, from
    memory), and whoever is kept keeps its own."""
    rng = np.random.default_rng(3)
    for _ in range(20):
        agrees = rng.normal(0, 2, 50)
        weight = np.exp(agrees - agrees.max())
        weight /= weight.sum()
        rows = _kept(agrees, rng)
        counts = np.bincount(rows, minlength=50)
        assert np.all(counts >= np.floor(50 * weight - 1e-9))
        assert np.all(counts <= np.ceil(50 * weight + 1e-9))
        kept = np.flatnonzero(counts)
        assert np.all(rows[kept] == kept)


def test_lines_of_before_the_last_change_say_so():
    job = random_house(7, nodes=1, devices=2)
    first, second = (d.id for d in job.devices)
    change = Change(changed_at="2026-03-02T20:30:00+01:00", before=job.settings, after=job.settings, reason="x")
    job = replace(
        job,
        changes=(change,),
        client_list=(seen(first, "2026-03-02T20:00:00+01:00"), seen(second, came_from="router's list")),
        channel_uses=tuple(
            ChannelUse(radio_id=job.radios[0].id, seen_at=f"2026-03-02T{h}:00:00+01:00", busy_fraction=b)
            for h, b in ((20, 0.9), (21, 0.4), (22, 0.3))
        ),
    )
    view = lists_view(job)
    assert [(x.seen.device_id, x.counts) for x in view.clients] == [(first, False), (second, True)]
    assert view.clients[1].source == "read from the router's own list"
    assert (view.uses, view.uses_counting, view.fullest_fraction) == (3, 2, 0.4)


def test_a_place_that_nothing_reaches_has_no_latency():
    job = random_house(4, nodes=1, devices=2, neighbours=0)
    worlds = Worlds(House(job), 16)
    worlds.own_place_dbm[:, 0, :] = -150.0
    tests = Living(worlds).speed_tests(job.settings)
    assert tests.down_mbps[:, 0].max() == 0
    assert tests.latency_at(0) is None
    assert tests.latency_at(1) is not None
