"""The router's lists over the API: taken over on a real call, asked of a practice router, counters as demand."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.conftest import local_client
from tests.houses import random_house

from even_static.api.app import create_app
from even_static.core.survey.traffic import carried
from even_static.formats.router_lists import read_lists


@pytest.fixture
def client(store):
    return local_client(create_app(store))


@pytest.fixture
def real(store):
    return store.add(replace(random_house(3, nodes=1, devices=4, zigbee_devices=2), kind="real")).id


def sent(client, call: int, text: str):
    return client.post(f"/api/calls/{call}/router-lists", content=text.encode())


def test_a_list_is_kept_undone_and_forgotten(client, store, real):
    job = store.get(real).job
    rows = "".join(f"{d.name},{job.radios[0].id},-6{i},5400,100,24\n" for i, d in enumerate(job.devices))
    answer = sent(client, real, "device,radio,level_dbm,down_mb,up_mb,over_h\n" + rows)
    assert answer.status_code == 200, answer.text
    kept = store.get(real).job.client_list
    assert [c.rssi_dbm for c in kept] == [-60.0, -61.0, -62.0, -63.0]
    assert {c.came_from for c in kept} == {"router's list"}
    revision = answer.json()["revision"]
    undone = client.post(f"/api/calls/{real}/undo", params={"revision": revision})
    assert undone.status_code == 200, undone.text
    assert store.get(real).job.client_list == ()
    client.post(f"/api/calls/{real}/redo", params={"revision": undone.json()["revision"]})
    use = sent(client, real, f"radio,time,busy_percent\n{job.radios[0].id},20:00,62\n")
    assert use.json()["job"]["channel_uses"][0]["busy_fraction"] == 0.62
    log = sent(client, real, f"device,sent,delivered\n{job.zigbee.devices[0].name},120,111\n")
    assert log.json()["job"]["zigbee_reports"][-1]["delivered"] == 111
    gone = client.delete(f"/api/calls/{real}/router-lists").json()["job"]
    assert (gone["client_list"], gone["channel_uses"]) == ([], [])
    # A device goes with its lines.
    sent(client, real, "device,radio,level_dbm,down_mb,up_mb,over_h\n" + rows)
    path, revision = f"/api/calls/{real}/entries/devices/{job.devices[0].id}", store.get(real).revision
    removed = client.delete(path, params={"revision": revision, "summary": "removed it"})
    assert removed.status_code == 200, removed.text
    assert len(store.get(real).job.client_list) == 3


def test_what_is_wrong_names_its_line_and_nothing_is_lost(client, store, real):
    before = store.get(real).revision
    answer = sent(client, real, "device,radio,level_dbm\nd0,cellar,-60\n")
    assert answer.status_code == 422
    assert answer.json()["error"]["field"] == "line 2, radio"
    assert answer.json()["error"]["accepted"]
    assert client.post(f"/api/calls/{real}/traffic/demand", json={}).status_code == 422
    assert store.get(real).revision == before


def test_counters_become_demand(client, store, real):
    job = store.get(real).job
    rows = "".join(f"{d.id},{9000 * (i + 1)},90,24\n" for i, d in enumerate(job.devices))
    sent(client, real, "device,down_mb,up_mb,over_h\n" + rows)
    view = client.post(
        f"/api/calls/{real}/traffic", json={"settings": client.get(f"/api/calls/{real}").json()["job"]["settings"]}
    ).json()
    measured = {c.device_id: c for c in carried(store.get(real).job)}
    assert [u["carried"]["device_id"] for u in view["users"]] == [d.id for d in reversed(job.devices)]
    assert view["users"][0]["carried"]["busy_down_mbps"] == measured[job.devices[-1].id].busy_down_mbps
    one = job.devices[0].id
    client.post(f"/api/calls/{real}/traffic/demand", json={"device_ids": [one]})
    now = store.get(real).job.devices
    assert now[0].demand_down_mbps == round(measured[one].busy_down_mbps, 2)
    assert now[1] == job.devices[1]


def test_only_a_practice_house_has_a_router_to_ask(client, store, demo_store, real):
    refused = client.post(f"/api/calls/{real}/practice-router")
    assert refused.status_code == 409
    call = store.add(demo_store.get(2).job).id
    job = client.post(f"/api/calls/{call}/practice-router").json()["job"]
    assert {c["came_from"] for c in [*job["client_list"], *job["channel_uses"]]} == {"simulated"}
    radios = {r["id"] for n in job["nodes"] for r in n["radios"]}
    assert {c["radio_id"] for c in job["client_list"]} <= radios
    assert len({u["seen_at"] for u in job["channel_uses"]}) == 4
    assert all(0 <= u["busy_fraction"] <= 1 for u in job["channel_uses"])


def test_a_list_as_a_file_says_the_same_in_its_other_form(real, store):
    job = store.get(real).job
    name = job.devices[0].name
    comma = read_lists(job, f"device,level_dbm\n{name},-61.5\n", "2026-03-02T21:00:00+01:00")
    semicolon = read_lists(job, f"Device;Signal\n{name};-61,5\n", "2026-03-02T21:00:00+01:00")
    assert comma == semicolon
