"""Bodies of other 2.4 GHz sources."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Len

from even_static.core.house.basics import ZigbeeChannel
from even_static.core.tables.other_sources import SourceKind


@dataclass(frozen=True, slots=True)
class OwnPanBody:
    """An 802.15.4 network that a capture heard, and whether it is the house's own."""

    pan_id: Annotated[str, Len(6, 6)]
    own: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceKindBody:
    """A kind of sender, and what is usual for it."""

    kind: SourceKind
    duty_fraction: float
    tuned: bool
    centre_mhz: int
    advice: str


@dataclass(frozen=True, slots=True)
class ChannelBody:
    """A channel that the hub is to go to."""

    channel: ZigbeeChannel
