"""The API: what it answers, what it refuses, and that no answer is ever a traceback."""

from __future__ import annotations

import json
import time
from dataclasses import asdict, replace

import pytest
from tests.beacons import capture_of
from tests.conftest import local_client
from tests.houses import random_house

from even_static.core.model.evaluate import evaluate
from even_static.formats.job_file import job_to_data, write_job


@pytest.fixture
def client(store, app_over):
    with local_client(app_over(store), raise_server_exceptions=False) as test_client:
        yield test_client


@pytest.fixture
def call(client):
    job = random_house(7, nodes=2, neighbours=18, devices=8)
    answer = client.post("/api/calls/import", content=write_job(job))
    assert answer.status_code == 201
    return answer.json()


def finish(client, answer):
    assert answer.status_code == 202, answer.text
    task = answer.json()
    for _ in range(600):
        if task["state"] != "running":
            return task
        time.sleep(0.02)
        task = client.get(f"/api/tasks/{task['id']}").json()
    raise AssertionError("the task never ended")


def plain(value):
    return json.loads(json.dumps(value))


def test_import_gives_the_core_s_figures_and_export_the_same_job(client, call, store):
    job = store.get(call["id"]).job
    assert call["now"] == plain(asdict(evaluate(job, job.settings)))
    assert client.get(f"/api/calls/{call['id']}/export").text == write_job(job)


def test_a_setting_tried_by_hand(client, call, store):
    job = store.get(call["id"]).job
    settings = job_to_data(job)["settings"]
    settings["radios"][0] |= {"channel": 1, "width_mhz": 20, "centre_mhz": None}
    answer = client.post(f"/api/calls/{call['id']}/evaluate", json={"settings": settings})
    radios = (replace(job.settings.radios[0], channel=1, width_mhz=20, centre_mhz=None), *job.settings.radios[1:])
    assert answer.json() == plain(asdict(evaluate(job, replace(job.settings, radios=radios))))
    assert store.get(call["id"]).revision == 1


def test_tune_apply_and_prove(client, call, store):
    plan = finish(client, client.post(f"/api/calls/{call['id']}/tune", json={}))["plan"]
    assert plan["model_proven"]
    assert plan["outlook"]["better"] > plan["outlook"]["worse"]
    assert {a["name"] for a in plan["alternatives"]} >= {"fewest networks", "furthest number", "1/6/11 only"}
    assert {a["kind"] for a in plan["alternatives"]} >= {"kind", "rule of thumb"}
    task = finish(client, client.post(f"/api/calls/{call['id']}/apply", json={"settings": plan["settings"]}))
    assert task["state"] == "done"
    assert "every value was read back" in task["notes"]
    job = store.get(call["id"]).job
    assert len(job.changes) == 1
    again = {"place_ids": [p.id for p in job.places], "with_tests": True}
    assert finish(client, client.post(f"/api/calls/{call['id']}/listen", json=again))["state"] == "done"
    proof = client.get(f"/api/calls/{call['id']}/proof").json()
    assert proof["verdict"] in ("better", "worse", "inconclusive")
    assert proof["after_settings"] == job_to_data(job)["settings"]
    same = finish(
        client, client.post(f"/api/calls/{call['id']}/apply", json={"settings": job_to_data(job)["settings"]})
    )
    assert "nothing was sent" in same["notes"][0]


def test_only_lawful_settings_reach_the_boxes(client, call, store):
    settings = job_to_data(store.get(call["id"]).job)["settings"]
    settings["radios"][1] |= {"channel": 52, "width_mhz": 20, "centre_mhz": None, "eirp_dbm": 30.0}
    answer = client.post(f"/api/calls/{call['id']}/apply", json={"settings": settings})
    assert answer.status_code == 422
    assert "20 dBm allowed in NL" in answer.json()["error"]["message"]
    assert store.get(call["id"]).job.changes == ()


def test_every_offered_block_is_lawful(client, call, store):
    job = store.get(call["id"]).job
    for radio in client.get(f"/api/calls/{call['id']}/options").json():
        setting = next(s for s in job.settings.radios if s.radio_id == radio["radio_id"])
        for block in radio["blocks"][::5]:
            power = min(setting.eirp_dbm, block["max_eirp_dbm"])
            tried = replace(
                setting, channel=block["channel"], width_mhz=block["width_mhz"], centre_mhz=block["centre_mhz"]
            )
            steps = [s for s in job.radio(setting.radio_id).eirp_steps_dbm if s <= power]
            tried = replace(tried, eirp_dbm=max(steps))
            radios = tuple(tried if s.radio_id == tried.radio_id else s for s in job.settings.radios)
            assert evaluate(job, replace(job.settings, radios=radios)).lawful


def test_captures_and_csv_are_added_as_listenings(client, call, store):
    job = store.get(call["id"]).job
    data = capture_of(job.scans[1].readings, [[r.rssi_dbm] * 3 for r in job.scans[1].readings], "2026-03-03T20:00:00Z")
    task = finish(client, client.post(f"/api/calls/{call['id']}/captures?place_id=p1&name=walk.pcap", content=data))
    assert task["state"] == "done"
    scan = store.get(call["id"]).job.scans[-1]
    assert (scan.source, scan.settings) == ("walk.pcap", job.settings)
    assert {r.bssid for r in scan.readings} == {r.bssid for r in job.scans[1].readings}
    csv = client.get(f"/api/calls/{call['id']}/readings.csv").text
    answer = client.post(f"/api/calls/{call['id']}/readings", content=csv)
    assert len(answer.json()["job"]["scans"]) == 2 * (len(job.scans) + 1)
    bad = finish(client, client.post(f"/api/calls/{call['id']}/captures?place_id=p1", content=b"nonsense"))
    assert bad["state"] == "failed"
    assert "pcap or pcapng" in bad["error"]["message"]


def test_undo_after_a_measurement_but_not_after_sending(client, call):
    path = f"/api/calls/{call['id']}"
    finish(client, client.post(f"{path}/listen", json={"place_ids": ["p0"]}))
    assert client.get(path).json()["undo"] == "listened at place 0"
    before = client.get(path).json()["job"]
    undone = client.post(f"{path}/undo", params={"revision": 2}).json()
    assert (undone["revision"], undone["redo"]) == (3, "listened at place 0")
    assert len(undone["job"]["scans"]) == len(before["scans"]) - 1
    again = client.post(f"{path}/redo", params={"revision": 3}).json()
    assert (again["revision"], again["job"]) == (4, before)
    assert client.post(f"{path}/redo", params={"revision": 4}).status_code == 422
    # An undo says what it was meant for.
    assert client.post(f"{path}/undo").status_code == 422


def test_an_edit_on_an_old_revision_is_refused(client, call):
    job = call["job"]
    path = f"/api/calls/{call['id']}/job"
    body = {"job": job | {"title": "a"}, "revision": 1, "summary": "renamed"}
    assert client.patch(path, json=body).status_code == 200
    answer = client.patch(path, json=body | {"job": job | {"title": "b"}})
    assert "changed elsewhere" in answer.json()["error"]["message"]


WRONG = [
    ("get", "/api/calls/999", None, 404),
    ("get", "/api/calls/abc", None, 422),
    ("get", "/api/nothing", None, 404),
    ("get", "/api/tasks/nope", None, 404),
    ("post", "/api/calls", {"title": "x", "country": "ZZ"}, 422),
    ("post", "/api/calls", {"title": "", "country": "NL"}, 422),
    ("post", "/api/calls", ["no"], 422),
    ("post", "/api/calls/1/evaluate", {"settings": {"radios": [], "zigbee_channel": None}}, 422),
    ("post", "/api/calls/1/evaluate", {"settings": {"radios": [{"radio_id": "n0-0"}]}}, 422),
    ("post", "/api/calls/1/tune", {"seconds": -5}, 422),
    ("post", "/api/calls/1/tune", {"channel_plan": "luck"}, 422),
    ("post", "/api/calls/1/tune", {"pinned": ["ghost"]}, 404),
    ("post", "/api/calls/1/listen", {"place_ids": ["nowhere"]}, 422),
    ("get", "/api/calls/1/air?place_id=nowhere", None, 404),
    ("get", "/api/calls/1/air?place_id=p0&until=soon", None, 422),
    ("get", "/api/calls/1/proof", None, 422),
    ("post", "/api/calls/1/reasons/radio", {"settings": {"radios": []}, "radio_id": "x"}, 422),
    ("patch", "/api/calls/1/job", {"job": {"format": "other"}, "revision": 1, "summary": "x"}, 422),
    ("patch", "/api/calls/1/job", {"job": {"title": "y"}, "revision": 9, "summary": "x"}, 404),
    ("post", "/api/calls/1/undo?revision=0", None, 422),
    ("post", "/api/calls/1/history/1", {"revision": 1}, 422),
    ("delete", "/api/calls/77", None, 404),
]


@pytest.mark.parametrize(
    ("method", "path", "body", "status"), WRONG, ids=[f"{w[0]} {w[1]} {i}" for i, w in enumerate(WRONG)]
)
def test_bad_requests_get_a_clear_error(client, call, method, path, body, status):
    answer = client.request(method, path, json=body) if body is not None else client.request(method, path)
    assert answer.status_code == status, answer.text
    error = answer.json()["error"]
    assert error["field"]
    assert error["rule"]
    assert "Traceback" not in answer.text


def test_a_fault_of_our_own_is_one_line(client, call, monkeypatch):
    monkeypatch.setattr("even_static.api.calls.air_view", lambda *_: 1 / 0)
    answer = client.get(f"/api/calls/{call['id']}/air?place_id=p0")
    assert answer.status_code == 500
    assert "nothing stored was lost" in answer.json()["error"]["message"]
    assert "ZeroDivision" not in answer.text


def test_other_hosts_and_other_pages_are_kept_out(client):
    assert client.get("/api/about", headers={"host": "evil.example"}).status_code == 400
    other = client.post("/api/calls", json={"title": "x", "country": "NL"}, headers={"origin": "http://evil.example"})
    assert other.status_code == 403
    channel_plan = client.get("/").headers["content-security-policy"]
    assert "default-src 'self'" in channel_plan
    assert "unsafe" not in channel_plan


def test_files_outside_the_pages_are_not_served(client):
    for path in ("/../pyproject.toml", "/%2e%2e/%2e%2e/etc/passwd", "/assets/../../../../etc/passwd"):
        answer = client.get(path)
        assert "root:" not in answer.text
        assert "hatchling" not in answer.text


def test_a_body_that_is_too_large_is_refused_before_it_is_read(client, call):
    headers = {"content-type": "application/json", "content-length": str(200 << 20)}
    said = client.patch(f"/api/calls/{call['id']}/job", content=b"{}", headers=headers)
    assert said.status_code == 413
    assert said.json()["error"]["message"] == "body: must not be larger than 32 MiB; received 200.0 MiB"


def test_the_list_pages_and_folds_case_and_accents(client, store, call):
    job = store.get(call["id"]).job
    for n in range(205):
        store.add(replace(job, scans=(), title=f"Café Ångström {n}"))
    first = client.get("/api/calls", params={"search": "CAFE angstrom"}).json()
    rest = client.get("/api/calls", params={"search": "café Ångström", "skip": 200}).json()
    assert (len(first["calls"]), first["total"], len(rest["calls"])) == (200, 205, 5)
    assert not {c["id"] for c in first["calls"]} & {c["id"] for c in rest["calls"]}


def test_a_page_is_sent_only_what_it_does_not_have(client, call, store):
    path = f"/api/calls/{call['id']}"
    edit = {"job": {"title": "renamed"}, "revision": 1, "summary": "renamed"}
    answer = client.patch(f"{path}/job", json=edit, headers={"even-static-knows": "1"}).json()
    assert answer["since"] == 1
    assert answer["job"] == {"title": "renamed"}
    reading = {"key": "k", "place_id": "p0", "heard_at": "2026-03-03T10:00:00Z", "series": []}
    reading["series"] = [{"bssid": call["job"]["nodes"][0]["radios"][0]["bssid"], "samples_dbm": [-50]}]
    answer = client.post(f"{path}/walk", json=reading, headers={"even-static-knows": "1"}).json()
    assert answer["job"] == {"title": "renamed"}
    entries = answer["entries"]["scans"]
    assert [e["id"] for e in entries["changed"]] == ["k"]
    assert entries["order"] == [li.id for li in store.get(call["id"]).job.scans]
    assert client.get(path).json()["job"]["scans"][-1] == entries["changed"][0]
