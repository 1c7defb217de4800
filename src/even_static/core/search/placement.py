"""The whole search with nodes that can be moved as well: every allowed spot is weighed, the best are searched."""

from __future__ import annotations

import itertools
import math
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.building import NodeStand, Outlet, Stand
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.rank import Rank
from even_static.core.progress import OnProgress
from even_static.core.propagation.coverage import coverage_of
from even_static.core.propagation.moved_nodes import with_stands
from even_static.core.propagation.stands import stands_now
from even_static.core.search.candidates import Rules
from even_static.core.search.plan import Plan, make_plan
from even_static.core.tables.placing import SHELF_M

MOST_MOVING = 2
# So many ways of standing are searched to the end, the best ones by the settings as they are.
SEARCHED = 4
# Another storey counts as so many metres when spots are weighed near ones first (common practice, no source).
STOREY_M = 6.0
# So many are weighed at all.
MOST_WAYS = 400
# Share of the time for weighing and searching; the rest is for telling it.
PLANS_SHARE = 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class TriedPlacement:
    """A way for the nodes to stand: outlets by node, the house's figures there with the settings as they are, and the
    figures with the best settings where it was searched."""

    stands: tuple[NodeStand, ...]
    outlets: tuple[str, ...]
    problems: int
    headroom: float | None
    best_problems: int | None
    best_headroom: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PlacedPlan:
    """The best plan with its stands (empty: nobody moves), the best of the ways that were weighed, best first, how many
    were weighed, and how many there are: fewer were weighed where the time ended first."""

    plan: Plan
    stands: tuple[NodeStand, ...]
    ways: list[TriedPlacement]
    weighed: int
    possible: int


def make_placed_plan(
    house: House,
    node_ids: list[str],
    rules: Rules,
    seconds: float,
    on_progress: OnProgress | None = None,
    wanted: Callable[[], bool] | None = None,
) -> PlacedPlan:
    """The best setting and the best spots for nodes that may move, within a time.

    A node on a cable may stand where a cable drop is, the others at any socket; a radio link takes the level that the
    move gives it. Proven means: for the ways that were searched. BadInput where the house does not say enough.
    """
    job = house.job
    _require(job, node_ids)
    began = time.monotonic()
    choices = _choices(house, node_ids)
    weighed = _weigh_moves(house, node_ids, choices, lambda: time.monotonic() - began > seconds / 3, wanted)
    first = weighed[:SEARCHED]
    # Where they stand now is always among what is searched.
    if all(w[1] for w in first):
        first[-1] = next(w for w in weighed if not w[1])
    found: list[tuple[Plan, dict[str, Stand], tuple[str, ...]]] = []
    for n, (_, stands, names, there) in enumerate(first):
        if found and wanted is not None and not wanted():
            break
        share = max(PLANS_SHARE * seconds - (time.monotonic() - began), 0.5) / (len(first) - n)

        def tell(text: str, part: float, n: int = n, names: tuple[str, ...] = names) -> object:
            return on_progress is None or on_progress(f"{' and '.join(names)}: {text}", (n + part) / len(first))

        found.append((make_plan(there, rules, share, None, tell, wanted, in_worlds=False), stands, names))
    best = min(found, key=lambda f: (f[0].evaluation.rank.noticed, len(f[1]), f[0].evaluation.rank))
    searched = {names: plan for plan, _, names in found}
    ways = []
    for _, stands, names, there in weighed[: 3 * SEARCHED]:
        figures = evaluate(there, job.settings)
        plan = searched.get(names)
        ways.append(
            TriedPlacement(
                stands=_as_tuple(stands),
                outlets=names,
                problems=figures.problems,
                headroom=figures.headroom,
                best_problems=None if plan is None else plan.evaluation.problems,
                best_headroom=None if plan is None else plan.evaluation.headroom,
            )
        )
    now = evaluate(house, job.settings)
    return PlacedPlan(
        plan=replace(best[0], now=now),
        stands=_as_tuple(best[1]),
        ways=ways,
        weighed=len(weighed),
        possible=len(choices),
    )


def _choices(house: House, node_ids: list[str]) -> list[tuple[Outlet | None, ...]]:
    """Every way to place the nodes, no two at one outlet: None where a node stays, outlets near it before far ones."""
    job = house.job
    now = {s.node_id: s.stand for s in stands_now(job) or ()}
    options: list[list[Outlet | None]] = []
    for node in (n for i in node_ids for n in job.nodes if n.id == i):
        here = now.get(node.id)
        near = sorted(_outlets(job, node), key=lambda o: 0.0 if here is None else _steps_away(o, here))
        options.append([None, *near])
    # A node that stays comes first in each list: all near outlets of both are weighed before any far one.
    ways = sorted(itertools.product(*map(enumerate, options)), key=lambda way: sum(n for n, _ in way))
    found = [tuple(o for _, o in way) for way in ways]
    return [w for w in found if len({o.id for o in w if o is not None}) == sum(o is not None for o in w)]


def _steps_away(outlet: Outlet, stand: Stand) -> float:
    return math.dist((outlet.x_m, outlet.y_m), (stand.x_m, stand.y_m)) + STOREY_M * abs(outlet.storey - stand.storey)


def _weigh_moves(
    house: House,
    node_ids: list[str],
    choices: list[tuple[Outlet | None, ...]],
    over: Callable[[], bool],
    wanted: Callable[[], bool] | None,
) -> list[tuple[Rank, dict[str, Stand], tuple[str, ...], House]]:
    """(rank under the present settings, stands, names of the outlets, the house so) of every way to place the nodes,
    best first; ended early once ``over`` says so or nobody waits."""
    job = house.job
    weighed: list[tuple[Rank, dict[str, Stand], tuple[str, ...], House]] = []
    for outlets in choices[:MOST_WAYS]:
        stands = {i: _stand(o) for i, o in zip(node_ids, outlets, strict=True) if o is not None}
        there = house.changed(with_stands(job, stands)) if stands else house
        names = tuple(o.name if o is not None else "where it is" for o in outlets)
        weighed.append((evaluate(there, job.settings).rank.noticed, stands, names, there))
        if over() or (wanted is not None and not wanted()):
            break
    return sorted(weighed, key=lambda w: w[0])


def _require(job: Job, node_ids: list[str]) -> None:
    known = {n.id for n in job.nodes}
    unknown = [i for i in node_ids if i not in known]
    if unknown:
        raise BadInput("move_node_ids", "must name nodes of the call", ", ".join(unknown), ", ".join(sorted(known)))
    if not 1 <= len(set(node_ids)) <= MOST_MOVING:
        raise BadInput("move_node_ids", "must be one node or two", len(node_ids), f"1 to {MOST_MOVING}")
    if coverage_of(job) is None:
        raise BadInput("building", "must be entered, with a node standing in it", "no rooms or no placed node", "House")
    if not any(o.power for o in (job.building.outlets if job.building else ())):
        raise BadInput("building.outlets", "must hold a spot where a node may be put", "none", "sockets under House")


def _outlets(job: Job, node: Node) -> list[Outlet]:
    assert job.building is not None
    wired = node.uplink is None or node.uplink.band is None
    return [o for o in job.building.outlets if o.power and (o.cable_drops > 0 or not wired)]


def _stand(outlet: Outlet) -> Stand:
    return Stand(storey=outlet.storey, x_m=outlet.x_m, y_m=outlet.y_m, height_m=SHELF_M)


def _as_tuple(stands: dict[str, Stand]) -> tuple[NodeStand, ...]:
    return tuple(NodeStand(i, s) for i, s in stands.items())
