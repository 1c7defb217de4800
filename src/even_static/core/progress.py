"""How long work says how far it is: one signature everywhere."""

from __future__ import annotations

from collections.abc import Callable

OnProgress = Callable[[str, float], object]
"""Called with what goes on, in words, and the share that is done (0 to 1). What it returns False for ends the work with
what there is by then."""
