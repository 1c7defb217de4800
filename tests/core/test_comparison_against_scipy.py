"""Before and after: intervals against scipy, statsmodels-free brute force and published examples."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from even_static.core.errors import BadInput
from even_static.core.house.job import Change, SpeedTest
from even_static.core.tuning.compare import compare_runs, compare_shares, pooled_ratio, prove


def test_welch_interval_by_hand():
    """Welch's formula written out, with Satterthwaite's degrees of freedom."""
    before, after = [40.0, 44.0, 39.0, 45.0, 41.0], [60.0, 75.0, 66.0, 71.0, 58.0]
    x, y = np.log(before), np.log(after)
    vx, vy = x.var(ddof=1) / 5, y.var(ddof=1) / 5
    df = (vx + vy) ** 2 / (vx**2 / 4 + vy**2 / 4)
    half = stats.t.ppf(0.975, df) * np.sqrt(vx + vy)
    found = compare_runs(before, after)
    assert found.change == pytest.approx(np.exp(y.mean() - x.mean()))
    assert (found.low, found.high) == pytest.approx(tuple(np.exp(y.mean() - x.mean() + half * np.array([-1, 1]))))
    assert found.verdict == "better"


# R. G. Newcombe, Interval estimation for the difference between independent proportions, Statistics in Medicine 17
# (1998), table II, method 10: (a/m, b/n) and the 95 % limits of a/m - b/n; from memory.
NEWCOMBE = [((56, 70), (48, 80), 0.0524, 0.3339), ((9, 10), (3, 10), 0.1705, 0.8090), ((10, 10), (0, 10), 0.6075, 1.0)]


@pytest.mark.parametrize(("a", "b", "low", "high"), NEWCOMBE)
def test_newcombe_interval_against_his_table(a, b, low, high):
    found = compare_shares(b, a)
    assert (found.low, found.high) == pytest.approx((low, high), abs=6e-5)


def test_false_alarms_are_rare_and_real_changes_are_seen():
    """With no change 95 % of the verdicts must be "cannot tell"; 400 draws leave about 1.1 % of scatter."""
    rng = np.random.default_rng(1)
    draws = [compare_runs(rng.lognormal(3, 0.12, 5), rng.lognormal(3, 0.12, 5)).verdict for _ in range(400)]
    assert draws.count("cannot tell") >= 400 * 0.915
    real = [compare_runs(rng.lognormal(3, 0.12, 5), rng.lognormal(3.5, 0.12, 5)).verdict for _ in range(50)]
    assert real.count("better") >= 48
    assert "worse" not in real


def test_too_little_is_not_compared():
    assert compare_runs([30.0], [60.0, 61.0]) is None
    assert compare_shares((0, 0), (5, 5)) is None
    assert pooled_ratio([]) is None


def test_prove_uses_only_what_lies_before_and_after(house_job):
    def speed(hour, value):
        return SpeedTest("p0", f"2026-03-02T{hour:02d}:00:00Z", (value, value * 1.1, value * 0.9), (5.0, 5.1))

    change = Change("2026-03-02T20:00:00Z", house_job.settings, house_job.settings, "test")
    job = replace(house_job, changes=(change,), speed_tests=(speed(10, 99.0), speed(19, 20.0), speed(21, 60.0)))
    proof = prove(job)
    (place,) = [p for p in proof.places if p.down]
    assert place.down.before == pytest.approx(20, rel=0.02)
    assert place.down.verdict == proof.verdict == "better"
    assert any("not listened again" in w for w in proof.warnings)
    late = replace(job, speed_tests=(speed(10, 20.0), speed(21, 60.0)))
    assert any("another time of day" in w for w in prove(late).warnings)
    worse = replace(job, speed_tests=(speed(19, 60.0), speed(21, 20.0)))
    assert prove(worse).verdict == "worse"
    with pytest.raises(BadInput, match="apply a plan first"):
        prove(replace(job, changes=()))
