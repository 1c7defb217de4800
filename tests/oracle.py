"""The whole problem for a general constraint solver (CP-SAT, ortools): the cross-check of the search, and its rival in
the bench. It chooses among all listed choices of power, switches, links and names, and each radio's block under it, for
the fewest problems and then the best smallest headroom; Zigbee is left out (it does not add up linearly)."""

from __future__ import annotations

from dataclasses import dataclass

from ortools.sat.python import cp_model

from even_static.core.model.evaluate import ssid_problems
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.model.rank import HEADROOM_BINS
from even_static.core.search.band_problem import BandProblem, band_problem
from even_static.core.search.candidates import Rules
from even_static.core.search.choices import listed_choices
from even_static.core.tables.bands import BANDS

SCALE = 10**6


@dataclass(frozen=True, slots=True)
class Answer:
    """What the solver found: problems, bin of the smallest headroom, and whether both are proven."""

    problems: int
    worst_bin: int
    proven: bool


def solve_whole(house: House, rules: Rules, seconds: float = 60.0) -> Answer:
    """The best (problems, smallest headroom) over every listed choice and every block, by the general solver."""
    model = cp_model.CpModel()
    worst = model.new_int_var(0, HEADROOM_BINS, "worst")
    chosen, problems = [], []
    for group in listed_choices(house, rules):
        linked = house.linked_by(group.start.link_bands)
        for n in range(len(group.eirp_dbm)):
            settings = group.settings(n)
            x = model.new_bool_var("")
            chosen.append(x)
            certain = radio_state(linked, settings).homeless + len(ssid_problems(house.job, settings))
            problems.append(certain * x)
            for band in BANDS:
                problem = band_problem(house, settings, band, rules)
                if problem.radios:
                    _band(model, problem, x, worst, problems)
    model.add_exactly_one(chosen)
    model.minimize((HEADROOM_BINS + 1) * sum(problems) + HEADROOM_BINS - worst)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 2
    status = solver.solve(model)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return Answer(10**6, 0, False)
    count, missing = divmod(round(solver.objective_value), HEADROOM_BINS + 1)
    return Answer(count, HEADROOM_BINS - missing, status == cp_model.OPTIMAL)


def _band(
    model: cp_model.CpModel,
    problem: BandProblem,
    x: cp_model.IntVar,
    worst: cp_model.IntVar,
    problems: list[cp_model.LinearExprT],
) -> None:
    """A band under one choice: a block for each group of radios if the choice is taken, nothing if it is not."""
    pick = [[model.new_bool_var("") for _ in blocks] for blocks in problem.blocks]
    for row in pick:
        model.add(sum(row) == x)
    group_of = problem.group_of
    for r in problem.radios:
        v = group_of[r]
        terms = problem.terms[r]
        short = model.new_bool_var("")
        for i, mine in enumerate(pick[v]):
            parts = [round(float(terms.need_fraction[i]) * SCALE)]
            for q in problem.radios:
                if q == r:
                    continue
                need = problem.terms[q].need_fraction
                if group_of[q] == v:
                    parts.append(round(float(need[i]) * SCALE))
                    continue
                cost = problem.extra[r, q][i] + problem.share[r, q][i] * need
                parts += [round(float(c) * SCALE) * pick[group_of[q]][j] for j, c in enumerate(cost)]
            available = round(float(terms.available_fraction[i]) * SCALE)
            load = sum(parts)
            # Bin b is reached where 20 * available >= b * load (beyond 40 in threes: 15 %): told bin by bin, since a
            # product is slow.
            for b in range(1, HEADROOM_BINS + 1):
                reached = model.new_bool_var("")
                model.add(worst <= b - 1).only_enforce_if([mine, reached.negated()])
                model.add(20 * available >= (b if b <= 40 else 40 + 3 * (b - 40)) * load).only_enforce_if(
                    [mine, reached]
                )
            model.add(available >= load).only_enforce_if([mine, short.negated()])
            problems.append(round(float(terms.no_link[i])) * mine)
            musts = round(float(terms.linked_musts[i]))
            if musts:
                both = model.new_bool_var("")
                model.add_bool_or([mine.negated(), short.negated(), both])
                problems.append(musts * both)
