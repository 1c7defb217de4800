"""The margin of an own radio over the strongest interferer at a spot: one measure, for Walk and for Prove.

An interferer counts with what falls into the own radio's block (after coupling), so that a co-channel and an
adjacent-channel neighbour are compared on one scale; one that is weaker there than thermal noise is none.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.house.job import Job
from even_static.core.house.readings import Reading
from even_static.core.house.settings import Settings, setting_block
from even_static.core.spectrum.coupling import coupling_db
from even_static.core.survey.air import modulation_of
from even_static.core.tables.bands import Band


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """Of one band at a spot: the loudest own radio, the strongest interferer, and its level inside the own block.

    ``interferer`` is None where nothing foreign comes through the noise; ``floor_dbm`` is then the noise itself,
    in dBm.
    """

    own: Reading
    interferer: Reading | None
    floor_dbm: float

    @property
    def margin_db(self) -> float:
        """Own level over the strongest interferer, or over the noise where there is none, in dB."""
        return self.own.level_dbm - self.floor_dbm


def margin_of(job: Job, settings: Settings, readings: Iterable[Reading], band: Band) -> Margin | None:
    """The margin on a band in what was heard at a spot while the house was set so; None where no own radio was."""
    radios = {r.bssid: r for r in job.radios}
    heard = [r for r in readings if r.band == band and r.rssi_dbm is not None]
    own = max((r for r in heard if r.bssid in radios), key=lambda r: r.level_dbm, default=None)
    if own is None:
        return None
    block = setting_block(radios[own.bssid], settings.of(radios[own.bssid].id))

    def inside_dbm(r: Reading) -> float:
        offset = abs(r.centre_mhz - block.centre_mhz)
        lost = coupling_db(offset, modulation_of(r.generation), r.width_mhz, "ofdm", block.width_mhz)
        return r.level_dbm + float(lost)

    noise = noise_floor_dbm(block.width_mhz)
    foreign = [(inside_dbm(r), r) for r in heard if r.bssid not in radios]
    level, strongest = max(foreign, key=lambda entry: entry[0], default=(noise, None))
    return Margin(own=own, interferer=strongest if level > noise else None, floor_dbm=max(level, noise))
