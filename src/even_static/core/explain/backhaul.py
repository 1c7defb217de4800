"""The tree that feeds the nodes: each hop's level, rate and airtime, what the far room gets, what would be better."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from even_static.core.airtime.rates import older, rate_steps
from even_static.core.explain.hop_words import BandOption, hop_words
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio, Switch, Uplink
from even_static.core.house.links import link_ends, link_radio
from even_static.core.house.settings import LinkBand, Settings
from even_static.core.house.sources import How
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation, RadioFigures
from even_static.core.model.prepared_house import House, LinkSource, link_level_dbm
from even_static.core.model.radio_state import radio_state
from even_static.core.search.choices import link_choices_of, other_links
from even_static.core.tables.bands import BANDS
from even_static.core.tables.placing import CABLE_MBPS, CABLE_SHARE

_KNOWN: Final[dict[LinkSource, How]] = {
    "read": "measured",
    "heard": "measured",
    "predicted": "predicted",
    "assumed": "assumed",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Hop:
    """How a node is fed. ``shared``: devices use the link's radio too; ``needs_fraction``: airtime that what hangs
    below it takes in the busy hour; ``gets_mbps``: what the node's rooms get through all hops up to the router."""

    node_id: str
    to_node_id: str
    by: str
    hops: int
    level_dbm: float | None
    level_source: LinkSource | None
    """Where the level comes from: read on a node's page, heard or predicted at its place, or assumed."""
    level_known: How | None
    clear_mbps: float
    shared: bool
    carries_mbps: float
    needs_fraction: float
    gets_mbps: float
    wired_devices: tuple[str, ...]
    options: tuple[BandOption, ...]
    text: str
    switch_ids: tuple[str, ...] = ()
    """Switches that its cable passes, from the node on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WhatIf:
    """Something about the tree that could be otherwise, with the house's figures then."""

    node_id: str
    what: str
    problems: int
    headroom: float | None
    better: bool
    worse: bool


@dataclass(frozen=True, slots=True)
class Tree:
    """The router, every hop below it, and what cables, other bands or fewer nodes would do."""

    router_ids: tuple[str, ...]
    hops: list[Hop]
    what_if: list[WhatIf]
    notes: tuple[str, ...] = ()
    """What is wrong with the tree itself, and what would put it right."""


def tree(house: House, settings: Settings) -> Tree:
    """The backhaul of a house under a setting."""
    base = house
    house = house.linked(settings)
    job = house.job
    figures = evaluate(base, settings)
    by_id = {n.id: n for n in job.nodes}
    got: dict[str, float] = {n.id: CABLE_MBPS for n in job.nodes if n.uplink is None}
    hops: list[Hop] = []
    chain: dict[str, _Chain] = {}
    pending = [n for n in job.nodes if n.uplink is not None]
    while pending:
        node = next(n for n in pending if n.uplink is not None and n.uplink.to_node_id in got)
        pending.remove(node)
        hop = _hop(base, house, settings, figures, node, got, by_id, chain)
        got[node.id] = hop.gets_mbps
        hops.append(hop)
    routers = [n for n in job.nodes if n.uplink is None]
    what_if = _what_if(base, settings, figures)
    notes = (*_notes(routers), *(_repeater(n, what_if, figures) for n in job.nodes if n.kind == "repeater"))
    return Tree(tuple(n.id for n in routers), hops, what_if, notes)


def _repeater(node: Node, what_if: list[WhatIf], now: Evaluation) -> str:
    """The one thing to do about a repeater under another name: the best of what was tried."""
    better = [w for w in what_if if w.node_id == node.id and w.better]
    if not better:
        return f"{node.name} is a repeater under another name: as it is, nothing that was tried does better; leave it"
    best = min(better, key=lambda w: (w.problems, -(w.headroom or 0.0)))
    was = f"{now.problems} now" if best.problems != now.problems else f"headroom {best.headroom or 0:.2f}"
    problems = "1 problem" if best.problems == 1 else f"{best.problems} problems"
    return f"{node.name} is a repeater under another name. Do this: {best.what.split(': ', 1)[1]} ({problems}, {was})"


def _notes(routers: list[Node]) -> tuple[str, ...]:
    """A house has exactly one router, directly behind the modem; a second one translates addresses again."""
    if len(routers) < 2:
        return ()
    names = " and ".join(n.name for n in routers)
    return (
        f"{names} each hang on the provider's line: only one may be the router, directly behind the modem. Put the "
        "others into access-point or bridge mode and give them an uplink under Kit; else there is double NAT",
    )


@dataclass(frozen=True, slots=True)
class _Chain:
    """Hops on one radio after another: airtime of a Mb/s through all of them, own need, and what comes in before."""

    cost: float
    needs: float
    before: float


def _hop(
    base: House,
    house: House,
    settings: Settings,
    figures: Evaluation,
    node: Node,
    got: dict[str, float],
    by_id: dict[str, Node],
    chain: dict[str, _Chain],
) -> Hop:
    assert node.uplink is not None
    parent = by_id[node.uplink.to_node_id]
    if node.uplink.band is None:
        return _cable_hop(house, settings, node, parent, got[parent.id])
    return _radio_hop(base, house, settings, figures, node, parent, got[parent.id], chain)


def _hop_basis(house: House, settings: Settings, node: Node) -> tuple[float, int, tuple[str, ...]]:
    """(Mb/s that it carries, hops to the router, devices on cables at the node)."""
    wired = tuple(d.id for d in house.job.devices if d.wired_to_id == node.id)
    return _carried(house, settings, node), len(house.above[house.job.nodes.index(node)]) - 1, wired


def _cable_hop(house: House, settings: Settings, node: Node, parent: Node, parent_gets_mbps: float) -> Hop:
    carries, count, wired = _hop_basis(house, settings, node)
    through = switches_of(house.job, node)
    rate = min([CABLE_MBPS, *(CABLE_SHARE * s.rate_mbps for s in through)])
    text = f"cable to {parent.name}: costs no airtime"
    if through:
        text = f"cable to {parent.name} through {' and '.join(s.name for s in through)}: costs no airtime"
    if rate < CABLE_MBPS:
        slow = min(through, key=lambda s: s.rate_mbps)
        text += f"; {slow.name} lets {slow.rate_mbps:.0f} Mb/s through"
        text += ", less than its nodes' busy hour" if carries > rate else ""
    return Hop(
        node_id=node.id,
        to_node_id=parent.id,
        by="cable",
        hops=count,
        level_dbm=None,
        level_source=None,
        level_known=None,
        clear_mbps=rate,
        shared=False,
        carries_mbps=carries,
        needs_fraction=0.0,
        gets_mbps=min(parent_gets_mbps, rate),
        wired_devices=wired,
        options=(),
        text=text,
        switch_ids=tuple(s.id for s in through),
    )


def _radio_hop(
    base: House,
    house: House,
    settings: Settings,
    figures: Evaluation,
    node: Node,
    parent: Node,
    parent_gets_mbps: float,
    chain: dict[str, _Chain],
) -> Hop:
    up = node.uplink
    assert up is not None
    assert up.band is not None
    carries, count, wired = _hop_basis(house, settings, node)
    near_id, far_id = _ends(house.job, node)
    near, far = house.job.radio(near_id), house.job.radio(far_id)
    state = radio_state(house, settings)
    client = next((c for c in state.clients[house.radio_index[near.id]] if c.is_link and c.id == node.id), None)
    level = client.level_down_dbm if client is not None else _off_level(house, node, near)
    width = settings.of(near.id).width_mhz
    steps = rate_steps(older(near.generation, far.generation), near.band, width, min(near.streams, far.streams))
    clear = float(steps.goodput(np.array(level)))
    needs = carries / clear if clear > 0 else 1.0
    # A hop behind a hop on the same radio sends everything twice on the same air: the costs of a Mb/s add up. A node
    # with a second radio on the band sends on by that one: no air is used twice.
    behind = parent.uplink is not None and parent.uplink.band is not None and _ends(house.job, parent)[1] == near.id
    first = chain.get(parent.id) if behind else None
    mine = {r.radio_id: r for r in figures.radios}
    free = _free_for_link(mine[near.id], needs, 0.0 if first is None else first.needs)
    cost = (1 / clear if clear > 0 else float("inf")) + (0.0 if first is None else first.cost)
    before = parent_gets_mbps if first is None else first.before
    chain[node.id] = _Chain(cost, needs, before)
    devices = mine[near.id].devices + mine[far.id].devices
    options = _options(base, settings, figures, node, parent)
    source = house.link_sources[node.id]
    told = hop_words(node, parent, near, far, devices, options, first is not None, len(wired), source)
    return Hop(
        node_id=node.id,
        to_node_id=parent.id,
        by=up.band,
        hops=count,
        level_dbm=level,
        level_source=source,
        level_known=_KNOWN[source],
        clear_mbps=clear,
        shared=devices > 0,
        carries_mbps=carries,
        needs_fraction=min(needs, 9.99),
        gets_mbps=min(before, free / cost if cost > 0 else 0.0),
        wired_devices=wired,
        options=options,
        text="; ".join(told),
    )


def _off_level(house: House, node: Node, near: Radio) -> float:
    """A link's level in dBm at the present power, whether its radios are on or off."""
    index = house.radio_index[near.id]
    found = next((at_0 for i, n, _, at_0 in house.links if n == index and house.job.nodes[i].id == node.id), -140.0)
    return max(found + house.job.settings.of(near.id).eirp_dbm, -120.0)


def _free_for_link(figure: RadioFigures, needs: float, needs_before: float) -> float:
    """Airtime left for a link on its radio: what others take on the two ends' channel is not there for it."""
    free = max(figure.available_fraction - max(figure.need_fraction - needs, 0.0), 0.0)
    return max(free - max(figure.shared_fraction - needs_before, 0.0), 0.0)


def _options(base: House, settings: Settings, figures: Evaluation, node: Node, parent: Node) -> tuple[BandOption, ...]:
    up = node.uplink
    assert up is not None
    assert up.band is not None
    others = [] if node.self_forming else link_choices_of(node, parent)
    choices = [LinkBand(node.id, up.band, up.radio_id, up.to_radio_id), *others]
    found = [_option(base, settings, figures, parent, node, choice, n == 0) for n, choice in enumerate(choices)]
    return tuple(sorted((o for o in found if o is not None), key=lambda o: (BANDS.index(o.band), o.radios)))


def _option(
    base: House, settings: Settings, figures: Evaluation, parent: Node, node: Node, way: LinkBand, now: bool
) -> BandOption | None:
    band = way.band
    near, far = link_radio(parent, band, way.to_radio_id), link_radio(node, band, way.radio_id)
    if not (settings.of(near.id).enabled and settings.of(far.id).enabled):
        return None
    level = link_level_dbm(base, near, node, settings.of(near.id).eirp_dbm)
    if now:
        level = _off_level(base, node, near)
    width = settings.of(near.id).width_mhz
    steps = rate_steps(older(near.generation, far.generation), band, width, min(near.streams, far.streams))
    clear = float(steps.goodput(np.array(level)))
    mine = {r.radio_id: r for r in figures.radios}
    free = max(mine[near.id].available_fraction - (0.0 if now else mine[near.id].need_fraction), 0.0)
    return BandOption(
        band=band,
        level_dbm=level,
        clear_mbps=clear,
        free_fraction=free,
        gets_mbps=clear * free,
        now=now,
        radios=f"{near.id} to {far.id}",
    )


def _carried(house: House, settings: Settings, node: Node) -> float:
    """Mb/s of the busy hour, down and up, that pass a node's feed."""
    state = radio_state(house, settings)
    index = house.job.nodes.index(node)
    total = 0.0
    for d, device in enumerate(house.job.devices):
        home = state.home[device.id]
        at = house.radio_node[home] if home is not None else house.wired_node[d]
        if at >= 0 and index in house.above[at]:
            total += sum(house.demands[d])
    return total


def _what_if(house: House, settings: Settings, now: Evaluation) -> list[WhatIf]:
    job = house.job
    # What each hangs on under these settings, which may be something else than in the job; a mesh that forms itself
    # would do so anew.
    linked = house.linked(settings) if house.forming is None else house
    up = {n.id: n.uplink.to_node_id for n in linked.job.nodes if n.uplink is not None}
    found = []
    for node in job.nodes:
        if node.uplink is None:
            continue
        if node.uplink.band is not None:
            cabled = replace(node, uplink=Uplink(to_node_id=up[node.id]))
            links = settings.link_bands if linked is house else ()
            kept = tuple(e for e in links if e.node_id != node.id)
            found.append(
                _if(node, "a cable to it", _with_node(linked, cabled), replace(settings, link_bands=kept), now)
            )
            for trial in other_links(house, settings, node):
                way = next((e for e in trial.link_bands if e.node_id == node.id), None)
                if way is not None:
                    found.append(_if(node, f"its link {_way_text(job, way)}", house, trial, now))
            ends = _ends(house.linked(settings).job, node)
            other = all(_other_radio(job, e) for e in ends)
            if other and not all(job.radio(e).link_only for e in ends):
                given = _with_radios(house, dict.fromkeys(ends, True))
                found.append(_if(node, f"{' and '.join(ends)} dedicated to its link", given, settings, now))
            elif any(job.radio(e).link_only for e in ends):
                shared = _with_radios(house, dict.fromkeys(ends, False))
                found.append(_if(node, f"{' and '.join(ends)} open to devices too", shared, settings, now))
            if node.kind == "repeater":
                same = _with_node(house, replace(node, kind="node"))
                found.append(_if(node, "under the same name as the rest", same, settings, now))
        if node.id not in up.values():
            off = {r.id for r in node.radios}
            radios = tuple(replace(s, enabled=False) if s.radio_id in off else s for s in settings.radios)
            found.append(_if(node, "without it", house, replace(settings, radios=radios), now))
    return found


def _way_text(job: Job, way: LinkBand) -> str:
    """A link in words: to which node, where it is another one, on which band, by which radio, where there are two."""
    to = next((f"to {n.name} " for n in job.nodes if n.id == way.to_node_id), "")
    radio = way.radio_id or way.to_radio_id
    return f"{to}at {way.band}" + ("" if radio is None else f" by {radio}")


def _ends(job: Job, node: Node) -> tuple[str, str]:
    ends = link_ends(job, node.id)
    assert ends is not None
    return ends


def _other_radio(job: Job, radio_id: str) -> bool:
    """Whether a box has another radio that devices could use when this one is given over."""
    node = job.node_of(radio_id)
    return any(r.id != radio_id and not r.link_only for r in node.radios)


def _with_radios(house: House, link_only: dict[str, bool]) -> House:
    job = house.job
    nodes = tuple(
        replace(n, radios=tuple(replace(r, link_only=link_only.get(r.id, r.link_only)) for r in n.radios))
        for n in job.nodes
    )
    return house.changed(replace(job, nodes=nodes))


def switches_of(job: Job, node: Node) -> list[Switch]:
    """The switches that a node's cable passes, from the node on."""
    by_id = {s.id: s for s in job.switches}
    found: list[Switch] = []
    at = node.uplink.switch_id if node.uplink is not None else None
    while at is not None:
        found.append(by_id[at])
        at = by_id[at].behind_switch_id
    return found


def _with_node(house: House, node: Node) -> House:
    nodes = tuple(node if n.id == node.id else n for n in house.job.nodes)
    return house.changed(replace(house.job, nodes=nodes))


def _if(node: Node, what: str, house: House, settings: Settings, now: Evaluation) -> WhatIf:
    then = evaluate(house, settings)
    key, before = then.rank.noticed, now.rank.noticed
    return WhatIf(
        node_id=node.id,
        what=f"{node.name}: {what}",
        problems=then.problems,
        headroom=then.headroom,
        better=key < before,
        worse=key > before,
    )
