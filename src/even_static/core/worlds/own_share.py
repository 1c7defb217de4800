"""What broadcast channel use holds of the house's own traffic, taken out of what the neighbours send.

An access point broadcasts how busy it finds its channel, and hears the household's radios as they hear it: what they
sent while somebody scanned is in its figure, and would count twice.
"""

from __future__ import annotations

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.clock import at_the_house
from even_static.core.house.settings import setting_block
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.hours import at_hour
from even_static.core.worlds.links import soft
from even_static.core.worlds.living import Living

# A network keeps so much of its figure at least: it would not be on the air at all otherwise.
LEAST_KEPT = 0.15


def without_own(worlds: Worlds) -> Worlds:
    """The worlds with the neighbours' own share of what they broadcast; the worlds given stay as they are."""
    house = worlds.house
    if not house.job.scans or not house.job.radios:
        return worlds
    hours = [at_the_house(house.job, s.heard_at).hour for s in house.job.scans]
    hour = min(hours, key=lambda h: abs(HOURLY_LOAD[h] - float(np.mean([HOURLY_LOAD[x] for x in hours]))))
    duty = Living(at_hour(worlds, hour)).lived(house.job.settings, at_places=False, zigbee=False).duty
    found = worlds.taken(np.arange(worlds.count))
    for band in BANDS:
        foreign, spectra = found.foreign[band], house.spectra(band)
        told = np.flatnonzero(spectra.wifi & ~spectra.assumed)
        own = _own(worlds, duty, band)
        for group in np.unique(spectra.group[told]):
            rows = told[spectra.group[told] == group]
            share = (own[:, rows] * spectra.use[rows]).sum(axis=1) / max(float(spectra.use[rows].sum()), 1e-9)
            all_of_it = max(float(spectra.use[rows].max()), 1e-3)
            kept = np.clip(1 - share / all_of_it, LEAST_KEPT, 1.0)
            foreign.use[:, rows, :] *= kept.astype(np.float32)[:, None, None]
    return found


def _own(worlds: Worlds, duty: Floats, band: Band) -> Floats:
    """Share of each second in which each network of a band that was heard hears own radios, as loud as they hear it:
    (worlds, networks)."""
    house, settings, foreign = worlds.house, worlds.house.job.settings, worlds.foreign[band]
    found = np.zeros((worlds.count, foreign.heard))
    for r, radio in enumerate(house.radios):
        setting = settings.of(radio.id)
        if radio.band != band or not setting.enabled:
            continue
        on = setting_block(radio, setting).subchannels_mhz
        for n, network in enumerate(house.spectra(band).networks):
            if network.block.primary_mhz in on:
                found[:, n] += duty[:, r] * soft(foreign.at_radio_dbm[:, n, r] - worlds.preamble_dbm[:, 0])
    return found
