"""How long steps of the work take, and how A/B tests and follow-ups are planned. Common practice throughout."""

from __future__ import annotations

from typing import Final

# How long a step takes: saving and restarting (30 s to 2 min), devices coming back, a radar check, a hub's move. Common
# practice; the radar check's minute is IEEE 802.11h's and the regulators' (from memory).
SAVE_S: Final = 75
RETURN_S: Final = 30
RADAR_S: Final = 60
SSIDS_S: Final = 60
HUB_S: Final = 160
# Spread of a run of a link test, and what a turn has beyond its runs', both of logarithms. Common practice.
USUAL_RUN_SPREAD, TURN_SPREAD = 0.15, 0.04
# Seconds of a turn: settings saved and devices back (as on the change sheet), and a run; of a turn of the hub.
SET_S, RUN_S, HUB_SET_S = float(SAVE_S + RETURN_S), 15.0, float(HUB_S)
HUB_HOURS: Final = 1.0
SENT_AN_HOUR: Final = 12
# Two weeks at least, also after the worst of times; three where nobody knows how often it was. Common practice.
LEAST_DAYS, USUAL_DAYS = 14.0, 21.0
# When to ask again, in days after the last change. Common practice: after some weeks.
ASK_AFTER_DAYS: Final = (14, 42)
SAME_HOUR_H = 2.0
# The busiest neighbours' share of the air may differ by so much before it counts as other conditions. Common practice.
SAME_AIR_FRACTION = 0.1
# Differences that an A/B test may be planned for, as shares, and the one that is proposed: a quarter is noticed.
# Levels in an A/B test: spread of single readings and from turn to turn, and the difference that is worth caring about,
# in dB. Common practice.
LEVEL_RUN_SPREAD_DB, LEVEL_TURN_SPREAD_DB, LEVEL_WORTH_DB = 3.0, 1.0, 3.0

WORTH_FRACTIONS = (0.1, 0.15, 0.25, 0.5, 1.0)
WORTH_FRACTION = 0.25
