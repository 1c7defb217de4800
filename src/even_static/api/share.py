"""Sharing on the house's network, on purpose only: a code that pairs a phone to one call, gone with the session."""

from __future__ import annotations

import contextlib
import html
import ipaddress
import re
import secrets
import socket
import threading
import time
from collections import OrderedDict, deque
from dataclasses import dataclass
from typing import Literal
from urllib.parse import parse_qs

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

COOKIE = "even_static_pairing"
TRIES, TRIES_S = 5, 60.0
# So many wrong codes in all, and the code is another one.
WRONG_FOR_NEW_CODE = 20
LONGEST_FORM_BYTES = 1024
MOST_CLIENTS_REMEMBERED = 1000
PAIR_PAGE_POLICY = "default-src 'none'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Even Static</title>
<meta name="viewport" content="width=device-width, initial-scale=1">
<h1>Even Static</h1><form method="post" action="/pair">
<p><label for="code">Pairing code, as the technician's screen shows it</label></p>
<p><input id="code" name="code" inputmode="numeric" autocomplete="off" maxlength="9" size="9" required autofocus></p>
<p><button>Pair</button></p><p role="alert">{note}</p></form></html>
"""


May = Literal["measure", "work"]
# What a phone may do in its call where it is only to measure: look, read levels, test, tick steps, undo its own.
MEASURES = (
    *("walk", "walk/sample", "walk/trace", "walk/trace/sample", "walk/typed", "link-test", "wired", "listen"),
    *("captures", "readings", "texts", "speed-tests", "energy-scans", "zigbee-links", "undo", "redo", "coverage"),
    *(
        "point",
        "section",
        "evaluate",
        r"reasons/\w+",
        "ssid-plans",
        "holding",
        "tree",
        "neighbours",
        "air-users",
        "day",
    ),
    *("materials", "zigbee-help", r"sheet/[\w.-]+/tick"),
)
_MEASURES = re.compile("|".join(MEASURES))
# What no phone may do, also where it may work on its call: what leads out of the call, or takes it away.
_NEVER = re.compile(r"(state|copy|pairing)")
# What every page needs beside a call.
OPEN = (
    "about",
    "cautions",
    "node-kinds",
    "source-kinds",
    "share",
    "calls",
    "link/(ping|down|up)",
    r"tasks/\w+(/stop)?",
)
_OPEN = re.compile(f"/api/({'|'.join(OPEN)})")


@dataclass(frozen=True, slots=True)
class Phone:
    """A paired client: what it is called, the call that it was paired to, and what it may do there."""

    name: str
    call_id: int
    may: May

    def may_ask(self, method: str, path: str) -> bool:
        """Whether it may make a request."""
        if not path.startswith("/api"):
            return method in ("GET", "HEAD")
        if _OPEN.fullmatch(path):
            return method == "GET" or path.startswith(("/api/link/", "/api/tasks/"))
        mine = re.fullmatch(r"/api/calls/(\d+)(?:/(.*))?", path)
        if mine is None or int(mine[1]) != self.call_id:
            return False
        rest = mine[2] or ""
        if not rest:
            return method == "GET"
        if _NEVER.fullmatch(rest):
            return False
        return method == "GET" or self.may == "work" or _MEASURES.fullmatch(rest) is not None


@dataclass(slots=True)
class Pairing:
    """A code that is shown, for one call."""

    code: str
    call_id: int
    may: May


class Share:
    """One session's sharing: codes by call, who is paired, and who has tried. Nothing of it is stored."""

    def __init__(self, hosts: list[str], port: int = 0) -> None:
        self.hosts = hosts
        self.port = port
        self.open = True
        self._codes: dict[int, Pairing] = {}
        self._phones: dict[str, Phone] = {}
        self._count = 0
        self._wrong = 0
        self._tries: OrderedDict[str, deque[float]] = OrderedDict()
        self._lock = threading.Lock()

    @property
    def phones(self) -> list[Phone]:
        """Who is paired."""
        return list(self._phones.values())

    @property
    def addresses(self) -> list[str]:
        """Where phones reach the application."""
        return [f"http://{host}:{self.port}/" for host in self.hosts]

    def pairing(self, call_id: int) -> Pairing | None:
        """The code that is shown for a call, if one is."""
        return self._codes.get(call_id) if self.open else None

    def offer(self, call_id: int, may: May) -> Pairing:
        """Show a code for a call; codes of other calls are no longer good."""
        with self._lock:
            self._codes = {call_id: Pairing(_new_code(), call_id, may)}
            return self._codes[call_id]

    def withdraw(self, call_id: int) -> None:
        """A call is gone, or is no longer shared: its phones get nothing any more."""
        with self._lock:
            self._codes.pop(call_id, None)
            self._phones = {t: p for t, p in self._phones.items() if p.call_id != call_id}

    def end(self) -> None:
        """Stop sharing: paired clients get nothing any more."""
        with self._lock:
            self.open = False
            self._codes.clear()
            self._phones.clear()

    def phone(self, token: str | None) -> Phone | None:
        """The paired client that a token belongs to."""
        if not self.open or token is None:
            return None
        given = token.encode("utf-8", "replace")
        return next((p for t, p in list(self._phones.items()) if secrets.compare_digest(given, t.encode())), None)

    def pair(self, code: str, client: str) -> tuple[str, Phone] | None:
        """A token and what it stands for, for the right code; None for a wrong one. PermissionError for a client that
        tries too often."""
        with self._lock:
            now = time.monotonic()
            tries = self._tries.setdefault(client, deque())
            self._tries.move_to_end(client)
            while len(self._tries) > MOST_CLIENTS_REMEMBERED:
                self._tries.popitem(last=False)
            while tries and now - tries[0] > TRIES_S:
                tries.popleft()
            if len(tries) >= TRIES:
                raise PermissionError
            tries.append(now)
            typed = "".join(c for c in code if c in "0123456789").encode()
            found = next((p for p in self._codes.values() if secrets.compare_digest(typed, p.code.encode())), None)
            if self.open and found is not None:
                self._count += 1
                token, phone = secrets.token_urlsafe(32), Phone(f"phone {self._count}", found.call_id, found.may)
                self._phones[token] = phone
                tries.clear()
                return token, phone
            self._wrong += 1
            if self._wrong % WRONG_FOR_NEW_CODE == 0:
                for pairing in self._codes.values():
                    pairing.code = _new_code()
            return None


def is_local(request: Request) -> bool:
    """Whether a request comes from this computer."""
    host = request.client.host if request.client is not None else ""
    try:
        address = ipaddress.ip_address(host)
    except ValueError:
        return False
    mapped = getattr(address, "ipv4_mapped", None)
    return (mapped or address).is_loopback


async def gate(request: Request, share: Share | None) -> Response | None:
    """None for a request that may go on; else what the client gets: the pairing page, a refusal, or nothing at all."""
    if is_local(request):
        return None
    if share is None or not share.open:
        return Response("not shared\n", 403, media_type="text/plain")
    phone = share.phone(request.cookies.get(COOKIE))
    if phone is not None:
        if phone.may_ask(request.method, request.url.path):
            return None
        rule = "is not for this phone: it is paired to one call" + (", to measure" if phone.may == "measure" else "")
        body = {"field": "request", "rule": rule, "received": "", "accepted": "", "message": f"request: {rule}"}
        return JSONResponse({"error": body}, 403)
    if request.url.path != "/pair" or request.method != "POST":
        return _page("", 401)
    raw = b""
    async for chunk in request.stream():
        raw += chunk
        if len(raw) > LONGEST_FORM_BYTES:
            return _page("That is no code.", 400)
    typed = parse_qs(raw.decode("utf-8", "replace")).get("code", [""])[0]
    client = request.client.host if request.client is not None else ""
    try:
        found = share.pair(typed, client)
    except PermissionError:
        return _page("Too many tries: wait a minute.", 429)
    if found is None:
        return _page("That is not the code on the technician's screen.", 401)
    token, phone = found
    answer = RedirectResponse(f"/#/call/{phone.call_id}/walk", 303)
    answer.set_cookie(COOKIE, token, httponly=True, samesite="strict", path="/")
    return answer


def own_hosts() -> list[str]:
    """This computer's IPv4 addresses on its networks; nothing is sent to find them."""
    found = set()
    with contextlib.suppress(OSError):
        found = {str(info[4][0]) for info in socket.getaddrinfo(socket.gethostname(), None, socket.AF_INET)}
    # Connecting a datagram socket only asks the routing table.
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe, contextlib.suppress(OSError):
        probe.connect(("192.0.2.1", 9))
        found.add(str(probe.getsockname()[0]))
    return sorted(h for h in found if not ipaddress.ip_address(h).is_loopback)


def _new_code() -> str:
    return f"{secrets.randbelow(1_000_000):06d}"


def _page(note: str, status: int) -> HTMLResponse:
    answer = HTMLResponse(_PAGE.format(note=html.escape(note)), status)
    answer.headers["Content-Security-Policy"] = PAIR_PAGE_POLICY
    answer.headers["Cache-Control"] = "no-store"
    return answer
