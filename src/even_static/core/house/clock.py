"""The clock of the house: times are kept with its own offset from UTC, summer time included, so that an hour of the day
means the same to the core, the screens, the report and a calendar."""

from __future__ import annotations

import dataclasses
from dataclasses import replace
from datetime import datetime
from functools import cache
from typing import Any, TypeVar, get_args, get_type_hints
from zoneinfo import ZoneInfo, available_timezones

from annotated_types import Predicate

from even_static.core.errors import BadInput
from even_static.core.house.basics import Timestamp, is_timestamp
from even_static.core.house.job import Job

T = TypeVar("T")


def check_time_zone(name: str | None) -> None:
    """Raise BadInput for a name that the time zone data (IANA) does not know."""
    if name is not None and name not in known_time_zones():
        raise BadInput("time_zone", "must be a time zone of the IANA data", name, "such as Europe/Amsterdam")


@cache
def known_time_zones() -> frozenset[str]:
    """Names of time zones."""
    return frozenset(available_timezones())


def at_the_house(job: Job, time: Timestamp) -> datetime:
    """A time by the house's clock; by its own offset where nobody has said where the house is."""
    at = datetime.fromisoformat(time)
    return at if job.time_zone is None else at.astimezone(ZoneInfo(job.time_zone))


def by_the_house_clock(job: Job, time: Timestamp) -> Timestamp:
    """A time written with the house's own offset; as it is where nobody has said where the house is, or where it is
    written so already."""
    if job.time_zone is None or not is_timestamp(time):
        return time
    was = datetime.fromisoformat(time)
    at = was.astimezone(ZoneInfo(job.time_zone))
    return time if at.utcoffset() == was.utcoffset() and not time.endswith("Z") else at.isoformat()


def with_house_times(job: Job, base: Job | None = None) -> Job:
    """The job with every time written by the house's clock. ``base``: an earlier state of it; what is the same there is
    not looked at again."""
    if job.time_zone is None:
        return job
    check_time_zone(job.time_zone)
    same_clock = base is not None and base.time_zone == job.time_zone
    changed = {}
    for f in dataclasses.fields(Job):
        value = getattr(job, f.name)
        before = getattr(base, f.name) if same_clock else None
        if value is before:
            continue
        if isinstance(value, tuple) and isinstance(before, tuple):
            known = {id(e) for e in before}
            found: Any = tuple(e if id(e) in known else _written(job, e) for e in value)
            if all(a is b for a, b in zip(found, value, strict=True)):
                continue
        else:
            found = by_the_house_clock(job, value) if f.name == "opened_at" and value else _written(job, value)
        if found is not value:
            changed[f.name] = found
    return replace(job, **changed) if changed else job


def _written(job: Job, value: T) -> T:
    """A value of the job with its times by the house's clock; itself where nothing changes."""
    if isinstance(value, tuple):
        found: Any = tuple(_written(job, e) for e in value)
        return value if all(a is b for a, b in zip(found, value, strict=True)) else found
    if not dataclasses.is_dataclass(value) or isinstance(value, type):
        return value
    times, others = _fields(type(value))
    changed: dict[str, Any] = {}
    for name in times:
        time = getattr(value, name)
        if time is not None:
            written = by_the_house_clock(job, time)
            if written != time:
                changed[name] = written
    for name in others:
        inner = getattr(value, name)
        written = _written(job, inner)
        if written is not inner:
            changed[name] = written
    return replace(value, **changed) if changed else value


@cache
def _fields(cls: type) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(fields that are times, fields that may hold some) of a record."""
    hints = get_type_hints(cls, include_extras=True)
    times = tuple(n for n, hint in hints.items() if _is_time(hint))
    return times, tuple(n for n, hint in hints.items() if n not in times and _may_hold(hint))


def _is_time(hint: Any) -> bool:
    marks = getattr(hint, "__metadata__", ())
    if any(isinstance(m, Predicate) and m.func is is_timestamp for m in marks):
        return True
    return any(_is_time(a) for a in get_args(hint)) if type(None) in get_args(hint) else False


def _may_hold(hint: Any) -> bool:
    if isinstance(hint, type):
        return dataclasses.is_dataclass(hint)
    return any(_may_hold(a) for a in get_args(hint))
