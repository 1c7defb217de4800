"""IEEE 802.15.4 constants for the 2.4 GHz O-QPSK layer."""

from __future__ import annotations

from typing import Final

FRAME_BYTES: Final = 60  # a usual sensor report with its headers; common practice
PHY_HEAD_BYTES: Final = 6  # preamble 4, delimiter 1, length 1; IEEE 802.15.4-2020, from memory
BYTE_US: Final = 32.0  # 250 kb/s, in microseconds; IEEE 802.15.4-2020, from memory
ACK_BYTES: Final = 11  # preamble 4, delimiter 1, length 1, frame 5; IEEE 802.15.4-2020, from memory
RETRIES: Final = 3  # macMaxFrameRetries default, IEEE 802.15.4-2020, from memory
CSMA_ATTEMPTS: Final = 5  # 1 + macMaxCSMABackoffs (4), IEEE 802.15.4-2020, from memory
# Wi-Fi comes in spells that are on the air for this share; of the five tries so many count as new ones within one, and
# of the three retries half: held to ns-3 (tests/reference).
SPELL_DUTY, SPELL_TRIES = 0.7, 3
MOST_DUTY: Final = 0.9  # no radio is on the air for more: pauses between bursts; common practice
CCA_DBM: Final = -75.0  # energy above this holds a sender back; common practice (the standard allows up to -75)
NOISE_DBM: Final = -174.0 + 63.0 + 10.0  # thermal noise in 2 MHz with a 10 dB noise figure; common practice
WANTED_DELIVERY: Final = 0.99  # the line below which a link counts as a problem; common practice
ZIGBEE_EIRP_DBM: Final = 5.0  # what hubs, plugs and sensors radiate, 3 to 8 dBm; common practice
LEAST_LINK_DBM: Final = -92.0  # below this no link is counted on; common practice
NEAR_WIFI_M: Final = 1.0  # a hub nearer to a Wi-Fi box than this is too near; common practice
BESIDE_M: Final = 0.15  # and nearer than this it is said to stand beside it
# What two devices side by side read of each other, in dBm. Common practice.
SAME_SPOT_DBM = -30.0
# How much more a hub's antenna gives in front than to its side, in dB. Common practice.
FRONT_DB = 3.0
# 802.15.4 channels that most hubs offer: 26 is left out, where many may send with little power only. Common practice.
USUAL_HUB_CHANNELS: Final = tuple(range(11, 26))

# What a coordinator tells of a channel's energy: 0 to 255, where 0 stands for less than 10 dB over the required
# sensitivity (-85 dBm), and the steps are even over 40 dB at least (IEEE 802.15.4-2020 10.2.5; from memory).
AT_NO_ENERGY_DBM: Final = -75.0
MOST_ENERGY: Final = 255.0
ENERGY_DB_A_STEP: Final = 40.0 / MOST_ENERGY
