"""Sharing with a phone on the house's network: on purpose only, paired to one call only, under its own names only."""

from __future__ import annotations

import re

import pytest
from fastapi.testclient import TestClient
from tests.conftest import local_client

from even_static.api.app import ROUTERS, create_app
from even_static.api.share import COOKIE, MEASURES, OPEN, TRIES, WRONG_FOR_NEW_CODE, Share
from even_static.formats.job_file import write_job

PHONE, HOST = "192.0.2.55", "192.0.2.10"  # addresses for documentation, RFC 5737


@pytest.fixture
def share():
    return Share([HOST], 8641)


@pytest.fixture
def app(store, demo_store, share):
    store.add(demo_store.get(1).job)
    store.add(demo_store.get(2).job)
    return create_app(store, share=share)


def _client(app, who=PHONE, host=HOST):
    return TestClient(app, base_url=f"http://{host}:8641", client=(who, 40_000), follow_redirects=False)


def _offer(app, call=2, may="measure"):
    return local_client(app).post(f"/api/calls/{call}/pairing", json={"may": may}).json()["code"]


def _wrong(code):
    return f"{(int(code) + 1) % 1_000_000:06d}"


def _paired(app, call=2, may="measure"):
    phone = _client(app)
    assert phone.post("/pair", data={"code": _offer(app, call, may)}).status_code == 303
    return phone


def test_without_sharing_another_computer_gets_nothing(demo_store):
    plain = create_app(demo_store)
    for path in ("/", "/api/calls", "/api/about", "/assets/x.js", "/pair"):
        stranger = TestClient(plain, base_url="http://127.0.0.1", client=(PHONE, 1))
        assert stranger.get(path).status_code == 403
    assert local_client(plain).get("/api/about").status_code == 200
    # Nobody is let in by the names that test tools give themselves.
    assert TestClient(plain).get("/api/about").status_code == 400
    assert TestClient(plain, base_url="http://127.0.0.1").get("/api/about").status_code == 403


def test_an_unpaired_phone_gets_the_pairing_page_and_nothing_else(app):
    phone = _client(app)
    code = _offer(app)
    for path in ("/", "/api/calls", "/api/calls/2", "/api/share", "/api/link/down", "/assets/index.js"):
        answer = phone.get(path)
        assert answer.status_code == 401
        assert "Pairing code" in answer.text
        assert "Kiln" not in answer.text
        assert "default-src 'none'" in answer.headers["Content-Security-Policy"]
    assert phone.patch("/api/calls/2/job", json={}).status_code == 401
    assert code not in phone.get("/").text


def test_the_right_code_pairs_until_sharing_ends(app, share):
    phone, code = _client(app), _offer(app)
    assert phone.post("/pair", data={"code": _wrong(code)}).status_code == 401
    answer = phone.post("/pair", data={"code": f"{code[:3]} {code[3:]}"})
    assert (answer.status_code, answer.headers["location"]) == (303, "/#/call/2/walk")
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    # The phone neither learns a code nor ends sharing.
    seen = phone.get("/api/share?call_id=2").json()
    assert (seen["code"], seen["you"]["name"]) == (None, "phone 1")
    assert phone.delete("/api/share").status_code == 403
    assert len(share.phones) == 1
    here = local_client(app)
    assert here.get("/api/share?call_id=2").json()["code"] == code
    assert here.get("/api/share?call_id=1").json()["code"] is None
    assert here.delete("/api/share").json()["shared"] is False
    assert phone.get("/api/calls/2").status_code == 403


def test_a_phone_sees_its_own_call_and_no_other_customer_s(app, store):
    phone = _paired(app, 2, "work")
    assert [c["id"] for c in phone.get("/api/calls").json()["calls"]] == [2]
    assert phone.get("/api/calls/2").status_code == 200
    refused = [
        ("GET", "/api/calls/1"),
        ("GET", "/api/calls/1/export"),
        ("PATCH", "/api/calls/1/job"),
        ("DELETE", "/api/calls/1"),
        ("DELETE", "/api/calls/2"),
        ("POST", "/api/calls/2/copy"),
        ("POST", "/api/calls/2/state"),
        ("POST", "/api/calls/2/pairing"),
        ("POST", "/api/calls"),
        ("POST", "/api/calls/import"),
        ("DELETE", "/api/share"),
        ("GET", "/api/openapi.json"),
    ]
    for method, path in refused:
        answer = phone.request(method, path, json={} if method in ("PUT", "POST", "PATCH") else None)
        assert answer.status_code == 403, path
        assert "paired to one call" in answer.json()["error"]["message"]
    assert len(store.find()) == 2
    # A task of another call is nobody's business.
    here = local_client(app)
    task = here.post("/api/calls/1/listen", json={"place_ids": [store.get(1).job.places[0].id]}).json()
    assert phone.get(f"/api/tasks/{task['id']}").status_code == 404
    assert here.get(f"/api/tasks/{task['id']}").status_code == 200


def test_what_a_phone_may_do_is_what_it_was_paired_for(app):
    rename = {"job": {"title": "renamed"}, "revision": 1, "summary": "renamed"}
    sees = {"place_id": "hall", "so_far": []}
    measures = _paired(app, 2, "measure")
    assert measures.post("/api/calls/2/walk/sample", json=sees).status_code == 200
    assert measures.patch("/api/calls/2/job", json=rename).status_code == 403
    works = _paired(app, 2, "work")
    assert works.patch("/api/calls/2/job", json=rename).status_code == 200
    # A step is told by who did it.
    assert works.get("/api/calls/2/history").json()["steps"][0]["author"] == "phone 2"


def test_the_phones_of_a_call_are_let_out(app):
    phone = _paired(app)
    assert phone.get("/api/calls/2").status_code == 200
    local_client(app).delete("/api/calls/2/pairing")
    assert phone.get("/api/calls/2").status_code == 401


def test_guessing_is_slowed_and_the_code_changes(app, share):
    phone, code = _client(app), _offer(app)
    for _ in range(TRIES):
        assert phone.post("/pair", data={"code": _wrong(code)}).status_code == 401
    assert phone.post("/pair", data={"code": code}).status_code == 429
    for n in range(WRONG_FOR_NEW_CODE - TRIES):
        _client(app, f"192.0.2.{100 + n}").post("/pair", data={"code": _wrong(code)})
    fresh = share.pairing(2).code
    assert fresh != code
    assert re.fullmatch(r"\d{6}", fresh)


@pytest.mark.parametrize("typed", ["²³¹²³¹", "\ud800".encode("utf-8", "surrogatepass"), "١٢٣٤٥٦", "", "x" * 900])
def test_odd_codes_and_cookies_are_just_wrong(app, typed):
    _offer(app)
    phone = _client(app)
    assert phone.post("/pair", data={"code": typed}).status_code == 401
    assert phone.get("/", headers={"cookie": f"{COOKIE}=".encode() + b"\xc3\xa9\xff"}).status_code == 401


def test_another_host_name_gets_nothing(app):
    for who in (PHONE, "127.0.0.1"):
        for host in ("evil.example", "testserver", "127.0.0.1.evil.example"):
            assert _client(app, who, host).get("/api/about").status_code == 400


def test_another_site_s_page_changes_nothing(app):
    phone = _paired(app, 2, "work")
    headers = {"Origin": "http://evil.example"}
    assert phone.patch("/api/calls/2/job", json={}, headers=headers).status_code == 403


def test_undo_at_the_desk_leaves_what_the_phone_added(app, store, demo_store):
    """The phone's reading came after the step that is taken back; it is neither taken back nor overwritten."""
    here, phone = local_client(app), _paired(app, 2, "measure")
    edit = {"job": {"title": "typed at the desk"}, "revision": 1, "summary": "renamed"}
    assert here.patch("/api/calls/2/job", json=edit).status_code == 200
    radio = store.get(2).job.radios[0].bssid
    reading = {
        "key": "k1",
        "place_id": "hall",
        "heard_at": "2026-03-03T10:00:00Z",
        "series": [{"bssid": radio, "samples_dbm": [-50.0]}],
    }
    assert phone.post("/api/calls/2/walk", json=reading).status_code == 200
    scans = len(store.get(2).job.scans)
    undone = here.post("/api/calls/2/undo", params={"revision": 2}).json()
    assert undone["job"]["title"] == demo_store.get(2).job.title
    assert len(undone["job"]["scans"]) == scans
    # The phone takes back its own, and nothing else.
    assert phone.get("/api/calls/2").json()["undo"].startswith("read the level")
    taken = phone.post("/api/calls/2/undo", params={"revision": undone["revision"]}).json()
    assert len(taken["job"]["scans"]) == scans - 1
    # What was taken back has not "arrived": sent again, it is stored again.
    assert len(phone.post("/api/calls/2/walk", json=reading).json()["job"]["scans"]) == scans
    assert len(phone.post("/api/calls/2/walk", json=reading).json()["job"]["scans"]) == scans
    # Going back says whose steps would go too, and asks.
    now = here.get("/api/calls/2").json()["revision"]
    asked = here.post("/api/calls/2/history/1", json={"revision": now})
    assert asked.status_code == 409
    assert asked.json()["error"]["received"].startswith("1 step of phone 1: read the level")
    kept = here.post("/api/calls/2/history/1", json={"revision": now, "also_others": False}).json()
    assert len(kept["job"]["scans"]) == scans
    also = here.post("/api/calls/2/history/1", json={"revision": kept["revision"], "also_others": True}).json()
    assert write_job(store.get(2).job) == write_job(demo_store.get(2).job)
    assert also["redo"] == "went back to step 1"


def test_what_a_phone_may_ask_for_is_there_to_be_asked_for():
    """A route that was renamed takes its permission along."""
    paths = [r.path for part in ROUTERS for r in part.routes]
    plain = [p.replace("{task_id}", "7").replace("{step_id}", "s1").replace("{call_id}", "2") for p in paths]
    plain += ["/api/calls/2/reasons/radio"]
    for wanted in OPEN:
        assert any(re.fullmatch(f"/api/({wanted})", p) for p in plain), wanted
    for wanted in MEASURES:
        assert any(re.fullmatch(f"/api/calls/2/({wanted})", p) for p in plain), wanted
