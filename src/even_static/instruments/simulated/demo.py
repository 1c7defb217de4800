"""The demo calls: two invented houses, measured and tuned by the application's own code when the demo first starts.

Kiln Row 9 is a narrow three-storey end-of-terrace with a pottery studio behind it, where a music teacher teaches over
video in the evenings; it is in the middle of the work. Lock House 2 is finished, with its before and after.
All names are invented and all addresses locally administered.
"""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import datetime, timedelta

from even_static.core.house.after_care import DropOut, FollowUp
from even_static.core.house.changes import Change
from even_static.core.house.job import Job
from even_static.core.house.kit import Zigbee
from even_static.core.house.mesh import MeshLink
from even_static.core.house.other_sources import EnergyScan, PanHeard
from even_static.core.house.settings import Settings
from even_static.core.house.validate import validate_job
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import same_setting
from even_static.core.search.plan import make_plan
from even_static.core.tables.bands import BANDS
from even_static.instruments.simulated.scenarios import Scenario
from even_static.instruments.simulated.stand_ins import (
    SimulatedConsole,
    SimulatedHub,
    SimulatedScanner,
    SimulatedSpeedTest,
)
from even_static.instruments.simulated.world import World, WorldState, unheard_source

ZIGBEE_EIRP_DBM = 5.0
ZIGBEE_FLOOR_DBM = -92.0


def world_of(scenario: Scenario) -> World:
    """The simulated house of a scenario, with the levels that its geometry gives."""
    job = scenario.job
    state = WorldState(
        seed=scenario.seed,
        clock=scenario.clock,
        positions=scenario.positions,
        neighbours=(*scenario.neighbours, unheard_source(scenario.seed, x_m=-6.0, y_m=4.0)),
        levels_dbm={},
        settings=job.settings,
        measured_settings=job.settings,
    )
    world = World(job, state)
    world.job = job = replace(job, zigbee=_linked(world))
    rng = random.Random(scenario.seed)
    links = job.zigbee.links if job.zigbee else ()
    world.state = replace(world.state, zigbee_links_dbm=tuple(round(li.rssi_dbm + rng.gauss(0, 2), 1) for li in links))
    world.job = replace(job, nodes=world.link_pages(job.nodes))
    validate_job(world.job)
    return world


def _linked(world: World) -> Zigbee | None:
    """The Zigbee network with the links that its geometry gives: hub to all, mains-powered devices to all."""
    zigbee = world.job.zigbee
    if zigbee is None:
        return None
    ends = [("hub", zigbee.hub_place_id, True), *((d.id, d.place_id, d.mains_powered) for d in zigbee.devices)]
    links = []
    for i, (a, at_a, relays_a) in enumerate(ends):
        for b, at_b, relays_b in ends[i + 1 :]:
            if relays_a or relays_b:
                level = ZIGBEE_EIRP_DBM - world.path_loss_db(f"zigbee/{a}/{b}", world.position(at_a), at_b, "2.4 GHz")
                if level > ZIGBEE_FLOOR_DBM:
                    links.append(MeshLink(a, b, round(min(level, -30.0), 1), "simulated"))
    return replace(zigbee, links=tuple(links))


def measure(world: World, when: str) -> Job:
    """Listen, test and read the hub's log at every place, as a technician would; the job with all of it."""
    scanner, tester, hub = SimulatedScanner(world), SimulatedSpeedTest(world), SimulatedHub(world)
    scans, tests = [], []
    for place in world.job.places:
        scan = scanner.listen(place.id, BANDS)
        scans.append(replace(scan, id=f"{when}-{place.id}"))
        tests.append(tester.run(place.id, 5))
        world.advance(60)
    job = world.job
    return replace(
        job,
        scans=(*job.scans, *scans),
        speed_tests=(*job.speed_tests, *tests),
        zigbee_reports=(*job.zigbee_reports, *hub.reports(2.0)),
    )


def scanned(world: World, job: Job) -> Job:
    """The job with an energy scan by the hub and what a sniffer heard of 802.15.4 networks beside it."""
    if job.zigbee is None:
        return job
    place, at, hub = job.zigbee.hub_place_id, world.state.clock, SimulatedHub(world)
    scan = EnergyScan(id="scan-hub", place_id=place, scanned_at=at, source="hub", levels=hub.energy_scan())
    own = PanHeard(
        id="pan-own",
        place_id=place,
        heard_at=at,
        source="sniffer",
        pan_id="0x5e1f",
        channel=job.settings.zigbee_channel or 11,
        frames=412,
        airtime_fraction=0.006,
        rssi_dbm=-48.0,
        own=True,
    )
    other = PanHeard(
        id="pan-next-door",
        place_id=place,
        heard_at=at,
        source="sniffer",
        pan_id="0x2c07",
        channel=20,
        frames=96,
        airtime_fraction=0.004,
        rssi_dbm=-82.0,
    )
    return replace(job, energy_scans=(*job.energy_scans, scan), pans=(*job.pans, own, other))


def finish(world: World, seconds: float = 10.0) -> Job:
    """Tune the measured house, send the plan to its boxes and measure again the next day at the same hour."""
    job = world.job
    plan = make_plan(House(job), seconds=seconds)
    world.advance(1800)
    console, hub = SimulatedConsole(world), SimulatedHub(world)
    before = Settings(console.read(), hub.channel(), console.names())
    for node in reversed(job.nodes):
        changed = tuple(
            plan.settings.of(r.id) for r in node.radios if not same_setting(before.of(r.id), plan.settings.of(r.id))
        )
        if changed:
            list(console.save(node.id, changed))
    if plan.settings.zigbee_channel not in (None, before.zigbee_channel):
        list(hub.move(plan.settings.zigbee_channel or 0))
    after = Settings(console.read(), hub.channel(), console.names())
    change = Change(world.state.clock, before, after, "best setting found")
    world.job = replace(job, settings=after, changes=(*job.changes, change))
    start = world.job.scans[0].heard_at
    day = 24 * 3600
    world.advance(day - (world.now - datetime.fromisoformat(start)).total_seconds())
    return asked_again(measure(world, "after"), change.changed_at)


def asked_again(job: Job, changed_at: str) -> Job:
    """The job with what the household told in the weeks after the change."""

    def later(days: float) -> str:
        return (datetime.fromisoformat(changed_at) + timedelta(days=days)).isoformat(timespec="seconds")

    return replace(
        job,
        drop_outs=(DropOut("first-night", later(1.3), "water", "the night after; not since"),),
        follow_ups=(
            FollowUp("two-weeks", later(14), "by telephone", later(14)),
            FollowUp("six-weeks", later(42), "by telephone", later(42)),
        ),
    )
