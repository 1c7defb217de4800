"""The door, with a real server behind it: connections that say nothing, bodies without end, paths that are none."""

from __future__ import annotations

import http.client
import json
import logging
import socket
import threading
import time
from contextlib import contextmanager

import pytest
import uvicorn
from tests.conftest import local_client

from even_static.api import door
from even_static.api.app import create_app
from even_static.api.door import Connections, OnceInAWhile, body_limit, protocol_of


@contextmanager
def served(app, head_s=0.5):
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as listener:
        listener.bind(("127.0.0.1", 0))
        config = uvicorn.Config(app, log_level="critical", http=protocol_of(head_s), timeout_keep_alive=1)
        server = uvicorn.Server(config)
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.02)
        yield listener.getsockname()[1]
        server.should_exit = True
        thread.join(timeout=10)


def _get(port, path="/api/link/ping"):
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
    connection.request("GET", path)
    answer = connection.getresponse()
    answer.read()
    connection.close()
    return answer.status


def _closed_within(connection, seconds):
    connection.settimeout(seconds)
    try:
        return connection.recv(10) == b""
    except ConnectionResetError:
        return True
    except TimeoutError:
        return False


def test_connections_that_say_nothing_are_ended_and_do_not_stop_others(store):
    with served(create_app(store)) as port:
        idle = [socket.create_connection(("127.0.0.1", port)) for _ in range(300)]
        # Those that say nothing make room for others, and end after their time.
        assert _get(port) == 204
        time.sleep(0.2)
        trickling = idle[-1]
        trickling.sendall(b"GET /api/about HTTP/1.1\r\nHos")
        until = time.monotonic() + 3
        while time.monotonic() < until:
            try:
                trickling.sendall(b"x")
            except OSError:
                break
            time.sleep(0.1)
        else:
            raise AssertionError("a head that never ends was waited for")
        assert all(_closed_within(c, 3) for c in idle)
        for connection in idle:
            connection.close()
        assert _get(port) == 204
        # After an answer the connection may be used again, and is waited for no longer than the first time.
        kept = socket.create_connection(("127.0.0.1", port))
        for _ in range(2):
            kept.sendall(b"GET /api/link/ping HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            assert kept.recv(1000).startswith(b"HTTP/1.1 204")
        assert _closed_within(kept, 4)
        kept.close()


def test_so_many_connections_of_each_and_of_all():
    counted = Connections()
    assert [counted.enter("192.0.2.1") for _ in range(30)].count(True) == door.MOST_FROM_ONE
    many = sum(counted.enter(f"198.51.100.{n}") for n in range(250) for _ in range(2))
    assert many + door.MOST_FROM_ONE == door.MOST_FROM_OTHERS
    # This computer is let in all the same.
    assert counted.enter("127.0.0.1")
    counted.leave("192.0.2.1")
    assert counted.enter("192.0.2.1")
    # One that says nothing makes room for one that comes later; one that is at work does not.
    ended = []
    crowd = Connections()
    for n in range(door.MOST_FROM_ONE):
        assert crowd.enter("192.0.2.9")
        crowd.waits("192.0.2.9", n, lambda n=n: ended.append(n))
    crowd.busy("192.0.2.9", 0)
    assert crowd.enter("192.0.2.9")
    assert ended == [1]


@pytest.mark.parametrize("kind", ["application/json", "text/plain", "application/x-www-form-urlencoded", ""])
def test_a_body_without_a_length_is_bounded_whatever_it_says_it_is(store, kind):
    with served(create_app(store)) as port:
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        piece = b" " * (1 << 20)
        sent = 0

        def body():
            nonlocal sent
            for _ in range(200):
                sent += len(piece)
                yield piece

        headers = {"Content-Type": kind} if kind else {}
        try:
            connection.request("POST", "/api/calls", body=body(), headers=headers, encode_chunked=True)
            answer = connection.getresponse()
            assert answer.status == 413
            assert b"must not be larger than 4 MiB" in answer.read()
        except (BrokenPipeError, ConnectionResetError):
            pass
        connection.close()
        assert sent < 80 << 20
        assert _get(port) == 204


def test_a_body_that_comes_too_slowly_is_not_waited_for(store, monkeypatch):
    monkeypatch.setattr(door, "BODY_PAUSE_S", 0.3)
    with served(create_app(store), head_s=5) as port:
        slow = socket.create_connection(("127.0.0.1", port))
        slow.sendall(b"POST /api/calls HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100\r\n\r\n{")
        assert b"408" in slow.recv(2000)
        slow.close()


def test_limits_by_path():
    assert body_limit("/api/calls/3/captures") == 4 << 30
    assert body_limit("/api/calls/3/walk") == 4 << 20
    assert body_limit("/api/calls/import") == 64 << 20
    assert body_limit("/anything") == 4 << 20


ODD = [
    ("/%00", 404),
    ("/assets/%00.js", 404),
    ("/" + "a" * 1500, 200),
    ("/assets/" + "b" * 1500, 404),
    ("/" + "a" * 5000, 414),
    ("/" + "/".join("d" * 200 for _ in range(9)), 200),
    ("/api/calls/" + "9" * 60, 404),
    ("/api/calls/99999999999999999999", 404),
    ("/api/calls?search=%ed%a0%80%00", 200),
    ("/api/calls/1/air?place_id=%ff%fe", 404),
    ("/api/calls/1/photo/%0a%1b%5b2J", 404),
    ("/%ed%a0%80", 200),
]


@pytest.mark.parametrize(("path", "status"), ODD, ids=[o[0][:20] for o in ODD])
def test_odd_paths_are_answered(store, house_job, app_over, path, status):
    store.add(house_job)
    client = local_client(app_over(store), raise_server_exceptions=False)
    assert client.get(path).status_code == status


ODD_BODIES = [
    ("/api/calls", {"title": "a", "country": "NL", "complaint": "\udc80"}),
    ("/api/calls/1/rooms", {"line": "kitchen\x00 3 4"}),
    ("/api/calls/1/rooms", {"line": "\u2028\x1b[2J 3 4"}),
    ("/api/calls/1/link-test", {"key": "k", "place_id": "p0", "tested_at": "9999-12-31T23:59:59-14:00", "runs": []}),
    ("/api/calls/1/walk", {"key": "k", "place_id": "p0", "heard_at": "9999-12-31T23:59:59-14:00", "series": []}),
    ("/api/calls/1/walk", {"key": "k\udc80", "place_id": "p0", "heard_at": "2026-01-01T00:00:00Z", "series": []}),
    ("/api/calls/1/devices", {"text": "tv\x07\x00, phone", "place_id": "p0"}),
    ("/api/calls/1/house.geojson", {"type": "FeatureCollection", "features": [{"type": "Feature", "properties":
        {"kind": "room", "name": "a\x00b\ud800"}, "geometry": {"type": "Polygon", "coordinates": [[[0, 0], [3, 0],
        [3, 3], [0, 3], [0, 0]]]}}]}),
]  # fmt: skip


@pytest.mark.parametrize(("path", "body"), ODD_BODIES, ids=range(len(ODD_BODIES)))
def test_odd_texts_are_answered_and_what_is_kept_can_be_shown(store, house_job, app_over, path, body):
    call = store.add(house_job).id
    client = local_client(app_over(store), raise_server_exceptions=False)
    answer = client.post(path, content=json.dumps(body), headers={"content-type": "application/json"})
    assert answer.status_code < 500, answer.text
    for shown in ("", "/house", "/plan.svg", "/house.geojson", "/report", "/report.pdf", "/history", "/set-up"):
        again = client.get(f"/api/calls/{call}{shown}")
        assert again.status_code < 500, (shown, again.text[:200])
        assert b"\x1b" not in again.content or shown == "/report.pdf"


def test_the_log_cannot_be_flooded():
    now = [0.0]
    line = logging.LogRecord("uvicorn.error", logging.WARNING, "", 0, "Invalid HTTP request received.", (), None)
    sieve = OnceInAWhile(lambda: now[0])
    assert [sieve.filter(line) for _ in range(1000)].count(True) == 1
    now[0] = 11.0
    assert sieve.filter(line)
    assert "999 more" in line.getMessage()
