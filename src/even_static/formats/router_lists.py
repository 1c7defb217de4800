"""Lists that the router's or the hub's page shows, pasted or saved as a table with a header line.

Three kinds, told apart by their header; cells may be divided by commas, semicolons or tabs, and be empty:

* the client list: ``device,radio,level_dbm,down_rate_mbps,up_rate_mbps,down_mb,up_mb,over_h``; only ``device`` and one
  more column are needed. A radio is named by its identifier, by its band, or by its node and band ("Attic 5 GHz").
* channel use by hour: ``radio,time,busy_percent``; a time is HH:MM, the last one before the reading, or a whole one.
* the hub's log: ``device,sent,delivered``, and perhaps ``time``.

Names of columns are those of common pages too (rssi, signal, band, rx rate, received): see :data:`ALSO_CALLED`.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

from even_static.core.errors import BadInput
from even_static.core.house.clock import at_the_house
from even_static.core.house.csv_rows import csv_rows
from even_static.core.house.job import Job
from even_static.core.house.kit import Radio
from even_static.core.house.lists import ChannelUse, ClientSeen
from even_static.core.house.readings import ZigbeeReport
from even_static.core.house.sources import CameFrom
from even_static.core.tables.bands import BANDS, Band

LARGEST_CHARACTERS: Final = 1 << 20
MOST_LINES: Final = 2000
CLIENTS: Final = ("device", "radio", "level_dbm", "down_rate_mbps", "up_rate_mbps", "down_mb", "up_mb", "over_h")
USES: Final = ("radio", "time", "busy_percent")
LOG: Final = ("device", "sent", "delivered")
ACCEPTED: Final = f"{','.join(CLIENTS)} or {','.join(USES)} or {','.join(LOG)}"
ALSO_CALLED: Final[dict[str, str]] = {
    "name": "device",
    "client": "device",
    "host": "device",
    "hostname": "device",
    "band": "radio",
    "interface": "radio",
    "connected to": "radio",
    "rssi": "level_dbm",
    "signal": "level_dbm",
    "signal_dbm": "level_dbm",
    "tx rate": "down_rate_mbps",
    "rx rate": "up_rate_mbps",
    "downloaded_mb": "down_mb",
    "uploaded_mb": "up_mb",
    "hours": "over_h",
    "hour": "time",
    "busy": "busy_percent",
    "utilisation": "busy_percent",
    "utilization": "busy_percent",
    "due": "sent",
    "received": "delivered",
    "arrived": "delivered",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Lists:
    """What a text held: lines of the client list, uses of channels, the hub's log; names that the call does not know,
    whose lines were left out."""

    clients: tuple[ClientSeen, ...] = ()
    uses: tuple[ChannelUse, ...] = ()
    reports: tuple[ZigbeeReport, ...] = ()
    unknown: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """What was read, in a line."""
        parts = [
            (len(self.clients), "device on the client list", "devices on the client list"),
            (len(self.uses), "channel use", "channel uses"),
            (len(self.reports), "line of the hub's log", "lines of the hub's log"),
        ]
        found = ", ".join(f"{n} {one if n == 1 else many}" for n, one, many in parts if n)
        if self.unknown:
            found += f"; not of this call: {', '.join(self.unknown[:5])}"
        return found


def read_lists(job: Job, text: str, read_at: str, came_from: CameFrom = "router's list") -> Lists:
    """What a pasted or saved list says, read at a time (ISO 8601).

    Lines of devices that the call does not know are left out and named; a radio that it does not know, a figure out of
    range or a header that is none of the three is BadInput with its line.
    """
    if len(text) > LARGEST_CHARACTERS:
        raise BadInput("list", "must not be longer than can be worked with", len(text), f"{LARGEST_CHARACTERS}")
    lines = [line for line in text.replace("\ufeff", "").splitlines() if line.strip()]
    if not lines:
        raise BadInput("line 1", "must be the header of a list", "nothing", ACCEPTED)
    if len(lines) > MOST_LINES:
        raise BadInput("list", "must not have more lines than can be worked with", len(lines), f"{MOST_LINES}")
    divider = max(",;\t", key=lines[0].count)
    if divider != ",":
        lines = [line.replace(",", ".").replace(divider, ",") for line in lines]
    header = [_column(cell) for cell in lines[0].split(",")]
    rows = [(n, {k: (v or "").strip() for k, v in row.items() if k}) for n, row in csv_rows(lines[1:], header)]
    if {"sent", "delivered", "device"} <= set(header):
        return _log(job, rows, read_at)
    if {"radio", "busy_percent"} <= set(header):
        return Lists(uses=tuple(_use(job, n, row, read_at, came_from) for n, row in rows))
    if "device" in header and set(header) & set(CLIENTS[1:]):
        return _clients(job, rows, read_at, came_from)
    raise BadInput("line 1", "must be the header of a list", ",".join(header)[:80], ACCEPTED)


def _column(cell: str) -> str:
    name = re.sub(r"\s+", " ", cell.strip().strip('"').lower())
    return ALSO_CALLED.get(name, ALSO_CALLED.get(name.replace("_", " "), name.replace(" ", "_")))


def _clients(job: Job, rows: list[tuple[int, dict[str, str]]], read_at: str, came_from: CameFrom) -> Lists:
    names = {d.name.lower(): d.id for d in job.devices} | {d.id: d.id for d in job.devices}
    found, unknown = list[ClientSeen](), list[str]()
    for n, row in rows:
        came = row.get("device", "")
        device = names.get(came) or names.get(came.lower())
        if device is None:
            unknown.append(came[:40] or f"line {n} without a name")
            continue
        radio = row.get("radio", "")
        found.append(
            ClientSeen(
                device_id=device,
                listed_at=read_at,
                radio_id=_radio(job, n, radio).id if radio else None,
                rssi_dbm=_number(n, row, "level_dbm", -120, 0),
                down_rate_mbps=_number(n, row, "down_rate_mbps", 0.1, 100_000),
                up_rate_mbps=_number(n, row, "up_rate_mbps", 0.1, 100_000),
                down_mb=_number(n, row, "down_mb", 0, 1e9),
                up_mb=_number(n, row, "up_mb", 0, 1e9),
                counted_h=_number(n, row, "over_h", 0.01, 100_000),
                came_from=came_from,
            )
        )
    if not found:
        known = ", ".join(d.name for d in job.devices[:8]) or "add the devices under Kit"
        raise BadInput("device", "must name a device of the call in one line at least", ", ".join(unknown[:5]), known)
    return Lists(clients=tuple(found), unknown=tuple(unknown))


def _log(job: Job, rows: list[tuple[int, dict[str, str]]], read_at: str) -> Lists:
    devices = () if job.zigbee is None else job.zigbee.devices
    names = {d.name.lower(): d.id for d in devices} | {d.id: d.id for d in devices}
    found, unknown = list[ZigbeeReport](), list[str]()
    for n, row in rows:
        came = row.get("device", "")
        device = names.get(came) or names.get(came.lower())
        if device is None:
            unknown.append(came[:40] or f"line {n} without a name")
            continue
        sent, delivered = (_number(n, row, field, 0, 1e9) for field in ("sent", "delivered"))
        if sent is None or delivered is None or delivered > sent:
            came = f"{row.get('delivered', '')} of {row.get('sent', '')}"
            raise BadInput(f"line {n}, delivered", "must be a count of those that were sent", came, "0 up to sent")
        at = _time(job, n, row["time"], read_at) if row.get("time") else read_at
        found.append(
            ZigbeeReport(
                device_id=device, reported_at=at, sent=int(sent), delivered=int(delivered), came_from="hub's file"
            )
        )
    if not found:
        known = ", ".join(d.name for d in devices[:8]) or "add them under Kit"
        rule = "must name a Zigbee device of the call in one line at least"
        raise BadInput("device", rule, ", ".join(unknown[:5]) or "no line", known)
    return Lists(reports=tuple(found), unknown=tuple(unknown))


def _use(job: Job, n: int, row: dict[str, str], read_at: str, came_from: CameFrom) -> ChannelUse:
    busy = _number(n, row, "busy_percent", 0, 100)
    if busy is None:
        raise BadInput(f"line {n}, busy_percent", "must be given", "nothing", "0 to 100")
    at = _time(job, n, row["time"], read_at) if row.get("time") else read_at
    radio = _radio(job, n, row.get("radio", ""))
    return ChannelUse(radio_id=radio.id, seen_at=at, busy_fraction=busy / 100, came_from=came_from)


def _radio(job: Job, n: int, came: str) -> Radio:
    """The radio that a list means: by identifier, by its node's name and band, or by a band that one node alone has."""
    text = came.lower().replace(",", ".")
    band = next((b for b in BANDS if re.search(rf"\b{b[:-4]}\s*g(?:hz)?\b", text)), None)
    fitting = [r for r in job.radios if r.id.lower() == text] or [
        r for r in job.radios if r.band == band and _on_node(job, r, text, band)
    ]
    if len(fitting) != 1:
        accepted = ", ".join(r.id for r in job.radios[:8]) or "add the nodes under Kit"
        rule = "must name one radio of the call" if not fitting else "fits several radios: name the node too"
        raise BadInput(f"line {n}, radio", rule, came[:40] or "nothing", accepted)
    return fitting[0]


def _on_node(job: Job, radio: Radio, text: str, band: Band | None) -> bool:
    rest = re.sub(rf"\b{band[:-4]}\s*g(?:hz)?\b", "", text).strip(" -/()") if band else text
    node = job.node_of(radio.id)
    return rest in ("", node.id.lower(), node.name.lower())


def _number(n: int, row: dict[str, str], field: str, low: float, high: float) -> float | None:
    came = row.get(field, "")
    if not came or came in ("-", "–"):
        return None
    text = re.sub(r"\s*(dbm|mb/s|mbps|mbit/s|mb|%|h)$", "", came.lower().replace("−", "-"))
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not low <= value <= high:
        raise BadInput(f"line {n}, {field}", "must be a number in its range", came[:20], f"{low:g} to {high:g}")
    return value


def _time(job: Job, n: int, came: str, read_at: str) -> str:
    """A time as ISO 8601: a whole one, or HH:MM by the house's clock, the last one before the reading."""
    clock = re.fullmatch(r"(\d{1,2})(?::(\d\d))?", came)
    try:
        if clock:
            read = at_the_house(job, read_at)
            here = read.replace(hour=int(clock[1]), minute=int(clock[2] or 0), second=0, microsecond=0)
            # What has not been yet today was yesterday.
            return (here if here <= read else here - timedelta(days=1)).isoformat()
        at = datetime.fromisoformat(came)
        if at.tzinfo is not None:
            return at.isoformat()
    except ValueError:
        pass
    accepted = "HH:MM, or a time with its offset such as 2026-03-02T20:00:00+01:00"
    raise BadInput(f"line {n}, time", "must be a time", came[:40], accepted)
