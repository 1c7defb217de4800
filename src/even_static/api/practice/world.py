"""The simulated house behind a practice call: built when it is first needed, kept with the call, and its clock."""

from __future__ import annotations

import json
import time
from dataclasses import replace
from datetime import datetime

from pydantic import TypeAdapter

from even_static.api.service import Service
from even_static.core.errors import Conflict
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings, SsidPlan
from even_static.instruments.simulated.world import World, WorldState, build_world
from even_static.now import now_text
from even_static.store.steps import StoredCall

STATE = TypeAdapter(WorldState)


def practice_call(service: Service, call_id: int) -> StoredCall:
    """A practice call; Conflict for a real one, which no simulated instrument may touch."""
    call = service.get(call_id)
    require_practice(call)
    return call


def require_practice(call: StoredCall) -> None:
    """Conflict for a real call: no simulated instrument may touch it."""
    if call.job.kind != "practice":
        rule = "must be a practice house for simulated instruments: a real house is measured with real ones"
        raise Conflict("call", rule, "a real call", "a practice house")


def world_of(service: Service, call: StoredCall) -> World:
    """The simulated house behind a practice call. Conflict for a real one."""
    require_practice(call)
    return stored_world(service, call) or build_world(call.job, call.id * 7919 + 17, _first_clock(call.job))


def stored_world(service: Service, call: StoredCall) -> World | None:
    """The simulated house as it was kept; None where none has been needed yet.

    Where the call's settings were changed since, by an edit or by hand, the simulated routers follow them.
    """
    text = service.store.stand_in(call.id)
    if text is None:
        return None
    state = STATE.validate_json(text)
    said = call.job.settings
    if state.said_settings is not None and replace(said, link_bands=()) != replace(state.said_settings, link_bands=()):
        state = replace(state, settings=replace(said, link_bands=()))
    # Routers that were added to the call since then come as the call describes them.
    known = {s.radio_id: s for s in state.settings.radios}
    measured = {s.radio_id: s for s in state.measured_settings.radios}
    radios = tuple(known.get(s.radio_id, s) for s in said.radios)
    base = tuple(measured.get(s.radio_id, s) for s in said.radios)
    zigbee = state.settings.zigbee_channel if call.job.zigbee is not None else None
    if call.job.zigbee is not None and zigbee is None:
        zigbee = said.zigbee_channel
    state = replace(
        state,
        settings=Settings(radios, zigbee, _known_ssid_plan(call.job, state.settings.ssid_plan)),
        measured_settings=Settings(base, said.zigbee_channel),
    )
    return World(call.job, state)


def keep_world(service: Service, call_id: int, world: World) -> None:
    """Keep the simulated house behind a call, with what the call said of its settings."""
    state = replace(world.state, said_settings=world.job.settings)
    service.store.keep_stand_in(call_id, json.dumps(STATE.dump_python(state, mode="json")))


def time_of_a_step(service: Service, call_id: int, seconds: float) -> str:
    """When a step by hand was done: now in a real call; in a practice house its own time, so much later than before."""
    call = service.get(call_id)
    world = stored_world(service, call) if call.job.kind == "practice" else None
    if world is None:
        return now_text()
    world.advance(seconds)
    keep_world(service, call_id, world)
    return world.state.clock


def wait(service: Service, seconds: float) -> None:
    """Wait for so many seconds of the simulated house's clock."""
    time.sleep(seconds / service.clock_speed)


def _first_clock(job: Job) -> str:
    times = [li.heard_at for li in job.scans] or ([job.opened_at] if job.opened_at else [])
    times += [c.changed_at for c in job.changes]
    return max(times, key=datetime.fromisoformat) if times else now_text()


def _known_ssid_plan(job: Job, names: SsidPlan) -> SsidPlan:
    """Names without devices that the call does not have any more."""
    known = {d.id for d in job.devices}
    return replace(names, bands=tuple(b for b in names.bands if b.device_id in known))
