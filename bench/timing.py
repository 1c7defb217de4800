"""How times are taken."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any


def best_of(work: Callable[[], Any], repeats: int = 3) -> float:
    """Shortest time in seconds: other work on the machine only ever adds time."""
    times = []
    for _ in range(repeats):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)
