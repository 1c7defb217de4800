"""Exact search for the channels of one band: branch and bound on packed keys, one vector of candidates at a time.

Why bands can be solved one by one: the rank's parts add up over bands (problems, changes, airtime taken) or compare as
sorted vectors (headrooms), Zigbee depends on 2.4 GHz only, and with powers fixed so do levels and devices' radios.
A lexicographic order of such parts is kept under putting bands together, so the best of each band is the best house.

Why the bounds hold: a radio that is not yet placed can only take airtime away and spoil Zigbee, never give. So figures
computed from the radios placed so far, with the best that each other radio could still have, are never too low.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats, Ints
from even_static.core.model.rank import MOST_RADIOS, airtime_bin, delivery_loss, headroom_bin, pack, unpack_first
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


class Placement:
    """Bounds for one variable's candidates, given the blocks of some of the others."""

    def __init__(self, problem: BandProblem) -> None:
        self.problem = problem
        self.group_of = problem.group_of

    def bounds(self, v: int, placed: dict[int, int], below: int | None = None) -> tuple[Ints, Ints, Ints]:
        """(first, second, index of the Zigbee channel): best keys for each candidate of ``v``, shape (candidates,).

        ``placed`` maps other variables to their candidate. With all of them placed the keys are exact; candidates whose
        first part lies above ``below`` even without Zigbee are bounded by their first part alone.
        """
        p = self.problem
        n = len(p.blocks[v])
        everyone = np.arange(n)
        problems = np.zeros(n)
        heads: list[Floats] = []
        changes = p.changed[v].copy()
        taken_airtime = np.zeros(n, dtype=np.int64)
        for group_index in range(len(p.groups)):
            index: NDArray[np.intp] | None
            if group_index == v:
                index = everyone
            elif group_index in placed:
                index = np.full(n, placed[group_index])
                changes += p.changed[group_index][placed[group_index]]
            else:
                index = None
            for r in p.groups[group_index]:
                if index is None:
                    head, problem, least = self._open(r, group_index, v, placed)
                    taken_airtime += least
                else:
                    head = self._head(r, group_index, index, v, placed)
                    t = p.terms[r]
                    problem = t.no_link[index] + np.where(head < 1, t.linked_musts[index], 0.0)
                    taken_airtime += airtime_bin(t.taken_airtime[index])
                heads.append(head)
                problems = problems + problem
            if index is None:
                changes += int(p.changed[group_index].min())
        bins = headroom_bin(np.array(heads).T.reshape(n, len(heads)))
        rows = everyone
        if below is not None and p.zigbee_base is not None:
            none = np.zeros(n, dtype=np.int64)
            rows = np.flatnonzero(pack(problems.astype(np.int64), bins, none, none, none)[0] <= below)
        loss, count, choice, zigbee_changed = self._zigbee(v, placed, rows)
        first, second = pack((problems + count).astype(np.int64), bins, loss, changes + zigbee_changed, taken_airtime)
        return first, second, choice

    def _head(self, r: int, g: int, index: NDArray[np.intp], v: int, placed: dict[int, int]) -> Floats:
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
                where = np.arange(len(index)) if h == v else placed[h]
                load += (
                    p.extra[r, other][index, where]
                    + p.share[r, other][index, where] * p.terms[other].need_fraction[where]
                )
        return np.asarray(t.available_fraction[index] / np.maximum(load, 1e-12), dtype=np.float64)

    def _open(self, r: int, g: int, v: int, placed: dict[int, int]) -> tuple[Floats, Floats, Ints]:
        """Best headroom, fewest problems and least taken_airtime that a radio without a block can still have."""
        p = self.problem
        t = p.terms[r]
        load = t.need_fraction.copy()
        for other in p.radios:
            h = self.group_of[other]
            if other == r or h == v:
                continue
            if h == g:
                load = load + p.terms[other].need_fraction
            elif h in placed:
                load = load + p.extra[r, other][:, placed[h]]
                load = load + p.share[r, other][:, placed[h]] * p.terms[other].need_fraction[placed[h]]
        loads = load[:, None]
        for other in p.groups[v]:
            loads = loads + p.extra[r, other] + p.share[r, other] * p.terms[other].need_fraction[None, :]
        head = t.available_fraction[:, None] / np.maximum(loads, 1e-12)
        problem = t.no_link[:, None] + np.where(head < 1, t.linked_musts[:, None], 0.0)
        n = len(p.blocks[v])
        return head.max(axis=0), problem.min(axis=0), np.full(n, airtime_bin(t.taken_airtime).min())

    def _zigbee(self, v: int, placed: dict[int, int], some: NDArray[np.intp]) -> tuple[Ints, Ints, Ints, Ints]:
        """(loss, links in problem, chosen channel, whether it differs from the present one) for each candidate; zeros
        for those that are not among ``some``."""
        p = self.problem
        n = len(p.blocks[v])
        none = np.zeros(n, dtype=np.int64)
        if p.zigbee_base is None:
            return none, none, none, none
        ok, idle = (x[None, :, :] for x in p.zigbee_base)
        for g, i in placed.items():
            for r in p.groups[g]:
                ok, idle = ok + p.zigbee_own[r][0][i], idle + p.zigbee_own[r][1][i]
        if len(some) == 0:
            return none, none, none, none
        for r in p.groups[v]:
            ok, idle = ok + p.zigbee_own[r][0][some], idle + p.zigbee_own[r][1][some]
        delivery = zigbee_mesh(p.state).deliveries(ok, idle)
        count = (delivery < zigbee_table.WANTED_DELIVERY).sum(axis=-1)
        loss = delivery_loss(delivery.min(axis=-1, initial=1.0))
        differs = np.array([z != p.zigbee_present for z in p.zigbee_channels], dtype=np.int64)
        rank = (count * 1000 + loss) * 2 + differs[None, :]
        choice = rank.argmin(axis=1)
        rows = np.arange(len(choice))
        whole = [none.copy() for _ in range(4)]
        for out, values in zip(whole, (loss[rows, choice], count[rows, choice], choice, differs[choice]), strict=True):
            out[some] = values
        return whole[0], whole[1], whole[2], whole[3]


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
            self._branch({})
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
                first, second, zigbee = self.placement.bounds(v, others, self.best[0])
                i = int(np.lexsort((second, first))[0])
                placed[v] = i
                self._offer((int(first[i]), int(second[i])), placed, int(zigbee[i]))
            if self.best >= previous or self.deadline.over():
                return
            previous = self.best

    def _offer(self, key: Packed, placed: dict[int, int], zigbee: int) -> None:
        if key < self.best:
            self.best, self.best_placed, self.best_zigbee = key, dict(placed), zigbee

    def _branch(self, placed: dict[int, int]) -> None:
        v = len(placed)
        first, second, zigbee = self.placement.bounds(v, placed, self.best[0])
        self.steps += len(first)
        order = np.lexsort((second, first))
        last = v == len(self.problem.groups) - 1
        for i in order:
            key = (int(first[i]), int(second[i]))
            if key >= self.best:
                return
            if last:
                self._offer(key, {**placed, v: int(i)}, int(zigbee[i]))
                return
            if self.deadline.over():
                self.open_bound = min(self.open_bound, key)
                return
            self._branch({**placed, v: int(i)})
