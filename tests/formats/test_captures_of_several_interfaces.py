"""pcapng with several interfaces: each frame is read by the link type of the one that caught it, as scapy tells it.

Files are written block by block by dpkt (draft-ietf-opsawg-pcapng) and read back by scapy's reader as well.
"""

from __future__ import annotations

import io
import json
import struct

import dpkt
import pytest
from scapy.layers.dot11 import Dot11, Dot11Beacon, Dot11Elt, RadioTap
from scapy.utils import RawPcapNgReader
from tests.test_cli import run

from even_static.core.errors import BadInput
from even_static.formats.capture.frames import Frames
from even_static.formats.capture.guarded import Guarded
from even_static.formats.capture.ieee802154 import read_pans_stream
from even_static.formats.capture.reader import read_capture_stream

NOW = "2026-03-02T20:00:00Z"
BEACON = bytes(
    Dot11(type=0, subtype=8, addr1="ff:ff:ff:ff:ff:ff", addr2="02:aa:bb:cc:dd:01", addr3="02:aa:bb:cc:dd:01")
    / Dot11Beacon(cap="ESS")
    / Dot11Elt(ID="SSID", info=b"next door")
    / Dot11Elt(ID="DSset", info=b"\x06")
)
WIFI = bytes(RadioTap(present="dBm_AntSignal", dBm_AntSignal=-52)) + BEACON
# A data frame of network 0x5e1f, short addresses, without its checksum (IEEE 802.15.4-2020 7.2.2; from memory).
MESH = struct.pack("<HBHHH", 0x8861, 7, 0x5E1F, 0x0000, 0x1234) + b"\x00" * 8
RADIOTAP, ETHERNET, MESH_NO_FCS, PLAIN = 127, 1, 230, 105


def blocks(interfaces, packets, *, little=True):
    """A section with interfaces (link type, options) and packets (interface, ticks, bytes)."""
    ng = dpkt.pcapng
    shb = ng.SectionHeaderBlockLE() if little else ng.SectionHeaderBlock()
    out = bytes(shb)
    for link_type, options in interfaces:
        kind = ng.InterfaceDescriptionBlockLE if little else ng.InterfaceDescriptionBlock
        out += bytes(kind(linktype=link_type, snaplen=65535, opts=list(options)))
    for interface, ticks, frame in packets:
        kind = ng.EnhancedPacketBlockLE if little else ng.EnhancedPacketBlock
        block = kind(iface_id=interface, ts_high=ticks >> 32, ts_low=ticks & 0xFFFFFFFF, pkt_data=frame)
        out += bytes(block)
    return out


def option(code, data, *, little=True):
    kind = dpkt.pcapng.PcapngOptionLE if little else dpkt.pcapng.PcapngOption
    return kind(code=code, data=data)


def frames(raw):
    return list(Frames(Guarded(io.BytesIO(raw))))


@pytest.mark.parametrize("little", [True, False])
def test_every_frame_has_the_link_type_and_the_clock_of_its_interface(little):
    """One interface counts microseconds, one nanoseconds, one in 1/1024 s; scapy reads the same."""
    nano = [option(9, b"\x09", little=little), option(0, b"", little=little)]
    binary = [option(9, bytes([0x80 | 10]), little=little), option(0, b"", little=little)]
    at = 1_770_000_000
    raw = blocks(
        [(ETHERNET, ()), (RADIOTAP, nano), (MESH_NO_FCS, binary)],
        [
            (1, at * 10**9 + 250_000_000, WIFI),
            (0, at * 10**6 + 500_000, b"\x02" * 60),
            (2, at * 1024 + 768, MESH),
        ],
        little=little,
    )
    found = frames(raw)
    assert [(t, f) for t, _, f in found] == [(RADIOTAP, WIFI), (ETHERNET, b"\x02" * 60), (MESH_NO_FCS, MESH)]
    assert [s - at for _, s, _ in found] == pytest.approx([0.25, 0.5, 0.75], abs=1e-5)
    theirs = [(meta.linktype, frame) for frame, meta in RawPcapNgReader(io.BytesIO(raw))]
    assert theirs == [(t, f) for t, _, f in found]


def test_wi_fi_and_802154_of_one_file_are_each_read():
    raw = blocks(
        [(ETHERNET, ()), (RADIOTAP, ()), (MESH_NO_FCS, ())],
        [(0, 1, b"\x02" * 60), (1, 2, WIFI), (1, 3, WIFI), (2, 4, MESH)],
    )
    wifi = read_capture_stream(io.BytesIO(raw))
    assert [(r.ssid, r.rssi_dbm, r.samples) for r in wifi.readings] == [("next door", -52.0, 2)]
    assert wifi.notes == [
        "1 frames of an interface with link type 1 were passed over",
        "1 frames of an interface with link type 230 were passed over",
    ]
    mesh = read_pans_stream(io.BytesIO(raw), "x", "hall", NOW, 15)
    assert [(p.pan_id, p.channel, p.frames) for p in mesh.pans] == [("0x5e1f", 15, 1)]
    with pytest.raises(BadInput, match="must be given for link type 230"):
        read_pans_stream(io.BytesIO(raw), "x", "hall", NOW)


def test_a_second_section_begins_anew_and_a_bare_802_11_interface_has_no_level():
    raw = blocks([(RADIOTAP, ())], [(0, 1, WIFI)]) + blocks([(PLAIN, ())], [(0, 2, BEACON)], little=False)
    assert [t for t, _, _ in frames(raw)] == [RADIOTAP, PLAIN]
    (reading,) = read_capture_stream(io.BytesIO(raw)).readings
    assert (reading.samples, reading.rssi_dbm) == (1, -52.0)


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (blocks([(ETHERNET, ())], [(0, 1, b"\x02" * 60)]), "link type 1; accepted: link type 127"),
        (blocks([], [(0, 1, WIFI)]), "no interface is described"),
        (blocks([], []), "no interface is described"),
        (b"\x0a\x0d\x0d\x0a" + b"\x1c\x00\x00\x00" + b"\x00" * 20, "unknown endianness"),
    ],
)
def test_what_cannot_be_read_says_why(raw, said):
    with pytest.raises(BadInput, match=said):
        read_capture_stream(io.BytesIO(raw))


def test_a_packet_of_an_interface_that_is_not_there_ends_the_reading():
    raw = blocks([(RADIOTAP, ())], [(0, 1, WIFI), (5, 2, WIFI), (0, 3, WIFI)])
    found = read_capture_stream(io.BytesIO(raw))
    assert found.used == 1
    assert "interface 5, which is not described" in found.notes[0]


def test_the_command_line_prints_the_networks_of_an_802154_capture(tmp_path):
    path = tmp_path / "mesh.pcapng"
    path.write_bytes(blocks([(MESH_NO_FCS, ())], [(0, 1, MESH), (0, 2, MESH)]))
    done = run("read", path, "--channel", "20")
    assert done.returncode == 0, done.stderr
    (pan,) = json.loads(done.stdout)
    assert (pan["pan_id"], pan["channel"], pan["frames"]) == ("0x5e1f", 20, 2)
    untold = run("read", path)
    assert untold.returncode == 2
    assert "channel: must be given for link type 230" in untold.stderr
    assert "Traceback" not in untold.stderr
