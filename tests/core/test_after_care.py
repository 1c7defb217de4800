"""When a call counts as solved, what was promised against what came, and the dates in a calendar that others read."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
import vobject
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from scipy import stats

from even_static.core.errors import BadInput
from even_static.core.house.after_care import DropOut, FollowUp
from even_static.core.house.changes import Change
from even_static.core.house.complaint import Complaint
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.prove.follow_up import after_care, needed_days
from even_static.core.prove.promised import SAME_LEVEL_DB, predicted_and_came
from even_static.core.worlds.present import newest_tests
from even_static.formats.calendar_file import write_calendar

CHANGED = datetime(2026, 3, 2, 20, tzinfo=UTC)


def on(days):
    return (CHANGED + timedelta(days=days)).isoformat(timespec="seconds")


def call(job, per_week=3.0, drops=(), asked=(), planned=()):
    """A call that was changed, with drop-outs and questions so many days after."""
    return replace(
        job,
        changes=(Change(on(0), job.settings, job.settings, "test"),),
        complaints=(Complaint(id="c", what="a sensor or plug goes missing", per_week=per_week),),
        drop_outs=tuple(DropOut(f"d{n}", on(d)) for n, d in enumerate(drops)),
        follow_ups=tuple(FollowUp(f"f{n}", on(d), "ring up", on(d)) for n, d in enumerate(asked))
        + tuple(FollowUp(f"p{n}", on(d), "ring up; twice, please") for n, d in enumerate(planned)),
    )


@given(st.floats(0.05, 50))
def test_so_many_quiet_days_come_by_chance_in_one_of_twenty(rate):
    """Poisson's law, as scipy has it: none in so many days at the old rate has a chance of 5 % or less."""
    chance = float(stats.poisson.pmf(0, rate * needed_days(rate) / 7))
    assert chance <= 0.05 + 1e-12
    assert needed_days(rate) == pytest.approx(14) or chance == pytest.approx(0.05)


def test_silence_proves_nothing_until_somebody_asks(house_job):
    assert after_care(house_job, on(1)).state == "nothing changed yet"
    waiting = after_care(call(house_job), on(5))
    assert waiting.state == "wait"
    assert waiting.solved_on[:10] == on(14)[:10]
    assert after_care(call(house_job), on(40)).state == "ask now"
    solved = after_care(call(house_job, asked=(15,)), on(40))
    assert (solved.state, round(solved.quiet_days)) == ("solved", 15)
    early = after_care(call(house_job, asked=(5,)), on(6))
    assert early.state == "wait"


def test_drop_outs_since_are_weighed_against_before(house_job):
    again = after_care(call(house_job, drops=(3,), asked=(28,)), on(30))
    assert again.state == "solved"
    assert again.quiet_days == pytest.approx(25)
    fewer = after_care(call(house_job, per_week=10.0, drops=(2, 20), asked=(21,)), on(22))
    assert fewer.state == "better, not solved"
    assert fewer.compared.verdict == "better"
    worse = after_care(call(house_job, per_week=1.0, drops=[0.2 * n for n in range(1, 60)], asked=(13,)), on(13))
    assert worse.state == "worse"
    alike = after_care(call(house_job, per_week=1.0, drops=(1, 8, 15, 19), asked=(21,)), on(22))
    assert alike.state == "no better"
    unknown = after_care(call(house_job, per_week=None), on(5))
    assert unknown.needed_days == 21


def test_slowness_is_not_a_drop_out(house_job):
    """How often a room is slow says nothing of drop-outs, and silence about it solves nothing: speed tests tell."""
    job = call(house_job, asked=(15,))
    slow = Complaint(id="s", what="a room is slow", per_week=20.0)
    both = replace(job, complaints=(*job.complaints, slow))
    assert after_care(both, on(40)) == after_care(job, on(40))
    only = after_care(replace(job, complaints=(slow,)), on(40))
    assert (only.state, only.rate_before, only.compared) == ("slowness only", None, None)
    assert "speed tests" in only.text
    assert len(only.proposed) == len(after_care(job, on(40)).proposed)
    assert after_care(replace(call(house_job, drops=(3,)), complaints=(slow,)), on(5)).state != "slowness only"


def test_dates_are_read_back_by_another_library(house_job):
    """RFC 5545, read by vobject: times in UTC, one event for each date still to come, lines of at most 75 octets."""
    text = write_calendar(call(house_job, asked=(14,), planned=(42, 90)), 7, on(1))
    assert all(len(line.encode()) <= 75 for line in text.split("\r\n"))
    read = vobject.readOne(text)
    assert [e.dtstart.value for e in read.vevent_list] == [CHANGED + timedelta(days=d) for d in (42, 90)]
    first = read.vevent_list[0]
    assert first.summary.value == f"Ask again: {house_job.title}"
    assert first.description.value == "ring up; twice, please\nDid it come back: a sensor or plug goes missing?"
    assert first.dtend.value - first.dtstart.value == timedelta(minutes=30)
    assert first.valarm.trigger.value == timedelta(days=-1)
    assert len({e.uid.value for e in read.vevent_list}) == 2
    again = vobject.readOne(write_calendar(call(house_job, planned=(42, 90)), 7, on(3)))
    assert [e.uid.value for e in again.vevent_list] == [e.uid.value for e in read.vevent_list]


def test_what_was_promised_is_what_the_core_said_before_the_change(demo_store):
    job = demo_store.get(1).job
    found = predicted_and_came(job)
    (change,) = job.changes
    known = replace(
        job,
        changes=(),
        settings=change.before,
        scans=tuple(s for s in job.scans if s.heard_at < change.changed_at),
        client_list=tuple(c for c in job.client_list if c.listed_at < change.changed_at),
        channel_uses=tuple(u for u in job.channel_uses if u.seen_at < change.changed_at),
        speed_tests=tuple(t for t in job.speed_tests if t.tested_at < change.changed_at),
        zigbee_reports=tuple(r for r in job.zigbee_reports if r.reported_at < change.changed_at),
    )
    promised = evaluate(House(known), change.after)
    assert (found.problems_predicted, found.headroom_predicted) == (promised.problems, promised.headroom)
    by_name = {e.subject: e for e in found.entries if e.kind == "Zigbee delivery"}
    for device in job.zigbee.devices:
        mine = by_name[device.name]
        assert mine.predicted == next(z.delivery for z in promised.zigbee if z.device_id == device.id)
        reports = [r for r in job.zigbee_reports if r.device_id == device.id and r.reported_at > change.changed_at]
        assert_allclose(mine.came, sum(r.delivered for r in reports) / sum(r.sent for r in reports))
    speeds = [e for e in found.entries if e.kind == "speed test"]
    newest = newest_tests(job)
    assert len(newest) > 2
    # Down and up of each; latency only where no line and no internet stood between.
    assert len(speeds) == 2 * len(newest)
    inside = tuple(replace(t, reach="this computer") for t in job.speed_tests)
    within = predicted_and_came(replace(job, speed_tests=inside))
    late = {e.subject: e for e in within.entries if e.unit == "ms"}
    names = {p.id: p.name for p in job.places}
    for test in newest:
        shown = late[f"{names[test.place_id]}, latency under load"]
        assert shown.came == np.median(test.latency_ms)
        assert shown.low <= shown.predicted <= shown.high
        assert shown.agrees == (shown.low <= shown.came <= shown.high)
        up = next(e for e in within.entries if e.subject == f"{names[test.place_id]}, up")
        assert up.came == np.median(test.up_mbps)
    levels = [e for e in found.entries if e.kind == "level"]
    assert levels
    assert [e.agrees for e in levels] == [abs(e.came - e.predicted) <= SAME_LEVEL_DB for e in levels]
    assert found.learnt.error_now_db < found.learnt.error_before_db
    assert math.isfinite(found.learnt.error_before_db)
    with pytest.raises(BadInput, match="changes"):
        predicted_and_came(replace(job, changes=()))


def test_a_wrong_promise_is_named_first(demo_store):
    job = demo_store.get(1).job
    after = job.changes[0].changed_at
    own = {r.bssid for r in job.radios}
    scans = tuple(
        replace(li, readings=tuple(replace(r, rssi_dbm=r.rssi_dbm - 15) if r.bssid in own else r for r in li.readings))
        if li.heard_at > after and li.place_id == "workbench"
        else li
        for li in job.scans
    )
    found = predicted_and_came(replace(job, scans=scans))
    assert found.entries[0].agrees is False
    assert "at Workbench" in found.entries[0].subject
    assert "furthest off" in found.text
