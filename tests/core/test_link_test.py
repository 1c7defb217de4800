"""Link tests: rates, jitter and stalls of made runs; is it the line or the Wi-Fi."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.core.house.job import Subscription
from even_static.core.house.readings import SpeedTest
from even_static.core.survey.line_or_wifi import line_or_wifi
from even_static.core.survey.link_statistics import (
    RunSamples,
    jitter_ms,
    run_figures,
    spread_of,
    stalls,
    throughput_mbps,
)


def _steady(mbps: float, seconds: float = 3.0, step_ms: float = 20.0) -> list[tuple[float, float]]:
    return [(t, mbps * 1e6 / 8 * t / 1000) for t in np.arange(0, seconds * 1000 + 1, step_ms)]


@given(st.floats(0.2, 900), st.floats(0.5, 8))
def test_a_steady_stream_has_its_rate(mbps, seconds):
    assert throughput_mbps(_steady(mbps, seconds)) == pytest.approx(mbps, rel=1e-6)


def test_the_beginning_in_which_a_connection_speeds_up_is_left_out():
    slow_then_fast = [(t, 0.0 if t < 500 else 100e6 / 8 * (t - 500) / 1000) for t in range(0, 3001, 10)]
    assert throughput_mbps(slow_then_fast) == pytest.approx(100, rel=0.001)


@given(st.lists(st.floats(0.1, 500), min_size=2, max_size=40))
def test_jitter_is_the_mean_difference_of_neighbours(latencies):
    """RFC 3393's variation over successive packets, averaged, by numpy."""
    assert_allclose(jitter_ms(latencies), np.mean(np.abs(np.ediff1d(latencies))), rtol=1e-9, atol=1e-9)


def test_stalls_are_counted_also_at_the_end():
    run = _steady(10, 1.0)
    held = [*run, *[(t, run[-1][1]) for t in range(1020, 1501, 20)]]
    again = [*held, *[(1500.0 + t, held[-1][1] + b) for t, b in _steady(10, 1.0)[1:]]]
    assert stalls(run) == (0, 0.0)
    assert stalls(held) == (1, pytest.approx(500))
    count, longest = stalls(again)
    assert count == 1
    assert longest == pytest.approx(520, abs=20)


@pytest.mark.parametrize(
    ("down", "idle", "field"),
    [
        ([(0.0, 0.0)], [5.0], "down"),
        ([(0.0, 0.0), (100.0, 9.0)], [5.0], "down"),
        ([(0.0, 0.0), (900.0, 9.0), (800.0, 10.0)], [5.0], "down"),
        ([(0.0, 9.0), (900.0, 2.0)], [5.0], "down"),
        (_steady(5), [], "idle_ms"),
    ],
)
def test_runs_that_tell_nothing_are_refused(down, idle, field):
    with pytest.raises(BadInput) as caught:
        run_figures(RunSamples(down, _steady(2), idle, [9.0]))
    assert caught.value.field == field


def test_spread_of_runs():
    assert spread_of([]) is None
    found = spread_of([30.0, 10.0, 20.0])
    assert (found.median, found.lowest, found.highest, found.runs) == (20.0, 10.0, 30.0, 3)


def _tests(*entries: tuple[str, float, str, str]) -> tuple[SpeedTest, ...]:
    return tuple(
        SpeedTest(
            place_id=place,
            tested_at=f"2026-03-02T19:{i:02d}:00Z",
            down_mbps=(rate,) * 3,
            up_mbps=(rate / 10,) * 3,
            over=over,
            reach=reach,
        )
        for i, (place, rate, over, reach) in enumerate(entries)
    )


CABLE = ("p0", 95.0, "cable", "the internet")


@pytest.mark.parametrize(
    ("tests", "paid", "line", "rooms"),
    [
        # Common practice: the wired speed at the gateway against the Wi-Fi speed in the room splits line from Wi-Fi.
        (_tests(("p1", 40.0, "wi-fi", "the internet")), 100, "not known yet", ["not known yet"]),
        (_tests(CABLE), None, "not known yet", []),
        (_tests(("p0", 40.0, "cable", "the internet")), 100, "the line", []),
        (_tests(CABLE, ("p1", 30.0, "wi-fi", "the internet")), 100, "the Wi-Fi", ["the Wi-Fi"]),
        (_tests(CABLE, ("p1", 90.0, "wi-fi", "the internet")), 100, "neither", ["neither"]),
        (_tests(CABLE, ("p1", 400.0, "wi-fi", "this computer")), 100, "neither", ["the line"]),
        # A test that no radio was on the way of says nothing about a room.
        (_tests(CABLE, ("p1", 400.0, "this computer itself", "this computer")), 100, "neither", []),
        # The newest counts.
        (_tests(CABLE, ("p1", 9.0, "wi-fi", "the internet"), ("p1", 94.0, "wi-fi", "the internet")), 100, "neither", 1),
    ],
)
def test_line_or_wifi(tests, paid, line, rooms):
    job = replace(
        random_house(3, nodes=1), speed_tests=tests, subscription=Subscription(paid, paid / 10) if paid else None
    )
    found = line_or_wifi(job)
    assert found.line == line
    if rooms == 1:
        assert len(found.rooms) == 1
    else:
        assert [r.narrow for r in found.rooms] == rooms


@pytest.mark.parametrize(
    ("up", "state"), [((2.5, 3.0), "good"), ((1.4, 3.0), "at its least"), ((0.4, 3.0), "too slow"), ((), "not tested")]
)
def test_cameras_are_judged_by_their_worst_upload(up, state):
    """2 Mb/s wanted, 1 the minimum: common practice."""
    job = random_house(3, nodes=1, devices=1)
    camera = replace(job.devices[0], demand_down_mbps=0.2, demand_up_mbps=2.0)
    tests = (
        (
            SpeedTest(
                place_id=camera.place_id, tested_at="2026-03-02T19:00:00Z", down_mbps=(20.0,) * len(up), up_mbps=up
            ),
        )
        if up
        else ()
    )
    (found,) = line_or_wifi(replace(job, devices=(camera,), speed_tests=tests)).cameras
    assert found.state == state
