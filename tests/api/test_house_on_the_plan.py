"""Everything put on the plan over HTTP; traces, instruments, link tests and the verdict on line and Wi-Fi."""

from __future__ import annotations

import io
import json
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from tests.conftest import local_client, undo

from even_static.core.explain.placement import decide
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.section import section


@pytest.fixture
def client(demo_store, app_over):
    return local_client(app_over(demo_store))


@pytest.fixture
def call(demo_store):
    return demo_store.add(replace(demo_store.get(2).job, title="on the plan")).id


def test_doors_obstacles_and_rooms_are_put_moved_and_undone(client, call):
    before = client.get(f"/api/calls/{call}").json()["job"]["building"]
    put = {"storey": 0, "x_m": 2.0, "y_m": 3.6, "opening": "passage"}
    after = client.post(f"/api/calls/{call}/put", json=put).json()["job"]["building"]
    assert len(after["openings"]) == len(before["openings"]) + 1
    tank = {"storey": 0, "x_m": 5.0, "y_m": 1.0, "obstacle": "water tank"}
    after = client.post(f"/api/calls/{call}/put", json=tank).json()["job"]["building"]
    assert after["obstacles"][-1]["kind"] == "water tank"
    size = {"room_id": "kiln-shed", "width_m": 4.0, "depth_m": 4.2}
    resized = client.post(f"/api/calls/{call}/rooms/resize", json=size).json()["job"]["building"]
    shed = next(r for r in resized["rooms"] if r["id"] == "kiln-shed")
    assert max(x for x, _ in shed["outline"]) - min(x for x, _ in shed["outline"]) == 4.0
    move = {"room_id": "greenhouse", "dx_m": 2.25, "dy_m": 0.0}
    moved = client.post(f"/api/calls/{call}/rooms/move", json=move).json()
    assert moved["undo"].startswith("moved the room")
    gone = client.delete(f"/api/calls/{call}/rooms/greenhouse").json()["job"]
    assert "greenhouse" not in [r["id"] for r in gone["building"]["rooms"]]
    for _ in range(5):
        back = undo(client, call).json()["job"]["building"]
    assert back == before
    both = client.post(f"/api/calls/{call}/put", json={**put, "obstacle": "mirror"})
    assert both.status_code == 422
    lost = client.post(f"/api/calls/{call}/put", json={**put, "x_m": 5.0, "y_m": 2.0})
    assert "click on a wall" in lost.json()["error"]["accepted"]


def test_a_photograph_is_laid_scaled_moved_kept_and_taken_away(client, call):
    out = io.BytesIO()
    Image.new("RGB", (600, 400), "white").save(out, "JPEG")
    laid = client.post(f"/api/calls/{call}/photo?storey=1", content=out.getvalue()).json()["job"]["building"]
    (under,) = laid["underlays"]
    assert under["storey"] == 1
    assert client.get(f"/api/calls/{call}/photo/{under['photo_id']}").headers["content-type"] == "image/jpeg"
    body = {"storey": 1, "a": [0, 0], "b": [5, 0], "length_m": 10}
    scaled = client.post(f"/api/calls/{call}/photo/scale", json=body).json()["job"]["building"]["underlays"][0]
    assert scaled["metres_per_px"] == pytest.approx(2 * under["metres_per_px"])
    moved = client.post(f"/api/calls/{call}/photo/move", json={"storey": 1, "start": [0, 0], "end": [1, 2]}).json()
    assert moved["job"]["building"]["underlays"][0]["x_m"] == pytest.approx(scaled["x_m"] + 1)
    # A job file carries it, and importing it keeps it.
    text = client.get(f"/api/calls/{call}/export").text
    assert len(json.loads(text)["photos"]) == 1
    again = client.post("/api/calls/import", content=text).json()
    photo = again["job"]["building"]["underlays"][0]["photo_id"]
    assert client.get(f"/api/calls/{again['id']}/photo/{photo}").status_code == 200
    assert client.delete(f"/api/calls/{call}/photo?storey=1").json()["job"]["building"]["underlays"] == []
    # Undo brings it back, picture and all.
    undo(client, call)
    assert client.get(f"/api/calls/{call}/photo/{under['photo_id']}").status_code == 200


def test_50_mb_and_no_picture_are_answered_and_nothing_changes(client, call):
    before = client.get(f"/api/calls/{call}").json()["revision"]
    large = client.post(f"/api/calls/{call}/photo", content=b"\xff\xd8" + b"0" * (50 << 20))
    assert large.status_code == 413
    assert "20 MiB" in large.json()["error"]["message"]
    none = client.post(f"/api/calls/{call}/photo", content=b"just words")
    assert none.json()["error"]["field"] == "photo"
    assert client.get(f"/api/calls/{call}").json()["revision"] == before
    assert client.get(f"/api/calls/{call}/photo/photo-none").status_code == 404
    missing = client.post(f"/api/calls/{call}/photo/move", json={"storey": 2, "start": [0, 0], "end": [1, 1]})
    assert "lay one first" in missing.json()["error"]["accepted"]


def test_geojson_and_svg_go_out_and_geojson_comes_in(client, call):
    text = client.get(f"/api/calls/{call}/house.geojson").text
    empty = client.post("/api/calls", json={"title": "Empty", "country": "NL"}).json()["id"]
    assert client.get(f"/api/calls/{empty}/house.geojson").status_code == 422
    taken = client.post(f"/api/calls/{empty}/house.geojson", content=text)
    there, here = taken.json()["job"]["building"], client.get(f"/api/calls/{call}").json()["job"]["building"]
    assert sorted(map(str, there.pop("wall_changes"))) == sorted(map(str, here.pop("wall_changes")))
    assert there == here
    bad = client.post(f"/api/calls/{call}/house.geojson", content="[]")
    assert bad.json()["error"]["field"] == "type"
    for path in ("plan.svg?storey=1", "plan.svg?storey=0&band=5%20GHz", "section.svg?band=5%20GHz&axis=across"):
        answer = client.get(f"/api/calls/{call}/{path}")
        assert answer.headers["content-type"] == "image/svg+xml"
        assert "</svg>" in answer.text


def test_sections_and_decisions_are_the_core_s(client, call, demo_store):
    coverage = Coverage(demo_store.get(call).job)
    shown = client.post(f"/api/calls/{call}/section", json={"band": "5 GHz", "axis": "along", "at_m": 2.0}).json()
    own = section(coverage, "5 GHz", "along", 2.0)
    assert [c["level_dbm"] for c in shown["contours"]] == [c.level_dbm for c in own.contours]
    assert len(shown["walls"]) == len(own.walls)
    found = client.get(f"/api/calls/{call}/decisions").json()
    assert [d["title"] for d in found["decisions"]] == [d.title for d in decide(coverage)]


def test_a_walk_between_spots_is_sampled_kept_once_and_told(client, call):
    ends = {"from_place_id": "hall", "to_place_id": "kitchen"}
    points = []
    for k in range(13):
        body = {**ends, "path_fraction": k / 12}
        levels = client.post(f"/api/calls/{call}/walk/trace/sample", json=body).json()
        points += [{"after_s": k / 2, "bssid": b, "rssi_dbm": v} for b, v in levels.items()]
    body = {"key": "way-1", **ends, "walked_at": "2026-03-02T20:00:00Z", "duration_s": 6.0, "points": points}
    first = client.post(f"/api/calls/{call}/walk/trace", json=body).json()
    again = client.post(f"/api/calls/{call}/walk/trace", json=body).json()
    assert first["revision"] == again["revision"]
    assert len(again["job"]["traces"]) == 1
    told = client.get(f"/api/calls/{call}/traces/way-1").json()
    assert told["walk_m"] == pytest.approx(3.42, abs=0.05)
    assert {line["radio_id"] for line in told["lines"]} >= {"hall-2.4", "hall-5"}
    assert any("hall" in s["what"] for line in told["lines"] for s in line["steps"])
    assert client.get(f"/api/calls/{call}/traces/none").status_code == 404


def test_a_phone_is_compared_with_the_scanner_at_a_common_spot(client, call):
    job = client.get(f"/api/calls/{call}").json()
    phone = {"id": "old", "name": "Old phone", "offset_db": 0, "spread_db": 3, "place_id": None}
    edit = {"job": {**job["job"], "instruments": [phone]}, "revision": job["revision"], "summary": "added a phone"}
    assert client.patch(f"/api/calls/{call}/job", json=edit).status_code == 200
    own = [r["bssid"] for n in job["job"]["nodes"] for r in n["radios"]]
    scan = [li for li in job["job"]["scans"] if li["place_id"] == "landing"][-1]
    level = {r["bssid"]: r["rssi_dbm"] for r in scan["readings"] if r["bssid"] in own}
    series = [{"bssid": b, "samples_dbm": [v - 7]} for b, v in level.items()]
    body = {"key": "w1", "place_id": "landing", "heard_at": "2026-03-02T20:00:00Z", "series": series}
    body |= {"instrument_id": "old", "running": "a film in the kitchen"}
    kept = client.post(f"/api/calls/{call}/walk", json=body).json()["job"]["scans"][-1]
    assert kept["running"] == "a film in the kitchen"
    done = client.post(f"/api/calls/{call}/instruments/old/offset?place_id=landing").json()
    assert done["job"]["instruments"][0]["offset_db"] == pytest.approx(-7, abs=0.3)
    assert done["job"]["instruments"][0]["place_id"] == "landing"


def _run(down, up):
    at = list(np.arange(0, 3001, 50.0))
    return {
        "down": [[t, down * 125 * t] for t in at],
        "up": [[t, up * 125 * t] for t in at],
        "idle_ms": [4.0, 5.0, 4.5],
        "loaded_ms": [20.0, 24.0, 22.0],
    }


def test_link_tests_become_figures_and_a_verdict(client, call):
    body = {"key": "t1", "place_id": "studio", "tested_at": "2026-03-02T20:00:00Z", "runs": [_run(80, 20)] * 3}
    first = client.post(f"/api/calls/{call}/link-test", json=body).json()
    assert client.post(f"/api/calls/{call}/link-test", json=body).json()["revision"] == first["revision"]
    test = first["job"]["speed_tests"][-1]
    assert test["down_mbps"] == [80.0] * 3
    assert test["latency_ms"] == [22.0] * 3
    assert test["jitter_ms"] == [3.0] * 3
    # The test client is this computer itself: no radio was on the way.
    assert test["over"] == "this computer itself"
    wired = {"place_id": "hall", "tested_at": "2026-03-02T20:05:00Z", "down_mbps": [96], "up_mbps": [10]}
    wired["subscription"] = {"down_mbps": 100, "up_mbps": 10}
    client.post(f"/api/calls/{call}/wired", json=wired)
    verdict = client.get(f"/api/calls/{call}/link").json()["verdict"]
    assert verdict["wired_down_mbps"]["median"] == 96
    assert verdict["line"] in ("neither", "the Wi-Fi")
    assert {c["device_id"] for c in verdict["cameras"]} == {"door-camera", "studio-camera"}
    short = {**body, "key": "t2", "runs": [{**_run(1, 1), "up": [[0, 0], [50, 3]]}]}
    answer = client.post(f"/api/calls/{call}/link-test", json=short)
    assert answer.json()["error"]["field"] == "runs[0].up"
    half = client.post(f"/api/calls/{call}/wired", json={**wired, "up_mbps": []})
    assert half.json()["error"]["field"] == "up_mbps"


def test_the_link_carries_what_it_says(client):
    assert client.get("/api/link/ping").status_code == 204
    assert len(client.get("/api/link/down?size=300001").content) == 300_001
    assert client.post("/api/link/up", content=b"x" * 70_000).json() == 70_000
    assert client.get("/api/link/down?size=0").status_code == 422
