"""Results of iperf3 in its JSON form (``iperf3 -J``): one run in one direction, over TCP or UDP.

Field names as iperf3 3.x writes them: ``start.test_start``, ``start.connected``, ``end.sum_received``, ``end.streams``.
"""

from __future__ import annotations

import ipaddress
import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from even_static.core.errors import BadInput
from even_static.core.house.readings import SpeedTest

LARGEST_BYTES = 16 << 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Iperf3Run:
    """One run: Mb/s as received, the far end, when (ISO 8601, UTC), round trips in ms where the sender saw them.

    ``down`` is towards the client that ran it (``-R``); ``loopback``: both ends are one computer.
    """

    down: bool
    mbps: float
    host: str
    tested_at: str
    loopback: bool
    rtt_ms: float | None


def read_iperf3(text: str) -> Iperf3Run:
    """A run from ``iperf3 -J``. BadInput for anything else, for a run that failed, and for one that moved nothing."""
    if len(text) > LARGEST_BYTES:
        raise BadInput("iperf3", "must not be larger than 16 MiB", f"{len(text)} characters", "one run")
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadInput("iperf3", f"must be JSON: {error}", None, "what `iperf3 -J` writes") from None
    if not isinstance(data, dict) or not isinstance(data.get("start"), dict):
        raise BadInput("iperf3", "must be a result of iperf3", type(data).__name__, "what `iperf3 -J` writes")
    if data.get("error"):
        raise BadInput("iperf3", "must be of a run that worked", str(data["error"]), "a run without an error")
    start, end = data["start"], _table(data, "end")
    test = _table(start, "test_start")
    received = _table(end, "sum_received" if "sum_received" in end else "sum")
    bits = received.get("bits_per_second")
    if not isinstance(bits, int | float) or not bits > 0:
        raise BadInput("iperf3.end.sum_received.bits_per_second", "must be above 0", bits, "a run that moved data")
    if test.get("bidir"):
        raise BadInput("iperf3.start.test_start.bidir", "must be off", 1, "one direction at a time: run it twice")
    connected = start.get("connected") or [{}]
    ends = connected[0] if isinstance(connected, list) and isinstance(connected[0], dict) else {}
    host = str(ends.get("remote_host") or _table(start, "connecting_to").get("host") or "")[:80]
    return Iperf3Run(
        down=bool(test.get("reverse")),
        mbps=round(float(bits) / 1e6, 2),
        host=host,
        tested_at=_when(start),
        loopback=_loopback(host) or (bool(host) and host == ends.get("local_host")),
        rtt_ms=_round_trip(end),
    )


def speed_test_of(runs: list[Iperf3Run], place_id: str, *, over: str, note: str) -> SpeedTest:
    """One speed test at a place from runs of both directions; over loopback it counts for no room."""
    first = min(runs, key=lambda r: r.tested_at)
    loopback = any(r.loopback for r in runs)
    return SpeedTest(
        came_from="iperf3",
        place_id=place_id,
        tested_at=first.tested_at,
        down_mbps=tuple(r.mbps for r in runs if r.down),
        up_mbps=tuple(r.mbps for r in runs if not r.down),
        latency_ms=tuple(r.rtt_ms for r in runs if r.rtt_ms is not None),
        over="this computer itself" if loopback else "cable" if over == "cable" else "wi-fi",
        reach="this computer",
        note=f"iperf3 to {first.host}{f': {note}' if note else ''}"[:200],
    )


def _table(data: dict[str, Any], name: str) -> dict[str, Any]:
    found = data.get(name, {})
    if not isinstance(found, dict):
        raise BadInput(f"iperf3.{name}", "must be an object", type(found).__name__, "what `iperf3 -J` writes")
    return found


def _when(start: dict[str, Any]) -> str:
    seconds = _table(start, "timestamp").get("timesecs")
    if not isinstance(seconds, int | float) or not 0 < seconds < 7e9:
        raise BadInput("iperf3.start.timestamp.timesecs", "must be a time", seconds, "seconds since 1970")
    return datetime.fromtimestamp(seconds, UTC).isoformat(timespec="seconds")


def _round_trip(end: dict[str, Any]) -> float | None:
    streams = end.get("streams")
    sender = (
        streams[0].get("sender") if isinstance(streams, list) and streams and isinstance(streams[0], dict) else None
    )
    mean = sender.get("mean_rtt") if isinstance(sender, dict) else None
    return round(mean / 1000, 2) if isinstance(mean, int | float) and mean > 0 else None


def _loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host.split("%")[0]).is_loopback
    except ValueError:
        return host.lower() in ("localhost", "ip6-localhost")
