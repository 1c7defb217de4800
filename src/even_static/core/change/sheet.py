"""From a plan to the work: steps in an order that never cuts off what is still to be changed.

The farthest node comes first, so that no box is changed while another one behind it still has to be reached through it.
Both ends of a radio link are changed, the far one first; it is away until the near one follows, and every step says so.
Names follow the boxes, and the hub comes last, when the household can spare it.
"""

from __future__ import annotations

from dataclasses import replace

from even_static.core.errors import BadInput, NotFound
from even_static.core.house.basics import Timestamp, counted
from even_static.core.house.changes import Change, ChangeSheet
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio
from even_static.core.house.links import followed, former_uplinks, read_before, same_ends
from even_static.core.house.settings import RadioSetting, Settings, SsidPlan
from even_static.core.house.sheet import ReadBack, SheetStep
from even_static.core.house.validate import validate_settings
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import same_setting


def make_sheet(job: Job, after: Settings, sheet_id: str, made_at: Timestamp, reason: str = "") -> ChangeSheet:
    """The steps from the present settings to others. BadInput where nothing would change."""
    before = job.settings
    steps: list[SheetStep] = []
    for node_id in order_of_nodes(job):
        node = next(n for n in job.nodes if n.id == node_id)
        changed = set_on(job, node, before, after)
        if changed or any(e.node_id == node_id for e in set(before.link_bands) ^ set(after.link_bands)):
            steps.append(SheetStep(id=f"box-{node_id}"[:40], kind="node", node_id=node_id))
    if after.ssid_plan != before.ssid_plan:
        steps.append(SheetStep(id="ssids", kind="ssids"))
    if after.zigbee_channel != before.zigbee_channel:
        steps.append(SheetStep(id="hub", kind="hub"))
    if not steps:
        raise BadInput("settings", "must change something", "the present settings", "a plan or a trial")
    return ChangeSheet(id=sheet_id, made_at=made_at, before=before, after=after, steps=tuple(steps), reason=reason)


def set_on(job: Job, node: Node, before: Settings, after: Settings) -> list[Radio]:
    """A node's radios that a person sets there: those that change, but for what follows the gateway by itself."""
    led = _led(job, before, after)

    def then(radio: Radio) -> RadioSetting:
        setting = after.of(radio.id)
        return _with_block_of(setting, before.of(radio.id)) if radio.id in led else setting

    return [r for r in node.radios if not same_setting(before.of(r.id), then(r))]


def step_name(job: Job, step_id: str) -> str:
    """What a step sets, by its name: a node, SSIDs and steering, or the Zigbee hub. NotFound for a step that the call's
    sheet does not have."""
    sheet, index = find_step(job.sheet, step_id)
    step = sheet.steps[index]
    if step.kind == "node":
        return next(n.name for n in job.nodes if n.id == step.node_id)
    return "SSIDs and steering" if step.kind == "ssids" else "the Zigbee hub"


def _led(job: Job, before: Settings, after: Settings) -> dict[str, str]:
    """Of a mesh that forms itself the radios whose channel follows by itself, each with the gateway's radio: where that
    one's changes, and both end on the same."""
    return {
        far.id: near.id
        for near, far in followed(job.nodes)
        if not _same_block(before.of(near.id), after.of(near.id)) and _same_block(after.of(near.id), after.of(far.id))
    }


def _same_block(a: RadioSetting, b: RadioSetting) -> bool:
    return (a.channel, a.width_mhz, a.centre_mhz) == (b.channel, b.width_mhz, b.centre_mhz)


def _with_block_of(setting: RadioSetting, other: RadioSetting) -> RadioSetting:
    return replace(setting, channel=other.channel, width_mhz=other.width_mhz, centre_mhz=other.centre_mhz)


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
    led = _led(job, sheet.before, sheet.after)

    def then(s: RadioSetting) -> RadioSetting:
        if s.radio_id in mine:
            return _with_block_of(wanted.of(s.radio_id), s) if s.radio_id in led else wanted.of(s.radio_id)
        return _with_block_of(s, wanted.of(s.radio_id)) if led.get(s.radio_id) in mine else s

    radios = tuple(then(s) for s in settings.radios)
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


def acted(
    job: Job,
    step_id: str,
    at: Timestamp,
    *,
    by: str,
    found: str = "",
    real: Settings | None = None,
    read_back: bool = False,
) -> Job:
    """The job after a step was done: its settings follow, and the last step writes the change down.

    ``found``: what was read back where it differs; ``real``: what the nodes say, where they were asked or read;
    ``read_back``: whether they were.
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
    done = replace(step, state="differs" if found else "done", at=at, by=by, found=found[:2000], read_back=read_back)  # type: ignore[arg-type]
    steps = (*sheet.steps[:index], done, *sheet.steps[index + 1 :])
    job = replace(job, nodes=read_before(job, settings), settings=settings, sheet=replace(sheet, steps=steps))
    if all(s.state in ("done", "differs") for s in steps):
        # The links' bands are the house's own from now on.
        linked = with_links(job, sheet.before, settings)
        settings = replace(settings, link_bands=())
        change = Change(at, sheet.before, settings, sheet.reason, uplinks_before=former_uplinks(job.nodes, linked))
        job = replace(job, settings=settings, changes=(*job.changes, change), nodes=linked)
    return job


def with_links(job: Job, before: Settings, settings: Settings) -> tuple[Node, ...]:
    """The nodes with their radio links as settings that took the place of others put them; where a mesh forms itself,
    as it is expected to find them. Nobody has read those yet."""
    job = replace(job, nodes=read_before(replace(job, settings=before), settings))
    found = House(replace(job, settings=before)).linked(settings).job.nodes
    members = [r for n in job.nodes if n.self_forming for r in n.radios] + [near for near, _ in followed(job.nodes)]
    formed = any(not same_setting(before.of(r.id), settings.of(r.id)) for r in members)
    nodes = []
    for was, node in zip(job.nodes, found, strict=True):
        old, new = was.uplink, node.uplink
        if old is not None and new is not None and new.band is not None:
            same = same_ends(old, new)
            unread = old.expected or not same or (was.self_forming and formed)
            node = replace(was, uplink=replace(old if same else replace(new, rssi_dbm=None), expected=unread))
        nodes.append(node)
    return tuple(nodes)


def as_read(job: Job, step_id: str, read: ReadBack) -> Settings:
    """The house's settings with what was read back after a step. BadInput for what the step does not set."""
    sheet, index = find_step(job.sheet, step_id)
    step = sheet.steps[index]
    settings = with_step(job.settings, sheet, step, job)
    mine = {r.id for n in job.nodes if n.id == step.node_id for r in n.radios}
    for i, radio in enumerate(read.radios):
        if radio.radio_id not in mine:
            wanted = ", ".join(sorted(mine)) or "no radio: this step sets none"
            raise BadInput(
                f"read_back.radios[{i}].radio_id", "must be a radio that the step sets", radio.radio_id, wanted
            )
    if read.ssid_plan is not None and step.kind != "ssids":
        raise BadInput("read_back.ssid_plan", "must belong to a step that sets the SSIDs", step.kind, "nothing")
    if read.zigbee_channel is not None and step.kind != "hub":
        raise BadInput("read_back.zigbee_channel", "must belong to the hub's step", step.kind, "nothing")
    by_id = {r.radio_id: r for r in read.radios}
    settings = replace(
        settings,
        radios=tuple(by_id.get(s.radio_id, s) for s in settings.radios),
        ssid_plan=settings.ssid_plan if read.ssid_plan is None else read.ssid_plan,
        zigbee_channel=settings.zigbee_channel if read.zigbee_channel is None else read.zigbee_channel,
    )
    validate_settings(job, settings, "read_back")
    return settings


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
    back = replace(step, state="taken back", at=at, by=by, found="", read_back=False)  # type: ignore[arg-type]
    steps = (*sheet.steps[:index], back, *sheet.steps[index + 1 :])
    nodes = with_links(job, job.settings, settings) if finished else job.nodes
    return replace(job, nodes=nodes, settings=settings, changes=changes, sheet=replace(sheet, steps=steps))


def differences(job: Job, sheet: ChangeSheet, step: SheetStep, real: Settings) -> str:
    """What the boxes say otherwise than a step wanted, in words; empty where every value is as wanted."""
    if step.kind == "ssids":
        return "" if real.ssid_plan == sheet.after.ssid_plan else "SSIDs or steering are not as wanted"
    if step.kind == "hub":
        wanted = sheet.after.zigbee_channel
        return "" if real.zigbee_channel == wanted else f"the hub is on {real.zigbee_channel}, {wanted} was wanted"
    said = []
    after = with_step(job.settings, sheet, step, job)
    for node in job.nodes:
        for radio in node.radios if node.id == step.node_id else ():
            wanted_one, found = after.of(radio.id), real.of(radio.id)
            if not same_setting(found, wanted_one):
                said.append(f"{radio.id}: {setting_text(wanted_one)} was wanted, {setting_text(found)} was read back")
    return "; ".join(said)


def setting_text(s: RadioSetting) -> str:
    """A radio's setting in words."""
    return f"channel {s.channel}, {s.width_mhz} MHz, {s.eirp_dbm:g} dBm" if s.enabled else "off"


def ssid_plan_text(names: SsidPlan) -> str:
    """SSIDs and steering in words."""
    on = f", {counted(len(names.bands), 'device')} on a band's own SSID" if names.bands else ""
    steered = (
        "steering off" if names.high_band_from_dbm is None else f"steered up from {names.high_band_from_dbm:g} dBm"
    )
    closed = f", no devices on {' and '.join(names.backhaul_only)}" if names.backhaul_only else ""
    return f"{names.kind}{on}, {steered}{closed}"
