"""What the application does with a call: glue between store, instruments and core, with no HTTP in it."""

from __future__ import annotations

import json
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from copy import copy
from dataclasses import replace
from datetime import UTC, datetime
from typing import BinaryIO

from pydantic import TypeAdapter

from even_static.api import heavy
from even_static.api.tasks import Task, Tasks
from even_static.core.change.sheet import (
    RETURN_S,
    SAVE_S,
    acted,
    differences,
    find_step,
    order_of_nodes,
    taken_back,
    with_step,
)
from even_static.core.errors import BadInput, Conflict
from even_static.core.explain.next_measurement import MeasureNext
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.changes import Change
from even_static.core.house.clock import with_house_times
from even_static.core.house.edit import with_past_following
from even_static.core.house.job import Job
from even_static.core.house.kit import Zigbee
from even_static.core.house.merge import merged
from even_static.core.house.mesh import MeshLink
from even_static.core.house.readings import Listen
from even_static.core.house.senders import EnergyScan
from even_static.core.house.settings import Names, Settings
from even_static.core.house.validate import validate_job
from even_static.core.model.prepared_house import House, with_link_bands
from even_static.core.model.violations import require_choosable, same_setting
from even_static.core.propagation.coverage import Coverage, entered_coverage
from even_static.core.propagation.stands import remembering_stands, stands_now
from even_static.core.search.candidates import Rules
from even_static.core.search.placement import PlacedPlan
from even_static.core.search.plan import Plan
from even_static.core.spectrum.channels import Block
from even_static.core.survey.walk import Series
from even_static.core.tables.bands import BANDS, Band
from even_static.formats.capture.ieee802154 import LINK_TYPES, read_pans_stream
from even_static.formats.capture.reader import link_type_of, listen_from_capture, read_capture_stream
from even_static.instruments.protocols import Phase
from even_static.instruments.simulated.stand_ins import (
    SimulatedConsole,
    SimulatedHub,
    SimulatedScanner,
    SimulatedSpeedTest,
)
from even_static.instruments.simulated.world import World, WorldState, build_world
from even_static.store.calls import HERE, Store, StoredCall

WORLD = TypeAdapter(WorldState)
KEPT_HOUSES = 16
LISTEN_S, SPEED_RUNS, LOG_HOURS = 12.0, 5, 2.0
MEASURE_NEXT_S = 60.0


class Service:
    """One application: its store, its tasks, and how many seconds of a stand-in's clock pass in one real second."""

    def __init__(self, store: Store, *, clock_speed: float = 60.0) -> None:
        self.store = store
        self.tasks = Tasks()
        self.clock_speed = clock_speed
        self.author = HERE
        """Who does things through it: this computer, unless :meth:`by` says otherwise."""
        self.only_call: int | None = None
        """The one call that they may see, if it is one."""
        self.knows: int | None = None
        """The revision of a call that they have already."""
        self._houses: OrderedDict[tuple[int, int, str], House] = OrderedDict()

    def by(self, author: str, *, only_call: int | None = None, knows: int | None = None) -> Service:
        """This service, as somebody uses it."""
        other = copy(self)
        other.author, other.only_call, other.knows = author, only_call, knows
        return other

    # -- calls ---------------------------------------------------------------------------------------------------

    def get(self, call_id: int) -> StoredCall:
        """A call, with what undo and redo would do for who asks; NotFound when there is none."""
        return self.store.get(call_id, self.author)

    def house(self, call: StoredCall) -> House:
        """The call's job made ready; kept while the call stays on this revision (told by its time as well)."""
        key = (call.id, call.revision, call.made_at)
        if key not in self._houses:
            self._houses[key] = House(call.job)
            while len(self._houses) > KEPT_HOUSES:
                self._houses.popitem(last=False)
        self._houses.move_to_end(key)
        return self._houses[key]

    def amend(
        self,
        call_id: int,
        change: Callable[[Job], Job],
        summary: str,
        *,
        done_outside: bool = False,
        delivery_key: str | None = None,
    ) -> StoredCall:
        """Add to a call whatever its newest revision is: for measurements, which never conflict with an edit.

        What was delivered before under the same key is not added again.
        """
        while True:
            call = self.get(call_id)
            if delivery_key is not None and self.store.delivered(call_id, delivery_key):
                return call
            job = with_house_times(change(call.job), call.job)
            try:
                return self.store.save(
                    call_id,
                    job,
                    summary,
                    on_revision=call.revision,
                    done_outside=done_outside,
                    delivery_key=delivery_key,
                    author=self.author,
                )
            except Conflict as error:
                if error.field != "revision":
                    raise

    def edit(self, call_id: int, job: Job, revision: int, summary: str) -> StoredCall:
        """Bring an edit, made on a revision of a call, to what the call is now; the boxes of the simulated house follow
        its present settings. Conflict where somebody else has changed the same thing since."""
        base = self.store.job_at(call_id, revision)
        edited = remembering_stands(job, base)

        def bring(now: Job) -> Job:
            found = merged(base, edited, now)
            if now is base:
                return found
            try:
                found = with_past_following(found)
                validate_job(found)
            except BadInput as error:
                raise Conflict(error.field, f"was changed elsewhere: {error.rule}", error.received, "") from None
            return found

        call = self.amend(call_id, bring, summary)
        world = self._stored_world(call)
        if world is not None and world.state.settings != job.settings:
            world.state = replace(world.state, settings=job.settings)
            self.keep_world(call_id, world)
        return call

    def coverage(self, call: StoredCall) -> Coverage:
        """The call's house, calibrated on its readings; BadInput where it has not been entered."""
        return entered_coverage(call.job)

    def sample(
        self, call: StoredCall, place_id: str, so_far: list[Series], instrument_id: str | None = None
    ) -> tuple[list[Series], Listen]:
        """One more second of the scanner at a spot: own radios' series with one more level each, and all that it heard.

        Nothing is stored; the house's clock stands still. Another instrument reads as far off as it does.
        """
        world = self.world(call)
        heard = SimulatedScanner(world, instrument_id).listen(place_id, BANDS, 1.0)
        world.advance(-1.0)
        self.keep_world(call.id, world)
        own = {r.bssid for r in call.job.radios}
        known = {s.bssid: s.samples_dbm for s in so_far}
        for reading in heard.readings:
            if reading.bssid in own:
                known[reading.bssid] = (*known.get(reading.bssid, ()), reading.rssi_dbm)
        return [Series(b, s) for b, s in known.items()], heard

    def on_the_way(
        self, call: StoredCall, from_place_id: str, to_place_id: str, way_fraction: float
    ) -> dict[str, float]:
        """Levels of own radios on the way between two spots, from the scanner. Nothing is stored."""
        world = self.world(call)
        levels = SimulatedScanner(world).on_the_way(from_place_id, to_place_id, way_fraction)
        self.keep_world(call.id, world)
        return levels

    # -- the simulated house -------------------------------------------------------------------------------------

    def world(self, call: StoredCall) -> World:
        """The simulated house behind a call, built when it is first needed."""
        return self._stored_world(call) or build_world(call.job, call.id * 7919 + 17, self._clock_for(call.job))

    def _stored_world(self, call: StoredCall) -> World | None:
        text = self.store.stand_in(call.id)
        if text is None:
            return None
        state = WORLD.validate_json(text)
        # Boxes that were added to the call since then come as the call describes them.
        known = {s.radio_id: s for s in state.settings.radios}
        measured = {s.radio_id: s for s in state.measured_settings.radios}
        radios = tuple(known.get(s.radio_id, s) for s in call.job.settings.radios)
        base = tuple(measured.get(s.radio_id, s) for s in call.job.settings.radios)
        zigbee = state.settings.zigbee_channel if call.job.zigbee is not None else None
        if call.job.zigbee is not None and zigbee is None:
            zigbee = call.job.settings.zigbee_channel
        state = replace(
            state,
            settings=Settings(radios, zigbee, _known_names(call.job, state.settings.names)),
            measured_settings=Settings(base, call.job.settings.zigbee_channel),
        )
        return World(call.job, state)

    @staticmethod
    def _clock_for(job: Job) -> str:
        times = [li.heard_at for li in job.listens] or ([job.opened_at] if job.opened_at else [])
        times += [c.changed_at for c in job.changes]
        return max(times, key=datetime.fromisoformat) if times else datetime.now(UTC).isoformat(timespec="seconds")

    def keep_world(self, call_id: int, world: World) -> None:
        """Keep the simulated house behind a call."""
        self.store.keep_stand_in(call_id, json.dumps(WORLD.dump_python(world.state, mode="json")))

    def wait(self, seconds: float) -> None:
        """Wait for so many seconds of the stand-ins' clock."""
        time.sleep(seconds / self.clock_speed)

    # -- tasks ---------------------------------------------------------------------------------------------------

    def listen(self, call_id: int, place_ids: list[str], bands: tuple[Band, ...], *, with_tests: bool) -> Task:
        """Listen at places with the scanner; with tests also run the speed test there and read the hub's log."""
        call = self.get(call_id)
        known = {p.id: p.name for p in call.job.places}
        for place_id in place_ids:
            if place_id not in known:
                raise BadInput("place_ids", "must name places of the call", place_id, ", ".join(known) or "(none yet)")

        def work(task: Task) -> None:
            world = self.world(call)
            scanner, tester, hub = SimulatedScanner(world), SimulatedSpeedTest(world), SimulatedHub(world)
            listens, tests = [], []
            for i, place_id in enumerate(place_ids):
                task.tell(f"listening at {known[place_id]}", i / len(place_ids))
                listens.append(scanner.listen(place_id, bands or BANDS, LISTEN_S))
                self.wait(LISTEN_S)
                if with_tests:
                    task.tell(f"speed test at {known[place_id]}", (i + 0.5) / len(place_ids))
                    tests.append(tester.run(place_id, SPEED_RUNS))
                    self.wait(LISTEN_S)
            if with_tests:
                task.tell("reading the hub's log", 0.97)
            reports = hub.reports(LOG_HOURS) if with_tests else ()
            links = {(li.a_id, li.b_id): li for li in hub.links()} if with_tests else {}
            self.keep_world(call_id, world)
            where = known[place_ids[0]] if len(place_ids) == 1 else f"{len(place_ids)} places"

            def add(job: Job) -> Job:
                return replace(
                    job,
                    listens=(*job.listens, *(_fresh(job, _with_settings(job, li)) for li in listens)),
                    speed_tests=(*job.speed_tests, *tests),
                    zigbee_reports=(*job.zigbee_reports, *reports),
                    zigbee=_with_links(job.zigbee, links),
                )

            self.amend(call_id, add, f"listened at {where}" + (" with tests" if with_tests else ""))
            task.notes.append(f"{sum(len(li.readings) for li in listens)} networks heard at {where}")

        return self.tasks.start("listen", work, call_id)

    def _take_pans(
        self, task: Task, call_id: int, file: BinaryIO, place_id: str, name: str, channel: int | None, size: int
    ) -> None:
        """Take a capture of 802.15.4 frames; the network with most frames on the hub's channel is taken as the own."""
        now = datetime.now(UTC).isoformat(timespec="seconds")

        def told(done: int) -> None:
            task.tell(f"reading {name}", done / size)

        found = read_pans_stream(file, name, place_id, now, channel, told)
        job = self.get(call_id).job
        mine = {p.pan_id for p in job.pans if p.own}
        here = [p for p in found.pans if p.channel == job.settings.zigbee_channel]
        if not mine and here:
            mine = {max(here, key=lambda p: p.frames).pan_id}
            task.notes.append(f"{', '.join(mine)} is taken as this house's own: change that under Kit if it is not")

        def add(job: Job) -> Job:
            taken = [p.id for p in job.pans]
            fresh = []
            for pan in found.pans:
                fresh.append(replace(pan, id=fresh_identifier(pan.id, taken), own=pan.pan_id in mine))
                taken.append(fresh[-1].id)
            return replace(job, pans=(*job.pans, *fresh))

        self.amend(call_id, add, f"read {name} of 802.15.4 frames")
        task.notes.append(f"{len(found.pans)} networks in {found.frames} frames over {found.seconds:.0f} s")
        task.notes += found.notes

    def take_capture(self, call_id: int, file: BinaryIO, place_id: str, name: str, channel: int | None = None) -> Task:
        """Read an uploaded capture as a listening at a place, and close its file.

        ``channel``: the 802.15.4 channel that it was taken on, where its frames do not tell it.
        """
        size = max(file.seek(0, 2), 1)
        file.seek(0)
        source = "".join(c if c.isprintable() else " " for c in name).strip()[:80] or "capture"
        known = {p.id: p.name for p in self.get(call_id).job.places}

        def work(task: Task) -> None:
            with file:
                if place_id not in known:
                    raise BadInput(
                        "place_id", "must name a place of the call", place_id, ", ".join(known) or "(none yet)"
                    )
                link_type = link_type_of(file)
                file.seek(0)
                if link_type in LINK_TYPES:
                    self._take_pans(task, call_id, file, place_id, source, channel, size)
                    return

                def told(done: int) -> None:
                    task.tell(f"reading {source}", done / size)

                summary = read_capture_stream(file, told)
                listen = listen_from_capture(summary, "capture", place_id, source)
                self.amend(
                    call_id,
                    lambda job: replace(job, listens=(*job.listens, _fresh(job, _with_settings(job, listen)))),
                    f"read {source} at {known[place_id]}",
                )
                task.notes.append(
                    f"{len(summary.readings)} networks from {summary.used} frames; {summary.passed_over} other frames"
                    " were passed over unread"
                )
                task.notes += summary.notes

        try:
            return self.tasks.start("capture", work, call_id)
        except BaseException:
            file.close()
            raise

    def add_readings(self, call_id: int, listens: list[Listen], summary: str) -> StoredCall:
        """Add listenings from a file; the house is taken to have been set as it is now, unless they say otherwise."""
        return self.amend(
            call_id,
            lambda job: replace(
                job, listens=(*job.listens, *_all_fresh(job, [_with_settings(job, li) for li in listens]))
            ),
            summary,
        )

    def tune(self, call_id: int, rules: Rules, seconds: float, pinned: dict[str, Block]) -> Task:
        """Search for the best setting."""
        call = self.get(call_id)

        def keep(task: Task, plan: Plan) -> None:
            task.plan = plan

        asked = {"rules": rules, "seconds": seconds, "pinned": pinned or None}
        return self.tasks.search("tune", heavy.tune, call.job, asked, seconds, keep, call_id)

    def tune_places(self, call_id: int, node_ids: list[str], rules: Rules, seconds: float) -> Task:
        """Search for the best setting and the best spots for nodes that may move."""
        call = self.get(call_id)

        def keep(task: Task, placed: PlacedPlan) -> None:
            task.placed, task.plan = placed, placed.plan

        asked = {"node_ids": node_ids, "rules": rules, "seconds": seconds}
        return self.tasks.search("tune", heavy.tune_places, call.job, asked, seconds, keep, call_id)

    def measure_next(self, call_id: int, plan: Settings, others: list[Settings]) -> Task:
        """Find what to measure next."""
        call = self.get(call_id)

        def keep(task: Task, found: MeasureNext) -> None:
            task.measure = found

        asked = {"plan": plan, "others": others, "seconds": MEASURE_NEXT_S}
        return self.tasks.search("measure", heavy.what_to_measure, call.job, asked, MEASURE_NEXT_S, keep, call_id)

    def read_hub(self, call_id: int) -> StoredCall:
        """The hub's link table as it shows it now; BadInput without a hub."""
        call = self.get(call_id)
        if call.job.zigbee is None:
            raise BadInput("zigbee", "must be in the call", "no hub", "add the hub under Kit")
        links = {(li.a_id, li.b_id): li for li in SimulatedHub(self.world(call)).links()}
        if not links:
            raise BadInput("links", "must be in the hub's table", "an empty table", "devices that have joined")

        def take(job: Job) -> Job:
            return replace(job, zigbee=_with_links(job.zigbee, links))

        return self.amend(call_id, take, "read the hub's link table")

    def scan_by_hub(self, call_id: int) -> StoredCall:
        """Have the hub scan the energy on its channels; BadInput without a hub."""
        call = self.get(call_id)
        if call.job.zigbee is None:
            raise BadInput("zigbee", "must be in the call", "no hub", "add the hub under Kit")
        world = self.world(call)
        levels, place, at = SimulatedHub(world).energy_scan(), call.job.zigbee.hub_place_id, world.state.clock
        self.keep_world(call_id, world)

        def add(job: Job) -> Job:
            fresh = fresh_identifier("scan hub", [s.id for s in job.energy_scans])
            return replace(
                job,
                energy_scans=(
                    *job.energy_scans,
                    EnergyScan(id=fresh, place_id=place, scanned_at=at, source="hub", levels=levels),
                ),
            )

        return self.amend(call_id, add, "the hub scanned its channels")

    def apply(self, call_id: int, settings: Settings, reason: str) -> Task:
        """Send settings to the boxes, farthest node first, read them back, and record the change."""
        call = self.get(call_id)
        job = call.job
        require_choosable(job, settings)

        def work(task: Task) -> None:
            world = self.world(call)
            console, hub = SimulatedConsole(world), SimulatedHub(world)
            before = Settings(console.read(), hub.channel(), console.names())
            sendings = list(sendings_of(job, world, settings))
            if not sendings and not settings.link_bands:
                task.notes.append("the boxes are set like this already: nothing was sent")
                return
            for i, (_, phases) in enumerate(sendings):
                self._follow(task, phases, i, len(sendings))
            sent = [what for what, _ in sendings]
            moves_hub = "hub" in sent
            after = Settings(console.read(), hub.channel(), console.names())
            self.keep_world(call_id, world)
            for wanted in settings.radios:
                found = after.of(wanted.radio_id)
                if not same_setting(found, wanted):
                    task.notes.append(
                        f"{wanted.radio_id}: channel {wanted.channel} was sent, channel {found.channel} was read back"
                    )
            change = Change(world.state.clock, before, after, reason)
            self.amend(
                call_id,
                lambda now: replace(
                    now,
                    settings=after,
                    changes=(*now.changes, change),
                    nodes=with_link_bands(now, settings.link_bands).nodes,
                ),
                f"sent settings to {sent.count('box')} boxes" + (" and the hub" if moves_hub else ""),
                done_outside=True,
            )
            task.notes.append("every value was read back")

        return self.tasks.start("apply", work, call_id)

    # -- the change sheet ----------------------------------------------------------------------------------------

    def tick(self, call_id: int, step_id: str, found: str, *, back: bool, key: str | None) -> StoredCall:
        """A step that was done by hand on the boxes' own pages, or taken back there; the simulated boxes follow."""
        # In a simulated house it is as late as its own clock says: what is measured there afterwards is later.
        behind = self._stored_world(self.get(call_id))
        if behind is not None:
            behind.advance(SAVE_S + RETURN_S)
        at = datetime.now(UTC).isoformat(timespec="seconds") if behind is None else behind.state.clock

        def change(job: Job) -> Job:
            if back:
                return taken_back(job, step_id, at, by="hand")
            return acted(job, step_id, at, by="hand", found=found)

        said = f"{'took back' if back else 'ticked'} {step_id}"
        call = self.amend(call_id, change, said, done_outside=True, delivery_key=key)
        world = self._stored_world(call)
        if world is not None:
            world.state = replace(world.state, settings=replace(call.job.settings, link_bands=()), clock=at)
            self.keep_world(call_id, world)
        return call

    def send_step(self, call_id: int, step_id: str, *, back: bool) -> Task:
        """Do a step of the sheet on the boxes, or take it back there; every value is read back."""
        call = self.get(call_id)
        sheet, index = find_step(call.job.sheet, step_id)
        step = sheet.steps[index]
        wanted = sheet.before if back else sheet.after
        now = datetime.now(UTC).isoformat(timespec="seconds")
        # What the sheet does not allow is said before anything is sent.
        (taken_back if back else acted)(call.job, step_id, now, by="application")

        def work(task: Task) -> None:
            world = self.world(call)
            console, hub = SimulatedConsole(world), SimulatedHub(world)
            if step.kind == "names":
                self._follow(task, console.save_names(wanted.names), 0, 1)
            elif step.kind == "hub" and wanted.zigbee_channel is not None:
                self._follow(task, hub.move(wanted.zigbee_channel), 0, 1)
            elif step.node_id is not None:
                node = next(n for n in call.job.nodes if n.id == step.node_id)
                mine = tuple(wanted.of(r.id) for r in node.radios)
                changed = tuple(s for s in mine if not same_setting(call.job.settings.of(s.radio_id), s))
                if changed:
                    self._follow(task, console.save(node.id, changed), 0, 1)
            self.keep_world(call_id, world)
            at = world.state.clock

            def change(job: Job) -> Job:
                links = with_step(job.settings, sheet, step, job, back=back).link_bands
                real = Settings(console.read(), hub.channel(), console.names(), links)
                if back:
                    return taken_back(job, step_id, at, by="application", real=real)
                found = differences(job, sheet, step, real)
                if found:
                    task.notes.append(found)
                return acted(job, step_id, at, by="application", found=found, real=real)

            said = f"{'took back' if back else 'did'} {step_id} on the boxes"
            self.amend(call_id, change, said, done_outside=True)
            task.notes.append("every value was read back")

        return self.tasks.start("step", work, call_id)

    def _follow(self, task: Task, phases: Iterator[Phase], step: int, steps: int) -> None:
        for n, phase in enumerate(phases):
            minutes, seconds = divmod(round(phase.seconds), 60)
            wait = f"{minutes} min {seconds} s" if minutes else f"{seconds} s"
            task.tell(f"{phase.text} ({wait} on the box's clock)", (step + min(n / 4, 0.95)) / steps)
            task.notes.append(phase.text)
            self.wait(phase.seconds)


def _known_names(job: Job, names: Names) -> Names:
    """Names without devices that the call does not have any more."""
    known = {d.id for d in job.devices}
    return replace(names, bands=tuple(b for b in names.bands if b.device_id in known))


def sendings_of(job: Job, world: World, wanted: Settings) -> Iterator[tuple[str, Iterator[Phase]]]:
    """("box", "names" or "hub", its phases) of what differs on the boxes, the farthest node first, the hub last."""
    console, hub = SimulatedConsole(world), SimulatedHub(world)
    before = {s.radio_id: s for s in console.read()}
    by_id = {n.id: n for n in job.nodes}
    for node_id in order_of_nodes(job):
        mine = (wanted.of(r.id) for r in by_id[node_id].radios)
        changed = tuple(s for s in mine if not same_setting(before[s.radio_id], s))
        if changed:
            yield "box", console.save(node_id, changed)
    if wanted.names != console.names():
        yield "names", console.save_names(wanted.names)
    if wanted.zigbee_channel is not None and wanted.zigbee_channel != hub.channel():
        yield "hub", hub.move(wanted.zigbee_channel)


def _with_links(zigbee: Zigbee | None, measured: dict[tuple[str, str], MeshLink]) -> Zigbee | None:
    """The Zigbee network with the levels that its hub shows now."""
    if zigbee is None:
        return None
    return replace(zigbee, links=tuple(measured.get((li.a_id, li.b_id), li) for li in zigbee.links))


def _with_settings(job: Job, listen: Listen) -> Listen:
    """The listening with the settings and stands of the house as it is now, where it does not tell its own."""
    if listen.settings is None:
        listen = replace(listen, settings=job.settings)
    return listen if listen.stands is not None else replace(listen, stands=stands_now(job))


def _fresh(job: Job, listen: Listen) -> Listen:
    """The listening under an identifier that the job does not have yet."""
    return _all_fresh(job, [listen])[0]


def _all_fresh(job: Job, listens: list[Listen]) -> list[Listen]:
    used = {li.id for li in job.listens}
    fresh = []
    for listen in listens:
        name, n = listen.id, 1
        while name in used:
            n += 1
            name = f"{listen.id}-{n}"
        used.add(name)
        fresh.append(replace(listen, id=name))
    return fresh
