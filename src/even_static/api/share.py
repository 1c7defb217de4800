"""Sharing on the house's network, on purpose only: a pairing code, checked host names, gone with the session."""

from __future__ import annotations

import contextlib
import html
import ipaddress
import secrets
import socket
import threading
import time
from collections import deque
from urllib.parse import parse_qs

from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response

COOKIE = "even_static_pairing"
TRIES, TRIES_S = 5, 60.0
# So many wrong codes in all, and the code is another one.
WRONG_FOR_NEW_CODE = 20
LONGEST_FORM_BYTES = 1024
PAIR_PAGE_POLICY = "default-src 'none'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Even Static</title>
<meta name="viewport" content="width=device-width, initial-scale=1">
<h1>Even Static</h1><form method="post" action="/pair">
<p><label for="code">Pairing code, as the technician's screen shows it</label></p>
<p><input id="code" name="code" inputmode="numeric" autocomplete="off" maxlength="9" size="9" required autofocus></p>
<p><button>Pair</button></p><p role="alert">{note}</p></form></html>
"""


class Share:
    """One session's sharing: the code, who is paired, and who has tried. Nothing of it is stored."""

    def __init__(self, hosts: list[str], port: int = 0) -> None:
        self.hosts = hosts
        self.port = port
        self.open = True
        self.code = _new_code()
        self._tokens: set[str] = set()
        self._wrong = 0
        self._tries: dict[str, deque[float]] = {}
        self._lock = threading.Lock()

    @property
    def paired(self) -> int:
        """How many clients are paired."""
        return len(self._tokens)

    @property
    def addresses(self) -> list[str]:
        """Where phones reach the application."""
        return [f"http://{host}:{self.port}/" for host in self.hosts]

    def end(self) -> None:
        """Stop sharing: paired clients get nothing any more."""
        with self._lock:
            self.open = False
            self._tokens.clear()

    def knows(self, token: str | None) -> bool:
        """Whether a token belongs to a paired client."""
        return self.open and token is not None and any(secrets.compare_digest(token, t) for t in self._tokens)

    def pair(self, code: str, client: str) -> str | None:
        """A token for the right code, None for a wrong one. PermissionError for a client that tries too often."""
        with self._lock:
            now = time.monotonic()
            tries = self._tries.setdefault(client, deque())
            while tries and now - tries[0] > TRIES_S:
                tries.popleft()
            if len(tries) >= TRIES:
                raise PermissionError
            tries.append(now)
            typed = "".join(c for c in code if c.isdigit())
            if self.open and secrets.compare_digest(typed, self.code):
                token = secrets.token_urlsafe(32)
                self._tokens.add(token)
                tries.clear()
                return token
            self._wrong += 1
            if self._wrong % WRONG_FOR_NEW_CODE == 0:
                self.code = _new_code()
            return None


def is_local(request: Request) -> bool:
    """Whether a request comes from this computer."""
    host = request.client.host if request.client is not None else ""
    if host == "testclient":
        return True
    try:
        address = ipaddress.ip_address(host)
    except ValueError:
        return False
    mapped = getattr(address, "ipv4_mapped", None)
    return (mapped or address).is_loopback


async def gate(request: Request, share: Share | None) -> Response | None:
    """None for a request that may go on; else what the client gets: the pairing page, or nothing at all."""
    if is_local(request):
        return None
    if share is None or not share.open:
        return Response("not shared\n", 403, media_type="text/plain")
    if share.knows(request.cookies.get(COOKIE)):
        return None
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
        token = share.pair(typed, client)
    except PermissionError:
        return _page("Too many tries: wait a minute.", 429)
    if token is None:
        return _page("That is not the code on the technician's screen.", 401)
    answer = RedirectResponse("/", 303)
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
