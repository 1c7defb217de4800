"""The house, its coverage and the walk over HTTP."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.conftest import local_client, undo

from even_static.core.house.job import Job
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.picture import picture


@pytest.fixture
def client(demo_store, app_over):
    return local_client(app_over(demo_store))


def test_a_house_is_typed_and_undone(client):
    call = client.post("/api/calls", json={"title": "Typed", "country": "NL"}).json()["id"]
    for line in ("hall 2 5", "kitchen 4.2 3.1", "landing 2 5 above hall"):
        answer = client.post(f"/api/calls/{call}/rooms", json={"line": line})
        assert answer.status_code == 200, answer.text
    assert [r["id"] for r in answer.json()["job"]["building"]["rooms"]] == ["hall", "kitchen", "landing"]
    view = client.get(f"/api/calls/{call}/house").json()
    assert {w["role"] for w in view["walls"]} == {"inner", "outer"}
    assert view["area_m2"] == pytest.approx(2 * 5 + 4.2 * 3.1 + 2 * 5)
    bad = client.post(f"/api/calls/{call}/rooms", json={"line": "kitchen"})
    assert bad.status_code == 422
    assert "kitchen 4.2 3.1" in bad.json()["error"]["accepted"]
    undone = undo(client, call).json()
    assert len(undone["job"]["building"]["rooms"]) == 2
    none = client.post(f"/api/calls/{call}/coverage", json={"storey": 0, "band": "5 GHz"})
    assert none.status_code == 422
    assert none.json()["error"]["field"] == "building"


def test_the_picture_is_the_core_s(client, demo_store):
    job: Job = demo_store.get(2).job
    shown = client.post("/api/calls/2/coverage", json={"storey": 0, "band": "5 GHz"}).json()
    own = picture(Coverage(job), 0, "5 GHz")
    assert shown["covered_fraction"] == pytest.approx(own.covered_fraction)
    assert [c["level_dbm"] for c in shown["contours"]] == [c.level_dbm for c in own.contours]
    stand = {"storey": 0, "x_m": 6.0, "y_m": 3.0, "height_m": 1.5, "mounting": "shelf", "antennas": []}
    moved = client.post(
        "/api/calls/2/coverage",
        json={"storey": 0, "band": "5 GHz", "stands": [{"node_id": "hall", "stand": stand}]},
    ).json()
    assert moved["contours"] != shown["contours"]
    figures = client.post(
        "/api/calls/2/evaluate",
        json={
            "settings": client.get("/api/calls/2").json()["job"]["settings"],
            "stands": [{"node_id": "hall", "stand": stand}],
        },
    ).json()
    assert figures["rank"] != client.get("/api/calls/2").json()["now"]["rank"]
    point = client.post("/api/calls/2/point", json={"storey": 1, "x_m": 4.4, "y_m": 1.2}).json()
    assert sum(s["db"] for s in point["paths"][0]["steps"]) == pytest.approx(point["paths"][0]["level_dbm"], abs=0.06)


FAR_OUT = {"storey": 0, "x_m": 90, "y_m": 1}


@pytest.mark.parametrize(
    ("path", "body", "field"),
    [
        ("coverage", {"storey": 7, "band": "5 GHz"}, "storey"),
        ("coverage", {"storey": 0, "band": "5 GHz", "node_id": "cellar"}, "node_id"),
        ("coverage", {"storey": 0, "band": "9 GHz"}, "band"),
        (
            "coverage",
            {
                "storey": 0,
                "band": "5 GHz",
                "stands": [{"node_id": "hall", "stand": {"storey": 0, "x_m": 90, "y_m": 1}}],
            },
            "stands[0].stand.x_m",
        ),
        ("placing", {"counts": [4]}, "counts[0]"),
        ("walk/sample", {"place_id": "moon"}, "place_id"),
        (
            "walk",
            {
                "key": "k",
                "place_id": "hall",
                "heard_at": "2026-03-02T20:00:00Z",
                "series": [{"bssid": "02:4b:52:00:01:00", "samples_dbm": [3]}],
            },
            "series[0].samples_dbm[0]",
        ),
        (
            "walk",
            {
                "key": "k",
                "place_id": "hall",
                "heard_at": "2026-03-02T20:00:00Z",
                "series": [{"bssid": "02:4b:52:00:01:00", "samples_dbm": [-300]}],
            },
            "series[0].samples_dbm[0]",
        ),
    ],
)
def test_what_does_not_fit_is_named_and_nothing_changes(client, path, body, field):
    before = client.get("/api/calls/2").json()["revision"]
    answer = client.post(f"/api/calls/2/{path}", json=body)
    assert answer.status_code in (404, 422)
    assert answer.json()["error"]["field"].startswith(field)
    assert client.get("/api/calls/2").json()["revision"] == before


def test_a_reading_sent_twice_is_kept_once_and_again_where_it_was_taken_back(client, demo_store):
    call = demo_store.add(replace(demo_store.get(2).job, title="twice")).id
    body = {
        "key": "walk-1",
        "place_id": "attic-desk",
        "heard_at": "2026-03-02T20:00:00Z",
        "series": [{"bssid": "02:4b:52:00:02:01", "samples_dbm": [-61, -63, -62]}],
    }
    first = client.post(f"/api/calls/{call}/walk", json=body).json()
    again = client.post(f"/api/calls/{call}/walk", json=body).json()
    assert first["revision"] == again["revision"]
    kept = [li for li in again["job"]["scans"] if li["id"] == "walk-1"]
    assert [r["rssi_dbm"] for r in kept[0]["readings"]] == [-62.0]
    assert kept[0]["readings"][0]["samples"] == 3
    assert kept[0]["stands"][0]["node_id"] == "hall"
    undo(client, call)
    after = client.post(f"/api/calls/{call}/walk", json=body).json()
    # It counts as arrived only while it is there: what was taken back and is sent again is stored again, once.
    assert sum(li["id"] == "walk-1" for li in after["job"]["scans"]) == 1
    assert client.post(f"/api/calls/{call}/walk", json=body).json()["revision"] == after["revision"]


def test_samples_settle_and_nothing_is_stored(client):
    before = client.get("/api/calls/2").json()["revision"]
    so_far: list = []
    for _ in range(30):
        view = client.post("/api/calls/2/walk/sample", json={"place_id": "kitchen", "so_far": so_far}).json()
        so_far = view["series"]
        if view["settled"]:
            break
    assert view["settled"]
    assert max(len(s["samples_dbm"]) for s in so_far) >= 6
    assert {g["band"] for g in view["margins"]} == {"2.4 GHz", "5 GHz", "6 GHz"}
    assert client.get("/api/calls/2").json()["revision"] == before


def test_the_round_and_the_best_spots(client):
    found = client.get("/api/calls/2/route", params={"from_place_id": "hall"}).json()
    assert found["house_db"] > 0
    placing = client.post("/api/calls/2/placing", json={"counts": [1, 2]}).json()
    assert set(placing["best"]) == {"1", "2"}
    assert len(placing["verdicts"]) == 2
