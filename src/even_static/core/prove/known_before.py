"""A call as it was known before its first change."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from even_static.core.house.changes import Change
from even_static.core.house.job import Job


def as_known_before(job: Job, first: Change) -> Job:
    """The job with what was known before the first change, at the settings of then: scans, tests and lists of before
    count again, as they did."""
    cut = datetime.fromisoformat(first.changed_at)

    def early(at: str) -> bool:
        return datetime.fromisoformat(at) <= cut

    return replace(
        job,
        settings=first.before,
        changes=(),
        scans=tuple(s for s in job.scans if early(s.heard_at)),
        speed_tests=tuple(t for t in job.speed_tests if early(t.tested_at)),
        zigbee_reports=tuple(r for r in job.zigbee_reports if early(r.reported_at)),
        client_list=tuple(c for c in job.client_list if early(c.listed_at)),
        channel_uses=tuple(u for u in job.channel_uses if early(u.seen_at)),
    )
