"""Beacons as bytes: what the scanner stand-in can hand over as a capture file.

Composes IEEE 802.11 beacon frames with radiotap headers from readings, and writes them as a classic pcap file.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable
from datetime import datetime

from even_static.core.house.readings import Reading
from even_static.core.spectrum.channels import channel_of_mhz

_PCAP_HEADER = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 127)
_OFDM_RATES = bytes([0x8C, 0x12, 0x98, 0x24, 0xB0, 0x48, 0x60, 0x6C])
_MIXED_RATES = bytes([0x82, 0x84, 0x8B, 0x96, 0x0C, 0x18, 0x30, 0x48])
_AKM = {"WPA2": (2,), "WPA2/WPA3": (2, 8), "WPA3": (8,), "OWE": (18,), "WPA2-Enterprise": (1,), "WPA/WPA2": (2,)}
_WPA_ELEMENT = bytes.fromhex("0050f20101000050f20201000050f20201000050f202")


def element(kind: int, value: bytes) -> bytes:
    """One element: identifier, length, value."""
    return bytes([kind, len(value)]) + value


def beacon_elements(reading: Reading) -> bytes:
    """Elements that announce what a reading says."""
    slow = reading.band == "2.4 GHz" and reading.slowest_basic_rate_mbps in (None, 1.0)
    body = element(0, reading.ssid.encode()[:32]) + element(1, _MIXED_RATES if slow else _OFDM_RATES)
    if reading.band == "2.4 GHz":
        body += element(3, bytes([reading.channel]))
    if reading.country:
        body += element(7, reading.country.encode() + b" " + bytes([1, 13, 20]))
    if reading.channel_use_fraction is not None:
        use = round(reading.channel_use_fraction * 255)
        body += element(11, struct.pack("<HBH", reading.stations or 0, use, 0))
    akm = _AKM.get(reading.security)
    if akm is not None:
        suites = b"".join(b"\x00\x0f\xac" + bytes([a]) for a in akm)
        ccmp = b"\x00\x0f\xac\x04"
        body += element(
            48, b"\x01\x00" + ccmp + b"\x01\x00" + ccmp + struct.pack("<H", len(akm)) + suites + b"\x00\x00"
        )
    if reading.security in ("WPA", "WPA/WPA2"):
        body += element(221, _WPA_ELEMENT)
    return body + _operation(reading)


def _operation(reading: Reading) -> bytes:
    primary_mhz = reading.block.primary_mhz
    centre = channel_of_mhz(reading.centre_mhz)
    above = 1 if reading.width_mhz >= 40 and _pair_above(reading, primary_mhz) else 3
    body = b""
    if reading.band != "6 GHz" and reading.generation not in (None, "802.11a", "802.11b", "802.11g"):
        wide = reading.width_mhz >= 40
        body += element(45, bytes(26)) + element(61, bytes([reading.channel, (4 | above) if wide else 0]) + bytes(20))
    if reading.band == "5 GHz" and reading.generation in ("802.11ac", "802.11ax", "802.11be"):
        body += element(191, bytes(12))
        if reading.centre2_mhz:
            operation = bytes([1, centre, channel_of_mhz(reading.centre2_mhz)])
        elif reading.width_mhz == 160:
            operation = bytes([1, centre - 8 if primary_mhz < reading.centre_mhz else centre + 8, centre])
        elif reading.width_mhz == 80:
            operation = bytes([1, centre, 0])
        else:
            operation = bytes(3)
        body += element(192, operation + b"\xfc\xff")
    if reading.generation in ("802.11ax", "802.11be"):
        body += element(255, b"\x23" + bytes(21))
        six = b""
        parameters = 0
        if reading.band == "6 GHz":
            parameters = 1 << 17
            width = {20: 0, 40: 1, 80: 2}.get(reading.width_mhz, 3)
            first, second = centre, 0
            if reading.width_mhz == 160:
                first, second = (centre - 8 if primary_mhz < reading.centre_mhz else centre + 8), centre
            six = bytes([reading.channel, width, first, second, 6])
        body += element(255, b"\x24" + parameters.to_bytes(3, "little") + b"\x01\xfc\xff" + six)
    if reading.generation == "802.11be" and reading.width_mhz == 320:
        body += element(255, b"\x6a\x01" + bytes(4) + bytes([4, centre - 16, centre]))
    return body


def _pair_above(reading: Reading, primary_mhz: int) -> bool:
    if reading.width_mhz == 40:
        return reading.centre_mhz > primary_mhz
    low = reading.block.segments_mhz[0][0]
    return (primary_mhz - 10 - low) % 40 == 0


def beacon_frame(reading: Reading, level_dbm: float, sequence: int) -> bytes:
    """One beacon with its radiotap header (flags, channel, signal)."""
    frequency = reading.block.primary_mhz
    band_flag = 0x0080 if reading.band == "2.4 GHz" else 0x0100
    radiotap = struct.pack("<BBHI", 0, 0, 15, 0x2A) + struct.pack(
        "<BBHHb", 0, 0, frequency, band_flag, round(level_dbm)
    )
    bssid = bytes.fromhex(reading.bssid.replace(":", ""))
    header = b"\x80\x00\x00\x00" + b"\xff" * 6 + bssid + bssid + struct.pack("<H", (sequence & 0xFFF) << 4)
    capability = 0x0401 | (0 if reading.security in ("open", "OWE", "unknown") else 0x10)
    fixed = struct.pack("<QHH", sequence * 102_400, 100, capability)
    return radiotap + header + fixed + beacon_elements(reading)


def pcap_bytes(frames: Iterable[tuple[float, bytes]]) -> bytes:
    """A classic pcap file of (seconds, frame) with the radiotap link type."""
    parts = [_PCAP_HEADER]
    for seconds, frame in frames:
        whole = int(seconds)
        parts.append(struct.pack("<IIII", whole, int((seconds - whole) * 1e6), len(frame), len(frame)) + frame)
    return b"".join(parts)


def capture_of(readings: Iterable[Reading], levels: Iterable[list[float]], started_at: str) -> bytes:
    """A capture in which each reading's network is heard once for each of its levels, every 102.4 ms."""
    start = datetime.fromisoformat(started_at).timestamp()
    frames = [
        (start + 0.1024 * i + 0.0007 * n, beacon_frame(reading, level, i))
        for n, (reading, heard) in enumerate(zip(readings, levels, strict=True))
        for i, level in enumerate(heard)
    ]
    return pcap_bytes(sorted(frames))
