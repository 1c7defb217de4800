"""What is drawn for each practice house, and from where to where. All common practice unless a source is named."""

from __future__ import annotations

from typing import Final

from even_static.core.tables.bands import Band
from even_static.core.tables.phy import Generation

# Each household's day is steeper or flatter than the usual one: the usual share of an hour to such a power, so that an
# evening carries 1.5 to 2.8 times an afternoon's traffic.
DAY_POWER: Final = (0.6, 1.5)
BUSIEST_HOUR: Final = 20

# Signal-to-noise ratio in dB at which half of the frames of an MCS arrive at 20 MHz and one stream: what usual chips
# reach, some 3 to 9 dB below what the standards require.
HALF_ARRIVE_DB: Final = (3.5, 6.5, 9.0, 12.0, 15.5, 19.5, 21.0, 22.5, 27.0, 29.0, 32.5, 35.0, 38.0, 41.0)
# Legacy OFDM and DSSS likewise, by rate in Mb/s.
LEGACY_HALF_DB: Final = ((6.0, 3.5), (12.0, 6.5), (24.0, 12.0), (36.0, 15.5), (48.0, 19.5), (54.0, 21.0))
DSSS_HALF_DB: Final = ((1.0, -1.0), (2.0, 2.0), (5.5, 5.0), (11.0, 8.0))
# How much better or worse a chip hears than that, and how fast arrival falls with the ratio (fading from frame to
# frame), as standard deviations in dB.
CHIP_SPREAD_DB: Final = 1.8
FADING_DB: Final = 2.2
NOISE_FIGURE_DB: Final = 7.0
# A second stream costs power and needs a rich channel.
STREAM_DB: Final = 4.0

# Carrier sensing: half of the preambles are heard at the first level, energy is felt at the second; both soften over
# the third. IEEE 802.11 requires -82 and -62 dBm; receivers hear some dB more.
PREAMBLE_DBM: Final = (-90.0, -84.0)
ENERGY_DBM: Final = (-65.0, -60.0)
SENSE_SOFT_DB: Final = 1.6

# Burst that a sender keeps the channel for, in microseconds, and pauses beside it: slot, arbitration, acknowledgement.
BURST_US: Final = (400.0, 1500.0)
# Latency: what the wired part takes, in ms, and how many bursts stand before one's own each way, by how much a box lets
# wait: common practice for what is told a box, ns-3 for what follows (tests/reference/ns3_latency.txt).
WIRED_MS: Final = 4.0
QUEUED_BURSTS: Final = (0.7, 2.5)
SLOT_US: Final = 9.0
ARBITRATION_US: Final = 43.0
ACKNOWLEDGED_US: Final = 50.0
BACKOFF_SLOTS: Final = 7.5
PREAMBLE_US: Final[dict[Generation, float]] = {
    "802.11b": 192.0,
    "802.11a": 20.0,
    "802.11g": 26.0,
    "802.11n": 38.0,
    "802.11ac": 44.0,
    "802.11ax": 52.0,
    "802.11be": 56.0,
}
# What rate adaptation reaches of the best fixed rate.
ADAPTS: Final = 0.93
# Chance of a collision with n contenders 1 - 0.895^(0.78 n), after Bianchi's fixed point (IEEE JSAC 18 (3), 2000), up
# to so much; what of a burst one costs, since some are captured all the same.
MISSES_ONE, CONTENDER_POWER, MOST_COLLISIONS, COLLISION_COST = 0.895, 0.78, 0.55, 0.8
BEACON_SHARE: Final[dict[Band, float]] = {"2.4 GHz": 0.012, "5 GHz": 0.004, "6 GHz": 0.004}
# Real transmitters stay below their mask by so much beyond the neighbouring channel, in dB.
BELOW_MASK_DB: Final = (2.0, 8.0)

# Clients: power, how much they favour higher bands while those are good, how stubborn they are, how many ignore
# steering, and how far their level lies from that of the spot they are used at.
CLIENT_EIRP_DBM: Final = (10.0, 17.0)
TASTE_DB: Final[dict[Band, tuple[float, float]]] = {
    "2.4 GHz": (0.0, 0.0),
    "5 GHz": (3.0, 12.0),
    "6 GHz": (4.0, 13.0),
}
TASTE_FULL_DBM: Final = -68.0
TASTE_GONE_DBM: Final = -80.0
CHOICE_NOISE_DB: Final = 3.0
STICKY_DB: Final = (2.0, 8.0)
CLINGS_DBM: Final = -76.0
DEAF_SHARE: Final = 0.12
DEVICE_OFF_SPOT_M: Final = 0.9
BODY_DB: Final = (0.0, 5.0)
DEMAND_SPREAD: Final = 0.35

# Propagation: what walls, furniture and floors really cost, times their computed loss; shadowing; boxes' claims.
WALL_FACTOR_SPREAD: Final = 0.28
WALL_FACTOR_BOUNDS: Final = (0.55, 1.8)
CLUTTER_FACTOR: Final = (0.7, 1.4)
CLUTTER_DB_PER_M: Final[dict[Band, float]] = {"2.4 GHz": 0.5, "5 GHz": 0.7, "6 GHz": 0.8}
SHADOWING_DB: Final = 4.0
SHADOWING_LENGTH_M: Final = 2.0
RADIO_BIAS_DB: Final = 1.5
# Without a drawn building: an outer wall and a storey, in dB.
OUTER_WALL_DB: Final[dict[Band, float]] = {"2.4 GHz": 7.0, "5 GHz": 10.0, "6 GHz": 11.0}
STOREY_DB: Final[dict[Band, float]] = {"2.4 GHz": 11.0, "5 GHz": 16.0, "6 GHz": 18.0}
STOREY_M: Final = 2.7
LOUDEST_DBM: Final = -18.0
# Radios of one box are shielded from each other: filters and antennas, at least so much loss in dB.
SAME_BOX_DB: Final = 62.0

# Neighbours: the share of their airtime that their clients send, from elsewhere in their home.
STATION_SHARE: Final = 0.3
STATION_M: Final = 4.0
STATION_EIRP_DBM: Final = 14.0

# IEEE 802.15.4: power and hearing of chips, the ratio at which half of the frames arrive, clear-channel level, times.
MESH_EIRP_DBM: Final = (3.0, 8.0)
MESH_NOISE_DBM: Final = -101.0
MESH_HALF_DB: Final = 1.0
MESH_FADING_DB: Final = 1.6
MESH_CLEAR_DBM: Final = (-78.0, -72.0)
# A frame of 60 bytes with its acknowledgement; an assessment takes eight symbols (IEEE 802.15.4, from memory).
MESH_FRAME_MS, MESH_ASSESSMENT_MS = 2.5, 0.128
MESH_TRIES: Final = 5
MESH_SENT: Final = 4
# Wi-Fi comes in spells: the share of a spell that is on the air, and how far tries and retries are new ones: half of
# them where spells are as short as tens of milliseconds (ns-3, see tests/reference), fewer in long ones.
SPELL_DUTY: Final = (0.55, 0.8)
SPELL_BURST_MS: Final = 1.5
TRIES_ALIKE: Final = (0.2, 0.6)
# Routes are kept from when a device joined: its choice of parent errs by so many dB.
PARENT_NOISE_DB: Final = 5.0
LEAST_MESH_DBM: Final = -90.0
# Share of devices that ask for an acknowledgement end to end and send a lost report once more, a second later.
MESH_ASKS_AGAIN: Final = 0.6

# The router's own list: what a box reads wrong of all levels, and noise of each, in dB; how far a day's traffic differs
# from a usual one.
BOX_READS_DB, LIST_NOISE_DB = 2.0, 2.0
DAY_DIFFERS: Final = (0.7, 1.4)

# Meshes that form themselves: which share joins by the loudest it hears, how far each misjudges a way (dB), how much
# louder a higher band counts, and from which level over the least more makes no difference. All common practice.
LOUDEST_SHARE: Final = 0.4
FINDS_DB: Final = 3.0
HIGHER_BAND_DB: Final = 10.0
ENOUGH_OVER_DB: Final = 30.0
