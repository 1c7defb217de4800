"""Trials: the evidence against numerical integration with scipy, its error by simulation, drift, planning, advice."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from scipy import integrate, stats

from even_static.core.change.ab_tests import (
    ENOUGH,
    PRIOR_PRECISION,
    arm_at,
    blocks_needed,
    differences_of,
    evidence_of,
    half_width,
    interval_of,
    plan_of,
    result_of,
    view_of,
)
from even_static.core.errors import BadInput
from even_static.core.house.ab_test import ArmRun
from even_static.core.house.changes import AbArm, AbTest
from even_static.core.house.readings import SpeedTest
from even_static.core.house.validate import validate_job
from even_static.instruments.simulated.kiln_row import kiln_row

JOB = kiln_row().job
NOW = "2026-03-02T20:00:00Z"


def ab_test(values, measure="throughput down", worth=0.15, most=12):
    """A trial whose turns gave these values, one run each."""
    arm_runs = tuple(ArmRun(arm_at(n), NOW, (float(v),)) for n, v in enumerate(values))
    return AbTest(
        id="t",
        name="channel",
        planned_at=NOW,
        measure=measure,
        a=AbArm("old"),
        b=AbArm("new"),
        place_id="studio",
        worth_fraction=worth,
        most_blocks=most,
        arm_runs=arm_runs,
    )


def turns(rng, effect, spread, count, drift=0.0):
    """Values of so many turns: B is exp(effect) times A, each scattered, all drifting steadily."""
    return [
        math.exp(3 + (effect if arm_at(n) == "B" else 0.0) + drift * n + rng.normal(0, spread)) for n in range(count)
    ]


@pytest.mark.parametrize(("n", "mean"), [(2, 0.1), (4, 0.5), (7, -0.3), (15, 1.0)])
def test_the_evidence_is_the_integral_over_scipy_s_noncentral_t(n, mean):
    """With the right Haar prior on the spread, the Bayes factor depends on Student's t alone: the noncentral t's
    density over the prior on the effect, over the central one's."""
    x = np.random.default_rng(n).normal(mean, 1, n)
    t = float(stats.ttest_1samp(x, 0).statistic)
    over = integrate.quad(
        lambda d: stats.nct.pdf(t, n - 1, d * n**0.5) * stats.norm.pdf(d, 0, PRIOR_PRECISION**-0.5), -30, 30, limit=200
    )[0]
    assert_allclose(evidence_of(x), over / stats.t.pdf(t, n - 1), rtol=1e-6)


@given(st.lists(st.floats(-3, 3), min_size=4, max_size=30).filter(lambda v: np.std(v) > 1e-6))
def test_the_interval_is_where_the_evidence_is_enough(values):
    low, high = interval_of(values)
    assert_allclose([evidence_of(values, low), evidence_of(values, high)], [ENOUGH, ENOUGH], rtol=1e-6)
    assert low < np.mean(values) < high
    # Looking at any time costs width: it is never narrower than the interval of one look.
    once = stats.ttest_1samp(values, 0).confidence_interval(0.95)
    assert low <= once.low
    assert high >= once.high


def test_looking_after_every_block_errs_no_more_than_one_in_twenty():
    """Ville's inequality; 3,000 trials without a difference, looked at after each of 40 blocks. The same look with
    Student's interval would err in far more."""
    rng = np.random.default_rng(5)
    draws = rng.normal(0, 1, (3000, 40))
    ever = once = 0
    critical = [math.inf, math.inf, *(half_width(n) for n in range(2, 41))]
    usual = [math.inf, math.inf, *(stats.t.ppf(0.975, n - 1) for n in range(2, 41))]
    for row in draws:
        sums, squares = np.cumsum(row), np.cumsum(row**2)
        n = np.arange(1, 41)
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.abs(sums / np.sqrt(n)) / np.sqrt((squares - sums**2 / n) / (n - 1))
        ever += bool(np.any(t[1:] >= np.array(critical)[2:]))
        once += bool(np.any(t[1:] >= np.array(usual)[2:]))
    assert ever / 3000 <= 0.05
    assert once / 3000 > 0.15


def test_as_many_blocks_as_planned_show_the_difference_in_four_of_five():
    effect, spread = math.log(1.25), 0.08
    n = blocks_needed(effect, spread)
    rng = np.random.default_rng(2)
    seen = sum(evidence_of(rng.normal(effect, spread, n)) >= ENOUGH for _ in range(2000)) / 2000
    fewer = sum(evidence_of(rng.normal(effect, spread, n - 1)) >= ENOUGH for _ in range(2000)) / 2000
    assert seen >= 0.78
    assert fewer < 0.82
    assert blocks_needed(math.log(1.02), 0.5) is None
    assert blocks_needed(math.log(1.5), spread) <= n <= blocks_needed(math.log(1.1), spread)


def test_turns_go_abba_and_a_steady_drift_is_cancelled():
    assert "".join(arm_at(n) for n in range(12)) == "ABBABAABABBA"
    rng = np.random.default_rng(0)
    still, drifting = (ab_test(turns(rng, 0.3, 0.0, 16, drift)) for drift in (0.0, -0.05))
    assert_allclose(differences_of(still), 0.3, atol=1e-12)
    assert_allclose(differences_of(drifting), 0.3, atol=1e-12)


@pytest.mark.parametrize(
    ("effect", "measure", "advice"),
    [
        (0.5, "throughput down", "keep B"),
        (-0.5, "throughput up", "go back to A"),
        (-0.5, "latency under load", "keep B"),
        (0.5, "latency under load", "go back to A"),
        (0.0, "throughput down", "leave it: no difference worth caring about"),
    ],
)
def test_the_advice_follows_the_difference_and_what_is_better(effect, measure, advice):
    rng = np.random.default_rng(4)
    for count in range(4, 49, 4):
        found = result_of(ab_test(turns(rng, effect, 0.02, count), measure))
        if found.done:
            break
    assert found.advice == advice
    assert found.text.endswith(".") is False
    if effect:
        assert_allclose(found.ratio, math.exp(effect), rtol=0.06)
        assert found.low < found.ratio < found.high
        assert found.chance_real > 0.95


def test_what_cannot_be_told_ends_and_a_block_that_has_begun_is_ended():
    rng = np.random.default_rng(9)
    noisy = ab_test(turns(rng, 0.0, 0.8, 16), most=4)
    assert result_of(noisy).advice == "inconclusive"
    assert view_of(JOB, noisy).next_arm is None
    begun = ab_test(turns(rng, 1.0, 0.01, 17))
    assert result_of(begun).done
    assert view_of(JOB, begun).next_arm == arm_at(17)
    assert view_of(JOB, ab_test([])).result.text == "no block of four turns is complete yet"
    assert view_of(JOB, ab_test([])).next_arm == "A"


def test_two_blocks_that_do_not_overlap_say_why_they_do_not_decide_and_when_they_would():
    """What a technician sees at a glance is answered in words, and the words are kept."""
    rng = np.random.default_rng(2)
    effect, spread = 0.25, 0.03
    values = turns(rng, effect, spread, 8)
    found = result_of(ab_test(values, most=20))
    lows = {arm: [v for n, v in enumerate(values) if arm_at(n) == arm] for arm in ("A", "B")}
    assert max(lows["A"]) < min(lows["B"])
    if found.advice == "go on":
        assert "No value of one overlaps the other" in found.text
        (said,) = re.findall(r"going on like this, (\d+) blocks decide it", found.text)
        differences = differences_of(ab_test(values))

        # Differences of the same mean and spread, so many of them: the evidence is enough then, and not one before.
        def evidence(n):
            x = np.linspace(-1, 1, n)
            x = (x - x.mean()) / x.std(ddof=1) * differences.std(ddof=1) + differences.mean()
            return evidence_of(x)

        assert evidence(int(said)) >= ENOUGH
        assert int(said) == 3 or evidence(int(said) - 1) < ENOUGH
    else:
        pytest.fail(f"decided after two blocks: {found.text}")
    apart = result_of(ab_test(turns(rng, 0.0, 0.2, 8)))
    assert "overlaps the other" not in apart.text


def test_the_plan_rests_on_the_runs_that_were_measured_here():
    """Pooled standard deviation of the logarithms, as scipy has it."""
    runs = ((100.0, 120.0, 90.0, 110.0), (40.0, 50.0, 45.0))
    tests = tuple(SpeedTest(place_id="studio", tested_at=NOW, down_mbps=r, up_mbps=r) for r in runs)
    usual, measured = (plan_of(replace(JOB, speed_tests=t), ab_test([])) for t in ((), tests))
    groups = [np.log(r) for r in runs]
    pooled = math.sqrt(sum(len(g) * stats.moment(g, 2) for g in groups) / sum(len(g) - 1 for g in groups))
    assert_allclose(measured.spread, math.hypot(pooled / math.sqrt(6), 0.04), atol=1e-4)
    assert measured.spread < usual.spread
    assert measured.arm_runs == 4 * measured.blocks
    assert "runs measured here" in measured.text


def test_a_link_test_since_the_last_turn_can_be_taken_for_the_next():
    def tested(minute, place="studio"):
        return SpeedTest(
            place_id=place,
            tested_at=f"2026-03-02T20:{minute:02d}:00Z",
            down_mbps=(30.0, 32.0),
            up_mbps=(9.0,),
            latency_ms=(21.0,),
        )

    job = replace(JOB, speed_tests=(tested(5), tested(9, "hall")))
    fresh = view_of(job, ab_test([]))
    assert (fresh.test_at, fresh.test_values) == ("2026-03-02T20:05:00Z", (30.0, 32.0))
    assert view_of(job, ab_test([], "latency under load")).test_values == (21.0,)
    used = replace(ab_test([]), arm_runs=(ArmRun("A", "2026-03-02T20:05:30Z", (30.0, 32.0)),))
    assert view_of(job, used).test_at is None


def test_a_trial_without_a_place_is_refused():
    bad = replace(ab_test([]), place_id=None)
    with pytest.raises(BadInput, match=r"ab_tests\[0\]\.place_id"):
        validate_job(replace(JOB, ab_tests=(bad,)))


def test_levels_are_compared_in_decibels():
    """A difference of levels is one of decibels, whatever they are: the same 5 dB at -45 and at -80 dBm; evidence and
    interval are those of the differences themselves."""
    rng = np.random.default_rng(5)
    for start in (-45.0, -80.0):
        values = [start + (5.0 if arm_at(n) == "B" else 0.0) + rng.normal(0, 0.8) for n in range(16)]
        found = result_of(ab_test(values, "level"))
        assert found.advice == "keep B"
        difference, low, high = found.in_db
        assert low < difference < high
        assert difference == pytest.approx(5.0, abs=0.8)
        assert_allclose(found.ratio, 10 ** (difference / 10), rtol=1e-9)
        assert f"B is {difference:+.1f} dB against A" in found.text
    none = result_of(ab_test([-60.0 + rng.normal(0, 0.5) for _ in range(24)], "level"))
    assert none.advice == "leave it: no difference worth caring about"
    assert abs(none.in_db[1]) < 3
    plan = plan_of(JOB, ab_test([], "level"))
    assert "show a difference of 3 dB" in plan.text
    view = view_of(JOB, ab_test([], "level"))
    assert (view.unit, view.less_is_better) == ("dBm", False)
    for measure, value, said in (("level", 5.0, "-120 to 0 dBm"), ("throughput down", -1.0, "0 to 1e+06 Mb/s")):
        wrong = replace(JOB, ab_tests=(ab_test([value], measure),))
        with pytest.raises(BadInput, match=re.escape(said)):
            validate_job(wrong)
