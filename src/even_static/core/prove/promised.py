"""What was predicted before the change against what came: where the plan was wrong, and what the house has taught."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.changes import Change
from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.links import link_bands_to
from even_static.core.house.readings import Reading
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import ZigbeeFigures
from even_static.core.model.prepared_house import House
from even_static.core.propagation.coverage import Coverage, coverage_of
from even_static.core.propagation.stands import place_point
from even_static.core.prove.before_after import delivered_counts
from even_static.core.prove.differences import CONFIDENCE
from even_static.core.prove.known_before import as_known_before
from even_static.core.survey.air import newest_scans
from even_static.core.survey.walk import wall_fits
from even_static.core.tables.bands import Band
from even_static.core.tables.propagation import UNHEARD_DBM
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.living import Living
from even_static.core.worlds.phone import SpeedTests, as_tested
from even_static.core.worlds.present import agreeing_worlds, newest_tests
from even_static.core.worlds.span import span

# A level read again at its spot may differ by so much; a delivery by so much beyond its own interval. Common practice.
SAME_LEVEL_DB, SAME_SHARE = 6.0, 0.02
WALL_CHANGE = 0.05
SPEED_WORLDS = 48


Unit = Literal["dBm", "of 1", "Mb/s", "ms"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Came:
    """One thing that was predicted: ``subject`` in words; both values in ``unit``; whether they agree."""

    kind: Literal["level", "Zigbee delivery", "speed test"]
    subject: str
    unit: Unit
    predicted: float
    came: float
    low: float
    high: float
    agrees: bool


@dataclass(frozen=True, slots=True)
class WallLearnt:
    """A kind of wall: how many times its computed loss it costs, by the readings of before, and by all."""

    kind: str
    factor_before: float
    factor_now: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Learnt:
    """The calibration that follows. Errors are root mean squares of the new readings beside what the house as
    calibrated would have them, in dB: with the readings of before, and with all."""

    readings: int
    error_before_db: float
    error_now_db: float
    walls: tuple[WallLearnt, ...]
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PredictedAndCame:
    """Everything that was predicted and measured since; what agrees, the widest miss first."""

    entries: tuple[Came, ...]
    agreeing: int
    problems_predicted: int
    problems_now: int
    headroom_predicted: float | None
    headroom_now: float | None
    learnt: Learnt | None
    text: str


def predicted_and_came(job: Job) -> PredictedAndCame:
    """Compare the plan's promise, from what was known before the first change, with what was measured after the last.

    BadInput where nothing was changed.
    """
    if not job.changes:
        raise BadInput("changes", "must hold a change to judge a plan by", "none", "apply a plan first")
    first = min(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at))
    last = max(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at))
    before = House(as_known_before(job, first))
    planned = _as_planned(before.job, job, last)
    promised = evaluate(before, planned)
    now = evaluate(House(job), last.after)
    entries = _levels(job, before, last.changed_at) + _zigbee(job, promised.zigbee, last.changed_at)
    entries += _speeds(job, before, planned)
    entries.sort(key=lambda e: (e.agrees, -_off_by(e)))
    right = sum(e.agrees for e in entries)
    text = f"{right} of {len(entries)} came as predicted" if entries else "nothing was measured since the change"
    wrong = [e for e in entries if not e.agrees]
    if wrong:
        text += f"; furthest off: {wrong[0].subject}"
    return PredictedAndCame(
        entries=tuple(entries),
        agreeing=right,
        problems_predicted=promised.problems,
        problems_now=now.problems,
        headroom_predicted=promised.headroom,
        headroom_now=now.headroom,
        learnt=_learnt(job, first.changed_at, last.changed_at),
        text=text,
    )


def _off_by(entry: Came) -> float:
    """How far something came off, in what counts as little for its kind."""
    if entry.kind == "speed test":
        return abs(math.log((entry.came + 1.0) / (entry.predicted + 1.0)))
    return abs(entry.came - entry.predicted) / (SAME_LEVEL_DB if entry.kind == "level" else 0.1)


def _as_planned(before: Job, job: Job, last: Change) -> Settings:
    """The settings of now for the house as it was known before: links that were moved since are moved by them."""
    return replace(last.after, link_bands=link_bands_to(before.nodes, job.nodes))


def _speeds(job: Job, house: House, planned: Settings) -> list[Came]:
    """Speed tests over Wi-Fi since the last change beside what worlds of a house before the first one say of their
    place and hour under the settings of now."""
    tests = newest_tests(job)
    if not tests or not house.job.air_known:
        return []
    worlds = agreeing_worlds(house, SPEED_WORLDS)[0].erring()
    said: dict[int, SpeedTests] = {}
    found = []
    for test in tests:
        hour = at_the_house(job, test.tested_at).hour
        if hour not in said:
            said[hour] = as_tested(worlds, Living(at_hour(worlds, hour)).speed_tests(planned))
        at, outside = house.places[test.place_id], test.reach == "the internet"
        line = job.subscription if outside else None
        down, up = said[hour].down_mbps[:, at], said[hour].up_mbps[:, at]
        if line is not None:
            down, up = np.minimum(down, line.down_mbps), np.minimum(up, line.up_mbps)
        place = next(p.name for p in job.places if p.id == test.place_id)
        found.append(_came(place, "Mb/s", down, test.down_mbps))
        if test.up_mbps:
            found.append(_came(f"{place}, up", "Mb/s", up, test.up_mbps))
        latency = said[hour].latency_at(at)
        # What the line and the internet add to it nobody predicts.
        if test.latency_ms and not outside and latency is not None:
            found.append(_came(f"{place}, latency under load", "ms", latency, test.latency_ms))
    return found


def _came(subject: str, unit: Unit, expected: Floats, runs: tuple[float, ...]) -> Came:
    """The middle of some runs of a speed test beside what worlds said (worlds,)."""
    range_of, came = span(expected), float(np.median(runs))
    return Came(
        kind="speed test",
        subject=subject,
        unit=unit,
        predicted=range_of.middle,
        came=came,
        low=range_of.low,
        high=range_of.high,
        agrees=range_of.low <= came <= range_of.high,
    )


def _levels(job: Job, before: House, after: str) -> list[Came]:
    """Levels of own radios at places that were listened at before and after."""
    place_at = {p.id: i for i, p in enumerate(job.places)}
    radios = {r.bssid: i for i, r in enumerate(job.radios)}
    air = before.air
    found = []
    for (place_id, band), scan in newest_scans(job, after=after).items():
        k = place_at[place_id]
        for reading in scan.readings:
            i = radios.get(reading.bssid)
            if i is None or reading.rssi_dbm is None or reading.band != band:
                continue
            known = float(air.own_rssi_dbm[i, k])
            if known <= UNHEARD_DBM or math.isnan(known) or not air.heard[band][k]:
                continue
            setting = (scan.settings or job.settings).of(job.radios[i].id)
            level = known + setting.eirp_dbm - float(air.own_eirp_dbm[i, k])
            off = abs(reading.rssi_dbm - level)
            found.append(
                Came(
                    kind="level",
                    subject=f"{job.radios[i].id} at {job.places[k].name}",
                    unit="dBm",
                    predicted=round(level, 1),
                    came=reading.rssi_dbm,
                    low=level - SAME_LEVEL_DB,
                    high=level + SAME_LEVEL_DB,
                    agrees=off <= SAME_LEVEL_DB,
                )
            )
    return found


def _zigbee(job: Job, promised: tuple[ZigbeeFigures, ...], after: str) -> list[Came]:
    from scipy.stats import binomtest

    by_id = {z.device_id: z.delivery for z in promised}
    found = []
    for device in job.zigbee.devices if job.zigbee else ():
        delivered, sent = delivered_counts(job, device.id, after=after)
        if sent == 0 or device.id not in by_id:
            continue
        interval = binomtest(delivered, sent).proportion_ci(CONFIDENCE, method="wilson")
        wanted = by_id[device.id]
        agrees = interval.low - SAME_SHARE <= wanted <= interval.high + SAME_SHARE
        share = delivered / sent
        found.append(
            Came(
                kind="Zigbee delivery",
                subject=device.name,
                unit="of 1",
                predicted=wanted,
                came=share,
                low=float(interval.low),
                high=float(interval.high),
                agrees=agrees,
            )
        )
    return found


def _learnt(job: Job, first: str, last: str) -> Learnt | None:
    """The calibration with the readings of before, and with all; None without a house or new readings in it."""
    cut = datetime.fromisoformat(first)
    earlier = tuple(li for li in job.scans if datetime.fromisoformat(li.heard_at) <= cut)
    old, new = coverage_of(replace(job, scans=earlier)), coverage_of(job)
    if old is None or new is None:
        return None
    errors: list[list[float]] = [[], []]
    for (place_id, band), scan in newest_scans(job, after=last).items():
        point = place_point(job, next(p for p in job.places if p.id == place_id))
        if point is None:
            continue
        stands = {s.node_id: s.stand for s in scan.stands or ()}
        heard = [(i, r) for i, own in enumerate(job.radios) for r in scan.readings if r.bssid == own.bssid]
        for k, coverage in enumerate((old, new)):
            level = coverage.levels_at([point], stands, scan.settings or job.settings).level_dbm[:, 0]
            errors[k] += _off(job, band, heard, level)
    if not errors[0]:
        return None
    rms = [float(np.sqrt(np.mean(np.square(e)))) for e in errors]
    walls = _walls(old, new)
    text = f"{len(errors[0])} new readings, {rms[0]:.1f} dB beside the house as calibrated before them"
    text += f", {rms[1]:.1f} dB as calibrated with them"
    if walls:
        told = ", ".join(f"{w.kind} {w.factor_before:.2f} to {w.factor_now:.2f} times its loss" for w in walls)
        text += f"; learnt: {told}"
    return Learnt(readings=len(errors[0]), error_before_db=rms[0], error_now_db=rms[1], walls=walls, text=text)


def _off(job: Job, band: Band, heard: list[tuple[int, Reading]], level: Floats) -> list[float]:
    return [float(r.rssi_dbm - level[i]) for i, r in heard if job.radios[i].band == band and not math.isnan(level[i])]


def _walls(old: Coverage, new: Coverage) -> tuple[WallLearnt, ...]:
    was = {w.kind: w.factor for w in wall_fits(old)}
    changed = [
        WallLearnt(w.kind, was[w.kind], w.factor)
        for w in wall_fits(new)
        if w.kind in was and abs(w.factor - was[w.kind]) >= WALL_CHANGE
    ]
    return tuple(sorted(changed, key=lambda w: -abs(w.factor_now - w.factor_before)))
