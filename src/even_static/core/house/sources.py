"""Where a figure came from: every measurement carries it, and screens, report and proof say it."""

from __future__ import annotations

from typing import Final, Literal

CameFrom = Literal[
    "typed",
    "capture",
    "live capture",
    "CSV file",
    "system scan",
    "another device",
    "link test",
    "iperf3",
    "hub's file",
    "Zigbee coordinator",
    "router's list",
    "simulated",
    "not said",
]
"""``not said``: a call of an older version, which did not keep it."""

How = Literal["measured", "predicted", "assumed", "not known"]
"""How a figure is known, as every screen marks it."""

IN_WORDS: Final[dict[CameFrom, str]] = {
    "typed": "typed",
    "capture": "read from a capture",
    "live capture": "captured live",
    "CSV file": "read from a CSV file",
    "system scan": "scanned by a computer's own Wi-Fi card",
    "another device": "sent by a paired device",
    "link test": "measured by the browser's link test",
    "iperf3": "measured by iperf3",
    "hub's file": "read from the hub's file",
    "Zigbee coordinator": "read by the Zigbee coordinator",
    "router's list": "read from the router's own list",
    "simulated": "simulated",
    "not said": "source not kept",
}
