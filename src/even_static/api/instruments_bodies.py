"""Bodies of real instruments: what is there, speed tests that are typed, iperf3."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import DemandMbps, Id, Text, Timestamp, record
from even_static.core.house.readings import LatencyMs, Over, Reach

Mbps = list[DemandMbps]


@dataclass(frozen=True, slots=True, kw_only=True)
class InstrumentView:
    """An instrument: whether it can be used here and now, else why not, and what to do instead."""

    kind: str
    name: str
    available: bool
    why_not: str
    what_to_do: str


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class SpeedTestBody:
    """A speed test as read off another device. ``key`` is its own: sent twice, it is kept once."""

    key: Id
    place_id: str
    tested_at: Timestamp
    down_mbps: Annotated[Mbps, Len(1, 20)]
    up_mbps: Annotated[Mbps, Len(0, 20)] = field(default_factory=list)
    latency_ms: Annotated[list[LatencyMs], Len(0, 20)] = field(default_factory=list)
    over: Over = "wi-fi"
    reach: Reach = "the internet"
    note: Text = ""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Iperf3Body:
    """Where iperf3 is run from here: to which host of the house, over Wi-Fi or cable."""

    place_id: str
    host: Annotated[str, Len(1, 80)]
    port: Annotated[int, Ge(1), Le(65_535)] = 5201
    over: Over = "wi-fi"


@dataclass(frozen=True, slots=True, kw_only=True)
class CardSampleBody:
    """One more scan of the card at a spot; ``anew``: what was read there before it does not count."""

    place_id: str
    anew: bool = False


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class CardSeriesBody:
    """The card's series at a spot is to be kept. ``key`` is its own: sent twice, it is kept once."""

    key: Id
    place_id: str
    instrument_id: str | None = None
    running: Text = ""
