"""A job in parts: each field on its own, and the entries of its long lists one by one, as JSON.

Two revisions of a call share the parts that are alike, so that a revision costs what it changed, and an edit of a large
call reads and writes only what it touched.
"""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Iterable
from dataclasses import fields
from typing import Any, get_args, get_type_hints

from annotated_types import Len
from pydantic import TypeAdapter, ValidationError

from even_static.core.errors import BadInput, Full
from even_static.core.house.job import Job
from even_static.core.house.readings import Reading
from even_static.formats.job_file import from_validation

# Lists whose entries are kept one by one.
ENTRYWISE = (
    "scans",
    "traces",
    "changes",
    "ab_tests",
    "energy_scans",
    "plans",
    "devices",
    "nodes",
    "places",
    "drop_outs",
)
# A part's plain JSON is not longer than this: more is nobody's call, but a file made to burst.
LARGEST_PART_BYTES = 32 << 20
# All parts of a call together: some 40,000 readings.
LARGEST_CALL_BYTES = 16 << 20
# What may be done where a list is full.
ROOM = {
    "scans": "remove old scans under Listen, or open the next visit",
    "traces": "remove old walks, or open the next visit",
    "ab_tests": "remove an A/B test under Change, or open the next visit",
    "energy_scans": "open the next visit: its scans begin anew",
    "pans": "open the next visit: what captures heard begins anew",
    "plans": "remove a plan under Tune",
    "complaints": "remove a complaint under Ask",
    "follow_ups": "remove a follow-up under Prove",
    "client_list": "open the next visit: its lists begin anew",
    "channel_uses": "open the next visit: its lists begin anew",
    "drop_outs": "remove old drop-outs under Prove, or open the next visit",
    "works": "tick off or remove cables under Change",
}
NAMES = tuple(f.name for f in fields(Job) if f.name not in ("format", "version"))

_HINTS = get_type_hints(Job, include_extras=True)


def _adapter(name: str) -> TypeAdapter[Any]:
    hint = _HINTS[name]
    if name in ENTRYWISE:
        inner = get_args(hint)[0] if hasattr(hint, "__metadata__") else hint
        return TypeAdapter(get_args(inner)[0])
    return TypeAdapter(hint)


_READING = TypeAdapter(Reading)
_ADAPTERS = {name: _adapter(name) for name in NAMES}
_MOST = {
    name: next((m.max_length for m in getattr(_HINTS[name], "__metadata__", ()) if isinstance(m, Len)), None)
    for name in NAMES
}


def entries_of(job: Job, name: str) -> tuple[Any, ...]:
    """The values that a field is kept as: its entries where they are kept one by one, else itself."""
    value = getattr(job, name)
    return tuple(value) if name in ENTRYWISE else (value,)


def encoded(name: str, index: int, value: Any) -> bytes:
    """A part's JSON, read back to see that it can be. BadInput that names the field where it cannot."""
    try:
        text = bytes(_ADAPTERS[name].dump_json(value, warnings="error"))
        again = _ADAPTERS[name].validate_json(text, strict=True)
    except ValidationError as error:
        raise _named(from_validation(error), name, index) from None
    except (ValueError, UnicodeError) as error:
        raise BadInput(_path(name, index), "must be text that can be kept", str(error), "UTF-8") from None
    if again != value:
        # A value of another type that reads as something else, such as a date instead of its text.
        raise BadInput(_path(name, index), "must read back as it was written", value, "values of the job file")
    return text


def encoded_reading(reading: Reading) -> None:
    """Raise BadInput for a reading that could not be read back."""
    try:
        _READING.validate_json(_READING.dump_json(reading, warnings="error"), strict=True)
    except ValidationError as error:
        raise from_validation(error) from None
    except ValueError as error:
        raise BadInput("reading", "must be text that can be kept", str(error), "UTF-8") from None


def decoded(name: str, text: bytes) -> Any:
    """A part's value from its JSON; ValidationError where it does not fit."""
    return _ADAPTERS[name].validate_json(text, strict=True)


def from_parts(values: dict[str, list[Any]]) -> Job:
    """The job of some parts' values by field; a field that has none takes its default."""
    given: dict[str, Any] = {}
    for name, found in values.items():
        if name in ENTRYWISE:
            given[name] = tuple(found)
        elif found:
            given[name] = found[0]
    return Job(**given)


def check_room(job: Job) -> None:
    """Full for the first list of a job that holds more than it may; it says what to do."""
    for name, most in _MOST.items():
        value = getattr(job, name)
        if most is not None and isinstance(value, tuple) and len(value) > most:
            rule = f"is full: it must not hold more than {most}"
            raise Full(name, rule, len(value), ROOM.get(name, "remove some of it, or open the next visit"))


def check_size(size_bytes: int) -> None:
    """Full for a call that is larger than can be worked with."""
    if size_bytes > LARGEST_CALL_BYTES:
        rule = f"is full: it must not be larger than {LARGEST_CALL_BYTES >> 20} MiB"
        raise Full("call", rule, f"{size_bytes / 2**20:.1f} MiB", "remove old scans, or open the next visit")


def digest_of(name: str, text: bytes) -> bytes:
    """What tells one part from another: 16 bytes."""
    return hashlib.blake2b(text, digest_size=16, person=name.encode()[:16]).digest()


def deflate(text: bytes) -> bytes:
    """Text made small."""
    return zlib.compress(text, 6)


def inflate(deflated: bytes, most_bytes: int = LARGEST_PART_BYTES) -> bytes:
    """Text made small, back again. ValueError where it is damaged, or longer than it may be."""
    work = zlib.decompressobj()
    try:
        text = work.decompress(deflated, most_bytes)
    except zlib.error as error:
        raise ValueError(f"damaged: {error}") from None
    if not work.eof or work.unconsumed_tail:
        raise ValueError(f"longer than {most_bytes >> 20} MiB, or cut off")
    return text


def raw_parts(data: dict[str, Any]) -> Iterable[tuple[str, bytes]]:
    """(field, JSON) of every part of a job given as JSON values, without looking at whether it fits."""
    for name in NAMES:
        if name not in data:
            continue
        value = data[name]
        entries = value if name in ENTRYWISE and isinstance(value, list) else [value]
        for entry in entries:
            yield name, json.dumps(entry, ensure_ascii=False, separators=(",", ":")).encode("utf-8", "surrogatepass")


def _path(name: str, index: int) -> str:
    return f"{name}[{index}]" if name in ENTRYWISE else name


def _named(error: BadInput, name: str, index: int) -> BadInput:
    field = "" if error.field == "job file" else error.field
    dot = "." if field and not field.startswith("[") else ""
    return BadInput(f"{_path(name, index)}{dot}{field}", error.rule, error.received, error.accepted)
