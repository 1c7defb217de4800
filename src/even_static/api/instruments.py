"""Real instruments: this computer's Wi-Fi card, texts of other tools, iperf3, and speed tests that are typed."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from datetime import datetime

from fastapi import APIRouter, Request

from even_static.api.common import CallReply, Serviced, body_text, call_body, file_name, place_name, sent_by
from even_static.api.house_bodies import SampleView
from even_static.api.instruments_bodies import CardSampleBody, CardSeriesBody, InstrumentView, Iperf3Body, SpeedTestBody
from even_static.api.service import CardSeries, Service, with_settings
from even_static.api.tasks import Task
from even_static.core.errors import BadInput, Conflict
from even_static.core.house.job import Job
from even_static.core.house.readings import Scan, SpeedTest
from even_static.core.house.validate import validate_job
from even_static.core.survey.walk import (
    has_settled,
    margins_at_spot,
    settled_readings,
    settling,
    with_one_more,
)
from even_static.formats.iperf3 import Iperf3Run, read_iperf3, speed_test_of
from even_static.formats.scan_text import read_scan_text, tool_of
from even_static.instruments.system import commands, iperf3, wifi
from even_static.instruments.system.card import scan_card
from even_static.instruments.zigbee import coordinator
from even_static.now import now, now_text
from even_static.store.steps import StoredCall

router = APIRouter(prefix="/api")


def require_real(call: StoredCall) -> None:
    """Conflict for a practice house: nothing real may be mixed into it."""
    if call.job.kind != "real":
        rule = "must be a real house for real instruments: a practice house is measured with its simulated ones"
        raise Conflict("call", rule, "a practice house", "a real call")


@router.get("/calls/{call_id}/instruments")
def get_instruments(service: Serviced, call_id: int) -> list[InstrumentView]:
    """What this call can be measured with here and now, and what to do where something is missing."""
    job = service.get(call_id).job
    if job.kind == "practice":
        named = (("scanner", "Simulated scanner"), ("hub", "Simulated hub"), ("routers", "Simulated routers"))
        return [InstrumentView(kind=k, name=n, available=True, why_not="", what_to_do="") for k, n in named]
    card = wifi.adapter()
    speed = commands.find("iperf3")
    no_coordinator, get_one = coordinator.why_not()
    return [
        InstrumentView(
            kind="card",
            name="This computer's Wi-Fi card",
            available=bool(card.tool),
            why_not=card.why_not,
            what_to_do=card.what_to_do,
        ),
        InstrumentView(
            kind="iperf3",
            name="iperf3",
            available=bool(speed),
            why_not="" if speed else "iperf3 is not installed on this computer",
            what_to_do="" if speed else "install it, or drop a result of `iperf3 -J` on a spot",
        ),
        InstrumentView(
            kind="coordinator",
            name="Zigbee coordinator",
            available=not no_coordinator,
            why_not=no_coordinator,
            what_to_do=get_one,
        ),
    ]


@router.post("/calls/{call_id}/scan")
def scan_here(service: Serviced, call_id: int, place_id: str) -> CallReply:
    """Scan with this computer's own Wi-Fi card, at the place where it stands."""
    call = service.get(call_id)
    require_real(call)
    place_name(call.job, place_id)
    return _keep_scan(service, call, *scan_card(place_id, now_text()))


@router.post("/calls/{call_id}/scan/series")
def scan_again(service: Serviced, call_id: int, body: CardSampleBody) -> SampleView:
    """One more scan of this computer's Wi-Fi card at a spot, until own levels have settled; nothing is stored."""
    call = service.get(call_id)
    require_real(call)
    place_name(call.job, body.place_id)
    scan, _ = scan_card(body.place_id, now_text())
    before = service.card.get(call_id)
    so_far = before.series if before is not None and before.scan.place_id == body.place_id and not body.anew else []
    series = with_one_more(call.job, so_far, scan.readings)
    service.card[call_id] = CardSeries(scan, series)
    said = [settling(s) for s in series]
    seen = margins_at_spot(call.job, call.job.settings, scan.readings)
    return SampleView(series, said, seen, has_settled(said, seen, call.job))


@router.post("/calls/{call_id}/scan/keep")
def keep_series(service: Serviced, call_id: int, body: CardSeriesBody) -> CallReply:
    """Keep the card's series at a spot: the neighbours of its last scan, own radios at the middle of their series."""
    call = service.get(call_id)
    require_real(call)
    name = place_name(call.job, body.place_id)
    if service.store.delivered(call_id, body.key):
        return call_body(service, call)
    read = service.card.get(call_id)
    if read is None or read.scan.place_id != body.place_id:
        raise BadInput("place_id", "must be where the card was read last", body.place_id, "read it there first")

    def add(job: Job) -> Job:
        scan = replace(
            with_settings(job, read.scan),
            id=body.key,
            readings=settled_readings(read.series, read.scan.readings),
            instrument_id=body.instrument_id,
            running=body.running,
        )
        found = replace(job, scans=(*job.scans, scan))
        validate_job(found)
        return found

    kept = service.amend(call_id, add, f"scanned at {name}", delivery_key=body.key)
    service.card.pop(call_id, None)
    return call_body(service, kept)


@router.post("/calls/{call_id}/texts")
async def take_text(
    service: Serviced, request: Request, call_id: int, place_id: str, name: str = "pasted text"
) -> CallReply:
    """A tool's text for a spot (the request's body), recognised by itself: a scan, or a result of iperf3."""
    text, source = await body_text(request), file_name(name)

    def take() -> CallReply:
        call = service.get(call_id)
        require_real(call)
        if tool_of(text) is None and text.lstrip("\ufeff \r\n\t").startswith("{"):
            return _keep_speed(service, call, place_id, [read_iperf3(text)], "wi-fi", source)
        place_name(call.job, place_id)
        read = read_scan_text(text, place_id=place_id, heard_at=now_text(), source=source, key="scan")
        return _keep_scan(service, call, *read)

    return await asyncio.to_thread(take)


@router.post("/calls/{call_id}/speed-tests")
def type_speed_test(service: Serviced, call_id: int, body: SpeedTestBody) -> CallReply:
    """Keep a speed test that was read off another device; sent again under the same key, it is kept once."""
    name = place_name(service.get(call_id).job, body.place_id)
    for field in ("up_mbps", "latency_ms"):
        if getattr(body, field) and len(getattr(body, field)) != len(body.down_mbps):
            raise BadInput(
                field, "must have a value for each run, or none", len(getattr(body, field)), "as many as down"
            )
    test = SpeedTest(
        place_id=body.place_id,
        tested_at=body.tested_at,
        down_mbps=tuple(body.down_mbps),
        up_mbps=tuple(body.up_mbps),
        latency_ms=tuple(body.latency_ms),
        over=body.over,
        reach=body.reach,
        came_from="typed",
        note=body.note,
    )

    def add(job: Job) -> Job:
        return replace(job, speed_tests=(*job.speed_tests, test))

    return call_body(service, service.amend(call_id, add, f"typed a speed test at {name}", delivery_key=body.key))


@router.post("/calls/{call_id}/iperf3", status_code=202)
def run_iperf3(service: Serviced, call_id: int, body: Iperf3Body) -> Task:
    """Run iperf3 from here against a computer in the house, down and up."""
    call = service.get(call_id)
    require_real(call)
    place_name(call.job, body.place_id)

    def work(task: Task) -> None:
        task.tell(f"iperf3 to {body.host}", 0.1)
        runs = iperf3.run_both(body.host, body.port)
        _keep_speed(service, service.get(call_id), body.place_id, runs, body.over, "")
        task.notes.append(" and ".join(f"{r.mbps:.0f} Mb/s {'down' if r.down else 'up'}" for r in runs))
        if any(r.loopback for r in runs):
            task.notes.append("this computer itself was tested: that counts for no room")

    return service.tasks.start("iperf3", work, call_id)


def _keep_scan(service: Service, call: StoredCall, scan: Scan, notes: list[str]) -> CallReply:
    name = place_name(call.job, scan.place_id)
    said = f"scanned at {name}: {len(scan.readings)} networks" + (f" ({'; '.join(notes)})" if notes else "")
    return call_body(service, service.add_readings(call.id, [sent_by(service, scan)], said[:200]))


def _keep_speed(
    service: Service, call: StoredCall, place_id: str, runs: list[Iperf3Run], over: str, note: str
) -> CallReply:
    name = place_name(call.job, place_id)
    test = speed_test_of(runs, place_id, over=over, note=note)
    # A clock of another computer that is ahead would make a test of today one of tomorrow.
    if datetime.fromisoformat(test.tested_at) > now():
        test = replace(test, tested_at=now_text())

    def add(job: Job) -> Job:
        return replace(job, speed_tests=(*job.speed_tests, test))

    return call_body(service, service.amend(call.id, add, f"iperf3 at {name}"))
