"""Free space, slabs of material and antennas."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import ArrayLike

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.building import Antenna, Build, Obstacle
from even_static.core.tables.bands import Band
from even_static.core.tables.materials import (
    FLAT_LOSS_DB,
    LOSS_GHZ,
    MOST_WALL_DB,
    OBSTACLES,
    P2040,
    STONE_DB_PER_100_MM,
)
from even_static.core.tables.propagation import (
    DIPOLE_GAIN_DBI,
    DIPOLE_NULL_DB,
    P1238_DECADE_DB,
    P1238_FLOOR_DB,
    SPEED_OF_LIGHT_M_PER_S,
    VACUUM_PERMITTIVITY,
)


def free_space_db(frequency_mhz: ArrayLike, distance_m: ArrayLike) -> Floats:
    """Free-space loss ``20 log10 f + 20 log10 d - 27.55`` in dB between isotropic antennas; arrays broadcast.

    ``distance_m`` must be positive. Source: ITU-R P.525-4.
    """
    return np.asarray(20 * np.log10(frequency_mhz) + 20 * np.log10(distance_m) - 27.55, dtype=np.float64)


def home_loss_db(band: Band, distance_m: ArrayLike, floors: ArrayLike) -> Floats:
    """Loss in a home where nothing is known of its walls, in dB, by distance and floors between (any shapes that
    broadcast); nearer than a metre it is that of a metre.

    Source: ITU-R P.1238, total loss 20 log f + N log d + Lf(n) - 28 for homes; N and Lf from memory, see the table.
    """
    metres = np.maximum(np.asarray(distance_m, dtype=np.float64), 1.0)
    frequency = 20 * np.log10(LOSS_GHZ[band] * 1000.0)
    floor_db = P1238_FLOOR_DB[band] * np.asarray(floors, dtype=np.float64)
    return np.asarray(frequency + P1238_DECADE_DB[band] * np.log10(metres) + floor_db - 28.0)


def slab_loss_db(material: str, thickness_m: float, frequency_ghz: float) -> float:
    """Loss in dB through a slab in air at right angles, reflections within it included.

    ``material`` is one of the P.2040 table's; 1 to 100 GHz. BadInput for another material.
    Source: ITU-R P.2040-3 sections 2.1 (permittivity), 2.2.2 (slab), from memory.
    """
    if material not in P2040:
        raise BadInput("material", "must be in the table of ITU-R P.2040", material, ", ".join(P2040))
    a, b, c, d = P2040[material]
    sigma = c * frequency_ghz**d
    eta = complex(a * frequency_ghz**b, -sigma / (2 * np.pi * frequency_ghz * 1e9 * VACUUM_PERMITTIVITY))
    root = np.sqrt(eta)
    r = (1 - root) / (1 + root)
    q = 2 * np.pi * thickness_m * frequency_ghz * 1e9 / SPEED_OF_LIGHT_M_PER_S * root
    through = (1 - r**2) * np.exp(-1j * q) / (1 - r**2 * np.exp(-2j * q))
    return float(-20 * np.log10(abs(through)))


@cache
def build_loss_db(build: Build, band: Band) -> float:
    """Loss in dB through a wall or floor at right angles: its leaves one after the other, never more than 40 dB."""
    if build.material in P2040:
        loss = build.leaves * slab_loss_db(build.material, build.thickness_m, LOSS_GHZ[band])
    elif build.material == "stone":
        loss = build.leaves * STONE_DB_PER_100_MM[band] * build.thickness_m / 0.1
    else:
        loss = FLAT_LOSS_DB[build.material][band]
    return min(loss, MOST_WALL_DB)


def obstacle_loss_db(obstacle: Obstacle) -> float:
    """Loss in dB on the way through an obstacle, the same in every band."""
    return OBSTACLES[obstacle.kind][0] if obstacle.loss_db is None else obstacle.loss_db


def dipole_gain_dbi(off_axis_rad: ArrayLike) -> Floats:
    """Gain in dBi of a half-wave dipole at an angle from its axis: ``2.15 + 20 log10(cos(pi/2 cos t) / sin t)``.

    Minus infinity along the axis itself. Source: Balanis, Antenna Theory, 4.6; from memory.
    """
    angle = np.asarray(off_axis_rad, dtype=np.float64)
    sine = np.abs(np.sin(angle))
    with np.errstate(divide="ignore", invalid="ignore"):
        field = np.where(sine > 1e-9, np.cos(np.pi / 2 * np.cos(angle)) / np.maximum(sine, 1e-9), 0.0)
        return DIPOLE_GAIN_DBI + 20 * np.log10(np.abs(field))


def antenna_axis(antenna: Antenna) -> Floats:
    """Unit vector (x, y, z) along a rod: tilt from upright, towards its heading."""
    tilt, heading = np.radians(antenna.tilt_deg), np.radians(antenna.azimuth_deg)
    return np.array([np.sin(tilt) * np.sin(heading), np.sin(tilt) * np.cos(heading), np.cos(tilt)])


def antenna_gain_db(antennas: tuple[Antenna, ...], towards: Floats) -> Floats:
    """Gain in dB of a node's antennas beside their best direction: shape (points,) for ``towards`` (points, 3) in m.

    Rods radiate as dipoles, their nulls filled to -10 dB, and share the power evenly; inner antennas send all round.
    """
    if not antennas:
        return np.zeros(len(towards))
    length = np.maximum(np.linalg.norm(towards, axis=1), 1e-6)
    power = np.zeros(len(towards))
    for antenna in antennas:
        cosine = np.clip(towards @ antenna_axis(antenna) / length, -1.0, 1.0)
        relative = dipole_gain_dbi(np.arccos(cosine)) - DIPOLE_GAIN_DBI
        power += 10 ** (np.maximum(relative, DIPOLE_NULL_DB) / 10)
    return np.asarray(10 * np.log10(power / len(antennas)), dtype=np.float64)
