"""Setting the routers and the hub of a practice house, every value read back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from even_static.api.practice.world import keep_world, practice_call, wait, world_of
from even_static.api.service import Service
from even_static.api.tasks import Task
from even_static.core.change.sheet import (
    acted,
    differences,
    find_step,
    order_of_nodes,
    step_name,
    taken_back,
    with_links,
    with_step,
)
from even_static.core.house.changes import Change
from even_static.core.house.job import Job
from even_static.core.house.links import former_uplinks
from even_static.core.house.settings import Settings
from even_static.core.model.violations import require_choosable, same_setting
from even_static.instruments.phase import Phase
from even_static.instruments.simulated.stand_ins import SimulatedConsole, SimulatedHub
from even_static.instruments.simulated.world import World
from even_static.now import now_text


def apply(service: Service, call_id: int, settings: Settings, reason: str) -> Task:
    """Send settings to the nodes, farthest node first, read them back, and record the change."""
    call = practice_call(service, call_id)
    job = call.job
    require_choosable(job, settings)

    def work(task: Task) -> None:
        world = world_of(service, call)
        console, hub = SimulatedConsole(world), SimulatedHub(world)
        before = Settings(console.read(), hub.channel(), console.names())
        sendings = list(sendings_of(job, world, settings))
        if not sendings and not settings.link_bands:
            task.notes.append("the nodes are set like this already: nothing was sent")
            return
        for i, (_, phases) in enumerate(sendings):
            _follow(service, task, phases, i, len(sendings))
        sent = [what for what, _ in sendings]
        moves_hub = "hub" in sent
        after = Settings(console.read(), hub.channel(), console.names())
        keep_world(service, call_id, world)
        for wanted in settings.radios:
            found = after.of(wanted.radio_id)
            if not same_setting(found, wanted):
                task.notes.append(
                    f"{wanted.radio_id}: channel {wanted.channel} was sent, channel {found.channel} was read back"
                )
        at = world.state.clock

        def set_now(job: Job) -> Job:
            linked = with_links(job, job.settings, replace(after, link_bands=settings.link_bands))
            change = Change(at, before, after, reason, uplinks_before=former_uplinks(job.nodes, linked))
            return replace(job, settings=after, changes=(*job.changes, change), nodes=world.link_pages(linked))

        service.amend(
            call_id,
            set_now,
            f"sent settings to {sent.count('box')} nodes" + (" and the hub" if moves_hub else ""),
            done_outside=True,
        )
        task.notes.append("every value was read back")

    return service.tasks.start("apply", work, call_id)


def send_step(service: Service, call_id: int, step_id: str, *, back: bool) -> Task:
    """Do a step of the sheet on the nodes, or take it back there; every value is read back."""
    call = practice_call(service, call_id)
    sheet, index = find_step(call.job.sheet, step_id)
    step = sheet.steps[index]
    wanted = sheet.before if back else sheet.after
    now = now_text()
    # What the sheet does not allow is said before anything is sent.
    (taken_back if back else acted)(call.job, step_id, now, by="application")

    def work(task: Task) -> None:
        world = world_of(service, call)
        console, hub = SimulatedConsole(world), SimulatedHub(world)
        if step.kind == "ssids":
            _follow(service, task, console.save_ssid_plan(wanted.ssid_plan), 0, 1)
        elif step.kind == "hub" and wanted.zigbee_channel is not None:
            _follow(service, task, hub.move(wanted.zigbee_channel), 0, 1)
        elif step.node_id is not None:
            node = next(n for n in call.job.nodes if n.id == step.node_id)
            then = with_step(call.job.settings, sheet, step, call.job, back=back)
            mine = tuple(then.of(r.id) for r in node.radios)
            changed = tuple(s for s in mine if not same_setting(call.job.settings.of(s.radio_id), s))
            if changed:
                _follow(service, task, console.save(node.id, changed), 0, 1)
        keep_world(service, call_id, world)
        at = world.state.clock

        def change(job: Job) -> Job:
            links = with_step(job.settings, sheet, step, job, back=back).link_bands
            real = Settings(console.read(), hub.channel(), console.names(), links)
            if back:
                done = taken_back(job, step_id, at, by="application", real=real)
            else:
                found = differences(job, sheet, step, real)
                if found:
                    task.notes.append(found)
                done = acted(job, step_id, at, by="application", found=found, real=real, read_back=True)
            return replace(done, nodes=world.link_pages(done.nodes))

        said = f"{'took back' if back else 'set'} {step_name(service.get(call_id).job, step_id)}"[:80]
        service.amend(call_id, change, said, done_outside=True)
        task.notes.append("every value was read back")

    return service.tasks.start("step", work, call_id)


def _follow(service: Service, task: Task, phases: Iterator[Phase], step: int, steps: int) -> None:
    for n, phase in enumerate(phases):
        minutes, seconds = divmod(round(phase.seconds), 60)
        length = f"{minutes} min {seconds} s" if minutes else f"{seconds} s"
        task.tell(f"{phase.text} ({length} on the node's clock)", (step + min(n / 4, 0.95)) / steps)
        task.notes.append(phase.text)
        wait(service, phase.seconds)


def sendings_of(job: Job, world: World, wanted: Settings) -> Iterator[tuple[str, Iterator[Phase]]]:
    """("box", "names" or "hub", its phases) of what differs on the nodes, the farthest node first, the hub last."""
    console, hub = SimulatedConsole(world), SimulatedHub(world)
    before = {s.radio_id: s for s in console.read()}
    by_id = {n.id: n for n in job.nodes}
    for node_id in order_of_nodes(job):
        mine = (wanted.of(r.id) for r in by_id[node_id].radios)
        changed = tuple(s for s in mine if not same_setting(before[s.radio_id], s))
        if changed:
            yield "box", console.save(node_id, changed)
    if wanted.ssid_plan != console.names():
        yield "names", console.save_ssid_plan(wanted.ssid_plan)
    if wanted.zigbee_channel is not None and wanted.zigbee_channel != hub.channel():
        yield "hub", hub.move(wanted.zigbee_channel)
