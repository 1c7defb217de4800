"""One function that evaluates a setting of a house; planner, screens, report and command line all use it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.arrays import Bools, Floats
from even_static.core.house.job import Job
from even_static.core.house.kit import Device
from even_static.core.house.settings import Settings, SsidPlan, setting_block
from even_static.core.model.figures import DeviceFigures, Evaluation, Problem, RadioFigures, ZigbeeFigures, arriving
from even_static.core.model.link_tables import LinkTable
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import RadioState, radio_state
from even_static.core.model.rank import house_rank
from even_static.core.model.violations import count_changes, radio_violations, zigbee_violations
from even_static.core.model.zigbee_mesh import zigbee_mesh
from even_static.core.spectrum.channels import Block
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables import zigbee as zigbee_table

# A radio without any load has no headroom to speak of: it is shown as this much.
MOST_HEADROOM = 99.0


def _cut(headroom: float) -> float:
    """To two places, never up: what is short of 1 does not read as 1."""
    return math.floor(headroom * 100) / 100


def evaluate(job: Job | House, settings: Settings) -> Evaluation:
    """Evaluate a setting of a job. Pass a :class:`House` to reuse its tables.

    Unlawful or unsupported settings are evaluated too and say so; BadInput only where a setting makes no block at all.
    """
    house = job if isinstance(job, House) else House(job)
    house = house.linked(settings)
    state = radio_state(house, settings)
    radios = house.radios
    on = [i for i in range(len(radios)) if state.enabled[i]]
    blocks = [setting_block(r, settings.of(r.id)) for r in radios]
    balance = _balance(house, state, on, blocks)
    headroom = balance.headroom
    violations = tuple(v for r in radios for v in radio_violations(house.job, settings.of(r.id)))
    violations += zigbee_violations(house.job, settings)
    devices, problems = _devices(house, state, blocks, headroom)
    problems += _links(house, state, balance.tables, headroom)
    problems += ssid_problems(house.job, settings)
    sending = [(i, blocks[i], float(balance.need[i])) for i in on]
    zigbee = zigbee_figures(state, settings.zigbee_channel, sending)
    problems += _zigbee_problems(zigbee)
    worst = min(zigbee, key=lambda z: z.delivery, default=None)
    weakest = min((d for d in devices if d.snr_db is not None), key=lambda d: d.snr_db or 0.0, default=None)
    by_id = {d.id: d for d in house.job.devices}
    taken_airtime = np.array([balance.tables[i].taken_airtime[0] for i in on])
    changes = count_changes(house.job.settings, settings)
    tightest = min(on, key=lambda i: headroom[i], default=None)
    return Evaluation(
        lawful=not violations,
        violations=violations,
        problems=len(problems),
        problem_list=tuple(problems),
        headroom=None if tightest is None else float(headroom[tightest]),
        headroom_radio_id=None if tightest is None else radios[tightest].id,
        weakest_spot_place_id=by_id[weakest.device_id].place_id if weakest else None,
        weakest_spot_device_id=weakest.device_id if weakest else None,
        weakest_spot_snr_db=weakest.snr_db if weakest else None,
        weakest_spot_rssi_dbm=weakest.rssi_dbm if weakest else None,
        worst_zigbee_delivery=worst.delivery if worst else None,
        worst_zigbee_device_id=worst.device_id if worst else None,
        airtime_from_neighbours_fraction=float(taken_airtime.sum()),
        changes=changes,
        radios=_radio_figures(house, state, blocks, balance),
        devices=tuple(devices),
        zigbee=zigbee,
        rank=house_rank(
            len(violations),
            len(problems),
            headroom[on],
            1.0 if worst is None else worst.delivery,
            changes,
            taken_airtime,
            len(radios),
        ),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Balance:
    """Each radio's airtime: link tables of one row, then arrays of shape (radios,) of fractions of a second.

    ``share`` (radios, radios) is True where two own radios share a channel; ``need`` is without and ``own_need`` with
    own radios' interference.
    """

    tables: list[LinkTable]
    share: Bools
    need: Floats
    own_need: Floats
    shared: Floats
    available: Floats
    headroom: Floats


def _balance(house: House, state: RadioState, on: list[int], blocks: list[Block]) -> _Balance:
    tables = [state.row(i, blocks[i]) for i in range(len(house.radios))]
    share, extra = interference_between(house, state, on, blocks)
    need = np.array([t.need_fraction[0] for t in tables])
    available = np.array([t.available_fraction[0] for t in tables])
    own_need = need + extra.sum(axis=1)
    shared = share @ need
    with np.errstate(divide="ignore", invalid="ignore"):
        headroom = np.where(own_need + shared > 0, available / (own_need + shared), np.inf)
    return _Balance(
        tables=tables,
        share=share,
        need=need,
        own_need=own_need,
        shared=shared,
        available=available,
        headroom=np.minimum(headroom, MOST_HEADROOM),
    )


def _radio_figures(house: House, state: RadioState, blocks: list[Block], balance: _Balance) -> tuple[RadioFigures, ...]:
    tables, headroom = balance.tables, balance.headroom
    return tuple(
        RadioFigures(
            radio_id=r.id,
            channel=blocks[i].channel,
            width_mhz=blocks[i].width_mhz,
            centre_mhz=blocks[i].centre_mhz,
            enabled=state.enabled[i],
            dfs=_dfs(house, i, blocks[i]),
            devices=sum(not c.is_link for c in state.clients[i]),
            defers_to=_defers_to(state, i, blocks[i]) + int(balance.share[i].sum()),
            busy_fraction=float(tables[i].busy_fraction[0]),
            available_fraction=float(balance.available[i]),
            need_fraction=float(balance.own_need[i]),
            shared_fraction=float(balance.shared[i]),
            headroom=float(headroom[i]) if state.enabled[i] else None,
            noise_rise_db=float(tables[i].noise_rise_db[0]),
            airtime_from_neighbours_fraction=float(tables[i].taken_airtime[0]),
        )
        for i, r in enumerate(house.radios)
    )


def _zigbee_problems(zigbee: tuple[ZigbeeFigures, ...]) -> list[Problem]:
    wanted = zigbee_table.WANTED_DELIVERY
    return [
        Problem("zigbee", z.device_id, f"{arriving(z.delivery)} of its reports arrive, {arriving(wanted)} wanted")
        for z in zigbee
        if z.delivery < wanted
    ]


def interference_between(
    house: House, state: RadioState, on: list[int], blocks: list[Block]
) -> tuple[np.ndarray, np.ndarray]:
    """(share, extra) of all pairs of radios: whether they share a budget, and the need that b adds to a: (a, b)."""
    n = len(house.radios)
    share = np.zeros((n, n), dtype=bool)
    extra = np.zeros((n, n))
    group_of = {r: i for i, group in enumerate(house.link_groups(on)) for r in group}
    for x, a in enumerate(on):
        for b in on[x + 1 :]:
            if house.radios[a].band != house.radios[b].band:
                continue
            together, more_a, more_b = state.mutual_interference(a, blocks[a], b, blocks[b])
            if group_of[a] == group_of[b] and blocks[a] == blocks[b]:
                together, more_a, more_b = True, 0.0, 0.0
            share[a, b] = share[b, a] = together
            extra[a, b], extra[b, a] = more_a, more_b
    return share, extra


def zigbee_figures(
    state: RadioState, channel: int | None, wifi: list[tuple[int, Block, float]]
) -> tuple[ZigbeeFigures, ...]:
    """Delivery of every Zigbee device on a channel under own radios given as (radio, block, duty)."""
    if channel is None and state.house.job.thread is not None:
        channel = state.house.job.thread.channel
    if channel is None or not state.house.mesh_channels:
        return ()
    terms = zigbee_mesh(state)
    base_ok, base_idle = terms.neighbours(channel)
    log_ok, log_idle = base_ok.sum(axis=0), base_idle.sum(axis=0)
    for radio, block, duty in wifi:
        if block.band == "2.4 GHz":
            ok, idle = terms.own(radio, block, channel, duty)
            log_ok, log_idle = log_ok + ok, log_idle + idle
    delivered = terms.deliveries(log_ok, log_idle)
    return tuple(ZigbeeFigures(terms.ids[i], float(d)) for i, d in zip(terms.devices, delivered, strict=True))


def _defers_to(state: RadioState, radio: int, block: Block) -> int:
    decodes, energy, _ = state.deference(radio, [block])
    return int(np.count_nonzero((decodes | energy)[0] & state.house.spectra(block.band).wifi))


def _dfs(house: House, radio: int, block: Block) -> bool:
    lawful = lawful_block(house.job.country, block)
    return lawful is not None and lawful.dfs


def _devices(
    house: House, state: RadioState, blocks: list[Block], headroom: np.ndarray
) -> tuple[list[DeviceFigures], list[Problem]]:
    figures, problems = [], []
    for device in house.job.devices:
        home = state.home[device.id]
        place = house.places[device.place_id]
        measured = any(bool(house.air.heard[b][place]) for b in device.bands)
        where = house.job.places[place].name
        if device.wired_to_id is not None:
            figures.append(
                DeviceFigures(
                    device_id=device.id, radio_id=None, rssi_dbm=None, snr_db=None, carried=True, measured=True
                )
            )
            continue
        if home is None:
            figures.append(
                DeviceFigures(
                    device_id=device.id, radio_id=None, rssi_dbm=None, snr_db=None, carried=False, measured=measured
                )
            )
            if house.levels_known:
                problems.append(Problem("no link", device.id, f"has no link at {where}"))
            continue
        radio = house.radios[home]
        k = next(i for i, c in enumerate(state.clients[home]) if c.id == device.id and not c.is_link)
        terms = state.row(home, blocks[home])
        client = state.clients[home][k]
        linked = bool(terms.client_goodput_down[0, k] > 0 and terms.client_goodput_up[0, k] > 0)
        carried = linked and bool(headroom[home] >= 1)
        rise = state.mean_rise_db(home, blocks[home], place)
        level = client.level_down_dbm
        snr = level - noise_floor_dbm(20) - rise
        figures.append(
            DeviceFigures(
                device_id=device.id, radio_id=radio.id, rssi_dbm=level, snr_db=snr, carried=carried, measured=measured
            )
        )
        if not linked:
            problems.append(Problem("no link", device.id, f"has no link at {where}"))
        elif not carried and device.must_have and device.demand_down_mbps + device.demand_up_mbps > 0:
            share = f"{_cut(float(headroom[home])):.2f} of the airtime it needs"
            problems.append(Problem("not carried", device.id, f"its radio {radio.id} has {share}"))
    planned = {d.id for d in house.job.devices if d.planned}
    marked = [replace(p, text=f"{p.text}; it is not bought yet") if p.subject_id in planned else p for p in problems]
    return figures, marked


def ssid_problems(job: Job, settings: Settings) -> list[Problem]:
    """Problems that SSIDs and steering alone make: devices that drop off when steered, groups torn apart."""
    names, found = settings.ssid_plan, []
    on_own_name = {b.device_id: b.band for b in names.bands}
    steered = names.high_band_from_dbm is not None
    for device in job.devices:
        if device.awkward and steered and device.id not in on_own_name:
            found.append(Problem("flaps", device.id, "drops off and comes back where it is steered"))
    for device in job.devices:
        if throttled(job, names, device):
            wants = device.demand_down_mbps + device.demand_up_mbps
            text = f"wants {wants:g} Mb/s, the network for gadgets lets {job.device_network_mbps:g} through"
            found.append(Problem("throttled", device.id, text))
    groups: dict[str, set[str]] = {}
    for device in job.devices:
        if device.group_id is not None:
            groups.setdefault(device.group_id, set()).add(on_own_name.get(device.id, "the shared SSID"))
    for group, joined in groups.items():
        if len(joined) > 1:
            found.append(Problem("torn", group, f"its devices join {' and '.join(sorted(joined))}"))
    return found


def throttled(job: Job, names: SsidPlan, device: Device) -> bool:
    """Whether a device is on a network for gadgets that is known to let less through than it wants."""
    wants = device.demand_down_mbps + device.demand_up_mbps
    limit = job.device_network_mbps
    return limit is not None and device.id in names.device_network and wants > limit


def _links(house: House, state: RadioState, terms: list[LinkTable], headroom: np.ndarray) -> list[Problem]:
    """Radio links that are down, off or overloaded, and the must-have devices behind each: those are not carried."""
    problems = []
    behind = _behind(house, state)
    linked: set[str] = set()
    for i, clients in enumerate(state.clients):
        for k, client in enumerate(clients):
            if not client.is_link:
                continue
            linked.add(client.id)
            if not (terms[i].client_goodput_down[0, k] > 0 and terms[i].client_goodput_up[0, k] > 0):
                problems.append(Problem("no link", client.id, f"the radio {client.name} is down"))
                problems += [
                    Problem("cut off", d, f"behind the {client.name}, which is down") for d in behind[client.id]
                ]
            elif headroom[i] < 1 and client.down_mbps + client.up_mbps > 0:
                text = f"the radio {client.name} has {_cut(float(headroom[i])):.2f} of the airtime it needs"
                problems.append(Problem("not carried", client.id, text))
                slow = f"behind the {client.name}, which is overloaded"
                problems += [Problem("cut off", d, slow) for d in behind[client.id]]
    for node, _, _, _ in house.links:
        name = house.job.nodes[node]
        if name.id not in linked:
            problems.append(Problem("no link", name.id, f"the radio link to {name.name} has an end that is off"))
            problems += [
                Problem("cut off", d, f"behind the link to {name.name}, which is off") for d in behind[name.id]
            ]
    return problems


def _behind(house: House, state: RadioState) -> dict[str, list[str]]:
    """The must-have devices with a demand whose traffic passes each node, by node."""
    found: dict[str, list[str]] = {n.id: [] for n in house.job.nodes}
    for d, device in enumerate(house.job.devices):
        home = state.home[device.id]
        at = house.wired_node[d] if home is None else house.radio_node[home]
        if house.counts[d] and at >= 0:
            for node in house.above[at]:
                found[house.job.nodes[node].id].append(device.id)
    return found
