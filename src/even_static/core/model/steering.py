"""Names and steering: what each school would do here, from which level on to steer, and what clients do in an evening.

The three schools (common practice): one name, with or without steering; a name for each band; one name with a pair of
split names beside it for awkward devices. The steering level is where the higher band starts to carry more: the level
at which its goodput times its free airtime equals that of 2.4 GHz, spot by spot in this house.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field, replace
from typing import Final, Literal

import numpy as np

from even_static.core.airtime.rates import older, rate_steps
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio, Uplink
from even_static.core.house.settings import DeviceBand, Names, RadioSetting, Settings
from even_static.core.model.evaluate import Evaluation, evaluate, throttled
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.propagation.coverage import coverage_of
from even_static.core.survey.air import UNHEARD_DBM
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.channel_plans import ONE_SIX_ELEVEN
from even_static.core.tables.phy import BEACON_BYTES, BEACON_INTERVAL_US, CLIENT_HIGH_BAND_DBM, PREAMBLE_US

# A client looks round below this level, and moves for a gain of so much, in dBm and dB. Common practice (-70 to -75).
LOOKS_ROUND_DBM: Final = -73.0
MOVES_FOR_DB: Final = 8.0
# Fading from minute to minute, and while somebody walks with the device, in dB. Common practice.
FADE_DB, CARRIED_DB = 2.0, 5.0
# A steered client that does not follow is refused on the lower band for so long, in minutes. Common practice.
REFUSED_MIN: Final = 1
MINUTES: Final = 180
# So many changes of radio or drops in an evening are flapping.
FLAPS: Final = 4
STEP_DB: Final = 5.0
STEERING_BOUNDS_DBM: Final = (-80.0, -55.0)

Happened = Literal["joined", "roamed", "steered", "refused", "dropped"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SchoolResult:
    """What one school of naming does here, with the radios set alike."""

    school: str
    reason: str
    names: Names
    evaluation: Evaluation
    recommended: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Crossover:
    """From which level on a device is better off on a higher band at its spot: ``level_dbm`` there now."""

    device_id: str
    place_id: str
    high_band: Band
    crossover_dbm: float | None
    level_dbm: float
    better_high: bool


@dataclass(frozen=True, slots=True)
class SteeringAdvice:
    """The level to steer from, in the terms that boxes offer, or to leave it off."""

    high_band_from_dbm: float | None
    text: str
    crossovers: list[Crossover]


@dataclass(frozen=True, slots=True)
class Moment:
    """Something that happened to a client: in which minute, what, and which radio it holds afterwards."""

    minute: int
    what: Happened
    radio_id: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Timeline:
    """An evening of one client. ``away_minutes``: without any link; ``clung_minutes``: on a radio that another beat by
    8 dB or more; ``remedy``: what ends its problem, empty where it has none."""

    device_id: str
    moments: list[Moment]
    changes: int
    away_minutes: int
    clung_minutes: int
    flaps: bool
    clings: bool
    remedy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OnBand:
    """A band as a device meets it: whether it can use it and is there, the loudest own radio there with its level, and
    what a clear channel would carry (null where nothing is heard)."""

    band: Band
    can_use: bool
    holds: bool
    radio_id: str | None
    level_dbm: float | None
    clear_mbps: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Joining:
    """A line of the sheet "which device joins what", band by band."""

    device_id: str
    name: str
    band: Band | None
    radio_id: str | None
    level_dbm: float | None
    bands: tuple[OnBand, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class OnGadgetNetwork:
    """A device on the box's network for gadgets: what it wants, what it gets (null where nobody measured), in words."""

    device_id: str
    wants_mbps: float
    gets_mbps: float | None
    throttled: bool
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LeastRate:
    """A least rate that a radio could be set to: airtime of its beacons at it, and the devices that it would lose."""

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


@dataclass(frozen=True, slots=True, kw_only=True)
class NamesView:
    """Everything about names: the schools compared, the level to steer from, the sheet, and old rates that may go."""

    schools: list[SchoolResult]
    advice: SteeringAdvice
    joining: list[Joining]
    old_rates: str
    minutes: int = MINUTES
    timelines: list[Timeline] = field(default_factory=list)
    gadgets: list[OnGadgetNetwork] = field(default_factory=list)
    least_rates: list[LeastRate] = field(default_factory=list)
    small_points: list[SmallPoint] = field(default_factory=list)


def named_choices(job: Job, levels: tuple[float | None, ...]) -> list[Names]:
    """The ways of naming that are compared: one name at each steering level, split names, and one name with a pair for
    the awkward devices (and their groups) at each level."""
    gadgets = fitting_gadgets(job)
    found = [Names(high_band_from_dbm=v, device_network=gadgets) for v in levels]
    apart = paired_devices(job)
    if apart:
        pairs = tuple(DeviceBand(d.id, lowest_band(d)) for d in apart)
        found += [Names("one name and a split pair", v, pairs, gadgets) for v in levels if v is not None]
    return found


def fitting_gadgets(job: Job) -> tuple[str, ...]:
    """The devices that may stay on the network for gadgets: all that it does not throttle."""
    names = job.settings.names
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


def split_names(house: House, settings: Settings) -> Names:
    """A name for each band, each device on the best band that it receives well; groups together on a shared band."""
    job = house.job
    state = radio_state(house, replace(settings, names=Names()))
    wanted: dict[str, Band] = {}
    for d in job.devices:
        place = house.places[d.place_id]
        strong = [
            r.band
            for i, r in enumerate(house.radios)
            if r.band in d.bands and state.enabled[i] and state.own_rssi_dbm[i, place] >= CLIENT_HIGH_BAND_DBM
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
    return Names("split names", None, bands, fitting_gadgets(job))


def compare_schools(house: House, settings: Settings) -> list[SchoolResult]:
    """The three schools with these radios, the recommended one first. A school that the boxes cannot do is left out."""
    job = house.job
    advice = steering_level(house, settings).high_band_from_dbm
    steered = advice if advice is not None else CLIENT_HIGH_BAND_DBM
    can_steer = all(n.steering != "nothing" for n in job.nodes)
    gadgets = fitting_gadgets(job)
    tried = [("one name, no steering", "devices choose for themselves", Names(device_network=gadgets))]
    if can_steer:
        names = Names(high_band_from_dbm=steered, device_network=gadgets)
        tried.append(("one name with steering", f"moved up from {steered:.0f} dBm", names))
    tried.append(("split names", "each device is put on the band that suits its spot", split_names(house, settings)))
    apart = paired_devices(job)
    if apart and can_steer:
        pairs = tuple(DeviceBand(d.id, lowest_band(d)) for d in apart)
        names = Names("one name and a split pair", steered, pairs, gadgets)
        tried.append(("one name and a split pair", f"{len(apart)} awkward devices on a name of their own", names))
    found = [(name, why, names, evaluate(house, replace(settings, names=names))) for name, why, names in tried]
    # Of equals the simpler is taken: fewer names to know, no steering to go wrong.
    best = min(range(len(found)), key=lambda i: (found[i][3].rank.noticed, i))
    results = [
        SchoolResult(school=school, reason=why, names=names, evaluation=evaluation, recommended=i == best)
        for i, (school, why, names, evaluation) in enumerate(found)
    ]
    return sorted(results, key=lambda r: not r.recommended)


def steering_level(house: House, settings: Settings) -> SteeringAdvice:
    """The crossover of each device that can use a higher band, and the level that serves most of them.

    At the crossover the higher band's goodput at that level, times what is free on it, equals that of 2.4 GHz at the
    spot. Steps of 5 dB, -80 to -55 dBm, as boxes offer them.
    """
    job = house.job
    state = radio_state(house, settings)
    figures = evaluate(house, settings)
    free = {r.radio_id: r.available_fraction for r in figures.radios if r.enabled}
    found: list[Crossover] = []
    for d in job.devices:
        place = house.places[d.place_id]
        by_band: dict[Band, tuple[int, float]] = {}
        for i, r in enumerate(house.radios):
            level = float(state.own_rssi_dbm[i, place])
            heard = r.band in d.bands and state.enabled[i] and level > UNHEARD_DBM
            if heard and level > by_band.get(r.band, (0, -np.inf))[1]:
                by_band[r.band] = (i, level)
        high = max((b for b in by_band if b != "2.4 GHz"), key=BANDS.index, default=None)
        if high is None or "2.4 GHz" not in by_band:
            continue
        low_rate = _goodput(house, settings, d, *by_band["2.4 GHz"]) * free[house.radios[by_band["2.4 GHz"][0]].id]
        radio, level = by_band[high]
        grid = np.arange(-90.0, -29.0, 1.0)
        rates = np.array([_goodput(house, settings, d, radio, float(x)) for x in grid]) * free[house.radios[radio].id]
        enough = grid[rates >= low_rate]
        crossover = float(enough[0]) if len(enough) else None
        found.append(
            Crossover(
                device_id=d.id,
                place_id=d.place_id,
                high_band=high,
                crossover_dbm=crossover,
                level_dbm=level,
                better_high=crossover is not None and level >= crossover,
            )
        )
    levels = [c.crossover_dbm for c in found if c.crossover_dbm is not None]
    kinds = {n.steering for n in job.nodes}
    awkward = [d.name for d in job.devices if d.awkward]
    if not levels:
        return SteeringAdvice(None, "no device here could be moved up: leave steering off", found)
    # Steered from the level that suits three of four: lower, and devices at the edge would lose by it.
    raw = float(np.quantile(levels, 0.75))
    level = float(np.clip(np.ceil(raw / STEP_DB) * STEP_DB, *STEERING_BOUNDS_DBM))
    if "nothing" in kinds:
        return SteeringAdvice(None, "a box here gives no say: turn steering off, or split the names", found)
    text = f"move devices up from {level:.0f} dBm: there the higher band carries more for three of four"
    if kinds == {"on or off"}:
        text = f"steering can only be on or off; on suits where most spots have {level:.0f} dBm or better"
    if awkward:
        text += f"; not for {', '.join(awkward[:3])}{' and others' if len(awkward) > 3 else ''}: a name of their own"
    return SteeringAdvice(level, text, found)


def _goodput(house: House, settings: Settings, device: Device, radio: int, level_dbm: float) -> float:
    r = house.radios[radio]
    width = min(settings.of(r.id).width_mhz, device.max_width_mhz)
    steps = rate_steps(older(r.generation, device.generation), r.band, width, min(r.streams, device.streams))
    return float(steps.goodput(np.array(level_dbm)))


def joining(house: House, settings: Settings) -> list[Joining]:
    """Which device joins what."""
    state = radio_state(house, settings)
    found = []
    for d in house.job.devices:
        home = state.home[d.id]
        place = house.places[d.place_id]
        radio = house.radios[home] if home is not None else None
        level = float(state.own_rssi_dbm[home, place]) if home is not None else None
        own = settings.names.band_of(d.id)
        base = radio.ssid if radio is not None else (house.radios[0].ssid if house.radios else "")
        label = f"{base} {own.removesuffix(' GHz')}" if own is not None else base
        bands = tuple(_on_band(house, settings, d, band, radio) for band in BANDS)
        found.append(
            Joining(
                device_id=d.id,
                name=label,
                band=own,
                radio_id=radio.id if radio is not None else None,
                level_dbm=level,
                bands=bands,
            )
        )
    return found


def _on_band(house: House, settings: Settings, device: Device, band: Band, held: Radio | None) -> OnBand:
    state, place = radio_state(house, settings), house.places[device.place_id]
    here = [i for i, r in enumerate(house.radios) if r.band == band and state.enabled[i] and not r.link_only]
    best = max(here, key=lambda i: state.own_rssi_dbm[i, place], default=None)
    holds = held is not None and held.band == band
    if holds:
        best = house.radio_index[held.id] if held is not None else best
    if best is None or state.own_rssi_dbm[best, place] <= UNHEARD_DBM:
        return OnBand(
            band=band, can_use=band in device.bands, holds=holds, radio_id=None, level_dbm=None, clear_mbps=None
        )
    level = float(state.own_rssi_dbm[best, place])
    clear = _goodput(house, settings, device, best, level) if band in device.bands else None
    return OnBand(
        band=band,
        can_use=band in device.bands,
        holds=holds,
        radio_id=house.radios[best].id,
        level_dbm=level,
        clear_mbps=clear,
    )


def old_rates(job: Job) -> str:
    """Which old standards and slow rates may be switched off, given the devices. Common practice."""
    old = [d.name for d in job.devices if d.generation in ("802.11b",)]
    slow = [d.name for d in job.devices if d.generation in ("802.11g", "802.11a")]
    unknown = [d.name for d in job.devices if d.unknown]
    if old:
        return f"keep 1 and 2 Mb/s: {', '.join(old[:3])} needs them"
    said = "802.11b and the rates of 1, 2, 5.5 and 11 Mb/s may go: nothing on the list needs them"
    if slow:
        said += f"; keep 6 Mb/s and up for {', '.join(slow[:3])}"
    else:
        said += "; a least rate of 12 Mb/s keeps far clients from clinging"
    return said + (f". First ask what {', '.join(unknown[:2])} is" if unknown else "")


# -- an evening --------------------------------------------------------------------------------------------------


def evening(house: House, settings: Settings, seed: int = 1) -> list[Timeline]:
    """Three hours, minute by minute, of every client: joins, holds, looks round when weak, is steered, is refused.

    A client keeps its radio until it falls below -73 dBm and another is 8 dB better. A box with steering moves a client
    that can use a higher band there from its level on; a client whose lower band is held back (awkward ones, whatever
    their bands) drops for a minute and comes back, again and again. Levels fade by 2 dB, carried devices by 5 dB.
    """
    state = radio_state(house, settings)
    job, names = house.job, settings.names
    found = []
    for n, device in enumerate(job.devices):
        rng = random.Random(seed * 7919 + n)
        found.append(_client(house, state.own_rssi_dbm, state.enabled, device, names, rng))
    return found


def _client(
    house: House, levels: np.ndarray, enabled: list[bool], device: Device, names: Names, rng: random.Random
) -> Timeline:
    place = house.places[device.place_id]
    own = names.band_of(device.id)
    bands = (own,) if own is not None else device.bands
    usable = [i for i, r in enumerate(house.radios) if r.band in bands and enabled[i]]
    carried = device.generation in ("802.11ax", "802.11be") and device.streams > 1 and len(device.bands) > 1
    fade = CARRIED_DB if carried else FADE_DB
    least = house.least_dbm[house.job.devices.index(device)]
    steered_from = names.high_band_from_dbm if own is None else None
    moments: list[Moment] = []
    held: int | None = None
    refused_until, changes, away, clung = -1, 0, 0, 0
    drift = dict.fromkeys(usable, 0.0)
    for minute in range(MINUTES):
        for i in usable:
            drift[i] = 0.8 * drift[i] + rng.gauss(0, fade * 0.6)
        now = {i: float(levels[i, place]) + drift[i] for i in usable}
        alive = {i: v for i, v in now.items() if v >= least[i]}
        if held is not None and held not in alive:
            moments.append(Moment(minute, "dropped", None))
            held, changes = None, changes + 1
        if held is None:
            if minute < refused_until or not alive:
                away += 1
                continue
            held = _join(house, alive, steered_from)
            moments.append(Moment(minute, "joined", house.radios[held].id))
            continue
        radio = house.radios[held]
        best = max(alive, key=lambda i: alive[i])
        if alive[best] - alive[held] >= MOVES_FOR_DB and radio.band == house.radios[best].band:
            clung += 1
        if steered_from is not None and radio.band == "2.4 GHz":
            higher = [i for i in alive if house.radios[i].band != "2.4 GHz" and alive[i] >= steered_from]
            if device.awkward and rng.random() < 0.2:
                # Its probes on the band it knows go unanswered for a while: it takes that for a loss.
                moments.append(Moment(minute, "refused", None))
                held, refused_until, changes = None, minute + REFUSED_MIN, changes + 1
                continue
            if higher and not device.awkward:
                held, changes = max(higher, key=lambda i: alive[i]), changes + 1
                moments.append(Moment(minute, "steered", house.radios[held].id))
                continue
        if alive[held] < LOOKS_ROUND_DBM and alive[best] - alive[held] >= MOVES_FOR_DB:
            held, changes = best, changes + 1
            moments.append(Moment(minute, "roamed", house.radios[held].id))
    flaps = changes >= FLAPS
    clings = clung >= MINUTES // 3
    remedy = ""
    if flaps and device.awkward and steered_from is not None:
        remedy = "a name of its own on its band, or steering off"
    elif flaps and len(bands) > 1:
        remedy = "a split name on one band, or a steering level 5 dB further from its own"
    elif flaps:
        remedy = "a nearer node, or a small 2.4 GHz access point on a cable"
    elif clings:
        remedy = "a higher least rate on the far node, or lower power there"
    elif away > MINUTES // 10:
        remedy = "no node reaches it well: move one nearer"
    return Timeline(
        device_id=device.id,
        moments=moments,
        changes=changes,
        away_minutes=away,
        clung_minutes=clung,
        flaps=flaps,
        clings=clings,
        remedy=remedy,
    )


def _join(house: House, alive: dict[int, float], steered_from: float | None) -> int:
    wanted = CLIENT_HIGH_BAND_DBM if steered_from is None else steered_from
    for band in reversed(BANDS):
        here = [i for i in alive if house.radios[i].band == band]
        if here and max(alive[i] for i in here) >= wanted:
            return max(here, key=lambda i: alive[i])
    return max(alive, key=lambda i: alive[i])


def names_view(house: House, settings: Settings) -> NamesView:
    """All of it for one setting."""
    house = house.linked_by(settings.link_bands)
    return NamesView(
        schools=compare_schools(house, settings),
        advice=steering_level(house, settings),
        joining=joining(house, settings),
        old_rates=old_rates(house.job),
        minutes=MINUTES,
        timelines=evening(house, settings),
        gadgets=on_gadget_network(house.job, settings),
        least_rates=least_rates(house, settings),
        small_points=small_points(house, settings),
    )


# -- what ends it ------------------------------------------------------------------------------------------------

# A device that wants this much steadily suffers first where a network is throttled, in Mb/s. Common practice: a camera.
STEADY_MBPS: Final = 1.0
SMALL_EIRP_DBM: Final = 14.0
SMALL_ID: Final = "small-point"


def on_gadget_network(job: Job, settings: Settings) -> list[OnGadgetNetwork]:
    """Every device on the box's network for gadgets, those that it throttles or may throttle first."""
    found = []
    for device in job.devices:
        if device.id not in settings.names.device_network:
            continue
        wants = device.demand_down_mbps + device.demand_up_mbps
        slow = throttled(job, settings.names, device)
        text = "carried"
        if slow:
            text = f"throttled: {job.device_network_mbps:g} of {wants:g} Mb/s; give it the house's own name"
        elif job.device_network_mbps is None and wants >= STEADY_MBPS:
            text = "some boxes throttle this network: run the link test on it before a camera stays there"
        found.append(
            OnGadgetNetwork(
                device_id=device.id, wants_mbps=wants, gets_mbps=job.device_network_mbps, throttled=slow, text=text
            )
        )
    return sorted(found, key=lambda g: (not g.throttled, g.text == "carried", -g.wants_mbps))


def least_rates(house: House, settings: Settings) -> list[LeastRate]:
    """What each least rate would cost and spare on every radio that is on. Advised is the highest up to 12 Mb/s that
    loses nobody with 5 dB in hand (common practice)."""
    state = radio_state(house, settings)
    found = []
    for i, radio in enumerate(house.radios):
        if not state.enabled[i]:
            continue
        rates = ((1.0, -83.0), (6.0, -82.0), (12.0, -79.0), (24.0, -74.0))
        options = []
        for rate, needs in rates[radio.band != "2.4 GHz" :]:
            preamble = PREAMBLE_US["802.11b" if rate < 6 else "802.11g"]
            beacons = (preamble + 8 * BEACON_BYTES / rate) / BEACON_INTERVAL_US
            loses, close = [], False
            for client in state.clients[i]:
                level = min(client.level_down_dbm, client.level_up_dbm)
                old = client.generation == "802.11b" and rate >= 6
                if level < needs or old:
                    loses.append(client.id)
                close |= level < needs + 5
            options.append((rate, beacons, tuple(loses), not loses and not close and rate <= 12))
        best = max((rate for rate, _, _, fits in options if fits), default=None)
        found += [
            LeastRate(radio_id=radio.id, rate_mbps=rate, beacons_fraction=beacons, loses=loses, advised=rate == best)
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
        there = House(_with_small(job, place, router.id, devices))
        bands = [b for b in settings.names.bands if b.device_id not in devices]
        bands += [DeviceBand(d, "2.4 GHz") for d in devices]
        names = replace(settings.names, school="one name and a split pair", bands=tuple(bands))
        tried = []
        for channel in ONE_SIX_ELEVEN:
            mine = RadioSetting(radio_id=f"{SMALL_ID}.24", channel=channel, width_mhz=20, eirp_dbm=SMALL_EIRP_DBM)
            figures = evaluate(there, replace(settings, radios=(*settings.radios, mine), names=names))
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
