"""Adding a node of a kind to a house, lawfully set to begin with."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from even_static.core.errors import BadInput
from even_static.core.house.basics import MADE_UP_ADDRESS, fresh_identifier
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio, Uplink
from even_static.core.house.settings import RadioSetting
from even_static.core.spectrum.lawful import lawful_blocks
from even_static.core.tables.bands import Band
from even_static.core.tables.boxes import (
    NODE_KINDS,
    USUAL_EIRP_DBM,
    USUAL_STREAMS,
    NodeTemplate,
    widths_of,
)
from even_static.core.tables.phy import Generation


def with_node(job: Job, name: str, place_id: str, kind_name: str) -> Job:
    """The job with a node of a kind at a place, on the first lawful 20 MHz block of each band that allows its power.

    The first node is the router, later ones hang on it by cable, a repeater by radio. Radios on bands that the country
    does not open are left out. Addresses are made up until somebody listens or tells the true ones. BadInput for an
    unknown kind or place, or where no band is open.
    """
    kind = next((k for k in NODE_KINDS if k.name == kind_name), None)
    if kind is None:
        raise BadInput("kind", "must be a kind of node", kind_name, "; ".join(k.name for k in NODE_KINDS))
    place = next((p for p in job.places if p.id == place_id), None)
    if place is None:
        raise BadInput("place_id", "must name a place of the call", place_id, ", ".join(p.id for p in job.places))
    node_id = fresh_identifier(name, [n.id for n in job.nodes])
    radios, settings = [], []
    for n, band in enumerate(kind.bands):
        lawful = lawful_blocks(job.country, band, 20, place.outdoors)
        if not lawful:
            continue
        radio = _radio(job, node_id, kind, n, band)
        power = max(radio.eirp_steps_dbm)
        block = next((b for b in lawful if b.max_eirp_dbm >= power), lawful[0])
        radios.append(radio)
        settings.append(RadioSetting(radio_id=radio.id, channel=block.block.channel, width_mhz=20, eirp_dbm=power))
    if not radios:
        raise BadInput("kind", f"must have a band that {job.country} opens here", kind.name, "another kind or place")
    uplink = None
    if job.nodes:
        router = job.nodes[0]
        by_radio = kind.repeater and any(r.band == "2.4 GHz" for r in router.radios)
        uplink = Uplink(to_node_id=router.id, band="2.4 GHz" if by_radio else None)
    node = Node(
        id=node_id,
        name=name,
        place_id=place_id,
        radios=tuple(radios),
        uplink=uplink,
        kind="repeater" if kind.repeater else "node",
    )
    return replace(
        job,
        nodes=(*job.nodes, node),
        settings=replace(job.settings, radios=(*job.settings.radios, *settings)),
    )


def _radio(job: Job, node_id: str, kind: NodeTemplate, n: int, band: Band) -> Radio:
    second = band in kind.bands[:n]
    # Boxes that speak 802.11ac at 5 GHz speak 802.11n at 2.4 GHz.
    older = kind.generation == "802.11ac" and band == "2.4 GHz"
    generation: Generation = "802.11n" if older else kind.generation
    ssid = job.nodes[0].radios[0].ssid if job.nodes else "home"
    taken = {r.bssid for r in job.radios}
    number = next(k for k in range(1, 65536) if _address(k, n) not in taken)
    return Radio(
        id=f"{node_id}-{band.split()[0]}{'-link' if second else ''}"[:40],
        bssid=_address(number, n),
        ssid=f"{ssid} far"[:32] if kind.repeater else ssid,
        band=band,
        generation=generation,
        streams=USUAL_STREAMS,
        widths_mhz=widths_of(generation, band),
        eirp_steps_dbm=USUAL_EIRP_DBM,
        link_only=second,
    )


def free_addresses(job: Job) -> Iterator[str]:
    """Made-up addresses that no radio has."""
    taken = {r.bssid for r in job.radios}
    return (a for a in (_address(k, 0) for k in range(1, 65536)) if a not in taken)


def _address(number: int, radio: int) -> str:
    """A made-up address, locally administered (IEEE 802)."""
    return f"{MADE_UP_ADDRESS}{number >> 8:02x}:{number & 255:02x}:{radio:02x}"
