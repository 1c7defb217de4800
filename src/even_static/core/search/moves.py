"""Every single thing that may be changed on a setting: the steps of a local search, and of whoever tries by hand."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from even_static.core.house.kit import Device
from even_static.core.house.links import on_one_block
from even_static.core.house.settings import DeviceBand, RadioSetting, Settings, SsidPlan, setting_block
from even_static.core.model.prepared_house import House
from even_static.core.model.steering import ssid_choices
from even_static.core.model.violations import keeps_locked, radio_violations
from even_static.core.search.candidates import Rules, candidates, channel_sets, held_radios
from even_static.core.search.choices import needed_by_links, other_links, steps_of
from even_static.core.search.rules_of_thumb import with_block
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.clients import STEERING_DBM

Kind = Literal["block", "power", "switch", "link", "names", "device", "backhaul only", "zigbee"]


@dataclass(frozen=True, slots=True)
class Move:
    """A setting that differs from another in one thing: in which kind of thing, and whose (radios, node, device)."""

    kind: Kind
    whose: str
    settings: Settings


def moves(house: House, rules: Rules, settings: Settings, pinned: frozenset[str] = frozenset()) -> Iterator[Move]:
    """All of them, lawful and supported, in no order that matters; both ends of a radio link move together."""
    held = held_radios(rules) | pinned
    yield from block_moves(house, rules, settings, held)
    if rules.power:
        yield from _power(house, settings, held)
    if rules.switch_off:
        yield from _switches(house, settings, held)
    keeps = rules.held
    if rules.links and not (keeps is not None and keeps.links):
        for node in house.job.nodes:
            if node.uplink is not None and node.uplink.band is not None:
                for other in other_links(house, settings, node):
                    if not held & _differing(settings, other):
                        yield Move("link", node.id, other)
    if rules.steering and not (keeps is not None and keeps.ssid_plan):
        yield from _names(house, settings)
    zigbee = house.job.zigbee
    if zigbee is not None and not (keeps is not None and keeps.zigbee):
        for channel in zigbee.selectable_channels:
            if channel != settings.zigbee_channel:
                yield Move("zigbee", "", replace(settings, zigbee_channel=channel))


def _differing(a: Settings, b: Settings) -> frozenset[str]:
    return frozenset(x.radio_id for x, y in zip(a.radios, b.radios, strict=True) if x != y)


def block_moves(house: House, rules: Rules, settings: Settings, held: frozenset[str]) -> Iterator[Move]:
    """Other channels and widths, radio by radio; radios that a link ties together move as one. Blocks that differ only
    in the primary channel count once each."""
    linked = house.linked(settings)
    on = [i for i, r in enumerate(house.radios) if settings.of(r.id).enabled]
    sets = channel_sets(house.job, rules)
    for group in linked.link_groups(on):
        ids = [house.radios[r].id for r in group]
        if held & set(ids) or any(house.radios[r].locked for r in group):
            continue
        for channels_24 in sets:
            options = [candidates(house.job, settings.of(i), rules, channels_24) for i in ids]
            common = [b for b in options[0] if all(b in o for o in options[1:])]
            now = setting_block(house.radios[group[0]], settings.of(ids[0]))
            for block in common:
                if block != now:
                    radios = tuple(with_block(s, block) if s.radio_id in ids else s for s in settings.radios)
                    yield Move("block", " ".join(ids), replace(settings, radios=radios))


def _power(house: House, settings: Settings, held: frozenset[str]) -> Iterator[Move]:
    job = house.job
    for n, setting in enumerate(settings.radios):
        if not setting.enabled or setting.radio_id in held or job.radio(setting.radio_id).locked:
            continue
        most = _most_lawful(house, setting)
        for step in steps_of(house, setting):
            if step != setting.eirp_dbm and step <= most:
                yield Move("power", setting.radio_id, _with(settings, n, replace(setting, eirp_dbm=step)))
    for band in BANDS:
        rows = [n for n, s in enumerate(settings.radios) if job.radio(s.radio_id).band == band and s.enabled]
        free = [n for n in rows if settings.radios[n].radio_id not in held]
        if len(rows) < 2 or len(free) != len(rows):
            continue
        for step in sorted({e for n in rows for e in steps_of(house, settings.radios[n])}):
            changed = settings
            for n in rows:
                fitting = [e for e in steps_of(house, settings.radios[n]) if e <= step]
                if fitting and not job.radio(settings.radios[n].radio_id).locked:
                    most = _most_lawful(house, settings.radios[n])
                    changed = _with(changed, n, replace(settings.radios[n], eirp_dbm=min(max(fitting), most)))
            if changed != settings:
                yield Move("power", band, changed)


def _most_lawful(house: House, setting: RadioSetting) -> float:
    """The most that the law allows on the block that a radio is on, in dBm."""
    radio, node = house.job.radio(setting.radio_id), house.job.node_of(setting.radio_id)
    outdoors = next(p.outdoors for p in house.job.places if p.id == node.place_id)
    lawful = lawful_block(house.job.country, setting_block(radio, setting), outdoors=outdoors)
    return setting.eirp_dbm if lawful is None else lawful.max_eirp_dbm


def _switches(house: House, settings: Settings, held: frozenset[str]) -> Iterator[Move]:
    needed = needed_by_links(house, settings)
    for n, setting in enumerate(settings.radios):
        radio = house.job.radio(setting.radio_id)
        if radio.locked or radio.id in held or radio.id in needed or radio.band != "2.4 GHz":
            continue
        if not house.job.settings.of(radio.id).enabled:
            continue
        changed = _with(settings, n, replace(setting, enabled=not setting.enabled))
        if any(s.enabled for s in changed.radios if house.job.radio(s.radio_id).band == radio.band):
            yield Move("switch", radio.id, changed)


def _names(house: House, settings: Settings) -> Iterator[Move]:
    job, names = house.job, settings.ssid_plan
    if all(n.steering != "nothing" for n in job.nodes):
        for other in ssid_choices(job, STEERING_DBM):
            other = replace(other, backhaul_only=names.backhaul_only)
            if other != names:
                yield Move("names", "", replace(settings, ssid_plan=other))
    yield from _backhaul_only(house, settings)
    for device in job.devices:
        if device.wired_to_id is None and device.group_id is None and len(device.bands) > 1:
            yield from _one_device(settings, names, device)


def _backhaul_only(house: House, settings: Settings) -> Iterator[Move]:
    """Devices kept off a radio that carries a link, or let onto it again."""
    names, needed = settings.ssid_plan, needed_by_links(house, settings)
    for radio in house.radios:
        closed = radio.id in names.backhaul_only
        if radio.can_be_backhaul_only and not radio.locked and (closed or radio.id in needed):
            others = tuple(r for r in names.backhaul_only if r != radio.id)
            plan = replace(names, backhaul_only=others if closed else (*others, radio.id))
            yield Move("backhaul only", radio.id, replace(settings, ssid_plan=plan))


def _one_device(settings: Settings, names: SsidPlan, device: Device) -> Iterator[Move]:
    """A device on a band's own SSID, or back on the shared one."""
    now: Band | None = names.band_of(device.id)
    others = tuple(b for b in names.bands if b.device_id != device.id)
    ways: list[Band | None] = [None, *device.bands] if names.kind != "split SSIDs" else [*device.bands]
    for band in ways:
        if band == now:
            continue
        bands = others if band is None else (*others, DeviceBand(device.id, band))
        kind = names.kind
        if kind != "split SSIDs":
            kind = "one SSID plus a split pair" if bands else "one SSID"
        yield Move("device", device.id, replace(settings, ssid_plan=replace(names, kind=kind, bands=bands)))


def _with(settings: Settings, n: int, setting: RadioSetting) -> Settings:
    return replace(settings, radios=(*settings.radios[:n], setting, *settings.radios[n + 1 :]))


Effect = tuple[object, ...]


def effect_of(base: Settings, move: Move) -> Effect:
    """What a move sets to what, whatever else is set: the same for the same move made on another setting."""
    to = move.settings
    found: list[object] = [move.kind, move.whose]
    for was, now in zip(base.radios, to.radios, strict=True):
        if now is not was and now != was:
            power = now.eirp_dbm if now.eirp_dbm != was.eirp_dbm else None
            on = now.enabled if now.enabled != was.enabled else None
            block = (now.channel, now.width_mhz, now.centre_mhz)
            before = (was.channel, was.width_mhz, was.centre_mhz)
            found.append((now.radio_id, power, on, block if block != before else None))
    if move.kind == "device":
        found.append(to.ssid_plan.band_of(move.whose))
    elif move.kind == "names":
        found += [to.ssid_plan.kind, to.ssid_plan.high_band_from_dbm, to.ssid_plan.bands]
    elif move.kind == "backhaul only":
        found.append(move.whose in to.ssid_plan.backhaul_only)
    elif move.kind == "link":
        found += [e for e in to.link_bands if e.node_id == move.whose]
    elif move.kind == "zigbee":
        found.append(to.zigbee_channel)
    return tuple(found)


def carried_over(base: Settings, move: Move, current: Settings) -> Settings:
    """A move that was listed for one setting, made on another one: only what it changes is changed."""
    option = move.settings
    radios = []
    for was, wanted, now in zip(base.radios, option.radios, current.radios, strict=True):
        if wanted is was or wanted == was:
            radios.append(now)
            continue
        if wanted.eirp_dbm != was.eirp_dbm:
            now = replace(now, eirp_dbm=wanted.eirp_dbm)
        if wanted.enabled != was.enabled:
            now = replace(now, enabled=wanted.enabled)
        if (wanted.channel, wanted.width_mhz, wanted.centre_mhz) != (was.channel, was.width_mhz, was.centre_mhz):
            now = replace(now, channel=wanted.channel, width_mhz=wanted.width_mhz, centre_mhz=wanted.centre_mhz)
        radios.append(now)
    names = current.ssid_plan
    if move.kind == "names":
        names = replace(option.ssid_plan, backhaul_only=names.backhaul_only)
    elif move.kind == "backhaul only":
        kept = tuple(r for r in names.backhaul_only if r != move.whose)
        closed = move.whose in option.ssid_plan.backhaul_only
        names = replace(names, backhaul_only=(*kept, move.whose) if closed else kept)
    elif move.kind == "device":
        band = option.ssid_plan.band_of(move.whose)
        others = tuple(b for b in names.bands if b.device_id != move.whose)
        bands = others if band is None else (*others, DeviceBand(move.whose, band))
        kind = names.kind
        if kind != "split SSIDs":
            kind = "one SSID plus a split pair" if bands else "one SSID"
        names = replace(names, kind=kind, bands=bands)
    return replace(
        current,
        radios=tuple(radios),
        ssid_plan=names,
        link_bands=option.link_bands if move.kind == "link" else current.link_bands,
        zigbee_channel=option.zigbee_channel if move.kind == "zigbee" else current.zigbee_channel,
    )


def ends_agree(house: House, settings: Settings) -> bool:
    """Whether all radios that have to be on one block are."""
    job = house.linked(settings).job
    together = [p for p in on_one_block(job) if all(settings.of(e).enabled for e in p)]
    return all(len({setting_block(job.radio(e), settings.of(e)) for e in pair}) == 1 for pair in together)


def may_be_set(house: House, settings: Settings) -> bool:
    """Whether a setting is lawful and supported, keeps what is locked, and both ends of every radio link are on, and on
    one block."""
    needed = needed_by_links(house, settings)
    if (
        not keeps_locked(house.job, settings)
        or not ends_agree(house, settings)
        or not all(settings.of(r).enabled for r in needed)
    ):
        return False
    return not any(radio_violations(house.job, s) for s in settings.radios)
