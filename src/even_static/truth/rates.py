"""How many frames arrive at a level, and what rate adaptation makes of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import (
    DATA_SUBCARRIERS,
    MAX_MCS,
    MAX_WIDTH_MHZ,
    MCS,
    SYMBOL_US,
    THERMAL_DBM_PER_HZ,
    Generation,
)
from even_static.truth import ranges

MPDU_BYTES = 1500


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Options:
    """What a link may choose from, the most robust first: level in dBm over thermal noise alone at which half of the
    frames arrive, payload in Mb/s of clear airtime, width of the frame in MHz: shape (options,)."""

    half_dbm: Floats
    good_mbps: Floats
    width_mhz: Floats


def noise_dbm(width_mhz: float) -> float:
    """Noise of a usual receiver in a width, in dBm."""
    return float(THERMAL_DBM_PER_HZ + 10 * np.log10(width_mhz * 1e6) + ranges.NOISE_FIGURE_DB)


def spoken(generation: Generation, band: Band) -> Generation:
    """What a device of a generation speaks in a band: 802.11ac has no 2.4 GHz, there it speaks 802.11n."""
    return "802.11n" if generation == "802.11ac" and band == "2.4 GHz" else generation


@lru_cache(maxsize=4096)
def options(generation: Generation, width_mhz: int, streams: int, burst_us: float) -> Options:
    """The choices of a link of a generation, of which none is beaten by a more robust one."""
    found: list[tuple[float, float, int]] = []
    if generation in ("802.11b",):
        found = _single(generation, ranges.DSSS_HALF_DB)
    elif generation in ("802.11a", "802.11g"):
        found = [
            (noise_dbm(20) + half, clear_mbps(rate, generation, 300.0), 20) for rate, half in ranges.LEGACY_HALF_DB
        ]
    else:
        family = "ht" if generation in ("802.11n", "802.11ac") else "he"
        for width in (20, 40, 80, 160, 320):
            if width > min(width_mhz, MAX_WIDTH_MHZ[generation]):
                continue
            for n in range(1, streams + 1):
                for mcs in range(MAX_MCS[generation] + 1):
                    bits, coding = MCS[mcs]
                    rate = DATA_SUBCARRIERS[family][width] * bits * coding * n / SYMBOL_US[family]
                    half = noise_dbm(width) + ranges.HALF_ARRIVE_DB[mcs] + ranges.STREAM_DB * np.log2(n)
                    found.append((float(half), clear_mbps(rate, generation, burst_us), width))
    kept: list[tuple[float, float, int]] = []
    for point in sorted(found):
        if not kept or point[1] > kept[-1][1] * 1.04:
            kept.append(point)
    columns = np.array(kept, dtype=np.float64)
    return Options(half_dbm=columns[:, 0], good_mbps=columns[:, 1], width_mhz=columns[:, 2])


def _single(generation: Generation, half_db: tuple[tuple[float, float], ...]) -> list[tuple[float, float, int]]:
    """The options of a generation that sends frames one by one, from its rates and the ratios that they need."""
    return [(noise_dbm(20) + half, clear_mbps(rate, generation, 0.0), 20) for rate, half in half_db]


def clear_mbps(phy_mbps: float, generation: Generation, burst_us: float) -> float:
    """Payload in Mb/s when a burst, its preamble, arbitration and acknowledgement follow each other."""
    data_us = max(burst_us, MPDU_BYTES * 8 / phy_mbps)
    beside = ranges.ARBITRATION_US + ranges.BACKOFF_SLOTS * ranges.SLOT_US + ranges.PREAMBLE_US[generation]
    beside += ranges.ACKNOWLEDGED_US
    return phy_mbps * 0.96 * data_us / (data_us + beside)


def arriving(over_half_db: Floats) -> Floats:
    """Share of frames that arrive at a level so far over the one at which half of them do (any shape)."""
    return np.asarray(1 / (1 + np.exp(np.clip(-1.702 * over_half_db / ranges.FADING_DB, -40, 40))))
