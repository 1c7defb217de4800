"""Levels that somebody reads off a device by eye and types: own radios and neighbours, in dBm, per cent or bars."""

from __future__ import annotations

import hashlib
import statistics
from dataclasses import dataclass, replace
from typing import Annotated

from annotated_types import Len

from even_static.core.errors import BadInput
from even_static.core.house.basics import Bssid, Channel, Timestamp
from even_static.core.house.job import Job
from even_static.core.house.readings import Reading, Scan, own_reading
from even_static.core.propagation.stands import stands_now
from even_static.core.spectrum.channels import block_for
from even_static.core.tables.bands import BANDS, Band, WidthMhz
from even_static.core.tables.levels_shown import (
    AT_0_PERCENT_DBM,
    BARS_DBM,
    BARS_SPREAD_DB,
    DB_A_PERCENT,
    PERCENT_SPREAD_DB,
    Unit,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """What a device showed, once or several times one after another."""

    values: Annotated[tuple[float, ...], Len(1, 60)]
    unit: Unit = "dBm"


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnShown:
    """An own radio, by its address, and what the device showed of it."""

    bssid: Bssid
    shown: Shown


@dataclass(frozen=True, slots=True, kw_only=True)
class NeighbourShown:
    """A neighbour's network as a device lists it: name, channel, and what it showed; a width where it tells one."""

    name: Annotated[str, Len(0, 128)]
    band: Band
    channel: Channel
    shown: Shown
    width_mhz: WidthMhz = 20


def level_shown(field: str, shown: Shown) -> tuple[float, float | None]:
    """(median level in dBm, how far it may be off in dB; None for what was shown in dBm).

    BadInput for a value that the unit does not have.
    """
    levels = []
    for i, value in enumerate(shown.values):
        if shown.unit == "dBm" and -120 <= value <= 0:
            levels.append(value)
        elif shown.unit == "%" and 0 <= value <= 100:
            levels.append(AT_0_PERCENT_DBM + DB_A_PERCENT * value)
        elif shown.unit == "bars" and value in BARS_DBM:
            levels.append(BARS_DBM[int(value)])
        else:
            accepted = {"dBm": "-120 to 0 dBm", "%": "0 to 100 %", "bars": "1 to 4 bars"}[shown.unit]
            raise BadInput(f"{field}.shown.values[{i}]", "must be a level in its unit", f"{value:g}", accepted)
    spread = {"dBm": None, "%": PERCENT_SPREAD_DB, "bars": BARS_SPREAD_DB}[shown.unit]
    return float(statistics.median(levels)), spread


def scan_typed(
    job: Job,
    key: str,
    place_id: str,
    heard_at: Timestamp,
    *,
    own: tuple[OwnShown, ...] = (),
    neighbours: tuple[NeighbourShown, ...] = (),
    instrument_id: str | None = None,
    running: str = "",
) -> Scan:
    """A scan of what was typed at a spot. A neighbour gets the address under which the call knows the network of that
    name on that channel, else a made-up one that stays the same. BadInput for an address that is not an own radio's,
    a channel that the band does not have, or nothing at all."""
    readings = [*_own(job, own), *_neighbours(job, neighbours)]
    if not readings:
        raise BadInput("own", "must hold a level, or neighbours must", "none", "one or more")
    found = [replace(r, first_heard_at=heard_at, last_heard_at=heard_at) for r in readings]
    return Scan(
        id=key,
        place_id=place_id,
        heard_at=heard_at,
        source="typed",
        came_from="typed",
        bands=tuple(b for b in BANDS if any(r.band == b for r in found)),
        readings=tuple({r.bssid: r for r in found}.values()),
        settings=job.settings,
        stands=stands_now(job),
        instrument_id=instrument_id,
        running=running,
        others_typed=bool(neighbours),
    )


def _own(job: Job, own: tuple[OwnShown, ...]) -> list[Reading]:
    radios = {r.bssid: r for r in job.radios}
    found = []
    for i, one in enumerate(own):
        radio = radios.get(one.bssid)
        if radio is None:
            raise BadInput(f"own[{i}].bssid", "must be an own radio's address", one.bssid, ", ".join(radios))
        level, spread = level_shown(f"own[{i}]", one.shown)
        reading = own_reading(radio, job.settings.of(radio.id), level)
        found.append(_counted(reading, one.shown, spread))
    return found


def _neighbours(job: Job, neighbours: tuple[NeighbourShown, ...]) -> list[Reading]:
    own = {r.bssid for r in job.radios}
    heard = (r for scan in job.scans for r in scan.readings if r.ssid and r.bssid not in own)
    known = {(r.ssid, r.band, r.channel): r.bssid for r in heard}
    found = []
    for i, one in enumerate(neighbours):
        field = f"neighbours[{i}]"
        level, spread = level_shown(field, one.shown)
        try:
            block = block_for(one.band, one.channel, one.width_mhz)
        except BadInput as error:
            raise BadInput(f"{field}.{error.field}", error.rule, error.received, error.accepted) from None
        reading = Reading(
            bssid=known.get((one.name, one.band, one.channel)) or _made_up(one),
            ssid=one.name,
            band=one.band,
            channel=one.channel,
            centre_mhz=block.centre_mhz,
            width_mhz=one.width_mhz,
            rssi_dbm=level,
        )
        found.append(_counted(reading, one.shown, spread))
    return found


def _counted(reading: Reading, shown: Shown, spread: float | None) -> Reading:
    return replace(reading, samples=len(shown.values), estimated=spread is not None, spread_db=spread)


def _made_up(neighbour: NeighbourShown) -> str:
    """An address for a network that shows none: locally administered (IEEE 802), the same for the same network."""
    said = f"{neighbour.name}\n{neighbour.band}\n{neighbour.channel}".encode()
    return ":".join(["02", "e9", *(f"{b:02x}" for b in hashlib.sha256(said).digest()[:4])])
