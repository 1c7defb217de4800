"""Readings as CSV, in and out. The header is documented in ``docs/readings-csv.md``; units are in the names."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable
from dataclasses import fields
from typing import Any

from pydantic import TypeAdapter, ValidationError

from even_static.core.errors import BadInput, printable
from even_static.core.house.basics import is_identifier, is_timestamp
from even_static.core.house.csv_rows import MOST_COLUMNS, defused, fused_again
from even_static.core.house.job import Job
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.validate import validate_reading
from even_static.core.spectrum.channels import block_for
from even_static.core.tables.bands import BANDS
from even_static.formats.job_file import from_validation

COLUMNS = ("place_id", "heard_at", *(f.name for f in fields(Reading)))
REQUIRED = ("bssid", "band", "channel", "rssi_dbm")
_FLOATS = {"rssi_dbm", "spread_db", "channel_use_fraction", "slowest_basic_rate_mbps"}
_INTS = {"channel", "centre_mhz", "width_mhz", "samples", "stations", "centre2_mhz"}
_READING = TypeAdapter(Reading)


def write_readings(scans: Iterable[Scan]) -> str:
    """CSV text of scans: one line for each network at each place and time. No value becomes an empty cell."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for scan in scans:
        for reading in scan.readings:
            row = [getattr(reading, f.name) for f in fields(Reading)]
            cells = [scan.place_id, scan.heard_at, *("" if v is None else v for v in row)]
            writer.writerow([defused(printable(c)) if isinstance(c, str) else c for c in cells])
    return out.getvalue()


def read_readings(
    text: str, *, source: str = "CSV file", place_id: str | None = None, heard_at: str | None = None
) -> list[Scan]:
    """Listenings from CSV text, one for each place and time.

    Columns may stand in any order and others may be there; a missing required column or a wrong value raises BadInput
    that names line and column. ``place_id`` and ``heard_at`` are taken where the file has no such column or value.
    """
    # A lone carriage return ends a line too, as some spreadsheets write it.
    lines = csv.DictReader(io.StringIO(text.lstrip("﻿"), newline=None))
    try:
        return _scans(lines, source, place_id, heard_at)
    except csv.Error as error:
        raise BadInput(f"line {lines.line_num}", f"must be readable: {error}", None, "CSV") from None


def _scans(lines: csv.DictReader[str], source: str, place_id: str | None, heard_at: str | None) -> list[Scan]:
    header = [h.strip() for h in lines.fieldnames or []]
    if not header:
        raise BadInput("CSV file", "must have a header line", "an empty file", ", ".join(COLUMNS))
    if len(header) > MOST_COLUMNS:
        raise BadInput("CSV header", "must not have more columns than can be worked with", len(header), "fewer")
    for name in REQUIRED:
        if name not in header:
            raise BadInput("CSV header", f"must have the column {name}", ", ".join(header), ", ".join(COLUMNS))
    lines.fieldnames = header
    groups: dict[tuple[str, str], list[Reading]] = {}
    for line in lines:
        number = lines.line_num
        cells = {k: fused_again(v or "") for k, v in line.items() if k in COLUMNS}
        cells = {k: v if k == "ssid" else v.strip() for k, v in cells.items()}
        where = cells.pop("place_id", "") or place_id
        when = cells.pop("heard_at", "") or heard_at
        if not where:
            raise BadInput(f"line {number}, place_id", "must be given", "nothing", "the identifier of a place")
        if not when:
            raise BadInput(f"line {number}, heard_at", "must be given", "nothing", "ISO 8601 with an offset")
        if not is_identifier(where):
            raise BadInput(f"line {number}, place_id", "must name a place of the call", where, "its identifier")
        if not is_timestamp(when):
            rule = "must be a date and time with an offset from UTC"
            raise BadInput(f"line {number}, heard_at", rule, when, "2026-03-02T19:30:00+01:00")
        groups.setdefault((where, when), []).append(_reading(cells, number))
    if not groups:
        raise BadInput("CSV file", "must hold at least one reading", "a header only", "")
    return [
        Scan(
            came_from="CSV file",
            id=f"csv-{i + 1}",
            place_id=where,
            heard_at=when,
            source=source,
            bands=tuple(b for b in BANDS if any(r.band == b for r in readings)),
            readings=tuple(readings),
        )
        for i, ((where, when), readings) in enumerate(groups.items())
    ]


def _reading(cells: dict[str, str], number: int) -> Reading:
    values: dict[str, Any] = {}
    for name, cell in cells.items():
        if name == "rssi_dbm" and cell == "":
            values[name] = None
            continue
        if cell == "" and name != "ssid":
            continue
        if name in _FLOATS | _INTS:
            values[name] = _number(cell, name, number)
        else:
            values[name] = cell.lower() if name == "bssid" else cell
    values.setdefault("ssid", "")
    values.setdefault("width_mhz", 20)
    if "centre_mhz" not in values:
        try:
            values["centre_mhz"] = block_for(values["band"], values["channel"], values["width_mhz"]).centre_mhz
        except (BadInput, KeyError) as error:
            raise BadInput(
                f"line {number}, centre_mhz", f"cannot be told from band, channel and width: {error}"
            ) from None
    try:
        reading = _READING.validate_python(values)
        validate_reading(reading)
    except ValidationError as error:
        found = from_validation(error)
        raise BadInput(f"line {number}, {found.field}", found.rule, found.received, found.accepted) from None
    except BadInput as error:
        raise BadInput(f"line {number}, {error.field}", error.rule, error.received, error.accepted) from None
    return reading


def _number(cell: str, name: str, number: int) -> float | int:
    kind = int if name in _INTS else float
    try:
        value = kind(cell)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        wanted = "a whole number" if kind is int else "a number"
        raise BadInput(f"line {number}, {name}", f"must be {wanted} without a unit", cell, f"{wanted}, decimal point")
    return value


def known_places(job: Job, place_ids: Iterable[str]) -> None:
    """Raise BadInput when a place is none that the job has."""
    known = [p.id for p in job.places]
    for place_id in place_ids:
        if place_id not in known:
            raise BadInput("place_id", "must name a place of the call", place_id, ", ".join(known) or "(none yet)")
