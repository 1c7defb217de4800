"""What screens offer to choose from, and the figures of the trade that they mark: all of it comes from here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, get_args, get_type_hints

from even_static.core.house.ab_test import AbMeasure
from even_static.core.house.building import Side
from even_static.core.house.complaint import What, When
from even_static.core.house.entries import FIELDS_BESIDE
from even_static.core.house.job import PracticeDifficulty, PracticeSize
from even_static.core.house.kit import Node
from even_static.core.house.wiring import LINE_EQUIPMENT, LineEquipmentKind, Mode
from even_static.core.house.works import Route
from even_static.core.spectrum.channels import ZIGBEE_CHANNELS
from even_static.core.tables.bands import BANDS, Band, WidthMhz
from even_static.core.tables.channel_plans import CHANNEL_PLANS, ChannelPlan
from even_static.core.tables.levels_shown import UNITS, LevelUnit
from even_static.core.tables.placing import SWITCH_RATES_MBPS
from even_static.core.tables.work import WORTH_FRACTION, WORTH_FRACTIONS
from even_static.core.tables.worlds import MOST_HEADROOM
from even_static.core.tables.zigbee import USUAL_HUB_CHANNELS, WANTED_DELIVERY


@dataclass(frozen=True, slots=True, kw_only=True)
class Offered:
    """Choices in the order in which they are offered, and limits that drawings mark."""

    bands: tuple[Band, ...]
    channel_plans: tuple[ChannelPlan, ...]
    zigbee_channels: tuple[int, ...]
    usual_hub_channels: tuple[int, ...]
    """802.15.4 channels that most hubs offer."""
    wanted_delivery: float
    """Share of a Zigbee device's reports below which it counts as a problem."""
    most_counted_headroom: float
    """More headroom than this counts no further when settings are compared."""
    complaints: tuple[What, ...]
    complaint_times: tuple[When, ...]
    line_equipment: tuple[LineEquipmentKind, ...]
    modes: tuple[Mode, ...]
    steering: tuple[str, ...]
    """What a node's page offers for band steering."""
    switch_rates_mbps: tuple[int, ...]
    cable_routes: tuple[Route, ...]
    sides: tuple[Side, ...]
    """Sides of the house, as on its plan."""
    ab_measures: tuple[AbMeasure, ...]
    worth_fractions: tuple[float, ...]
    """Differences that an A/B test may be planned for, as shares."""
    worth_fraction: float
    """The one that is proposed."""
    level_units: tuple[LevelUnit, ...]
    """How devices show a level, and what is typed in each unit."""
    fields_beside: tuple[str, ...]
    """Fields of a call that no figure of the house hangs on."""
    widths_mhz: tuple[WidthMhz, ...]
    """Widths of a channel."""
    practice_sizes: tuple[PracticeSize, ...]
    practice_difficulties: tuple[PracticeDifficulty, ...]


def offered() -> Offered:
    """All of it."""
    return Offered(
        bands=BANDS,
        channel_plans=CHANNEL_PLANS,
        zigbee_channels=ZIGBEE_CHANNELS,
        usual_hub_channels=USUAL_HUB_CHANNELS,
        wanted_delivery=WANTED_DELIVERY,
        most_counted_headroom=MOST_HEADROOM,
        complaints=_values(What),
        complaint_times=_values(When),
        line_equipment=LINE_EQUIPMENT,
        modes=_values(Mode),
        steering=_values(get_type_hints(Node)["steering"]),
        switch_rates_mbps=SWITCH_RATES_MBPS,
        cable_routes=_values(Route),
        sides=_values(Side),
        ab_measures=_values(AbMeasure),
        worth_fractions=WORTH_FRACTIONS,
        worth_fraction=WORTH_FRACTION,
        level_units=UNITS,
        fields_beside=FIELDS_BESIDE,
        widths_mhz=_values(WidthMhz),
        practice_sizes=_values(PracticeSize),
        practice_difficulties=_values(PracticeDifficulty),
    )


def _values(kind: Any) -> tuple[Any, ...]:
    return get_args(kind)
