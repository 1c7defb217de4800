"""Plans that were kept under a name, compared with the present setting and with each other."""

from __future__ import annotations

from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.building import NodeStand, Stand
from even_static.core.house.job import Job
from even_static.core.house.settings import KeptPlan, Settings
from even_static.core.house.validate import validate_settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import count_changes
from even_static.core.propagation.moved_nodes import with_stands

MOST_PLANS = 100


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparedPlan:
    """A plan beside the present setting: its figures, the changes it takes, and its rank (1 is the best). ``stale``
    says why it does not fit the kit any more; it has no figures then."""

    plan_id: str | None
    name: str
    kept_at: str | None
    settings: Settings
    stands: tuple[NodeStand, ...]
    evaluation: Evaluation | None
    changes: int
    rank: int | None
    stale: str


def stands_of_plan(job: Job, plan: KeptPlan) -> dict[str, Stand]:
    """Where a plan puts nodes that the call still has."""
    nodes = {n.id for n in job.nodes}
    return {s.node_id: s.stand for s in plan.stands if s.node_id in nodes}


def compare_plans(house: House) -> list[ComparedPlan]:
    """The present setting and every kept plan, as they were kept; ranks by the order of settings."""
    job = house.job
    now = evaluate(house, job.settings)
    found = [
        ComparedPlan(
            plan_id=None,
            name="as it is now",
            kept_at=None,
            settings=job.settings,
            stands=(),
            evaluation=now,
            changes=0,
            rank=None,
            stale="",
        )
    ]
    for plan in job.plans:
        try:
            validate_settings(job, plan.settings)
        except BadInput as error:
            found.append(
                ComparedPlan(
                    plan_id=plan.id,
                    name=plan.name,
                    kept_at=plan.kept_at,
                    settings=plan.settings,
                    stands=plan.stands,
                    evaluation=None,
                    changes=0,
                    rank=None,
                    stale=str(error),
                )
            )
            continue
        stands = stands_of_plan(job, plan)
        there = house.changed(with_stands(job, stands)) if stands else house
        figures = evaluate(there, plan.settings)
        changes = count_changes(job.settings, plan.settings) + len(stands)
        found.append(
            ComparedPlan(
                plan_id=plan.id,
                name=plan.name,
                kept_at=plan.kept_at,
                settings=plan.settings,
                stands=plan.stands,
                evaluation=figures,
                changes=changes,
                rank=None,
                stale="",
            )
        )
    keys = sorted(p.evaluation.rank for p in found if p.evaluation is not None)
    return [replace(p, rank=None if p.evaluation is None else 1 + keys.index(p.evaluation.rank)) for p in found]
