"""A call as it was known before its first change."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from even_static.core.house.changes import Change
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.house.links import link_bands_to
from even_static.core.house.settings import Settings


def as_known_before(job: Job, first: Change) -> Job:
    """The job with what was known before the first change, at the settings and with the uplinks of then: scans, tests
    and lists of before count again, as they did."""
    cut = datetime.fromisoformat(first.changed_at)

    def early(at: str) -> bool:
        return datetime.fromisoformat(at) <= cut

    return replace(
        job,
        nodes=nodes_before(job),
        settings=first.before,
        changes=(),
        scans=tuple(s for s in job.scans if early(s.heard_at)),
        speed_tests=tuple(t for t in job.speed_tests if early(t.tested_at)),
        zigbee_reports=tuple(r for r in job.zigbee_reports if early(r.reported_at)),
        client_list=tuple(c for c in job.client_list if early(c.listed_at)),
        channel_uses=tuple(u for u in job.channel_uses if early(u.seen_at)),
    )


def nodes_before(job: Job) -> tuple[Node, ...]:
    """The nodes with their uplinks of before the first change."""
    ids = {n.id for n in job.nodes}
    newest_first = sorted(job.changes, key=lambda c: datetime.fromisoformat(c.changed_at), reverse=True)
    then = {f.node_id: f.uplink for c in newest_first for f in c.uplinks_before if f.uplink.to_node_id in ids}
    return tuple(replace(n, uplink=then[n.id]) if n.id in then and n.uplink is not None else n for n in job.nodes)


def settings_before(job: Job, first: Change) -> Settings:
    """The settings before the first change, radio links that have been moved since put back with them."""
    return replace(first.before, link_bands=link_bands_to(job.nodes, nodes_before(job)))
