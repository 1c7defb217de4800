"""Why a figure is what it is: the contributors with their numbers, so that a screen can show the sum being made."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from even_static.core.airtime.frames import beacon_airtime_fraction
from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.arrays import Bools, Floats
from even_static.core.house.settings import Settings, setting_block
from even_static.core.model.evaluate import interference_between
from even_static.core.model.link_tables import LinkTable
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import RadioState, radio_state
from even_static.core.model.spectra import Spectra
from even_static.core.model.zigbee_mesh import MESHES, zigbee_mesh
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.propagation import UNHEARD_DBM

Effect = Literal["shares: decoded", "shares: energy", "noise", "unnoticed"]
NOTICED_DB = -10.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Interferer:
    """Another network as one radio meets it.

    ``coupling_db``: share of its power that falls into the radio's block; ``inside_dbm``: its level there;
    ``use_fraction``: channel use as it broadcasts it; ``counted_fraction``: what it sends itself in the busy hour, of
    that figure without what is others' and the household's own; ``assumed``: it does not broadcast its use.
    """

    bssid: str
    ssid: str
    channel: int
    width_mhz: int
    rssi_dbm: float
    coupling_db: float
    inside_dbm: float
    effect: Effect
    use_fraction: float
    counted_fraction: float
    assumed: bool
    wifi: bool = True
    """False for what is no network: an oven, a camera; ``ssid`` then names it."""


@dataclass(frozen=True, slots=True)
class OwnInterferer:
    """Another own radio: whether the two share a channel's airtime, and the airtime that it costs."""

    radio_id: str
    shares: bool
    costs_fraction: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Load:
    """One user of a radio: its demand, what a second carries for it, and the airtime it takes."""

    id: str
    name: str
    is_link: bool
    rssi_dbm: float
    down_mbps: float
    up_mbps: float
    carried_down_mbps: float
    carried_up_mbps: float
    need_fraction: float


@dataclass(frozen=True, slots=True, kw_only=True)
class RadioReasons:
    """The sum behind a radio's headroom: available = 1 - busy (never below the fair share); needed = the loads."""

    radio_id: str
    interferers: tuple[Interferer, ...]
    own: tuple[OwnInterferer, ...]
    loads: tuple[Load, ...]
    beacons_fraction: float
    busy_fraction: float
    busy_hour_factor: float
    """How many times as much others are taken to send in the busy hour as when they were heard; 1 by then."""
    fair_share_fraction: float
    available_fraction: float
    need_fraction: float
    headroom: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ZigbeeInterferer:
    """One interferer on a Zigbee hop: shares of attempts spoilt and of time in which the sender waits."""

    id: str
    name: str
    own: bool
    spoilt_fraction: float
    waiting_fraction: float

    @property
    def said(self) -> str:
        """What it does to the hop, in words; what rounds to nothing is left out."""
        spoils, waits = f"{self.spoilt_fraction:.0%}", f"{self.waiting_fraction:.0%}"
        words = [f"spoils {spoils} of the tries"] if spoils != "0%" else []
        words += [f"makes it wait {waits} of the time"] if waits != "0%" else []
        return " and ".join(words) or "spoils less than 1% of the tries"


@dataclass(frozen=True, slots=True, kw_only=True)
class ZigbeeReasons:
    """A Zigbee device's weakest matter: the hops it can use, each with delivery and interferers, worst first."""

    device_id: str
    via_id: str
    rssi_dbm: float
    hop_delivery: float
    delivery: float
    interferers: tuple[ZigbeeInterferer, ...]


def radio_reasons(house: House, settings: Settings, radio_id: str) -> RadioReasons:
    """Everything that makes one radio's headroom under a setting. KeyError for an unknown radio."""
    i = house.radio_index[radio_id]
    state = radio_state(house, settings)
    blocks = [setting_block(r, settings.of(r.id)) for r in house.radios]
    table = state.rows(i, [blocks[i]])
    on = [j for j in range(len(house.radios)) if state.enabled[j]]
    share, extra = interference_between(house, state, on, blocks)
    own = tuple(
        OwnInterferer(
            house.radios[j].id,
            bool(share[i, j]),
            float(state.rows(j, [blocks[j]]).need_fraction[0]) if share[i, j] else float(extra[i, j]),
        )
        for j in on
        if j != i and (share[i, j] or extra[i, j] > 1e-4)
    )
    need = float(table.need_fraction[0]) + float(extra[i].sum())
    shared = sum(o.costs_fraction for o in own if o.shares)
    available = float(table.available_fraction[0])
    return RadioReasons(
        radio_id=radio_id,
        interferers=_interferers(house, state, i, blocks[i]),
        own=own,
        loads=_loads(state, i, table),
        beacons_fraction=beacon_airtime_fraction(house.radios[i].band),
        busy_fraction=float(table.busy_fraction[0]),
        busy_hour_factor=busy_hour_factor(house, house.radios[i].band),
        fair_share_fraction=1 / (1 + float(table.contenders[0])),
        available_fraction=available,
        need_fraction=need,
        headroom=available / (need + shared) if state.enabled[i] and need + shared > 0 else None,
    )


def busy_hour_factor(house: House, band: Band | None = None) -> float:
    """How many times as much the other networks, of a band or of all, are taken to send in the busy hour as when they
    were heard."""
    bands = BANDS if band is None else (band,)
    then = sum(float(house.spectra(b).use[: len(house.in_band[b])].sum()) for b in bands)
    heard = sum(float(house.spectra(b, as_heard=True).use[: len(house.in_band[b])].sum()) for b in bands)
    return then / heard if heard > 0 else 1.0


def _loads(state: RadioState, radio: int, table: LinkTable) -> tuple[Load, ...]:
    """A radio's devices and links, the one that needs most airtime first."""
    loads = (
        Load(
            id=c.id,
            name=c.name,
            is_link=c.is_link,
            rssi_dbm=c.level_down_dbm,
            down_mbps=c.down_mbps,
            up_mbps=c.up_mbps,
            carried_down_mbps=float(table.client_goodput_down[0, k]),
            carried_up_mbps=float(table.client_goodput_up[0, k]),
            need_fraction=float(table.client_need[0, k]),
        )
        for k, c in enumerate(state.clients[radio])
    )
    return tuple(sorted(loads, key=lambda x: -x.need_fraction))


def _interferers(house: House, state: RadioState, i: int, block: Block) -> tuple[Interferer, ...]:
    """Networks and other sources that reach radio ``i`` on a block: those it waits for, then noise, then the rest."""
    place = house.radio_place[i]
    spectra = house.spectra(house.radios[i].band)
    decodes, energy, coupling = state.deference(i, [block])
    airtime, in_house = spectra.airtime(place), spectra.airtime(None)
    floor = noise_floor_dbm(block.width_mhz)
    found = []
    for k, network in enumerate(spectra.networks):
        level = float(spectra.rssi_dbm[k, place])
        if level <= UNHEARD_DBM:
            continue
        inside = level + float(coupling[0, k])
        effect: Effect = "unnoticed"
        if decodes[0, k]:
            effect = "shares: decoded"
        elif energy[0, k]:
            effect = "shares: energy"
        elif inside > floor + NOTICED_DB:
            effect = "noise"
        counted = airtime[k] if effect.startswith("shares") else in_house[k] if effect == "noise" else 0.0
        found.append(
            Interferer(
                bssid=network.bssid,
                ssid=network.ssid,
                channel=network.channel,
                width_mhz=network.width_mhz,
                rssi_dbm=level,
                coupling_db=float(coupling[0, k]),
                inside_dbm=inside,
                effect=effect,
                use_fraction=float(house.air.use_fraction[spectra.index[k]]),
                counted_fraction=float(counted),
                assumed=bool(spectra.assumed[k]),
            )
        )
    found += _others(spectra, place, coupling[0], energy[0], floor)
    order: dict[Effect, int] = {"shares: decoded": 0, "shares: energy": 1, "noise": 2, "unnoticed": 3}
    return tuple(sorted(found, key=lambda r: (order[r.effect], -r.counted_fraction, -r.inside_dbm)))


def _others(spectra: Spectra, place: int, coupling: Floats, energy: Bools, floor_dbm: float) -> list[Interferer]:
    """What is no network, one entry for each sender: the lines that a hopping one takes in turn are added up."""
    found: dict[str, Interferer] = {}
    rank = {"shares: energy": 0, "noise": 1, "unnoticed": 2}
    for k, (name, sender) in enumerate(zip(spectra.other_names, spectra.other_ids, strict=True), len(spectra.networks)):
        level, use = float(spectra.rssi_dbm[k, place]), float(spectra.use[k])
        inside = level + float(coupling[k])
        effect: Effect = "shares: energy" if energy[k] else "noise" if inside > floor_dbm + NOTICED_DB else "unnoticed"
        counted = 0.0 if effect == "unnoticed" else use
        before = found.get(sender)
        if before is not None:
            use, counted = use + before.use_fraction, counted + before.counted_fraction
            if (rank[before.effect], -before.inside_dbm) <= (rank[effect], -inside):
                found[sender] = replace(before, use_fraction=use, counted_fraction=counted)
                continue
        width = spectra.kinds[k][1]
        found[sender] = Interferer(
            bssid=sender,
            ssid=name,
            channel=0,
            width_mhz=width,
            rssi_dbm=level,
            coupling_db=float(coupling[k]),
            inside_dbm=inside,
            effect=effect,
            use_fraction=use,
            counted_fraction=counted,
            assumed=False,
            wifi=False,
        )
    return list(found.values())


def zigbee_reasons(house: House, settings: Settings, device_id: str) -> tuple[ZigbeeReasons, ...]:
    """The hops of a Zigbee device under a setting, best first, with what spoils each. KeyError for an unknown one."""
    state = radio_state(house, settings)
    channel = settings.zigbee_channel
    if channel is None and house.job.thread is not None:
        channel = house.job.thread.channel
    if channel is None or not house.mesh_channels:
        return ()
    terms = zigbee_mesh(state)
    device = terms.ids.index(device_id) if device_id in terms.ids else -1
    if device <= 0 or device in terms.roots:
        raise KeyError(device_id)
    base_ok, base_idle = terms.neighbours(channel)
    spectra = house.spectra("2.4 GHz")
    named = [*((n.bssid, n.ssid or "hidden network") for n in spectra.networks)]
    named += [*zip(spectra.other_ids, spectra.other_names, strict=True), (MESHES, "the house's other mesh")]
    parts = [(name, label, False, ok, idle) for (name, label), ok, idle in zip(named, base_ok, base_idle, strict=True)]
    for i, radio in enumerate(house.radios):
        if radio.band == "2.4 GHz" and state.enabled[i]:
            block = setting_block(radio, settings.of(radio.id))
            need = float(state.rows(i, [block]).need_fraction[0])
            parts.append((radio.id, radio.id, True, *terms.own(i, block, channel, need)))
    log_ok = np.sum([p[3] for p in parts], axis=0) if parts else np.zeros(len(terms.source))
    log_idle = np.sum([p[4] for p in parts], axis=0) if parts else np.zeros(len(terms.source))
    hops = terms.hop_deliveries(log_ok, log_idle)
    routed = terms.deliveries(log_ok, log_idle)
    found = []
    for e in np.flatnonzero(terms.target == device):
        # Both directions of a link have the worse one's delivery: show the interferers of that direction.
        back = (e + terms.links) % (2 * terms.links)
        worse = e if log_ok[e] + log_idle[e] <= log_ok[back] + log_idle[back] else back
        summed: dict[str, tuple[str, bool, float, float]] = {}
        for name, label, own, ok, idle in parts:
            _, _, log_spoilt, log_held = summed.get(name, (label, own, 0.0, 0.0))
            summed[name] = label, own, log_spoilt + float(ok[worse]), log_held + float(idle[worse])
        interferers = [
            ZigbeeInterferer(
                id=name,
                name=label,
                own=own,
                spoilt_fraction=abs(float(np.expm1(spoilt))),
                waiting_fraction=abs(float(np.expm1(held))),
            )
            for name, (label, own, spoilt, held) in summed.items()
            if -np.expm1(spoilt) > 1e-4 or -np.expm1(held) > 1e-4
        ]
        interferers.sort(key=lambda x: -(x.spoilt_fraction + x.waiting_fraction))
        found.append(
            ZigbeeReasons(
                device_id=device_id,
                via_id=terms.ids[terms.source[e]],
                rssi_dbm=float(10 * np.log10(terms.signal_mw[e])),
                hop_delivery=float(hops[e]),
                delivery=float(routed[terms.column(device)]),
                interferers=tuple(interferers),
            )
        )
    return tuple(sorted(found, key=lambda h: -h.hop_delivery))
