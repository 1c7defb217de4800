"""`even-static listen`: sums up a capture while it runs, lets the application show it, and keeps it as a scan."""

from __future__ import annotations

import json
import os
import queue
import signal
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from even_static.cli_files import write_json
from even_static.core.errors import BadInput
from even_static.now import now_text

if TYPE_CHECKING:
    from even_static.formats.capture.reader import CaptureSummary
    from even_static.store.calls import Store

SAY_EVERY_S = 0.5
CHUNK_BYTES, CHUNKS_AHEAD = 1 << 16, 64
LONGEST_ANSWER_S = 2.0


def listen_to(source: str, store: Store, call_id: int, place_id: str, port: int) -> None:
    """Read a capture from a file, a named pipe or "-" (standard input) until it ends or is stopped with Ctrl-C.

    What was heard until then is kept as one scan at the place. BadInput for an unknown place, an unreadable source or
    a capture without a network; Conflict for a practice house.
    """
    from even_static.api.instruments import require_real
    from even_static.api.service import Service
    from even_static.formats.capture.reader import read_capture_stream, scan_from_capture
    from even_static.formats.readings_csv import known_places

    call = store.get(call_id)
    require_real(call)
    known_places(call.job, [place_id])
    began_at = now_text()
    with _opened(source) as file:
        teller = Teller(port, call_id, place_id)
        pipe = Pipe(file, lambda: teller.while_waiting())
        summary = read_capture_stream(pipe, listener=teller)  # type: ignore[arg-type]
    for note in summary.notes:
        sys.stderr.write(f"even-static: note: {note}\n")
    try:
        name = "standard input" if source == "-" else Path(source).name[:60]
        scan = scan_from_capture(summary, "live", place_id, name, began_at, came_from="live capture")
        stored = Service(store).add_readings(call_id, [scan], f"captured live: {len(scan.readings)} networks")
    finally:
        teller.end(summary)
    kept = {"call": stored.id, "place": place_id, "networks": len(scan.readings), "frames": summary.frames}
    write_json({**kept, "kept_at": now_text()})


def live_body(summary: CaptureSummary, place_id: str, seconds: float) -> dict[str, object]:
    """What the application is told of a capture so far: its strongest networks."""
    from even_static.api.live_bodies import MOST_LIVE_NETWORKS, LiveBody, LiveNetwork

    heard = sorted(summary.readings, key=lambda r: -200.0 if r.rssi_dbm is None else r.rssi_dbm, reverse=True)
    networks = [
        LiveNetwork(
            bssid=r.bssid,
            ssid=r.ssid,
            band=r.band,
            channel=r.channel,
            level_dbm=r.rssi_dbm,
            spread_db=r.spread_db,
            frames=r.samples,
        )
        for r in heard[:MOST_LIVE_NETWORKS]
    ]
    body = LiveBody(
        place_id=place_id,
        seconds=round(seconds, 1),
        frames=summary.frames,
        heard_networks=len(heard),
        networks=networks,
    )
    return asdict(body)


class Pipe:
    """A binary stream that is read ahead in a thread: silence, and Ctrl-C, are noticed while no byte comes.

    Ctrl-C ends it as if it were over, so that what was heard is kept.
    """

    def __init__(self, file: BinaryIO, while_waiting: Callable[[], None]) -> None:
        self._while_waiting = while_waiting
        self._chunks: queue.Queue[bytes] = queue.Queue(CHUNKS_AHEAD)
        self._here, self._at = b"", 0
        self._over = self._stopped = False
        threading.Thread(target=self._read_ahead, args=(file,), daemon=True).start()
        signal.signal(signal.SIGINT, self._stop)

    def seekable(self) -> bool:
        """Never: what comes from a running program comes once."""
        return False

    def read(self, size: int) -> bytes:
        """The next bytes; fewer at the end of the stream, or once it was stopped."""
        at, end = self._at, self._at + size
        while len(self._here) < end and not self._over and not self._stopped:
            try:
                chunk = self._chunks.get(timeout=SAY_EVERY_S / 2)
            except queue.Empty:
                self._while_waiting()
                continue
            self._over = not chunk
            self._here = self._here[at:] + chunk
            at, end = 0, size
        if len(self._here) < end and self._stopped:
            return b""
        self._at = min(end, len(self._here))
        return self._here[at:end]

    def _read_ahead(self, file: BinaryIO) -> None:
        descriptor = file.fileno()
        chunk = b"-"
        while chunk:
            chunk = os.read(descriptor, CHUNK_BYTES)
            self._chunks.put(chunk)

    def _stop(self, *_: object) -> None:
        self._stopped = True


class Teller:
    """Tells the application from a thread of its own, so that a slow answer never holds up the capture.

    Where no application runs it says so once, and the capture goes on: its scan is kept all the same.
    """

    def __init__(self, port: int, call_id: int, place_id: str) -> None:
        self.while_waiting: Callable[[], None] = lambda: None
        self._place_id = place_id
        self._began = time.monotonic()
        self.url = f"http://127.0.0.1:{port}/api/calls/{call_id}/live"
        # No proxy stands between this computer and itself.
        self._opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
        self._next: dict[str, object] | None = None
        self._there = threading.Event()
        self._sending = threading.Lock()
        self._due_at = 0.0
        self._ended = self._warned = False
        threading.Thread(target=self._run, daemon=True).start()

    def due(self) -> bool:
        """Whether it is time to say something again."""
        now = time.monotonic()
        if now < self._due_at:
            return False
        self._due_at = now + SAY_EVERY_S
        return True

    def say(self, summary: CaptureSummary) -> None:
        """Send this next, in place of what has not been sent yet."""
        self._next = live_body(summary, self._place_id, time.monotonic() - self._began)
        self._there.set()

    def end(self, summary: CaptureSummary) -> None:
        """Send the last of it, and wait for that."""
        self._ended = True
        with self._sending:
            self._send({**live_body(summary, self._place_id, time.monotonic() - self._began), "ended": True})

    def _run(self) -> None:
        while True:
            self._there.wait()
            self._there.clear()
            body, self._next = self._next, None
            with self._sending:
                if body is not None and not self._ended:
                    self._send(body)

    def _send(self, body: dict[str, object]) -> None:
        headers = {"Content-Type": "application/json"}
        request = urllib.request.Request(self.url, json.dumps(body).encode(), headers, method="POST")
        try:
            self._opener.open(request, timeout=LONGEST_ANSWER_S).close()
        except (urllib.error.URLError, OSError) as error:
            if not self._warned:
                self._warned = True
                why = getattr(error, "reason", error)
                sys.stderr.write(f"even-static: note: nothing is shown meanwhile ({why}): {self.url}\n")


@contextmanager
def _opened(source: str) -> Iterator[BinaryIO]:
    if source == "-":
        yield sys.stdin.buffer
        return
    try:
        file = Path(source).open("rb")  # noqa: SIM115 - an unreadable source is told apart from a fault while reading
    except OSError as error:
        accepted = 'a capture file, a named pipe or "-"'
        raise BadInput("--from", f"must be readable ({error.strerror})", source, accepted) from None
    with file:
        yield file
