"""Devices and links of an IEEE 802.15.4 mesh, Zigbee or Thread."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated

from annotated_types import Predicate

from even_static.core.house.basics import Id, Name, RssiDbm, is_eui64, record
from even_static.core.house.sources import CameFrom


@record
@dataclass(frozen=True, slots=True)
class MeshDevice:
    """A device of a mesh."""

    id: Id
    """Identifier; "hub" is taken by the Zigbee hub, "border" by the Thread border router."""
    name: Name
    """What the household calls it."""
    place_id: Id
    """Where it is."""
    mains_powered: bool = False
    """True when it passes on frames for others."""
    address: Annotated[str, Predicate(is_eui64)] | None = None
    """Its address of eight pairs, as a coordinator tells it."""


@record
@dataclass(frozen=True, slots=True)
class MeshLink:
    """A radio link between two devices of a mesh (or "hub", or "border"), used both ways."""

    a_id: Id
    """One end."""
    b_id: Id
    """The other end."""
    rssi_dbm: RssiDbm
    """Level received, in dBm."""
    came_from: CameFrom = "not said"
    """Where it came from."""


def devices_without_links(devices: Iterable[MeshDevice], links: Iterable[MeshLink]) -> set[str]:
    """Devices of a mesh of which nobody knows any link: what arrives from them is not known. A table that a hub told
    lists what it hears, so who is missing there is out of reach; links that somebody typed are only those."""
    known = tuple(links)
    if any(link.came_from != "typed" for link in known):
        return set()
    ends = {end for link in known for end in (link.a_id, link.b_id)}
    return {d.id for d in devices if d.id not in ends}
