"""What the application does with a call: glue between store, instruments and core, with no HTTP in it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from copy import copy
from dataclasses import dataclass, replace
from typing import BinaryIO

from even_static.api import heavy
from even_static.api.live_bodies import LiveBody
from even_static.api.tasks import Task, Tasks
from even_static.core.change.sheet import acted, as_read, differences, find_step, step_name, taken_back
from even_static.core.errors import BadInput, Conflict
from even_static.core.explain.next_measurement import MeasureNext
from even_static.core.house.basics import fresh_identifier
from even_static.core.house.clock import with_house_times
from even_static.core.house.edit import with_past_following
from even_static.core.house.job import Job
from even_static.core.house.merge import merged
from even_static.core.house.readings import Scan
from even_static.core.house.settings import Settings
from even_static.core.house.sheet import ReadBack
from even_static.core.house.validate import validate_job
from even_static.core.model.prepared_house import House
from even_static.core.propagation.coverage import Coverage, entered_coverage
from even_static.core.propagation.stands import remembering_stands, stands_now
from even_static.core.search.candidates import Rules
from even_static.core.search.placement import PlacedPlan
from even_static.core.search.plan import Plan
from even_static.core.spectrum.channels import Block
from even_static.core.survey.own_radios import retold
from even_static.core.survey.walk import Series
from even_static.formats.capture.ieee802154 import LINK_TYPES, read_pans_stream
from even_static.formats.capture.other_headers import LINK_TYPES as WIFI_LINK_TYPES
from even_static.formats.capture.reader import link_types_of, read_capture_stream, scan_from_capture
from even_static.formats.job_file import require_storable
from even_static.now import now_text
from even_static.store.calls import HERE, Store
from even_static.store.steps import StoredCall

KEPT_HOUSES = 16
SCAN_S, SPEED_RUNS, LOG_HOURS = 12.0, 5, 2.0
MEASURE_NEXT_S = 60.0


@dataclass(frozen=True, slots=True)
class CardSeries:
    """The card's last scan at a spot, and the levels of own radios since it began there."""

    scan: Scan
    series: list[Series]


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
        self.live: dict[int, tuple[float, LiveBody]] = {}
        """What the running capture of a call said last, and when on the monotonic clock."""
        self.card: dict[int, CardSeries] = {}
        """What this computer's card has read for a call, at the spot where it was read last."""
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
            job, told = change(call.job), ""
            if len(job.scans) > len(call.job.scans):
                job, found = retold(job)
                told = "; told apart: " + ", ".join(f.radio_id for f in found) if found else ""
            job = with_house_times(job, call.job)
            require_storable(call.job, job)
            try:
                return self.store.save(
                    call_id,
                    job,
                    (summary + told)[:200],
                    on_revision=call.revision,
                    done_outside=done_outside,
                    delivery_key=delivery_key,
                    author=self.author,
                )
            except Conflict as error:
                if error.field != "revision":
                    raise

    def edit(self, call_id: int, job: Job, revision: int, summary: str) -> StoredCall:
        """Bring an edit, made on a revision of a call, to what the call is now.

        Conflict where somebody else has changed the same thing since.
        """
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

        return self.amend(call_id, bring, summary)

    def coverage(self, call: StoredCall) -> Coverage:
        """The call's house, calibrated on its readings; BadInput where it has not been entered."""
        return entered_coverage(call.job)

    # -- tasks ---------------------------------------------------------------------------------------------------

    def _take_pans(
        self, task: Task, call_id: int, file: BinaryIO, place_id: str, name: str, channel: int | None
    ) -> None:
        """Take a capture of 802.15.4 frames; the network with most frames on the hub's channel is taken as the own."""
        now = now_text()

        found = read_pans_stream(
            file, name, place_id, now, channel, lambda _, fraction: task.tell(f"reading {name}", fraction)
        )
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
        """Read an uploaded capture as a scan at a place, and close its file.

        ``channel``: the 802.15.4 channel that it was taken on, where its frames do not tell it.
        """
        file.seek(0)
        source = "".join(c if c.isprintable() else " " for c in name).strip()[:80] or "capture"
        known = {p.id: p.name for p in self.get(call_id).job.places}

        def work(task: Task) -> None:
            with file:
                if place_id not in known:
                    raise BadInput(
                        "place_id", "must name a place of the call", place_id, ", ".join(known) or "(none yet)"
                    )
                link_types = link_types_of(file)
                file.seek(0)
                if not set(link_types) & set(WIFI_LINK_TYPES) and set(link_types) & set(LINK_TYPES):
                    self._take_pans(task, call_id, file, place_id, source, channel)
                    return

                summary = read_capture_stream(file, lambda _, fraction: task.tell(f"reading {source}", fraction))
                scan = scan_from_capture(summary, "capture", place_id, source)
                self.amend(
                    call_id,
                    lambda job: replace(job, scans=(*job.scans, fresh(job, with_settings(job, scan)))),
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

    def add_readings(self, call_id: int, scans: list[Scan], summary: str) -> StoredCall:
        """Add scans from a file; the house is taken to have been set as it is now, unless they say otherwise."""
        return self.amend(
            call_id,
            lambda job: replace(job, scans=(*job.scans, *allfresh(job, [with_settings(job, li) for li in scans]))),
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

    # -- the change sheet ----------------------------------------------------------------------------------------

    def tick(
        self, call_id: int, step_id: str, read: ReadBack | None, found: str, *, back: bool, key: str | None, at: str
    ) -> StoredCall:
        """A step that was done by hand on the routers' own pages at a time (ISO 8601), or taken back there.

        ``read``: what was read back afterwards; it becomes the call's settings. None: nobody has read it.
        """

        def change(job: Job) -> Job:
            if back:
                return taken_back(job, step_id, at, by="hand")
            if read is None:
                return acted(job, step_id, at, by="hand", found=found)
            real = as_read(job, step_id, read)
            sheet, index = find_step(job.sheet, step_id)
            said = "; ".join(t for t in (differences(job, sheet, sheet.steps[index], real), found) if t)
            return acted(job, step_id, at, by="hand", found=said, real=real, read_back=True)

        said = f"{'took back' if back else 'set'} {step_name(self.get(call_id).job, step_id)}"[:80]
        return self.amend(call_id, change, said, done_outside=True, delivery_key=key)


def with_settings(job: Job, scan: Scan) -> Scan:
    """The scan with the settings and stands of the house as it is now, where it does not tell its own."""
    if scan.settings is None:
        scan = replace(scan, settings=job.settings)
    return scan if scan.stands is not None else replace(scan, stands=stands_now(job))


def fresh(job: Job, scan: Scan) -> Scan:
    """The scan under an identifier that the job does not have yet."""
    return allfresh(job, [scan])[0]


def allfresh(job: Job, scans: list[Scan]) -> list[Scan]:
    used = {li.id for li in job.scans}
    fresh = []
    for scan in scans:
        name, n = scan.id, 1
        while name in used:
            n += 1
            name = f"{scan.id}-{n}"
        used.add(name)
        fresh.append(replace(scan, id=name))
    return fresh
