"""What a wave really loses in a practice house: the drawn walls, furniture and shadowing of its seed."""

from __future__ import annotations

import random
from functools import cache, cached_property

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.building import Building
from even_static.core.propagation.geometry import Geometry, geometry_of
from even_static.core.propagation.loss import free_space_db
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.materials import LOSS_GHZ
from even_static.core.tables.propagation import NEAREST_M
from even_static.truth import ranges

Point = tuple[float, float, float]


@cache
def _waves(key: str, length_m: float) -> Floats:
    """Wave vectors (rad/m) and phases of a smooth random field: shape (waves, 4). Their spread of wavelengths gives it
    a likeness that falls off over a length."""
    rng = np.random.default_rng(list(key.encode()))
    vectors = rng.standard_normal((48, 3)) / np.sqrt(rng.chisquare(1, (48, 1))) / length_m
    return np.concatenate([vectors, rng.uniform(0, 2 * np.pi, (48, 1))], axis=1)


class Propagation:
    """Loss between points of one house. ``building`` may be none: then storeys and outer walls count by position."""

    def __init__(
        self,
        building: Building | None,
        seed: int,
        shadowing_db: float,
        shadowing_m: float,
    ) -> None:
        self.building = building if building is not None and building.rooms else None
        self.seed, self.shadowing_db, self.shadowing_m = seed, shadowing_db, shadowing_m

    @cached_property
    def _walls(self) -> tuple[Geometry, Floats]:
        """The building with what its walls really cost: (geometry, loss in dB by band and part). Every make of wall
        differs from its computed loss by a factor that nobody knows."""
        assert self.building is not None
        geometry = geometry_of(self.building)
        factor = np.array([self.wall_factor(k) for k in geometry.kinds])
        return geometry, geometry.loss_db * factor[geometry.kind_of][None, :]

    def wall_factor(self, kind: str) -> float:
        """How many times its computed loss a make of wall really costs."""
        low, high = ranges.WALL_FACTOR_BOUNDS
        drawn = random.Random(f"{self.seed}/wall/{kind}").lognormvariate(0.05, ranges.WALL_FACTOR_SPREAD)
        return min(high, max(low, drawn))

    def clutter_db_per_m(self, band: Band) -> float:
        """What furniture really costs for each metre."""
        factor = random.Random(f"{self.seed}/clutter").uniform(*ranges.CLUTTER_FACTOR)
        return ranges.CLUTTER_DB_PER_M[band] * factor

    def shadow_db(self, key: str, to: Floats) -> Floats:
        """Shadowing of one transmitter at points: shape (points,), a smooth field."""
        waves = _waves(f"{self.seed}/{key}", self.shadowing_m)
        phases = to @ waves[:, :3].T + waves[:, 3]
        return np.asarray(self.shadowing_db * np.sqrt(2 / len(waves)) * np.cos(phases).sum(axis=1))

    def loss_db(self, key: str, at: Point, to: Floats, band: Band) -> Floats:
        """Loss in dB from a transmitter (its field's ``key``) to points of shape (points, 3): shape (points,)."""
        return np.asarray(self.losses_db(key, at, to, (band,))[0])

    def losses_db(self, key: str, at: Point, to: Floats, bands: tuple[Band, ...] = BANDS) -> Floats:
        """As :meth:`loss_db` for several bands at once: shape (bands, points)."""
        away = np.linalg.norm(to - np.array(at), axis=1)
        distance = np.maximum(away, NEAREST_M)
        shadow = self.shadow_db(key, to) * np.minimum(1.0, distance / 3)
        walls = self._crossed_db(at, to, bands)
        found = np.empty((len(bands), len(to)))
        for b, band in enumerate(bands):
            free = free_space_db(LOSS_GHZ[band] * 1000, distance)
            found[b] = free + self.clutter_db_per_m(band) * distance + walls[b] + shadow
        return found

    def _crossed_db(self, at: Point, to: Floats, bands: tuple[Band, ...]) -> Floats:
        found = np.zeros((len(bands), len(to)))
        if self.building is None:
            storeys = np.abs(np.rint((at[2] - to[:, 2]) / ranges.STOREY_M))
            for b, band in enumerate(bands):
                found[b] = storeys * ranges.STOREY_DB[band]
            return found
        geometry, loss = self._walls
        rows = [BANDS.index(b) for b in bands]
        height = np.round(to[:, 2], 2)
        for z in np.unique(height):
            here = np.flatnonzero(height == z)
            crossed = geometry.crossed(at, to[here, :2], float(z))
            found[:, here] = loss[rows] @ crossed
        return found
