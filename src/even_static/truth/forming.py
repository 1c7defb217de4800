"""Radio links that work, and how a mesh that forms itself finds its own: as its maker had it, by what it hears when it
comes up under a setting."""

from __future__ import annotations

import math
from collections.abc import Iterator

from even_static.core.house.links import followed, gateway_of
from even_static.core.house.settings import Settings
from even_static.truth import ranges
from even_static.truth.bands import Link, block_of
from even_static.truth.house import TrueHouse
from even_static.truth.rates import options


def alive(house: TrueHouse, settings: Settings, link: Link) -> bool:
    """Whether both ends are on, on one block, and hear each other at the most robust rate."""
    near, far = (settings.of(house.radios[r].id) for r in (link.near, link.far))
    if not (near.enabled and far.enabled):
        return False
    if block_of(house, settings, link.near) != block_of(house, settings, link.far):
        return False
    return level_dbm(house, settings, link) >= least_dbm(house)


def least_dbm(house: TrueHouse) -> float:
    """Level in dBm at which half of the frames at the most robust rate arrive."""
    return float(options("802.11n", 20, 1, house.burst_us).half_dbm[0])


def level_dbm(house: TrueHouse, settings: Settings, link: Link) -> float:
    """The weaker direction of a link."""
    near, far = (settings.of(house.radios[r].id) for r in (link.near, link.far))
    return min(near.eirp_dbm, far.eirp_dbm) - float(house.loss_db[house.radios[link.near].band][link.near, link.far])


def find_links(house: TrueHouse, settings: Settings, nodes: dict[str, int], node_of: list[int]) -> Iterator[Link]:
    """The links of the nodes of a self-forming mesh. By its maker's way either whoever hears the mesh loudest joins it
    next, through what it hears loudest, a higher band counting more; or all links are weighed by how often a frame
    would be on the air, hop by hop. Each adds what it hears wrong."""
    job = house.job
    own = [n for n in job.nodes if n.self_forming and n.uplink is not None]
    if not any(n.uplink is not None and n.uplink.band is not None for n in own):
        return
    by_id = {n.id: n for n in job.nodes}
    loudest = house.chance("mesh maker").random() < ranges.LOUDEST_SHARE
    leads = {r.id: r.id for r in job.radios} | {far.id: near.id for near, far in followed(job.nodes)}
    cost: dict[int, float] = {nodes[gateway_of(by_id, n).id]: 0.0 for n in own}
    open_nodes = {nodes[n.id]: n for n in own}
    index = house.radio_index
    while open_nodes:
        best: tuple[float, int, Link | None, float] | None = None
        for child, node in open_nodes.items():
            if node.uplink is not None and node.uplink.band is None:
                up = nodes[node.uplink.to_node_id]
                if up in cost and (best is None or best[0] > -1e9):
                    best = (-1e9, child, None, cost[up])
                continue
            for r in node.radios:
                for a in job.radios:
                    parent = node_of[index[a.id]]
                    if parent not in cost or leads[a.id] != leads[r.id] or parent == child:
                        continue
                    link = Link(child, index[a.id], index[r.id])
                    level = level_dbm(house, settings, link)
                    if not alive(house, settings, link):
                        continue
                    wider = 10 * math.log10(settings.of(a.id).width_mhz / 20)
                    over = min(level - least_dbm(house) - wider, ranges.ENOUGH_OVER_DB)
                    over += ranges.HIGHER_BAND_DB * (r.band != "2.4 GHz")
                    over += house.chance(f"finds/{node.id}/{parent}").gauss(0, ranges.FINDS_DB)
                    hop = cost[parent] + 1 / max(over, 1.0) ** 2
                    key = -over if loudest else hop
                    if best is None or key < best[0]:
                        best = (key, child, link, hop)
        if best is None:
            return
        _, child, found, through = best
        cost[child] = through
        del open_nodes[child]
        if found is not None:
            yield found
