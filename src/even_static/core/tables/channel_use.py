"""What broadcast channel use is dealt out by. Common practice, unless a source is named."""

from __future__ import annotations

from typing import Final

# What a neighbour's access point is taken to radiate, in dBm.
NEIGHBOUR_EIRP_DBM: Final = 20.0
# How far the level of one neighbour at another is off from what their levels here suggest, in dB.
BETWEEN_SPREAD_DB: Final = 8.0
# How far a network's level at an own radio, turned round, is off from that radio's level there, in dB.
OURS_SPREAD_DB: Final = 3.0
# Beside own radios the networks of a figure keep at least so much of what an equal share of it would be: whoever wants
# more than there is does not get it.
LEAST_OF_EQUAL: Final = 0.5
# How far a broadcast figure is off from the sum of what is heard, and a network's share from an equal one, as shares of
# a second.
TOLD_ERROR: Final = 0.05
SHARE_ERROR: Final = 0.1
# How far what the household sends is off from what its devices want, as a share of it.
OWN_ERROR: Final = 0.3
# Rounds of the least squares for each unknown; a few are usual.
ROUNDS_EACH: Final = 100
