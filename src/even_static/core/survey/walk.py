"""The walk: where to measure next and why, what a reading cannot be, and what two phones differ by."""

from __future__ import annotations

import itertools
import math
import statistics
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.basics import Bssid, RssiDbm
from even_static.core.house.job import Job
from even_static.core.house.readings import Listen, Reading, own_reading
from even_static.core.house.settings import Settings
from even_static.core.propagation.calibrate import READING_ERROR_DB, likeness
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.geometry import SHEET_M
from even_static.core.propagation.stands import Point3, place_point, stands_now
from even_static.core.survey.margin import margin_of
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import CLEAR_MARGIN_DB

Floats = NDArray[np.float64]
# Metres of level way that a flight of stairs costs. Common practice.
STAIRS_M = 8.0
MOST_ROUND = 9
# A spot that was measured is worth another reading from this fall of the house's mean spread on, in dB.
WORTH_DB = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundStop:
    """A stop of the round: why there, in numbers."""

    place_id: str
    walk_m: float
    spread_db: float
    spread_after_db: float
    house_before_db: float
    house_after_db: float
    measured: bool
    reason: str


@dataclass(frozen=True, slots=True)
class Round:
    """The stops in the order of the shortest way, the first one next; ``house_db`` is the mean spread now."""

    stops: list[RoundStop]
    way_m: float
    house_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class StrangeReading:
    """A reading that neither the house nor the readings nearby explain."""

    listen_id: str
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


def _targets(coverage: Coverage) -> tuple[list[str], list[Point3], Floats]:
    """(place ids, their points, points of spots and rooms that one wants to be sure of)."""
    job = coverage.job
    placed = [(p.id, place_point(job, p)) for p in job.places]
    known = [(i, at) for i, at in placed if at is not None]
    targets = [at for _, at in known]
    for storey in sorted({r.storey for r in coverage.building.rooms}):
        grid = coverage.grid(storey, 1.2)
        targets += [(float(x), float(y), grid.z_m) for x, y in grid.xy[grid.inside.ravel()]]
    return [i for i, _ in known], [at for _, at in known], np.array(targets)


def plan_round(coverage: Coverage, from_place_id: str | None = None) -> Round:
    """The round: spots that nobody measured and spots that teach most, in the order of the shortest way.

    A spot's worth is by how much the mean spread of the loudest radio's level over rooms and spots falls when it is
    measured (posterior variance; readings of different spots count together by the shadowing they share).
    BadInput for a house with fewer than two placed spots.
    """
    ids, points, targets = _targets(coverage)
    if len(ids) < 2:
        raise BadInput(
            "places", "must hold at least two spots in the house for a round", len(ids), "place the spots under House"
        )
    here = np.array(points)
    variance = _variance(coverage, targets)
    own = _variance(coverage, here)
    measured = {s.place_id for s in coverage.seen}
    house_before = float(np.sqrt(variance).mean())
    covariance = coverage.fit.shadowing_db**2 * likeness(targets, here)
    between = coverage.fit.shadowing_db**2 * likeness(here, here)
    share = np.sqrt(np.minimum(variance[:, None] / coverage.fit.shadowing_db**2, 1.0))
    covariance = covariance * share * np.sqrt(np.minimum(own[None, :] / coverage.fit.shadowing_db**2, 1.0))
    between = (
        between * np.sqrt(np.minimum(np.outer(own, own), coverage.fit.shadowing_db**4)) / coverage.fit.shadowing_db**2
    )
    left, left_own = variance.copy(), own.copy()
    picked: list[tuple[int, float, float, float]] = []
    open_ones = list(range(len(ids)))
    before = house_before
    while open_ones and len(picked) < MOST_ROUND:
        after = [
            float(np.sqrt(np.maximum(left - covariance[:, k] ** 2 / (left_own[k] + READING_ERROR_DB**2), 0.01)).mean())
            for k in open_ones
        ]
        gains = [before - a for a in after]
        n = max(range(len(open_ones)), key=lambda i: gains[i] + (0.5 if ids[open_ones[i]] not in measured else 0.0))
        k = open_ones.pop(n)
        if ids[k] in measured and gains[n] < WORTH_DB:
            break
        spread_before = math.sqrt(max(left_own[k], 0.01))
        keep = left_own[k] + READING_ERROR_DB**2
        step_targets, step_own = covariance[:, k].copy(), between[:, k].copy()
        left = np.maximum(left - step_targets**2 / keep, 0.01)
        left_own = np.maximum(left_own - step_own**2 / keep, 0.01)
        covariance = covariance - np.outer(step_targets, step_own) / keep
        between = between - np.outer(step_own, step_own) / keep
        picked.append((k, spread_before, before, after[n]))
        before = after[n]
    start = ids.index(from_place_id) if from_place_id in ids else None
    order, way = shortest_way(coverage, points, [k for k, *_ in picked], start)
    stops = []
    at = start
    by_spot = {k: rest for k, *rest in picked}
    for k in order:
        spread, house_from, house_to = by_spot[k]
        leg = 0.0 if at is None else way_m(coverage, points[at], points[k])
        after_db = math.sqrt(spread**2 * READING_ERROR_DB**2 / (spread**2 + READING_ERROR_DB**2))
        stops.append(
            RoundStop(
                place_id=ids[k],
                walk_m=leg,
                spread_db=spread,
                spread_after_db=after_db,
                house_before_db=house_from,
                house_after_db=house_to,
                measured=ids[k] in measured,
                reason=f"still ±{spread:.1f} dB here; "
                f"a reading takes {house_from - house_to:.2f} dB off the house's mean",
            )
        )
        at = k
    return Round(stops, way, house_before)


def _variance(coverage: Coverage, points: Floats) -> Floats:
    """Variance of the loudest radio's predicted level at points (points, 3), in dB squared; at a spot that was measured
    its own reading counts."""
    levels = coverage.levels_at([(float(x), float(y), float(z)) for x, y, z in points])
    loudest = np.nan_to_num(levels.level_dbm, nan=-999.0).argmax(axis=0)
    spread = levels.spread_db[loudest, np.arange(len(points))]
    return np.asarray(np.nan_to_num(spread, nan=coverage.fit.shadowing_db) ** 2, dtype=np.float64)


def way_m(coverage: Coverage, a: Point3, b: Point3) -> float:
    """How far one walks between two points: along the plan, and by the stairs."""
    storeys = abs(round((a[2] - b[2]) / 2.7))
    return abs(a[0] - b[0]) + abs(a[1] - b[1]) + storeys * STAIRS_M


def shortest_way(
    coverage: Coverage, points: list[Point3], stops: list[int], start: int | None
) -> tuple[list[int], float]:
    """(stops in the shortest order, its length in m), exact (Held and Karp 1962), from ``start`` if given."""
    if not stops:
        return [], 0.0
    n = len(stops)
    length = [[way_m(coverage, points[a], points[b]) for b in stops] for a in stops]
    first = [0.0 if start is None else way_m(coverage, points[start], points[b]) for b in stops]
    best: dict[tuple[int, int], tuple[float, int]] = {(1 << k, k): (first[k], -1) for k in range(n)}
    for size in range(2, n + 1):
        for group in itertools.combinations(range(n), size):
            bits = sum(1 << k for k in group)
            for last in group:
                rest = bits ^ (1 << last)
                best[bits, last] = min((best[rest, k][0] + length[k][last], k) for k in group if k != last)
    whole = (1 << n) - 1
    end = min(range(n), key=lambda k: best[whole, k][0])
    total = best[whole, end][0]
    order, bits, at = [], whole, end
    while at >= 0:
        order.append(stops[at])
        bits, at = bits ^ (1 << at), best[bits, at][1]
    return order[::-1], total


def strange_readings(coverage: Coverage) -> list[StrangeReading]:
    """Readings that the model cannot explain, the worst first."""
    found = []
    fit = coverage.fit
    names = {p.id: p.name for p in coverage.job.places}
    for i in np.flatnonzero(fit.strange()):
        seen, off = coverage.seen[i], float(fit.left_out_db[i])
        word = "weaker" if off < 0 else "stronger"
        ask = (
            "is there metal here, or was this another room?" if off < 0 else "was this another room, or nearer the box?"
        )
        text = (
            f"{names[seen.place_id]}: {seen.radio_id} is {abs(off):.0f} dB {word} than anything nearby explains: {ask}"
        )
        found.append(
            StrangeReading(
                listen_id=seen.listen_id,
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
    newest = sorted((li for li in job.listens if li.place_id == place_id), key=lambda li: li.heard_at)
    mine = {r.bssid: r.rssi_dbm for li in newest if li.instrument_id == instrument_id for r in li.readings}
    theirs = {r.bssid: r.rssi_dbm for li in newest if li.instrument_id is None for r in li.readings}
    both = sorted(set(mine) & set(theirs))
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


# A series has settled when it holds so many levels and their middle is known to this, in dB. Common practice.
SETTLED_SAMPLES = 6
SETTLED_DB = 1.0


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


def has_settled(own: list[Settling], seen: list[MarginAtSpot], job: Job) -> bool:
    """Whether the loudest own radio of every band that is heard has settled; weak ones need not be waited for."""
    bssid = {r.id: r.bssid for r in job.radios}
    done = {s.bssid: s.settled for s in own}
    loudest = [bssid[g.radio_id] for g in seen if g.radio_id is not None]
    return bool(loudest) and all(done.get(b, False) for b in loudest)


def listen_of(
    job: Job,
    key: str,
    place_id: str,
    heard_at: str,
    series: tuple[Series, ...],
    *,
    source: str,
    instrument_id: str | None = None,
    running: str = "",
) -> Listen:
    """A listening of own radios from their series, as typed or read at a spot; BadInput for an address not its own."""
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
    return Listen(
        id=key,
        place_id=place_id,
        heard_at=heard_at,
        source=source,
        bands=bands,
        readings=tuple(readings),
        settings=job.settings,
        stands=stands_now(job),
        instrument_id=instrument_id,
        running=running,
    )
