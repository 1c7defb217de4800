"""The household's own radios among what a scan heard: known by the network's name, told apart by where they are loud.

A radio has a made-up address until somebody tells the true one. Once the household's network is named, each radio takes
the heard network of that name on its band whose levels in all scans fit best to where its node stands: all of them
together (the assignment problem; Kuhn and Munkres, solved by scipy). One scan may not tell them apart: until something
is changed, each further one is asked again.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.basics import MADE_UP_ADDRESS
from even_static.core.house.boxes import free_addresses
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place, Radio
from even_static.core.house.readings import Reading
from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.propagation.loss import home_loss_db
from even_static.core.tables.bands import BANDS, Band

NOT_HEARD_DBM = -95.0
# Another room is so far away where nobody has said where it is, in m. Common practice.
ANOTHER_ROOM_M = 5.0
# Radios are told apart for certain where swapping any two fits worse by so much, in dB squared.
CERTAIN_DB2 = 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class HeardName:
    """A network's name as heard: how many radios send it on bands of this kit, the loudest level in dBm and where."""

    ssid: str
    radios: int
    loudest_dbm: float
    place_id: str


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundRadio:
    """A radio with the network that was taken for it."""

    radio_id: str
    bssid: str
    channel: int
    width_mhz: int
    level_dbm: float
    certain: bool
    """Whether the scans tell it from the kit's other radios; else a scan where each node stands would."""


def unnamed_radios(job: Job) -> list[Radio]:
    """Radios whose address nobody has told yet."""
    return [r for r in job.radios if r.bssid.startswith(MADE_UP_ADDRESS)]


def heard_names(job: Job) -> list[HeardName]:
    """Names that could be the household's, the loudest first; none once every radio's address is known or
    was heard."""
    own, heard = {r.bssid for r in job.radios}, {r.bssid for _, r in _heard(job)}
    wanted = {r.band for r in unnamed_radios(job) if r.bssid not in heard}
    # Once one radio is told, the others of the kit send the same names.
    told = {r.ssid for r in job.radios if not r.bssid.startswith(MADE_UP_ADDRESS)}
    sent: dict[str, dict[str, tuple[float, str]]] = {}
    for place_id, reading in _heard(job):
        ours = bool(reading.ssid) and (not told or reading.ssid in told)
        if reading.band in wanted and reading.bssid not in own and ours:
            known = sent.setdefault(reading.ssid, {})
            level = reading.level_dbm
            if reading.bssid not in known or level > known[reading.bssid][0]:
                known[reading.bssid] = (level, place_id)
    found = []
    for ssid, by_bssid in sent.items():
        level, place_id = max(by_bssid.values())
        found.append(HeardName(ssid=ssid, radios=len(by_bssid), loudest_dbm=level, place_id=place_id))
    return sorted(found, key=lambda n: (-n.loudest_dbm, n.ssid))


def with_own_name(job: Job, ssid: str) -> tuple[Job, tuple[FoundRadio, ...]]:
    """The job with its radios on the addresses, channels and widths that the network of a name was heard with.

    What was scanned under the settings of now was heard under these: it says so from then on. BadInput where nothing of
    that name was heard on a band of a radio without a known address.
    """
    radios = unnamed_radios(job)
    found = _told_apart(job, radios, ssid)
    if not found:
        few = ", ".join(n.ssid for n in heard_names(job)[:8]) or "none heard"
        raise BadInput("ssid", "must be a network that was heard on a band of a radio without an address", ssid, few)
    # The radios that nobody has heard yet send the same name, but for a repeater's, which has one of its own.
    silent = {r.id for n in job.nodes if n.kind != "repeater" for r in n.radios if r in radios}
    nodes = tuple(
        replace(n, radios=tuple(replace(r, ssid=ssid) if r.id in silent else r for r in n.radios)) for n in job.nodes
    )
    return _with(replace(job, nodes=nodes), found), found


def retold(job: Job) -> tuple[Job, tuple[FoundRadio, ...]]:
    """The job with its radios told apart by all that was scanned by now, and those that are other than before.

    Only radios whose address was taken from what was heard, or that nobody has heard yet beside such ones, and only as
    long as nothing was changed: from then on each stays what it is.
    """
    taken = [r for r in job.radios if r.taken_bssid is not None and r.taken_bssid == r.bssid]
    names = {r.ssid for r in taken}
    if len(names) != 1 or job.changes or job.sheet is not None:
        return job, ()
    radios = [*taken, *unnamed_radios(job)]
    was = {r.id: r.bssid for r in radios}
    found = tuple(f for f in _told_apart(job, radios, names.pop()) if was[f.radio_id] != f.bssid)
    return (_with(job, found), found) if found else (job, ())


def _told_apart(job: Job, radios: list[Radio], ssid: str) -> tuple[FoundRadio, ...]:
    """Which of the networks of a name each of these radios sends, band by band; each network is taken once."""
    from scipy.optimize import linear_sum_assignment

    node_of = {r.id: n for n in job.nodes for r in n.radios}
    others = {r.bssid for r in job.radios} - {r.bssid for r in radios}
    found: list[FoundRadio] = []
    for band in BANDS:
        mine = [r for r in radios if r.band == band]
        networks = _loudest(job, ssid, band, others)
        if not mine or not networks:
            continue
        names = sorted(networks)
        off = np.array([[_fits(job, node_of[r.id], r, b) for b in names] for r in mine])
        rows, columns = linear_sum_assignment(off)
        for i, j in zip(rows, columns, strict=True):
            reading = networks[names[j]]
            found.append(
                FoundRadio(
                    radio_id=mine[i].id,
                    bssid=reading.bssid,
                    channel=reading.channel,
                    width_mhz=reading.width_mhz,
                    level_dbm=reading.level_dbm,
                    certain=_certain(off, rows, columns, int(i)),
                )
            )
    return tuple(found)


def _with(job: Job, found: tuple[FoundRadio, ...]) -> Job:
    """The job with radios under the addresses that were found, set as they were heard. What has lost its address to
    another radio is without one again."""
    heard = {r.bssid: r for _, r in sorted(_heard(job), key=lambda entry: entry[1].level_dbm)}
    readings = {f.radio_id: heard[f.bssid] for f in found}
    given = {f.bssid for f in found}
    bare = {r.id for r in job.radios if r.bssid in given and r.id not in readings}
    addresses = iter(free_addresses(job))
    nodes = tuple(
        replace(
            n,
            radios=tuple(
                _taken(r, readings[r.id])
                if r.id in readings
                else replace(r, bssid=next(addresses), taken_bssid=None)
                if r.id in bare
                else r
                for r in n.radios
            ),
        )
        for n in job.nodes
    )
    before = job.settings
    job = replace(job, nodes=nodes, settings=_set(before, readings))
    # A scan from before a change knows what was set then: only what was set as now was heard as now.
    now = {r: before.of(r) for r in readings}
    scans = tuple(
        replace(s, settings=_set(s.settings, {r: x for r, x in readings.items() if s.settings.of(r) == now[r]}))
        if s.settings is not None
        else s
        for s in job.scans
    )
    return replace(job, scans=scans)


def _heard(job: Job) -> list[tuple[str, Reading]]:
    return [(scan.place_id, reading) for scan in job.scans for reading in scan.readings]


def _loudest(job: Job, ssid: str, band: str, others: set[str]) -> dict[str, Reading]:
    """The loudest reading of each network of a name on a band, by address; these others left out."""
    found = dict[str, Reading]()
    for _, reading in _heard(job):
        wanted = (reading.ssid, reading.band) == (ssid, band) and reading.bssid not in others
        if wanted and (reading.bssid not in found or reading.level_dbm > found[reading.bssid].level_dbm):
            found[reading.bssid] = reading
    return found


def _certain(off: Floats, rows: NDArray[np.intp], columns: NDArray[np.intp], radio: int) -> bool:
    """Whether swapping a radio's network with another's, or taking one that is left, fits clearly worse."""
    mine = int(columns[list(rows).index(radio)])
    others = [
        off[radio, j] + off[i, mine] - off[radio, mine] - off[i, j]
        for i, j in zip(rows, columns, strict=True)
        if i != radio
    ]
    left = [off[radio, j] - off[radio, mine] for j in range(off.shape[1]) if j not in set(columns)]
    return all(more >= CERTAIN_DB2 for more in (*others, *left))


def _fits(job: Job, node: Node, radio: Radio, bssid: str) -> float:
    """How badly a network fits a node, by every scan: squared dB between the level heard and the one that a radio at
    the node's place should have there (what was not heard is as weak as can be)."""
    heard = {at: r.level_dbm for at, r in _heard(job) if r.bssid == bssid}
    scanned = {s.place_id for s in job.scans if not s.levels_only}
    places = {p.id: p for p in job.places}
    there = places[node.place_id]
    eirp_dbm = job.settings.of(radio.id).eirp_dbm
    off = [
        max(heard.get(p, NOT_HEARD_DBM), NOT_HEARD_DBM) - _usual_dbm(there, places[p], radio.band, eirp_dbm)
        for p in scanned & places.keys()
    ]
    return float(np.mean(np.square(off))) if off else 0.0


def _usual_dbm(node: Place, spot: Place, band: Band, eirp_dbm: float) -> float:
    """A level as it usually is in a home, in dBm: by distance and floors where both are placed, else as a room away."""
    metres = 0.0 if node.id == spot.id else ANOTHER_ROOM_M
    if None not in (node.x_m, node.y_m, spot.x_m, spot.y_m):
        metres = math.dist((node.x_m or 0.0, node.y_m or 0.0), (spot.x_m or 0.0, spot.y_m or 0.0))
    return eirp_dbm - float(home_loss_db(band, metres, abs(node.storey - spot.storey)))


def _taken(radio: Radio, reading: Reading) -> Radio:
    """A radio under the heard address and name; a width that it was heard with is one that it offers."""
    widths = radio.widths_mhz if reading.width_mhz in radio.widths_mhz else (*radio.widths_mhz, reading.width_mhz)
    return replace(
        radio, bssid=reading.bssid, taken_bssid=reading.bssid, ssid=reading.ssid, widths_mhz=tuple(sorted(widths))
    )


def _set(settings: Settings, readings: dict[str, Reading]) -> Settings:
    """Settings with radios on the block that they were heard on."""

    def put(setting: RadioSetting) -> RadioSetting:
        heard = readings.get(setting.radio_id)
        if heard is None:
            return setting
        return replace(
            setting, channel=heard.channel, width_mhz=heard.width_mhz, centre_mhz=heard.centre_mhz, enabled=True
        )

    return replace(settings, radios=tuple(put(s) for s in settings.radios))
