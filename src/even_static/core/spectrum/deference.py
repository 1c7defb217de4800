"""When a radio waits for another one: the one rule that every part of the core asks (clear-channel assessment of IEEE
802.11; levels in :mod:`even_static.core.tables.phy`)."""

from __future__ import annotations

from typing import Any

import numpy as np

from even_static.core.arrays import Bools
from even_static.core.tables.phy import DECODE_DEFER_DBM, ENERGY_DEFER_DBM


def per_20_mhz_db(width_mhz: Any) -> Any:
    """How far the level in 20 MHz lies below that of a whole signal of a width in MHz, in dB (any shape)."""
    return 10 * np.log10(np.asarray(width_mhz, dtype=np.float64) / 20)


def decodes_and_feels(primary_inside: Any, level_dbm: Any, per_20_db: Any, coupling_db: Any) -> tuple[Bools, Bools]:
    """Whether a radio defers to a signal, by the two ways: (it decodes it, it feels its energy); shapes broadcast.

    ``primary_inside``: the radio's primary 20 MHz channel lies in the signal's block. ``level_dbm``: of the whole
    signal at the radio. ``per_20_db``: how far it lies below that in 20 MHz, in which a preamble is decoded
    (:func:`per_20_mhz_db`). ``coupling_db``: the share of the signal that falls into the radio's block.
    """
    decodes = np.asarray(primary_inside) & (level_dbm - per_20_db >= DECODE_DEFER_DBM)
    return np.asarray(decodes, dtype=np.bool_), np.asarray(level_dbm + coupling_db >= ENERGY_DEFER_DBM, dtype=np.bool_)
