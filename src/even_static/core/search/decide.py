"""Exact search proposes, many worlds dispose: candidates are lived in drawn worlds, improved there, and one is taken.

A setting is judged by what it does over all worlds: the mean, the worst tenth, and above all whether it makes the house
worse than it is. What is told of the plan comes from worlds that the search has not seen, so that it is not flattered.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from even_static.core.arrays import Bools, Floats
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings, setting_block
from even_static.core.model.daily import heard_parts, part_of
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import count_changes
from even_static.core.progress import OnProgress
from even_static.core.search.candidates import Rules, follows, standard_sets
from even_static.core.search.deadline import Deadline
from even_static.core.search.moves import Effect, Move, carried_over, effect_of, may_be_set, moves
from even_static.core.tables import worlds as table
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Lived, Living
from even_static.core.worlds.outlook import Outlook, expected_figures, expected_speeds, hinge
from even_static.core.worlds.present import agreeing_worlds
from even_static.core.worlds.span import HELD

ORDER = ("zigbee", "block", "names", "backhaul only", "switch", "link", "power", "device")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Candidate:
    """A setting, where it came from, and how it does in the worlds."""

    name: str
    settings: Settings
    lived: Lived
    cost: float
    harm: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    """What was taken and how it does, beside leaving everything as it is; both from worlds that nobody searched in."""

    taken: Candidate
    others: tuple[Candidate, ...]
    outlook: Outlook


def costs(lived: Lived, now: Lived) -> Floats:
    """What a setting costs in each world, in problems: the smaller the better, shape (worlds,)."""
    up_to = np.minimum(lived.headroom, table.ENOUGH_HEADROOM)
    more = np.maximum(lived.headroom - table.ENOUGH_HEADROOM, 0.0)
    found = (
        lived.problems
        - table.HEADROOM_WEIGHT * up_to
        - table.MORE_WEIGHT * more
        + table.DELIVERY_WEIGHT * (1 - lived.delivery)
    )
    if lived.speed_mbps.shape[1]:
        gain = np.log2(np.maximum(lived.speed_mbps, 1.0)) - np.log2(np.maximum(now.speed_mbps, 1.0))
        found = found - table.SPEED_WEIGHT * np.clip(gain, -3, 3).mean(axis=1)
        worst = np.log2(np.maximum(lived.speed_mbps.min(axis=1), 1.0))
        worst -= np.log2(np.maximum(now.speed_mbps.min(axis=1), 1.0))
        found = found - table.WORST_SPEED_WEIGHT * np.clip(worst, -4, 4)
    return np.asarray(found)


def unusual(job: Job, settings: Settings, sets: list[tuple[int, ...]]) -> int:
    """How many radios leave what is usual at 2.4 GHz (20 MHz, on channels of one standard set), or carry a link there:
    only a gain that holds in the worlds is worth that. ``sets``: the standard ones that are lawful here."""
    on = [s for s in settings.radios if s.enabled and job.radio(s.radio_id).band == "2.4 GHz"]
    off = min((sum(s.channel not in channels for s in on) for channels in sets), default=0)
    wide = sum(s.width_mhz > 20 for s in on)
    links = sum(link.band == "2.4 GHz" for link in settings.link_bands)
    return off + wide + 2 * links


def worse_in_worlds(lived: Lived, now: Lived) -> Bools:
    """Worlds in which a setting leaves the house worse than another: more problems, or as many and less headroom."""
    less = (lived.problems == now.problems) & (lived.headroom < now.headroom * (1 - table.NOTICED_HEADROOM) - 0.02)
    return np.asarray((lived.problems > now.problems) | less)


class Decider:
    """Lives settings in a few worlds, then in all, and remembers what came of it."""

    def __init__(self, house: House, rules: Rules, worlds: Worlds, recipe: Settings | None = None) -> None:
        self.house, self.rules, self.recipe = house, rules, recipe
        self.standard = standard_sets(house.job)
        self.all = Living(worlds)
        self.few = Living(worlds.taken(np.arange(min(table.FEW, worlds.count))))
        self.now_all, self.now_few = self.bases(self.all), self.bases(self.few)
        self.kept_all: dict[Settings, Candidate] = {}
        self.kept_few: dict[Settings, float] = {}
        self.tried = 0
        self.sweeps = 0

    def bases(self, living: Living) -> tuple[Lived, Lived | None]:
        """What nothing may be worse than in worlds: the house as it is, and under the careful technician's recipe."""
        recipe = None if self.recipe is None else living.lived(self.recipe)
        return living.lived(self.house.job.settings), recipe

    def total(self, lived: Lived, bases: tuple[Lived, Lived | None], settings: Settings) -> tuple[float, float]:
        """(cost over the worlds, share of them in which the house is worse than it is)."""
        now, recipe = bases
        each = costs(lived, now)
        tail = np.sort(each)[-max(1, round(table.TAIL * len(each))) :]
        harm = float(worse_in_worlds(lived, now).mean())
        cost = float(each.mean()) + table.TAIL_WEIGHT * float(tail.mean() - each.mean())
        cost += table.CHANGE_WEIGHT * count_changes(self.house.job.settings, settings)
        cost += table.UNUSUAL_WEIGHT * unusual(self.house.job, settings, self.standard)
        cost += table.HARM_WEIGHT * max(0.0, harm - table.MOST_HARM)
        if recipe is not None:
            below = float(worse_in_worlds(lived, recipe).mean())
            cost += table.RECIPE_WEIGHT * max(0.0, below - table.MOST_HARM)
        return cost, harm

    def few_cost(self, settings: Settings) -> float:
        """The cost in a few worlds."""
        if settings not in self.kept_few:
            self.tried += 1
            self.kept_few[settings] = self.total(self.few.lived(settings), self.now_few, settings)[0]
        return self.kept_few[settings]

    def weighed(self, name: str, settings: Settings) -> Candidate:
        """A candidate in all worlds."""
        if settings not in self.kept_all:
            self.tried += 1
            lived = self.all.lived(settings)
            cost, harm = self.total(lived, self.now_all, settings)
            self.kept_all[settings] = Candidate(name=name, settings=settings, lived=lived, cost=cost, harm=harm)
        return self.kept_all[settings]

    def improved(
        self,
        start: Candidate,
        pinned: frozenset[str],
        deadline: Deadline,
        on_progress: OnProgress | None,
        every_block: bool = True,
    ) -> Candidate:
        """From a candidate on, one thing after another set as it does best, as long as anything helps; without
        ``every_block`` on the blocks alone that are freest."""
        best = start
        hopeless: set[Effect] = set()
        for sweep in range(table.SWEEPS):
            before = best.cost
            base = best.settings
            things: dict[tuple[str, str], list[Move]] = {}
            for move in moves(self.house, self.rules, base, pinned):
                if (move.kind != "device" or sweep > 0) and effect_of(base, move) not in hopeless:
                    things.setdefault((move.kind, move.whose), []).append(move)
            order = sorted(things, key=lambda k: ORDER.index(k[0]))
            for key in order:
                if deadline.over():
                    return best
                if key[0] == "block" and not every_block:
                    things[key] = self._freest(base, things[key])
                best = self._best_way(best, base, things[key], deadline, hopeless)
                if on_progress is not None:
                    mean = float(best.lived.problems.mean())
                    text = f"trying changes in {self.all.worlds.count} drawn worlds: {mean:.1f} problems on average"
                    if on_progress(text, min(0.95, (sweep + order.index(key) / len(order)) / 3)) is False:
                        deadline.stop()
            self.sweeps += 1
            if best.cost > before - 1e-3:
                break
        return best

    def _freest(self, base: Settings, ways: list[Move]) -> list[Move]:
        """Of the blocks that radios may move to together those that leave most in the worlds: of each width some that
        no other own radio is on, and some of all; at 2.4 GHz, for Zigbee's sake, every one of 20 MHz."""
        house, ids = self.house, ways[0].whose.split(" ")
        index = [house.radio_index[i] for i in ids]
        band = house.radios[index[0]].band
        kept = self.few.bands[band]
        others = [
            setting_block(r, base.of(r.id))
            for r in house.radios
            if r.band == band and r.id not in ids and base.of(r.id).enabled
        ]
        taken = {mhz for block in others for mhz in block.subchannels_mhz}
        left: list[tuple[float, bool, int, int]] = []
        for n, way in enumerate(ways):
            block = setting_block(house.radios[index[0]], way.settings.of(ids[0]))
            free = min(float(kept.alone(r, block).available.mean()) for r in index)
            left.append((-free, not taken.isdisjoint(block.subchannels_mhz), block.width_mhz, n))
        found = {n for *_, width, n in left if band == "2.4 GHz" and width == 20}
        for width in {w for _, _, w, _ in left}:
            mine = sorted(x for x in left if x[2] == width)
            found |= {n for *_, n in mine[: table.FREEST]}
            found |= {n for *_, n in [x for x in mine if not x[1]][: table.FREEST]}
        return [way for n, way in enumerate(ways) if n in found]

    def _follows(self, settings: Settings) -> bool:
        """Whether a setting keeps to what the rules say of channels: moves of two radios, or a radio that is switched
        on again where it was, may leave it together."""
        limited = self.rules.channel_plan != "any legal channel" or self.rules.avoid_dfs
        return not limited or follows(self.house.job, settings, self.rules)

    def _best_way(
        self, best: Candidate, base: Settings, ways: list[Move], deadline: Deadline, hopeless: set[Effect]
    ) -> Candidate:
        """The best way of setting one thing, tried in a few worlds first; what does far worse there is not tried
        again."""
        options: dict[Settings, Move] = {}
        for move in ways:
            options.setdefault(carried_over(base, move, best.settings), move)
        options.pop(best.settings, None)
        here = self.few_cost(best.settings)
        found = []
        for option, move in options.items():
            if deadline.over():
                break
            if may_be_set(self.house, option) and self._follows(option):
                cost = self.few_cost(option)
                found.append((cost, option))
                if cost > here + table.HOPELESS:
                    hopeless.add(effect_of(base, move))
        found.sort(key=lambda f: f[0])
        for cost, option in found[:2]:
            if cost < here + table.NEARLY:
                other = self.weighed(best.name, option)
                if other.cost < best.cost - 1e-6:
                    best = other
        return best


def decide(
    house: House,
    rules: Rules,
    proposed: dict[str, Settings],
    deadline: Deadline,
    pinned: frozenset[str] = frozenset(),
    on_progress: OnProgress | None = None,
    count: int = table.WORLDS,
) -> Decision:
    """Take one of the proposed settings, improved in the worlds (so many of them); leaving everything as it is is
    always among them. The first one proposed is named as what was passed over where another is taken.

    ``pinned``: radios that keep the block that every proposal gives them. ``on_progress``: as the search calls it.
    """
    worlds, _ = agreeing_worlds(house, count)
    searching = deadline.part(0.85)
    decider = Decider(house, rules, worlds, proposed.get("careful technician"))
    starts = _starts(decider, proposed, pinned)
    grown = []
    for n, start in enumerate(starts[: table.STARTS]):
        mine = searching.part(1 / (table.STARTS + 1 - n))
        grown.append(decider.improved(start, pinned, mine, on_progress, every_block=False))
    grown.append(decider.improved(min(grown, key=lambda c: c.cost), pinned, searching, on_progress))
    unseen, agreement = agreeing_worlds(house, count, seed=1)
    fresh = Living(unseen)
    bases = decider.bases(fresh)
    finals = _as_measured(house, _in_unseen(decider, fresh, bases, [*starts, *grown]))
    names = heard_parts(house.job)
    parts = {name: part_of(house.job, name) for name in names} if len(names) > 1 else {}
    # A search that was cut off before it had been through everything once takes nothing that may harm.
    safe = [c for c in finals if c.harm <= table.MOST_HARM] if decider.sweeps == 0 else []
    foremost = (safe or finals)[: table.MOST_BY_PART]
    by_part = {c.settings: c.cost + table.PART_WEIGHT * len(_worse_parts(parts, c.settings)) for c in foremost}
    taken = min(foremost, key=lambda c: by_part[c.settings])
    first = next(iter(proposed.values()), taken.settings)
    passed = next((c for c in finals if c.settings == first), None)
    gain = costs(bases[0], bases[0]) - costs(taken.lived, bases[0])
    worse, better = worse_in_worlds(taken.lived, bases[0]), worse_in_worlds(bases[0], taken.lived)
    told = Living(unseen.erring())
    now, then = told.lived(house.job.settings), told.lived(taken.settings)
    return Decision(
        taken=taken,
        others=tuple(c for c in finals if c is not taken),
        outlook=Outlook(
            worlds=len(worse),
            held_share=HELD,
            better=int(better.sum()),
            worse=int(worse.sum()),
            name=taken.name,
            tried=decider.tried,
            figures=expected_figures(now, then, bool(then.deliveries.shape[1])),
            speeds=expected_speeds(told, taken.settings),
            hinge=None if taken.settings == house.job.settings else hinge(unseen, taken.settings, gain),
            passed_over="" if passed is None else _passed_over(passed, taken, bases[0], parts),
            agreement=agreement,
            parts=tuple(parts),
            worse_in=_worse_parts(parts, taken.settings),
        ),
    )


def _starts(decider: Decider, proposed: dict[str, Settings], pinned: frozenset[str]) -> list[Candidate]:
    """What is proposed, and leaving everything as it is, in all worlds; the best first."""
    house, rules = decider.house, decider.rules
    present = house.job.settings
    may_stay = rules.held is None and not pinned and follows(house.job, present, rules)
    found = [
        decider.weighed(name, s)
        for name, s in {"leave it": present, **proposed}.items()
        if (name != "leave it" or may_stay) and (may_be_set(house, s) or s == present)
    ]
    if not found:
        found = [decider.weighed(name, s) for name, s in proposed.items()]
    return sorted(found, key=lambda c: c.cost)


def _in_unseen(
    decider: Decider, fresh: Living, bases: tuple[Lived, Lived | None], candidates: list[Candidate]
) -> list[Candidate]:
    """The candidates in worlds that nobody searched in, the best first."""
    finals = []
    for candidate in {c.settings: c for c in candidates}.values():
        lived = fresh.lived(candidate.settings)
        cost, harm = decider.total(lived, bases, candidate.settings)
        finals.append(replace(candidate, lived=lived, cost=cost, harm=harm))
    return sorted(finals, key=lambda c: c.cost)


def _as_measured(house: House, finals: list[Candidate]) -> list[Candidate]:
    """The candidates with what they cost where the house is as it was measured: one that brings problems there, which
    the figures at the top of every screen show, must bring more than that in the worlds. The best first."""
    now = evaluate(house, house.job.settings).problems
    found = []
    for candidate in finals:
        more = evaluate(house, candidate.settings).problems - now
        cost = candidate.cost + table.MEASURED_WEIGHT * min(max(more, 0), table.MOST_MEASURED)
        found.append(replace(candidate, cost=cost))
    return sorted(found, key=lambda c: c.cost)


def _worse_parts(parts: dict[str, House], settings: Settings) -> tuple[str, ...]:
    """Parts of the day, as they were heard, in which a setting leaves the house worse than it is."""
    return tuple(
        name
        for name, then in parts.items()
        if evaluate(then, settings).rank.noticed > evaluate(then, then.job.settings).rank.noticed
    )


def _passed_over(passed: Candidate, taken: Candidate, now: Lived, parts: dict[str, House]) -> str:
    """Why a candidate was passed over for the one that was taken; empty where the two are one."""
    if passed.settings == taken.settings:
        return ""
    text = _told_apart(passed.lived, taken.lived)
    harmed = worse_in_worlds(passed.lived, now)
    if harmed.mean() > table.MOST_HARM:
        text += f", and the house worse than now in {int(harmed.sum())} of {len(harmed)} worlds"
    worse_in = _worse_parts(parts, passed.settings)
    if worse_in:
        text += f", and by what was heard then, worse than now in the {' and the '.join(worse_in)}"
    return text


def _told_apart(passed: Lived, taken: Lived) -> str:
    """What one setting does worse than another: problems on average or in the worst worlds, else headroom, else the
    slowest place."""
    problems = float(passed.problems.mean()), float(taken.problems.mean())
    if problems[0] - problems[1] >= table.TOLD_PROBLEMS:
        return f"it leaves {problems[0]:.1f} problems on average where this one leaves {problems[1]:.1f}"
    worst = tuple(
        float(np.sort(x.problems)[-max(1, round(table.TAIL * len(x.problems))) :].mean()) for x in (passed, taken)
    )
    if worst[0] - worst[1] >= table.TOLD_PROBLEMS:
        return (
            f"in the worst tenth of the worlds it leaves {worst[0]:.1f} problems where this one leaves {worst[1]:.1f}"
        )
    headroom = float(passed.headroom.mean()), float(taken.headroom.mean())
    if headroom[1] - headroom[0] >= table.TOLD_HEADROOM:
        return f"it leaves a headroom of {headroom[0]:.2f} where this one leaves {headroom[1]:.2f}"
    if passed.speed_mbps.shape[1]:
        slowest = tuple(float(np.median(x.speed_mbps.min(axis=1))) for x in (passed, taken))
        if slowest[1] > slowest[0] * table.TOLD_SPEED:
            return f"with it the slowest place gets {slowest[0]:.0f} Mb/s, with this one {slowest[1]:.0f}"
    return "it brings no more than this one and changes more, or counts on more going well"
