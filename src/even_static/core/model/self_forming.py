"""Where the radio links of a mesh that forms itself come to be.

Each node hangs on the one through which a frame gets to the gateway in the least airtime, after the airtime link metric
of IEEE 802.11-2020 (14.9, mesh). Meshes as built differ: by how much is drawn in the worlds.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from even_static.core.airtime.rates import RateSteps, older, rate_steps
from even_static.core.arrays import Bools, Floats, Indices
from even_static.core.house.job import Job
from even_static.core.house.links import followed, gateway_of, named_ends
from even_static.core.house.settings import LinkBand
from even_static.core.tables.propagation import UNHEARD_DBM

# A mesh finds its links at the width that every node hears, in MHz.
WIDTH_MHZ = 20
# Airtime of a Mb over a cable beside that of the air, in s, and of a link that carries nothing.
CABLE_S_PER_MB, DEAD_S_PER_MB = 1e-9, 1e9
# The present link was found under the present settings: by so much at least it is the better one.
BETTER = 1.01


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """A link on which a node (its number) may hang on another: over two radios (their numbers in the house), or its
    cable (both -1); level at which its radio receives the other's when 0 dBm are radiated; whether it is the present
    one, and whether its page says so."""

    child: int
    parent: int
    near: int
    far: int
    at_0_dbm: float
    present: bool
    read: bool

    @property
    def by_cable(self) -> bool:
        """Whether it is a cable."""
        return self.near < 0


class SelfForming:
    """The links that all nodes of such a mesh may find. Arrays: choices are of power and of being on, in the worlds one
    for each world; options are numbered."""

    def __init__(self, job: Job, options: list[Option]) -> None:
        self.job, self.options = job, options
        self.child = np.array([o.child for o in options], dtype=np.intp)
        self.parent = np.array([o.parent for o in options], dtype=np.intp)
        self.near = np.array([o.near for o in options], dtype=np.intp)
        self.far = np.array([o.far for o in options], dtype=np.intp)
        self.at_0_dbm = np.array([o.at_0_dbm for o in options], dtype=np.float64)
        self.present = np.array([o.present for o in options], dtype=bool)
        self.read = np.array([o.read for o in options], dtype=bool)
        self.cable = self.near < 0
        self.members = sorted({o.child for o in options})
        self.finds = {job.nodes[o.child].id for o in options if not o.by_cable}
        radios = job.radios
        self._steps: list[RateSteps | None] = [
            None
            if o.by_cable
            else rate_steps(
                older(radios[o.near].generation, radios[o.far].generation),
                radios[o.near].band,
                WIDTH_MHZ,
                min(radios[o.near].streams, radios[o.far].streams),
            )
            for o in options
        ]
        self._now = (
            np.array([[job.settings.of(r.id).eirp_dbm for r in radios]]),
            np.array([[job.settings.of(r.id).enabled for r in radios]], dtype=bool),
        )
        self._bands: dict[tuple[int, ...], tuple[LinkBand, ...]] = {}

    def airtime_s(self, eirp_dbm: Floats, enabled: Bools, off_db: Floats | float = 0.0) -> Floats:
        """Airtime in s of a Mb over each option, infinite where it is down: (choices, options). ``off_db``: by how much
        each option's level differs from what is known of it (choices, options)."""
        weaker = np.minimum(eirp_dbm[:, self.near], eirp_dbm[:, self.far])
        level = np.where(self.cable, 0.0, self.at_0_dbm[None] + weaker) + off_db
        on = self.cable[None] | (enabled[:, self.near] & enabled[:, self.far])
        found = np.full(level.shape, CABLE_S_PER_MB)
        for n, steps in enumerate(self._steps):
            if steps is not None:
                carries = steps.goodput(level[:, n])
                found[:, n] = np.where(carries > 0, 1 / np.maximum(carries, 1e-6), DEAD_S_PER_MB)
        # A link that its page shows works, whatever its level suggests.
        dead = np.where(self.read[None] & on, DEAD_S_PER_MB, np.inf)
        return np.where(on & (found < DEAD_S_PER_MB), found, dead)

    def kept(self, off_db: Floats | float = 0.0) -> Floats:
        """What makes the links that pages show those that are found under the present settings: a factor for the
        airtime of every other option, 1 where none is needed: (choices, options)."""
        air = self.airtime_s(*self._now, off_db)
        cost, below = self._present_tree(air)
        factor = np.ones_like(air)
        for child in self.members:
            mine = self.child == child
            other = mine & ~self.present & ~below[self.parent, child]
            own = (cost[:, self.parent] + air)[:, mine & self.read].min(axis=1, initial=np.inf)[:, None]
            if other.any():
                known = np.isfinite(own) & np.isfinite(air[:, other]) & np.isfinite(cost[:, self.parent[other]])
                needed = BETTER * np.where(known, own, 0.0) - np.where(known, cost[:, self.parent[other]], 0.0)
                factor[:, other] = np.maximum(1.0, needed / np.where(known, air[:, other], 1.0))
        return factor

    def _present_tree(self, air: Floats) -> tuple[Floats, Bools]:
        """(airtime of each node's present route to the gateway (choices, nodes), whether a node hangs below another
        (nodes, nodes))."""
        nodes = len(self.job.nodes)
        cost, below = np.zeros((len(air), nodes)), np.zeros((nodes, nodes), dtype=bool)
        up = {int(self.child[n]): n for n in np.flatnonzero(self.present)}
        for child in self.members:
            at, passed = child, set[int]()
            while at in up and at not in passed:
                passed.add(at)
                below[child, at] = True
                cost[:, child] += air[:, up[at]]
                at = int(self.parent[up[at]])
        return cost, below

    @cached_property
    def _kept(self) -> Floats:
        return self.kept()

    def found(
        self, eirp_dbm: Floats, enabled: Bools, off_db: Floats | float = 0.0, kept: Floats | None = None
    ) -> Indices:
        """The option that each node takes, by the node's number among :attr:`members`; -1 where it reaches nobody:
        (choices, members)."""
        air = self.airtime_s(eirp_dbm, enabled, off_db) * (self._kept if kept is None else kept)
        choices, nodes = len(air), len(self.job.nodes)
        cost = np.full((choices, nodes), np.inf)
        cost[:, [n for n in range(nodes) if n not in self.members]] = 0.0
        taken = np.full((choices, nodes), -1, dtype=np.intp)
        rows = np.arange(choices)
        for _ in self.members:
            # Whoever gets to the gateway in the least airtime is on next (Dijkstra 1959).
            open_ways = np.isinf(cost[:, self.child]) & np.isfinite(cost[:, self.parent])
            through = np.where(open_ways, np.where(open_ways, cost[:, self.parent], 0.0) + air, np.inf)
            best = through.argmin(axis=1)
            got = np.isfinite(through[rows, best])
            cost[rows[got], self.child[best[got]]] = through[rows, best][got]
            taken[rows[got], self.child[best[got]]] = best[got]
        return taken[:, self.members]

    def link_bands(self, found: Indices) -> tuple[LinkBand, ...]:
        """Where a choice's links are put, those that are not where they are now: of one row of :meth:`found`."""
        key = tuple(int(n) for n in found)
        if key not in self._bands:
            moved = (self.options[n] for n in key if n >= 0 and not self.present[n])
            self._bands[key] = tuple(self._link_band(o) for o in moved)
        return self._bands[key]

    def _link_band(self, option: Option) -> LinkBand:
        radios, child, parent = self.job.radios, self.job.nodes[option.child], self.job.nodes[option.parent]
        far, near = radios[option.far], radios[option.near]
        ends = named_ends(child, far, parent, near)
        assert child.uplink is not None
        other = parent.id if parent.id != child.uplink.to_node_id else None
        return LinkBand(child.id, far.band, *ends, to_node_id=other)


def forming_of(
    job: Job, links: list[tuple[int, int, int, float]], own_at_0_dbm: Floats, node_place: list[int]
) -> SelfForming | None:
    """The self-forming mesh of a house; None where there is none that could find another link than it has.

    ``links``: its radio links as (node, near radio, far radio, level at 0 dBm); ``own_at_0_dbm`` (radios, places).
    """
    by_id, index = {n.id: n for n in job.nodes}, {n.id: i for i, n in enumerate(job.nodes)}
    own = [n for n in job.nodes if n.self_forming and n.uplink is not None]
    if not any(n.uplink is not None and n.uplink.band is not None for n in own):
        return None
    radio_index = {r.id: i for i, r in enumerate(job.radios)}
    inside = {index[n.id] for n in own} | {index[gateway_of(by_id, n).id] for n in own}
    present = {(node, near, far): level for node, near, far, level in links}
    # Radios that follow one gateway's radio are on one channel, and can make a link.
    channel = {r.id: r.id for r in job.radios} | {far.id: near.id for near, far in followed(job.nodes)}
    options = []
    for node in own:
        assert node.uplink is not None
        child = index[node.id]
        if node.uplink.band is None:
            up = index[node.uplink.to_node_id]
            options.append(Option(child=child, parent=up, near=-1, far=-1, at_0_dbm=0.0, present=True, read=True))
            continue
        for parent in sorted({*inside, index[node.uplink.to_node_id]} - {child}):
            pairs = [(a, b) for a in job.nodes[parent].radios for b in node.radios if channel[a.id] == channel[b.id]]
            for near, far in sorted(pairs, key=lambda p: not p[0].link_only):
                ends = radio_index[near.id], radio_index[far.id]
                level = present.get((child, *ends), float(own_at_0_dbm[ends[0], node_place[child]]))
                now = (child, *ends) in present
                if now or level > UNHEARD_DBM:
                    read = now and not node.uplink.expected
                    a, b = ends
                    options.append(
                        Option(child=child, parent=parent, near=a, far=b, at_0_dbm=level, present=now, read=read)
                    )
    return SelfForming(job, options)
