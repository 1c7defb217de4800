"""Other 2.4 GHz sources in and around a house: where on the spectrum, how strongly, how much of the time.

All figures are common practice (a working figure of the trade without a published source); levels that somebody has
measured go before them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

from even_static.core.tables.phy import Modulation

SourceKind = Literal[
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


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceUsual:
    """A kind of sender: lines, mask, radiated power in dBm, share of the time that it sends while it runs, and what
    one does about it. ``tuned`` is true where its centre is to be given."""

    kind: SourceKind
    lines: tuple[Line, ...]
    mask: Modulation
    eirp_dbm: float
    duty_fraction: float
    tuned: bool
    advice: str


# Hops of 1 MHz over 79 channels, told as four stretches that take turns: a 20 MHz receiver meets a quarter of them.
_HOPS: Final = tuple(Line(2412 + 20 * k, 20, 1 / 4) for k in range(4))

USUAL: Final[dict[SourceKind, SourceUsual]] = {
    "microwave oven": SourceUsual(
        kind="microwave oven",
        lines=(Line(2458, 20, 1.0),),
        mask="ofdm",
        eirp_dbm=16.0,
        duty_fraction=0.5,
        tuned=False,
        advice="it sends for half of each mains cycle: keep the hub and any node 3 m away, "
        "and busy devices off 2.4 GHz",
    ),
    "Bluetooth": SourceUsual(
        kind="Bluetooth",
        lines=_HOPS,
        mask="ofdm",
        eirp_dbm=6.0,
        duty_fraction=0.2,
        tuned=False,
        advice="it hops over the whole band: keep it a metre from the hub",
    ),
    "analogue camera": SourceUsual(
        kind="analogue camera",
        lines=(Line(2432, 20, 1.0),),
        mask="ofdm",
        eirp_dbm=10.0,
        duty_fraction=1.0,
        tuned=True,
        advice="it never stops sending: move it to its highest or lowest channel, or replace it",
    ),
    "baby monitor": SourceUsual(
        kind="baby monitor",
        lines=(Line(2450, 20, 1.0),),
        mask="ofdm",
        eirp_dbm=14.0,
        duty_fraction=0.6,
        tuned=True,
        advice="set its channel apart from the Wi-Fi's or take one off 2.4 GHz; never leave it off where it guards",
    ),
    "USB 3 cable or drive": SourceUsual(
        kind="USB 3 cable or drive",
        lines=(Line(2440, 80, 1.0),),
        mask="ofdm",
        eirp_dbm=-20.0,
        duty_fraction=1.0,
        tuned=False,
        advice="its noise reaches half a metre: put the dongle on an extension lead, or on a USB 2 socket",
    ),
    "other 802.15.4 network": SourceUsual(
        kind="other 802.15.4 network",
        lines=(Line(2405, 2, 1.0),),
        mask="zigbee",
        eirp_dbm=5.0,
        duty_fraction=0.02,
        tuned=True,
        advice="take another 802.15.4 channel",
    ),
    "something unknown": SourceUsual(
        kind="something unknown",
        lines=(Line(2440, 20, 1.0),),
        mask="ofdm",
        eirp_dbm=10.0,
        duty_fraction=0.3,
        tuned=True,
        advice="find it: switch things off one by one",
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
