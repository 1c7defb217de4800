"""After the visit: when to ask again, and what dropped out since."""

from __future__ import annotations

from dataclasses import dataclass

from even_static.core.house.basics import Id, Text, Timestamp, record


@record
@dataclass(frozen=True, slots=True)
class FollowUp:
    """A date on which the household is asked again, or visited."""

    id: Id
    """Identifier."""
    at: Timestamp
    """When."""
    note: Text = ""
    """What for."""
    asked_at: Timestamp | None = None
    """When the household was asked; none given where that is still to come."""


@record
@dataclass(frozen=True, slots=True)
class DropOut:
    """Something that dropped out, as the household or a log reports it."""

    id: Id
    """Identifier."""
    at: Timestamp
    """When."""
    device_id: Id | None = None
    """Which device, on Wi-Fi or in a mesh; none given where nobody knows."""
    note: Text = ""
    """What was seen."""
