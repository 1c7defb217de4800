"""A step's job kept in parts: read from them, and written where they are not there yet."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from even_static.core.errors import BadInput
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job
from even_static.formats.job_parts import (
    ENTRYWISE,
    NAMES,
    check_room,
    check_size,
    decoded,
    encoded,
    entries_of,
    from_parts,
    inflate,
)
from even_static.formats.repair import SetAside, opened_with_the_rest
from even_static.store.queries import (
    PARTS,
)
from even_static.store.schema import put_part

Parts = dict[str, list[int]]


@dataclass(frozen=True, slots=True)
class Opened:
    """A step's job, by which parts it is kept, how long these are, and what could not be read of it."""

    job: Job
    parts: Parts
    sizes: dict[int, int]
    aside: tuple[SetAside, ...]


def read_parts(connection: sqlite3.Connection, call_id: int, parts: Parts, alike: Opened | None) -> Opened:
    """The job of some parts. What another step has in common with it is taken from there; what cannot be read is set
    aside."""
    at_hand: dict[int, Any] = {}
    sizes: dict[int, int] = {}
    if alike is not None:
        for name, ids in alike.parts.items():
            at_hand.update(zip(ids, entries_of(alike.job, name), strict=True))
        sizes.update(alike.sizes)
    wanted = [i for ids in parts.values() for i in ids if i not in at_hand]
    texts: dict[int, bytes] = {}
    broken: list[SetAside] = []
    for part_id, deflated in connection.execute(PARTS, {"id": call_id, "ids": json.dumps(wanted)}):
        try:
            texts[part_id] = inflate(deflated)
            sizes[part_id] = len(texts[part_id])
        except ValueError as error:
            broken.append(SetAside("call", str(error), '""'))
    missing = [i for i in wanted if i not in texts]
    try:
        if missing:
            raise ValueError("parts are missing")
        values = {
            name: [at_hand[i] if i in at_hand else decoded(name, texts[i]) for i in ids]
            for name, ids in parts.items()
            if name in NAMES
        }
        job = from_parts(values)
        validate_job(job)
        return Opened(job, parts, {i: sizes[i] for ids in parts.values() for i in ids}, ())
    except (ValidationError, BadInput, ValueError, TypeError):
        pass
    data: dict[str, Any] = {}
    for name, ids in parts.items():
        entries = []
        for i in ids:
            if i in at_hand:
                entries.append(json.loads(encoded(name, 0, at_hand[i])))
            elif i in texts:
                try:
                    entries.append(json.loads(texts[i].decode("utf-8", "replace")))
                except (ValueError, RecursionError) as error:
                    broken.append(SetAside(name, f"must be JSON: {error}", json.dumps(texts[i].decode("latin-1"))))
        if name in ENTRYWISE:
            data[name] = entries
        elif entries:
            data[name] = entries[0]
    data = {"title": "untitled", "country": "00", **data}
    job, aside = opened_with_the_rest(data)
    return Opened(job, {}, {}, (*broken, *aside))


def texts_of(job: Job, base: Opened | None) -> dict[tuple[str, int], bytes]:
    """The JSON of the parts of a job that another one does not have, by field and place, each read back; BadInput for
    what cannot be, Full where there is too much of it."""
    check_room(job)
    known = _places(base)
    found, size = {}, 0
    for name in NAMES:
        for n, value in enumerate(entries_of(job, name)):
            part = known.get((name, id(value)))
            if part is None:
                found[name, n] = encoded(name, n, value)
                size += len(found[name, n])
            else:
                assert base is not None
                size += base.sizes[part]
    check_size(size)
    return found


def _places(base: Opened | None) -> dict[tuple[str, int], int]:
    """Parts by the very values that they hold."""
    if base is None:
        return {}
    return {
        (name, id(value)): part
        for name, ids in base.parts.items()
        for part, value in zip(ids, entries_of(base.job, name), strict=True)
    }


def put_parts(
    connection: sqlite3.Connection,
    call_id: int,
    job: Job,
    fresh: dict[tuple[str, int], bytes],
    base: Opened | None,
) -> Opened:
    """Write the parts of a job that are not there yet."""
    known = _places(base)
    parts: Parts = {}
    sizes: dict[int, int] = {}
    for name in NAMES:
        parts[name] = []
        for n, value in enumerate(entries_of(job, name)):
            text = fresh.get((name, n))
            if text is None:
                assert base is not None
                part = known[name, id(value)]
                sizes[part] = base.sizes[part]
            else:
                part = put_part(connection, call_id, name, text)
                sizes[part] = len(text)
            parts[name].append(part)
    return Opened(job, parts, sizes, ())
