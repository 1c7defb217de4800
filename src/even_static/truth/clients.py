"""Which radio each device really holds: by level, by its maker's taste, by habit, and by steering if it listens."""

from __future__ import annotations

import numpy as np

from even_static.core.arrays import Floats, Indices
from even_static.core.house.settings import Settings
from even_static.core.tables.bands import BANDS
from even_static.truth import ranges
from even_static.truth.house import TrueHouse
from even_static.truth.rates import options, spoken


def received(house: TrueHouse, settings: Settings) -> tuple[Floats, Floats]:
    """(level of each radio at each device, level of each device at each radio) in dBm, a body in the way included:
    shape (devices, radios)."""
    devices, radios = len(house.job.devices), len(house.radios)
    down, up = np.full((devices, radios), -200.0), np.full((devices, radios), -200.0)
    at = house.rows["devices"]
    for r, radio in enumerate(house.radios):
        loss = house.loss_db[radio.band][r, at]
        eirp = settings.of(radio.id).eirp_dbm
        down[:, r] = np.minimum(ranges.LOUDEST_DBM, eirp - loss - house.device_body)
        up[:, r] = np.minimum(ranges.LOUDEST_DBM, house.device_eirp - loss - house.device_body)
    return down, up


def homes(house: TrueHouse, settings: Settings, down: Floats, up: Floats) -> Indices:
    """The radio of each device, -1 for none: shape (devices,)."""
    names, job = settings.ssid_plan, house.job
    found = np.full(len(job.devices), -1, dtype=np.intp)
    enabled = [settings.of(r.id).enabled for r in house.radios]
    repeaters = {n.id for n in job.nodes if n.kind == "repeater"}
    for d, device in enumerate(job.devices):
        if device.wired_to_id is not None:
            continue
        own = names.band_of(device.id)
        usable = []
        for r, radio in enumerate(house.radios):
            closed = radio.link_only or radio.id in names.backhaul_only
            if not enabled[r] or closed or radio.band not in device.bands or own not in (None, radio.band):
                continue
            least = float(options(spoken(device.generation, radio.band), 20, 1, house.burst_us).half_dbm[0])
            if min(down[d, r] + house.device_chip[d], up[d, r]) >= least:
                usable.append(r)
        if not usable:
            continue
        steer = names.high_band_from_dbm if own is None else None
        known = None if device.radio_id is None or own is not None else house.radio_index[device.radio_id]
        if known in usable:
            found[d] = known
            continue
        if steer is not None and not house.deaf[d]:
            higher = [r for r in usable if house.radios[r].band != "2.4 GHz" and down[d, r] >= steer]
            usable = higher or usable
        near = [r for r in usable if job.node_of(house.radios[r].id).id not in repeaters] or usable
        found[d] = max(near, key=lambda r: wish(house, d, r, float(down[d, r])))
    return found


def wish(house: TrueHouse, device: int, radio: int, level_dbm: float) -> float:
    """How much a device wants a radio: its level, plus what its maker adds for the band while that is good."""
    band = BANDS.index(house.radios[radio].band)
    full, gone = ranges.TASTE_FULL_DBM, ranges.TASTE_GONE_DBM
    good = min(1.0, max(0.0, (level_dbm - gone) / (full - gone)))
    # Once a level is excellent more of it is no reason to choose.
    level = min(level_dbm, -45.0) + 0.3 * max(level_dbm + 45.0, 0.0)
    # A device clings to the radio that it joined in another room, as long as that one holds.
    clings = float(house.sticky[device]) if radio == house.habit[device] and level_dbm >= ranges.CLINGS_DBM else 0.0
    return level + float(house.taste[device, band]) * good + float(house.whim[device, radio]) + clings
