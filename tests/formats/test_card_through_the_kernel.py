"""What the kernel tells of networks (nl80211), written by hand after linux/nl80211.h; pyroute2 reads the same."""

from __future__ import annotations

import struct

import pytest
from scapy.layers.dot11 import Dot11Elt

from even_static.core.errors import InstrumentFault
from even_static.instruments.system import nl80211
from even_static.instruments.system.card import scan_card, scan_of

pyroute2 = pytest.importorskip("pyroute2.netlink.nl80211")
AT = "2026-11-27T10:00:00+00:00"
ELEMENTS = (
    bytes(Dot11Elt(ID="SSID", info="Café 5".encode()))
    + bytes(Dot11Elt(ID="Supported Rates", info=bytes([0x8C, 0x12, 0x98, 0x24, 0xB0, 0x48, 0x60, 0x6C])))
    + bytes(Dot11Elt(ID=11, info=struct.pack("<HBH", 7, 64, 0)))  # BSS Load: 7 stations, a quarter of the time
    + bytes(Dot11Elt(ID=61, info=bytes([36, 0x05, *[0] * 20])))  # HT operation: 40 MHz, second channel above
    + bytes(Dot11Elt(ID=192, info=bytes([1, 42, 0, 0, 0])))  # VHT operation: 80 MHz around channel 42
)


def attribute(number, value, *, nested=False):
    padded = value + b"\0" * (-len(value) % 4)
    return struct.pack("=HH", len(value) + 4, number | (0x8000 if nested else 0)) + padded


def result(bssid="02:aa:bb:cc:dd:01", frequency=5180, level=-6250, seen=40, elements=ELEMENTS):
    bss = attribute(1, bytes.fromhex(bssid.replace(":", ""))) + attribute(2, struct.pack("=I", frequency))
    bss += attribute(5, struct.pack("=H", 0x0411)) + attribute(6, elements)
    bss += attribute(10, struct.pack("=I", seen))
    if level is not None:
        bss += attribute(7, struct.pack("=i", level))
    return attribute(3, struct.pack("=I", 3)) + attribute(47, bss, nested=True)


def test_pyroute2_reads_the_same_network():
    raw = result()
    message = struct.pack("=IHHIIBBH", 20 + len(raw), 34, 0, 1, 0, 34, 1, 0) + raw
    theirs = pyroute2.nl80211cmd(message)
    theirs.decode()
    bss = dict(theirs.get_attr("NL80211_ATTR_BSS")["attrs"])
    mine = nl80211.bss_of(raw)
    assert mine.bssid == bss["NL80211_BSS_BSSID"].lower()
    assert mine.frequency_mhz == bss["NL80211_BSS_FREQUENCY"]
    assert mine.rssi_dbm == pytest.approx(bss["NL80211_BSS_SIGNAL_MBM"]["SIGNAL_STRENGTH"]["VALUE"])
    assert mine.seen_ms_ago == bss["NL80211_BSS_SEEN_MS_AGO"]
    # Numbers of the attributes are those of pyroute2's table.
    names = [name for name, *_ in pyroute2.nl80211cmd.nla_map]
    assert names[nl80211.ATTR_BSS] == "NL80211_ATTR_BSS"
    inner = [name for name, *_ in pyroute2.nl80211cmd.bss.nla_map]
    assert [inner[n] for n in (nl80211.BSSID, nl80211.FREQUENCY, nl80211.ELEMENTS, nl80211.SIGNAL_MBM)] == [
        "NL80211_BSS_BSSID",
        "NL80211_BSS_FREQUENCY",
        "NL80211_BSS_INFORMATION_ELEMENTS",
        "NL80211_BSS_SIGNAL_MBM",
    ]


def test_the_beacon_is_read_as_a_capture_s_is():
    scan, notes = scan_of([nl80211.bss_of(result())], "hall", AT, key="k")
    (reading,) = scan.readings
    assert (reading.ssid, reading.band, reading.channel, reading.width_mhz) == ("Café 5", "5 GHz", 36, 80)
    assert (reading.centre_mhz, reading.rssi_dbm, reading.stations) == (5210, -62.0, 7)
    assert reading.channel_use_fraction == pytest.approx(64 / 255, abs=1e-3)
    assert (scan.came_from, scan.source, notes) == ("system scan", "this computer's Wi-Fi card (nl80211)", [])
    assert not reading.estimated


def test_a_level_that_is_not_told_stays_unknown_and_strange_networks_are_counted():
    odd = nl80211.bss_of(result("02:aa:bb:cc:dd:02", frequency=900))
    silent = nl80211.bss_of(result("02:aa:bb:cc:dd:03", level=None))
    scan, notes = scan_of([odd, silent], "hall", AT, key="k")
    assert [r.rssi_dbm for r in scan.readings] == [None]
    assert notes == ["1 networks announce what their band does not have and were left out"]


def test_what_is_left_from_an_older_scan_does_not_count():
    old, new = result(seen=60_000), result("02:aa:bb:cc:dd:04", seen=100)
    assert [b.bssid for b in nl80211.scan(lambda: [old, new, b"", attribute(3, b"\0" * 4)])] == ["02:aa:bb:cc:dd:04"]
    with pytest.raises(InstrumentFault, match="must hear a network"):
        nl80211.scan(lambda: [old])


def test_without_the_right_to_scan_the_system_s_tool_is_asked():
    def refused():
        raise InstrumentFault("Wi-Fi card", "must let itself be asked", "Operation not permitted", "the right to scan")

    text = r"02\:aa\:bb\:00\:00\:01:next door:36:5180 MHz:64:WPA2" + "\n"
    scan, notes = scan_card("hall", AT, kernel=refused, text=lambda: text)
    assert [r.ssid for r in scan.readings] == ["next door"]
    assert notes[-1] == "the kernel was not asked (Operation not permitted)"
    assert any("percentages" in n for n in notes)


def test_broken_attributes_are_no_network():
    for raw in (b"", b"\x01", struct.pack("=HH", 2, 47), attribute(47, attribute(1, b"\0" * 6)), result()[:20]):
        assert nl80211.bss_of(raw) is None
