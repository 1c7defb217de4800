"""A figure over the drawn worlds: its middle, and the range that holds most of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_static.core.arrays import Floats

# Ranges hold this share of the worlds.
HELD = 0.9


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """The middle of a figure over the drawn worlds, and between which values :data:`HELD` of them lie; more than that
    where many worlds say the same, as with counts."""

    low: float
    middle: float
    high: float


def span(values: Floats) -> Span:
    """Middle and range of a figure over the worlds, shape (worlds,)."""
    # Of n worlds another one lies below the k-th in k / (n + 1): so ranges hold what they claim with few worlds too.
    low, middle, high = np.quantile(values, ((1 - HELD) / 2, 0.5, (1 + HELD) / 2), method="weibull")
    return Span(low=float(low), middle=float(middle), high=float(high))
