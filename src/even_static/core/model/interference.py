"""What two blocks do to each other: coupling, overlap, deference, and the noise that others add."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from even_static.core.airtime.rates import noise_floor_dbm
from even_static.core.arrays import Bools, Floats
from even_static.core.spectrum.channels import Block, Blocks
from even_static.core.spectrum.coupling import coupling_db
from even_static.core.spectrum.deference import decodes_and_feels, per_20_mhz_db

STRONGEST_INTERFERERS = 4


def noise_states(
    rssi_dbm: Floats, coupling_db_: Floats, audible: Bools, duty: Floats, width_mhz: int
) -> tuple[Floats, Floats]:
    """Noise by who is sending: (rise in dB, share of time), both of shape (blocks, states).

    The strongest few interferers each make a state (sending, none stronger sending); the weaker ones count with their
    mean power. ``audible`` has shape (blocks, networks) and leaves out the networks that the radio defers to; ``duty``
    is the networks' airtime, shape (networks,).
    """
    n_blocks = coupling_db_.shape[0]
    floor = 10 ** (noise_floor_dbm(width_mhz) / 10)
    power = np.where(audible & (duty > 0)[None, :], 10 ** ((rssi_dbm[None, :] + coupling_db_) / 10), 0.0)
    m = min(STRONGEST_INTERFERERS, power.shape[1])
    order = np.argsort(-power, axis=1)[:, :m]
    strong = np.take_along_axis(power, order, axis=1)
    on = np.where(strong > 0.05 * floor, duty[order] if m else 0.0, 0.0).reshape(n_blocks, m)
    mean_all = power @ duty if m else np.zeros(n_blocks)
    mean_strong = (strong * on).cumsum(axis=1)
    rise = np.empty((n_blocks, m + 1))
    share = np.empty((n_blocks, m + 1))
    off = np.ones(n_blocks)
    for i in range(m):
        rest = np.maximum(mean_all - mean_strong[:, i], 0.0)
        rise[:, i] = 10 * np.log10(1 + (strong[:, i] + rest) / floor)
        share[:, i] = off * on[:, i]
        off = off * (1 - on[:, i])
    rest = np.maximum(mean_all - (mean_strong[:, -1] if m else 0.0), 0.0)
    rise[:, m] = 10 * np.log10(1 + rest / floor)
    share[:, m] = off
    return rise, share


def defers(mine: Block, other: Block, level_dbm: float, coupling: float) -> bool:
    """Whether a radio on ``mine`` waits for a signal of ``other`` that reaches its node at a level."""
    inside = mine.primary_mhz in other.subchannels_mhz
    decodes, feels = decodes_and_feels(inside, level_dbm, per_20_mhz_db(other.width_mhz), coupling)
    return bool(decodes or feels)


@lru_cache(maxsize=1024)
def pair_coupling(blocks_a: Blocks, blocks_b: Blocks) -> tuple[Floats, Floats]:
    """Coupling in dB of a's signal into b's receiver and of b's into a's: both of shape (blocks_a, blocks_b)."""
    ca = np.array([b.centre_mhz for b in blocks_a])
    cb = np.array([b.centre_mhz for b in blocks_b])
    wa = np.array([b.width_mhz for b in blocks_a])
    wb = np.array([b.width_mhz for b in blocks_b])
    offset = np.abs(ca[:, None] - cb[None, :]).astype(np.float64)
    into_b, into_a = np.empty(offset.shape), np.empty(offset.shape)
    for x in np.unique(wa):
        for y in np.unique(wb):
            cell = np.ix_(wa == x, wb == y)
            into_b[cell] = coupling_db(offset[cell], "ofdm", int(x), "ofdm", int(y))
            into_a[cell] = coupling_db(offset[cell], "ofdm", int(y), "ofdm", int(x))
    return into_b, into_a


@lru_cache(maxsize=1024)
def pair_overlap(blocks_a: Blocks, blocks_b: Blocks) -> tuple[Bools, Bools]:
    """Whether a's primary channel lies among b's subchannels, and b's among a's: both (blocks_a, blocks_b)."""

    def inside(primaries: Blocks, hosts: Blocks) -> Bools:
        primary = np.array([b.primary_mhz for b in primaries])[:, None]
        low = np.array([b.centre_mhz - b.width_mhz // 2 + 10 for b in hosts])[None, :]
        width = np.array([b.width_mhz for b in hosts])[None, :]
        step = primary - low
        return np.asarray((step >= 0) & (step < width) & (step % 20 == 0), dtype=bool)

    return inside(blocks_a, blocks_b), inside(blocks_b, blocks_a).T
