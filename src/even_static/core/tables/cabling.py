"""Figures of network cabling. Lengths in m."""

from __future__ import annotations

from typing import Final

# Longest permanent link, and with its cords the longest channel: ISO/IEC 11801-1 and TIA-568 (from memory).
MOST_LINK_M: Final = 90.0
MOST_CHANNEL_M: Final = 100.0
# What is pulled beyond the way itself: a share of it, and a loop at each end. Common practice.
SLACK_FRACTION: Final = 0.15
END_LOOP_M: Final = 2.0
# Runs to pull where so many are needed: a spare costs little while the wall is open. Common practice.
LEAST_RUNS: Final = 2
# Cable is sold in steps of so many m. Common practice.
SOLD_BY_M: Final = 5.0
# Minutes of work: a hole by material, pulling a metre, ending and testing an end, putting up a box. Common practice.
HOLE_MIN: Final[dict[str, float]] = {
    "brick": 15.0,
    "concrete": 30.0,
    "stone": 30.0,
    "plasterboard": 5.0,
    "wood": 5.0,
    "chipboard": 8.0,
    "glass": 0.0,
    "coated glass": 0.0,
    "foil insulation": 5.0,
    "metal": 20.0,
}
PULL_MIN_PER_M: Final = 1.5
END_MIN: Final = 10.0
BOX_MIN: Final = 20.0
