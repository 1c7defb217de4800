"""Rows of a call's history, and what is said of them."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from typing import Any, Literal

from even_static.core.errors import NotFound
from even_static.core.house.job import CallKind, Job
from even_static.formats.repair import SetAside
from even_static.store.parts import Opened
from even_static.store.queries import (
    NEWEST_STEP,
    SET_LIVE,
    TAKEN_BACK_BY,
)
from even_static.store.schema import contents_of, folded

CallState = Literal["open", "closed", "archived"]


StepKind = Literal["step", "undo", "redo"]


@dataclass(frozen=True, slots=True, kw_only=True)
class CallLine:
    """A call in the list."""

    id: int
    title: str
    country: str
    complaint: str
    scans: int
    changes: int
    created_at: str
    updated_at: str
    state: CallState
    time_zone: str | None
    kind: CallKind


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryStep:
    """A step of a call's history. ``live``: it still stands; ``done_outside``: boxes or hub were changed."""

    number: int
    made_at: str
    summary: str
    done_outside: bool
    author: str
    kind: StepKind
    live: bool


def step_row(
    call_id: int,
    number: int,
    at: str,
    summary: str,
    author: str,
    kind: StepKind,
    done_outside: bool,
    opened: Opened,
) -> dict[str, object]:
    return {
        "id": call_id,
        "number": number,
        "at": at,
        "summary": summary,
        "author": author,
        "kind": kind,
        "done_outside": int(done_outside),
        "contents": contents_of(opened.parts),
    }


def set_live(connection: sqlite3.Connection, call_id: int, number: int, *, live: bool) -> None:
    """Mark a step as standing or taken back; what it had taken back itself turns the other way."""
    connection.execute(SET_LIVE, {"live": int(live), "id": call_id, "number": number})
    for (other,) in connection.execute(TAKEN_BACK_BY, {"id": call_id, "by": number}).fetchall():
        set_live(connection, call_id, other, live=not live)


def newest_step(connection: sqlite3.Connection, call_id: int) -> int:
    row = connection.execute(NEWEST_STEP, {"id": call_id}).fetchone()
    if row is None:
        raise NotFound("call", "must be one that is stored", call_id, "")
    return int(row[0])


def in_words(others: list[tuple[Any, ...]]) -> str:
    """What others did, in words: "2 steps of phone 1: read the level at hall; read the level at attic"."""
    by: dict[str, list[str]] = {}
    for _, summary, author, _, _ in reversed(others):
        by.setdefault(author, []).append(summary)
    return "; ".join(
        f"{len(said)} {'step' if len(said) == 1 else 'steps'} of {author}: {', '.join(said[:3])}"
        + (" and more" if len(said) > 3 else "")
        for author, said in by.items()
    )[:400]


def not_taken_back(summary: str) -> str:
    return summary.removeprefix("took back: ")


def call_columns(job: Job) -> dict[str, object]:
    return {
        "title": job.title,
        "country": job.country,
        "complaint": job.complaint,
        "scans": len(job.scans),
        "changes": len(job.changes),
        "folded": folded(f"{job.title}\n{job.complaint}"),
        "time_zone": job.time_zone,
        "kind": job.kind,
    }


def like_pattern(search: str) -> str:
    escaped = folded(search).replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{escaped}%"


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredCall:
    """A call as it is now; ``undo`` and ``redo`` say what these would do for the one who asks, or nothing.

    ``set_aside``: parts of it that could not be read and are kept apart.
    """

    id: int
    revision: int
    made_at: str
    job: Job
    undo: str | None
    redo: str | None
    set_aside: tuple[SetAside, ...] = ()
