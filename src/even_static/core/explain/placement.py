"""What to do about where boxes stand: each finding with its numbers, and a trial that shows what it would change."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from dataclasses import replace

from even_static.core.explain.decision import Advice, Decision
from even_static.core.explain.node_links import link_decision
from even_static.core.house.building import Antenna, NodeStand, Stand
from even_static.core.house.kit import Node
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.moved_nodes import link_level
from even_static.core.propagation.stands import stand_of
from even_static.core.search.node_spots import Judge, Verdict
from even_static.core.search.power import RadioPower, cells_note, power_steps, with_power
from even_static.core.tables.bands import BANDS
from even_static.core.tables.materials import MOUNTING_DB
from even_static.core.tables.placing import (
    DIAGONAL_M,
    EYE_M,
    LINK_DBM,
    LOW_M,
    STACKED_M,
    WORTH_DB,
    WORTH_FRACTION,
    WORTH_MEAN_DB,
)

# Findings that say where or how a node should stand: of these a node has one recommendation.
PLACES = ("enclosure", "stacked nodes", "radio link", "surplus node", "cellular gateway")
HEADINGS_DEG = tuple(range(0, 180, 30))


def decide(coverage: Coverage) -> list[Decision]:
    """All findings about places, mountings, antennas, links and power steps, what to do first."""
    judge = Judge(coverage)
    now = judge.verdict()
    standing = [(n, s) for n in coverage.job.nodes for s in [stand_of(coverage.job, n)] if s is not None]
    found: list[Decision] = []
    for node, stand in standing:
        found += _enclosure(judge, now, node, stand)
        found += _rods(judge, now, node, stand)
        found += link_decision(judge, now, node, stand)
        found += _gateway(judge, now, node, stand)
        if node.uplink is not None and len(standing) > 1:
            found.append(_surplus(judge, now, node))
    for (a, sa), (b, sb) in itertools.combinations(standing, 2):
        found += _stacked(judge, now, (a, sa), (b, sb))
    for power in power_steps(coverage):
        found.append(_power(judge, now, power))
    order = {"recommended": 0, "optional": 1, "leave": 2}
    return sorted(one_for_each_node(found), key=lambda d: order[d.advice])


def one_for_each_node(found: list[Decision]) -> list[Decision]:
    """The findings with one recommendation of where each node stands: of several the one that brings most, the others
    as what might be done instead."""
    best: dict[str, Decision] = {}
    for decision in found:
        if decision.kind in PLACES and decision.advice == "recommended":
            other = best.get(decision.node_id)
            if other is None or _brings(decision) > _brings(other):
                best[decision.node_id] = decision
    kept = []
    for decision in found:
        first = best.get(decision.node_id)
        if decision.kind in PLACES and decision.advice == "recommended" and first is not decision and first is not None:
            reason = f"instead of “{first.title}”, which brings more"
            decision = replace(decision, advice="optional", reasons=[*decision.reasons, reason])
        kept.append(decision)
    return kept


def _brings(decision: Decision) -> tuple[float, float, float]:
    """What a finding brings, for comparison: spots, dB at the worst spot, share of the rooms; least where no figure
    says so."""
    if decision.then is None:
        return (-math.inf, 0.0, 0.0)
    db, fraction, spots = gains(decision.now, decision.then)
    return (float(spots), db, fraction)


def gains(now: Verdict, then: Verdict) -> tuple[float, float, int]:
    """(dB at the worst spot, share of the rooms, spots) that a change brings."""
    return (
        then.worst_margin_db - now.worst_margin_db,
        then.covered_fraction - now.covered_fraction,
        now.short - then.short,
    )


def _advice(now: Verdict, then: Verdict) -> Advice:
    if then.rank >= now.rank:
        better = then.rank[:2] == now.rank[:2] and _mean_margin(then) - _mean_margin(now) >= WORTH_MEAN_DB
        return "optional" if better else "leave"
    db, fraction, spots = gains(now, then)
    return "recommended" if spots > 0 or (spots == 0 and (db >= WORTH_DB or fraction >= WORTH_FRACTION)) else "optional"


def _told(now: Verdict, then: Verdict) -> str:
    return (
        f"worst spot {now.worst_margin_db:+.0f} to {then.worst_margin_db:+.0f} dB against its need, "
        f"too weak {now.short} to {then.short}, rooms at the design level {now.covered_fraction:.0%} to "
        f"{then.covered_fraction:.0%}"
    )


def _enclosure(judge: Judge, now: Verdict, node: Node, stand: Stand) -> Iterator[Decision]:
    loss = MOUNTING_DB[stand.mounting]
    shut_in, low = max(loss.values()) > 0, stand.height_m < LOW_M
    if not shut_in and not low:
        return
    better = replace(stand, mounting="wall", height_m=max(stand.height_m, EYE_M))
    then = judge.verdict({node.id: better})
    reasons = []
    if shut_in:
        cost = ", ".join(f"{loss[b]:.0f} dB at {b}" for b in BANDS if loss[b] and any(r.band == b for r in node.radios))
        reasons.append(f"{stand.mounting}: costs {cost}")
    if low:
        reasons.append(f"{stand.height_m:.1f} m above the floor; eye level to ceiling is better")
    reasons.append(_told(now, then))
    links = list(_link_gains(judge, node, better))
    reasons += [f"radio link of {name}: {was:.0f} to {became:.0f} dBm" for name, was, became in links]
    cautions = []
    if stand.mounting == "metal enclosure":
        reasons.append(
            "out of the enclosure it needs two cables: one to bring the line to the new place, one to bring the "
            "network back to the switch"
        )
        cautions.append("New cable may mean ladders and drilling: know what is in the wall; mains is an electrician's.")
    advice = _advice(now, then)
    if any(was < LINK_DBM and became - was >= WORTH_DB for _, was, became in links):
        advice = "recommended"
    where = "on the wall at eye level" if not shut_in else "out of it, on the wall at eye level"
    if advice == "leave":
        where = "may stay where it is; no spot and no link would gain"
    yield Decision(
        kind="enclosure",
        node_id=node.id,
        advice=advice,
        title=f"{node.name}: {where}",
        reasons=reasons,
        now=now,
        then=then,
        stands=[NodeStand(node.id, better)],
        cautions=cautions,
    )


def _link_gains(judge: Judge, node: Node, stand: Stand) -> Iterator[tuple[str, float, float]]:
    """(node that hangs on a radio link with an end at ``node``, its level now, its level with the node so), in dBm."""
    for other in judge.coverage.job.nodes:
        if other.uplink is None or other.uplink.band is None or node.id not in (other.id, other.uplink.to_node_id):
            continue
        was = link_level(judge.coverage, other)
        became = link_level(judge.coverage, other, {node.id: stand})
        if was is not None and became is not None:
            yield other.name, was, became


def _rods(judge: Judge, now: Verdict, node: Node, stand: Stand) -> Iterator[Decision]:
    """One rod of several laid over for the floor above or below: every heading tried."""
    storeys = {r.storey for r in judge.coverage.building.rooms if r.kind == "room"}
    if len(stand.antennas) < 2:
        return
    upright = replace(stand, antennas=tuple(Antenna() for _ in stand.antennas))
    options = [upright]
    if len(storeys) > 1:
        rest = upright.antennas[1:]
        options += [replace(stand, antennas=(Antenna(90.0, float(h)), *rest)) for h in HEADINGS_DEG]
    tried = [(judge.verdict({node.id: s}), s) for s in options]
    then, best = min(tried, key=lambda t: (t[0].rank[:2], -_mean_margin(t[0])))
    laid = best.antennas[0].tilt_deg > 45
    if best.antennas == stand.antennas:
        title = f"{node.name}: leave the antennas as they are"
        yield Decision(
            kind="antennas",
            node_id=node.id,
            advice="leave",
            title=title,
            reasons=[f"{len(options)} ways of turning them tried"],
            now=now,
            then=None,
        )
        return
    others = _by_storey(judge, now, then, stand.storey)
    title = (
        f"{node.name}: tilt one antenna over, towards {best.antennas[0].azimuth_deg:.0f}°"
        if laid
        else f"{node.name}: all antennas upright"
    )
    reasons = [f"{len(options)} ways of turning them tried", *others, _told(now, then), "measure before and after"]
    advice = _advice(now, then)
    yield Decision(
        kind="antennas",
        node_id=node.id,
        advice=advice,
        title=title,
        reasons=reasons,
        now=now,
        then=then,
        stands=[NodeStand(node.id, best)],
    )


def _mean_margin(verdict: Verdict) -> float:
    values = [min(m, 15.0) for m in verdict.margins_db.values()]
    return sum(values) / len(values) if values else 0.0


def _by_storey(judge: Judge, now: Verdict, then: Verdict, own: int) -> list[str]:
    told = []
    places = {p.id: p for p in judge.coverage.job.places}
    for label, keep in (("on this floor", True), ("on the other floors", False)):
        change = [then.margins_db[p] - m for p, m in now.margins_db.items() if (places[p].storey == own) is keep]
        if change:
            told.append(f"{label}: {sum(change) / len(change):+.1f} dB on average, {min(change):+.1f} at worst")
    return told


def _gateway(judge: Judge, now: Verdict, node: Node, stand: Stand) -> Iterator[Decision]:
    """A cellular gateway wants a window while Wi-Fi wants the middle: what a router of its own there would bring."""
    if node.kind != "cellular gateway":
        return
    spots = [
        Stand(storey=o.storey, x_m=o.x_m, y_m=o.y_m, height_m=EYE_M) for o in judge.coverage.building.outlets if o.power
    ]
    if not spots:
        title = f"{node.name}: write down the sockets to see where a router of its own would stand"
        yield Decision(
            kind="cellular gateway", node_id=node.id, advice="optional", title=title, reasons=[], now=now, then=None
        )
        return
    tried = [(judge.verdict({node.id: s}).rank, k) for k, s in enumerate(spots)]
    best = spots[min(tried)[1]]
    then = judge.verdict({node.id: best})
    away = math.hypot(best.x_m - stand.x_m, best.y_m - stand.y_m)
    reasons = [
        "the gateway stays at its window, in pass-through mode with its own Wi-Fi off",
        f"a router of its own {away:.1f} m away: {_told(now, then)}",
        "cable between the two; one router only, or there is double NAT",
    ]
    advice = _advice(now, then)
    title = f"{node.name}: leave the gateway at the window, put a router of its own in the house"
    yield Decision(
        kind="cellular gateway",
        node_id=node.id,
        advice=advice,
        title=title,
        reasons=reasons,
        now=now,
        then=then,
        stands=[NodeStand(node.id, best)],
    )


def _surplus(judge: Judge, now: Verdict, node: Node) -> Decision:
    then = judge.verdict(without=frozenset({node.id}))
    db, fraction, spots = gains(now, then)
    needed = spots < 0 or (now.margins_db and db <= -WORTH_DB) or fraction <= -WORTH_FRACTION
    title = f"{node.name} earns its place" if needed else f"{node.name} brings next to nothing: try without it"
    reasons = [f"without it: {_told(now, then)}, overlap {now.overlap_fraction:.0%} to {then.overlap_fraction:.0%}"]
    return Decision(
        kind="surplus node",
        node_id=node.id,
        advice="leave" if needed else "optional",
        title=title,
        reasons=reasons,
        now=now,
        then=then,
    )


def _stacked(judge: Judge, now: Verdict, one: tuple[Node, Stand], two: tuple[Node, Stand]) -> Iterator[Decision]:
    (a, sa), (b, sb) = one, two
    apart = math.hypot(sa.x_m - sb.x_m, sa.y_m - sb.y_m)
    if abs(sa.storey - sb.storey) != 1 or apart >= STACKED_M:
        return
    # The one that is not the router moves.
    node, stand, other = (b, sb, sa) if b.uplink is not None else (a, sa, sb)
    reasons = [f"{a.name} and {b.name} stand above each other, {apart:.1f} m apart as seen from above: they compete"]
    reasons.append(f"{now.overlap_fraction:.0%} of the rooms hear both well")
    options = [
        replace(stand, x_m=o.x_m, y_m=o.y_m, storey=o.storey)
        for o in judge.coverage.building.outlets
        if o.power and o.storey == stand.storey and math.hypot(o.x_m - other.x_m, o.y_m - other.y_m) >= DIAGONAL_M
    ]
    if not options:
        title = f"{node.name}: put it diagonally across the house"
        reasons.append("no socket farther off is written down")
        yield Decision(
            kind="stacked nodes", node_id=node.id, advice="optional", title=title, reasons=reasons, now=now, then=None
        )
        return
    tried = [(judge.verdict({node.id: s}).rank, k) for k, s in enumerate(options)]
    best = options[min(tried)[1]]
    then = judge.verdict({node.id: best})
    reasons.append(f"{_told(now, then)}, overlap {then.overlap_fraction:.0%}")
    title = f"{node.name}: move it diagonally across, to x {best.x_m:.1f}, y {best.y_m:.1f} m"
    advice = _advice(now, then)
    yield Decision(
        kind="stacked nodes",
        node_id=node.id,
        advice=advice,
        title=title,
        reasons=reasons,
        now=now,
        then=then,
        stands=[NodeStand(node.id, best)],
    )


def _power(judge: Judge, now: Verdict, power: RadioPower) -> Decision:
    coverage = judge.coverage
    node = coverage.job.node_of(power.radio_id)
    if power.advised_dbm == power.now_dbm:
        title = f"{power.radio_id}: {power.now_dbm:.0f} dBm is right"
        return Decision(
            kind="power step",
            node_id=node.id,
            advice="leave",
            title=title,
            reasons=power.reasons,
            now=now,
            then=None,
            power=power,
        )
    settings = with_power(coverage.job.settings, power.radio_id, power.advised_dbm)
    then = judge.verdict(settings=settings)
    note = cells_note(coverage, node.id)
    reasons = [*power.reasons, *([note] if note and power.band != "6 GHz" else [])]
    quieter = power.advised_dbm < power.now_dbm
    title = f"{power.radio_id}: {power.advised_dbm:.0f} instead of {power.now_dbm:.0f} dBm"
    read = len(coverage.observations.level_dbm) > 0
    if not read:
        reasons.append("no level was read in this house yet: the walls alone say so")
    # Lowering gives up what nobody needs; it is advised as long as no spot falls short of its need by it.
    good = then.short <= now.short if quieter else then.rank < now.rank
    advice: Advice = "recommended" if good and read else "optional"
    return Decision(
        kind="power step",
        node_id=node.id,
        advice=advice,
        title=title,
        reasons=reasons,
        now=now,
        then=then,
        settings=settings,
        power=power,
    )
