"""A/B tests: two settings in alternating blocks, until the difference is known.

Turns go ABBA, then BAAB, and so on: within a block of four a steady drift takes as much from one way as from the other,
so the block's difference (mean of B less mean of A, of logarithms) is free of it. The blocks' differences are judged by
an anytime-valid t-test: the Bayes factor of "there is a difference" against "there is none", the effect over its spread
drawn from a normal distribution, the spread unknown (right Haar prior). It is a test martingale under "none", so that
by Ville's inequality it ever exceeds 20 with a chance of at most 5 %: one may look after every block and stop.
Sources: Ville 1939; Robbins 1970; Lai 1976, "On confidence sequences"; Perez-Ortiz et al. 2024, "E-statistics, group
invariance and anytime-valid testing" (all from memory). Held to scipy and to simulation by the tests.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final, Literal

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.ab_test import BOUNDS, LESS_IS_BETTER, AbMeasure, Arm
from even_static.core.house.changes import AbTest
from even_static.core.house.job import Job
from even_static.core.house.readings import SpeedTest
from even_static.core.tables.work import (
    HUB_HOURS,
    HUB_SET_S,
    LEVEL_RUN_SPREAD_DB,
    LEVEL_TURN_SPREAD_DB,
    LEVEL_WORTH_DB,
    RUN_S,
    SENT_AN_HOUR,
    SET_S,
    TURN_SPREAD,
    USUAL_RUN_SPREAD,
)

# One over the variance of the standardised effect that is expected: effects of interest are about twice the spread.
PRIOR_PRECISION: Final = 0.25
# The evidence at which a difference counts as real: an error of 1 in 20 at whatever time one stops.
ENOUGH: Final = 20.0
POWER: Final = 0.8
# No A/B test makes surer than this: what it rests on is a model.
SUREST: Final = 0.999
BLOCK: Final = 4
READINGS_A_RUN: Final = 6
MOST_PLANNED: Final = 60
NEPERS_A_DB: Final = math.log(10) / 10
Advice = Literal["keep B", "go back to A", "leave it: no difference worth caring about", "go on", "inconclusive"]


@dataclass(frozen=True, slots=True, kw_only=True)
class AbTestPlan:
    """How long an A/B test takes for the difference one cares about: ``blocks`` of four turns (None: more than it is
    worth)
    for a chance of 80 % to see it, ``minutes`` in all, and in words why."""

    blocks: int | None
    arm_runs: int
    minutes: int
    spread: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class AbTestResult:
    """What the blocks so far say. ``ratio``: B over A, with its interval that holds at any time (``low``, ``high``;
    None where nothing can be said yet); ``chance_real``: that there is a difference, even odds beforehand."""

    blocks: int
    ratio: float | None
    low: float | None
    high: float | None
    evidence: float
    chance_real: float
    in_db: tuple[float, float | None, float | None] | None
    """For a level: the difference in dB, and its interval."""
    a_middle: float | None
    b_middle: float | None
    advice: Advice
    done: bool
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class AbTestView:
    """An A/B test with its plan, its result and whose turn is next (None: it has ended)."""

    ab_test: AbTest
    plan: AbTestPlan
    result: AbTestResult
    next_arm: Arm | None
    turn: int
    less_is_better: bool
    by_hand: bool
    unit: str
    test_at: str | None
    """When a link test was made at the place since the last turn, whose runs (``test_values``) can be taken."""
    test_values: tuple[float, ...]


def arm_at(turn: int) -> Arm:
    """Whose turn it is: ABBA BAAB ABBA ... (turn from 0)."""
    block, within = divmod(turn, BLOCK)
    first = "ABBA"[within]
    return "A" if (first == "A") == (block % 2 == 0) else "B"


def differences_of(ab_test: AbTest) -> Floats:
    """Difference of each complete block, of logarithms: above 0 where B is higher. Shape (blocks,)."""
    level = [float(np.mean(logs_of(v.values, ab_test.measure))) for v in ab_test.arm_runs]
    found = []
    for n in range(len(level) // BLOCK):
        turns = range(BLOCK * n, BLOCK * (n + 1))
        mean = {arm: np.mean([level[t] for t in turns if arm_at(t) == arm]) for arm in ("A", "B")}
        found.append(float(mean["B"] - mean["A"]))
    return np.array(found)


def logs_of(values: Sequence[float], measure: AbMeasure) -> Floats:
    """Values as natural logarithms of what is compared: a level in dBm is one already, of its power."""
    if measure == "level":
        return np.array(values, dtype=np.float64) * NEPERS_A_DB
    return np.log(np.maximum(values, least_value(measure)))


def effect_of(ab_test: AbTest) -> float:
    """The difference that one cares about, of logarithms: a share, or for a level :data:`LEVEL_WORTH_DB`."""
    return LEVEL_WORTH_DB * NEPERS_A_DB if ab_test.measure == "level" else math.log1p(ab_test.worth_fraction)


def least_value(measure: AbMeasure) -> float:
    """The smallest value that differs from zero: 0.05 Mb/s, 0.5 ms, half a report of a turn."""
    if measure == "Zigbee reports lost":
        return 0.5 / (SENT_AN_HOUR * HUB_HOURS)
    return 0.5 if measure == "latency under load" else 0.05


def evidence_of(differences: Sequence[float] | Floats, about: float = 0.0, g: float = PRIOR_PRECISION) -> float:
    """Bayes factor of a mean other than ``about`` against ``about``; 1 for fewer than two differences.

    BF = sqrt(g / (g + n)) [(1 + t^2 / v) / (1 + g / (g + n) t^2 / v)]^((v + 1) / 2), with v = n - 1 and Student's t.
    """
    x = np.asarray(differences, dtype=np.float64) - about
    n = len(x)
    if n < 2:
        return 1.0
    spread = float(x.std(ddof=1))
    share = g / (g + n)
    if spread == 0:
        return 1.0 if x.mean() == 0 else float((1 / share) ** ((n - 1) / 2))
    u = float(x.mean() ** 2 * n / spread**2) / (n - 1)
    return float(math.sqrt(share) * ((1 + u) / (1 + share * u)) ** (n / 2))


def interval_of(
    differences: Sequence[float] | Floats, enough: float = ENOUGH, g: float = PRIOR_PRECISION
) -> tuple[float, float]:
    """Interval that holds the true mean at all times with a chance of 1 - 1/enough; infinite where little is known."""
    x = np.asarray(differences, dtype=np.float64)
    n = len(x)
    half = half_width(n, enough, g)
    if math.isinf(half):
        return -math.inf, math.inf
    reach = half * float(x.std(ddof=1)) / math.sqrt(n)
    return float(x.mean()) - reach, float(x.mean()) + reach


def half_width(n: int, enough: float = ENOUGH, g: float = PRIOR_PRECISION) -> float:
    """Student's t at which the evidence of ``n`` differences is just enough; infinite where it can never be."""
    if n < 2:
        return math.inf
    share = g / (g + n)
    k = (enough / math.sqrt(share)) ** (2 / n)
    if k * share >= 1:
        return math.inf
    return math.sqrt((k - 1) / (1 - k * share) * (n - 1))


def blocks_needed(effect: float, spread: float, power: float = POWER) -> int | None:
    """Fewest blocks after which a difference of ``effect`` (of logarithms) among blocks that spread so is seen with a
    chance of ``power``; None beyond :data:`MOST_PLANNED`. Looking earlier only adds to that chance."""
    from scipy.stats import nct

    for n in range(2, MOST_PLANNED + 1):
        critical = half_width(n)
        if math.isinf(critical):
            continue
        seen = float(nct.sf(critical, n - 1, effect / spread * math.sqrt(n)))
        if seen >= power:
            return n
    return None


def spread_before(job: Job, ab_test: AbTest) -> tuple[float, str]:
    """(spread of a block's difference, of logarithms; where it comes from), before the first block."""
    if ab_test.measure == "Zigbee reports lost":
        return 0.35, "a usual spread of lost reports from turn to turn (common practice)"
    if ab_test.measure == "level":
        spread = math.hypot(LEVEL_RUN_SPREAD_DB / math.sqrt(READINGS_A_RUN), LEVEL_TURN_SPREAD_DB)
        return spread * NEPERS_A_DB, "a usual spread of levels (common practice)"
    runs = [
        values
        for t in job.speed_tests
        if t.place_id == ab_test.place_id
        for values in [_runs(t, ab_test.measure)]
        if len(values) >= 2
    ]
    told = "a usual spread of runs (common practice)"
    run = USUAL_RUN_SPREAD
    if runs:
        logs = [logs_of(v, ab_test.measure) for v in runs]
        freedom = sum(len(v) - 1 for v in logs)
        run = math.sqrt(sum(float(((v - v.mean()) ** 2).sum()) for v in logs) / freedom)
        told = f"the runs measured here, which spread by {run * 100:.0f} %"
    return math.hypot(run / math.sqrt(READINGS_A_RUN), TURN_SPREAD), told


def plan_of(job: Job, ab_test: AbTest) -> AbTestPlan:
    """How long an A/B test takes."""
    spread, told = spread_before(job, ab_test)
    effect = effect_of(ab_test)
    blocks = blocks_needed(effect, spread)
    each = SET_S + READINGS_A_RUN * RUN_S
    if ab_test.measure == "Zigbee reports lost":
        each = HUB_SET_S + HUB_HOURS * 3600
    arm_runs = BLOCK * (blocks or MOST_PLANNED)
    minutes = round(arm_runs * each / 60)
    size = f"{LEVEL_WORTH_DB:g} dB" if ab_test.measure == "level" else f"{ab_test.worth_fraction * 100:.0f} %"
    if blocks is None:
        text = f"a difference of {size} would take more than {MOST_PLANNED} blocks: measure longer, or care about more"
    else:
        text = (
            f"{blocks} blocks of four turns, {arm_runs} turns, about {_time(minutes)}, show a difference of {size} "
            f"with a chance of {POWER * 100:.0f} %; a larger one ends it sooner. Worked out from {told}"
        )
    return AbTestPlan(blocks=blocks, arm_runs=arm_runs, minutes=minutes, spread=round(spread, 4), text=text)


def _time(minutes: int) -> str:
    return f"{minutes} min" if minutes < 120 else f"{minutes / 60:.0f} h"


def result_of(ab_test: AbTest) -> AbTestResult:
    """What the blocks so far say, and what to do."""
    found = differences_of(ab_test)
    n = len(found)
    evidence = evidence_of(found)
    low, high = interval_of(found) if n else (-math.inf, math.inf)
    worth = effect_of(ab_test)
    mean = float(found.mean()) if n else None
    less = ab_test.measure in LESS_IS_BETTER
    b_better = mean is not None and (mean < 0) == less
    advice: Advice = "go on"
    if evidence >= ENOUGH:
        advice = "keep B" if b_better else "go back to A"
    elif -worth < low and high < worth:
        advice = "leave it: no difference worth caring about"
    elif n >= ab_test.most_blocks:
        advice = "inconclusive"
    chance = min(evidence / (1 + evidence), SUREST)
    middles = {arm: _middle([x for v in ab_test.arm_runs if v.arm == arm for x in v.values]) for arm in ("A", "B")}
    finite = not math.isinf(low)
    return AbTestResult(
        blocks=n,
        ratio=None if mean is None else math.exp(mean),
        low=math.exp(low) if finite else None,
        high=math.exp(high) if finite else None,
        evidence=evidence,
        chance_real=chance,
        in_db=None
        if mean is None or ab_test.measure != "level"
        else (mean / NEPERS_A_DB, *((low / NEPERS_A_DB, high / NEPERS_A_DB) if finite else (None, None))),
        a_middle=middles["A"],
        b_middle=middles["B"],
        advice=advice,
        done=advice != "go on",
        text=_told(ab_test, n, mean, (low, high) if finite else None, chance, advice),
    )


def _middle(values: list[float]) -> float | None:
    return float(np.median(values)) if values else None


def _told(
    ab_test: AbTest, n: int, mean: float | None, interval: tuple[float, float] | None, chance: float, advice: Advice
) -> str:
    if mean is None:
        return "no block of four turns is complete yet"
    if ab_test.measure == "level":
        said = f"B is {mean / NEPERS_A_DB:+.1f} dB against A"
        if interval is not None:
            said += f", {interval[0] / NEPERS_A_DB:+.1f} to {interval[1] / NEPERS_A_DB:+.1f} dB at 95 %"
    else:
        said = f"B gives {math.exp(mean):.2f} times the {ab_test.measure} of A"
        if interval is not None:
            said += f", {math.exp(interval[0]):.2f} to {math.exp(interval[1]):.2f} at 95 %"
    blocks = f"{n} {'block' if n == 1 else 'blocks'}"
    said += f", after {blocks}; the chance that it is a difference at all is {chance * 100:.1f} %"
    last = {
        "keep B": f"Keep B, {ab_test.b.name}",
        "go back to A": f"Go back to A, {ab_test.a.name}",
        "leave it: no difference worth caring about": "Leave it: there is no difference worth caring about",
        "go on": "Go on: it is not decided",
        "inconclusive": "Not decided within the turns that were planned: leave it as it is",
    }[advice]
    if advice == "go on" and mean is not None and _apart(ab_test):
        said += f". {_why_not_yet(ab_test)}"
    return f"{said}. {last}"


def _apart(ab_test: AbTest) -> bool:
    """Whether every value of one arm lies above every value of the other."""
    a, b = ([x for v in ab_test.arm_runs if v.arm == arm for x in v.values] for arm in ("A", "B"))
    return bool(a and b) and (min(a) > max(b) or min(b) > max(a))


def _why_not_yet(ab_test: AbTest) -> str:
    """Why an A/B test whose arms do not overlap is not decided, and after how many blocks it would be if they go on
    like this."""
    found = differences_of(ab_test)
    said = "No value of one overlaps the other; but only whole blocks tell a drift from a real difference, "
    said += f"and {len(found)} of them say little about their own spread"
    spread = float(found.std(ddof=1)) if len(found) > 1 else math.inf
    for n in range(len(found) + 1, ab_test.most_blocks + 1):
        if abs(float(found.mean())) * math.sqrt(n) >= half_width(n) * max(spread, 1e-9):
            return f"{said}: going on like this, {n} blocks decide it"
    return said


def view_of(job: Job, ab_test: AbTest) -> AbTestView:
    """An A/B test for those who run it."""
    result = result_of(ab_test)
    turn = len(ab_test.arm_runs)
    # A block that has begun is ended, so that no drift is left in.
    over = result.done and turn % BLOCK == 0
    by_hand = ab_test.a.settings is None or ab_test.b.settings is None
    test_at, test_values = _newest_test(job, ab_test)
    return AbTestView(
        ab_test=ab_test,
        plan=plan_of(job, ab_test),
        result=result,
        next_arm=None if over else arm_at(turn),
        turn=turn,
        less_is_better=ab_test.measure in LESS_IS_BETTER,
        by_hand=by_hand,
        unit=BOUNDS[ab_test.measure][2],
        test_at=test_at,
        test_values=test_values,
    )


def _runs(test: SpeedTest, measure: AbMeasure) -> tuple[float, ...]:
    """A speed test's runs in an A/B test's measure; none for what a speed test does not measure."""
    if measure in ("level", "Zigbee reports lost"):
        return ()
    if measure == "latency under load":
        return test.latency_ms
    return test.down_mbps if measure == "throughput down" else test.up_mbps


def _newest_test(job: Job, ab_test: AbTest) -> tuple[str | None, tuple[float, ...]]:
    """(when, runs) of the newest link test at the A/B test's place since its last turn, or since it was planned."""
    since = datetime.fromisoformat(ab_test.arm_runs[-1].at if ab_test.arm_runs else ab_test.planned_at)
    tests = [t for t in job.speed_tests if t.place_id == ab_test.place_id and _runs(t, ab_test.measure)]
    newest = max(reversed(tests), key=lambda t: datetime.fromisoformat(t.tested_at), default=None)
    if newest is None or datetime.fromisoformat(newest.tested_at) <= since:
        return None, ()
    return newest.tested_at, _runs(newest, ab_test.measure)


def find_ab_test(job: Job, ab_test_id: str) -> AbTest:
    """An A/B test of the job; BadInput where there is none."""
    found = next((t for t in job.ab_tests if t.id == ab_test_id), None)
    if found is None:
        raise BadInput(
            "ab_test_id", "must name an A/B test", ab_test_id, ", ".join(t.id for t in job.ab_tests) or "(none yet)"
        )
    return found
