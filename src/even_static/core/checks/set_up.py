"""How the boxes are set up: cabling, addresses, names, safety, lawfulness, where they stand. Rules return findings.

Each finding says what, why, on what it rests, what to do, and how sure it is: "drawn", "heard" and "worked out" are
certain as far as the drawing, the listening or the house is right; "said" is as sure as who said it; "not known" asks.
Rules without a source are common practice.
"""

from __future__ import annotations

import ipaddress
import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final, Literal

from even_static.core.checks.cabling import Box, Cabling, cabling, wiring_of
from even_static.core.checks.lawful import lawful_block
from even_static.core.house.job import Job, Listen, Node, Reading, setting_block
from even_static.core.house.wiring import Wiring
from even_static.core.propagation.stands import place_point, stand_of, stand_point
from even_static.core.tables.materials import MOUNTING_DB, OBSTACLES

Topic = Literal["cabling", "addresses", "backhaul", "names", "security", "lawful", "placement"]
Urgency = Literal["mend", "consider", "ask"]
Rests = Literal["drawn", "heard", "worked out", "said", "not known"]
URGENCIES: Final[tuple[Urgency, ...]] = ("mend", "consider", "ask")
# How sure a finding is of what it rests on; common practice. What nobody knows is asked.
SURE: Final[dict[Rests, float]] = {"drawn": 0.95, "heard": 0.95, "worked out": 0.9, "said": 0.8, "not known": 0.0}
# Metal and water nearer than this shade a box; ovens nearer than this are heard by it. In m; common practice.
METAL_NEAR_M, OVEN_NEAR_M = 0.8, 1.5
# A box in the outermost tenth of the house's length on both axes stands in its corner. Common practice.
CORNER_FRACTION = 0.12
# A network as loud as this stands in the same room. Common practice: -20s at the box, -40 at 6 m in the open.
SAME_ROOM_DBM = -38.0
# Loss in dB from which an obstacle counts as metal or water.
SHADING_DB = 15.0
# The address range that providers share among their customers: RFC 6598.
SHARED_ADDRESSES: Final = ipaddress.ip_network("100.64.0.0/10")
SWITCH_TENTH: Final = 0.94  # share of a socket's rate that data gets: TCP over Ethernet, IEEE 802.3 frame overheads


@dataclass(frozen=True, slots=True)
class Finding:
    """A finding: ``title`` says what, ``why`` the reason, ``evidence`` what it rests on, ``do`` what to do about it,
    ``sure`` 0..1 how sure it is. ``box_ids``: whom it is about. ``step``: where in the work it is mended."""

    id: str
    topic: Topic
    urgency: Urgency
    title: str
    why: str
    evidence: tuple[str, ...]
    do: str
    rests_on: Rests
    sure: float
    box_ids: tuple[str, ...] = ()
    step: str = "kit"


@dataclass(frozen=True, slots=True)
class SetUp:
    """The drawing and what is found, what to mend first. ``backhaul``: how the nodes are fed, in words."""

    cabling: Cabling
    findings: tuple[Finding, ...]
    backhaul: str
    text: str


def set_up(job: Job) -> SetUp:
    """All findings about a job's set-up."""
    drawn, wiring = cabling(job), wiring_of(job)
    found = [
        *_routing(job, drawn, wiring),
        *_rings(job, drawn),
        *_feeds(job, drawn),
        *_provider_wifi(job, drawn, wiring),
        *_names(job, wiring),
        *_security(job, wiring),
        *_lawful(job),
        *_placement(job),
    ]
    found.sort(key=lambda f: URGENCIES.index(f.urgency))
    counts = Counter(f.urgency for f in found)
    words = [
        f"{counts[u]} to {'mend' if u == 'mend' else 'consider' if u == 'consider' else 'ask about'}"
        for u in URGENCIES
        if counts[u]
    ]
    return SetUp(drawn, tuple(found), _backhaul(job), ", ".join(words) or "nothing found")


def _finding(
    topic: Topic,
    urgency: Urgency,
    title: str,
    why: str,
    evidence: list[str],
    do: str,
    rests_on: Rests,
    box_ids: tuple[str, ...] = (),
    step: str = "kit",
) -> Finding:
    name = f"{topic}-{title}".lower()
    plain = "".join(c if c.isalnum() else "-" for c in name)[:80]
    return Finding(plain, topic, urgency, title, why, tuple(evidence), do, rests_on, SURE[rests_on], box_ids, step)


# -- cabling and addresses -------------------------------------------------------------------------------------------


def _say(drawn: Cabling, ids: list[str]) -> str:
    return " - ".join(drawn.box(i).name for i in ids)


def _routing(job: Job, drawn: Cabling, wiring: Wiring) -> Iterator[Finding]:
    """One router, directly behind the modem, before any switch; nothing else routes."""
    if not job.nodes:
        return
    routers = [b for b in drawn.boxes if b.routes]
    if not routers:
        yield _finding(
            "addresses",
            "mend",
            "Nothing routes",
            "Without a router no device gets an address, and the house has no firewall.",
            ["no box of the drawing routes"],
            "Say which box routes, or put one into router mode.",
            "drawn",
        )
    for box in routers:
        before = [b for b in routers if b.id != box.id and b.id in drawn.way(box.id)]
        if before:
            yield _double(drawn, wiring, before[-1], box)
    reached = [b for b in routers if b.hops is not None]
    apart = [b for b in reached if not any(o.id in drawn.way(b.id) for o in reached if o.id != b.id)]
    if len(apart) > 1:
        yield _finding(
            "addresses",
            "mend",
            f"{' and '.join(b.name for b in apart)} route side by side",
            "Each makes a network of its own: devices on one do not find those on the other, and most lines serve one.",
            [_say(drawn, drawn.way(b.id)) for b in apart],
            f"Keep one of them as the router; put the other behind it in access-point mode ({apart[-1].name}).",
            "drawn",
            tuple(b.id for b in apart),
        )
    if len(apart) == 1:
        router = apart[0]
        way = drawn.way(router.id)
        between = [drawn.box(i) for i in way[1:-1] if drawn.box(i).role == "switch"]
        if between:
            yield _finding(
                "cabling",
                "mend",
                f"{between[0].name} stands before the router",
                "A switch before the router puts what hangs on it straight on the line: no address, or no firewall.",
                [_say(drawn, way)],
                f"Plug {router.name} directly into the modem, and {between[0].name} behind {router.name}.",
                "drawn",
                (between[0].id, router.id),
            )
        early = [
            b
            for b in drawn.boxes
            if b.hops is not None
            and b.id not in way
            and router.id not in drawn.way(b.id)
            and b.role in ("node", "repeater", "switch")
        ]
        for box in early:
            yield _finding(
                "cabling",
                "mend",
                f"{box.name} hangs before the router",
                "It gets no address from the router, or another one than the rest of the house.",
                [_say(drawn, drawn.way(box.id))],
                f"Move its cable to a socket of {router.name}, or to a switch behind it.",
                "drawn",
                (box.id,),
            )
        yield from _two_cables(job, drawn, wiring, router)
    for box in drawn.boxes:
        address = wiring.of(box.id).line_address
        if address is None:
            continue
        kind = private_kind(address)
        if kind and box.routes and not any(o.routes for o in drawn.boxes if o.id in drawn.way(box.id)[:-1]):
            who = "the provider" if kind == "shared" else "a box before it"
            yield _finding(
                "addresses",
                "mend" if kind == "private" else "consider",
                f"Addresses are translated before {box.name}",
                "Twice translated, incoming connections, some games and some calls fail.",
                [f"{box.name} gets {address} from the line: a {kind} address, so {who} translates already"],
                "Put the box before it into pass-through, or this one into access-point mode."
                if kind == "private"
                else "Ask the provider for a public address, or use IPv6; nothing in the house mends it.",
                "said",
                (box.id,),
            )
    for box in drawn.boxes:
        if box.routes is None:
            yield _finding(
                "addresses",
                "ask",
                f"Does {box.name} route?",
                "A second router translates addresses twice.",
                ["nobody has said"],
                "Look at its page: router, pass-through (bridge) or access-point mode; or look up the address that the "
                "box behind it gets from the line.",
                "not known",
                (box.id,),
            )
    for box in drawn.boxes:
        if box.hops is None and len(drawn.boxes) > 1 and (drawn.joins or job.wiring is not None):
            yield _finding(
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
    if first.role == "provider's box":
        do = f"Put {first.name} into pass-through and let {second.name} route, or {second.name} into access-point mode."
    else:
        do = f"Put {second.name} into access-point (bridge) mode: {first.name} routes for the house."
    return _finding(
        "addresses",
        "mend",
        f"{second.name} routes behind {first.name}",
        "Addresses are translated twice: devices on one do not find those on the other, and incoming connections fail.",
        [
            _say(drawn, drawn.way(second.id)),
            f"{first.name} and {second.name} both route",
            *([f"{second.name} gets {address}, a private address"] if private_kind(address or "") == "private" else []),
        ],
        do,
        "drawn",
        (first.id, second.id),
    )


def _two_cables(job: Job, drawn: Cabling, wiring: Wiring, router: Box) -> Iterator[Finding]:
    """A router away from the line, with boxes left behind there, needs two cables."""
    place_of = {n.id: n.place_id for n in job.nodes} | {b.id: b.place_id for b in wiring.boxes}
    way = drawn.way(router.id)
    line = next((place_of.get(i) for i in way[:-1] if place_of.get(i)), None)
    here = place_of.get(router.id)
    if line is None or here is None or line == here:
        return
    left = [b.name for b in drawn.boxes if router.id in drawn.way(b.id)[:-1] and place_of.get(b.id) == line]
    where = next(p.name for p in job.places if p.id == here)
    at = next(p.name for p in job.places if p.id == line)
    if left:
        yield _finding(
            "cabling",
            "consider",
            f"{router.name} stands away from the line: two cables",
            "One brings the line to it, the other brings the network back to what stayed where the line comes in.",
            [f"line at {at}, router at {where}", f"at {at} stayed: {', '.join(left)}"],
            f"See that two cables run between {at} and {where}, and pull a third while it is open.",
            "worked out",
            (router.id,),
            "change",
        )


def _rings(job: Job, drawn: Cabling) -> Iterator[Finding]:
    for ring in drawn.rings:
        names = " - ".join(drawn.box(i).name for i in (*ring, ring[0]))
        yield _finding(
            "cabling",
            "mend",
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
            yield _finding(
                "backhaul",
                "mend",
                f"{node.name} has a cable and a radio link",
                "Fed both ways it may make a ring, and the radio link takes airtime that nobody needs.",
                [f"cable drawn; under nodes it is fed by {up.band}"],
                f"Say that {node.name} is fed by the cable, and see on its page that it uses it.",
                "drawn",
                (node.id,),
            )


def router_side(drawn: Cabling, box_id: str, other_id: str) -> bool:
    """Whether ``other_id`` gets the line without ``box_id``: a cable between them can feed ``box_id``."""
    return box_id not in drawn.way(other_id) and drawn.box(other_id).hops is not None


def _feeds(job: Job, drawn: Cabling) -> Iterator[Finding]:
    """What the nodes tell of their feeds and the drawing do not agree on; slow sockets on the way."""
    nodes = {n.id: n for n in job.nodes}
    for node in job.nodes:
        up = node.uplink
        if job.wiring is not None and up is not None and up.band is None and up.to_node_id not in drawn.way(node.id):
            yield _finding(
                "backhaul",
                "ask",
                f"Where does the cable of {node.name} go?",
                "It is said to be cabled, and the drawing does not show it.",
                [f"fed by cable from {nodes[up.to_node_id].name} under nodes; no such way is drawn"],
                "Draw the cable, or say that it is fed by radio.",
                "not known",
                (node.id,),
            )
    paid = job.subscription.down_mbps if job.subscription is not None else 0.0
    for switch in job.switches:
        through = SWITCH_TENTH * switch.rate_mbps
        if paid > through:
            behind = [b.name for b in drawn.boxes if switch.id in drawn.way(b.id)[:-1] and b.id in nodes]
            yield _finding(
                "cabling",
                "consider",
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


def _backhaul(job: Job) -> str:
    fed = [n for n in job.nodes if n.uplink is not None]
    wired = sum(n.uplink is not None and n.uplink.band is None for n in fed)
    if not fed:
        return "one box feeds the house"
    if wired == len(fed):
        return f"wired backhaul: {wired} by cable"
    if wired == 0:
        return f"wireless backhaul: {len(fed)} by radio"
    return f"mixed backhaul, which is fine: {wired} by cable, {len(fed) - wired} by radio"


# -- names and safety ------------------------------------------------------------------------------------------------


def _provider_wifi(job: Job, drawn: Cabling, wiring: Wiring) -> Iterator[Finding]:
    """The provider's box still sending its own Wi-Fi beside the house's nodes."""
    if not job.nodes:
        return
    for box in wiring.boxes:
        if box.kind != "provider's box":
            continue
        sends = wiring.of(box.id).sends_wifi
        if sends:
            yield _finding(
                "names",
                "mend",
                f"{box.name} sends its own Wi-Fi beside the nodes",
                "Devices cling to it, and it takes air from the house's own nodes.",
                [f"said of {box.name}"],
                f"Switch the Wi-Fi of {box.name} off on its page, after seeing which devices still use it.",
                "said",
                (box.id,),
            )
        heard = _beside(job, box.place_id) if sends is None else None
        if heard is not None:
            yield _finding(
                "names",
                "consider",
                f"{box.name} may send its own Wi-Fi",
                "Beside the new nodes it takes air, and devices cling to it.",
                [
                    f"a network that is not the house's stands at {heard.rssi_dbm:.0f} dBm where {box.name} is "
                    f"({heard.band}, channel {heard.channel}): nothing farther than a room is as loud"
                ],
                f"Look at the page of {box.name}; switch its Wi-Fi off after seeing which devices still use it.",
                "heard",
                (box.id,),
            )
        elif sends is None:
            yield _finding(
                "names",
                "ask",
                f"Does {box.name} send its own Wi-Fi?",
                "Beside the new nodes it takes air, and devices cling to it.",
                ["nobody has said"],
                "Look at its page, or listen a metre from it for a network at -30 dBm or so that is not the house's.",
                "not known",
                (box.id,),
                "listen",
            )


def _beside(job: Job, place_id: str | None) -> Reading | None:
    """The loudest foreign network at a place, if it is so loud that it must stand in the room."""
    own = {r.bssid for r in job.radios}
    heard = [
        r
        for li in job.listens
        if li.place_id == place_id
        for r in li.readings
        if r.bssid not in own and r.rssi_dbm >= SAME_ROOM_DBM
    ]
    return max(heard, key=lambda r: r.rssi_dbm, default=None)


def _names(job: Job, wiring: Wiring) -> Iterator[Finding]:
    nodes = [n for n in job.nodes if n.kind != "repeater"]
    if len(nodes) < 2:
        return
    for band in ("2.4 GHz", "5 GHz", "6 GHz"):
        names: dict[str, list[str]] = {}
        for node in nodes:
            for radio in node.radios:
                if radio.band == band and not radio.link_only:
                    names.setdefault(radio.ssid, []).append(node.name)
        if len(names) > 1:
            said = "; ".join(f'"{name}" from {", ".join(of)}' for name, of in names.items())
            yield _finding(
                "names",
                "consider",
                f"Nodes differ in their name at {band}",
                "Between differently named networks a device does not roam: it clings until it loses the first.",
                [said],
                "Give all nodes one name and password, unless a name is meant for a few devices only.",
                "drawn",
                tuple(n.id for n in nodes),
            )
    if wiring.same_password is False:
        yield _finding(
            "names",
            "mend",
            "Nodes take different passwords",
            "A device that knows one node's password is refused by the next one.",
            ["said by the household"],
            "Give all nodes the same password, letter for letter, upper and lower case alike.",
            "said",
        )


def _own_readings(job: Job) -> Iterator[tuple[Node, Listen, Reading]]:
    """The newest reading of every own radio, where it was loudest."""
    node_of = {r.bssid: n for n in job.nodes for r in n.radios}
    best: dict[str, tuple[Listen, Reading]] = {}
    for listen in job.listens:
        for reading in listen.readings:
            if reading.bssid in node_of:
                known = best.get(reading.bssid)
                if known is None or reading.rssi_dbm > known[1].rssi_dbm:
                    best[reading.bssid] = (listen, reading)
    for bssid, (listen, reading) in best.items():
        yield node_of[bssid], listen, reading


def _security(job: Job, wiring: Wiring) -> Iterator[Finding]:
    place = {p.id: p.name for p in job.places}
    weak: dict[str, list[tuple[Node, str]]] = {}
    hidden: list[tuple[Node, str]] = []
    for node, listen, reading in _own_readings(job):
        where = f"{node.name}, {reading.band}: heard at {place[listen.place_id]}"
        if reading.security in ("open", "WEP", "WPA", "WPA/WPA2"):
            weak.setdefault(reading.security, []).append((node, where))
        if reading.ssid == "":
            hidden.append((node, where))
    for kind, found in weak.items():
        why = {
            "open": "Everybody in reach is in the house's network and reads along.",
            "WEP": "It is broken within minutes by anybody in reach.",
            "WPA": "Its cipher is broken, and it holds old rates for every device.",
            "WPA/WPA2": "The older half's cipher is broken; a device that falls back to it is exposed.",
        }[kind]
        yield _finding(
            "security",
            "mend",
            f"Own network announces {'no security' if kind == 'open' else kind}",
            why,
            [where for _, where in found],
            "Set WPA2 (AES) or WPA2/WPA3; see first whether an old device would be left behind.",
            "heard",
            tuple(dict.fromkeys(n.id for n, _ in found)),
        )
    if hidden:
        yield _finding(
            "security",
            "consider",
            "A network's name is hidden",
            "Hiding protects nothing: the name is in every frame of a device that joins, and devices then call for it "
            "wherever they are.",
            [where for _, where in hidden],
            "Show the name; rely on the password.",
            "heard",
            tuple(dict.fromkeys(n.id for n, _ in hidden)),
        )
    boxes = [(b.id, b.name) for b in wiring.boxes] + [(n.id, n.name) for n in job.nodes]
    default = [(i, n) for i, n in boxes if wiring.of(i).own_admin_password is False]
    if default:
        yield _finding(
            "security",
            "mend",
            f"Factory password on {', '.join(n for _, n in default)}",
            "Whoever is in the network can change the box.",
            ["said by the household"],
            "Set a password of the household's own on the box's page; it is not written down here.",
            "said",
            tuple(i for i, _ in default),
        )
    asked = [(i, n) for i, n in boxes if wiring.of(i).own_admin_password is None]
    if asked and job.nodes:
        yield _finding(
            "security",
            "ask",
            "Are the boxes behind passwords of their own?",
            "A factory password lets anybody in the network change the box.",
            [f"not said of {', '.join(n for _, n in asked)}"],
            "Ask; never write the password down.",
            "not known",
            tuple(i for i, _ in asked),
        )
    remote = [(i, n) for i, n in boxes if wiring.of(i).remote_management]
    if remote:
        yield _finding(
            "security",
            "mend",
            f"{', '.join(n for _, n in remote)} can be managed from the internet",
            "Its page is open to everybody who tries passwords.",
            ["said by the household"],
            "Switch remote management off.",
            "said",
            tuple(i for i, _ in remote),
        )
    if wiring.guests_apart is False:
        yield _finding(
            "security",
            "consider",
            "Guests are in the household's own network",
            "They reach printers, cameras and shared folders, and know the password for good.",
            ["said by the household"],
            "Switch the guest network on, for the internet only.",
            "said",
        )
    if wiring.guests_apart is None and job.nodes:
        yield _finding(
            "security",
            "ask",
            "Do guests have a network of their own?",
            "In the household's own network they reach everything in it.",
            ["nobody has said"],
            "Ask which password guests get, and show the guest network on the box's page.",
            "not known",
        )


def _lawful(job: Job) -> Iterator[Finding]:
    outdoors = {p.id for p in job.places if p.outdoors}
    for node in job.nodes:
        for radio in node.radios:
            setting = job.settings.of(radio.id)
            if not setting.enabled:
                continue
            block = setting_block(radio, setting)
            lawful = lawful_block(job.country, block, outdoors=node.place_id in outdoors)
            told = f"{radio.id}: channel {setting.channel}, {setting.width_mhz} MHz, {setting.eirp_dbm:g} dBm radiated"
            if lawful is None:
                yield _finding(
                    "lawful",
                    "mend",
                    f"{node.name} uses a channel that {job.country} does not allow",
                    "Radio outside the country's channels may disturb others and is an offence.",
                    [told],
                    "Set a lawful channel now, before anything else; local rules decide.",
                    "worked out",
                    (node.id,),
                    "tune",
                )
            elif setting.eirp_dbm > lawful.max_eirp_dbm:
                yield _finding(
                    "lawful",
                    "mend",
                    f"{node.name} radiates more than {job.country} allows",
                    "Above the lawful radiated power a radio disturbs others; antennas count in.",
                    [told, f"at most {lawful.max_eirp_dbm:g} dBm on this channel"],
                    "Set a lower power step; an altered antenna may have cost the box its approval.",
                    "worked out",
                    (node.id,),
                    "tune",
                )
    place = {p.id: p.name for p in job.places}
    for node, listen, reading in _own_readings(job):
        if reading.country not in (None, job.country):
            yield _finding(
                "lawful",
                "mend",
                f"{node.name} announces another country ({reading.country})",
                "Its channels and powers are then another country's.",
                [f"heard at {place[listen.place_id]}; the call is in {job.country}"],
                f"Set its country to {job.country} on its page; never choose one for its powers.",
                "heard",
                (node.id,),
            )


# -- where boxes stand -----------------------------------------------------------------------------------------------


def _placement(job: Job) -> Iterator[Finding]:
    """Height, enclosure, corner, metal and appliances; what a move would bring is worked out under House."""
    if job.building is None:
        return
    rooms = [r for r in job.building.rooms if r.kind == "room"]
    if not rooms:
        return
    xs, ys = ([c[k] for r in rooms for c in r.outline] for k in (0, 1))
    ovens = [
        (s.name, point)
        for s in job.other_senders
        for place in job.places
        if place.id == s.place_id and s.kind == "microwave oven"
        for point in [place_point(job, place)]
        if point is not None
    ]
    for node in job.nodes:
        stand = stand_of(job, node)
        if stand is None:
            continue
        told: list[str] = []
        if max(MOUNTING_DB[stand.mounting].values()) > 0:
            worst = max(MOUNTING_DB[stand.mounting].values())
            told.append(f"{stand.mounting}: costs up to {worst:.0f} dB")
        if stand.height_m < 0.9:
            told.append(f"{stand.height_m:.1f} m above the floor; eye level to ceiling is better")
        at = [
            min(v - min(side), max(side) - v) / max(max(side) - min(side), 1e-9)
            for v, side in ((stand.x_m, xs), (stand.y_m, ys))
        ]
        if max(at) < CORNER_FRACTION and node.uplink is None:
            told.append("in the house's corner: half of what it sends leaves the house")
        for obstacle in job.building.obstacles:
            far = math.hypot(obstacle.x_m - stand.x_m, obstacle.y_m - stand.y_m)
            loss = OBSTACLES[obstacle.kind][0] if obstacle.loss_db is None else obstacle.loss_db
            if obstacle.storey == stand.storey and far < METAL_NEAR_M and loss >= SHADING_DB:
                told.append(f"{obstacle.kind} {far:.1f} m away: shades {loss:.0f} dB on its side")
        here = stand_point(job.building, stand)
        told += [f"{name} {math.dist(here, p):.1f} m away" for name, p in ovens if math.dist(here, p) < OVEN_NEAR_M]
        if told:
            yield _finding(
                "placement",
                "consider",
                f"{node.name} stands badly",
                "Central, open and high, away from metal and appliances, a box reaches furthest.",
                told,
                "See under House what moving it would bring, in dB at each spot.",
                "worked out",
                (node.id,),
                "house",
            )
