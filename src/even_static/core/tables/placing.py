"""Links between nodes, by radio and by cable, and where nodes are best placed. Common practice throughout."""

from __future__ import annotations

# A radio link between nodes wants this level, in dBm. Common practice.
LINK_DBM = -65.0
# Margins beyond this help nobody, in dB. Common practice.
ENOUGH_DB = 15.0
# Links between nodes one or two rooms apart, in m. Common practice.
LINK_M = 12.0
# A free cable end within this of a node can be used, in m. Common practice.
CABLE_M = 5.0
# A cable's usual rate, in Mb/s. Common practice (gigabit).
CABLE_MBPS = 940.0
# Share of a cable's or socket's rate that data gets: TCP over Ethernet, frame overheads of IEEE 802.3.
CABLE_SHARE = 0.94
# Two nodes nearer than this as seen from above, on storeys one over the other, are stacked, in m. Common practice.
STACKED_M = 2.5
# Diagonally apart: at least so far, in m. Common practice.
DIAGONAL_M = 4.0
# A box lower than this stands low, in m; eye level to ceiling is better. Common practice.
LOW_M, EYE_M = 0.9, 1.7
# What a change must bring to be worth a hand's turn, in dB at the worst spot or as a share of the rooms.
WORTH_DB, WORTH_FRACTION = 3.0, 0.05
# What it must bring to the spots on average to be considered although the worst one gains nothing, in dB.
WORTH_MEAN_DB = 1.0
# Metal and water nearer than this shade a box; ovens nearer than this are heard by it. In m; common practice.
METAL_NEAR_M, OVEN_NEAR_M = 0.8, 1.5
# A box within this share of the house's length from its edge on both axes stands in its corner. Common practice.
CORNER_FRACTION = 0.12
# Loss in dB from which an obstacle counts as metal or water.
SHADING_DB = 15.0
# A network as loud as this stands in the same room. Common practice: -20s at the box, -40 at 6 m in the open.
SAME_ROOM_DBM = -38.0
# A socket within this of where a box is to stand can feed it, in m. Common practice: the cord it came with.
SOCKET_M = 1.8
# What a cell keeps in hand beyond what its worst spot needs, in dB. Common practice.
SPARE_DB = 5.0
# Where two nodes are within this of each other, a device may change from one to the other, in dB. Common practice.
BORDER_DB = 3.0
# How far outside the walls neighbours are taken to be, in m; and from storey to storey of the same flat building.
OUTSIDE_M = 2.0
# At 2.4 GHz about so much lower than at 5 GHz makes the two cells alike, in dB. Common practice.
ALIKE_DB = 6.0
SHELF_M = 1.6
# Metres of level way that a flight of stairs costs. Common practice.
STAIRS_M = 8.0
# Rates of usual switches' sockets, in Mb/s. IEEE 802.3 (100BASE-TX, 1000BASE-T, 2.5GBASE-T, 10GBASE-T).
SWITCH_RATES_MBPS = (100, 1000, 2500, 10000)
# What a radio link is taken at where nobody has read it and the house does not predict it, in dBm: the level that such
# links are placed for.
ASSUMED_LINK_DBM = LINK_DBM
# What one node covers, in square metres. Common practice.
AREA_A_NODE_M2 = 140.0
