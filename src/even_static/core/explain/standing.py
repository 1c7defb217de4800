"""Where a call stands: what each step knows and still needs, and the one thing worth doing next, with its minutes.

What narrows a plan most is what is used most where nobody has listened: places are ordered by what the complaints name,
then by the busy-hour demand of must-have devices that are used there.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from even_static.core.house.basics import counted
from even_static.core.house.complaint import SLOWNESS
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Place
from even_static.core.survey.line_or_wifi import line_or_wifi
from even_static.core.tables import visit as table

StepState = Literal["open", "begun", "enough"]
OWN_UNNAMED = "Nobody has said which network is the household's"
# Complaints that a slow line explains as well as the Wi-Fi does.
_BY_THE_LINE = frozenset({*SLOWNESS, "video stalls", "calls break up"})


@dataclass(frozen=True, slots=True, kw_only=True)
class StepStanding:
    """A step of the work (ask, kit, house, walk, listen, tune, change, prove, report): whether it has enough for a
    plan, and in a sentence what is known and what is missing."""

    step: str
    state: StepState
    said: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NextThing:
    """The one thing worth doing next: where, what, how long it takes in minutes, and why it comes now."""

    step: str
    text: str
    minutes: int
    why: str
    place_id: str | None = None
    part: str = ""
    """The view of the step in which it is done; empty for the first."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """Where the call stands."""

    steps: tuple[StepStanding, ...]
    next: NextThing
    others: tuple[NextThing, ...]
    """What else would narrow the plan, the next first."""


@dataclass(frozen=True, slots=True, kw_only=True)
class _Heard:
    """Places where somebody has scanned since the last change, by name; demand of must-have devices by place in Mb/s,
    and the share of it where somebody has."""

    places: dict[str, Place]
    scanned: frozenset[str]
    demand: dict[str, float]
    share: float


def standing(job: Job) -> Standing:
    """Where a call stands, by what was typed and measured alone: nothing is searched or predicted."""
    heard = _heard(job)
    changed = bool(job.changes) or (job.sheet is not None and any(s.state != "open" for s in job.sheet.steps))
    before, after = [] if changed else _before_tuning(job, heard), _after_tuning(job)
    # A sheet that was made is set before anything more is measured for another plan.
    things = [*after, *before] if job.sheet is not None else [*before, *after]
    steps = (
        _ask(job),
        _kit(job),
        _house(job),
        _walk(job, heard),
        _listen(job),
        _tune(job, heard),
        _change(job),
        _prove(job),
        _report(job),
    )
    return Standing(steps=steps, next=things[0], others=tuple(things[1:6]))


def _heard(job: Job) -> _Heard:
    scanned = frozenset(s.place_id for s in job.scans)
    demand: dict[str, float] = {}
    for d in job.devices:
        if d.must_have and d.wired_to_id is None:
            demand[d.place_id] = demand.get(d.place_id, 0.0) + _wants(d)
    total = sum(demand.values())
    share = sum(v for p, v in demand.items() if p in scanned) / total if total else float(bool(scanned))
    return _Heard(places={p.id: p for p in job.places}, scanned=scanned, demand=demand, share=share)


def _wants(device: Device) -> float:
    return device.demand_down_mbps + device.demand_up_mbps


# -- what is next ----------------------------------------------------------------------------------------------------


def _before_tuning(job: Job, heard: _Heard) -> list[NextThing]:
    found = []
    if not job.complaints and not job.complaint:
        why = "what is wrong, where and when decides what is measured first"
        found.append(_next("ask", "Write down what is complained about", table.COMPLAINT_MIN, why))
    if not job.nodes:
        why = "every figure begins with the router's radios"
        step, part = ("kit", "nodes") if job.places else ("ask", "")
        found.append(_next(step, "Write down the router", table.KIT_MIN, why, part))
    if job.nodes and not job.devices:
        why = "a plan is judged by whom it carries"
        found.append(_next("ask", "List the devices and where they are used", table.DEVICES_MIN, why))
    if not job.nodes:
        return found
    near = {s.place_id for s in job.scans} & {n.place_id for n in job.nodes}
    if job.own_unnamed and (near or len(job.scans) > 1):
        why = "its radios count as neighbours until somebody says so, and nothing is worked out"
        found.append(_next("walk", "Say which network is the household's", table.OWN_NAME_MIN, why))
    by_line = [c for c in job.complaints if c.what in _BY_THE_LINE]
    wired = any(t.over == "cable" for t in job.speed_tests)
    if by_line and not wired:
        why = f"“{by_line[0].what}”: a slow line does that too, and no tuning helps it"
        at, text = job.nodes[0].place_id, "Test the speed by cable at the router"
        found.append(NextThing(step="walk", text=text, minutes=table.WIRED_TEST_MIN, why=why, place_id=at))
    found += _tests(job, heard)
    found += _scans(job, heard)
    zigbee = job.zigbee
    if zigbee is not None and zigbee.devices and not zigbee.links:
        why = f"{counted(len(zigbee.devices), 'Zigbee device')} of which nobody knows the links"
        found.append(_next("kit", "Read the hub's link table", table.LINK_TABLE_MIN, why, "zigbee"))
    if job.devices and job.air_known and not job.client_list:
        why = "it says which radio each device is on, which levels only suggest"
        found.append(_next("kit", "Paste the router's client list", table.LIST_MIN, why, "router-s-lists"))
    return found


def _tests(job: Job, heard: _Heard) -> list[NextThing]:
    """Places of complaints about speed where somebody has scanned and nobody has tested the speed yet: whoever stands
    there tests it at once."""
    tested = {t.place_id for t in job.speed_tests if t.over == "wi-fi"}
    slow = {c.place_id: c.what for c in job.complaints if c.what in _BY_THE_LINE}
    return [
        NextThing(
            step="walk",
            text=f"Test the speed over Wi-Fi {_inside(heard.places[place_id])}",
            minutes=table.SPEED_TEST_MIN,
            why=f"“{what}”: without a test before the change nobody can tell whether it helped",
            place_id=place_id,
        )
        for place_id, what in slow.items()
        if place_id in heard.places and place_id in heard.scanned - tested
    ]


def _scans(job: Job, heard: _Heard) -> list[NextThing]:
    """Places where somebody should scan, those of complaints first, then by what is used there."""
    named = [c.place_id for c in job.complaints if c.place_id is not None]
    stands = [n.place_id for n in job.nodes]
    wanted = {*named, *heard.demand, *stands} - heard.scanned
    order = sorted(wanted, key=lambda p: (p not in named, p not in stands, -heard.demand.get(p, 0.0), p))
    found = []
    for place_id in order:
        place, used = heard.places.get(place_id), heard.demand.get(place_id, 0.0)
        if place is None:
            continue
        if place_id in named:
            why = "there is a complaint about it, and nobody has scanned there"
        elif used:
            count = sum(d.place_id == place_id for d in job.devices)
            why = f"{counted(count, 'device')} used there want {used:.3g} Mb/s, and nobody has listened there"
        else:
            node = next(n.name for n in job.nodes if n.place_id == place_id)
            why = f"what {node} hears there is whom it waits for"
        text = f"Scan {_inside(place)}"
        found.append(NextThing(step="walk", text=text, minutes=table.SCAN_MIN, why=why, place_id=place_id))
    must = {*named, *stands}
    if found and heard.share >= table.ENOUGH_SHARE and job.air_known and not (set(order) & must):
        return []
    return found


def _after_tuning(job: Job) -> list[NextThing]:
    sheet = job.sheet
    left = [] if sheet is None else [s for s in sheet.steps if s.state in ("open", "taken back")]
    if left and sheet is not None:
        done = len(sheet.steps) - len(left)
        why = f"{done} of {len(sheet.steps)} steps are done"
        return [_next("change", "Set the next step of the change sheet", table.STEP_MIN, why)]
    if not job.changes:
        why = "what was measured is enough for a plan" if job.air_known else "a plan needs a scan"
        return [_next("tune", "Find the best settings", table.SEARCH_MIN, why)]
    last = max(datetime.fromisoformat(c.changed_at) for c in job.changes)
    after = {s.place_id for s in job.scans if datetime.fromisoformat(s.heard_at) > last}
    before = {s.place_id for s in job.scans if datetime.fromisoformat(s.heard_at) <= last}
    by_wifi = [t for t in job.speed_tests if t.over == "wi-fi"]
    tested_after = {t.place_id for t in by_wifi if datetime.fromisoformat(t.tested_at) > last}
    tested_before = {t.place_id for t in by_wifi} - tested_after
    named = {c.place_id for c in job.complaints if c.place_id is not None}
    names = {p.id: p for p in job.places}
    found = [
        _next("kit", f"Read the link of {n.name} on its page", table.LINK_MIN, "nobody has since it changed", "nodes")
        for n in job.nodes
        if n.uplink is not None and n.uplink.expected
    ]
    for place_id in sorted((before - after) | tested_before, key=lambda p: (p not in named, p)):
        if place_id not in names:
            continue
        if place_id in before - after - tested_after:
            why = "it was measured before the change and not since"
            text = f"Measure again {_inside(names[place_id])}"
            found.append(NextThing(step="walk", text=text, minutes=table.AGAIN_MIN, why=why, place_id=place_id))
        if place_id in tested_before:
            why = "its speed was tested before the change and not since"
            text, minutes = f"Test the speed again {_inside(names[place_id])}", table.SPEED_TEST_MIN
            found.append(NextThing(step="walk", text=text, minutes=minutes, why=why, place_id=place_id))
    why = "before and after are measured" if not found else "some places are still to be measured"
    found.append(_next("report", "Print the handover sheet", table.REPORT_MIN, why))
    return found


def _inside(place: Place) -> str:
    return f"{'at' if place.outdoors else 'in'} the {place.name}"


def _next(step: str, text: str, minutes: int, why: str, part: str = "") -> NextThing:
    return NextThing(step=step, text=text, minutes=minutes, why=why, part=part)


# -- how each step stands --------------------------------------------------------------------------------------------


def _ask(job: Job) -> StepStanding:
    if not job.complaints:
        said = "in words only" if job.complaint else "nothing written down"
        return StepStanding(step="ask", state="begun" if job.complaint else "open", said=f"The complaint: {said}")
    named = sum(c.place_id is not None for c in job.complaints)
    said = f"{counted(len(job.complaints), 'complaint')}, {named} with a room"
    return StepStanding(step="ask", state="enough", said=said)


def _kit(job: Job) -> StepStanding:
    if not job.nodes:
        return StepStanding(step="kit", state="open", said="No router yet")
    parts = [counted(len(job.nodes), "node"), counted(len(job.devices), "device")]
    if job.zigbee is not None:
        parts.append(f"{len(job.zigbee.devices)} on Zigbee")
    unknown = sum(d.unknown for d in job.devices)
    if unknown:
        parts.append(f"{unknown} to be asked about")
    enough = bool(job.devices) and not unknown
    return StepStanding(step="kit", state="enough" if enough else "begun", said=", ".join(parts))


def _house(job: Job) -> StepStanding:
    rooms = 0 if job.building is None else len(job.building.rooms)
    if not rooms:
        return StepStanding(step="house", state="open", said="No sizes: levels count where they were read only")
    placed = sum(n.stand is not None or _placed(job, n.place_id) for n in job.nodes)
    said = f"{counted(rooms, 'room')} with a size, {placed} of {len(job.nodes)} nodes placed"
    return StepStanding(step="house", state="enough" if placed == len(job.nodes) else "begun", said=said)


def _placed(job: Job, place_id: str) -> bool:
    return any(p.id == place_id and p.x_m is not None for p in job.places)


def _walk(job: Job, heard: _Heard) -> StepStanding:
    used = {d.place_id for d in job.devices if d.wired_to_id is None}
    both = len(used & heard.scanned)
    if not heard.scanned:
        return StepStanding(step="walk", state="open", said="Nothing measured yet")
    verdict = line_or_wifi(job)
    said = f"Listened at {both} of {len(used)} places where something is used, {heard.share:.0%} of what is wanted"
    if verdict.wired_down_mbps is None:
        said += "; the line is not tested"
    state: StepState = "enough" if heard.share >= table.ENOUGH_SHARE else "begun"
    return StepStanding(step="walk", state=state, said=said)


def _listen(job: Job) -> StepStanding:
    own = {r.bssid for r in job.radios}
    others = {r.bssid for s in job.scans for r in s.readings if r.bssid not in own}
    if not job.air_known:
        said = OWN_UNNAMED if job.own_unnamed else "Nobody has scanned the air"
        return StepStanding(step="listen", state="open", said=said)
    return StepStanding(step="listen", state="enough", said=f"{counted(len(others), 'network')} of others heard")


def _tune(job: Job, heard: _Heard) -> StepStanding:
    if job.plans or job.sheet is not None or job.changes:
        return StepStanding(step="tune", state="enough", said="A plan was made")
    if not (job.nodes and job.air_known):
        said = OWN_UNNAMED if job.own_unnamed else "A plan needs a router and a scan"
        return StepStanding(step="tune", state="open", said=said)
    weak = heard.share < table.ENOUGH_SHARE
    said = "Enough for a plan" if not weak else "A plan can be made; more scans would make it surer"
    return StepStanding(step="tune", state="open", said=said)


def _change(job: Job) -> StepStanding:
    sheet = job.sheet
    if sheet is None:
        said = f"{counted(len(job.changes), 'change')} written down" if job.changes else "Nothing changed yet"
        return StepStanding(step="change", state="enough" if job.changes else "open", said=said)
    done = sum(s.state in ("done", "differs") for s in sheet.steps)
    state: StepState = "enough" if done == len(sheet.steps) else "begun"
    return StepStanding(step="change", state=state, said=f"{done} of {len(sheet.steps)} steps set")


def _prove(job: Job) -> StepStanding:
    if not job.changes:
        return StepStanding(step="prove", state="open", said="Nothing to compare before a change")
    last = max(datetime.fromisoformat(c.changed_at) for c in job.changes)
    made = [(s.place_id, "scan", datetime.fromisoformat(s.heard_at)) for s in job.scans]
    made += [(t.place_id, "test", datetime.fromisoformat(t.tested_at)) for t in job.speed_tests if t.over == "wi-fi"]
    after = {(place, what) for place, what, at in made if at > last}
    missing = {(place, what) for place, what, at in made if at <= last} - after
    before = {place for place, _, at in made if at <= last}
    both = len(before - {place for place, _ in missing})
    state: StepState = "enough" if before and not missing else "begun" if both else "open"
    return StepStanding(step="prove", state=state, said=f"{both} of {len(before)} places measured before and after")


def _report(job: Job) -> StepStanding:
    asked = len(job.follow_ups)
    said = f"{counted(asked, 'follow-up')} planned" if asked else "Nothing handed over yet"
    return StepStanding(step="report", state="enough" if asked else "open", said=said)
