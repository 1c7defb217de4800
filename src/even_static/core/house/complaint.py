"""The complaint in the household's own terms, and what the tests of likely causes have shown."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated, Final, Literal

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
# Complaints of slowness: they are judged by speed tests, not by counting what dropped out.
SLOWNESS: Final[frozenset[What]] = frozenset({"a room is slow", "everything is slow"})
When = Literal["always", "in the evening", "at random", "while something runs", "since something changed"]
CauseKind = Literal[
    "the line",
    "coverage",
    "co-channel neighbours",
    "adjacent-channel neighbours",
    "flapping by steering",
    "sticky client",
    "shared link",
    "too many nodes",
    "enclosure",
    "double NAT",
    "Zigbee under Wi-Fi",
    "hub too close",
    "oven",
    "throttled network",
    "tired router",
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

    def __post_init__(self) -> None:
        # "Since autumn" and "autumn" are the same answer.
        object.__setattr__(self, "since", re.sub(r"^\s*(?:since\s+)+", "", self.since, flags=re.IGNORECASE))


@record
@dataclass(frozen=True, slots=True)
class CauseAnswer:
    """What a test has shown of a likely cause."""

    cause: CauseKind
    """The cause."""
    shows: Literal["confirmed", "ruled out"]
    """What it shows."""
    answered_at: Timestamp
    """When."""
    note: Text = ""
    """What was seen."""
    complaint_id: Id | None = None
    """The complaint that it was tested for; none given means all of them."""
