"""The steps of a change sheet as they are kept with a call: what each is about, and how far it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import Id, Text, Timestamp, record
from even_static.core.house.settings import RadioSetting, SsidPlan

StepState = Literal["open", "done", "differs", "taken back"]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class SheetStep:
    """A step: what it sets follows from the sheet's settings before and after, for this box, the names or the hub."""

    id: Id
    """Identifier."""
    kind: Literal["node", "ssids", "hub"]
    """What is changed: one box's radios, SSIDs and steering on all boxes, or the hub's channel."""
    node_id: Id | None = None
    """The box, for a step that changes one."""
    state: StepState = "open"
    """Open, done with every value read back as wanted, done with something that differs, or taken back."""
    at: Timestamp | None = None
    """When it was last acted on."""
    by: Literal["hand", "application"] = "hand"
    """Who set the values."""
    found: Text = ""
    """What was read back where it differs."""
    read_back: bool = False
    """Whether the values were read back afterwards; else somebody only said that they were set."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class ReadBack:
    """What a node's page, or the hub's, shows after a step: only what the step sets."""

    radios: Annotated[tuple[RadioSetting, ...], Len(0, 12)] = ()
    """Settings of the step's radios."""
    ssid_plan: SsidPlan | None = None
    """SSIDs and steering."""
    zigbee_channel: Annotated[int, Ge(11), Le(26)] | None = None
    """The hub's channel."""
