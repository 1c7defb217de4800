"""Houses of another make, which the judge draws: the same seed is the same home, with other physics."""

from __future__ import annotations

import pytest
from judge.makes import MAKES, build

from even_static.truth import ranges
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.outcome import TruthAt


def outcome(seed: int):
    drawn = drawn_house(seed)
    return drawn.job, TruthAt(TrueHouse(drawn.job, drawn.neighbours, seed)).outcome(drawn.job.settings)


@pytest.mark.parametrize("make", sorted(MAKES))
def test_what_a_make_moves_is_drawn_by_the_simulator_and_of_the_same_form(make):
    for name, value in MAKES[make].items():
        usual = getattr(ranges, name)
        assert type(value) is type(usual), name
        if isinstance(usual, tuple):
            assert len(value) == len(usual), name
            assert list(value) == sorted(value), name
        if isinstance(usual, dict):
            assert value.keys() == usual.keys(), name


@pytest.mark.parametrize("make", ["stone", "light"])
def test_another_make_is_the_same_home_and_another_air(monkeypatch, make):
    job, usual = outcome(5003)
    for name in MAKES[make]:
        # Put back afterwards to what it is now.
        monkeypatch.setattr(ranges, name, getattr(ranges, name))
    build(make)
    again, other = outcome(5003)
    assert again.nodes == job.nodes
    assert again.devices == job.devices
    assert other.median_speed_mbps != pytest.approx(usual.median_speed_mbps, rel=0.01)
