"""Suspicions and the change sheet over HTTP: by hand, on the nodes, read back, taken back; nothing counts twice."""

from __future__ import annotations

import time
from dataclasses import replace

import pytest
from tests.conftest import local_client

from even_static.core.change.sheet import order_of_nodes
from even_static.core.explain.causes import likely_causes
from even_static.core.model.prepared_house import House
from even_static.instruments.simulated import stand_ins


@pytest.fixture
def client(demo_store, app_over):
    return local_client(app_over(demo_store))


@pytest.fixture
def call(demo_store):
    return demo_store.add(replace(demo_store.get(2).job, title="the work")).id


def other_channels(job):
    """The settings with every 2.4 GHz radio on another channel, names without steering and the hub elsewhere."""
    wanted = {"hall-2.4": 1, "landing-2.4": 11, "studio-2.4": 1}
    radios = [
        {**s, "channel": wanted[s["radio_id"]], "centre_mhz": None} if s["radio_id"] in wanted else s
        for s in job["settings"]["radios"]
    ]
    names = {**job["settings"]["ssid_plan"], "high_band_from_dbm": None}
    return {**job["settings"], "radios": radios, "ssid_plan": names, "zigbee_channel": 25}


def finished(client, task_id):
    while True:
        task = client.get(f"/api/tasks/{task_id}").json()
        if task["state"] != "running":
            return task
        time.sleep(0.05)


@pytest.fixture
def sheet(client, call):
    job = client.get(f"/api/calls/{call}").json()["job"]
    wanted = other_channels(job)
    assert client.get(f"/api/calls/{call}/sheet").json() is None
    made = client.post(f"/api/calls/{call}/sheet", json={"settings": wanted, "reason": "a test"})
    assert made.status_code == 200, made.text
    return wanted


def test_suspicions_are_the_core_s_and_an_answer_ranks_them_anew(client, call, demo_store):
    job = demo_store.get(call).job
    own = likely_causes(House(job), job.settings)
    shown = client.get(f"/api/calls/{call}/causes").json()
    assert [(s["kind"], s["share"]) for s in shown["found"]] == [(s.kind, s.share) for s in own.found]
    first = shown["found"][0]["kind"]
    body = {"cause": first, "shows": "ruled out"}
    assert client.post(f"/api/calls/{call}/answers", json=body).json()["job"]["answers"][0]["cause"] == first
    assert client.get(f"/api/calls/{call}/causes").json()["found"][0]["kind"] != first
    client.post(f"/api/calls/{call}/answers", json={"cause": first, "shows": None})
    assert client.get(f"/api/calls/{call}/causes").json() == shown
    wrong = client.post(f"/api/calls/{call}/answers", json={"cause": "the moon", "shows": None})
    assert wrong.status_code == 422


def test_steps_are_sent_one_by_one_read_back_and_written_down(client, call, demo_store, sheet):
    view = client.get(f"/api/calls/{call}/sheet").json()
    assert [s["id"] for s in view["steps"][:3]] == [f"box-{n}" for n in order_of_nodes(demo_store.get(call).job)]
    before = demo_store.get(call).job.settings
    for step in view["steps"]:
        done = finished(client, client.post(f"/api/calls/{call}/sheet/{step['id']}/send").json()["id"])
        assert done["state"] == "done", done
        assert "every value was read back" in done["notes"]
    after = demo_store.get(call).job
    assert client.get(f"/api/calls/{call}/sheet").json()["finished"]
    (change,) = after.changes
    assert (change.before, change.after, change.reason) == (before, after.settings, "a test")
    assert after.settings.zigbee_channel == 25
    assert after.settings.ssid_plan.high_band_from_dbm is None
    again = client.post(f"/api/calls/{call}/sheet/hub/send")
    assert again.json()["error"]["rule"] == "must be open"
    back = finished(client, client.post(f"/api/calls/{call}/sheet/hub/send?back=true").json()["id"])
    assert back["state"] == "done"
    assert demo_store.get(call).job.settings.zigbee_channel == before.zigbee_channel
    assert demo_store.get(call).job.changes == ()


def test_a_tick_counts_once_however_often_it_is_sent(client, call, demo_store, sheet):
    path = f"/api/calls/{call}/sheet/box-studio/tick"
    for _ in range(3):
        assert client.post(path, json={"key": "tick-1"}).status_code == 200
    assert client.get(f"/api/calls/{call}/sheet").json()["done"] == 1
    assert demo_store.get(call).job.settings.of("studio-2.4").channel == 1
    # What was done on nodes is not undone on paper.
    assert client.get(f"/api/calls/{call}").json()["undo"] is None
    # The history names what was set as the household does.
    assert client.get(f"/api/calls/{call}/history").json()["steps"][0]["summary"] == "set Studio node"
    # The simulated boxes follow what a person has set on them.
    sent = finished(client, client.post(f"/api/calls/{call}/sheet/box-landing/send").json()["id"])
    assert sent["state"] == "done"
    assert demo_store.get(call).job.settings.of("studio-2.4").channel == 1
    assert client.post(f"/api/calls/{call}/sheet/box-landing/tick", json={"back": True}).status_code == 200
    assert client.post(path, json={"back": True}).status_code == 200
    assert client.get(f"/api/calls/{call}/sheet").json()["done"] == 0


def test_what_the_person_reads_otherwise_is_kept(client, call, sheet):
    said = "channel 6 again after saving"
    client.post(f"/api/calls/{call}/sheet/box-studio/tick", json={"found": said})
    view = client.get(f"/api/calls/{call}/sheet").json()
    assert (view["steps"][0]["state"], view["steps"][0]["found"], view["differs"]) == ("differs", said, 1)


def test_a_box_that_does_not_take_a_value_is_caught(client, call, demo_store, monkeypatch):
    """Radar drives the radio off: what was read back differs, and the step says how."""
    monkeypatch.setattr(stand_ins, "RADAR_CHANCE", 1.0)
    job = client.get(f"/api/calls/{call}").json()["job"]
    radios = [
        {**s, "channel": 100, "width_mhz": 20, "centre_mhz": None} if s["radio_id"] == "landing-5" else s
        for s in job["settings"]["radios"]
    ]
    client.post(f"/api/calls/{call}/sheet", json={"settings": {**job["settings"], "radios": radios}})
    done = finished(client, client.post(f"/api/calls/{call}/sheet/box-landing/send").json()["id"])
    assert any("landing-5: channel 100" in n for n in done["notes"])
    view = client.get(f"/api/calls/{call}/sheet").json()
    assert view["steps"][0]["state"] == "differs"
    assert demo_store.get(call).job.settings.of("landing-5").channel != 100


def test_a_sheet_in_the_middle_of_the_work_is_not_thrown_away(client, call, sheet):
    client.post(f"/api/calls/{call}/sheet/box-studio/tick", json={})
    job = client.get(f"/api/calls/{call}").json()["job"]
    other = {**job["settings"], "zigbee_channel": 20}
    refused = client.post(f"/api/calls/{call}/sheet", json={"settings": other})
    assert refused.json()["error"]["field"] == "sheet"
    assert client.post(f"/api/calls/{call}/sheet", json={"settings": other, "replace": True}).status_code == 200
    assert [s["id"] for s in client.get(f"/api/calls/{call}/sheet").json()["steps"]] == ["hub"]
    unlawful = [{**s, "eirp_dbm": 36} if s["radio_id"] == "hall-2.4" else s for s in job["settings"]["radios"]]
    wrong = client.post(f"/api/calls/{call}/sheet", json={"settings": {**job["settings"], "radios": unlawful}})
    assert wrong.status_code == 422


def test_calls_are_closed_copied_as_the_next_visit_and_archived(client, call, demo_store):
    made = client.post(f"/api/calls/{call}/copy")
    assert made.status_code == 201
    job = made.json()["job"]
    assert (job["title"], job["complaints"], job["sheet"]) == ("the work, next visit", [], None)
    assert job["nodes"] == client.get(f"/api/calls/{call}").json()["job"]["nodes"]
    number = made.json()["id"]
    assert client.post(f"/api/calls/{number}/state", json={"state": "archived"}).status_code == 204
    assert number not in [c["id"] for c in client.get("/api/calls").json()["calls"]]
    assert number in [c["id"] for c in client.get("/api/calls", params={"state": "archived"}).json()["calls"]]
    assert client.post(f"/api/calls/{number}/state", json={"state": "lost"}).status_code == 422
    assert client.post("/api/calls/99999/state", json={"state": "closed"}).status_code == 404
    assert client.post("/api/calls/99999/copy").status_code == 404
