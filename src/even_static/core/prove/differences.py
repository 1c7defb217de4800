"""Differences before and after with their 95 % intervals, and the verdicts that they allow."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from even_static.core.house.readings import Reading
from even_static.core.tables.propagation import MOST_SAMPLES, SPOT_DB, USUAL_SPREAD_DB

CONFIDENCE = 0.95


# The median's standard error over the mean's, for normally scattered values: sqrt(pi / 2).
MEDIAN_FACTOR = math.sqrt(math.pi / 2)


MOST_RATIO = 1000.0


Verdict = Literal["better", "worse", "inconclusive"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """A quantity before and after, the change (after less before, or after over before) and its 95 % interval."""

    before: float
    after: float
    change: float
    low: float
    high: float
    verdict: Verdict


def verdict_of_interval(low: float, high: float, none: float, less_is_better: bool = False) -> Verdict:
    if low <= none <= high:
        return "inconclusive"
    return "better" if (low > none) != less_is_better else "worse"


def verdict_of(parts: Iterable[Verdict]) -> tuple[Verdict, bool]:
    """(verdict over several, whether some are better and some are worse)."""
    known = set(parts)
    better, worse = "better" in known, "worse" in known
    return ("better" if better and not worse else "worse" if worse and not better else "inconclusive"), better and worse


def compare_runs(before: Sequence[float], after: Sequence[float], less_is_better: bool = False) -> Difference | None:
    """Ratio of two sets of runs (Mb/s, ms) with Welch's interval; None with fewer than two runs on a side."""
    from scipy.stats import ttest_ind

    if len(before) < 2 or len(after) < 2:
        return None
    old, new = (np.log(np.maximum(x, 0.05)) for x in (before, after))
    means = float(np.exp(old.mean())), float(np.exp(new.mean()))
    if old.std() == 0 and new.std() == 0:
        ratio = means[1] / means[0]
        ratio_verdict = verdict_of_interval(ratio, ratio, 1.0, less_is_better)
        return Difference(before=means[0], after=means[1], change=ratio, low=ratio, high=ratio, verdict=ratio_verdict)
    interval = ttest_ind(new, old, equal_var=False).confidence_interval(CONFIDENCE)
    low, high = math.exp(interval.low), math.exp(interval.high)
    return Difference(
        before=means[0],
        after=means[1],
        change=means[1] / means[0],
        low=low,
        high=high,
        verdict=verdict_of_interval(low, high, 1.0, less_is_better),
    )


def compare_counts(before: tuple[int, float], after: tuple[int, float]) -> Difference | None:
    """Ratio of two rates of something unwanted, each (how often, over how long), with its exact interval.

    None where nothing was counted on either side, or nothing was watched. Ratios are held to 1/1000 to 1000.
    """
    from scipy.stats import binomtest

    (k, t), (m, u) = before, after
    if k + m == 0 or t <= 0 or u <= 0:
        return None
    share = binomtest(m, k + m).proportion_ci(CONFIDENCE, method="exact")

    def ratio(p: float) -> float:
        return MOST_RATIO if p >= 1 else min(max(p / (1 - p) * t / u, 1 / MOST_RATIO), MOST_RATIO)

    low, high = ratio(share.low), ratio(share.high)
    return Difference(
        before=k / t,
        after=m / u,
        change=ratio(m / (k + m)),
        low=low,
        high=high,
        verdict=verdict_of_interval(low, high, 1.0, less_is_better=True),
    )


def compare_levels(before: Reading, after: Reading) -> Difference:
    """Change of a level in dB: the medians' normal interval, with what coming back to the spot errs by."""
    variance = 2 * SPOT_DB**2
    for reading in (before, after):
        spread = USUAL_SPREAD_DB if reading.spread_db is None else reading.spread_db
        variance += (MEDIAN_FACTOR * spread) ** 2 / min(reading.samples, MOST_SAMPLES)
    return level_change(before.level_dbm, after.level_dbm, math.sqrt(variance))


def level_change(before_db: float, after_db: float, error_db: float) -> Difference:
    half, change = 1.959964 * error_db, after_db - before_db
    low, high = change - half, change + half
    return Difference(
        before=before_db, after=after_db, change=change, low=low, high=high, verdict=verdict_of_interval(low, high, 0.0)
    )


def compare_shares(before: tuple[int, int], after: tuple[int, int]) -> Difference | None:
    """Difference of two shares, each (delivered, sent), with Newcombe's interval; None when nothing was sent."""
    from scipy.stats import binomtest

    if before[1] == 0 or after[1] == 0:
        return None
    p, q = before[0] / before[1], after[0] / after[1]
    old, new = (binomtest(*x).proportion_ci(CONFIDENCE, method="wilson") for x in (before, after))
    change = q - p
    low = change - math.hypot(q - new.low, old.high - p)
    high = change + math.hypot(new.high - q, p - old.low)
    return Difference(before=p, after=q, change=change, low=low, high=high, verdict=verdict_of_interval(low, high, 0.0))


def pooled_ratio(pairs: Sequence[Difference], less_is_better: bool = False) -> Difference | None:
    """Mean ratio over places, paired by place, with Student's interval over the places; None below two places."""
    from scipy.stats import t

    if len(pairs) < 2:
        return pairs[0] if pairs else None
    logs = np.log([p.change for p in pairs])
    half = float(t.ppf(0.5 + CONFIDENCE / 2, len(logs) - 1)) * float(logs.std(ddof=1)) / math.sqrt(len(logs))
    low, high = math.exp(logs.mean() - half), math.exp(logs.mean() + half)
    before = float(np.exp(np.mean([math.log(max(p.before, 0.05)) for p in pairs])))
    after = float(np.exp(np.mean([math.log(max(p.after, 0.05)) for p in pairs])))
    return Difference(
        before=before,
        after=after,
        change=float(np.exp(logs.mean())),
        low=low,
        high=high,
        verdict=verdict_of_interval(low, high, 1.0, less_is_better),
    )
