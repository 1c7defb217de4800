"""Sharing with a phone on the house's network: on purpose only, paired only, under its own names only."""

from __future__ import annotations

import re

import pytest
from fastapi.testclient import TestClient

from even_static.api.app import create_app
from even_static.api.share import TRIES, WRONG_FOR_NEW_CODE, Share

PHONE, HOST = "192.0.2.55", "192.0.2.10"  # addresses for documentation, RFC 5737


@pytest.fixture
def share():
    return Share([HOST], 8641)


@pytest.fixture
def app(demo_store, share):
    return create_app(demo_store, share=share)


def _client(app, who=PHONE, host=HOST):
    return TestClient(app, base_url=f"http://{host}:8641", client=(who, 40_000), follow_redirects=False)


def _wrong(share):
    return f"{(int(share.code) + 1) % 1_000_000:06d}"


def test_without_sharing_another_computer_gets_nothing(demo_store):
    plain = create_app(demo_store)
    for path in ("/", "/api/calls", "/api/about", "/assets/x.js", "/pair"):
        assert TestClient(plain, client=(PHONE, 1)).get(path).status_code == 403
    assert TestClient(plain, client=("127.0.0.1", 1)).get("/api/about").status_code == 200


def test_an_unpaired_phone_gets_the_pairing_page_and_nothing_else(app, share):
    phone = _client(app)
    for path in ("/", "/api/calls", "/api/calls/2", "/api/share", "/api/link/down", "/assets/index.js"):
        answer = phone.get(path)
        assert answer.status_code == 401
        assert "Pairing code" in answer.text
        assert "Kiln" not in answer.text
        assert "default-src 'none'" in answer.headers["Content-Security-Policy"]
    assert phone.put("/api/calls/2/job", json={}).status_code == 401
    assert share.code not in phone.get("/").text


def test_the_right_code_pairs_until_sharing_ends(app, share):
    phone = _client(app)
    assert phone.post("/pair", data={"code": _wrong(share)}).status_code == 401
    answer = phone.post("/pair", data={"code": f"{share.code[:3]} {share.code[3:]}"})
    assert answer.status_code == 303
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    assert phone.get("/api/calls").status_code == 200
    # The phone may use the calls, but neither learns the code nor ends sharing.
    assert phone.get("/api/share").json()["code"] is None
    assert phone.delete("/api/share").status_code == 404
    assert share.paired == 1
    here = _client(app, "127.0.0.1", "127.0.0.1")
    assert here.get("/api/share").json()["code"] == share.code
    assert here.delete("/api/share").json()["paired"] == 0
    assert phone.get("/api/calls").status_code == 403


def test_guessing_is_slowed_and_the_code_changes(app, share):
    phone = _client(app)
    code = share.code
    for _ in range(TRIES):
        assert phone.post("/pair", data={"code": _wrong(share)}).status_code == 401
    assert phone.post("/pair", data={"code": code}).status_code == 429
    for n in range(WRONG_FOR_NEW_CODE - TRIES):
        _client(app, f"192.0.2.{100 + n}").post("/pair", data={"code": _wrong(share)})
    assert share.code != code
    assert re.fullmatch(r"\d{6}", share.code)


def test_another_host_name_gets_nothing(app):
    for who in (PHONE, "127.0.0.1"):
        assert _client(app, who, "evil.example").get("/api/about").status_code == 400


def test_another_site_s_page_changes_nothing(app, share):
    phone = _client(app)
    phone.post("/pair", data={"code": share.code})
    answer = phone.post("/api/calls", json={"title": "x", "country": "NL"}, headers={"Origin": "http://evil.example"})
    assert answer.status_code == 403
