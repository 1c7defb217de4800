"""What holds a house back: one sentence with its number, for what decides its place in the order of settings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from even_static.core.explain.reasons import radio_reasons, zigbee_reasons
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import arriving
from even_static.core.model.prepared_house import House
from even_static.core.tables.zigbee import WANTED_DELIVERY


@dataclass(frozen=True, slots=True)
class Part:
    """A part of the picture: who, and its share of a second (a radio) or of the tries (a Zigbee hop)."""

    name: str
    fraction: float
    kind: Literal["others", "own", "this", "lost"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Bottleneck:
    """What holds the house back: in words, about whom, whether it is still a problem, and its parts as a picture of
    ``of``: a second of airtime, or all tries on the best hop."""

    text: str
    subject_id: str | None
    problem: bool
    of: str = ""
    parts: tuple[Part, ...] = ()


NOT_SCANNED = "not known yet, since nobody has scanned the air here"
OWN_UNNAMED = "not known yet, since nobody has said which network is the household's"


def holding_back(house: House, settings: Settings) -> Bottleneck:
    """The first thing to know: the radio with the least room if it cannot carry its hour, else the worst Zigbee
    device, else what is tightest although it does. Not known before the air was scanned."""
    if not house.job.air_known:
        text = OWN_UNNAMED if house.job.own_unnamed else NOT_SCANNED
        return Bottleneck(text=text, subject_id=None, problem=False)
    figures = evaluate(house, settings)
    tight = next((r for r in figures.radios if r.radio_id == figures.headroom_radio_id), None)
    if tight is not None and tight.headroom is not None and tight.headroom < 1:
        return _radio(house, settings, tight.radio_id, True)
    worst = figures.worst_zigbee_delivery
    if worst is not None and worst < WANTED_DELIVERY and figures.worst_zigbee_device_id is not None:
        device = figures.worst_zigbee_device_id
        return _zigbee(house, settings, device, worst)
    if figures.problem_list:
        first = figures.problem_list[0]
        return Bottleneck(
            text=f"{_name(house, first.subject_id)} {first.text}", subject_id=first.subject_id, problem=True
        )
    if tight is not None and tight.headroom is not None and tight.headroom < 2:
        return _radio(house, settings, tight.radio_id, False)
    return Bottleneck(
        text="nothing: every radio has twice the airtime that it needs and every report arrives",
        subject_id=None,
        problem=False,
    )


def _radio(house: House, settings: Settings, radio_id: str, problem: bool) -> Bottleneck:
    why = radio_reasons(house, settings, radio_id)
    need, free = why.need_fraction * 1000, why.available_fraction * 1000
    text = f"{radio_id} needs {need:.0f} ms of each second and has {free:.0f}"
    parts = [
        (o.costs_fraction, f"own radio {o.radio_id} on the same channel takes {o.costs_fraction * 1000:.0f} ms")
        for o in why.own
        if o.shares
    ]
    parts += [(x.need_fraction, f"{x.name} alone takes {x.need_fraction * 1000:.0f} ms") for x in why.loads]
    parts.append((why.busy_fraction, f"other networks take {why.busy_fraction * 1000:.0f} ms"))
    parts.sort(reverse=True)
    busy = [Part("other networks", 1 - why.available_fraction, "others")]
    busy += [Part(f"own radio {o.radio_id}", o.costs_fraction, "own") for o in why.own if o.shares]
    busy += [Part(x.name, x.need_fraction, "this") for x in why.loads if x.need_fraction > 0]
    return Bottleneck(
        text=f"{text}; {parts[0][1]}",
        subject_id=radio_id,
        problem=problem,
        of="one second of airtime",
        parts=tuple(busy),
    )


def _zigbee(house: House, settings: Settings, device_id: str, worst: float) -> Bottleneck:
    hops = zigbee_reasons(house, settings, device_id)
    text = f"{_name(house, device_id)}: {arriving(worst)} of its reports arrive"
    interferers = hops[0].interferers if hops else ()
    if interferers:
        top = interferers[0]
        who = f"own radio {top.name}" if top.own else "a neighbour's network"
        text += f"; {who} {top.said}"
    shares = tuple(
        Part(f"own radio {i.name}" if i.own else "a neighbour", i.spoilt_fraction + i.waiting_fraction, "lost")
        for i in interferers[:5]
    )
    return Bottleneck(text=text, subject_id=device_id, problem=True, of="tries on its best hop", parts=shares)


def _name(house: House, subject_id: str) -> str:
    job = house.job
    named = {d.id: d.name for d in job.devices} | {n.id: n.name for n in job.nodes}
    if job.zigbee is not None:
        named |= {d.id: d.name for d in job.zigbee.devices}
    if job.thread is not None:
        named |= {d.id: d.name for d in job.thread.devices}
    return named.get(subject_id, subject_id)
