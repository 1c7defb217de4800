"""The product's own way to a plan, proof and drawn worlds together: lawful, by the rules, and honest in its reasons."""

from __future__ import annotations

import re
import time
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import require_choosable
from even_static.core.search.candidates import Rules, follows
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import decide
from even_static.core.search.plan import make_plan
from even_static.core.tables.channel_plans import CHANNEL_PLANS
from even_static.core.worlds.living import Living
from even_static.core.worlds.present import agreeing_worlds

WHOLE = {"power": True, "switch_off": True, "links": True, "steering": True}


@settings(max_examples=6, deadline=None)
@given(st.integers(0, 500), st.sampled_from(CHANNEL_PLANS), st.booleans(), st.booleans())
def test_never_unlawful_and_what_is_not_free_stays(seed, channel_plan, avoid_dfs, whole):
    job = random_house(seed, nodes=1 + seed % 3, neighbours=20, devices=8, radio_link=seed % 2 == 0)
    last = job.nodes[-1]
    job = replace(
        job, nodes=(*job.nodes[:-1], replace(last, radios=(replace(last.radios[0], locked=True), *last.radios[1:])))
    )
    house = House(job)
    rules = Rules(channel_plan=channel_plan, avoid_dfs=avoid_dfs, **(WHOLE if whole else {}))
    plan = make_plan(house, rules, 6)
    require_choosable(job, plan.settings)
    assert follows(job, plan.settings, rules)
    locked = last.radios[0].id
    before, after = job.settings.of(locked), plan.settings.of(locked)
    assert (before.channel, before.width_mhz) == (after.channel, after.width_mhz)
    if not whole:
        assert [s.eirp_dbm for s in plan.settings.radios] == [s.eirp_dbm for s in job.settings.radios]
        assert plan.settings.ssid_plan == job.settings.ssid_plan
    assert plan.evaluation.rank == evaluate(House(job), plan.settings).rank
    assert plan.outlook is not None
    assert 0 <= plan.outlook.worse + plan.outlook.better <= plan.outlook.worlds


@pytest.mark.parametrize("seed", [3, 8, 14, 21])
def test_why_the_best_in_the_model_was_passed_over_is_true(seed):
    """What is said of the two is worked out once more, from the worlds that it is told from."""
    job = random_house(seed, nodes=2, neighbours=25, devices=10)
    house = House(job)
    plan = make_plan(house, Rules(**WHOLE), 8)
    passed = [a for a in plan.alternatives if a.kind == "as measured"]
    if not passed:
        assert plan.outlook.passed_over == ""
        return
    (other,) = passed
    living = Living(agreeing_worlds(house, seed=1)[0])
    theirs, ours = (living.lived(s) for s in (other.settings, plan.settings))
    told = re.match(r"it leaves ([\d.]+) problems on average where this one leaves ([\d.]+)", other.reason)
    if told:
        assert [f"{x.problems.mean():.1f}" for x in (theirs, ours)] == list(told.groups())
        assert theirs.problems.mean() > ours.problems.mean()
    headroom = re.match(r"it leaves a headroom of ([\d.]+) where this one leaves ([\d.]+)", other.reason)
    if headroom:
        assert [f"{x.headroom.mean():.2f}" for x in (theirs, ours)] == list(headroom.groups())
        assert ours.headroom.mean() > theirs.headroom.mean()
    assert plan.outlook.passed_over == other.reason


@pytest.mark.parametrize("seed", range(4))
def test_a_radio_that_is_switched_on_again_keeps_to_the_set_of_channels(seed: int):
    """Off it may stand anywhere; on again where it was, it and the others would leave the set together."""
    rules = Rules(channel_plan="1/6/11 only", power=True, switch_off=True, steering=True)
    job = random_house(seed, nodes=2, neighbours=25, devices=10)
    low = [s.radio_id for s in job.settings.radios if job.radio(s.radio_id).band == "2.4 GHz"]
    channels = dict(zip(low, (13, 12), strict=True))
    radios = tuple(
        replace(s, channel=channels[s.radio_id], width_mhz=20, centre_mhz=None) if s.radio_id in channels else s
        for s in job.settings.radios
    )
    house = House(replace(job, settings=replace(job.settings, radios=radios)))
    off = replace(
        house.job.settings, radios=tuple(replace(s, enabled=False) if s.radio_id == low[1] else s for s in radios)
    )
    assert follows(house.job, off, rules)
    decision = decide(house, rules, {"one off": off}, Deadline(time.monotonic() + 6), count=16)
    assert follows(house.job, decision.taken.settings, rules)
