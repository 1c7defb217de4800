"""Frames of a pcap or pcapng file, each with the link type of the interface that caught it.

pcap is read by dpkt. Its reader of pcapng knows one interface only, so the blocks are walked here (draft-ietf-opsawg-
pcapng); an interface's description is still dpkt's.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass

import dpkt

from even_static.core.errors import BadInput
from even_static.formats.capture.guarded import DAMAGE, Guarded

# The upper bits of a pcap's link type hold flags, such as the length of the checksum (draft-ietf-opsawg-pcap).
LINK_TYPE_BITS = 0xFFFF
SECTION, INTERFACE, OLD_PACKET, SIMPLE_PACKET, PACKET = 0x0A0D0D0A, 1, 2, 3, 6
_BYTE_ORDER_LITTLE, _BYTE_ORDER_BIG = b"\x4d\x3c\x2b\x1a", b"\x1a\x2b\x3c\x4d"
_RESOLUTION, _OFFSET = 9, 14

Frame = tuple[int, float, bytes]
"""(link type, seconds since 1970, bytes)."""


@dataclass(frozen=True, slots=True)
class _Interface:
    link_type: int
    ticks_a_second: float
    offset_s: int

    def seconds(self, high: int, low: int) -> float:
        return self.offset_s + ((high << 32) | low) / self.ticks_a_second


class Frames:
    """The frames of a capture, once. ``link_types``: of the interfaces that are described before the first frame."""

    def __init__(self, guarded: Guarded) -> None:
        magic = guarded.read(4)
        if not magic:
            raise BadInput("capture", "must not be empty", "0 bytes were read", "a pcap or pcapng file")
        guarded.seek(0)
        self.link_types: list[int]
        self._frames: Iterator[Frame]
        try:
            if magic == struct.pack(">I", SECTION):
                walk = _walk(guarded)
                self.link_types, self._frames = next(walk)[0], (f for _, f in walk if f is not None)
                header = 8
            else:
                reader = dpkt.pcap.Reader(guarded)
                link_type = int(reader.datalink()) & LINK_TYPE_BITS
                self.link_types, self._frames = [link_type], ((link_type, at, frame) for at, frame in reader)
                header = 16
        except DAMAGE as error:
            first = str(error).splitlines()[0] if str(error) else type(error).__name__
            received = f"{magic.hex()}..., {guarded.bytes_read} bytes were read ({first})"
            raise BadInput("capture", "must start as a pcap or pcapng file does", received, "pcap or pcapng") from None
        guarded.cut_short = False
        guarded.expect_headers_of(header)

    def __iter__(self) -> Iterator[Frame]:
        return self._frames

    def require(self, link_types: tuple[int, ...], holding: str) -> None:
        """Raise BadInput where none of the interfaces has one of some link types."""
        if not set(self.link_types) & set(link_types):
            came = ", ".join(map(str, dict.fromkeys(self.link_types)))
            accepted = ", ".join(map(str, link_types))
            raise BadInput("capture", f"must hold {holding}", f"link type {came}", f"link type {accepted}")


def _walk(guarded: Guarded) -> Iterator[tuple[list[int], Frame | None]]:
    """First the link types known before the first frame (with no frame), then each frame.

    ValueError for a file without an interface, or with a byte order that is none.
    """
    order, interfaces = "<", list[_Interface]()
    told = False
    while True:
        head = guarded.read(8)
        if len(head) < 8:
            break
        if head[:4] == struct.pack(">I", SECTION):
            mark = guarded.read(4)
            if mark not in (_BYTE_ORDER_LITTLE, _BYTE_ORDER_BIG):
                raise ValueError("unknown endianness")
            order, interfaces = ("<" if mark == _BYTE_ORDER_LITTLE else ">"), []
            (length,) = struct.unpack(f"{order}I", head[4:])
            (major,) = struct.unpack(f"{order}H", guarded.read(length - 12)[:2])
            if major != 1:
                raise ValueError(f"unknown pcapng version {major}")
            continue
        kind, length = struct.unpack(f"{order}II", head)
        body = guarded.read(length - 8)
        if kind == INTERFACE:
            interfaces.append(_interface(order, head + body))
        elif kind in (PACKET, OLD_PACKET, SIMPLE_PACKET):
            if not interfaces:
                raise ValueError("no interface is described")
            if not told:
                told = True
                yield [i.link_type for i in interfaces], None
            yield [], _frame(order, kind, body, interfaces)
    if not told:
        if not interfaces:
            raise ValueError("no interface is described")
        yield [i.link_type for i in interfaces], None


def _interface(order: str, block: bytes) -> _Interface:
    known = dpkt.pcapng.InterfaceDescriptionBlockLE if order == "<" else dpkt.pcapng.InterfaceDescriptionBlock
    described = known(block)
    ticks, offset = 1e6, 0
    for option in described.opts:
        if option.code == _RESOLUTION:
            # The upper bit set: a power of 2, else a power of 10.
            (value,) = struct.unpack("B", option.data)
            ticks = float((2 if value & 0x80 else 10) ** (value & 0x7F))
        elif option.code == _OFFSET:
            (offset,) = struct.unpack(f"{order}q", option.data)
    return _Interface(int(described.linktype), ticks, offset)


def _frame(order: str, kind: int, body: bytes, interfaces: list[_Interface]) -> Frame:
    if kind == SIMPLE_PACKET:
        (size,) = struct.unpack_from(f"{order}I", body)
        return interfaces[0].link_type, 0.0, body[4 : 4 + min(size, len(body) - 8)]
    number, high, low, size = struct.unpack_from(f"{order}IIII" if kind == PACKET else f"{order}HxxIII", body)
    if size > len(body) - 20:
        raise ValueError(f"a packet claims {size} bytes of {len(body)}")
    if number >= len(interfaces):
        raise ValueError(f"a packet of interface {number}, which is not described")
    return interfaces[number].link_type, interfaces[number].seconds(high, low), body[20 : 20 + size]
