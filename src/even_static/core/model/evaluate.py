"""One function that evaluates a setting of a house; planner, screens, report and command line all use it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.errors import BadInput, Unlawful
from even_static.core.house.job import Job
from even_static.core.house.kit import Device
from even_static.core.house.settings import Names, RadioSetting, Settings, setting_block
from even_static.core.model.link_tables import LinkTable
from even_static.core.model.prepared_house import House, link_ends, with_link_bands
from even_static.core.model.radio_state import RadioState, radio_state
from even_static.core.model.rank import Rank, house_rank
from even_static.core.model.zigbee_mesh import zigbee_mesh
from even_static.core.spectrum.channels import Block
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables import zigbee as zigbee_table

# A radio without any load has no headroom to speak of: it is shown as this much.
MOST_HEADROOM = 99.0


@dataclass(frozen=True, slots=True, kw_only=True)
class RadioFigures:
    """One radio under one setting. Fractions are of one second of airtime."""

    radio_id: str
    channel: int
    width_mhz: int
    centre_mhz: int
    enabled: bool
    dfs: bool
    devices: int
    defers_to: int
    """Networks and own radios that it waits for."""
    busy_fraction: float
    """Airtime of the other networks that it defers to."""
    available_fraction: float
    """What is left, never below the fair share."""
    need_fraction: float
    """Own airtime in the busy hour, own radios' interference included."""
    shared_fraction: float
    """Airtime of own radios that share this radio's channel."""
    headroom: float | None
    """Available over needed and shared; null for a radio that is off."""
    noise_rise_db: float
    """Mean rise of the noise at the node by what it does not defer to: half-overlap and far senders."""
    airtime_from_neighbours_fraction: float
    """Airtime taken from networks that hear it, summed over them."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceFigures:
    """One Wi-Fi device under one setting."""

    device_id: str
    radio_id: str | None
    rssi_dbm: float | None
    snr_db: float | None
    """Level over noise at the device, mean interference included."""
    carried: bool
    measured: bool


@dataclass(frozen=True, slots=True)
class ZigbeeFigures:
    """One Zigbee device under one setting."""

    device_id: str
    delivery: float


@dataclass(frozen=True, slots=True)
class Problem:
    """Something that counts as a problem: kind, whom it concerns, and in words what is wrong."""

    kind: str
    subject_id: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Evaluation:
    """A setting of the house in figures."""

    lawful: bool
    violations: tuple[str, ...]
    problems: int
    problem_list: tuple[Problem, ...]
    headroom: float | None
    """Smallest headroom of the radios; null when no radio is on."""
    headroom_radio_id: str | None
    weakest_spot_place_id: str | None
    weakest_spot_device_id: str | None
    weakest_spot_snr_db: float | None
    weakest_spot_rssi_dbm: float | None
    worst_zigbee_delivery: float | None
    worst_zigbee_device_id: str | None
    airtime_from_neighbours_fraction: float
    changes: int
    radios: tuple[RadioFigures, ...]
    devices: tuple[DeviceFigures, ...]
    zigbee: tuple[ZigbeeFigures, ...]
    rank: Rank


def evaluate(job: Job | House, settings: Settings) -> Evaluation:
    """Evaluate a setting of a job. Pass a :class:`House` to reuse its tables.

    Unlawful or unsupported settings are evaluated too and say so; BadInput only where a setting makes no block at all.
    """
    house = job if isinstance(job, House) else House(job)
    house = house.linked_by(settings.link_bands)
    state = radio_state(house, settings)
    radios = house.radios
    on = [i for i in range(len(radios)) if state.enabled[i]]
    blocks = [setting_block(r, settings.of(r.id)) for r in radios]
    terms = [state.row(i, blocks[i]) for i in range(len(radios))]
    share, extra = interference_between(house, state, on, blocks)
    need = np.array([t.need_fraction[0] for t in terms])
    available = np.array([t.available_fraction[0] for t in terms])
    own_need = need + extra.sum(axis=1)
    shared = share @ need
    with np.errstate(divide="ignore", invalid="ignore"):
        headroom = np.where(own_need + shared > 0, available / (own_need + shared), np.inf)
    headroom = np.minimum(headroom, MOST_HEADROOM)

    violations = tuple(v for r in radios for v in radio_violations(house.job, settings.of(r.id)))
    violations += zigbee_violations(house.job, settings)
    devices, problems = _devices(house, state, blocks, headroom)
    problems += _links(house, state, terms, headroom)
    problems += names_problems(house.job, settings)
    zigbee = zigbee_figures(state, settings.zigbee_channel, [(i, blocks[i], float(need[i])) for i in on])
    problems += [
        Problem(
            "zigbee",
            z.device_id,
            f"{_cut(z.delivery)} % of its reports arrive, {_cut(zigbee_table.WANTED_DELIVERY)} % wanted",
        )
        for z in zigbee
        if z.delivery < zigbee_table.WANTED_DELIVERY
    ]
    worst = min(zigbee, key=lambda z: z.delivery, default=None)
    weakest = min((d for d in devices if d.snr_db is not None), key=lambda d: d.snr_db or 0.0, default=None)
    by_id = {d.id: d for d in house.job.devices}
    taken_airtime = np.array([terms[i].taken_airtime[0] for i in on])
    changes = count_changes(house.job.settings, settings)
    tightest = min(on, key=lambda i: headroom[i], default=None)
    figures = tuple(
        RadioFigures(
            radio_id=r.id,
            channel=blocks[i].channel,
            width_mhz=blocks[i].width_mhz,
            centre_mhz=blocks[i].centre_mhz,
            enabled=state.enabled[i],
            dfs=_dfs(house, i, blocks[i]),
            devices=sum(not c.is_link for c in state.clients[i]),
            defers_to=_defers_to(state, i, blocks[i]) + int(share[i].sum()),
            busy_fraction=float(terms[i].busy_fraction[0]),
            available_fraction=float(available[i]),
            need_fraction=float(own_need[i]),
            shared_fraction=float(shared[i]),
            headroom=float(headroom[i]) if state.enabled[i] else None,
            noise_rise_db=float(terms[i].noise_rise_db[0]),
            airtime_from_neighbours_fraction=float(terms[i].taken_airtime[0]),
        )
        for i, r in enumerate(radios)
    )
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
        radios=figures,
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


def _cut(fraction: float) -> str:
    """A share in percent, cut to one digit: 98.96 % must not read as 99."""
    return f"{np.floor(fraction * 1000 + 1e-9) / 10:.1f}"


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
            share = f"{headroom[home]:.2f} of the airtime it needs"
            problems.append(Problem("not carried", device.id, f"its radio {radio.id} has {share}"))
    return figures, problems


def names_problems(job: Job, settings: Settings) -> list[Problem]:
    """What names and steering alone make problem with: devices that drop off when steered, groups torn apart."""
    names, found = settings.names, []
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
            groups.setdefault(device.group_id, set()).add(on_own_name.get(device.id, "the one name"))
    for group, joined in groups.items():
        if len(joined) > 1:
            found.append(Problem("torn", group, f"its devices join {' and '.join(sorted(joined))}"))
    return found


def throttled(job: Job, names: Names, device: Device) -> bool:
    """Whether a device is on a network for gadgets that is known to let less through than it wants."""
    wants = device.demand_down_mbps + device.demand_up_mbps
    limit = job.device_network_mbps
    return limit is not None and device.id in names.device_network and wants > limit


def _links(house: House, state: RadioState, terms: list[LinkTable], headroom: np.ndarray) -> list[Problem]:
    problems = []
    for i, clients in enumerate(state.clients):
        for k, client in enumerate(clients):
            if not client.is_link:
                continue
            if not (terms[i].client_goodput_down[0, k] > 0 and terms[i].client_goodput_up[0, k] > 0):
                problems.append(Problem("no link", client.id, f"the radio {client.name} is down"))
            elif headroom[i] < 1 and client.down_mbps + client.up_mbps > 0:
                text = f"the radio {client.name} has {headroom[i]:.2f} of the airtime it needs"
                problems.append(Problem("not carried", client.id, text))
    return problems


def count_changes(before: Settings, after: Settings) -> int:
    """Radios whose setting differs, plus one each for the Zigbee channel, names and steering, and every link's band."""
    old = {s.radio_id: s for s in before.radios}
    changed = sum(not same_setting(old.get(s.radio_id), s) for s in after.radios)
    links = len(set(before.link_bands) ^ set(after.link_bands))
    return changed + links + (before.zigbee_channel != after.zigbee_channel) + (before.names != after.names)


def same_setting(a: RadioSetting | None, b: RadioSetting) -> bool:
    """Whether two settings put a radio to the same use; a centre that is not given is the lowest one."""
    if a is None:
        return False
    mine = (a.channel, a.width_mhz, a.eirp_dbm, a.enabled)
    return mine == (b.channel, b.width_mhz, b.eirp_dbm, b.enabled) and (
        a.centre_mhz == b.centre_mhz or None in (a.centre_mhz, b.centre_mhz)
    )


def radio_violations(job: Job, setting: RadioSetting) -> list[str]:
    """What is unlawful or unsupported about one radio's setting, in words; empty when nothing is."""
    radio = job.radio(setting.radio_id)
    if not setting.enabled:
        return []
    node = job.node_of(radio.id)
    outdoors = next(p.outdoors for p in job.places if p.id == node.place_id)
    block = setting_block(radio, setting)
    found = []
    lawful = lawful_block(job.country, block, outdoors=outdoors)
    name = f"{radio.id}: channel {block.channel} at {block.width_mhz} MHz"
    if lawful is None:
        found.append(f"{name} is not open to access points in {job.country}" + (" outdoors" if outdoors else ""))
    elif setting.eirp_dbm > lawful.max_eirp_dbm:
        found.append(f"{name}: {setting.eirp_dbm:g} dBm radiated, {lawful.max_eirp_dbm:g} dBm allowed in {job.country}")
    if setting.width_mhz not in radio.widths_mhz:
        found.append(f"{name}: the radio offers {', '.join(map(str, radio.widths_mhz))} MHz")
    if radio.channels is not None and block.channel not in radio.channels:
        found.append(f"{name}: the radio does not offer this channel")
    if setting.eirp_dbm not in radio.eirp_steps_dbm:
        steps = ", ".join(f"{s:g}" for s in radio.eirp_steps_dbm)
        found.append(f"{name}: {setting.eirp_dbm:g} dBm is not one of its power steps ({steps})")
    return found


def zigbee_violations(job: Job, settings: Settings) -> tuple[str, ...]:
    """What the hub cannot be set to."""
    if job.zigbee is None or settings.zigbee_channel in job.zigbee.selectable_channels:
        return ()
    return (f"the hub does not offer Zigbee channel {settings.zigbee_channel}",)


def require_choosable(job: Job, settings: Settings) -> None:
    """Raise Unlawful or BadInput unless a setting may be sent to the boxes: lawful, supported, locked radios as is."""
    for setting in settings.radios:
        radio = job.radio(setting.radio_id)
        present = job.settings.of(radio.id)
        if radio.locked and not same_setting(present, setting):
            raise BadInput(
                f"settings.{radio.id}",
                "must stay as it is: the radio is locked",
                f"channel {setting.channel}",
                "its present setting",
            )
        if same_setting(present, setting) and radio.locked:
            continue
        for violation in radio_violations(job, setting):
            raise Unlawful(f"settings.{radio.id}", "must be lawful and offered by the radio", violation, "")
    if settings.names.high_band_from_dbm is not None:
        for node in job.nodes:
            if node.steering == "nothing":
                came = f'node "{node.name}"'
                raise BadInput("settings.names.high_band_from_dbm", "must be offered by every box", came, "no steering")
    job = with_link_bands(job, settings.link_bands)
    for ends in filter(None, (link_ends(job, n.id) for n in job.nodes)):
        near, far = (setting_block(job.radio(r), settings.of(r)) for r in ends)
        if near != far:
            raise BadInput(
                f"settings.{ends[1]}",
                f"must use the block of {ends[0]}, with which it makes a link",
                f"channel {far.channel} at {far.width_mhz} MHz",
                f"channel {near.channel} at {near.width_mhz} MHz",
            )
    for violation in zigbee_violations(job, settings):
        raise BadInput("settings.zigbee_channel", "must be offered by the hub", violation, "")
