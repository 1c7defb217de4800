"""Kinds of devices with what they usually speak and want, and what people do in the busy hour. Common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from even_static.core.tables.bands import Band
from even_static.core.tables.phy import Generation


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceKind:
    """A kind: newest generation, streams, bands, busy-hour demand in Mb/s, and words by which a name tells it."""

    name: str
    generation: Generation
    streams: int
    bands: tuple[Band, ...]
    down_mbps: float
    up_mbps: float
    must_have: bool
    awkward: bool
    words: tuple[str, ...]


LOW: Final[tuple[Band, ...]] = ("2.4 GHz",)
BOTH: Final[tuple[Band, ...]] = ("2.4 GHz", "5 GHz")
ALL: Final[tuple[Band, ...]] = ("2.4 GHz", "5 GHz", "6 GHz")

KINDS: Final[tuple[DeviceKind, ...]] = (
    DeviceKind(
        name="phone or tablet",
        generation="802.11ax",
        streams=2,
        bands=BOTH,
        down_mbps=6.0,
        up_mbps=1.5,
        must_have=True,
        awkward=False,
        words=("phone", "tablet", "pad", "mobile"),
    ),
    DeviceKind(
        name="new three-band phone",
        generation="802.11ax",
        streams=2,
        bands=ALL,
        down_mbps=6.0,
        up_mbps=1.5,
        must_have=True,
        awkward=False,
        words=(),
    ),
    DeviceKind(
        name="laptop with video calls",
        generation="802.11ac",
        streams=2,
        bands=BOTH,
        down_mbps=6.0,
        up_mbps=6.0,
        must_have=True,
        awkward=False,
        words=("laptop", "notebook", "computer", "pc"),
    ),
    DeviceKind(
        name="television",
        generation="802.11ac",
        streams=2,
        bands=BOTH,
        down_mbps=25.0,
        up_mbps=0.5,
        must_have=True,
        awkward=False,
        words=("television", "tv", "screen", "projector"),
    ),
    DeviceKind(
        name="games console",
        generation="802.11ac",
        streams=2,
        bands=BOTH,
        down_mbps=10.0,
        up_mbps=1.0,
        must_have=True,
        awkward=False,
        words=("console", "game"),
    ),
    DeviceKind(
        name="speaker",
        generation="802.11n",
        streams=1,
        bands=BOTH,
        down_mbps=1.0,
        up_mbps=0.1,
        must_have=True,
        awkward=False,
        words=("speaker", "radio", "hi-fi"),
    ),
    DeviceKind(
        name="camera or video bell",
        generation="802.11n",
        streams=1,
        bands=LOW,
        down_mbps=0.3,
        up_mbps=2.0,
        must_have=True,
        awkward=False,
        words=("camera", "bell", "doorbell", "cam"),
    ),
    DeviceKind(
        name="printer",
        generation="802.11n",
        streams=1,
        bands=LOW,
        down_mbps=0.2,
        up_mbps=0.1,
        must_have=False,
        awkward=False,
        words=("printer", "scanner"),
    ),
    DeviceKind(
        name="small 2.4 GHz gadget",
        generation="802.11n",
        streams=1,
        bands=LOW,
        down_mbps=0.1,
        up_mbps=0.1,
        must_have=True,
        awkward=True,
        words=("plug", "lamp", "bulb", "sensor", "thermostat", "meter", "vacuum", "washer", "switch", "blind", "valve"),
    ),
    DeviceKind(
        name="old 802.11g gadget",
        generation="802.11g",
        streams=1,
        bands=LOW,
        down_mbps=0.1,
        up_mbps=0.1,
        must_have=False,
        awkward=True,
        words=(),
    ),
)
# What nobody has named yet is counted as a phone until it is asked about.
UNKNOWN_KIND: Final = KINDS[0]


@dataclass(frozen=True, slots=True)
class Activity:
    """Something people do, with what it takes in Mb/s down and up, and words that tell it."""

    name: str
    down_mbps: float
    up_mbps: float
    words: tuple[str, ...]


ACTIVITIES: Final[tuple[Activity, ...]] = (
    Activity("film in 4K", 25.0, 0.5, ("4k", "uhd", "ultra")),
    Activity("film", 8.0, 0.3, ("film", "movie", "series", "stream", "video on", "television", "watch")),
    Activity("video call", 4.0, 4.0, ("call", "lesson", "meeting", "conference", "class")),
    Activity("game", 3.0, 1.0, ("game", "gaming", "play")),
    Activity("cloud work", 10.0, 10.0, ("upload", "backup", "cloud", "work from home", "remote")),
    Activity("music", 0.5, 0.1, ("music", "radio", "podcast", "song")),
    Activity("browsing", 3.0, 0.5, ("brows", "surf", "web", "social", "read", "homework")),
    Activity("camera", 0.3, 2.0, ("camera", "bell")),
)
