"""Faults that somebody met at work, each with what should have happened."""

from __future__ import annotations

import logging
import socket
import time
from dataclasses import replace

import pytest
from tests.conftest import local_client, serving
from tests.houses import random_house

from even_static.api.app import create_app
from even_static.core.house.after_care import FollowUp
from even_static.core.house.job import Subscription
from even_static.core.house.readings import SpeedTest
from even_static.core.survey.line_or_wifi import line_or_wifi

AT = "2026-11-27T10:00:00+00:00"


def test_the_first_figure_that_is_written_down_counts_at_once():
    """Two tests by cable within one second: the one written down last is the newest."""
    job = replace(random_house(3, nodes=1), subscription=Subscription(100.0, 20.0), speed_tests=())
    test = SpeedTest(
        place_id="p0", tested_at=AT, down_mbps=(95.0,), up_mbps=(19.0,), over="cable", reach="the internet"
    )
    fine = replace(job, speed_tests=(test,))
    assert line_or_wifi(fine).line == "neither"
    slow = replace(job, speed_tests=(test, replace(test, down_mbps=(20.0,))))
    verdict = line_or_wifi(slow)
    assert (verdict.line, verdict.wired_down_mbps.median) == ("the line", 20.0)


def test_asked_today_keeps_the_date_that_was_planned(store):
    planned = FollowUp(id="f", at="2026-12-24T18:00:00+00:00", note="ring up")
    call = store.add(replace(random_house(3, nodes=1), kind="real", follow_ups=(planned,)))
    client = local_client(create_app(store))
    assert "20261224T180000Z" in client.get(f"/api/calls/{call.id}/follow-ups.ics").text
    body = {"entry": {"asked_at": AT}, "revision": 1, "summary": "the household was asked"}
    assert client.patch(f"/api/calls/{call.id}/entries/follow_ups/f", json=body).status_code == 200
    (now,) = store.get(call.id).job.follow_ups
    assert (now.at, now.asked_at, now.note) == (planned.at, AT, planned.note)


def test_an_upload_that_is_broken_off_logs_nothing(tmp_path):
    """The browser ends a run of the link test by breaking its upload off: that is no fault."""
    said = []

    class Kept(logging.Handler):
        def emit(self, record):
            said.append(record.getMessage())

    handler = Kept(logging.ERROR)
    loggers = [logging.getLogger(name) for name in ("uvicorn", "uvicorn.error", "even_static", "asyncio")]
    for logger in loggers:
        logger.addHandler(handler)
    try:
        with serving(tmp_path) as app:
            host, port = app.address.removeprefix("http://").rstrip("/").split(":")
            with socket.create_connection((host, int(port))) as connection:
                head = f"POST /api/link/up HTTP/1.1\r\nHost: {host}:{port}\r\nContent-Length: 25000000\r\n\r\n"
                connection.sendall(head.encode() + b"x" * 300_000)
                time.sleep(0.3)
            time.sleep(0.5)
    finally:
        for logger in loggers:
            logger.removeHandler(handler)
    assert said == []


@pytest.mark.parametrize("field", ["complaints", "title", "follow_ups"])
def test_what_is_written_beside_the_house_is_told_to_the_page(store, field):
    """The page keeps trial settings while only such fields change: it knows them from the application."""
    client = local_client(create_app(store))
    assert field in client.get("/api/about").json()["offered"]["fields_beside"]
    for of_the_house in ("settings", "nodes", "devices", "scans", "building", "zigbee", "thread", "other_sources"):
        assert of_the_house not in client.get("/api/about").json()["offered"]["fields_beside"]
