"""Other headers before 802.11 frames, rewritten as radiotap: none (link type 105), AVS (163), PPI (192).

AVS: big-endian, version word 0x80211001; PPI: its 802.11-Common field (type 2). Both from memory.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Final

PLAIN, RADIOTAP, AVS, PPI = 105, 127, 163, 192
LINK_TYPES: Final = (RADIOTAP, PLAIN, AVS, PPI)
_NO_FIELDS: Final = b"\x00\x00\x08\x00\x00\x00\x00\x00"
_FCS_FLAG: Final = 0x10


def to_radiotap(link_type: int) -> Callable[[bytes], bytes] | None:
    """What puts a radiotap header before frames of a link type; None where they have one. It raises ValueError or
    struct.error for a header that does not hold together."""
    return {PLAIN: lambda frame: _NO_FIELDS + frame, AVS: _from_avs, PPI: _from_ppi}.get(link_type)


def _signal(level_dbm: int) -> bytes:
    """A radiotap header that holds a level only."""
    if not -127 <= level_dbm < 0:
        return _NO_FIELDS
    return struct.pack("<BBHIb", 0, 0, 9, 1 << 5, level_dbm)


def _from_avs(frame: bytes) -> bytes:
    version, length = struct.unpack_from(">II", frame)
    if version != 0x80211001 or not 64 <= length <= len(frame):
        raise ValueError("not an AVS header")
    kind, level = struct.unpack_from(">Ii", frame, 44)
    # Of the kinds of signal only the second is in dBm.
    return (_signal(level) if kind == 2 else _NO_FIELDS) + frame[length:]


def _from_ppi(frame: bytes) -> bytes:
    length, link_type = struct.unpack_from("<xxHI", frame)
    if link_type != PLAIN or not 8 <= length <= len(frame):
        raise ValueError("not a PPI header of 802.11")
    at = 8
    while at + 4 <= length:
        kind, size = struct.unpack_from("<HH", frame, at)
        if kind == 2 and size >= 20:
            flags, frequency = struct.unpack_from("<H2xH", frame, at + 12)
            level = struct.unpack_from("<b", frame, at + 22)[0]
            fcs = _FCS_FLAG if flags & 1 else 0
            present = (1 << 1) | (1 << 3) | ((1 << 5) if -127 <= level < 0 else 0)
            head = struct.pack("<BBHIBxHHb", 0, 0, 15, present, fcs, frequency, 0, level)
            return head + frame[length:]
        at += 4 + size
    return _NO_FIELDS + frame[length:]
