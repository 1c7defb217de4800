"""PHY rates and what a received level supports."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.frames import goodput_mbps
from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import (
    CHIPS_HEAR_DB,
    DATA_SUBCARRIERS,
    DSSS,
    GENERATION_ORDER,
    LEGACY_OFDM,
    MAX_MCS,
    MAX_WIDTH_MHZ,
    MCS,
    NOISE_FIGURE_DB,
    SENSITIVITY_DBM_20MHZ,
    STREAM_DOUBLING_DB,
    SYMBOL_US,
    THERMAL_DBM_PER_HZ,
    Generation,
)


def _family(generation: Generation) -> str:
    return {"802.11n": "ht", "802.11ac": "ht", "802.11ax": "he", "802.11be": "he"}.get(generation, "legacy")


def phy_rate_mbps(generation: Generation, mcs: int, width_mhz: int, streams: int = 1) -> float:
    """PHY rate in Mb/s with the shortest usual guard interval: ``N_SD * bits * coding * streams / T_symbol``.

    ``mcs`` counts per stream (0..7 for 802.11n, ..9 ac, ..11 ax, ..13 be). Source: IEEE 802.11 rate tables.
    """
    family = _family(generation)
    if family == "legacy":
        raise BadInput("generation", "must have an MCS table", generation, "802.11n, 802.11ac, 802.11ax, 802.11be")
    if not 0 <= mcs <= MAX_MCS[generation]:
        raise BadInput("mcs", f"must lie in the table of {generation}", mcs, f"0 to {MAX_MCS[generation]}")
    if width_mhz > MAX_WIDTH_MHZ[generation] or width_mhz not in DATA_SUBCARRIERS[family]:
        raise BadInput("width_mhz", f"must be a width of {generation}", width_mhz, f"to {MAX_WIDTH_MHZ[generation]}")
    bits, coding = MCS[mcs]
    return DATA_SUBCARRIERS[family][width_mhz] * bits * coding * streams / SYMBOL_US[family]


def noise_floor_dbm(width_mhz: float) -> float:
    """Thermal noise in a width in MHz plus the receiver's noise figure, in dBm."""
    return THERMAL_DBM_PER_HZ + 10 * float(np.log10(width_mhz * 1e6)) + NOISE_FIGURE_DB


@dataclass(frozen=True, slots=True)
class RateSteps:
    """What a link carries by received level.

    ``level_dbm`` rises strictly; from ``level_dbm[i]`` on the link has ``phy_mbps[i]`` and carries ``goodput_mbps[i]``.
    Both arrays start with a step of no rate at minus infinity.
    """

    level_dbm: Floats
    phy_mbps: Floats
    goodput_mbps: Floats

    def index(self, level_dbm: Floats) -> NDArray[np.intp]:
        """Step reached by each level (any shape)."""
        return np.searchsorted(self.level_dbm, level_dbm, side="right") - 1

    def goodput(self, level_dbm: Floats) -> Floats:
        """Mb/s of payload carried in a second of the link's own airtime, by level in dBm (any shape); 0 = no link."""
        return np.asarray(self.goodput_mbps[self.index(level_dbm)], dtype=np.float64)


def older(a: Generation, b: Generation) -> Generation:
    """The generation that both ends speak."""
    return min(a, b, key=GENERATION_ORDER.index)


@cache
def rate_steps(generation: Generation, band: Band, width_mhz: int, streams: int) -> RateSteps:
    """Steps of a link whose ends share a generation, on a block of a width and with at most so many streams.

    At the edge a link falls back to narrower widths and fewer streams before it dies, so each step is the best of all
    that its level supports. Sensitivities: IEEE 802.11ax-2021 table 27-51 (+3 dB per doubling of width; per doubling
    of streams :data:`STREAM_DOUBLING_DB`, common practice), :data:`CHIPS_HEAR_DB` better, as usual chips are. 802.11ac
    has no 2.4 GHz: there it is 802.11n.
    """
    generation = "802.11n" if generation == "802.11ac" and band == "2.4 GHz" else generation
    points: list[tuple[float, float]] = []
    if generation == "802.11b":
        points += [(level, rate) for rate, level in DSSS]
    elif _family(generation) == "legacy":
        points += [(level, rate) for rate, level in LEGACY_OFDM]
    else:
        widths = [w for w in (20, 40, 80, 160, 320) if w <= min(width_mhz, MAX_WIDTH_MHZ[generation])]
        for width in widths:
            if width not in DATA_SUBCARRIERS[_family(generation)]:
                continue
            for n in range(1, streams + 1):
                for mcs in range(MAX_MCS[generation] + 1):
                    need = SENSITIVITY_DBM_20MHZ[mcs] + 10 * np.log10(width / 20) + STREAM_DOUBLING_DB * np.log2(n)
                    points.append((float(need), phy_rate_mbps(generation, mcs, width, n)))
    points.sort()
    levels, phys, goods = [-np.inf], [0.0], [0.0]
    for level, phy in points:
        good = goodput_mbps(phy, generation, band)
        level -= CHIPS_HEAR_DB
        if good > goods[-1]:
            if level == levels[-1]:
                phys[-1], goods[-1] = phy, good
            else:
                levels.append(level)
                phys.append(phy)
                goods.append(good)
    return RateSteps(np.array(levels), np.array(phys), np.array(goods))
