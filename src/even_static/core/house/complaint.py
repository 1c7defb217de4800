"""The complaint in the household's own terms, and what the tests of suspicions have shown."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Ge, Le

from even_static.core.house.basics import Id, Text, Timestamp, record

What = Literal[
    "video stalls",
    "calls break up",
    "a room is slow",
    "everything is slow",
    "a device drops off and comes back",
    "a camera or bell fails",
    "music stutters",
    "a sensor or plug goes missing",
    "automations do not fire",
]
When = Literal["always", "in the evening", "at random", "while something runs", "since something changed"]
SuspicionKind = Literal[
    "the line",
    "coverage",
    "rivals",
    "half-overlap",
    "flapping by steering",
    "clinging",
    "shared link",
    "too many nodes",
    "enclosure",
    "double router",
    "Zigbee under Wi-Fi",
    "hub too close",
    "oven",
    "throttled network",
    "tired box",
    "the device itself",
]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Complaint:
    """One thing that the household complains of."""

    id: Id
    """Identifier."""
    what: What
    """What happens."""
    place_id: Id | None = None
    """Where; none given means everywhere."""
    device_id: Id | None = None
    """Which device, on Wi-Fi or in the mesh; none given means several."""
    when: When = "at random"
    """When it happens."""
    since: Text = ""
    """Since when, in their words."""
    tried: Text = ""
    """What was tried already."""
    per_week: Annotated[float, Ge(0), Le(1000)] | None = None
    """How often it happens, times a week; none given where nobody knows."""


@record
@dataclass(frozen=True, slots=True)
class SuspicionAnswer:
    """What a test has shown of a suspicion."""

    suspicion: SuspicionKind
    """The suspicion."""
    shows: Literal["it is so", "it is not so"]
    """What it shows."""
    answered_at: Timestamp
    """When."""
    note: Text = ""
    """What was seen."""
