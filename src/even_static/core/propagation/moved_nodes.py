"""Nodes moved to other stands, and the level that a radio link has then."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from even_static.core.house.building import Stand
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.propagation.coverage import Coverage, coverage_of
from even_static.core.propagation.loss import antenna_gain_db
from even_static.core.propagation.stands import (
    remembering_stands,
    stand_point,
)
from even_static.core.tables.materials import MOUNTING_DB


def with_stands(job: Job, stands: Mapping[str, Stand]) -> Job:
    """The job with nodes moved; radio links take the level that the move gives them."""
    if not stands:
        return job
    moved = replace(job, nodes=tuple(replace(n, stand=stands.get(n.id, n.stand)) for n in job.nodes))
    moved = remembering_stands(moved, job)
    coverage = coverage_of(job)
    if coverage is None:
        return moved
    by_id = {n.id: n for n in job.nodes}
    nodes = []
    for node in moved.nodes:
        if node.uplink is not None and node.uplink.band is not None and node.uplink.rssi_dbm is not None:
            ends = {node.id, node.uplink.to_node_id} & set(stands)
            if ends:
                before = link_level(coverage, by_id[node.id])
                after = link_level(coverage, by_id[node.id], stands)
                if before is not None and after is not None:
                    level = float(np.clip(node.uplink.rssi_dbm + after - before, -120, 0))
                    node = replace(node, uplink=replace(node.uplink, rssi_dbm=round(level, 1), expected=True))
        nodes.append(node)
    return replace(moved, nodes=tuple(nodes))


def link_level(coverage: Coverage, node: Node, stands: Mapping[str, Stand] | None = None) -> float | None:
    """Predicted level in dBm at which a node receives the node it hangs on by radio; None without a radio link."""
    if node.uplink is None or node.uplink.band is None:
        return None
    parent = next(n for n in coverage.job.nodes if n.id == node.uplink.to_node_id)
    here, there = coverage.stand(node, stands), coverage.stand(parent, stands)
    fitting = [i for i, r in enumerate(coverage.radios) if r in parent.radios and r.band == node.uplink.band]
    radio = next((i for i in fitting if coverage.radios[i].id == node.uplink.to_radio_id), fitting[0])
    if here is None or there is None:
        return None
    at, origin = stand_point(coverage.building, here), stand_point(coverage.building, there)
    level = float(coverage.levels_at([at], stands).level_dbm[radio, 0])
    # What puts this node's own signal down puts down what it receives: its antennas and how it is put up.
    own = float(antenna_gain_db(here.antennas, np.array([np.subtract(origin, at)]))[0])
    own -= MOUNTING_DB[here.mounting][node.uplink.band]
    return None if np.isnan(level) else level + own
