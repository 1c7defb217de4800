"""The cabling as a graph: what each box gets its line from, who routes, what goes round in a ring.

Exactly one box routes, directly behind the modem and before any switch; everything else may hang anywhere after it.
Common practice.
"""

from __future__ import annotations

import itertools
from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

from even_static.core.house.job import Job
from even_static.core.house.kit import Uplink
from even_static.core.house.wiring import LINE_EQUIPMENT, Cable, Wiring

if TYPE_CHECKING:
    import networkx as nx

Role = Literal["modem", "provider's gateway", "router", "node", "repeater", "cellular gateway", "switch"]
LINE_ID = "line"
# A way by cable, however long, is taken before one by radio.
BY_RADIO = 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A box of the drawing. ``routes``: None where nobody knows. ``hops``: cables and radio links from the line, None
    where nothing leads to it. ``from_id``: what it gets the line from."""

    id: str
    name: str
    role: Role
    routes: bool | None
    hops: int | None
    from_id: str | None


@dataclass(frozen=True, slots=True)
class Join:
    """A connection of the drawing, the end nearer to the line first: a cable (``band`` None) or a radio link;
    ``in_ring`` where it closes one."""

    a_id: str
    b_id: str
    band: str | None
    in_ring: bool


@dataclass(frozen=True, slots=True)
class Cabling:
    """The boxes from the line outwards, what joins them, and rings of cables (identifiers of their boxes)."""

    boxes: tuple[Box, ...]
    joins: tuple[Join, ...]
    rings: tuple[tuple[str, ...], ...]

    def box(self, equipment_id: str) -> Box:
        """A box; KeyError where there is none."""
        for box in self.boxes:
            if box.id == equipment_id:
                return box
        raise KeyError(equipment_id)

    def path(self, equipment_id: str) -> list[str]:
        """Boxes from the line to a box, both ends included; just the box where nothing leads to it."""
        way = [equipment_id]
        while (up := self.box(way[-1]).from_id) is not None:
            way.append(up)
        return way[::-1]


def wiring_of(job: Job) -> Wiring:
    """The wiring that was drawn; where none was, the cables that the nodes and switches tell of."""
    if job.wiring is not None:
        return job.wiring
    cables: list[Cable] = []
    for switch in job.switches:
        if switch.behind_switch_id is not None:
            cables.append(Cable(switch.behind_switch_id, switch.id))
    behind = {s.id: s.behind_switch_id for s in job.switches}
    for node in job.nodes:
        up = node.uplink
        if up is None or up.band is not None:
            continue
        if up.switch_id is None:
            cables.append(Cable(up.to_node_id, node.id))
            continue
        cables.append(Cable(up.switch_id, node.id))
        top = up.switch_id
        while (above := behind[top]) is not None:
            top = above
        cables.append(Cable(up.to_node_id, top))
    return Wiring(cables=tuple(dict.fromkeys(cables)))


def _role_and_mode(job: Job, wiring: Wiring) -> dict[str, tuple[str, Role, bool | None]]:
    """Name, role and whether it routes, of every box."""
    found: dict[str, tuple[str, Role, bool | None]] = {}
    for box in wiring.line_equipment:
        mode = wiring.of(box.id).mode
        routes = False if box.kind == "modem" else None if mode is None else mode == "routes"
        found[box.id] = (box.name, box.kind, routes)
    for switch in job.switches:
        found[switch.id] = (switch.name, "switch", False)
    for node in job.nodes:
        mode = wiring.of(node.id).mode
        # Only the node at the line routes, as long as nobody says more.
        usual = None if node.kind == "repeater" else node.uplink is None
        found[node.id] = (node.name, node.kind, usual if mode is None else mode == "routes")
    return found


def cabling(job: Job) -> Cabling:
    """The drawing of a job."""
    import networkx as nx

    wiring = wiring_of(job)
    known = _role_and_mode(job, wiring)
    graph: nx.Graph[str] = nx.Graph()
    graph.add_nodes_from(known)
    for cable in wiring.cables:
        graph.add_edge(cable.a_id, cable.b_id, band=None, weight=1)
    rings = tuple(tuple(ring) for ring in nx.minimum_cycle_basis(graph))
    pairs = Counter(frozenset((c.a_id, c.b_id)) for c in wiring.cables)
    rings += tuple(tuple(sorted(pair)) for pair, count in pairs.items() if count > 1)
    for node in job.nodes:
        up = node.uplink
        if up is not None and up.band is not None and not graph.has_edge(up.to_node_id, node.id):
            graph.add_edge(up.to_node_id, node.id, band=up.band, weight=BY_RADIO)
    at_the_line = _at_the_line(job, wiring, graph)
    for equipment_id in at_the_line:
        graph.add_edge(LINE_ID, equipment_id, band=None, weight=1)
    ways = nx.single_source_dijkstra_path(graph, LINE_ID) if at_the_line else {}
    boxes = []
    for equipment_id, (name, role, routes) in known.items():
        way = ways.get(equipment_id, [])
        feed = way[-2] if len(way) > 2 else None
        boxes.append(
            Box(id=equipment_id, name=name, role=role, routes=routes, hops=len(way) - 2 if way else None, from_id=feed)
        )
    in_ring = {frozenset(pair) for ring in rings for pair in zip(ring, (*ring[1:], ring[0]), strict=True)}
    hops = {b.id: len(known) if b.hops is None else b.hops for b in boxes}
    joins = tuple(
        Join(near, far, data["band"], frozenset((a, b)) in in_ring and not data["band"])
        for a, b, data in graph.edges(data=True)
        if LINE_ID not in (a, b)
        for near, far in [sorted((a, b), key=lambda i: hops[i])]
    )
    order = sorted(boxes, key=lambda b: (b.hops is None, b.hops or 0))
    return Cabling(tuple(order), joins, rings)


def _at_the_line(job: Job, wiring: Wiring, graph: nx.Graph[str]) -> list[str]:
    """The boxes that the line comes into: modems, else provider's boxes, else routers, as far as anything is plugged in
    there; else nodes that hang on nothing. A box that was only just drawn does not take the line from the others."""
    for kind in LINE_EQUIPMENT:
        if found := [b.id for b in wiring.line_equipment if b.kind == kind and graph.degree(b.id)]:
            return found
    return [n.id for n in job.nodes if n.uplink is None] or [b.id for b in wiring.line_equipment][:1]


def following(job: Job) -> Job:
    """The job with its nodes' feeds as the cables are drawn: a node that a cable joins with another one nearer to the
    line, straight or through switches, hangs on that one by cable. Feeds that no cable contradicts stay."""
    if job.wiring is None:
        return job
    drawn = cabling(job)
    nodes = {n.id for n in job.nodes}
    switches = {s.id for s in job.switches}
    cabled = {frozenset((j.a_id, j.b_id)) for j in drawn.joins if j.band is None}
    changed = []
    for node in job.nodes:
        way = drawn.path(node.id)[::-1]
        by_cable = [way[0]]
        for a, b in itertools.pairwise(way):
            if frozenset((a, b)) not in cabled:
                break
            by_cable.append(b)
        parent = next((b for b in by_cable[1:] if b in nodes), None)
        if node.uplink is not None and parent is not None:
            between = [b for b in by_cable[1 : by_cable.index(parent)] if b in switches]
            changed.append(replace(node, uplink=Uplink(to_node_id=parent, switch_id=between[0] if between else None)))
        else:
            changed.append(node)
    behind = {}
    for switch in job.switches:
        way = drawn.path(switch.id)
        above = way[-2] if len(way) > 1 else None
        behind[switch.id] = above if above in switches else None
    return replace(
        job,
        nodes=tuple(changed),
        switches=tuple(replace(s, behind_switch_id=behind[s.id]) for s in job.switches),
    )
