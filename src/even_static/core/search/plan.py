"""The tuner: the best setting of the house with its proof, and what else one might have done."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from even_static.core.house.settings import Settings, setting_block
from even_static.core.model.evaluate import MOST_HEADROOM, evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.model.rank import HEADROOM_BINS, Rank, headroom_bin, headroom_of
from even_static.core.progress import OnProgress
from even_static.core.search.band_problem import band_problem
from even_static.core.search.candidates import Rules, channel_sets, follows, kept_to, start_of, with_lawful_power
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import decide
from even_static.core.search.everything import search_whole
from even_static.core.search.moves import ends_agree, may_be_set
from even_static.core.search.near_settings import Alternative, other_choices, runners_up
from even_static.core.search.one_band import BandResult, solve
from even_static.core.search.rules_of_thumb import careful, fewest_networks, furthest_number, with_block
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import BANDS
from even_static.core.tables.channel_plans import CHANNEL_PLANS, ChannelPlan
from even_static.core.tables.worlds import DECISION_S
from even_static.core.worlds.outlook import Outlook

# Shares of the time that is left: for the search, and for each of the two that are told beside it.
SEARCH_SHARE, MODEL_SHARE, BESIDE_SHARE = 0.6, 0.3, 0.2
RESERVE_S = 1.5
# A search that ended so long after its time would again: others are not begun beside it then.
OVERRAN_S = 0.5


@dataclass(frozen=True, slots=True)
class Bound:
    """What no setting can beat: the fewest problems, and the largest smallest headroom (capped at 3.5)."""

    problems: int
    headroom: float


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
    model_proven: bool = False
    """Whether the best in the model, which may be another one, is proven there."""
    outlook: Outlook | None = None
    """What will come of the plan, in drawn worlds; none where only the kit is known."""


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
    bound = Bound(rank.problems, headroom_of(rank.worst_headroom_bin))
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
        present = Bound(now.problems, headroom_of(bins))
        better = (present.problems, -present.headroom) <= (best.bound.problems, -best.bound.headroom)
        return replace(best, settings=job.settings, evaluation=now, bound=present if better else best.bound)
    return best


def _may_stay(house: House, rules: Rules, pinned: dict[str, Block] | None) -> bool:
    """Whether the present settings are an answer too: nothing else is held by hand, and they keep to the rules."""
    settings = house.job.settings
    return rules.held is None and not pinned and ends_agree(house, settings) and follows(house.job, settings, rules)


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
    return Bound(homeless + sum(t for t, _ in figures), headroom_of(min(bins, default=HEADROOM_BINS)))


def make_plan(
    house: House,
    rules: Rules | None = None,
    seconds: float = 10.0,
    pinned: dict[str, Block] | None = None,
    on_progress: OnProgress | None = None,
    wanted: Callable[[], bool] | None = None,
    in_worlds: bool = True,
) -> Plan:
    """The setting to take, with what each channel plan, rule of thumb and runner-up would bring instead.

    The exact search proposes the best in the model; with ``in_worlds`` it and the others are then lived in drawn worlds
    and improved there, and what does best in those is taken. Both within a time; what is told beside it shares the
    rest, and is left out where there is none. ``wanted``: asked now and then whether anybody still waits; once not, it
    ends with what it has.
    """
    rules = rules or Rules()
    began = time.monotonic()
    # What is begun before the end is brought to its end: so much of the time is kept for that.
    deadline = Deadline(began + seconds - min(RESERVE_S, 0.3 * seconds), wanted)
    in_worlds = in_worlds and house.job.air_known and house.levels_known
    mine = deadline.part(MODEL_SHARE if in_worlds else SEARCH_SHARE)
    found = best_settings(house, rules, mine, pinned, on_progress)
    alternatives: list[Alternative] = []
    if not deadline.over() and time.monotonic() < mine.at_s + OVERRAN_S:
        beside = deadline.part(BESIDE_SHARE)
        alternatives += _channel_plans(house, rules, found, beside.part(0.5), pinned)
        if rules.whole:
            alternatives.append(_channels_only(house, rules, beside, pinned))
    alternatives += _rules_of_thumb(house)
    settings, evaluation, outlook = found.settings, found.evaluation, None
    if in_worlds:
        settings, outlook = _decided(house, rules, found, alternatives, pinned, deadline, on_progress)
        evaluation = evaluate(house, settings)
    took = time.monotonic() - began
    near = _near(house, rules, settings, deadline)
    better = min((a for a in near if _takes_over(house, rules, a, evaluation)), key=_rank, default=None)
    if outlook is None and not found.proven and better is not None:
        # The search was cut off, and a neighbour of what it had is better: that is the plan then.
        settings, evaluation = better.settings, better.evaluation
        near = _near(house, rules, settings, deadline)
    # What is better in the model than a plan that was taken in the worlds is not "next best": it was not weighed there.
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
        model_proven=found.proven,
        outlook=outlook,
    )


def by_nodes(times_s: tuple[float, ...], house: House) -> float:
    """Of times in s by how many nodes there are that of a house."""
    return times_s[min(len(house.job.nodes), len(times_s)) - 1]


def _channels_only(house: House, rules: Rules, deadline: Deadline, pinned: dict[str, Block] | None) -> Alternative:
    """What channels and widths alone would bring."""
    channels = Rules(channel_plan=rules.channel_plan, avoid_dfs=rules.avoid_dfs, held=rules.held)
    only = best_settings(house, channels, deadline, pinned)
    reason = "power, links and steering stay as they are"
    return Alternative(
        kind="kind", name="channels only", reason=reason, settings=only.settings, evaluation=only.evaluation
    )


def _decided(
    house: House,
    rules: Rules,
    found: Found,
    alternatives: list[Alternative],
    pinned: dict[str, Block] | None,
    deadline: Deadline,
    on_progress: OnProgress | None,
) -> tuple[Settings, Outlook]:
    """What to take of the best in the model, the other kinds of choice and the rules of thumb; where it is not the best
    in the model, that joins the alternatives."""
    proposed = {"best in the model": found.settings}
    for other in alternatives:
        settings = kept_to(house.job, other.settings, rules)
        if not pinned and may_be_set(house, settings) and follows(house.job, settings, rules):
            proposed.setdefault(other.name, settings)
    limit = deadline.sooner(time.monotonic() + by_nodes(DECISION_S, house))
    decision = decide(house, rules, proposed, limit, frozenset(pinned or ()), on_progress)
    taken = decision.taken.settings
    if taken != found.settings:
        alternatives.append(
            Alternative(
                kind="as measured",
                name="best in the model",
                reason=decision.outlook.passed_over or "in the drawn worlds this one does better",
                settings=found.settings,
                evaluation=found.evaluation,
            )
        )
    return taken, decision.outlook


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
