"""The tree that feeds the nodes: each hop's level, rate and airtime, what the far room gets, what would be better."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from even_static.core.airtime.rates import older, rate_steps
from even_static.core.house.job import Job, LinkBand, Node, Settings
from even_static.core.spectrum.channels import BANDS, Band
from even_static.core.tuning.evaluate import Evaluation, evaluate
from even_static.core.tuning.house import House, link_ends, link_level_dbm

# A cable's usual rate, in Mb/s. Common practice (gigabit).
CABLE_MBPS = 940.0


@dataclass(frozen=True, slots=True)
class BandOption:
    """A band that a link could use: level there, clear rate, what is free, and what that leaves."""

    band: Band
    level_dbm: float
    clear_mbps: float
    free_fraction: float
    gets_mbps: float
    now: bool


@dataclass(frozen=True, slots=True)
class Hop:
    """How a node is fed. ``shared``: devices use the link's radio too; ``needs_fraction``: airtime that what hangs
    below it takes in the busy hour; ``gets_mbps``: what the node's rooms get through all hops up to the router."""

    node_id: str
    to_node_id: str
    by: str
    hops: int
    level_dbm: float | None
    clear_mbps: float
    shared: bool
    carries_mbps: float
    needs_fraction: float
    gets_mbps: float
    wired_devices: tuple[str, ...]
    options: tuple[BandOption, ...]
    text: str


@dataclass(frozen=True, slots=True)
class WhatIf:
    """Something about the tree that could be otherwise, with the house's figures then."""

    node_id: str
    what: str
    troubles: int
    headroom: float | None
    better: bool
    worse: bool


@dataclass(frozen=True, slots=True)
class Tree:
    """The router, every hop below it, and what cables, other bands or fewer nodes would do."""

    router_ids: tuple[str, ...]
    hops: list[Hop]
    what_if: list[WhatIf]


def tree(house: House, settings: Settings) -> Tree:
    """The backhaul of a house under a setting."""
    base = house
    house = house.linked_by(settings.link_bands)
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
    return Tree(tuple(n.id for n in job.nodes if n.uplink is None), hops, _what_if(base, settings, figures))


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
    up = node.uplink
    parent = by_id[up.to_node_id]
    wired = tuple(d.id for d in house.job.devices if d.wired_to_id == node.id)
    carries = _carried(house, settings, node)
    count = len(house.above[house.job.nodes.index(node)]) - 1
    if up.band is None:
        gets = min(got[parent.id], CABLE_MBPS)
        text = f"cable to {parent.name}: costs no airtime"
        return Hop(node.id, parent.id, "cable", count, None, CABLE_MBPS, False, carries, 0.0, gets, wired, (), text)
    near = next(r for r in parent.radios if r.band == up.band)
    scene = house.scene(settings)
    client = next((c for c in scene.clients[house.radio_index[near.id]] if c.is_link and c.id == node.id), None)
    level = client.level_down_dbm if client is not None else up.rssi_dbm or -120.0
    far = next(r for r in node.radios if r.band == up.band)
    mine = {r.radio_id: r for r in figures.radios}
    width = settings.of(near.id).width_mhz
    steps = rate_steps(older(near.generation, far.generation), near.band, width, min(near.streams, far.streams))
    clear = float(steps.goodput(np.array(level)))
    devices = mine[near.id].devices + mine[far.id].devices
    needs = carries / clear if clear > 0 else 1.0
    # What others take on the two ends' channel is not there for the link. A hop behind a hop on the same radio sends
    # everything twice on the same air: the costs of a Mb/s add up.
    again = chain.get(parent.id) if parent.uplink is not None and parent.uplink.band == up.band else None
    above = 0.0 if again is None else again.needs
    figure = mine[near.id]
    free = max(figure.available_fraction - max(figure.need_fraction - needs, 0.0), 0.0)
    free = max(free - max(figure.shared_fraction - above, 0.0), 0.0)
    cost = (1 / clear if clear > 0 else float("inf")) + (0.0 if again is None else again.cost)
    gets = min(got[parent.id] if again is None else again.before, free / cost if cost > 0 else 0.0)
    chain[node.id] = _Chain(cost, needs, got[parent.id] if again is None else again.before)
    options = tuple(
        o
        for band in BANDS
        for o in [_option(base, settings, figures, parent, node, band, band == up.band)]
        if o is not None
    )
    best = max(options, key=lambda o: o.gets_mbps, default=None)
    words = [f"{up.band} to {parent.name}, {'shared with' if devices else 'given over to the link:'} {devices} devices"]
    if best is not None and best.band != up.band and best.gets_mbps > 1.2 * max(o.gets_mbps for o in options if o.now):
        words.append(f"{best.band} would carry more: {best.level_dbm:.0f} dBm, {best.gets_mbps:.0f} Mb/s")
    if again is not None:
        words.append("an extra hop on the same band halves what is left")
    if wired:
        words.append(f"{len(wired)} cabled devices here are no faster than the link")
    return Hop(
        node.id,
        parent.id,
        up.band,
        count,
        level,
        clear,
        devices > 0,
        carries,
        min(needs, 9.99),
        gets,
        wired,
        options,
        "; ".join(words),
    )


def _option(
    base: House, settings: Settings, figures: Evaluation, parent: Node, node: Node, band: Band, now: bool
) -> BandOption | None:
    near = next((r for r in parent.radios if r.band == band), None)
    far = next((r for r in node.radios if r.band == band), None)
    if near is None or far is None or not (settings.of(near.id).enabled and settings.of(far.id).enabled):
        return None
    level = link_level_dbm(base, near, node, settings.of(near.id).eirp_dbm)
    if now and node.uplink is not None and node.uplink.rssi_dbm is not None:
        level = node.uplink.rssi_dbm
    width = settings.of(near.id).width_mhz
    steps = rate_steps(older(near.generation, far.generation), band, width, min(near.streams, far.streams))
    clear = float(steps.goodput(np.array(level)))
    mine = {r.radio_id: r for r in figures.radios}
    free = max(mine[near.id].available_fraction - (0.0 if now else mine[near.id].need_fraction), 0.0)
    return BandOption(band, level, clear, free, clear * free, now)


def _carried(house: House, settings: Settings, node: Node) -> float:
    """Mb/s of the busy hour, down and up, that pass a node's feed."""
    scene = house.scene(settings)
    index = house.job.nodes.index(node)
    total = 0.0
    for d, device in enumerate(house.job.devices):
        home = scene.home[device.id]
        at = house.radio_node[home] if home is not None else house.wired_node[d]
        if at >= 0 and index in house.above[at]:
            total += sum(house.demands[d])
    return total


def _what_if(house: House, settings: Settings, now: Evaluation) -> list[WhatIf]:
    job = house.job
    found = []
    for node in job.nodes:
        if node.uplink is None:
            continue
        if node.uplink.band is not None:
            cabled = replace(node, uplink=replace(node.uplink, band=None, rssi_dbm=None))
            links = tuple(e for e in settings.link_bands if e.node_id != node.id)
            wired = _with_node(job, cabled)
            found.append(_if(node, "a cable to it", wired, replace(settings, link_bands=links), now))
            for band in BANDS:
                parent = next(n for n in job.nodes if n.id == node.uplink.to_node_id)
                both = any(r.band == band for r in node.radios) and any(r.band == band for r in parent.radios)
                if both and band != node.uplink.band:
                    others = tuple(e for e in settings.link_bands if e.node_id != node.id)
                    trial = replace(settings, link_bands=(*others, LinkBand(node.id, band)))
                    found.append(_if(node, f"its link at {band}", house, _tied(house, trial), now))
        if all(n.uplink is None or n.uplink.to_node_id != node.id for n in job.nodes):
            off = {r.id for r in node.radios}
            radios = tuple(replace(s, enabled=False) if s.radio_id in off else s for s in settings.radios)
            found.append(_if(node, "without it", house, replace(settings, radios=radios), now))
    return found


def _tied(house: House, settings: Settings) -> Settings:
    """The settings with the far end of every radio link on its near end's block."""
    job = house.linked_by(settings.link_bands).job
    radios = {s.radio_id: s for s in settings.radios}
    for node in job.nodes:
        ends = link_ends(job, node.id)
        if ends is not None:
            near = radios[ends[0]]
            radios[ends[1]] = replace(
                radios[ends[1]], channel=near.channel, width_mhz=near.width_mhz, centre_mhz=near.centre_mhz
            )
    return replace(settings, radios=tuple(radios[s.radio_id] for s in settings.radios))


def _with_node(job: Job, node: Node) -> House:
    return House(replace(job, nodes=tuple(node if n.id == node.id else n for n in job.nodes)))


def _if(node: Node, what: str, house: House, settings: Settings, now: Evaluation) -> WhatIf:
    then = evaluate(house, settings)
    key, before = then.key[:-2], now.key[:-2]
    return WhatIf(node.id, f"{node.name}: {what}", then.troubles, then.headroom, key < before, key > before)
