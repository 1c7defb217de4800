"""How often ranges of counts hold what comes: worlds that say the same dealt out."""

from __future__ import annotations

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.worlds.span import HELD


def held_with_ties(drawn: Floats, value: float, slack: float = 0.0) -> float:
    """How much of a value the range of a figure holds, 0 to 1, worlds that say the same (within ``slack``) dealt out
    evenly. ``drawn``: the figure in each world, shape (worlds,).

    A range of counts cannot end within those that say the same, and so holds more than it claims. Dealt out, the values
    that come are held as often as the range claims, where the worlds are right: the non-randomised probability integral
    transform for counts (Czado, Gneiting and Held, Biometrics 65, 2009; from memory).
    """
    below, upto = (drawn < value - slack).sum(), (drawn <= value + slack).sum() + 1
    ends = np.clip(np.array([below, upto]) / (len(drawn) + 1), (1 - HELD) / 2, (1 + HELD) / 2)
    return float((ends[1] - ends[0]) * (len(drawn) + 1) / (upto - below))
