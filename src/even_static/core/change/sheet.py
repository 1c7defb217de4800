"""From a plan to the work: steps in an order that never cuts off what is still to be changed.

The farthest node comes first, so that no box is changed while another one behind it still has to be reached through it.
Both ends of a radio link are changed, the far one first; it is away until the near one follows, and every step says so.
Names follow the boxes, and the hub comes last, when the household can spare it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.basics import Timestamp
from even_static.core.house.changes import Change, ChangeSheet
from even_static.core.house.job import Job
from even_static.core.house.settings import RadioSetting, Settings, SsidPlan, setting_block
from even_static.core.house.sheet import SheetStep, StepState
from even_static.core.model.daily import over_the_day
from even_static.core.model.prepared_house import House, link_ends, with_link_bands
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
    found: str
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


def make_sheet(job: Job, after: Settings, sheet_id: str, made_at: Timestamp, reason: str = "") -> ChangeSheet:
    """The steps from the present settings to others. BadInput where nothing would change."""
    before = job.settings
    steps: list[SheetStep] = []
    for node_id in order_of_nodes(job):
        node = next(n for n in job.nodes if n.id == node_id)
        changed = [r.id for r in node.radios if not same_setting(before.of(r.id), after.of(r.id))]
        if changed or any(e.node_id == node_id for e in set(before.link_bands) ^ set(after.link_bands)):
            steps.append(SheetStep(id=f"box-{node_id}"[:40], kind="node", node_id=node_id))
    if after.ssid_plan != before.ssid_plan:
        steps.append(SheetStep(id="ssids", kind="ssids"))
    if after.zigbee_channel != before.zigbee_channel:
        steps.append(SheetStep(id="hub", kind="hub"))
    if not steps:
        raise BadInput("settings", "must change something", "the present settings", "a plan or a trial")
    return ChangeSheet(id=sheet_id, made_at=made_at, before=before, after=after, steps=tuple(steps), reason=reason)


def order_of_nodes(job: Job) -> list[str]:
    """Nodes by hops to the router, the farthest first; of equals the one that is listed last."""
    by_id = {n.id: n for n in job.nodes}

    def hops(node_id: str) -> int:
        uplink = by_id[node_id].uplink
        return 0 if uplink is None else 1 + hops(uplink.to_node_id)

    return sorted((n.id for n in reversed(job.nodes)), key=lambda i: -hops(i))


def with_step(settings: Settings, sheet: ChangeSheet, step: SheetStep, job: Job, *, back: bool = False) -> Settings:
    """Settings after a step was done, or taken back."""
    wanted = sheet.before if back else sheet.after
    if step.kind == "ssids":
        return replace(settings, ssid_plan=wanted.ssid_plan)
    if step.kind == "hub":
        return replace(settings, zigbee_channel=wanted.zigbee_channel)
    mine = {r.id for n in job.nodes if n.id == step.node_id for r in n.radios}
    radios = tuple(wanted.of(s.radio_id) if s.radio_id in mine else s for s in settings.radios)
    links = tuple(e for e in settings.link_bands if e.node_id != step.node_id)
    links += tuple(e for e in wanted.link_bands if e.node_id == step.node_id)
    return replace(settings, radios=radios, link_bands=links)


def find_step(sheet: ChangeSheet | None, step_id: str) -> tuple[ChangeSheet, int]:
    """The sheet and a step's index; NotFound where there is no sheet or no such step."""
    if sheet is None:
        raise NotFound("sheet", "must have been made", "none", "make one under Change")
    index = next((i for i, s in enumerate(sheet.steps) if s.id == step_id), None)
    if index is None:
        raise NotFound("step_id", "must name a step of the sheet", step_id, ", ".join(s.id for s in sheet.steps))
    return sheet, index


def acted(job: Job, step_id: str, at: Timestamp, *, by: str, found: str = "", real: Settings | None = None) -> Job:
    """The job after a step was done: its settings follow, and the last step writes the change down.

    ``found``: what was read back where it differs; ``real``: what the boxes say, where the application asked them.
    BadInput for a step that is not open, or before an open one.
    """
    sheet, index = find_step(job.sheet, step_id)
    step = sheet.steps[index]
    if step.state not in ("open", "taken back"):
        raise BadInput("step_id", "must be open", f'"{step_id}" is {step.state}', "an open step")
    ahead = [s.id for s in sheet.steps[:index] if s.state in ("open", "taken back")]
    if ahead:
        raise BadInput("step_id", "must come in its turn: the one before would be cut off", step_id, ahead[0])
    settings = with_step(job.settings, sheet, step, job) if real is None else real
    done = replace(step, state="differs" if found else "done", at=at, by=by, found=found[:2000])  # type: ignore[arg-type]
    steps = (*sheet.steps[:index], done, *sheet.steps[index + 1 :])
    job = replace(job, settings=settings, sheet=replace(sheet, steps=steps))
    if all(s.state in ("done", "differs") for s in steps):
        # The links' bands are the house's own from now on.
        linked = with_link_bands(job, settings.link_bands).nodes
        settings = replace(settings, link_bands=())
        change = Change(at, sheet.before, settings, sheet.reason)
        job = replace(job, settings=settings, changes=(*job.changes, change), nodes=linked)
    return job


def taken_back(job: Job, step_id: str, at: Timestamp, *, by: str, real: Settings | None = None) -> Job:
    """The job after a step was taken back. BadInput unless it is the last one that was done, and where a finished sheet
    has moved a radio link: that is gone back from by a sheet of its own."""
    sheet, index = find_step(job.sheet, step_id)
    step = sheet.steps[index]
    later = [s.id for s in sheet.steps[index + 1 :] if s.state in ("done", "differs")]
    if step.state not in ("done", "differs") or later:
        came = step_id if later else f'"{step_id}" is {step.state}'
        wanted = later[-1] if later else "a step that is done"
        raise BadInput("step_id", "must be the last one that was done", came, wanted)
    finished = all(s.state in ("done", "differs") for s in sheet.steps)
    if finished and sheet.after.link_bands != sheet.before.link_bands:
        came = "a finished sheet that moved a radio link"
        raise BadInput("step_id", "must belong to a sheet that can be taken back", came, "make a sheet back")
    settings = with_step(job.settings, sheet, step, job, back=True) if real is None else real
    changes = job.changes[:-1] if finished and job.changes and job.changes[-1].before == sheet.before else job.changes
    back = replace(step, state="taken back", at=at, by=by, found="")  # type: ignore[arg-type]
    steps = (*sheet.steps[:index], back, *sheet.steps[index + 1 :])
    return replace(job, settings=settings, changes=changes, sheet=replace(sheet, steps=steps))


def differences(job: Job, sheet: ChangeSheet, step: SheetStep, real: Settings) -> str:
    """What the boxes say otherwise than a step wanted, in words; empty where every value is as wanted."""
    if step.kind == "ssids":
        return "" if real.ssid_plan == sheet.after.ssid_plan else "names or steering are not as wanted"
    if step.kind == "hub":
        wanted = sheet.after.zigbee_channel
        return "" if real.zigbee_channel == wanted else f"the hub is on {real.zigbee_channel}, {wanted} was wanted"
    said = []
    for node in job.nodes:
        for radio in node.radios if node.id == step.node_id else ():
            wanted_one, found = sheet.after.of(radio.id), real.of(radio.id)
            if not same_setting(found, wanted_one):
                said.append(f"{radio.id}: {setting_text(wanted_one)} was wanted, {setting_text(found)} was read back")
    return "; ".join(said)


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
        text = "all done, every value read back as wanted"
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


def _view(
    job: Job,
    sheet: ChangeSheet,
    n: int,
    step: SheetStep,
    by_radio: dict[str, list[str]],
    next_one: bool,
    last_done: bool,
) -> StepView:
    before, after = sheet.before, sheet.after
    caution = ""
    if step.kind == "ssids":
        lines = [f"names and steering: {ssid_plan_text(before.ssid_plan)}, then {ssid_plan_text(after.ssid_plan)}"]
        title, wait, away = "SSIDs and steering, on the box that the others follow", SSIDS_S, SSIDS_S
        drops = [d.name for d in job.devices if d.wired_to_id is None]
        where = "wireless settings: network name; one name for all bands, or band steering with its level"
        check = "read the names again; see one device of each kind come back; password exactly as before, case included"
        back = f"set them back: {ssid_plan_text(before.ssid_plan)}"
        caution = CAUTION
    elif step.kind == "hub":
        lines = [f"Zigbee: channel {before.zigbee_channel}, then {after.zigbee_channel}"]
        title, wait, away = "The Zigbee hub, when the household can spare it", HUB_S, HUB_S
        drops = [d.name for d in job.zigbee.devices] if job.zigbee else []
        where = "the hub's app or page: settings, Zigbee or network, channel"
        check = "wait until mains devices answer, then wake each battery device; pair again by hand what does not come"
        back = f"set channel {before.zigbee_channel} again; what was paired meanwhile may need it once more"
        caution = CAUTION
    else:
        node = next(x for x in job.nodes if x.id == step.node_id)
        changed = [r for r in node.radios if not same_setting(before.of(r.id), after.of(r.id))]
        lines = [f"{r.id}: {setting_text(before.of(r.id))}, then {setting_text(after.of(r.id))}" for r in changed]
        lines += _links(job, sheet, node.id)
        radar = any(_radar(job, after.of(r.id), r.id) for r in changed)
        title, wait = node.name, SAVE_S + RETURN_S + RADAR_S * radar
        away = wait + _until_the_other_end(job, sheet, n)
        drops = [name for r in node.radios for name in by_radio.get(r.id, [])]
        where = "wireless settings, the band's own or the advanced page: channel, width, transmit power; then save"
        check = "read every value again after saving" + ("; a radar check takes a minute first" if radar else "")
        back = (
            "; ".join(f"{r.id} to {setting_text(before.of(r.id))}" for r in changed) or "the link to its band of before"
        )
        caution = CAUTION if drops else ""
    return StepView(
        id=step.id,
        number=n + 1,
        title=title,
        state=step.state,
        lines=lines,
        where=where,
        wait_s=wait,
        away_s=away,
        drops=drops,
        check=check,
        back=back,
        caution=caution,
        found=step.found,
        may_act=next_one,
        may_take_back=last_done,
    )


def _links(job: Job, sheet: ChangeSheet, node_id: str) -> list[str]:
    """What a step means for the radio links that end on a box."""
    said = []
    by_id = {n.id: n.name for n in job.nodes}
    order = [s.node_id for s in sheet.steps if s.kind == "node"]
    for link in sheet.after.link_bands:
        if link.node_id == node_id and link not in sheet.before.link_bands:
            said.append(f"its radio link: put on {link.band}")
    then = with_link_bands(job, sheet.after.link_bands)
    for node in then.nodes:
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


def setting_text(s: RadioSetting) -> str:
    """A radio's setting in words."""
    return f"channel {s.channel}, {s.width_mhz} MHz, {s.eirp_dbm:g} dBm" if s.enabled else "off"


def ssid_plan_text(names: SsidPlan) -> str:
    """SSIDs and steering in words."""
    on = f", {len(names.bands)} devices on a band's own name" if names.bands else ""
    steered = (
        "steering off" if names.high_band_from_dbm is None else f"steered up from {names.high_band_from_dbm:g} dBm"
    )
    return f"{names.kind}{on}, {steered}"


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
