"""A good phone in every world: which radio it joins at each place, how fast it is there and how long it waits."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.association import wished
from even_static.core.arrays import Floats, Floats32
from even_static.core.house.settings import Settings
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import Block
from even_static.core.tables import worlds as table
from even_static.core.tables.bands import Band
from even_static.core.worlds.band import LEAST_MBPS, BandLived, Users
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.links import Rates, looked_up


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class SpeedTests:
    """A good phone's speed test at each place in every world: Mb/s down and up, latency under load in ms (worlds,
    places)."""

    down_mbps: Floats
    up_mbps: Floats
    latency_ms: Floats

    def latency_at(self, place: int) -> Floats | None:
        """Latency at a place in the worlds in which anything gets through; none where that is not most of them."""
        through = self.down_mbps[:, place] > 0
        return np.asarray(self.latency_ms[through, place]) if through.mean() > 0.5 else None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class AtWork:
    """A setting at work: the house as its links are put, the radio of each device (worlds, devices), radio links that
    work as (node, near, far, level at 0 dBm in each world), each band's radios, users and airtime, powers, blocks."""

    settings: Settings
    linked: House
    home: NDArray[np.intp]
    links: list[tuple[int, int, int, Floats32]]
    bands: dict[Band, tuple[list[int], Users, BandLived]]
    eirp_dbm: Floats32
    blocks: list[Block]


def left_over(work: AtWork) -> dict[int, Floats32]:
    """Share of each second that one more user of each radio gets: what nobody takes, or its fair part."""
    left: dict[int, Floats32] = {}
    for radios, _, lived in work.bands.values():
        for k, r in enumerate(radios):
            free = lived.available[:, k] - lived.need[:, k] - lived.shared[:, k]
            fair = lived.available[:, k] / (1 + np.minimum(2.0, 2 * (lived.need[:, k] + lived.shared[:, k])))
            left[r] = np.maximum(free, 0.7 * fair)
    return left


def _phone_wishes(worlds: Worlds, work: AtWork, left: dict[int, Floats32]) -> dict[int, Floats32]:
    """How much a usual phone wants each radio at each place, in dB: (worlds, places)."""
    names, found = work.settings.ssid_plan, dict[int, Floats32]()
    steer = names.high_band_from_dbm
    for r, radio in enumerate(work.linked.radios):
        if r not in left or radio.link_only or radio.id in names.backhaul_only:
            continue
        here = _at_places(worlds, work, r)
        wish = wished(here, sum(table.TASTE_DB[radio.band]) / 2)
        if steer is not None and radio.band != "2.4 GHz":
            wish = wish + np.where(here >= steer, 30.0, 0.0)
        found[r] = np.asarray(wish, dtype=np.float32)
    return found


def _at_places(worlds: Worlds, work: AtWork, r: int) -> Floats32:
    return np.asarray(np.minimum(worlds.own_place_dbm[:, :, r] + work.eirp_dbm[r], -18.0))


def _hops(work: AtWork, r: int) -> list[tuple[int, int, Floats32]] | None:
    """The radio links from a radio's node to the router, as (near, far, level at 0 dBm); None where one is down."""
    way = {node: (near, far, lv) for node, near, far, lv in work.links}
    found = []
    for node in work.linked.above[work.linked.radio_node[r]]:
        uplink = work.linked.job.nodes[node].uplink
        if uplink is not None and uplink.band is not None:
            if node not in way:
                return None
            found.append(way[node])
    return found


def speeds(worlds: Worlds, rates: Rates, work: AtWork, up: bool = False) -> Floats:
    """Mb/s, down or up, that a good phone gets at each place while the household goes on: (worlds, places)."""
    left = left_over(work)
    shape = worlds.own_place_dbm.shape[:2]
    best = np.full(shape, -np.inf, dtype=np.float32)
    speed = np.zeros(shape, dtype=np.float32)
    chip = np.float32(table.USUAL_CHIP_DB)
    for r, wish in _phone_wishes(worlds, work, left).items():
        radio, block = work.linked.radios[r], work.blocks[r]
        width = min(block.width_mhz, table.PHONE_WIDTH_MHZ)
        row = rates.row(radio.generation, "802.11ax", radio.band, width, min(radio.streams, table.PHONE_STREAMS))
        here = _at_places(worlds, work, r)
        if up:
            here = here + np.float32(table.PHONE_EIRP_DBM - work.eirp_dbm[r])
        rate = looked_up(rates.stacked, np.array(row), here + chip) * left[r][:, None]
        turns = {block: 1 / np.maximum(rate, LEAST_MBPS)}
        hops = _hops(work, r)
        for near, far, lv in hops or []:
            row_of = np.array(rates.link_row(work.linked, near, far, work.blocks[near]))
            hop = looked_up(rates.stacked, row_of, lv + work.eirp_dbm[far if up else near] + chip)
            hop = np.maximum(hop * left[near], LEAST_MBPS)[:, None]
            turns[work.blocks[near]] = turns.get(work.blocks[near], np.float32(0)) + 1 / hop
        through = 1 / np.maximum.reduce([np.broadcast_to(t, rate.shape) for t in turns.values()])
        through = np.where((hops is not None) & (rate > LEAST_MBPS), through, 0.0)
        taken = wish > best
        best, speed = np.where(taken, wish, best), np.where(taken, through, speed)
    return (speed * worlds.phone).astype(np.float64)


def as_tested(worlds: Worlds, tests: SpeedTests) -> SpeedTests:
    """What one more test at each place shows: with nothing changed its speeds differ from one to the next. The same in
    the same worlds, so that two settings are told apart by what they do alone."""
    swing = np.exp(np.random.default_rng((worlds.seed, 19)).normal(0, table.TEST_AGAIN, tests.down_mbps.shape))
    return replace(tests, down_mbps=tests.down_mbps * swing, up_mbps=tests.up_mbps * swing)


def under_load_ms(waiting_ms: Floats32, left: list[Floats32]) -> Floats32:
    """Latency under load in ms: to the router and back, and at each hop what waits on a free channel for as much
    longer as others leave less of the channel; ``left`` is what they leave, hop by hop, all of one shape.

    Held to ns-3 (tests/core/test_latency_against_ns3.py)."""
    turns = np.sum([1 / np.maximum(h, np.float32(0.03)) for h in left], axis=0, dtype=np.float32)
    return np.float32(table.IDLE_MS) + waiting_ms * turns


def latency_ms(worlds: Worlds, work: AtWork) -> Floats:
    """Latency under load in ms at each place, by :func:`under_load_ms` over the hops of the radio that a phone joins
    there: (worlds, places). Queues of boxes that do not keep them short come on top."""
    left = left_over(work)
    shape = worlds.own_place_dbm.shape[:2]
    best = np.full(shape, -np.inf, dtype=np.float32)
    found = np.full(shape, table.IDLE_MS, dtype=np.float32)
    for r, wish in _phone_wishes(worlds, work, left).items():
        hops = [left[r], *(left[near] for near, _, _ in _hops(work, r) or [])]
        here = np.broadcast_to(under_load_ms(worlds.waiting_ms, [h[:, None] for h in hops]), shape)
        taken = wish > best
        best, found = np.where(taken, wish, best), np.where(taken, here, found)
    return (found * worlds.phone**-table.LATENCY_BY_PHONE).astype(np.float64)
