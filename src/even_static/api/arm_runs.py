"""Keeping the turns of an A/B test."""

from __future__ import annotations

from dataclasses import replace

from even_static.api.service import Service
from even_static.core.change.ab_tests import find_ab_test, view_of
from even_static.core.errors import BadInput
from even_static.core.house.ab_test import ArmRun
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job
from even_static.store.steps import StoredCall


def add_arm_run(service: Service, call_id: int, ab_test_id: str, visit: ArmRun) -> StoredCall:
    """Keep a turn of an A/B test. BadInput where it is not that arm's turn, or the A/B test has ended."""

    def add(job: Job) -> Job:
        view = view_of(job, find_ab_test(job, ab_test_id))
        if view.next_arm != visit.arm:
            wanted = view.next_arm or "none: it has ended"
            raise BadInput("arm", "must be the one whose turn it is", visit.arm, wanted)
        done = replace(view.ab_test, arm_runs=(*view.ab_test.arm_runs, visit))
        found = replace(job, ab_tests=tuple(done if t.id == ab_test_id else t for t in job.ab_tests))
        validate_job(found)
        return found

    return service.amend(call_id, add, f"turn {visit.arm} of an A/B test")
