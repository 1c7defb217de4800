"""Bodies of a capture that is still going on."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import Id, record
from even_static.core.tables.bands import Band

MOST_LIVE_NETWORKS = 200
Count = Annotated[int, Ge(0), Le(1 << 53)]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class LiveNetwork:
    """A network as heard so far: the median of its levels in dBm and half the span of the middle 68 % in dB."""

    bssid: Annotated[str, Len(17, 17)]
    ssid: Annotated[str, Len(0, 160)]
    band: Band
    channel: Annotated[int, Ge(1), Le(233)]
    level_dbm: Annotated[float, Ge(-120), Le(0)] | None
    """None: the capture gives no level."""
    spread_db: Annotated[float, Ge(0), Le(120)] | None
    frames: Count


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class LiveBody:
    """What a running capture holds so far: its strongest networks. ``ended`` with the last one."""

    place_id: Id
    seconds: Annotated[float, Ge(0), Le(1e7)]
    """How long it has gone on, on the listening program's clock."""
    frames: Count
    heard_networks: Count
    networks: Annotated[list[LiveNetwork], Len(0, MOST_LIVE_NETWORKS)] = field(default_factory=list)
    ended: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class LiveView:
    """The newest of a running capture, and how many seconds ago it came; ``going_on`` until it ends or falls silent."""

    going_on: bool
    ago_s: float
    capture: LiveBody | None
