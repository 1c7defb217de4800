"""The worlds at another hour of the day than the busiest."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from even_static.core.arrays import Floats32
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.worlds.drawn import Foreign, Worlds


def at_hour(worlds: Worlds, hour: int) -> Worlds:
    """The worlds at another hour of the day than the busiest: less wanted, less of others' traffic."""
    usual = HOURLY_LOAD[hour]
    found = worlds.taken(np.arange(worlds.count))
    found.wanted_mbps = worlds.wanted_mbps * (usual**worlds.household_day).astype(np.float32)[:, :, None]
    share = (usual**worlds.neighbours_day).astype(np.float32)
    found.foreign = {band: _quieter(f, share) for band, f in found.foreign.items()}
    return found


def _quieter(foreign: Foreign, share: Floats32) -> Foreign:
    """Networks of Wi-Fi with so much of their traffic, a share (worlds, 1); other sources know no hours here."""
    factor = np.where(foreign.wifi[None, :], share, np.float32(1.0))
    return replace(foreign, use=foreign.use * factor)
