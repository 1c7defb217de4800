"""The truth of a practice house: its figures are the simulator's, and each thing's cost is that thing put right."""

from __future__ import annotations

from dataclasses import replace

from even_static.core.model.prepared_house import House
from even_static.instruments.simulated import trainer
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row
from even_static.truth.outcome import TruthAt
from even_static.truth.ranges import BUSIEST_HOUR


def test_the_truth_is_told_and_every_decision_s_cost_is_that_of_putting_it_right(monkeypatch):
    monkeypatch.setattr(trainer, "TRIES", 60)
    world = world_of(kiln_row())
    house = House(measure(world, "before"))
    told: list[float] = []

    def on_progress(part: float) -> bool:
        told.append(part)
        return True

    view = trainer.truth_of(world, house, on_progress)
    at, now = TruthAt(world.true_house, BUSIEST_HOUR), world.state.settings
    present = at.outcome(now)
    rows = {f.name: f for f in view.figures}
    assert rows["current settings"].problems == present.problems == len(view.problems)
    best = rows["the best that was found in the truth"]
    assert (best.problems, -best.headroom) < (present.problems, -present.headroom)
    assert told == sorted(told)
    assert 0 < told[-1] <= 1
    assert view.decisions
    zigbee = [d for d in view.decisions if d.what == "the Zigbee channel"]
    for decision in zigbee:
        moved = at.outcome(replace(now, zigbee_channel=int(decision.best)))
        assert decision.problems == present.problems - moved.problems
        assert decision.now == str(now.zigbee_channel)
    assert [d.problems for d in view.decisions] == sorted((d.problems for d in view.decisions), reverse=True)


def test_a_hint_names_the_thing_and_not_the_answer(monkeypatch):
    monkeypatch.setattr(trainer, "TRIES", 60)
    world = world_of(kiln_row())
    house = House(measure(world, "before"))
    parts = list[float]()

    def on_progress(part: float) -> bool:
        parts.append(part)
        return True

    text = trainer.hint_of(world, house, on_progress)
    assert parts == sorted(parts)
    assert len(parts) > 10
    view = trainer.truth_of(world, house, lambda part: True)
    dearest = max(view.decisions, key=lambda d: (d.problems, d.headroom))
    assert dearest.what in text
    assert dearest.best not in text


def test_a_search_that_nobody_waits_for_ends_with_what_it_has(monkeypatch):
    world = world_of(kiln_row())
    view = trainer.truth_of(world, House(measure(world, "before")), lambda part: part < 0.02)
    assert view.figures[-1].problems <= view.figures[0].problems
