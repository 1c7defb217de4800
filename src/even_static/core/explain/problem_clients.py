"""What ends the problems of single clients: minimum data rates, the network for gadgets, a small access point."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place, Radio, Uplink
from even_static.core.house.settings import DeviceBand, RadioSetting, Settings
from even_static.core.model.evaluate import evaluate, throttled
from even_static.core.model.evening import MINUTES, evening
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.propagation.coverage import coverage_of
from even_static.core.tables.channel_plans import ONE_SIX_ELEVEN
from even_static.core.tables.clients import (
    ADVISED_MINIMUM_MBPS,
    MINIMUM_RATE_SPARE_DB,
    MINIMUM_RATES_MBPS_DBM,
    SMALL_EIRP_DBM,
    STEADY_MBPS,
)
from even_static.core.tables.phy import BEACON_BYTES, BEACON_INTERVAL_US, PREAMBLE_US

SMALL_ID: Final = "small-point"


@dataclass(frozen=True, slots=True, kw_only=True)
class OnGadgetNetwork:
    """A device on the router's own network for gadgets: what it wants, what it gets (null where nobody measured), in
    words."""

    device_id: str
    wants_mbps: float
    gets_mbps: float | None
    throttled: bool
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MinimumRate:
    """A minimum data rate that a radio could be set to: airtime of its beacons at it, and the devices that it would
    lose."""

    radio_id: str
    rate_mbps: float
    beacons_fraction: float
    loses: tuple[str, ...]
    advised: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SmallPoint:
    """A small 2.4 GHz access point on a cable, with a name of its own for the devices that drop: where, on which
    channel, and the house's figures with it. ``better``: than without it."""

    place_id: str
    channel: int
    device_ids: tuple[str, ...]
    problems: int
    headroom: float | None
    worst_zigbee_delivery: float | None
    better: bool


def on_gadget_network(job: Job, settings: Settings) -> list[OnGadgetNetwork]:
    """Every device on the router's own network for gadgets, those that it throttles or may throttle first."""
    found = []
    for device in job.devices:
        if device.id not in settings.ssid_plan.device_network:
            continue
        wants = device.demand_down_mbps + device.demand_up_mbps
        slow = throttled(job, settings.ssid_plan, device)
        text = "carried"
        if slow:
            text = f"throttled: {job.device_network_mbps:g} of {wants:g} Mb/s; put it on the main SSID"
        elif job.device_network_mbps is None and wants >= STEADY_MBPS:
            text = "some routers throttle this network: run the link test on it before a camera stays there"
        found.append(
            OnGadgetNetwork(
                device_id=device.id, wants_mbps=wants, gets_mbps=job.device_network_mbps, throttled=slow, text=text
            )
        )
    return sorted(found, key=lambda g: (not g.throttled, g.text == "carried", -g.wants_mbps))


def minimum_rates(house: House, settings: Settings) -> list[MinimumRate]:
    """What each minimum data rate would cost and spare on every radio that is on. Advised is the highest up to 12 Mb/s
    that loses nobody with 5 dB in hand (common practice)."""
    state = radio_state(house, settings)
    found = []
    for i, radio in enumerate(house.radios):
        if not state.enabled[i]:
            continue
        options = []
        for rate, needs in MINIMUM_RATES_MBPS_DBM[radio.band != "2.4 GHz" :]:
            preamble = PREAMBLE_US["802.11b" if rate < 6 else "802.11g"]
            beacons = (preamble + 8 * BEACON_BYTES / rate) / BEACON_INTERVAL_US
            loses, close = [], False
            for client in state.clients[i]:
                level = min(client.level_down_dbm, client.level_up_dbm)
                old = client.generation == "802.11b" and rate >= 6
                if level < needs or old:
                    loses.append(client.id)
                close |= level < needs + MINIMUM_RATE_SPARE_DB
            options.append((rate, beacons, tuple(loses), not loses and not close and rate <= ADVISED_MINIMUM_MBPS))
        best = max((rate for rate, _, _, fits in options if fits), default=None)
        found += [
            MinimumRate(radio_id=radio.id, rate_mbps=rate, beacons_fraction=beacons, loses=loses, advised=rate == best)
            for rate, beacons, loses, _ in options
        ]
    return found


def small_points(house: House, settings: Settings, most: int = 3) -> list[SmallPoint]:
    """A small 2.4 GHz access point on a cable for the devices that drop, tried at their places and at cable drops, on
    channels 1, 6 and 11; best first. Empty where nothing drops, or the house does not say where things are."""
    job = house.job
    drop = tuple(t.device_id for t in evening(house, settings) if t.flaps or t.away_minutes > MINUTES // 10)
    devices = tuple(d for d in drop for device in job.devices if device.id == d and "2.4 GHz" in device.bands)
    router = next((n for n in job.nodes if n.uplink is None), None)
    if not devices or coverage_of(job) is None or router is None:
        return []
    now = evaluate(house, settings)
    found = []
    for place in _small_places(job, devices):
        there = house.changed(_with_small(job, place, router.id, devices))
        bands = [b for b in settings.ssid_plan.bands if b.device_id not in devices]
        bands += [DeviceBand(d, "2.4 GHz") for d in devices]
        names = replace(settings.ssid_plan, kind="one SSID plus a split pair", bands=tuple(bands))
        tried = []
        for channel in ONE_SIX_ELEVEN:
            mine = RadioSetting(radio_id=f"{SMALL_ID}.24", channel=channel, width_mhz=20, eirp_dbm=SMALL_EIRP_DBM)
            figures = evaluate(there, replace(settings, radios=(*settings.radios, mine), ssid_plan=names))
            tried.append((figures.rank.noticed, channel, figures))
        _, channel, best = min(tried, key=lambda t: (t[0], t[1]))
        better = (best.problems, -(best.headroom or 0)) < (now.problems, -(now.headroom or 0))
        found.append(
            SmallPoint(
                place_id=place.id,
                channel=channel,
                device_ids=devices,
                problems=best.problems,
                headroom=best.headroom,
                worst_zigbee_delivery=best.worst_zigbee_delivery,
                better=better,
            )
        )
    return sorted(found, key=lambda s: (s.problems, -(s.headroom or 0.0), s.place_id))[:most]


def _small_places(job: Job, devices: tuple[str, ...]) -> list[Place]:
    """Placed spots of those devices, and cable drops of the house."""
    wanted = {d.place_id for d in job.devices if d.id in devices}
    found = [p for p in job.places if p.id in wanted and p.x_m is not None and not p.outdoors]
    drops = [o for o in (job.building.outlets if job.building is not None else ()) if o.cable_drops and o.power]
    taken = {p.id for p in job.places}
    found += [
        Place(id=o.id, name=o.name, storey=o.storey, outdoors=False, x_m=o.x_m, y_m=o.y_m, height_m=1.2)
        for o in drops
        if o.id not in taken
    ]
    return found[:8]


def _with_small(job: Job, place: Place, router_id: str, devices: tuple[str, ...]) -> Job:
    ssid = f"{job.radios[0].ssid[:24]} things"
    radio = Radio(
        id=f"{SMALL_ID}.24",
        bssid="02:00:00:00:00:01",
        ssid=ssid,
        band="2.4 GHz",
        generation="802.11n",
        streams=2,
        widths_mhz=(20,),
        eirp_steps_dbm=(SMALL_EIRP_DBM,),
    )
    node = Node(
        id=SMALL_ID, name="small access point", place_id=place.id, radios=(radio,), uplink=Uplink(to_node_id=router_id)
    )
    places = job.places if any(p.id == place.id for p in job.places) else (*job.places, place)
    now = replace(
        job.settings,
        radios=(
            *job.settings.radios,
            RadioSetting(radio_id=radio.id, channel=1, width_mhz=20, eirp_dbm=SMALL_EIRP_DBM),
        ),
    )
    return replace(job, places=places, nodes=(*job.nodes, node), settings=now)
