"""A practice house as it really is: where everything stands, how loud everybody is everywhere, and what was drawn."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.job import Job
from even_static.core.house.kit import HUB_ID
from even_static.core.propagation.loss import antenna_gain_db
from even_static.core.propagation.stands import place_point, stand_of, stand_point
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.daily import HOURLY_LOAD
from even_static.core.tables.materials import MOUNTING_DB
from even_static.truth import ranges
from even_static.truth.neighbours import Neighbour
from even_static.truth.propagation import Point, Propagation


@dataclass(frozen=True, slots=True, kw_only=True)
class Given:
    """What is settled already about a house: where places without a plan are (m), levels that were measured (dBm at
    the powers ``eirp_dbm`` by radio, by "bssid place"), Zigbee link levels (dBm, in the job's order)."""

    positions: dict[str, Point] = field(default_factory=dict)
    levels_dbm: dict[str, float] = field(default_factory=dict)
    eirp_dbm: dict[str, float] = field(default_factory=dict)
    mesh_dbm: tuple[float, ...] = ()


def share_of_busiest(seed: int, who: str, hour: int) -> float:
    """Share of its busiest hour's traffic that a household carries at an hour of the day: its own day, by the seed."""
    return float(HOURLY_LOAD[hour] ** random.Random(f"{seed}/day/{who}").uniform(*ranges.DAY_POWER))


class TrueHouse:
    """Everything about a house that its settings do not change.

    ``points``: shape (points, 3), in the order own radios' nodes, devices, neighbours' access points, neighbours'
    stations, spots, mesh devices. ``loss_db[band]``: shape (senders, points) from the senders (the first four kinds) to
    all points, reciprocal; own radios' and neighbours' gains and given levels are in it.
    """

    def __init__(self, job: Job, neighbours: tuple[Neighbour, ...], seed: int, given: Given | None = None) -> None:
        self.job, self.neighbours, self.seed = job, neighbours, seed
        self.given = given or Given()
        self.propagation = Propagation(job.building, seed, ranges.SHADOWING_DB, ranges.SHADOWING_LENGTH_M)
        self.place_at = {p.id: self._place(p.id) for p in job.places}
        self.radios = job.radios
        self.radio_index = {r.id: i for i, r in enumerate(self.radios)}
        self.radio_at = [self._node_point(r.id) for r in self.radios]
        self._draw_clients()
        self._draw_neighbours()
        self._draw_mesh()
        self._points()

    def chance(self, what: str) -> random.Random:
        """A generator of its own for one thing, the same for the same seed."""
        return random.Random(f"{self.seed}/{what}")

    # -- where -----------------------------------------------------------------------------------------------------

    def _place(self, place_id: str) -> Point:
        place = next(p for p in self.job.places if p.id == place_id)
        placed = place_point(self.job, place)
        if placed is not None:
            return placed
        if place_id in self.given.positions:
            return self.given.positions[place_id]
        rng = self.chance(place_id)
        return (rng.uniform(0, 11), rng.uniform(0, 5), place.storey * ranges.STOREY_M + 1.2)

    def _node_point(self, radio_id: str) -> Point:
        node = self.job.node_of(radio_id)
        stand = stand_of(self.job, node)
        if stand is not None and self.job.building is not None:
            return stand_point(self.job.building, stand)
        return self.place_at[node.place_id]

    def _near(self, place_id: str, what: str, by_m: float) -> Point:
        """Somewhere near a spot, at its height: devices are not used exactly where somebody stood and measured."""
        rng, (x, y, z) = self.chance(f"where/{what}"), self.place_at[place_id]
        return (x + max(-2 * by_m, min(2 * by_m, rng.gauss(0, by_m))), y + rng.uniform(-by_m, by_m), z)

    # -- what is drawn ---------------------------------------------------------------------------------------------

    def _draw_clients(self) -> None:
        devices = self.job.devices
        self.device_at = [self._near(d.place_id, d.id, ranges.DEVICE_OFF_SPOT_M) for d in devices]
        count = len(devices)
        self.device_eirp = np.empty(count)
        self.device_chip = np.empty(count)
        self.device_body = np.empty(count)
        self.taste = np.zeros((count, len(BANDS)))
        self.sticky = np.empty(count)
        self.habit = np.zeros(count, dtype=np.intp)
        self.deaf = np.zeros(count, dtype=bool)
        self.appetite = np.empty(count)
        self.whim = np.zeros((count, len(self.radios)))
        for d, device in enumerate(devices):
            rng = self.chance(f"client/{device.id}")
            low, high = ranges.CLIENT_EIRP_DBM
            self.device_eirp[d] = rng.uniform(low, high)
            self.device_chip[d] = rng.gauss(0, ranges.CHIP_SPREAD_DB)
            # What moves is held by somebody now and then.
            self.device_body[d] = rng.uniform(*ranges.BODY_DB) if device.streams > 1 else 0.0
            maker = rng.random()
            for b, band in enumerate(BANDS):
                least, most = ranges.TASTE_DB[band]
                self.taste[d, b] = least + (most - least) * min(1.0, max(0.0, maker + rng.gauss(0, 0.15)))
            self.sticky[d] = rng.uniform(*ranges.STICKY_DB)
            self.habit[d] = rng.randrange(max(1, len(self.radios)))
            self.deaf[d] = rng.random() < ranges.DEAF_SHARE
            self.appetite[d] = rng.lognormvariate(0, ranges.DEMAND_SPREAD)
            for r in range(len(self.radios)):
                self.whim[d, r] = rng.gauss(0, ranges.CHOICE_NOISE_DB)

    def _draw_neighbours(self) -> None:
        rng = self.chance("air")
        self.preamble_dbm = rng.uniform(*ranges.PREAMBLE_DBM)
        self.energy_dbm = rng.uniform(*ranges.ENERGY_DBM)
        self.burst_us = rng.uniform(*ranges.BURST_US)
        self.queued_bursts = self.chance("queues").uniform(*ranges.QUEUED_BURSTS)
        self.below_mask_db = rng.uniform(*ranges.BELOW_MASK_DB)
        self.station_at: list[Point] = []
        self.station_share = np.zeros(len(self.neighbours))
        for n, other in enumerate(self.neighbours):
            mine = self.chance(f"neighbour/{other.reading.bssid}")
            turn, away = mine.uniform(0, 2 * math.pi), mine.uniform(1, ranges.STATION_M)
            x, y = other.x_m + away * math.cos(turn), other.y_m + away * math.sin(turn)
            self.station_at.append((x, y, other.z_m))
            self.station_share[n] = 0.0 if other.hidden else ranges.STATION_SHARE * mine.uniform(0.4, 1.6)

    def _draw_mesh(self) -> None:
        self.mesh_ids: list[str] = []
        self.mesh_at: list[Point] = []
        self.mesh_mains: list[bool] = []
        zigbee = self.job.zigbee
        if zigbee is None:
            return
        self.mesh_ids = [HUB_ID, *(d.id for d in zigbee.devices)]
        self.mesh_at = [
            self._near(zigbee.hub_place_id, HUB_ID, 0.3),
            *(self._near(d.place_id, f"mesh/{d.id}", ranges.DEVICE_OFF_SPOT_M) for d in zigbee.devices),
        ]
        self.mesh_mains = [True, *(d.mains_powered for d in zigbee.devices)]

    # -- levels ----------------------------------------------------------------------------------------------------

    def _points(self) -> None:
        ap_at = [(n.x_m, n.y_m, n.z_m) for n in self.neighbours]
        parts: list[list[Point]] = [
            self.radio_at,
            self.device_at,
            ap_at,
            self.station_at,
            list(self.place_at.values()),
            self.mesh_at,
        ]
        sizes = np.cumsum([0, *(len(p) for p in parts)])
        kinds = ("radios", "devices", "aps", "stations", "spots", "mesh")
        self.rows = {k: slice(int(a), int(b)) for k, a, b in zip(kinds, sizes[:-1], sizes[1:], strict=True)}
        self.points = np.array([p for part in parts for p in part], dtype=np.float64).reshape(-1, 3)
        self.senders = self.rows["stations"].stop
        keys = [r.bssid for r in self.radios]
        keys += [f"device/{d.id}" for d in self.job.devices]
        keys += [n.reading.bssid for n in self.neighbours]
        keys += [f"station/{n.reading.bssid}" for n in self.neighbours]
        # Radios of one node share their spot: rays are counted once, by whoever stands first in the order of points.
        loss = np.zeros((len(BANDS), self.senders, len(self.points)))
        for s in range(self.senders):
            at = (float(self.points[s, 0]), float(self.points[s, 1]), float(self.points[s, 2]))
            loss[:, s, s:] = self.propagation.losses_db(keys[s], at, self.points[s:])
            below = min(len(self.points), self.senders)
            loss[:, s:below, s] = loss[:, s, s:below]
        for r, radio in enumerate(self.radios):
            b = BANDS.index(radio.band)
            gain = self._radio_gain_db(r)
            loss[b, r, :] -= gain
            loss[b, : self.senders, r] -= np.where(np.arange(self.senders) == r, 0.0, gain[: self.senders])
        nodes = [self.job.node_of(r.id).id for r in self.radios]
        for r, node in enumerate(nodes):
            together = [q for q, other in enumerate(nodes) if other == node]
            loss[:, r, together] = np.maximum(loss[:, r, together], ranges.SAME_BOX_DB)
        self.loss_db: dict[Band, Floats] = {band: loss[b] for b, band in enumerate(BANDS)}
        self._take_given()

    def _radio_gain_db(self, r: int) -> Floats:
        """Antenna pattern, mounting and what the box claims wrongly, towards all points: shape (points,)."""
        radio = self.radios[r]
        bias = self.chance(f"{radio.bssid}/bias").gauss(0, ranges.RADIO_BIAS_DB)
        stand = stand_of(self.job, self.job.node_of(radio.id))
        if stand is None:
            return np.full(len(self.points), bias)
        towards = self.points - np.array(self.radio_at[r])
        return antenna_gain_db(stand.antennas, towards) - MOUNTING_DB[stand.mounting][radio.band] + bias

    def _take_given(self) -> None:
        """Levels that were measured hold at their spot, and for what is used there."""
        for n, place in enumerate(self.place_at):
            column = self.rows["spots"].start + n
            start = self.rows["devices"].start
            there = [start + d for d, device in enumerate(self.job.devices) if device.place_id == place]
            there += [r for r, radio in enumerate(self.radios) if self.job.node_of(radio.id).place_id == place]
            for r, radio in enumerate(self.radios):
                level = self.given.levels_dbm.get(f"{radio.bssid} {place}")
                if level is not None:
                    eirp = self.given.eirp_dbm.get(radio.id, 20.0)
                    self._shift(radio.band, r, column, there, eirp - level)
            for k, other in enumerate(self.neighbours):
                level = self.given.levels_dbm.get(f"{other.reading.bssid} {place}")
                if level is not None:
                    sender = self.rows["aps"].start + k
                    self._shift(other.reading.band, sender, column, there, other.eirp_dbm - level)

    def _shift(self, band: Band, sender: int, column: int, there: list[int], loss_db: float) -> None:
        table = self.loss_db[band]
        by = loss_db - table[sender, column]
        table[sender, column] = loss_db
        for at in there:
            if at != sender:
                table[sender, at] += by
                table[at, sender] += by

    def level_dbm(self, sender: int, point: int, band: Band, eirp_dbm: float) -> float:
        """Level at a point of a sender at a power, as far as a receiver can tell: never above -18 dBm."""
        return min(ranges.LOUDEST_DBM, eirp_dbm - float(self.loss_db[band][sender, point]))

    def spot(self, place_id: str) -> int:
        """The point of a spot."""
        return self.rows["spots"].start + list(self.place_at).index(place_id)

    def load_of(self, n: int, hour: int) -> float:
        """How busy a neighbour is at an hour, as a fraction of one second."""
        other = self.neighbours[n]
        return min(0.9, other.busy_fraction * share_of_busiest(self.seed, other.reading.bssid, hour))
