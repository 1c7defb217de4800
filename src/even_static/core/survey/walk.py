"""The walk: where to measure next and why, what a reading cannot be, and what two phones differ by."""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.basics import Bssid, RssiDbm
from even_static.core.house.job import Job
from even_static.core.house.readings import Reading, Scan, own_reading
from even_static.core.house.settings import Settings
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.geometry import SHEET_M
from even_static.core.propagation.stands import stands_now
from even_static.core.survey.margin import margin_of
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import CLEAR_MARGIN_DB
from even_static.core.tables.propagation import SETTLED_DB, SETTLED_SAMPLES


@dataclass(frozen=True, slots=True, kw_only=True)
class StrangeReading:
    """A reading that neither the house nor the readings nearby explain."""

    scan_id: str
    place_id: str
    radio_id: str
    off_db: float
    spread_db: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Offset:
    """What an instrument reads beside another at a common spot."""

    instrument_id: str
    place_id: str
    offset_db: float
    spread_db: float
    networks: int


@dataclass(frozen=True, slots=True)
class WallFit:
    """A make of wall: its computed loss and what the readings make of it, in dB."""

    kind: str
    computed_db: dict[Band, float]
    factor: float
    factor_spread: float


def strange_readings(coverage: Coverage) -> list[StrangeReading]:
    """Readings that the model cannot explain, the worst first."""
    found = []
    fit = coverage.fit
    names = {p.id: p.name for p in coverage.job.places}
    for i in np.flatnonzero(fit.strange()):
        seen, off = coverage.seen[i], float(fit.left_out_db[i])
        word = "weaker" if off < 0 else "stronger"
        ask = (
            "is there metal here, or was this another room?"
            if off < 0
            else "was this another room, or nearer the node?"
        )
        text = (
            f"{names[seen.place_id]}: {seen.radio_id} is {abs(off):.0f} dB {word} than anything nearby explains: {ask}"
        )
        found.append(
            StrangeReading(
                scan_id=seen.scan_id,
                place_id=seen.place_id,
                radio_id=seen.radio_id,
                off_db=off,
                spread_db=float(fit.left_out_spread_db[i]),
                text=text,
            )
        )
    return sorted(found, key=lambda s: -abs(s.off_db))


def instrument_offset(job: Job, instrument_id: str, place_id: str) -> Offset:
    """What an instrument reads more than the scanner at a common spot: the median over the networks that both heard
    there. BadInput with fewer than three."""
    newest = sorted((li for li in job.scans if li.place_id == place_id), key=lambda li: li.heard_at)
    mine = {r.bssid: r.level_dbm for li in newest if li.instrument_id == instrument_id for r in li.readings}
    theirs = {r.bssid: r.level_dbm for li in newest if li.instrument_id is None for r in li.readings}
    both = sorted(b for b in set(mine) & set(theirs) if math.isfinite(mine[b] + theirs[b]))
    if len(both) < 3:
        raise BadInput(
            "place_id",
            f'must be a spot where "{instrument_id}" and the scanner both heard three networks or more',
            f"{len(both)} heard by both",
            "listen there with both, one after the other",
        )
    apart = [mine[b] - theirs[b] for b in both]
    middle = statistics.median(apart)
    # Median absolute deviation times 1.4826, over the root of the count: Huber, Robust Statistics (1981) 5.1.
    wide = 1.4826 * statistics.median(abs(d - middle) for d in apart)
    return Offset(
        instrument_id=instrument_id,
        place_id=place_id,
        offset_db=middle,
        spread_db=max(wide / math.sqrt(len(both)), 0.5),
        networks=len(both),
    )


def with_offset(job: Job, instrument_id: str, place_id: str) -> Job:
    """The job with an instrument reconciled with the scanner at a common spot; errors as :func:`instrument_offset`."""
    if all(i.id != instrument_id for i in job.instruments):
        known = ", ".join(i.name for i in job.instruments) or "(none yet)"
        raise NotFound("instrument_id", "must name an instrument of the call", instrument_id, known)
    found = instrument_offset(job, instrument_id, place_id)
    instruments = tuple(
        replace(i, offset_db=round(found.offset_db, 2), spread_db=round(found.spread_db, 2), place_id=place_id)
        if i.id == instrument_id
        else i
        for i in job.instruments
    )
    return replace(job, instruments=instruments)


def wall_fits(coverage: Coverage) -> list[WallFit]:
    """What the readings make of every kind of wall."""
    found = []
    for k, kind in enumerate(coverage.fit.terms.kinds):
        part = int(np.flatnonzero(coverage.geometry.kind_of == k)[0])
        # A solid obstacle is met twice, on the way in and on the way out.
        solid = {o.kind for o in coverage.building.obstacles if o.depth_m >= SHEET_M}
        times = 2.0 if kind.removeprefix("obstacle ") in solid else 1.0
        computed = {b: times * float(coverage.geometry.loss_db[i, part]) for i, b in enumerate(BANDS)}
        found.append(WallFit(kind, computed, float(coverage.fit.value[k]), float(coverage.fit.spread[k])))
    return found


@dataclass(frozen=True, slots=True)
class Series:
    """Levels of one network read one after another, in dBm."""

    bssid: Bssid
    samples_dbm: tuple[RssiDbm, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Settling:
    """What a series says so far; ``error_db`` is how well its middle is known."""

    bssid: str
    median_dbm: float
    spread_db: float
    count: int
    error_db: float
    settled: bool


def settling(series: Series) -> Settling:
    """Median, spread (half the distance of the 16th and 84th percentile) and whether the series has settled.

    The error of the median is 1.2533 spreads over the root of the count (of a normal spread; handbook value).
    """
    levels = np.array(series.samples_dbm, dtype=np.float64)
    low, middle, high = np.percentile(levels, [16, 50, 84])
    spread = float(high - low) / 2
    # Meters show whole decibels: a spread of less than half of one is not seen.
    error = 1.2533 * max(spread, 0.5) / math.sqrt(len(levels))
    done = len(levels) >= SETTLED_SAMPLES and error <= SETTLED_DB
    return Settling(
        bssid=series.bssid, median_dbm=float(middle), spread_db=spread, count=len(levels), error_db=error, settled=done
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class MarginAtSpot:
    """One band at a spot: own level, the strongest interferer on the same spectrum, and the margin over it."""

    band: Band
    own_dbm: float | None
    radio_id: str | None
    interferer_dbm: float | None
    interferer_ssid: str | None
    margin_db: float | None
    clear: bool = False
    """Whether the own level stands far enough above the interferer's (or has none)."""


def margins_at_spot(job: Job, settings: Settings, readings: tuple[Reading, ...]) -> list[MarginAtSpot]:
    """Own level against the strongest interferer inside the own block, for each band with an own radio."""
    by_address = {r.bssid: r.id for r in job.radios}
    found = []
    for band in BANDS:
        if all(r.band != band for r in job.radios):
            continue
        margin = margin_of(job, settings, readings, band)
        if margin is None:
            found.append(
                MarginAtSpot(
                    band=band, own_dbm=None, radio_id=None, interferer_dbm=None, interferer_ssid=None, margin_db=None
                )
            )
            continue
        interferer = margin.interferer
        found.append(
            MarginAtSpot(
                band=band,
                own_dbm=margin.own.rssi_dbm,
                radio_id=by_address[margin.own.bssid],
                interferer_dbm=margin.floor_dbm if interferer is not None else None,
                interferer_ssid=interferer.ssid if interferer is not None else None,
                margin_db=margin.margin_db if interferer is not None else None,
                clear=interferer is None or margin.margin_db >= CLEAR_MARGIN_DB,
            )
        )
    return found


def with_one_more(job: Job, so_far: Iterable[Series], readings: Iterable[Reading]) -> list[Series]:
    """The series of own radios with one level more each, from what was just heard."""
    own = {r.bssid for r in job.radios}
    known = {s.bssid: s.samples_dbm for s in so_far}
    for reading in readings:
        if reading.bssid in own and reading.rssi_dbm is not None:
            known[reading.bssid] = (*known.get(reading.bssid, ()), reading.rssi_dbm)
    return [Series(bssid, samples) for bssid, samples in known.items()]


def settled_readings(series: Iterable[Series], readings: Iterable[Reading]) -> tuple[Reading, ...]:
    """Readings in which each radio that was read again and again has the middle of its series, and its spread."""
    said = {s.bssid: settling(s) for s in series if s.samples_dbm}
    found = []
    for reading in readings:
        one = said.get(reading.bssid)
        if one is not None:
            spread = max(one.spread_db, reading.spread_db or 0.0) if reading.estimated else one.spread_db
            reading = replace(
                reading,
                rssi_dbm=one.median_dbm,
                samples=one.count,
                spread_db=spread if one.count > 1 or reading.estimated else None,
            )
        found.append(reading)
    return tuple(found)


def has_settled(own: list[Settling], seen: list[MarginAtSpot], job: Job) -> bool:
    """Whether the loudest own radio of every band that is heard has settled; weak ones need not be waited for."""
    bssid = {r.id: r.bssid for r in job.radios}
    done = {s.bssid: s.settled for s in own}
    loudest = [bssid[g.radio_id] for g in seen if g.radio_id is not None]
    return bool(loudest) and all(done.get(b, False) for b in loudest)


def scan_of(
    job: Job,
    key: str,
    place_id: str,
    heard_at: str,
    series: tuple[Series, ...],
    *,
    instrument_id: str | None = None,
    running: str = "",
) -> Scan:
    """A scan of own radios from the series that the simulated scanner read at a spot; BadInput for an address not its
    own."""
    radios = {r.bssid: r for r in job.radios}
    readings = []
    for i, one in enumerate(series):
        radio = radios.get(one.bssid)
        if radio is None:
            raise BadInput(f"series[{i}].bssid", "must be an own radio's address", one.bssid, ", ".join(radios))
        if not one.samples_dbm:
            raise BadInput(f"series[{i}].samples_dbm", "must hold a level", "none", "-120 to 0 dBm each")
        said = settling(one)
        readings.append(
            replace(
                own_reading(radio, job.settings.of(radio.id), said.median_dbm),
                samples=said.count,
                spread_db=said.spread_db if said.count > 1 else None,
                first_heard_at=heard_at,
                last_heard_at=heard_at,
            )
        )
    bands = tuple(b for b in BANDS if any(r.band == b for r in readings))
    if not bands:
        raise BadInput("series", "must hold at least one radio's levels", "none", "one or more")
    return Scan(
        came_from="simulated",
        id=key,
        place_id=place_id,
        heard_at=heard_at,
        source="scanner",
        bands=bands,
        readings=tuple(readings),
        settings=job.settings,
        stands=stands_now(job),
        instrument_id=instrument_id,
        running=running,
    )
