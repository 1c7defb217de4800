"""Times of day, plans that are kept, settings held by hand, nodes that may move, and what to measure next."""

from __future__ import annotations

import time
from dataclasses import asdict, replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.core.explain import next_measurement as measuring
from even_static.core.explain.kept_plans import compare_plans
from even_static.core.explain.next_measurement import measure_next
from even_static.core.house.settings import KeptPlan, SsidPlan
from even_static.core.model.daily import heard_parts, over_the_day, part_of
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import same_setting
from even_static.core.search.candidates import Held, Rules
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import decide
from even_static.core.search.placement import _choices, make_placed_plan
from even_static.core.search.plan import best_settings, make_plan
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row

ALL = Rules(power=True, switch_off=True, links=True, steering=True)


def far() -> float:
    return time.monotonic() + 60


def two_times(seed: int, busy: float = 0.9):
    """A house heard in the evening, and the next morning with everybody on its first channel busy."""
    job = random_house(seed, nodes=1, neighbours=14, devices=5, zigbee_devices=3)
    morning = tuple(
        replace(
            li,
            id=f"m-{li.id}",
            heard_at="2026-03-01T08:00:00Z",
            readings=tuple(
                replace(r, channel_use_fraction=busy) if r.bssid.startswith("06") else r for r in li.readings
            ),
        )
        for li in job.scans
    )
    return replace(job, scans=(*job.scans, *morning))


def test_one_listening_time_says_what_it_leaves_open():
    job = random_house(3, nodes=1, neighbours=5, devices=3)
    day = over_the_day(job, job.settings)
    assert heard_parts(job) == ["evening"]
    assert "listened in one part of the day only, the evening" in day.text
    assert "the night, the morning and the afternoon is not known" in day.text
    assert [p.problems is None for p in day.parts] == [True, True, True, False]
    assert over_the_day(replace(job, scans=()), job.settings).text == "nobody has listened yet"


def test_each_part_of_the_day_is_evaluated_by_what_was_heard_then():
    job = two_times(5)
    day = {p.name: p for p in over_the_day(job, job.settings).parts}
    only_morning = replace(job, scans=tuple(li for li in job.scans if li.id.startswith("m-")))
    only_evening = replace(job, scans=tuple(li for li in job.scans if not li.id.startswith("m-")))
    for name, alone in (("morning", only_morning), ("evening", only_evening)):
        figures = evaluate(House(alone, as_heard=True), job.settings)
        assert (day[name].problems, day[name].headroom) == (figures.problems, figures.headroom)
    assert day["morning"].busy_fraction >= day["evening"].busy_fraction
    assert over_the_day(job, job.settings).worst == "morning"
    # Where a place was not listened to in a part, what was heard there at another time stands in.
    partly = replace(job, scans=tuple(li for li in job.scans if li.id != "m-l0"))
    assert part_of(partly, "morning").air.heard["2.4 GHz"].all()


@pytest.mark.parametrize("seed", [189, 191])
def test_a_plan_that_hurts_in_a_part_of_the_day_that_was_heard_is_passed_over(seed):
    """The best by the newest readings is worse than now in the morning: a safe one is taken, and why is told."""
    job = two_times(seed, 0.95)
    house = House(job)
    morning = part_of(job, "morning")
    now = evaluate(morning, job.settings).rank.noticed
    best = best_settings(house, Rules(), far()).settings
    assert evaluate(morning, best).rank.noticed > now, "a house in which the newest readings mislead"
    decision = decide(house, Rules(), {"best": best}, Deadline(far()), count=16)
    assert decision.taken.settings != best
    assert decision.outlook.parts == ("morning", "evening")
    assert decision.outlook.worse_in == ()
    assert evaluate(morning, decision.taken.settings).rank.noticed <= now
    assert decision.outlook.passed_over.endswith("worse than now in the morning")


@settings(max_examples=6)
@given(st.integers(0, 10**6))
def test_what_is_set_by_hand_stays_and_the_rest_is_the_best_around_it(seed: int):
    job = random_house(seed, nodes=2, bands=("2.4 GHz", "5 GHz"), neighbours=8, devices=5, zigbee_devices=3)
    house = House(job)
    mine = replace(job.settings.radios[0], eirp_dbm=14.0)
    by_hand = replace(
        job.settings,
        radios=(mine, *job.settings.radios[1:]),
        ssid_plan=SsidPlan(high_band_from_dbm=-60.0),
        zigbee_channel=job.zigbee.selectable_channels[0],
    )
    held = Held(settings=by_hand, radio_ids=frozenset({mine.radio_id}), ssid_plan=True, zigbee=True)
    pinned = {mine.radio_id: house_block(job, mine)}
    found = best_settings(house, replace(ALL, held=held), far(), pinned)
    assert same_setting(found.settings.of(mine.radio_id), mine)
    assert found.settings.ssid_plan == by_hand.ssid_plan
    assert found.settings.zigbee_channel == by_hand.zigbee_channel
    fresh = evaluate(House(job), found.settings)
    assert found.evaluation.rank == fresh.rank
    for kept, new in zip(found.evaluation.radios, fresh.radios, strict=True):
        assert asdict(kept) == pytest.approx(asdict(new))  # sums over other shapes differ in the last bit
    free = best_settings(house, ALL, far())
    assert free.evaluation.rank.noticed <= found.evaluation.rank.noticed
    channels = best_settings(house, Rules(held=held), far(), pinned)
    assert channels.settings.ssid_plan == by_hand.ssid_plan
    assert channels.evaluation.rank >= found.evaluation.rank


def house_block(job, setting):
    from even_static.core.house.settings import setting_block

    return setting_block(job.radio(setting.radio_id), setting)


def test_kept_plans_stand_side_by_side_and_stale_ones_say_why():
    job = random_house(9, nodes=1, neighbours=10, devices=5)
    best = best_settings(House(job), Rules(), far()).settings
    gone = replace(best, radios=best.radios[1:])
    plans = (
        KeptPlan(id="a", name="the best", kept_at="2026-03-02T20:00:00Z", settings=best),
        KeptPlan(id="b", name="as it was", kept_at="2026-03-02T20:01:00Z", settings=job.settings),
        KeptPlan(id="c", name="old kit", kept_at="2026-03-01T20:01:00Z", settings=gone),
    )
    now, a, b, c = compare_plans(House(replace(job, plans=plans)))
    assert a.evaluation == evaluate(job, best)
    assert a.changes == a.evaluation.changes
    assert a.rank == 1
    assert now.rank == b.rank
    assert b.changes == 0
    assert c.evaluation is None
    assert "must hold a setting for every radio" in c.stale


@pytest.fixture(scope="module")
def row():
    return measure(world_of(kiln_row()), "before")


def test_nodes_that_may_move_are_tried_at_every_allowed_spot(row):
    house = House(row)
    found = make_placed_plan(house, ["studio"], Rules(power=True, links=True), 30.0)
    sockets = [o for o in row.building.outlets if o.power]
    assert found.weighed == found.possible == len(sockets) + 1
    assert any(way.outlets == ("where it is",) and way.best_problems is not None for way in found.ways)
    for way in found.ways:
        assert way.best_problems is None or way.best_problems <= way.problems
    keys = [w.best_problems for w in found.ways if w.best_problems is not None]
    assert found.plan.evaluation.problems == min(keys)
    # What is on a cable goes only where a cable drop is.
    landing = make_placed_plan(house, ["landing"], Rules(), 30.0)
    drops = [o for o in sockets if o.cable_drops]
    assert landing.weighed == len(drops) + 1


def test_spots_that_the_time_did_not_reach_are_counted_and_near_ones_come_first(row):
    cut = make_placed_plan(House(row), ["studio"], Rules(), 0.001)
    sockets = [o for o in row.building.outlets if o.power]
    assert cut.weighed < cut.possible == len(sockets) + 1
    assert cut.ways[0].outlets == ("where it is",)
    # The two sockets of its own room stand before those of all others.
    first = [o for way in _choices(House(row), ["studio"])[:3] for o in way if o is not None]
    assert {o.name.split()[0].strip(",") for o in first} == {"Studio"}


@pytest.mark.parametrize(("ids", "field"), [(["ghost"], "move_node_ids"), ([], "move_node_ids")])
def test_only_nodes_of_the_call_may_move(row, ids, field):
    with pytest.raises(BadInput) as error:
        make_placed_plan(House(row), ids, Rules(), 1.0)
    assert error.value.field == field
    bare = random_house(3, nodes=1)
    with pytest.raises(BadInput) as error:
        make_placed_plan(House(bare), ["node0"], Rules(), 1.0)
    assert error.value.field == "building"


def test_what_to_measure_next_is_what_changes_the_plan_most_often(monkeypatch):
    """Each drawing by itself: how often another plan is then better, and that what is known well changes nothing."""
    job = random_house(12, nodes=2, neighbours=14, devices=8)
    job = replace(job, scans=job.scans[:3])
    house = House(job)
    plan = make_plan(house, Rules(), 5.0)
    others = [a.settings for a in plan.alternatives]
    monkeypatch.setattr(measuring, "DRAWS", 6)
    found = measure_next(house, plan.settings, others)
    shares = [m.changes_plan for m in found.measurements]
    assert shares == sorted(shares, reverse=True)
    assert all(0 <= s <= 1 for s in shares)
    unread = [m for m in found.measurements if m.place_id and m.why == "nobody has listened there"]
    assert {m.place_id for m in unread} == {p.id for p in job.places[3:] if used(job, p.id)}
    if shares[0] > 0:
        assert found.text.startswith(found.measurements[0].what)
    for name in ("READ_SPREAD_DB", "UNREAD_SPREAD_DB", "LOAD_SPREAD"):
        monkeypatch.setattr(measuring, name, 0.0)
    certain = measure_next(house, plan.settings, others)
    assert all(m.changes_plan == 0 for m in certain.measurements)
    assert certain.text == "no single measurement would change the plan: it can be applied"
    stopped = measure_next(house, plan.settings, others, lambda text, fraction: fraction < 0.2)
    assert 0 < len(stopped.measurements) < len(found.measurements)


def used(job, place_id):
    places = {d.place_id for d in job.devices} | {n.place_id for n in job.nodes}
    places |= {d.place_id for d in job.zigbee.devices} | {job.zigbee.hub_place_id}
    return place_id in places
