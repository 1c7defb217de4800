"""Work that takes longer than a moment: runs apart from requests, tells how far it is, and keeps its result a while.

So many pieces run at once and so many wait; more are refused with a sentence. Searches, which keep a processor busy,
run in processes of their own, one for each processor at most.
"""

from __future__ import annotations

import logging
import os
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal

from even_static.api import heavy
from even_static.core.errors import Busy, EvenStaticError
from even_static.core.explain.next_measurement import MeasureNext
from even_static.core.house.job import Job
from even_static.core.search.placement import PlacedPlan
from even_static.core.search.plan import Plan
from even_static.truth.view import TruthView

LOG = logging.getLogger("even_static")
KEPT = 100
AT_ONCE, WAITING = 8, 16
SEARCHES_AT_ONCE, SEARCHES_WAITING = max(1, min(2, os.cpu_count() or 1)), 6
# A search that nobody has asked about for so long is ended: its page was closed.
NOBODY_WAITS_S = 30.0


@dataclass(slots=True, kw_only=True)
class ErrorBody:
    """An error as shown to a person: field, rule, what came, what is accepted."""

    field: str
    rule: str
    received: str
    accepted: str
    message: str


@dataclass(slots=True, kw_only=True)
class Task:
    """A piece of work. ``done_fraction`` goes from 0 to 1; ``notes`` are lines for the person who waits."""

    id: str
    kind: str
    call_id: int = 0
    state: Literal["running", "done", "failed"] = "running"
    text: str = ""
    done_fraction: float = 0.0
    notes: list[str] = field(default_factory=list)
    error: ErrorBody | None = None
    plan: Plan | None = None
    placed: PlacedPlan | None = None
    measure: MeasureNext | None = None
    truth: TruthView | None = None
    stop_wanted: bool = False
    """Somebody asked to end it with what there is so far."""

    def tell(self, text: str, done_fraction: float) -> None:
        """Say what goes on and how far it is."""
        self.text = text
        self.done_fraction = min(1.0, max(self.done_fraction, done_fraction))


def error_body(error: EvenStaticError) -> ErrorBody:
    """An error of the core as a body."""
    return ErrorBody(
        field=error.field, rule=error.rule, received=error.received, accepted=error.accepted, message=error.message
    )


class Tasks:
    """The tasks of one running application."""

    def __init__(self) -> None:
        self._tasks: OrderedDict[str, Task] = OrderedDict()
        self._asked: dict[str, float] = {}
        self._lock = threading.Lock()
        self._pool = ThreadPoolExecutor(AT_ONCE, "task")
        self._searches = ThreadPoolExecutor(SEARCHES_AT_ONCE, "search")

    def start(self, kind: str, work: Callable[[Task], None], call_id: int = 0) -> Task:
        """Run ``work`` in a thread; what it raises becomes the task's error, never a traceback on a screen. Busy where
        too much waits already."""
        return self._start(kind, work, call_id, self._pool, AT_ONCE + WAITING, search=False)

    def search(
        self,
        kind: str,
        work: heavy.Work,
        job: Job,
        asked: dict[str, Any],
        seconds: float,
        keep: Callable[[Task, Any], None],
        call_id: int = 0,
    ) -> Task:
        """Run a search in a process of its own; ``keep(task, result)`` puts its result into the task.

        It ends when it is stopped, and when nobody asks about it any more. Busy where too many wait already.
        """

        def run(task: Task) -> None:
            if self._given_up(task):
                raise Busy("search", "was ended: nobody waited for it any more", None, "start it again")
            found = heavy.run_apart(
                work,
                job,
                asked,
                seconds=seconds,
                progress=task.tell,
                stop_wanted=lambda: task.stop_wanted,
                given_up=lambda: self._given_up(task),
            )
            keep(task, found)

        return self._start(kind, run, call_id, self._searches, SEARCHES_AT_ONCE + SEARCHES_WAITING, search=True)

    def _given_up(self, task: Task) -> bool:
        return time.monotonic() - self._asked.get(task.id, 0.0) > NOBODY_WAITS_S

    def _start(
        self,
        kind: str,
        work: Callable[[Task], None],
        call_id: int,
        pool: ThreadPoolExecutor,
        most: int,
        *,
        search: bool,
    ) -> Task:
        task = Task(id=secrets.token_hex(8), kind=kind, call_id=call_id)
        task.text = "waits for its turn"
        with self._lock:
            mine = [t for t in self._tasks.values() if t.state == "running" and (t.id in self._asked) == search]
            if len(mine) >= most:
                what = "searches" if search else "pieces of work"
                raise Busy(what, "must not be more than can be done: try again in a moment", len(mine) + 1, f"{most}")
            self._tasks[task.id] = task
            if search:
                self._asked[task.id] = time.monotonic()
            ended = [t.id for t in self._tasks.values() if t.state != "running"]
            for old in ended[: max(len(self._tasks) - KEPT, 0)]:
                del self._tasks[old]
                self._asked.pop(old, None)

        def run() -> None:
            try:
                work(task)
                task.done_fraction = 1.0
                task.state = "done"
            except EvenStaticError as error:
                task.error = error_body(error)
                task.state = "failed"
            except Exception:
                LOG.exception("task %s failed", kind)
                rule = "failed inside Even Static; nothing stored was lost, and the log has the details"
                task.error = ErrorBody(field=kind, rule=rule, received="", accepted="", message=f"{kind}: {rule}")
                task.state = "failed"

        pool.submit(run)
        return task

    def get(self, task_id: str) -> Task | None:
        """A task by its identifier; None when it is long gone. Who asks is waiting for it."""
        if task_id in self._asked:
            self._asked[task_id] = time.monotonic()
        return self._tasks.get(task_id)

    def close(self) -> None:
        """End what goes on, as the application ends."""
        for task in list(self._tasks.values()):
            task.stop_wanted = True
        self._asked = dict.fromkeys(self._asked, 0.0)
        self._pool.shutdown(wait=False, cancel_futures=True)
        self._searches.shutdown(wait=False, cancel_futures=True)
