"""How many others contend for a channel: the one rule that the model and the drawn worlds ask."""

from __future__ import annotations

from typing import Any

import numpy as np

from even_static.core.tables.phy import LEAST_LEFT_FRACTION


def backlog(use_fraction: Any, busy_fraction: Any) -> Any:
    """How likely a network has something to send at a moment, by what it sends and how busy the channel is (any shapes
    that broadcast): what it sends has to go into what the others leave.

    Summed over those that a radio waits for it is how many contend with it, n. As long as nobody is short,
    1 / (1 + n) is what they leave of the channel; where it is full, the fair share of one more.
    """
    return np.minimum(1.0, use_fraction / np.maximum(1 - busy_fraction, LEAST_LEFT_FRACTION))
