"""A report for the household with a technician's annex, built from a job that names no neighbour."""

from __future__ import annotations

from even_static.core.house.clock import by_the_house_clock, with_house_times
from even_static.core.house.job import Job
from even_static.core.house.masking import letters_of, masked
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.prove.before_after import prove
from even_static.core.prove.follow_up import after_care
from even_static.core.report import annex, household
from even_static.core.report.blocks import Report
from even_static.core.report.words import Known

PRACTICE_MARK = "Practice house: every reading in it is simulated"


def report(job: Job, now: str) -> Report:
    """The report of a job at a time (ISO 8601). Every neighbour goes by a letter; no password is in it."""
    letters = len(set(letters_of(job).values()))
    job = masked(with_house_times(job))
    now = by_the_house_clock(job, now)
    house = House(job)
    known = Known(
        job=job,
        house=house,
        figures=evaluate(house, job.settings) if job.nodes else None,
        proof=prove(job) if job.changes else None,
        care=after_care(job, now),
        now=now,
        place={p.id: p.name for p in job.places},
    )
    pages = [
        household.wrong(known),
        household.proposed(known),
        household.done(known),
        household.brought(known),
        household.leave_alone(known),
        household.if_it_comes_back(known),
    ]
    behind = [
        annex.settings_chapter(known),
        annex.kit(known),
        annex.standing(known),
        annex.air(known),
        annex.readings(known),
        annex.figures_chapter(known),
        annex.proof_chapter(known),
        annex.promise(known),
        annex.ab_tests(known),
        annex.works(known),
        annex.cautions(),
        annex.how(known),
    ]
    return Report(
        title=job.title,
        made_at=now,
        mark=PRACTICE_MARK if job.kind == "practice" else "",
        headline=household.headline(known),
        household=tuple(c for c in pages if c.blocks),
        annex=tuple(c for c in behind if c.blocks),
        letters=letters,
    )
