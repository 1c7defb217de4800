"""One search over everything at once: power steps, radios that are better off, links' bands and steering, and under
each such choice the channels, widths and the Zigbee channel, exactly.

The few choices that couple the bands are listed one by one (:func:`listed_choices`). Each has a bound: the figures that
it would have if no own radio disturbed another. Choices are taken up best bound first; the channels of a band are
searched exactly (:mod:`even_static.core.search.one_band`) and kept by what its radios carry at which power, since most
choices share most bands. The search ends when no open choice's bound beats the best found: then the best is proven
among all that was listed. Afterwards single radios' steps are changed one by one while that helps; what that brings is
beyond the list, and so beyond the proof.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np

from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.model.evaluate import evaluate, ssid_problems
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import RadioState, radio_state
from even_static.core.model.rank import (
    BEST_RANK,
    HEADROOM_BINS,
    WORST_RANK,
    Rank,
    airtime_bin,
    delivery_loss,
    headroom_bin,
)
from even_static.core.model.violations import keeps_locked, same_setting
from even_static.core.model.zigbee_mesh import zigbee_mesh
from even_static.core.progress import OnProgress
from even_static.core.search.band_problem import band_problem
from even_static.core.search.candidates import Rules, held_radios, kept_candidates
from even_static.core.search.choices import Choices, alone, listed_choices, needed_by_links, steps_of
from even_static.core.search.deadline import Deadline
from even_static.core.search.one_band import WORST, BandResult, Packed, solve
from even_static.core.search.ruled_out import Reached, most_first, reached_by, whole_rank
from even_static.core.search.rules_of_thumb import with_block
from even_static.core.spectrum.channels import Block
from even_static.core.tables import zigbee as zigbee_table
from even_static.core.tables.bands import BANDS, Band

# 2.4 GHz last: with Zigbee it takes longest, and what the others reach often rules it out.
SOLVED_IN_TURN: Final[tuple[Band, ...]] = ("6 GHz", "5 GHz", "2.4 GHz")


@dataclass(frozen=True, slots=True, kw_only=True)
class Best:
    """The best found so far; ``bound_rank`` is what no listed choice can beat."""

    settings: Settings
    evaluation: Evaluation
    proven: bool
    bound_rank: Rank
    choices: int
    looked_into: int
    steps: int


@dataclass(slots=True, kw_only=True)
class _BandBound:
    """What a band can do at best: problems, bins of its radios, airtime taken, and Zigbee's share."""

    problems: int
    bins: list[int]
    taken_airtime: int
    zigbee_problems: int = 0
    zigbee_loss: int = 0


@dataclass(slots=True)
class _Kept:
    """Bounds and solved bands by what their radios carry."""

    bounds: dict[tuple[object, ...], _BandBound] = field(default_factory=dict)
    radios: dict[int, tuple[int, int, int]] = field(default_factory=dict)
    solved: dict[tuple[object, ...], tuple[BandResult, Packed]] = field(default_factory=dict)
    zigbee: tuple[int, int] | None = None


def search_whole(
    house: House,
    rules: Rules,
    deadline_s: float | Deadline,
    pinned: dict[str, Block] | None = None,
    on_progress: OnProgress | None = None,
    channels_24: tuple[int, ...] | None = None,
    refine: bool = True,
) -> Best:
    """The best setting among all listed choices; then, with ``refine``, improved radio by radio.

    ``deadline_s``: a value of ``time.monotonic()``. ``on_progress`` is called now and then; what it
    returns false for ends the search with the best so far.
    """
    return _Whole(house, rules, Deadline.of(deadline_s), pinned or {}, on_progress, channels_24).run(refine)


class _Whole:
    def __init__(
        self,
        house: House,
        rules: Rules,
        deadline: Deadline,
        pinned: dict[str, Block],
        on_progress: OnProgress | None,
        channels_24: tuple[int, ...] | None,
    ) -> None:
        self.house, self.rules, self.pinned, self.on_progress = house, rules, pinned, on_progress
        self.deadline, self.channels_24 = deadline, channels_24
        self.kept = _Kept()
        self.best: tuple[Rank, Settings, Evaluation] | None = None
        self.steps = 0
        self.looked_into = 0
        # A choice whose bound nobody had the time to work out might be the best.
        self.unbounded = False

    # -- the whole -----------------------------------------------------------------------------------------------

    def run(self, refine: bool) -> Best:
        listed = listed_choices(self.house, self.rules, self.pinned)
        open_ones: list[Open] = []
        for group in listed:
            open_ones += self._bounds(group, at_least=0 if open_ones else 1)
        count = len(open_ones)
        bound = self._take_up(open_ones, "looking through the choices")
        assert self.best is not None
        proven = bound >= self.best[0] and not self.unbounded
        if self.unbounded:
            bound = BEST_RANK
        if refine and (self.rules.power or self.rules.switch_off):
            seen: set[Settings] = set()
            while not self._out_of_time():
                before = self.best[0]
                near = [n for n in self._neighbours(self.best[1]) if n not in seen]
                seen.update(near)
                open_ones = [entry for n in near for entry in self._bounds(alone(self.house, n))]
                self._take_up(open_ones, "refining radio by radio")
                count += len(near)
                if self.best[0] >= before:
                    break
        key, settings, evaluation = self.best
        return Best(
            settings=settings,
            evaluation=evaluation,
            proven=proven,
            bound_rank=min(bound, key),
            choices=count,
            looked_into=self.looked_into,
            steps=self.steps,
        )

    def _out_of_time(self) -> bool:
        return self.deadline.over()

    def _tell(self, text: str, share: float) -> None:
        if self.on_progress is not None and self.best is not None:
            problems = self.best[2].problems
            found = f"{text}; best so far {problems} {'problem' if problems == 1 else 'problems'}"
            if self.on_progress(found, share) is False:
                self.deadline.stop()

    def _take_up(self, choices: list[Open], text: str) -> Rank:
        """Search choices, best bound first; the smallest bound that was left open."""
        choices.sort(key=lambda entry: entry[0])
        worst = WORST_RANK
        for done, (bound, group, n, homes) in enumerate(choices):
            if self.best is not None and (bound >= self.best[0] or self._out_of_time()):
                return min(worst, bound)
            if not self._solve(group.settings(n), homes):
                worst = min(worst, bound)
            self._tell(f"{text}: {done + 1} of {len(choices)} looked into", (done + 1) / len(choices))
        return worst

    def _neighbours(self, settings: Settings) -> list[Settings]:
        """The same with one radio at another step, or switched on or off."""
        found = []
        needed = needed_by_links(self.house, settings)
        for n, setting in enumerate(settings.radios):
            radio = self.house.job.radio(setting.radio_id)
            if radio.locked or radio.id in held_radios(self.rules):
                continue
            options: list[RadioSetting] = []
            if self.rules.power:
                options += [replace(setting, eirp_dbm=e) for e in steps_of(self.house, setting)]
            present = self.house.job.settings.of(radio.id)
            may_be_off = radio.band == "2.4 GHz" and radio.id not in needed and radio.id not in self.pinned
            if self.rules.switch_off and may_be_off and present.enabled:
                options.append(replace(setting, enabled=not setting.enabled))
            for option in options:
                if option != setting:
                    radios = (*settings.radios[:n], option, *settings.radios[n + 1 :])
                    if any(s.enabled for s in radios if self.house.job.radio(s.radio_id).band == radio.band):
                        found.append(replace(settings, radios=radios))
        return found

    # -- one choice ----------------------------------------------------------------------------------------------

    def _bounds(self, group: Choices, at_least: int = 0) -> list[Open]:
        """The bound of every choice of a group; of so many at least when the time is over."""
        if self._out_of_time() and at_least == 0:
            self.unbounded = True
            return []
        house = self.house.linked_by(group.link_bands)
        start, now = group.start, self.house.job.settings
        homes = house.homes(group.eirp_dbm, group.enabled, start.ssid_plan).tolist()
        eirp, enabled = group.eirp_dbm.tolist(), group.enabled.tolist()
        problems = len(ssid_problems(house.job, start))
        in_band = [[i for i, r in enumerate(house.radios) if r.band == band] for band in BANDS]
        present = [(now.of(r.id).eirp_dbm, now.of(r.id).enabled) for r in house.radios]
        links = len(set(now.link_bands) ^ set(start.link_bands)) + (now.ssid_plan != start.ssid_plan)
        found: list[Open] = []
        for n in range(len(homes)):
            if n >= at_least and self._out_of_time():
                self.unbounded = True
                break
            load = [house.number_of(x) for x in house.loads(eirp[n], enabled[n], homes[n])]
            parts = []
            for band, rows in zip(BANDS, in_band, strict=True):
                key = (band, tuple(load[i] for i in rows))
                if key not in self.kept.bounds:
                    settings = group.settings(n)
                    self._kept_bound(radio_state(house, settings, homes[n]), band, settings)
                parts.append(self.kept.bounds[key])
            changed = sum(p != q for p, q in zip(present, zip(eirp[n], enabled[n], strict=True), strict=True))
            bins = sorted(itertools.chain.from_iterable(p.bins for p in parts))
            bins += [HEADROOM_BINS] * (len(load) - len(bins))
            first = problems + house.homeless(homes[n]) + sum(p.problems for p in parts) + parts[0].zigbee_problems
            taken_airtime = sum(p.taken_airtime for p in parts)
            below = [HEADROOM_BINS - b for b in bins]
            rank = Rank(
                unlawful=0,
                problems=first,
                headroom_shortfall=tuple(below),
                delivery_loss=parts[0].zigbee_loss,
                changes=links + changed,
                airtime_from_neighbours=taken_airtime,
            )
            found.append((rank, group, n, homes[n]))
        return found

    def _options(self, settings: Settings, radio: int) -> Sequence[Block]:
        setting = settings.radios[radio]
        if setting.radio_id in self.pinned:
            return [self.pinned[setting.radio_id]]
        return kept_candidates(self.house, setting, self.rules, self.channels_24)

    def _kept_bound(self, state: RadioState, band: Band, settings: Settings) -> _BandBound:
        key = (band, tuple(state.load[i] for i, r in enumerate(self.house.radios) if r.band == band))
        if key not in self.kept.bounds:
            self.kept.bounds[key] = self._band_bound(state, band, settings)
        return self.kept.bounds[key]

    def _band_bound(self, state: RadioState, band: Band, settings: Settings) -> _BandBound:
        bound = _BandBound(problems=0, bins=[], taken_airtime=0)
        for i, radio in enumerate(self.house.radios):
            if radio.band != band or not state.enabled[i]:
                continue
            # Power, switch and what it carries are all that a radio's options and figures depend on.
            if state.load[i] not in self.kept.radios:
                self.kept.radios[state.load[i]] = self._radio_bound(state, i, settings)
            problems, headroom, taken_airtime = self.kept.radios[state.load[i]]
            bound.problems += problems
            bound.bins.append(headroom)
            bound.taken_airtime += taken_airtime
        if band == "2.4 GHz" and self.house.mesh_channels:
            bound.zigbee_problems, bound.zigbee_loss = self._zigbee_floor(state)
        return bound

    def _radio_bound(self, state: RadioState, radio: int, settings: Settings) -> tuple[int, int, int]:
        """(fewest problems, best bin of headroom, least airtime taken) of one radio on any of its blocks."""
        terms = state.rows(radio, self._options(settings, radio))
        head = terms.available_fraction / np.maximum(terms.need_fraction, 1e-12)
        problems = int((terms.no_link + np.where(head < 1, terms.linked_musts, 0.0)).min())
        return problems, int(headroom_bin(head).max()), int(airtime_bin(terms.taken_airtime).min())

    def _zigbee_floor(self, state: RadioState) -> tuple[int, int]:
        """Fewest links in problem and least loss under the neighbours alone: own radios only make it worse."""
        if self.kept.zigbee is None:
            per = [zigbee_mesh(state).neighbours(z) for z in self.house.mesh_channels]
            ok, idle = (np.array([p[k].sum(axis=0) for p in per]) for k in (0, 1))
            delivery = zigbee_mesh(state).deliveries(ok, idle)
            short = (delivery < zigbee_table.WANTED_DELIVERY).sum(axis=-1)
            loss = delivery_loss(delivery.min(axis=-1, initial=1.0))
            self.kept.zigbee = (int(short.min()), int(loss.min()))
        return self.kept.zigbee

    def _solve(self, settings: Settings, homes: list[int]) -> bool:
        """Search a choice's channels band by band; whether that was done to the end."""
        house = self.house.linked(settings)
        state = radio_state(house, settings, homes)
        self.looked_into += 1
        certain = state.homeless + len(ssid_problems(house.job, settings))
        parts = {band: self._kept_bound(state, band, settings) for band in BANDS}
        reached = {band: _least(part) for band, part in parts.items()}
        found: dict[Band, BandResult] = {}
        for band in SOLVED_IN_TURN:
            rows = [i for i, r in enumerate(house.radios) if r.band == band]
            ceiling = WORST
            if self.best is not None:
                others = [reached[b] for b in BANDS if b != band]
                first = most_first(self.best[0], certain, others, sum(state.enabled[i] for i in rows))
                if first is None:
                    return True
                ceiling = min(WORST, (first + 1, 0))
            result = self._solved(house, state, settings, band, rows, ceiling)
            if result.hopeless:
                return result.proven
            found[band] = result
            reached[band] = reached_by(result)
        if self.best is not None and whole_rank(certain, list(reached.values()), len(house.radios)) >= self.best[0]:
            return True
        blocks = {house.radios[r].id: b for result in found.values() for r, b in result.blocks.items()}
        radios = tuple(
            with_block(s, blocks[s.radio_id])
            if s.radio_id in blocks and not same_setting(s, with_block(s, blocks[s.radio_id]))
            else s
            for s in settings.radios
        )
        zigbee = found["2.4 GHz"].zigbee_channel if house.job.zigbee is not None else None
        full = replace(settings, radios=radios, zigbee_channel=zigbee)
        if self.best is not None and not keeps_locked(self.house.job, full):
            # A link between this band's radios needs a block that a locked one is not on.
            return True
        evaluation = evaluate(self.house, full)
        if self.best is None or evaluation.rank < self.best[0]:
            self.best = (evaluation.rank, full, evaluation)
        return all(r.proven for r in found.values())

    def _solved(
        self, house: House, state: RadioState, settings: Settings, band: Band, rows: list[int], ceiling: Packed
    ) -> BandResult:
        """A band's best blocks below a ceiling, kept by what its radios carry."""
        start = tuple(settings.radios[i] for i in rows)
        key = (band, tuple(state.load[i] for i in rows), start, house.link_bands)
        kept = self.kept.solved.get(key)
        if kept is None or (kept[0].hopeless and kept[1] < ceiling):
            problem = band_problem(house, settings, band, self.rules, self.channels_24, self.pinned)
            limit = self.deadline if self.best is not None else self.deadline.at_least(0.5)
            result = solve(problem, limit, ceiling)
            self.steps += result.steps
            kept = (result, ceiling)
            if result.proven:
                self.kept.solved[key] = kept
        return kept[0]


def _least(bound: _BandBound) -> Reached:
    return Reached(
        problems=bound.problems + bound.zigbee_problems,
        bins=bound.bins,
        loss=bound.zigbee_loss,
        changes=0,
        taken_airtime=bound.taken_airtime,
    )


# A choice's bound, its group and number there, and each device's radio under it.
Open = tuple[Rank, Choices, int, list[int]]
