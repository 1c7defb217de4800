"""Which radio a device holds."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import CLIENT_HIGH_BAND_DBM


def chosen(level_dbm: NDArray[np.float64], bands: list[Band]) -> NDArray[np.intp]:
    """The radio that a device would hold at points, -1 for none: shape (points,).

    ``level_dbm`` has shape (radios, points), NaN where a radio cannot be used; ``bands`` is each radio's. The highest
    band received at the client's threshold or better, else the loudest; within a band the loudest. Common practice.
    """
    known = np.where(np.isnan(level_dbm), -np.inf, level_dbm)
    if len(known) == 0:
        return np.full(level_dbm.shape[1:], -1, dtype=np.intp)
    result = np.where(known.max(axis=0) > -np.inf, known.argmax(axis=0), -1)
    for band in BANDS:
        rows = np.array([i for i, b in enumerate(bands) if b == band], dtype=np.intp)
        if len(rows):
            loudest = rows[known[rows].argmax(axis=0)]
            strong = known[loudest, np.arange(known.shape[1])] >= CLIENT_HIGH_BAND_DBM
            result = np.where(strong, loudest, result)
    return np.asarray(result, dtype=np.intp)
