"""Exact search for the channels of one band: branch and bound on packed keys, one vector of candidates at a time.

Why bands can be solved one by one: the rank's parts add up over bands (problems, changes, airtime taken) or compare as
sorted vectors (headrooms), Zigbee depends on 2.4 GHz only, and with powers fixed so do levels and devices' radios.
A lexicographic order of such parts is kept under putting bands together, so the best of each band is the best house.

Why the bounds hold: a radio that is not yet placed can only take airtime away and spoil Zigbee, never give. So figures
computed from the radios placed so far, with the best that each other radio could still have, are never too low.

At every step each open radio loses the candidates that nothing better can come of, and Zigbee the channels; what the
open radios could still have is then read from what is left, and the radio with the fewest candidates is placed next.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats, Ints
from even_static.core.model.rank import (
    MOST_RADIOS,
    airtime_bin,
    delivery_loss,
    headroom_bin,
    pack,
    unpack_first,
    with_zigbee,
)
from even_static.core.model.zigbee_mesh import zigbee_mesh
from even_static.core.search.band_problem import BandProblem
from even_static.core.search.deadline import Deadline
from even_static.core.spectrum.channels import Block
from even_static.core.tables import zigbee as zigbee_table

Packed = tuple[int, int]
WORST: Packed = (np.iinfo(np.int64).max, np.iinfo(np.int64).max)


@dataclass(slots=True, kw_only=True)
class BandResult:
    """Best blocks found in a band: by radio index; the packed key and its proven bound; whether they meet."""

    blocks: dict[int, Block]
    zigbee_channel: int | None
    key: Packed
    bound: Packed
    proven: bool
    steps: int
    radios: int
    hopeless: bool = False
    """Nothing below the ceiling that the search was given."""

    def bound_figures(self) -> tuple[int, int]:
        """(fewest problems, bin of the worst headroom) that the bound still allows."""
        return unpack_first(self.bound[0], self.radios)


@dataclass(slots=True)
class Left:
    """What a search has left: candidates of each variable, and indices of Zigbee channels."""

    candidates: list[NDArray[np.intp]]
    zigbee: NDArray[np.intp]

    def copy(self) -> Left:
        """One that can be narrowed without narrowing this one."""
        return Left(list(self.candidates), self.zigbee)


class Placement:
    """Bounds for one variable's candidates, given the blocks of some of the others."""

    def __init__(self, problem: BandProblem) -> None:
        self.problem = problem
        self.group_of = problem.group_of
        self.everything = Left([np.arange(len(b)) for b in problem.blocks], np.arange(len(problem.zigbee_channels)))
        self.differs = np.array([z != problem.zigbee_present for z in problem.zigbee_channels], dtype=np.int64)
        self.taken_airtime = {r: airtime_bin(t.taken_airtime) for r, t in problem.terms.items()}

    def bounds(
        self, v: int, placed: dict[int, int], below: Packed = WORST, left: Left | None = None
    ) -> tuple[Ints, Ints, Ints, NDArray[np.intp]]:
        """(first, second, index of the Zigbee channel, Zigbee channels that may be better than ``below``): best keys
        for each candidate of ``v`` that is left, shape (candidates left,).

        ``placed`` maps other variables to their candidate. With all of them placed the keys are exact; candidates whose
        first part is larger than ``below`` even without Zigbee are bounded by their first part alone.
        """
        p = self.problem
        left = left or self.everything
        first, second = self._without_zigbee(v, placed, left)
        choice = np.zeros(len(first), dtype=np.int64)
        if p.zigbee_base is None:
            return first, second, choice, left.zigbee
        some = np.flatnonzero(first <= below[0])
        if len(some) == 0:
            return first, second, choice, left.zigbee[:0]
        loss, count = self._zigbee(v, placed, left.candidates[v][some], left)
        differs = self.differs[left.zigbee]
        pick = ((count * 1000 + loss) * 2 + differs).argmin(axis=1)
        rows = np.arange(len(some))
        # Of keys of one candidate only Zigbee's parts differ.
        more_first, more_second = with_zigbee(
            first[some, None], second[some, None], count, loss, differs, len(p.radios)
        )
        useful = _under(more_first, more_second, below)
        first[some], second[some] = more_first[rows, pick], more_second[rows, pick]
        choice[some] = left.zigbee[pick]
        return first, second, choice, left.zigbee[useful.any(axis=0)]

    def _without_zigbee(self, v: int, placed: dict[int, int], left: Left) -> tuple[Ints, Ints]:
        """Keys of each candidate of ``v`` that is left, as if there were no Zigbee: (first, second)."""
        p, mine = self.problem, left.candidates[v]
        n = len(mine)
        problems = np.zeros(n)
        heads: list[Floats] = []
        changes = p.changed[v][mine]
        taken_airtime = np.zeros(n, dtype=np.int64)
        for g in range(len(p.groups)):
            index: NDArray[np.intp] | None
            if g == v:
                index = mine
            elif g in placed:
                index = np.full(n, placed[g])
                changes = changes + p.changed[g][placed[g]]
            else:
                index = None
            for r in p.groups[g]:
                if index is None:
                    head, problem, least = self._open(r, g, v, placed, left)
                    taken_airtime += least
                else:
                    head = self._head(r, g, index, v, placed, mine)
                    t = p.terms[r]
                    problem = t.no_link[index] + np.where(head < 1, t.linked_musts[index], 0.0)
                    taken_airtime += self.taken_airtime[r][index]
                heads.append(head)
                problems = problems + problem
            if index is None:
                changes = changes + int(p.changed[g][left.candidates[g]].min())
        bins = headroom_bin(np.array(heads).T.reshape(n, len(heads)))
        return pack(problems.astype(np.int64), bins, np.zeros(n, dtype=np.int64), changes, taken_airtime)

    def _head(
        self,
        r: int,
        g: int,
        index: NDArray[np.intp],
        v: int,
        placed: dict[int, int],
        mine: NDArray[np.intp],
    ) -> Floats:
        """Headroom of a radio whose block is known (one for each candidate of v), among the placed ones."""
        p = self.problem
        t = p.terms[r]
        load = t.need_fraction[index].copy()
        for other in p.radios:
            h = self.group_of[other]
            if other == r:
                continue
            if h == g:
                load += p.terms[other].need_fraction[index]
            elif h == v or h in placed:
                where = mine if h == v else placed[h]
                load += (
                    p.extra[r, other][index, where]
                    + p.share[r, other][index, where] * p.terms[other].need_fraction[where]
                )
        return np.asarray(t.available_fraction[index] / np.maximum(load, 1e-12), dtype=np.float64)

    def _open(self, r: int, g: int, v: int, placed: dict[int, int], left: Left) -> tuple[Floats, Floats, int]:
        """Best headroom, fewest problems and least airtime taken that a radio without a block can still have."""
        p = self.problem
        t = p.terms[r]
        rows, mine = left.candidates[g], left.candidates[v]
        load = t.need_fraction[rows]
        for other in p.radios:
            h = self.group_of[other]
            if other == r or h == v:
                continue
            if h == g:
                load = load + p.terms[other].need_fraction[rows]
            elif h in placed:
                load = load + p.extra[r, other][rows, placed[h]]
                load = load + p.share[r, other][rows, placed[h]] * p.terms[other].need_fraction[placed[h]]
        loads = load[:, None]
        for other in p.groups[v]:
            both = np.ix_(rows, mine)
            loads = loads + p.extra[r, other][both] + p.share[r, other][both] * p.terms[other].need_fraction[mine]
        head = t.available_fraction[rows, None] / np.maximum(loads, 1e-12)
        problem = t.no_link[rows, None] + np.where(head < 1, t.linked_musts[rows, None], 0.0)
        return head.max(axis=0), problem.min(axis=0), int(self.taken_airtime[r][rows].min())

    def _zigbee(self, v: int, placed: dict[int, int], candidates: NDArray[np.intp], left: Left) -> tuple[Ints, Ints]:
        """(loss, devices in problem) for some candidates of ``v`` and each Zigbee channel that is left, each of shape
        (candidates, channels). An open radio does what the mildest of its candidates does to each hop."""
        p = self.problem
        assert p.zigbee_base is not None
        ok, idle = (x[None, left.zigbee] for x in p.zigbee_base)
        for g, group in enumerate(p.groups):
            if g == v:
                continue
            if g in placed:
                for r in group:
                    ok = ok + p.zigbee_own[r][0][placed[g], left.zigbee]
                    idle = idle + p.zigbee_own[r][1][placed[g], left.zigbee]
            else:
                both = np.ix_(left.candidates[g], left.zigbee)
                for r in group:
                    ok = ok + p.zigbee_own[r][0][both].max(axis=0)
                    idle = idle + p.zigbee_own[r][1][both].max(axis=0)
        both = np.ix_(candidates, left.zigbee)
        for r in p.groups[v]:
            ok, idle = ok + p.zigbee_own[r][0][both], idle + p.zigbee_own[r][1][both]
        delivery = zigbee_mesh(p.state).deliveries(ok, idle)
        count = (delivery < zigbee_table.WANTED_DELIVERY).sum(axis=-1)
        return delivery_loss(delivery.min(axis=-1, initial=1.0)), count


def _under(first: Ints, second: Ints, key: Packed) -> NDArray[np.bool_]:
    """Which of packed keys (any shape) are better than one."""
    return np.asarray((first < key[0]) | ((first == key[0]) & (second < key[1])))


def solve(problem: BandProblem, deadline_s: float | Deadline, ceiling: Packed = WORST) -> BandResult:
    """Best blocks of a band, exactly; once the time is over (``time.monotonic()``), the best so far and a bound.

    ``ceiling``: keys from there on are of no use; where nothing lies below it, the result is marked hopeless.
    """
    if len(problem.radios) > MOST_RADIOS:
        raise ValueError(f"at most {MOST_RADIOS} radios in one band can be searched")
    return _Search(problem, Deadline.of(deadline_s), ceiling).run()


class _Search:
    def __init__(self, problem: BandProblem, deadline: Deadline, ceiling: Packed) -> None:
        self.problem = problem
        self.placement = Placement(problem)
        self.deadline = deadline
        self.best: Packed = ceiling
        self.best_placed: dict[int, int] = {}
        self.best_zigbee = 0
        self.open_bound: Packed = WORST
        self.steps = 0

    def run(self) -> BandResult:
        p = self.problem
        if p.groups:
            # Under a ceiling there is something to beat already.
            if self.best == WORST:
                self._start()
            self._branch({}, self.placement.everything)
            key, bound = self.best, min(self.best, self.open_bound)
        else:
            key = bound = self._without_radios()
        zigbee = p.zigbee_channels[self.best_zigbee] if p.zigbee_base is not None else p.zigbee_present
        return BandResult(
            blocks={r: p.blocks[v][i] for v, i in self.best_placed.items() for r in p.groups[v]},
            zigbee_channel=zigbee,
            key=key,
            bound=bound,
            proven=bound == key,
            steps=self.steps,
            radios=len(p.radios),
            hopeless=bool(p.groups) and not self.best_placed,
        )

    def _without_radios(self) -> Packed:
        """A band without radios may still hold the Zigbee channel."""
        p = self.problem
        if p.zigbee_base is None:
            return (0, 0)
        delivery = zigbee_mesh(p.state).deliveries(*p.zigbee_base)
        count = (delivery < zigbee_table.WANTED_DELIVERY).sum(axis=-1)
        loss = delivery_loss(delivery.min(axis=-1, initial=1.0))
        differs = np.array([z != p.zigbee_present for z in p.zigbee_channels], dtype=np.int64)
        self.best_zigbee = int(((count * 1000 + loss) * 2 + differs).argmin())
        z = self.best_zigbee
        first, second = pack(
            count[[z]], np.zeros((1, 0), dtype=np.int64), loss[[z]], differs[[z]], np.zeros(1, np.int64)
        )
        return int(first[0]), int(second[0])

    def _start(self) -> None:
        """A good first answer: from the present setting (or each radio's own best), one radio at a time."""
        p = self.problem
        placed = {v: p.blocks[v].index(b) if b in p.blocks[v] else 0 for v, b in enumerate(p.present)}
        previous = WORST
        while True:
            for v in placed:
                others = {u: i for u, i in placed.items() if u != v}
                first, second, zigbee, _ = self.placement.bounds(v, others, self.best)
                i = int(np.lexsort((second, first))[0])
                placed[v] = i
                self._offer((int(first[i]), int(second[i])), placed, int(zigbee[i]))
            if self.best >= previous or self.deadline.over():
                return
            previous = self.best

    def _offer(self, key: Packed, placed: dict[int, int], zigbee: int) -> None:
        if key < self.best:
            self.best, self.best_placed, self.best_zigbee = key, dict(placed), zigbee

    def _branch(self, placed: dict[int, int], left: Left) -> None:
        """Place the variable with the fewest candidates left, after those went that nothing better can come of."""
        left = left.copy()
        unplaced = [v for v in range(len(self.problem.groups)) if v not in placed]
        keys: dict[int, tuple[Ints, Ints, Ints]] = {}
        for v in unplaced:
            first, second, zigbee, left.zigbee = self.placement.bounds(v, placed, self.best, left)
            self.steps += len(first)
            better = _under(first, second, self.best)
            if not better.any():
                return
            left.candidates[v] = left.candidates[v][better]
            keys[v] = first[better], second[better], zigbee[better]
        v = min(unplaced, key=lambda u: len(left.candidates[u]))
        first, second, zigbee = keys[v]
        for row in np.lexsort((second, first)):
            key, i = (int(first[row]), int(second[row])), int(left.candidates[v][row])
            if key >= self.best:
                return
            if len(unplaced) == 1:
                self._offer(key, {**placed, v: i}, int(zigbee[row]))
                return
            if self.deadline.over():
                self.open_bound = min(self.open_bound, key)
                return
            self._branch({**placed, v: i}, left)
