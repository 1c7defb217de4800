"""Which single measurement would most likely change the plan: what is not known well is drawn, one thing at a time, and
the plans that were found are weighed against each other in each drawing."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass, replace

import numpy as np

from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.rank import counted_headroom
from even_static.core.progress import OnProgress
from even_static.core.survey.air import Air
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.propagation import LOAD_SPREAD, READ_SPREAD_DB, UNHEARD_DBM, UNREAD_SPREAD_DB

DRAWING = "trying out what is not well known, one thing at a time"
DRAWS = 10
MOST_PLANS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Measurement:
    """Something that could be measured: what, where, in how many of the drawings another plan would then be the best,
    and the headroom that this would bring in the mean (counted to 3.5), or the problems that it would spare."""

    what: str
    place_id: str | None
    band: Band | None
    changes_plan: float
    spares_problems: float
    gains_headroom: float
    why: str


@dataclass(frozen=True, slots=True)
class MeasureNext:
    """Measurements, the one that would most likely change the plan first; ``text`` says it in a sentence."""

    measurements: list[Measurement]
    plans: int
    draws: int
    text: str


@dataclass(frozen=True, slots=True)
class _Unknown:
    what: str
    place: int | None
    band: Band | None
    why: str


def measure_next(
    house: House,
    plan: Settings,
    others: list[Settings],
    on_progress: OnProgress | None = None,
    *,
    seconds: float = math.inf,
) -> MeasureNext:
    """Weigh what could be measured against a plan and the others that were found (the best of them).

    ``on_progress`` is called now and then; what it returns False for ends it with what is known by then, as does the
    end of its time in ``seconds``.
    """
    deadline_s = time.monotonic() + seconds
    # What is better as measured was passed over in the drawn worlds: it is no rival that a reading brings up.
    mine = evaluate(house, plan).rank
    plans = [plan, *(o for o in dict.fromkeys(others) if evaluate(house, o).rank >= mine)]
    plans = [plan, *sorted((p for p in plans if p != plan), key=lambda p: evaluate(house, p).rank)[: MOST_PLANS - 1]]
    unknowns = _unknowns(house)
    found = []
    for n, unknown in enumerate(unknowns):
        if time.monotonic() > deadline_s or (
            on_progress is not None and on_progress(DRAWING, n / len(unknowns)) is False
        ):
            break
        found.append(_weighed(house, plans, unknown))
    found.sort(key=lambda m: (-m.changes_plan, -m.spares_problems, -m.gains_headroom, m.what))
    return MeasureNext(found, len(plans), DRAWS, _told(found, len(unknowns)))


def _unknowns(house: House) -> list[_Unknown]:
    """What could be listened to: each place in each band (read or not), and how busy a band is at another hour."""
    job, found = house.job, []
    used = {house.places[d.place_id] for d in job.devices} | set(house.radio_place)
    if job.zigbee is not None:
        used |= {house.places[job.zigbee.hub_place_id], *(house.places[d.place_id] for d in job.zigbee.devices)}
    present = [b for b in BANDS if any(r.band == b for r in house.radios)]
    for p in sorted(used):
        place = house.job.places[p]
        for band in present:
            read = bool(house.air.heard[band][p])
            why = "read once: levels move by 2 dB from day to day" if read else "nobody has listened there"
            found.append(_Unknown(f"listen at {place.name}, {band}", p, band, why))
    for band in present:
        if any(n.band == band for n in house.air.networks):
            found.append(
                _Unknown(
                    f"listen again at another hour, {band}", None, band, "how busy neighbours are then is not known"
                )
            )
    return found


def _weighed(house: House, plans: list[Settings], unknown: _Unknown) -> Measurement:
    changed, spared, gained = 0, 0.0, 0.0
    for seed in range(DRAWS):
        future = House(house.job, in_air=_drawn(house, unknown, seed))
        figures = [evaluate(future, p) for p in plans]
        keys = [f.rank.noticed for f in figures]
        best = min(range(len(plans)), key=lambda i: (keys[i], i))
        if keys[best] < keys[0]:
            changed += 1
            spared += figures[0].problems - figures[best].problems
            gained += counted_headroom(figures[best].headroom) - counted_headroom(figures[0].headroom)
    where = None if unknown.place is None else house.job.places[unknown.place].id
    return Measurement(
        what=unknown.what,
        place_id=where,
        band=unknown.band,
        changes_plan=changed / DRAWS,
        spares_problems=spared / DRAWS,
        gains_headroom=gained / DRAWS,
        why=unknown.why,
    )


def _drawn(house: House, unknown: _Unknown, seed: int) -> Air:
    """The air with only this unknown drawn anew."""
    air = house.air
    rng = np.random.default_rng(seed)
    networks = np.array([n.band == unknown.band for n in air.networks], dtype=bool)
    if unknown.place is None:
        factor = np.exp(rng.normal(0, LOAD_SPREAD, len(air.networks)))
        use = np.where(networks, np.clip(air.use_fraction * factor, 0.0, 0.98), air.use_fraction)
        sent = (
            None
            if air.sent_fraction is None
            else np.where(networks, np.minimum(air.sent_fraction * factor, use), air.sent_fraction)
        )
        return replace(air, use_fraction=use, sent_fraction=sent)
    assert unknown.band is not None
    p = unknown.place
    spread = READ_SPREAD_DB if air.heard[unknown.band][p] else UNREAD_SPREAD_DB
    rssi, own = air.rssi_dbm.copy(), air.own_rssi_dbm.copy()
    rows = networks & (rssi[:, p] > UNHEARD_DBM)
    rssi[rows, p] = np.minimum(rssi[rows, p] + rng.normal(0, spread, int(rows.sum())), -5.0)
    mine = np.array([r.band == unknown.band for r in house.radios], dtype=bool) & (own[:, p] > UNHEARD_DBM)
    own[mine, p] = np.minimum(own[mine, p] + rng.normal(0, spread, int(mine.sum())), -5.0)
    return replace(air, rssi_dbm=rssi, own_rssi_dbm=own)


def _told(found: list[Measurement], of: int) -> str:
    cut = f"; {len(found)} of {of} were looked into" if len(found) < of else ""
    if not found or found[0].changes_plan == 0:
        if cut:
            return f"none of those looked into would change the plan{cut}"
        return "no single measurement would change the plan: it can be applied"
    first = found[0]
    text = f"{first.what}: in {first.changes_plan:.0%} of the ways it may turn out, another plan is better"
    return f"{text} ({first.why}){cut}"
