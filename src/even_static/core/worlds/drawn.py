"""The worlds: everything about a house that was not measured, or measured with an error, drawn many times over.

The same house, number of worlds and seed give the same worlds, so that settings are compared in the same ones.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Bools, Floats32
from even_static.core.house.clock import at_the_house
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import blocks
from even_static.core.tables import worlds as table
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.tables.phy import CLIENT_EIRP_DBM
from even_static.core.tables.propagation import UNHEARD_DBM

# What was listened for and not heard is weaker than this, in dBm.
NOT_HEARD_DBM = -98.0


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Foreign:
    """The other networks of a band, those that nobody heard behind those that were: level in dBm at each radio's node
    (worlds, networks, radios) and at each device (worlds, networks, devices), share of each second that it sends
    (worlds, networks); centre and width in MHz, first subchannel's low edge; whether it
    is Wi-Fi; its mask and width as tables name them."""

    at_radio_dbm: Floats32
    at_device_dbm: Floats32
    use: Floats32
    centre_mhz: NDArray[np.intp]
    width_mhz: NDArray[np.intp]
    wifi: Bools
    heard: int


class Worlds:
    """All draws. ``own_device_dbm``: level of each own radio at each device when 0 dBm are radiated (worlds, devices,
    radios); ``own_radio_dbm``: of each own radio at each other's node (worlds, radios, radios); ``own_place_dbm``: at
    each place (worlds, places, radios)."""

    def __init__(self, house: House, count: int = table.WORLDS, seed: int = 0) -> None:
        self.house, self.count, self.seed = house, count, seed
        rng = np.random.default_rng((seed, 20_26))
        self._readers(rng)
        self._own(rng)
        self._clients(rng)
        self._evening(rng)
        self.foreign: dict[Band, Foreign] = {band: self._foreign(rng, band) for band in BANDS}
        self.preamble_dbm = rng.uniform(*table.SENSES_DBM, (count, 1)).astype(np.float32)
        self.energy_dbm = rng.uniform(*table.FEELS_DBM, (count, 1)).astype(np.float32)
        self._mesh(np.random.default_rng((seed, 15_4)))
        nodes = len(house.job.nodes)
        finds = np.random.default_rng((seed, 11)).normal(0, table.FINDS_DB, (count, nodes, nodes))
        self.finds_db = finds.astype(np.float32)
        waiting = np.random.default_rng((seed, 16)).normal(0, table.WAITING_SPREAD, (count, 1))
        self.waiting_ms = (table.WAITING_MS * np.exp(waiting)).astype(np.float32)

    def _mesh(self, rng: np.random.Generator) -> None:
        """Of the Zigbee mesh: errors of its links' levels and of each device's choice of parent (worlds, devices,
        devices), what chips and clear-channel levels are (worlds, devices), how Wi-Fi's spells are (worlds, 1). The
        hub stands first."""
        zigbee, count = self.house.job.zigbee, self.count
        n = 0 if zigbee is None else 1 + len(zigbee.devices)
        noise = rng.normal(0, table.MESH_LINK_DB, (count, n, n))
        self.mesh_link_db = ((noise + noise.transpose(0, 2, 1)) / np.sqrt(2)).astype(np.float32)
        less = rng.normal(table.MESH_LESS_DB, table.MESH_LESS_HOUSE_DB, (count, 1))
        self.mesh_less_db = (less + rng.normal(0, table.MESH_LESS_DEVICE_DB, (count, n))).astype(np.float32)
        self.mesh_seen_db = rng.normal(0, table.PARENT_DB, (count, n, n)).astype(np.float32)
        self.mesh_clear_dbm = rng.uniform(*table.MESH_CLEAR_DBM, (count, n)).astype(np.float32)
        self.mesh_chip_db = rng.normal(0, table.MESH_CHIP_DB, (count, n)).astype(np.float32)
        self.mesh_spell = rng.uniform(*table.SPELL_DUTY, (count, 1)).astype(np.float32)
        self.mesh_alike = rng.uniform(*table.ALIKE, (count, 1)).astype(np.float32)
        self.mesh_again = rng.uniform(0, 1, (count, n)) < table.AGAIN_SHARE
        self.mesh_off = np.zeros((count, 1), dtype=np.float32)

    # -- levels ----------------------------------------------------------------------------------------------------

    def _readers(self, rng: np.random.Generator) -> None:
        """What the device that was read from reads wrong: the same for all levels of a world."""
        self.reader_db = rng.normal(table.READS_LOW_DB, table.READER_DB, (self.count, 1, 1))

    def _own(self, rng: np.random.Generator) -> None:
        house, count = self.house, self.count
        at_0 = house.own_at_0_dbm
        known = at_0 > UNHEARD_DBM
        # At what was listened for and not heard, a level just below what could be heard stands for all that is weaker.
        power = house.air.own_eirp_dbm
        base = np.where(known, at_0, NOT_HEARD_DBM - power)
        read = np.array([[bool(house.air.heard[r.band][p]) for p in range(at_0.shape[1])] for r in house.radios])
        more = np.where(read.reshape(at_0.shape), 0.0, table.UNREAD_DB)
        nodes, places, radios = len(house.job.nodes), at_0.shape[1], len(house.radios)
        by_node = np.array(house.radio_node, dtype=np.intp)
        spot = rng.normal(0, table.SPOT_NODE_DB, (count, places, nodes))[:, :, by_node]
        spot = spot + rng.normal(0, table.SPOT_RADIO_DB, (count, places, radios))
        spot = spot + rng.normal(0, 1, (count, places, radios)) * more.T[None]
        self.own_place_dbm = (base.T[None] + spot + self.reader_db).astype(np.float32)
        devices = len(house.job.devices)
        away = rng.normal(0, table.DEVICE_DB, (count, devices, 1))
        away = away + rng.normal(0, table.DEVICE_NODE_DB, (count, devices, nodes))[:, :, by_node]
        self.own_device_dbm = (self.own_place_dbm[:, house.device_place, :] + away).astype(np.float32)
        at = np.array(house.radio_place, dtype=np.intp)
        self.own_radio_dbm = self.own_place_dbm[:, at, :].transpose(0, 2, 1).copy()
        self.link_db = rng.normal(0, table.LINK_DB, (count, len(house.job.nodes))).astype(np.float32)

    def _clients(self, rng: np.random.Generator) -> None:
        house, count, devices = self.house, self.count, len(self.house.job.devices)
        drawn = rng.uniform(*table.CLIENT_EIRP_DBM, (count, devices))
        said = house.device_eirp[None, :]
        # What somebody knows of a device's power is kept; the usual value only stands for not knowing.
        self.client_eirp_dbm = np.where(said == CLIENT_EIRP_DBM, drawn, said).astype(np.float32)
        self.chip_db = rng.uniform(*table.CHIP_DB, (count, devices)).astype(np.float32)
        maker = rng.uniform(0, 1, (count, devices))
        taste = np.zeros((count, devices, len(house.radios)))
        for r, radio in enumerate(house.radios):
            low, high = table.TASTE_DB[radio.band]
            taste[:, :, r] = low + (high - low) * np.clip(maker + rng.normal(0, 0.15, maker.shape), 0, 1)
        self.taste_db = taste.astype(np.float32)
        self.whim_db = rng.normal(0, table.WHIM_DB, taste.shape).astype(np.float32)
        self.deaf = rng.uniform(0, 1, (count, devices)) < table.DEAF_SHARE
        appetite = np.exp(rng.normal(0, table.DEMAND_SPREAD, (count, devices, 1)))
        efficiency = rng.normal(0, table.EFFICIENCY_SPREAD, (count, len(house.radios)))
        self.efficiency = np.exp(efficiency).astype(np.float32)
        self.phone = np.exp(rng.normal(0, table.PHONE_SPREAD, (count, len(house.places)))).astype(np.float32)
        self.wanted_mbps = (house.demand_mbps.reshape(-1, 2)[None] * appetite).astype(np.float32)

    # -- who else sends --------------------------------------------------------------------------------------------

    def _evening(self, rng: np.random.Generator) -> None:
        """How much more the busiest hour carries than the hours in which somebody listened."""
        job = self.house.job
        hours = [at_the_house(job, s.heard_at).hour for s in job.scans] or [20]
        heard = float(np.mean([HOURLY_LOAD[h] for h in hours]))
        # Days are steeper or flatter than the usual one: the usual share of an hour to a power.
        self.household_day, self.neighbours_day = np.exp(rng.normal(0, table.DAY_SPREAD, (2, self.count, 1)))
        self.evening = np.minimum(heard**-self.neighbours_day, table.MOST_EVENING)

    def _foreign(self, rng: np.random.Generator, band: Band) -> Foreign:
        house, count = self.house, self.count
        spectra = house.spectra(band, as_heard=True)
        networks, unheard = len(spectra.wifi), table.UNHEARD[band]
        level = np.where(spectra.rssi_dbm > UNHEARD_DBM, spectra.rssi_dbm, NOT_HEARD_DBM - 4)
        at = np.array(house.radio_place, dtype=np.intp)
        common = rng.normal(0, 2.0, (count, networks, 1)) + self.reader_db
        spot = rng.normal(0, table.FOREIGN_SPOT_DB, (count, networks, level.shape[1])) + common
        device = rng.normal(0, table.FOREIGN_DEVICE_DB, (count, networks, len(house.device_place)))
        at_place = level[None] + spot
        everywhere = at_place
        at_radio, at_device = at_place[:, :, at], at_place[:, :, house.device_place] + device
        spread = np.where(spectra.assumed, table.ASSUMED_SPREAD, table.NETWORK_SPREAD)
        # What is assumed stands for a usual evening already.
        usual = np.where(spectra.assumed[None, :], 1.0, self.evening)
        factor = usual * np.exp(rng.normal(0, 1, (count, networks)) * spread[None, :])
        # Other sources than Wi-Fi know no evening.
        factor = np.where(spectra.wifi[None, :], factor, 1.0)
        use = np.minimum(spectra.use[None] * factor, table.MOST_DUTY)
        centre, width = spectra.centre, np.array([w for _, w in spectra.kinds], dtype=np.intp).reshape(-1)
        if unheard:
            some = blocks(band, 20 if band == "2.4 GHz" else 80)
            pick = [some[int(i)] for i in rng.integers(0, len(some), unheard)]
            there = rng.uniform(0, 1, (count, unheard, 1)) < table.UNHEARD_ODDS
            loud = rng.uniform(*table.UNHEARD_LEVEL_DBM, (count, unheard, 1))
            busy = rng.uniform(*table.UNHEARD_USE, (count, unheard)) * there[:, :, 0]
            at_radio = np.concatenate([at_radio, loud + rng.normal(0, 4, (count, unheard, len(at)))], axis=1)
            quiet = loud + rng.normal(0, 5, (count, unheard, len(house.device_place)))
            there_too = loud + rng.normal(0, 5, (count, unheard, level.shape[1]))
            everywhere = np.concatenate([everywhere, there_too], axis=1)
            at_device = np.concatenate([at_device, quiet], axis=1)
            use = np.concatenate([use, busy], axis=1)
            centre = np.concatenate([centre, [b.centre_mhz for b in pick]]).astype(np.intp)
            width = np.concatenate([width, [b.width_mhz for b in pick]]).astype(np.intp)
        if band == "2.4 GHz":
            self.foreign_at_place_24 = np.minimum(everywhere, -15.0).astype(np.float32)
        return Foreign(
            at_radio_dbm=np.minimum(at_radio, -15.0).astype(np.float32),
            at_device_dbm=np.minimum(at_device, -15.0).astype(np.float32),
            use=use.astype(np.float32),
            centre_mhz=centre,
            width_mhz=width,
            wifi=np.concatenate([spectra.wifi, np.ones(unheard, dtype=bool)]),
            heard=networks,
        )

    def erring(self) -> Worlds:
        """These worlds with the model's own error, alike in a whole house: it belongs to what is told of a setting, and
        does not tell one from another."""
        found = self.taken(np.arange(self.count))
        error = np.random.default_rng((self.seed, 14)).normal(0, table.MODEL_SPREAD, (self.count, 1))
        found.efficiency = (self.efficiency * np.exp(error)).astype(np.float32)
        off = np.random.default_rng((self.seed, 17)).normal(0, table.MESH_MODEL_SPREAD, (self.count, 1))
        found.mesh_off = off.astype(np.float32)
        return found

    def taken(self, rows: NDArray[np.intp]) -> Worlds:
        """These worlds alone, in this order, some perhaps several times."""
        found = object.__new__(Worlds)
        found.house, found.count, found.seed = self.house, len(rows), self.seed
        for name, value in self.__dict__.items():
            if isinstance(value, np.ndarray) and value.shape[:1] == (self.count,):
                setattr(found, name, value[rows])
            elif name not in ("house", "count", "seed", "foreign"):
                setattr(found, name, value)
        found.foreign = {
            band: Foreign(
                at_radio_dbm=f.at_radio_dbm[rows],
                at_device_dbm=f.at_device_dbm[rows],
                use=f.use[rows],
                centre_mhz=f.centre_mhz,
                width_mhz=f.width_mhz,
                wifi=f.wifi,
                heard=f.heard,
            )
            for band, f in self.foreign.items()
        }
        return found
