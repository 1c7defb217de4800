"""The present calibrates the worlds: those that say what was measured count, the others are drawn again.

Evidence is what the house did under its present settings: speed tests over Wi-Fi by spot and hour, and what the hub's
log says of its devices. Each is compared with what every world says of that hour.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.readings import SpeedTest, ZigbeeReport
from even_static.core.model.prepared_house import House
from even_static.core.tables import worlds as table
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.worlds.drawn import Foreign, Worlds
from even_static.core.worlds.living import Living

EvidenceKind = Literal["speed test", "hub's log"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reproduced:
    """Something that was measured beside what the worlds said before they knew of it, and what those say that were
    kept: middle and range of nine in ten. Mb/s down of a speed test; the share that arrived of a hub's log."""

    kind: EvidenceKind
    subject_id: str
    """The place, or the Zigbee device."""
    measured: float
    before: float
    low: float
    middle: float
    high: float

    @property
    def held(self) -> bool:
        """Whether the range holds what was measured."""
        return self.low - 1e-9 <= self.measured <= self.high + 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """How well the kept worlds say what was measured: each measurement, and how many of the drawn worlds agree."""

    drawn: int
    agreeing: int
    """As many equally good worlds would carry the same weight."""
    measurements: tuple[Reproduced, ...]

    @property
    def held(self) -> int:
        """Measurements that lie in their range."""
        return sum(m.held for m in self.measurements)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Evidence:
    """One measurement: what every drawn world says of it (worlds,), and how well that agrees (log, worlds)."""

    kind: EvidenceKind
    subject_id: str
    measured: float
    said: Floats
    agrees: Floats


def agreeing_worlds(house: House, count: int = table.WORLDS, seed: int = 0) -> tuple[Worlds, Agreement | None]:
    """So many worlds that agree with the house's measurements, and how well; without any evidence worlds as drawn."""
    tests, reports = _speed_tests(house.job), _reports(house.job)
    if not tests and not reports:
        return Worlds(house, count, seed), None
    drawn = Worlds(house, count * table.DRAWN_FOR_EACH, seed)
    evidence = _evidence(drawn, tests, reports)
    if not evidence:
        return drawn.taken(np.arange(count)), None
    weight = _weights(np.sum([e.agrees for e in evidence], axis=0), count)
    rows = _taken(weight, count, seed)
    measurements = []
    for e in evidence:
        low, middle, high = np.quantile(e.said[rows], (0.05, 0.5, 0.95))
        measurements.append(
            Reproduced(
                kind=e.kind,
                subject_id=e.subject_id,
                measured=e.measured,
                before=float(np.median(e.said)),
                low=float(low),
                middle=float(middle),
                high=float(high),
            )
        )
    agreeing = round(1 / float((weight**2).sum()))
    return drawn.taken(rows), Agreement(drawn=drawn.count, agreeing=agreeing, measurements=tuple(measurements))


def _since(job: Job) -> datetime | None:
    """When the present settings were set; None where they always were."""
    times = [datetime.fromisoformat(c.changed_at) for c in job.changes]
    return max(times, default=None)


def _speed_tests(job: Job) -> list[SpeedTest]:
    """The newest test over Wi-Fi at each place under the present settings."""
    since, newest = _since(job), dict[str, SpeedTest]()
    for test in sorted(job.speed_tests, key=lambda t: datetime.fromisoformat(t.tested_at)):
        after = since is None or datetime.fromisoformat(test.tested_at) >= since
        if test.over == "wi-fi" and test.down_mbps and after:
            newest[test.place_id] = test
    return list(newest.values())


def _reports(job: Job) -> list[ZigbeeReport]:
    """The newest report of each Zigbee device under the present settings."""
    since, newest = _since(job), dict[str, ZigbeeReport]()
    for report in sorted(job.zigbee_reports, key=lambda r: datetime.fromisoformat(r.reported_at)):
        if report.sent > 0 and (since is None or datetime.fromisoformat(report.reported_at) >= since):
            newest[report.device_id] = report
    return list(newest.values())


def _evidence(drawn: Worlds, tests: list[SpeedTest], reports: list[ZigbeeReport]) -> list[_Evidence]:
    house, job, found = drawn.house, drawn.house.job, list[_Evidence]()
    hours = {at_the_house(job, t.tested_at).hour for t in tests} | {
        at_the_house(job, r.reported_at).hour for r in reports
    }
    line = None if job.subscription is None else job.subscription.down_mbps
    for hour in sorted(hours):
        living = Living(at_hour(drawn, hour))
        lived = living.lived(job.settings)
        for test in (t for t in tests if at_the_house(job, t.tested_at).hour == hour):
            said = lived.speed_mbps[:, house.places[test.place_id]]
            # Over the internet nothing is faster than the line.
            said = said if line is None or test.reach != "the internet" else np.minimum(said, line)
            measured = float(np.median(test.down_mbps))
            off = (np.log(measured + 1.0) - np.log(said + 1.0)) / table.TEST_SPREAD
            found.append(
                _Evidence(kind="speed test", subject_id=test.place_id, measured=measured, said=said, agrees=_heavy(off))
            )
        ids = {} if living.mesh is None else {name: i for i, name in enumerate(living.mesh.ids[1:])}
        for report in (r for r in reports if at_the_house(job, r.reported_at).hour == hour):
            if report.device_id in ids and lived.deliveries.shape[1]:
                said = lived.deliveries[:, ids[report.device_id]]
                measured = report.delivered / report.sent
                error = np.sqrt(np.clip(said, 0.01, 0.99) * (1 - np.clip(said, 0.01, 0.99)) / report.sent)
                off = (measured - said) / np.hypot(error, table.LOG_SPREAD)
                found.append(
                    _Evidence(
                        kind="hub's log", subject_id=report.device_id, measured=measured, said=said, agrees=_heavy(off)
                    )
                )
    return found


def _heavy(off: Floats) -> Floats:
    """Log of how well something agrees that is off by so many standard deviations: with heavy tails, so that one odd
    measurement does not decide (Student's t of four degrees of freedom)."""
    return np.asarray(-2.5 * np.log1p(off**2 / 4))


def _weights(log_weight: Floats, least: int) -> Floats:
    """Weights of the drawn worlds; softened until at least a quarter of ``least`` of them carry it."""
    heat = 1.0
    for _ in range(12):
        weight = np.exp(heat * (log_weight - log_weight.max()))
        weight /= weight.sum()
        if 1 / float((weight**2).sum()) >= least / 4:
            break
        heat *= 0.75
    return np.asarray(weight)


def _taken(weight: Floats, count: int, seed: int) -> NDArray[np.intp]:
    """So many rows by weight, spread evenly (systematic resampling)."""
    start = np.random.default_rng((seed, 9)).uniform(0, 1 / count)
    at = start + np.arange(count) / count
    return np.minimum(np.searchsorted(np.cumsum(weight), at), len(weight) - 1).astype(np.intp)


def at_hour(worlds: Worlds, hour: int) -> Worlds:
    """The worlds at another hour of the day than the busiest: less wanted, less of others' traffic."""
    share = HOURLY_LOAD[hour]
    found = worlds.taken(np.arange(worlds.count))
    found.wanted_mbps = worlds.wanted_mbps * np.float32(share)
    found.foreign = {band: _quieter(f, share) for band, f in found.foreign.items()}
    return found


def _quieter(foreign: Foreign, share: float) -> Foreign:
    factor = np.where(foreign.wifi, share, 1.0).astype(np.float32)[None, :, None]
    return replace(foreign, use=foreign.use * factor)
