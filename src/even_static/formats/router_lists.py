"""Lists that the router's or the hub's page shows, pasted or saved as a table with a header line.

Three kinds, told apart by their header; cells may be divided by commas, semicolons or tabs, and be empty:

* the client list: ``device,radio,level_dbm,down_rate_mbps,up_rate_mbps,down_mb,up_mb,over_h``; only ``device`` and one
  more column are needed, and it may have a ``time``. A radio is named by its identifier, by its band, or by its node
  and band ("Attic 5 GHz").
* channel use by hour: ``radio,time,busy_percent``; a time is HH:MM, the last one before the reading, or a whole one.
* the hub's log: ``device,sent,delivered``, and perhaps ``time``.

Names of columns are those of common pages too (rssi, signal, band, rx rate, received): see :data:`ALSO_CALLED`.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping
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

Row = dict[str, str]
Found = tuple[int, str, Row]
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
    header = [_column(cell) for cell in next(csv.reader(lines[:1], delimiter=divider))]
    rows = [(n, {k: (v or "").strip() for k, v in row.items() if k}) for n, row in csv_rows(lines[1:], header, divider)]
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


def _by_device(kind: str, known: Mapping[str, str], rows: list[tuple[int, Row]]) -> tuple[list[Found], tuple[str, ...]]:
    """(line number, device, cells) of rows whose device is known, and the names of the others; ``known``: identifiers
    by name. BadInput where no row names a known device."""
    names = {name.lower(): key for name, key in known.items()} | {key: key for key in known.values()}
    found, unknown = list[Found](), list[str]()
    for n, row in rows:
        came = row.get("device", "")
        device = names.get(came) or names.get(came.lower())
        if device is None:
            unknown.append(came[:40] or f"line {n} without a name")
        else:
            found.append((n, device, row))
    if not found:
        rule = f"must name a {kind} of the call in one line at least"
        accepted = ", ".join(list(known)[:8]) or "add them under Kit"
        raise BadInput("device", rule, ", ".join(unknown[:5]) or "no line", accepted)
    return found, tuple(unknown)


def _clients(job: Job, rows: list[tuple[int, Row]], read_at: str, came_from: CameFrom) -> Lists:
    found, unknown = _by_device("device", {d.name: d.id for d in job.devices}, rows)
    clients = []
    for n, device_id, row in found:
        radio = row.get("radio", "")
        clients.append(
            ClientSeen(
                device_id=device_id,
                listed_at=_time(job, n, row, read_at),
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
    return Lists(clients=tuple(clients), unknown=unknown)


def _log(job: Job, rows: list[tuple[int, Row]], read_at: str) -> Lists:
    devices = () if job.zigbee is None else job.zigbee.devices
    found, unknown = _by_device("Zigbee device", {d.name: d.id for d in devices}, rows)
    reports = []
    for n, device_id, row in found:
        sent, delivered = (_number(n, row, field, 0, 1e9) for field in ("sent", "delivered"))
        counts = sent is not None and delivered is not None and sent == int(sent) and delivered == int(delivered)
        if not counts or sent is None or delivered is None or delivered > sent:
            came = f"{row.get('delivered', '')} of {row.get('sent', '')}"
            rule = "must be a whole number of those that were sent"
            raise BadInput(f"line {n}, delivered", rule, came, "0 up to sent, both whole")
        reports.append(
            ZigbeeReport(
                device_id=device_id,
                reported_at=_time(job, n, row, read_at),
                sent=int(sent),
                delivered=int(delivered),
                came_from="hub's file",
            )
        )
    return Lists(reports=tuple(reports), unknown=unknown)


def _use(job: Job, n: int, row: Row, read_at: str, came_from: CameFrom) -> ChannelUse:
    busy = _number(n, row, "busy_percent", 0, 100)
    if busy is None:
        raise BadInput(f"line {n}, busy_percent", "must be given", "nothing", "0 to 100")
    radio = _radio(job, n, row.get("radio", ""))
    at = _time(job, n, row, read_at)
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


def _number(n: int, row: Row, field: str, low: float, high: float) -> float | None:
    came = row.get(field, "")
    if not came or came in ("-", "–"):
        return None
    text = re.sub(r"\s*(dbm|mb/s|mbps|mbit/s|mb|%|h)$", "", came.lower().replace("−", "-")).replace(",", ".")
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not low <= value <= high:
        raise BadInput(f"line {n}, {field}", "must be a number in its range", came[:20], f"{low:g} to {high:g}")
    return value


def _time(job: Job, n: int, row: Row, read_at: str) -> str:
    """A row's time as ISO 8601: a whole one, or HH:MM by the house's clock, the last one before the reading; that of
    the reading where the row has none."""
    came = row.get("time", "")
    if not came:
        return read_at
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
