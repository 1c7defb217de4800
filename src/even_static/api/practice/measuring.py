"""Measuring in a practice house: the simulated scanner, speed test and hub."""

from __future__ import annotations

from dataclasses import replace

from even_static.api.practice.world import keep_world, practice_call, wait, world_of
from even_static.api.service import Service, fresh, with_settings
from even_static.api.tasks import Task
from even_static.core.errors import BadInput
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.job import Job
from even_static.core.house.kit import Zigbee
from even_static.core.house.mesh import MeshLink
from even_static.core.house.other_sources import EnergyScan
from even_static.core.house.readings import Scan
from even_static.core.survey.walk import Series, with_one_more
from even_static.core.tables.bands import BANDS, Band
from even_static.instruments.simulated.stand_ins import (
    SimulatedHub,
    SimulatedRouter,
    SimulatedScanner,
    SimulatedSpeedTest,
)
from even_static.store.steps import StoredCall

SCAN_S, SPEED_RUNS, LOG_HOURS = 12.0, 5, 2.0


def sample(
    service: Service, call: StoredCall, place_id: str, so_far: list[Series], instrument_id: str | None = None
) -> tuple[list[Series], Scan]:
    """One more second of the scanner at a spot: own radios' series with one more level each, and all that it heard.

    Nothing is stored; the house's clock stands still. Another instrument reads as far off as it does.
    """
    world = world_of(service, call)
    heard = SimulatedScanner(world, instrument_id).listen(place_id, BANDS, 1.0)
    world.advance(-1.0)
    keep_world(service, call.id, world)
    return with_one_more(call.job, so_far, heard.readings), heard


def on_the_way(
    service: Service, call: StoredCall, from_place_id: str, to_place_id: str, path_fraction: float
) -> dict[str, float]:
    """Levels of own radios on the way between two spots, from the scanner. Nothing is stored."""
    world = world_of(service, call)
    levels = SimulatedScanner(world).on_the_way(from_place_id, to_place_id, path_fraction)
    keep_world(service, call.id, world)
    return levels


def listen(service: Service, call_id: int, place_ids: list[str], bands: tuple[Band, ...], *, with_tests: bool) -> Task:
    """Listen at places with the scanner; with tests also run the speed test there and read the hub's log."""
    call = practice_call(service, call_id)
    known = {p.id: p.name for p in call.job.places}
    for place_id in place_ids:
        if place_id not in known:
            raise BadInput("place_ids", "must name places of the call", place_id, ", ".join(known) or "(none yet)")

    def work(task: Task) -> None:
        world = world_of(service, call)
        scanner, tester, hub = SimulatedScanner(world), SimulatedSpeedTest(world), SimulatedHub(world)
        scans, tests = [], []
        for i, place_id in enumerate(place_ids):
            task.tell(f"scanning at {known[place_id]}", i / len(place_ids))
            scans.append(scanner.listen(place_id, bands or BANDS, SCAN_S))
            wait(service, SCAN_S)
            if with_tests:
                task.tell(f"speed test at {known[place_id]}", (i + 0.5) / len(place_ids))
                tests.append(tester.run(place_id, SPEED_RUNS))
                wait(service, SCAN_S)
        if with_tests:
            task.tell("reading the hub's log", 0.97)
        reports = hub.reports(LOG_HOURS) if with_tests else ()
        links = {(li.a_id, li.b_id): li for li in hub.links()} if with_tests else {}
        keep_world(service, call_id, world)
        where = known[place_ids[0]] if len(place_ids) == 1 else f"{len(place_ids)} places"

        def add(job: Job) -> Job:
            return replace(
                job,
                scans=(*job.scans, *(fresh(job, with_settings(job, li)) for li in scans)),
                speed_tests=(*job.speed_tests, *tests),
                zigbee_reports=(*job.zigbee_reports, *reports),
                zigbee=_with_links(job.zigbee, links),
            )

        service.amend(call_id, add, f"listened at {where}" + (" with tests" if with_tests else ""))
        task.notes.append(f"{sum(len(li.readings) for li in scans)} networks heard at {where}")

    return service.tasks.start("listen", work, call_id)


def read_hub(service: Service, call_id: int) -> StoredCall:
    """The hub's link table as it shows it now; BadInput without a hub."""
    call = practice_call(service, call_id)
    if call.job.zigbee is None:
        raise BadInput("zigbee", "must be in the call", "no hub", "add the hub under Kit")
    links = {(li.a_id, li.b_id): li for li in SimulatedHub(world_of(service, call)).links()}
    if not links:
        raise BadInput("links", "must be in the hub's table", "an empty table", "devices that have joined")

    def take(job: Job) -> Job:
        return replace(job, zigbee=_with_links(job.zigbee, links))

    return service.amend(call_id, take, "read the hub's link table")


def scan_by_hub(service: Service, call_id: int) -> StoredCall:
    """Have the hub scan the energy on its channels; BadInput without a hub."""
    call = practice_call(service, call_id)
    if call.job.zigbee is None:
        raise BadInput("zigbee", "must be in the call", "no hub", "add the hub under Kit")
    world = world_of(service, call)
    levels, place, at = SimulatedHub(world).energy_scan(), call.job.zigbee.hub_place_id, world.state.clock
    keep_world(service, call_id, world)

    def add(job: Job) -> Job:
        fresh = fresh_identifier("scan hub", [s.id for s in job.energy_scans])
        return replace(
            job,
            energy_scans=(
                *job.energy_scans,
                EnergyScan(came_from="simulated", id=fresh, place_id=place, scanned_at=at, source="hub", levels=levels),
            ),
        )

    return service.amend(call_id, add, "the hub scanned its channels")


def _with_links(zigbee: Zigbee | None, measured: dict[tuple[str, str], MeshLink]) -> Zigbee | None:
    """The Zigbee network with the levels that its hub shows now."""
    if zigbee is None:
        return None
    return replace(zigbee, links=tuple(measured.get((li.a_id, li.b_id), li) for li in zigbee.links))


def ask_router(service: Service, call_id: int) -> StoredCall:
    """A practice house's router and nodes: its client list and channel uses, and where their radio links go, are kept
    with the call."""
    call = practice_call(service, call_id)
    world = world_of(service, call)
    clients, uses = SimulatedRouter(world).client_list(), SimulatedRouter(world).channel_uses()
    keep_world(service, call_id, world)

    def add(job: Job) -> Job:
        listed = (*job.client_list, *clients)
        nodes = world.link_pages(job.nodes)
        return replace(job, client_list=listed, channel_uses=(*job.channel_uses, *uses), nodes=nodes)

    return service.amend(call_id, add, f"read the router's list: {len(clients)} devices")
