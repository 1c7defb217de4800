"""The present calibrates the worlds: those that say what was measured count, the others are drawn again.

Evidence is what the house did under its present settings: speed tests over Wi-Fi by spot and hour, and what the hub's
log says of its devices, how busy the radios find their channels by hour. Each is compared with what every world says of
that hour. What the router's client list says is built into the worlds before that.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.readings import SpeedTest, ZigbeeReport
from even_static.core.model.prepared_house import House
from even_static.core.survey.router_lists import newest_lines, since_set
from even_static.core.tables import worlds as table
from even_static.core.worlds.channel_use import newest_uses, told_by_channel_use
from even_static.core.worlds.client_list import Listed, told_by_the_list
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.hub_log import told_by_the_log
from even_static.core.worlds.living import Living
from even_static.core.worlds.reproduced import EvidenceKind, Reproduced, reproduced
from even_static.core.worlds.waiting import told_by_latency


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """How well the kept worlds say what was measured: each measurement, and how many of the drawn worlds agree."""

    drawn: int
    agreeing: int
    """As many equally good worlds would carry the same weight."""
    measurements: tuple[Reproduced, ...]
    listed: tuple[Listed, ...] = ()
    """Devices of the router's client list, which the worlds were made to agree with."""


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Evidence:
    """One measurement: what every drawn world says of it (worlds,), and how well that agrees (log, worlds)."""

    kind: EvidenceKind
    subject_id: str
    measured: float
    said: Floats
    agrees: Floats


def agreeing_worlds(house: House, count: int = table.WORLDS, seed: int = 0) -> tuple[Worlds, Agreement | None]:
    """So many worlds that agree with the house's measurements, and how well; without any evidence worlds as drawn.

    The router's client list, what its radios say of their channels and the hub's log move what is drawn of each device,
    radio and network; then speed tests and log weigh the worlds as wholes.
    """
    lines = newest_lines(house.job)
    tests, reports, uses = newest_tests(house.job), _reports(house.job), newest_uses(house)
    if not (tests or reports or uses or lines):
        return Worlds(house, count, seed), None
    drawn, listed = told_by_the_list(Worlds(house, count * table.DRAWN_FOR_EACH, seed), lines)
    drawn, used = told_by_channel_use(drawn, uses)
    before = _evidence(drawn, tests, reports)
    drawn = told_by_the_log(drawn, reports)
    timed = _timed(tests)
    drawn, waits = told_by_latency(drawn, timed, _heavy) if timed else (drawn, np.zeros(drawn.count))
    evidence = _evidence(drawn, tests, reports) if reports or timed else before
    if not evidence:
        agreement = Agreement(drawn=drawn.count, agreeing=drawn.count, measurements=used, listed=listed)
        return drawn.taken(np.arange(count)), agreement if listed or used else None
    weight = _weights(waits + np.sum([e.agrees for e in evidence if e.kind != "latency"], axis=0), count)
    rows = _taken(weight, count, seed)
    measurements = [
        reproduced(e.kind, e.subject_id, e.measured, b.said, e.said[rows])
        for b, e in zip(before, evidence, strict=True)
    ]
    agreeing = round(1 / float((weight**2).sum()))
    return drawn.taken(rows), Agreement(
        drawn=drawn.count, agreeing=agreeing, measurements=(*measurements, *used), listed=listed
    )


def newest_tests(job: Job) -> list[SpeedTest]:
    """The newest test over Wi-Fi at each place under the present settings."""
    since, newest = since_set(job), dict[str, SpeedTest]()
    for test in sorted(job.speed_tests, key=lambda t: datetime.fromisoformat(t.tested_at)):
        after = since is None or datetime.fromisoformat(test.tested_at) >= since
        if test.over == "wi-fi" and test.down_mbps and after:
            newest[test.place_id] = test
    return list(newest.values())


def _timed(tests: list[SpeedTest]) -> list[SpeedTest]:
    """Tests that say how long one waits inside the house."""
    return [t for t in tests if t.latency_ms and t.reach != "the internet"]


def _reports(job: Job) -> list[ZigbeeReport]:
    """The newest report of each Zigbee device under the present settings."""
    since, newest = since_set(job), dict[str, ZigbeeReport]()
    for report in sorted(job.zigbee_reports, key=lambda r: datetime.fromisoformat(r.reported_at)):
        if report.sent > 0 and (since is None or datetime.fromisoformat(report.reported_at) >= since):
            newest[report.device_id] = report
    return list(newest.values())


def _evidence(drawn: Worlds, tests: list[SpeedTest], reports: list[ZigbeeReport]) -> list[_Evidence]:
    house, job, found = drawn.house, drawn.house.job, list[_Evidence]()
    times = [t.tested_at for t in tests] + [r.reported_at for r in reports]
    hours = {at_the_house(job, t).hour for t in times}
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
        waited = [t for t in _timed(tests) if at_the_house(job, t.tested_at).hour == hour]
        waits = living.speed_tests(job.settings).latency_ms if waited else None
        for test in waited:
            assert waits is not None
            said, measured = waits[:, house.places[test.place_id]], float(np.median(test.latency_ms))
            off = (np.log(measured) - np.log(said)) / table.LATENCY_SPREAD
            found.append(
                _Evidence(kind="latency", subject_id=test.place_id, measured=measured, said=said, agrees=_heavy(off))
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
