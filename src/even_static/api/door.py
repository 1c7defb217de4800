"""The door of the application: who may come in, under which name, how much they may bring, and how long they may stand
in it. Nothing here knows what the application does.

:class:`Door` is the outermost ASGI layer; :class:`Connections` counts connections for the server's protocol
(:func:`protocol_of`), which ends those that say nothing.
"""

from __future__ import annotations

import asyncio
import json
import logging
import re
import time
from collections import Counter, OrderedDict
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from even_static.api.share import Share, gate
from even_static.api.tasks import ErrorBody

CONTENT_SECURITY = "default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; connect-src 'self'"
CONTENT_SECURITY += "; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
MIB = 1 << 20
# How large a body may be, by path, where it is not what all others may be.
BODY_LIMITS: tuple[tuple[re.Pattern[str], int], ...] = (
    (re.compile(r"/api/calls/\d+/captures"), 4096 * MIB),
    (re.compile(r"/api/link/up"), 513 * MIB),
    (re.compile(r"/api/calls/import|/api/calls/\d+/readings"), 64 * MIB),
    (re.compile(r"/api/calls/\d+/job"), 32 * MIB),
    (re.compile(r"/api/calls/\d+/(photo|house\.geojson)"), 20 * MIB),
)
LARGEST_BODY_BYTES = 4 * MIB
# What is too large is taken in so far and forgotten: cut off at once, a browser would never see why.
TAKEN_IN_ANYWAY_BYTES = 32 * MIB
TAKEN_IN_ANYWAY_S = 5.0
# Between two pieces of a body, and for all of it at the slowest that is waited for.
BODY_PAUSE_S = 20.0
SLOWEST_BYTES_PER_S = 20_000
SHORTEST_BODY_S = 30.0
LONGEST_PATH = 2000
# Until the head of a request is there.
HEAD_S = 10.0
IDLE_S = 5
# Connections of one other computer, of this one, and of all others together.
MOST_FROM_ONE, MOST_FROM_HERE, MOST_FROM_OTHERS = 24, 200, 240
SAME_LINE_AGAIN_S = 10.0


class TurnedAway(Exception):
    """A body is larger than it may be, or comes too slowly."""


def refusal(status: int, field: str, rule: str, received: str = "", accepted: str = "") -> tuple[int, bytes]:
    """A refusal in the form that all failures have."""
    message = f"{field}: {rule}" + (f"; received {received}" if received else "")
    body = ErrorBody(field=field, rule=rule, received=received, accepted=accepted, message=message)
    return status, json.dumps({"error": asdict(body)}).encode()


def body_limit(path: str) -> int:
    """How large the body of a request to a path may be, in bytes."""
    return next((most for pattern, most in BODY_LIMITS if pattern.fullmatch(path)), LARGEST_BODY_BYTES)


class Door:
    """Lets in what may come in: known host names, own pages, paired phones, bodies of a bearable size and pace."""

    def __init__(self, app: ASGIApp, *, hosts: list[str], share: Share | None) -> None:
        self.app = app
        self.hosts = {h.lower() for h in hosts}
        self.share = share

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        bounded = _Bounded(receive, body_limit(scope["path"]))
        started = False
        refused: tuple[int, bytes] | None = None

        async def sending(message: Message) -> None:
            nonlocal started
            if bounded.fault is not None and not started:
                # What the application makes of a body that was cut off is not what is wrong with it.
                return
            if message["type"] == "http.response.start":
                started = True
                self._dress(scope, MutableHeaders(scope=message))
            await send(message)

        try:
            refused = self._refused(scope)
            if refused is None:
                stopped = await gate(Request(scope, bounded), self.share)
                await (stopped or self.app)(scope, bounded, sending)
        except TurnedAway:
            pass
        refused = refused or bounded.fault
        if refused is not None and not started:
            bounded.fault = None
            await _answer(sending, *refused)

    def _refused(self, scope: Scope) -> tuple[int, bytes] | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "").lower()
        name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        if name not in self.hosts:
            return refusal(400, "host", "must be this application's own name", name[:80])
        if len(scope["path"]) > LONGEST_PATH or len(scope.get("query_string", b"")) > 2 * LONGEST_PATH:
            return refusal(414, "path", f"must not be longer than {LONGEST_PATH} characters", str(len(scope["path"])))
        if "\x00" in scope["path"]:
            return refusal(404, "path", "must be one of the application's", "one with a zero byte")
        origin = headers.get("origin")
        if scope["method"] not in ("GET", "HEAD") and origin not in (None, f"{scope['scheme']}://{host}"):
            return refusal(403, "origin", "must be this application's own page", (origin or "")[:80])
        length = headers.get("content-length", "")
        if length.isdecimal() and len(length) < 20 and int(length) > body_limit(scope["path"]) + TAKEN_IN_ANYWAY_BYTES:
            most = f"{body_limit(scope['path']) >> 20} MiB"
            came = f"{int(length) / MIB:.1f} MiB"
            return refusal(413, "body", f"must not be larger than {most}", came, f"at most {most}")
        return None

    @staticmethod
    def _dress(scope: Scope, headers: MutableHeaders) -> None:
        headers.setdefault("Content-Security-Policy", CONTENT_SECURITY)
        headers["X-Content-Type-Options"] = "nosniff"
        headers["Referrer-Policy"] = "no-referrer"
        if scope["path"].startswith("/api") or not scope["path"].startswith("/assets"):
            headers["Cache-Control"] = "no-store"


class _Bounded:
    """A request's body, bounded in size and in time."""

    def __init__(self, receive: Receive, most: int) -> None:
        self.receive = receive
        self.most = most
        self.size = 0
        self.began = time.monotonic()
        self.ended = False
        self.fault: tuple[int, bytes] | None = None
        """Why the body was turned away, as an answer."""

    async def __call__(self) -> Message:
        if self.ended:
            # The body is here: what comes now is that the client has gone, and that may take as long as it likes.
            return await self.receive()
        message = await self._next()
        if message["type"] != "http.request":
            return message
        self.size += len(message.get("body", b""))
        self.ended = not message.get("more_body", False)
        if self.size > self.most:
            await self._forget_the_rest()
            most = f"{self.most >> 20} MiB"
            self.fault = refusal(413, "body", f"must not be larger than {most}", f"more than {most}", f"at most {most}")
            raise TurnedAway
        if time.monotonic() - self.began > SHORTEST_BODY_S + self.size / SLOWEST_BYTES_PER_S:
            raise self._too_slow()
        return message

    async def _next(self) -> Message:
        try:
            return await asyncio.wait_for(self.receive(), BODY_PAUSE_S)
        except TimeoutError:
            raise self._too_slow() from None

    def _too_slow(self) -> TurnedAway:
        self.fault = refusal(408, "body", "must come without long pauses", "nothing for a while", "try again")
        return TurnedAway()

    async def _forget_the_rest(self) -> None:
        until, left = time.monotonic() + TAKEN_IN_ANYWAY_S, TAKEN_IN_ANYWAY_BYTES
        while not self.ended and left > 0 and time.monotonic() < until:
            message = await self._next()
            left -= len(message.get("body", b""))
            self.ended = message["type"] != "http.request" or not message.get("more_body", False)


async def _answer(send: Send, status: int, body: bytes) -> None:
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": [*headers, (b"connection", b"close")]})
    await send({"type": "http.response.body", "body": body})


# -- connections -------------------------------------------------------------------------------------------------


HERE = ("127.0.0.1", "::1", "")


class Connections:
    """The connections that there are, by who has them; those that wait for a head are known, the oldest first."""

    def __init__(self) -> None:
        self.by_client: Counter[str] = Counter()
        self.others = 0
        self._waiting: dict[str, OrderedDict[object, Callable[[], None]]] = {}

    def enter(self, client: str) -> bool:
        """Whether one more may come in. Where a client has all that it may have, its oldest one that says nothing makes
        room."""
        here = client in HERE
        if self.by_client[client] >= (MOST_FROM_HERE if here else MOST_FROM_ONE) and not self._make_room(client):
            return False
        if not here and self.others >= MOST_FROM_OTHERS and not any(map(self._make_room, list(self._waiting))):
            return False
        self.by_client[client] += 1
        self.others += not here
        return True

    def leave(self, client: str) -> None:
        """One is gone."""
        self.others -= client not in HERE
        self.by_client[client] -= 1
        if self.by_client[client] <= 0:
            del self.by_client[client]

    def waits(self, client: str, who: object, end: Callable[[], None]) -> None:
        """One says nothing, and may be ended."""
        self._waiting.setdefault(client, OrderedDict())[who] = end

    def busy(self, client: str, who: object) -> None:
        """One has said what it wants, or is gone."""
        waiting = self._waiting.get(client)
        if waiting is not None:
            waiting.pop(who, None)
            if not waiting:
                del self._waiting[client]

    def _make_room(self, client: str) -> bool:
        """End the oldest connection of a client that says nothing; whether there was one."""
        waiting = self._waiting.get(client)
        if not waiting or (client in HERE and self.by_client[client] < MOST_FROM_HERE):
            return False
        who, end = next(iter(waiting.items()))
        self.busy(client, who)
        end()
        return True


def protocol_of(head_s: float = HEAD_S) -> type[asyncio.Protocol]:
    """The server's HTTP protocol, which lets so many connections in and ends those that do not say what they want."""
    from uvicorn.protocols.http.h11_impl import H11Protocol

    connections = Connections()

    class AtTheDoor(H11Protocol):
        _inside: str | None = None
        _timer: asyncio.TimerHandle | None = None

        def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
            super().connection_made(transport)
            client = self.client[0] if self.client else ""
            if not connections.enter(client):
                transport.abort()
                return
            self._inside = client
            self._wait_for_a_head()

        def data_received(self, data: bytes) -> None:
            super().data_received(data)
            if self._inside is None:
                return
            busy = self.cycle is not None and not self.cycle.response_complete
            if busy and self._timer is not None:
                self._stop_waiting()
            elif not busy and self._timer is None:
                self._wait_for_a_head()

        def connection_lost(self, exc: Exception | None) -> None:
            self._leave()
            super().connection_lost(exc)

        def _leave(self) -> None:
            if self._inside is not None:
                self._stop_waiting()
                connections.leave(self._inside)
                self._inside = None

        def _wait_for_a_head(self) -> None:
            self._timer = self.loop.call_later(head_s, self._say_goodbye)
            connections.waits(str(self._inside), self, self._say_goodbye)

        def _stop_waiting(self) -> None:
            if self._timer is not None:
                self._timer.cancel()
                self._timer = None
            connections.busy(str(self._inside), self)

        def _say_goodbye(self) -> None:
            self._leave()
            if not self.transport.is_closing():
                self.transport.abort()

    return AtTheDoor


class OnceInAWhile(logging.Filter):
    """Lets a line into the log once in a while, and says how often it came: nobody can flood it."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        super().__init__()
        self._clock = clock
        self._seen: dict[Any, tuple[float, int]] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a record is written."""
        key = (record.name, record.levelno, str(record.msg)[:200])
        now = self._clock()
        last, left_out = self._seen.get(key, (-SAME_LINE_AGAIN_S, 0))
        if now - last < SAME_LINE_AGAIN_S:
            self._seen[key] = (last, left_out + 1)
            return False
        if len(self._seen) > 500:
            self._seen.clear()
        self._seen[key] = (now, 0)
        if left_out:
            record.msg = f"{record.msg} ({left_out} more like this were left out)"
        return True
