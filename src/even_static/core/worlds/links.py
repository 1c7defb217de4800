"""What a link carries at a level when frames fade and chips hear better than they must: tables for whole worlds."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.rates import older, rate_steps
from even_static.core.arrays import Floats, Floats32
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import Block
from even_static.core.tables import worlds as table
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import Generation

LOW_DBM, STEP_DB, STEPS = -110.0, 0.5, 220


@lru_cache(maxsize=2048)
def faded_goodput(a: Generation, b: Generation, band: Band, width_mhz: int, streams: int) -> Floats32:
    """Mb/s of a second of own airtime by level in dBm: shape (steps,), from :data:`LOW_DBM` in :data:`STEP_DB`.

    The best of all rates, each for the share of frames that a fading link gets through at it: no receiver follows
    fading from frame to frame.
    """
    steps = rate_steps(older(a, b), band, width_mhz, streams)
    level = LOW_DBM + STEP_DB * np.arange(STEPS)
    over = (level[:, None] - steps.level_dbm[None, 1:]) / table.FADING_DB
    arrives = 1 / (1 + np.exp(np.clip(-1.702 * over, -40, 40)))
    good = np.where(arrives > 0.25, steps.goodput_mbps[None, 1:] * arrives, 0.0)
    return np.asarray(good.max(axis=1), dtype=np.float32)


def looked_up(tables: Floats32, row: NDArray[np.intp], level_dbm: Floats32) -> Floats32:
    """Entries of stacked tables (tables, steps) by row and level (any shape, broadcast)."""
    index = ((level_dbm - LOW_DBM) / STEP_DB).astype(np.int32)
    index = np.minimum(np.maximum(index, 0), STEPS - 1)
    return np.asarray(tables[row, index])


class Rates:
    """Tables of rates by what is at a link's two ends, each made once and stacked."""

    def __init__(self) -> None:
        self._rows: dict[tuple[object, ...], int] = {}
        # The first row stands for no link: it is looked up where a band has no radio on.
        self._tables: list[Floats32] = [np.zeros(STEPS, dtype=np.float32)]
        self.stacked = np.stack(self._tables)

    def row(self, a: Generation, b: Generation, band: Band, width_mhz: int, streams: int) -> int:
        """The row of a link's table in what is stacked."""
        kind = (a, b, band, width_mhz, streams)
        if kind not in self._rows:
            self._rows[kind] = len(self._tables)
            self._tables.append(faded_goodput(a, b, band, width_mhz, streams))
            self.stacked = np.stack(self._tables)
        return self._rows[kind]

    def link_row(self, house: House, near: int, far: int, block: Block) -> int:
        """The row of a radio link between two radios of a house."""
        a, b = house.radios[near], house.radios[far]
        return self.row(a.generation, b.generation, a.band, block.width_mhz, min(a.streams, b.streams))


def picked(values: Floats | Floats32, at: NDArray[np.intp]) -> Floats32:
    """Of values (worlds, things, ...) those of each world at ``at`` (worlds, picks): (worlds, picks, ...)."""
    return np.asarray(values[np.arange(len(at))[:, None], at])


def soft(over_db: Floats | Floats32, by_db: float = table.SOFT_DB) -> Floats32:
    """From 0 well below to 1 well above, half where level and limit meet (any shape)."""
    return np.asarray(1 / (1 + np.exp(np.minimum(-over_db / by_db, 30.0))), dtype=np.float32)
