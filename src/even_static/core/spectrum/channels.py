"""Channel arithmetic of IEEE 802.11 and 802.15.4 (both from memory)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Final

from even_static.core.errors import BadInput
from even_static.core.tables.bands import Band

_START_MHZ: Final[dict[Band, int]] = {"2.4 GHz": 2407, "5 GHz": 5000, "6 GHz": 5950}
# Where a band's blocks may lie: its first and last channel with what they are wide, and channel 14.
BAND_EDGES_MHZ: Final[dict[Band, tuple[int, int]]] = {
    "2.4 GHz": (2400, 2495),
    "5 GHz": (5150, 5925),
    "6 GHz": (5925, 7125),
}
CHANNELS_20MHZ: Final[dict[Band, tuple[int, ...]]] = {
    "2.4 GHz": tuple(range(1, 14)),
    "5 GHz": (*range(36, 65, 4), *range(100, 145, 4), *range(149, 178, 4)),
    "6 GHz": tuple(range(1, 234, 4)),
}
_WIDE_CENTRES_5: Final[dict[int, tuple[int, ...]]] = {
    40: (38, 46, 54, 62, 102, 110, 118, 126, 134, 142, 151, 159, 167, 175),
    80: (42, 58, 106, 122, 138, 155, 171),
    160: (50, 114, 163),
}
_WIDE_CENTRES_6: Final[dict[int, tuple[int, ...]]] = {
    40: tuple(range(3, 228, 8)),
    80: tuple(range(7, 216, 16)),
    160: tuple(range(15, 208, 32)),
    320: (*range(31, 160, 64), *range(63, 192, 64)),
}
ZIGBEE_CHANNELS: Final[tuple[int, ...]] = tuple(range(11, 27))


@dataclass(kw_only=True, frozen=True, slots=True, order=True)
class Block:
    """The spectrum that a network uses: its primary channel, centre and width, and a second segment for 80+80 MHz."""

    band: Band
    channel: int
    centre_mhz: int
    width_mhz: int
    centre2_mhz: int | None = None

    def __hash__(self) -> int:
        # Blocks are looked up by the hundred thousand: two of one primary channel, centre and width are one but for
        # 80+80 MHz.
        return (self.centre_mhz << 20) ^ (self.channel << 10) ^ self.width_mhz

    @property
    def primary_mhz(self) -> int:
        """Centre of the primary 20 MHz channel, in MHz."""
        return channel_mhz(self.band, self.channel)

    @property
    def segments_mhz(self) -> tuple[tuple[float, float], ...]:
        """(low, high) edges in MHz of each contiguous part."""
        if self.centre2_mhz is None:
            half = self.width_mhz / 2
            return ((self.centre_mhz - half, self.centre_mhz + half),)
        half = self.width_mhz / 4
        return tuple((c - half, c + half) for c in (self.centre_mhz, self.centre2_mhz))

    @property
    def subchannels_mhz(self) -> tuple[int, ...]:
        """Centres of the 20 MHz channels inside, in MHz."""
        return tuple(int(low) + 10 + 20 * i for low, high in self.segments_mhz for i in range(int(high - low) // 20))


class Blocks(tuple[Block, ...]):
    """Several blocks as one key: hashed once, since tables are looked up by them often."""

    _hash: int

    def __new__(cls, blocks: Iterable[Block]) -> Blocks:
        made = super().__new__(cls, blocks)
        made._hash = tuple.__hash__(made)
        return made

    def __hash__(self) -> int:
        return self._hash

    @classmethod
    def of(cls, blocks: Sequence[Block]) -> Blocks:
        """The same blocks; those that are a key already as they are."""
        return blocks if isinstance(blocks, Blocks) else cls(blocks)

    @cached_property
    def by_width(self) -> tuple[Blocks, ...]:
        """The blocks of each width, in the order in which widths first come."""
        widths = dict.fromkeys(b.width_mhz for b in self)
        return (self,) if len(widths) == 1 else tuple(Blocks(b for b in self if b.width_mhz == w) for w in widths)


def channel_mhz(band: Band, channel: int) -> int:
    """Centre frequency in MHz of a channel number: 2407 + 5k, 5000 + 5k or 5950 + 5k; 2484 for channel 14."""
    if band == "2.4 GHz" and channel == 14:
        return 2484
    return _START_MHZ[band] + 5 * channel


def band_of_mhz(frequency_mhz: float) -> Band:
    """The band that a frequency in MHz lies in; BadInput when it is in none."""
    if 2400 <= frequency_mhz <= 2500:
        return "2.4 GHz"
    if 4900 <= frequency_mhz < 5925:
        return "5 GHz"
    if 5925 <= frequency_mhz <= 7125:
        return "6 GHz"
    raise BadInput("frequency_mhz", "must lie in a Wi-Fi band", frequency_mhz, "2400-2500, 4900-5925 or 5925-7125 MHz")


def channel_of_mhz(frequency_mhz: float) -> int:
    """Channel number of a centre frequency in MHz (inverse of :func:`channel_mhz`)."""
    if frequency_mhz == 2484:
        return 14
    return round((frequency_mhz - _START_MHZ[band_of_mhz(frequency_mhz)]) / 5)


@cache
def centres_mhz(band: Band, width_mhz: int) -> tuple[int, ...]:
    """Centres in MHz of every block of one width in a band, by the standards' channel plans.

    At 2.4 GHz a 40 MHz block may stand on any pair of channels four numbers apart, so its centres are 3 to 11.
    """
    if width_mhz == 20:
        numbers = CHANNELS_20MHZ[band]
    elif band == "2.4 GHz":
        numbers = tuple(range(3, 12)) if width_mhz == 40 else ()
    else:
        numbers = (_WIDE_CENTRES_5 if band == "5 GHz" else _WIDE_CENTRES_6).get(width_mhz, ())
    return tuple(channel_mhz(band, n) for n in numbers)


@cache
def blocks(band: Band, width_mhz: int) -> tuple[Block, ...]:
    """Every block of one width in a band with each primary channel it may have."""
    found = []
    for centre in centres_mhz(band, width_mhz):
        for sub in Block(band=band, channel=0, centre_mhz=centre, width_mhz=width_mhz).subchannels_mhz:
            if width_mhz == 40 and band == "2.4 GHz" and abs(sub - centre) != 10:
                continue
            found.append(Block(band=band, channel=channel_of_mhz(sub), centre_mhz=centre, width_mhz=width_mhz))
    return tuple(sorted(found))


def block_for(band: Band, channel: int, width_mhz: int, centre_mhz: int | None = None) -> Block:
    """The block of a primary channel and width.

    Where several blocks fit (40 MHz at 2.4 GHz, 320 MHz at 6 GHz) ``centre_mhz`` chooses; without it the lowest is
    taken. BadInput when there is none.
    """
    fitting = [b for b in blocks(band, width_mhz) if b.channel == channel and centre_mhz in (None, b.centre_mhz)]
    if not fitting:
        centres = sorted({b.centre_mhz for b in blocks(band, width_mhz) if b.channel == channel})
        raise BadInput(
            "channel",
            f"must be the primary channel of a {width_mhz} MHz block at {band}",
            f"channel {channel}, centre {centre_mhz} MHz",
            f"centres {centres} MHz"
            if centres
            else f"channels {sorted({b.channel for b in blocks(band, width_mhz)})} at {width_mhz} MHz",
        )
    return fitting[0]


def zigbee_mhz(channel: int) -> int:
    """Centre in MHz of an IEEE 802.15.4 channel: 2405 + 5 (k - 11), k = 11..26."""
    if channel not in ZIGBEE_CHANNELS:
        raise BadInput("zigbee_channel", "must be an IEEE 802.15.4 channel at 2.4 GHz", channel, "11 to 26")
    return 2405 + 5 * (channel - 11)
