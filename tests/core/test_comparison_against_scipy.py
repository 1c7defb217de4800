"""Before and after: intervals against scipy, statsmodels-free brute force and published examples."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from even_static.core.errors import BadInput
from even_static.core.house.changes import Change
from even_static.core.house.readings import Reading, SpeedTest
from even_static.core.prove.before_after import prove
from even_static.core.prove.differences import (
    Difference,
    compare_counts,
    compare_levels,
    compare_runs,
    compare_shares,
    pooled_ratio,
)


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
    assert draws.count("inconclusive") >= 400 * 0.915
    real = [compare_runs(rng.lognormal(3, 0.12, 5), rng.lognormal(3.5, 0.12, 5)).verdict for _ in range(50)]
    assert real.count("better") >= 48
    assert "worse" not in real


def test_too_little_is_not_compared():
    assert compare_runs([30.0], [60.0, 61.0]) is None
    assert compare_shares((0, 0), (5, 5)) is None
    assert pooled_ratio([]) is None


def test_prove_uses_only_what_lies_before_and_after(house_job):
    def speed(hour, value):
        return SpeedTest(
            place_id="p0",
            tested_at=f"2026-03-02T{hour:02d}:00:00Z",
            down_mbps=(value, value * 1.1, value * 0.9),
            up_mbps=(5.0, 5.1),
        )

    change = Change("2026-03-02T20:00:00Z", house_job.settings, house_job.settings, "test")
    job = replace(house_job, changes=(change,), speed_tests=(speed(10, 99.0), speed(19, 20.0), speed(21, 60.0)))
    proof = prove(job)
    (place,) = [p for p in proof.places if p.down]
    assert place.down.before == pytest.approx(20, rel=0.02)
    assert place.down.verdict == proof.verdict == "better"
    assert any("not scanned again" in w for w in proof.warnings)
    late = replace(job, speed_tests=(speed(10, 20.0), speed(21, 60.0)))
    assert any("another time of day" in w for w in prove(late).warnings)
    worse = replace(job, speed_tests=(speed(19, 60.0), speed(21, 20.0)))
    assert prove(worse).verdict == "worse"
    with pytest.raises(BadInput, match="apply a plan first"):
        prove(replace(job, changes=()))


def test_the_paired_interval_of_students_sleep():
    """Student, The probable error of a mean, Biometrika 6 (1908): hours of extra sleep under two drugs; the paired 95 %
    interval of the difference is 0.70 to 2.46 h (also R's help page of t.test; from memory)."""
    first = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
    second = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]
    pairs = [
        Difference(before=1.0, after=1.0, change=float(np.exp(b - a)), low=1, high=1, verdict="inconclusive")
        for a, b in zip(first, second, strict=True)
    ]
    pooled = pooled_ratio(pairs)
    assert np.log([pooled.change, pooled.low, pooled.high]) == pytest.approx([1.58, 0.7001142, 2.4598858], abs=1e-6)
    paired = stats.ttest_rel(second, first).confidence_interval(0.95)
    assert np.log([pooled.low, pooled.high]) == pytest.approx([paired.low, paired.high])
    assert pooled.verdict == "better"
    assert pooled_ratio(pairs, less_is_better=True).verdict == "worse"


@pytest.mark.parametrize(
    ("k", "t", "m", "u"), [(12, 4.0, 1, 4.0), (3, 2.0, 9, 5.0), (0, 1.0, 6, 1.0), (7, 1.0, 0, 3.0)]
)
def test_the_ratio_of_rates_is_the_conditional_exact_one(k, t, m, u):
    """At either end of the interval, what was counted after is just as far out as 2.5 % allow: scipy's binomial law,
    with the share p = r u / (t + r u) that a ratio of r gives (Przyborowski and Wilenski 1940, from memory)."""
    found = compare_counts((k, t), (m, u))
    total = k + m
    share = [r * u / (t + r * u) for r in (found.low, found.high)]
    if m > 0:
        assert stats.binom.sf(m - 1, total, share[0]) == pytest.approx(0.025, abs=1e-6)
    if k > 0:
        assert stats.binom.cdf(m, total, share[1]) == pytest.approx(0.025, abs=1e-6)
    assert found.low <= found.change <= found.high


def test_rates_are_told_apart_no_oftener_than_they_should():
    rng = np.random.default_rng(3)
    same = [compare_counts((int(a), 4.0), (int(b), 4.0)) for a, b in rng.poisson(12, (600, 2))]
    assert sum(d.verdict != "inconclusive" for d in same) <= 0.05 * 600
    fewer = [
        compare_counts((int(a), 4.0), (int(b), 4.0))
        for a, b in zip(rng.poisson(24, 100), rng.poisson(4, 100), strict=True)
    ]
    assert sum(d.verdict == "better" for d in fewer) >= 90
    assert compare_counts((0, 4.0), (0, 4.0)) is None


def test_levels_are_told_apart_beyond_what_a_spot_errs_by():
    """1.96 times the root of both medians' variances (pi / 2 times the mean's) and 1 dB for coming back, twice."""

    def heard(level, spread, samples):
        return Reading(
            bssid="02:00:00:00:00:01",
            ssid="x",
            band="2.4 GHz",
            channel=1,
            centre_mhz=2412,
            width_mhz=20,
            rssi_dbm=level,
            samples=samples,
            spread_db=spread,
        )

    found = compare_levels(heard(-60.0, 2.0, 40), heard(-56.0, 3.0, 4))
    half = 1.96 * np.sqrt(2 + np.pi / 2 * (4 / 10 + 9 / 4))
    assert (found.low, found.high) == pytest.approx((4 - half, 4 + half), abs=1e-3)
    assert found.verdict == "inconclusive"
    assert compare_levels(heard(-60.0, 2.0, 40), heard(-50.0, 2.0, 40)).verdict == "better"


def test_latency_spots_and_differing_conditions(house_job):
    def speed(day, hour, ms, stalls, over="wi-fi"):
        at = f"2026-03-{day:02d}T{hour:02d}:00:00Z"
        runs = (30.0, 31.0, 29.0)
        return SpeedTest(
            place_id="p0",
            tested_at=at,
            down_mbps=runs,
            up_mbps=runs,
            latency_ms=(ms, ms * 1.1, ms * 0.9),
            stalls=stalls,
            over=over,
        )

    change = Change("2026-03-02T20:00:00Z", house_job.settings, house_job.settings, "test")
    base = replace(house_job, changes=(change,), scans=())
    job = replace(base, speed_tests=(speed(2, 19, 80, (9, 8, 9)), speed(3, 19, 20, (0, 1, 0))))
    (place,) = [p for p in prove(job).places if p.down]
    assert (place.latency.verdict, place.stalls.verdict, place.down.verdict) == ("better", "better", "inconclusive")
    assert (place.verdict, place.mixed) == ("better", False)
    assert prove(job).house_latency.verdict == prove(job).verdict == "better"
    mixed = replace(base, speed_tests=(speed(2, 19, 20, (9, 8, 9)), speed(3, 19, 80, (0, 1, 0))))
    assert [p.mixed for p in prove(mixed).places if p.down] == [True]
    # 7 March 2026 is a Saturday.
    weekend = replace(base, speed_tests=(speed(2, 19, 80, ()), speed(7, 19, 20, ())))
    assert any("the weekend" in w for w in prove(weekend).warnings)
    cable = replace(base, speed_tests=(speed(2, 19, 80, ()), speed(3, 19, 20, (), over="cable")))
    assert any("another way than before" in w for w in prove(cable).warnings)
    assert not [p for p in prove(cable).places if p.down]
    first = replace(house_job.scans[0], heard_at="2026-03-02T19:00:00Z", settings=None, stands=None)
    later = replace(first, id="later", heard_at="2026-03-03T19:00:00Z", running="the oven")
    said = prove(replace(base, scans=(first, later))).warnings
    assert any('"nothing" ran before, "the oven" after' in w for w in said)
