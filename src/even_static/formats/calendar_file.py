"""Dates of asking again as iCalendar (RFC 5545), for whatever calendar the technician keeps."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from even_static.core.errors import printable
from even_static.core.house.basics import Timestamp
from even_static.core.house.job import Job

LASTS = timedelta(minutes=30)
REMIND = timedelta(days=-1)


def write_calendar(job: Job, call_id: int, now: Timestamp) -> str:
    """The follow-ups that are still to come, each as an event of half an hour in UTC with a reminder a day before.

    The same follow-up keeps its identifier, so that a calendar that reads the file again moves it and does not double
    it. What is in it: the call's title, the note, complaints; no addresses, no neighbours.
    """
    from icalendar import Alarm, Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Even Static//follow-ups//EN")
    calendar.add("version", "2.0")
    for follow_up in job.follow_ups:
        if follow_up.asked_at is not None:
            continue
        begins = datetime.fromisoformat(follow_up.at).astimezone(UTC)
        event = Event()
        event.add("uid", f"call-{call_id}-{follow_up.id}@even-static.invalid")
        event.add("dtstamp", datetime.fromisoformat(now).astimezone(UTC))
        event.add("dtstart", begins)
        event.add("dtend", begins + LASTS)
        event.add("summary", printable(f"Ask again: {job.title}"))
        asked = "; ".join(dict.fromkeys(c.what for c in job.complaints))
        about = f"Did it come back: {asked}?" if asked else "Did it come back?"
        event.add("description", printable(f"{follow_up.note}\n{about}".strip()))
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", printable(f"Ask again: {job.title}"))
        alarm.add("trigger", REMIND)
        event.add_component(alarm)
        calendar.add_component(event)
    return str(calendar.to_ical(), "utf-8")
