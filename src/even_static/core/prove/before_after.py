"""Before and after: differences with their intervals, and whether they tell anything.

Throughput and latency: Welch's interval on the runs' logarithms (ratios), so that places of very different speed weigh
alike. Zigbee: Newcombe's hybrid score interval for the difference of two proportions (Newcombe 1998, method 10), built
on Wilson's interval. Drop-outs: the ratio of two rates by the exact interval of the share that came after
(Clopper and Pearson 1934), given how many there were in all. Levels: the medians' normal interval.
A difference is called better or worse only when its 95 % interval leaves no change out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime

from even_static.core.errors import BadInput
from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.kit import Place
from even_static.core.house.readings import Reading, Scan, SpeedTest
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.prove.differences import (
    Difference,
    Verdict,
    compare_counts,
    compare_levels,
    compare_runs,
    compare_shares,
    level_change,
    pooled_ratio,
    verdict_of,
)
from even_static.core.prove.known_before import as_known_before, settings_before
from even_static.core.survey.air import newest_scans
from even_static.core.survey.margin import margin_of
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.work import SAME_AIR_FRACTION, SAME_HOUR_H


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelPair:
    """Own level, strongest interferer on the same spectrum and the margin over it, before and after."""

    band: Band
    own_before_dbm: float | None
    own_after_dbm: float | None
    interferer_before_dbm: float | None
    interferer_after_dbm: float | None
    margin_before_db: float | None
    margin_after_db: float | None
    own: Difference | None = None
    """Change of the own level in dB."""
    margin: Difference | None = None
    """Change of the margin in dB."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceProof:
    """One place before and after, at its height. Changes of throughput, latency and stalls are ratios."""

    place_id: str
    height_m: float
    down: Difference | None
    up: Difference | None
    latency: Difference | None
    stalls: Difference | None
    levels: tuple[LevelPair, ...]
    verdict: Verdict
    mixed: bool
    """True where some of it is better and some is worse."""


@dataclass(frozen=True, slots=True)
class DeviceProof:
    """One Zigbee device before and after; the change is a difference of delivered shares."""

    device_id: str
    delivery: Difference


@dataclass(frozen=True, slots=True, kw_only=True)
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
    house_latency: Difference | None
    house_zigbee: Difference | None
    verdict: Verdict
    mixed: bool
    warnings: tuple[str, ...]


def loudest_own(job: Job, scan: Scan | None, band: Band) -> Reading | None:
    """The own radio that a scan heard loudest on a band."""
    own = {r.bssid for r in job.radios}
    mine = (
        [r for r in scan.readings if r.bssid in own and r.band == band and r.rssi_dbm is not None]
        if scan is not None
        else []
    )
    return max(mine, key=lambda r: r.level_dbm, default=None)


def level_and_interferer(
    job: Job, scan: Scan | None, settings: Settings, band: Band
) -> tuple[float | None, float | None]:
    """(own level, strongest interferer inside the own block) in dBm at a scan; None where nothing was heard.

    The own radio is the loudest of the band; the interferer's level is what falls into its block. One weaker than the
    thermal noise counts as the noise.
    """
    found = margin_of(job, settings, scan.readings, band) if scan is not None else None
    if found is None or scan is None:
        return None, None
    # Own levels that were read off a device say nothing of who else was there.
    return found.own.rssi_dbm, None if scan.levels_only else found.floor_dbm


def prove(job: Job) -> Proof:
    """Compare what was measured before the call's first change with what was measured after its last.

    BadInput when nothing was changed yet.
    """
    if not job.changes:
        raise BadInput("changes", "must hold a change to prove", "none", "apply a plan first")
    first = min(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at))
    last = max(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at))
    before_scans = newest_scans(job, until=first.changed_at)
    after_scans = newest_scans(job, after=last.changed_at)
    old_tests = _tests(job, until=first.changed_at)
    new_tests = _tests(job, after=last.changed_at)
    places = []
    warnings: list[str] = []
    for place in job.places:
        old, new, said = _pair(job, place, old_tests.get(place.id, []), new_tests.get(place.id, []))
        warnings += said
        levels = []
        for band in BANDS:
            heard = before_scans.get((place.id, band)), after_scans.get((place.id, band))
            a = level_and_interferer(job, heard[0], first.before, band)
            b = level_and_interferer(job, heard[1], last.after, band)
            if a[0] is not None or b[0] is not None:
                levels.append(_levels(job, band, heard, a, b))
        warnings += _conditions(job, place, before_scans, after_scans)
        proof = _place_proof(place, old, new, tuple(levels))
        places += [] if proof is None else [proof]
    zigbee = _zigbee(job, first.changed_at, last.changed_at)
    house_throughput = pooled_ratio([p.down for p in places if p.down is not None])
    house_latency = pooled_ratio([p.latency for p in places if p.latency is not None], less_is_better=True)
    house_zigbee = _pooled_zigbee(job, first.changed_at, last.changed_at)
    parts = [d.verdict for d in (house_throughput, house_latency, house_zigbee) if d is not None]
    verdict, mixed = verdict_of(parts)
    if not parts:
        warnings.append("nothing was measured both before and after: run the tests again")
    if not any(p.levels and p.levels[0].own_after_dbm is not None for p in places):
        warnings.append("not scanned again since the change: the figures after it rest on the earlier scans")
    return Proof(
        changed_at=last.changed_at,
        before_settings=settings_before(job, first),
        after_settings=last.after,
        figures_before=evaluate(House(as_known_before(job, first)), first.before),
        figures_after=evaluate(House(job), last.after),
        places=tuple(places),
        zigbee=zigbee,
        house_throughput=house_throughput,
        house_latency=house_latency,
        house_zigbee=house_zigbee,
        verdict=verdict,
        mixed=mixed,
        warnings=tuple(warnings),
    )


def _place_proof(
    place: Place, old: SpeedTest | None, new: SpeedTest | None, levels: tuple[LevelPair, ...]
) -> PlaceProof | None:
    """A place's comparison; None where neither a speed test nor a level can be compared."""
    down = up = latency = stalls = None
    if old is not None and new is not None:
        down = compare_runs(old.down_mbps, new.down_mbps)
        up = compare_runs(old.up_mbps, new.up_mbps)
        latency = compare_runs(old.latency_ms, new.latency_ms, less_is_better=True)
        if old.stalls and new.stalls:
            stalls = compare_counts((sum(old.stalls), len(old.stalls)), (sum(new.stalls), len(new.stalls)))
    if down is None and not levels:
        return None
    parts = [d.verdict for d in (down, up, latency, stalls, *(p.margin for p in levels)) if d is not None]
    verdict, mixed = verdict_of(parts)
    return PlaceProof(
        place_id=place.id,
        height_m=place.height_m,
        down=down,
        up=up,
        latency=latency,
        stalls=stalls,
        levels=levels,
        verdict=verdict,
        mixed=mixed,
    )


def _levels(
    job: Job,
    band: Band,
    heard: tuple[Scan | None, Scan | None],
    a: tuple[float | None, float | None],
    b: tuple[float | None, float | None],
) -> LevelPair:
    """A band at a place before (``a``) and after (``b``): own level, interferer, margin, and their changes."""
    margins = [None if o is None or r is None else o - r for o, r in (a, b)]
    mine = [loudest_own(job, scan, band) for scan in heard]
    own = compare_levels(mine[0], mine[1]) if mine[0] is not None and mine[1] is not None else None
    margin = None
    if own is not None and margins[0] is not None and margins[1] is not None:
        # The interferer's level errs as the own one does.
        margin = level_change(margins[0], margins[1], math.sqrt(2) * (own.high - own.change) / 1.959964)
    return LevelPair(
        band=band,
        own_before_dbm=a[0],
        own_after_dbm=b[0],
        interferer_before_dbm=a[1],
        interferer_after_dbm=b[1],
        margin_before_db=margins[0],
        margin_after_db=margins[1],
        own=own,
        margin=margin,
    )


def _pair(
    job: Job, place: Place, before: list[SpeedTest], after: list[SpeedTest]
) -> tuple[SpeedTest | None, SpeedTest | None, list[str]]:
    """The newest tests before and after that were made the same way, and what differs in their conditions."""
    if not before or not after:
        return None, None, [f"{place.name}: tested before but not after"] if before else []
    ways = [(t.over, t.reach) for t in reversed(after)]
    way = next((w for w in ways if any((t.over, t.reach) == w for t in before)), None)
    if way is None:
        told = f"{before[-1].over} to {before[-1].reach}, then {after[-1].over} to {after[-1].reach}"
        return None, None, [f"{place.name}: tested another way than before ({told}): not compared"]
    old, new = ([t for t in side if (t.over, t.reach) == way][-1] for side in (before, after))
    said = []
    if _hours_apart(job, old.tested_at, new.tested_at) > SAME_HOUR_H:
        said.append(f"{place.name}: tested at another time of day than before; the neighbours' load differs")
    weekend = [at_the_house(job, t.tested_at).weekday() >= 5 for t in (old, new)]
    if weekend[0] != weekend[1]:
        names = ["the weekend" if w else "a working day" for w in weekend]
        said.append(f"{place.name}: tested on {names[0]} before and on {names[1]} after")
    return old, new, said


def _conditions(
    job: Job, place: Place, before: dict[tuple[str, Band], Scan], after: dict[tuple[str, Band], Scan]
) -> list[str]:
    """What differs between the scans at a place: instrument, what else ran, the neighbours' load."""
    names = {i.id: i.name for i in job.instruments}
    own = {r.bssid for r in job.radios}
    said: list[str] = []
    for band in BANDS:
        old, new = before.get((place.id, band)), after.get((place.id, band))
        if old is None or new is None:
            continue
        if old.instrument_id != new.instrument_id:
            used = [names.get(i or "", "the scanner") for i in (old.instrument_id, new.instrument_id)]
            said.append(f"{place.name}: read with {used[0]} before and with {used[1]} after")
        if old.running != new.running:
            said.append(f'{place.name}: "{old.running or "nothing"}" ran before, "{new.running or "nothing"}" after')
        uses = [
            max(
                (r.channel_use_fraction or 0.0 for r in li.readings if r.band == band and r.bssid not in own),
                default=0.0,
            )
            for li in (old, new)
        ]
        if abs(uses[1] - uses[0]) > SAME_AIR_FRACTION:
            said.append(
                f"{place.name}: the busiest neighbour at {band} took {uses[0] * 100:.0f} % of the air before and "
                f"{uses[1] * 100:.0f} % after"
            )
    return list(dict.fromkeys(said))


def _tests(job: Job, *, until: str | None = None, after: str | None = None) -> dict[str, list[SpeedTest]]:
    """The speed tests at each place in a time span, the oldest first."""
    found: dict[str, list[SpeedTest]] = {}
    for test in sorted(job.speed_tests, key=lambda t: datetime.fromisoformat(t.tested_at)):
        at = datetime.fromisoformat(test.tested_at)
        if (until is None or at <= datetime.fromisoformat(until)) and (
            after is None or at >= datetime.fromisoformat(after)
        ):
            found.setdefault(test.place_id, []).append(test)
    return found


def _hours_apart(job: Job, a: str, b: str) -> float:
    """Distance of two times of day at the house in hours, 0..12."""
    x, y = (at_the_house(job, t) for t in (a, b))
    gap = abs((x.hour + x.minute / 60) - (y.hour + y.minute / 60))
    return min(gap, 24 - gap)


def delivered_counts(
    job: Job, device_id: str, *, until: str | None = None, after: str | None = None
) -> tuple[int, int]:
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
        found = compare_shares(
            delivered_counts(job, device.id, until=first), delivered_counts(job, device.id, after=last)
        )
        if found is not None:
            proofs.append(DeviceProof(device.id, found))
    return tuple(proofs)


def _pooled_zigbee(job: Job, first: str, last: str) -> Difference | None:
    devices = job.zigbee.devices if job.zigbee else ()
    before = [delivered_counts(job, d.id, until=first) for d in devices]
    after = [delivered_counts(job, d.id, after=last) for d in devices]
    return compare_shares(
        (sum(d for d, _ in before), sum(s for _, s in before)), (sum(d for d, _ in after), sum(s for _, s in after))
    )
