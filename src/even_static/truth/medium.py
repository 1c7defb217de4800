"""Who is on the air for how much of each second, and what arrives: a fixed point over everybody's sensing.

Each sender waits for what it senses; what it does not sense may hit its receiver. Carrier sensing is soft, senders that
sense each other never overlap, those that do not may; a burst's rate is one for all that happens during it, so a hidden
sender cannot be dodged by choosing another rate while it sends.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Bools, Floats, Indices
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.tables.phy import Modulation
from even_static.truth import ranges
from even_static.truth.rates import Options, arriving, noise_dbm

ROUNDS, RATE_ROUNDS = 14, (0, 4, 8, 11)
STRONG = 3
MOST_BUSY = 0.97


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Senders:
    """Everybody who sends in a band. All of shape (senders,) but ``level_dbm`` (senders, senders), what each receives
    of each in the sender's whole width; ``cell`` numbers those who share one network's medium access; ``foreign``
    carry ``load``, a share of each second; ``primary_mhz`` is the middle of the primary 20 MHz."""

    level_dbm: Floats
    centre_mhz: NDArray[np.intp]
    width_mhz: NDArray[np.intp]
    primary_mhz: NDArray[np.intp]
    kind: tuple[Modulation, ...]
    cell: Indices
    foreign: Bools
    load: Floats
    deaf: Bools
    """Senders that wait for nobody."""


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Flows:
    """Own traffic in a band: from sender to receiver, wanted Mb/s, what the link may choose from, how much better its
    receiver hears than usual and what a body takes in dB; ``user`` numbers who wants it (a device or a link). All of
    shape (flows,)."""

    source: Indices
    target: Indices
    wanted_mbps: Floats
    options: tuple[Options, ...]
    chip_db: Floats
    body_db: Floats
    user: Indices


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Air:
    """What came out. By sender: its share of each second, what it senses of others and of foreign ones alone, how many
    contend with it, how much of each second it may use, what it would need; how much of each other's time it senses
    (senders, sensing senders). By flow: payload in Mb/s of a second of own airtime, airtime needed, chance of a
    collision."""

    on_air: Floats
    sensed: Floats
    sensed_foreign: Floats
    contenders: Floats
    may_use: Floats
    rate_mbps: Floats
    need: Floats
    load: Floats
    senses: Floats
    collide: Floats


def coupling(senders: Senders, below_mask_db: float) -> Floats:
    """Share in dB of each sender's power that falls into each other's channel: shape (senders, senders). Off the
    neighbouring channel real transmitters stay below their mask."""
    offset = np.minimum(np.abs(senders.centre_mhz[:, None] - senders.centre_mhz[None, :]), MAX_OFFSET_MHZ)
    found = np.empty(offset.shape)
    kinds = [(k, int(w)) for k, w in zip(senders.kind, senders.width_mhz, strict=True)]
    for kind, width in set(kinds):
        rows = np.array([k == (kind, width) for k in kinds])
        for to in np.unique(senders.width_mhz):
            columns = senders.width_mhz == to
            table = coupling_table_db(kind, width, "ofdm", int(to))
            found[np.ix_(rows, columns)] = table[offset[np.ix_(rows, columns)]]
    apart = offset >= (senders.width_mhz[:, None] + senders.width_mhz[None, :]) / 2
    return np.where(apart, found - below_mask_db, found)


def _soft(over_db: Floats) -> Floats:
    return np.asarray(1 / (1 + np.exp(np.clip(-over_db / ranges.SENSE_SOFT_DB, -40, 40))))


def sensing(senders: Senders, into_db: Floats, preamble_dbm: float, energy_dbm: float) -> Floats:
    """How much of each sender's time each other one senses: shape (senders, sensing senders), 0 to 1."""
    low = senders.centre_mhz - senders.width_mhz // 2
    inside = (senders.primary_mhz[None, :] > low[:, None]) & (
        senders.primary_mhz[None, :] < (low + senders.width_mhz)[:, None]
    )
    wifi = np.array([k != "zigbee" for k in senders.kind], dtype=bool) & ~senders.deaf
    in_20 = senders.level_dbm - 10 * np.log10(senders.width_mhz[:, None] / 20)
    found = np.where(inside & wifi[:, None], _soft(in_20 - preamble_dbm), 0.0)
    found = np.maximum(found, _soft(senders.level_dbm + into_db - energy_dbm))
    found[senders.cell[:, None] == senders.cell[None, :]] = 1.0
    found[:, senders.deaf] = 0.0
    np.fill_diagonal(found, 0.0)
    return found


def settle(senders: Senders, flows: Flows, *, preamble_dbm: float, energy_dbm: float, below_mask_db: float) -> Air:
    """The fixed point. Levels from which on preambles and energy are sensed, in dBm; how far senders stay below their
    mask beyond the neighbouring channel, in dB."""
    into_db = coupling(senders, below_mask_db)
    senses = sensing(senders, into_db, preamble_dbm, energy_dbm)
    count = len(senders.load)
    same_cell = senders.cell[:, None] == senders.cell[None, :]
    across = np.where(same_cell, 0.0, senses)
    overlap = 1 - np.maximum(senses, senses.T)
    np.fill_diagonal(overlap, 0.0)
    cells = int(senders.cell.max(initial=-1)) + 1
    on_air, busy = senders.load.copy(), np.zeros(count)
    contenders, load = np.zeros(count), senders.load.copy()
    pairs = _Pairs.of(senders, flows, into_db, senses)
    rate, collide = np.zeros(len(flows.source)), np.zeros(len(flows.source))
    need, may_use = rate, np.ones(count)
    for turn in range(ROUNDS):
        busy = _sensed(across, overlap, on_air)
        backlog = np.minimum(1.0, load / np.maximum(1 - busy, 0.05))
        contenders = across.T @ backlog
        may_use = np.maximum(1 - busy, 1 / (1 + contenders))
        collide = np.minimum(ranges.MOST_COLLISIONS, 1 - ranges.MISSES_ONE ** (ranges.CONTENDER_POWER * contenders))[
            flows.source
        ]
        if turn in RATE_ROUNDS:
            rate = pairs.rates(on_air)
        # A collision costs a burst; some are captured all the same.
        with np.errstate(divide="ignore", invalid="ignore"):
            need = np.where(rate > 0.05, flows.wanted_mbps / (rate * (1 - ranges.COLLISION_COST * collide)), 0.0)
        load = senders.load + np.bincount(flows.source, weights=need, minlength=count)
        wants = np.bincount(senders.cell, weights=load / may_use, minlength=cells)
        given = load * np.minimum(1.0, 1 / np.maximum(wants, 1e-9))[senders.cell]
        on_air = 0.5 * on_air + 0.5 * given
    foreign = _sensed(across, overlap, np.where(senders.foreign, on_air, 0.0))
    return Air(
        on_air=on_air,
        sensed=busy,
        sensed_foreign=foreign,
        contenders=contenders,
        may_use=may_use,
        rate_mbps=rate * (1 - ranges.COLLISION_COST * collide),
        need=need,
        load=load,
        senses=senses,
        collide=collide,
    )


def _sensed(across: Floats, overlap: Floats, on_air: Floats) -> Floats:
    """Share of each second that each sender finds taken: those that sense each other take turns, others overlap."""
    weight = across * on_air[:, None]
    if not len(weight):
        return np.zeros(0)
    both = 0.5 * (weight * (overlap @ weight)).sum(axis=0)
    return np.asarray(np.clip(weight.sum(axis=0) - both, weight.max(axis=0), MOST_BUSY))


@dataclass(slots=True, kw_only=True, eq=False)
class _Pairs:
    """Every flow's signal and everybody's power at its receiver, ready to choose rates by."""

    flows: Flows
    signal_dbm: Floats
    power_mw: Floats
    unheard: Floats
    half_dbm: Floats
    good_mbps: Floats
    noise_mw: Floats

    @classmethod
    def of(cls, senders: Senders, flows: Flows, into_db: Floats, senses: Floats) -> _Pairs:
        signal = senders.level_dbm[flows.source, flows.target] + flows.chip_db - flows.body_db
        power = 10 ** ((senders.level_dbm + into_db)[:, flows.target].T / 10)
        # What a sender waits for it does not meet; those of its own network neither.
        unheard = 1 - senses[:, flows.source].T
        unheard[senders.cell[None, :] == senders.cell[flows.source][:, None]] = 0.0
        most = max((len(o.half_dbm) for o in flows.options), default=1)
        half, good = np.full((len(flows.source), most), 60.0), np.zeros((len(flows.source), most))
        width = np.full((len(flows.source), most), 20.0)
        for f, o in enumerate(flows.options):
            half[f, : len(o.half_dbm)], good[f, : len(o.half_dbm)] = o.half_dbm, o.good_mbps
            width[f, : len(o.half_dbm)] = o.width_mhz
        noise = 10 ** (noise_dbm(1.0) / 10) * width
        return cls(
            flows=flows,
            signal_dbm=signal,
            power_mw=power,
            unheard=unheard,
            half_dbm=half,
            good_mbps=good,
            noise_mw=noise,
        )

    def rates(self, on_air: Floats) -> Floats:
        """Payload in Mb/s of a second of own airtime: shape (flows,)."""
        if not len(self.flows.source):
            return np.zeros(0)
        share = np.minimum(self.unheard * on_air[None, :], 0.95)
        # A burst is hit by what sends when it begins, and by what begins before it ends; hit in part, a part is lost.
        begins = 1 - (1 - share) * np.exp(-share / np.maximum(1 - share, 0.05))
        share = share + 0.4 * (begins - share)
        m = min(STRONG, share.shape[1])
        rows = np.arange(len(share))[:, None]
        weight = share * np.minimum(self.power_mw / self.noise_mw[:, :1], 1e3)
        order = np.argsort(-weight, axis=1)[:, :m]
        strong_mw, strong_on = self.power_mw[rows, order], share[rows, order]
        rest = (share * self.power_mw).sum(axis=1) - (strong_mw * strong_on).sum(axis=1)
        arrives = np.zeros(self.half_dbm.shape)
        for state in range(1 << m):
            on = np.array([(state >> i) & 1 for i in range(m)], dtype=bool)
            odds = np.where(on[None, :], strong_on, 1 - strong_on).prod(axis=1)
            if odds.max() < 1e-3:
                continue
            extra = (strong_mw * on[None, :]).sum(axis=1) + np.maximum(rest, 0.0)
            rise = 10 * np.log10(1 + extra[:, None] / self.noise_mw)
            arrives += odds[:, None] * arriving(self.signal_dbm[:, None] - rise - self.half_dbm)
        # Rate adaptation takes about the best, never what loses most of its frames.
        value = np.where(arrives > 0.25, self.good_mbps * arrives, 0.0)
        best = value.argmax(axis=1)
        taken = value[rows[:, 0], best]
        return np.asarray(ranges.ADAPTS * taken)
