"""What each other network sends itself, of what they all broadcast.

An access point broadcasts how busy it finds its channel (BSS Load): its own frames, those of every network that it
hears, and the household's own. Added up as they are, the same frames would count several times. Here they are dealt
out: each network gets a share of its own, never below nothing, so that every broadcast figure is the sum of what its
access point hears (non-negative least squares; Lawson and Hanson 1974, solved by scipy). Source of what the figure
means: IEEE 802.11-2020 9.4.2.27 (from memory).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_static.core.airtime.frames import beacon_airtime_fraction
from even_static.core.airtime.rates import rate_steps
from even_static.core.arrays import Floats, Indices
from even_static.core.model.link_tables import Client
from even_static.core.spectrum.channels import Block
from even_static.core.spectrum.coupling import coupling_db
from even_static.core.spectrum.deference import per_20_mhz_db
from even_static.core.survey.air import Air
from even_static.core.tables import channel_use as table
from even_static.core.tables.bands import BANDS
from even_static.core.tables.phy import DECODE_DEFER_DBM, ENERGY_DEFER_DBM
from even_static.core.tables.propagation import P1238_DECADE_DB


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnTraffic:
    """An own radio that is on: the place where it stands, its block and power, and its airtime in the busy hour."""

    place: int
    block: Block
    eirp_dbm: float
    need_fraction: float


def clear_need_fraction(clients: Sequence[Client], block: Block) -> float:
    """Share of each second that a radio's clients need in the busy hour where nothing else sends; beacons left out."""
    need = 0.0
    for client in clients:
        width = min(block.width_mhz, client.max_width_mhz)
        steps = rate_steps(client.generation, block.band, width, client.streams)
        down, up = (float(steps.goodput(np.array(x))) for x in (client.level_down_dbm, client.level_up_dbm))
        if down > 0 and up > 0:
            need += client.down_mbps / down + client.up_mbps / up
    return need


def sent_by_others(air: Air, own: Sequence[OwnTraffic]) -> Floats:
    """Share of each second that each other network sends itself: shape (networks,), never above its own figure.

    Own traffic is that of the hour in which a network was heard. A network that broadcasts nothing is taken to send as
    usual, and less where the figures of those that hear it leave no room for that.
    """
    found = air.use_fraction.copy()
    for band in BANDS:
        rows = np.array([k for k, n in enumerate(air.networks) if n.band == band], dtype=np.intp)
        if len(rows) and not air.assumed[rows].all():
            found[rows] = _dealt_out(air, rows, [o for o in own if o.block.band == band])
    return found


def _dealt_out(air: Air, rows: Indices, own: list[OwnTraffic]) -> Floats:
    from scipy.optimize import nnls

    networks = [air.networks[k] for k in rows]
    use, told = air.use_fraction[rows], ~air.assumed[rows]
    level = air.rssi_dbm[rows]
    loudest = level.max(axis=1)
    # Who stands where round the house nobody knows: two neighbours are taken to stand at a right angle, as far
    # from each other as Pythagoras has it.
    decade_db = P1238_DECADE_DB[networks[0].band]
    square = 10 ** (-2 * loudest / decade_db)
    between = -decade_db / 2 * np.log10(square[:, None] + square[None, :])
    blocks = [n.block for n in networks]
    primary = np.array([b.primary_mhz for b in blocks], dtype=np.float64)
    hears = _heard(between, primary, blocks, table.BETWEEN_SPREAD_DB)
    np.fill_diagonal(hears, 1.0)
    sharers, beacons = hears.sum(axis=1), beacon_airtime_fraction(networks[0].band)
    heard_of_us = np.zeros((len(rows), len(own)))
    sent = np.zeros(len(own))
    load = float(air.hour_load[rows][told].mean())
    for i, radio in enumerate(own):
        # A network that this radio hears hears it too, at a level that differs by the two powers.
        back = level[:, radio.place] + radio.eirp_dbm - table.NEIGHBOUR_EIRP_DBM
        heard_of_us[:, i] = _heard(back[:, None], primary, [radio.block], table.OURS_SPREAD_DB)[:, 0]
        sent[i] = min(radio.need_fraction * load + beacons, 1.0)
    equal = use * sharers / (sharers + heard_of_us.sum(axis=1))
    left = np.maximum(use - heard_of_us @ sent, table.LEAST_OF_EQUAL * equal)
    usual = np.maximum(np.where(told, left / sharers, use), np.minimum(beacons, use))
    # Nobody sends less than beacons: what is found is what comes beside them.
    least = np.concatenate([np.minimum(beacons, use), np.full(len(own), beacons)])
    wanted = np.concatenate([usual, sent]) - least
    error = np.concatenate(
        [np.full(len(rows), table.SHARE_ERROR), np.maximum(table.OWN_ERROR * sent, table.TOLD_ERROR)]
    )
    both = np.hstack([hears, heard_of_us])[told]
    a = np.vstack([both / table.TOLD_ERROR, np.diag(1 / error)])
    b = np.concatenate([(use[told] - both @ least) / table.TOLD_ERROR, wanted / error])
    found = nnls(a, b, maxiter=table.ROUNDS_EACH * a.shape[1])[0][: len(rows)] + least[: len(rows)]
    return np.asarray(np.minimum(found, np.where(told, use, 1.0)))


def _heard(level_dbm: Floats, primary_mhz: Floats, blocks: Sequence[Block], spread_db: float) -> Floats:
    """How likely each access point hears signals of blocks on its primary channel, by their level there: all of shape
    (access points, blocks)."""
    width = np.array([b.width_mhz for b in blocks])
    decodes = np.stack([np.isin(primary_mhz, b.subchannels_mhz) for b in blocks], axis=1)
    offset = np.abs(primary_mhz[:, None] - np.array([b.centre_mhz for b in blocks])[None, :])
    into = np.empty(offset.shape)
    for one in np.unique(width):
        into[:, width == one] = coupling_db(offset[:, width == one], "ofdm", int(one), "ofdm", 20)
    preamble = np.where(decodes, _soft(level_dbm - per_20_mhz_db(width)[None, :] - DECODE_DEFER_DBM, spread_db), 0.0)
    return np.maximum(preamble, _soft(level_dbm + into - ENERGY_DEFER_DBM, spread_db))


def _soft(over_db: Floats, spread_db: float) -> Floats:
    return np.asarray(1 / (1 + np.exp(-1.702 * over_db / spread_db)))
