"""How plans do where neighbours' load and the levels turn out otherwise than measured: drawn futures, the same for all.

A plan that is best as measured but makes the house worse than now in many futures is not chosen over one that is safe.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from even_static.core.house.settings import Settings
from even_static.core.model.daily import heard_parts, part_of
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.rank import counted_headroom
from even_static.core.search.deadline import Deadline
from even_static.core.survey.air import Air
from even_static.core.tables.bands import BANDS
from even_static.core.tables.propagation import LOAD_SPREAD, READ_SPREAD_DB, UNHEARD_DBM, UNREAD_SPREAD_DB

DRAWS, FEWEST_DRAWS = 40, 4
# A plan that leaves the house worse than now in more than this share of the futures is not safe.
MOST_HARM = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class Futures:
    """A plan in drawn futures, against the present setting in the same ones. Headrooms and problems: the middle, and
    the tenth of the futures that is worst."""

    draws: int
    better: int
    worse: int
    problems_middle: float
    problems_bad: float
    headroom_middle: float
    headroom_bad: float
    passed_over: str
    """Why the plan that is best as measured was not taken; empty where it was."""
    parts: tuple[str, ...] = ()
    """Parts of the day that were heard, where there are several: the plan was weighed in each."""
    worse_in: tuple[str, ...] = ()
    """Those of them in which the plan leaves the house worse than now."""


def drawn(air: Air, seed: int) -> Air:
    """The air as it may be on another day: loads and levels drawn around what was measured."""
    rng = np.random.default_rng(seed)
    use = np.clip(air.use_fraction * np.exp(rng.normal(0, LOAD_SPREAD, len(air.use_fraction))), 0.0, 0.98)
    read = np.array([air.heard[b] for b in BANDS])
    spread = np.where(read, READ_SPREAD_DB, UNREAD_SPREAD_DB)
    rows = {b: i for i, b in enumerate(BANDS)}
    theirs = spread[[rows[n.band] for n in air.networks]] if air.networks else np.zeros_like(air.rssi_dbm)
    # Half of what a network's levels swing by it has everywhere, half at each spot by itself.
    common = rng.normal(0, 1, (len(air.networks), 1)) / np.sqrt(2) + rng.normal(0, 1, air.rssi_dbm.shape) / np.sqrt(2)
    rssi = np.where(air.rssi_dbm > UNHEARD_DBM, np.minimum(air.rssi_dbm + theirs * common, -5.0), UNHEARD_DBM)
    mine = rng.normal(0, READ_SPREAD_DB, air.own_rssi_dbm.shape)
    own = np.where(air.own_rssi_dbm > UNHEARD_DBM, np.minimum(air.own_rssi_dbm + mine, -5.0), UNHEARD_DBM)
    return replace(air, use_fraction=use, rssi_dbm=rssi, own_rssi_dbm=own)


def weigh(
    house: House, plans: list[Settings], draws: int = DRAWS, deadline: Deadline | None = None
) -> tuple[Settings, Futures]:
    """The plan to take of some (the first is the best as measured), and how it does in the futures: in fewer of them
    where the time is over before."""
    job = house.job
    now_keys, keys, evaluations = [], [], []
    for seed in range(draws):
        if seed >= FEWEST_DRAWS and deadline is not None and deadline.over():
            draws = seed
            break
        future = House(job, in_air=drawn(house.air, seed))
        now_keys.append(evaluate(future, job.settings).rank.noticed)
        found = [evaluate(future, p) for p in plans]
        evaluations.append(found)
        # Changes and taken_airtime do not make a house worse for those who live in it.
        keys.append([e.rank.noticed for e in found])
    worse = [sum(keys[s][p] > now_keys[s] for s in range(draws)) for p in range(len(plans))]
    better = [sum(keys[s][p] < now_keys[s] for s in range(draws)) for p in range(len(plans))]
    nominal = [evaluate(house, p).rank for p in plans]
    limit = MOST_HARM * draws
    parts = heard_parts(job)
    parts = parts if len(parts) > 1 else []
    worse_in: list[list[str]] = [[] for _ in plans]
    for name in parts:
        then = part_of(job, name)
        before = evaluate(then, job.settings).rank.noticed
        for p, plan in enumerate(plans):
            if evaluate(then, plan).rank.noticed > before:
                worse_in[p].append(name)
    taken = min(range(len(plans)), key=lambda p: (len(worse_in[p]), max(worse[p] - limit, 0), nominal[p], p))
    passed_over = ""
    if taken != 0 and plans[taken] != plans[0]:
        passed_over = f"the best as measured leaves the house worse than now in {worse[0]} of {draws} drawn futures"
        if worse_in[0]:
            passed_over = f"the best as measured leaves the house worse than now in the {' and the '.join(worse_in[0])}"
    mine = [evaluations[s][taken] for s in range(draws)]
    problems = np.array([e.problems for e in mine], dtype=np.float64)
    headroom = np.array([counted_headroom(e.headroom) for e in mine])
    return plans[taken], Futures(
        draws=draws,
        better=better[taken],
        worse=worse[taken],
        problems_middle=float(np.median(problems)),
        problems_bad=float(np.quantile(problems, 0.9)),
        headroom_middle=float(np.median(headroom)),
        headroom_bad=float(np.quantile(headroom, 0.1)),
        passed_over=passed_over,
        parts=tuple(parts),
        worse_in=tuple(worse_in[taken]),
    )
