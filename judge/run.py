"""Plans in houses of another make: left alone, a careful technician, our plan, the best that was possible.

    python judge/run.py [--houses 60] [--first 5000] [--seconds 15] [--make usual]

The planner sees the walk only; what comes out is told by the truth. Nothing here passes or fails.
"""

from __future__ import annotations

import argparse
import multiprocessing
import random
import time
from dataclasses import dataclass
from statistics import median

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import with_lawful_power
from even_static.core.search.rules_of_thumb import careful
from even_static.core.worlds.living import Living
from even_static.core.worlds.outlook import FigureName, Outlook
from even_static.core.worlds.phone import as_tested
from even_static.core.worlds.present import agreeing_worlds
from even_static.core.worlds.span import Span, span
from even_static.instruments.simulated.truth_search import best_in_truth, worth
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.measured import tested, walked
from even_static.truth.outcome import Outcome, TruthAt
from judge.makes import MAKES, build
from judge.planners import PLANNERS
from judge.ties import held_with_ties


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """One house: outcomes by who set it, seconds that the plan took."""

    seed: int
    outcomes: dict[str, Outcome]
    seconds: float
    promised: tuple[float, float]
    held: dict[str, list[tuple[bool, float]]]


def judged(seed: int, planner: str, seconds: float, tries: int, lists: bool = True) -> Verdict:
    """Draw, walk, plan and look; with ``lists`` the plan knows what the router's pages show."""
    drawn = drawn_house(seed)
    true = TrueHouse(drawn.job, drawn.neighbours, seed)
    job: Job = walked(true, lists=lists)
    at, house = TruthAt(true), House(job)
    began = time.perf_counter()
    plan, promised, outlook = PLANNERS[planner](job, seconds)
    took = time.perf_counter() - began
    by_hand = careful(house, with_lawful_power(job, job.settings))
    settings: dict[str, Settings] = {"left alone": job.settings, "careful technician": by_hand, "our plan": plan}
    outcomes = {name: at.outcome(s) for name, s in settings.items()}
    if tries:
        _, outcomes["best found"] = best_in_truth(at, house, list(settings.values()), seed, tries)
    held = {} if outlook is None else held_by(house, outlook, (job.settings, plan), outcomes, seed)
    return Verdict(seed=seed, outcomes=outcomes, seconds=took, promised=promised, held=held)


def held_by(
    house: House, outlook: Outlook, both: tuple[Settings, Settings], outcomes: dict[str, Outcome], seed: int
) -> dict[str, list[tuple[bool, float]]]:
    """Whether what comes lies in each range that the plan tells, and how much of it with worlds that say the same dealt
    out: figures of the house by the truth, speed tests as a technician takes them, three runs with whatever phone is
    there."""
    found: dict[str, list[tuple[bool, float]]] = {}
    job, rng = house.job, random.Random(seed)
    unseen, _ = agreeing_worlds(house, outlook.worlds, seed=1)
    living = Living(unseen.erring())

    def note(name: str, value: float, told: Span, drawn: Floats, slack: float) -> None:
        assert told == span(drawn), "the plan told its ranges from other worlds"
        within = told.low - slack <= value <= told.high + slack
        found.setdefault(name, []).append((within, held_with_ties(drawn, value, slack)))

    for when, outcome, settings in zip(
        ("now", "then"), (outcomes["left alone"], outcomes["our plan"]), both, strict=True
    ):
        lived, tests = living.lived(settings), as_tested(living.worlds, living.speed_tests(settings))
        came: dict[FigureName, tuple[float, Floats]] = {
            "problems": (float(outcome.problems), lived.problems),
            "headroom": (min(outcome.headroom, 3.5), lived.headroom),
            "devices carried": (outcome.served, lived.served),
            "worst Zigbee delivery": (outcome.worst_delivery, lived.delivery),
        }
        for figure in outlook.figures:
            told = figure.now if when == "now" else figure.then
            note(f"{figure.name}, {when}", came[figure.name][0], told, came[figure.name][1], 1e-6)
        for speed in outlook.speeds:
            if speed.place_id not in outcome.speed:
                continue
            p = house.places[speed.place_id]
            test = tested(rng, job.places[p], outcome.speed[speed.place_id], job.scans[0].heard_at)
            down = speed.now_mbps if when == "now" else speed.then_mbps
            note(f"speed at a spot, {when}", median(test.down_mbps), down, tests.down_mbps[:, p], 0.5)
            up = speed.now_up_mbps if when == "now" else speed.then_up_mbps
            note(f"speed up at a spot, {when}", median(test.up_mbps), up, tests.up_mbps[:, p], 0.5)
            latency, drawn = speed.now_latency_ms if when == "now" else speed.then_latency_ms, tests.latency_at(p)
            if test.latency_ms and latency is not None and drawn is not None:
                note(f"latency at a spot, {when}", median(test.latency_ms), latency, drawn, 0.5)
    return found


def _judged(arguments: tuple[int, str, float, int, bool]) -> Verdict:
    return judged(*arguments)


def table(verdicts: list[Verdict]) -> None:
    """Median and worst tenth of each figure by who set the house."""
    print(f"{len(verdicts)} houses; median (worst tenth)")
    print(
        f"{'':20} {'served':>12} {'headroom':>12} {'problems':>12} {'Zigbee':>14}"
        f" {'speed':>10} {'worst spot':>12} {'harm':>6}"
    )
    for name in verdicts[0].outcomes:
        all_of = [v.outcomes[name] for v in verdicts]

        def told(values: list[float], bad: float, form: str) -> str:
            return f"{format(np.median(values), form)} ({format(np.quantile(values, bad), form)})"

        harm = np.mean([worth(v.outcomes[name])[:2] > worth(v.outcomes["left alone"])[:2] for v in verdicts])
        print(
            f"{name:20}"
            f" {told([o.served for o in all_of], 0.1, '.2f'):>12}"
            f" {told([min(o.headroom, 3.5) for o in all_of], 0.1, '.2f'):>12}"
            f" {told([o.problems for o in all_of], 0.9, '.0f'):>12}"
            f" {told([o.worst_delivery for o in all_of], 0.1, '.3f'):>14}"
            f" {told([o.median_speed_mbps for o in all_of], 0.1, '.0f'):>10}"
            f" {told([o.worst_speed_mbps for o in all_of], 0.1, '.0f'):>12}"
            f" {harm:>6.0%}"
            f"   mean problems {np.mean([o.problems for o in all_of]):.2f}, headroom"
            f" {np.mean([min(o.headroom, 3.5) for o in all_of]):.2f}"
        )
    ours = [v.outcomes["our plan"] for v in verdicts]
    hand = [v.outcomes["careful technician"] for v in verdicts]
    good = np.mean([worth(a)[:2] <= worth(b)[:2] for a, b in zip(ours, hand, strict=True)])
    took = [v.seconds for v in verdicts]
    print(
        f"at least the careful technician in {good:.0%}; plans took {np.median(took):.1f} s, at most {max(took):.1f} s"
    )
    lost = [
        f"{v.seed} ({a.problems} problems and {a.headroom:.2f}, the technician {b.problems} and {b.headroom:.2f})"
        for v, a, b in zip(verdicts, ours, hand, strict=True)
        if worth(a)[:2] > worth(b)[:2]
    ]
    if lost:
        print(f"not so in {'; '.join(lost)}")
    names = sorted({n for v in verdicts for n in v.held})
    for name in names:
        ranges = [t for v in verdicts for t in v.held.get(name, [])]
        print(
            f"  intervals of 90 % held {name:32} {np.mean([h for h, _ in ranges]):.0%},"
            f" ties dealt out {np.mean([share for _, share in ranges]):.0%}"
        )
    promised = [p for v in verdicts for p in [v.promised]]
    print(
        f"promised: problems {np.mean([p for p, _ in promised]):.2f}, headroom {np.mean([h for _, h in promised]):.2f};"
        f" came: {np.mean([o.problems for o in ours]):.2f}, {np.mean([min(o.headroom, 3.5) for o in ours]):.2f}"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--houses", type=int, default=60)
    parser.add_argument("--first", type=int, default=5000)
    parser.add_argument("--seconds", type=float, default=15.0)
    parser.add_argument("--planner", default="plan", choices=sorted(PLANNERS))
    parser.add_argument("--tries", type=int, default=500)
    parser.add_argument("--no-lists", action="store_true", help="without the router's client list and channel use")
    parser.add_argument("--one-by-one", action="store_true")
    parser.add_argument("--make", default="usual", choices=sorted(MAKES), help="physics that houses are drawn from")
    asked = parser.parse_args()
    work = [
        (asked.first + n, asked.planner, asked.seconds, asked.tries, not asked.no_lists) for n in range(asked.houses)
    ]
    with multiprocessing.get_context("spawn").Pool(1 if asked.one_by_one else 2, build, (asked.make,)) as pool:
        verdicts = list(pool.imap(_judged, work))
    table(verdicts)
    if asked.one_by_one or asked.houses <= 12:
        for v in verdicts:
            print(v.seed, *(f"{n}: {o.problems} {o.headroom:.2f}" for n, o in v.outcomes.items()), sep="  ")


if __name__ == "__main__":
    main()
