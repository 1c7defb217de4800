"""Names, safety and lawfulness of the boxes: by what was heard, drawn and said."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from even_static.core.checks.cabling import Cabling
from even_static.core.checks.findings import Finding, finding
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.settings import setting_block
from even_static.core.house.wiring import Wiring
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables.placing import SAME_ROOM_DBM


def provider_wifi(job: Job, drawn: Cabling, wiring: Wiring) -> Iterator[Finding]:
    """The provider's box still sending its own Wi-Fi beside the house's nodes."""
    if not job.nodes:
        return
    for box in wiring.line_equipment:
        if box.kind != "provider's gateway":
            continue
        sends = wiring.of(box.id).sends_wifi
        if sends:
            yield finding(
                "names",
                "recommended",
                f"{box.name} sends its own Wi-Fi beside the nodes",
                "Devices hold on to it, and it takes air from the house's own nodes.",
                [f"said of {box.name}"],
                f"Switch the Wi-Fi of {box.name} off on its page, after seeing which devices still use it.",
                "said",
                (box.id,),
            )
        heard = _beside(job, box.place_id) if sends is None else None
        if heard is not None:
            yield finding(
                "names",
                "optional",
                f"{box.name} may send its own Wi-Fi",
                "Beside the new nodes it takes air, and devices hold on to it.",
                [
                    f"a network that is not the house's stands at {heard.rssi_dbm:.0f} dBm where {box.name} is "
                    f"({heard.band}, channel {heard.channel}): nothing farther than a room is as loud"
                ],
                f"Look at the page of {box.name}; switch its Wi-Fi off after seeing which devices still use it.",
                "heard",
                (box.id,),
            )
        elif sends is None:
            yield finding(
                "names",
                "ask",
                f"Does {box.name} send its own Wi-Fi?",
                "Beside the new nodes it takes air, and devices hold on to it.",
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
        for li in job.scans
        if li.place_id == place_id
        for r in li.readings
        if r.bssid not in own and r.level_dbm >= SAME_ROOM_DBM
    ]
    return max(heard, key=lambda r: r.level_dbm, default=None)


def names(job: Job, wiring: Wiring) -> Iterator[Finding]:
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
            yield finding(
                "names",
                "optional",
                f"Nodes differ in their name at {band}",
                "Between differently named networks a device does not roam: it is sticky until it loses the first.",
                [said],
                "Give all nodes one name and password, unless a name is meant for a few devices only.",
                "drawn",
                tuple(n.id for n in nodes),
            )
    if wiring.same_password is False:
        yield finding(
            "names",
            "recommended",
            "Nodes take different passwords",
            "A device that knows one node's password is refused by the next one.",
            ["said by the household"],
            "Give all nodes the same password, letter for letter, upper and lower case alike.",
            "said",
        )


def _own_readings(job: Job) -> Iterator[tuple[Node, Scan, Reading]]:
    """The newest reading of every own radio, where it was loudest."""
    node_of = {r.bssid: n for n in job.nodes for r in n.radios}
    best: dict[str, tuple[Scan, Reading]] = {}
    for scan in job.scans:
        for reading in scan.readings:
            if reading.bssid in node_of:
                known = best.get(reading.bssid)
                if known is None or reading.level_dbm > known[1].level_dbm:
                    best[reading.bssid] = (scan, reading)
    for bssid, (scan, reading) in best.items():
        yield node_of[bssid], scan, reading


WEAK: Final[dict[str, str]] = {
    "open": "Everybody in reach is in the house's network and reads along.",
    "WEP": "It is broken within minutes by anybody in reach.",
    "WPA": "Its cipher is broken, and it holds old rates for every device.",
    "WPA/WPA2": "The older half's cipher is broken; a device that falls back to it is exposed.",
}


def security(job: Job, wiring: Wiring) -> Iterator[Finding]:
    """What own networks announce, and what the household said of passwords, remote management and guests."""
    yield from _announced(job)
    yield from _passwords(job, wiring)
    yield from _guests(job, wiring)


def _announced(job: Job) -> Iterator[Finding]:
    place = {p.id: p.name for p in job.places}
    weak: dict[str, list[tuple[Node, str]]] = {}
    hidden: list[tuple[Node, str]] = []
    for node, scan, reading in _own_readings(job):
        where = f"{node.name}, {reading.band}: heard at {place[scan.place_id]}"
        if reading.security in WEAK:
            weak.setdefault(reading.security, []).append((node, where))
        if reading.ssid == "":
            hidden.append((node, where))
    for kind, found in weak.items():
        yield finding(
            "security",
            "recommended",
            f"Own network announces {'no security' if kind == 'open' else kind}",
            WEAK[kind],
            [where for _, where in found],
            "Set WPA2 (AES) or WPA2/WPA3; see first whether an old device would be left behind.",
            "heard",
            tuple(dict.fromkeys(n.id for n, _ in found)),
        )
    if hidden:
        yield finding(
            "security",
            "optional",
            "A network's name is hidden",
            "Hiding protects nothing: the name is in every frame of a device that joins, and devices then call for it "
            "wherever they are.",
            [where for _, where in hidden],
            "Show the name; rely on the password.",
            "heard",
            tuple(dict.fromkeys(n.id for n, _ in hidden)),
        )


def _passwords(job: Job, wiring: Wiring) -> Iterator[Finding]:
    boxes = [(b.id, b.name) for b in wiring.line_equipment] + [(n.id, n.name) for n in job.nodes]
    default = [(i, n) for i, n in boxes if wiring.of(i).own_admin_password is False]
    if default:
        yield finding(
            "security",
            "recommended",
            f"Factory password on {', '.join(n for _, n in default)}",
            "Whoever is in the network can change the router.",
            ["said by the household"],
            "Set a password of the household's own on the router's page; it is not written down here.",
            "said",
            tuple(i for i, _ in default),
        )
    asked = [(i, n) for i, n in boxes if wiring.of(i).own_admin_password is None]
    if asked and job.nodes:
        yield finding(
            "security",
            "ask",
            "Does every node have an admin password of its own?",
            "A factory password lets anybody in the network change its settings.",
            [f"not said of {', '.join(n for _, n in asked)}"],
            "Ask; never write the password down.",
            "not known",
            tuple(i for i, _ in asked),
        )
    remote = [(i, n) for i, n in boxes if wiring.of(i).remote_management]
    if remote:
        yield finding(
            "security",
            "recommended",
            f"{', '.join(n for _, n in remote)} can be managed from the internet",
            "Its page is open to everybody who tries passwords.",
            ["said by the household"],
            "Switch remote management off.",
            "said",
            tuple(i for i, _ in remote),
        )


def _guests(job: Job, wiring: Wiring) -> Iterator[Finding]:
    if wiring.guests_apart is False:
        yield finding(
            "security",
            "optional",
            "Guests are in the household's own network",
            "They reach printers, cameras and shared folders, and know the password for good.",
            ["said by the household"],
            "Switch the guest network on, for the internet only.",
            "said",
        )
    if wiring.guests_apart is None and job.nodes:
        yield finding(
            "security",
            "ask",
            "Do guests have a network of their own?",
            "In the household's own network they reach everything in it.",
            ["nobody has said"],
            "Ask which password guests get, and show the guest network on the router's page.",
            "not known",
        )


def lawful(job: Job) -> Iterator[Finding]:
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
                yield finding(
                    "lawful",
                    "recommended",
                    f"{node.name} uses a channel that {job.country} does not allow",
                    "Radio outside the country's channels may disturb others and is an offence.",
                    [told],
                    "Set a lawful channel now, before anything else; local rules decide.",
                    "worked out",
                    (node.id,),
                    "tune",
                )
            elif setting.eirp_dbm > lawful.max_eirp_dbm:
                yield finding(
                    "lawful",
                    "recommended",
                    f"{node.name} radiates more than {job.country} allows",
                    "Above the lawful radiated power a radio disturbs others; antennas count in.",
                    [told, f"at most {lawful.max_eirp_dbm:g} dBm on this channel"],
                    "Set a lower power step; an altered antenna may have cost the node its approval.",
                    "worked out",
                    (node.id,),
                    "tune",
                )
    place = {p.id: p.name for p in job.places}
    for node, scan, reading in _own_readings(job):
        if reading.country not in (None, job.country):
            yield finding(
                "lawful",
                "recommended",
                f"{node.name} announces another country ({reading.country})",
                "Its channels and powers are then another country's.",
                [f"heard at {place[scan.place_id]}; the call is in {job.country}"],
                f"Set its country to {job.country} on its page; never choose one for its powers.",
                "heard",
                (node.id,),
            )
