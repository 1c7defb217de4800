"""Kinds of devices with what they usually speak and want, and what people do in the busy hour. Common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from even_static.core.tables.bands import Band
from even_static.core.tables.phy import Generation


@dataclass(frozen=True, slots=True)
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
    DeviceKind("phone or tablet", "802.11ax", 2, BOTH, 6.0, 1.5, True, False, ("phone", "tablet", "pad", "mobile")),
    DeviceKind("new three-band phone", "802.11ax", 2, ALL, 6.0, 1.5, True, False, ()),
    DeviceKind(
        "laptop with video calls", "802.11ac", 2, BOTH, 6.0, 6.0, True, False, ("laptop", "notebook", "computer", "pc")
    ),
    DeviceKind("television", "802.11ac", 2, BOTH, 25.0, 0.5, True, False, ("television", "tv", "screen", "projector")),
    DeviceKind("games console", "802.11ac", 2, BOTH, 10.0, 1.0, True, False, ("console", "game")),
    DeviceKind("speaker", "802.11n", 1, BOTH, 1.0, 0.1, True, False, ("speaker", "radio", "hi-fi")),
    DeviceKind("camera or video bell", "802.11n", 1, LOW, 0.3, 2.0, True, False, ("camera", "bell", "doorbell", "cam")),
    DeviceKind("printer", "802.11n", 1, LOW, 0.2, 0.1, False, False, ("printer", "scanner")),
    DeviceKind(
        "small 2.4 GHz gadget",
        "802.11n",
        1,
        LOW,
        0.1,
        0.1,
        True,
        True,
        ("plug", "lamp", "bulb", "sensor", "thermostat", "meter", "vacuum", "washer", "switch", "blind", "valve"),
    ),
    DeviceKind("old 802.11g gadget", "802.11g", 1, LOW, 0.1, 0.1, False, True, ()),
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
