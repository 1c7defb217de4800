"""Which radio a device associates with: one rule, used by evaluation, the evening and the pictures alike."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from even_static.core.arrays import Bools, Floats, Floats32, Indices
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.clients import BEYOND_ENOUGH, ENOUGH_DBM, GOOD_DBM, POOR_DBM, TASTE_DB


def band_numbers(bands: Sequence[Band]) -> Indices:
    """Each radio's band as a number that rises with frequency: shape (radios,)."""
    return np.array([BANDS.index(b) for b in bands], dtype=np.intp)


def wished(level_dbm: Floats | Floats32, taste_db: Floats | Floats32 | float) -> Floats:
    """How much a device left to itself wants a radio, in dB: the loudest, where a taste for its band counts as long as
    that is good, and more than enough hardly counts (any shapes, broadcast)."""
    good = np.clip((level_dbm - POOR_DBM) / (GOOD_DBM - POOR_DBM), 0.0, 1.0)
    enough = np.minimum(level_dbm, ENOUGH_DBM) + BEYOND_ENOUGH * np.maximum(level_dbm - ENOUGH_DBM, 0.0)
    return np.asarray(enough + taste_db * good)


def usual_taste_db(bands: Indices) -> Floats:
    """What a usual device's taste adds for each radio's band, in dB: shape (radios,)."""
    return np.where(bands > 0, TASTE_DB, 0.0)


def chosen(
    level_dbm: Floats,
    bands: Indices,
    high_band_from_dbm: float | None = None,
    *,
    whim_db: Floats | float = 0.0,
    deaf: Bools | bool = False,
) -> Indices:
    """The radio that a device associates with, -1 for none: shape (...,).

    ``level_dbm`` has shape (..., radios), NaN or minus infinity where a radio cannot be used; ``bands`` is from
    :func:`band_numbers`. Left to itself a device takes the loudest, where 5 and 6 GHz count some dB more as long as
    they are good and more than enough hardly counts; ``high_band_from_dbm`` is the steering level, from which on it is
    moved to the highest band that it receives so well. Within a band the loudest. Common practice (docs/model.md).
    ``whim_db`` (..., radios): what a device is known to want a radio more; ``deaf`` (...,): it does not listen to
    steering.
    """
    known = np.where(np.isnan(level_dbm), -np.inf, level_dbm)
    if known.shape[-1] == 0:
        return np.full(known.shape[:-1], -1, dtype=np.intp)
    wish = wished(known, usual_taste_db(bands)) + whim_db
    result = np.where(known.max(axis=-1) > -np.inf, wish.argmax(axis=-1), -1)
    if high_band_from_dbm is not None:
        for band in range(1, len(BANDS)):
            rows = np.flatnonzero(bands == band)
            if len(rows):
                here = known[..., rows]
                moved = (here.max(axis=-1) >= high_band_from_dbm) & ~np.asarray(deaf)
                result = np.where(moved, rows[here.argmax(axis=-1)], result)
    return np.asarray(result, dtype=np.intp)
