"""Which radio a device associates with: one rule, used by evaluation, the evening and the pictures alike."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from even_static.core.arrays import Floats, Indices
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import CLIENT_HIGH_BAND_DBM


def band_numbers(bands: Sequence[Band]) -> Indices:
    """Each radio's band as a number that rises with frequency: shape (radios,)."""
    return np.array([BANDS.index(b) for b in bands], dtype=np.intp)


def chosen(level_dbm: Floats, bands: Indices, high_band_from_dbm: float | None = None) -> Indices:
    """The radio that a device associates with, -1 for none: shape (...,).

    ``level_dbm`` has shape (..., radios), NaN or minus infinity where a radio cannot be used; ``bands`` is from
    :func:`band_numbers`; ``high_band_from_dbm`` is the steering level, none given the client's own threshold (-70 dBm).
    The highest band received at that level or better, else the loudest radio; within a band the loudest. Common
    practice.
    """
    known = np.where(np.isnan(level_dbm), -np.inf, level_dbm)
    if known.shape[-1] == 0:
        return np.full(known.shape[:-1], -1, dtype=np.intp)
    wanted = CLIENT_HIGH_BAND_DBM if high_band_from_dbm is None else high_band_from_dbm
    result = np.where(known.max(axis=-1) > -np.inf, known.argmax(axis=-1), -1)
    for band in range(len(BANDS)):
        rows = np.flatnonzero(bands == band)
        if len(rows):
            here = known[..., rows]
            result = np.where(here.max(axis=-1) >= wanted, rows[here.argmax(axis=-1)], result)
    return np.asarray(result, dtype=np.intp)
