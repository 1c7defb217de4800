"""Raw captures hold other people's addresses: whatever happens to an upload, nothing of it is left anywhere."""

from __future__ import annotations

import http.client
import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest
from tests.beacons import capture_of
from tests.conftest import local_client, poll

from even_static.api.app import create_app

ADDRESS = bytes.fromhex("02c0ffee1234")


@pytest.fixture
def temporary(tmp_path, monkeypatch):
    """A folder of its own for temporary files."""
    folder = tmp_path / "temporary"
    folder.mkdir()
    monkeypatch.setattr(tempfile, "tempdir", str(folder))
    return folder


def _left(*folders: Path) -> list[Path]:
    """Files that hold the address."""
    files = [p for folder in folders for p in folder.rglob("*") if p.is_file()]
    return [p for p in files if ADDRESS in p.read_bytes()]


def _capture(job) -> bytes:
    readings = job.scans[0].readings
    data = capture_of(readings, [[r.rssi_dbm] * 3 for r in readings], "2026-03-03T20:00:00Z")
    # A data frame of a client, as a monitor hears them among the beacons.
    frame = b"\x00\x00\x08\x00\x00\x00\x00\x00" + b"\x08\x00\x00\x00" + ADDRESS * 3 + b"\x00\x00"
    head = (1_700_000_000).to_bytes(4, "little") + b"\x00" * 4 + len(frame).to_bytes(4, "little") * 2
    return data + head + frame


def test_nothing_is_left_of_a_capture_that_was_read_or_refused(store, house_job, temporary):
    call = store.add(house_job).id
    client = local_client(create_app(store))
    path = f"/api/calls/{call}/captures?place_id="
    for place, content in (("p1", _capture(house_job)), ("nowhere", _capture(house_job)), ("p1", ADDRESS * 500)):
        task = client.post(path + place, content=content).json()["id"]
        poll(lambda task=task: client.get(f"/api/tasks/{task}").json()["state"] != "running")
        assert list(temporary.iterdir()) == []
    assert _left(temporary, store.path.parent) == []
    assert len(store.get(call).job.scans) == len(house_job.scans) + 1


def test_a_full_disk_is_said_and_leaves_nothing(store, house_job, temporary, monkeypatch):
    call = store.add(house_job).id

    class Full:
        def __init__(self, **_):
            self.closed = False

        def write(self, _):
            raise OSError(28, "No space left on device")

        def close(self):
            self.closed = True

    monkeypatch.setattr(tempfile, "TemporaryFile", Full)
    answer = local_client(create_app(store)).post(f"/api/calls/{call}/captures?place_id=p1", content=b"x" * 1000)
    assert answer.status_code == 503
    assert "No space left" in answer.json()["error"]["message"]
    assert list(temporary.iterdir()) == []


def test_a_kill_in_the_middle_of_an_upload_leaves_nothing(store, house_job, temporary):
    call = store.add(house_job).id
    command = [sys.executable, "-m", "even_static.cli", "serve", "--data", str(store.path), "--port", "0"]
    environment = {**os.environ, "TMPDIR": str(temporary)}
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment) as server:
        line = server.stdout.readline()
        port = int(line.split("127.0.0.1:")[1].split("/")[0])
        half, abort = _capture(house_job) * 200, 0.3
        for end in ("abort", "kill"):
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
            connection.putrequest("POST", f"/api/calls/{call}/captures?place_id=p1")
            connection.putheader("Content-Length", str(10 * len(half)))
            connection.endheaders()
            connection.send(half)
            time.sleep(abort)
            if end == "kill":
                server.send_signal(signal.SIGKILL)
            connection.close()
            time.sleep(abort)
            assert _left(temporary, store.path.parent) == []
    assert list(temporary.iterdir()) == []
