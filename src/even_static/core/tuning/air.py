"""The air of a house as measured: who is heard where, how loud and how busy, from the newest readings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from even_static.core.house.job import Job, Listen, Reading
from even_static.core.spectrum.channels import BANDS, Band
from even_static.core.tables.phy import DEFAULT_USE_FRACTION

Floats = NDArray[np.float64]
UNHEARD_DBM = -140.0


def newest_listens(job: Job, *, until: str | None = None, after: str | None = None) -> dict[tuple[str, Band], Listen]:
    """The newest listening for each (place, band), within a time span if one is given (ISO 8601, ends included)."""
    low = datetime.fromisoformat(after) if after else None
    high = datetime.fromisoformat(until) if until else None
    newest: dict[tuple[str, Band], Listen] = {}
    for listen in sorted(job.listens, key=lambda li: datetime.fromisoformat(li.heard_at)):
        at = datetime.fromisoformat(listen.heard_at)
        if (low is None or at >= low) and (high is None or at <= high):
            for band in listen.bands:
                newest[listen.place_id, band] = listen
    return newest


@dataclass(frozen=True, slots=True, eq=False)
class Air:
    """Levels by network and place.

    ``networks``: the other networks, one reading each (the loudest); ``rssi_dbm``: shape (networks, places);
    ``use_fraction``: shape (networks,), broadcast or assumed; ``assumed``: where it is assumed;
    ``own_rssi_dbm``: shape (radios, places) at the power in force then; ``own_eirp_dbm`` likewise that power;
    ``heard[band][p]``: whether a place was listened to in a band.
    """

    networks: tuple[Reading, ...]
    rssi_dbm: Floats
    use_fraction: Floats
    assumed: NDArray[np.bool_]
    own_rssi_dbm: Floats
    own_eirp_dbm: Floats
    heard: dict[Band, NDArray[np.bool_]]


def layered_use(rssi_dbm: Floats, use_fraction: Floats, assumed: NDArray[np.bool_], group: NDArray[np.intp]) -> Floats:
    """Airtime that each network adds to what louder networks on its primary channel already account for.

    A broadcast channel use (BSS Load) is that of the channel, not of the network alone, so networks on one primary
    channel are counted once: going from the loudest to the weakest, the group's airtime is the largest broadcast value
    so far or the sum of the assumed ones, whichever is more. All arrays have shape (networks,); so has the result, and
    its sum over a group never exceeds 1. Source: IEEE 802.11-2020 9.4.2.27 (from memory).
    """
    added = np.zeros_like(use_fraction)
    reached: dict[int, tuple[float, float]] = {}
    for k in np.argsort(-rssi_dbm, kind="stable"):
        broadcast, stated = reached.get(int(group[k]), (0.0, 0.0))
        before = max(broadcast, min(1.0, stated))
        if assumed[k]:
            stated += float(use_fraction[k])
        else:
            broadcast = max(broadcast, float(use_fraction[k]))
        reached[int(group[k])] = (broadcast, stated)
        added[k] = max(broadcast, min(1.0, stated)) - before
    return added


def air(job: Job, until: str | None = None) -> Air:
    """The air as the newest readings up to a time (ISO 8601; none given means all) tell it."""
    place_index = {p.id: i for i, p in enumerate(job.places)}
    radios = job.radios
    own = {r.bssid: i for i, r in enumerate(radios)}
    newest = newest_listens(job, until=until)
    heard: dict[Band, NDArray[np.bool_]] = {b: np.zeros(len(job.places), dtype=bool) for b in BANDS}
    own_rssi = np.full((len(radios), len(job.places)), UNHEARD_DBM)
    own_eirp = np.array([[job.settings.of(r.id).eirp_dbm] * len(job.places) for r in radios], dtype=np.float64)
    own_eirp = own_eirp.reshape(len(radios), len(job.places))
    networks: dict[str, Reading] = {}
    latest: dict[str, datetime] = {}
    levels: dict[str, dict[int, float]] = {}
    for (place_id, band), listen in newest.items():
        p = place_index[place_id]
        heard[band][p] = True
        at = datetime.fromisoformat(listen.heard_at)
        for reading in listen.readings:
            if reading.band != band:
                continue
            r = own.get(reading.bssid)
            if r is not None:
                own_rssi[r, p] = reading.rssi_dbm
                if listen.settings is not None:
                    own_eirp[r, p] = listen.settings.of(radios[r].id).eirp_dbm
                continue
            levels.setdefault(reading.bssid, {})[p] = reading.rssi_dbm
            known = networks.get(reading.bssid)
            if (
                known is None
                or at > latest[reading.bssid]
                or (at == latest[reading.bssid] and reading.rssi_dbm > known.rssi_dbm)
            ):
                networks[reading.bssid] = reading
                latest[reading.bssid] = at
    ordered = tuple(sorted(networks.values(), key=lambda n: (n.band, n.channel, n.bssid)))
    rssi = np.full((len(ordered), len(job.places)), UNHEARD_DBM)
    for k, network in enumerate(ordered):
        for p, level in levels[network.bssid].items():
            rssi[k, p] = level
    _fill_unmeasured(rssi, [n.band for n in ordered], heard)
    _fill_unmeasured(own_rssi, [r.band for r in radios], heard)
    assumed = np.array([n.channel_use_fraction is None for n in ordered], dtype=bool)
    use = np.array([_use(n) for n in ordered], dtype=np.float64)
    return Air(ordered, rssi, use, assumed, own_rssi, own_eirp, heard)


def _use(network: Reading) -> float:
    if network.channel_use_fraction is not None:
        return network.channel_use_fraction
    return DEFAULT_USE_FRACTION[network.band]


def _fill_unmeasured(rssi_dbm: Floats, bands: list[Band], heard: dict[Band, NDArray[np.bool_]]) -> None:
    """Places that nobody listened at take the mean level over the places where somebody did."""
    for k, band in enumerate(bands):
        measured = heard[band]
        if measured.any() and not measured.all():
            rssi_dbm[k, ~measured] = np.maximum(rssi_dbm[k, measured], -100.0).mean()
