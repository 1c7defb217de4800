"""The order in which two settings of a house are compared, as one key: the smaller is the better.

Steps (``docs/model.md`` 8): lawful; troubles; headrooms, worst first, in bins of 5 % up to twice the need; worst Zigbee
delivery in bins of 0.1 % up to 99.9 %; changes; airtime spilled onto neighbours in bins of 5 % for each radio. Bins are
absolute, so the order is transitive. Inside one band the key packs into two integers, for whole arrays at once.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

HEADROOM_BIN = 0.05
HEADROOM_BINS = 40
DELIVERY_BINS = 999
SPILL_BIN = 0.05
MOST_RADIOS = 10

Key = tuple[int, ...]


def headroom_bin(headroom: Floats) -> Ints:
    """Bin of a headroom, 0..40: 5 % each, capped at 2 (any shape)."""
    return np.minimum(np.floor(np.minimum(headroom, 4.0) / HEADROOM_BIN + 1e-9), HEADROOM_BINS).astype(np.int64)


def delivery_loss(delivery: Floats) -> Ints:
    """Bins of 0.1 % by which a delivery stays below 99.9 %, 0..999 (any shape)."""
    return DELIVERY_BINS - np.clip(np.floor(delivery * 1000 + 1e-9), 0, DELIVERY_BINS).astype(np.int64)


def spill_bin(spill: Floats) -> Ints:
    """Bin of one radio's spill, 5 % of a second each (any shape)."""
    return np.floor(np.minimum(spill, 100.0) / SPILL_BIN + 0.5).astype(np.int64)


def house_key(
    unlawful: int,
    troubles: int,
    headrooms: Floats,
    worst_delivery: float,
    changes: int,
    spills: Floats,
    radios: int | None = None,
) -> Key:
    """The whole key of a house. ``headrooms`` and ``spills`` hold one value per radio that is on; a radio that is off
    (``radios`` counts them all) wants nothing, so that houses with more or fewer radios on compare."""
    off = max((radios or 0) - len(headrooms), 0)
    bins = np.sort(np.concatenate([headroom_bin(headrooms), np.full(off, HEADROOM_BINS, dtype=np.int64)]))
    loss = int(delivery_loss(np.array(worst_delivery)))
    return (unlawful, troubles, *(HEADROOM_BINS - bins).tolist(), loss, changes, int(spill_bin(spills).sum()))


def pack(troubles: Ints, bins: Ints, loss: Ints, changes: Ints, spill: Ints) -> tuple[Ints, Ints]:
    """Two integers that order like the key: (troubles and headrooms, the rest).

    ``bins`` has shape (..., radios) with at most ten radios; the others have shape (...).
    """
    n = bins.shape[-1]
    weights = (HEADROOM_BINS + 1) ** np.arange(n - 1, -1, -1, dtype=np.int64)
    first = troubles.astype(np.int64) * (HEADROOM_BINS + 1) ** n + (HEADROOM_BINS - np.sort(bins, axis=-1)) @ weights
    second = (loss.astype(np.int64) * 64 + changes) * (1 << 20) + np.minimum(spill, (1 << 20) - 1)
    return first, second


def unpack_first(first: int, radios: int) -> tuple[int, int]:
    """(troubles, bin of the worst headroom) of a packed first integer."""
    troubles, rest = divmod(first, (HEADROOM_BINS + 1) ** radios)
    if radios == 0:
        return troubles, HEADROOM_BINS
    return troubles, HEADROOM_BINS - rest // (HEADROOM_BINS + 1) ** (radios - 1)
