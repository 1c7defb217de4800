"""One band of a setting in all worlds: who waits for whom, what each client's airtime costs, what is left over."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.contention import backlog
from even_static.core.airtime.frames import beacon_airtime_fraction
from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.arrays import Floats32
from even_static.core.spectrum.channels import Block
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.spectrum.deference import per_20_mhz_db
from even_static.core.tables import worlds as table
from even_static.core.tables.bands import Band
from even_static.core.worlds.drawn import Foreign, Worlds
from even_static.core.worlds.links import looked_up, picked, soft

LEAST_MBPS = 0.05
LINK_USERS = 3.0


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Users:
    """Who uses a band's radios: devices first, radio links behind them. ``radio``: index of the radio among those of
    the band that are on, -1 for none (worlds, users); levels in dBm that the user and the radio receive; wanted Mb/s
    down and up; row of its rate table; chips at both ends in dB; ``device``: its number, -1 for a link."""

    radio: NDArray[np.intp]
    down_dbm: Floats32
    up_dbm: Floats32
    wanted_mbps: Floats32
    row: NDArray[np.intp]
    tables: Floats32
    chip_db: Floats32
    device: NDArray[np.intp]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class BandLived:
    """What came of it. By (worlds, radios): airtime that foreign networks leave, own need, what own radios in hearing
    need, headroom, ``duty``, the share of each second that a radio's cell is on the air. ``granted`` (worlds, users):
    share of its need that each gets."""

    available: Floats32
    need: Floats32
    shared: Floats32
    headroom: Floats32
    granted: Floats32
    duty: Floats32


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Alone:
    """One radio on one block beside the foreign networks: coupling of each into the block as a ratio (networks,); share
    of the time that each sends while this radio does not wait (worlds, networks); airtime left (worlds,); contenders
    (worlds,); power of each at the node, as it falls into the block, in mW (worlds, networks)."""

    coupling: Floats32
    hidden: Floats32
    available: Floats32
    contenders: Floats32
    power_mw: Floats32


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class OwnPairs:
    """Own radios of a band to each other: how much of b's time a waits (worlds, a, b), coupling of b into a as a ratio
    (a, b)."""

    share: Floats32
    coupling: Floats32


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Setup:
    """A band of a setting: its radios that are on, by their number in the house, their blocks, the powers in dBm of all
    radios of the house, each radio beside the foreign networks and all of them beside each other."""

    radios: list[int]
    blocks: list[Block]
    eirp_dbm: Floats32
    alone: list[Alone]
    pairs: OwnPairs


class BandWorlds:
    """What does not change with who uses what: coupling and deference of one radio on one block, kept."""

    def __init__(self, worlds: Worlds, band: Band) -> None:
        self.worlds, self.band = worlds, band
        foreign = worlds.foreign[band]
        self.at_device_mw = 10 ** (foreign.at_device_dbm.transpose(0, 2, 1) / 10)
        self.at_radio_mw = 10 ** (foreign.at_radio_dbm / 10)
        self.on_air = _on_air(foreign)
        self._kept: dict[tuple[int, Block], Alone] = {}
        self._pairs: dict[tuple[int, Block, int, Block, float], tuple[Floats32, float]] = {}

    def alone(self, radio: int, block: Block) -> Alone:
        """A radio, by its number in the house, on a block beside the foreign networks."""
        key = (radio, block)
        if key in self._kept:
            return self._kept[key]
        worlds, foreign = self.worlds, self.worlds.foreign[self.band]
        into = self._coupling_db(block)
        level = foreign.at_radio_dbm[:, :, radio]
        low = foreign.centre_mhz - foreign.width_mhz // 2
        inside = (block.primary_mhz > low) & (block.primary_mhz < low + foreign.width_mhz) & foreign.wifi
        per_20 = per_20_mhz_db(np.maximum(foreign.width_mhz, 20)).astype(np.float32)
        decodes = np.where(inside[None, :], soft(level - per_20[None, :] - worlds.preamble_dbm), 0.0)
        feels = soft(level + into[None, :] - worlds.energy_dbm)
        defers = np.maximum(decodes, feels)
        use = foreign.use
        waits = defers * use
        busy = np.minimum(0.5 * (waits.sum(axis=1) + 1 - np.prod(1 - waits, axis=1)), table.MOST_BUSY)
        contenders = (np.where(foreign.wifi[None, :], defers, 0.0) * backlog(use, busy[:, None])).sum(axis=1)
        available = np.maximum(1 - busy, 1 / (1 + contenders))
        ratio = (10 ** (into / 10)).astype(np.float32)
        hidden = ((1 - defers) * self.on_air).astype(np.float32)
        found = Alone(
            coupling=ratio,
            hidden=hidden,
            available=available.astype(np.float32),
            contenders=contenders.astype(np.float32),
            power_mw=(self.at_radio_mw[:, :, radio] * ratio[None, :]).astype(np.float32),
        )
        self._kept[key] = found
        return found

    def _coupling_db(self, block: Block) -> Floats32:
        foreign = self.worlds.foreign[self.band]
        spectra = self.worlds.house.spectra(self.band)
        heard = spectra.coupling(np.array([block.centre_mhz], dtype=np.intp), block.width_mhz)[0]
        unheard = slice(foreign.heard, None)
        away = np.minimum(np.abs(foreign.centre_mhz[unheard] - block.centre_mhz), MAX_OFFSET_MHZ)
        more = [
            coupling_table_db("ofdm", int(w), "ofdm", block.width_mhz)[o]
            for o, w in zip(away, foreign.width_mhz[unheard], strict=True)
        ]
        return np.concatenate([heard, np.array(more, dtype=np.float64)]).astype(np.float32)

    def pair(self, one: tuple[int, Block], other: tuple[int, Block], eirp_dbm: float) -> tuple[Floats32, float]:
        """(share of the other's time that one of two own radios waits in each world, coupling into it as a ratio), each
        radio by its number in the house and its block, the other's power in dBm."""
        (a, mine), (b, its), worlds = one, other, self.worlds
        key = (a, mine, b, its, eirp_dbm)
        if key not in self._pairs:
            offset = min(abs(mine.centre_mhz - its.centre_mhz), MAX_OFFSET_MHZ)
            into = float(coupling_table_db("ofdm", its.width_mhz, "ofdm", mine.width_mhz)[offset])
            level = worlds.own_radio_dbm[:, b, a] + np.float32(eirp_dbm)
            share = soft(level + into - worlds.energy_dbm[:, 0])
            if mine.primary_mhz in its.subchannels_mhz:
                in_20 = level - float(per_20_mhz_db(its.width_mhz))
                share = np.maximum(share, soft(in_20 - worlds.preamble_dbm[:, 0]))
            self._pairs[key] = share, 10 ** (into / 10)
        return self._pairs[key]


def _on_air(foreign: Foreign) -> Floats32:
    """Share of each second that each foreign network is on the air (worlds, networks): those of Wi-Fi take turns where
    the middle of one lies in the other's block, so that together they send no more than a channel holds."""
    centre, width, wifi = foreign.centre_mhz, foreign.width_mhz, foreign.wifi
    apart = np.abs(centre[:, None] - centre[None, :])
    in_turn = (apart < np.maximum(width[:, None], width[None, :]) / 2) & wifi[:, None] & wifi[None, :]
    together = foreign.use @ in_turn.astype(np.float32)
    share = np.where(wifi, np.minimum(1.0, table.MOST_DUTY / np.maximum(together, 1e-6)), 1.0)
    return np.asarray(foreign.use * share, dtype=np.float32)


def own_pairs(kept: BandWorlds, radios: list[int], blocks: list[Block], eirp_dbm: Floats32) -> OwnPairs:
    """Own radios of a band, by their numbers in the house, to each other."""
    n = len(radios)
    share = np.zeros((kept.worlds.count, n, n), dtype=np.float32)
    ratio = np.zeros((n, n), dtype=np.float32)
    for i, a in enumerate(radios):
        for j, b in enumerate(radios):
            if i != j:
                share[:, i, j], ratio[i, j] = kept.pair((a, blocks[i]), (b, blocks[j]), float(eirp_dbm[b]))
    # One that waits for the other makes the two share, whoever it is.
    return OwnPairs(share=np.maximum(share, share.transpose(0, 2, 1)), coupling=ratio)


def lived_band(kept: BandWorlds, radios: list[int], blocks: list[Block], eirp_dbm: Floats32, users: Users) -> BandLived:
    """A band of a setting: ``radios`` that are on, their blocks, all radios' powers, and who uses them."""
    worlds, count, n = kept.worlds, kept.worlds.count, len(radios)
    alone = [kept.alone(r, b) for r, b in zip(radios, blocks, strict=True)]
    pairs = own_pairs(kept, radios, blocks, eirp_dbm)
    setup = Setup(radios=radios, blocks=blocks, eirp_dbm=eirp_dbm, alone=alone, pairs=pairs)
    available = np.stack([a.available for a in alone], axis=1) if n else np.zeros((count, 0), dtype=np.float32)
    contenders = np.stack([a.contenders for a in alone], axis=1) if n else np.zeros((count, 0), dtype=np.float32)
    on = users.radio >= 0
    at = np.where(on, users.radio, 0)
    collide = 1 - table.MISSES_ONE ** (table.CONTENDER_POWER * contenders)
    # Without interference first: that is how long own radios are on the air for each other.
    chip = np.float32(table.USUAL_CHIP_DB)
    down = looked_up(users.tables, users.row, users.down_dbm + users.chip_db)
    up = looked_up(users.tables, users.row, users.up_dbm + chip)
    carries = picked(worlds.efficiency[:, radios], at) if n else np.ones_like(down)
    need, dead = _needs(users, on, down * carries, up * carries)
    duty = np.minimum(_summed(need, users.radio, n), table.MOST_DUTY)
    if n:
        lost_down, lost_up = _interference(kept, setup, duty, users)
        down = _carried(users, users.down_dbm, users.chip_db, lost_down)
        up = _carried(users, users.up_dbm, chip, lost_up)
        need, dead = _needs(users, on, down * carries, up * carries)
    if n:
        need = need / (1 - table.COLLISION_COST * picked(collide, at))
    per_radio = _summed(need, users.radio, n) + np.float32(beacon_airtime_fraction(kept.band))
    shared = np.einsum("wab,wb->wa", pairs.share, per_radio)
    headroom = available / np.maximum(per_radio + shared, 1e-6)
    return BandLived(
        available=available,
        need=per_radio,
        shared=shared,
        headroom=headroom,
        granted=_granted(users, on & ~dead, need, available, per_radio, shared),
        duty=np.minimum(per_radio * np.minimum(headroom, 1.0), table.MOST_DUTY),
    )


def _summed(values: Floats32, radio: NDArray[np.intp], radios: int) -> Floats32:
    """Values of users summed by their radio: (worlds, radios)."""
    found = np.zeros((values.shape[0], radios), dtype=np.float32)
    for a in range(radios):
        found[:, a] = np.where(radio == a, values, 0.0).sum(axis=1)
    return found


def _needs(users: Users, on: NDArray[np.bool_], down: Floats32, up: Floats32) -> tuple[Floats32, NDArray[np.bool_]]:
    """(airtime that each user needs, users whose link is dead), with what a second of their airtime carries."""
    dead = on & ((down <= LEAST_MBPS) | (up <= LEAST_MBPS))
    wanted = users.wanted_mbps
    need = wanted[:, :, 0] / np.maximum(down, LEAST_MBPS) + wanted[:, :, 1] / np.maximum(up, LEAST_MBPS)
    return np.where(on & ~dead, need, 0.0).astype(np.float32), dead


def _interference(kept: BandWorlds, setup: Setup, duty: Floats32, users: Users) -> tuple[Lost, Lost]:
    """What hidden senders do to each user's link down and up: networks that its radio does not wait for, and own radios
    that are on the air for a share ``duty`` (worlds, radios) of each second."""
    worlds, radios, n = kept.worlds, setup.radios, len(setup.radios)
    share, ratio, eirp_dbm = setup.pairs.share, setup.pairs.coupling, setup.eirp_dbm
    at = np.maximum(users.radio, 0)
    networks = len(setup.alone[0].coupling)
    floor = np.array([10 ** (noise_floor_dbm(b.width_mhz) / 10) for b in setup.blocks], dtype=np.float32)
    hidden = np.zeros((worlds.count, n, networks + n), dtype=np.float32)
    node_mw = np.zeros_like(hidden)
    into = np.zeros((n, networks + n), dtype=np.float32)
    for i, one in enumerate(setup.alone):
        hidden[:, i, :networks], node_mw[:, i, :networks], into[i, :networks] = one.hidden, one.power_mw, one.coupling
        for j, b in enumerate(radios):
            if i != j:
                hidden[:, i, networks + j] = (1 - share[:, i, j]) * duty[:, j]
                level = worlds.own_radio_dbm[:, b, radios[i]] + eirp_dbm[b]
                node_mw[:, i, networks + j] = 10 ** (level / 10) * ratio[i, j]
                into[i, networks + j] = ratio[i, j]
    up = _lost(hidden, node_mw, floor[None, :]).of(at)
    devices = users.device >= 0
    own_mw = np.zeros((worlds.count, len(users.device), networks + n), dtype=np.float32)
    if devices.any():
        d = users.device[devices]
        own_mw[:, devices, :networks] = kept.at_device_mw[:, d, :]
        for j, b in enumerate(radios):
            own_mw[:, devices, networks + j] = 10 ** ((worlds.own_device_dbm[:, d, b] + eirp_dbm[b]) / 10)
    for u in np.flatnonzero(~devices):
        # A radio link's far end meets about what its near end meets.
        own_mw[:, u, :] = picked(node_mw, at[:, u : u + 1])[:, 0] / np.maximum(into[at[:, u]], 1e-9)
    down = _lost(picked(hidden, at), own_mw * into[at], floor[at])
    return down, up


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Lost:
    """What hidden senders do to links: rise of the noise in dB while neither of the two strongest sends, while the
    second does, while both do; share of the time in which neither sends, in which the strongest does not."""

    rise_db: tuple[Floats32, Floats32, Floats32]
    neither: Floats32
    not_strongest: Floats32

    def of(self, at: NDArray[np.intp]) -> Lost:
        """Of each user by its radio's number ``at`` (worlds, users), where this is by radio (worlds, radios)."""
        quiet, second, both = (picked(x, at) for x in self.rise_db)
        return Lost(
            rise_db=(quiet, second, both),
            neither=picked(self.neither, at),
            not_strongest=picked(self.not_strongest, at),
        )


def _lost(hidden: Floats32, power_mw: Floats32, floor_mw: Floats32) -> Lost:
    """From the share of the time that each sender is hidden and its power (worlds, users or radios, senders), over a
    floor (worlds, users or radios)."""
    weight = hidden * np.minimum(power_mw / floor_mw[..., None], 1e3)
    total = (hidden * power_mw).sum(axis=-1)
    world, one = np.ogrid[: weight.shape[0], : weight.shape[1]]
    first = world, one, weight.argmax(axis=-1)
    p1, h1 = power_mw[first], hidden[first]
    weight[first] = -1.0
    second = world, one, weight.argmax(axis=-1)
    p2, h2 = power_mw[second], hidden[second]
    swap = p2 > p1
    p1, p2 = np.where(swap, p2, p1), np.where(swap, p1, p2)
    h1, h2 = np.where(swap, h2, h1), np.where(swap, h1, h2)
    rest = np.maximum(total - p1 * h1 - p2 * h2, 0.0)
    # What begins during a burst hits it too.
    h1, h2 = (h + 0.3 * h * (1 - h) for h in (h1, h2))
    quiet, second, both = (10 * np.log10(1 + (rest + more) / floor_mw) for more in (0.0, p2, p1 + p2))
    return Lost(rise_db=(quiet, second, both), neither=(1 - h1) * (1 - h2), not_strongest=1 - h1)


def _carried(users: Users, level: Floats32, chip_db: Floats32 | np.float32, lost: Lost) -> Floats32:
    """Mb/s of a second of own airtime at the best single rate: one that what is hidden spoils, or one that it does
    not."""
    quiet, second, both = (looked_up(users.tables, users.row, level + chip_db - rise) for rise in lost.rise_db)
    return np.asarray(np.maximum.reduce([lost.neither * quiet, lost.not_strongest * second, both]), dtype=np.float32)


def _granted(
    users: Users, alive: NDArray[np.bool_], need: Floats32, available: Floats32, per_radio: Floats32, shared: Floats32
) -> Floats32:
    """Share of its need that each user gets whose link is ``alive`` (worlds, users), where a radio's airtime is dealt
    out evenly once more is asked for than is ``available``; a radio link counts as several users."""
    got = np.where(alive, 1.0, 0.0).astype(np.float32)
    weight = np.where(users.device >= 0, 1.0, LINK_USERS).astype(np.float32)[None, :]
    for a in range(per_radio.shape[1]):
        total = per_radio[:, a] + shared[:, a]
        short = np.flatnonzero(total > available[:, a])
        if not len(short):
            continue
        mine = (users.radio[short] == a) & alive[short]
        needs = np.where(mine, need[short], 0.0)
        # Own radios in hearing take turns: each has its part of what there is.
        whole, part_of = available[short, a], per_radio[short, a] / total[short]
        budget = np.maximum(whole - shared[short, a], whole * part_of)
        low, high = np.zeros(len(short), dtype=np.float32), np.ones(len(short), dtype=np.float32)
        for _ in range(12):
            level = 0.5 * (low + high)
            spent = np.minimum(needs, level[:, None] * weight).sum(axis=1)
            low, high = np.where(spent <= budget, level, low), np.where(spent <= budget, high, level)
        part = np.minimum(1.0, low[:, None] * weight / np.maximum(needs, 1e-9))
        got[short] = np.where(mine, part, got[short])
    return got
