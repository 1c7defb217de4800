"""Captures: frames built and read by scapy (GPL, tests only) are the independent reference for ours."""

from __future__ import annotations

import io
import random
import struct
import warnings
import zlib
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.beacons import beacon_frame, capture_of, pcap_bytes

from even_static.core.errors import BadInput
from even_static.core.house.readings import Reading
from even_static.core.spectrum.channels import blocks
from even_static.formats.capture.elements import announced, split_elements
from even_static.formats.capture.reader import read_capture, read_capture_stream, scan_from_capture

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from scapy.layers.dot11 import (
        AKMSuite,
        Dot11,
        Dot11Beacon,
        Dot11Elt,
        Dot11EltRates,
        Dot11EltRSN,
        Dot11ProbeResp,
        RadioTap,
        RSNCipherSuite,
    )
    from scapy.utils import PcapNgWriter, PcapWriter, wrpcap

BSSID = "02:aa:bb:cc:dd:01"


def radiotap(mhz=2437, dbm=-50, **more):
    return RadioTap(present="Flags+Channel+dBm_AntSignal", Flags=0, ChannelFrequency=mhz, dBm_AntSignal=dbm, **more)


def beacon(
    ssid=b"plain",
    elements=b"",
    mhz=2437,
    dbm=-50,
    kind=Dot11Beacon,
    cap="ESS+privacy",
    bssid=BSSID,
    rates=(0x82, 0x84, 12),
):
    subtype = 8 if kind is Dot11Beacon else 5
    frame = Dot11(type=0, subtype=subtype, addr1="ff:ff:ff:ff:ff:ff", addr2=bssid, addr3=bssid)
    frame = frame / kind(cap=cap) / Dot11Elt(ID=0, info=ssid) / Dot11EltRates(rates=list(rates))
    return radiotap(mhz, dbm) / frame / elements


def ie(number, value):
    return Dot11Elt(ID=number, info=bytes(value))


def read_packets(tmp_path: Path, packets, ng=False):
    path = tmp_path / ("x.pcapng" if ng else "x.pcap")
    if ng:
        with PcapNgWriter(str(path)) as writer:
            for packet in packets:
                writer.write(packet)
    else:
        wrpcap(str(path), packets)
    return read_capture(path)


def only(tmp_path, *packets, **more) -> Reading:
    (reading,) = read_packets(tmp_path, list(packets), **more).readings
    return reading


@pytest.mark.parametrize("ng", [False, True])
def test_plain_beacons(tmp_path, ng):
    reading = only(tmp_path, *[beacon(dbm=d) for d in (-50, -52, -60)], ng=ng)
    assert (reading.bssid, reading.ssid, reading.band, reading.channel) == (BSSID, "plain", "2.4 GHz", 6)
    assert (reading.rssi_dbm, reading.samples, reading.slowest_basic_rate_mbps) == (-52, 3, 1.0)
    assert reading.security == "WEP"


def test_only_beacons_and_probe_responses_are_read(tmp_path):
    """No client's address and no payload may be kept."""
    client = "02:11:11:11:11:11"
    data = radiotap() / Dot11(type=2, subtype=0, addr1=BSSID, addr2=client, addr3=BSSID) / b"secret payload"
    probe = (
        radiotap() / Dot11(type=0, subtype=4, addr1="ff:ff:ff:ff:ff:ff", addr2=client, addr3=BSSID) / ie(0, b"where")
    )
    answer = beacon(kind=Dot11ProbeResp, dbm=-40)
    summary = read_packets(tmp_path, [data, probe, answer, beacon()])
    assert (summary.used, summary.passed_over, summary.frames) == (2, 2, 4)
    assert client not in repr(summary)
    assert "secret" not in repr(summary)
    assert "where" not in repr(summary)


@pytest.mark.parametrize(
    ("raw", "text"),
    [
        (b"", ""),
        (bytes(12), ""),
        ("Blåbær".encode(), "Blåbær"),
        (b"caf\xe9", "caf\\xe9"),
        (b"x" * 32, "x" * 32),
        (b"two\nlines", "two\\nlines"),
    ],
)
def test_names(tmp_path, raw, text):
    assert only(tmp_path, beacon(ssid=raw)).ssid == text


def test_a_probe_response_reveals_a_hidden_name(tmp_path):
    assert only(tmp_path, beacon(ssid=b""), beacon(ssid=b""), beacon(ssid=b"shy", kind=Dot11ProbeResp)).ssid == "shy"


RSN = {
    "WPA2": [2],
    "WPA3": [8],
    "WPA2/WPA3": [2, 8],
    "OWE": [18],
    "WPA2-Enterprise": [1],
    "WPA3-Enterprise": [12],
}


@pytest.mark.parametrize(("security", "akms"), RSN.items())
def test_security_from_rsn(tmp_path, security, akms):
    rsn = Dot11EltRSN(
        group_cipher_suite=RSNCipherSuite(cipher=4),
        pairwise_cipher_suites=[RSNCipherSuite(cipher=4)],
        akm_suites=[AKMSuite(suite=a) for a in akms],
    )
    assert only(tmp_path, beacon(elements=rsn)).security == security


def test_security_without_rsn(tmp_path):
    old = bytes.fromhex("0050f20101000050f20201000050f20201000050f202")
    rsn = Dot11EltRSN(akm_suites=[AKMSuite(suite=2)])
    assert only(tmp_path, beacon(cap="ESS")).security == "open"
    assert only(tmp_path, beacon(elements=ie(221, old))).security == "WPA"
    assert only(tmp_path, beacon(elements=rsn / ie(221, old))).security == "WPA/WPA2"


HE_CAP = ie(255, b"\x23" + bytes(21))


def he_operation(parameters=0, tail=b""):
    return ie(255, b"\x24" + parameters.to_bytes(3, "little") + b"\x01\xfc\xff" + tail)


def ht(primary, second):
    return ie(45, bytes(26)) / ie(61, bytes([primary, second]) + bytes(20))


# (name, frequency, elements, band, channel, centre, width, second centre, generation): fields by IEEE 802.11-2020
# 9.4.2.55 (HT), 9.4.2.158 (VHT), ax 9.4.2.249 (HE), be 9.4.2.311 (EHT); from memory.
BLOCKS = [
    ("HT 20", 2437, ie(3, [6]) / ht(6, 0), "2.4 GHz", 6, 2437, 20, None, "802.11n"),
    ("HT 40 above", 2412, ie(3, [1]) / ht(1, 5), "2.4 GHz", 1, 2422, 40, None, "802.11n"),
    ("HT 40 below", 2462, ie(3, [11]) / ht(11, 7), "2.4 GHz", 11, 2452, 40, None, "802.11n"),
    (
        "VHT 80",
        5180,
        ht(36, 5) / ie(191, bytes(12)) / ie(192, [1, 42, 0, 0, 0]),
        "5 GHz",
        36,
        5210,
        80,
        None,
        "802.11ac",
    ),
    ("VHT 160", 5260, ht(52, 5) / ie(192, [1, 58, 50, 0, 0]), "5 GHz", 52, 5250, 160, None, "802.11ac"),
    ("VHT 160 old", 5180, ht(36, 5) / ie(192, [2, 50, 0, 0, 0]), "5 GHz", 36, 5250, 160, None, "802.11ac"),
    ("VHT 80+80", 5180, ht(36, 5) / ie(192, [1, 42, 155, 0, 0]), "5 GHz", 36, 5210, 160, 5775, "802.11ac"),
    ("VHT 80+80 old", 5180, ht(36, 5) / ie(192, [3, 42, 155, 0, 0]), "5 GHz", 36, 5210, 160, 5775, "802.11ac"),
    (
        "HE 80",
        5500,
        ht(100, 5) / ie(192, [1, 106, 0, 0, 0]) / HE_CAP / he_operation(),
        "5 GHz",
        100,
        5530,
        80,
        None,
        "802.11ax",
    ),
    ("6 GHz 20", 5975, HE_CAP / he_operation(1 << 17, bytes([5, 0, 5, 0, 6])), "6 GHz", 5, 5975, 20, None, "802.11ax"),
    (
        "6 GHz 160",
        6135,
        HE_CAP / he_operation(1 << 17, bytes([37, 3, 39, 47, 6])),
        "6 GHz",
        37,
        6185,
        160,
        None,
        "802.11ax",
    ),
    (
        "6 GHz 80+80",
        5975,
        HE_CAP / he_operation(1 << 17, bytes([5, 3, 7, 55, 6])),
        "6 GHz",
        5,
        5985,
        160,
        6225,
        "802.11ax",
    ),
    (
        "6 GHz with VHT info",
        5975,
        he_operation(1 << 17 | 1 << 14, bytes([0, 0, 0, 5, 1, 3, 0, 6])),
        "6 GHz",
        5,
        5965,
        40,
        None,
        "802.11ax",
    ),
    (
        "EHT 320",
        6135,
        he_operation(1 << 17, bytes([37, 3, 39, 47, 6])) / ie(255, b"\x6a\x01\0\0\0\0" + bytes([4, 47, 63])),
        "6 GHz",
        37,
        6265,
        320,
        None,
        "802.11be",
    ),
    ("legacy 5 GHz", 5180, ie(7, b"NL "), "5 GHz", 36, 5180, 20, None, "802.11a"),
]


@pytest.mark.parametrize(
    ("mhz", "elements", "band", "channel", "centre", "width", "second", "generation"),
    [b[1:] for b in BLOCKS],
    ids=[b[0] for b in BLOCKS],
)
def test_blocks(tmp_path, mhz, elements, band, channel, centre, width, second, generation):
    r = only(tmp_path, beacon(elements=elements, mhz=mhz))
    found = (r.band, r.channel, r.centre_mhz, r.width_mhz, r.centre2_mhz, r.generation)
    assert found == (band, channel, centre, width, second, generation)


def test_load_country_and_generation(tmp_path):
    loads = [ie(11, struct.pack("<HBH", stations, use, 0)) for stations, use in ((3, 51), (4, 102), (5, 204))]
    packets = [beacon(elements=load / ie(7, b"NL "), rates=(0x82, 0x84, 0x8B, 0x96)) for load in loads]
    r = only(tmp_path, *packets)
    assert (r.channel_use_fraction, r.stations, r.country, r.generation) == (0.4, 4, "NL", "802.11b")


def test_a_beacon_on_a_neighbouring_frequency_keeps_its_own_channel(tmp_path):
    """Receivers hear strong beacons beside their channel: the element tells the truth, not the tuner."""
    assert only(tmp_path, beacon(elements=ie(3, [6]), mhz=2432)).channel == 6


@pytest.mark.parametrize("flagged", [True, False])
def test_checksum_at_the_end(tmp_path, flagged):
    frame = bytes(beacon(elements=ie(11, struct.pack("<HBH", 1, 51, 0))))
    head = int.from_bytes(frame[2:4], "little")
    body = frame[head:]
    header = (
        struct.pack("<BBHIBB", 0, 0, 10, 0x22, 0x10, 0xCE) if flagged else struct.pack("<BBHIb", 0, 0, 9, 0x20, -50)
    )
    path = tmp_path / "fcs.pcap"
    good = header + body + zlib.crc32(body).to_bytes(4, "little")
    bad = struct.pack("<BBHIBB", 0, 0, 10, 0x22, 0x50, 0xCE) + body + b"\0\0\0\0"
    path.write_bytes(pcap_bytes([(1.0, good), (2.0, good), (3.0, bad)]))
    summary = read_capture(path)
    (reading,) = summary.readings
    assert (reading.samples, reading.rssi_dbm, reading.channel_use_fraction) == (2, -50, 0.2)
    assert (summary.malformed, summary.bad_fcs) == (0, 1)


def test_several_antennas(tmp_path):
    """A chain of presence words: the combined level stands first, each antenna's own level follows."""
    body = bytes(beacon())[int.from_bytes(bytes(beacon())[2:4], "little") :]
    words = struct.pack("<III", 1 << 31 | 1 << 29 | 1 << 5, 1 << 31 | 1 << 29 | 1 << 5 | 1 << 11, 1 << 5 | 1 << 11)
    levels = struct.pack("<bbBbB", -48, -50, 0, -61, 1)
    with_sum = struct.pack("<BBH", 0, 0, 4 + 12 + 5) + words + levels
    words = struct.pack("<III", 1 << 31 | 1 << 29, 1 << 31 | 1 << 29 | 1 << 5 | 1 << 11, 1 << 5 | 1 << 11)
    without = struct.pack("<BBH", 0, 0, 4 + 12 + 4) + words + levels[1:]
    for header, level in ((with_sum, -48), (without, -50)):
        path = tmp_path / "antennas.pcap"
        path.write_bytes(pcap_bytes([(1.0, header + body)]))
        assert read_capture(path).readings[0].rssi_dbm == level


def test_a_malformed_element_keeps_what_stood_before(tmp_path):
    frame = bytes(beacon(elements=ie(3, [9]))) + b"\x30\xff\x01"
    path = tmp_path / "malformed.pcap"
    path.write_bytes(pcap_bytes([(1.0, frame)]))
    summary = read_capture(path)
    assert (summary.readings[0].channel, summary.malformed) == (9, 1)
    assert "malformed" in summary.notes[0]


@pytest.mark.parametrize("ng", [False, True])
def test_a_cut_last_packet_is_told(tmp_path, ng):
    path = tmp_path / "cut"
    with PcapNgWriter(str(path)) if ng else PcapWriter(str(path), linktype=127) as writer:
        for packet in [beacon(dbm=-50), beacon(dbm=-54), beacon(dbm=-90)]:
            writer.write(packet)
    path.write_bytes(path.read_bytes()[:-11])
    summary = read_capture(path)
    assert (summary.frames, summary.readings[0].samples, summary.readings[0].rssi_dbm) == (2, 2, -52)
    assert summary.cut_short
    assert "2 frames" in summary.notes[0]


@pytest.mark.parametrize(
    ("content", "rule"),
    [
        (b"", "must not be empty"),
        (b"not a capture", "must start as a pcap or pcapng file does"),
        (struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 1), "link type 1"),
        (b"\x0a\x0d\x0d\x0a" + b"\x00" * 20, "must start as a pcap or pcapng"),
    ],
)
def test_what_is_no_capture_is_refused(tmp_path, content, rule):
    path = tmp_path / "x"
    path.write_bytes(content)
    with pytest.raises(BadInput, match=rule):
        read_capture(path)


def test_a_capture_without_beacons_gives_no_networks_and_says_so(tmp_path):
    path = tmp_path / "none.pcap"
    path.write_bytes(pcap_bytes([]))
    summary = read_capture(path)
    assert summary.readings == []
    assert "0 frames (24 bytes) were read" in summary.notes[0]
    with pytest.raises(BadInput, match="must hold a beacon"):
        scan_from_capture(summary, "x", "p", "none.pcap")


def test_a_damaged_file_gives_what_stood_before(tmp_path):
    whole = pcap_bytes([(float(i), bytes(beacon())) for i in range(5)])
    path = tmp_path / "damaged.pcap"
    path.write_bytes(whole + struct.pack("<IIII", 9, 0, 0xFFFFFFF0, 0xFFFFFFF0) + bytes(100))
    summary = read_capture(path)
    assert summary.frames == 5
    assert "claims" in summary.notes[0]


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=300))
def test_no_bytes_crash_the_element_parser(body):
    split_elements(body)
    said, _ = announced(0x10, body, 5180, "5 GHz")
    assert said.width_mhz in (20, 40, 80, 160, 320)


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 40))
def test_no_damage_crashes_the_reader(seed, flips):
    rng = random.Random(seed)
    data = bytearray(pcap_bytes([(float(i), bytes(PLAIN)) for i in range(4)]))
    for _ in range(flips):
        data[rng.randrange(len(data))] = rng.randrange(256)
    try:
        summary = read_capture_stream(io.BytesIO(bytes(data)))
    except BadInput:
        return
    # A damaged length may make several records of one; each still has its header of 16 bytes.
    assert summary.used <= summary.frames <= len(data) // 16


PLAIN = beacon(elements=ht(6, 5) / ie(11, struct.pack("<HBH", 2, 90, 0)))


@pytest.mark.parametrize("band", ["2.4 GHz", "5 GHz", "6 GHz"])
def test_stand_in_captures_as_scapy_and_we_read_them(tmp_path, band):
    """The scanner stand-in's own beacons: scapy finds the same names and channels, and we read every block back."""
    rng = random.Random(4)
    some = [b for w in (20, 40, 80, 160) for b in blocks(band, w)]
    readings = [
        Reading(
            bssid=f"06:00:00:00:00:{n:02x}",
            ssid=f"net {n}",
            band=band,
            channel=b.channel,
            centre_mhz=b.centre_mhz,
            width_mhz=b.width_mhz,
            rssi_dbm=-60.0,
            security="WPA2",
            generation="802.11ax",
            channel_use_fraction=51 / 255,
            stations=2,
            country="NL",
        )
        for n, b in enumerate(rng.sample(some, min(40, len(some))))
    ]
    path = tmp_path / "made.pcap"
    path.write_bytes(capture_of(readings, [[-60.0, -62.0]] * len(readings), "2026-03-02T19:00:00Z"))
    found = {r.bssid: r for r in read_capture(path).readings}
    for reading in readings:
        got = found[reading.bssid]
        assert got.block == reading.block
        assert (got.ssid, got.security, got.stations, got.country) == (reading.ssid, "WPA2", 2, "NL")
        dissected = RadioTap(beacon_frame(reading, -60.0, 1))
        assert dissected[Dot11].addr3 == reading.bssid
        assert dissected[Dot11Elt].info.decode() == reading.ssid
        assert dissected.dBm_AntSignal == -60
        assert dissected.ChannelFrequency == reading.block.primary_mhz


def test_memory_stays_bounded_and_progress_is_told(tmp_path, monkeypatch):
    """Every frame differs, as with a busy BSS Load: bodies are folded, and only histograms grow."""
    import tracemalloc

    from even_static.formats.capture import reader

    monkeypatch.setattr(reader, "MOST_BODIES", 200)
    monkeypatch.setattr(reader, "PROGRESS_EVERY_FRAMES", 1000)
    frames = ((i * 0.001, bytes(PLAIN)[:-3] + struct.pack("<HB", i, i % 251)) for i in range(6000))
    path = tmp_path / "many.pcap"
    path.write_bytes(pcap_bytes(frames))
    told: list[float] = []
    tracemalloc.start()
    summary = read_capture(path, lambda _, fraction: told.append(fraction))
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert summary.used == 6000
    assert summary.readings[0].samples == 6000
    assert told == sorted(told)
    assert told[-1] == 1.0
    assert len(told) == 7
    assert peak < 2_000_000
