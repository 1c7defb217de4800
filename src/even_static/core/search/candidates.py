"""What each radio may be set to: lawful, offered by the radio, at the power that it has."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Final

from even_static.core.house.job import Job
from even_static.core.house.settings import RadioSetting, Settings, setting_block
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import Block, Blocks
from even_static.core.spectrum.lawful import LawfulBlock, lawful_blocks
from even_static.core.tables.channel_plans import STANDARD_SETS, ChannelPlan


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """Settings of which some parts are kept: the radios named (block, width, power, on or off), SSIDs and steering, the
    links' bands, the Zigbee channel."""

    settings: Settings
    radio_ids: frozenset[str] = frozenset()
    ssid_plan: bool = False
    links: bool = False
    zigbee: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Rules:
    """The technician's policy for a search.

    ``channel_plan``: which channels may be used at 2.4 GHz; ``avoid_dfs``: leave out channels that need radar
    detection.
    ``power``, ``switch_off``, ``links``, ``steering``: whether power steps, radios that are better off, the links'
    bands and the steering level are chosen too; without them they stay as they are.
    """

    channel_plan: ChannelPlan = "any legal channel"
    avoid_dfs: bool = False
    power: bool = False
    switch_off: bool = False
    links: bool = False
    steering: bool = False
    held: Held | None = None
    """What somebody has set by hand and wants kept; all else is searched around it."""

    @property
    def whole(self) -> bool:
        """Whether anything is chosen beyond channels and widths."""
        return self.power or self.switch_off or self.links or self.steering


EVERYTHING: Final = Rules(power=True, switch_off=True, links=True, steering=True)


def offered_blocks(job: Job, radio_id: str) -> list[LawfulBlock]:
    """Every block that a radio offers and the law allows where its node stands, at some power step that it has."""
    radio = job.radio(radio_id)
    node = job.node_of(radio_id)
    outdoors = next(p.outdoors for p in job.places if p.id == node.place_id)
    return [
        b
        for width in sorted(radio.widths_mhz)
        for b in lawful_blocks(job.country, radio.band, width, outdoors)
        if (radio.channels is None or b.block.channel in radio.channels) and min(radio.eirp_steps_dbm) <= b.max_eirp_dbm
    ]


def candidates(
    job: Job, setting: RadioSetting, rules: Rules, channels_24: tuple[int, ...] | None = None
) -> list[Block]:
    """Blocks that the search may give to a radio at the power that it has; a radio that is locked or off keeps its own.

    ``channels_24`` limits a 2.4 GHz radio to a standard set at 20 MHz.
    """
    radio = job.radio(setting.radio_id)
    if radio.locked or not setting.enabled:
        return [setting_block(radio, setting)]
    found = [b for b in offered_blocks(job, radio.id) if setting.eirp_dbm <= b.max_eirp_dbm]
    if rules.avoid_dfs:
        found = [b for b in found if not b.dfs]
    blocks = [b.block for b in found]
    if radio.band == "2.4 GHz" and channels_24 is not None:
        blocks = [b for b in blocks if b.width_mhz == 20 and b.channel in channels_24]
    return blocks or [setting_block(radio, setting)]


def kept_candidates(
    house: House, setting: RadioSetting, rules: Rules, channels_24: tuple[int, ...] | None = None
) -> Blocks:
    """:func:`candidates`, worked out once for a house."""
    key, kept = (setting, rules.avoid_dfs, channels_24), house.tables.options
    if key not in kept:
        kept[key] = Blocks(candidates(house.job, setting, rules, channels_24))
    return kept[key]


def start_of(job: Job, rules: Rules) -> Settings:
    """Where a search starts: the present settings at lawful power, with what is held by hand put in."""
    start, held = job.settings, rules.held
    if held is not None:
        mine = {s.radio_id: s for s in held.settings.radios if s.radio_id in held.radio_ids}
        start = replace(
            start,
            radios=tuple(mine.get(s.radio_id, s) for s in start.radios),
            ssid_plan=held.settings.ssid_plan if held.ssid_plan else start.ssid_plan,
            link_bands=held.settings.link_bands if held.links else start.link_bands,
            zigbee_channel=held.settings.zigbee_channel if held.zigbee else start.zigbee_channel,
        )
    return with_lawful_power(job, start)


def held_radios(rules: Rules) -> frozenset[str]:
    """Radios that keep what somebody has set by hand."""
    return rules.held.radio_ids if rules.held is not None else frozenset()


def standard_sets(job: Job) -> list[tuple[int, ...]]:
    """The standard sets at 2.4 GHz that are lawful here for every 2.4 GHz radio."""
    radios = [r for r in job.radios if r.band == "2.4 GHz"]
    lawful = [{b.block.channel for b in offered_blocks(job, r.id) if b.block.width_mhz == 20} for r in radios]
    return [s for s in STANDARD_SETS if all(set(s) <= have for have in lawful)] or [STANDARD_SETS[0]]


def channel_sets(job: Job, rules: Rules) -> list[tuple[int, ...] | None]:
    """The sets of channels at 2.4 GHz of which the search takes one; None where every lawful channel may be used."""
    return list(standard_sets(job)) if rules.channel_plan == "1/6/11 only" else [None]


def follows(job: Job, settings: Settings, rules: Rules) -> bool:
    """Whether settings keep to what the rules say of channels: all free 2.4 GHz radios in one set, none on a channel
    that is to be left out. What is locked, off or held by hand is not asked."""
    held = held_radios(rules)
    free = [s for s in settings.radios if s.radio_id not in held]
    return any(
        all(setting_block(job.radio(s.radio_id), s) in candidates(job, s, rules, channels_24) for s in free)
        for channels_24 in channel_sets(job, rules)
    )


def kept_to(job: Job, settings: Settings, rules: Rules) -> Settings:
    """Settings with everything that the rules do not leave free put back to where a search starts: powers, switches,
    links, SSIDs and steering, and what is held by hand."""
    start, held = start_of(job, rules), held_radios(rules)
    by_hand = rules.held
    radios = []
    for was, wanted in zip(start.radios, settings.radios, strict=True):
        if wanted.radio_id in held or job.radio(wanted.radio_id).locked:
            radios.append(was)
            continue
        kept = wanted if rules.power else replace(wanted, eirp_dbm=was.eirp_dbm)
        radios.append(kept if rules.switch_off else replace(kept, enabled=was.enabled))
    free_names = rules.steering and not (by_hand is not None and by_hand.ssid_plan)
    free_links = rules.links and not (by_hand is not None and by_hand.links)
    return Settings(
        tuple(radios),
        start.zigbee_channel if by_hand is not None and by_hand.zigbee else settings.zigbee_channel,
        settings.ssid_plan if free_names else start.ssid_plan,
        settings.link_bands if free_links else start.link_bands,
    )


def with_lawful_power(job: Job, settings: Settings) -> Settings:
    """Settings with each free radio's power lowered to its highest step that some lawful block allows.

    Power that is lawful already stays: this part of the tuner chooses channels and widths. A radio on a band that the
    country closes to access points is switched off.
    """
    changed = []
    for setting in settings.radios:
        radio = job.radio(setting.radio_id)
        limits = [b.max_eirp_dbm for b in offered_blocks(job, radio.id)]
        highest = max(limits, default=-math.inf)
        if not radio.locked and setting.enabled and setting.eirp_dbm > highest:
            steps = [s for s in radio.eirp_steps_dbm if s <= highest]
            setting = replace(setting, eirp_dbm=max(steps)) if steps else replace(setting, enabled=False)
        changed.append(setting)
    return replace(settings, radios=tuple(changed))
