"""What was changed and tried: changes, the change sheet, A/B tests."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.house.ab_test import AbMeasure, ArmRun
from even_static.core.house.basics import (
    Id,
    Name,
    Text,
    Timestamp,
    record,
)
from even_static.core.house.kit import Uplink
from even_static.core.house.settings import Settings
from even_static.core.house.sheet import SheetStep


@record
@dataclass(frozen=True, slots=True)
class FormerUplink:
    """How a node reached the rest of the network before a change."""

    node_id: Id
    """The node."""
    uplink: Uplink
    """Its uplink of then."""


@record
@dataclass(frozen=True, slots=True)
class Change:
    """A change of the house's settings that was made."""

    changed_at: Timestamp
    """When it was done."""
    before: Settings
    """What was set before."""
    after: Settings
    """What was read back afterwards."""
    reason: Text = ""
    """Why."""
    uplinks_before: Annotated[tuple[FormerUplink, ...], Len(0, 200)] = ()
    """Of nodes whose radio link the change moved, or whose mesh formed anew, the uplinks before it."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeSheet:
    """Steps from one setting of the house to another, and how far they are."""

    id: Id
    """Identifier."""
    made_at: Timestamp
    """When it was made."""
    before: Settings
    """What was set when it was made."""
    after: Settings
    """What is to be set."""
    steps: Annotated[tuple[SheetStep, ...], Len(1, 60)]
    """Its steps, in their order."""
    reason: Text = ""
    """Why."""


@record
@dataclass(frozen=True, slots=True)
class AbArm:
    """One of the two arms of an A/B test."""

    name: Name
    """What it is called."""
    settings: Settings | None = None
    """How the house is set; none given where somebody sets it by hand, as an antenna."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class AbTest:
    """An A/B test."""

    id: Id
    """Identifier."""
    name: Name
    """What it is about."""
    planned_at: Timestamp
    """When it was planned."""
    measure: AbMeasure
    """What is measured."""
    a: AbArm
    """The first way, as a rule the one of now."""
    b: AbArm
    """The other way."""
    place_id: Id | None = None
    """Where it is measured; none given for the whole Zigbee mesh."""
    worth_fraction: Annotated[float, Ge(0.02), Le(3)] = 0.15
    """The difference that one cares about, as a share of the value: 0.15 is 15 % more (or less)."""
    most_blocks: Annotated[int, Ge(2), Le(60)] = 12
    """Blocks of four turns after which it ends."""
    arm_runs: Annotated[tuple[ArmRun, ...], Len(0, 240)] = ()
    """The turns so far, in their order."""
