"""SSID plans that fit a house: which devices are put on which band, and what a router can be told."""

from __future__ import annotations

from dataclasses import replace

from even_static.core.house.job import Job
from even_static.core.house.kit import Device
from even_static.core.house.settings import DeviceBand, Settings, SsidPlan, SsidPlanKind
from even_static.core.model.evaluate import throttled
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import CLIENT_HIGH_BAND_DBM


def ssid_choices(job: Job, levels: tuple[float | None, ...]) -> list[SsidPlan]:
    """The SSID plans that are compared: one SSID at each steering level, split SSIDs, and one SSID with a pair for
    the awkward devices (and their groups) at each level."""
    gadgets, closed = fitting_gadgets(job), job.settings.ssid_plan.backhaul_only
    found = [SsidPlan(high_band_from_dbm=v, device_network=gadgets, backhaul_only=closed) for v in levels]
    apart = paired_devices(job)
    if apart:
        pairs = tuple(DeviceBand(d.id, lowest_band(d)) for d in apart)
        kind: SsidPlanKind = "one SSID plus a split pair"
        pair = SsidPlan(kind, bands=pairs, device_network=gadgets, backhaul_only=closed)
        found += [replace(pair, high_band_from_dbm=v) for v in levels if v is not None]
    return found


def fitting_gadgets(job: Job) -> tuple[str, ...]:
    """The devices that may stay on the network for gadgets: all that it does not throttle."""
    names = job.settings.ssid_plan
    slow = {d.id for d in job.devices if throttled(job, names, d)}
    return tuple(d for d in names.device_network if d not in slow)


def lowest_band(device: Device) -> Band:
    """The lowest band that a device can use."""
    return min(device.bands, key=BANDS.index)


def paired_devices(job: Job) -> list[Device]:
    """Awkward devices, and whoever must be on one network with them and can be."""
    groups = {d.group_id for d in job.devices if d.awkward and d.group_id is not None}
    apart = [d for d in job.devices if d.awkward or d.group_id in groups]
    # A group is taken along whole, on a band that all of it can use; a band that nobody shares would tear it.
    shared = {g: set.intersection(*(set(d.bands) for d in job.devices if d.group_id == g)) for g in groups}
    return [d for d in apart if d.group_id not in groups or shared[d.group_id]]


def split_ssids(house: House, settings: Settings) -> SsidPlan:
    """A name for each band, each device on the best band that it receives well; groups together on a shared band."""
    job = house.job
    closed = settings.ssid_plan.backhaul_only
    state = radio_state(house, replace(settings, ssid_plan=SsidPlan(backhaul_only=closed)))
    wanted: dict[str, Band] = {}
    for d in job.devices:
        place = house.places[d.place_id]
        strong = [
            r.band
            for i, r in enumerate(house.radios)
            if r.band in d.bands and state.serves(i) and state.own_rssi_dbm[i, place] >= CLIENT_HIGH_BAND_DBM
        ]
        wanted[d.id] = max(strong, key=BANDS.index, default=lowest_band(d))
    for group in {d.group_id for d in job.devices if d.group_id is not None}:
        members = [d for d in job.devices if d.group_id == group]
        shared = set.intersection(*(set(d.bands) for d in members))
        if shared:
            # The band that suits the member that reaches least far.
            band = min((wanted[d.id] for d in members), key=BANDS.index)
            band = band if band in shared else min(shared, key=BANDS.index)
            wanted.update({d.id: band for d in members})
    bands = tuple(DeviceBand(d.id, wanted[d.id]) for d in job.devices)
    return SsidPlan("split SSIDs", bands=bands, device_network=fitting_gadgets(job), backhaul_only=closed)
