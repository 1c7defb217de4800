"""Calls and their steps. Nothing stored is ever overwritten: undo, redo and going back are steps of their own."""

from __future__ import annotations

import json
import sqlite3
import threading
from collections import OrderedDict
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

from pydantic import ValidationError

from even_static.core.errors import BadInput, Busy, Conflict, NotFound
from even_static.core.house.clock import with_house_times
from even_static.core.house.job import Job
from even_static.core.house.merge import merged
from even_static.core.house.validate import validate_job
from even_static.formats.job_parts import (
    ENTRYWISE,
    NAMES,
    check_room,
    check_size,
    decoded,
    deflate,
    encoded,
    entries_of,
    from_parts,
    inflate,
)
from even_static.formats.photo import packed, unpacked
from even_static.formats.repair import SetAside, opened_with_the_rest
from even_static.store.schema import compact, contents_of, folded, migrate, put_part, set_up_file

# So many jobs are held ready as values; steps of one call share what is alike.
KEPT_JOBS = 32
# Who does things at this computer; phones and the command line are told by a name of their own.
HERE = "this computer"
# Pages of the file that are given back after a call was deleted, at a time.
PAGES_AT_ONCE = 2000

# All calls in one of some states, newest first, whose title or complaint holds a text, from a place in the list on.
LIST_CALLS = """
SELECT id, title, country, complaint, listens, changes, created_at, updated_at, state, time_zone
  FROM call
 WHERE folded LIKE :like ESCAPE '\\'
   AND (:state = '' AND state <> 'archived' OR state = :state)
 ORDER BY updated_at DESC, id DESC
 LIMIT :most OFFSET :skip
"""
COUNT_CALLS = """
SELECT count(*) FROM call
 WHERE folded LIKE :like ESCAPE '\\' AND (:state = '' AND state <> 'archived' OR state = :state)
"""
NEWEST_STEP = "SELECT revision FROM call WHERE id = :id"
ONE_STEP = "SELECT made_at, contents FROM step WHERE call_id = :id AND number = :number"
PARTS = "SELECT id, json_deflated FROM part WHERE call_id = :id AND id IN (SELECT value FROM json_each(:ids))"
# The last thing that somebody did and that still stands, up to a step, when nothing was done on boxes since.
UNDO_OF = """
SELECT number, summary FROM step s
 WHERE call_id = :id AND author = :author AND kind = 'step' AND live = 1 AND number > 1 AND number <= :upto
   AND NOT EXISTS (SELECT 1 FROM step WHERE call_id = :id AND number >= s.number AND done_outside = 1 AND live = 1)
 ORDER BY number DESC LIMIT 1
"""
# The last thing that somebody took back and that still stands so, when they have done nothing since.
REDO_OF = """
SELECT number, summary FROM step s
 WHERE call_id = :id AND author = :author AND kind = 'undo' AND live = 1 AND number <= :upto
   AND NOT EXISTS (SELECT 1 FROM step WHERE call_id = :id AND number > s.number AND author = :author
                      AND kind = 'step' AND live = 1)
   AND NOT EXISTS (SELECT 1 FROM step WHERE call_id = :id AND number > s.number AND done_outside = 1 AND live = 1)
 ORDER BY number DESC LIMIT 1
"""
# What still stands after a step.
AFTER = """
SELECT number, summary, author, kind, done_outside FROM step
 WHERE call_id = :id AND number > :number AND live = 1 ORDER BY number DESC
"""
TAKE_BACK = "INSERT INTO taken_back (call_id, by_number, number) VALUES (:id, :by, :number)"
SET_LIVE = "UPDATE step SET live = :live WHERE call_id = :id AND number = :number"
TAKEN_BACK_BY = "SELECT number FROM taken_back WHERE call_id = :id AND by_number = :by"
INSERT_CALL = """
INSERT INTO call
       (id, title, country, complaint, listens, changes, created_at, updated_at, revision, folded, time_zone)
VALUES (:id, :title, :country, :complaint, :listens, :changes, :at, :at, :revision, :folded, :time_zone)
"""
NEXT_CALL = "UPDATE counter SET next = next + 1 WHERE name = 'call' RETURNING next - 1"
UPDATE_CALL = """
UPDATE call
   SET title = :title, country = :country, complaint = :complaint, listens = :listens, changes = :changes,
       updated_at = :at, revision = :revision, folded = :folded, time_zone = :time_zone
 WHERE id = :id
"""
INSERT_STEP = """
INSERT INTO step (call_id, number, made_at, summary, author, kind, live, done_outside, contents)
VALUES (:id, :number, :at, :summary, :author, :kind, 1, :done_outside, :contents)
"""
SET_STATE = "UPDATE call SET state = :state, updated_at = :at WHERE id = :id"
# A delivery has arrived while the step that it became still stands.
DELIVERED = """
SELECT 1 FROM delivery d JOIN step s ON s.call_id = d.call_id AND s.number = d.revision
 WHERE d.call_id = :id AND d.key = :key AND s.live = 1
"""
INSERT_DELIVERY = """
INSERT INTO delivery (call_id, key, revision) VALUES (:id, :key, :revision)
    ON CONFLICT (call_id, key) DO UPDATE SET revision = :revision
"""
INSERT_PHOTO = "INSERT OR IGNORE INTO photo (call_id, id, jpeg) VALUES (:call, :id, :jpeg)"
ONE_PHOTO = "SELECT jpeg FROM photo WHERE call_id = :call AND id = :id"
HISTORY = """
SELECT number, made_at, summary, done_outside, author, kind, live FROM step
 WHERE call_id = :id AND number < :before ORDER BY number DESC LIMIT :most
"""
INSERT_ASIDE = """
INSERT INTO set_aside (call_id, number, field, rule, json_deflated) VALUES (:id, :number, :field, :rule, :json)
"""
ASIDE = "SELECT field, rule, json_deflated FROM set_aside WHERE call_id = :id ORDER BY rowid LIMIT 1000"

CallState = Literal["open", "closed", "archived"]
StepKind = Literal["step", "undo", "redo"]
Parts = dict[str, list[int]]
# Which file (a restored one is another), call, step, and when that was made.
_Key = tuple[int, int, int, str]


@dataclass(frozen=True, slots=True, kw_only=True)
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
    time_zone: str | None


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


@dataclass(frozen=True, slots=True)
class _Opened:
    """A step's job, by which parts it is kept, how long these are, and what could not be read of it."""

    job: Job
    parts: Parts
    sizes: dict[int, int]
    aside: tuple[SetAside, ...]


class Store:
    """One SQLite file. Safe for several threads: one writes at a time, readers are not held up (WAL)."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._writing = threading.RLock()
        self._opened: OrderedDict[_Key, _Opened] = OrderedDict()
        self._opening = threading.Lock()
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
            raise _unusable(path, error) from None

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
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        with self._writing, self.connect() as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
                connection.execute("COMMIT")
            except BaseException:
                connection.execute("ROLLBACK")
                raise

    # -- calls ---------------------------------------------------------------------------------------------------

    def find(
        self, search: str = "", most: int = 200, state: CallState | None = None, *, skip: int = 0
    ) -> list[CallLine]:
        """Calls whose title or complaint holds a text (case and accents aside), newest first: those in a state, else
        all but archived ones; ``skip``: so many of the first are left out."""
        wanted = {"like": _like(search), "most": most, "state": state or "", "skip": skip}
        with self.connect() as connection:
            rows = connection.execute(LIST_CALLS, wanted).fetchall()
        names = CallLine.__dataclass_fields__
        return [CallLine(**dict(zip(names, row, strict=True))) for row in rows]

    def count(self, search: str = "", state: CallState | None = None) -> int:
        """How many calls :meth:`find` has to show."""
        with self.connect() as connection:
            (count,) = connection.execute(COUNT_CALLS, {"like": _like(search), "state": state or ""}).fetchone()
        return int(count)

    def get(self, call_id: int, author: str = HERE) -> StoredCall:
        """A call; NotFound when there is none."""
        with self.connect() as connection:
            return self._get(connection, call_id, author)

    def _get(self, connection: sqlite3.Connection, call_id: int, author: str) -> StoredCall:
        number = _newest(connection, call_id)
        opened, made_at = self._open(connection, call_id, number)
        who = {"id": call_id, "author": author, "upto": number}
        undo = connection.execute(UNDO_OF, who).fetchone()
        redo = connection.execute(REDO_OF, who).fetchone()
        aside = [
            SetAside(f, r, inflate(j).decode("utf-8", "replace"))
            for f, r, j in connection.execute(ASIDE, {"id": call_id})
        ]
        return StoredCall(
            id=call_id,
            revision=number,
            made_at=made_at,
            job=opened.job,
            undo=undo[1] if undo else None,
            redo=_again(redo[1]) if redo else None,
            set_aside=(*aside, *opened.aside),
        )

    def job_at(self, call_id: int, number: int) -> Job:
        """A call's job as it was after a step; NotFound when there is no such step."""
        with self.connect() as connection:
            return self._open(connection, call_id, number)[0].job

    def _open(self, connection: sqlite3.Connection, call_id: int, number: int) -> tuple[_Opened, str]:
        """A step's job, and when the step was made."""
        row = connection.execute(ONE_STEP, {"id": call_id, "number": number}).fetchone()
        if row is None:
            raise NotFound("number", "must be a step of the call's history", number, "")
        made_at, contents = row
        epoch = _epoch(connection)
        key = (epoch, call_id, number, made_at)
        with self._opening:
            found = self._opened.get(key)
            if found is not None:
                self._opened.move_to_end(key)
        if found is None:
            found = _read(connection, call_id, json.loads(inflate(contents)), self._alike(epoch, call_id))
            if not connection.in_transaction:
                self._keep(key, found)
        return found, made_at

    def _alike(self, epoch: int, call_id: int) -> _Opened | None:
        """Another step of the call that is at hand: what is alike need not be read again."""
        with self._opening:
            opened = reversed(self._opened.items())
            return next((o for k, o in opened if k[:2] == (epoch, call_id) and not o.aside), None)

    def _keep(self, key: _Key, opened: _Opened) -> None:
        with self._opening:
            self._opened[key] = opened
            while len(self._opened) > KEPT_JOBS:
                self._opened.popitem(last=False)

    def add(self, job: Job, summary: str = "opened the call", author: str = HERE) -> StoredCall:
        """Store a new call; photographs that the job carries are checked and kept apart.

        BadInput for a job that could not be read back, Full for one that is too large.
        """
        at = _now()
        job, photos = unpacked(job)
        validate_job(job)
        job = with_house_times(job)
        fresh = _texts(job, None)
        with self._transaction() as connection:
            (call_id,) = connection.execute(NEXT_CALL).fetchone()
            connection.execute(INSERT_CALL, {**_columns(job), "id": call_id, "at": at, "revision": 1})
            opened = _put(connection, call_id, job, fresh, None)
            connection.execute(INSERT_STEP, _step(call_id, 1, at, summary, author, "step", False, opened))
            for photo in photos:
                connection.execute(INSERT_PHOTO, {"call": call_id, "id": photo.id, "jpeg": photo.jpeg})
            key = (_epoch(connection), call_id, 1, at)
        self._keep(key, opened)
        return self.get(call_id, author)

    def whole(self, call_id: int) -> Job:
        """A call's job with its photographs, for a file; NotFound when there is no such call."""
        return packed(self.get(call_id).job, lambda photo_id: self.photo(call_id, photo_id))

    def delivered(self, call_id: int, key: str) -> bool:
        """Whether something that a browser sent under a key has arrived, and still stands."""
        with self.connect() as connection:
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
        author: str = HERE,
    ) -> StoredCall:
        """Store a change of a call as its next step, and with it under which key it was delivered.

        Conflict when the call has moved on since ``on_revision``: nothing is overwritten unseen. BadInput for a job
        that could not be read back, Full for one that is too large.
        """
        validate_job(job)
        with self.connect() as connection:
            base, _ = self._open(connection, call_id, on_revision)
        fresh = _texts(job, base)
        with self._transaction() as connection:
            newest = _newest(connection, call_id)
            if newest != on_revision:
                rule = "must be the newest: the call was changed elsewhere, and is shown as it is now"
                raise Conflict("revision", rule, on_revision, str(newest))
            key, opened = self._append(
                connection, call_id, job, fresh, base, summary, author, "step", done_outside=done_outside
            )
            if delivery_key is not None:
                connection.execute(INSERT_DELIVERY, {"id": call_id, "key": delivery_key, "revision": key[2]})
        self._keep(key, opened)
        return self.get(call_id, author)

    def _append(
        self,
        connection: sqlite3.Connection,
        call_id: int,
        job: Job,
        fresh: dict[tuple[str, int], bytes],
        base: _Opened,
        summary: str,
        author: str,
        kind: StepKind,
        *,
        done_outside: bool = False,
        takes_back: Iterable[int] = (),
    ) -> tuple[_Key, _Opened]:
        """Write the next step; what it is kept ready as once the transaction has ended."""
        at = _now()
        number = _newest(connection, call_id) + 1
        opened = _put(connection, call_id, job, fresh, base)
        connection.execute(INSERT_STEP, _step(call_id, number, at, summary, author, kind, done_outside, opened))
        for aside in base.aside:
            entry = {"field": aside.field, "rule": aside.rule, "json": deflate(aside.value_json.encode())}
            connection.execute(INSERT_ASIDE, {"id": call_id, "number": number, **entry})
        for other in takes_back:
            connection.execute(TAKE_BACK, {"id": call_id, "by": number, "number": other})
            _set_live(connection, call_id, other, live=False)
        connection.execute(UPDATE_CALL, {**_columns(job), "at": at, "revision": number, "id": call_id})
        return (_epoch(connection), call_id, number, at), opened

    # -- undo --------------------------------------------------------------------------------------------------------

    def undo(self, call_id: int, revision: int, author: str = HERE) -> StoredCall:
        """Take back the last thing that somebody did, of what they see at a revision; what others added stays.

        BadInput when there is nothing to take back, Conflict when others have built on it.
        """
        return self._turn(call_id, revision, author, "undo")

    def redo(self, call_id: int, revision: int, author: str = HERE) -> StoredCall:
        """Do again what somebody took back last; what others added stays. Errors as :meth:`undo`."""
        return self._turn(call_id, revision, author, "redo")

    def _turn(self, call_id: int, revision: int, author: str, kind: Literal["undo", "redo"]) -> StoredCall:
        with self._transaction() as connection:
            newest = _newest(connection, call_id)
            who = {"id": call_id, "author": author, "upto": min(revision, newest)}
            row = connection.execute(UNDO_OF if kind == "undo" else REDO_OF, who).fetchone()
            if row is None:
                rule = "must have something to step to; what was sent to boxes is taken back on the boxes"
                raise BadInput(kind, rule, "nothing", "")
            number, summary = row
            job = self._without(connection, call_id, [number], newest)
            said = f"took back: {summary}" if kind == "undo" else f"did again: {_again(summary)}"
            ready = self._append_job(connection, call_id, job, newest, said, author, kind, [number])
        self._keep(*ready)
        return self.get(call_id, author)

    def go_to(
        self, call_id: int, number: int, revision: int, author: str = HERE, *, also_others: bool | None = None
    ) -> StoredCall:
        """Go back to how the call was after a step, as a step of its own.

        What others did since is named by a Conflict on "also_others" unless it is said whether that goes too (True) or
        stays (False). Conflict when the call has moved on since ``revision``; BadInput where the way leads over
        something that was done on boxes: that is taken back on the boxes.
        """
        with self._transaction() as connection:
            newest = _newest(connection, call_id)
            if newest != revision:
                rule = "must be the newest: the call was changed elsewhere, and is shown as it is now"
                raise Conflict("revision", rule, revision, str(newest))
            if not 1 <= number < newest:
                raise BadInput("number", "must be an earlier step of the call's history", number, f"1 to {newest - 1}")
            after = connection.execute(AFTER, {"id": call_id, "number": number}).fetchall()
            stopped = next((row for row in reversed(after) if row[4]), None)
            if stopped is not None:
                came = f'step {stopped[0]}, "{stopped[1]}"'
                raise BadInput(
                    "number", "must not lead over what was done on boxes", came, "take that back on the boxes"
                )
            others = [row for row in after if row[2] != author and row[3] == "step"]
            if others and also_others is None:
                raise Conflict("also_others", "must say whether this goes too", _named(others), "yes or no")
            gone = [row[0] for row in after if also_others or row[2] == author]
            if len(gone) == len(after):
                job = self._open(connection, call_id, number)[0].job
            else:
                job = self._without(connection, call_id, gone, newest)
            said = f"went back to step {number}"
            ready = self._append_job(connection, call_id, job, newest, said, author, "undo", gone)
        self._keep(*ready)
        return self.get(call_id, author)

    def _without(self, connection: sqlite3.Connection, call_id: int, numbers: list[int], newest: int) -> Job:
        """The newest job without what some steps did, the last of them first."""
        job = self._open(connection, call_id, newest)[0].job
        for number in sorted(numbers, reverse=True):
            after = self._open(connection, call_id, number)[0].job
            before = self._open(connection, call_id, number - 1)[0].job
            job = before if job == after else merged(after, before, job)
        try:
            validate_job(job)
        except BadInput as error:
            raise Conflict(error.field, f"has been built on elsewhere: {error.rule}", error.received, "") from None
        return job

    def _append_job(
        self,
        connection: sqlite3.Connection,
        call_id: int,
        job: Job,
        newest: int,
        summary: str,
        author: str,
        kind: StepKind,
        takes_back: list[int],
    ) -> tuple[_Key, _Opened]:
        base, _ = self._open(connection, call_id, newest)
        return self._append(
            connection, call_id, job, _texts(job, base), base, summary[:200], author, kind, takes_back=takes_back
        )

    def history(self, call_id: int, *, before: int | None = None, most: int = 200) -> list[HistoryStep]:
        """Steps of a call, the newest first; ``before``: those before one."""
        upto = before if before is not None else 1 << 62
        with self.connect() as connection:
            rows = connection.execute(HISTORY, {"id": call_id, "before": upto, "most": most}).fetchall()
        return [
            HistoryStep(
                number=n, made_at=at, summary=said, done_outside=bool(out), author=by, kind=kind, live=bool(live)
            )
            for n, at, said, out, by, kind, live in rows
        ]

    # -- the list ------------------------------------------------------------------------------------------------

    def set_state(self, call_id: int, state: CallState) -> None:
        """Close, reopen or archive a call; its contents stay as they are. NotFound when there is none."""
        with self._transaction() as connection:
            if connection.execute(SET_STATE, {"id": call_id, "state": state, "at": _now()}).rowcount == 0:
                raise NotFound("call", "must be one that is stored", call_id, "")

    def copy(self, call_id: int, job: Job, summary: str, author: str = HERE) -> StoredCall:
        """A new call from another one's job, with its photographs and its simulated house; the other stays as it is."""
        made = self.add(packed(job, lambda photo_id: self.photo(call_id, photo_id)), summary, author)
        behind = self.stand_in(call_id)
        if behind is not None:
            self.keep_stand_in(made.id, behind)
        return made

    def delete(self, call_id: int) -> None:
        """Remove a call with its history, and give its space back; NotFound when there is none. Its number is never
        used again."""
        with self._transaction() as connection:
            if connection.execute("DELETE FROM call WHERE id = :id", {"id": call_id}).rowcount == 0:
                raise NotFound("call", "must be one that is stored", call_id, "")
        with self._opening:
            for key in [k for k in self._opened if k[1] == call_id]:
                del self._opened[key]
        self._give_space_back()

    def _give_space_back(self) -> None:
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

    # -- photographs ---------------------------------------------------------------------------------------------

    def keep_photo(self, call_id: int, photo_id: str, jpeg: bytes) -> None:
        """Keep a photograph of a plan with its call; undo may forget where it lay, never the picture."""
        with self._transaction() as connection:
            connection.execute(INSERT_PHOTO, {"call": call_id, "id": photo_id, "jpeg": jpeg})

    def photo(self, call_id: int, photo_id: str) -> bytes:
        """A photograph as JPEG; NotFound when the call has none of that name."""
        with self.connect() as connection:
            row = connection.execute(ONE_PHOTO, {"call": call_id, "id": photo_id}).fetchone()
        if row is None:
            raise NotFound("photo_id", "must be a photograph of the call", photo_id, "")
        return bytes(row[0])

    # -- stand-ins -----------------------------------------------------------------------------------------------

    def stand_in(self, call_id: int) -> str | None:
        """State of the simulated house behind a call, as text; None when there is none yet."""
        with self.connect() as connection:
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


# -- parts -------------------------------------------------------------------------------------------------------


def _read(connection: sqlite3.Connection, call_id: int, parts: Parts, alike: _Opened | None) -> _Opened:
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
        return _Opened(job, parts, {i: sizes[i] for ids in parts.values() for i in ids}, ())
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
    return _Opened(job, {}, {}, (*broken, *aside))


def _texts(job: Job, base: _Opened | None) -> dict[tuple[str, int], bytes]:
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


def _places(base: _Opened | None) -> dict[tuple[str, int], int]:
    """Parts by the very values that they hold."""
    if base is None:
        return {}
    return {
        (name, id(value)): part
        for name, ids in base.parts.items()
        for part, value in zip(ids, entries_of(base.job, name), strict=True)
    }


def _put(
    connection: sqlite3.Connection,
    call_id: int,
    job: Job,
    fresh: dict[tuple[str, int], bytes],
    base: _Opened | None,
) -> _Opened:
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
    return _Opened(job, parts, sizes, ())


def _step(
    call_id: int,
    number: int,
    at: str,
    summary: str,
    author: str,
    kind: StepKind,
    done_outside: bool,
    opened: _Opened,
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


def _set_live(connection: sqlite3.Connection, call_id: int, number: int, *, live: bool) -> None:
    """Mark a step as standing or taken back; what it had taken back itself turns the other way."""
    connection.execute(SET_LIVE, {"live": int(live), "id": call_id, "number": number})
    for (other,) in connection.execute(TAKEN_BACK_BY, {"id": call_id, "by": number}).fetchall():
        _set_live(connection, call_id, other, live=not live)


def _newest(connection: sqlite3.Connection, call_id: int) -> int:
    row = connection.execute(NEWEST_STEP, {"id": call_id}).fetchone()
    if row is None:
        raise NotFound("call", "must be one that is stored", call_id, "")
    return int(row[0])


def _epoch(connection: sqlite3.Connection) -> int:
    """A number that is another one after a backup was taken over: what was read before is not in this file."""
    row = connection.execute("SELECT next FROM counter WHERE name = 'epoch'").fetchone()
    return int(row[0]) if row is not None else 0


def _named(others: list[tuple[Any, ...]]) -> str:
    """What others did, in words: "2 steps of phone 1: read the level at hall; read the level at attic"."""
    by: dict[str, list[str]] = {}
    for _, summary, author, _, _ in reversed(others):
        by.setdefault(author, []).append(summary)
    return "; ".join(
        f"{len(said)} {'step' if len(said) == 1 else 'steps'} of {author}: {', '.join(said[:3])}"
        + (" and more" if len(said) > 3 else "")
        for author, said in by.items()
    )[:400]


def _again(summary: str) -> str:
    return summary.removeprefix("took back: ")


def _columns(job: Job) -> dict[str, object]:
    return {
        "title": job.title,
        "country": job.country,
        "complaint": job.complaint,
        "listens": len(job.listens),
        "changes": len(job.changes),
        "folded": folded(f"{job.title}\n{job.complaint}"),
        "time_zone": job.time_zone,
    }


def _like(search: str) -> str:
    escaped = folded(search).replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{escaped}%"


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def _unusable(path: Path, error: sqlite3.DatabaseError) -> BadInput | Busy:
    """What to say of a file that cannot be opened."""
    if "locked" in str(error) or "busy" in str(error):
        return Busy("data file", "is kept by another program; end it, or wait, and start again", str(path), "")
    return BadInput(
        "data file", f"must be one of Even Static's that is whole ({error})", str(path), "a backup, by restore"
    )
