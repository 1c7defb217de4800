"""Before and after: differences with their intervals, and whether they tell anything.

Throughput: Welch's interval on the runs' logarithms (ratios), so that places of very different speed weigh alike.
Zigbee: Newcombe's hybrid score interval for the difference of two proportions (Newcombe 1998, method 10), built on
Wilson's interval. A difference is called better or worse only when its 95 % interval leaves no change out.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

import numpy as np

from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.errors import BadInput
from even_static.core.house.job import Job, Listen, Settings, SpeedTest, setting_block
from even_static.core.spectrum.channels import BANDS, Band
from even_static.core.spectrum.coupling import coupling_db
from even_static.core.tuning.air import modulation_of, newest_listens
from even_static.core.tuning.evaluate import Evaluation, evaluate
from even_static.core.tuning.house import House

Verdict = Literal["better", "worse", "cannot tell"]
CONFIDENCE = 0.95
SAME_HOUR_H = 2.0


@dataclass(frozen=True, slots=True)
class Difference:
    """A quantity before and after, the change (after less before, or after over before) and its 95 % interval."""

    before: float
    after: float
    change: float
    low: float
    high: float
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class LevelPair:
    """Own level, strongest rival on the same spectrum and the gap at a place and band, before and after."""

    band: Band
    own_before_dbm: float | None
    own_after_dbm: float | None
    rival_before_dbm: float | None
    rival_after_dbm: float | None
    gap_before_db: float | None
    gap_after_db: float | None


@dataclass(frozen=True, slots=True)
class PlaceProof:
    """One place before and after. Throughput changes are ratios."""

    place_id: str
    down: Difference | None
    up: Difference | None
    levels: tuple[LevelPair, ...]


@dataclass(frozen=True, slots=True)
class DeviceProof:
    """One Zigbee device before and after; the change is a difference of delivered shares."""

    device_id: str
    delivery: Difference


@dataclass(frozen=True, slots=True)
class Proof:
    """What a call's changes brought. ``warnings`` say where the conditions differed or something is missing."""

    changed_at: str
    before_settings: Settings
    after_settings: Settings
    figures_before: Evaluation
    figures_after: Evaluation
    places: tuple[PlaceProof, ...]
    zigbee: tuple[DeviceProof, ...]
    house_throughput: Difference | None
    house_zigbee: Difference | None
    verdict: Verdict
    mixed: bool
    warnings: tuple[str, ...]


def _verdict(low: float, high: float, none: float) -> Verdict:
    return "better" if low > none else "worse" if high < none else "cannot tell"


def compare_runs(before: Sequence[float], after: Sequence[float]) -> Difference | None:
    """Ratio of two sets of throughput runs in Mb/s with Welch's interval; None with fewer than two runs on a side."""
    from scipy.stats import ttest_ind

    if len(before) < 2 or len(after) < 2:
        return None
    old, new = (np.log(np.maximum(x, 0.05)) for x in (before, after))
    means = float(np.exp(old.mean())), float(np.exp(new.mean()))
    if old.std() == 0 and new.std() == 0:
        ratio = means[1] / means[0]
        return Difference(*means, ratio, ratio, ratio, _verdict(ratio, ratio, 1.0))
    interval = ttest_ind(new, old, equal_var=False).confidence_interval(CONFIDENCE)
    low, high = math.exp(interval.low), math.exp(interval.high)
    return Difference(*means, means[1] / means[0], low, high, _verdict(low, high, 1.0))


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
    return Difference(p, q, change, low, high, _verdict(low, high, 0.0))


def pooled_ratio(pairs: Sequence[Difference]) -> Difference | None:
    """Mean ratio over places, paired by place, with Student's interval over the places; None below two places."""
    from scipy.stats import t

    if len(pairs) < 2:
        return pairs[0] if pairs else None
    logs = np.log([p.change for p in pairs])
    half = float(t.ppf(0.5 + CONFIDENCE / 2, len(logs) - 1)) * float(logs.std(ddof=1)) / math.sqrt(len(logs))
    low, high = math.exp(logs.mean() - half), math.exp(logs.mean() + half)
    before = float(np.exp(np.mean([math.log(max(p.before, 0.05)) for p in pairs])))
    after = float(np.exp(np.mean([math.log(max(p.after, 0.05)) for p in pairs])))
    return Difference(before, after, float(np.exp(logs.mean())), low, high, _verdict(low, high, 1.0))


def level_and_rival(
    job: Job, listen: Listen | None, settings: Settings, band: Band
) -> tuple[float | None, float | None]:
    """(own level, strongest rival inside the own block) in dBm at a listening; None where nothing was heard.

    The own radio is the loudest of the band; the rival's level is what falls into its block. A rival weaker than the
    thermal noise counts as the noise.
    """
    if listen is None:
        return None, None
    own = {r.bssid: r for r in job.radios}
    mine = [r for r in listen.readings if r.bssid in own and r.band == band]
    if not mine:
        return None, None
    best = max(mine, key=lambda r: r.rssi_dbm)
    block = setting_block(own[best.bssid], settings.of(own[best.bssid].id))
    rivals = [
        r.rssi_dbm
        + float(
            coupling_db(
                abs(r.centre_mhz - block.centre_mhz), modulation_of(r.generation), r.width_mhz, "ofdm", block.width_mhz
            )
        )
        for r in listen.readings
        if r.bssid not in own and r.band == band
    ]
    return best.rssi_dbm, max([noise_floor_dbm(block.width_mhz), *rivals])


def prove(job: Job) -> Proof:
    """Compare what was measured before the call's first change with what was measured after its last.

    BadInput when nothing was changed yet.
    """
    if not job.changes:
        raise BadInput("changes", "must hold a change to prove", "none", "apply a plan first")
    first = min(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at))
    last = max(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at))
    before_listens = newest_listens(job, until=first.changed_at)
    after_listens = newest_listens(job, after=last.changed_at)
    old_tests = _tests(job, until=first.changed_at)
    new_tests = _tests(job, after=last.changed_at)
    places, warnings = [], []
    for place in job.places:
        old, new = old_tests.get(place.id), new_tests.get(place.id)
        levels = []
        for band in BANDS:
            a = level_and_rival(job, before_listens.get((place.id, band)), first.before, band)
            b = level_and_rival(job, after_listens.get((place.id, band)), last.after, band)
            if a[0] is not None or b[0] is not None:
                gaps = [None if o is None or r is None else o - r for o, r in (a, b)]
                levels.append(LevelPair(band, a[0], b[0], a[1], b[1], gaps[0], gaps[1]))
        down = compare_runs(old.down_mbps, new.down_mbps) if old and new else None
        up = compare_runs(old.up_mbps, new.up_mbps) if old and new else None
        if down is not None or levels:
            places.append(PlaceProof(place.id, down, up, tuple(levels)))
        if old and new and _hours_apart(old.tested_at, new.tested_at) > SAME_HOUR_H:
            warnings.append(f"{place.name}: tested at another time of day than before; the neighbours' load differs")
        if old and not new:
            warnings.append(f"{place.name}: tested before but not after")
    zigbee = _zigbee(job, first.changed_at, last.changed_at)
    house_throughput = pooled_ratio([p.down for p in places if p.down is not None])
    house_zigbee = _pooled_zigbee(job, first.changed_at, last.changed_at)
    parts = [d.verdict for d in (house_throughput, house_zigbee) if d is not None]
    better, worse = "better" in parts, "worse" in parts
    if not parts:
        warnings.append("nothing was measured both before and after: run the tests again")
    if not any(p.levels and p.levels[0].own_after_dbm is not None for p in places):
        warnings.append("not listened again since the change: the figures after it rest on the earlier air")
    return Proof(
        last.changed_at,
        first.before,
        last.after,
        evaluate(House(job, until=first.changed_at), first.before),
        evaluate(House(job), last.after),
        tuple(places),
        zigbee,
        house_throughput,
        house_zigbee,
        "better" if better and not worse else "worse" if worse and not better else "cannot tell",
        better and worse,
        tuple(warnings),
    )


def _tests(job: Job, *, until: str | None = None, after: str | None = None) -> dict[str, SpeedTest]:
    """The newest speed test at each place in a time span."""
    found: dict[str, SpeedTest] = {}
    for test in sorted(job.speed_tests, key=lambda t: datetime.fromisoformat(t.tested_at)):
        at = datetime.fromisoformat(test.tested_at)
        if (until is None or at <= datetime.fromisoformat(until)) and (
            after is None or at >= datetime.fromisoformat(after)
        ):
            found[test.place_id] = test
    return found


def _hours_apart(a: str, b: str) -> float:
    """Distance of two times of day in hours, 0..12."""
    x, y = (datetime.fromisoformat(t) for t in (a, b))
    gap = abs((x.hour + x.minute / 60) - (y.hour + y.minute / 60))
    return min(gap, 24 - gap)


def _counts(job: Job, device_id: str, *, until: str | None = None, after: str | None = None) -> tuple[int, int]:
    low = datetime.fromisoformat(after) if after else None
    high = datetime.fromisoformat(until) if until else None
    delivered = sent = 0
    for report in job.zigbee_reports:
        at = datetime.fromisoformat(report.reported_at)
        if report.device_id == device_id and (low is None or at >= low) and (high is None or at <= high):
            delivered, sent = delivered + report.delivered, sent + report.sent
    return delivered, sent


def _zigbee(job: Job, first: str, last: str) -> tuple[DeviceProof, ...]:
    proofs = []
    for device in job.zigbee.devices if job.zigbee else ():
        found = compare_shares(_counts(job, device.id, until=first), _counts(job, device.id, after=last))
        if found is not None:
            proofs.append(DeviceProof(device.id, found))
    return tuple(proofs)


def _pooled_zigbee(job: Job, first: str, last: str) -> Difference | None:
    devices = job.zigbee.devices if job.zigbee else ()
    before = [_counts(job, d.id, until=first) for d in devices]
    after = [_counts(job, d.id, after=last) for d in devices]
    return compare_shares(
        (sum(d for d, _ in before), sum(s for _, s in before)), (sum(d for d, _ in after), sum(s for _, s in after))
    )
