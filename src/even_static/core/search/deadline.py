"""Until when a search may go on: every loop of it looks here, and sees at once when nobody wants it any more."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

LOOK_EVERY_S = 0.1


class Deadline:
    """An end in time, a value of ``time.monotonic()``, which somebody may bring forward.

    ``wanted`` is asked ten times a second at most; once it says no, the time is over for this one and for all that were
    made from it.
    """

    def __init__(self, at_s: float, wanted: Callable[[], bool] | None = None) -> None:
        self.at_s = at_s
        self._wanted = wanted
        self._looked_s = -math.inf
        self._stopped = [False]

    @staticmethod
    def of(value: float | Deadline) -> Deadline:
        """A deadline from a value of ``time.monotonic()``, or the one that it is."""
        return value if isinstance(value, Deadline) else Deadline(value)

    def over(self) -> bool:
        """Whether the time is over."""
        now = time.monotonic()
        if self._wanted is not None and not self._stopped[0] and now - self._looked_s > LOOK_EVERY_S:
            self._looked_s = now
            if not self._wanted():
                self._stopped[0] = True
        return self._stopped[0] or now > self.at_s

    def left_s(self) -> float:
        """Seconds that are left; 0 when the time is over."""
        return 0.0 if self.over() else self.at_s - time.monotonic()

    def stop(self) -> None:
        """Nobody wants it any more."""
        self._stopped[0] = True

    def part(self, share: float) -> Deadline:
        """An earlier end, after a share of the time that is left; what stops one stops the other."""
        found = Deadline(time.monotonic() + share * self.left_s(), self._wanted)
        found._stopped = self._stopped
        return found

    def sooner(self, at_s: float) -> Deadline:
        """The same end, or an earlier one, a value of ``time.monotonic()``; what stops one stops the other."""
        found = Deadline(min(self.at_s, at_s), self._wanted)
        found._stopped = self._stopped
        return found

    def at_least(self, seconds: float) -> Deadline:
        """The same, but not before some seconds from now: a first answer is always found."""
        found = Deadline(max(self.at_s, time.monotonic() + seconds))
        return found if found.at_s > self.at_s else self
