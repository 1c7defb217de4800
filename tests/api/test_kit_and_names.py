"""Devices, wishes, names and the whole search over HTTP."""

from __future__ import annotations

import time
from dataclasses import replace

import pytest
from fastapi.testclient import TestClient

from even_static.core.tuning.steering import names_view


@pytest.fixture
def client(demo_store, app_over):
    return TestClient(app_over(demo_store))


@pytest.fixture
def call(demo_store):
    return demo_store.add(replace(demo_store.get(2).job, title="kit and names")).id


def test_a_list_is_pasted_and_undone(client, call):
    before = client.get(f"/api/calls/{call}").json()["job"]["devices"]
    done = client.post(
        f"/api/calls/{call}/devices", json={"text": "2 x lamp plug, kitchen\nwhatsit", "place_id": "hall"}
    ).json()
    assert len(done["call"]["job"]["devices"]) == len(before) + 3
    assert "whatsit: what is it?" in done["questions"][0]
    kit = client.get(f"/api/calls/{call}/kit").json()
    assert kit["unknown"] == ["whatsit"]
    assert sum(c["devices"] for c in kit["crowds"]) == len(before) + 3
    bad = client.post(f"/api/calls/{call}/devices", json={"text": "plug, moon base", "place_id": "hall"})
    assert bad.json()["error"]["field"] == "line 1"
    assert client.post(f"/api/calls/{call}/undo").json()["job"]["devices"] == before


def test_the_busy_hour_is_read_first_and_taken_when_wanted(client, call):
    text = "a 4k film on the kitchen screen"
    told = client.post(f"/api/calls/{call}/wishes", json={"text": text}).json()
    assert told["call"] is None
    assert told["wishes"][0]["device_ids"] == ["kitchen-screen"]
    taken = client.post(f"/api/calls/{call}/wishes", json={"text": text, "take": True}).json()["call"]["job"]
    assert next(d for d in taken["devices"] if d["id"] == "kitchen-screen")["demand_down_mbps"] == 25
    nobody = client.post(f"/api/calls/{call}/wishes", json={"text": "dancing", "take": True})
    assert nobody.json()["error"]["field"] == "text"


def test_names_are_the_core_s(client, call, demo_store, app_over):
    job = demo_store.get(call).job
    body = {"settings": client.get(f"/api/calls/{call}").json()["job"]["settings"]}
    shown = client.post(f"/api/calls/{call}/names", json=body).json()
    from even_static.core.tuning.house import House

    own = names_view(House(job), job.settings)
    assert [s["school"] for s in shown["schools"]] == [s.school for s in own.schools]
    assert [s["evaluation"]["troubles"] for s in shown["schools"]] == [s.evaluation.troubles for s in own.schools]
    assert shown["advice"]["text"] == own.advice.text
    assert [t["changes"] for t in shown["timelines"]] == [t.changes for t in own.timelines]


def _finished(client, task):
    for _ in range(1200):
        found = client.get(f"/api/tasks/{task}").json()
        if found["state"] != "running":
            return found
        time.sleep(0.05)
    raise AssertionError("the task does not end")


def test_the_whole_search_is_sent_and_read_back(client, demo_store):
    call = demo_store.add(replace(demo_store.get(2).job, title="whole search")).id
    body = {"power": True, "switch_off": True, "links": True, "steering": True}
    plan = _finished(client, client.post(f"/api/calls/{call}/tune", json=body).json()["id"])["plan"]
    assert plan["proven"]
    assert plan["choices"] > 100
    assert plan["evaluation"]["troubles"] < plan["now"]["troubles"]
    assert plan["futures"]["better"] > plan["futures"]["worse"]
    assert {a["name"] for a in plan["alternatives"]} >= {"channels only", "careful technician", "standard set"}
    done = _finished(
        client,
        client.post(f"/api/calls/{call}/apply", json={"settings": plan["settings"], "reason": "plan"}).json()["id"],
    )
    assert done["state"] == "done", done
    job = client.get(f"/api/calls/{call}").json()["job"]
    assert job["settings"]["names"] == plan["settings"]["names"]
    assert job["settings"]["link_bands"] == []
    bands = {link["node_id"]: link["band"] for link in plan["settings"]["link_bands"]}
    for node in job["nodes"]:
        if node["id"] in bands:
            assert node["uplink"]["band"] == bands[node["id"]]


def test_a_search_can_be_stopped(client, call):
    task = client.post(f"/api/calls/{call}/tune", json={"power": True, "steering": True, "links": True}).json()["id"]
    assert client.post(f"/api/tasks/{task}/stop").json()["stop_wanted"]
    assert _finished(client, task)["plan"]["evaluation"]["lawful"]
    assert client.post("/api/tasks/none/stop").status_code == 404
