"""Radio links of a job: which radios are at their ends, and which have to be on one block."""

from __future__ import annotations

import itertools

from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio, followed
from even_static.core.tables.bands import Band


def link_ends(job: Job, node_id: str) -> tuple[str, str] | None:
    """The radios at the near and far end of a node's radio link, or None when it hangs on a cable or on nothing."""
    node = next(n for n in job.nodes if n.id == node_id)
    if node.uplink is None or node.uplink.band is None:
        return None
    parent = next(n for n in job.nodes if n.id == node.uplink.to_node_id)
    near = link_radio(parent, node.uplink.band, node.uplink.to_radio_id)
    far = link_radio(node, node.uplink.band, node.uplink.radio_id)
    return near.id, far.id


def on_one_block(job: Job) -> list[tuple[str, str]]:
    """Pairs of radios that have to be on one block, the one that the other follows first: both ends of every radio
    link, and of a mesh that forms itself each radio behind the gateway's."""
    forming = {n.id for n in job.nodes if n.self_forming}
    ends = (link_ends(job, n.id) for n in job.nodes if n.id not in forming)
    led = [(near.id, far.id) for near, far in followed(job.nodes)]
    # Those that follow one radio stay together where that one is off.
    beside = [(a[1], b[1]) for a, b in itertools.pairwise(sorted(led)) if a[0] == b[0]]
    return [*led, *beside, *(e for e in ends if e is not None)]


def link_radio(node: Node, band: Band, radio_id: str | None) -> Radio:
    """A node's radio for a link on a band: the one named, else the one given over to links, else the first."""
    fitting = [r for r in node.radios if r.band == band]
    named = [r for r in fitting if r.id == radio_id]
    return (named or [r for r in fitting if r.link_only] or fitting)[0]
