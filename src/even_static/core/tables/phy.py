"""IEEE 802.11 and 802.15.4 constants.

Everything marked "from memory" was written down without the document at hand.
"""

from __future__ import annotations

from typing import Final, Literal

Generation = Literal["802.11b", "802.11a", "802.11g", "802.11n", "802.11ac", "802.11ax", "802.11be"]
Modulation = Literal["dsss", "ofdm", "zigbee"]

GENERATION_ORDER: Final[tuple[Generation, ...]] = (
    "802.11b",
    "802.11a",
    "802.11g",
    "802.11n",
    "802.11ac",
    "802.11ax",
    "802.11be",
)

# Data subcarriers by family and width in MHz. IEEE 802.11-2020 tables 17-5, 19-6, 21-5; 802.11ax-2021 table 27-15
# (full-width resource units); 802.11be-2024. From memory.
DATA_SUBCARRIERS: Final[dict[str, dict[int, int]]] = {
    "legacy": {20: 48},
    "ht": {20: 52, 40: 108, 80: 234, 160: 468},
    "he": {20: 234, 40: 468, 80: 980, 160: 1960, 320: 3920},
}

# Symbol times with the shortest usual guard interval, in microseconds. IEEE 802.11, from memory:
# legacy 3.2 + 0.8; HT/VHT short guard 3.2 + 0.4; HE/EHT 12.8 + 0.8.
SYMBOL_US: Final[dict[str, float]] = {"legacy": 4.0, "ht": 3.6, "he": 13.6}

# (bits per subcarrier, coding rate) for MCS 0..13. IEEE 802.11, from memory.
MCS: Final[tuple[tuple[int, float], ...]] = (
    (1, 1 / 2),
    (2, 1 / 2),
    (2, 3 / 4),
    (4, 1 / 2),
    (4, 3 / 4),
    (6, 2 / 3),
    (6, 3 / 4),
    (6, 5 / 6),
    (8, 3 / 4),
    (8, 5 / 6),
    (10, 3 / 4),
    (10, 5 / 6),
    (12, 3 / 4),
    (12, 5 / 6),
)

# Required receiver sensitivity at 20 MHz, one stream, in dBm; +3 dB for each doubling of width.
# IEEE 802.11ax-2021 table 27-51 (MCS 0..11); 802.11be-2024 for MCS 12, 13. From memory.
SENSITIVITY_DBM_20MHZ: Final[tuple[float, ...]] = (-82, -79, -77, -74, -70, -66, -65, -64, -59, -57, -54, -52, -49, -46)

# Usual chips hear 3 to 9 dB more than that. Common practice.
CHIPS_HEAR_DB: Final = 5.0

# Legacy OFDM: rate in Mb/s and required sensitivity in dBm at 20 MHz. IEEE 802.11-2020 table 17-18, from memory.
LEGACY_OFDM: Final[tuple[tuple[float, float], ...]] = (
    (6, -82),
    (9, -81),
    (12, -79),
    (18, -77),
    (24, -74),
    (36, -70),
    (48, -66),
    (54, -65),
)

# DSSS/CCK: rate in Mb/s and usual sensitivity in dBm. Rates IEEE 802.11-2020 clauses 15 and 16, from memory
# (required: -80 at 2 Mb/s, -76 at 11 Mb/s); the values between are common practice.
DSSS: Final[tuple[tuple[float, float], ...]] = ((1, -83), (2, -80), (5.5, -78), (11, -76))

MAX_MCS: Final[dict[Generation, int]] = {"802.11n": 7, "802.11ac": 9, "802.11ax": 11, "802.11be": 13}
MAX_WIDTH_MHZ: Final[dict[Generation, int]] = {
    "802.11b": 20,
    "802.11a": 20,
    "802.11g": 20,
    "802.11n": 40,
    "802.11ac": 160,
    "802.11ax": 160,
    "802.11be": 320,
}

# Price of each doubling of streams, in dB: transmit power is shared between them. Common practice.
STREAM_DOUBLING_DB: Final = 3.0

# Receiver noise figure, in dB. Common practice for house equipment.
NOISE_FIGURE_DB: Final = 7.0
THERMAL_DBM_PER_HZ: Final = -174.0

# Clear channel assessment, in dBm. IEEE 802.11-2020 17.3.10.6: preamble at -82, any energy 20 dB higher. From memory.
DECODE_DEFER_DBM: Final = -82.0
ENERGY_DEFER_DBM: Final = -62.0

# Times in microseconds. IEEE 802.11-2020 tables 17-21 and 19-25; preambles legacy, HT-mixed, VHT, HE. From memory.
SLOT_US: Final = 9.0
SIFS_US: Final = {"2.4 GHz": 10.0, "5 GHz": 16.0, "6 GHz": 16.0}
CW_MIN: Final = 15
PREAMBLE_US: Final[dict[Generation, float]] = {
    "802.11b": 192.0,
    "802.11a": 20.0,
    "802.11g": 20.0,
    "802.11n": 36.0,
    "802.11ac": 40.0,
    "802.11ax": 44.0,
    "802.11be": 48.0,
}
LEGACY_PREAMBLE_US: Final = 20.0
ACK_BYTES: Final = 14
BLOCK_ACK_BYTES: Final = 32
MAC_OVERHEAD_BYTES: Final = 38  # QoS data header 26, FCS 4, LLC/SNAP 8
AMPDU_DELIMITER_BYTES: Final = 4
CONTROL_RATE_MBPS: Final = 24.0
# Longest burst that equipment builds in practice, and frames in it. Common practice.
BURST_US: Final = 2000.0
AMPDU_FRAMES: Final[dict[Generation, int]] = {
    "802.11b": 1,
    "802.11a": 1,
    "802.11g": 1,
    "802.11n": 32,
    "802.11ac": 64,
    "802.11ax": 256,
    "802.11be": 1024,
}

# A beacon: bytes, interval in microseconds (100 time units of 1024), slowest basic rate by band. Common practice.
BEACON_BYTES: Final = 300
BEACON_INTERVAL_US: Final = 102_400.0
BEACON_RATE_MBPS: Final = {"2.4 GHz": 1.0, "5 GHz": 6.0, "6 GHz": 6.0}

# Channel use assumed for a network that does not broadcast it, as a fraction of one second. Common practice.
DEFAULT_USE_FRACTION: Final = {"2.4 GHz": 0.08, "5 GHz": 0.05, "6 GHz": 0.03}
# However busy a channel is, so much of it is left to whoever contends. Common practice.
LEAST_LEFT_FRACTION: Final = 0.05

# What a client chooses by: a higher band is taken from this level on. Common practice (-70 to -75 dBm).
CLIENT_HIGH_BAND_DBM: Final = -70.0
# Level that video and calls are designed for, and at which a second node can take over, in dBm. Common practice.
DESIGN_LEVEL_DBM: Final = -65.0
HANDOVER_DBM: Final = -75.0
# An own level this far above the strongest interferer on the same spectrum is clear of it, in dB. Common practice.
CLEAR_MARGIN_DB: Final = 20.0
# Client transmit power, in dBm. Common practice.
CLIENT_EIRP_DBM: Final = 15.0
