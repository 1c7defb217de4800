"""How devices show a level where they show no dBm: percentages and bars, and how far such a level may be off."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

Unit = Literal["dBm", "%", "bars"]


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelUnit:
    """A unit and the whole numbers that are typed in it, without their sign: the least and the most."""

    unit: Unit
    least: int
    most: int


# A level of one digit in dBm is one that is still being typed.
UNITS: Final[tuple[LevelUnit, ...]] = (
    LevelUnit(unit="dBm", least=10, most=120),
    LevelUnit(unit="%", least=0, most=100),
    LevelUnit(unit="bars", least=1, most=4),
)

# 0 to 100 % stand for -100 to -50 dBm, as two widespread systems have it; half of what a step and what makes of cards
# differ by leave open, in dB. Common practice.
AT_0_PERCENT_DBM: Final = -100.0
DB_A_PERCENT: Final = 0.5
PERCENT_SPREAD_DB: Final = 4.0

# The middle of what so many bars of four stand for, in dBm, and half of what that leaves open, in dB. Phones set their
# bars as they like: steps of some 11 dB from -55 to -88 are usual. Common practice.
BARS_DBM: Final[dict[int, float]] = {4: -50.0, 3: -60.0, 2: -71.0, 1: -82.0}
BARS_SPREAD_DB: Final = 6.0
