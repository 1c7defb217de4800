"""A section through the storeys: walls and floors that are cut, and level contours between them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.building import Stand
from even_static.core.house.kit import Node
from even_static.core.house.settings import Settings
from even_static.core.propagation.coverage import Coverage, Levels
from even_static.core.propagation.geometry import RASTER_M
from even_static.core.propagation.picture import Contour, Direction, areas, contours, radio_rows, shift_db
from even_static.core.propagation.stands import place_point, stand_point
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import DESIGN_LEVEL_DBM, HANDOVER_DBM
from even_static.core.tables.propagation import UNSURE_DB

Axis = Literal["along", "across"]
AXES: Final[tuple[Axis, ...]] = ("along", "across")
# What stands within this of the cut is drawn in it, in m.
NEAR_M = 1.5


@dataclass(frozen=True, slots=True)
class CutWall:
    """A wall, door or obstacle that is cut: where along the section, from which to which height, in m."""

    at_m: float
    bottom_m: float
    top_m: float
    name: str


@dataclass(frozen=True, slots=True)
class CutFloor:
    """A floor or roof that is cut: from where to where along the section, and at which height, in m."""

    from_m: float
    to_m: float
    height_m: float
    name: str


@dataclass(frozen=True, slots=True)
class CutPoint:
    """A node or spot near the cut."""

    id: str
    kind: Literal["node", "spot"]
    at_m: float
    height_m: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """A cut "along" the house (x runs, y is fixed at ``at_m``) or "across" it; contours in (m along, m high)."""

    axis: Axis
    at_m: float
    from_m: float
    to_m: float
    bottom_m: float
    top_m: float
    band: Band
    walls: list[CutWall]
    floors: list[CutFloor]
    points: list[CutPoint]
    contours: list[Contour]
    unsure: list[list[float]]
    design_dbm: float = DESIGN_LEVEL_DBM
    handover_dbm: float = HANDOVER_DBM
    unsure_db: float = UNSURE_DB


def section(
    coverage: Coverage,
    band: Band,
    axis: Axis,
    at_m: float | None = None,
    *,
    node_id: str | None = None,
    direction: Direction = "downlink",
    stands: Mapping[str, Stand] | None = None,
    settings: Settings | None = None,
    step_m: float = 0.25,
) -> Section:
    """The loudest own level (or one node's) in a vertical cut; through the loudest node where no line is given.

    BadInput for a cut beside the house or a band without radio, NotFound for an unknown node.
    """
    job, building = coverage.job, coverage.building
    settings = settings or job.settings
    rows = radio_rows(coverage, band, node_id)
    along, fixed = (0, 1) if axis == "along" else (1, 0)
    corners = np.array([p for r in building.rooms for p in r.outline])
    standing = [(n, s) for n in job.nodes for s in [coverage.stand(n, stands)] if s is not None]
    if at_m is None:
        first = next((s for n, s in standing if n.id == node_id), standing[0][1])
        at_m = (first.x_m, first.y_m)[fixed]
    low_f, high_f = float(corners[:, fixed].min()), float(corners[:, fixed].max())
    if not low_f <= at_m <= high_f:
        raise BadInput("at_m", "must cut the house", at_m, f"{low_f:g} to {high_f:g} m")
    low, high = float(corners[:, along].min()) - 0.5, float(corners[:, along].max()) + 0.5
    covered = [r.storey for r in building.rooms]
    bottom = building.elevation_m(min(covered))
    top = building.elevation_m(max(covered)) + building.height_m(max(covered))
    s = np.arange(low + step_m / 2, high, step_m)
    z = np.arange(bottom + step_m / 2, top, step_m)
    xy = np.empty((len(s), 2))
    xy[:, along], xy[:, fixed] = s, at_m
    shift = shift_db(coverage, settings, direction)[rows, None]
    level, spread = _loudest([coverage.levels(xy, float(height), stands, settings) for height in z], rows, shift)
    inside = (s >= low + 0.5) & (s <= high - 0.5)
    return Section(
        axis=axis,
        at_m=round(at_m, 3),
        from_m=low,
        to_m=high,
        bottom_m=bottom,
        top_m=top,
        band=band,
        walls=_walls(coverage, axis, at_m),
        floors=_floors(coverage, axis, at_m),
        points=_points(coverage, axis, at_m, standing),
        contours=contours(s, z, level),
        unsure=areas(s, z, np.where(inside[None, :], spread, 0.0), UNSURE_DB),
    )


def _loudest(rising: Sequence[Levels], rows: list[int], shift: Floats) -> tuple[Floats, Floats]:
    """(level in dBm, spread in dB) of the loudest of some radios, each of shape (heights, points)."""
    level, spread = [], []
    for found in rising:
        here = np.where(np.isnan(found.level_dbm[rows]), -200.0, found.level_dbm[rows] + shift)
        level.append(here.max(axis=0))
        best = here.argmax(axis=0)
        spread.append(np.nan_to_num(found.spread_db[rows][best, np.arange(here.shape[1])], nan=99.0))
    return np.array(level), np.array(spread)


def _walls(coverage: Coverage, axis: Axis, at_m: float) -> list[CutWall]:
    along, fixed = (0, 1) if axis == "along" else (1, 0)
    geometry = coverage.geometry
    walls = []
    for part, (x1, y1, x2, y2, base, head) in enumerate(geometry.panels):
        a, b = ((x1, y1)[fixed] - at_m), ((x2, y2)[fixed] - at_m)
        if a * b <= 0 and a != b:
            share = a / (a - b)
            where = (x1, y1)[along] + share * ((x2, y2)[along] - (x1, y1)[along])
            walls.append(CutWall(round(float(where), 3), float(base), float(head), geometry.parts[part].name))
    return walls


def _points(coverage: Coverage, axis: Axis, at_m: float, standing: list[tuple[Node, Stand]]) -> list[CutPoint]:
    """Nodes and spots that are near the cut."""
    along, fixed = (0, 1) if axis == "along" else (1, 0)
    points = [
        CutPoint(n.id, "node", (st.x_m, st.y_m)[along], stand_point(coverage.building, st)[2])
        for n, st in standing
        if abs((st.x_m, st.y_m)[fixed] - at_m) <= NEAR_M
    ]
    for place in coverage.job.places:
        at = place_point(coverage.job, place)
        if at is not None and abs(at[fixed] - at_m) <= NEAR_M:
            points.append(CutPoint(place.id, "spot", at[along], at[2]))
    return points


def _floors(coverage: Coverage, axis: Axis, at_m: float) -> list[CutFloor]:

    geometry = coverage.geometry
    ox, oy = geometry.raster_origin
    found = []
    for n, height in enumerate(geometry.slab_z):
        mask = geometry.slab_masks[n]
        if axis == "along":
            row = math.floor((at_m - oy) / RASTER_M)
            line, origin = (mask[row] if 0 <= row < mask.shape[0] else mask[0] & False), ox
        else:
            column = math.floor((at_m - ox) / RASTER_M)
            line, origin = (mask[:, column] if 0 <= column < mask.shape[1] else mask[:, 0] & False), oy
        edges = np.flatnonzero(np.diff(np.concatenate([[0], line.astype(np.int8), [0]])))
        name = geometry.parts[len(geometry.panels) + n].name
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            ends = (round(float(origin + a * RASTER_M), 2), round(float(origin + b * RASTER_M), 2))
            found.append(CutFloor(*ends, float(height), name))
    return found
