"""What a good phone gets at a spot while everybody else goes on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_static.core.house.settings import Settings
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import Band
from even_static.truth import ranges
from even_static.truth.bands import BandLife, Bands, Link, block_of, older
from even_static.truth.house import TrueHouse
from even_static.truth.rates import Options, arriving, options

PHONE_EIRP_DBM = 14.0
LEAST_HEARD_DBM = -92.0
LEAST_MBPS = 0.05


@dataclass(frozen=True, slots=True)
class PhoneTest:
    """What a speed test shows: Mb/s down and up, latency under load in ms. Where nothing gets through all are zero."""

    down_mbps: float
    up_mbps: float
    latency_ms: float


NOTHING = PhoneTest(0.0, 0.0, 0.0)


def phone_radio(house: TrueHouse, settings: Settings, place_id: str) -> tuple[int, float] | None:
    """(radio that a usual phone takes at a spot, its level there in dBm); None where it finds none."""
    at, best = house.spot(place_id), None
    steer = settings.ssid_plan.high_band_from_dbm
    for r, radio in enumerate(house.radios):
        setting = settings.of(radio.id)
        if not setting.enabled or radio.link_only or radio.id in settings.ssid_plan.backhaul_only:
            continue
        level = house.level_dbm(r, at, radio.band, setting.eirp_dbm)
        full, gone = ranges.TASTE_FULL_DBM, ranges.TASTE_GONE_DBM
        good = min(1.0, max(0.0, (level - gone) / (full - gone)))
        wished = min(level, -45.0) + 0.3 * max(level + 45, 0.0) + good * sum(ranges.TASTE_DB[radio.band]) / 2
        if steer is not None and radio.band != "2.4 GHz" and level >= steer:
            wished += 30.0
        if level >= LEAST_HEARD_DBM and (best is None or wished > best[0]):
            best = (wished, r, level)
    return None if best is None else (best[1], best[2])


def phone_speed(
    bands: Bands, lives: dict[Band, BandLife], settings: Settings, links: list[Link], place_id: str
) -> PhoneTest:
    """A usual phone's test at a spot while everybody else goes on."""
    house = bands.house
    found = phone_radio(house, settings, place_id)
    if found is None:
        return NOTHING
    r, level = found
    radio = house.radios[r]
    width = min(block_of(house, settings, r).width_mhz, 80)
    mine = options(older("802.11ax", radio.generation), width, min(2, radio.streams), house.burst_us)
    way = _way(bands, settings, links, r)
    if way is None:
        return NOTHING
    up_dbm = level - settings.of(radio.id).eirp_dbm + PHONE_EIRP_DBM
    down, shares = _through(bands, lives, settings, [(r, level, mine), *way])
    up, _ = _through(bands, lives, settings, [(r, up_dbm, mine), *way])
    return PhoneTest(down, up, _latency_ms(house, shares)) if down > 0 else NOTHING


def _latency_ms(house: TrueHouse, shares: list[float]) -> float:
    """Latency under load in ms over hops at which so much of each second is to be had: to the router and back, and at
    each hop a burst of everybody's each way for as long as its turn takes."""
    waits = sum(1 / max(share, 0.03) for share in shares)
    return ranges.WIRED_MS + 2 * house.burst_us / 1000 * house.queued_bursts * waits


def _way(bands: Bands, settings: Settings, links: list[Link], radio: int) -> list[tuple[int, float, Options]] | None:
    """The radio links from a radio's node to the router; None where one of them is down."""
    house = bands.house
    job, by_node = house.job, {k.node: k for k in links}
    index = {n.id: i for i, n in enumerate(job.nodes)}
    node, found = job.node_of(house.radios[radio].id), []
    while node.uplink is not None:
        above = job.nodes[index[node.uplink.to_node_id]]
        if node.uplink.band is not None:
            link = by_node.get(index[node.id])
            if link is None:
                return None
            near = house.radios[link.near]
            level = house.level_dbm(link.near, link.far, near.band, settings.of(near.id).eirp_dbm)
            found.append((link.near, level, bands.link_options(settings, link)))
            above = job.node_of(near.id)
        node = above
    return found


def _through(
    bands: Bands, lives: dict[Band, BandLife], settings: Settings, hops: list[tuple[int, float, Options]]
) -> tuple[float, list[float]]:
    """(Mb/s over hops in a row, share of the airtime at each): hops on one channel take turns."""
    turns: dict[Block, float] = {}
    shares: list[float] = []
    for r, level, choice in hops:
        life = lives[bands.house.radios[r].band]
        if r not in life.radios:
            return 0.0, []
        share = left_over(life, life.radios.index(r))
        arrives = arriving(level - choice.half_dbm)
        rate = float(np.where(arrives > 0.25, choice.good_mbps * arrives, 0.0).max())
        shares.append(share)
        if rate * share <= LEAST_MBPS:
            return 0.0, shares
        block = block_of(bands.house, settings, r)
        turns[block] = turns.get(block, 0.0) + 1 / (rate * share)
    return 1 / max(turns.values()), shares


def left_over(life: BandLife, row: int) -> float:
    """Share of each second that one more user of a radio gets: what nobody takes, or its fair part."""
    air, own = life.air, ~life.senders.foreign
    foreign = float(air.sensed_foreign[row])
    taken = float(
        (
            np.where(own, air.load, 0.0) * np.maximum(air.senses[:, row], life.senders.cell == life.senders.cell[row])
        ).sum()
    )
    fair = (1 - 0.5 * foreign) / (1 + float(air.contenders[row]) + 2 * min(taken, 1.0))
    return max(1 - foreign - taken, fair)
