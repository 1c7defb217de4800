"""Levels read while walking: where they fall, and which wall costs most."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.house.job import Job
from even_static.core.house.readings import Trace
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.geometry import band_index
from even_static.core.propagation.loss import free_space_db
from even_static.core.propagation.stands import Point3, place_point, stand_of, stand_point
from even_static.core.tables.bands import Band
from even_static.core.tables.materials import LOSS_GHZ

# How finely the way is looked at, in m; and how far before and after a wall its levels are taken.
STEP_M = 0.1
WINDOW_M = 1.6
# What enters the path and costs less than this is not looked for, in dB: it cannot be told from the readings' swing.
LEAST_DB = 1.0
LEAST_LEVELS = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class TraceStep:
    """Something that came into the path (or left it, with a negative loss): where, computed and measured loss in dB."""

    at_m: float
    what: str
    computed_db: float
    measured_db: float
    spread_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class TraceLine:
    """One radio's level along the way: ``at_m`` from the beginning and ``level_dbm``, and what came into its path."""

    radio_id: str
    band: Band
    at_m: list[float]
    level_dbm: list[float]
    steps: list[TraceStep]


@dataclass(frozen=True, slots=True, kw_only=True)
class TraceView:
    """A walk in figures; ``costliest`` is the step that measured most, in words."""

    id: str
    from_place_id: str
    to_place_id: str
    walked_at: str
    walk_m: float
    lines: list[TraceLine]
    costliest: str | None


def trace_view(job: Job, coverage: Coverage | None, trace: Trace) -> TraceView:
    """A walk along the straight line between two spots at a steady pace, told wall by wall.

    Where a wall comes between the node and the person is computed; what it cost is the mean level over 1.6 m before
    less that after, less what distance alone takes. Without a house, or where a spot is not placed, the levels are
    shown against time's share of the way and no wall is named.
    """
    places = {p.id: p for p in job.places}
    a, b = (place_point(job, places[i]) for i in (trace.from_place_id, trace.to_place_id))
    way = math.dist(a, b) if a is not None and b is not None else trace.duration_s
    radios = {r.bssid: r for r in job.radios}
    lines = []
    for bssid in dict.fromkeys(p.bssid for p in trace.points):
        radio = radios.get(bssid)
        if radio is None:
            continue
        mine = sorted((p.after_s, p.rssi_dbm) for p in trace.points if p.bssid == bssid)
        at = np.clip(np.array([t for t, _ in mine]) / trace.duration_s, 0.0, 1.0) * way
        level = np.array([v for _, v in mine])
        steps: list[TraceStep] = []
        if coverage is not None and a is not None and b is not None:
            steps = _steps(job, coverage, trace, radio.id, radio.band, a, b, at, level)
        lines.append(
            TraceLine(
                radio_id=radio.id,
                band=radio.band,
                at_m=[round(float(x), 2) for x in at],
                level_dbm=level.tolist(),
                steps=steps,
            )
        )
    lines.sort(key=lambda line: -max(line.level_dbm))
    found = [(s.measured_db, s, line) for line in lines for s in line.steps if s.computed_db > 0]
    costliest = None
    if found:
        _, step, line = max(found, key=lambda f: f[0])
        if step.measured_db > step.spread_db:
            costliest = (
                f"{step.what}, {step.at_m:.1f} m on the way: {step.measured_db:.0f} ± {step.spread_db:.0f} dB of "
                f"{line.radio_id} ({step.computed_db:.0f} dB by the book)"
            )
    return TraceView(
        id=trace.id,
        from_place_id=trace.from_place_id,
        to_place_id=trace.to_place_id,
        walked_at=trace.walked_at,
        walk_m=way,
        lines=lines,
        costliest=costliest,
    )


def _steps(
    job: Job,
    coverage: Coverage,
    trace: Trace,
    radio_id: str,
    band: Band,
    a: Point3,
    b: Point3,
    at: Floats,
    level: Floats,
) -> list[TraceStep]:
    node = job.node_of(radio_id)
    stand = next((s.stand for s in trace.stands or () if s.node_id == node.id), None) or stand_of(job, node)
    if stand is None:
        return []
    way = math.dist(a, b)
    marks = np.linspace(0.0, way, max(2, round(way / STEP_M) + 1))
    points = np.array(a) + np.outer(marks / max(way, 1e-9), np.subtract(b, a))
    crossed = np.stack([coverage.geometry.crossed_from(stand, p[None, :2], float(p[2]))[:, 0] for p in points])
    loss = coverage.geometry.loss_db[band_index(band)]
    # Changes nearer to each other than a step and a half are one: a corner, a door frame.
    changes: list[tuple[int, NDArray[np.int8]]] = []
    for k in range(1, len(marks)):
        change = crossed[k].astype(np.int8) - crossed[k - 1].astype(np.int8)
        if not change.any():
            continue
        if changes and k - changes[-1][0] <= 2:
            changes[-1] = (changes[-1][0], changes[-1][1] + change)
        else:
            changes.append((k, change))
    kept = [(float(marks[k]) - STEP_M / 2, c) for k, c in changes if abs(float(loss @ c)) >= LEAST_DB]
    tx = np.array(stand_point(coverage.building, stand))
    far = np.linalg.norm(points - tx, axis=1)
    without_distance = level + np.interp(at, marks, free_space_db(LOSS_GHZ[band] * 1000, np.maximum(far, 0.5)))
    found = []
    for n, (where, change) in enumerate(kept):
        low = max(where - WINDOW_M, kept[n - 1][0] if n else 0.0)
        high = min(where + WINDOW_M, kept[n + 1][0] if n + 1 < len(kept) else way)
        before = without_distance[(at >= low) & (at < where)]
        after = without_distance[(at > where) & (at <= high)]
        if len(before) < LEAST_LEVELS or len(after) < LEAST_LEVELS:
            continue
        spread = math.sqrt(before.var(ddof=1) / len(before) + after.var(ddof=1) / len(after))
        names = [coverage.geometry.parts[i].name for i in np.flatnonzero(change > 0)]
        left = [f"out of {coverage.geometry.parts[i].name}" for i in np.flatnonzero(change < 0)]
        what = " and ".join(dict.fromkeys(names or left))
        found.append(
            TraceStep(
                at_m=round(where, 1),
                what=what,
                computed_db=float(loss @ change),
                measured_db=float(before.mean() - after.mean()),
                spread_db=max(spread, 0.5),
            )
        )
    return found
