"""What the router's own pages tell of the house at work: which device is on which radio, and how busy a channel is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le

from even_static.core.house.basics import Id, RssiDbm, Timestamp, record
from even_static.core.house.sources import CameFrom

LinkRateMbps = Annotated[float, Ge(0.1), Le(100_000)]
Megabytes = Annotated[float, Ge(0), Le(1e9)]
# Listed devices and channel uses that a call keeps.
MOST_LISTED = 3000


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class ClientSeen:
    """A line of the router's client list: one device at one time. What the list does not show is none."""

    device_id: Id
    """The device."""
    listed_at: Timestamp
    """When the list was read."""
    radio_id: Id | None = None
    """Radio that it is connected to."""
    rssi_dbm: RssiDbm | None = None
    """Level at which that radio hears it, in dBm."""
    down_rate_mbps: LinkRateMbps | None = None
    """Link rate towards it (PHY rate, not a speed test), in Mb/s."""
    up_rate_mbps: LinkRateMbps | None = None
    """Link rate from it, in Mb/s."""
    down_mb: Megabytes | None = None
    """Megabytes (10^6 bytes) that its counter shows towards it."""
    up_mb: Megabytes | None = None
    """Megabytes that its counter shows from it."""
    counted_h: Annotated[float, Ge(0.01), Le(100_000)] | None = None
    """Over how many hours the counters ran; none given where two readings tell it by their difference."""
    came_from: CameFrom = "not said"
    """Where it came from."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class ChannelUse:
    """How busy one of the own radios found its channel, as its page shows it: everybody's frames, its own too."""

    radio_id: Id
    """The radio."""
    seen_at: Timestamp
    """When."""
    busy_fraction: Annotated[float, Ge(0), Le(1)]
    """Share of each second in which the channel was busy."""
    came_from: CameFrom = "not said"
    """Where it came from."""
