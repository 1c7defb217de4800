"""A live capture: a real tcpdump (Debian's package) replays into the pipe of `even-static listen`, and the application
shows it while it goes on."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from dataclasses import replace

import pytest
from playwright.sync_api import expect
from scapy.layers.dot11 import Dot11, Dot11Beacon, Dot11Elt, RadioTap
from scapy.utils import wrpcap
from tests.houses import random_house

MINUS = "−"
LISTEN = [sys.executable, "-m", "even_static.cli", "listen"]
NEIGHBOUR = "02:aa:bb:00:00:09"


def beacon(bssid, ssid, channel, mhz, dbm, at):
    head = RadioTap(present="Channel+dBm_AntSignal", ChannelFrequency=mhz, ChannelFlags=0, dBm_AntSignal=dbm)
    frame = head / Dot11(type=0, subtype=8, addr1="ff:ff:ff:ff:ff:ff", addr2=bssid, addr3=bssid)
    frame = frame / Dot11Beacon(cap="ESS") / Dot11Elt(ID="SSID", info=ssid) / Dot11Elt(ID=3, info=bytes([channel]))
    frame.time = at
    return frame


@pytest.fixture
def house(running_app):
    job = random_house(11, nodes=1, neighbours=0, devices=2, zigbee_devices=0)
    bare = replace(job, scans=(), speed_tests=(), kind="real")
    call = running_app.store.add(bare)
    return call.id, call.job


@pytest.fixture
def file(house, tmp_path):
    """Sixty beacons of the own 2.4 GHz radio at -50 dBm, sixty of a neighbour at -71 dBm; made by scapy."""
    own = next(r.bssid for r in house[1].radios if r.band == "2.4 GHz")
    frames = []
    for i in range(60):
        frames.append(beacon(own, b"home", 6, 2437, -50, 1_770_000_000 + i / 10))
        frames.append(beacon(NEIGHBOUR, b"next door", 1, 2412, -71, 1_770_000_000 + i / 10))
    path = tmp_path / "made.pcap"
    wrpcap(str(path), frames)
    return path, own


def listening(house, store, port, **options):
    command = [*LISTEN, "--call", str(house[0]), "--place", house[1].places[0].id, "--port", str(port)]
    command += ["--data", str(store.path)]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, **options)


@pytest.mark.skipif(shutil.which("tcpdump") is None, reason="tcpdump is not installed")
def test_a_real_tcpdump_replays_into_the_pipe_and_is_kept(house, file, running_app):
    path, own = file
    with subprocess.Popen(["tcpdump", "-r", str(path), "-U", "-w", "-"], stdout=subprocess.PIPE) as tcpdump:
        run = listening(house, running_app.store, 9, stdin=tcpdump.stdout)
        out, err = run.communicate(timeout=60)
    assert run.returncode == 0, err
    assert json.loads(out)["networks"] == 2
    assert b"nothing is shown meanwhile" in err
    assert b"Traceback" not in err
    (scan,) = running_app.store.get(house[0]).job.scans
    assert scan.came_from == "live capture"
    assert {r.bssid: r.rssi_dbm for r in scan.readings} == {own: -50.0, NEIGHBOUR: -71.0}


@pytest.mark.browser
def test_the_walk_screen_shows_it_within_a_second_and_ctrl_c_keeps_it(house, file, running_app, open_page):
    path, own = file
    raw = path.read_bytes()
    page = open_page(f"call/{house[0]}/walk")
    expect(page.get_by_label("This spot")).to_be_visible()
    shown = page.get_by_label("Live capture", exact=True)
    expect(shown).to_have_count(0)
    read_end, write_end = os.pipe()
    port = int(running_app.address.rstrip("/").rsplit(":", 1)[1])
    run = listening(house, running_app.store, port, stdin=read_end)
    os.close(read_end)
    with os.fdopen(write_end, "wb", buffering=0) as pipe:
        pipe.write(raw[: len(raw) // 2])
        expect(shown).to_contain_text(f"{MINUS}50 dBm", timeout=20_000)
        expect(shown).to_contain_text("next door")
        before = int(shown.get_by_text("frames,").inner_text().split()[0])
        # What was said last is said again half a second later at the earliest.
        time.sleep(0.6)
        pipe.write(raw[len(raw) // 2 :])
        began = time.monotonic()
        expect(shown.get_by_text("frames,")).not_to_contain_text(f"{before} frames", timeout=5_000)
        assert time.monotonic() - began < 1.0
        run.send_signal(signal.SIGINT)
        _, err = run.communicate(timeout=30)
    assert run.returncode == 0, err
    assert b"Traceback" not in err
    expect(shown).to_have_count(0)
    expect(page.get_by_label("This spot")).to_contain_text("1 scan here so far")
    (scan,) = running_app.store.get(house[0]).job.scans
    assert {r.bssid: r.rssi_dbm for r in scan.readings} == {own: -50.0, NEIGHBOUR: -71.0}


def test_what_cannot_be_listened_to_is_said_in_one_line(house, file, running_app, tmp_path):
    def run(*more):
        command = [*LISTEN, "--data", str(running_app.store.path), *more]
        return subprocess.run(command, capture_output=True, text=True, timeout=60, stdin=subprocess.DEVNULL)

    call, place = str(house[0]), house[1].places[0].id
    for more, said in (
        (("--call", call, "--place", "nowhere", "--from", str(file[0])), "place_id: must name a place of the call"),
        (("--call", call, "--place", place, "--from", str(tmp_path / "none.pcap")), "--from: must be readable"),
        (("--call", call, "--place", place), "capture: must not be empty"),
        (("--call", "99999", "--place", place), "call"),
    ):
        done = run(*more)
        assert done.returncode == 2
        assert said in done.stderr
        assert len(done.stderr.splitlines()) == 1
    practice = replace(house[1], kind="practice")
    other = running_app.store.add(practice).id
    done = run("--call", str(other), "--place", place, "--from", str(file[0]))
    assert done.returncode == 2
    assert "must be a real house" in done.stderr
