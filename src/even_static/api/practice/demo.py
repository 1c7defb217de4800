"""Practice houses in a store: the demo calls, and new ones made from a seed."""

from __future__ import annotations

import json
from collections.abc import Callable

from even_static.api.practice.world import STATE
from even_static.core.house.job import Job, PracticeDifficulty, PracticeSize
from even_static.instruments.simulated.demo import finish, measure, scanned, world_of
from even_static.instruments.simulated.kiln_row import kiln_row
from even_static.instruments.simulated.lock_house import lock_house
from even_static.instruments.simulated.practice_house import practice_scenario
from even_static.instruments.simulated.scenarios import Scenario
from even_static.instruments.simulated.world import World
from even_static.now import now_text
from even_static.store.calls import Store
from even_static.store.steps import StoredCall


def add_demo_calls(store: Store) -> None:
    """Put the demo calls into a store: the finished one first, so that the open one heads the list."""
    _add(store, lock_house(), finish)
    _add(store, kiln_row(), None)


def _add(store: Store, scenario: Scenario, then: Callable[[World], Job] | None) -> None:
    world = world_of(scenario)
    call = store.add(world.job)
    world.job = measure(world, "before")
    call = store.save(call.id, world.job, "listened at every place with tests", on_revision=call.revision)
    if then is None:
        world.job = scanned(world, world.job)
        call = store.save(call.id, world.job, "scanned the 802.15.4 channels", on_revision=call.revision)
    if then is not None:
        world.job = then(world)
        store.save(call.id, world.job, "sent the plan and measured again", on_revision=call.revision, done_outside=True)
    store.keep_stand_in(call.id, json.dumps(STATE.dump_python(world.state, mode="json")))


def open_practice_house(
    store: Store,
    seed: int,
    size: PracticeSize,
    difficulty: PracticeDifficulty,
    *,
    country: str,
    time_zone: str | None,
    author: str,
) -> StoredCall:
    """A practice house of a seed, with nothing measured yet."""
    now = now_text()
    scenario = practice_scenario(seed, size, difficulty, country=country, time_zone=time_zone, opened_at=now)
    world = world_of(scenario)
    call = store.add(world.job, "opened a practice house", author)
    store.keep_stand_in(call.id, json.dumps(STATE.dump_python(world.state, mode="json")))
    return store.get(call.id, author)
