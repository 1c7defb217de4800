"""A node's radio link as it stands: rates by band, a free cable end near it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from even_static.core.airtime.rates import rate_steps
from even_static.core.explain.decision import Advice, Decision
from even_static.core.house.building import Outlet, Stand
from even_static.core.house.kit import Node
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.moved_nodes import link_level
from even_static.core.propagation.stands import stand_of, stand_point
from even_static.core.search.node_spots import Judge, Verdict
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.placing import CABLE_M, LINK_DBM, LINK_M
from even_static.core.tables.propagation import UNHEARD_DBM


def link_decision(judge: Judge, now: Verdict, node: Node, stand: Stand) -> Iterator[Decision]:
    coverage, job = judge.coverage, judge.coverage.job
    if node.uplink is None or node.uplink.band is None:
        return
    parent = next(n for n in job.nodes if n.id == node.uplink.to_node_id)
    there = stand_of(job, parent)
    if there is None:
        return
    distance = math.dist(stand_point(coverage.building, stand), stand_point(coverage.building, there))
    reasons = [f"{distance:.1f} m to {parent.name}; one or two rooms, up to {LINK_M:.0f} m, is usual"]
    rates = _link_rates(coverage, node, parent)
    for band, (width, level, rate) in rates.items():
        reasons.append(f"{band}, {width} MHz: {level:.0f} dBm, would carry {rate:.0f} Mb/s of clear airtime")
    _, now_level, now_rate = rates.get(node.uplink.band, (0, -200.0, 0.0))
    best_band = max(rates, key=lambda b: rates[b][2], default=node.uplink.band)
    best_rate = rates[best_band][2] if best_band in rates else 0.0
    drop = _free_drop(judge, node, stand)
    cautions: list[str] = []
    if drop is not None:
        outlet, away = drop
        title = f"{node.name}: use the cable at {outlet.name}, {away:.1f} m away"
        reasons.append("a cable costs no airtime on either end")
        yield Decision(
            kind="radio link",
            node_id=node.id,
            advice="recommended",
            title=title,
            reasons=reasons,
            now=now,
            then=None,
            cautions=cautions,
        )
        return
    advice: Advice = "leave"
    title = f"{node.name}: the radio link is sound"
    if now_level < LINK_DBM or distance > LINK_M:
        advice, title = "recommended", f"{node.name}: move it nearer to {parent.name}, or bring a cable"
        wanted = f"a link wants {LINK_DBM:.0f} dBm or better"
        if now_level < LINK_DBM:
            # The reason that stands first is the one that decided.
            heard = f"{now_level:.0f} dBm" if now_level > UNHEARD_DBM else "nothing"
            reasons.insert(0, f"{heard} from {parent.name} at {node.uplink.band}; {wanted}")
        else:
            reasons.append(wanted)
        cautions.append("A new cable may mean ladders, attics and drilling; outdoors use cable rated for it.")
    elif best_band != node.uplink.band and best_rate > 1.3 * now_rate:
        advice, title = "optional", f"{node.name}: link at {best_band}"
    yield Decision(
        kind="radio link",
        node_id=node.id,
        advice=advice,
        title=title,
        reasons=reasons,
        now=now,
        then=None,
        cautions=cautions,
    )


def _link_rates(coverage: Coverage, node: Node, parent: Node) -> dict[Band, tuple[int, float, float]]:
    """(width in MHz, level in dBm, Mb/s of clear airtime) of a link to a parent on each band that both have."""
    found: dict[Band, tuple[int, float, float]] = {}
    for band in BANDS:
        radio = next((r for r in parent.radios if r.band == band), None)
        if node.uplink is None or radio is None or all(r.band != band for r in node.radios):
            continue
        level = link_level(coverage, replace(node, uplink=replace(node.uplink, band=band)))
        if level is None:
            continue
        width = coverage.job.settings.of(radio.id).width_mhz
        streams = min(radio.streams, next(r.streams for r in node.radios if r.band == band))
        rate = float(rate_steps(radio.generation, band, width, streams).goodput(np.array(level)))
        found[band] = width, level, rate
    return found


def _free_drop(judge: Judge, node: Node, stand: Stand) -> tuple[Outlet, float] | None:
    """The nearest cable end that no other node uses, on the node's storey within 5 m."""
    building, nodes = judge.coverage.building, judge.coverage.job.nodes
    found = []
    for outlet in building.outlets:
        used = sum(n.outlet_id == outlet.id for n in nodes if n.id != node.id)
        away = math.hypot(outlet.x_m - stand.x_m, outlet.y_m - stand.y_m)
        if outlet.cable_drops > used and outlet.storey == stand.storey and away <= CABLE_M:
            found.append((away, outlet.id, outlet))
    return (min(found)[2], min(found)[0]) if found else None
