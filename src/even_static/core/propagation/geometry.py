"""A building as arrays: upright panels (walls, doors, windows, sides of obstacles) and level slabs (floors, roofs).

Which of them a ray crosses is decided by signs of linear forms in the receiving point, so that a whole storey's grid
is one product of small matrices for each node.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Bools, Floats
from even_static.core.house.building import Build, Building, Obstacle, Room, Stand
from even_static.core.house.walls import Wall, walls_of
from even_static.core.propagation.loss import build_loss_db, obstacle_loss_db
from even_static.core.propagation.stands import stand_point
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.materials import ENCLOSURES, OPENINGS

RASTER_M = 0.1
_EDGE = 1e-6
# An obstacle of less depth is a sheet, met once.
SHEET_M = 0.02


@dataclass(frozen=True, slots=True)
class Part:
    """What a panel or slab belongs to: ``kind`` sorts it for calibration, ``name`` tells it to a person;
    ``obstacle_id`` of an obstacle's side."""

    kind: str
    name: str
    obstacle_id: str = ""


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Geometry:
    """A building made ready.

    ``panels``: shape (panels, 6): x1, y1, x2, y2, bottom, top in m; ``panel_loss_db``: shape (bands, panels);
    ``slab_z``: shape (slabs,), heights in m; ``slab_mask[s]``: footprint raster (y, x) from ``raster_origin``;
    ``slab_loss_db``: shape (bands, slabs); ``parts``: one for each panel, then one for each slab;
    ``kind_of``: index into ``kinds`` for each part.
    """

    building: Building
    panels: Floats
    panel_loss_db: Floats
    slab_z: Floats
    slab_masks: NDArray[np.bool_]
    slab_loss_db: Floats
    raster_origin: tuple[float, float]
    parts: tuple[Part, ...]
    kinds: tuple[str, ...]
    kind_of: NDArray[np.intp]

    @property
    def loss_db(self) -> Floats:
        """Loss of every part: shape (bands, panels + slabs)."""
        return np.concatenate([self.panel_loss_db, self.slab_loss_db], axis=1)

    def crossed_from(self, stand: Stand, xy: Floats, z: float) -> Bools:
        """As :meth:`crossed`, from where a node stands. What a node is put up in counts once: the sides of an obstacle
        that it stands inside of are left out where its mounting says already that it is shut in."""
        crossed = self.crossed(stand_point(self.building, stand), xy, z)
        if stand.mounting in ENCLOSURES:
            around = {o.id for o in self.building.obstacles if _holds(o, stand)}
            crossed[[n for n, part in enumerate(self.parts) if part.obstacle_id in around]] = False
        return crossed

    def crossed(self, tx: tuple[float, float, float], xy: Floats, z: float) -> Bools:
        """Which parts the rays from a point to points at one height cross: shape (panels + slabs, points).

        ``xy`` has shape (points, 2); all in m.
        """
        out = np.zeros((len(self.parts), len(xy)), dtype=bool)
        self._cross_panels(tx, xy, z, out)
        self._cross_slabs(tx, xy, z, out[len(self.panels) :])
        return out

    def _cross_panels(self, tx: tuple[float, float, float], xy: Floats, z: float, out: Bools) -> None:
        x1, y1, x2, y2, bottom, top = self.panels.T
        # The ray's height runs from the node's to z; a panel counts where the ray meets it between bottom and top,
        # that is for a share of the way between these two.
        rise = z - tx[2]
        if abs(rise) < 1e-9:
            inside = (bottom <= tx[2]) & (tx[2] < top)
            low, high = np.where(inside, 0.0, 2.0), np.where(inside, 1.0, 2.0)
        else:
            a, b = (bottom - tx[2]) / rise, (top - tx[2]) / rise
            low, high = np.maximum(np.minimum(a, b), 0.0), np.minimum(np.maximum(a, b), 1.0)
        nx, ny = y2 - y1, x1 - x2
        ahead = nx * (x1 - tx[0]) + ny * (y1 - tx[1])
        # Turn every panel's normal away from the node; a node in a panel's own plane does not cross it.
        turn = np.where(ahead < 0, -1.0, 1.0)
        nx, ny, ahead = nx * turn, ny * turn, ahead * turn
        size = np.hypot(nx, ny)
        use = np.flatnonzero((low < high) & (ahead > _EDGE * size))
        if len(use) == 0:
            return
        points = np.empty((3, len(xy)), dtype=np.float32)
        points[0], points[1], points[2] = xy[:, 0] - tx[0], xy[:, 1] - tx[1], 1.0

        def form(cx: Floats, cy: Floats) -> NDArray[np.float32]:
            made = np.stack([cx[use], cy[use]], axis=1).astype(np.float32) @ points[:2]
            return np.asarray(made, dtype=np.float32)

        # On which side of the rays through the panel's two ends a point lies.
        first = form(-(y1 - tx[1]), x1 - tx[0]) >= 0
        second = form(-(y2 - tx[1]), x2 - tx[0]) >= 0
        away = form(nx, ny)
        # The way to the panel is the share ahead / away of the whole way: between low and high.
        with np.errstate(divide="ignore"):
            least = (ahead[use] / high[use]).astype(np.float32)[:, None]
            most = np.where(low[use] > 0, ahead[use] / np.maximum(low[use], 1e-12), np.inf).astype(np.float32)[:, None]
        first ^= second
        first &= away >= least
        first &= away < most
        out[use] = first

    def _cross_slabs(self, tx: tuple[float, float, float], xy: Floats, z: float, out: Bools) -> None:
        rise = z - tx[2]
        if abs(rise) < 1e-9:
            return
        share = (self.slab_z - tx[2]) / rise
        x0, y0 = self.raster_origin
        for s in np.flatnonzero((share > 0) & (share < 1)):
            mask = self.slab_masks[s]
            ix = ((tx[0] + (xy[:, 0] - tx[0]) * share[s] - x0) / RASTER_M).astype(np.intp)
            iy = ((tx[1] + (xy[:, 1] - tx[1]) * share[s] - y0) / RASTER_M).astype(np.intp)
            within = (ix >= 0) & (iy >= 0) & (ix < mask.shape[1]) & (iy < mask.shape[0])
            out[s, within] = mask[iy[within], ix[within]]


@lru_cache(maxsize=32)
def geometry_of(building: Building) -> Geometry:
    """A building as arrays. Walls that were taken away and passages are left out."""
    panels: list[tuple[float, ...]] = []
    losses: list[list[float]] = []
    parts: list[Part] = []
    names = {r.id: r.name for r in building.rooms}
    for wall in walls_of(building):
        floor = building.elevation_m(wall.storey)
        for start, end, bottom, top, build, what in _pieces(wall, building.height_m(wall.storey)):
            if build.material == "open" or math.dist(start, end) < 0.01:
                continue
            panels.append((*start, *end, floor + bottom, floor + top))
            losses.append([build_loss_db(build, b) for b in BANDS])
            sides = f"{names[wall.room_id]} / {names.get(wall.to_room_id or '', 'outside')}"
            parts.append(Part(describe(build), f"{what} {sides}, {describe(build)}"))
    for obstacle in building.obstacles:
        floor = building.elevation_m(obstacle.storey)
        for (x1, y1), (x2, y2), share in obstacle_sides(obstacle):
            panels.append((x1, y1, x2, y2, floor, floor + obstacle.height_m))
            losses.append([obstacle_loss_db(obstacle) * share] * len(BANDS))
            parts.append(Part(f"obstacle {obstacle.kind}", f"{obstacle.kind} ({obstacle.id})", obstacle.id))
    slab_z, masks, slab_losses, origin = _slabs(building, parts)
    kinds = tuple(dict.fromkeys(p.kind for p in parts))
    return Geometry(
        building=building,
        panels=np.array(panels, dtype=np.float64).reshape(-1, 6),
        panel_loss_db=np.array(losses, dtype=np.float64).reshape(-1, len(BANDS)).T.copy(),
        slab_z=np.array(slab_z, dtype=np.float64),
        slab_masks=masks,
        slab_loss_db=np.array(slab_losses, dtype=np.float64).reshape(-1, len(BANDS)).T.copy(),
        raster_origin=origin,
        parts=tuple(parts),
        kinds=kinds,
        kind_of=np.array([kinds.index(p.kind) for p in parts], dtype=np.intp),
    )


def describe(build: Build) -> str:
    """A make in words, ``plasterboard 2 x 12.5 mm``; walls and floors of one make are calibrated together."""
    mm = f"{build.thickness_m * 1000:g} mm"
    return f"{build.material} {build.leaves} x {mm}" if build.leaves > 1 else f"{build.material} {mm}"


Point = tuple[float, float]


def _pieces(wall: Wall, height_m: float) -> Iterator[tuple[Point, Point, float, float, Build, str]]:
    """A wall cut at its openings: (start, end, bottom, top, build, what) with heights above the floor in m."""
    at = 0.0
    solid = wall.build
    for opening in sorted(wall.openings, key=lambda o: o.at_m):
        material, thickness_m, leaves, sill, head = OPENINGS[opening.kind]
        low = min(max(opening.at_m - opening.width_m / 2, at), wall.length_m)
        high = min(opening.at_m + opening.width_m / 2, wall.length_m)
        if high <= low:
            continue
        a, b = wall.at(low), wall.at(high)
        if solid is not None:
            yield wall.at(at), a, 0.0, height_m, solid, "wall"
            if sill > 0:
                yield a, b, 0.0, sill, solid, "wall"
            yield a, b, min(head, height_m), height_m, solid, "wall"
        if material != "open":
            yield a, b, sill, min(head, height_m), Build(material, max(thickness_m, 1e-3), leaves), opening.kind
        at = high
    if solid is not None and at < wall.length_m:
        yield wall.at(at), wall.end, 0.0, height_m, solid, "wall"


def _holds(obstacle: Obstacle, stand: Stand) -> bool:
    """Whether a node stands inside an obstacle."""
    turn = math.radians(obstacle.heading_deg)
    dx, dy = stand.x_m - obstacle.x_m, stand.y_m - obstacle.y_m
    along, across = dx * math.cos(turn) - dy * math.sin(turn), dx * math.sin(turn) + dy * math.cos(turn)
    inside = abs(along) <= obstacle.width_m / 2 and abs(across) <= obstacle.depth_m / 2
    return inside and obstacle.storey == stand.storey and stand.height_m <= obstacle.height_m


def obstacle_sides(obstacle: Obstacle) -> list[tuple[Point, Point, float]]:
    """(start, end, share of the loss) of an obstacle's sides: half on the way in, half on the way out; a sheet: all."""
    turn = math.radians(obstacle.heading_deg)
    ux, uy = math.cos(turn), -math.sin(turn)  # along its width
    vx, vy = math.sin(turn), math.cos(turn)  # along its depth
    w, d = obstacle.width_m / 2, obstacle.depth_m / 2

    def corner(a: float, b: float) -> Point:
        return obstacle.x_m + a * w * ux + b * d * vx, obstacle.y_m + a * w * uy + b * d * vy

    if obstacle.depth_m < SHEET_M:
        return [(corner(-1, 0), corner(1, 0), 1.0)]
    ring = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)]
    return [(ring[i], ring[(i + 1) % 4], 0.5) for i in range(4)]


def _slabs(
    building: Building, parts: list[Part]
) -> tuple[list[float], NDArray[np.bool_], list[list[float]], tuple[float, float]]:
    """Floors between storeys and roofs over the topmost rooms, with the rasters of where they are."""
    import shapely

    covered = [r for r in building.rooms if r.kind != "garden"]
    if not covered:
        return [], np.zeros((0, 1, 1), dtype=bool), [], (0.0, 0.0)
    xs = [x for r in covered for x, _ in r.outline]
    ys = [y for r in covered for _, y in r.outline]
    origin = (min(xs) - RASTER_M, min(ys) - RASTER_M)
    nx = math.ceil((max(xs) - origin[0]) / RASTER_M) + 2
    ny = math.ceil((max(ys) - origin[1]) / RASTER_M) + 2
    cx = origin[0] + (np.arange(nx) + 0.5) * RASTER_M
    cy = origin[1] + (np.arange(ny) + 0.5) * RASTER_M
    gx, gy = np.meshgrid(cx, cy)

    def raster(rooms: list[Room]) -> Bools:
        inside = np.zeros((ny, nx), dtype=bool)
        for room in rooms:
            inside |= shapely.contains_xy(shapely.Polygon(room.outline), gx, gy)
        return inside

    levels = [s.level for s in building.storeys]
    of_level = {k: raster([r for r in covered if r.storey == k]) for k in levels}
    empty = np.zeros((ny, nx), dtype=bool)
    heights: list[float] = []
    masks: list[Bools] = []
    losses: list[list[float]] = []

    def add(z: float, mask: Bools, build: Build, name: str) -> None:
        if mask.any() and build.material != "open":
            heights.append(z)
            masks.append(mask)
            losses.append([build_loss_db(build, b) for b in BANDS])
            parts.append(Part(describe(build), f"{name}, {describe(build)}"))

    for level in levels:
        above = of_level.get(level + 1, empty)
        z = building.elevation_m(level) + building.height_m(level)
        if level + 1 in of_level:
            add(z, above, building.floor(level + 1), f"slab of floor {level + 1}")
        add(z, of_level[level] & ~above, building.default("roof"), f"roof over floor {level}")
    return heights, np.array(masks, dtype=bool).reshape(-1, ny, nx), losses, origin


def band_index(band: Band) -> int:
    """Row of a band in the loss tables."""
    return BANDS.index(band)
