"""Bodies of A/B tests."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.house.ab_test import AbMeasure, Arm, Value
from even_static.core.house.basics import Id, Name, record
from even_static.core.house.settings import Settings


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class NewAbTestBody:
    """An A/B test to be planned: A is the house under its current settings, B other settings (none given: both are set
    by hand)."""

    name: Name
    measure: AbMeasure
    b_name: Name
    a_name: Name = "current settings"
    b_settings: Settings | None = None
    place_id: Id | None = None
    worth_fraction: Annotated[float, Ge(0.02), Le(3)] = 0.15


@record
@dataclass(frozen=True, slots=True)
class ArmRunBody:
    """A turn of an A/B test that is set by hand: values that were read, or none to measure it now."""

    arm: Arm
    values: Annotated[tuple[Value, ...], Len(0, 200)] = ()
