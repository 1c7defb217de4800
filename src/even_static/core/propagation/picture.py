"""What is drawn of a house: level contours, what is uncertain, margins at the spots, where nodes overlap."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from even_static.core.airtime.association import band_numbers, chosen
from even_static.core.airtime.rates import noise_floor_dbm, older, rate_steps
from even_static.core.arrays import Floats
from even_static.core.errors import BadInput, NotFound
from even_static.core.house.building import Stand
from even_static.core.house.kit import Device
from even_static.core.house.settings import Settings
from even_static.core.propagation.coverage import Coverage, Levels
from even_static.core.propagation.geometry import band_index
from even_static.core.propagation.loss import antenna_gain_db, free_space_db
from even_static.core.propagation.stands import Point3, place_point, stand_point
from even_static.core.tables.bands import Band
from even_static.core.tables.materials import LOSS_GHZ, MOUNTING_DB
from even_static.core.tables.phy import CLIENT_EIRP_DBM, DESIGN_LEVEL_DBM, HANDOVER_DBM
from even_static.core.tables.propagation import LEAST_LINK_DBM, NEAREST_M, UNSURE_DB

Direction = Literal["downlink", "uplink"]
STEP_DB = 5
LOWEST_DBM, HIGHEST_DBM = -90, -30
MOST_LABELS = 3


@dataclass(frozen=True, slots=True)
class Contour:
    """Lines of one level: ``lines`` are flat lists x, y, x, y ... in m; ``labels``: x, y, angle in degrees."""

    level_dbm: int
    lines: list[list[float]]
    labels: list[tuple[float, float, float]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """A place on the picture: predicted and measured level, and by how much it lies above what is needed there."""

    place_id: str
    x_m: float
    y_m: float
    level_dbm: float | None
    spread_db: float | None
    radio_id: str | None
    needed_dbm: float
    margin_db: float | None
    devices: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Picture:
    """One storey, one band: ``covered_fraction`` of its rooms reaches the design level; ``unsure`` and ``overlap`` are
    outlines (flat x, y lists, in m; even-odd) of where the spread is large and where a second node could take over."""

    storey: int
    band: Band
    direction: Direction
    node_id: str | None
    contours: list[Contour]
    unsure: list[list[float]]
    overlap: list[list[float]]
    overlap_fraction: float
    covered_fraction: float
    unsure_fraction: float
    median_spread_db: float
    spots: list[Spot]
    design_dbm: float = DESIGN_LEVEL_DBM
    handover_dbm: float = HANDOVER_DBM
    unsure_db: float = UNSURE_DB
    phone_dbm: float = CLIENT_EIRP_DBM


@dataclass(frozen=True, slots=True)
class PathStep:
    """One entry of the ledger of a path."""

    what: str
    db: float
    spread_db: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Path:
    """Where the decibels go between a radio and a point; the steps add up to ``level_dbm``."""

    radio_id: str
    distance_m: float
    steps: list[PathStep]
    level_dbm: float
    spread_db: float
    uplink_dbm: float
    snr_db: float
    down_mbps: float
    up_mbps: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PointView:
    """A point of the house: the radio that a device would hold there, and the path from every radio."""

    storey: int
    x_m: float
    y_m: float
    held_radio_id: str | None
    paths: list[Path]


def picture(
    coverage: Coverage,
    storey: int,
    band: Band,
    *,
    node_id: str | None = None,
    direction: Direction = "downlink",
    stands: Mapping[str, Stand] | None = None,
    settings: Settings | None = None,
    step_m: float = 0.25,
) -> Picture:
    """Contours of the loudest own level on a storey in a band, or of one node's; NotFound for an unknown node.

    Uplink is the level at which the radio would receive a phone of 15 dBm from there (reciprocity of the path).
    """
    job = coverage.job
    settings = settings or job.settings
    rows = radio_rows(coverage, band, node_id)
    grid, xy = coverage.kept_grid(storey, step_m)
    levels = coverage.levels(xy, grid.z_m, stands, settings, keep=True)
    shift = shift_db(coverage, settings, direction)
    level = np.where(np.isnan(levels.level_dbm[rows]), -200.0, levels.level_dbm[rows] + shift[rows, None])
    best = level.argmax(axis=0)
    top = level.max(axis=0).reshape(grid.shape)
    spread = np.nan_to_num(levels.spread_db[rows][best, np.arange(level.shape[1])], nan=99.0).reshape(grid.shape)
    inside = grid.inside
    second = np.sort(level, axis=0)[-2].reshape(grid.shape) if len(rows) > 1 else np.full(grid.shape, -200.0)
    both = inside & (second >= HANDOVER_DBM)
    count = max(int(inside.sum()), 1)
    return Picture(
        storey=storey,
        band=band,
        direction=direction,
        node_id=node_id,
        contours=contours(grid.x_m, grid.y_m, top),
        unsure=areas(grid.x_m, grid.y_m, np.where(inside, spread, 0.0), UNSURE_DB),
        overlap=areas(grid.x_m, grid.y_m, np.where(inside, second, -200.0), HANDOVER_DBM),
        overlap_fraction=float(both.sum()) / count,
        covered_fraction=float((inside & (top >= DESIGN_LEVEL_DBM)).sum()) / count,
        unsure_fraction=float((inside & (spread >= UNSURE_DB)).sum()) / count,
        median_spread_db=float(np.median(spread[inside])) if inside.any() else 0.0,
        spots=spots(coverage, band, storey, rows, direction, stands, settings),
    )


def radio_rows(coverage: Coverage, band: Band, node_id: str | None) -> list[int]:
    """Rows of the radios on a band, of one node or of all; NotFound for an unknown node, BadInput for no radio."""
    job = coverage.job
    if node_id is not None and all(n.id != node_id for n in job.nodes):
        raise NotFound("node_id", "must name a node of the call", node_id, ", ".join(n.id for n in job.nodes))
    rows = [
        i
        for i, r in enumerate(coverage.radios)
        if r.band == band and (node_id is None or job.nodes[coverage.node_of[i]].id == node_id)
    ]
    if not rows:
        raise BadInput("band", "must be one that a node has a radio for", band, "another band or node")
    return rows


def shift_db(coverage: Coverage, settings: Settings, direction: Direction) -> Floats:
    """What turns downlink levels into the wanted direction's, by radio."""
    if direction == "downlink":
        return np.zeros(len(coverage.radios))
    return np.array([CLIENT_EIRP_DBM - settings.of(r.id).eirp_dbm for r in coverage.radios])


def needed_dbm(devices: list[Device]) -> float:
    """The level that the devices of a place want: the design level where one has a busy-hour demand of a video or call
    (2 Mb/s), else what a link needs with some room (-75 dBm). Common practice."""
    busy = any(d.demand_down_mbps >= 2 or d.demand_up_mbps >= 2 for d in devices)
    return DESIGN_LEVEL_DBM if busy else HANDOVER_DBM


def spots(
    coverage: Coverage,
    band: Band,
    storey: int | None,
    rows: list[int],
    direction: Direction,
    stands: Mapping[str, Stand] | None,
    settings: Settings,
) -> list[Spot]:
    """The places of a storey (None: of all) with their margins in a band."""
    job = coverage.job
    placed = [(p, place_point(job, p)) for p in job.places if storey is None or p.storey == storey]
    known = [(p, at) for p, at in placed if at is not None]
    if not known:
        return []
    levels = coverage.levels_at([at for _, at in known], stands, settings, keep=True)
    shift = shift_db(coverage, settings, direction)
    found = []
    for k, (place, at) in enumerate(known):
        here = levels.level_dbm[rows, k] + shift[rows]
        devices = [d for d in job.devices if d.place_id == place.id and band in d.bands]
        need = needed_dbm(devices)
        if np.isnan(here).all():
            found.append(
                Spot(
                    place_id=place.id,
                    x_m=at[0],
                    y_m=at[1],
                    level_dbm=None,
                    spread_db=None,
                    radio_id=None,
                    needed_dbm=need,
                    margin_db=None,
                    devices=[d.name for d in devices],
                )
            )
            continue
        r = rows[int(np.nanargmax(here))]
        level = float(np.nanmax(here))
        found.append(
            Spot(
                place_id=place.id,
                x_m=at[0],
                y_m=at[1],
                level_dbm=level,
                spread_db=float(levels.spread_db[r, k]),
                radio_id=coverage.radios[r].id,
                needed_dbm=need,
                margin_db=level - need,
                devices=[d.name for d in devices],
            )
        )
    return found


def contours(x: Floats, y: Floats, level: Floats) -> list[Contour]:
    """Lines of equal level every 5 dB: ``x`` (columns,), ``y`` (rows,) in m, ``level`` (rows, columns) in dBm."""
    from contourpy import contour_generator

    generator: Any = contour_generator(x, y, level)
    found = []
    for at in range(LOWEST_DBM, HIGHEST_DBM + 1, STEP_DB):
        lines = [line for line in generator.lines(at) if _length(line) > 0.8]
        if lines:
            found.append(Contour(at, [_flat(line) for line in lines], _labels(lines)))
    return found


def areas(x: Floats, y: Floats, value: Floats, least: float) -> list[list[float]]:
    """Outlines of where a value reaches a limit."""
    from contourpy import FillType, contour_generator

    generator: Any = contour_generator(x, y, value, fill_type=FillType.OuterOffset)
    points, offsets = generator.filled(least, 1e9)
    rings = []
    for group, starts in zip(points, offsets, strict=True):
        rings += [_flat(group[a:b]) for a, b in itertools.pairwise(starts)]
    return rings


def _flat(line: Floats) -> list[float]:
    return [round(float(v), 2) for v in line.ravel()]


def _length(line: Floats) -> float:
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


def _labels(lines: list[Floats]) -> list[tuple[float, float, float]]:
    """Where the longest lines carry their value: in the middle of their way, along it, never upside down."""
    labels = []
    for line in sorted(lines, key=_length, reverse=True)[:MOST_LABELS]:
        steps = np.hypot(*np.diff(line, axis=0).T)
        if steps.sum() < 1.5:
            continue
        way = np.concatenate([[0.0], steps.cumsum()])
        i = int(np.searchsorted(way, way[-1] / 2))
        a, b = line[max(i - 2, 0)], line[min(i + 2, len(line) - 1)]
        angle = float(np.degrees(np.arctan2(b[1] - a[1], b[0] - a[0])))
        angle = (angle + 90) % 180 - 90
        labels.append((round(float(line[i][0]), 2), round(float(line[i][1]), 2), round(angle, 1)))
    return labels


def point_view(
    coverage: Coverage,
    storey: int,
    x_m: float,
    y_m: float,
    height_m: float = 1.2,
    stands: Mapping[str, Stand] | None = None,
    settings: Settings | None = None,
) -> PointView:
    """Every radio's path to a point, wall by wall, and which one a device on all bands would hold there."""
    settings = settings or coverage.job.settings
    z = coverage.building.elevation_m(storey) + height_m
    levels = coverage.levels(np.array([[x_m, y_m]]), z, stands, settings)
    heard = np.where(levels.level_dbm >= LEAST_LINK_DBM, levels.level_dbm, np.nan)
    steered_from = (settings or coverage.job.settings).ssid_plan.high_band_from_dbm
    held = int(chosen(heard.T, band_numbers([r.band for r in coverage.radios]), steered_from)[0])
    paths = [
        path(coverage, r, (x_m, y_m, z), levels, stands, settings)
        for r in range(len(coverage.radios))
        if not np.isnan(levels.level_dbm[r, 0])
    ]
    paths.sort(key=lambda p: -p.level_dbm)
    return PointView(
        storey=storey, x_m=x_m, y_m=y_m, held_radio_id=coverage.radios[held].id if held >= 0 else None, paths=paths
    )


def path(
    coverage: Coverage,
    r: int,
    at: Point3,
    levels: Levels,
    stands: Mapping[str, Stand] | None,
    settings: Settings,
) -> Path:
    """The ledger of one path; ``levels`` holds the level at the point."""
    radio, node = coverage.radios[r], coverage.job.nodes[coverage.node_of[r]]
    stand = coverage.stand(node, stands)
    assert stand is not None
    fit, geometry = coverage.fit, coverage.geometry
    tx = stand_point(coverage.building, stand)
    towards = np.array([np.subtract(at, tx)])
    distance = max(float(np.linalg.norm(towards)), NEAREST_M)
    band = band_index(radio.band)
    setting = settings.of(radio.id)
    steps = [PathStep("radiated power", setting.eirp_dbm)]
    gain = float(antenna_gain_db(stand.antennas, towards)[0])
    if stand.antennas:
        steps.append(PathStep("antennas, in this direction", gain))
    if MOUNTING_DB[stand.mounting][radio.band]:
        steps.append(PathStep(f"put up in or on: {stand.mounting}", -MOUNTING_DB[stand.mounting][radio.band]))
    free = float(free_space_db(LOSS_GHZ[radio.band] * 1000, distance))
    steps.append(PathStep(f"free space, {distance:.1f} m", -free))
    clutter = fit.terms.clutter(band)
    steps.append(
        PathStep("furniture and people", -fit.value[clutter] * distance, float(fit.spread[clutter] * distance))
    )
    for part in np.flatnonzero(geometry.crossed_from(stand, np.array([at[:2]]), at[2])[:, 0]):
        loss = float(geometry.loss_db[band, part])
        kind = int(geometry.kind_of[part])
        steps.append(
            PathStep(geometry.parts[part].name, -loss * float(fit.value[kind]), loss * float(fit.spread[kind]))
        )
    bias = fit.terms.bias(r)
    if abs(fit.value[bias]) > 0.05:
        steps.append(PathStep("this radio beside what it claims", float(fit.value[bias]), float(fit.spread[bias])))
    level = float(levels.level_dbm[r, 0])
    rest = level - sum(s.db for s in steps)
    if abs(rest) > 0.05:
        steps.append(PathStep("what readings nearby say beside the walls", rest, fit.shadowing_db))
    phone = rate_steps(
        older(radio.generation, "802.11ax"), radio.band, min(setting.width_mhz, 80), min(radio.streams, 2)
    )
    up = level - setting.eirp_dbm + CLIENT_EIRP_DBM
    return Path(
        radio_id=radio.id,
        distance_m=distance,
        steps=steps,
        level_dbm=level,
        spread_db=float(levels.spread_db[r, 0]),
        uplink_dbm=up,
        snr_db=level - noise_floor_dbm(setting.width_mhz),
        down_mbps=float(phone.goodput(np.array(level))),
        up_mbps=float(phone.goodput(np.array(up))),
    )
