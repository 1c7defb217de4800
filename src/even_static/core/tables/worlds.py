"""How far what was measured may be from what is: what the drawn worlds vary, and by how much. Common practice, but for
what ``docs/model.md`` 10 tells the source of."""

from __future__ import annotations

from typing import Final

from even_static.core.tables.bands import Band

WORLDS: Final = 64
# Levels, as standard deviations in dB: what the reading device reads wrong everywhere (and how far it usually reads too
# low), at a walked spot by node and by radio, and what a device at that spot adds.
READER_DB: Final = 2.5
READS_LOW_DB: Final = 1.5
SPOT_NODE_DB, SPOT_RADIO_DB = 3.5, 2.0
DEVICE_DB, DEVICE_NODE_DB = 3.0, 3.5
FOREIGN_SPOT_DB, FOREIGN_DEVICE_DB = 3.5, 3.0
LINK_DB: Final = 3.0
UNREAD_DB: Final = 5.0
# How far a mesh that forms itself prefers one link to another beside what their airtime says, as an error in dB.
FINDS_DB: Final = 4.0
# The evening's traffic beside what was heard: from where to where by the hour in which somebody listened, and how far
# each network differs from that (standard deviation of the logarithm).
MOST_EVENING: Final = 3.0
DAY_SPREAD: Final = 0.3
NETWORK_SPREAD: Final = 0.5
# A network whose channel use nobody broadcasts may be idle or busy: spread of the logarithm around what is assumed.
ASSUMED_SPREAD: Final = 1.0
# Networks that nobody heard: how many may be, how loud at a node, how busy.
UNHEARD: Final[dict[Band, int]] = {"2.4 GHz": 2, "5 GHz": 1, "6 GHz": 1}
UNHEARD_ODDS: Final = 0.3
UNHEARD_LEVEL_DBM: Final = (-92.0, -78.0)
UNHEARD_USE: Final = (0.02, 0.15)
# Household: what each device wants beside what was said (spread of the logarithm).
DEMAND_SPREAD: Final = 0.35
# Clients: radiated power, how much better or worse than usual chips (which hear 5 dB more than the standard asks)
# theirs hear, taste for higher bands, whims, share that ignores steering.
CLIENT_EIRP_DBM: Final = (10.0, 17.0)
CHIP_DB: Final = (-2.0, 4.0)
USUAL_CHIP_DB: Final = sum(CHIP_DB) / 2
TASTE_DB: Final[dict[Band, tuple[float, float]]] = {"2.4 GHz": (0.0, 0.0), "5 GHz": (3.0, 12.0), "6 GHz": (3.0, 12.0)}
WHIM_DB: Final = 3.0
DEAF_SHARE: Final = 0.12
# What a second of airtime really carries beside what frame times say (aggregation, rate adaptation, drivers), by radio,
# and what phones and servers make of a speed test at a place: spread of the logarithm.
EFFICIENCY_SPREAD: Final = 0.3
PHONE_SPREAD: Final = 0.25
# What a speed test at a place differs by from one to the next with nothing changed: hand, moment, server. Likewise.
TEST_AGAIN: Final = 0.15
# Frames fade from one to the next (dB); a hit costs at most so much of a link's airtime.
FADING_DB: Final = 2.5
# Carrier sensing as built: where preambles and energy are noticed (dBm), and how softly (dB).
SENSES_DBM: Final = (-90.0, -82.0)
FEELS_DBM: Final = (-66.0, -60.0)
SOFT_DB: Final = 2.0
# A radio is never on the air for more than this.
MOST_DUTY: Final = 0.9
MOST_BUSY: Final = 0.96
# What one more contender costs in collisions: chance of one with n of them 1 - 0.895^(0.78 n), after Bianchi (2000).
MISSES_ONE, CONTENDER_POWER, COLLISION_COST = 0.895, 0.78, 0.8
# IEEE 802.15.4: errors of a page's link levels (dB), what chips differ by, clear-channel levels, share of a spell of
# Wi-Fi that is on the air, how many of the tries and retries within one spell count as independent, choice of parent.
MESH_LINK_DB: Final = 3.0
MESH_CHIP_DB: Final = 2.0
# Small antennas of mesh devices take in less of Wi-Fi than the device that was read from: by how much, and how far that
# differs from house to house and from device to device, in dB.
MESH_LESS_DB, MESH_LESS_HOUSE_DB, MESH_LESS_DEVICE_DB = 2.0, 3.0, 2.0
MESH_CLEAR_DBM: Final = (-78.0, -72.0)
SPELL_DUTY: Final = (0.5, 0.85)
ALIKE: Final = (0.2, 0.6)
AGAIN_SHARE: Final = 0.5
PARENT_DB: Final = 5.0
RELAY_DB: Final = 4.0
# A frame of some 2.5 ms finds its pause within a spell only where the pauses are long: pause in ms beside its duty.
BURST_MS: Final = 1.5
FRAME_MS: Final = 2.5
# Needed of a device's demand to call it served.
SERVED: Final = 0.95
# Ratio in dB at which half of 802.15.4 frames arrive, and how softly.
MESH_HALF_DB, MESH_SOFT_DB = 0.5, 1.5
# The phone that speeds are predicted for: streams, width in MHz, radiated power in dBm.
PHONE_STREAMS, PHONE_WIDTH_MHZ, PHONE_EIRP_DBM = 2, 80, 14.0
# Its latency, both in ms: to the router and back with nothing else on the air (common practice); what waits at a hop
# while it downloads on a free channel, and how far that differs from house to house (spread of the logarithm). Beside
# ns-3 one and a half to five bursts wait, by how much a box lets wait (tests/reference/ns3_latency.txt).
IDLE_MS, WAITING_MS, WAITING_SPREAD = 4.0, 2.9, 0.5
# Latency from phone to phone, as a power of what speed does. Common practice.
LATENCY_BY_PHONE: Final = 0.5
# What the model itself is off by in airtime, everywhere in a house alike, as the spread of a logarithm: beside ns-3 it
# errs by 5 to 18 % in the middle and up to a third (the table in docs/model.md).
MODEL_SPREAD: Final = 0.25
# The same of the share of Zigbee's reports that arrive, as a shift of its logit: beside ns-3 half of the scenes with
# 802.15.4 are off by more than that (the same table).
MESH_MODEL_SPREAD: Final = 0.5
# Headroom counts no further than this.
MOST_HEADROOM: Final = 3.5
# Of what a setting costs in a world, in problems: headroom up to what carries a bad evening and beyond it, each
# doubling of the speed at the middle and at the worst place, the worst Zigbee link's distance from certain.
HEADROOM_WEIGHT, MORE_WEIGHT, ENOUGH_HEADROOM = 0.8, 0.3, 1.5
SPEED_WEIGHT, WORST_SPEED_WEIGHT = 0.1, 0.2
DELIVERY_WEIGHT: Final = 1.0
# Over the worlds: which share of them are the worst and how much those count beside the mean; one more change, and each
# step away from what is usual at 2.4 GHz.
TAIL, TAIL_WEIGHT = 0.1, 0.35
CHANGE_WEIGHT, UNUSUAL_WEIGHT = 0.03, 0.15
# Worlds in which a plan may leave the house worse than now, or than the careful recipe would, and what more costs; with
# as many problems, so much less headroom (a share) is noticed.
MOST_HARM, HARM_WEIGHT, RECIPE_WEIGHT = 0.05, 8.0, 2.0
NOTICED_HEADROOM: Final = 0.1
# Of two settings that are told apart: differences in problems and headroom, and a ratio of speeds, worth a word.
TOLD_PROBLEMS, TOLD_HEADROOM, TOLD_SPEED = 0.05, 0.05, 1.05
# What a problem more than now counts where the house is as it was measured, and up to how many of them.
MEASURED_WEIGHT, MOST_MEASURED = 0.5, 4
# What a part of the day in which it is worse counts, in problems; so many of the best are asked in each part.
PART_WEIGHT, MOST_BY_PART = 1.0, 4
# The local search: tried in so many worlds first, and in all where at most so much worse there (problems); rounds over
# everything that may be set, and from how many of the proposals it starts.
FEW, NEARLY, SWEEPS, STARTS = 16, 0.05, 6, 2
# So many of the freest blocks of each width are tried before all are.
FREEST: Final = 3
# What costs so much more in a few worlds (problems) is not tried again in later rounds.
HOPELESS: Final = 0.4
# So many routings that a self-forming mesh may find are lived; rarer ones count as the most frequent.
FORMS: Final = 5
# Longest time in s that a decision over the worlds may take, by how many nodes there are (the last for more).
DECISION_S: Final = (3.0, 5.0, 8.0, 15.0)
# The present as evidence: worlds drawn for each that is kept; how far a speed test may be from what a world says of it
# (spread of the logarithm, beside what phones differ by), and a hub's log (share).
DRAWN_FOR_EACH: Final = 5
TEST_SPREAD, LATENCY_SPREAD, LOG_SPREAD = 0.35, 0.4, 0.04
# The router's list: errors in dB of the level at which it says that it hears a device, and of the level that a link
# rate stands for; readings that are off by more standard deviations than this are not believed; worlds in which a
# device joins the listed radio, as a share of all, below which its taste is moved instead. Of a channel's use by hour:
# error as a share of each second.
LISTED_LEVEL_DB, LISTED_RATE_DB, LISTED_MOST = 3.0, 5.0, 3.5
LISTED_LEAST: Final = 0.02
USE_ERROR: Final = 0.15
# What the worlds may be off from a hub's log by themselves, in logits of a device's share.
LOG_LOGIT: Final = 0.7
# A channel counts as full from this use on: what more is asked of it does not show.
FULL_USE: Final = 0.94
