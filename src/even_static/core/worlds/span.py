"""A figure over the drawn worlds: its middle, and the range that holds most of them."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from even_static.core.arrays import Floats

# Ranges hold this share of the worlds.
HELD = 0.9


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """The middle of a figure over the drawn worlds, and between which values :data:`HELD` of them lie; ``drawn`` are
    the worlds' own figures, the smallest first."""

    low: float
    middle: float
    high: float
    drawn: tuple[float, ...] = field(default=(), repr=False)


def span(values: Floats) -> Span:
    """Middle and range of a figure over the worlds, shape (worlds,)."""
    # Of n worlds another one lies below the k-th in k / (n + 1): so ranges hold what they claim with few worlds too.
    low, middle, high = np.quantile(values, ((1 - HELD) / 2, 0.5, (1 + HELD) / 2), method="weibull")
    return Span(low=float(low), middle=float(middle), high=float(high), drawn=tuple(np.sort(values).tolist()))


def held_with_ties(told: Span, value: float, slack: float = 0.0) -> float:
    """How much of a value a range holds, 0 to 1, worlds that say the same (within ``slack``) dealt out evenly.

    A range of counts cannot end within those that say the same, and so holds more than it claims. Dealt out, the values
    that come are held as often as the range claims, where the worlds are right: the non-randomised probability integral
    transform for counts (Czado, Gneiting and Held, Biometrics 65, 2009; from memory).
    """
    drawn = np.asarray(told.drawn)
    below, upto = (drawn < value - slack).sum(), (drawn <= value + slack).sum() + 1
    ends = np.clip(np.array([below, upto]) / (len(drawn) + 1), (1 - HELD) / 2, (1 + HELD) / 2)
    return float((ends[1] - ends[0]) * (len(drawn) + 1) / (upto - below))
