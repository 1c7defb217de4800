"""Levels everywhere in a house: predicted from its building, calibrated on its readings."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.building import Building, Stand
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio
from even_static.core.house.readings import Scan
from even_static.core.house.settings import Settings
from even_static.core.propagation.calibrate import Fit, Observations, Terms, calibrate, guess, likeness
from even_static.core.propagation.geometry import Geometry, band_index, geometry_of
from even_static.core.propagation.loss import antenna_gain_db, free_space_db
from even_static.core.propagation.stands import (
    Point3,
    place_point,
    stand_of,
    stand_point,
    stand_then,
)
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.materials import LOSS_GHZ, MOUNTING_DB
from even_static.core.tables.propagation import NEAR_FIELD_M, NEAREST_M

MOST_POINTS = 400_000
FEW_POINTS, MOST_KEPT = 200, 240


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """Levels of every own radio at points: both of shape (radios, points), in dBm and dB. Radios that are off or
    whose node stands nowhere have NaN."""

    level_dbm: Floats
    spread_db: Floats


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Grid:
    """Points of a storey at one height: ``x_m`` (columns,), ``y_m`` (rows,), ``z_m``; ``inside``: (rows, columns),
    where a room, outbuilding or garden is."""

    storey: int
    x_m: Floats
    y_m: Floats
    z_m: float
    inside: NDArray[np.bool_]

    @property
    def xy(self) -> Floats:
        """All points, row by row: shape (rows * columns, 2)."""
        gx, gy = np.meshgrid(self.x_m, self.y_m)
        return np.stack([gx.ravel(), gy.ravel()], axis=1)

    @property
    def shape(self) -> tuple[int, int]:
        """(rows, columns)."""
        return len(self.y_m), len(self.x_m)


@dataclass(frozen=True, slots=True)
class Seen:
    """Which reading an observation came from."""

    scan_id: str
    place_id: str
    radio_id: str


class Coverage:
    """A job's building and readings, calibrated. Stands and settings are given with each question."""

    def __init__(self, job: Job) -> None:
        if job.building is None or not job.building.rooms:
            raise BadInput("building", "must be entered before anything can be predicted", "none", "rooms under House")
        self.job = job
        self.building: Building = job.building
        self.geometry: Geometry = geometry_of(job.building)
        self.radios: tuple[Radio, ...] = job.radios
        self.node_of: tuple[int, ...] = tuple(i for i, n in enumerate(job.nodes) for _ in n.radios)
        self.terms = Terms(
            kinds=self.geometry.kinds,
            radios=len(self.radios),
            instruments=tuple(i.id for i in job.instruments),
            offset_db=tuple(i.offset_db for i in job.instruments),
            offset_spread_db=tuple(i.spread_db for i in job.instruments),
        )
        # Loss by kind of wall, for a product with what is crossed: (bands * kinds, parts).
        sorted_out = np.zeros((len(BANDS), len(self.terms.kinds), len(self.geometry.parts)))
        for part, kind in enumerate(self.geometry.kind_of):
            sorted_out[:, kind, part] = self.geometry.loss_db[:, part]
        self._by_kind = sorted_out.reshape(-1, len(self.geometry.parts)).astype(np.float32)
        self.seen, self.observations = self._observe()
        self.fit: Fit = calibrate(self.observations, self.terms)
        self._near: dict[tuple[int, int], tuple[Floats, NDArray[np.float32]]] = {}
        self._levels_of: OrderedDict[
            tuple[int | bytes, float, int, Stand], tuple[Floats, dict[int, Floats], dict[int, Floats]]
        ] = OrderedDict()
        self._grids: dict[tuple[int, float], tuple[Grid, Floats]] = {}

    # -- readings ------------------------------------------------------------------------------------------------

    def _observe(self) -> tuple[tuple[Seen, ...], Observations]:
        job = self.job
        own = {r.bssid: i for i, r in enumerate(self.radios)}
        places = {p.id: place_point(job, p) for p in job.places}
        newest: dict[tuple[str, str | None, Band], Scan] = {}
        for scan in sorted(job.scans, key=lambda li: li.heard_at):
            if places[scan.place_id] is not None:
                for band in scan.bands:
                    newest[scan.place_id, scan.instrument_id, band] = scan
        seen: list[Seen] = []
        columns: list[tuple[int, Point3, Stand, float, float, str | None]] = []
        for (place_id, instrument_id, band), scan in newest.items():
            rx = places[place_id]
            assert rx is not None
            settings = scan.settings or job.settings
            for reading in scan.readings:
                r = own.get(reading.bssid)
                if r is None or reading.rssi_dbm is None or reading.band != band or self.radios[r].band != band:
                    continue
                stand = stand_then(job, scan, job.nodes[self.node_of[r]])
                if stand is None or math.dist(rx, stand_point(self.building, stand)) < NEAR_FIELD_M:
                    continue
                eirp = settings.of(self.radios[r].id).eirp_dbm
                columns.append((r, rx, stand, eirp, reading.rssi_dbm, instrument_id))
                seen.append(Seen(scan.id, place_id, self.radios[r].id))
        if not columns:
            return (), Observations(
                radio=np.zeros(0, dtype=np.intp),
                rx=np.zeros((0, 3)),
                tx=np.zeros((0, 3)),
                fixed_db=np.zeros(0),
                rows=np.zeros((0, self.terms.count)),
                level_dbm=np.zeros(0),
            )
        # Ways from one stand to points of one height are worked out together.
        together: dict[tuple[Stand, float], dict[tuple[float, float], int]] = {}
        for _, at, stand, *_ in columns:
            points = together.setdefault((stand, at[2]), {})
            points.setdefault((at[0], at[1]), len(points))
        paths = {key: self._paths(key[0], np.array(list(points)), key[1]) for key, points in together.items()}
        fixed_db, all_rows = np.empty(len(columns)), np.empty((len(columns), self.terms.count))
        for n, (r, at, stand, eirp, _, instrument_id) in enumerate(columns):
            k = together[stand, at[2]][at[0], at[1]]
            distance, gain, walls = paths[stand, at[2]]
            one = slice(k, k + 1)
            fixed, rows = self._assembled(r, stand, eirp, distance[one], gain[one], walls[:, :, one])
            fixed_db[n], all_rows[n] = fixed[0], rows[0]
            if instrument_id is not None:
                all_rows[n, self.terms.offset(instrument_id)] = 1.0
        return tuple(seen), Observations(
            radio=np.array([c[0] for c in columns], dtype=np.intp),
            rx=np.array([c[1] for c in columns]),
            tx=np.array([stand_point(self.building, c[2]) for c in columns]),
            fixed_db=fixed_db,
            rows=all_rows,
            level_dbm=np.array([c[4] for c in columns]),
        )

    # -- one node ------------------------------------------------------------------------------------------------

    def _paths(self, stand: Stand, xy: Floats, z: float) -> tuple[Floats, Floats, NDArray[np.float32]]:
        """(distance in m, antenna gain in dB, wall loss in dB by band and kind) from a stand to points."""
        tx = stand_point(self.building, stand)
        towards = np.empty((len(xy), 3))
        towards[:, 0], towards[:, 1], towards[:, 2] = xy[:, 0] - tx[0], xy[:, 1] - tx[1], z - tx[2]
        distance = np.maximum(np.sqrt((towards**2).sum(axis=1)), NEAREST_M)
        gain = antenna_gain_db(stand.antennas, towards)
        crossed = self.geometry.crossed_from(stand, xy, z)
        walls = self._by_kind @ crossed.astype(np.float32)
        return distance, gain, walls.reshape(len(BANDS), len(self.terms.kinds), len(xy))

    def _assembled(
        self,
        radio: int,
        stand: Stand,
        eirp_dbm: float,
        distance: Floats,
        gain: Floats,
        walls: NDArray[np.float32],
    ) -> tuple[Floats, Floats]:
        band = band_index(self.radios[radio].band)
        mounting = MOUNTING_DB[stand.mounting][self.radios[radio].band]
        free = free_space_db(LOSS_GHZ[self.radios[radio].band] * 1000, distance)
        rows = np.zeros((len(distance), self.terms.count))
        rows[:, : len(self.terms.kinds)] = -walls[band].T
        rows[:, self.terms.clutter(band)] = -distance
        rows[:, self.terms.bias(radio)] = 1.0
        return eirp_dbm + gain - mounting - free, rows

    # -- questions -----------------------------------------------------------------------------------------------

    def levels(
        self,
        xy: Floats,
        z: float,
        stands: Mapping[str, Stand] | None = None,
        settings: Settings | None = None,
        *,
        only_nodes: frozenset[str] | None = None,
        keep: bool = False,
    ) -> Levels:
        """Levels as the scanner would read them at points of one height: ``xy`` (points, 2) in m.

        ``stands`` replaces where nodes stand (by node), ``settings`` what they are set to; ``only_nodes`` leaves the
        other nodes' rows at NaN. ``keep`` remembers each node's levels at these points, for pictures that are drawn
        again and again with one node moved.
        """
        settings = settings or self.job.settings
        level = np.full((len(self.radios), len(xy)), np.nan)
        spread = np.full((len(self.radios), len(xy)), np.nan)
        points = np.empty((len(xy), 3))
        points[:, :2], points[:, 2] = xy, z
        for n, node in enumerate(self.job.nodes):
            stand = self.stand(node, stands)
            if stand is None or (only_nodes is not None and node.id not in only_nodes):
                continue
            mine = [r for r in range(len(self.radios)) if self.node_of[r] == n]
            on = [r for r in mine if settings.of(self.radios[r].id).enabled]
            at_0_dbm, sure = self._of_node(n, mine if keep else on, stand, xy, z, points, keep)
            for r in on:
                level[r] = at_0_dbm[r] + settings.of(self.radios[r].id).eirp_dbm
                spread[r] = sure[r]
        return Levels(level, spread)

    def _of_node(
        self, n: int, radios: list[int], stand: Stand, xy: Floats, z: float, points: Floats, keep: bool
    ) -> tuple[dict[int, Floats], dict[int, Floats]]:
        """(levels at 0 dBm radiated, spreads) of a node's radios at points."""
        # Large arrays are told by which they are (and held, so that none takes their name), small ones by their values.
        name = id(xy) if len(xy) > FEW_POINTS else xy.tobytes()
        key = (name, z, n, stand)
        kept = self._levels_of.get(key) if keep else None
        if kept is not None:
            self._levels_of.move_to_end(key)
            return kept[1], kept[2]
        tx = np.array(stand_point(self.building, stand))
        paths = self._paths(stand, xy, z)
        level: dict[int, Floats] = {}
        spread: dict[int, Floats] = {}
        for r in radios:
            fixed, rows = self._assembled(r, stand, 0.0, *paths)
            found = guess(self.fit, r, tx, rows, self._likeness(r, xy, points))
            level[r] = fixed + rows @ self.fit.value + found.shadow_db
            spread[r] = np.sqrt(found.variance_db2)
        if keep:
            self._levels_of[key] = (xy, level, spread)
            while len(self._levels_of) > MOST_KEPT:
                self._levels_of.popitem(last=False)
        return level, spread

    def _likeness(self, radio: int, xy: Floats, points: Floats) -> NDArray[np.float32] | None:
        """Likeness of points to a radio's readings; kept for the arrays of the last few maps."""
        field = self.fit.fields.get(radio)
        if field is None:
            return None
        key = (id(xy), radio)
        kept = self._near.get(key)
        if kept is None or kept[0] is not xy:
            kept = (xy, likeness(points.astype(np.float32), field.rx.astype(np.float32)).astype(np.float32))
            if len(xy) > 200:
                if len(self._near) > 60:
                    self._near.clear()
                self._near[key] = kept
        return kept[1]

    def stand(self, node: Node, stands: Mapping[str, Stand] | None = None) -> Stand | None:
        """Where a node stands: as given, else as the job has it."""
        if stands is not None and node.id in stands:
            return stands[node.id]
        return stand_of(self.job, node)

    def levels_at(
        self,
        points: list[Point3],
        stands: Mapping[str, Stand] | None = None,
        settings: Settings | None = None,
        *,
        only_nodes: frozenset[str] | None = None,
        keep: bool = False,
    ) -> Levels:
        """Levels at scattered points (x, y, z in m): arrays of shape (radios, points)."""
        level = np.full((len(self.radios), len(points)), np.nan)
        spread = np.full((len(self.radios), len(points)), np.nan)
        where = np.array(points, dtype=np.float64).reshape(-1, 3)
        for z in np.unique(where[:, 2]):
            here = np.flatnonzero(where[:, 2] == z)
            xy = where[here, :2].copy()
            found = self.levels(
                xy, float(z), stands, settings, only_nodes=only_nodes, keep=keep and len(xy) <= FEW_POINTS
            )
            level[:, here], spread[:, here] = found.level_dbm, found.spread_db
        return Levels(level, spread)

    def kept_grid(self, storey: int, step_m: float) -> tuple[Grid, Floats]:
        """A storey's grid and its points, the same objects each time: what is drawn again and again."""
        key = (storey, step_m)
        if key not in self._grids:
            grid = self.grid(storey, step_m)
            self._grids[key] = (grid, grid.xy)
        return self._grids[key]

    def grid(self, storey: int, step_m: float = 0.25, height_m: float = 1.2, margin_m: float = 0.5) -> Grid:
        """Points over a storey's rooms and gardens, with a margin; BadInput for a storey without any."""
        import shapely

        rooms = [r for r in self.building.rooms if r.storey == storey]
        if not rooms:
            known = sorted({r.storey for r in self.building.rooms})
            raise BadInput("storey", "must have rooms", storey, ", ".join(map(str, known)))
        if not 0.05 <= step_m <= 5:
            raise BadInput("step_m", "must be a grid step", step_m, "0.05 to 5 m")
        xs = [x for r in rooms for x, _ in r.outline]
        ys = [y for r in rooms for _, y in r.outline]
        x = np.arange(min(xs) - margin_m + step_m / 2, max(xs) + margin_m, step_m)
        y = np.arange(min(ys) - margin_m + step_m / 2, max(ys) + margin_m, step_m)
        if len(x) * len(y) > MOST_POINTS:
            raise BadInput("step_m", "must not make more points than can be drawn", len(x) * len(y), f"{MOST_POINTS}")
        gx, gy = np.meshgrid(x, y)
        inside = np.zeros(gx.shape, dtype=bool)
        for room in rooms:
            inside |= shapely.contains_xy(shapely.Polygon(room.outline), gx, gy)
        return Grid(storey=storey, x_m=x, y_m=y, z_m=self.building.elevation_m(storey) + height_m, inside=inside)

    def level_between_dbm(self, sender: Point3, receiver: Point3, eirp_dbm: float) -> float:
        """Level in dBm, -120 to -10, at which something at a point receives a small 2.45 GHz sender at another (both as
        x, y, z in m): free space (ITU-R P.525), walls, floors and clutter as calibrated, sending alike all round."""
        stand = Stand(storey=0, x_m=sender[0], y_m=sender[1], height_m=max(sender[2], 0.0))
        distance, _, walls = self._paths(stand, np.array([receiver[:2]]), receiver[2])
        kinds = len(self.fit.terms.kinds)
        free = 20 * math.log10(2450.0) + 20 * math.log10(float(distance[0])) - 27.55
        crossed = float(walls[0, :, 0] @ self.fit.value[:kinds])
        clutter = float(self.fit.value[self.fit.terms.clutter(0)]) * float(distance[0])
        return float(np.clip(eirp_dbm - free - crossed - clutter, -120.0, -10.0))


def instrument_offsets_db(job: Job) -> dict[str, float]:
    """What each instrument reads more than the scanner, in dB: as typed or reconciled at a common spot, and where the
    house has been entered as its readings fit there beside all others."""
    typed = {i.id: i.offset_db for i in job.instruments}
    coverage = coverage_of(job) if typed else None
    if coverage is None:
        return typed
    fit, terms = coverage.fit, coverage.terms
    return {name: float(fit.value[terms.offset(name)]) for name in typed}


_KEPT: dict[tuple[int, ...], tuple[tuple[object, ...], Coverage]] = {}


def entered_coverage(job: Job) -> Coverage:
    """The calibrated coverage of a job; BadInput where its house has not been entered."""
    found = coverage_of(job)
    if found is None:
        came = "no rooms or no placed node"
        raise BadInput("building", "must be entered, with a node standing in it", came, "see House")
    return found


def coverage_of(job: Job) -> Coverage | None:
    """The calibrated coverage of a job; None without a building or without any node that stands in it.

    Kept while the job's parts that it rests on are the same objects, so that editing devices or settings costs nothing.
    """
    if job.building is None or not job.building.rooms:
        return None
    if all(stand_of(job, n) is None for n in job.nodes):
        return None
    parts: tuple[object, ...] = (job.building, job.scans, job.places, job.nodes, job.instruments, job.settings)
    key = tuple(id(p) for p in parts)
    kept = _KEPT.get(key)
    if kept is not None:
        return kept[1]
    made = Coverage(job)
    if len(_KEPT) > 24:
        _KEPT.clear()
    _KEPT[key] = (parts, made)  # holding the parts keeps their identities from being given away
    return made
