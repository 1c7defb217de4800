"""SSIDs and steering: what each SSID plan would do here, and from which level on to steer.

The three plans (common practice): one SSID, with or without steering; an SSID for each band; one SSID with a split pair
beside it for awkward devices. The steering level is where the higher band starts to carry more: the level at which its
goodput times its free airtime equals that of 2.4 GHz, spot by spot in this house.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from even_static.core.airtime.rates import older, rate_steps
from even_static.core.explain.problem_clients import (
    MinimumRate,
    OnGadgetNetwork,
    SmallPoint,
    minimum_rates,
    on_gadget_network,
    small_points,
)
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Radio
from even_static.core.house.settings import DeviceBand, Settings, SsidPlan
from even_static.core.model.evaluate import evaluate
from even_static.core.model.evening import MINUTES, Timeline, evening
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.model.steering import fitting_gadgets, lowest_band, paired_devices, split_ssids
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.clients import STEERING_BOUNDS_DBM, STEP_DB
from even_static.core.tables.phy import CLIENT_HIGH_BAND_DBM
from even_static.core.tables.propagation import UNHEARD_DBM


@dataclass(frozen=True, slots=True, kw_only=True)
class SsidPlanResult:
    """What one SSID plan does here, with the radios set alike."""

    kind: str
    reason: str
    ssid_plan: SsidPlan
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
class SsidView:
    """Everything about names: the SSID plans compared, the level to steer from, the sheet, and old rates that may
    go."""

    ssid_plans: list[SsidPlanResult]
    advice: SteeringAdvice
    joining: list[Joining]
    old_rates: str
    minutes: int = MINUTES
    timelines: list[Timeline] = field(default_factory=list)
    gadgets: list[OnGadgetNetwork] = field(default_factory=list)
    minimum_rates: list[MinimumRate] = field(default_factory=list)
    small_points: list[SmallPoint] = field(default_factory=list)


def compare_ssid_plans(house: House, settings: Settings) -> list[SsidPlanResult]:
    """The three SSID plans with these radios, the recommended one first. A plan that the routers cannot do is left
    out."""
    job = house.job
    advice = steering_level(house, settings).high_band_from_dbm
    steered = advice if advice is not None else CLIENT_HIGH_BAND_DBM
    can_steer = all(n.steering != "nothing" for n in job.nodes)
    gadgets, closed = fitting_gadgets(job), settings.ssid_plan.backhaul_only
    alone = SsidPlan(device_network=gadgets, backhaul_only=closed)
    tried = [("one SSID, no steering", "devices choose for themselves", alone)]
    if can_steer:
        names = replace(alone, high_band_from_dbm=steered)
        tried.append(("one SSID with steering", f"moved up from {steered:.0f} dBm", names))
    tried.append(("split SSIDs", "each device is put on the band that suits its spot", split_ssids(house, settings)))
    apart = paired_devices(job)
    if apart and can_steer:
        pairs = tuple(DeviceBand(d.id, lowest_band(d)) for d in apart)
        names = replace(alone, kind="one SSID plus a split pair", high_band_from_dbm=steered, bands=pairs)
        tried.append(("one SSID plus a split pair", f"{len(apart)} awkward devices on an SSID of their own", names))
    found = [(name, why, names, evaluate(house, replace(settings, ssid_plan=names))) for name, why, names in tried]
    # Of equals the simpler is taken: fewer names to know, no steering to go wrong.
    best = min(range(len(found)), key=lambda i: (found[i][3].rank.noticed, i))
    results = [
        SsidPlanResult(kind=kind, reason=why, ssid_plan=names, evaluation=evaluation, recommended=i == best)
        for i, (kind, why, names, evaluation) in enumerate(found)
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
        return SteeringAdvice(None, "a node here gives no say: turn steering off, or split the SSIDs", found)
    text = f"move devices up from {level:.0f} dBm: there the higher band carries more for three of four"
    if kinds == {"on or off"}:
        text = f"steering can only be on or off; on suits where most spots have {level:.0f} dBm or better"
    if awkward:
        text += f"; not for {', '.join(awkward[:3])}{' and others' if len(awkward) > 3 else ''}: an SSID of their own"
    return SteeringAdvice(level, text, found)


def _goodput(house: House, settings: Settings, device: Device, radio: int, level_dbm: float) -> float:
    r = house.radios[radio]
    width = min(settings.of(r.id).width_mhz, device.widest_mhz(r.band))
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
        own = settings.ssid_plan.band_of(d.id)
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
    here = [i for i, r in enumerate(house.radios) if r.band == band and state.serves(i)]
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
        said += "; a minimum data rate of 12 Mb/s keeps far clients from being sticky"
    return said + (f". First ask what {', '.join(unknown[:2])} is" if unknown else "")


def ssid_view(house: House, settings: Settings) -> SsidView:
    """All of it for one setting."""
    house = house.linked(settings)
    return SsidView(
        ssid_plans=compare_ssid_plans(house, settings),
        advice=steering_level(house, settings),
        joining=joining(house, settings),
        old_rates=old_rates(house.job),
        minutes=MINUTES,
        timelines=evening(house, settings),
        gadgets=on_gadget_network(house.job, settings),
        minimum_rates=minimum_rates(house, settings),
        small_points=small_points(house, settings),
    )
