"""Work that keeps a processor busy runs in a process of its own: it cannot hold up anybody's request, can be ended at
any moment, and has a limit on its memory."""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import os
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from multiprocessing.connection import Connection
from typing import TYPE_CHECKING, Any, Protocol

from even_static.core.errors import BadInput, Busy, EvenStaticError, NotFound, Unlawful

if TYPE_CHECKING:
    from even_static.core.house.job import Job

LOG = logging.getLogger("even_static")
# A search of the largest house takes a few hundred MB; more than this is a fault, and ends it.
MOST_MEMORY_BYTES = 3 << 30
# Lets light requests go first where processors are few.
NICENESS = 5
# After its time, or after it was asked to end, so long until it is ended from outside, without a result: it looks at
# the clock itself, and only one that hangs comes to that.
GRACE_S = 30.0
TELL_EVERY_S = 0.1

_ERRORS: dict[str, type[EvenStaticError]] = {e.__name__: e for e in (BadInput, Busy, NotFound, Unlawful)}


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a piece of work is."""

    text: str
    fraction: float


class Report(Protocol):
    """What work tells, and learns whether it is still wanted."""

    def __call__(self, text: str, fraction: float) -> bool:
        """Say how far it is; whether to go on."""

    def wanted(self) -> bool:
        """Whether to go on."""


Work = Callable[..., Any]


def tune(report: Report, job: Job, **asked: Any) -> Any:
    """Search for the best setting; what :func:`make_plan` takes."""
    from even_static.core.model.prepared_house import House
    from even_static.core.search.plan import make_plan

    def on_progress(text: str, fraction: float) -> bool:
        return report(text, 0.9 * fraction)

    return make_plan(House(job), on_progress=on_progress, wanted=report.wanted, **asked)


def tune_places(report: Report, job: Job, **asked: Any) -> Any:
    """Search for the best setting and the best spots; what :func:`make_placed_plan` takes."""
    from even_static.core.model.prepared_house import House
    from even_static.core.search.placement import make_placed_plan

    def on_progress(text: str, fraction: float) -> bool:
        return report(text, 0.95 * fraction)

    return make_placed_plan(House(job), on_progress=on_progress, wanted=report.wanted, **asked)


def what_to_measure(report: Report, job: Job, **asked: Any) -> Any:
    """Find what to measure next; what :func:`measure_next` takes."""
    from even_static.core.explain.next_measurement import measure_next
    from even_static.core.model.prepared_house import House

    return measure_next(House(job), on_progress=report, **asked)


def run_apart(
    work: Work,
    job: Job,
    asked: dict[str, Any],
    *,
    seconds: float,
    progress: Callable[[str, float], None],
    stop_wanted: Callable[[], bool],
    given_up: Callable[[], bool],
) -> Any:
    """Run ``work(report, job, **asked)`` in a process of its own and give back its result.

    It has ``seconds``, which it looks at itself. ``stop_wanted``: asked to end with what it has; where it does not
    within a few seconds, or ``given_up`` says that nobody waits any more, it is ended. Its own errors are raised here;
    Busy where it had to be ended.
    """
    here, there = _context().Pipe()
    process = _context().Process(target=_child, args=(there, work, job, asked), daemon=True)
    process.start()
    there.close()
    began = time.monotonic()
    stopped_at: float | None = None
    try:
        while True:
            now = time.monotonic()
            if given_up():
                raise Busy("search", "was ended: nobody waited for it any more", None, "start it again")
            if stop_wanted() and stopped_at is None:
                stopped_at = now
                here.send("stop")
            if now - began > seconds + GRACE_S or (stopped_at is not None and now - stopped_at > GRACE_S):
                raise Busy("search", "took longer than it may and was ended", f"{now - began:.0f} s", "a longer time")
            if not here.poll(TELL_EVERY_S):
                if not process.is_alive() and not here.poll(0):
                    raise Busy("search", "needed more memory than there is, and was ended", None, "fewer things free")
                continue
            message = here.recv()
            if isinstance(message, Progress):
                progress(message.text, message.fraction)
                continue
            kind, value = message
            if kind == "done":
                return value
            raise _ERRORS.get(kind, RuntimeError)(*value)
    except EOFError:
        raise Busy("search", "needed more memory than there is, and was ended", None, "fewer things free") from None
    finally:
        here.close()
        if process.is_alive():
            process.terminate()
        process.join(2.0)
        if process.is_alive():
            process.kill()


@cache
def _context() -> Any:
    """Where it can be, new processes come from a small one that has everything loaded: they begin at once."""
    if sys.platform == "win32":
        return multiprocessing.get_context("spawn")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["even_static.api.heavy_loaded"])
    return context


def _child(pipe: Connection, work: Work, job: Job, asked: dict[str, Any]) -> None:
    _limit()
    try:
        found = work(_Reporter(pipe), job, **asked)
        pipe.send(("done", found))
    except EvenStaticError as error:
        pipe.send((type(error).__name__, (error.field, error.rule, error.received, error.accepted)))
    except MemoryError:
        pipe.send(("Busy", ("search", "needed more memory than it may have", None, "fewer things free")))
    except (BrokenPipeError, ConnectionResetError, KeyboardInterrupt):
        return
    except Exception as error:
        LOG.exception("a search failed")
        with contextlib.suppress(OSError):
            pipe.send(("fault", (repr(error),)))


class _Reporter:
    """Tells the application how far work is, and hears from it when to stop."""

    def __init__(self, pipe: Connection) -> None:
        self._pipe = pipe
        self._last_s = 0.0
        self._stopped = False

    def wanted(self) -> bool:
        self._stopped = self._stopped or self._pipe.poll(0)
        return not self._stopped

    def __call__(self, text: str, fraction: float) -> bool:
        if time.monotonic() - self._last_s > TELL_EVERY_S:
            self._last_s = time.monotonic()
            self._pipe.send(Progress(text, fraction))
        return self.wanted()


def _limit() -> None:
    if sys.platform == "win32":
        return
    import resource
    import signal

    # Ctrl+C is for the application, which ends what it started.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(OSError, ValueError):
        os.nice(NICENESS)
        resource.setrlimit(resource.RLIMIT_DATA, (MOST_MEMORY_BYTES, MOST_MEMORY_BYTES))
