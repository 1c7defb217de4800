"""The file as a whole: backed up while it is in use, and taken over from a backup, row by row."""

from __future__ import annotations

import json
import os
import secrets
import sqlite3
import time
from collections.abc import Iterable
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import quote

from pydantic import ValidationError

from even_static.core.errors import BadInput, NewerVersion
from even_static.core.progress import OnProgress
from even_static.formats.job_parts import NAMES, decoded, deflate, digest_of, inflate
from even_static.formats.photo import is_kept_photo
from even_static.store.calls import Store
from even_static.store.schema import MIGRATIONS, migrate

LARGEST_BACKUP_BYTES = 16 << 30
# What a backup may grow to when its parts are made plain, and how long that may take.
MOST_PLAIN_BYTES = 16 << 30
LONGEST_RESTORE_S = 1800.0
LARGEST_BLOB_BYTES = 64 << 20
ROWS_AT_ONCE = 500

# Parents before what hangs on them.
_ORDER = ("call", "counter", "revision", "part", "step", "taken_back", "set_aside", "stand_in", "delivery", "photo")


def _quiet(text: str, fraction: float) -> None:
    """No progress is wanted."""


def back_up(store: Store, to: Path, on_progress: OnProgress = _quiet) -> int:
    """Write the whole file to another place while it is in use; the number of calls in it. BadInput where that cannot
    be written."""

    def told(_status: int, remaining: int, total: int) -> None:
        on_progress("writing the backup", 1 - remaining / max(total, 1))

    part = to.with_name(f"{to.name}.{os.getpid()}.part")
    try:
        to.parent.mkdir(parents=True, exist_ok=True)
        part.unlink(missing_ok=True)
        with store.connect() as connection, closing(sqlite3.connect(part)) as target:
            connection.backup(target, pages=2000, progress=told)
            (count,) = target.execute("SELECT count(*) FROM call").fetchone()
        part.replace(to)
    except (OSError, sqlite3.Error) as error:
        part.unlink(missing_ok=True)
        raise BadInput("backup", f"must be a place that can be written to ({error})", str(to), "a file") from None
    return int(count)


def restore(store: Store, source: Path, on_progress: OnProgress = _quiet) -> tuple[int, Path, int]:
    """Take over a backup, while the file may be in use: (calls in it, where the calls of before were put, parts that
    cannot be read and will be set aside when their call is opened).

    Only the rows of our own tables are taken, each looked at. NewerVersion or BadInput where the backup is newer, or
    none of Even Static's, or too large; nothing is touched then. Every restore keeps a copy of its own.
    """
    if not source.is_file():
        raise BadInput("backup", "must be a file that was backed up", str(source), "a backup")
    if source.stat().st_size > LARGEST_BACKUP_BYTES:
        came = f"{source.stat().st_size / 2**30:.1f} GiB"
        raise BadInput(
            "backup", "must not be larger than can be worked with", came, f"{LARGEST_BACKUP_BYTES >> 30} GiB"
        )
    deadline = time.monotonic() + LONGEST_RESTORE_S
    fresh = store.path.with_name(f"{store.path.name}.{os.getpid()}.restoring")
    for leftover in store.path.parent.glob(f"{store.path.name}.*.restoring*"):
        leftover.unlink(missing_ok=True)
    try:
        uri = f"file:{quote(str(source.absolute()))}?mode=ro"
        with closing(sqlite3.connect(uri, uri=True, isolation_level=None)) as other:
            other.execute("PRAGMA trusted_schema = OFF")
            other.execute("PRAGMA query_only = ON")
            other.set_progress_handler(lambda: int(time.monotonic() > deadline), 50_000)
            version = _version(other)
            with closing(sqlite3.connect(fresh, isolation_level=None)) as target:
                target.execute("PRAGMA auto_vacuum = INCREMENTAL")
                target.execute("PRAGMA synchronous = OFF")
                migrate(target, MIGRATIONS[:version])
                _copy(other, target, on_progress, deadline)
                migrate(target)
                bad = _look_at(target, on_progress, deadline)
                target.execute("PRAGMA foreign_keys = ON")
                if target.execute("PRAGMA foreign_key_check").fetchone() is not None:
                    raise BadInput("backup", "must be whole: a row belongs to no call", str(source), "another backup")
                before = _beside(store.path)
                back_up(store, before)
                count = _take_over(store, target)
    except sqlite3.DatabaseError as error:
        if "interrupted" in str(error):
            raise _too_long() from None
        raise BadInput("backup", f"must be a backup of Even Static ({error})", str(source), "a backup") from None
    finally:
        for suffix in ("", "-journal", "-wal", "-shm"):
            fresh.with_name(fresh.name + suffix).unlink(missing_ok=True)
    on_progress("done", 1.0)
    return count, before, bad


def _version(other: sqlite3.Connection) -> int:
    """The version of a backup; BadInput or NewerVersion for a file that is none of ours or newer, or damaged."""
    (version,) = other.execute("PRAGMA user_version").fetchone()
    if version > len(MIGRATIONS):
        rule = "must not be newer than this Even Static can read"
        raise NewerVersion("backup", rule, f"version {version}", f"up to version {len(MIGRATIONS)}")
    kinds = dict(other.execute("SELECT name, type FROM sqlite_master").fetchall())
    if version < 1 or kinds.get("call") != "table":
        raise BadInput("backup", "must be one of Even Static's", "another database", "a backup")
    with closing(sqlite3.connect(":memory:", isolation_level=None)) as ours:
        migrate(ours, MIGRATIONS[:version])
        for table in _tables(ours):
            if kinds.get(table) != "table" or not set(_columns(ours, table)) <= set(_columns(other, table)):
                raise BadInput("backup", f'must have the table "{table}"', kinds.get(table, "none"), "a backup")
    if other.execute("PRAGMA quick_check").fetchone()[0] != "ok":
        raise BadInput("backup", "must be whole", "a damaged file", "another backup")
    return int(version)


def _tables(connection: sqlite3.Connection) -> list[str]:
    found = {n for (n,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    return [t for t in _ORDER if t in found]


def _columns(connection: sqlite3.Connection, table: str) -> list[str]:
    return [row[1] for row in connection.execute(f'PRAGMA table_info("{table}")')]


def _copy(other: sqlite3.Connection, target: sqlite3.Connection, on_progress: OnProgress, deadline: float) -> None:
    """Copy the rows of our tables, column by column as we know them."""
    tables = _tables(target)
    target.execute("BEGIN")
    for i, table in enumerate(tables):
        target.execute(f'DELETE FROM "{table}"')
        columns = _columns(target, table)
        names = ", ".join(f'"{c}"' for c in columns)
        insert = f'INSERT INTO "{table}" ({names}) VALUES ({", ".join("?" * len(columns))})'
        rows = other.execute(f'SELECT {names} FROM "{table}"')
        while batch := rows.fetchmany(ROWS_AT_ONCE):
            if time.monotonic() > deadline:
                raise _too_long()
            for row in batch:
                for column, value in zip(columns, row, strict=True):
                    if isinstance(value, bytes | str) and len(value) > LARGEST_BLOB_BYTES:
                        came = f"{len(value) / 2**20:.0f} MiB"
                        raise BadInput(f"backup, {table}.{column}", "must not be larger than 64 MiB", came, "less")
            target.executemany(insert, batch)
        on_progress("reading the backup", 0.5 * (i + 1) / len(tables))
    target.execute("COMMIT")


def _look_at(target: sqlite3.Connection, on_progress: OnProgress, deadline: float) -> int:
    """Read every part as the application would; how many cannot be. BadInput for steps whose parts are not there, for
    pictures that are none, and for more than can be worked with."""
    names: dict[int, str] = {}
    owner = dict(target.execute("SELECT id, call_id FROM part").fetchall())
    plain = 0
    for call_id, number, contents in target.execute("SELECT call_id, number, contents FROM step"):
        try:
            parts = json.loads(inflate(contents))
            flat = [(str(name), int(i)) for name, ids in parts.items() for i in ids]
        except (ValueError, TypeError, AttributeError):
            raise BadInput("backup", "must have steps that can be read", f"call {call_id}, step {number}", "") from None
        for name, part in flat:
            if owner.get(part) != call_id or name not in NAMES or names.setdefault(part, name) != name:
                raise BadInput("backup", "must have every part of its steps", f"call {call_id}, step {number}", "")
    bad = 0
    target.execute("BEGIN")
    for n, part in enumerate(owner):
        if time.monotonic() > deadline:
            raise _too_long()
        if n % 1000 == 0:
            on_progress("reading its calls", 0.5 + 0.4 * n / max(len(owner), 1))
        if part not in names:
            target.execute("DELETE FROM part WHERE id = ?", (part,))
            continue
        (deflated,) = target.execute("SELECT json_deflated FROM part WHERE id = ?", (part,)).fetchone()
        try:
            text = inflate(deflated)
            plain += len(text)
            if plain > MOST_PLAIN_BYTES:
                rule = "must not grow larger than can be worked with"
                raise BadInput("backup", rule, f"more than {plain >> 30} GiB", f"{MOST_PLAIN_BYTES >> 30} GiB")
            decoded(names[part], text)
        except (ValueError, ValidationError):
            bad += 1
            continue
        target.execute(
            "UPDATE part SET digest = ?, json_deflated = ? WHERE id = ?",
            (digest_of(names[part], text), deflate(text), part),
        )
    for call_id, jpeg in target.execute("SELECT call_id, jpeg FROM photo"):
        if not is_kept_photo(jpeg):
            raise BadInput("backup", "must hold photographs as JPEG", f"call {call_id}", "")
    target.execute("COMMIT")
    return bad


def _take_over(store: Store, target: sqlite3.Connection) -> int:
    """Put the new contents in place of the file's own; numbers of calls that were used here stay used."""
    (count,) = target.execute("SELECT count(*) FROM call").fetchone()
    with store.connect() as connection:
        (used,) = connection.execute("SELECT next FROM counter WHERE name = 'call'").fetchone()
        target.execute(
            "UPDATE counter SET next = max(next, :used, (SELECT coalesce(max(id), 0) + 1 FROM call))"
            " WHERE name = 'call'",
            {"used": used},
        )
        target.execute(
            "INSERT INTO counter (name, next) VALUES ('epoch', :n) ON CONFLICT (name) DO UPDATE SET next = :n",
            {"n": secrets.randbits(60)},
        )
        target.backup(connection)
        connection.execute("PRAGMA journal_mode = WAL")
    return int(count)


def _beside(path: Path) -> Path:
    """Where the calls of before go: a name of its own for each restore."""
    stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%SZ")
    names: Iterable[str] = (
        f"{path.stem}-before-restore-{stamp}{'' if n == 1 else f'-{n}'}{path.suffix}" for n in range(1, 1000)
    )
    return next(p for p in (path.with_name(name) for name in names) if not p.exists())


def _too_long() -> BadInput:
    return BadInput("backup", "must be read within half an hour", "one that takes longer", "a smaller backup")
