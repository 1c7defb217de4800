"""The tables, and how older files become newer ones. Migrations only go forward, each in one transaction."""

from __future__ import annotations

import base64
import json
import sqlite3
import time
import unicodedata
import zlib
from collections.abc import Callable

from even_static.core.errors import NewerVersion
from even_static.formats.job_parts import deflate, digest_of, inflate, raw_parts
from even_static.formats.upgrade import FIELDS_1_TO_2, upgraded, upgraded_field

# A call of an older file is not longer than this when it is made plain.
LARGEST_OLD_CALL_BYTES = 256 << 20
# Several programs may start on one new file at once: each waits this long for the others.
START_WAIT_S = 20.0

TABLES_1 = """
CREATE TABLE call (
  id            INTEGER PRIMARY KEY,
  title         TEXT NOT NULL,
  country       TEXT NOT NULL,
  complaint     TEXT NOT NULL,
  listens       INTEGER NOT NULL,
  changes       INTEGER NOT NULL,
  created_at    TEXT NOT NULL,               -- ISO 8601, UTC
  updated_at    TEXT NOT NULL,
  revision      INTEGER NOT NULL             -- the revision that is shown, later ones can be redone
) STRICT;
CREATE INDEX call_by_update ON call (updated_at DESC, id DESC);

CREATE TABLE revision (
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  number        INTEGER NOT NULL,            -- 1, 2, ... in the order made
  made_at       TEXT NOT NULL,
  summary       TEXT NOT NULL,               -- what was done, in words
  done_outside  INTEGER NOT NULL,            -- 1 when boxes or hub were changed: cannot be undone on paper alone
  job_deflated  BLOB NOT NULL,               -- the job file, zlib
  PRIMARY KEY (call_id, number)
) STRICT, WITHOUT ROWID;

CREATE TABLE stand_in (
  call_id       INTEGER PRIMARY KEY REFERENCES call (id) ON DELETE CASCADE,
  state_json    TEXT NOT NULL                -- the simulated house behind this call
) STRICT;
"""


TABLES_2 = """
CREATE TABLE delivery (
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  key           TEXT NOT NULL,               -- what a browser calls a reading that it sends, perhaps more than once
  revision      INTEGER NOT NULL,            -- the revision that it became
  PRIMARY KEY (call_id, key)
) STRICT, WITHOUT ROWID;
"""


TABLES_3 = """
CREATE TABLE photo (
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  id            TEXT NOT NULL,               -- follows from the bytes: the same picture is kept once
  jpeg          BLOB NOT NULL,               -- checked and made anew, nothing of what the camera wrote beside it
  PRIMARY KEY (call_id, id)
) STRICT, WITHOUT ROWID;
"""


TABLES_4 = """
ALTER TABLE call ADD COLUMN state TEXT NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'closed', 'archived'))
"""


TABLES_5 = """
-- Title and complaint without case and accents, as searches compare them.
ALTER TABLE call ADD COLUMN folded TEXT NOT NULL DEFAULT '';
ALTER TABLE call ADD COLUMN time_zone TEXT;
CREATE TABLE counter (
  name          TEXT PRIMARY KEY,
  next          INTEGER NOT NULL             -- the next call's number: one that was used is never used again
) STRICT, WITHOUT ROWID;
INSERT INTO counter (name, next) SELECT 'call', coalesce(max(id), 0) + 1 FROM call;

CREATE TABLE part (
  id            INTEGER PRIMARY KEY,
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  digest        BLOB NOT NULL,               -- of field and plain JSON: what is alike is kept once
  json_deflated BLOB NOT NULL,               -- a field of the job, or an entry of one of its long lists, zlib
  UNIQUE (call_id, digest)
) STRICT;

CREATE TABLE step (
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  number        INTEGER NOT NULL,            -- 1, 2, ... in the order made; none is ever taken out
  made_at       TEXT NOT NULL,
  summary       TEXT NOT NULL,               -- what was done, in words
  author        TEXT NOT NULL,               -- this computer, a phone, the command line
  kind          TEXT NOT NULL CHECK (kind IN ('step', 'undo', 'redo')),
  live          INTEGER NOT NULL,            -- 0 when a later step has taken it back
  done_outside  INTEGER NOT NULL,            -- 1 when boxes or hub were changed: cannot be undone on paper alone
  contents      BLOB NOT NULL,               -- {"title": [3], "listens": [4, 5], ...}: the job by its parts, zlib
  PRIMARY KEY (call_id, number)
) STRICT, WITHOUT ROWID;
CREATE INDEX step_by_author ON step (call_id, author, kind, live, number);

CREATE TABLE taken_back (
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  by_number     INTEGER NOT NULL,            -- the step that took others back
  number        INTEGER NOT NULL,            -- one of those
  PRIMARY KEY (call_id, by_number, number)
) STRICT, WITHOUT ROWID;

CREATE TABLE set_aside (
  call_id       INTEGER NOT NULL REFERENCES call (id) ON DELETE CASCADE,
  number        INTEGER NOT NULL,            -- the step that it was found in
  field         TEXT NOT NULL,
  rule          TEXT NOT NULL,               -- why it could not be read
  json_deflated BLOB NOT NULL                -- what it held, zlib
) STRICT;
"""


TABLES_6 = """
ALTER TABLE call RENAME COLUMN listens TO scans;
-- A real house, or a practice house with simulated instruments: chosen when the call is opened.
ALTER TABLE call ADD COLUMN kind TEXT NOT NULL DEFAULT 'real' CHECK (kind IN ('real', 'practice'));
UPDATE call SET kind = 'practice' WHERE id IN (SELECT call_id FROM stand_in)
"""


def folded(text: str) -> str:
    """Text as searches compare it: without case, accents and other marks."""
    plain = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in plain if not unicodedata.combining(c)).casefold()


def _run(connection: sqlite3.Connection, statements: str) -> None:
    for statement in statements.split(";\n"):
        if statement.strip():
            connection.execute(statement)


def put_part(connection: sqlite3.Connection, call_id: int, name: str, text: bytes) -> int:
    """The identifier of a part, which is written where it is not there yet."""
    digest = digest_of(name, text)
    found = connection.execute(
        "SELECT id FROM part WHERE call_id = :call AND digest = :digest", {"call": call_id, "digest": digest}
    ).fetchone()
    if found is not None:
        return int(found[0])
    cursor = connection.execute(
        "INSERT INTO part (call_id, digest, json_deflated) VALUES (:call, :digest, :json)",
        {"call": call_id, "digest": digest, "json": deflate(text)},
    )
    return int(cursor.lastrowid or 0)


def contents_of(parts: dict[str, list[int]]) -> bytes:
    """A step's contents as they are written: parts by field."""
    return deflate(json.dumps(parts, separators=(",", ":")).encode())


def _to_parts(connection: sqlite3.Connection) -> None:
    """Version 5: every revision as parts that revisions share. What cannot be read is kept as it is; it is set aside
    when somebody opens it."""
    _run(connection, TABLES_5)
    for call_id, title, complaint in connection.execute("SELECT id, title, complaint FROM call").fetchall():
        connection.execute(
            "UPDATE call SET folded = :folded WHERE id = :id",
            {"folded": folded(f"{title}\n{complaint}"), "id": call_id},
        )
    numbers = connection.execute("SELECT call_id, number FROM revision ORDER BY call_id, number").fetchall()
    for call_id, number in numbers:
        made_at, summary, outside, deflated = connection.execute(
            "SELECT made_at, summary, done_outside, job_deflated FROM revision WHERE call_id = ? AND number = ?",
            (call_id, number),
        ).fetchone()
        parts: dict[str, list[int]] = {}
        plain = _plain(deflated)
        if not plain:
            kept = json.dumps(base64.b64encode(deflated).decode()).encode()
            connection.execute(
                "INSERT INTO set_aside (call_id, number, field, rule, json_deflated) VALUES (?, ?, 'call', ?, ?)",
                (call_id, number, f"step {number} could not be read: its bytes, in base64", deflate(kept)),
            )
        for name, text in raw_parts(upgraded(plain)):
            parts.setdefault(name, []).append(put_part(connection, call_id, name, text))
        connection.execute(
            "INSERT INTO step (call_id, number, made_at, summary, author, kind, live, done_outside, contents)"
            " VALUES (?, ?, ?, ?, 'this computer', 'step', 1, ?, ?)",
            (call_id, number, made_at, summary, outside, contents_of(parts)),
        )
    # Where somebody had undone, what is shown becomes the newest step: nothing that could be redone is lost.
    undone = connection.execute(
        "SELECT c.id, c.revision, max(r.number) FROM call c JOIN revision r ON r.call_id = c.id"
        " GROUP BY c.id HAVING max(r.number) > c.revision"
    ).fetchall()
    for call_id, shown, last in undone:
        connection.execute(
            "INSERT INTO step (call_id, number, made_at, summary, author, kind, live, done_outside, contents)"
            " SELECT call_id, :new, made_at, 'went back to step ' || :shown, author, 'undo', 1, 0, contents FROM step"
            "  WHERE call_id = :id AND number = :shown",
            {"id": call_id, "shown": shown, "new": last + 1},
        )
        connection.execute(
            "INSERT INTO taken_back (call_id, by_number, number)"
            " SELECT call_id, :new, number FROM step WHERE call_id = :id AND number > :shown AND number <= :last",
            {"id": call_id, "shown": shown, "new": last + 1, "last": last},
        )
        connection.execute(
            "UPDATE step SET live = 0 WHERE call_id = :id AND number > :shown AND number <= :last",
            {"id": call_id, "shown": shown, "last": last},
        )
        connection.execute("UPDATE call SET revision = :new WHERE id = :id", {"id": call_id, "new": last + 1})
    connection.execute("DROP TABLE revision")


def _plain(deflated: bytes) -> dict[str, object]:
    """The JSON values of a job as versions before 5 kept them; nothing where they cannot be read at all."""
    try:
        work = zlib.decompressobj()
        found = json.loads(work.decompress(deflated, LARGEST_OLD_CALL_BYTES))
    except (zlib.error, ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def _to_job_version_2(connection: sqlite3.Connection) -> None:
    """Version 6: parts, and simulated houses, under the names of job files of version 2; calls with a simulated house
    become practice calls."""
    _run(connection, TABLES_6)
    practice = {i for (i,) in connection.execute("SELECT call_id FROM stand_in")}
    renamed: dict[int, int] = {}
    for call_id, number, contents in connection.execute("SELECT call_id, number, contents FROM step").fetchall():
        old: dict[str, list[int]] = json.loads(inflate(contents))
        new: dict[str, list[int]] = {}
        for name, ids in old.items():
            field = FIELDS_1_TO_2.get(name, name)
            for part in ids:
                if part not in renamed:
                    renamed[part] = _upgraded_part(connection, call_id, part, field)
            new[field] = [renamed[part] for part in ids]
        if call_id in practice:
            new["kind"] = [put_part(connection, call_id, "kind", b'"practice"')]
        connection.execute(
            "UPDATE step SET contents = :contents WHERE call_id = :id AND number = :number",
            {"contents": contents_of(new), "id": call_id, "number": number},
        )
    gone = [{"id": a} for a, b in renamed.items() if a != b]
    connection.executemany("DELETE FROM part WHERE id = :id", gone)
    for call_id, state in connection.execute("SELECT call_id, state_json FROM stand_in").fetchall():
        try:
            text = json.dumps(upgraded_field("stand_in", json.loads(state)))
        except (ValueError, RecursionError):
            continue
        connection.execute("UPDATE stand_in SET state_json = :s WHERE call_id = :id", {"s": text, "id": call_id})


def _upgraded_part(connection: sqlite3.Connection, call_id: int, part: int, field: str) -> int:
    """The identifier of a part under the names of version 2: its own where nothing in it is renamed. What cannot be
    read stays; it is set aside when somebody opens the call."""
    row = connection.execute("SELECT json_deflated FROM part WHERE id = :id", {"id": part}).fetchone()
    try:
        old = json.loads(inflate(row[0])) if row is not None else None
    except (ValueError, RecursionError):
        return part
    new = 2 if field == "version" else upgraded_field(field, old)
    if row is None or (new == old and field not in FIELDS_1_TO_2.values()):
        return part
    text = json.dumps(new, ensure_ascii=False, separators=(",", ":")).encode("utf-8", "surrogatepass")
    return put_part(connection, call_id, field, text)


MIGRATIONS: tuple[Callable[[sqlite3.Connection], None], ...] = (
    lambda connection: _run(connection, TABLES_1),
    lambda connection: _run(connection, TABLES_2),
    lambda connection: _run(connection, TABLES_3),
    lambda connection: _run(connection, TABLES_4),
    _to_parts,
    _to_job_version_2,
)


def migrate(
    connection: sqlite3.Connection, migrations: tuple[Callable[[sqlite3.Connection], None], ...] = MIGRATIONS
) -> None:
    """Bring a file to the newest version; a step that fails leaves the version before it untouched.

    The version is looked at inside the transaction, so that several programs can start on one file at once.
    NewerVersion when the file is newer than this program.
    """
    while True:
        _begin(connection)
        try:
            (version,) = connection.execute("PRAGMA user_version").fetchone()
            if version > len(migrations):
                rule = "must not be newer than this Even Static can read"
                raise NewerVersion("data file", rule, f"version {version}", f"up to version {len(migrations)}")
            if version < len(migrations):
                migrations[version](connection)
                connection.execute(f"PRAGMA user_version = {version + 1}")
            connection.execute("COMMIT")
        except BaseException:
            connection.execute("ROLLBACK")
            raise
        if version + 1 >= len(migrations):
            return


def _begin(connection: sqlite3.Connection) -> None:
    """Begin to write, waiting for others that start on the file at the same time."""
    deadline = time.monotonic() + START_WAIT_S
    while True:
        try:
            connection.execute("BEGIN IMMEDIATE")
            return
        except sqlite3.OperationalError as error:
            if "locked" not in str(error) or time.monotonic() > deadline:
                raise
            time.sleep(0.05)


def set_up_file(connection: sqlite3.Connection) -> None:
    """Make a file write ahead (readers are not held up), and give space back when calls are deleted."""
    deadline = time.monotonic() + START_WAIT_S
    while True:
        try:
            # Takes effect on a new file only; an older one is rewritten once by `compact`.
            connection.execute("PRAGMA auto_vacuum = INCREMENTAL")
            connection.execute("PRAGMA journal_mode = WAL")
            return
        except sqlite3.OperationalError as error:
            if "locked" not in str(error) or time.monotonic() > deadline:
                raise
            time.sleep(0.05)


def compact(connection: sqlite3.Connection) -> None:
    """Rewrite an older file once, so that it gives back the space of deleted calls. Left for the next start where
    somebody else uses it, or there is no room."""
    if connection.execute("PRAGMA auto_vacuum").fetchone()[0] == 2:
        return
    try:
        connection.execute("PRAGMA auto_vacuum = INCREMENTAL")
        connection.execute("VACUUM")
    except sqlite3.OperationalError:
        return
