"""The SQLite file: opened and brought up to date, one writer at a time, room given back."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from even_static.core.errors import BadInput, Busy, NotFound
from even_static.store.schema import compact, migrate, set_up_file

# Pages of the file that are given back after a call was deleted, at a time.
PAGES_AT_ONCE = 2000


class DataFile:
    """One SQLite file. Safe for several threads: one writes at a time, readers are not held up (WAL)."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._writing = threading.RLock()
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with self._writing, self.connect() as connection:
                set_up_file(connection)
                migrate(connection)
                compact(connection)
        except OSError as error:
            raise BadInput(
                "data file", f"must be a place that can be written to ({error.strerror})", str(path)
            ) from None
        except sqlite3.DatabaseError as error:
            raise unusable(path, error) from None

    @contextmanager
    def connect(self) -> Iterator[sqlite3.Connection]:
        """A connection to the file, closed in the end. Busy while somebody else keeps it, or there is no room."""
        connection = sqlite3.connect(self.path, timeout=5.0, isolation_level=None)
        try:
            connection.execute("PRAGMA foreign_keys = ON")
            connection.execute("PRAGMA synchronous = NORMAL")
            yield connection
        except OverflowError:
            # SQLite's numbers end at 64 bits; no call has such a one.
            raise NotFound("call", "must be one that is stored", "a number of more than 64 bits", "") from None
        finally:
            connection.close()

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        with self._writing, self.connect() as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
                connection.execute("COMMIT")
            except BaseException:
                connection.execute("ROLLBACK")
                raise

    def give_space_back(self) -> None:
        """Hand the file's empty pages back, some at a time so that nobody waits for it."""
        with self._writing, self.connect() as connection:
            try:
                while connection.execute("PRAGMA freelist_count").fetchone()[0]:
                    left = connection.execute("PRAGMA freelist_count").fetchone()[0]
                    connection.execute(f"PRAGMA incremental_vacuum({PAGES_AT_ONCE})").fetchall()
                    if connection.execute("PRAGMA freelist_count").fetchone()[0] == left:
                        break
                connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
            except sqlite3.OperationalError:
                # Somebody else is at it: the next deletion takes it along.
                return


def unusable(path: Path, error: sqlite3.DatabaseError) -> BadInput | Busy:
    """What to say of a file that cannot be opened."""
    if "locked" in str(error) or "busy" in str(error):
        return Busy("data file", "is kept by another program; end it, or wait, and start again", str(path), "")
    return BadInput(
        "data file", f"must be one of Even Static's that is whole ({error})", str(path), "a backup, by restore"
    )
