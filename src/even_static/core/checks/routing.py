"""Cabling and addresses: one router, directly behind the modem; no rings; feeds as they are drawn. Common practice."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from typing import Final, Literal

from even_static.core.checks.cabling import Box, Cabling
from even_static.core.checks.findings import Finding, finding
from even_static.core.house.job import Job
from even_static.core.house.wiring import Wiring
from even_static.core.tables.placing import CABLE_SHARE

# The address range that providers share among their customers: RFC 6598.
SHARED_ADDRESSES: Final = ipaddress.ip_network("100.64.0.0/10")


def _say(drawn: Cabling, ids: list[str]) -> str:
    return " - ".join(drawn.box(i).name for i in ids)


def routing(job: Job, drawn: Cabling, wiring: Wiring) -> Iterator[Finding]:
    """One router, directly behind the modem, before any switch; nothing else routes."""
    if not job.nodes:
        return
    routers = [b for b in drawn.boxes if b.routes]
    if not routers:
        yield finding(
            "addresses",
            "recommended",
            "Nothing routes",
            "Without a router no device gets an address, and the house has no firewall.",
            ["no equipment on the drawing routes"],
            "Say which one routes, or put one into router mode.",
            "drawn",
        )
    yield from _behind_each_other(routers, drawn, wiring)
    apart = _first_routers(routers, drawn)
    if len(apart) > 1:
        yield _side_by_side(apart, drawn)
    if len(apart) == 1:
        yield from _before_the_router(apart[0], drawn)
        yield from _two_cables(job, drawn, wiring, apart[0])
    yield from _translated_before(drawn, wiring)
    yield from _does_it_route(drawn)
    if len(drawn.boxes) > 1 and (drawn.joins or job.wiring is not None):
        yield from _not_joined(drawn)


def _behind_each_other(routers: list[Box], drawn: Cabling, wiring: Wiring) -> Iterator[Finding]:
    for box in routers:
        before = [b for b in routers if b.id != box.id and b.id in drawn.path(box.id)]
        if before:
            yield _double(drawn, wiring, before[-1], box)


def _first_routers(routers: list[Box], drawn: Cabling) -> list[Box]:
    """Routers that are joined to the line with no other router before them."""
    reached = [b for b in routers if b.hops is not None]
    return [b for b in reached if not any(o.id in drawn.path(b.id) for o in reached if o.id != b.id)]


def _side_by_side(apart: list[Box], drawn: Cabling) -> Finding:
    return finding(
        "addresses",
        "recommended",
        f"{' and '.join(b.name for b in apart)} route side by side",
        "Each makes a network of its own: devices on one do not find those on the other, and most lines serve one.",
        [_say(drawn, drawn.path(b.id)) for b in apart],
        f"Keep one of them as the router; put the other behind it in access-point mode ({apart[-1].name}).",
        "drawn",
        tuple(b.id for b in apart),
    )


def _before_the_router(router: Box, drawn: Cabling) -> Iterator[Finding]:
    """A switch between the line and the router, and what else hangs there."""
    path = drawn.path(router.id)
    between = [drawn.box(i) for i in path[1:-1] if drawn.box(i).role == "switch"]
    if between:
        yield finding(
            "cabling",
            "recommended",
            f"{between[0].name} stands before the router",
            "A switch before the router puts what hangs on it straight on the line: no address, or no firewall.",
            [_say(drawn, path)],
            f"Plug {router.name} directly into the modem, and {between[0].name} behind {router.name}.",
            "drawn",
            (between[0].id, router.id),
        )
    for box in drawn.boxes:
        joined = box.hops is not None and box.id not in path and router.id not in drawn.path(box.id)
        if joined and box.role in ("node", "repeater", "switch"):
            yield finding(
                "cabling",
                "recommended",
                f"{box.name} hangs before the router",
                "It gets no address from the router, or another one than the rest of the house.",
                [_say(drawn, drawn.path(box.id))],
                f"Move its cable to a socket of {router.name}, or to a switch behind it.",
                "drawn",
                (box.id,),
            )


def _translated_before(drawn: Cabling, wiring: Wiring) -> Iterator[Finding]:
    """A router that gets a private or a shared address from the line, with no router drawn before it."""
    for box in drawn.boxes:
        address = wiring.of(box.id).line_address
        kind = private_kind(address or "")
        if kind and box.routes and not any(o.routes for o in drawn.boxes if o.id in drawn.path(box.id)[:-1]):
            who = "the provider" if kind == "shared" else "equipment before it"
            yield finding(
                "addresses",
                "recommended" if kind == "private" else "optional",
                f"Double NAT: {box.name} is behind another router",
                "With double NAT incoming connections, some games and some calls fail.",
                [f"{box.name} gets {address} from the line: a {kind} address, so {who} translates already"],
                "Put the equipment before it into pass-through; only where its page has no such mode, this one into "
                "access-point mode."
                if kind == "private"
                else "Ask the provider for a public address, or use IPv6; nothing in the house changes it.",
                "said",
                (box.id,),
            )


def _does_it_route(drawn: Cabling) -> Iterator[Finding]:
    for box in drawn.boxes:
        if box.routes is None:
            yield finding(
                "addresses",
                "ask",
                f"Does {box.name} route?",
                "A second router makes double NAT.",
                ["nobody has said"],
                "Look at its page: router, pass-through (bridge) or access-point mode; or look up the address that the "
                "equipment behind it gets from the line.",
                "not known",
                (box.id,),
            )


def _not_joined(drawn: Cabling) -> Iterator[Finding]:
    for box in drawn.boxes:
        if box.hops is None:
            yield finding(
                "cabling",
                "ask",
                f"Nothing leads to {box.name}",
                "What the drawing does not join cannot be checked.",
                ["no cable and no radio link is drawn"],
                "Click it and what it is plugged into.",
                "not known",
                (box.id,),
            )


def private_kind(address: str) -> Literal["", "private", "shared"]:
    """Whether an address is one of a house ("private", RFC 1918), of a provider's translation ("shared", RFC 6598), or
    neither; what is no address counts as neither."""
    try:
        found = ipaddress.ip_address(address.strip())
    except ValueError:
        return ""
    if found.version == 4 and found in SHARED_ADDRESSES:
        return "shared"
    return "private" if found.version == 4 and found.is_private and not found.is_loopback else ""


def _double(drawn: Cabling, wiring: Wiring, first: Box, second: Box) -> Finding:
    address = wiring.of(second.id).line_address
    if first.role == "provider's gateway":
        do = (
            f"Put {first.name} into pass-through: {second.name} routes for what hangs on it. Only where the page of "
            f"{first.name} has no such mode, {second.name} into access-point mode."
        )
    else:
        do = f"Put {second.name} into access-point (bridge) mode: {first.name} routes for the house."
    return finding(
        "addresses",
        "recommended",
        f"{second.name} routes behind {first.name}",
        "Double NAT: devices on one do not find those on the other, and incoming connections fail.",
        [
            _say(drawn, drawn.path(second.id)),
            f"{first.name} and {second.name} both route",
            *([f"{second.name} gets {address}, a private address"] if private_kind(address or "") == "private" else []),
        ],
        do,
        "drawn",
        (first.id, second.id),
    )


def _two_cables(job: Job, drawn: Cabling, wiring: Wiring, router: Box) -> Iterator[Finding]:
    """A router away from the line, with boxes left behind there, needs two cables."""
    place_of = {n.id: n.place_id for n in job.nodes} | {b.id: b.place_id for b in wiring.line_equipment}
    way = drawn.path(router.id)
    line = next((place_of.get(i) for i in way[:-1] if place_of.get(i)), None)
    here = place_of.get(router.id)
    if line is None or here is None or line == here:
        return
    left = [b.name for b in drawn.boxes if router.id in drawn.path(b.id)[:-1] and place_of.get(b.id) == line]
    where = next(p.name for p in job.places if p.id == here)
    at = next(p.name for p in job.places if p.id == line)
    if left:
        yield finding(
            "cabling",
            "optional",
            f"{router.name} stands away from the line: two cables",
            "One brings the line to it, the other brings the network back to what stayed where the line comes in.",
            [f"line at {at}, router at {where}", f"at {at} stayed: {', '.join(left)}"],
            f"See that two cables run between {at} and {where}, and pull a third while it is open.",
            "worked out",
            (router.id,),
            "change",
        )


def rings(job: Job, drawn: Cabling) -> Iterator[Finding]:
    for ring in drawn.rings:
        names = " - ".join(drawn.box(i).name for i in (*ring, ring[0]))
        yield finding(
            "cabling",
            "recommended",
            f"A ring of cables: {names}",
            "Plain switches send the same frames round for ever: the whole network stands still.",
            [names],
            f"Unplug one of its cables, best the one between {drawn.box(ring[-1]).name} and {drawn.box(ring[0]).name}.",
            "drawn",
            ring,
        )
    for node in job.nodes:
        up = node.uplink
        if up is None or up.band is None:
            continue
        cabled = [j for j in drawn.joins if j.band is None and node.id in (j.a_id, j.b_id)]
        if any(router_side(drawn, node.id, j.a_id if j.b_id == node.id else j.b_id) for j in cabled):
            yield finding(
                "backhaul",
                "recommended",
                f"{node.name} has a cable and a radio link",
                "Fed both ways it may make a ring, and the radio link takes airtime that nobody needs.",
                [f"cable drawn; under nodes its uplink is {up.band}"],
                f"Say that {node.name} has the cable as its uplink, and see on its page that it uses it.",
                "drawn",
                (node.id,),
            )


def router_side(drawn: Cabling, equipment_id: str, other_id: str) -> bool:
    """Whether ``other_id`` gets the line without ``box_id``: a cable between them can feed ``box_id``."""
    return equipment_id not in drawn.path(other_id) and drawn.box(other_id).hops is not None


def feeds(job: Job, drawn: Cabling) -> Iterator[Finding]:
    """What the nodes tell of their feeds and the drawing do not agree on; slow sockets on the way."""
    nodes = {n.id: n for n in job.nodes}
    for node in job.nodes:
        up = node.uplink
        if job.wiring is not None and up is not None and up.band is None and up.to_node_id not in drawn.path(node.id):
            yield finding(
                "backhaul",
                "ask",
                f"Where does the cable of {node.name} go?",
                "It is said to be cabled, and the drawing does not show it.",
                [f"on a cable from {nodes[up.to_node_id].name} under nodes; no such way is drawn"],
                "Draw the cable, or say that its uplink is by radio.",
                "not known",
                (node.id,),
            )
    paid = job.subscription.down_mbps if job.subscription is not None else 0.0
    for switch in job.switches:
        through = CABLE_SHARE * switch.rate_mbps
        if paid > through:
            behind = [b.name for b in drawn.boxes if switch.id in drawn.path(b.id)[:-1] and b.id in nodes]
            yield finding(
                "cabling",
                "optional",
                f"{switch.name} is slower than the line",
                "Everything behind it gets no more than its sockets carry.",
                [
                    f"{through:.0f} Mb/s through it, {paid:.0f} Mb/s paid for",
                    f"behind it: {', '.join(behind) or 'nothing'}",
                ],
                "Put a faster switch in its place, or plug the nodes into the router.",
                "worked out",
                (switch.id,),
            )
