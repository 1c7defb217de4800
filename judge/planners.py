"""Ways to make a plan that the judge can compare: the product's own, and parts of it."""

from __future__ import annotations

import time
from collections.abc import Callable

from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import EVERYTHING, with_lawful_power
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import decide
from even_static.core.search.plan import best_settings, make_plan
from even_static.core.search.rules_of_thumb import careful
from even_static.core.worlds.outlook import Outlook

Planner = Callable[[Job, float], tuple[Settings, tuple[float, float], Outlook | None]]


def whole_plan(job: Job, seconds: float) -> tuple[Settings, tuple[float, float], Outlook | None]:
    """What the application advises, and the (problems, headroom) that it promises."""
    plan = make_plan(House(job), EVERYTHING, seconds)
    if plan.outlook is not None:
        figures = {f.name: f.then.middle for f in plan.outlook.figures}
        return plan.settings, (figures["problems"], figures["headroom"]), plan.outlook
    return plan.settings, (plan.evaluation.problems, min(plan.evaluation.headroom or 0.0, 3.5)), None


def model_best(job: Job, seconds: float) -> tuple[Settings, tuple[float, float], Outlook | None]:
    """The best in the model, nothing weighed."""
    house = House(job)
    found = best_settings(house, EVERYTHING, time.monotonic() + seconds)
    figures = evaluate(house, found.settings)
    return found.settings, (figures.problems, min(figures.headroom or 0.0, 3.5)), None


def many_worlds(job: Job, seconds: float) -> tuple[Settings, tuple[float, float], Outlook | None]:
    """The model's best and the careful recipe, decided on in drawn worlds."""
    house = House(job)
    deadline = Deadline(time.monotonic() + seconds)
    found = best_settings(house, EVERYTHING, deadline.part(0.3))
    proposed = {
        "best in the model": found.settings,
        "careful technician": careful(house, with_lawful_power(job, job.settings)),
    }
    decision = decide(house, EVERYTHING, proposed, deadline)
    lived = decision.taken.lived
    return decision.taken.settings, (float(lived.problems.mean()), float(lived.headroom.mean())), decision.outlook


PLANNERS: dict[str, Planner] = {"plan": whole_plan, "model": model_best, "worlds": many_worlds}
