"""Bodies of planning and its reasons."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.api.bodies import OfferedBlock, SettingsBody
from even_static.core.house.basics import Name, Text
from even_static.core.house.building import NodeStand
from even_static.core.house.settings import Settings
from even_static.core.tables.channel_plans import ChannelPlan


@dataclass(frozen=True, slots=True)
class RadioReasonBody(SettingsBody):
    """A setting and the radio that is asked about."""

    radio_id: str


@dataclass(frozen=True, slots=True)
class DeviceReasonBody(SettingsBody):
    """A setting and the Zigbee device that is asked about."""

    device_id: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TuneBody:
    """How to search: channel plan, DFS channels, time; which radios keep all that ``settings`` gives them
    (``pinned``), and
    whether its names, links and Zigbee channel are kept; what may be changed beside channels and widths: powers,
    surplus 2.4 GHz radios, the links' bands, the steering level; nodes that can be moved."""

    channel_plan: ChannelPlan = "any legal channel"
    avoid_dfs: bool = False
    seconds: Annotated[float, Ge(0.1), Le(120)] = 20.0
    settings: Settings | None = None
    pinned: list[str] = field(default_factory=list)
    power: bool = False
    switch_off: bool = False
    links: bool = False
    steering: bool = False
    hold_ssid_plan: bool = False
    hold_links: bool = False
    hold_zigbee: bool = False
    move_node_ids: Annotated[list[str], Len(0, 2)] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class KeepPlanBody:
    """A plan to be kept: its name, what it sets, and where it puts nodes."""

    name: Name
    settings: Settings
    stands: list[NodeStand] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class MeasureBody:
    """A plan, and the others that were found beside it."""

    settings: Settings
    others: Annotated[list[Settings], Len(0, 40)] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class ApplyBody:
    """A setting to be sent to the nodes, and why."""

    settings: Settings
    reason: Text = ""


@dataclass(frozen=True, slots=True)
class RadioOptions:
    """What one radio may be set to."""

    radio_id: str
    blocks: list[OfferedBlock]
