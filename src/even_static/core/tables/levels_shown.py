"""How devices show a level where they show no dBm: percentages and bars, and how far such a level may be off."""

from __future__ import annotations

from typing import Final, Literal

Unit = Literal["dBm", "%", "bars"]
UNITS: Final[tuple[Unit, ...]] = ("dBm", "%", "bars")

# 0 to 100 % stand for -100 to -50 dBm, as two widespread systems have it; half of what a step and what makes of cards
# differ by leave open, in dB. Common practice.
PERCENT_AT_0_DBM: Final = -100.0
DB_A_PERCENT: Final = 0.5
PERCENT_SPREAD_DB: Final = 4.0

# The middle of what so many bars of four stand for, in dBm, and half of what that leaves open, in dB. Phones set their
# bars as they like: steps of some 11 dB from -55 to -88 are usual. Common practice.
BARS_DBM: Final[dict[int, float]] = {4: -50.0, 3: -60.0, 2: -71.0, 1: -82.0}
BARS_SPREAD_DB: Final = 6.0
