"""The one clock of a real call: this computer's, which never goes back while the program runs, however the system's
clock is set meanwhile. Every time that the program stamps comes from here; the core is told the time and reads none."""

from __future__ import annotations

import threading
from datetime import UTC, datetime

_lock = threading.Lock()
_last = datetime.min.replace(tzinfo=UTC)


def _system() -> datetime:
    """What the system's clock shows."""
    return datetime.now(UTC)


def now() -> datetime:
    """Now; the last time that was given where the system's clock was set back since."""
    global _last
    with _lock:
        _last = max(_last, _system())
        return _last


def now_text() -> str:
    """Now, as the job file writes times, to the second."""
    return now().isoformat(timespec="seconds")
