"""The hidden truth of a simulated house.

It differs from what a planner can know: walls and shadowing are drawn from the seed, neighbours are busier in the
evening, and something that no scanner hears may send. It keeps its own clock and the settings that its boxes really
have. The whole state is plain values, so that the store can keep it between runs.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import cached_property

import numpy as np

from even_static.core.house.basics import record
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place, Zigbee
from even_static.core.house.links import link_radio
from even_static.core.house.mesh import MeshLink
from even_static.core.house.readings import Reading, Scan, own_reading
from even_static.core.house.settings import Settings
from even_static.core.propagation.loss import antenna_gain_db
from even_static.core.propagation.stands import place_point, stand_of, stand_point, with_stand_places
from even_static.core.spectrum.channels import block_for
from even_static.core.survey.other_sources import others_of
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.materials import MOUNTING_DB
from even_static.core.tables.propagation import UNHEARD_DBM
from even_static.instruments.simulated.neighbourhood import STOREY_M, invent_neighbours
from even_static.truth import ranges
from even_static.truth.house import Given, TrueHouse, share_of_busiest
from even_static.truth.measured import as_formed
from even_static.truth.neighbours import Neighbour
from even_static.truth.outcome import TruthAt
from even_static.truth.propagation import Propagation

# Loss per metre of furnished rooms, in dB by band. Common practice.
CLUTTER_DB_PER_M: dict[Band, float] = {"2.4 GHz": 1.0, "5 GHz": 1.4, "6 GHz": 1.5}
SHADOWING_DB = 4.0
# Shadowing in a drawn building, whose walls and floors are counted one by one.
BUILT_SHADOWING_DB = 3.0
SHADOWING_LENGTH_M = 2.5
MIDDLE_MHZ: dict[Band, int] = {"2.4 GHz": 2440, "5 GHz": 5500, "6 GHz": 6200}


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class WorldState:
    """Everything that a simulated house remembers."""

    seed: int
    clock: str
    positions: dict[str, tuple[float, float, float]]
    """x, y, z in m by place."""
    neighbours: tuple[Neighbour, ...]
    levels_dbm: dict[str, float]
    """Levels that are given, by "bssid place"."""
    settings: Settings
    """What the nodes are really set to."""
    measured_settings: Settings
    """Settings that the given levels belong to."""
    said_settings: Settings | None = None
    """What the call said of the settings when this was kept: where it says otherwise later, the routers follow."""
    zigbee_links_dbm: tuple[float, ...] = ()
    draws: int = 0
    events: tuple[str, ...] = field(default=())


class World:
    """A simulated house for one job. ``state`` is replaced, never changed in place."""

    def __init__(self, job: Job, state: WorldState) -> None:
        self.job = job
        self.state = state
        self._built: dict[tuple[str, tuple[float, ...], tuple[float, ...], Band], float] = {}

    # -- clock and chance ----------------------------------------------------------------------------------------

    @property
    def now(self) -> datetime:
        """The house's own time."""
        return datetime.fromisoformat(self.state.clock)

    def advance(self, seconds: float) -> None:
        """Let time pass."""
        self.state = replace(self.state, clock=(self.now + timedelta(seconds=seconds)).isoformat())

    def chance(self) -> random.Random:
        """A generator for the next draw: the same seed and history give the same values."""
        self.state = replace(self.state, draws=self.state.draws + 1)
        return random.Random(f"{self.state.seed}/{self.state.draws}")

    def log(self, text: str) -> None:
        """Add a line to the house's event log."""
        self.state = replace(self.state, events=(*self.state.events[-199:], f"{self.state.clock} {text}"))

    # -- propagation ---------------------------------------------------------------------------------------------

    def position(self, place_id: str) -> tuple[float, float, float]:
        """Where a place is: where the plan has it, else a spot of its own."""
        placed = place_point(self.job, next(p for p in self.job.places if p.id == place_id))
        if placed is not None:
            return placed
        if place_id not in self.state.positions:
            place = next(p for p in self.job.places if p.id == place_id)
            rng = random.Random(f"{self.state.seed}/{place_id}")
            spot = (rng.uniform(0, 11), rng.uniform(0, 5), place.storey * STOREY_M + 1.2)
            self.state = replace(self.state, positions={**self.state.positions, place_id: spot})
        return self.state.positions[place_id]

    @cached_property
    def propagation(self) -> Propagation | None:
        """What a wave really loses in the building; None where none is drawn."""
        if self.job.building is None or not self.job.building.rooms:
            return None
        return Propagation(self.job.building, self.state.seed, BUILT_SHADOWING_DB, SHADOWING_LENGTH_M)

    def instrument_offset_db(self, instrument_id: str) -> float:
        """What somebody's phone really reads beside the scanner."""
        return random.Random(f"{self.state.seed}/instrument/{instrument_id}").uniform(-8.0, 3.0)

    def built_loss_db(
        self, key: str, at: tuple[float, float, float], to: tuple[float, float, float], band: Band
    ) -> float:
        """Loss in dB between two points of a drawn building, with its shadowing."""
        assert self.propagation is not None
        kept = self._built.get((key, at, to, band))
        if kept is None:
            kept = float(self.propagation.loss_db(key, at, np.array([to]), band)[0])
            self._built[key, at, to, band] = kept
        return kept

    def path_loss_db(
        self, key: str, at: tuple[float, float, float], place_id: str, band: Band, outside: bool = False
    ) -> float:
        """Loss in dB between a transmitter and a place, with the shadowing that belongs to this pair."""
        x, y, z = self.position(place_id)
        if self.propagation is not None and place_point(self.job, self._place(place_id)) is not None:
            own_walls = ranges.OUTER_WALL_DB[band] if outside else 0.0
            return self.built_loss_db(key, at, (x, y, z), band) + own_walls
        distance = max(0.7, math.dist(at, (x, y, z)))
        free = 20 * math.log10(MIDDLE_MHZ[band]) + 20 * math.log10(distance) - 27.55
        storeys = abs(round((at[2] - z) / STOREY_M))
        shadow = random.Random(f"{self.state.seed}/{key}/{place_id}").gauss(0, SHADOWING_DB if distance > 1.5 else 1.0)
        walls = (1.5 if outside else 0.0) * ranges.OUTER_WALL_DB[band]
        return free + CLUTTER_DB_PER_M[band] * distance + storeys * ranges.STOREY_DB[band] + walls + shadow

    def _place(self, place_id: str) -> Place:
        return next(p for p in self.job.places if p.id == place_id)

    def own_level_at(self, radio_id: str, point: tuple[float, float, float], eirp_dbm: float) -> float:
        """True level of an own radio at a point of a drawn building."""
        radio, node = self.job.radio(radio_id), self.job.node_of(radio_id)
        stand = stand_of(self.job, node)
        assert stand is not None
        assert self.job.building is not None
        at = stand_point(self.job.building, stand)
        towards = np.array([np.subtract(point, at)])
        gain = float(antenna_gain_db(stand.antennas, towards)[0]) - MOUNTING_DB[stand.mounting][radio.band]
        bias = random.Random(f"{self.state.seed}/{radio.bssid}/bias").gauss(0, 1.5)
        return min(-18.0, eirp_dbm + gain + bias - self.built_loss_db(radio.bssid, at, point, radio.band))

    def own_level_dbm(self, radio_id: str, place_id: str, eirp_dbm: float) -> float:
        """True level of an own radio at a place."""
        radio = self.job.radio(radio_id)
        given = self.state.levels_dbm.get(f"{radio.bssid} {place_id}")
        if given is not None:
            return given + eirp_dbm - self.state.measured_settings.of(radio_id).eirp_dbm
        node = self.job.node_of(radio_id)
        point = place_point(self.job, self._place(place_id))
        if self.propagation is not None and point is not None and stand_of(self.job, node) is not None:
            return self.own_level_at(radio_id, point, eirp_dbm)
        at = self.position(node.place_id)
        return min(-18.0, eirp_dbm - self.path_loss_db(radio.bssid, at, place_id, radio.band))

    def neighbour_level_dbm(self, neighbour: Neighbour, place_id: str) -> float:
        """True level of a neighbour at a place."""
        reading = neighbour.reading
        given = self.state.levels_dbm.get(f"{reading.bssid} {place_id}")
        if given is not None:
            return given
        at = (neighbour.x_m, neighbour.y_m, neighbour.z_m)
        return neighbour.eirp_dbm - self.path_loss_db(reading.bssid, at, place_id, reading.band, True)

    def use_fraction(self, neighbour: Neighbour) -> float:
        """How busy a neighbour is now."""
        share = share_of_busiest(self.state.seed, neighbour.reading.bssid, self.now.hour)
        return min(0.95, neighbour.busy_fraction * share)

    # -- the truth as a job --------------------------------------------------------------------------------------

    def _true_scan(self, place_id: str) -> Scan:
        readings = []
        for radio in self.job.radios:
            setting = self.state.settings.of(radio.id)
            level = self.own_level_dbm(radio.id, place_id, setting.eirp_dbm)
            if setting.enabled and level > -96:
                readings.append(own_reading(radio, setting, level))
        for neighbour in self.state.neighbours:
            level = self.neighbour_level_dbm(neighbour, place_id)
            if level > -98:
                use = self.use_fraction(neighbour)
                readings.append(replace(neighbour.reading, rssi_dbm=level, channel_use_fraction=use))
        return Scan(
            id=f"true-{place_id}",
            place_id=place_id,
            heard_at=self.state.clock,
            source="truth",
            bands=BANDS,
            readings=tuple(readings),
        )

    def true_job(self) -> Job:
        """The job as it really is now: every place scanned without any error, the settings that the routers have."""
        # Nodes that stand away from their places get places of their own; then nothing is left to predict.
        job = with_stand_places(self.job)
        world = self if job is self.job else World(job, self.state)
        scans = [world._true_scan(place.id) for place in world.job.places]
        return replace(
            world.job,
            scans=tuple(scans),
            settings=world.state.settings,
            zigbee=self.true_zigbee(),
            building=None,
            energy_scans=(),
        )

    def true_zigbee(self) -> Zigbee | None:
        """The Zigbee network with the levels that its links really have."""
        zigbee = self.job.zigbee
        if zigbee is None or len(self.state.zigbee_links_dbm) != len(zigbee.links):
            return zigbee
        links = tuple(
            MeshLink(link.a_id, link.b_id, level)
            for link, level in zip(zigbee.links, self.state.zigbee_links_dbm, strict=True)
        )
        return replace(zigbee, links=links)

    @cached_property
    def true_house(self) -> TrueHouse:
        """The house for the simulator of what settings do, at the levels that the scanner hears."""
        settings = self.state.settings
        levels: dict[str, float] = {}
        for place in self.job.places:
            for radio in self.job.radios:
                level = self.own_level_dbm(radio.id, place.id, settings.of(radio.id).eirp_dbm)
                levels[f"{radio.bssid} {place.id}"] = level
            for neighbour in self.state.neighbours:
                levels[f"{neighbour.reading.bssid} {place.id}"] = self.neighbour_level_dbm(neighbour, place.id)
        others, heard_dbm = self._other_sources()
        given = Given(
            positions={p.id: self.position(p.id) for p in self.job.places},
            levels_dbm=levels | heard_dbm,
            eirp_dbm={r.id: settings.of(r.id).eirp_dbm for r in self.job.radios},
            mesh_dbm=self.state.zigbee_links_dbm,
        )
        return TrueHouse(self.job, (*self.state.neighbours, *others), self.state.seed, given)

    def link_pages(self, nodes: tuple[Node, ...]) -> tuple[Node, ...]:
        """The nodes with their radio links as their pages show them: those that a mesh which forms itself has found,
        and the level of each that nobody has read."""
        if any(n.self_forming for n in nodes):
            nodes = as_formed(self.true_house, nodes, self.state.settings)
        by_id = {n.id: n for n in nodes}

        def read(node: Node) -> Node:
            up = node.uplink
            if up is None or up.band is None or not (up.expected or up.rssi_dbm is None):
                return node
            near = link_radio(by_id[up.to_node_id], up.band, up.to_radio_id)
            level = self.own_level_dbm(near.id, node.place_id, self.state.settings.of(near.id).eirp_dbm)
            return replace(node, uplink=replace(up, rssi_dbm=round(level, 1), read_at_eirp_dbm=None, expected=False))

        return tuple(read(n) for n in nodes)

    def truth(self) -> TruthAt:
        """The house at work at its present hour."""
        return TruthAt(self.true_house, self.now.hour)

    def _other_sources(self) -> tuple[list[Neighbour], dict[str, float]]:
        """What else sends at 2.4 GHz in the house now, as senders that no scanner hears and that wait for nobody; and
        their levels in dBm by "address place"."""
        others = others_of(self.job, self.now.hour)
        spots = {s.id: self.position(s.place_id) for s in self.job.other_sources}
        found = list[Neighbour]()
        levels: dict[str, float] = {}
        for n, source in enumerate(others.ids):
            bssid = f"0a:00:00:00:fe:{n & 0xFF:02x}"
            x, y, z = spots.get(source, (5.0, 3.0, 1.2))
            kind, width = others.kinds[n]
            centre = int(others.centre_mhz[n])
            channel = min(13, max(1, round((centre - 2407) / 5)))
            block = block_for("2.4 GHz", channel, 20)
            # It sends now as it does, and not by the hour of the day.
            usual = share_of_busiest(self.state.seed, bssid, self.now.hour)
            reading = Reading(
                bssid=bssid,
                ssid="",
                band="2.4 GHz",
                channel=channel,
                centre_mhz=block.centre_mhz,
                width_mhz=20,
                rssi_dbm=-80.0,
            )
            found.append(
                Neighbour(
                    reading=reading,
                    x_m=x,
                    y_m=y,
                    z_m=z,
                    eirp_dbm=20.0,
                    busy_fraction=min(0.9, float(others.use_fraction[n]) / usual),
                    announces_load=False,
                    hidden=True,
                    line=(centre, width),
                    mask=kind,
                )
            )
            levels |= {f"{bssid} {p.id}": float(others.level_dbm[n, k]) for k, p in enumerate(self.job.places)}
        return found, levels


def build_world(job: Job, seed: int, clock: str) -> World:
    """A simulated house that agrees with what the job's readings say, but for what readings cannot know.

    Levels that were measured are kept with a hidden error of 2 dB; places without readings get levels by geometry.
    Without any readings a neighbourhood is invented. One transmitter is never heard by the scanner.
    """
    rng = random.Random(f"{seed}/build")
    levels: dict[str, float] = {}
    heard: dict[str, Reading] = {}
    own = {r.bssid for r in job.radios}
    for scan in job.scans:
        for reading in scan.readings:
            levels[f"{reading.bssid} {scan.place_id}"] = round(max(reading.level_dbm, UNHEARD_DBM) + rng.gauss(0, 2), 2)
            if reading.bssid not in own:
                heard[reading.bssid] = reading
    for bssid in heard:
        for place in job.places:
            levels.setdefault(f"{bssid} {place.id}", UNHEARD_DBM)
    hour = datetime.fromisoformat(clock).hour
    neighbours = tuple(
        Neighbour(
            reading=replace(r, samples=1, spread_db=None, first_heard_at=None, last_heard_at=None),
            x_m=rng.uniform(-6, 17),
            y_m=rng.choice((-8.0, 13.0)),
            z_m=rng.choice((1.2, 3.9)),
            eirp_dbm=20.0,
            busy_fraction=min(
                0.95,
                (r.channel_use_fraction if r.channel_use_fraction is not None else rng.uniform(0.02, 0.2))
                / share_of_busiest(seed, r.bssid, hour),
            ),
            announces_load=r.channel_use_fraction is not None,
        )
        for r in heard.values()
    ) or invent_neighbours(seed)
    links = tuple(round(li.rssi_dbm + rng.gauss(0, 3), 1) for li in job.zigbee.links) if job.zigbee else ()
    state = WorldState(
        seed=seed,
        clock=clock,
        positions={},
        neighbours=(*neighbours, unheard_source(seed)),
        levels_dbm=levels,
        settings=job.settings,
        measured_settings=job.settings,
        zigbee_links_dbm=links,
    )
    return World(job, state)


def unheard_source(seed: int, *, x_m: float = 14.0, y_m: float = 3.0, z_m: float = 3.9) -> Neighbour:
    """A wireless video sender: it sends at 2.4 GHz and announces nothing."""
    reading = Reading(
        bssid=f"0a:00:00:{seed & 0xFF:02x}:ff:01",
        ssid="",
        band="2.4 GHz",
        channel=9,
        centre_mhz=2452,
        width_mhz=20,
        rssi_dbm=-80.0,
        generation="802.11g",
    )
    return Neighbour(
        reading=reading, x_m=x_m, y_m=y_m, z_m=z_m, eirp_dbm=10.0, busy_fraction=0.12, announces_load=False, hidden=True
    )
