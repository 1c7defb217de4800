"""How a street's traffic goes over the day. Common practice."""

from __future__ import annotations

from typing import Final

# Share of its busiest hour's traffic that a household carries at each hour of the day.
HOURLY_LOAD: Final = (
    *(0.15, 0.1, 0.08, 0.08, 0.08, 0.12, 0.25, 0.4, 0.45, 0.45, 0.45, 0.5),
    *(0.5, 0.5, 0.5, 0.55, 0.65, 0.75, 0.85, 0.95, 1.0, 1.0, 0.8, 0.45),
)
