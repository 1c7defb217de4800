"""Calls and their revisions."""

from __future__ import annotations

import sqlite3
import threading
import zlib
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Literal

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.job import Job
from even_static.formats.job_file import read_job, write_job
from even_static.formats.photo import packed, unpacked
from even_static.store.schema import migrate

# So many revisions are held ready as values.
KEPT_JOBS = 32

# All calls in one of some states, newest first, whose title or complaint holds a text.
LIST_CALLS = """
SELECT id, title, country, complaint, listens, changes, created_at, updated_at, state
  FROM call
 WHERE (title LIKE :like ESCAPE '\\' OR complaint LIKE :like ESCAPE '\\')
   AND (:state = '' AND state <> 'archived' OR state = :state)
 ORDER BY updated_at DESC, id DESC
 LIMIT :most
"""
# The revision of a call that is shown, and how many there are.
SHOWN_REVISION = """
SELECT c.revision, (SELECT max(number) FROM revision WHERE call_id = c.id), r.summary, r.done_outside, r.job_deflated,
       r.made_at
  FROM call c JOIN revision r ON r.call_id = c.id AND r.number = c.revision
 WHERE c.id = :id
"""
ONE_REVISION = "SELECT summary, done_outside, job_deflated FROM revision WHERE call_id = :id AND number = :number"
INSERT_CALL = """
INSERT INTO call (title, country, complaint, listens, changes, created_at, updated_at, revision)
VALUES (:title, :country, :complaint, :listens, :changes, :at, :at, :revision)
"""
UPDATE_CALL = """
UPDATE call
   SET title = :title, country = :country, complaint = :complaint, listens = :listens, changes = :changes,
       updated_at = :at, revision = :revision
 WHERE id = :id
"""
INSERT_REVISION = """
INSERT INTO revision (call_id, number, made_at, summary, done_outside, job_deflated)
VALUES (:id, :number, :at, :summary, :done_outside, :job)
"""
SET_STATE = "UPDATE call SET state = :state, updated_at = :at WHERE id = :id"
DELIVERED = "SELECT 1 FROM delivery WHERE call_id = :id AND key = :key"
# A key is kept once: sending again what has arrived changes nothing.
INSERT_DELIVERY = "INSERT INTO delivery (call_id, key, revision) VALUES (:id, :key, :revision)"
INSERT_PHOTO = "INSERT OR IGNORE INTO photo (call_id, id, jpeg) VALUES (:call, :id, :jpeg)"
ONE_PHOTO = "SELECT jpeg FROM photo WHERE call_id = :call AND id = :id"
DROP_REDO = "DELETE FROM revision WHERE call_id = :id AND number > :number"
HISTORY = "SELECT number, made_at, summary, done_outside FROM revision WHERE call_id = :id ORDER BY number"


CallState = Literal["open", "closed", "archived"]


@dataclass(frozen=True, slots=True)
class CallLine:
    """A call in the list."""

    id: int
    title: str
    country: str
    complaint: str
    listens: int
    changes: int
    created_at: str
    updated_at: str
    state: CallState


@dataclass(frozen=True, slots=True)
class StoredCall:
    """A call as shown now; ``undo`` and ``redo`` say what these would do, or nothing."""

    id: int
    revision: int
    made_at: str
    job: Job
    undo: str | None
    redo: str | None


class Store:
    """One SQLite file. Safe for several threads: one writes at a time, readers are not held up (WAL)."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._writing = threading.RLock()
        path.parent.mkdir(parents=True, exist_ok=True)
        with self._writing, self._connect() as connection:
            connection.execute("PRAGMA journal_mode = WAL")
            migrate(connection)

    @contextmanager
    def _connect(self) -> Iterator[sqlite3.Connection]:
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
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        with self._writing, self._connect() as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
                connection.execute("COMMIT")
            except BaseException:
                connection.execute("ROLLBACK")
                raise

    # -- calls ---------------------------------------------------------------------------------------------------

    def find(self, search: str = "", most: int = 500, state: CallState | None = None) -> list[CallLine]:
        """Calls whose title or complaint holds a text, newest first: those in a state, else all but archived ones."""
        escaped = search.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        wanted = {"like": f"%{escaped}%", "most": most, "state": state or ""}
        with self._connect() as connection:
            rows = connection.execute(LIST_CALLS, wanted).fetchall()
        return [CallLine(*row) for row in rows]

    def get(self, call_id: int) -> StoredCall:
        """A call; NotFound when there is none."""
        with self._connect() as connection:
            row = connection.execute(SHOWN_REVISION, {"id": call_id}).fetchone()
            if row is None:
                raise NotFound("call", "must be one that is stored", call_id, "")
            number, last, summary, done_outside, deflated, made_at = row
            later = connection.execute(ONE_REVISION, {"id": call_id, "number": number + 1}).fetchone()
        undo = summary if number > 1 and not done_outside else None
        redo = later[0] if number < last and later is not None and not later[1] else None
        return StoredCall(call_id, number, made_at, _inflate(deflated), undo, redo)

    def add(self, job: Job, summary: str = "opened the call") -> StoredCall:
        """Store a new call; photographs that the job carries are checked and kept apart."""
        at = _now()
        job, photos = unpacked(job)
        with self._transaction() as connection:
            cursor = connection.execute(INSERT_CALL, {**_columns(job), "at": at, "revision": 1})
            call_id = int(cursor.lastrowid or 0)
            connection.execute(INSERT_REVISION, _revision(call_id, 1, at, summary, False, job))
            for photo in photos:
                connection.execute(INSERT_PHOTO, {"call": call_id, "id": photo.id, "jpeg": photo.jpeg})
        return self.get(call_id)

    def whole(self, call_id: int) -> Job:
        """A call's job with its photographs, for a file; NotFound when there is no such call."""
        return packed(self.get(call_id).job, lambda photo_id: self.photo(call_id, photo_id))

    def delivered(self, call_id: int, key: str) -> bool:
        """Whether something that a browser sent under a key has arrived before, whatever was done with it since."""
        with self._connect() as connection:
            return connection.execute(DELIVERED, {"id": call_id, "key": key}).fetchone() is not None

    def save(
        self,
        call_id: int,
        job: Job,
        summary: str,
        *,
        on_revision: int,
        done_outside: bool = False,
        delivery_key: str | None = None,
    ) -> StoredCall:
        """Store a change of a call as its next revision, and with it under which key it was delivered.

        BadInput when the call has moved on since ``on_revision``: nothing is overwritten unseen.
        """
        at = _now()
        with self._transaction() as connection:
            row = connection.execute(SHOWN_REVISION, {"id": call_id}).fetchone()
            if row is None:
                raise NotFound("call", "must be one that is stored", call_id, "")
            if row[0] != on_revision:
                raise BadInput(
                    "revision",
                    "must be the newest: the call was changed elsewhere, and is shown as it is now",
                    on_revision,
                    str(row[0]),
                )
            number = on_revision + 1
            connection.execute(DROP_REDO, {"id": call_id, "number": on_revision})
            connection.execute(INSERT_REVISION, _revision(call_id, number, at, summary, done_outside, job))
            connection.execute(UPDATE_CALL, {**_columns(job), "at": at, "revision": number, "id": call_id})
            if delivery_key is not None:
                connection.execute(INSERT_DELIVERY, {"id": call_id, "key": delivery_key, "revision": number})
        return self.get(call_id)

    def step(self, call_id: int, by: int) -> StoredCall:
        """Undo (``by`` -1) or redo (+1) one revision. BadInput when that cannot be."""
        call = self.get(call_id)
        if (call.undo if by < 0 else call.redo) is None:
            raise BadInput(
                "undo" if by < 0 else "redo",
                "must have something to step to; what was sent to boxes is taken back on the boxes",
                "nothing",
                "",
            )
        return self.go_to(call_id, call.revision + by)

    def go_to(self, call_id: int, number: int) -> StoredCall:
        """Show another revision of a call, earlier or later; nothing is lost by it until something is changed there.

        BadInput where the way leads over something that was done on boxes: that is taken back on the boxes.
        """
        call = self.get(call_id)
        lines = {n: (summary, outside) for n, _, summary, outside in self.history(call_id)}
        if number not in lines:
            raise BadInput("number", "must be a step of the call's history", number, f"1 to {max(lines)}")
        over = range(number + 1, call.revision + 1) if number < call.revision else range(call.revision + 1, number + 1)
        stopped = next((n for n in over if lines[n][1]), None)
        if stopped is not None:
            came = f'step {stopped}, "{lines[stopped][0]}"'
            raise BadInput("number", "must not lead over what was done on boxes", came, "take that back on the boxes")
        with self._transaction() as connection:
            row = connection.execute(ONE_REVISION, {"id": call_id, "number": number}).fetchone()
            columns = _columns(_inflate(row[2]))
            connection.execute(UPDATE_CALL, {**columns, "at": _now(), "revision": number, "id": call_id})
        return self.get(call_id)

    def set_state(self, call_id: int, state: CallState) -> None:
        """Close, reopen or archive a call; its contents stay as they are. NotFound when there is none."""
        with self._transaction() as connection:
            if connection.execute(SET_STATE, {"id": call_id, "state": state, "at": _now()}).rowcount == 0:
                raise NotFound("call", "must be one that is stored", call_id, "")

    def copy(self, call_id: int, job: Job, summary: str) -> StoredCall:
        """A new call from another one's job, with its photographs and its simulated house; the other stays as it is."""
        made = self.add(packed(job, lambda photo_id: self.photo(call_id, photo_id)), summary)
        behind = self.stand_in(call_id)
        if behind is not None:
            self.keep_stand_in(made.id, behind)
        return made

    # -- the file as a whole -------------------------------------------------------------------------------------

    def back_up(self, to: Path) -> int:
        """Write the whole file to another place while it is in use; the number of calls in it. BadInput where that
        cannot be written."""
        try:
            to.parent.mkdir(parents=True, exist_ok=True)
            part = to.with_name(to.name + ".part")
            part.unlink(missing_ok=True)
            with self._connect() as connection, closing(sqlite3.connect(part)) as target:
                connection.backup(target)
                (count,) = target.execute("SELECT count(*) FROM call").fetchone()
            part.replace(to)
        except (OSError, sqlite3.Error) as error:
            raise BadInput("backup", f"must be a place that can be written to ({error})", str(to), "a file") from None
        return int(count)

    def restore(self, source: Path) -> tuple[int, Path]:
        """Take over a backup, while this file may be in use: (calls in it, where the calls of before were put).

        BadInput where the backup is none of Even Static's; nothing is changed then.
        """
        if not source.is_file():
            raise BadInput("backup", "must be a file that was backed up", str(source), "a backup")
        try:
            with closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as other:
                if other.execute("PRAGMA quick_check").fetchone()[0] != "ok":
                    raise BadInput("backup", "must be whole", str(source), "another backup")
                (count,) = other.execute("SELECT count(*) FROM call JOIN revision ON call.id = call_id").fetchone()
                (count,) = other.execute("SELECT count(*) FROM call").fetchone()
                before = self.path.with_name(f"{self.path.stem}-before-restore{self.path.suffix}")
                self.back_up(before)
                with self._writing, self._connect() as connection:
                    other.backup(connection)
                    connection.execute("PRAGMA journal_mode = WAL")
                    migrate(connection)
        except sqlite3.DatabaseError as error:
            raise BadInput("backup", f"must be a backup of Even Static ({error})", str(source), "a backup") from None
        return int(count), before

    def delete(self, call_id: int) -> None:
        """Remove a call with its history; NotFound when there is none."""
        with self._transaction() as connection:
            if connection.execute("DELETE FROM call WHERE id = :id", {"id": call_id}).rowcount == 0:
                raise NotFound("call", "must be one that is stored", call_id, "")

    def history(self, call_id: int) -> list[tuple[int, str, str, bool]]:
        """(number, time, what was done, whether boxes were changed) of every revision."""
        with self._connect() as connection:
            rows = connection.execute(HISTORY, {"id": call_id}).fetchall()
        return [(n, at, summary, bool(outside)) for n, at, summary, outside in rows]

    # -- photographs ---------------------------------------------------------------------------------------------

    def keep_photo(self, call_id: int, photo_id: str, jpeg: bytes) -> None:
        """Keep a photograph of a plan with its call; undo may forget where it lay, never the picture."""
        with self._transaction() as connection:
            connection.execute(INSERT_PHOTO, {"call": call_id, "id": photo_id, "jpeg": jpeg})

    def photo(self, call_id: int, photo_id: str) -> bytes:
        """A photograph as JPEG; NotFound when the call has none of that name."""
        with self._connect() as connection:
            row = connection.execute(ONE_PHOTO, {"call": call_id, "id": photo_id}).fetchone()
        if row is None:
            raise NotFound("photo_id", "must be a photograph of the call", photo_id, "")
        return bytes(row[0])

    # -- stand-ins -----------------------------------------------------------------------------------------------

    def stand_in(self, call_id: int) -> str | None:
        """State of the simulated house behind a call, as text; None when there is none yet."""
        with self._connect() as connection:
            row = connection.execute("SELECT state_json FROM stand_in WHERE call_id = :id", {"id": call_id}).fetchone()
        return None if row is None else str(row[0])

    def keep_stand_in(self, call_id: int, state_json: str) -> None:
        """Keep the state of the simulated house behind a call."""
        with self._transaction() as connection:
            connection.execute(
                "INSERT INTO stand_in (call_id, state_json) VALUES (:id, :state)"
                " ON CONFLICT (call_id) DO UPDATE SET state_json = :state",
                {"id": call_id, "state": state_json},
            )


def _columns(job: Job) -> dict[str, object]:
    return {
        "title": job.title,
        "country": job.country,
        "complaint": job.complaint,
        "listens": len(job.listens),
        "changes": len(job.changes),
    }


def _revision(call_id: int, number: int, at: str, summary: str, done_outside: bool, job: Job) -> dict[str, object]:
    deflated = zlib.compress(write_job(job).encode(), 6)
    return {
        "id": call_id,
        "number": number,
        "at": at,
        "summary": summary,
        "done_outside": int(done_outside),
        "job": deflated,
    }


@lru_cache(maxsize=KEPT_JOBS)
def _inflate(deflated: bytes) -> Job:
    """The job of a stored revision; jobs never change, so that the same one is handed out again."""
    return read_job(zlib.decompress(deflated))


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")
