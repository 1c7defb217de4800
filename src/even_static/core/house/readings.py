"""What was measured: networks heard, speed tests, traces, reports of the hub, and with which instrument."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import (
    Bssid,
    Channel,
    DemandMbps,
    Fraction,
    FrequencyMhz,
    Id,
    Name,
    RssiDbm,
    Text,
    Timestamp,
    record,
)
from even_static.core.house.building import NodeStand
from even_static.core.house.kit import (
    Radio,
)
from even_static.core.house.settings import (
    RadioSetting,
    Settings,
    setting_block,
)
from even_static.core.house.sources import CameFrom
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import Band, WidthMhz
from even_static.core.tables.phy import Generation

LatencyMs = Annotated[float, Ge(0), Le(60_000)]
Security = Literal[
    "open",
    "OWE",
    "WEP",
    "WPA",
    "WPA/WPA2",
    "WPA2",
    "WPA2/WPA3",
    "WPA3",
    "WPA2-Enterprise",
    "WPA3-Enterprise",
    "unknown",
]
Over = Literal["wi-fi", "cable", "this computer itself"]
Reach = Literal["this computer", "the internet"]
Counts = Annotated[int, Ge(0), Le(1_000_000)]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """A network as heard at one place and time."""

    bssid: Bssid
    """Address that its beacons carry."""
    ssid: Annotated[str, Len(0, 128)]
    """Name; empty when hidden. Bytes that are not UTF-8 are written as backslash escapes."""
    band: Band
    """Band."""
    channel: Channel
    """Primary channel."""
    centre_mhz: FrequencyMhz
    """Centre of its block in MHz (of the first segment at 80+80)."""
    width_mhz: WidthMhz
    """Width in MHz; 160 for 80+80."""
    rssi_dbm: RssiDbm | None
    """Median level in dBm; null where it was heard and the level is not known."""
    estimated: bool = False
    """Whether the level was worked out from a percentage or bars; ``spread_db`` says how far it may be off."""
    samples: Annotated[int, Ge(1)] = 1
    """Frames that the level rests on."""
    spread_db: Annotated[float, Ge(0), Le(60)] | None = None
    """Half the distance between the 16th and 84th percentile of the level, in dB."""
    first_heard_at: Timestamp | None = None
    """Time of the first frame."""
    last_heard_at: Timestamp | None = None
    """Time of the last frame."""
    security: Security = "unknown"
    """Security announced."""
    generation: Generation | None = None
    """Newest generation announced."""
    channel_use_fraction: Fraction | None = None
    """Share of time in which the access point found its channel busy, as it broadcasts it (BSS Load)."""
    stations: Annotated[int, Ge(0), Le(65_535)] | None = None
    """Stations that it says it serves (BSS Load)."""
    country: Annotated[str, Len(2, 2)] | None = None
    """Country that it announces."""
    slowest_basic_rate_mbps: Annotated[float, Ge(0), Le(1000)] | None = None
    """Slowest basic rate in Mb/s."""
    centre2_mhz: FrequencyMhz | None = None
    """Centre of the second segment at 80+80, in MHz."""

    @property
    def level_dbm(self) -> float:
        """Median level in dBm; minus infinity where it is not known: the weakest in every order."""
        return -math.inf if self.rssi_dbm is None else self.rssi_dbm

    @property
    def block(self) -> Block:
        """The spectrum that it uses."""
        return Block(
            band=self.band,
            channel=self.channel,
            centre_mhz=self.centre_mhz,
            width_mhz=self.width_mhz,
            centre2_mhz=self.centre2_mhz,
        )


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Scan:
    """One scan at one place."""

    id: Id
    """Identifier."""
    place_id: Id
    """Where."""
    heard_at: Timestamp
    """When it began."""
    source: Name
    """What it came from: a scanner, a capture file, a CSV file."""
    bands: Annotated[tuple[Band, ...], Len(1, 3)]
    """Bands that were listened to."""
    readings: tuple[Reading, ...] = ()
    """What was heard, own networks included."""
    settings: Settings | None = None
    """The house's settings at that time; none given means the present ones."""
    stands: tuple[NodeStand, ...] | None = None
    """Where the nodes stood at that time; none given means where they stand at present."""
    instrument_id: Id | None = None
    """What it was measured with; none given means the scanner that all others are compared with."""
    running: Text = ""
    """What else was running."""
    came_from: CameFrom = "not said"
    """Where it came from."""
    others_typed: bool = False
    """Whether the neighbours that were heard are typed too, and not own levels alone."""

    @property
    def levels_only(self) -> bool:
        """Whether only own levels were read off a device: who else was there to be heard is not known from it."""
        if self.others_typed:
            return False
        return self.came_from == "typed" or (self.came_from == "not said" and self.source == "typed")


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class SpeedTest:
    """Runs of a speed test at one place."""

    place_id: Id
    """Where."""
    tested_at: Timestamp
    """When."""
    down_mbps: tuple[DemandMbps, ...]
    """Each run towards the device, in Mb/s."""
    up_mbps: tuple[DemandMbps, ...]
    """Each run from the device, in Mb/s."""
    latency_ms: tuple[LatencyMs, ...] = ()
    """Latency under load of each run, in ms."""
    idle_ms: tuple[LatencyMs, ...] = ()
    """Latency of each run before the load, in ms."""
    jitter_ms: tuple[LatencyMs, ...] = ()
    """Mean difference of one latency under load to the next, of each run, in ms."""
    stalls: tuple[Counts, ...] = ()
    """Times in each run at which nothing came for 0.25 s or longer."""
    longest_stall_ms: tuple[LatencyMs, ...] = ()
    """The longest of them in each run, in ms."""
    over: Over = "wi-fi"
    """What the device was connected by."""
    reach: Reach = "the internet"
    """What it was tested against: the internet, or a computer in the house, which measures the house alone."""
    came_from: CameFrom = "not said"
    """Where it came from."""
    note: Text = ""
    """File that it was read from, or what else is worth keeping."""


@record
@dataclass(frozen=True, slots=True)
class TracePoint:
    """An own radio's level on the way from one spot to the next."""

    after_s: Annotated[float, Ge(0), Le(3600)]
    """Since the walk began, in s."""
    bssid: Bssid
    """The radio's address."""
    rssi_dbm: RssiDbm
    """Level in dBm."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Trace:
    """Levels read while walking at a steady pace from one spot to another."""

    id: Id
    """Identifier."""
    from_place_id: Id
    """Where the walk began."""
    to_place_id: Id
    """Where it ended."""
    walked_at: Timestamp
    """When it began."""
    duration_s: Annotated[float, Ge(0.5), Le(3600)]
    """How long it took, in s."""
    points: Annotated[tuple[TracePoint, ...], Len(1, 20_000)]
    """What was read on the way."""
    settings: Settings | None = None
    """The house's settings at that time; none given means the present ones."""
    stands: tuple[NodeStand, ...] | None = None
    """Where the nodes stood at that time; none given means where they stand at present."""
    came_from: CameFrom = "not said"
    """Where it came from."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Instrument:
    """Something that levels are read from, and how far it reads beside the scanner."""

    id: Id
    """Identifier."""
    name: Name
    """What it is called: somebody's phone."""
    offset_db: Annotated[float, Ge(-30), Le(30)] = 0.0
    """What it reads more than the scanner at the same spot, in dB; taken off its readings."""
    spread_db: Annotated[float, Ge(0), Le(30)] = 3.0
    """How sure the offset is: its standard deviation, in dB."""
    place_id: Id | None = None
    """The common spot that the offset comes from."""


@record
@dataclass(frozen=True, slots=True)
class ZigbeeReport:
    """What the hub's log says of one device over a time."""

    device_id: Id
    """The device."""
    reported_at: Timestamp
    """End of the time it covers."""
    sent: Annotated[int, Ge(0)]
    """Reports due."""
    delivered: Annotated[int, Ge(0)]
    """Reports that arrived."""
    came_from: CameFrom = "not said"
    """Where it came from."""


def own_reading(radio: Radio, setting: RadioSetting, rssi_dbm: float) -> Reading:
    """An own radio as it is heard at a level while it is set so."""
    block = setting_block(radio, setting)
    return Reading(
        bssid=radio.bssid,
        ssid=radio.ssid,
        band=radio.band,
        channel=setting.channel,
        centre_mhz=block.centre_mhz,
        width_mhz=setting.width_mhz,
        rssi_dbm=rssi_dbm,
        generation=radio.generation,
    )
