"""Bodies of real instruments: what is there, speed tests that are typed, iperf3."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import DemandMbps, Id, Text, Timestamp, record
from even_static.core.house.readings import LatencyMs, Over, Reach, Reading
from even_static.core.survey.walk import MarginAtSpot, Series, Settling

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
class CardSampleView:
    """One more scan of the card at a spot: own radios' series with one level more each, what they say, own level
    against the strongest interferer, and all that this scan heard."""

    series: list[Series]
    settling: list[Settling]
    margins: list[MarginAtSpot]
    settled: bool
    heard: list[Reading]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class CardSeriesBody:
    """A series of scans of the card that is to be kept. ``key`` is its own: sent twice, it is kept once."""

    key: Id
    place_id: str
    heard_at: Timestamp
    series: list[Series]
    heard: list[Reading]
    instrument_id: str | None = None
    running: Text = ""
