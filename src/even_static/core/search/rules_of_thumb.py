"""What the usual rules of thumb would have picked, so that a plan can show what they cost here. Common practice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import cast

from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import Rules, candidates
from even_static.core.spectrum.channels import Block, zigbee_mhz
from even_static.core.tables.bands import WidthMhz
from even_static.core.tables.channel_plans import ONE_SIX_ELEVEN
from even_static.core.tables.propagation import UNHEARD_DBM

Rank = tuple[bool, float, int]


def fewest_networks(house: House, settings: Settings) -> Settings:
    """Each free radio on the channel number on which the fewest networks are heard at its node.

    1, 6 or 11 at 2.4 GHz; widths stay. Ties go to the lowest number.
    """

    def pick(radio: int, options: list[Block]) -> Block:
        numbers = _heard_numbers(house, radio)
        return min(options, key=lambda b: (sum(n == b.channel for n in numbers), b.channel))

    return _each(house, settings, pick, ONE_SIX_ELEVEN)


def furthest_number(house: House, settings: Settings) -> Settings:
    """Each free radio on the channel number that is furthest from every number heard at its node; widths stay."""

    def pick(radio: int, options: list[Block]) -> Block:
        numbers = _heard_numbers(house, radio)
        return max(options, key=lambda b: (min((abs(n - b.channel) for n in numbers), default=0), -b.channel))

    return _each(house, settings, pick, None)


def careful(house: House, settings: Settings) -> Settings:
    """A careful technician's recipe: 2.4 GHz on 1, 6 or 11 at 20 MHz by least measured use, own nodes apart; 5 GHz at
    80 MHz, own nodes on different blocks; middle power with two nodes or more; Zigbee clear of the own channels."""
    job = house.job
    powered = []
    for setting in settings.radios:
        radio = job.radio(setting.radio_id)
        steps = sorted(e for e in radio.eirp_steps_dbm if e <= setting.eirp_dbm)
        middle = steps[len(steps) // 2] if len(job.nodes) > 1 and steps else setting.eirp_dbm
        powered.append(setting if radio.locked else replace(setting, eirp_dbm=middle))
    settings = replace(settings, radios=tuple(powered))
    taken: dict[str, set[int]] = {}
    chosen: dict[str, RadioSetting] = {}
    for group in house.link_groups(list(range(len(house.radios)))):
        radio = house.radios[group[0]]
        each = [settings.of(house.radios[r].id) for r in group]
        width = 20 if radio.band == "2.4 GHz" else 80
        options = [candidates(job, s, Rules(), ONE_SIX_ELEVEN if radio.band == "2.4 GHz" else None) for s in each]
        common = [b for b in options[0] if all(b in o for o in options[1:])]
        fitting = [b for b in common if b.width_mhz == width] or common
        if any(house.radios[r].locked or not s.enabled for r, s in zip(group, each, strict=True)) or not fitting:
            chosen.update((s.radio_id, s) for s in each)
            continue
        used = taken.setdefault(radio.band, set())
        costs = {b: (b.centre_mhz in used, measured_use(house, group[0], b.channel), b.channel) for b in fitting}
        best = min(fitting, key=costs.__getitem__)
        used.add(best.centre_mhz)
        chosen.update((s.radio_id, with_block(s, best)) for s in each)
    zigbee = settings.zigbee_channel
    if job.zigbee is not None and zigbee is not None:
        own = [s.channel for s in chosen.values() if job.radio(s.radio_id).band == "2.4 GHz" and s.enabled]
        centres = [2407 + 5 * c for c in own]
        zigbee = max(
            job.zigbee.selectable_channels,
            key=lambda z: (min((abs(zigbee_mhz(z) - c) for c in centres), default=0), z == zigbee),
        )
    return replace(settings, radios=tuple(chosen[s.radio_id] for s in settings.radios), zigbee_channel=zigbee)


def measured_use(house: House, radio: int, channel: int) -> float:
    """How busy a channel is at a radio, by its number in the house, as a scanner shows it: the highest figure that a
    network on it broadcasts, or what the others are taken to send together, whichever is more."""
    air, place = house.air, house.radio_place[radio]
    on = [
        k
        for k in house.in_band[house.radios[radio].band]
        if air.networks[k].channel == channel and air.rssi_dbm[k, place] > UNHEARD_DBM
    ]
    told = max((float(air.use_fraction[k]) for k in on if not air.assumed[k]), default=0.0)
    return max(told, min(1.0, sum(float(air.use_fraction[k]) for k in on if air.assumed[k])))


def _heard_numbers(house: House, radio: int) -> list[int]:
    spectra = house.spectra(house.radios[radio].band)
    level = spectra.rssi_dbm[:, house.radio_place[radio]]
    return [n.channel for k, n in enumerate(spectra.networks) if level[k] > UNHEARD_DBM]


def _each(
    house: House,
    settings: Settings,
    pick: Callable[[int, list[Block]], Block],
    channels_24: tuple[int, ...] | None,
) -> Settings:
    chosen: dict[int, RadioSetting] = {}
    everybody = list(range(len(house.radios)))
    for group in house.link_groups(everybody):
        each = [settings.of(house.radios[r].id) for r in group]
        options = [candidates(house.job, s, Rules(), channels_24) for s in each]
        common = [b for b in options[0] if all(b in o for o in options[1:])]
        same_width = [b for b in common if b.width_mhz == each[0].width_mhz] or common
        fixed = any(house.radios[r].locked or not s.enabled for r, s in zip(group, each, strict=True))
        for r, setting in zip(group, each, strict=True):
            # Both ends of a radio link go by what is heard at the near end.
            chosen[r] = setting if fixed or not same_width else with_block(setting, pick(group[0], same_width))
    return replace(settings, radios=tuple(chosen[r] for r in everybody))


def with_block(setting: RadioSetting, block: Block) -> RadioSetting:
    """A setting moved to a block."""
    width = cast(WidthMhz, block.width_mhz)
    return replace(setting, channel=block.channel, width_mhz=width, centre_mhz=block.centre_mhz)
