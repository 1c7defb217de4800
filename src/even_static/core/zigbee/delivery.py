"""From signal-to-noise ratio to delivered frames.

Bit error rate of the 2.4 GHz O-QPSK layer (IEEE 802.15.4-2006 annex E, from memory):
``8/15 * 1/16 * sum_{k=2..16} (-1)^k C(16,k) exp(20 SINR (1/k - 1))`` with SINR as a linear ratio.
"""

from __future__ import annotations

import itertools
from math import comb

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.tables import zigbee as table

_K = np.arange(2, 17)
_WEIGHT = np.array([(-1) ** k * comb(16, k) for k in range(2, 17)], dtype=np.float64)
_GRID_DB = np.arange(-20.0, 15.01, 0.05)


def bit_error_rate(sinr_db: float | Floats) -> Floats:
    """Bit error rate, 0..0.5, for a ratio of signal to noise and interference in dB (any shape)."""
    sinr = 10 ** (np.asarray(sinr_db, dtype=np.float64) / 10)
    terms = _WEIGHT * np.exp(20 * sinr[..., None] * (1 / _K - 1))
    return np.asarray(np.clip(8 / 15 / 16 * terms.sum(axis=-1), 0.0, 0.5), dtype=np.float64)


def frame_error_rate(sinr_db: float | Floats, frame_bytes: int = table.FRAME_BYTES) -> Floats:
    """Share of frames of so many bytes with at least one wrong bit, for a ratio in dB (any shape)."""
    return np.asarray(-np.expm1(8 * frame_bytes * np.log1p(-bit_error_rate(sinr_db))), dtype=np.float64)


# From so many settings at once, stretch by stretch is faster than all stretches in one call (measured).
WIDE = 100
_EXCHANGE_SUCCESS = (1 - frame_error_rate(_GRID_DB)) * (1 - frame_error_rate(_GRID_DB, table.ACK_BYTES))


def exchange_success(sinr_db: Floats) -> Floats:
    """Share of attempts in which frame and acknowledgement both arrive (any shape), from a 0.05 dB table.

    The acknowledgement is taken to meet the same ratio as its frame.
    """
    return np.interp(sinr_db, _GRID_DB, _EXCHANGE_SUCCESS)


def hop_delivery(attempt_success: Floats, idle_fraction: Floats) -> Floats:
    """Delivery over one hop, 0..1: three retries, each behind a clear-channel assessment with five tries.

    ``attempt_success`` is the share of sent frames that are acknowledged, ``idle_fraction`` the share of time in which
    the sender finds the channel clear (same shape). Wi-Fi comes in spells: within one the tries find it busy together,
    and about half of the retries fall into the spell of the first (held to ns-3's 802.15.4 beside its Wi-Fi).
    """
    # Spells come for held / inside of the time, and within one all tries find it busy with inside ** tries.
    held = 1 - idle_fraction
    busy = np.asarray(np.maximum(held, table.SPELL_DUTY) ** (table.SPELL_TRIES - 1))
    busy *= held
    fails = 1 - (1 - busy) * attempt_success
    lost = np.asarray(np.sqrt(fails))
    lost *= fails
    lost *= fails
    return np.asarray(1 - lost, dtype=np.float64)


def _best_of_each(over: Floats, starts: NDArray[np.intp]) -> Floats:
    """The largest of each stretch of rows, which begin at ``starts``: shape (stretches, columns)."""
    if over.shape[1] < WIDE:
        return np.asarray(np.maximum.reduceat(over, starts, axis=0), dtype=np.float64)
    found = np.empty((len(starts), over.shape[1]))
    for row, (first, after) in enumerate(itertools.pairwise([*starts.tolist(), len(over)])):
        np.maximum.reduce(over[first:after], axis=0, out=found[row])
    return found


def route_delivery(
    hop: Floats,
    source: NDArray[np.intp],
    target: NDArray[np.intp],
    relays: NDArray[np.bool_],
    roots: tuple[int, ...] = (0,),
) -> Floats:
    """Best delivery between the hub (or the root of its own mesh) and every device, over mains-powered relays.

    ``hop[..., e]`` is the delivery of directed hop e from ``source[e]`` to ``target[e]``; index 0 is the hub, and
    ``relays[i]`` tells whether i passes frames on (the hub does). Returns ``[..., n]``: 1 for the hub, 0 for no route.
    """
    best = np.zeros((*hop.shape[:-1], len(relays)))
    best[..., list(roots)] = 1.0
    usable = np.flatnonzero(relays[source])
    if len(usable) == 0:
        return best
    order = usable[np.argsort(target[usable], kind="stable")]
    sources, targets = source[order], target[order]
    starts = np.flatnonzero(np.r_[True, targets[1:] != targets[:-1]])
    reached = targets[starts]
    # Hops and devices stand first while routes are found: many settings at once lie side by side in memory then.
    hops = np.ascontiguousarray(hop.reshape(-1, hop.shape[-1])[:, order].T)
    to = np.ascontiguousarray(best.reshape(-1, len(relays)).T)
    so_far, over = to[reached], np.empty_like(hops)
    for _ in range(len(relays)):
        np.take(to, sources, axis=0, out=over)
        over *= hops
        better = np.maximum(so_far, _best_of_each(over, starts))
        if np.array_equal(better, so_far):
            break
        to[reached] = so_far = better
    return to.T.reshape(best.shape)
