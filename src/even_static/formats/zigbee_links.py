"""Link tables of Zigbee meshes: JSON or CSV with two ends and a level, as hubs' pages list them."""

from __future__ import annotations

import json
from typing import Any

from even_static.core.errors import BadInput
from even_static.core.house.csv_rows import csv_rows
from even_static.core.house.job import Job
from even_static.core.house.kit import HUB_ID
from even_static.core.house.mesh import MeshLink

MOST_LINKS = 5000
FIELDS = ("a_id", "b_id", "rssi_dbm")


def read_links(job: Job, text: str) -> tuple[MeshLink, ...]:
    """Links from CSV (header ``a_id,b_id,rssi_dbm``) or JSON (a list of such objects). Ends are identifiers or names
    of the call's Zigbee devices, or "hub"; a link told both ways is kept once, at the weaker level.

    BadInput names the line or entry, the rule, what came and what is accepted.
    """
    if job.zigbee is None:
        raise BadInput("zigbee", "must be in the call before links are read", "no hub", "add the hub under Kit")
    rows = _json(text) if text.lstrip().startswith(("[", "{")) else _csv(text)
    if not rows:
        raise BadInput("links", "must hold a link", "none", "rows of a_id, b_id, rssi_dbm")
    if len(rows) > MOST_LINKS:
        raise BadInput("links", "must not hold more than can be worked with", len(rows), f"{MOST_LINKS} at most")
    names = {HUB_ID: HUB_ID}
    for d in job.zigbee.devices:
        names[d.name.lower()] = d.id
        names[d.id] = d.id
    found: dict[frozenset[str], MeshLink] = {}
    for where, row in rows:
        ends = []
        for field in ("a_id", "b_id"):
            came = str(row.get(field) or "").strip()
            end = names.get(came) or names.get(came.lower())
            if end is None:
                known = ", ".join(list(names)[:8])
                rule = "must name a Zigbee device of the call"
                raise BadInput(f"{where}, {field}", rule, came[:60] or "nothing", known)
            ends.append(end)
        if ends[0] == ends[1]:
            raise BadInput(f"{where}, b_id", "must be another end than a_id", ends[1], "two devices")
        level = _level(where, row.get("rssi_dbm"))
        key = frozenset(ends)
        if key not in found or level < found[key].rssi_dbm:
            found[key] = MeshLink(ends[0], ends[1], level, "hub's file")
    return tuple(found.values())


def _level(where: str, value: Any) -> float:
    try:
        level = float(value)
    except (TypeError, ValueError):
        level = 1.0
    if not -120 <= level <= 0:
        raise BadInput(f"{where}, rssi_dbm", "must be a level in dBm", str(value)[:20], "-120 to 0")
    return level


def _json(text: str) -> list[tuple[str, dict[str, Any]]]:
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadInput("links", f"must be JSON or CSV: {error}", None, "a list of links") from None
    entries = data.get("links") if isinstance(data, dict) else data
    if not isinstance(entries, list) or not all(isinstance(e, dict) for e in entries):
        raise BadInput("links", "must be a list of objects", type(entries).__name__, '[{"a_id": ...}]')
    return [(f"links[{i}]", e) for i, e in enumerate(entries)]


def _csv(text: str) -> list[tuple[str, dict[str, Any]]]:
    lines = [line for line in text.replace("\ufeff", "").splitlines() if line.strip()]
    header = [h.strip().lower() for h in (lines[0] if lines else "").split(",")]
    missing = [f for f in FIELDS if f not in header]
    if missing:
        raise BadInput("line 1", "must be the header of a link table", ",".join(header)[:60], ",".join(FIELDS))
    return [(f"line {n}", dict(row)) for n, row in csv_rows(lines[1:], header)]
