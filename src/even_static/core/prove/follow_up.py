"""Whether it is solved: drop-outs since the change against those before, and how long to wait until one may say so.

Drop-outs are taken to come at random at a steady rate (a Poisson process). Without any for so long that this would
happen by chance in one of twenty houses at the rate of before, it is solved: -ln(0.05) / rate, and two weeks at least.
That nothing was reported proves nothing: the time counts up to when somebody last asked.
Only weeks without a drop-out prove a cure (common practice); the arithmetic says how many.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Final, Literal

from even_static.core.house.clock import at_the_house
from even_static.core.house.complaint import SLOWNESS
from even_static.core.house.job import Job
from even_static.core.prove.differences import Difference, compare_counts
from even_static.core.tables.work import ASK_AFTER_DAYS, LEAST_DAYS, USUAL_DAYS

BY_CHANCE: Final = 0.05
State = Literal[
    "nothing changed yet", "slowness only", "wait", "ask now", "solved", "better, not solved", "no better", "worse"
]


@dataclass(frozen=True, slots=True, kw_only=True)
class AfterCare:
    """Where a call stands after its changes. Rates a week; ``needed_days`` without a drop-out make it solved, which is
    on ``solved_on`` if none comes; ``proposed`` are dates to ask again (ISO 8601)."""

    state: State
    rate_before: float | None
    since_days: float
    drop_outs: int
    quiet_days: float
    needed_days: float
    solved_on: str | None
    compared: Difference | None
    proposed: tuple[str, ...]
    text: str


def needed_days(rate_a_week: float | None) -> float:
    """Days without a drop-out after which it is solved, at so many a week before; :data:`USUAL_DAYS` where nobody
    knows."""
    if rate_a_week is None or rate_a_week <= 0:
        return USUAL_DAYS
    return max(LEAST_DAYS, -math.log(BY_CHANCE) / rate_a_week * 7)


def rate_before(job: Job, changed: datetime) -> tuple[float | None, float]:
    """(drop-outs a week before the change, weeks that this rests on): what was logged before, else what the household
    says; None where nobody knows."""
    logged = sorted(at for d in job.drop_outs for at in [datetime.fromisoformat(d.at)] if at < changed)
    if len(logged) >= 2:
        weeks = (changed - logged[0]) / timedelta(weeks=1)
        return len(logged) / weeks, weeks
    told = [c.per_week for c in job.complaints if c.per_week is not None and c.what not in SLOWNESS]
    # What a household remembers is taken for four weeks' worth. Common practice.
    return (sum(told), 4.0) if told else (None, 0.0)


def after_care(job: Job, now: str) -> AfterCare:
    """How the call stands at a time (ISO 8601)."""
    at = datetime.fromisoformat(now)
    nothing = _nothing_to_count(job, at)
    if nothing is not None:
        return nothing
    # By the house's clock: so many days later at the same hour, also over a change of summer time.
    changed = max(at_the_house(job, c.changed_at) for c in job.changes)
    rate, weeks = rate_before(job, changed)
    later = sorted(t for d in job.drop_outs for t in [at_the_house(job, d.at)] if changed <= t <= at)
    days = max((at - changed) / timedelta(days=1), 0.0)
    begun = later[-1] if later else changed
    asked = [t for f in job.follow_ups if f.asked_at for t in [datetime.fromisoformat(f.asked_at)] if t <= at]
    told = max([begun, *asked])
    quiet = (told - begun) / timedelta(days=1)
    needed = needed_days(rate)
    compared = None
    if rate is not None and days > 0:
        watched = max((told - changed) / timedelta(weeks=1), 1 / 7)
        compared = compare_counts((round(rate * weeks), weeks), (len(later), watched))
    on = (begun + timedelta(days=needed)).isoformat(timespec="seconds")
    state: State = "wait"
    if quiet >= needed:
        state = "solved"
    elif compared is not None and compared.verdict != "inconclusive" and later:
        state = "better, not solved" if compared.verdict == "better" else "worse"
    elif compared is not None and later and days >= needed:
        state = "no better"
    elif (at - begun) / timedelta(days=1) >= needed:
        state = "ask now"
    text = _told(state, rate, len(later), days, quiet, needed, on)
    return AfterCare(
        state=state,
        rate_before=rate,
        since_days=days,
        drop_outs=len(later),
        quiet_days=quiet,
        needed_days=needed,
        solved_on=on,
        compared=compared,
        proposed=_proposed(changed),
        text=text,
    )


def _nothing_to_count(job: Job, at: datetime) -> AfterCare | None:
    """Where a call stands of which no drop-outs can be counted: nothing was changed, or slowness alone is complained
    of."""
    bare = AfterCare(
        state="nothing changed yet",
        rate_before=None,
        since_days=0.0,
        drop_outs=0,
        quiet_days=0.0,
        needed_days=USUAL_DAYS,
        solved_on=None,
        compared=None,
        proposed=(),
        text="nothing was changed yet",
    )
    if not job.changes:
        return bare
    if job.drop_outs or not job.complaints or any(c.what not in SLOWNESS for c in job.complaints):
        return None
    changed = max(at_the_house(job, c.changed_at) for c in job.changes)
    return replace(
        bare,
        state="slowness only",
        since_days=max((at - changed) / timedelta(days=1), 0.0),
        proposed=_proposed(changed),
        text="the complaint was slowness, and no drop-outs: the speed tests before and after tell; ask whether it "
        "stayed good",
    )


def _proposed(changed: datetime) -> tuple[str, ...]:
    """Dates to ask again after a change."""
    return tuple((changed + timedelta(days=d)).isoformat(timespec="seconds") for d in ASK_AFTER_DAYS)


def _told(state: State, rate: float | None, count: int, days: float, quiet: float, needed: float, on: str) -> str:
    before = "nobody knows how often it dropped out before" if rate is None else f"{rate:g} drop-outs a week before"
    since = f"{count} in {days:.0f} days since"
    if state == "solved":
        return f"solved: {quiet:.0f} days without a drop-out, {needed:.0f} were needed ({before})"
    if state == "ask now":
        return f"{before}, none reported since for {needed:.0f} days and more: ask the household, and write it down"
    if state == "wait":
        return f"{before}, {since}: it counts as solved on {on[:10]} if none comes ({needed:.0f} quiet days)"
    if state == "better, not solved":
        return f"{before}, {since}: better, not solved; look at what is left"
    if state == "worse":
        return f"{before}, {since}: worse than before; go back, or look again"
    return f"{before}, {since}: no better than before; look again"
