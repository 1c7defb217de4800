"""The job file: one versioned JSON document that carries a whole call."""

from __future__ import annotations

import difflib
import json
from dataclasses import fields, replace
from typing import Any, cast

from pydantic import ValidationError

from even_static import __version__
from even_static.core.errors import BadInput, NewerVersion
from even_static.core.house.building import Building, Stand
from even_static.core.house.changes import AbTest, ChangeSheet
from even_static.core.house.edit import with_past_following
from even_static.core.house.job import FORMAT, VERSION, Job
from even_static.core.house.kit import Device, Node, Zigbee
from even_static.core.house.other_sources import Thread
from even_static.core.house.readings import Reading, Scan, Trace
from even_static.core.house.settings import Settings
from even_static.core.house.validate import validate_job
from even_static.core.house.wiring import Wiring
from even_static.formats.once import described
from even_static.formats.upgrade import upgraded

# The parts before what holds them: each is then described once.
for _part in (
    *(Stand, Settings, Building, Reading, Scan, Node, Device),
    *(Zigbee, Trace, AbTest, ChangeSheet, Wiring, Thread),
):
    described(_part)
JOB = described(Job)
# Large parts of a job that are checked where they are read.
PASSED_OVER = frozenset({"scans", "traces", "photos"})

_PREDICATES = {
    "is_identifier": ("must be an identifier", "1 to 40 letters, digits, dots, dashes or underscores"),
    "is_bssid": ("must be a BSSID", "six lower-case hexadecimal pairs such as 02:00:5e:10:00:01"),
    "is_eui64": ("must be an EUI-64 address", "eight lower-case hexadecimal pairs such as 02:00:5e:ff:fe:10:00:01"),
    "is_timestamp": (
        "must be a date and time with an offset from UTC",
        "ISO 8601 such as 2026-03-02T19:30:00+01:00",
    ),
}
UNITS = ("_dbm", "_db", "_mhz", "_mbps", "_ms", "_fraction", "_m")


def schema() -> dict[str, Any]:
    """JSON Schema of the job file (draft 2020-12)."""
    found = JOB.json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"urn:even-static:job:{VERSION}",
        "title": "Even Static job file",
        **{k: v for k, v in found.items() if k != "title"},
    }


def read_job(text: str | bytes) -> Job:
    """A job from the text of a job file.

    Raises NewerVersion for a file of a newer version, BadInput for anything else that does not fit; the error names
    the field, the rule, what was received and what is accepted.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        at = f"line {error.lineno}, column {error.colno}" if isinstance(error, json.JSONDecodeError) else str(error)
        raise BadInput("job file", f"must be JSON in UTF-8: not readable at {at}", None, "a JSON object") from None
    return job_from_data(data)


def job_from_data(data: object, *, edited: bool = False) -> Job:
    """A job from parsed JSON; errors as :func:`read_job`. ``edited``: it comes from the application's own pages, where
    kit may have been added or removed since somebody listened."""
    if not isinstance(data, dict):
        raise BadInput("job file", "must hold a JSON object", type(data).__name__, "an object")
    if data.get("format") != FORMAT:
        raise BadInput("format", "must mark an Even Static job file", data.get("format", "nothing"), f'"{FORMAT}"')
    version = data.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise NewerVersion(
            "version",
            f"must not be newer than this Even Static ({__version__}) can read",
            version,
            f"{VERSION} and older; update Even Static to open this file",
        )
    data = upgraded(data)
    try:
        job = JOB.validate_json(json.dumps(data), strict=True)
    except ValidationError as error:
        raise from_validation(error, data) from None
    if edited:
        job = with_past_following(job)
    validate_job(job)
    return job


def job_edited(base: Job, edited: dict[str, Any]) -> Job:
    """A job of which some fields were edited on the application's own pages; the others stay. Errors as
    :func:`read_job`."""
    unknown = sorted(set(edited) - {f.name for f in fields(Job)})
    if unknown:
        raise BadInput(f"job.{unknown[0]}", "is not a field of this format", edited[unknown[0]], "see the job file")
    if edited.get("kind", base.kind) != base.kind:
        rule = "is chosen when a call is opened, and never changed"
        raise BadInput("job.kind", rule, edited["kind"], base.kind)
    if edited.get("format", FORMAT) != FORMAT:
        raise BadInput("format", "must mark an Even Static job file", edited["format"], f'"{FORMAT}"')
    data = {"title": base.title, "country": base.country, **edited, "format": FORMAT, "version": VERSION}
    try:
        part = JOB.validate_json(json.dumps(data), strict=True)
    except ValidationError as error:
        raise from_validation(error, data) from None
    job = with_past_following(replace(base, **{name: getattr(part, name) for name in edited if name != "version"}))
    validate_job(job)
    return job


def require_storable(before: Job, after: Job) -> None:
    """Raise BadInput for a change of a job, made by the core, that could not be read back: numbers out of their bounds,
    lists longer than can be worked with. Scans and traces, which are checked where they are read, are passed over."""
    changed = {f.name for f in fields(Job) if getattr(before, f.name) is not getattr(after, f.name)} - PASSED_OVER
    if not changed:
        return
    data = JOB.dump_python(after, mode="json", include={*changed, "title", "country", "format", "version"})
    try:
        JOB.validate_json(json.dumps(data), strict=True)
    except ValidationError as error:
        raise from_validation(error, data) from None


def write_job(job: Job) -> str:
    """Text of the job file: reading it back gives an equal job, and writing that gives the same text."""
    return json.dumps(job_to_data(job), indent=1, ensure_ascii=False) + "\n"


def job_to_data(job: Job) -> dict[str, Any]:
    """The job as JSON values, format and version first."""
    data = cast("dict[str, Any]", JOB.dump_python(job, mode="json"))
    head = {"format": data.pop("format"), "version": data.pop("version")}
    return head | data


def from_validation(error: ValidationError, data: object = None) -> BadInput:
    """The first failure of a Pydantic validation as a BadInput."""
    first = error.errors(include_url=False)[0]
    location = [p for p in first["loc"] if p != "body"]
    field = _path(location, data) or "job file"
    kind, received, context = first["type"], first["input"], first.get("ctx", {})
    if kind in ("missing", "missing_argument"):
        return BadInput(field, "must be given", "nothing", "see `even-static schema`")
    if kind in ("unexpected_keyword_argument", "extra_forbidden"):
        return BadInput(field, "is not a field of this format", received, _meant(location, data))
    if kind == "predicate_failed":
        for name, (rule, accepted) in _PREDICATES.items():
            if name in first["msg"]:
                return BadInput(field, rule, received, accepted)
    if kind == "literal_error":
        return BadInput(field, "must be one of the values listed", received, str(context.get("expected")))
    if kind == "too_long":
        most, came = context.get("max_length"), context.get("actual_length")
        return BadInput(field, "must not hold more entries than can be worked with", came, f"at most {most}")
    bounds = {
        "greater_than_equal": "at least {ge:g}",
        "less_than_equal": "at most {le:g}",
        "greater_than": "more than {gt:g}",
    }
    if kind in bounds:
        unit = next((u[1:] for u in UNITS if str(location[-1]).endswith(u)), "")
        return BadInput(field, "must lie in its range", received, f"{bounds[kind].format(**context)} {unit}".strip())
    text = str(first["msg"]).removeprefix("Input should be ").removeprefix("Value error, ")
    if not isinstance(received, (str, int, float, bool, type(None))):
        received = type(received).__name__
    return BadInput(field, "must have the right type and length", received if received is not None else "null", text)


def _path(location: list[Any], data: object) -> str:
    """nodes[0].radios[1].width_mhz (hall-5), with the identifier of the nearest entry that has one."""
    text, name, here = "", "", data
    for part in location:
        text += f"[{part}]" if isinstance(part, int) else f"{'.' if text else ''}{part}"
        try:
            here = here[part]  # type: ignore[index]
        except (KeyError, IndexError, TypeError):
            here = None
        if isinstance(here, dict):
            name = next((str(here[k]) for k in ("id", "radio_id", "bssid", "device_id") if here.get(k)), name)
    return f"{text} ({name})" if name else text


def _meant(location: list[Any], data: object) -> str:
    """Which field an unknown one was probably meant to be: the same quantity in the unit that the format uses."""
    known = {name for definition in JOB.json_schema()["$defs"].values() for name in definition.get("properties", {})}
    wrong = str(location[-1])
    stem = wrong.rsplit("_", 1)[0]
    same = sorted(k for k in known if k.rsplit("_", 1)[0] == stem and k != wrong)
    close = same or difflib.get_close_matches(wrong, sorted(known), 2)
    return " or ".join(close) + " (units are part of the name)" if close else "the fields of `even-static schema`"
