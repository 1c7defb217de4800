"""Edits of a job as they come over the wire: a patch of its fields, an entry of one of its lists."""

from __future__ import annotations

import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from even_static.core.errors import BadInput
from even_static.core.house.edit import with_past_following
from even_static.core.house.entries import LISTS, entry_of, fresh_key, with_changed, with_entry, without_entry
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job
from even_static.formats.job_file import JOB, from_validation, job_edited

# What an entry is named after, where nobody gives it an identifier.
_CALLED = ("name", "what")


def merge_patched(value: Any, patch: Any) -> Any:
    """A JSON value with a merge patch laid over it: objects field by field, ``null`` empties a field, everything else
    (lists too) takes the other's place. As RFC 7396, but that a field of this format is emptied and not removed."""
    if not isinstance(patch, dict):
        return patch
    base = value if isinstance(value, dict) else {}
    return {**base, **{k: merge_patched(base.get(k), v) for k, v in patch.items()}}


def job_patched(base: Job, patch: dict[str, Any]) -> Job:
    """A job with a merge patch laid over it. Errors as :func:`job_edited`."""
    whole = JOB.dump_python(base, mode="json", include=set(patch))
    return job_edited(base, {k: merge_patched(whole.get(k), v) for k, v in patch.items()})


def entry_added(job: Job, name: str, data: dict[str, Any]) -> Job:
    """A job with one more entry in a list, from JSON values; without an identifier it gets one from its name.

    BadInput names the field, the rule, what came and what is accepted.
    """
    listed = LISTS[name]
    if listed.key == "id" and not data.get("id"):
        called = next((str(data[k]) for k in _CALLED if data.get(k)), name.removesuffix("s"))
        data = {**data, "id": fresh_key(job, name, called)}
    return _settled(with_entry(job, name, _read(name, data)))


def entry_changed(job: Job, name: str, key: str, patch: dict[str, Any]) -> Job:
    """A job with a merge patch laid over an entry of a list; NotFound for an unknown one, BadInput as above."""
    adapter: TypeAdapter[Any] = TypeAdapter(LISTS[name].kind)
    data = merge_patched(adapter.dump_python(entry_of(job, name, key), mode="json"), patch)
    return _settled(with_changed(job, name, key, _read(name, data)))


def entry_removed(job: Job, name: str, key: str) -> Job:
    """A job without an entry of a list and what names it; errors as :func:`without_entry` and the job's own rules."""
    return _settled(without_entry(job, name, key))


def _read(name: str, data: dict[str, Any]) -> Any:
    adapter: TypeAdapter[Any] = TypeAdapter(LISTS[name].kind)
    try:
        return adapter.validate_json(json.dumps(data), strict=True)
    except ValidationError as error:
        found = from_validation(error, data)
        raise BadInput(f"{name}.{found.field}", found.rule, found.received, found.accepted) from None


def _settled(job: Job) -> Job:
    found = with_past_following(job)
    validate_job(found)
    return found
