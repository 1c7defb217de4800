"""The best that a long search finds in the truth itself: what was possible."""

from __future__ import annotations

import random
from collections.abc import Callable

from even_static.core.house.settings import Settings
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import EVERYTHING
from even_static.core.search.moves import moves
from even_static.truth.outcome import Outcome, TruthAt

MOST_COUNTED = 3.5
Worth = tuple[int, int, int, int]


def worth(outcome: Outcome) -> Worth:
    """The smaller the better: problems, headroom in twentieths, Zigbee, the slowest spot in steps of a quarter."""
    speed = 0
    while 1.25 ** (speed + 1) <= max(outcome.worst_speed_mbps, 1.0) and speed < 40:
        speed += 1
    return (
        outcome.problems,
        -int(min(outcome.headroom, MOST_COUNTED) * 20),
        -int(outcome.worst_delivery * 1000),
        -speed,
    )


def best_in_truth(
    at: TruthAt,
    house: House,
    starts: list[Settings],
    seed: int,
    tries: int = 500,
    on_progress: Callable[[float], bool] | None = None,
) -> tuple[Settings, Outcome]:
    """From the best of some starts, one change after another as long as any helps, at most so many tries.
    ``on_progress`` gets the share of the tries that are made; once it says no, what was found so far is the answer."""
    most = tries
    rng = random.Random(seed)
    settings = min(starts, key=lambda s: worth(at.outcome(s)))
    best = at.outcome(settings)
    while tries > 0:
        found = list(moves(house, EVERYTHING, settings))
        kinds: dict[str, list[Settings]] = {}
        for move in found:
            kinds.setdefault(move.kind, []).append(move.settings)
        # Every kind of change has its turn, however many ways it has.
        for options in kinds.values():
            rng.shuffle(options)
        queue = [options[i] for i in range(60) for options in kinds.values() if i < len(options)]
        better = False
        for other in queue:
            tries -= 1
            if on_progress is not None and not on_progress(1 - tries / most):
                return settings, best
            outcome = at.outcome(other)
            if worth(outcome) < worth(best):
                settings, best, better = other, outcome, True
                break
            if tries <= 0:
                break
        if not better:
            break
    return settings, best
