"""The tuner: the best setting of the house with its proof, and what else one might have done."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from even_static.core.house.settings import Settings, setting_block
from even_static.core.model.evaluate import MOST_HEADROOM, evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House, link_ends
from even_static.core.model.radio_state import radio_state
from even_static.core.model.rank import HEADROOM_BIN, HEADROOM_BINS, Rank, headroom_bin
from even_static.core.model.steering import ssid_choices
from even_static.core.model.violations import radio_violations
from even_static.core.progress import OnProgress
from even_static.core.search.band_problem import band_problem
from even_static.core.search.candidates import Rules, channel_sets, follows, start_of, with_lawful_power
from even_static.core.search.choices import other_links, steps_of
from even_static.core.search.deadline import Deadline
from even_static.core.search.everything import search_whole
from even_static.core.search.one_band import BandResult, Placement, solve
from even_static.core.search.rules_of_thumb import careful, fewest_networks, furthest_number, with_block
from even_static.core.search.uncertainty import Futures, weigh
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import BANDS
from even_static.core.tables.channel_plans import CHANNEL_PLANS, ChannelPlan
from even_static.core.tables.clients import STEERING_DBM

# Shares of the time that is left: for the search, and for each of the two that are told beside it.
SEARCH_SHARE, BESIDE_SHARE = 0.6, 0.4
NO_END = Deadline(math.inf)


@dataclass(frozen=True, slots=True)
class Bound:
    """What no setting can beat: the fewest problems, and the largest smallest headroom (capped at 2)."""

    problems: int
    headroom: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Alternative:
    """Another setting: what kind of choice it is, its name, why one might make it, what it is and what it does."""

    kind: Literal["kind", "rule of thumb", "as measured", "next best"]
    name: str
    reason: str
    settings: Settings
    evaluation: Evaluation


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """The best setting found, compared with the present one.

    ``proven``: no lawful setting under the policy is better; otherwise ``bound`` tells how far one could be.
    """

    settings: Settings
    evaluation: Evaluation
    now: Evaluation
    proven: bool
    bound: Bound
    channel_plan: ChannelPlan
    seconds: float
    steps: int
    alternatives: tuple[Alternative, ...]
    choices: int = 1
    """Choices of power, switches, links and steering that were listed; one where only channels were free."""
    futures: Futures | None = None
    """How the plan does where neighbours and levels turn out otherwise than measured."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """Result of one search over all bands."""

    settings: Settings
    evaluation: Evaluation
    proven: bool
    bound: Bound
    steps: int
    choices: int = 1


def best_settings(
    house: House,
    rules: Rules,
    deadline_s: float | Deadline,
    pinned: dict[str, Block] | None = None,
    on_progress: OnProgress | None = None,
) -> Found:
    """Best setting under a policy of all that the rules leave free; never worse than the present one.

    ``deadline_s`` is a value of ``time.monotonic()``; what is not finished by then comes back unproven. ``pinned``:
    blocks by radio that stay. ``on_progress``: as :func:`search_whole` calls it.
    """
    deadline = Deadline.of(deadline_s)
    if rules.whole:
        return _whole(house, rules, deadline, pinned, on_progress)
    return _channels(house, rules, deadline, pinned)


def _whole(
    house: House, rules: Rules, deadline: Deadline, pinned: dict[str, Block] | None, on_progress: OnProgress | None
) -> Found:
    sets = channel_sets(house.job, rules)
    found = [
        search_whole(house, rules, deadline.part(1 / (len(sets) - i)), pinned, on_progress, channels_24)
        for i, channels_24 in enumerate(sets)
    ]
    best = min(found, key=lambda f: f.evaluation.rank)
    now = evaluate(house, house.job.settings)
    settings, evaluation = best.settings, best.evaluation
    if _may_stay(house, rules, pinned) and now.rank <= evaluation.rank:
        settings, evaluation = house.job.settings, now
    rank = min(min(f.bound_rank for f in found), evaluation.rank)
    bound = Bound(rank.problems, rank.worst_headroom_bin * HEADROOM_BIN)
    steps, choices = sum(f.steps for f in found), sum(f.choices for f in found)
    return Found(
        settings=settings,
        evaluation=evaluation,
        proven=all(f.proven for f in found),
        bound=bound,
        steps=steps,
        choices=choices,
    )


def _channels(house: House, rules: Rules, deadline: Deadline, pinned: dict[str, Block] | None) -> Found:
    """Channels, widths and the Zigbee channel at the powers as they are."""
    job = house.job
    start = start_of(job, rules)
    sets = channel_sets(job, rules)
    tried: list[Found] = []
    for k, channels_24 in enumerate(sets):
        results = {}
        mine = deadline.part(1 / (len(sets) - k))
        for i, band in enumerate(BANDS):
            problem = band_problem(house, start, band, rules, channels_24, pinned)
            results[band] = solve(problem, mine.part(1 / (len(BANDS) - i)))
        settings = _merge(house, start, list(results.values()))
        tried.append(
            Found(
                settings=settings,
                evaluation=evaluate(house, settings),
                proven=all(r.proven for r in results.values()),
                bound=_bound(house, start, list(results.values())),
                steps=sum(r.steps for r in results.values()),
            )
        )
    # A set whose search was cut off might hold something better: then nothing is proven, and its bound counts.
    best = replace(
        min(tried, key=lambda f: f.evaluation.rank),
        proven=all(f.proven for f in tried),
        bound=min((f.bound for f in tried), key=lambda b: (b.problems, -b.headroom)),
        steps=sum(f.steps for f in tried),
    )
    now = evaluate(house, job.settings)
    if _may_stay(house, rules, pinned) and now.rank <= best.evaluation.rank:
        bins = int(headroom_bin(np.array(MOST_HEADROOM if now.headroom is None else now.headroom)))
        present = Bound(now.problems, bins * HEADROOM_BIN)
        better = (present.problems, -present.headroom) <= (best.bound.problems, -best.bound.headroom)
        return replace(best, settings=job.settings, evaluation=now, bound=present if better else best.bound)
    return best


def _may_stay(house: House, rules: Rules, pinned: dict[str, Block] | None) -> bool:
    """Whether the present settings are an answer too: nothing else is held by hand, and they keep to the rules."""
    settings = house.job.settings
    return rules.held is None and not pinned and _tied(house, settings) and follows(house.job, settings, rules)


def _tied(house: House, settings: Settings) -> bool:
    """Whether both ends of every radio link are on one block."""
    for node in house.job.nodes:
        ends = link_ends(house.job, node.id)
        if ends is not None:
            near, far = (setting_block(house.job.radio(e), settings.of(e)) for e in ends)
            if near != far:
                return False
    return True


def _merge(house: House, start: Settings, results: list[BandResult]) -> Settings:
    blocks = {house.radios[r].id: b for result in results for r, b in result.blocks.items()}
    radios = []
    for setting in start.radios:
        block = blocks.get(setting.radio_id)
        if block is not None and block != setting_block(house.job.radio(setting.radio_id), setting):
            setting = with_block(setting, block)
        radios.append(setting)
    zigbee = results[0].zigbee_channel if house.job.zigbee is not None else None
    return replace(start, radios=tuple(radios), zigbee_channel=zigbee)


def _bound(house: House, start: Settings, results: list[BandResult]) -> Bound:
    figures = [r.bound_figures() for r in results]
    bins = [b for _, b in figures]
    homeless = radio_state(house, start).homeless
    return Bound(homeless + sum(t for t, _ in figures), min(bins, default=HEADROOM_BINS) * HEADROOM_BIN)


def make_plan(
    house: House,
    rules: Rules | None = None,
    seconds: float = 10.0,
    pinned: dict[str, Block] | None = None,
    on_progress: OnProgress | None = None,
    wanted: Callable[[], bool] | None = None,
) -> Plan:
    """The best setting within a time, with what each channel plan, rule of thumb and runner-up would bring instead.

    The search has most of the time; what is told beside it shares the rest, and is left out where there is none.
    ``wanted``: asked now and then whether anybody still waits; once not, it ends with what it has.
    """
    rules = rules or Rules()
    began = time.monotonic()
    deadline = Deadline(began + seconds, wanted)
    found = best_settings(house, rules, deadline.part(SEARCH_SHARE), pinned, on_progress)
    took = time.monotonic() - began
    alternatives = _channel_plans(house, rules, found, deadline.part(BESIDE_SHARE), pinned)
    if rules.whole:
        channels = Rules(channel_plan=rules.channel_plan, avoid_dfs=rules.avoid_dfs, held=rules.held)
        only = best_settings(house, channels, deadline.part(BESIDE_SHARE), pinned)
        reason = "power, links and steering stay as they are"
        alternatives.append(
            Alternative(
                kind="kind", name="channels only", reason=reason, settings=only.settings, evaluation=only.evaluation
            )
        )
    alternatives += _rules_of_thumb(house)
    settings, evaluation, futures = found.settings, found.evaluation, None
    if rules.whole:
        # What wins only as measured but can hurt is not chosen over what is safe.
        others = [a.settings for a in alternatives if a.kind == "kind" and a.evaluation.lawful]
        options = [found.settings, *(s for s in others if follows(house.job, s, rules))]
        safest, weighed = weigh(house, list(dict.fromkeys(options)), deadline=deadline.part(0.7))
        settings, futures = safest, weighed
        evaluation = evaluate(house, settings)
    if settings != found.settings and futures is not None:
        alternatives.append(
            Alternative(
                kind="as measured",
                name="best as measured",
                reason=futures.passed_over,
                settings=found.settings,
                evaluation=found.evaluation,
            )
        )
    near = _near(house, rules, settings, deadline)
    better = min((a for a in near if _takes_over(house, rules, a, evaluation)), key=_rank, default=None)
    if futures is None and not found.proven and better is not None:
        # The search was cut off, and a neighbour of what it had is better: that is the plan then.
        settings, evaluation = better.settings, better.evaluation
        near = _near(house, rules, settings, deadline)
    # What is better than a plan that was taken for its safety is not "next best": it was not weighed for safety.
    alternatives += [a for a in near if a.evaluation.rank >= evaluation.rank]
    return Plan(
        settings=settings,
        evaluation=evaluation,
        now=evaluate(house, house.job.settings),
        proven=found.proven and evaluation.rank <= found.evaluation.rank,
        bound=found.bound,
        channel_plan=rules.channel_plan,
        seconds=took,
        steps=found.steps,
        alternatives=tuple(alternatives),
        choices=found.choices,
        futures=futures,
    )


def _near(house: House, rules: Rules, settings: Settings, deadline: Deadline) -> list[Alternative]:
    """Settings that differ from a plan in one thing."""
    return runners_up(house, rules, settings, deadline) + other_choices(house, rules, settings, deadline)


def _takes_over(house: House, rules: Rules, other: Alternative, than: Evaluation) -> bool:
    """Whether an alternative may take a plan's place, and is better."""
    lawful = other.evaluation.lawful and follows(house.job, other.settings, rules)
    return lawful and other.evaluation.rank < than.rank


def _rank(alternative: Alternative) -> Rank:
    return alternative.evaluation.rank


def _rules_of_thumb(house: House) -> list[Alternative]:
    found = []
    for name, reason, pick in (
        ("fewest networks", "the channel on which the fewest networks are heard", fewest_networks),
        ("furthest number", "the number furthest from everybody else's", furthest_number),
        ("careful technician", "1/6/11 by least use, 80 MHz apart at 5 GHz, middle power, Zigbee clear of it", careful),
    ):
        settings = pick(house, with_lawful_power(house.job, house.job.settings))
        found.append(
            Alternative(
                kind="rule of thumb", name=name, reason=reason, settings=settings, evaluation=evaluate(house, settings)
            )
        )
    return found


def _channel_plans(
    house: House, rules: Rules, found: Found, deadline: Deadline, pinned: dict[str, Block] | None
) -> list[Alternative]:
    reasons = {
        "1/6/11 only": "1, 6, 11 (or 1, 5, 9, 13) at 20 MHz only",
        "any legal channel": "every legal channel and width is weighed",
    }
    ssid_plans = []
    for channel_plan in CHANNEL_PLANS:
        other = found
        if channel_plan != rules.channel_plan:
            other = best_settings(house, replace(rules, channel_plan=channel_plan), deadline, pinned)
        ssid_plans.append(
            Alternative(
                kind="kind",
                name=channel_plan,
                reason=reasons[channel_plan],
                settings=other.settings,
                evaluation=other.evaluation,
            )
        )
    return ssid_plans


def other_choices(house: House, rules: Rules, settings: Settings, deadline: Deadline = NO_END) -> list[Alternative]:
    """Beside the blocks: for each other thing that the rules leave free the best way to set it differently while all
    else stays as planned. A radio's power, names and steering, a link's band, the Zigbee channel."""
    job, held = house.job, rules.held
    ways: list[tuple[str, list[Settings]]] = []
    if rules.power:
        for n, setting in enumerate(settings.radios):
            if setting.enabled and not (held is not None and setting.radio_id in held.radio_ids):
                steps = [replace(setting, eirp_dbm=e) for e in steps_of(house, setting) if e != setting.eirp_dbm]
                lawful = [s for s in steps if not radio_violations(job, s)]
                radios = [(*settings.radios[:n], s, *settings.radios[n + 1 :]) for s in lawful]
                ways.append((f"{setting.radio_id} at", [replace(settings, radios=r) for r in radios]))
    if rules.steering and not (held is not None and held.ssid_plan) and all(n.steering != "nothing" for n in job.nodes):
        names = [n for n in ssid_choices(job, STEERING_DBM) if n != settings.ssid_plan]
        ways.append(("names and steering:", [replace(settings, ssid_plan=n) for n in names]))
    if job.zigbee is not None and not (held is not None and held.zigbee):
        others = [z for z in job.zigbee.selectable_channels if z != settings.zigbee_channel]
        ways.append(("Zigbee on", [replace(settings, zigbee_channel=z) for z in others]))
    if rules.links and not (held is not None and held.links):
        for node in job.nodes:
            if node.uplink is not None and node.uplink.band is not None:
                ways.append((f"the link of {node.name}", other_links(house, settings, node)))
    found = []
    for what, options in ways:
        if deadline.over():
            break
        tried = [(evaluate(house, s), s) for s in options]
        best = min(tried, key=lambda t: t[0].rank, default=None)
        if best is not None:
            name = f"{what} {_differs(settings, best[1])}"
            found.append(
                Alternative(
                    kind="next best", name=name, reason="all else as planned", settings=best[1], evaluation=best[0]
                )
            )
    return found


def _differs(plan: Settings, other: Settings) -> str:
    """In what a setting differs from a plan, in a word or two."""
    if other.zigbee_channel != plan.zigbee_channel:
        return str(other.zigbee_channel)
    if other.link_bands != plan.link_bands:
        moved = [e for e in other.link_bands if e not in plan.link_bands]
        return f"at {moved[0].band}" if moved else "on its band of before"
    if other.ssid_plan != plan.ssid_plan:
        level = other.ssid_plan.high_band_from_dbm
        return f"{other.ssid_plan.kind}, {'no steering' if level is None else f'steered from {level:g} dBm'}"
    changed = next(s for s in other.radios if s != plan.of(s.radio_id))
    return f"{changed.eirp_dbm:g} dBm"


def runners_up(house: House, rules: Rules, settings: Settings, deadline: Deadline = NO_END) -> list[Alternative]:
    """For each radio the best other block while all else stays as planned: what it would cost to differ there."""
    found: list[Alternative] = []
    for band in BANDS:
        problem = band_problem(house, settings, band, rules)
        placement = Placement(problem)
        present = [
            options.index(b) if b in options else None
            for options, b in zip(problem.blocks, problem.present, strict=True)
        ]
        for v, group in enumerate(problem.groups):
            if deadline.over():
                return found
            others = {u: i for u, i in enumerate(present) if u != v and i is not None}
            if len(problem.blocks[v]) < 2 or len(others) != len(problem.groups) - 1:
                continue
            first, second, _ = placement.bounds(v, others)
            ranked = sorted(range(len(first)), key=lambda i: (int(first[i]), int(second[i])))
            centre = problem.present[v].centre_mhz, problem.present[v].width_mhz
            blocks = problem.blocks[v]
            best = next((i for i in ranked if (blocks[i].centre_mhz, blocks[i].width_mhz) != centre), None)
            if best is None:
                continue
            ids = {house.radios[r].id for r in group}
            changed = replace(
                settings, radios=tuple(with_block(s, blocks[best]) if s.radio_id in ids else s for s in settings.radios)
            )
            name = f"{' and '.join(sorted(ids))} on {blocks[best].channel} at {blocks[best].width_mhz} MHz"
            found.append(
                Alternative(
                    kind="next best",
                    name=name,
                    reason="all else as planned",
                    settings=changed,
                    evaluation=evaluate(house, changed),
                )
            )
    return found
