"""The house over the day: each part of the day in which somebody listened, evaluated by what was heard then."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.propagation.stands import with_stand_places
from even_static.core.survey.air import air
from even_static.core.survey.other_sources import in_use

PARTS: Final[tuple[tuple[str, int, int], ...]] = (
    ("night", 0, 6),
    ("morning", 6, 12),
    ("afternoon", 12, 18),
    ("evening", 18, 24),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class PartOfDay:
    """A part of the day: scans and places heard in it, and the house's figures then (null where nobody listened).
    ``running``: other sources that are used in it."""

    name: str
    from_hour: int
    to_hour: int
    scans: int
    places: int
    problems: int | None
    headroom: float | None
    worst_zigbee_delivery: float | None
    busy_fraction: float | None
    running: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Day:
    """All parts, the worst one, and what the scans leave open in words."""

    parts: list[PartOfDay]
    worst: str | None
    text: str


def part_of(job: Job, name: str) -> House:
    """The house as it was heard in a part of the day."""
    _, low, high = next(p for p in PARTS if p[0] == name)
    return House(job, in_air=air(with_stand_places(job), hours=(low, high)), as_heard=True)


def heard_parts(job: Job) -> list[str]:
    """Parts of the day in which somebody listened."""
    hours = {at_the_house(job, li.heard_at).hour for li in job.scans}
    return [name for name, low, high in PARTS if any(low <= h < high for h in hours)]


def over_the_day(job: Job, settings: Settings) -> Day:
    """The house under a setting in every part of the day."""
    known = heard_parts(job)
    found, keys = [], {}
    for name, low, high in PARTS:
        then = [li for li in job.scans if low <= at_the_house(job, li.heard_at).hour < high]
        running = tuple(s.name for s in job.other_sources if any(in_use(s, h) for h in range(low, high)))
        if name not in known:
            found.append(
                PartOfDay(
                    name=name,
                    from_hour=low,
                    to_hour=high,
                    scans=0,
                    places=0,
                    problems=None,
                    headroom=None,
                    worst_zigbee_delivery=None,
                    busy_fraction=None,
                    running=running,
                )
            )
            continue
        house = part_of(job, name)
        figures = evaluate(house, settings)
        keys[name] = figures.rank.noticed
        on = [r.busy_fraction for r in figures.radios if r.enabled]
        places = len({li.place_id for li in then})
        found.append(
            PartOfDay(
                name=name,
                from_hour=low,
                to_hour=high,
                scans=len(then),
                places=places,
                problems=figures.problems,
                headroom=figures.headroom,
                worst_zigbee_delivery=figures.worst_zigbee_delivery,
                busy_fraction=max(on, default=0.0),
                running=running,
            )
        )
    worst = max(keys, key=lambda n: keys[n], default=None)
    return Day(found, worst, _told(known, worst, found))


def _told(known: list[str], worst: str | None, parts: list[PartOfDay]) -> str:
    if not known:
        return "nobody has listened yet"
    unheard = [p.name for p in parts if p.name not in known]
    if len(known) == 1:
        text = f"listened in one part of the day only, the {known[0]}: "
        return text + f"how it is in the {_listed(unheard)} is not known; listen once more when it is at its worst"
    text = f"the {worst} is worst"
    return text + (f"; the {_listed(unheard)} is not known" if unheard else "; every part of the day was heard")


def _listed(names: list[str]) -> str:
    return " and the ".join([", the ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
