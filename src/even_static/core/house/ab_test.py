"""An A/B test: two ways of setting the house, measured in alternating blocks until it is known which is better."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Final, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import Timestamp, record

Arm = Literal["A", "B"]
AbMeasure = Literal["throughput down", "throughput up", "latency under load", "level", "Zigbee reports lost"]
# Measures of which less is better.
LESS_IS_BETTER: Final[frozenset[AbMeasure]] = frozenset({"latency under load", "Zigbee reports lost"})
Value = Annotated[float, Ge(-120), Le(1_000_000)]
# What a measure's values lie between.
BOUNDS: Final[dict[AbMeasure, tuple[float, float, str]]] = {
    "throughput down": (0, 1_000_000, "Mb/s"),
    "throughput up": (0, 1_000_000, "Mb/s"),
    "latency under load": (0, 1_000_000, "ms"),
    "level": (-120, 0, "dBm"),
    "Zigbee reports lost": (0, 1, "of 1"),
}


@record
@dataclass(frozen=True, slots=True)
class ArmRun:
    """One turn of an arm."""

    arm: Arm
    """Which way the house was set."""
    at: Timestamp
    """When."""
    values: Annotated[tuple[Value, ...], Len(1, 200)]
    """What each run gave: Mb/s, ms, dBm, or the share of reports lost (0..1)."""
