"""Calls and their steps. Nothing stored is ever overwritten: undo, redo and going back are steps of their own."""

from __future__ import annotations

import json
import sqlite3
import threading
from collections import OrderedDict
from collections.abc import Iterable
from pathlib import Path
from typing import Literal

from even_static.core.errors import BadInput, Conflict, NotFound
from even_static.core.house.clock import with_house_times
from even_static.core.house.job import Job
from even_static.core.house.merge import merged
from even_static.core.house.validate import validate_job
from even_static.formats.job_parts import (
    deflate,
    inflate,
)
from even_static.formats.photo import packed, unpacked
from even_static.formats.repair import SetAside
from even_static.now import now
from even_static.store.attachments import Attachments
from even_static.store.parts import Opened, put_parts, read_parts, texts_of
from even_static.store.queries import (
    AFTER,
    ASIDE,
    COUNT_CALLS,
    DELIVERED,
    HISTORY,
    INSERT_ASIDE,
    INSERT_CALL,
    INSERT_DELIVERY,
    INSERT_PHOTO,
    INSERT_STEP,
    LIST_CALLS,
    NEWEST_TIME,
    NEXT_CALL,
    ONE_STEP,
    REDO_OF,
    SET_STATE,
    TAKE_BACK,
    UNDO_OF,
    UPDATE_CALL,
)
from even_static.store.steps import (
    CallLine,
    CallState,
    HistoryStep,
    StepKind,
    StoredCall,
    call_columns,
    in_words,
    like_pattern,
    newest_step,
    not_taken_back,
    set_live,
    step_row,
)

# So many jobs are held ready as values; steps of one call share what is alike.
KEPT_JOBS = 32
# Who does things at this computer; phones and the command line are told by a name of their own.
HERE = "this computer"


# Which file (a restored one is another), call, step, and when that was made.
_Key = tuple[int, int, int, str]


class Store(Attachments):
    """The calls in one SQLite file, with their steps, photographs and deliveries."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self._opened: OrderedDict[_Key, Opened] = OrderedDict()
        self._opening = threading.Lock()

    # -- calls ---------------------------------------------------------------------------------------------------

    def find(
        self, search: str = "", most: int = 200, state: CallState | None = None, *, skip: int = 0
    ) -> list[CallLine]:
        """Calls whose title or complaint holds a text (case and accents aside), newest first: those in a state, else
        all but archived ones; ``skip``: so many of the first are left out."""
        wanted = {"like": like_pattern(search), "most": most, "state": state or "", "skip": skip}
        with self.connect() as connection:
            rows = connection.execute(LIST_CALLS, wanted).fetchall()
        names = CallLine.__dataclass_fields__
        return [CallLine(**dict(zip(names, row, strict=True))) for row in rows]

    def count(self, search: str = "", state: CallState | None = None) -> int:
        """How many calls :meth:`find` has to show."""
        with self.connect() as connection:
            (count,) = connection.execute(COUNT_CALLS, {"like": like_pattern(search), "state": state or ""}).fetchone()
        return int(count)

    def get(self, call_id: int, author: str = HERE) -> StoredCall:
        """A call; NotFound when there is none."""
        with self.connect() as connection:
            return self._get(connection, call_id, author)

    def _get(self, connection: sqlite3.Connection, call_id: int, author: str) -> StoredCall:
        number = newest_step(connection, call_id)
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
            redo=not_taken_back(redo[1]) if redo else None,
            set_aside=(*aside, *opened.aside),
        )

    def job_at(self, call_id: int, number: int) -> Job:
        """A call's job as it was after a step; NotFound when there is no such step."""
        with self.connect() as connection:
            return self._open(connection, call_id, number)[0].job

    def _open(self, connection: sqlite3.Connection, call_id: int, number: int) -> tuple[Opened, str]:
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
            found = read_parts(connection, call_id, json.loads(inflate(contents)), self._alike(epoch, call_id))
            if not connection.in_transaction:
                self._keep(key, found)
        return found, made_at

    def _alike(self, epoch: int, call_id: int) -> Opened | None:
        """Another step of the call that is at hand: what is alike need not be read again."""
        with self._opening:
            opened = reversed(self._opened.items())
            return next((o for k, o in opened if k[:2] == (epoch, call_id) and not o.aside), None)

    def _keep(self, key: _Key, opened: Opened) -> None:
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
        fresh = texts_of(job, None)
        with self.transaction() as connection:
            (call_id,) = connection.execute(NEXT_CALL).fetchone()
            connection.execute(INSERT_CALL, {**call_columns(job), "id": call_id, "at": at, "revision": 1})
            opened = put_parts(connection, call_id, job, fresh, None)
            connection.execute(INSERT_STEP, step_row(call_id, 1, at, summary, author, "step", False, opened))
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
        fresh = texts_of(job, base)
        with self.transaction() as connection:
            newest = newest_step(connection, call_id)
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
        base: Opened,
        summary: str,
        author: str,
        kind: StepKind,
        *,
        done_outside: bool = False,
        takes_back: Iterable[int] = (),
    ) -> tuple[_Key, Opened]:
        """Write the next step; what it is kept ready as once the transaction has ended."""
        number = newest_step(connection, call_id) + 1
        at = max(_now(), connection.execute(NEWEST_TIME, {"id": call_id}).fetchone()[0] or "")
        opened = put_parts(connection, call_id, job, fresh, base)
        connection.execute(INSERT_STEP, step_row(call_id, number, at, summary, author, kind, done_outside, opened))
        for aside in base.aside:
            entry = {"field": aside.field, "rule": aside.rule, "json": deflate(aside.value_json.encode())}
            connection.execute(INSERT_ASIDE, {"id": call_id, "number": number, **entry})
        for other in takes_back:
            connection.execute(TAKE_BACK, {"id": call_id, "by": number, "number": other})
            set_live(connection, call_id, other, live=False)
        connection.execute(UPDATE_CALL, {**call_columns(job), "at": at, "revision": number, "id": call_id})
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
        with self.transaction() as connection:
            newest = newest_step(connection, call_id)
            who = {"id": call_id, "author": author, "upto": min(revision, newest)}
            row = connection.execute(UNDO_OF if kind == "undo" else REDO_OF, who).fetchone()
            if row is None:
                rule = "must have something to step to; what was sent to nodes is taken back on the nodes"
                raise BadInput(kind, rule, "nothing", "")
            number, summary = row
            job = self._without(connection, call_id, [number], newest)
            said = f"took back: {summary}" if kind == "undo" else f"did again: {not_taken_back(summary)}"
            ready = self._append_job(connection, call_id, job, newest, said, author, kind, [number])
        self._keep(*ready)
        return self.get(call_id, author)

    def go_to(
        self, call_id: int, number: int, revision: int, author: str = HERE, *, also_others: bool | None = None
    ) -> StoredCall:
        """Go back to how the call was after a step, as a step of its own.

        What others did since is named by a Conflict on "also_others" unless it is said whether that goes too (True) or
        stays (False). Conflict when the call has moved on since ``revision``; BadInput where the way leads over
        something that was done on nodes: that is taken back on the nodes.
        """
        with self.transaction() as connection:
            newest = newest_step(connection, call_id)
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
                    "number", "must not lead over what was done on nodes", came, "take that back on the nodes"
                )
            others = [row for row in after if row[2] != author and row[3] == "step"]
            if others and also_others is None:
                raise Conflict("also_others", "must say whether this goes too", in_words(others), "yes or no")
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
    ) -> tuple[_Key, Opened]:
        base, _ = self._open(connection, call_id, newest)
        return self._append(
            connection, call_id, job, texts_of(job, base), base, summary[:200], author, kind, takes_back=takes_back
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
        with self.transaction() as connection:
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
        with self.transaction() as connection:
            if connection.execute("DELETE FROM call WHERE id = :id", {"id": call_id}).rowcount == 0:
                raise NotFound("call", "must be one that is stored", call_id, "")
        with self._opening:
            for key in [k for k in self._opened if k[1] == call_id]:
                del self._opened[key]
        self.give_space_back()

    # -- photographs ---------------------------------------------------------------------------------------------

    # -- stand-ins -----------------------------------------------------------------------------------------------


# -- parts -------------------------------------------------------------------------------------------------------


def _epoch(connection: sqlite3.Connection) -> int:
    """A number that is another one after a backup was taken over: what was read before is not in this file."""
    row = connection.execute("SELECT next FROM counter WHERE name = 'epoch'").fetchone()
    return int(row[0]) if row is not None else 0


def _now() -> str:
    return now().strftime("%Y-%m-%dT%H:%M:%S.%fZ")
