"""The air of a house as measured: who is heard where, how loud and how busy, from the newest readings."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.house.building import Stand
from even_static.core.house.clock import at_the_house
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.settings import RadioSetting, setting_block
from even_static.core.propagation.coverage import coverage_of, instrument_offsets_db
from even_static.core.propagation.stands import place_point, stand_of, stand_then
from even_static.core.survey.other_sources import EnergyFigure, Others, energy_figures, others_of, with_unexplained
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.tables.phy import DEFAULT_USE_FRACTION, Modulation
from even_static.core.tables.propagation import UNHEARD_DBM


def newest_scans(
    job: Job,
    *,
    until: str | None = None,
    after: str | None = None,
    hours: tuple[int, int] | None = None,
    whole: bool = False,
) -> dict[tuple[str, Band], Scan]:
    """The newest scan for each (place, band), within a time span if one is given (ISO 8601, ends included), and
    within hours of the day (from, to; by the house's clock). ``whole`` leaves out those that hold own levels only."""
    low = datetime.fromisoformat(after) if after else None
    high = datetime.fromisoformat(until) if until else None
    newest: dict[tuple[str, Band], Scan] = {}
    for scan in sorted(job.scans, key=lambda li: datetime.fromisoformat(li.heard_at)):
        at = datetime.fromisoformat(scan.heard_at)
        fits = not (whole and scan.levels_only)
        fits &= hours is None or hours[0] <= at_the_house(job, scan.heard_at).hour < hours[1]
        if fits and (low is None or at >= low) and (high is None or at <= high):
            for band in scan.bands:
                newest[scan.place_id, band] = scan
    return newest


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Air:
    """Levels by network and place.

    ``networks``: the other networks, one reading each (the loudest); ``rssi_dbm``: shape (networks, places);
    ``use_fraction``: shape (networks,), broadcast or assumed; ``assumed``: where it is assumed; ``hour_load``: what of
    the busiest hour's traffic a household carries in the hour in which each was heard;
    ``own_rssi_dbm``: shape (radios, places) at the power in force then; ``own_eirp_dbm`` likewise that power;
    ``heard[band][p]``: whether a place was listened to in a band.
    """

    networks: tuple[Reading, ...]
    rssi_dbm: Floats
    use_fraction: Floats
    assumed: NDArray[np.bool_]
    hour_load: Floats
    own_rssi_dbm: Floats
    own_eirp_dbm: Floats
    heard: dict[Band, NDArray[np.bool_]]
    others: Others
    """Other 2.4 GHz sources."""
    sent_fraction: Floats | None = None
    """``use_fraction`` without what it holds of the house's own traffic, once that is known."""


def modulation_of(generation: str | None) -> Modulation:
    """Which mask a network's signal has."""
    return "dsss" if generation == "802.11b" else "ofdm"


@dataclass(frozen=True, slots=True)
class _Heard:
    """Other networks by BSSID: their newest reading (of equally new ones the loudest), its time, levels by place."""

    networks: dict[str, Reading]
    latest: dict[str, datetime]
    levels: dict[str, dict[int, float]]

    def take(self, reading: Reading, place: int, level_dbm: float, at: datetime) -> None:
        self.levels.setdefault(reading.bssid, {})[place] = level_dbm
        known = self.networks.get(reading.bssid)
        if known is None or (at, reading.level_dbm) > (self.latest[reading.bssid], known.level_dbm):
            self.networks[reading.bssid] = reading
            self.latest[reading.bssid] = at

    def table(self, places: int) -> tuple[tuple[Reading, ...], NDArray[np.float64]]:
        """(networks in order, their levels in dBm of shape (networks, places))."""
        ordered = tuple(sorted(self.networks.values(), key=lambda n: (n.band, n.channel, n.bssid)))
        rssi = np.full((len(ordered), places), UNHEARD_DBM)
        for k, network in enumerate(ordered):
            for p, level in self.levels[network.bssid].items():
                rssi[k, p] = level
        return ordered, rssi


def air(job: Job, until: str | None = None, hours: tuple[int, int] | None = None) -> Air:
    """The air as the newest readings up to a time (ISO 8601; none given means all) tell it; with ``hours`` as those
    within hours of the day tell it, and the others only where nobody listened then.

    Where the house has been entered, own levels at places that nobody listened at, and of nodes that have moved since,
    are predicted; without it such places take the mean over the places where somebody listened.
    """
    place_index = {p.id: i for i, p in enumerate(job.places)}
    radios = job.radios
    own = {r.bssid: i for i, r in enumerate(radios)}
    newest, whole = newest_scans(job, until=until), newest_scans(job, until=until, whole=True)
    if hours is not None:
        newest |= newest_scans(job, until=until, hours=hours)
        whole |= newest_scans(job, until=until, hours=hours, whole=True)
    heard: dict[Band, NDArray[np.bool_]] = {b: np.zeros(len(job.places), dtype=bool) for b in BANDS}
    own_rssi = np.full((len(radios), len(job.places)), UNHEARD_DBM)
    own_eirp = np.array([[job.settings.of(r.id).eirp_dbm] * len(job.places) for r in radios], dtype=np.float64)
    own_eirp = own_eirp.reshape(len(radios), len(job.places))
    offset_db = instrument_offsets_db(job)
    own_scan: dict[tuple[int, int], Scan] = {}
    others = _Heard({}, {}, {})
    for (place_id, band), scan in newest.items():
        p = place_index[place_id]
        heard[band][p] = True
        for reading in scan.readings:
            if reading.band != band:
                continue
            r = own.get(reading.bssid)
            if r is None or reading.rssi_dbm is None:
                continue
            own_rssi[r, p] = reading.rssi_dbm - offset_db.get(scan.instrument_id or "", 0.0)
            own_scan[r, p] = scan
            if scan.settings is not None:
                own_eirp[r, p] = scan.settings.of(radios[r].id).eirp_dbm
    heard_others = _take_others(job, whole, others, offset_db)
    ordered, rssi = others.table(len(job.places))
    near = _nearness(job)
    _fill_unmeasured(rssi, [n.band for n in ordered], heard_others, near)
    _fill_unmeasured(own_rssi, [r.band for r in radios], heard, near)
    _predict(job, own_rssi, own_scan, heard)
    assumed = np.array([n.channel_use_fraction is None for n in ordered], dtype=bool)
    use = np.array([_use(n) for n in ordered], dtype=np.float64)
    found = Air(
        networks=ordered,
        rssi_dbm=rssi,
        use_fraction=use,
        assumed=assumed,
        hour_load=np.array([HOURLY_LOAD[at_the_house(job, others.latest[n.bssid].isoformat()).hour] for n in ordered]),
        own_rssi_dbm=own_rssi,
        own_eirp_dbm=own_eirp,
        heard=heard,
        others=others_of(job, None if hours is None else hours[0]),
    )
    if not job.energy_scans:
        return found
    return replace(found, others=with_unexplained(found.others, explained_energy(job, found), job))


def _take_others(
    job: Job, whole: dict[tuple[str, Band], Scan], others: _Heard, offset_db: dict[str, float]
) -> dict[Band, NDArray[np.bool_]]:
    """Take over what whole scans heard of other networks; where they were listened for: by band, shape (places,).
    ``offset_db``: what each instrument reads more than the scanner."""
    own, place_index = {r.bssid for r in job.radios}, {p.id: i for i, p in enumerate(job.places)}
    heard: dict[Band, NDArray[np.bool_]] = {b: np.zeros(len(job.places), dtype=bool) for b in BANDS}
    for (place_id, band), scan in whole.items():
        p = place_index[place_id]
        heard[band][p] = True
        at = datetime.fromisoformat(scan.heard_at)
        for reading in scan.readings:
            if reading.band == band and reading.bssid not in own and reading.rssi_dbm is not None:
                others.take(reading, p, reading.rssi_dbm - offset_db.get(scan.instrument_id or "", 0.0), at)
    return heard


def _ever_set(job: Job, radio_id: str) -> set[RadioSetting]:
    """Everything that a radio is known to have been set to."""
    times = [job.settings, *(c.before for c in job.changes), *(c.after for c in job.changes)]
    times += [li.settings for li in job.scans if li.settings is not None]
    times += [job.sheet.before] if job.sheet is not None else []
    return {s for settings in times for s in settings.radios if s.radio_id == radio_id}


def explained_energy(job: Job, found: Air) -> list[EnergyFigure]:
    """The energy scans beside what is known to send at 2.4 GHz, own radios included: as they are set, and as they were
    set when somebody listened or changed something, since a scan may be from then."""
    known: list[tuple[str, int, Modulation, int, Floats]] = [
        (n.ssid or "a hidden network", n.centre_mhz, modulation_of(n.generation), n.width_mhz, level)
        for n, level in zip(found.networks, found.rssi_dbm, strict=True)
        if n.band == "2.4 GHz"
    ]
    for radio, level in zip(job.radios, found.own_rssi_dbm, strict=True):
        if radio.band == "2.4 GHz":
            for block in {setting_block(radio, s) for s in _ever_set(job, radio.id) if s.enabled}:
                known.append((f"own radio {radio.id}", block.centre_mhz, "ofdm", block.width_mhz, level))
    return energy_figures(job, known, found.others)


def _use(network: Reading) -> float:
    if network.channel_use_fraction is not None:
        return network.channel_use_fraction
    return DEFAULT_USE_FRACTION[network.band]


NEAR_M = 3.0


def _nearness(job: Job) -> Floats:
    """How much a place says about another, by the distance between them: shape (places, places); 1 where unknown."""
    at = [place_point(job, p) for p in job.places]
    near = np.ones((len(at), len(at)))
    for a, here in enumerate(at):
        for b, there in enumerate(at):
            if here is not None and there is not None:
                near[a, b] = np.exp(-np.linalg.norm(np.subtract(here, there)) / NEAR_M)
    return near


def _fill_unmeasured(rssi_dbm: Floats, bands: list[Band], heard: dict[Band, NDArray[np.bool_]], near: Floats) -> None:
    """Places that nobody listened at take the mean level over the places where somebody did, the near ones first."""
    for k, band in enumerate(bands):
        measured = heard[band]
        if measured.any() and not measured.all():
            weights = near[np.ix_(~measured, measured)] + 1e-9
            rssi_dbm[k, ~measured] = weights @ np.maximum(rssi_dbm[k, measured], -100.0) / weights.sum(axis=1)


def _predict(
    job: Job, own_rssi: Floats, own_scan: dict[tuple[int, int], Scan], heard: dict[Band, NDArray[np.bool_]]
) -> None:
    """Put predicted levels of own radios where nobody listened, and correct those of nodes that have moved since."""
    coverage = coverage_of(job)
    if coverage is None:
        return
    at = [place_point(job, p) for p in job.places]
    known = [p for p, point in enumerate(at) if point is not None]
    points = [point for point in at if point is not None]
    now = coverage.levels_at(points).level_dbm
    moved: dict[tuple[tuple[str, Stand], ...], Floats] = {}
    nodes = {n.id: n for n in job.nodes}
    for r, radio in enumerate(job.radios):
        node = job.node_of(radio.id)
        standing = stand_of(job, node)
        for column, p in enumerate(known):
            predicted = now[r, column]
            if np.isnan(predicted):
                continue
            scan = own_scan.get((r, p))
            if scan is None:
                if not heard[radio.band][p] or _moved_since(job, node, job.places[p].id, radio.band):
                    own_rssi[r, p] = predicted
                continue
            then = stand_then(job, scan, node)
            if then is None or then == standing:
                continue
            key = tuple((s.node_id, s.stand) for s in scan.stands or () if s.node_id in nodes)
            if key not in moved:
                moved[key] = coverage.levels_at(points, dict(key)).level_dbm
            own_rssi[r, p] = np.clip(own_rssi[r, p] + predicted - moved[key][r, column], -120.0, -5.0)


def _moved_since(job: Job, node: Node, place_id: str, band: Band) -> bool:
    """Whether a node stands elsewhere than when somebody last listened at a place and did not hear it."""
    scan = newest_scans(job).get((place_id, band))
    return scan is not None and stand_then(job, scan, node) != stand_of(job, node)
