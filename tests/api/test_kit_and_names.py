"""Devices, wishes, names and the whole search over HTTP."""

from __future__ import annotations

import time
from dataclasses import replace

import pytest
from tests.conftest import local_client, undo
from tests.formats.test_802154_captures import pcap, scapy_frame

from even_static.core.explain.ssids import ssid_view


@pytest.fixture
def client(demo_store, app_over):
    return local_client(app_over(demo_store))


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
    assert undo(client, call).json()["job"]["devices"] == before


def test_cells_of_a_table_are_filled_as_one_step_or_not_at_all(client, call, demo_store):
    before = demo_store.get(call)
    first, second = (d.id for d in before.job.devices[:2])
    path, body = f"/api/calls/{call}/entries", {"revision": before.revision, "summary": "filled 3 cells"}
    wanted = [(first, {"demand_down_mbps": 7}), (first, {"demand_up_mbps": 1.5}), (second, {"demand_down_mbps": 8})]
    changes = [{"name": "devices", "key": key, "entry": entry} for key, entry in wanted]
    spoiled = [*changes, {"name": "devices", "key": second, "entry": {"demand_up_mbps": -3}}]
    refused = client.patch(path, json={**body, "changes": spoiled})
    assert refused.status_code == 422
    assert "demand_up_mbps" in refused.json()["error"]["field"]
    assert demo_store.get(call) == before
    assert client.patch(path, json={**body, "changes": []}).status_code == 422
    assert client.patch(path, json={**body, "changes": changes}).status_code == 200
    after = demo_store.get(call)
    assert after.revision == before.revision + 1
    filled = [(d.demand_down_mbps, d.demand_up_mbps) for d in after.job.devices[:2]]
    assert filled == [(7, 1.5), (8, before.job.devices[1].demand_up_mbps)]
    assert after.job.devices[2:] == before.job.devices[2:]
    assert undo(client, call).json()["job"]["devices"] == client.get(f"/api/calls/{call}").json()["job"]["devices"]
    assert demo_store.get(call).job.devices == before.job.devices


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
    shown = client.post(f"/api/calls/{call}/ssid-plans", json=body).json()
    from even_static.core.model.prepared_house import House

    own = ssid_view(House(job), job.settings)
    assert [s["kind"] for s in shown["ssid_plans"]] == [s.kind for s in own.ssid_plans]
    assert [s["evaluation"]["problems"] for s in shown["ssid_plans"]] == [s.evaluation.problems for s in own.ssid_plans]
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
    body = {"power": True, "switch_off": True, "links": True, "steering": True, "seconds": 90}
    plan = _finished(client, client.post(f"/api/calls/{call}/tune", json=body).json()["id"])["plan"]
    assert plan["model_proven"]
    assert plan["choices"] > 100
    assert plan["evaluation"]["problems"] < plan["now"]["problems"]
    assert plan["outlook"]["better"] > plan["outlook"]["worse"]
    assert {a["name"] for a in plan["alternatives"]} >= {"channels only", "careful technician", "1/6/11 only"}
    done = _finished(
        client,
        client.post(f"/api/calls/{call}/apply", json={"settings": plan["settings"], "reason": "plan"}).json()["id"],
    )
    assert done["state"] == "done", done
    job = client.get(f"/api/calls/{call}").json()["job"]
    assert job["settings"]["ssid_plan"] == plan["settings"]["ssid_plan"]
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


def test_other_senders_scans_and_whose_network_it_is(client, call, demo_store):
    body = {"settings": client.get(f"/api/calls/{call}").json()["job"]["settings"]}
    users = client.post(f"/api/calls/{call}/air-users", json=body).json()
    assert [s["name"] for s in users["senders"]] == ["Kitchen oven", "Studio radio speaker"]
    assert {k["kind"] for k in client.get("/api/source-kinds").json()} >= {"microwave oven", "baby monitor"}
    scans = len(demo_store.get(call).job.energy_scans)
    text = "channel,level_dbm\n11,-70\n25,-40\n"
    done = client.post(f"/api/calls/{call}/energy-scans?place_id=landing&name=own.csv", content=text).json()
    assert len(done["job"]["energy_scans"]) == scans + 1
    told = client.post(f"/api/calls/{call}/air-users", json=body).json()
    assert next(e for e in told["energy"] if e["channel"] == 25)["unexplained"]
    assert client.post(f"/api/calls/{call}/hub-scan").json()["job"]["energy_scans"][-1]["source"] == "hub"
    assert client.post(f"/api/calls/{call}/energy-scans?place_id=landing", content="x").status_code == 422
    marked = client.post(f"/api/calls/{call}/own-pan", json={"pan_id": "0x2c07", "own": True}).json()
    assert all(p["own"] for p in marked["job"]["pans"])
    nobody = client.post(f"/api/calls/{call}/own-pan", json={"pan_id": "0xdead", "own": True})
    assert nobody.status_code == 404
    linked = client.post(f"/api/calls/{call}/hub-links").json()["job"]["zigbee"]["links"]
    assert len(linked) == len(demo_store.get(2).job.zigbee.links)


def test_an_802154_capture_is_taken_by_the_same_door(client, call, demo_store):
    frames = [scapy_frame(0x5E1F) for _ in range(9)] + [scapy_frame(0x0042) for _ in range(3)]
    before = replace(demo_store.get(call).job, pans=())
    demo_store.save(call, before, "no networks heard", on_revision=demo_store.get(call).revision)
    channel = before.settings.zigbee_channel
    path = f"/api/calls/{call}/captures?place_id=landing&name=sniffed.pcap"
    task = client.post(f"{path}&channel={channel}", content=pcap(frames, 195).getvalue()).json()
    done = finished(client, task["id"])
    assert done["state"] == "done"
    assert any("is taken as this house's own" in n for n in done["notes"])
    pans = demo_store.get(call).job.pans
    assert {(p.pan_id, p.own, p.frames) for p in pans} == {("0x5e1f", True, 9), ("0x0042", False, 3)}
    untold = finished(client, client.post(path, content=pcap(frames, 195).getvalue()).json()["id"])
    assert untold["error"]["field"] == "channel"


def test_kit_comes_and_goes_after_somebody_has_listened(client, call):
    """A node added later, and one removed: what was heard stays, with the settings of then for what is still there."""
    found = client.get(f"/api/calls/{call}").json()
    job, gone = found["job"], found["job"]["nodes"][-1]
    radios = {r["id"] for r in gone["radios"]}
    job["nodes"] = job["nodes"][:-1]
    job["settings"]["radios"] = [s for s in job["settings"]["radios"] if s["radio_id"] not in radios]
    added = {**gone["radios"][0], "id": "new-2.4", "bssid": "02:99:00:00:00:01"}
    job["nodes"].append({**gone, "id": "new", "name": "New box", "radios": [added], "uplink": {"to_node_id": "hall"}})
    first = {"radio_id": "new-2.4", "channel": 1, "width_mhz": 20, "eirp_dbm": added["eirp_steps_dbm"][0]}
    job["settings"]["radios"].append(first)
    body = {"job": job, "revision": found["revision"], "summary": "another box"}
    saved = client.patch(f"/api/calls/{call}/job", json=body)
    assert saved.status_code == 200, saved.text
    now = saved.json()["job"]
    assert len(now["scans"]) == len(found["job"]["scans"])
    for before, after in zip(found["job"]["scans"], now["scans"], strict=True):
        assert before["readings"] == after["readings"]
        known = {s["radio_id"]: s for s in after["settings"]["radios"]}
        assert set(known) == {s["radio_id"] for s in now["settings"]["radios"]}
        assert all(known[s["radio_id"]] == s for s in before["settings"]["radios"] if s["radio_id"] not in radios)


def test_plans_are_kept_compared_and_forgotten(client, call):
    settings = client.get(f"/api/calls/{call}").json()["job"]["settings"]
    kept = client.post(f"/api/calls/{call}/plans", json={"name": "as found", "settings": settings}).json()
    (plan,) = kept["job"]["plans"]
    now, mine = client.get(f"/api/calls/{call}/plans").json()
    assert (mine["name"], mine["rank"], mine["changes"]) == ("as found", now["rank"], 0)
    assert client.delete(f"/api/calls/{call}/plans/{plan['id']}").json()["job"]["plans"] == []
    assert client.delete(f"/api/calls/{call}/plans/{plan['id']}").status_code == 404
    assert undo(client, call).json()["job"]["plans"] == [plan]


def test_the_day_the_measurement_and_nodes_that_may_move(client, call):
    settings = client.get(f"/api/calls/{call}").json()["job"]["settings"]
    day = client.post(f"/api/calls/{call}/day", json={"settings": settings}).json()
    assert any(p["scans"] for p in day["parts"])
    body = {"seconds": 8, "settings": settings, "move_node_ids": ["studio"], "links": True}
    moved = finished(client, client.post(f"/api/calls/{call}/tune", json=body).json()["id"])
    assert moved["placed"]["weighed"] > 2
    plan = moved["plan"]
    others = [a["settings"] for a in plan["alternatives"][:2]]
    asked = client.post(f"/api/calls/{call}/measure-next", json={"settings": plan["settings"], "others": others})
    client.post(f"/api/tasks/{asked.json()['id']}/stop")
    assert finished(client, asked.json()["id"])["measure"]["draws"] > 0
    both = client.post(f"/api/calls/{call}/tune", json={**body, "hold_ssid_plan": True})
    assert both.json()["error"]["field"] == "move_node_ids"
    wrong = client.post(f"/api/calls/{call}/tune", json={**body, "move_node_ids": ["ghost"]})
    assert finished(client, wrong.json()["id"])["error"]["field"] == "move_node_ids"


def finished(client, task_id):
    while True:
        task = client.get(f"/api/tasks/{task_id}").json()
        if task["state"] != "running":
            return task
        time.sleep(0.05)
