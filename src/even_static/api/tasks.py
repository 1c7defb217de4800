"""Work that takes longer than a moment: runs in a thread, tells how far it is, and keeps its result for a while."""

from __future__ import annotations

import logging
import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from even_static.core.errors import EvenStaticError
from even_static.core.tuning.measure_next import MeasureNext
from even_static.core.tuning.placed import PlacedPlan
from even_static.core.tuning.plan import Plan

LOG = logging.getLogger("even_static")
KEPT = 100


@dataclass(slots=True)
class ErrorBody:
    """An error as shown to a person: field, rule, what came, what is accepted."""

    field: str
    rule: str
    received: str
    accepted: str
    message: str


@dataclass(slots=True)
class Task:
    """A piece of work. ``done_fraction`` goes from 0 to 1; ``notes`` are lines for the person who waits."""

    id: str
    kind: str
    state: Literal["running", "done", "failed"] = "running"
    text: str = ""
    done_fraction: float = 0.0
    notes: list[str] = field(default_factory=list)
    error: ErrorBody | None = None
    plan: Plan | None = None
    placed: PlacedPlan | None = None
    measure: MeasureNext | None = None
    stop_wanted: bool = False
    """Somebody asked to end it with what there is so far."""

    def tell(self, text: str, done_fraction: float) -> None:
        """Say what goes on and how far it is."""
        self.text = text
        self.done_fraction = min(1.0, max(self.done_fraction, done_fraction))


def error_body(error: EvenStaticError) -> ErrorBody:
    """An error of the core as a body."""
    return ErrorBody(error.field, error.rule, error.received, error.accepted, error.message)


class Tasks:
    """The tasks of one running application."""

    def __init__(self) -> None:
        self._tasks: OrderedDict[str, Task] = OrderedDict()
        self._lock = threading.Lock()

    def start(self, kind: str, work: Callable[[Task], None]) -> Task:
        """Run ``work`` in a thread; what it raises becomes the task's error, never a traceback on a screen."""
        task = Task(secrets.token_hex(8), kind)
        with self._lock:
            self._tasks[task.id] = task
            while len(self._tasks) > KEPT:
                self._tasks.popitem(last=False)

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
                task.error = ErrorBody(kind, rule, "", "", f"{kind}: {rule}")
                task.state = "failed"

        threading.Thread(target=run, name=f"task-{kind}", daemon=True).start()
        return task

    def get(self, task_id: str) -> Task | None:
        """A task by its identifier; None when it is long gone."""
        return self._tasks.get(task_id)
