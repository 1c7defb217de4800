"""Links between nodes: which ones can be, which radios are at their ends, which have to be on one block."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import replace

from even_static.core.house.changes import FormerUplink
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio, Uplink
from even_static.core.house.settings import LinkBand, Settings
from even_static.core.tables.bands import Band


def followed(nodes: tuple[Node, ...]) -> list[tuple[Radio, Radio]]:
    """Radios of a self-forming mesh, each behind the gateway's radio whose channel it follows."""
    by_id, found = {n.id: n for n in nodes}, list[tuple[Radio, Radio]]()
    for node in nodes:
        gateway = gateway_of(by_id, node)
        if node.self_forming and gateway is not node:
            for radio in node.radios:
                alike = [r for r in gateway.radios if (r.band, r.link_only) == (radio.band, radio.link_only)]
                found += [(r, radio) for r in alike[:1]]
    return found


def gateway_of(by_id: Mapping[str, Node], node: Node) -> Node:
    """The node on the line at the top of a node's way; itself where there is none."""
    way = set()
    while node.uplink is not None and node.id not in way:
        way.add(node.id)
        node = by_id[node.uplink.to_node_id]
    return node


def may_hang_on(node: Node, other: Node) -> bool:
    """Whether a node lets one put its radio link on another one, as far as the two boxes go: it lets one say which, the
    other is no repeater, and both have a band. Never where the mesh forms itself."""
    both = {r.band for r in node.radios} & {r.band for r in other.radios}
    chosen = node.can_choose_parent and not node.self_forming
    return chosen and other.id != node.id and other.kind != "repeater" and bool(both)


def parents_of(nodes: tuple[Node, ...], node: Node) -> list[Node]:
    """The nodes that a node's radio link can be put on: its present one, and where it lets one say which all that share
    a band with it, are no repeaters and do not hang on it themselves. None where the mesh forms itself."""
    if node.uplink is None or node.self_forming:
        return []
    by_id, found = {n.id: n for n in nodes}, []
    for other in nodes:
        way, at = {other.id}, other
        while at.uplink is not None and at.uplink.to_node_id not in way:
            at = by_id[at.uplink.to_node_id]
            way.add(at.id)
        if node.id not in way and (may_hang_on(node, other) or other.id == node.uplink.to_node_id):
            found.append(other)
    return found


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


def named_ends(child: Node, far: Radio, parent: Node, near: Radio) -> tuple[str | None, str | None]:
    """(the child's radio, the parent's) of a link, each named only where its node has two on the band."""
    mine = sum(r.band == far.band for r in child.radios) > 1
    theirs = sum(r.band == near.band for r in parent.radios) > 1
    return far.id if mine else None, near.id if theirs else None


def same_ends(a: Uplink, b: Uplink) -> bool:
    """Whether two uplinks go the same way: over the same radios, or by cable."""
    return (a.to_node_id, a.band, a.radio_id, a.to_radio_id) == (b.to_node_id, b.band, b.radio_id, b.to_radio_id)


def former_uplinks(was: tuple[Node, ...], now: tuple[Node, ...]) -> tuple[FormerUplink, ...]:
    """Uplinks of before, of those nodes whose uplink is another one now, or was read and is expected now."""
    return tuple(
        FormerUplink(a.id, a.uplink)
        for a, b in zip(was, now, strict=True)
        if a.uplink is not None and b.uplink is not None
        if not same_ends(a.uplink, b.uplink) or a.uplink.expected != b.uplink.expected
    )


def link_bands_to(was: tuple[Node, ...], wanted: tuple[Node, ...]) -> tuple[LinkBand, ...]:
    """What puts the radio links of nodes where others of the same identifiers have them; a mesh that forms itself finds
    its own."""
    there, found = {n.id: n.uplink for n in wanted}, []
    for node in was:
        now, then = node.uplink, there.get(node.id)
        if node.self_forming or now is None or then is None or now.band is None or then.band is None:
            continue
        if not same_ends(now, then):
            other = then.to_node_id if then.to_node_id != now.to_node_id else None
            found.append(LinkBand(node.id, then.band, then.radio_id, then.to_radio_id, to_node_id=other))
    return tuple(found)


def read_before(job: Job, settings: Settings) -> tuple[Node, ...]:
    """The nodes before other settings: levels of radio links that were read are marked with the power of now."""
    nodes = []
    for node in job.nodes:
        ends = link_ends(job, node.id)
        if ends is not None and node.uplink is not None and node.uplink.rssi_dbm is not None:
            now = job.settings.of(ends[0]).eirp_dbm
            if node.uplink.read_at_eirp_dbm is None and settings.of(ends[0]).eirp_dbm != now:
                node = replace(node, uplink=replace(node.uplink, read_at_eirp_dbm=now))
        nodes.append(node)
    return tuple(nodes)
