"""Zigbee in all worlds: routes kept from when devices joined, Wi-Fi that comes in spells, tries that fall into one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats, Floats32
from even_static.core.house.kit import HUB_ID
from even_static.core.house.mesh import devices_without_links
from even_static.core.spectrum.channels import Block, zigbee_mhz
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.tables import worlds as table
from even_static.core.tables import zigbee as zigbee_table
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.links import soft

ROUNDS = 6
# Devices join in this order of what they are offered, in dBm, the weakest as long as anything is heard.
JOINS_FROM_DBM = (-62.0, -68.0, -74.0, -80.0, -86.0, -92.0, -98.0, -250.0)


class MeshWorlds:
    """The Zigbee mesh of every world. ``ids``: hub first; ``parent`` (worlds, devices): -1 where none is in reach."""

    def __init__(self, worlds: Worlds) -> None:
        self.worlds = worlds
        zigbee = worlds.house.job.zigbee
        assert zigbee is not None
        house = worlds.house
        self.ids = [HUB_ID, *(d.id for d in zigbee.devices)]
        places = [zigbee.hub_place_id, *(d.place_id for d in zigbee.devices)]
        self.place = np.array([house.places[p] for p in places], dtype=np.intp)
        self.mains = np.array([True, *(d.mains_powered for d in zigbee.devices)])
        n = len(self.ids)
        index = {name: i for i, name in enumerate(self.ids)}
        level = np.full((n, n), -200.0)
        for link in zigbee.links:
            if link.a_id in index and link.b_id in index:
                a, b = index[link.a_id], index[link.b_id]
                level[a, b] = level[b, a] = link.rssi_dbm
        self.known = bool((level > -150).any())
        without = devices_without_links(zigbee.devices, zigbee.links)
        self.unknown = np.array([name in without for name in self.ids], dtype=bool)
        self.level_dbm = (level[None] + worlds.mesh_link_db).astype(np.float32)
        self.clear_dbm, self.chip_db = worlds.mesh_clear_dbm, worlds.mesh_chip_db
        self.spell, self.alike, self.again = worlds.mesh_spell, worlds.mesh_alike, worlds.mesh_again
        self.parent, self.signal_dbm = self._routes()
        self._foreign: dict[int, tuple[Floats32, Floats32, Floats32]] = {}
        self._own: dict[tuple[int, Block, float, int], tuple[Floats32, Floats32]] = {}

    def _routes(self) -> tuple[NDArray[np.intp], Floats32]:
        """Each joins by what looks best: a weak link counts for more than a hop; one that is not heard is none. Those
        with strong offers join first, and may be parents of the others."""
        count, n = self.level_dbm.shape[:2]
        seen = self.level_dbm + self.worlds.mesh_seen_db
        heard = (self.level_dbm > -150) & (self.level_dbm >= zigbee_table.LEAST_LINK_DBM)
        reach = np.full((count, n), -200.0)
        reach[:, 0] = 0.0
        parent = np.full((count, n), -1, dtype=np.intp)
        for least in JOINS_FROM_DBM:
            offer = np.minimum(np.minimum(seen, reach[:, :, None]), -55.0)
            offer = np.where(heard & self.mains[None, :, None], offer, -300.0)
            offer[:, 1:, :] -= table.RELAY_DB
            offer[reach <= -200.0] = -300.0
            best = offer.argmax(axis=1)
            value = np.take_along_axis(offer, best[:, None, :], axis=1)[:, 0, :]
            new = (parent < 0) & (value >= least)
            new[:, 0] = False
            parent, reach = np.where(new, best, parent), np.where(new, value, reach)
        at = np.maximum(parent, 0)
        signal = np.take_along_axis(self.level_dbm, at[:, None, :], axis=1)[:, 0, :]
        return parent, signal.astype(np.float32)

    # -- who is in the way -----------------------------------------------------------------------------------------

    def _harm(self, inside_dbm: Floats32) -> tuple[Floats32, Floats32]:
        """(how much of a sender's time a device feels, what it does to a frame that its parent receives): both of the
        shape of ``inside_dbm``, (worlds, ..., devices), levels inside the Zigbee channel at every device."""
        lead = inside_dbm.ndim - 2
        shape = (self.worlds.count, *[1] * lead, len(self.ids))
        inside_dbm = inside_dbm - self.worlds.mesh_less_db.reshape(shape)
        felt = soft(inside_dbm - self.clear_dbm.reshape(shape), 1.5)
        at = np.broadcast_to(np.maximum(self.parent, 0).reshape(shape), inside_dbm.shape)
        there = np.take_along_axis(inside_dbm, at, axis=-1)
        signal = (self.signal_dbm + self.chip_db).reshape(shape)
        noise = 10 ** (zigbee_table.NOISE_DBM / 10)
        clean = _arrive(signal - zigbee_table.NOISE_DBM)
        hit = _arrive(signal - 10 * np.log10(noise + 10 ** (there / 10)))
        return felt, (1 - hit / np.maximum(clean, 1e-6)).astype(np.float32)

    def foreign(self, channel: int) -> tuple[Floats32, Floats32, Floats32]:
        """(log of the time not held by others, log of the frames not spoilt unheld, what spoils weighed by holding):
        shape (worlds, devices)."""
        if channel not in self._foreign:
            worlds = self.worlds
            foreign, spectra = worlds.foreign["2.4 GHz"], worlds.house.spectra("2.4 GHz")
            kinds = [*spectra.kinds, *(("ofdm", int(w)) for w in foreign.width_mhz[foreign.heard :])]
            offset = np.minimum(np.abs(foreign.centre_mhz - zigbee_mhz(channel)), MAX_OFFSET_MHZ)
            into = np.array(
                [coupling_table_db(k, w, "zigbee", 2)[o] for (k, w), o in zip(kinds, offset, strict=True)]
            ).reshape(-1)
            level = worlds.foreign_at_place_24[:, :, self.place]
            felt, spoils = self._harm((level + into[None, :, None]).astype(np.float32))
            use = _shared(foreign.use, foreign.centre_mhz)
            self._foreign[channel] = self._combined(use[:, :, None], felt, spoils)
        return self._foreign[channel]

    @staticmethod
    def _combined(use: Floats32, felt: Floats32, spoils: Floats32) -> tuple[Floats32, Floats32, Floats32]:
        held = np.log1p(-np.minimum(use * felt, 0.98)).sum(axis=1)
        unheld = np.log1p(-np.minimum(use * (1 - felt) * spoils, 0.98)).sum(axis=1)
        return held, unheld, (use * felt * spoils).sum(axis=1)

    def own(self, radio: int, block: Block, eirp_dbm: float, channel: int) -> tuple[Floats32, Floats32]:
        """What an own radio does while it sends, as :meth:`_harm`: shape (worlds, devices)."""
        key = (radio, block, eirp_dbm, channel)
        if key not in self._own:
            offset = min(abs(block.centre_mhz - zigbee_mhz(channel)), MAX_OFFSET_MHZ)
            into = float(coupling_table_db("ofdm", block.width_mhz, "zigbee", 2)[offset])
            level = self.worlds.own_place_dbm[:, self.place, radio] + np.float32(eirp_dbm + into)
            self._own[key] = self._harm(np.minimum(level, -15.0))
        return self._own[key]

    def deliveries(self, channel: int, own: list[tuple[int, Block, float, Floats32]]) -> Floats:
        """Share of reports that arrive, by world and device (the hub left out); own radios as (radio, block, power,
        duty in each world)."""
        held, unheld, weighed = (x.copy() for x in self.foreign(channel))
        total = -held
        for radio, block, eirp, duty in own:
            felt, spoils = self.own(radio, block, eirp, channel)
            d = duty[:, None]
            held += np.log1p(-np.minimum(d * felt, 0.98))
            unheld += np.log1p(-np.minimum(d * (1 - felt) * spoils, 0.98))
            weighed += d * felt * spoils
            total += d * felt
        hop = self._hops(1 - np.exp(held), 1 - np.exp(unheld), np.clip(weighed / np.maximum(total, 1e-6), 0, 1))
        arrived = np.where(self.parent >= 0, 0.0, 0.0)
        arrived[:, 0] = 1.0
        for _ in range(ROUNDS):
            above = np.take_along_axis(arrived, np.maximum(self.parent, 0), axis=1)
            arrived = np.where(self.parent >= 0, hop * above, arrived)
        arrived = 1 - (1 - arrived) ** np.where(self.again, 2, 1)
        # The model's own error shifts the logit, that is, it multiplies the odds.
        odds = np.exp(self.worlds.mesh_off)
        arrived = arrived * odds / (1 - arrived + arrived * odds)
        # Of whom nobody knows a link nothing is said: they bring no problem, under any setting.
        arrived[:, self.unknown] = 1.0
        return np.asarray(arrived[:, 1:])

    def _hops(self, held: Floats32, unheld: Floats32, later: Floats32) -> Floats32:
        """Delivery of each device's own hop: inside a spell of Wi-Fi and outside of one."""
        inside = np.minimum(np.maximum(self.spell, held), 0.93)
        spells = held / inside
        tries = 1 + (zigbee_table.CSMA_ATTEMPTS - 1) * self.alike
        pause_ms = table.BURST_MS * (1 - inside) / inside
        caught = 1 - np.exp(-table.FRAME_MS / np.maximum(pause_ms, 0.1))
        clean = _arrive(self.signal_dbm + self.chip_db - zigbee_table.NOISE_DBM)
        loud = (1 - inside**tries) * (1 - caught * later) * (1 - unheld) * clean
        quiet = (1 - unheld) * clean
        fails = spells * (1 - loud) + (1 - spells) * (1 - quiet)
        return np.asarray(1 - fails ** (1 + zigbee_table.RETRIES * self.alike), dtype=np.float32)


def _shared(use: Floats32, centre_mhz: NDArray[np.intp]) -> Floats32:
    """What networks (worlds, networks) send of what they want to: those of one channel wait for each other, and
    together have no more than it."""
    found = use.copy()
    for centre in np.unique(centre_mhz):
        rows = centre_mhz == centre
        total = found[:, rows].sum(axis=1, keepdims=True)
        found[:, rows] *= np.minimum(1.0, table.MOST_DUTY / np.maximum(total, 1e-9))
    return found


def _arrive(ratio_db: Floats32) -> Floats32:
    return soft(ratio_db - table.MESH_HALF_DB, table.MESH_SOFT_DB / 1.7)
