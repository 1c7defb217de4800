"""What clients do: when they look for another radio, when they move, how they take steering, and minimum data rates."""

from __future__ import annotations

from typing import Final

from even_static.core.tables.phy import CLIENT_HIGH_BAND_DBM

# What clients choose by, left to themselves: 5 and 6 GHz count so many dB more (3 to 12 by make) while they are good,
# less and less below, nothing from poor on; above what is enough, a dB counts for less. Common practice.
TASTE_DB: Final = 7.5
GOOD_DBM, POOR_DBM, ENOUGH_DBM, BEYOND_ENOUGH = -68.0, -80.0, -45.0, 0.3
# A client scans for another radio below this level, and roams for a gain of so much, in dBm and dB. Common practice
# (-70 to -75).
ROAM_SCAN_DBM: Final = -73.0
MOVES_FOR_DB: Final = 8.0
# Fading from minute to minute, and while somebody walks with the device, in dB. Common practice.
FADE_DB, CARRIED_DB = 2.0, 5.0
# A steered client that does not follow is refused on the lower band for so long, in minutes. Common practice.
REFUSED_MIN: Final = 1
# So many changes of radio or drops in an evening are flapping.
FLAPS: Final = 4
STEP_DB: Final = 5.0
STEERING_BOUNDS_DBM: Final = (-80.0, -55.0)
# Steering levels that are tried, in dBm; none means that devices choose for themselves. Common practice.
STEERING_DBM: tuple[float | None, ...] = (None, -60.0, -65.0, CLIENT_HIGH_BAND_DBM, -75.0)
# A device that wants this much steadily suffers first where a network is throttled, in Mb/s. Common practice: a camera.
STEADY_MBPS: Final = 1.0
SMALL_EIRP_DBM: Final = 14.0
DEVICE_LIMIT: Final = 30

# Minimum data rates that nodes offer, each with the level in dBm that a client needs for it: minimum sensitivities of
# IEEE 802.11-2020 for DSSS (1 Mb/s) and OFDM (6, 12, 24 Mb/s); from memory.
MINIMUM_RATES_MBPS_DBM: Final[tuple[tuple[float, float], ...]] = (
    (1.0, -83.0),
    (6.0, -82.0),
    (12.0, -79.0),
    (24.0, -74.0),
)
# The highest minimum rate that is advised, in Mb/s, and what every client then keeps in hand, in dB. Common practice.
ADVISED_MINIMUM_MBPS: Final = 12.0
MINIMUM_RATE_SPARE_DB: Final = 5.0
