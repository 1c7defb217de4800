"""The order in which two settings of a house are compared: their ranks, of which the smaller is the better.

Steps (``docs/model.md`` 8): lawful; problems; headrooms, worst first, in bins of 5 % up to twice the need and 15 % up
to 3.5; worst Zigbee delivery in bins of 0.1 % up to 99.9 %; changes; airtime taken from neighbours in bins of 5 % for
each radio. Bins are absolute, so the order is transitive. Inside one band the rank packs into two integers, for whole
arrays at once.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from even_static.core.arrays import Floats, Ints
from even_static.core.tables.worlds import MOST_HEADROOM

HEADROOM_BIN = 0.05
# Up to twice the need in bins of 5 %, from there to what counts at all in bins of 15 %: a model that is wrong by a
# factor of two needs that much in hand.
FINE_BINS, COARSE_BIN, COARSE_BINS = 40, 0.15, 10
HEADROOM_BINS = FINE_BINS + COARSE_BINS
DELIVERY_BINS = 999
# More headroom than this counts no further: where the bins end.
MOST_COUNTED_HEADROOM = MOST_HEADROOM
AIRTIME_BIN = 0.05
MOST_RADIOS = 10


class Rank(NamedTuple):
    """What a setting is compared by, in this order: the first field that differs decides."""

    unlawful: int
    """1 where a radio is set outside the law or what it offers."""
    problems: int
    """Must-have devices whose demand is not carried, devices without a link, Zigbee devices below 99 % delivery."""
    headroom_shortfall: tuple[int, ...]
    """Bins by which each radio's headroom stays below the cap, the worst first; a radio that is off has none."""
    delivery_loss: int
    """Bins of 0.1 % by which the worst Zigbee delivery stays below 99.9 %."""
    changes: int
    """Settings that differ from the present ones."""
    airtime_from_neighbours: int
    """Bins of 5 % of a second that own use takes from networks that hear it, summed over the radios."""

    @property
    def noticed(self) -> Rank:
        """What those who live there notice: the rank without the effort of changing and what it takes from others."""
        return self._replace(changes=0, airtime_from_neighbours=0)

    @property
    def worst_headroom_bin(self) -> int:
        """Bin of the smallest headroom, 0 to 50; 50 where there is no radio."""
        return HEADROOM_BINS - (self.headroom_shortfall[0] if self.headroom_shortfall else 0)


# Smaller and larger than the rank of any setting.
BEST_RANK = Rank(unlawful=0, problems=0, headroom_shortfall=(), delivery_loss=0, changes=0, airtime_from_neighbours=0)
WORST_RANK = Rank(
    unlawful=1 << 62, problems=0, headroom_shortfall=(), delivery_loss=0, changes=0, airtime_from_neighbours=0
)


def headroom_bin(headroom: Floats) -> Ints:
    """Bin of a headroom, 0..50: 5 % each up to 2, 15 % each up to 3.5, capped there (any shape)."""
    capped = np.minimum(headroom, MOST_COUNTED_HEADROOM + 1.0)
    fine = np.floor(capped / HEADROOM_BIN + 1e-9)
    coarse = FINE_BINS + np.floor((capped - FINE_BINS * HEADROOM_BIN) / COARSE_BIN + 1e-9)
    return np.asarray(np.minimum(np.where(fine < FINE_BINS, fine, coarse), HEADROOM_BINS), dtype=np.int64)


def headroom_of(headroom_bin: int) -> float:
    """The headroom at which a bin begins."""
    if headroom_bin <= FINE_BINS:
        return headroom_bin * HEADROOM_BIN
    return FINE_BINS * HEADROOM_BIN + (headroom_bin - FINE_BINS) * COARSE_BIN


def counted_headroom(headroom: float | None) -> float:
    """A house's headroom as far as it counts; 0 where there is none."""
    return min(headroom or 0.0, MOST_COUNTED_HEADROOM)


def delivery_loss(delivery: Floats) -> Ints:
    """Bins of 0.1 % by which a delivery stays below 99.9 %, 0..999 (any shape)."""
    return DELIVERY_BINS - np.clip(np.floor(delivery * 1000 + 1e-9), 0, DELIVERY_BINS).astype(np.int64)


def airtime_bin(taken_airtime: Floats) -> Ints:
    """Bin of one radio's taken_airtime, 5 % of a second each (any shape)."""
    return np.floor(np.minimum(taken_airtime, 100.0) / AIRTIME_BIN + 0.5).astype(np.int64)


def house_rank(
    unlawful: int,
    problems: int,
    headrooms: Floats,
    worst_delivery: float,
    changes: int,
    taken_airtime: Floats,
    radios: int | None = None,
) -> Rank:
    """The rank of a house. ``headrooms`` and ``taken_airtime`` hold one value per radio that is on; a radio that is off
    (``radios`` counts them all) adds nothing, so that houses with more or fewer radios on compare."""
    off = max((radios or 0) - len(headrooms), 0)
    bins = np.sort(np.concatenate([headroom_bin(headrooms), np.full(off, HEADROOM_BINS, dtype=np.int64)]))
    loss = int(delivery_loss(np.array(worst_delivery)))
    shortfall = tuple((HEADROOM_BINS - bins).tolist())
    return Rank(
        unlawful=unlawful,
        problems=problems,
        headroom_shortfall=shortfall,
        delivery_loss=loss,
        changes=changes,
        airtime_from_neighbours=int(airtime_bin(taken_airtime).sum()),
    )


def pack(problems: Ints, bins: Ints, loss: Ints, changes: Ints, taken_airtime: Ints) -> tuple[Ints, Ints]:
    """Two integers that order like the rank: (problems and headrooms, the rest).

    ``bins`` has shape (..., radios) with at most ten radios; the others have shape (...).
    """
    n = bins.shape[-1]
    weights = (HEADROOM_BINS + 1) ** np.arange(n - 1, -1, -1, dtype=np.int64)
    first = problems.astype(np.int64) * (HEADROOM_BINS + 1) ** n + (HEADROOM_BINS - np.sort(bins, axis=-1)) @ weights
    second = (loss.astype(np.int64) * 64 + changes) * (1 << 20) + np.minimum(taken_airtime, (1 << 20) - 1)
    return first, second


def with_zigbee(first: Ints, second: Ints, problems: Ints, loss: Ints, differs: Ints, radios: int) -> tuple[Ints, Ints]:
    """The two integers of :func:`pack` with Zigbee's problems, loss and changed channel, which they were made without
    (shapes broadcast)."""
    return first + problems * (HEADROOM_BINS + 1) ** radios, second + (loss * 64 + differs) * (1 << 20)


def bins_of(first: int, radios: int) -> tuple[int, list[int]]:
    """(problems, bin of each radio's headroom, the worst first) of a packed first integer."""
    problems, rest = divmod(first, (HEADROOM_BINS + 1) ** radios)
    bins = list[int]()
    for _ in range(radios):
        rest, short = divmod(rest, HEADROOM_BINS + 1)
        bins.append(HEADROOM_BINS - short)
    return problems, bins[::-1]


def unpack_second(second: int) -> tuple[int, int, int]:
    """(delivery loss, changes, airtime taken) of a packed second integer."""
    rest, taken_airtime = divmod(second, 1 << 20)
    loss, changes = divmod(rest, 64)
    return loss, changes, taken_airtime


def unpack_first(first: int, radios: int) -> tuple[int, int]:
    """(problems, bin of the worst headroom) of a packed first integer."""
    problems, rest = divmod(first, (HEADROOM_BINS + 1) ** radios)
    if radios == 0:
        return problems, HEADROOM_BINS
    return problems, HEADROOM_BINS - rest // (HEADROOM_BINS + 1) ** (radios - 1)
