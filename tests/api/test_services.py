"""Edits, measurements and boxes together: the simulated house follows the call, and nothing gets lost between."""

from __future__ import annotations

import threading
import time
from dataclasses import replace

import pytest
from tests.houses import random_house

from even_static.api.practice import measuring, setting
from even_static.api.practice.world import world_of
from even_static.api.service import Service
from even_static.core.errors import BadInput
from even_static.core.house.kit import Place
from even_static.core.house.settings import Settings
from even_static.core.search.candidates import Rules
from even_static.core.tables.bands import BANDS
from even_static.instruments.simulated.stand_ins import SimulatedConsole, SimulatedScanner


@pytest.fixture
def service(store):
    return Service(store, clock_speed=1e7)


@pytest.fixture
def call(service):
    return service.store.add(random_house(7, nodes=2, neighbours=12, devices=6))


def wait(task):
    for _ in range(1000):
        if task.state != "running":
            return task
        time.sleep(0.01)
    raise AssertionError("the task never ended")


def test_the_boxes_follow_what_is_written_down(service, call):
    wait(measuring.listen(service, call.id, ["p0"], BANDS, with_tests=False))
    now = service.store.get(call.id)
    first = replace(now.job.settings.radios[0], channel=13, width_mhz=20, centre_mhz=None)
    job = replace(now.job, settings=replace(now.job.settings, radios=(first, *now.job.settings.radios[1:])))
    edited = service.edit(call.id, job, now.revision, "wrote down")
    assert SimulatedConsole(world_of(service, edited)).read()[0] == first


def test_a_place_that_is_added_later_can_be_listened_to(service, call):
    wait(measuring.listen(service, call.id, ["p0"], BANDS, with_tests=False))
    now = service.store.get(call.id)
    job = replace(now.job, places=(*now.job.places, Place(id="shed", name="Shed", storey=0)))
    service.edit(call.id, job, now.revision, "added a place")
    assert wait(measuring.listen(service, call.id, ["shed"], BANDS, with_tests=True)).state == "done"
    heard = service.store.get(call.id).job.scans[-1]
    assert heard.place_id == "shed"
    own = {r.bssid for r in job.radios}
    assert own & {r.bssid for r in heard.readings}


def test_measurements_do_not_clash_with_edits(service, call):
    """Both may happen at once; both are kept."""
    threads = [
        threading.Thread(target=lambda p=p: wait(measuring.listen(service, call.id, [p], ("5 GHz",), with_tests=False)))
        for p in ("p0", "p1", "p2", "p3")
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    job = service.store.get(call.id).job
    added = job.scans[len(call.job.scans) :]
    assert sorted(li.place_id for li in added) == ["p0", "p1", "p2", "p3"]
    assert len({li.id for li in job.scans}) == len(job.scans)


def test_tests_bring_speed_reports_and_link_levels(service, call):
    wait(measuring.listen(service, call.id, ["p0", "p1"], BANDS, with_tests=True))
    job = service.store.get(call.id).job
    assert [t.place_id for t in job.speed_tests] == ["p0", "p1"]
    assert {r.device_id for r in job.zigbee_reports} == {d.id for d in job.zigbee.devices}
    assert all(0 <= r.delivered <= r.sent for r in job.zigbee_reports)
    moved = [abs(a.rssi_dbm - b.rssi_dbm) for a, b in zip(job.zigbee.links, call.job.zigbee.links, strict=True)]
    assert 0 < max(moved) < 15


def test_what_the_boxes_kept_differently_is_caught(service, call, monkeypatch):
    """Radar drives the radio off at once: the read-back differs and is told."""
    monkeypatch.setattr("even_static.instruments.simulated.stand_ins.RADAR_CHANCE", 1.0)
    radios = tuple(
        replace(s, channel=100, width_mhz=20, centre_mhz=None) if s.radio_id == "n0-1" else s
        for s in call.job.settings.radios
    )
    task = wait(setting.apply(service, call.id, Settings(radios, call.job.settings.zigbee_channel), "try"))
    assert any("channel 100 was sent, channel 36 was read back" in note for note in task.notes)
    after = service.store.get(call.id).job
    assert after.settings.of("n0-1").channel == 36
    assert after.changes[-1].after == after.settings


def test_the_farthest_node_is_saved_first(service):
    job = random_house(7, nodes=2, neighbours=12, radio_link=True)
    call = service.store.add(job)
    radios = tuple(
        replace(s, channel=100, width_mhz=20, centre_mhz=None) if job.radio(s.radio_id).band == "5 GHz" else s
        for s in job.settings.radios
    )
    task = wait(setting.apply(service, call.id, replace(job.settings, radios=radios), "try"))
    order = [note.split(":")[0] for note in task.notes if note.endswith(": saving")]
    assert order == ["node 1", "node 0"]


def test_an_unknown_place_is_refused_before_anything_starts(service, call):
    with pytest.raises(BadInput, match="places of the call"):
        measuring.listen(service, call.id, ["roof"], BANDS, with_tests=False)


def test_a_failing_task_tells_no_traceback(service, call, monkeypatch):
    def broken(*_):
        raise ZeroDivisionError("inside")

    monkeypatch.setattr(SimulatedScanner, "listen", broken)
    task = wait(measuring.listen(service, call.id, ["p0"], BANDS, with_tests=False))
    assert task.state == "failed"
    assert "ZeroDivision" not in task.error.message
    assert "nothing stored was lost" in task.error.message
    assert service.store.get(call.id).revision == 1


def test_houses_are_kept_by_the_step_that_made_them(service, call):
    renamed = service.store.save(call.id, replace(call.job, title="one"), "a", on_revision=1)
    first = service.house(renamed)
    back = service.store.undo(call.id, renamed.revision)
    assert service.house(back) is not first
    assert service.house(back) is service.house(service.store.get(call.id))


def test_a_tuned_plan_is_the_core_s(service, call):
    task = wait(service.tune(call.id, Rules(), 20.0, {}))
    assert task.plan.model_proven
    assert task.plan.evaluation.rank <= task.plan.now.rank
