"""Zigbee delivery under a house's Wi-Fi and its neighbours', as products over interferers.

Each interferer spoils a share ``duty * kill`` of the attempts on a link, where ``kill`` is what its level at the
receiver does to a frame while it sends, and holds the sender back for a share ``duty`` of the time when its energy
there is above the clear-channel level. Shares of different interferers multiply: they are taken as independent.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_static.core.house.job import HUB_ID
from even_static.core.spectrum.channels import Block, zigbee_mhz
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.tables import zigbee as table
from even_static.core.tuning.air import UNHEARD_DBM
from even_static.core.tuning.scene import Scene
from even_static.core.zigbee.delivery import exchange_success, hop_delivery, route_delivery

Floats = NDArray[np.float64]
_NOISE_MW = 10 ** (table.NOISE_DBM / 10)


class ZigbeeTerms:
    """Tables of one scene: ``hops`` directed hops (each link twice), per Zigbee channel and interferer."""

    def __init__(self, scene: Scene) -> None:
        house = scene.house
        zigbee = house.job.zigbee
        assert zigbee is not None, "a job without Zigbee has no Zigbee terms"
        self.scene = scene
        self.ids = [HUB_ID, *(d.id for d in zigbee.devices)]
        index = {name: i for i, name in enumerate(self.ids)}
        place = [house.places[zigbee.hub_place_id], *(house.places[d.place_id] for d in zigbee.devices)]
        a = [index[link.a_id] for link in zigbee.links]
        b = [index[link.b_id] for link in zigbee.links]
        self.source = np.array([*a, *b], dtype=np.intp)
        self.target = np.array([*b, *a], dtype=np.intp)
        self.links = len(a)
        level = np.array([link.rssi_dbm for link in zigbee.links] * 2, dtype=np.float64)
        self.relays = np.array([True, *(d.mains_powered for d in zigbee.devices)], dtype=bool)
        self.at_source = np.array(place, dtype=np.intp)[self.source]
        self.at_target = np.array(place, dtype=np.intp)[self.target]
        self.signal_mw = 10 ** (level / 10)
        self.clear = exchange_success(level - table.NOISE_DBM)
        self._base: dict[int, tuple[Floats, Floats]] = house.table("zigbee base")
        self._own: dict[tuple[int, Block, int], tuple[Floats, Floats]] = house.table("zigbee own")

    def harm(self, at_target_dbm: Floats, at_source_dbm: Floats, duty: Floats) -> tuple[Floats, Floats]:
        """(log of the share of attempts not spoilt, log of the share of time not held back), by hop.

        Levels are those inside the Zigbee channel, shape (..., hops); ``duty`` broadcasts against them.
        """
        interference = 10 ** (at_target_dbm / 10)
        sinr_db = 10 * np.log10(self.signal_mw / (_NOISE_MW + interference))
        with np.errstate(invalid="ignore", divide="ignore"):
            kill = np.where(self.clear > 0, 1 - np.minimum(exchange_success(sinr_db) / self.clear, 1.0), 0.0)
        held = at_source_dbm >= table.CCA_DBM
        return np.log1p(-np.minimum(duty * kill, 1 - 1e-9)), np.log1p(-np.minimum(duty * held, 1 - 1e-9))

    def neighbours(self, channel: int) -> tuple[Floats, Floats]:
        """Harm of each other network on a Zigbee channel: two arrays of shape (networks, hops)."""
        if channel not in self._base:
            spectra = self.scene.house.spectra("2.4 GHz")
            offset = np.minimum(np.abs(spectra.centre - zigbee_mhz(channel)), MAX_OFFSET_MHZ)
            into = [
                coupling_table_db(kind, width, "zigbee", 2)[o]
                for (kind, width), o in zip(spectra.kinds, offset, strict=True)
            ]
            coupling = np.array(into, dtype=np.float64).reshape(-1, 1)
            duty = spectra.layers(None)[:, None]
            self._base[channel] = self.harm(
                spectra.rssi_dbm[:, self.at_target] + coupling, spectra.rssi_dbm[:, self.at_source] + coupling, duty
            )
        return self._base[channel]

    def own(self, radio: int, block: Block, channel: int, duty: float) -> tuple[Floats, Floats]:
        """Harm of an own radio on a block: two arrays of shape (hops,). ``duty`` is its own airtime need."""
        key = (self.scene.load[radio], block, channel)
        if key not in self._own:
            level = self.scene.own_rssi_dbm[radio]
            offset = abs(block.centre_mhz - zigbee_mhz(channel))
            into = coupling_table_db("ofdm", block.width_mhz, "zigbee", 2)[min(offset, MAX_OFFSET_MHZ)]
            heard = np.where(level > UNHEARD_DBM, level + into, UNHEARD_DBM)
            self._own[key] = self.harm(heard[self.at_target], heard[self.at_source], np.array(min(duty, 1.0)))
        return self._own[key]

    def hop_deliveries(self, log_ok: Floats, log_idle: Floats) -> Floats:
        """Delivery by directed hop for summed logs, any leading shape; the worse direction stands for both."""
        one_way = hop_delivery(self.clear * np.exp(log_ok), np.exp(log_idle))
        worse = np.minimum(one_way[..., : self.links], one_way[..., self.links :])
        return np.concatenate([worse, worse], axis=-1)

    def deliveries(self, log_ok: Floats, log_idle: Floats) -> Floats:
        """Delivery of each device over its best route: shape (..., devices)."""
        hops = self.hop_deliveries(log_ok, log_idle)
        return route_delivery(hops, self.source, self.target, self.relays)[..., 1:]
