"""The change sheet for those who work through it: each step in words, with its wait and how to go back."""

from __future__ import annotations

from dataclasses import dataclass

from even_static.core.change.sheet import set_on, setting_text, ssid_plan_text, with_step
from even_static.core.house.changes import ChangeSheet
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio
from even_static.core.house.links import followed, link_ends
from even_static.core.house.settings import RadioSetting, SsidPlan, setting_block
from even_static.core.house.sheet import SheetStep, StepState
from even_static.core.model.daily import over_the_day
from even_static.core.model.prepared_house import House, with_link_bands
from even_static.core.model.radio_state import radio_state
from even_static.core.model.violations import same_setting
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables.work import HUB_S, RADAR_S, RETURN_S, SAVE_S, SSIDS_S

CAUTION = "ask first whether alarms, locks or medical aids hang on it; leave them alone until their owner agrees"


@dataclass(frozen=True, slots=True, kw_only=True)
class StepView:
    """A step for the person who does it: what is set (from, to), where such a setting usually lives, the wait, who
    drops off, how to check it and how to go back."""

    id: str
    number: int
    title: str
    state: StepState
    lines: list[str]
    where: str
    wait_s: int
    away_s: int
    drops: list[str]
    check: str
    back: str
    caution: str
    note: str
    """What else to know of it; empty where nothing."""
    found: str
    read_back: bool
    radios: list[RadioSetting]
    """What the step wants of each radio that it changes."""
    ssid_plan: SsidPlan | None
    zigbee_channel: int | None
    may_act: bool
    may_take_back: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetView:
    """The sheet as a whole: how long it takes, how long the house is without service, and when to do it."""

    steps: list[StepView]
    done: int
    total_s: int
    away_s: int
    when: str
    sit: str
    finished: bool
    differs: int
    text: str


def sheet_view(job: Job) -> SheetView | None:
    """The sheet of a job for those who work through it; None where there is none."""
    sheet = job.sheet
    if sheet is None:
        return None
    house = House(job)
    scene = radio_state(house, job.settings)
    by_radio: dict[str, list[str]] = {}
    for device in job.devices:
        home = scene.home[device.id]
        if home is not None:
            by_radio.setdefault(house.radios[home].id, []).append(device.name)
    open_ones = [i for i, s in enumerate(sheet.steps) if s.state in ("open", "taken back")]
    done_ones = [i for i, s in enumerate(sheet.steps) if s.state in ("done", "differs")]
    views = [
        _view(job, sheet, n, step, by_radio, n == (open_ones[0] if open_ones else -1), n == (done_ones or [-1])[-1])
        for n, step in enumerate(sheet.steps)
    ]
    left = [v for v in views if v.state in ("open", "taken back")]
    total, away = sum(v.wait_s for v in left), max((v.away_s for v in left), default=0)
    differs = sum(v.state == "differs" for v in views)
    router = next((n.name for n in job.nodes if n.uplink is None), "the router")
    text = f"{len(done_ones)} of {len(views)} done"
    if left:
        text += f"; {_minutes(total)} left, nobody is without service for longer than {_minutes(away)} at a time"
    elif differs:
        text = f"all done; {differs} {'step' if differs == 1 else 'steps'} read back otherwise than wanted"
    else:
        unread = sum(not v.read_back for v in views)
        text = "all done, every value read back as wanted"
        if unread:
            text = f"all done; {unread} {'step' if unread == 1 else 'steps'} not read back"
    return SheetView(
        steps=views,
        done=len(done_ones),
        total_s=total,
        away_s=away,
        when=_when(job, sheet),
        sit=f"Sit on a cable at {router} while you do it: then no step cuts you off.",
        finished=not left,
        differs=differs,
        text=text,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Words:
    """What is said of a step, and how long it takes in s."""

    title: str
    lines: list[str]
    where: str
    wait_s: int
    away_s: int
    drops: list[str]
    check: str
    back: str
    caution: str
    note: str = ""


def _view(
    job: Job,
    sheet: ChangeSheet,
    n: int,
    step: SheetStep,
    by_radio: dict[str, list[str]],
    next_one: bool,
    last_done: bool,
) -> StepView:
    after = sheet.after
    changed: list[Radio] = []
    if step.kind == "ssids":
        said = _ssid_words(job, sheet)
    elif step.kind == "hub":
        said = _hub_words(job, sheet)
    else:
        node = next(x for x in job.nodes if x.id == step.node_id)
        changed = set_on(job, node, sheet.before, after)
        said = _node_words(job, sheet, n, node, changed, by_radio)
    return StepView(
        id=step.id,
        number=n + 1,
        title=said.title,
        state=step.state,
        lines=said.lines,
        where=said.where,
        wait_s=said.wait_s,
        away_s=said.away_s,
        drops=said.drops,
        check=said.check,
        back=said.back,
        caution=said.caution,
        note=said.note,
        found=step.found,
        read_back=step.read_back,
        radios=[after.of(r.id) for r in changed],
        ssid_plan=after.ssid_plan if step.kind == "ssids" else None,
        zigbee_channel=after.zigbee_channel if step.kind == "hub" else None,
        may_act=next_one,
        may_take_back=last_done,
    )


def _ssid_words(job: Job, sheet: ChangeSheet) -> _Words:
    before, after = ssid_plan_text(sheet.before.ssid_plan), ssid_plan_text(sheet.after.ssid_plan)
    return _Words(
        title="SSIDs and steering, on the node that the others follow",
        lines=[f"SSIDs and steering: {before}, then {after}"],
        where="wireless settings: network name (SSID); one SSID for all bands, or band steering with its level",
        wait_s=SSIDS_S,
        away_s=SSIDS_S,
        drops=[d.name for d in job.devices if d.wired_to_id is None],
        check="read the SSIDs again; see one device of each kind come back; password exactly as before, case included",
        back=f"set them back: {before}",
        caution=CAUTION,
    )


def _hub_words(job: Job, sheet: ChangeSheet) -> _Words:
    before, after = sheet.before.zigbee_channel, sheet.after.zigbee_channel
    return _Words(
        title="The Zigbee hub, when the household can spare it",
        lines=[f"Zigbee: channel {before}, then {after}"],
        where="the hub's app or page: settings, Zigbee or network, channel",
        wait_s=HUB_S,
        away_s=HUB_S,
        drops=[d.name for d in job.zigbee.devices] if job.zigbee else [],
        check="wait until mains devices answer, then wake each battery device; pair again by hand what does not come",
        back=f"set channel {before} again; what was paired meanwhile may need it once more",
        caution=CAUTION,
    )


PROVIDERS = (
    "it belongs to the provider: change only what its own page offers; it may be set back from afar, so look again "
    "after a day"
)


def _node_words(
    job: Job, sheet: ChangeSheet, n: int, node: Node, changed: list[Radio], by_radio: dict[str, list[str]]
) -> _Words:
    before, after = sheet.before, with_step(sheet.before, sheet, sheet.steps[n], job)
    lines = [f"{r.id}: {setting_text(before.of(r.id))}, then {setting_text(after.of(r.id))}" for r in changed]
    radar = any(_radar(job, after.of(r.id), r.id) for r in changed)
    wait = SAVE_S + RETURN_S + RADAR_S * radar
    drops = [name for r in node.radios for name in by_radio.get(r.id, [])]
    back = "; ".join(f"{r.id} to {setting_text(before.of(r.id))}" for r in changed)
    return _Words(
        title=node.name,
        lines=lines + _links(job, sheet, node.id),
        where="wireless settings, the band's own or the advanced page: channel, width, transmit power; then save",
        wait_s=wait,
        away_s=wait + _until_the_other_end(job, sheet, n),
        drops=drops,
        check="read every value again after saving" + ("; a radar check takes a minute first" if radar else ""),
        back=back or "the link to its band of before",
        caution=CAUTION if drops else "",
        note=PROVIDERS if node.of_the_provider else "",
    )


def _links(job: Job, sheet: ChangeSheet, node_id: str) -> list[str]:
    """What a step means for the radio links that end on a box."""
    said = []
    by_id = {n.id: n.name for n in job.nodes}
    order = [s.node_id for s in sheet.steps if s.kind == "node"]
    for link in sheet.after.link_bands:
        if link.node_id == node_id and link not in sheet.before.link_bands:
            to = f", to {by_id[link.to_node_id]}" if link.to_node_id is not None else ""
            said.append(f"its radio link: put on {link.band}{to}")
    then = with_link_bands(job, sheet.after.link_bands)
    moved = {r.id for n in job.nodes if n.id == node_id for r in set_on(job, n, sheet.before, sheet.after)}
    after = [job.node_of(far.id).name for near, far in followed(job.nodes) if near.id in moved]
    if after:
        names = " and ".join(dict.fromkeys(after))
        said.append(f"{names} follow to its channels by themselves and find their links anew: see each come up")
    for node in then.nodes:
        if node.self_forming:
            continue
        ends = link_ends(then, node.id)
        if ends is None or node.uplink is None:
            continue
        near, far = then.node_of(ends[0]).id, node.id
        moves = not same_setting(sheet.before.of(ends[1]), sheet.after.of(ends[1]))
        if moves and node_id == far and near in order:
            said.append(f"its link is away until {by_id[near]} follows in step {order.index(near) + 1}: that is right")
        if moves and node_id == near and far in order:
            said.append(f"brings the link to {by_id[far]} back: see it come up")
    return said


def _until_the_other_end(job: Job, sheet: ChangeSheet, n: int) -> int:
    """Seconds that a box behind a radio link waits for the near end's step."""
    step = sheet.steps[n]
    then = with_link_bands(job, sheet.after.link_bands)
    ends = link_ends(then, step.node_id or "") if step.node_id else None
    if ends is None or same_setting(sheet.before.of(ends[1]), sheet.after.of(ends[1])):
        return 0
    near = then.node_of(ends[0]).id
    between = [s for s in sheet.steps[n + 1 :] if s.kind == "node"]
    index = next((i for i, s in enumerate(between) if s.node_id == near), None)
    return 0 if index is None else (index + 1) * (SAVE_S + RETURN_S)


def _radar(job: Job, setting: RadioSetting, radio_id: str) -> bool:
    lawful = lawful_block(job.country, setting_block(job.radio(radio_id), setting))
    return setting.enabled and lawful is not None and lawful.dfs


def _minutes(seconds: int) -> str:
    return f"{max(1, round(seconds / 60))} min"


def _when(job: Job, sheet: ChangeSheet) -> str:
    """A time that spares the household: the quietest part of the day that was heard, else the usual one."""
    day = over_the_day(job, job.settings)
    heard = [p for p in day.parts if p.scans and p.name != "night"]
    text = "a weekday between 9 and 11, when fewest count on it (common practice)"
    if len(heard) > 1:
        quiet = min(heard, key=lambda p: p.busy_fraction or 0.0)
        text = f"the {quiet.name}, {quiet.from_hour} to {quiet.to_hour} h: the quietest part of the day that was heard"
    if any(s.kind == "hub" for s in sheet.steps):
        text += "; the hub when somebody can walk to its battery devices"
    return f"Best done on {text}. Ask first." if text.startswith("a ") else f"Best done in {text}. Ask first."
