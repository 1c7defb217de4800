"""What is shown of a practice house's truth."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class TrueFigures:
    """What a setting really does in the busiest hour: must-have devices that are carried (share), headroom of the
    tightest radio, problems, the worst Zigbee delivery, speed tests at the middle and the slowest spot in Mb/s."""

    name: str
    served: float
    headroom: float
    problems: int
    worst_zigbee_delivery: float
    median_speed_mbps: float
    worst_speed_mbps: float


@dataclass(frozen=True, slots=True, kw_only=True)
class DecisionCost:
    """One thing that is set otherwise than in the best found: what it is, as it is and as it would be best, and how
    many problems fewer and how much more headroom that alone would bring."""

    what: str
    now: str
    best: str
    problems: int
    headroom: float


@dataclass(frozen=True, slots=True, kw_only=True)
class TruthView:
    """A practice house as it really is. ``predicted_problems``: what the model says of the present settings, by what
    was measured."""

    figures: tuple[TrueFigures, ...]
    problems: tuple[str, ...]
    decisions: tuple[DecisionCost, ...]
    predicted_problems: int
    predicted_headroom: float | None
    tried: int
