"""Which blocks a country allows an access point to use, at what power and under which conditions."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

from even_static.core.spectrum.channels import Block, blocks
from even_static.core.tables.bands import Band
from even_static.core.tables.low_power_indoor import LOW_POWER_INDOOR
from even_static.core.tables.regulatory import Rule, country


@dataclass(frozen=True, slots=True)
class LawfulBlock:
    """A block that may be used: highest radiated power in dBm, and whether radar detection or a roof is required."""

    block: Block
    max_eirp_dbm: float
    dfs: bool
    indoor_only: bool


def _covering(rules: tuple[Rule, ...], low_mhz: float, high_mhz: float) -> tuple[Rule, ...] | None:
    """The rules that together cover a stretch without a gap, or None. Each is one that touches it."""
    touching = sorted((r for r in rules if r.high_mhz > low_mhz and r.low_mhz < high_mhz), key=lambda r: r.low_mhz)
    reached = low_mhz
    for rule in touching:
        if rule.low_mhz > reached:
            return None
        reached = max(reached, rule.high_mhz)
    return tuple(touching) if touching and reached >= high_mhz else None


def _widest_mhz(rules: tuple[Rule, ...], covering: tuple[Rule, ...]) -> float:
    """Widest channel in MHz over rules that cover it: joined rules must each allow automatic width (reg.c)."""
    if len(covering) == 1 and not covering[0].auto_width:
        return covering[0].max_width_mhz
    if not all(r.auto_width for r in covering):
        return min(r.max_width_mhz for r in covering) if len(covering) == 1 else 0.0
    low, high = covering[0].low_mhz, max(r.high_mhz for r in covering)
    grown = True
    while grown:
        grown = False
        for rule in rules:
            if rule.auto_width and (rule.high_mhz == low or rule.low_mhz == high):
                low, high, grown = min(low, rule.low_mhz), max(high, rule.high_mhz), True
    return high - low


@lru_cache(maxsize=16384)
def lawful_block(code: str, block: Block, *, outdoors: bool = False) -> LawfulBlock | None:
    """The conditions under which an access point may use a block in a country, or None when it may not.

    No-initiating rules count as not allowed: an access point initiates. Channel 14 is not offered, since its rule
    excludes OFDM. Source: wireless-regdb, semantics of the Linux kernel's net/wireless/reg.c; under a roof at 6 GHz
    also :mod:`even_static.core.tables.low_power_indoor`.
    """
    found = _by_the_table(code, block, outdoors)
    rule = None if outdoors or block.band != "6 GHz" else LOW_POWER_INDOOR.get(code)
    if rule is None or not all(rule.low_mhz <= a and b <= rule.high_mhz for a, b in block.segments_mhz):
        return found
    most = min(rule.max_eirp_dbm, rule.max_dbm_per_mhz + 10 * math.log10(block.width_mhz))
    if rule.opens:
        return LawfulBlock(block, max_eirp_dbm=round(most, 2), dfs=False, indoor_only=True)
    return found if found is None else replace(found, max_eirp_dbm=min(found.max_eirp_dbm, round(most, 2)))


def _by_the_table(code: str, block: Block, outdoors: bool) -> LawfulBlock | None:
    domain = country(code)
    usable = tuple(r for r in domain.rules if not (r.no_ofdm or r.no_initiating or (outdoors and r.indoor_only)))
    parts: list[Rule] = []
    for low, high in block.segments_mhz:
        if any(cut_low < high and cut_high > low for cut_low, cut_high, _ in domain.forbidden_mhz):
            return None
        covering = _covering(usable, low, high)
        if covering is None or _widest_mhz(usable, covering) < high - low:
            return None
        parts += covering
    return LawfulBlock(
        block,
        max_eirp_dbm=min(r.max_eirp_dbm for r in parts),
        dfs=any(r.dfs for r in parts),
        indoor_only=any(r.indoor_only for r in parts),
    )


@lru_cache(maxsize=512)
def lawful_blocks(code: str, band: Band, width_mhz: int, outdoors: bool = False) -> tuple[LawfulBlock, ...]:
    """Every block of one width in a band that an access point may use in a country."""
    found = (lawful_block(code, b, outdoors=outdoors) for b in blocks(band, width_mhz))
    return tuple(b for b in found if b is not None)
