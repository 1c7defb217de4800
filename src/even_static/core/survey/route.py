"""The route through the house: which spots teach most, in the order of the shortest walk."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.propagation.calibrate import likeness
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.stands import Point3, place_point
from even_static.core.tables.placing import STAIRS_M
from even_static.core.tables.propagation import READING_ERROR_DB

MOST_STOPS = 9


# A spot that was measured is worth another reading from this fall of the house's mean spread on, in dB.
WORTH_DB = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteStop:
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
class Route:
    """The stops in the order of the shortest way, the first one next; ``house_db`` is the mean spread now."""

    stops: list[RouteStop]
    walk_m: float
    house_db: float


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


def plan_route(coverage: Coverage, from_place_id: str | None = None) -> Route:
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
    measured = {s.place_id for s in coverage.seen}
    house_before = float(np.sqrt(variance).mean())
    picked = _most_telling(coverage, targets, here, variance, [i in measured for i in ids])
    start = ids.index(from_place_id) if from_place_id in ids else None
    order, way = shortest_walk(coverage, points, [k for k, *_ in picked], start)
    stops = []
    at = start
    by_spot = {k: rest for k, *rest in picked}
    for k in order:
        spread, house_from, house_to = by_spot[k]
        leg = 0.0 if at is None else walk_m(coverage, points[at], points[k])
        after_db = math.sqrt(spread**2 * READING_ERROR_DB**2 / (spread**2 + READING_ERROR_DB**2))
        stops.append(
            RouteStop(
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
    return Route(stops, way, house_before)


def _most_telling(
    coverage: Coverage, targets: Floats, here: Floats, variance: Floats, measured: list[bool]
) -> list[tuple[int, float, float, float]]:
    """Spots in the order in which each takes most off the mean spread: (index of the spot, its spread, the house's mean
    spread before and after it is measured), all in dB.

    ``targets`` (targets, 3) and ``here`` (spots, 3) are points in m, ``variance`` (targets,) is in dB squared.
    """
    own = _variance(coverage, here)
    sill = coverage.fit.shadowing_db**2
    share = np.sqrt(np.minimum(variance[:, None] / sill, 1.0))
    covariance = sill * likeness(targets, here) * share * np.sqrt(np.minimum(own[None, :] / sill, 1.0))
    between = sill * likeness(here, here) * np.sqrt(np.minimum(np.outer(own, own), sill**2)) / sill
    left, left_own = variance.copy(), own.copy()
    picked: list[tuple[int, float, float, float]] = []
    open_ones = list(range(len(here)))
    before = float(np.sqrt(variance).mean())
    while open_ones and len(picked) < MOST_STOPS:
        after = [
            float(np.sqrt(np.maximum(left - covariance[:, k] ** 2 / (left_own[k] + READING_ERROR_DB**2), 0.01)).mean())
            for k in open_ones
        ]
        gains = [before - a for a in after]
        n = max(range(len(open_ones)), key=lambda i: gains[i] + (0.5 if not measured[open_ones[i]] else 0.0))
        k = open_ones.pop(n)
        if measured[k] and gains[n] < WORTH_DB:
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
    return picked


def _variance(coverage: Coverage, points: Floats) -> Floats:
    """Variance of the loudest radio's predicted level at points (points, 3), in dB squared; at a spot that was measured
    its own reading counts."""
    levels = coverage.levels_at([(float(x), float(y), float(z)) for x, y, z in points])
    loudest = np.nan_to_num(levels.level_dbm, nan=-999.0).argmax(axis=0)
    spread = levels.spread_db[loudest, np.arange(len(points))]
    return np.asarray(np.nan_to_num(spread, nan=coverage.fit.shadowing_db) ** 2, dtype=np.float64)


def walk_m(coverage: Coverage, a: Point3, b: Point3) -> float:
    """How far one walks between two points: along the plan, and by the stairs."""
    storeys = abs(round((a[2] - b[2]) / 2.7))
    return abs(a[0] - b[0]) + abs(a[1] - b[1]) + storeys * STAIRS_M


def shortest_walk(
    coverage: Coverage, points: list[Point3], stops: list[int], start: int | None
) -> tuple[list[int], float]:
    """(stops in the shortest order, its length in m), exact (Held and Karp 1962), from ``start`` if given."""
    if not stops:
        return [], 0.0
    n = len(stops)
    length = [[walk_m(coverage, points[a], points[b]) for b in stops] for a in stops]
    first = [0.0 if start is None else walk_m(coverage, points[start], points[b]) for b in stops]
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
