"""Results of iperf3, held to the real program where it is installed (Debian's iperf3 package)."""

from __future__ import annotations

import json
import shutil
import subprocess
import time

import pytest

from even_static.core.errors import BadInput
from even_static.formats.iperf3 import read_iperf3, speed_test_of
from even_static.instruments.system.iperf3 import run_both

PORT = 52013
needs_iperf3 = pytest.mark.skipif(shutil.which("iperf3") is None, reason="iperf3 is not installed")


@pytest.fixture
def server():
    """``iperf3 -s -1``: a server that ends after one test."""
    started = []

    def start():
        started.append(subprocess.Popen(["iperf3", "-s", "-1", "-p", str(PORT)], stdout=subprocess.DEVNULL))
        time.sleep(0.4)

    yield start
    for process in started:
        process.kill()
        process.wait()


@needs_iperf3
def test_runs_of_the_real_program_are_read_and_loopback_counts_for_no_room(server):
    def run(command, seconds):
        server()
        command[command.index("-t") + 1] = "1"
        return subprocess.run(command, capture_output=True, text=True, timeout=seconds, check=True).stdout

    runs = run_both("127.0.0.1", PORT, run)
    assert [r.down for r in runs] == [True, False]
    assert all(r.mbps > 1 and r.loopback and r.host == "127.0.0.1" for r in runs)
    assert runs[1].rtt_ms is not None
    test = speed_test_of(runs, "hall", over="wi-fi", note="")
    assert (test.over, test.came_from, test.reach) == ("this computer itself", "iperf3", "this computer")
    assert (len(test.down_mbps), len(test.up_mbps)) == (1, 1)


@needs_iperf3
def test_a_run_that_failed_says_why():
    done = subprocess.run(
        ["iperf3", "-c", "127.0.0.1", "-p", "1", "-J"], capture_output=True, text=True, timeout=20, check=False
    )
    with pytest.raises(BadInput, match="must be of a run that worked"):
        read_iperf3(done.stdout)


def result(**more):
    return {
        "start": {
            "connected": [{"local_host": "192.168.1.5", "remote_host": "192.168.1.20"}],
            "timestamp": {"timesecs": 1_770_000_000},
            "test_start": {"protocol": "TCP", "reverse": 1},
        },
        "end": {"sum_received": {"bits_per_second": 123_456_789.0}},
        **more,
    }


def test_a_room_s_run_is_wi_fi_or_cable_as_said():
    run = read_iperf3(json.dumps(result()))
    assert (run.down, run.mbps, run.loopback, run.tested_at[:10]) == (True, 123.46, False, "2026-02-02")
    assert speed_test_of([run], "hall", over="cable", note="x").over == "cable"
    assert speed_test_of([run], "hall", over="wi-fi", note="").over == "wi-fi"


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("{", "iperf3"),
        ("[]", "iperf3"),
        (json.dumps({"start": {}}), "iperf3.end.sum_received.bits_per_second"),
        (json.dumps(result(end={"sum_received": {"bits_per_second": 0}})), "iperf3.end.sum_received.bits_per_second"),
        (json.dumps(result(end=3)), "iperf3.end"),
        (json.dumps({**result(), "error": "unable to connect"}), "iperf3"),
    ],
)
def test_what_is_no_result_is_refused(text, field):
    with pytest.raises(BadInput) as caught:
        read_iperf3(text)
    assert caught.value.field == field


@pytest.mark.parametrize("host", ["-s", "a b", "x;rm", "", "--client"])
def test_a_host_is_a_host(host):
    with pytest.raises(BadInput, match="host"):
        run_both(host, PORT, lambda command, seconds: "")
