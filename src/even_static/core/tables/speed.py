"""What counts as slow, late or stalled, and what a line and a room must bring. Common practice throughout."""

from __future__ import annotations

# A line that brings less than this share of what is paid for is the provider's matter. Common practice.
LINE_FRACTION = 0.8
# A room whose Wi-Fi brings less than this share of the line is held back by the Wi-Fi. Common practice.
ROOM_FRACTION = 0.9
# Cameras and video bells upload steadily: wanted and least, in Mb/s. Common practice.
CAMERA_WANTED_MBPS, CAMERA_LEAST_MBPS = 2.0, 1.0
# Latency under load beyond this is felt in calls and games, in ms. Common practice.
FELT_LATENCY_MS = 100.0
# The share of a run at its beginning in which a connection still speeds up; left out. Common practice.
RAMP_FRACTION = 0.2
# Nothing for so long is a stall, in ms: a call or a picture notices it. Common practice.
STALL_MS = 250.0
LEAST_RUN_MS = 200.0
PACKET_BYTES = 1500
PAYLOAD_BYTES = 1460  # of a TCP segment; its acknowledgements ride back in the other direction's aggregates
TCP_ACK_SHARE = 0.03  # airtime of those acknowledgements; common practice
