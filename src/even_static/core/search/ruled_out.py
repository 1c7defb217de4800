"""When a band need not be searched: what the bands of a house reach together, beside the best house so far.

Ranks of bands put together compare like the house's own (:mod:`even_static.core.search.one_band` says why), so that
a bound of one band and what the others reach is a bound of the house.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from even_static.core.model.rank import HEADROOM_BINS, Rank, bins_of, unpack_second
from even_static.core.search.one_band import WORST, BandResult


@dataclass(frozen=True, slots=True)
class Reached:
    """What a band comes to, or can come to at best: problems, bins of its radios' headroom, and the rank's rest."""

    problems: int
    bins: list[int]
    loss: int
    changes: int
    taken_airtime: int


def reached_by(result: BandResult) -> Reached:
    """What was found in a band; where the time was over, what its bound still allows."""
    return Reached(*bins_of(result.bound[0], result.radios), *unpack_second(result.bound[1]))


def whole_rank(certain: int, bands: list[Reached], radios: int) -> Rank:
    """The rank of the bands together, never above the house's own."""
    bins = sorted(itertools.chain.from_iterable(b.bins for b in bands))
    bins += [HEADROOM_BINS] * (radios - len(bins))
    return Rank(
        unlawful=0,
        problems=certain + sum(b.problems for b in bands),
        headroom_shortfall=tuple(HEADROOM_BINS - b for b in bins),
        delivery_loss=sum(b.loss for b in bands),
        changes=sum(b.changes for b in bands),
        airtime_from_neighbours=sum(b.taken_airtime for b in bands),
    )


def most_first(best: Rank, certain: int, others: list[Reached], on: int) -> int | None:
    """The largest first part of a band's key (problems and headrooms of so many radios) with which the house is not
    worse than the best, given what the other bands reach; None where none is small enough."""
    problems = best.problems - certain - sum(o.problems for o in others)
    if best.unlawful:
        return WORST[0] - 1
    if problems < 0:
        return None
    theirs = [HEADROOM_BINS - b for o in others for b in o.bins]
    limit = list(best.headroom_shortfall)
    mine: list[int] = []

    def fits(*more: int) -> bool:
        whole = sorted([*theirs, *mine, *more], reverse=True)
        return whole + [0] * (len(limit) - len(whole)) <= limit

    with_problems = problems * (HEADROOM_BINS + 1) ** on
    if not fits():
        # As many problems are too many then: one fewer at least.
        return with_problems - 1 if problems else None
    for _ in range(on):
        low, high = 0, mine[-1] if mine else HEADROOM_BINS
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if fits(middle) else (low, middle - 1)
        mine.append(low)
    first = problems
    for shortfall in mine:
        first = first * (HEADROOM_BINS + 1) + shortfall
    return first
