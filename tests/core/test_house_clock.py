"""One clock, the house's: parts of the day, follow-ups over a change of summer time, calendar files and the report.

Summer time in the European Union: from the last Sunday of March, 01:00 UTC, to the last Sunday of October, 01:00 UTC
(Directive 2000/84/EC, articles 2 and 3; from memory). In 2026 these are 29 March and 25 October.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import pytest
import vobject
from hypothesis import given
from hypothesis import strategies as st
from tests.beacons import capture_of
from tests.conftest import local_client

from even_static.core.errors import BadInput
from even_static.core.house.after_care import DropOut, FollowUp
from even_static.core.house.changes import Change
from even_static.core.house.clock import by_the_house_clock, with_house_times
from even_static.core.house.job import Job
from even_static.core.model.daily import heard_parts
from even_static.core.prove.follow_up import after_care
from even_static.core.report.words import time_text
from even_static.formats.calendar_file import write_calendar

ZONE = "Europe/Amsterdam"


@pytest.fixture
def job(house_job):
    return replace(house_job, time_zone=ZONE)


TIMES = [
    ("2026-03-29T00:59:59Z", "2026-03-29T01:59:59+01:00"),
    ("2026-03-29T01:00:00Z", "2026-03-29T03:00:00+02:00"),
    ("2026-10-25T00:59:59Z", "2026-10-25T02:59:59+02:00"),
    ("2026-10-25T01:00:00Z", "2026-10-25T02:00:00+01:00"),
    ("2026-07-01T12:00:00-04:00", "2026-07-01T18:00:00+02:00"),
    ("2026-03-02T18:30:00+01:00", "2026-03-02T18:30:00+01:00"),
]


@pytest.mark.parametrize(("came", "kept"), TIMES)
def test_times_are_kept_by_the_house_s_clock(job, came, kept):
    assert by_the_house_clock(job, came) == kept
    assert by_the_house_clock(job, kept) == kept
    assert datetime.fromisoformat(kept) == datetime.fromisoformat(came)
    assert by_the_house_clock(replace(job, time_zone=None), came) == came


@given(st.datetimes(datetime(1971, 1, 1), datetime(2198, 1, 1)), st.sampled_from(["Asia/Kolkata", ZONE, "UTC"]))
def test_the_moment_stays_the_same(at, zone):
    house = Job(title="t", country="NL", time_zone=zone, opened_at=at.replace(tzinfo=UTC).isoformat(timespec="seconds"))
    kept = with_house_times(house)
    assert datetime.fromisoformat(kept.opened_at) == datetime.fromisoformat(house.opened_at)
    assert with_house_times(kept) == kept


def test_every_time_of_a_job_is_written_so_wherever_it_stands(job):
    at = "2026-07-01T16:30:00Z"
    told = replace(
        job,
        opened_at=at,
        scans=tuple(
            replace(li, heard_at=at, readings=tuple(replace(r, last_heard_at=at) for r in li.readings))
            for li in job.scans
        ),
        changes=(Change(at, job.settings, job.settings),),
        drop_outs=(DropOut("d", at),),
    )
    kept = with_house_times(told)
    assert "16:30:00Z" not in str(kept)
    assert str(kept).count("2026-07-01T18:30:00+02:00") == str(told).count(at)
    # Only what is new is looked at; what was there stays the very same.
    more = replace(kept, drop_outs=(*kept.drop_outs, DropOut("e", at)))
    again = with_house_times(more, kept)
    assert again.scans is kept.scans
    assert again.drop_outs[0] is kept.drop_outs[0]
    assert again.drop_outs[1].at == "2026-07-01T18:30:00+02:00"


def test_a_capture_of_the_evening_counts_as_evening(store, job, app_over):
    """Captures carry UTC; 16:30 UTC in July is half past six in the house."""
    bare = replace(job, scans=())
    call = store.add(bare).id
    client = local_client(app_over(store))
    readings = job.scans[1].readings
    data = capture_of(readings, [[r.rssi_dbm] * 3 for r in readings], "2026-07-01T16:30:00Z")
    task = client.post(f"/api/calls/{call}/captures?place_id=p1", content=data).json()
    while client.get(f"/api/tasks/{task['id']}").json()["state"] == "running":
        pass
    kept = store.get(call).job
    assert kept.scans[0].heard_at == "2026-07-01T18:30:00+02:00"
    assert heard_parts(kept) == ["evening"]
    # Read before anybody said where the house is, it counts by the clock of the file; then by the house's.
    old = replace(kept, time_zone=None, scans=tuple(replace(li, heard_at="2026-07-01T16:30:00Z") for li in kept.scans))
    assert heard_parts(old) != ["evening"]
    assert heard_parts(replace(old, time_zone=ZONE)) == ["evening"]


def test_follow_ups_keep_their_hour_over_summer_time_in_every_place(job):
    """Changed at six in the evening in winter time; the visits are proposed for six in the evening in summer time."""
    changed = replace(job, changes=(Change("2026-03-20T17:00:00Z", job.settings, job.settings),))
    view = after_care(changed, "2026-03-21T09:00:00Z")
    proposed = [datetime.fromisoformat(p) for p in view.proposed]
    assert {p.hour for p in proposed} == {18}
    assert {p.utcoffset().total_seconds() / 3600 for p in proposed} == {2.0}
    # The calendar names the same moment, and so does the report.
    kept = replace(changed, follow_ups=(FollowUp("f", view.proposed[0]),))
    event = vobject.readOne(write_calendar(kept, 1, "2026-03-21T09:00:00Z")).vevent
    assert event.dtstart.value == proposed[0]
    assert event.dtstart.value.astimezone(UTC).hour == 16
    assert time_text(view.proposed[0]).endswith("18:00")


@pytest.mark.parametrize("zone", ["Amsterdam", "Europe/Nowhere", "../etc/passwd", "", "a" * 65])
def test_an_unknown_zone_is_refused(store, house_job, zone):
    with pytest.raises(BadInput, match="time_zone"):
        store.add(replace(house_job, time_zone=zone))
