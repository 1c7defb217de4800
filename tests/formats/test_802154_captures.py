"""Captures of IEEE 802.15.4 frames, written by scapy (link type 195) and by hand (230, TAP); energy scans."""

from __future__ import annotations

import io
import struct
import subprocess
import warnings
from pathlib import Path
from shutil import which

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_static.core.errors import BadInput
from even_static.formats.capture.ieee802154 import (
    TAP,
    WITH_FCS,
    WITHOUT_FCS,
    crc16,
    pan_of,
    read_pans,
    read_pans_stream,
)
from even_static.formats.energy_scan import read_energy

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from scapy.layers.dot15d4 import Dot15d4, Dot15d4Cmd, Dot15d4Data, Dot15d4FCS

NOW = "2026-03-02T19:00:00+01:00"
BEGAN_S = 1_772_474_400


def pcap(frames: list[bytes], link_type: int, every_s: float = 0.1) -> io.BytesIO:
    """A pcap file of frames, one every so many seconds."""
    out = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, link_type)
    for n, frame in enumerate(frames):
        at = BEGAN_S + n * every_s
        out += struct.pack("<IIII", int(at), round((at % 1) * 1e6), len(frame), len(frame)) + frame
    return io.BytesIO(out)


def tap(frame: bytes, channel: int, rss_dbm: float, checksum: int = 0) -> bytes:
    """A frame behind a TAP header with checksum kind, level and channel."""
    tlvs = struct.pack("<HHB3x", 0, 1, checksum) + struct.pack("<HHf", 1, 4, rss_dbm)
    tlvs += struct.pack("<HHHB1x", 3, 3, channel, 0)
    return struct.pack("<BBH", 0, 0, 4 + len(tlvs)) + tlvs + frame


def scapy_frame(pan: int, payload: bytes = b"x" * 20, **more: int) -> bytes:
    """A data frame as scapy builds it, checksum included."""
    frame = Dot15d4FCS(fcf_srcaddrmode=2, fcf_destaddrmode=2, fcf_panidcompress=1, **more)
    return bytes(frame / Dot15d4Data(dest_panid=pan, dest_addr=0, src_addr=7) / payload)


def test_networks_frames_and_airtime_of_what_scapy_writes():
    frames = [scapy_frame(0x1A2B) for _ in range(40)] + [scapy_frame(0x00F1, b"y" * 60) for _ in range(11)]
    found = read_pans_stream(pcap(frames, WITH_FCS), "own sniffer", "hall", NOW, channel=15)
    assert [(p.pan_id, p.frames, p.channel) for p in found.pans] == [("0x00f1", 11, 15), ("0x1a2b", 40, 15)]
    # 250 kb/s: 32 microseconds a byte, six bytes before each frame. IEEE 802.15.4-2020, from memory.
    for pan, frame, count in (("0x1a2b", frames[0], 40), ("0x00f1", frames[-1], 11)):
        share = next(p.airtime_fraction for p in found.pans if p.pan_id == pan)
        assert share == pytest.approx(count * (len(frame) + 6) * 32e-6 / 5.0, rel=1e-6)
    assert all(p.rssi_dbm is None and not p.own for p in found.pans)
    assert found.pans[0].heard_at.startswith("2026-03-02T18:00:00")


def test_checksums_are_scapy_s_and_bad_ones_are_left_out():
    good = scapy_frame(0x1A2B)
    assert crc16(good[:-2]) == int.from_bytes(good[-2:], "little")
    bad = bytes([*good[:-1], good[-1] ^ 1])
    found = read_pans_stream(pcap([good, bad, bad], WITH_FCS), "x", "hall", NOW, 20)
    assert (found.pans[0].frames, found.bad_fcs) == (1, 2)
    assert "2 frames with a wrong checksum" in found.notes[0]


def test_a_tap_header_tells_channel_and_level_and_the_others_do_not():
    body = scapy_frame(0xBEEF)[:-2]
    frames = [tap(body, 15, -60.0), tap(body, 15, -70.0), tap(body, 15, -64.0), tap(body, 20, -90.0)]
    found = read_pans_stream(pcap(frames, TAP), "x", "hall", NOW)
    assert [(p.channel, p.rssi_dbm, p.frames) for p in found.pans] == [(15, -64.0, 3), (20, -90.0, 1)]
    with_checksum = tap(scapy_frame(0xBEEF), 11, -50.0, checksum=1)
    assert read_pans_stream(pcap([with_checksum], TAP), "x", "hall", NOW).pans[0].pan_id == "0xbeef"
    for link_type in (WITH_FCS, WITHOUT_FCS):
        with pytest.raises(BadInput, match=f"channel: must be given for link type {link_type}"):
            read_pans_stream(pcap([body], link_type), "x", "hall", NOW)


@pytest.mark.skipif(which("tshark") is None, reason="tshark is not installed here")
def test_tshark_reads_the_same_networks(tmp_path: Path):
    frames = [tap(scapy_frame(0x1A2B)[:-2], 15, -60.0), tap(scapy_frame(0x0102)[:-2], 25, -72.5)]
    file = tmp_path / "t.pcap"
    file.write_bytes(pcap(frames, TAP).getvalue())
    ours = {p.pan_id for p in read_pans(file, "x", "hall", NOW).pans}
    said = subprocess.run(
        ["tshark", "-r", str(file), "-T", "fields", "-e", "wpan.dst_pan"], capture_output=True, text=True, check=True
    )
    assert {line.strip() for line in said.stdout.split()} == ours


@given(
    pan=st.integers(0, 0xFFFE),
    source=st.sampled_from([2, 3]),
    target=st.sampled_from([2, 3]),
    compressed=st.booleans(),
)
def test_the_network_is_the_one_that_scapy_finds(pan: int, source: int, target: int, compressed: bool):
    head = Dot15d4(fcf_srcaddrmode=source, fcf_destaddrmode=target, fcf_panidcompress=int(compressed))
    data = Dot15d4Data(dest_panid=pan, dest_addr=1, src_addr=2)
    if not compressed:
        data.src_panid = pan
    frame = bytes(head / data / b"z")
    assert pan_of(frame) == pan
    assert Dot15d4(frame).dest_panid == pan


def test_acknowledgements_carry_no_network_and_a_broadcast_takes_the_sender_s():
    assert pan_of(bytes(Dot15d4(fcf_frametype=2))) is None
    everybody = {"dest_panid": 0xFFFF, "dest_addr": 0xFFFF}
    from_afar = Dot15d4(fcf_srcaddrmode=3, fcf_destaddrmode=2)
    asked = bytes(from_afar / Dot15d4Cmd(**everybody, src_panid=0xFFFF, src_addr=5, cmd_id=7))
    assert pan_of(asked) is None
    near = Dot15d4(fcf_srcaddrmode=2, fcf_destaddrmode=2)
    heard = bytes(near / Dot15d4Data(**everybody, src_panid=0x77, src_addr=5))
    assert pan_of(heard) == 0x77


@given(st.binary(max_size=200), st.sampled_from([WITH_FCS, WITHOUT_FCS, TAP]))
def test_whatever_comes_never_breaks_the_reader(noise: bytes, link_type: int):
    found = read_pans_stream(pcap([noise, noise[:5], noise[::-1]], link_type), "x", "hall", NOW, 15)
    assert found.frames == 3
    assert all(0 <= p.airtime_fraction <= 1 and 11 <= p.channel <= 26 for p in found.pans)


def test_a_capture_of_something_else_is_named():
    with pytest.raises(BadInput, match=r"must hold IEEE 802\.15\.4 frames; received link type 127"):
        read_pans_stream(pcap([b"x" * 30], 127), "x", "hall", NOW, 15)


def test_energy_scans_as_csv_and_json():
    csv = read_energy("channel,level_dbm\n11,-80\n12,-71.5\n11,-77\n", "s", "hall", NOW, "hub")
    assert [(e.channel, e.level_dbm) for e in csv.levels] == [(11, -77.0), (12, -71.5)]
    for text in (
        '{"11": -77, "12": -71.5}',
        '[{"channel": 11, "level_dbm": -77}, {"channel": 12, "level_dbm": -71.5}]',
    ):
        assert read_energy(text, "s", "hall", NOW, "hub") == csv


@pytest.mark.parametrize(
    ("text", "field", "rule"),
    [
        ("", "line 1", "must be the header of an energy scan"),
        ("channel,level_dbm\n", "scan", "must hold a channel"),
        ("channel,level_dbm\n27,-80", "line 2, channel", "must be a Zigbee channel"),
        ("channel,level_dbm\n11,loud", "line 2, level_dbm", "must be a level in dBm"),
        ("channel,level_dbm\n11.5,-70", "line 2, channel", "must be a whole number"),
        ("[1]", "scan", "must be a list of objects"),
        ("{", "scan", "must be JSON or CSV"),
    ],
)
def test_a_scan_that_is_none_is_named(text: str, field: str, rule: str):
    with pytest.raises(BadInput) as error:
        read_energy(text, "s", "hall", NOW, "hub")
    assert error.value.field == field
    assert error.value.rule.startswith(rule)
