"""The command line: the same core, JSON out, exit 2 and one clear line on bad input."""

from __future__ import annotations

import contextlib
import io
import json
import socket
import subprocess
import sys
from dataclasses import asdict, replace
from pathlib import Path

import pytest

from even_static.cli import main
from even_static.core.model.evaluate import evaluate
from even_static.formats.job_file import write_job
from even_static.formats.readings_csv import write_readings
from even_static.store.calls import Store
from tests.beacons import capture_of
from tests.houses import random_house

NETWORK_FIELDS = {
    *("bssid", "ssid", "band", "channel", "centre_mhz", "width_mhz", "rssi_dbm", "samples"),
    *("security", "generation", "channel_use_fraction", "stations", "country"),
}


def run(*words):
    """The command in this process, as a shell would see it: exit code, output, errors."""
    out, errors, code = io.StringIO(), io.StringIO(), 0
    before = sys.argv
    sys.argv = ["even-static", *map(str, words)]
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
            main()
    except SystemExit as end:
        code = end.code or 0
    finally:
        sys.argv = before
    return subprocess.CompletedProcess(words, code, out.getvalue(), errors.getvalue())


@pytest.fixture(scope="module")
def job_path(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("cli") / "job.json"
    path.write_text(write_job(random_house(7, nodes=2, neighbours=18, devices=8)))
    return path


def test_schema_from_a_shell():
    command = [sys.executable, "-m", "even_static.cli", "schema"]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert json.loads(done.stdout)["$schema"].startswith("https://json-schema.org/")
    assert run("schema").stdout == done.stdout


def test_read_a_capture_and_a_csv(tmp_path):
    readings = random_house(7, nodes=2).scans[0].readings
    capture = tmp_path / "x.pcap"
    capture.write_bytes(capture_of(readings, [[r.rssi_dbm] for r in readings], "2026-03-02T19:00:00Z") + b"\0\0")
    done = run("read", capture)
    networks = json.loads(done.stdout)
    assert {n["bssid"] for n in networks} == {r.bssid for r in readings}
    assert all(field in n for n in networks for field in NETWORK_FIELDS)
    assert "cut short" in done.stderr
    table = tmp_path / "x.csv"
    table.write_text(write_readings(random_house(7, nodes=2).scans[:1]))
    assert {n["bssid"] for n in json.loads(run("read", table).stdout)} == {r.bssid for r in readings}


def test_check_and_tune_have_the_same_names(job_path):
    checked, tuned = (json.loads(run(word, job_path).stdout) for word in ("check", "tune"))
    job = random_house(7, nodes=2, neighbours=18, devices=8)
    assert checked == json.loads(json.dumps(asdict(evaluate(job, job.settings))))
    assert set(tuned) >= set(checked) | {"settings", "proven", "bound", "alternatives", "outlook"}
    assert checked["rank"] == tuned["now"]["rank"]
    assert tuned["outlook"]["better"] > tuned["outlook"]["worse"]
    channels = json.loads(run("tune", job_path, "--channels-only", "--seconds", "5").stdout)
    now = {s["radio_id"]: s["eirp_dbm"] for s in asdict(job.settings)["radios"]}
    assert {s["radio_id"]: s["eirp_dbm"] for s in channels["settings"]["radios"]} == now
    standard = json.loads(run("tune", job_path, "--channel-plan", "1/6/11 only", "--seconds", "5").stdout)
    assert standard["channel_plan"] == "1/6/11 only"


def test_the_report_as_data_and_as_pdf(job_path, tmp_path):
    said = json.loads(run("report", job_path).stdout)
    assert said["title"] == "random 7"
    assert "network" not in said["headline"]
    done = run("report", job_path, "--pdf", tmp_path / "r.pdf")
    assert done.returncode == 0
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF")
    wrong = run("report", job_path, "--pdf", tmp_path / "none" / "r.pdf")
    assert wrong.returncode == 2
    assert wrong.stderr.startswith("even-static: pdf: must be a place that can be written to")


def test_import_and_export(job_path, tmp_path):
    number = json.loads(run("import", job_path, "--data", tmp_path / "c.sqlite").stdout)["call"]
    assert run("export", number, "--data", tmp_path / "c.sqlite").stdout == job_path.read_text()


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["read", "no-such-file"], "no-such-file"),
        (["check", "pyproject.toml"], "must be JSON"),
        (["tune", "{job}", "--channel-plan", "luck"], "any legal channel or 1/6/11 only"),
        (["tune", "{job}", "--seconds", "0"], "more than 0"),
        (["tune", "{job}", "--seconds", "soon"], "--seconds"),
        (["export", "77", "--data", "{tmp}/e.sqlite"], "77"),
        (["check"], "job"),
        (["frobnicate"], "frobnicate"),
        (["read", "{tmp}"], "must be readable"),
    ],
)
def test_bad_input_is_one_line_and_exit_2(words, says, job_path, tmp_path):
    done = run(*(w.replace("{job}", str(job_path)).replace("{tmp}", str(tmp_path)) for w in words))
    assert done.returncode == 2
    assert done.stdout == ""
    assert done.stderr.startswith("even-static: ")
    assert len(done.stderr.splitlines()) == 1
    assert says.lower() in done.stderr.lower()


def test_the_light_commands_load_nothing_heavy():
    """The command line answers at once: no web framework, no numpy, no solver for its help."""
    code = (
        "import sys, even_static.cli as c; "
        "sys.argv = ['even-static', '--help']; "
        "\ntry: c.main()\nexcept SystemExit: pass\n"
        "print([m for m in ('numpy', 'scipy', 'fastapi', 'pydantic') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"


def test_captures_and_csv_go_in_and_out_of_a_call(job_path, tmp_path):
    data = tmp_path / "c.sqlite"
    number = json.loads(run("import", job_path, "--data", data).stdout)["call"]
    readings = random_house(7, nodes=2).scans[2].readings
    capture = tmp_path / "walk.pcap"
    capture.write_bytes(capture_of(readings, [[r.rssi_dbm] * 2 for r in readings], "2026-03-03T19:00:00Z"))
    added = json.loads(run("import", capture, "--call", number, "--place", "p2", "--data", data).stdout)
    table = run("export", number, "--readings", "--data", data).stdout
    assert table.startswith("place_id,heard_at,bssid,")
    path = tmp_path / "readings.csv"
    path.write_text(table)
    again = json.loads(run("import", path, "--call", number, "--data", data).stdout)
    assert again["scans"] == 2 * added["scans"]
    wrong = run("import", capture, "--call", number, "--place", "roof", "--data", data)
    assert wrong.returncode == 2
    assert "must name a place of the call" in wrong.stderr


def test_coverage_and_place(tmp_path):
    from even_static.formats.job_file import write_job
    from even_static.instruments.simulated.demo import measure, world_of
    from even_static.instruments.simulated.kiln_row import kiln_row

    path = tmp_path / "house.json"
    path.write_text(write_job(measure(world_of(kiln_row()), "before")))
    said = json.loads(run("coverage", str(path)).stdout)
    assert {s["band"] for s in said["spots"]} == {"2.4 GHz", "5 GHz", "6 GHz"}
    assert said["readings"] > 50
    grid = run("coverage", str(path), "--grid", "csv", "--storey", "1", "--step-m", "1").stdout.splitlines()
    assert grid[0] == "storey,x_m,y_m,band,radio_id,level_dbm,spread_db"
    points = json.loads(run("coverage", str(path), "--grid", "geojson", "--storey", "1", "--step-m", "1").stdout)
    assert len(points["features"]) == len(grid) - 1
    x, y = points["features"][0]["geometry"]["coordinates"]
    assert grid[1].startswith(f"1,{x:.2f},{y:.2f},5 GHz,")
    best = json.loads(run("place", str(path), "--nodes", "1").stdout)["best"]
    assert len(best["1"][0]["outlet_ids"]) == 1
    house = json.loads(run("house", str(path)).stdout)
    assert {f["properties"]["feature"] for f in house["features"]} >= {"room", "wall", "opening", "obstacle"}
    for words in (("--svg",), ("--svg", "--storey", "1", "--band", "5 GHz"), ("--section", "along", "--band", "5 GHz")):
        assert run("house", str(path), *words).stdout.startswith("<?xml")
    wrong = run("house", str(path), "--section", "along")
    assert wrong.returncode == 2
    assert "--band" in wrong.stderr
    bare = run("place", str(path), "--nodes", "9")
    assert bare.returncode == 2
    assert "--nodes" in bare.stderr


def test_backup_and_restore(tmp_path, house_job):
    data, file = tmp_path / "calls.sqlite", tmp_path / "all.sqlite"
    store = Store(data)
    call = store.add(house_job)
    assert run("backup", str(file), "--data", str(data)).stdout.startswith("1 calls are in ")
    store.delete(call.id)
    assert "1 calls were taken over" in run("restore", str(file), "--data", str(data)).stdout
    assert store.get(call.id).job == house_job
    wrong = run("restore", str(tmp_path / "nothing"), "--data", str(data))
    assert wrong.returncode == 2
    assert "must be a file that was backed up" in wrong.stderr


def test_a_port_that_is_taken_is_said_and_no_other_is_taken_silently(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        said = run("serve", "--port", port, "--data", str(tmp_path / "c.sqlite"))
    assert said.returncode == 2
    assert said.stderr.strip() == (
        f"even-static: port: must be free: another program has it, perhaps another Even Static; received {port};"
        " accepted: --port 0 takes a free one"
    )


@pytest.mark.parametrize("content", [b"SQLite format 3\x00" + b"\xff" * 4000, b"\x00" * 5000])
def test_a_data_file_that_is_damaged_is_said_in_one_line(tmp_path, content):
    path = tmp_path / "odd.sqlite"
    path.write_bytes(content)
    said = run("serve", "--port", "0", "--data", str(path))
    assert said.returncode == 2
    assert len(said.stderr.splitlines()) == 1
    assert "data file: must be one of Even Static's that is whole" in said.stderr
    assert path.read_bytes() == content


def test_nothing_that_a_terminal_obeys_is_printed(tmp_path, house_job):
    odd = "red \x1b[31m \x9b31m \u202e txt"
    path = tmp_path / "j.json"
    path.write_text(write_job(replace(house_job, title=odd)))
    shown = run("report", str(path))
    assert not [c for c in shown.stdout if not c.isprintable() and c != "\n"]
    assert json.loads(shown.stdout)["title"] == odd
    wrong = run("read", f"{tmp_path}/no\x1b[2Jthing")
    assert "\x1b" not in wrong.stderr
