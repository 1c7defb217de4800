"""How busy the own radios find their channels, in the worlds: a factor for each radio's airtime and for each network.

What a radio's page shows moves the draws that lead to it by how they vary together over the worlds (an ensemble Kalman
update in logarithms, after Evensen 1994): what a second of the radio's own airtime carries, and how much the other
networks of its band send.
"""

from __future__ import annotations

from datetime import datetime

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.clock import at_the_house
from even_static.core.house.lists import ChannelUse
from even_static.core.model.daily import PARTS
from even_static.core.model.prepared_house import House
from even_static.core.survey.router_lists import since_set
from even_static.core.tables import worlds as table
from even_static.core.tables.bands import BANDS
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.living import Living
from even_static.core.worlds.reproduced import Reproduced, reproduced

# The update is linear and what it updates is not: it is made so often, each time with a part of the evidence.
ROUNDS = 2
# Uses count from here to there, and are off by so much of themselves at least.
LEAST_USE, MOST_ASKED, LEAST_ERROR = 0.03, 3.0, 0.3
# Draws are not moved further than this, as a factor.
MOST_FACTOR = 4.0


def newest_uses(house: House) -> list[ChannelUse]:
    """The newest use of each radio's channel in each part of the day, under the present settings."""
    job, newest = house.job, dict[tuple[str, str], ChannelUse]()
    since = since_set(job)
    for use in sorted(job.channel_uses, key=lambda u: datetime.fromisoformat(u.seen_at)):
        known = use.radio_id in house.radio_index and job.settings.of(use.radio_id).enabled
        if known and (since is None or datetime.fromisoformat(use.seen_at) >= since):
            hour = at_the_house(job, use.seen_at).hour
            newest[use.radio_id, next(name for name, low, high in PARTS if low <= hour < high)] = use
    return list(newest.values())


def told_by_channel_use(worlds: Worlds, uses: list[ChannelUse]) -> tuple[Worlds, tuple[Reproduced, ...]]:
    """The worlds with airtime as the radios' pages show it, and how well they say it then; the worlds given stay as
    they are."""
    if not uses:
        return worlds, ()
    measured = np.array([u.busy_fraction for u in uses])
    found, before = worlds.taken(np.arange(worlds.count)), _said(worlds, uses)
    said, rng = before, np.random.default_rng((worlds.seed, 12))
    for _ in range(ROUNDS):
        _move(found, uses, measured, said, rng)
        said = _said(found, uses)
    return found, tuple(
        reproduced(
            "channel use",
            use.radio_id,
            min(use.busy_fraction, table.FULL_USE),
            np.minimum(before[:, i], table.FULL_USE),
            np.minimum(said[:, i], table.FULL_USE),
            table.USE_ERROR,
        )
        for i, use in enumerate(uses)
    )


def _said(worlds: Worlds, uses: list[ChannelUse]) -> Floats:
    """What every world says of each use, above 1 where more is asked than there is: (worlds, uses)."""
    house, found = worlds.house, np.zeros((worlds.count, len(uses)))
    hours = [at_the_house(house.job, u.seen_at).hour for u in uses]
    for hour in set(hours):
        asked = Living(at_hour(worlds, hour)).lived(house.job.settings, at_places=False, zigbee=False).asked
        for i, use in enumerate(uses):
            if hours[i] == hour:
                found[:, i] = asked[:, house.radio_index[use.radio_id]]
    return found


def _move(worlds: Worlds, uses: list[ChannelUse], measured: Floats, said: Floats, rng: np.random.Generator) -> None:
    """Move every world's airtime towards what was measured, band by band, by one of :data:`ROUNDS` equal parts of the
    evidence."""
    house = worlds.house
    at = np.array([house.radio_index[u.radio_id] for u in uses], dtype=np.intp)
    error = np.maximum(table.USE_ERROR / np.maximum(measured, LEAST_USE), LEAST_ERROR) * np.sqrt(ROUNDS)
    seen = np.log(np.clip(said, LEAST_USE, MOST_ASKED))
    off = np.log(np.maximum(measured, LEAST_USE)) + rng.normal(0, 1, said.shape) * error - seen
    # A full channel shows no more than that it is full.
    off[(measured >= table.FULL_USE)[None, :] & (said >= table.FULL_USE)] = 0.0
    apart = seen - seen.mean(axis=0)
    for band in BANDS:
        here = np.flatnonzero([house.radios[r].band == band for r in at])
        if not len(here):
            continue
        mine = apart[:, here]
        spread = mine.T @ mine / worlds.count + np.diag(error[here] ** 2)
        step = off[:, here] @ np.linalg.inv(spread)
        use = worlds.foreign[band].use
        logs = np.log(np.maximum(use, 1e-4)).astype(np.float64)
        use[:] = np.minimum(use * np.exp(_moved(logs, mine, step)), table.MOST_DUTY)
        for day in (worlds.household_day, worlds.neighbours_day):
            day *= np.exp(_moved(np.log(day), mine, step))
        radios = np.unique(at[here])
        logs = np.log(worlds.efficiency[:, radios].astype(np.float64))
        worlds.efficiency[:, radios] *= np.exp(_moved(logs, mine, step)).astype(np.float32)


def _moved(logs: Floats, apart: Floats, step: Floats) -> Floats:
    """How far logarithms of draws (worlds, draws) move, by what is seen of them and how far that is off (worlds,
    uses)."""
    gain = (logs - logs.mean(axis=0)).T @ apart / len(logs)
    return np.asarray(np.clip(step @ gain.T, -np.log(MOST_FACTOR), np.log(MOST_FACTOR)))
