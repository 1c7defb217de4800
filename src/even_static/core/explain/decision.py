"""A decision about a node: what is advised, why, and what it changes."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from even_static.core.house.building import NodeStand
from even_static.core.house.settings import Settings
from even_static.core.search.node_spots import Verdict
from even_static.core.search.power import RadioPower

Advice = Literal["recommended", "optional", "leave"]


Kind = Literal["enclosure", "stacked nodes", "antennas", "radio link", "surplus node", "cellular gateway", "power step"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    """A finding: what, why in numbers, how the house does now and would then, and what to put on trial."""

    kind: Kind
    node_id: str
    advice: Advice
    title: str
    reasons: list[str]
    now: Verdict
    then: Verdict | None
    stands: list[NodeStand] = field(default_factory=list)
    settings: Settings | None = None
    power: RadioPower | None = None
    cautions: list[str] = field(default_factory=list)
