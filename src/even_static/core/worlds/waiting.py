"""What latencies under load say of how much waits at a hop in this house.

How much waits is one figure for a house, and every test asks for it: as a weight on whole worlds it would leave few of
them. So each world draws its own anew from what the tests say there, given how long its turns take (a grid over the
prior); the world counts by how well the tests can be said in it at all.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.clock import at_the_house
from even_static.core.house.readings import SpeedTest
from even_static.core.tables import worlds as table
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.living import Living

# Steps of the grid, in spreads of the prior.
GRID = np.linspace(-3.0, 3.0, 41)


def told_by_latency(
    worlds: Worlds, tests: list[SpeedTest], agrees: Callable[[Floats], Floats]
) -> tuple[Worlds, Floats]:
    """The worlds with what waits at a hop as the tests have it, and the log of how well each world says them (worlds,);
    the worlds given stay as they are. ``agrees``: log of how well something agrees, by how many spreads it is off."""
    house, job = worlds.house, worlds.house.job
    found = worlds.taken(np.arange(worlds.count))
    fits = np.broadcast_to(-0.5 * GRID**2, (worlds.count, len(GRID))).copy()
    prior = np.exp(fits[0]) / np.exp(fits[0]).sum()
    fits[:] = 0.0
    waiting = (table.WAITING_MS * np.exp(table.WAITING_SPREAD * GRID))[None, :]
    for hour in sorted({at_the_house(job, t.tested_at).hour for t in tests}):
        said = Living(at_hour(worlds, hour)).speed_tests(job.settings).latency_ms
        for test in (t for t in tests if at_the_house(job, t.tested_at).hour == hour):
            place = house.places[test.place_id]
            phone = worlds.phone[:, place] ** -table.LATENCY_BY_PHONE
            # How long turns take there, all hops together: without the phone and the way on a free channel.
            turns = np.maximum(said[:, place] / phone - table.IDLE_MS, 0.0) / worlds.waiting_ms[:, 0]
            would = (table.IDLE_MS + waiting * turns[:, None]) * phone[:, None]
            measured = float(np.median(test.latency_ms))
            fits += agrees((np.log(measured) - np.log(would)) / table.LATENCY_SPREAD)
    most = fits.max(axis=1, keepdims=True)
    weight = np.exp(fits - most) * prior
    total = weight.sum(axis=1, keepdims=True)
    drawn = np.random.default_rng((worlds.seed, 18)).uniform(size=(worlds.count, 1))
    chosen = (np.cumsum(weight / total, axis=1) < drawn).sum(axis=1).clip(max=len(GRID) - 1)
    found.waiting_ms = waiting[0, chosen][:, None].astype(np.float32)
    return found, (most + np.log(total))[:, 0]
