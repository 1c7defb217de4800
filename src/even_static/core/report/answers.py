"""What a customer asks at the table, in a sentence each: with its figure, how it is known, and where to read on.

Nothing is answered that nobody measured, computed or typed: then the answer says what is missing.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime

from even_static.core.explain.heavy_users import traffic_view
from even_static.core.explain.ssids import compare_ssid_plans
from even_static.core.house.basics import counted
from even_static.core.house.devices import device_of
from even_static.core.house.job import Job
from even_static.core.house.kit import Place
from even_static.core.house.rooms import outline_area_m2
from even_static.core.house.settings import Settings
from even_static.core.house.sources import How
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.prove.follow_up import needed_days, rate_before
from even_static.core.survey.line_or_wifi import line_or_wifi
from even_static.core.tables.devices import KINDS
from even_static.core.tables.phy import DESIGN_LEVEL_DBM
from even_static.core.tables.placing import AREA_A_NODE_M2

# The kind of device that is thought of where a camera or bell is asked about.
CAMERA = "camera or video bell"
MOST_ROOMS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """A question with its answer: in words, the figure that it rests on, how that is known and how sure it is, and the
    step and view to read on in."""

    question: str
    text: str
    figure: str
    how: How
    sure: str
    step: str
    part: str = ""


def answers(house: House, settings: Settings) -> list[Answer]:
    """The questions in the order in which they are asked at a kitchen table."""
    job = house.job
    known = bool(job.nodes) and job.air_known and house.levels_known
    figures = evaluate(house, settings) if known else None
    found = [_line(job), _rooms(job, figures)]
    if len({r.band for r in job.radios}) > 1:
        found.append(_names(house, settings, figures))
    found += _door(house, settings, figures)
    if job.nodes:
        found += [_node(house, figures), _airtime(house, settings, figures)]
    found.append(_solved(job))
    return found


def _line(job: Job) -> Answer:
    verdict = line_or_wifi(job)
    down, paid = verdict.wired_down_mbps, verdict.paid_down_mbps
    figure = "" if down is None else f"{down.median:.0f}{'' if paid is None else f' of {paid:.0f}'} Mb/s by cable"
    sure = "" if down is None else f"median of {down.runs} {'run' if down.runs == 1 else 'runs'}"
    return Answer(
        question="Is it the line or the Wi-Fi?",
        text=verdict.text,
        figure=figure,
        how="not known" if down is None else "measured",
        sure=sure,
        step="walk",
    )


def _rooms(job: Job, figures: Evaluation | None) -> Answer:
    question = "Which room needs what?"
    if figures is None:
        missing = "Not known yet: scan where the devices are used."
        return Answer(question=question, text=missing, figure="", how="not known", sure="", step="walk")
    places, at = {p.id: p.name for p in job.places}, {d.id: d for d in job.devices}
    needs: dict[str, dict[str, list[str]]] = {}
    for problem in figures.problem_list:
        device = at.get(problem.subject_id)
        if device is not None:
            needs.setdefault(places[device.place_id], {}).setdefault(problem.text, []).append(device.name)
    read = sum(d.measured for d in figures.devices)
    sure = f"worked out from levels; {read} of {len(figures.devices)} devices are where somebody scanned"
    if not needs:
        text = "None: every device has a link and is carried in the busy hour."
    else:
        worst = sorted(needs.items(), key=lambda n: (-sum(len(who) for who in n[1].values()), n[0]))
        told = "; ".join(
            f"{room}: {', '.join(f'{_and(who)} ({text})' for text, who in list(what.items())[:2])}"
            for room, what in worst[:MOST_ROOMS]
        )
        more = f"; and {counted(len(worst) - MOST_ROOMS, 'more room')}" if len(worst) > MOST_ROOMS else ""
        text = f"{told}{more}."
    figure = f"{len(needs)} of {len({d.place_id for d in job.devices})} rooms with devices"
    return Answer(question=question, text=text, figure=figure, how="predicted", sure=sure, step="tune", part="problems")


def _and(names: list[str]) -> str:
    few = names[:3] if len(names) <= 3 else [*names[:2], f"{len(names) - 2} more"]
    return few[0] if len(few) == 1 else f"{', '.join(few[:-1])} and {few[-1]}"


def _names(house: House, settings: Settings, figures: Evaluation | None) -> Answer:
    question = "One network name or several?"
    if figures is None:
        missing = "Not known yet: it depends on the levels where each device is used."
        return Answer(question=question, text=missing, figure="", how="not known", sure="", step="walk")
    plans = compare_ssid_plans(house, settings)
    best = next(p for p in plans if p.recommended)
    apart = [d.name for d in house.job.devices if best.ssid_plan.band_of(d.id) is not None]
    who = f" On a name of their own: {', '.join(apart[:6])}{'…' if len(apart) > 6 else ''}." if apart else ""
    text = f"{best.kind[:1].upper()}{best.kind[1:]}: {best.reason}.{who}"
    others = [p.evaluation.problems for p in plans if not p.recommended]
    figure = f"{best.evaluation.problems} problems"
    beside = f"the other plans bring {min(others)} to {max(others)}" if others else "the routers offer nothing else"
    return Answer(question=question, text=text, figure=figure, how="predicted", sure=beside, step="tune", part="ssids")


def _door(house: House, settings: Settings, figures: Evaluation | None) -> Iterator[Answer]:
    """A camera or bell at each place outdoors, before it is bought: carried or not, by the model."""
    job = house.job
    outside = [p for p in job.places if p.outdoors or "door" in p.name.lower()][:2]
    kind = next(k for k in KINDS if k.name == CAMERA)
    for place in outside:
        question = f"Would a camera or bell work at the {place.name}?"
        if figures is None:
            missing = "Not known yet: scan there, at the height where it will hang."
            yield Answer(question=question, text=missing, figure="", how="not known", sure="", step="walk")
            continue
        yield _camera_at(house, settings, figures, place, question, kind.up_mbps)


def _camera_at(
    house: House, settings: Settings, figures: Evaluation, place: Place, question: str, up_mbps: float
) -> Answer:
    job = house.job
    kind = next(k for k in KINDS if k.name == CAMERA)
    camera = replace(device_of(job, "a camera", kind, place.id), planned=True)
    then = evaluate(house.changed(replace(job, devices=(*job.devices, camera))), settings)
    its = next(d for d in then.devices if d.device_id == camera.id)
    more = then.problems - figures.problems
    if its.rssi_dbm is None:
        text = "No: nothing reaches there."
    elif not its.carried:
        text = f"Not as the house is set: its {up_mbps:g} Mb/s up are not carried there."
    elif more > 0:
        text = f"Yes, but it takes airtime from others: {more} more would have a problem."
    else:
        text = f"Yes: its {up_mbps:g} Mb/s up are carried, and nobody else is worse off."
    level = "no level" if its.rssi_dbm is None else f"{its.rssi_dbm:.0f} dBm"
    how: How = "measured" if its.measured else "predicted"
    sure = (
        f"the level; {'somebody' if its.measured else 'nobody'} has scanned there. Whether it is carried is worked out"
    )
    return Answer(question=question, text=text, figure=level, how=how, sure=sure, step="walk")


def _node(house: House, figures: Evaluation | None) -> Answer:
    """Whether another node would help: by the weakest spots, and how large the house is for its nodes."""
    job, question = house.job, "Is another node worth its money?"
    area = 0.0 if job.building is None else sum(outline_area_m2(r) for r in job.building.rooms if r.kind == "room")
    if figures is None:
        missing = "Not known yet: it depends on how weak the weakest spots are."
        return Answer(question=question, text=missing, figure="", how="not known", sure="", step="walk")
    weak = [d for d in figures.devices if d.rssi_dbm is not None and d.rssi_dbm < DESIGN_LEVEL_DBM]
    lost = [d for d in figures.devices if d.rssi_dbm is None and d.radio_id is None and not d.carried]
    names = {d.id: d.name for d in job.devices}
    how: How = "measured" if all(d.measured for d in figures.devices) else "predicted"
    figure = f"{len(weak) + len(lost)} of {len(figures.devices)} devices below {DESIGN_LEVEL_DBM:.0f} dBm"
    size = ""
    if area:
        size = f"{area / len(job.nodes):.0f} m² a node; about {AREA_A_NODE_M2:.0f} is usual (common practice)"
    if not weak and not lost:
        text = "No: every device receives the design level. More nodes than needed disturb each other."
    else:
        few = ", ".join(names[d.device_id] for d in (*lost, *weak)[:4])
        text = f"Only if moving or setting them does not help: {few} receive too little. House compares the spots."
    return Answer(question=question, text=text, figure=figure, how=how, sure=size, step="house", part="best-spots")


def _airtime(house: House, settings: Settings, figures: Evaluation | None) -> Answer:
    question = "Which device or neighbour takes the airtime?"
    traffic = traffic_view(house, settings)
    if traffic.users:
        text = f"{traffic.text[:1].upper()}{traffic.text[1:]}."
        first = traffic.users[0]
        figure = f"{100 * first.carried.traffic_share:.0f} % of the traffic"
        sure = f"counted over {first.carried.hours:.3g} h by the router"
        part = "router-s-lists"
        return Answer(question=question, text=text, figure=figure, how="measured", sure=sure, step="kit", part=part)
    busy = None if figures is None else max(figures.radios, key=lambda r: r.busy_fraction, default=None)
    if busy is None:
        missing = "Not known yet: paste the router's client list with its counters, or scan."
        return Answer(
            question=question, text=missing, figure="", how="not known", sure="", step="kit", part="router-s-lists"
        )
    own = next(r for r in house.radios if r.id == busy.radio_id)
    own_share = f"its own devices {busy.need_fraction:.0%}"
    text = f"Neighbours take {busy.busy_fraction:.0%} of each second at {own.id}, {own_share}."
    spectra = house.spectra(own.band)
    assumed = bool(spectra.assumed.all()) if len(spectra.assumed) else True
    sure = (
        "no neighbour broadcasts its use" if assumed else "worked out from what neighbours broadcast of their channels"
    )
    figure = f"{busy.busy_fraction:.0%} by others"
    return Answer(
        question=question,
        text=text,
        figure=figure,
        how="assumed" if assumed else "predicted",
        sure=sure,
        step="tune",
        part="neighbours",
    )


def _solved(job: Job) -> Answer:
    question = "How long until we call it solved?"
    last = max((c.changed_at for c in job.changes), default=None)
    told = [c.per_week for c in job.complaints if c.per_week is not None]
    rate = rate_before(job, datetime.fromisoformat(last))[0] if last else (sum(told) or None)
    days = needed_days(rate)
    text = f"{days:.0f} days without a drop-out after the change prove it."
    often = "nobody has said how often it happens" if rate is None else f"it happened {rate:.3g} times a week"
    # What a household remembers is no log.
    how: How = "measured" if last and job.drop_outs else "assumed"
    return Answer(question=question, text=text, figure=f"{days:.0f} days", how=how, sure=often, step="prove")
