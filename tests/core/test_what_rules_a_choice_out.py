"""The search leaves a band out where it could no longer win, given what the other bands reach: held to trying every
headroom there is; and keys that are packed come out of their integers again."""

from __future__ import annotations

import itertools

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from even_static.core.model.rank import BEST_RANK, HEADROOM_BINS, Rank, bins_of, pack, unpack_first, unpack_second
from even_static.core.search.ruled_out import Reached, most_first, whole_rank
from even_static.core.spectrum.channels import Block, Blocks, blocks

BINS = st.integers(HEADROOM_BINS - 6, HEADROOM_BINS)
FEW = st.integers(0, 3)


def reached(problems: int, bins: list[int]) -> Reached:
    return Reached(problems, bins, 0, 0, 0)


def first_of(problems: int, bins: tuple[int, ...]) -> int:
    none = np.zeros(1, dtype=np.int64)
    return int(pack(np.array([problems]), np.array([bins]).reshape(1, len(bins)), none, none, none)[0][0])


@settings(max_examples=150, deadline=None)
@given(FEW, FEW, FEW, st.lists(BINS, max_size=3), st.lists(BINS, min_size=5, max_size=5), st.integers(0, 2))
def test_a_band_is_left_out_exactly_where_the_house_would_be_worse(best_problems, certain, theirs, bins, best_bins, on):
    check(best_problems, certain, theirs, bins, best_bins, on)


@settings(max_examples=150, deadline=None)
@given(FEW, FEW, FEW, st.lists(BINS, min_size=2, max_size=3), st.integers(0, 2), st.data())
def test_so_it_is_where_every_radio_of_the_house_is_on(best_problems, certain, theirs, bins, on, data):
    """The band's radios and the others' are all there are, also where it has none, and where it comes out level."""
    best_bins = data.draw(st.lists(BINS, min_size=len(bins) + on, max_size=len(bins) + on))
    check(best_problems, certain, theirs, bins, best_bins, on)
    mine = data.draw(st.lists(BINS, min_size=on, max_size=on))
    check(certain + theirs, certain, theirs, bins, [*bins, *mine], on)


def check(best_problems: int, certain: int, theirs: int, bins: list[int], best_bins: list[int], on: int) -> None:
    others = [reached(theirs, bins)]
    shortfall = tuple(HEADROOM_BINS - b for b in sorted(best_bins))
    best = BEST_RANK._replace(problems=best_problems, headroom_shortfall=shortfall)
    limit = most_first(best, certain, others, on)
    for problems in range(5):
        for mine in itertools.combinations_with_replacement(range(HEADROOM_BINS - 6, HEADROOM_BINS + 1), on):
            whole = whole_rank(certain, [*others, reached(problems, list(mine))], len(best_bins))
            no_worse = (whole.problems, whole.headroom_shortfall) <= (best.problems, best.headroom_shortfall)
            assert no_worse == (limit is not None and first_of(problems, mine) <= limit)


@given(st.integers(0, 40), st.lists(st.integers(0, HEADROOM_BINS), max_size=8), FEW, FEW, FEW)
def test_what_is_packed_comes_out_again(problems, bins, loss, changes, taken):
    packed = pack(*(np.array(x) for x in (problems, np.array(bins, dtype=np.int64), loss, changes, taken)))
    first, second = (int(p) for p in packed)
    assert bins_of(first, len(bins)) == (problems, sorted(bins))
    assert unpack_first(first, len(bins)) == (problems, min(bins, default=HEADROOM_BINS))
    assert unpack_second(second) == (loss, changes, taken)


def test_the_rank_of_the_bands_is_that_of_the_house():
    rank = whole_rank(1, [Reached(2, [50, 30], 4, 1, 2), Reached(0, [40], 0, 1, 1)], 4)
    assert rank == Rank(0, 3, (20, 10, 0, 0), 4, 2, 3)


def test_blocks_as_a_key():
    """Equal to the plain tuple and hashed like it; blocks of one width together, in their order."""
    some = [*blocks("5 GHz", 40), *blocks("5 GHz", 20)]
    key = Blocks(some)
    assert key == tuple(some)
    assert hash(key) == hash(tuple(some))
    assert Blocks.of(key) is key
    assert {key: 1}[Blocks.of(some)] == 1
    assert [part[0].width_mhz for part in key.by_width] == [40, 20]
    assert [b for part in key.by_width for b in part] == some
    pair = [Block(band="5 GHz", channel=36, centre_mhz=5210, width_mhz=160, centre2_mhz=c) for c in (5530, 5690)]
    assert len(set(pair)) == 2
