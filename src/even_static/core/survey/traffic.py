"""What each device really carried, from the router's counters: measured demand in place of what was said."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np

from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.lists import ClientSeen
from even_static.core.tables.daily import HOURLY_LOAD

MBIT_PER_MB = 8.0
# Counters that were read again sooner than this say little of an hour.
LEAST_HOURS = 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class Carried:
    """What a device carried: megabytes down and up over some hours that ended at ``until``, and the Mb/s that this
    makes in the busiest hour, if the household's day goes as days usually do."""

    device_id: str
    until: str
    hours: float
    down_mb: float
    up_mb: float
    busy_down_mbps: float
    busy_up_mbps: float
    traffic_share: float
    """Its share of all counted traffic per hour."""


def carried(job: Job) -> list[Carried]:
    """What every device with counters carried, the most first. Two readings of growing counters count by their
    difference; a single one needs to say over how many hours it ran."""
    by_device: dict[str, list[ClientSeen]] = {}
    for seen in sorted(job.client_list, key=lambda c: datetime.fromisoformat(c.listed_at)):
        if seen.down_mb is not None or seen.up_mb is not None:
            by_device.setdefault(seen.device_id, []).append(seen)
    counted = {d: c for d, lines in by_device.items() if (c := _counted(lines)) is not None}
    total = sum((down + up) / hours for down, up, hours, _ in counted.values())
    found = []
    for device_id, (down, up, hours, until) in counted.items():
        mean_to_busy = MBIT_PER_MB / 3600 / hours / _usual_share(job, until, hours)
        found.append(
            Carried(
                device_id=device_id,
                until=until,
                hours=hours,
                down_mb=down,
                up_mb=up,
                busy_down_mbps=down * mean_to_busy,
                busy_up_mbps=up * mean_to_busy,
                traffic_share=(down + up) / hours / total if total > 0 else 0.0,
            )
        )
    return sorted(found, key=lambda c: -c.traffic_share)


def with_carried_demand(job: Job, device_ids: set[str] | None = None) -> Job:
    """The job with measured demand for these devices (all that have it, where none are named)."""
    measured = {c.device_id: c for c in carried(job) if device_ids is None or c.device_id in device_ids}
    devices = tuple(
        replace(
            d,
            demand_down_mbps=round(measured[d.id].busy_down_mbps, 2),
            demand_up_mbps=round(measured[d.id].busy_up_mbps, 2),
        )
        if d.id in measured
        else d
        for d in job.devices
    )
    return replace(job, devices=devices)


def _counted(lines: list[ClientSeen]) -> tuple[float, float, float, str] | None:
    """(MB down, MB up, hours, until when) of a device's readings, oldest first; None where no time is known."""
    last = lines[-1]
    down, up = last.down_mb or 0.0, last.up_mb or 0.0
    if len(lines) > 1:
        first = lines[-2]
        hours = (
            datetime.fromisoformat(last.listed_at) - datetime.fromisoformat(first.listed_at)
        ).total_seconds() / 3600
        more = down - (first.down_mb or 0.0), up - (first.up_mb or 0.0)
        if hours >= LEAST_HOURS and min(more) >= 0:
            return *more, hours, last.listed_at
    return None if last.counted_h is None else (down, up, last.counted_h, last.listed_at)


def _usual_share(job: Job, until: str, hours: float) -> float:
    """The mean load of the hours that a counter ran, as a share of the busiest hour's."""
    if hours >= 24:
        return float(np.mean(HOURLY_LOAD))
    end = at_the_house(job, until)
    steps = max(1, round(hours * 4))
    times = [end - timedelta(hours=hours * (i + 0.5) / steps) for i in range(steps)]
    return float(np.mean([HOURLY_LOAD[t.hour] for t in times]))
