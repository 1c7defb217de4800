"""Drawn worlds: they vary as the tables say, agree with the model where nothing is drawn, and decide without harm."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
import pytest
from judge.ties import held_with_ties
from scipy.special import logit
from scipy.stats import poisson
from scipy.stats.mstats import mquantiles
from tests.houses import random_house

from even_static.core.house.settings import DeviceBand, SsidPlan, setting_block
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import keeps_locked, require_choosable
from even_static.core.search.candidates import Held, Rules, follows, kept_to
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import costs, decide, worse_in_worlds
from even_static.core.search.moves import carried_over, may_be_set, moves
from even_static.core.search.plan import make_plan
from even_static.core.search.rules_of_thumb import careful
from even_static.core.tables import worlds as table
from even_static.core.worlds.band import _on_air
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Living
from even_static.core.worlds.phone import SpeedTests, as_tested, left_over
from even_static.core.worlds.span import HELD, span

ALL = Rules(power=True, switch_off=True, links=True, steering=True)


def far(seconds: float = 20.0) -> Deadline:
    return Deadline(time.monotonic() + seconds)


def test_the_same_house_and_seed_give_the_same_worlds_and_another_seed_others():
    house = House(random_house(2, nodes=2, neighbours=12))
    a, b, c = Worlds(house, 8), Worlds(house, 8), Worlds(house, 8, seed=1)
    assert np.array_equal(a.own_device_dbm, b.own_device_dbm)
    assert np.array_equal(Living(a).lived(house.job.settings).problems, Living(b).lived(house.job.settings).problems)
    assert not np.array_equal(a.own_device_dbm, c.own_device_dbm)


def test_levels_vary_as_much_as_the_tables_say():
    """At walked spots 4.3 dB, at devices 6.5 dB beside what was read: common practice (see docs/model.md 10)."""
    house = House(random_house(3, nodes=2, neighbours=12))
    worlds = Worlds(house, 400)
    heard = house.own_at_0_dbm > -140
    spot = (worlds.own_place_dbm - worlds.reader_db - house.own_at_0_dbm.T[None])[:, heard.T]
    assert spot.std() == pytest.approx(np.hypot(table.SPOT_NODE_DB, table.SPOT_RADIO_DB), rel=0.1)
    assert 3.5 < spot.std() < 5.0
    at = house.own_at_0_dbm[:, house.device_place].T
    device = (worlds.own_device_dbm - worlds.reader_db - at[None])[:, at > -140]
    assert 5.5 < device.std() < 7.5
    assert abs(spot.mean()) < 0.5


def test_a_part_of_the_worlds_is_lived_as_in_the_whole():
    house = House(random_house(4, nodes=3, neighbours=25, devices=12, radio_link=True))
    worlds = Worlds(house, 20)
    rows = np.array([3, 7, 7, 12])
    whole, part = Living(worlds).lived(house.job.settings), Living(worlds.taken(rows)).lived(house.job.settings)
    assert np.array_equal(whole.problems[rows], part.problems)
    assert np.allclose(whole.headroom[rows], part.headroom, atol=1e-5)
    assert np.allclose(whole.speed_mbps[rows], part.speed_mbps, rtol=1e-4)


def test_without_anything_drawn_needs_are_those_of_the_model(monkeypatch):
    """One radio, no neighbour: what is on the air is what the model says, but for chips that hear better (at most
    what 6 dB gain) and fading."""
    for name in ("READER_DB", "READS_LOW_DB", "SPOT_NODE_DB", "SPOT_RADIO_DB", "DEVICE_DB", "DEVICE_NODE_DB"):
        monkeypatch.setattr(table, name, 0.0)
    monkeypatch.setattr(table, "DEMAND_SPREAD", 0.0)
    monkeypatch.setattr(table, "UNHEARD_ODDS", -1.0)
    job = random_house(5, nodes=1, bands=("5 GHz",), neighbours=0, devices=6, zigbee_devices=0)
    job = replace(job, devices=tuple(replace(d, bands=("5 GHz",)) for d in job.devices))
    house = House(job)
    monkeypatch.setattr(table, "CHIP_DB", (0.0, 0.0))
    monkeypatch.setattr(table, "EFFICIENCY_SPREAD", 0.0)
    lived = Living(Worlds(house, 4)).lived(job.settings)
    model = evaluate(house, job.settings)
    linked = np.array([d.radio_id is not None for d in model.devices])
    assert ((lived.home >= 0) >= linked[None, :]).all()
    assert lived.headroom.min() >= min(model.headroom, table.MOST_HEADROOM) * 0.95
    assert (lived.problems <= model.problems).all()


def test_a_device_on_a_band_s_own_ssid_is_there_in_every_world_and_steering_moves_all_that_listen():
    house = House(random_house(6, nodes=2, neighbours=10, devices=10))
    job = house.job
    dual = next(d for d in job.devices if len(d.bands) > 1)
    names = SsidPlan("one SSID plus a split pair", None, (DeviceBand(dual.id, "2.4 GHz"),))
    living = Living(Worlds(house, 32))
    home = living.lived(replace(job.settings, ssid_plan=names)).home[:, job.devices.index(dual)]
    assert {house.radios[r].band for r in home if r >= 0} <= {"2.4 GHz"}
    free = living.lived(replace(job.settings, ssid_plan=SsidPlan())).home
    steered = living.lived(replace(job.settings, ssid_plan=SsidPlan(high_band_from_dbm=-75.0))).home
    high = np.array([r.band != "2.4 GHz" for r in house.radios])

    def above(home: np.ndarray) -> int:
        return int((high[np.maximum(home, 0)] & (home >= 0)).sum())

    assert above(steered) > above(free)


@pytest.mark.parametrize("seed", [1, 4, 9])
def test_every_move_is_lawful_differs_in_one_thing_and_can_be_made_on_another_setting(seed):
    job = random_house(seed, nodes=3, neighbours=12, devices=8, radio_link=True)
    house = House(job)
    found = list(moves(house, ALL, job.settings))
    assert {m.kind for m in found} >= {"block", "power", "switch", "link", "names", "device", "zigbee"}
    other = next(m for m in found if m.kind == "zigbee").settings
    for move in found[:: max(1, len(found) // 150)]:
        assert move.settings != job.settings
        if may_be_set(house, move.settings):
            require_choosable(job, move.settings)
        assert carried_over(job.settings, move, job.settings) == move.settings
        both = carried_over(job.settings, move, other)
        if move.kind != "zigbee":
            assert both.zigbee_channel == other.zigbee_channel
            assert replace(both, zigbee_channel=job.settings.zigbee_channel) == move.settings


@pytest.mark.parametrize("seed", [2, 7])
def test_what_is_decided_does_no_harm_in_worlds_that_nobody_searched(seed):
    job = random_house(seed, nodes=2, neighbours=25, devices=10)
    house = House(job)
    decision = decide(house, ALL, {"as it is": job.settings}, far(), count=32)
    taken = decision.taken.settings
    require_choosable(job, taken)
    unseen = Living(Worlds(house, 48, seed=77))
    now, then = unseen.lived(job.settings), unseen.lived(taken)
    assert worse_in_worlds(then, now).mean() <= 0.15
    assert costs(then, now).mean() < costs(now, now).mean()
    assert decision.outlook.better > decision.outlook.worse


def test_a_house_without_any_problem_is_left_as_it_is():
    job = random_house(8, nodes=1, neighbours=0, devices=2, zigbee_devices=0)
    quiet = tuple(replace(d, demand_down_mbps=0.5, demand_up_mbps=0.1, awkward=False) for d in job.devices)
    house = House(replace(job, devices=quiet))
    decision = decide(house, Rules(), {"as it is": job.settings}, far(), count=16)
    assert decision.taken.settings == job.settings
    assert decision.outlook.better == decision.outlook.worse == 0
    assert decision.outlook.hinge is None


def test_what_the_rules_hold_stays_in_the_worlds_too():
    job = random_house(3, nodes=2, neighbours=20, devices=8)
    house = House(job)
    mine = job.settings.radios[0]
    held = Held(settings=job.settings, radio_ids=frozenset({mine.radio_id}), ssid_plan=True, links=True, zigbee=True)
    rules = replace(ALL, channel_plan="1/6/11 only", held=held)
    plan = make_plan(house, rules, 15.0, {mine.radio_id: setting_block(job.radio(mine.radio_id), mine)})
    assert plan.settings.of(mine.radio_id) == mine
    assert plan.settings.ssid_plan == job.settings.ssid_plan
    assert plan.settings.zigbee_channel == job.settings.zigbee_channel
    assert follows(job, plan.settings, rules)
    assert plan.outlook is not None


@pytest.mark.parametrize("free", ["power", "switch_off", "links", "steering"])
def test_what_is_not_left_free_stays_as_it_is(free):
    """Whatever is proposed: a recipe that lowers powers is taken without them where powers are not to be chosen."""
    job = random_house(7, nodes=2, neighbours=18, devices=8, radio_link=True)
    plan = make_plan(House(job), Rules(**{free: True}), 6.0)
    now, then = job.settings, plan.settings
    if free != "power":
        assert [s.eirp_dbm for s in then.radios] == [s.eirp_dbm for s in now.radios]
    if free != "switch_off":
        assert [s.enabled for s in then.radios] == [s.enabled for s in now.radios]
    if free != "links":
        assert then.link_bands == now.link_bands
    if free != "steering":
        assert then.ssid_plan == now.ssid_plan
    for other in (careful(House(job), now), replace(now, ssid_plan=SsidPlan(high_band_from_dbm=-60.0))):
        kept = kept_to(job, other, Rules())
        assert [(s.eirp_dbm, s.enabled) for s in kept.radios] == [(s.eirp_dbm, s.enabled) for s in now.radios]
        assert kept.ssid_plan == now.ssid_plan


def test_the_outlook_is_what_the_worlds_say():
    """Worked out once more by hand from the worlds that the outlook is told from."""
    job = random_house(7, nodes=2, neighbours=18, devices=8)
    house = House(job)
    decision = decide(house, ALL, {"as it is": job.settings}, far(), count=24)
    unseen = Worlds(house, 24, seed=1)
    now, then = (Living(unseen).lived(s) for s in (job.settings, decision.taken.settings))
    assert decision.outlook.better == int(worse_in_worlds(now, then).sum())
    # Figures have the model's own error.
    fresh = Living(unseen.erring())
    now, then = fresh.lived(job.settings), fresh.lived(decision.taken.settings)
    figures = {f.name: f for f in decision.outlook.figures}
    assert figures["problems"].now.middle == np.median(now.problems)
    assert figures["problems"].then == span(then.problems)
    assert figures["headroom"].then.high == pytest.approx(np.quantile(then.headroom, 0.95, method="weibull"))
    speeds = {s.place_id: s for s in decision.outlook.speeds}
    again = as_tested(fresh.worlds, fresh.speed_tests(job.settings))
    for p, place in enumerate(job.places):
        assert speeds[place.id].now_mbps == span(again.down_mbps[:, p])
        assert speeds[place.id].now_up_mbps == span(again.up_mbps[:, p])
        assert bool(speeds[place.id].reason) == speeds[place.id].falls


@pytest.mark.parametrize("count", [24, 63, 64])
def test_ends_of_ranges_are_scipy_s_order_statistics(count):
    """scipy.stats.mstats.mquantiles with plotting positions k / (n + 1) (``alphap`` and ``betap`` zero)."""
    values = np.random.default_rng(count).lognormal(size=count)
    told = span(values)
    theirs = mquantiles(values, (0.05, 0.5, 0.95), alphap=0, betap=0)
    assert (told.low, told.middle, told.high) == pytest.approx(tuple(theirs))


@pytest.mark.parametrize("count", [24, 64, 256])
def test_a_range_holds_the_next_world_as_often_as_it_claims(count):
    """However few worlds it is told from; of order statistics, k of n + 1 lie below the k-th."""
    rng = np.random.default_rng(count)
    held = 0
    for _ in range(4000):
        *known, another = rng.lognormal(size=count + 1)
        told = span(np.array(known))
        held += told.low <= another <= told.high
    assert held / 4000 == pytest.approx(HELD, abs=0.015)


def test_ranges_of_counts_hold_what_they_claim_once_ties_are_dealt_out():
    """Counts from scipy.stats.poisson, told from worlds of the same: plainly counted a range holds far more of them."""
    rng = np.random.default_rng(4)
    plain, dealt = [], []
    for _ in range(3000):
        drawn = poisson.rvs(0.4, size=64, random_state=rng).astype(float)
        came, told = float(poisson.rvs(0.4, random_state=rng)), span(drawn)
        plain.append(told.low <= came <= told.high)
        dealt.append(held_with_ties(drawn, came))
    assert np.mean(plain) > 0.95
    assert np.mean(dealt) == pytest.approx(HELD, abs=0.01)


def test_dealing_ties_out_still_finds_worlds_that_are_too_sure():
    rng = np.random.default_rng(5)
    pairs = [(poisson.rvs(0.4, size=64, random_state=rng), float(rng.poisson(1.2))) for _ in range(999)]
    assert np.mean([held_with_ties(drawn, came) for drawn, came in pairs]) < 0.75


def test_without_ties_a_value_is_held_or_not():
    assert [held_with_ties(np.arange(64.0), value) for value in (-1.0, 30.5, 70.0)] == [0, 1, 0]


def test_tests_differ_from_one_to_the_next_alike_for_now_and_then():
    worlds = Worlds(House(random_house(7, nodes=2, neighbours=18, devices=8)), 400)
    flat = np.full(worlds.own_place_dbm.shape[:2], 100.0)
    given = SpeedTests(down_mbps=flat, up_mbps=2 * flat, latency_ms=flat)
    shown = as_tested(worlds, given)
    assert np.std(np.log(shown.down_mbps)) == pytest.approx(table.TEST_AGAIN, rel=0.1)
    assert np.median(shown.down_mbps) == pytest.approx(100, rel=0.03)
    assert shown.up_mbps == pytest.approx(2 * shown.down_mbps)
    assert as_tested(worlds, given).down_mbps == pytest.approx(shown.down_mbps)
    assert shown.latency_ms is flat


def test_a_decision_tells_how_far_it_is_and_stops_when_told():
    house = House(random_house(3, nodes=3, neighbours=40, devices=20))
    told: list[tuple[str, float]] = []

    def on_progress(text: str, part: float) -> bool:
        told.append((text, part))
        return len(told) < 3

    began = time.monotonic()
    decide(house, ALL, {"as it is": house.job.settings}, far(60), on_progress=on_progress)
    assert time.monotonic() - began < 10
    assert len(told) == 3
    assert all(0 <= part <= 1 for _, part in told)


def test_nothing_is_promised_of_a_house_whose_air_nobody_scanned():
    job = replace(random_house(3, nodes=2, devices=5), scans=())
    plan = make_plan(House(job), ALL, 3.0)
    assert plan.outlook is None


def test_a_locked_radio_is_never_set_otherwise_not_even_by_a_link_that_would_follow_it():
    """The far end of a link is locked: whatever moves the link or the near end, nothing that changes it may be set."""
    job = random_house(4, nodes=2, neighbours=10, devices=6, radio_link=True)
    last = job.nodes[-1]
    radios = tuple(replace(r, locked=True) for r in last.radios)
    job = replace(job, nodes=(*job.nodes[:-1], replace(last, radios=radios)))
    house, locked = House(job), {r.id for r in radios}
    changed = replace(
        job.settings,
        radios=tuple(replace(s, eirp_dbm=s.eirp_dbm - 3) if s.radio_id in locked else s for s in job.settings.radios),
    )
    assert not keeps_locked(job, changed)
    assert not may_be_set(house, changed)
    allowed = [m.settings for m in moves(house, ALL, job.settings) if may_be_set(house, m.settings)]
    assert allowed
    assert all(s.of(r) == job.settings.of(r) for s in allowed for r in locked)


def test_a_band_that_is_off_from_the_first_is_lived():
    """Worlds that have lived nothing yet, under settings with all of 2.4 GHz off."""
    house = House(random_house(7, nodes=2, neighbours=5, devices=4))
    off = tuple(
        replace(s, enabled=r.band != "2.4 GHz") for s, r in zip(house.job.settings.radios, house.radios, strict=True)
    )
    dark = replace(house.job.settings, radios=off)
    lived = Living(Worlds(house, 8)).lived(dark)
    known = Living(Worlds(house, 8))
    known.lived(house.job.settings)
    assert np.array_equal(lived.problems, known.lived(dark).problems)


def test_networks_of_one_channel_take_turns_and_others_do_not():
    """Worked out by hand: three of 0.6 on channel 6 send 0.9 together, one of 0.6 on channel 11 and what is no Wi-Fi
    send as they like."""
    worlds = Worlds(House(random_house(4, nodes=1, neighbours=5, devices=2, bands=("2.4 GHz",))), 2)
    foreign = replace(
        worlds.foreign["2.4 GHz"],
        use=np.full((2, 5), 0.6, dtype=np.float32),
        centre_mhz=np.array([2437, 2437, 2437, 2462, 2437]),
        width_mhz=np.array([20, 20, 20, 20, 20]),
        wifi=np.array([True, True, True, True, False]),
    )
    assert _on_air(foreign) == pytest.approx(np.tile([0.3, 0.3, 0.3, 0.6, 0.6], (2, 1)), abs=1e-6)


def test_what_is_told_has_the_models_own_error_the_same_for_a_whole_house():
    house = House(random_house(4, nodes=2, neighbours=5, devices=2))
    plain = Worlds(house, 256)
    erring = plain.erring()
    ratio = np.log(erring.efficiency / plain.efficiency)
    assert np.allclose(ratio, ratio[:, :1], atol=1e-4)
    assert ratio.std() == pytest.approx(table.MODEL_SPREAD, rel=0.2)
    assert np.array_equal(plain.own_device_dbm, erring.own_device_dbm)


def test_so_have_zigbees_reports():
    house = House(random_house(4, nodes=2, neighbours=25, devices=4, zigbee_devices=8))
    plain = Worlds(house, 256)
    erring = plain.erring()
    assert erring.mesh_off.std() == pytest.approx(table.MESH_MODEL_SPREAD, rel=0.2)
    erring.efficiency = plain.efficiency
    one, other = (Living(w).lived(house.job.settings).deliveries for w in (plain, erring))
    between = (one > 0.001) & (one < 0.999)
    assert between.sum() > 50
    shift = logit(other[between]) - logit(one[between])
    assert shift == pytest.approx(np.broadcast_to(erring.mesh_off, one.shape)[between], abs=0.01)


def test_a_speed_test_to_come_has_an_up_and_a_latency():
    """Worked out by hand where nothing is left to the air: one node, no neighbour, nobody who wants anything."""
    job = random_house(4, nodes=1, neighbours=0, devices=2, zigbee_devices=0)
    job = replace(job, devices=tuple(replace(d, demand_down_mbps=0.0, demand_up_mbps=0.0) for d in job.devices))
    worlds = Worlds(House(job), 32)
    tests = Living(worlds).speed_tests(job.settings)
    assert np.array_equal(tests.down_mbps, Living(worlds).lived(job.settings).speed_mbps)
    free = left_over(Living(worlds).at_work(job.settings))
    alone = table.IDLE_MS + worlds.waiting_ms / min(float(f.min()) for f in free.values())
    clear = tests.latency_ms * worlds.phone**table.LATENCY_BY_PHONE
    assert np.all(clear >= table.IDLE_MS + worlds.waiting_ms - 1e-3)
    assert np.all(clear <= alone + 1e-3)
    # A phone radiates less than the node: what it sends never arrives at a better rate.
    weaker = min(job.settings.of(r.id).eirp_dbm for r in job.radios) >= table.PHONE_EIRP_DBM
    assert weaker
    assert np.all(tests.up_mbps <= tests.down_mbps + 1e-3)
    # Through a crowded channel both are slower, and the wait is longer.
    crowded = House(random_house(4, nodes=1, neighbours=60, devices=10, zigbee_devices=0))
    busy = Living(Worlds(crowded, 32)).speed_tests(crowded.job.settings)
    assert np.median(busy.latency_ms) > np.median(tests.latency_ms)
    assert np.median(busy.up_mbps) < np.median(tests.up_mbps)
