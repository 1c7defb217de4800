"""What else is on the air at 2.4 GHz: ovens, cameras, other people's 802.15.4 networks, energy scans, a Thread mesh."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Final

from annotated_types import Ge, Le, Len, Predicate

from even_static.core.house.basics import (
    Fraction,
    FrequencyMhz,
    Id,
    Name,
    RssiDbm,
    Timestamp,
    ZigbeeChannel,
    record,
)
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.sources import CameFrom
from even_static.core.tables.other_sources import SourceKind

BORDER_ID: Final = "border"
Hour = Annotated[int, Ge(0), Le(24)]


def is_pan(text: str) -> bool:
    """Four lower-case hexadecimal digits after 0x."""
    return len(text) == 6 and text.startswith("0x") and all(c in "0123456789abcdef" for c in text[2:])


@record
@dataclass(frozen=True, slots=True)
class HeardAt:
    """The level of something at a place."""

    place_id: Id
    """Where."""
    rssi_dbm: RssiDbm
    """Level there while it sends, in dBm."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class OtherSource:
    """Something that sends at 2.4 GHz and is neither Wi-Fi nor this house's mesh."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    kind: SourceKind
    """What it is: where on the spectrum it sends and how strongly follows from that, where nothing else is given."""
    place_id: Id
    """Where it is."""
    centre_mhz: FrequencyMhz | None = None
    """Centre of what it sends, in MHz, where the kind leaves it open."""
    duty_fraction: Fraction | None = None
    """Share of the time that it sends while it runs; none given means what is usual for its kind."""
    running_fraction: Fraction = 1.0
    """Share of an hour that it runs, within its hours."""
    from_hour: Hour = 0
    """Hour of the day from which it is used."""
    to_hour: Hour = 24
    """Hour of the day until which it is used; smaller than ``from_hour`` where that is past midnight."""
    heard_at: Annotated[tuple[HeardAt, ...], Len(0, 200)] = ()
    """Levels where somebody measured it."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class PanHeard:
    """An IEEE 802.15.4 network as a capture heard it at a place. Neither content nor device addresses are kept."""

    id: Id
    """Identifier."""
    place_id: Id
    """Where."""
    heard_at: Timestamp
    """When the capture began."""
    source: Name
    """The file that it came from."""
    pan_id: Annotated[str, Predicate(is_pan)]
    """The network's identifier, as 0x and four digits."""
    channel: ZigbeeChannel
    """Its channel."""
    frames: Annotated[int, Ge(1)]
    """Frames heard."""
    airtime_fraction: Fraction
    """Share of the capture's time that they took."""
    rssi_dbm: RssiDbm | None = None
    """Median level in dBm, where the file tells it."""
    own: bool = False
    """True for this house's own mesh: it is then not counted as somebody else's."""
    came_from: CameFrom = "not said"
    """Where it came from."""


@record
@dataclass(frozen=True, slots=True)
class ChannelEnergy:
    """The energy that a scan found on a channel."""

    channel: ZigbeeChannel
    """Channel."""
    level_dbm: RssiDbm
    """The highest level that it found, in dBm."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class EnergyScan:
    """An energy scan over 802.15.4 channels at a place."""

    id: Id
    """Identifier."""
    place_id: Id
    """Where: usually the hub's place."""
    scanned_at: Timestamp
    """When."""
    source: Name
    """What it came from."""
    levels: Annotated[tuple[ChannelEnergy, ...], Len(1, 16)]
    """What it found, each channel once."""
    came_from: CameFrom = "not said"
    """Where it came from."""
    estimated: bool = False
    """Whether the levels were worked out from steps without a unit."""


@record
@dataclass(frozen=True, slots=True)
class Thread:
    """The house's Thread mesh. It is on the same radio plan as Zigbee; its border router chooses the channel itself."""

    border_place_id: Id
    """Where the border router stands."""
    channel: ZigbeeChannel
    """The channel that it is on: a given, since a household can seldom set it."""
    devices: Annotated[tuple[MeshDevice, ...], Len(0, 250)] = ()
    """Devices on it."""
    links: Annotated[tuple[MeshLink, ...], Len(0, 2000)] = ()
    """Links as measured."""
