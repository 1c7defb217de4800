"""The hub's log in the worlds: each Zigbee device fares as its reports did.

A localised particle filter: what is drawn of one device (its links, what it hears of Wi-Fi, its choice of parent) is
taken over from worlds in which its reports arrive as the log says. Devices hang on each other's routes, so that it is
done more than once.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.house.clock import at_the_house
from even_static.core.house.readings import ZigbeeReport
from even_static.core.tables import worlds as table
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.living import Living

ROUNDS = 2


def told_by_the_log(worlds: Worlds, reports: list[ZigbeeReport]) -> Worlds:
    """The worlds with devices as the hub's log has them; the worlds given stay as they are."""
    if not reports or worlds.house.job.settings.zigbee_channel is None:
        return worlds
    found, rng = worlds.taken(np.arange(worlds.count)), np.random.default_rng((worlds.seed, 13))
    house = worlds.house
    hours = {at_the_house(house.job, r.reported_at).hour for r in reports}
    for _ in range(ROUNDS):
        for hour in sorted(hours):
            living = Living(at_hour(found, hour))
            if living.mesh is None or not living.mesh.known:
                return worlds
            index = {name: i for i, name in enumerate(living.mesh.ids)}
            said = living.lived(house.job.settings, at_places=False).deliveries
            for report in reports:
                if report.device_id in index and at_the_house(house.job, report.reported_at).hour == hour:
                    d = index[report.device_id]
                    _take_over(found, d, _kept(_agrees(report, said[:, d - 1]), rng))
    return found


def _agrees(report: ZigbeeReport, said: Floats) -> Floats:
    """Log of how well each world agrees with a report (worlds,), by how far logits are apart."""
    share = (report.delivered + 0.5) / (report.sent + 1)
    error = np.hypot(1 / np.sqrt(report.sent * share * (1 - share) + 0.25), table.LOG_LOGIT)
    clipped = np.clip(said, 0.002, 0.9995)
    off = (np.log(clipped / (1 - clipped)) - np.log(share / (1 - share))) / error
    return np.asarray(-2.5 * np.log1p(off**2 / 4))


def _kept(agrees: Floats, rng: np.random.Generator) -> NDArray[np.intp]:
    """From which world each one takes a device: its own where that agrees, else one that does (worlds,)."""
    weight = np.exp(agrees - agrees.max())
    at = (rng.uniform() + np.arange(len(weight))) / len(weight)
    chosen = np.searchsorted(np.cumsum(weight / weight.sum()), at).clip(max=len(weight) - 1)
    counts = np.bincount(chosen, minlength=len(weight))
    rows = np.arange(len(weight))
    spare = np.repeat(rows, np.maximum(counts - 1, 0))
    rng.shuffle(spare)
    rows[counts == 0] = spare
    return rows.astype(np.intp)


def _take_over(worlds: Worlds, d: int, source: NDArray[np.intp]) -> None:
    link = worlds.mesh_link_db[source, d, :]
    worlds.mesh_link_db[:, d, :], worlds.mesh_link_db[:, :, d] = link, link
    worlds.mesh_seen_db[:, :, d] = worlds.mesh_seen_db[source, :, d]
    for rows in (worlds.mesh_less_db, worlds.mesh_clear_dbm, worlds.mesh_chip_db, worlds.mesh_again):
        rows[:, d] = rows[source, d]
