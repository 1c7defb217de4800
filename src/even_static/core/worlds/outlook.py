"""What will come of a plan: each figure now and then with its interval, what it hangs on, what would settle it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.survey.router_lists import newest_lines
from even_static.core.survey.traffic import carried, with_carried_demand
from even_static.core.tables.clients import GOOD_DBM
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Lived, Living
from even_static.core.worlds.phone import SpeedTests, as_tested
from even_static.core.worlds.present import Agreement
from even_static.core.worlds.span import Span, span

# A place whose speed falls below this share of what it was, in the middle of the worlds, is told of: people notice.
FALLS = 0.8
# An assumption is worth telling from this correlation on.
TOLD = 0.25

FigureName = Literal["problems", "headroom", "worst Zigbee delivery", "devices carried"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ExpectedFigure:
    """A figure of the house as it is, and as it will be; headroom counts to 3.5, shares are fractions."""

    name: FigureName
    now: Span
    then: Span


@dataclass(frozen=True, slots=True, kw_only=True)
class ExpectedSpeed:
    """What a good phone's speed test shows at a place while the household goes on, now and then: down and up in Mb/s,
    latency under load in ms, without queues of boxes that do not keep them short. ``falls``: noticeably less down."""

    place_id: str
    now_mbps: Span
    then_mbps: Span
    now_up_mbps: Span
    then_up_mbps: Span
    now_latency_ms: Span | None
    then_latency_ms: Span | None
    """None where nothing gets through in most worlds."""
    falls: bool
    reason: str = ""
    """Why it falls; empty where it does not."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Hinge:
    """What a plan's gain hangs on most, and the one measurement that would settle it; ``correlation`` of the two over
    the worlds."""

    what: str
    measure: str
    correlation: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlook:
    """A plan in worlds that agree with what was measured and that no search has seen, beside leaving it.

    ``better`` and ``worse``: worlds in which it leaves the house so. ``name``: which candidate it came from.
    """

    worlds: int
    held_share: float
    """Share of the worlds that every range holds."""
    better: int
    worse: int
    name: str
    tried: int
    figures: tuple[ExpectedFigure, ...]
    speeds: tuple[ExpectedSpeed, ...]
    hinge: Hinge | None
    passed_over: str
    """Why the best in the model was not taken; empty where it was."""
    agreement: Agreement | None = None
    """How well the worlds say what was measured of the present; none where nothing of it was."""
    parts: tuple[str, ...] = ()
    """Parts of the day that were heard, where there are several: the plan was weighed in each."""
    worse_in: tuple[str, ...] = ()
    """Those of them in which the plan leaves the house worse than now."""


def expected_figures(now: Lived, then: Lived, has_zigbee: bool) -> tuple[ExpectedFigure, ...]:
    """The house's figures now and then."""
    pairs: list[tuple[FigureName, Floats, Floats]] = [
        ("problems", now.problems, then.problems),
        ("headroom", now.headroom, then.headroom),
        ("devices carried", now.served, then.served),
    ]
    if has_zigbee:
        pairs.append(("worst Zigbee delivery", now.delivery, then.delivery))
    return tuple(ExpectedFigure(name=name, now=span(a), then=span(b)) for name, a, b in pairs)


def expected_speeds(living: Living, settings: Settings) -> tuple[ExpectedSpeed, ...]:
    """The speed at each place now and under a setting; places that only stand for a node's own spot are left out."""
    worlds, house = living.worlds, living.house
    now, then = (as_tested(worlds, living.speed_tests(s)) for s in (house.job.settings, settings))
    found = []
    for p, place in enumerate(house.job.places):
        if place.id.startswith("stand."):
            continue
        a, b = now.down_mbps[:, p], then.down_mbps[:, p]
        falls = float(np.median(b)) < FALLS * float(np.median(a))
        reason = _why_slower(worlds, settings, p) if falls else ""
        found.append(
            ExpectedSpeed(
                place_id=place.id,
                now_mbps=span(a),
                then_mbps=span(b),
                now_up_mbps=span(now.up_mbps[:, p]),
                then_up_mbps=span(then.up_mbps[:, p]),
                now_latency_ms=_latency(now, p),
                then_latency_ms=_latency(then, p),
                falls=falls,
                reason=reason,
            )
        )
    return tuple(found)


def _latency(tests: SpeedTests, place: int) -> Span | None:
    found = tests.latency_at(place)
    return None if found is None else span(found)


def _why_slower(worlds: Worlds, settings: Settings, place: int) -> str:
    """What a plan changes on the way from the router to a place: at the radio that is loudest there, or on a link."""
    house, job = worlds.house, worlds.house.job
    power = np.array([job.settings.of(x.id).eirp_dbm for x in house.radios])
    level = worlds.own_place_dbm[:, place, :].mean(axis=0) + power
    on = [r for r, x in enumerate(house.radios) if job.settings.of(x.id).enabled and not x.link_only]
    high = [r for r in on if house.radios[r].band != "2.4 GHz" and level[r] >= GOOD_DBM]
    usual = max(high or on, key=lambda r: level[r], default=None)
    if usual is None:
        return "no radio reaches it"
    radio = house.radios[usual]
    before, after = job.settings.of(radio.id), settings.of(radio.id)
    found = []
    if not after.enabled:
        found.append(f"{radio.id} is switched off")
    elif after.width_mhz < before.width_mhz:
        found.append(f"{radio.id} goes from {before.width_mhz} to {after.width_mhz} MHz to stay clear of others")
    if after.enabled and after.eirp_dbm < before.eirp_dbm:
        found.append(f"{radio.id} sends with {after.eirp_dbm:g} instead of {before.eirp_dbm:g} dBm")
    moved = {e.node_id: e for e in house.linked(settings).link_bands if e not in job.settings.link_bands}
    for node in (job.nodes[i] for i in house.above[house.radio_node[usual]]):
        if node.id in moved:
            to = next((n.name for n in job.nodes if n.id == moved[node.id].to_node_id), None)
            band = moved[node.id].band
            goes = "will most likely go to" if node.self_forming else "is put on"
            found.append(f"the link of {node.name} {goes} {band}{'' if to is None else f', to {to}'}")
    return "; ".join(found) or "the channel that carries it is shared with more traffic"


def hinge(worlds: Worlds, settings: Settings, gain: Floats) -> Hinge | None:
    """What a gain hangs on most over the worlds (shape (worlds,)); None where nothing drawn moves it much."""
    if len(gain) < 8 or float(np.std(gain)) < 1e-6:
        return None
    found = [(abs(_correlation(values, gain)), what, measure) for what, measure, values in _unknowns(worlds, settings)]
    correlation, what, measure = max(found, default=(0.0, "", ""))
    if correlation < TOLD:
        return None
    return Hinge(what=what, measure=measure, correlation=correlation)


def _settles_demand(job: Job) -> str:
    """What would settle how much the devices want, by what is known of their traffic already."""
    if not carried(job):
        return "read the router's traffic counters over an evening"
    if with_carried_demand(job) != job:
        return "take the traffic that the router counted as demand, under Kit"
    return "read the router's traffic counters once more, in the busiest hour"


def _correlation(a: Floats, b: Floats) -> float:
    a, b = np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64)
    if a.std() < 1e-9 or b.std() < 1e-9:
        return 0.0
    return float(np.corrcoef(a, b)[0, 1])


def _unknowns(worlds: Worlds, settings: Settings) -> list[tuple[str, str, Floats]]:
    """What was drawn, as one number for each world: in words, and what would measure it."""
    house, job = worlds.house, worlds.house.job
    found: list[tuple[str, str, Floats]] = [
        (
            "how much busier the neighbours are in the evening",
            "scan once more in the busiest hour of the evening",
            worlds.evening[:, 0],
        ),
        (
            "what the scanning device reads too high or too low everywhere",
            "read one spot with a second device beside it",
            worlds.reader_db[:, 0, 0],
        ),
        (
            "how much the devices themselves want in the busy hour",
            _settles_demand(job),
            np.log(worlds.wanted_mbps.sum(axis=(1, 2)).astype(np.float64) + 1e-6),
        ),
    ]
    dual = np.array([len(d.bands) > 1 and d.wired_to_id is None for d in job.devices], dtype=bool)
    listed = {c.device_id for c in newest_lines(job) if c.radio_id is not None}
    unlisted = dual & np.array([d.id not in listed for d in job.devices], dtype=bool)
    if unlisted.any():
        found.append(
            (
                "how strongly devices favour 5 GHz over 2.4 GHz",
                "read from the router's list which device is on which band",
                worlds.taste_db[:, unlisted].max(axis=2).mean(axis=1).astype(np.float64),
            )
        )
    middle = worlds.own_device_dbm.mean(axis=0, keepdims=True)
    apart = worlds.own_device_dbm - middle
    for n, node in enumerate(job.nodes):
        rows = [r for r in range(len(house.radios)) if house.radio_node[r] == n]
        if rows and job.devices:
            found.append(
                (
                    f"how well {node.name} reaches the devices around it",
                    f"read the levels of {node.name} where the devices are used",
                    apart[:, :, rows].mean(axis=(1, 2)).astype(np.float64),
                )
            )
        if node.uplink is not None and node.uplink.band is not None:
            found.append(
                (
                    f"how strong the radio link of {node.name} is",
                    f"read the level of the link on the page of {node.name}",
                    worlds.link_db[:, n].astype(np.float64),
                )
            )
    return found
