"""Who takes what of the house's traffic and airtime, and what it would free."""

from __future__ import annotations

from dataclasses import dataclass, replace

from even_static.core.explain.reasons import radio_reasons
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.survey.traffic import Carried, carried, with_carried_demand

# So many are asked what the house would be without them.
MOST_WITHOUT = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class HeavyUser:
    """A device by what it carried, beside what was said of it in Mb/s. ``airtime_fraction``: of each second at its
    radio in the busy hour; problems and headroom of the house without it. None where nothing is worked out."""

    carried: Carried
    said_down_mbps: float
    said_up_mbps: float
    radio_id: str | None
    airtime_fraction: float | None
    problems_without: int | None
    headroom_without: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TrafficView:
    """All devices with counters, the most traffic first; the house with measured demand."""

    users: tuple[HeavyUser, ...]
    problems: int | None
    headroom: float | None
    text: str


def traffic_view(house: House, settings: Settings) -> TrafficView:
    """Who takes what under a setting, with measured demand in place of what was said. Without scanned air the traffic
    alone."""
    job = with_carried_demand(house.job)
    found = carried(job)
    if not found:
        return TrafficView(users=(), problems=None, headroom=None, text="no counters were read yet")
    measured = House(job)
    known = job.air_known and measured.levels_known and bool(job.nodes)
    now = evaluate(measured, settings) if known else None
    airtime, at = _airtime(measured, settings) if known else ({}, {})
    said = {d.id: d for d in house.job.devices}
    users = []
    for n, one in enumerate(found):
        without = None
        if known and n < MOST_WITHOUT:
            without = evaluate(measured.changed(_silent(measured, one.device_id)), settings)
        users.append(
            HeavyUser(
                carried=one,
                said_down_mbps=said[one.device_id].demand_down_mbps,
                said_up_mbps=said[one.device_id].demand_up_mbps,
                radio_id=at.get(one.device_id),
                airtime_fraction=airtime.get(one.device_id),
                problems_without=None if without is None else without.problems,
                headroom_without=None if without is None else without.headroom,
            )
        )
    first = users[0]
    text = f"{said[first.carried.device_id].name} carries {100 * first.carried.traffic_share:.0f} % of all traffic"
    if first.airtime_fraction is not None:
        text += f" and takes {100 * first.airtime_fraction:.0f} % of each second of {first.radio_id} in the busy hour"
    return TrafficView(
        users=tuple(users),
        problems=None if now is None else now.problems,
        headroom=None if now is None else now.headroom,
        text=text,
    )


def _silent(house: House, device_id: str) -> Job:
    devices = tuple(
        replace(d, demand_down_mbps=0.0, demand_up_mbps=0.0) if d.id == device_id else d for d in house.job.devices
    )
    return replace(house.job, devices=devices)


def _airtime(house: House, settings: Settings) -> tuple[dict[str, float], dict[str, str]]:
    """(airtime of each device at its radio, that radio)."""
    airtime, at = dict[str, float](), dict[str, str]()
    for radio in house.radios:
        if settings.of(radio.id).enabled:
            for load in radio_reasons(house, settings, radio.id).loads:
                if not load.is_link:
                    airtime[load.id], at[load.id] = load.need_fraction, radio.id
    return airtime, at
