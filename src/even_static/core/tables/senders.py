"""What else sends at 2.4 GHz in and around a house: where on the spectrum, how strongly, how much of the time.

All figures are common practice (a working figure of the trade without a published source); levels that somebody has
measured go before them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

from even_static.core.tables.phy import Modulation

SenderKind = Literal[
    "microwave oven",
    "Bluetooth",
    "analogue camera",
    "baby monitor",
    "USB 3 cable or drive",
    "other 802.15.4 network",
    "something unknown",
]


@dataclass(frozen=True, slots=True)
class Line:
    """A stretch of spectrum that a sender takes in turn: its centre and width in MHz, and its share of the sending."""

    centre_mhz: int
    width_mhz: int
    share: float


@dataclass(frozen=True, slots=True)
class SenderUsual:
    """A kind of sender: lines, mask, radiated power in dBm, share of the time that it sends while it runs, and what
    one does about it. ``tuned`` is true where its centre is to be given."""

    kind: SenderKind
    lines: tuple[Line, ...]
    mask: Modulation
    eirp_dbm: float
    duty_fraction: float
    tuned: bool
    advice: str


# Hops of 1 MHz over 79 channels, told as four stretches that take turns: a 20 MHz receiver meets a quarter of them.
_HOPS: Final = tuple(Line(2412 + 20 * k, 20, 1 / 4) for k in range(4))

USUAL: Final[dict[SenderKind, SenderUsual]] = {
    "microwave oven": SenderUsual(
        "microwave oven",
        (Line(2458, 20, 1.0),),
        "ofdm",
        16.0,
        0.5,
        False,
        "it sends for half of each mains cycle: keep the hub and any node 3 m away, and busy devices off 2.4 GHz",
    ),
    "Bluetooth": SenderUsual(
        "Bluetooth", _HOPS, "ofdm", 6.0, 0.2, False, "it hops over the whole band: keep it a metre from the hub"
    ),
    "analogue camera": SenderUsual(
        "analogue camera",
        (Line(2432, 20, 1.0),),
        "ofdm",
        10.0,
        1.0,
        True,
        "it never stops sending: move it to its highest or lowest channel, or replace it",
    ),
    "baby monitor": SenderUsual(
        "baby monitor",
        (Line(2450, 20, 1.0),),
        "ofdm",
        14.0,
        0.6,
        True,
        "set its channel apart from the Wi-Fi's or take one off 2.4 GHz; never leave it off where it guards",
    ),
    "USB 3 cable or drive": SenderUsual(
        "USB 3 cable or drive",
        (Line(2440, 80, 1.0),),
        "ofdm",
        -20.0,
        1.0,
        False,
        "its noise reaches half a metre: put the dongle on an extension lead, or on a USB 2 socket",
    ),
    "other 802.15.4 network": SenderUsual(
        "other 802.15.4 network", (Line(2405, 2, 1.0),), "zigbee", 5.0, 0.02, True, "take another 802.15.4 channel"
    ),
    "something unknown": SenderUsual(
        "something unknown", (Line(2440, 20, 1.0),), "ofdm", 10.0, 0.3, True, "find it: switch things off one by one"
    ),
}

# What a signal loses on its way where the house does not say: within a room, to another one, for each storey. In dB.
SAME_PLACE_DB: Final = 40.0
OTHER_PLACE_DB: Final = 58.0
EACH_STOREY_DB: Final = 14.0
# Energy this much above what the known networks explain is counted as something else, in dB.
UNEXPLAINED_DB: Final = 8.0
# The share of the time that an unexplained energy is taken to send.
UNEXPLAINED_DUTY: Final = 0.1
# What a mesh of sensors and plugs itself puts on its channel.
MESH_DUTY: Final = 0.02
