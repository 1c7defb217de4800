"""The tables, and how older files become newer ones. Migrations only go forward, each in one transaction."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable

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


def _run(connection: sqlite3.Connection, statements: str) -> None:
    for statement in statements.split(";"):
        if statement.strip():
            connection.execute(statement)


MIGRATIONS: tuple[Callable[[sqlite3.Connection], None], ...] = (
    lambda connection: _run(connection, TABLES_1),
    lambda connection: _run(connection, TABLES_2),
    lambda connection: _run(connection, TABLES_3),
    lambda connection: _run(connection, TABLES_4),
)


def migrate(
    connection: sqlite3.Connection, migrations: tuple[Callable[[sqlite3.Connection], None], ...] = MIGRATIONS
) -> None:
    """Bring a file to the newest version; a step that fails leaves the version before it untouched.

    RuntimeError when the file is newer than this program.
    """
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    if version > len(migrations):
        raise RuntimeError(f"the data file has version {version}; this Even Static reads up to {len(migrations)}")
    for number in range(version, len(migrations)):
        connection.execute("BEGIN IMMEDIATE")
        try:
            migrations[number](connection)
            connection.execute(f"PRAGMA user_version = {number + 1}")
            connection.execute("COMMIT")
        except BaseException:
            connection.execute("ROLLBACK")
            raise
