"""Rules of the kit: nodes, radios, uplinks, switches, wiring, devices."""

from __future__ import annotations

from even_static.core.errors import BadInput
from even_static.core.house.basics import unique
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio
from even_static.core.spectrum.channels import CHANNELS_20MHZ
from even_static.core.tables.bands import Band
from even_static.core.tables.boxes import BAND_WIDTHS
from even_static.core.tables.phy import MAX_WIDTH_MHZ

# Channels that a foreign network may use although no node is offered them: 14 (DSSS, JP) and 2 at 6 GHz.
ODD_CHANNELS: dict[Band, tuple[int, ...]] = {"2.4 GHz": (14,), "5 GHz": (), "6 GHz": (2,)}


# Channels and widths that a reading may have, by band.
POSSIBLE: dict[Band, frozenset[tuple[int, int]]] = {
    band: frozenset((c, w) for c in (*CHANNELS_20MHZ[band], *ODD_CHANNELS[band]) for w in BAND_WIDTHS[band])
    for band in CHANNELS_20MHZ
}


def require_known(field: str, value: str, known: set[str]) -> None:
    if value not in known:
        listed = ", ".join(sorted(known)[:12]) or "(none yet)"
        raise BadInput(field, "must name an entry of the job", value, listed)


def validate_width(field: str, band: Band, width_mhz: int, who: str) -> None:
    if width_mhz not in BAND_WIDTHS[band]:
        allowed = " or ".join(str(w) for w in BAND_WIDTHS[band])
        raise BadInput(field, f"must be a width of the {band} band ({who})", width_mhz, allowed)


def validate_end(field: str, node: Node, radio_id: str | None, band: Band) -> None:
    """One end of a radio link: a radio of that node on that band."""
    if radio_id is None:
        return
    fitting = [r.id for r in node.radios if r.band == band]
    if radio_id not in fitting:
        raise BadInput(field, f'must be a {band} radio of "{node.name}"', radio_id, ", ".join(fitting))


def validate_radio(here: str, radio: Radio) -> None:
    """A radio's widths and channels are those of its band and generation."""
    for width in radio.widths_mhz:
        validate_width(f"{here}.widths_mhz", radio.band, width, f'radio "{radio.id}"')
        if width > MAX_WIDTH_MHZ[radio.generation]:
            raise BadInput(
                f"{here}.widths_mhz",
                f'must be a width of {radio.generation} (radio "{radio.id}")',
                width,
                f"at most {MAX_WIDTH_MHZ[radio.generation]}",
            )
    for channel in radio.channels or ():
        if channel not in CHANNELS_20MHZ[radio.band]:
            raise BadInput(
                f"{here}.channels",
                f'must be channels of the {radio.band} band (radio "{radio.id}")',
                channel,
                ", ".join(map(str, CHANNELS_20MHZ[radio.band])),
            )


def validate_devices(job: Job, places: set[str], nodes: set[str]) -> None:
    ids = unique("devices", (d.id for d in job.devices))
    radios = {r.id for r in job.radios}
    for i, device in enumerate(job.devices):
        require_known(f"devices[{i}].place_id", device.place_id, places)
        if device.wired_to_id is not None:
            require_known(f"devices[{i}].wired_to_id", device.wired_to_id, nodes)
        if device.relayed_by_id is not None:
            require_known(f"devices[{i}].relayed_by_id", device.relayed_by_id, ids - {device.id})
        if device.radio_id is not None:
            require_known(f"devices[{i}].radio_id", device.radio_id, radios)
            if job.radio(device.radio_id).band not in device.bands:
                raise BadInput(
                    f"devices[{i}].radio_id",
                    "must be a radio on one of the device's bands",
                    device.radio_id,
                    ", ".join(device.bands),
                )


def _switches(job: Job) -> None:
    ids = unique("switches", (s.id for s in job.switches))
    by_id = {s.id: s for s in job.switches}
    for i, switch in enumerate(job.switches):
        if switch.behind_switch_id is not None:
            require_known(f"switches[{i}].behind_switch_id", switch.behind_switch_id, ids - {switch.id})
        seen, at = {switch.id}, switch
        while at.behind_switch_id is not None:
            if at.behind_switch_id in seen:
                raise BadInput(f"switches[{i}].behind_switch_id", "must not lead round in a ring", switch.id, "")
            seen.add(at.behind_switch_id)
            at = by_id[at.behind_switch_id]
    for i, node in enumerate(job.nodes):
        if node.uplink is not None and node.uplink.switch_id is not None:
            require_known(f"nodes[{i}].uplink.switch_id", node.uplink.switch_id, ids)
            if node.uplink.band is not None:
                came = f"{node.uplink.band} to a switch"
                raise BadInput(f"nodes[{i}].uplink.switch_id", "must be empty for a radio link", came, "cable or none")


def validate_wiring(job: Job, places: set[str]) -> None:
    if job.wiring is None:
        return
    lines = unique("wiring.line_equipment", (b.id for b in job.wiring.line_equipment))
    others = {n.id for n in job.nodes} | {s.id for s in job.switches}
    if lines & others:
        came = ", ".join(sorted(lines & others))
        raise BadInput("wiring.line_equipment", "must not use a name of a node or a switch", came, "another name")
    for i, box in enumerate(job.wiring.line_equipment):
        if box.place_id is not None:
            require_known(f"wiring.line_equipment[{i}].place_id", box.place_id, places)
    for i, cable in enumerate(job.wiring.cables):
        require_known(f"wiring.cables[{i}].a_id", cable.a_id, lines | others)
        require_known(f"wiring.cables[{i}].b_id", cable.b_id, (lines | others) - {cable.a_id})
    unique("wiring.facts", (f.equipment_id for f in job.wiring.facts))
    for i, facts in enumerate(job.wiring.facts):
        require_known(f"wiring.facts[{i}].box_id", facts.equipment_id, lines | others)


def validate_uplinks(job: Job) -> None:
    _switches(job)
    by_id = {n.id: n for n in job.nodes}
    # Nodes that are known to hang on the line: each is walked over once.
    rooted: set[str] = set()
    for i, node in enumerate(job.nodes):
        if node.self_forming and node.can_choose_parent:
            came = f'"{node.name}": both'
            raise BadInput(f"nodes[{i}].self_forming", "must not go with a choice of parent", came, "one of the two")
        seen = {node.id}
        at = node
        while at.uplink is not None and at.id not in rooted:
            if at.uplink.to_node_id in seen:
                raise BadInput(
                    f"nodes[{i}].uplink.to_node_id", "must not lead round in a ring", at.uplink.to_node_id, ""
                )
            seen.add(at.uplink.to_node_id)
            at = by_id[at.uplink.to_node_id]
        rooted |= seen
        if node.uplink is not None and node.uplink.band is not None:
            for end in (node, by_id[node.uplink.to_node_id]):
                if all(r.band != node.uplink.band for r in end.radios):
                    raise BadInput(
                        f"nodes[{i}].uplink.band",
                        f'must be a band that both ends have a radio for (node "{end.id}" has none)',
                        node.uplink.band,
                        ", ".join(r.band for r in end.radios),
                    )
            validate_end(f"nodes[{i}].uplink.radio_id", node, node.uplink.radio_id, node.uplink.band)
            parent = by_id[node.uplink.to_node_id]
            validate_end(f"nodes[{i}].uplink.to_radio_id", parent, node.uplink.to_radio_id, node.uplink.band)
