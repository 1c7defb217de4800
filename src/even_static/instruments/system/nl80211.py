"""This computer's Wi-Fi card asked through the kernel's own interface (nl80211), on Linux, by pyroute2.

It tells whole beacons, so that neighbours' widths, loads and rates are known as from a capture, and levels in dBm. It
needs the right to scan; without it, or without pyroute2, the tools of the system are asked instead.
"""

from __future__ import annotations

import socket
import struct
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from even_static.core.errors import InstrumentFault

ATTR_BSS, BSSID, FREQUENCY, CAPABILITY, ELEMENTS, SIGNAL_MBM, SEEN_MS_AGO = 47, 1, 2, 5, 6, 7, 10
"""Numbers of nl80211's attributes (linux/nl80211.h)."""
_NESTED = 0x3FFF
# What was not heard for so long was not heard in this scan, in ms.
OLDEST_MS = 15_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Bss:
    """A network as the kernel tells of it: address, frequency in MHz, level in dBm, capability and elements of its
    beacon, and how long ago it was heard, in ms."""

    bssid: str
    frequency_mhz: int
    rssi_dbm: float | None
    capability: int
    elements: bytes
    seen_ms_ago: int


def available() -> bool:
    """Whether there is a Wi-Fi interface (named wl... on Linux), and pyroute2 to ask it through."""
    from importlib.util import find_spec

    wireless = any(name.startswith("wl") for _, name in socket.if_nameindex())
    return wireless and find_spec("pyroute2") is not None


def bss_of(attributes: bytes) -> Bss | None:
    """A network from the attributes of a scan result (behind the generic netlink header); None where there is none.

    The elements are taken as they are: pyroute2 would turn them into words.
    """
    bss = _attributes(attributes).get(ATTR_BSS)
    if bss is None:
        return None
    found = _attributes(bss)
    if BSSID not in found or FREQUENCY not in found:
        return None
    level = struct.unpack("=i", found[SIGNAL_MBM])[0] / 100 if SIGNAL_MBM in found else None
    return Bss(
        bssid=":".join(f"{b:02x}" for b in found[BSSID][:6]),
        frequency_mhz=struct.unpack("=I", found[FREQUENCY])[0],
        rssi_dbm=None if level is None else min(max(level, -120.0), 0.0),
        capability=struct.unpack("=H", found[CAPABILITY])[0] if CAPABILITY in found else 0,
        elements=found.get(ELEMENTS, b""),
        seen_ms_ago=struct.unpack("=I", found[SEEN_MS_AGO])[0] if SEEN_MS_AGO in found else 0,
    )


def _attributes(data: bytes) -> dict[int, bytes]:
    """Netlink attributes by their number: length and number, then the value, each padded to four bytes."""
    found, at = {}, 0
    while at + 4 <= len(data):
        length, number = struct.unpack_from("=HH", data, at)
        if length < 4:
            break
        found[number & _NESTED] = data[at + 4 : at + length]
        at += length + 3 & ~3
    return found


def scan(asked: Callable[[], Iterable[bytes]] | None = None) -> list[Bss]:
    """What the first Wi-Fi interface hears now. ``asked``: gives the attributes of each result; the kernel if none.

    InstrumentFault where there is no interface or no right to scan.
    """
    found = [b for b in map(bss_of, (asked or _kernel)()) if b is not None]
    fresh = [b for b in found if b.seen_ms_ago <= OLDEST_MS]
    if not fresh:
        raise InstrumentFault("Wi-Fi card", "must hear a network", "nothing", "a card that is switched on")
    return fresh


def _kernel() -> Iterable[bytes]:
    from pyroute2 import IW
    from pyroute2.netlink.exceptions import NetlinkError

    try:
        with IW() as wireless:
            interfaces = [_interface(m) for m in wireless.list_dev()]
            index = next((i for i in interfaces if i is not None), None)
            if index is None:
                raise InstrumentFault("Wi-Fi card", "must be in this computer", "no interface", "a card or an adapter")
            return [bytes(m.data)[m.offset + 20 : m.offset + m["header"]["length"]] for m in wireless.scan(index)]
    except (NetlinkError, OSError) as error:
        raise InstrumentFault("Wi-Fi card", "must let itself be asked", str(error), "the right to scan") from None


def _interface(message: Any) -> int | None:
    index = message.get_attr("NL80211_ATTR_IFINDEX")
    return None if index is None else int(index)
