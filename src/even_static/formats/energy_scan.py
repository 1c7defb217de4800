"""Energy scans over IEEE 802.15.4 channels: JSON or CSV with a channel and a level."""

from __future__ import annotations

import json
from typing import Any

from even_static.core.errors import BadInput
from even_static.core.house.csv_rows import csv_rows
from even_static.core.house.other_sources import ChannelEnergy, EnergyScan

FIELDS = ("channel", "level_dbm")


def read_energy(text: str, scan_id: str, place_id: str, scanned_at: str, source: str) -> EnergyScan:
    """A scan from CSV (header ``channel,level_dbm``) or JSON (a list of such objects, or an object by channel).

    A channel that comes more than once keeps its highest level. BadInput names the line or entry and the rule.
    """
    rows = _json(text) if text.lstrip().startswith(("[", "{")) else _csv(text)
    if not rows:
        raise BadInput("scan", "must hold a channel", "none", "rows of channel, level_dbm")
    levels: dict[int, float] = {}
    for where, row in rows:
        channel = _number(where, "channel", row.get("channel"), 11, 26, "a Zigbee channel")
        if channel != int(channel):
            raise BadInput(f"{where}, channel", "must be a whole number", str(channel), "11 to 26")
        level = _number(where, "level_dbm", row.get("level_dbm"), -120, 0, "a level in dBm")
        levels[int(channel)] = max(level, levels.get(int(channel), -120.0))
    found = tuple(ChannelEnergy(c, v) for c, v in sorted(levels.items()))
    return EnergyScan(
        came_from="hub's file", id=scan_id, place_id=place_id, scanned_at=scanned_at, source=source[:80], levels=found
    )


def _number(where: str, field: str, value: Any, low: float, high: float, what: str) -> float:
    try:
        number = float(value)
    except (TypeError, ValueError):
        number = float("nan")
    if not low <= number <= high:
        raise BadInput(f"{where}, {field}", f"must be {what}", str(value)[:20], f"{low:g} to {high:g}")
    return number


def _json(text: str) -> list[tuple[str, dict[str, Any]]]:
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadInput("scan", f"must be JSON or CSV: {error}", None, "channel and level_dbm") from None
    if isinstance(data, dict) and isinstance(data.get("levels"), list):
        data = data["levels"]
    if isinstance(data, dict):
        data = [{"channel": k, "level_dbm": v} for k, v in data.items()]
    if not isinstance(data, list) or not all(isinstance(e, dict) for e in data):
        raise BadInput("scan", "must be a list of objects", type(data).__name__, '[{"channel": 11, "level_dbm": -80}]')
    return [(f"levels[{i}]", e) for i, e in enumerate(data)]


def _csv(text: str) -> list[tuple[str, dict[str, Any]]]:
    lines = [line for line in text.replace("\ufeff", "").splitlines() if line.strip()]
    header = [h.strip().lower() for h in (lines[0] if lines else "").split(",")]
    if any(f not in header for f in FIELDS):
        raise BadInput("line 1", "must be the header of an energy scan", ",".join(header)[:60], ",".join(FIELDS))
    return [(f"line {n}", dict(row)) for n, row in csv_rows(lines[1:], header)]
