"""Captures with other headers than radiotap, built by scapy or by hand; a level that no header tells stays unknown."""

from __future__ import annotations

import struct

import pytest
from scapy.layers.dot11 import Dot11, Dot11Beacon, Dot11Elt

from even_static.core.errors import BadInput
from even_static.formats.capture.other_headers import AVS, PLAIN, PPI
from even_static.formats.capture.radiotap import layout_of
from even_static.formats.capture.reader import link_types_of, read_capture, scan_from_capture
from even_static.formats.readings_csv import read_readings, write_readings

BSSID = "02:aa:bb:cc:dd:01"
BEACON = bytes(
    Dot11(type=0, subtype=8, addr1="ff:ff:ff:ff:ff:ff", addr2=BSSID, addr3=BSSID)
    / Dot11Beacon(cap="ESS")
    / Dot11Elt(ID="SSID", info=b"next door")
    / Dot11Elt(ID="DSset", info=b"\x06")
)


def pcap(link_type, *frames):
    head = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, link_type)
    return head + b"".join(struct.pack("<IIII", 1_770_000_000 + i, 0, len(f), len(f)) + f for i, f in enumerate(frames))


def avs(level, kind=2):
    """An AVS header of 64 bytes, field by field in its documented order (from memory)."""
    return struct.pack(">IIQQIIIIIIiiII", 0x80211001, 64, 0, 0, 5, 6, 10, 0, 0, kind, level, -95, 0, 0)


def ppi(level, frequency=2437):
    """A PPI header with one 802.11-Common field (type 2, 20 bytes; from memory)."""
    field = struct.pack("<HH", 2, 20) + struct.pack("<QHHHHBBbb", 0, 0, 2, frequency, 0x00A0, 0, 0, level, -95)
    return struct.pack("<BBHI", 0, 0, 8 + len(field), 105) + field


@pytest.mark.parametrize(
    ("link_type", "header", "level"),
    [
        (PLAIN, b"", None),
        (AVS, avs(-61), -61.0),
        (AVS, avs(40, kind=1), None),
        (PPI, ppi(-58), -58.0),
        (PPI, ppi(-128), None),
    ],
)
def test_the_level_is_read_or_stays_unknown(tmp_path, link_type, header, level):
    path = tmp_path / "x.pcap"
    path.write_bytes(pcap(link_type, *[header + BEACON] * 3))
    (reading,) = read_capture(path).readings
    assert (reading.ssid, reading.bssid, reading.band, reading.channel) == ("next door", BSSID, "2.4 GHz", 6)
    assert reading.rssi_dbm == level
    assert reading.samples == (3 if level is not None else 1)


def test_flags_above_the_link_type_are_no_part_of_it(tmp_path):
    """Bits 26 to 28 hold the length of the checksum (draft-ietf-opsawg-pcap 4.1)."""
    path = tmp_path / "x.pcap"
    path.write_bytes(pcap(PLAIN | 0x0400_0000 | 2 << 28, BEACON))
    assert len(read_capture(path).readings) == 1
    with path.open("rb") as file:
        assert link_types_of(file) == [PLAIN]


def test_presence_words_without_a_namespace_bit_go_on_numbering():
    """Field 37 (bit 5 of a second word that follows without bit 29) is no level (radiotap.org, extended bitmaps)."""
    frame = struct.pack("<BBHIIbB", 0, 0, 14, 1 << 5 | 1 << 31, 1 << 5, -60, 0) + BEACON
    layout = layout_of(frame)
    assert layout.signals == (12,)
    # With the namespace bit the numbering begins anew: a second antenna's level.
    again = struct.pack("<BBHIIbb", 0, 0, 14, 1 << 5 | 1 << 29 | 1 << 31, 1 << 5, -60, -63) + BEACON
    assert layout_of(again).signals == (12, 13)


def test_a_level_that_is_not_known_survives_csv(tmp_path):
    path = tmp_path / "x.pcap"
    path.write_bytes(pcap(PLAIN, BEACON))
    scan = scan_from_capture(read_capture(path), "s", "hall", "x.pcap")
    (back,) = read_readings(write_readings((scan,)), source="csv")
    assert back.readings[0].rssi_dbm is None


@pytest.mark.parametrize("header", [b"\x00" * 64, struct.pack("<BBHI", 0, 0, 4, 105), struct.pack("<BBHI", 0, 0, 8, 9)])
@pytest.mark.parametrize("link_type", [AVS, PPI])
def test_broken_headers_are_counted_and_passed_over(tmp_path, link_type, header):
    path = tmp_path / "x.pcap"
    path.write_bytes(pcap(link_type, header + BEACON))
    try:
        assert read_capture(path).malformed >= 1
    except BadInput:
        pytest.fail("a broken frame must not end the reading")
