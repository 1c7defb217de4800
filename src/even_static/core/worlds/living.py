"""A setting lived in all worlds: who uses which radio, who is carried, what arrives, how fast a phone is where."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.association import band_numbers, wished
from even_static.core.arrays import Floats, Floats32
from even_static.core.house.settings import Settings, SsidPlan, setting_block
from even_static.core.model.evaluate import ssid_problems
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import Block
from even_static.core.tables import worlds as table
from even_static.core.tables import zigbee as zigbee_table
from even_static.core.tables.bands import BANDS, Band
from even_static.core.worlds.band import LEAST_MBPS, BandLived, BandWorlds, Users, lived_band
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.links import faded_goodput, looked_up
from even_static.core.worlds.mesh import MeshWorlds

KEPT = 400
# Headroom of a house without a radio that is on.
AMPLE = 99.0


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Lived:
    """A setting in every world, by world: problems, smallest headroom (counted to 3.5), worst Zigbee delivery, share of
    the must-have devices that are carried; speed at each place in Mb/s down (worlds, places); the radio of each device,
    -1 for none, and the share of its demand that it gets (worlds, devices); the share of reports that arrives, by
    Zigbee device (worlds, devices); the share of each second that each radio's channel is asked for, by others and by
    its own cell, above 1 where that is more than there is, and in which its cell is on the air (worlds, radios)."""

    problems: Floats
    headroom: Floats
    delivery: Floats
    served: Floats
    speed_mbps: Floats
    home: NDArray[np.intp]
    carried: Floats
    deliveries: Floats
    asked: Floats
    duty: Floats


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class SpeedTests:
    """A good phone's speed test at each place in every world: Mb/s down and up, latency under load in ms (worlds,
    places)."""

    down_mbps: Floats
    up_mbps: Floats
    latency_ms: Floats

    def latency_at(self, place: int) -> Floats | None:
        """Latency at a place in the worlds in which anything gets through; none where that is not most of them."""
        through = self.down_mbps[:, place] > 0
        return np.asarray(self.latency_ms[through, place]) if through.mean() > 0.5 else None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class AtWork:
    """A setting at work: the house as its links are put, the radio of each device (worlds, devices), radio links that
    work as (node, near, far, level at 0 dBm in each world), each band's radios, users and airtime, powers, blocks."""

    settings: Settings
    linked: House
    home: NDArray[np.intp]
    links: list[tuple[int, int, int, Floats32]]
    bands: dict[Band, tuple[list[int], Users, BandLived]]
    eirp_dbm: Floats32
    blocks: list[Block]


Homes = tuple[NDArray[np.intp], Floats32, Floats32]


class Living:
    """Lives settings in the worlds of a house; parts that settings have in common are kept."""

    def __init__(self, worlds: Worlds) -> None:
        self.worlds, self.house = worlds, worlds.house
        house = self.house
        self.bands = {band: BandWorlds(worlds, band) for band in BANDS}
        self.mesh = MeshWorlds(worlds) if house.job.zigbee is not None and house.job.zigbee.devices else None
        self.band_of = band_numbers([r.band for r in house.radios])
        self.node_of = np.array(house.radio_node, dtype=np.intp)
        self.wired = np.array(house.wired_node, dtype=np.intp)
        devices = house.job.devices
        self.must = np.array([d.must_have for d in devices], dtype=bool) & (house.demand_mbps.sum(axis=1) > 0)
        self._homes: OrderedDict[object, Homes] = OrderedDict()
        self._lived: OrderedDict[object, BandLived] = OrderedDict()
        self._rows: dict[tuple[object, ...], int] = {}
        self._tables: list[Floats32] = []
        self._stacked = np.zeros((0, 1), dtype=np.float32)

    # -- who uses which radio --------------------------------------------------------------------------------------

    def homes(self, eirp: Floats32, enabled: NDArray[np.bool_], names: SsidPlan) -> Homes:
        """(radio of each device, -1 for none; level that it receives, that its radio receives): (worlds, devices)."""
        key = (eirp.tobytes(), enabled.tobytes(), names)
        if key in self._homes:
            self._homes.move_to_end(key)
            return self._homes[key]
        worlds, house = self.worlds, self.house
        down = np.minimum(worlds.own_device_dbm + eirp[None, None, :], -18.0)
        up = np.minimum(worlds.own_device_dbm + worlds.client_eirp_dbm[:, :, None], -18.0)
        chip = np.float32(np.mean(table.CHIP_DB))
        least = house.least_dbm.astype(np.float32)[None]
        can = house.can_use[None] & enabled[None, None, :]
        usable = can & (np.minimum(down + worlds.chip_db[:, :, None], up + chip) >= least)
        joined = [names.band_of(d.id) for d in house.job.devices]
        for d, band in enumerate(joined):
            if band is not None:
                usable[:, d, :] &= self.band_of == BANDS.index(band)
        if names.high_band_from_dbm is not None:
            high = usable & (self.band_of > 0)[None, None, :] & (down >= names.high_band_from_dbm)
            free = np.array([b is None for b in joined], dtype=bool)[None, :] & ~worlds.deaf
            moved = (high.any(axis=2) & free)[:, :, None]
            usable = np.where(moved, high, usable)
        if house.own_name.any():
            reached = (usable & ~house.own_name).any(axis=2)
            usable &= ~house.own_name | ~reached[:, :, None]
        wish = np.where(usable, wished(down, worlds.taste_db) + worlds.whim_db, -np.inf)
        home = wish.argmax(axis=2) if wish.shape[2] else np.zeros(wish.shape[:2], dtype=np.intp)
        home = np.where(usable.any(axis=2), home, -1)
        fixed = house.known_radio
        for d in map(int, np.flatnonzero(fixed >= 0)):
            if joined[d] is None:
                home[:, d] = np.where(usable[:, d, fixed[d]], fixed[d], home[:, d])
        at = np.maximum(home, 0)[:, :, None]
        found = (
            home,
            np.take_along_axis(down, at, axis=2)[:, :, 0],
            np.take_along_axis(up, at, axis=2)[:, :, 0],
        )
        self._homes[key] = found
        while len(self._homes) > 64:
            self._homes.popitem(last=False)
        return found

    # -- a setting -------------------------------------------------------------------------------------------------

    def lived(self, settings: Settings, speeds: bool = True) -> Lived:
        """The setting in all worlds; ``speeds`` false leaves the places' speeds out."""
        return self._summed(self._at_work(settings), speeds)

    def speed_tests(self, settings: Settings) -> SpeedTests:
        """What a good phone's speed test shows at each place while the household goes on."""
        work = self._at_work(settings)
        return SpeedTests(
            down_mbps=self._speeds(work), up_mbps=self._speeds(work, up=True), latency_ms=self._latency_ms(work)
        )

    def _at_work(self, settings: Settings) -> AtWork:
        linked = self.house.linked_by(settings.link_bands)
        house, worlds = self.house, self.worlds
        eirp = np.array([settings.of(r.id).eirp_dbm for r in house.radios], dtype=np.float32)
        enabled = np.array([settings.of(r.id).enabled for r in house.radios], dtype=bool)
        blocks = [setting_block(r, settings.of(r.id)) for r in house.radios]
        homes = self.homes(eirp, enabled, settings.ssid_plan)
        links = [
            (node, near, far, worlds.link_db[:, node] + np.float32(at_0))
            for node, near, far, at_0 in linked.links
            if enabled[near] and enabled[far] and blocks[near] == blocks[far]
        ]
        asked = self._asked(linked, homes[0])
        found: dict[Band, tuple[list[int], Users, BandLived]] = {}
        for band in BANDS:
            radios = [i for i, r in enumerate(house.radios) if r.band == band and enabled[i]]
            users = self._users(band, radios, blocks, homes, links, asked, eirp)
            key = (
                band,
                tuple((i, blocks[i], float(eirp[i])) for i in radios),
                (eirp.tobytes(), enabled.tobytes(), settings.ssid_plan) if radios else None,
                settings.link_bands,
                tuple(link[0] for link in links),
            )
            if key not in self._lived:
                self._lived[key] = lived_band(self.bands[band], radios, [blocks[i] for i in radios], eirp, users)
                while len(self._lived) > KEPT:
                    self._lived.popitem(last=False)
            found[band] = (radios, users, self._lived[key])
        return AtWork(
            settings=settings, linked=linked, home=homes[0], links=links, bands=found, eirp_dbm=eirp, blocks=blocks
        )

    def _asked(self, linked: House, home: NDArray[np.intp]) -> Floats32:
        """What each node's uplink has to carry down and up, in Mb/s: (worlds, nodes, 2)."""
        nodes = len(linked.job.nodes)
        passes = np.zeros((nodes + 1, nodes), dtype=np.float32)
        for i, way in enumerate(linked.above):
            passes[i, way] = 1.0
        at = np.where(home >= 0, self.node_of[np.maximum(home, 0)], self.wired[None, :])
        at = np.where(at >= 0, at, nodes)
        return np.asarray(np.einsum("wdn,wdk->wnk", passes[at], self.worlds.wanted_mbps, optimize=True))

    def _row(self, *kind: object) -> int:
        """The row of a link's rate table."""
        if kind not in self._rows:
            self._rows[kind] = len(self._tables)
            self._tables.append(faded_goodput(*kind))
            self._stacked = np.stack(self._tables)
        return self._rows[kind]

    def _users(
        self,
        band: Band,
        radios: list[int],
        blocks: list[Block],
        homes: Homes,
        links: list[tuple[int, int, int, Floats32]],
        asked: Floats32,
        eirp: Floats32,
    ) -> Users:
        house, worlds = self.house, self.worlds
        local = np.full(len(house.radios) + 1, -1, dtype=np.intp)
        local[radios] = np.arange(len(radios))
        rows = np.zeros((len(house.job.devices), max(len(radios), 1)), dtype=np.intp)
        able = [d for d, device in enumerate(house.job.devices) if band in device.bands and device.wired_to_id is None]
        for d in able:
            device = house.job.devices[d]
            for k, r in enumerate(radios):
                its = house.radios[r]
                width = min(blocks[r].width_mhz, device.widest_mhz(band))
                streams = min(its.streams, device.streams)
                rows[d, k] = self._row(its.generation, device.generation, band, width, streams)
        picked = np.array(able, dtype=np.intp)
        radio = local[homes[0][:, picked]]
        row = rows[picked[None, :], np.maximum(radio, 0)]
        down, up, wanted = homes[1][:, picked], homes[2][:, picked], worlds.wanted_mbps[:, picked]
        chip, device_of = worlds.chip_db[:, picked], picked
        mine = [link for link in links if link[1] in radios]
        if mine:
            count = worlds.count
            chips = np.full((count, len(mine)), np.mean(table.CHIP_DB), dtype=np.float32)
            radio = np.concatenate([radio, np.tile([local[near] for _, near, _, _ in mine], (count, 1))], axis=1)
            kinds = [self._link_row(near, far, blocks[near]) for _, near, far, _ in mine]
            row = np.concatenate([row, np.tile(kinds, (count, 1))], axis=1)
            down = np.concatenate([down, np.stack([lv + eirp[near] for _, near, _, lv in mine], axis=1)], axis=1)
            up = np.concatenate([up, np.stack([lv + eirp[far] for _, _, far, lv in mine], axis=1)], axis=1)
            wanted = np.concatenate([wanted, asked[:, [node for node, *_ in mine]]], axis=1)
            chip = np.concatenate([chip, chips], axis=1)
            device_of = np.concatenate([device_of, np.full(len(mine), -1, dtype=np.intp)])
        return Users(
            radio=radio,
            down_dbm=down,
            up_dbm=up,
            wanted_mbps=wanted,
            row=row,
            tables=self._stacked,
            chip_db=chip,
            device=device_of,
        )

    def _link_row(self, near: int, far: int, block: Block) -> int:
        a, b = self.house.radios[near], self.house.radios[far]
        return self._row(a.generation, b.generation, a.band, block.width_mhz, min(a.streams, b.streams))

    # -- what came of it -------------------------------------------------------------------------------------------

    def _summed(self, work: AtWork, speeds: bool) -> Lived:
        settings, linked, home, links = work.settings, work.linked, work.home, work.links
        house, worlds = self.house, self.worlds
        count, devices = worlds.count, len(house.job.devices)
        granted = np.zeros((count, devices), dtype=np.float32)
        linkage = np.ones((count, len(house.job.nodes)), dtype=np.float32)
        for i, node in enumerate(linked.job.nodes):
            if node.uplink is not None and node.uplink.band is not None:
                linkage[:, i] = 0.0
        headroom = np.full(count, np.float32(AMPLE))
        own: list[tuple[int, Block, float, Floats32]] = []
        asked, on_air = np.zeros((2, count, len(house.radios)))
        for band, (radios, users, lived) in work.bands.items():
            here = users.device >= 0
            which = users.device[here]
            got = np.where(users.radio[:, here] >= 0, lived.granted[:, here], 0.0)
            granted[:, which] = np.maximum(granted[:, which], got)
            mine = [link for link in links if link[1] in radios]
            for k, link in enumerate(mine):
                linkage[:, link[0]] = lived.granted[:, int(here.sum()) + k]
            if radios:
                headroom = np.minimum(headroom, lived.headroom.min(axis=1))
                asked[:, radios], on_air[:, radios] = 1 - lived.available + lived.shared + lived.need, lived.duty
            if band == "2.4 GHz":
                own = [(r, work.blocks[r], float(work.eirp_dbm[r]), lived.duty[:, k]) for k, r in enumerate(radios)]
        through = np.ones_like(linkage)
        for i, way in enumerate(linked.above):
            through[:, i] = np.prod(linkage[:, way], axis=1)
        at = np.where(home >= 0, self.node_of[np.maximum(home, 0)], np.maximum(self.wired, 0)[None, :])
        wired = self.wired[None, :] >= 0
        carried = np.where(wired, 1.0, granted) * np.take_along_axis(through, at, axis=1)
        carried = np.where((home >= 0) | wired, carried, 0.0)
        lost = (carried < table.SERVED) & self.must[None, :] & (worlds.wanted_mbps.sum(axis=2) > 0)
        away = (home < 0) & ~wired if house.levels_known else np.zeros_like(lost)
        problems = (lost | away).sum(axis=1) + len(ssid_problems(house.job, settings))
        arrive = np.ones((count, 0))
        if self.mesh is not None and settings.zigbee_channel is not None and self.mesh.known:
            arrive = self.mesh.deliveries(settings.zigbee_channel, own)
            problems = problems + (arrive < zigbee_table.WANTED_DELIVERY).sum(axis=1)
        served = 1.0 - lost[:, self.must].mean(axis=1) if self.must.any() else np.ones(count)
        return Lived(
            problems=problems.astype(np.float64),
            headroom=np.minimum(headroom * worlds.headroom_off, table.MOST_HEADROOM).astype(np.float64),
            delivery=arrive.min(axis=1, initial=1.0),
            served=served,
            speed_mbps=self._speeds(work) if speeds else np.zeros((count, 0)),
            home=home,
            carried=carried.astype(np.float64),
            deliveries=arrive,
            asked=asked,
            duty=on_air,
        )

    def _left(self, work: AtWork) -> dict[int, Floats32]:
        """Share of each second that one more user of each radio gets: what nobody takes, or its fair part."""
        left: dict[int, Floats32] = {}
        for radios, _, lived in work.bands.values():
            for k, r in enumerate(radios):
                free = lived.available[:, k] - lived.need[:, k] - lived.shared[:, k]
                fair = lived.available[:, k] / (1 + np.minimum(2.0, 2 * (lived.need[:, k] + lived.shared[:, k])))
                left[r] = np.maximum(free, 0.7 * fair)
        return left

    def _phone_wishes(self, work: AtWork, left: dict[int, Floats32]) -> dict[int, Floats32]:
        """How much a usual phone wants each radio at each place, in dB: (worlds, places)."""
        steer, found = work.settings.ssid_plan.high_band_from_dbm, dict[int, Floats32]()
        for r, radio in enumerate(self.house.radios):
            if r not in left or radio.link_only:
                continue
            here = self._at_places(work, r)
            wish = wished(here, float(np.mean(table.TASTE_DB[radio.band])))
            if steer is not None and radio.band != "2.4 GHz":
                wish = wish + np.where(here >= steer, 30.0, 0.0)
            found[r] = np.asarray(wish, dtype=np.float32)
        return found

    def _at_places(self, work: AtWork, r: int) -> Floats32:
        return np.asarray(np.minimum(self.worlds.own_place_dbm[:, :, r] + work.eirp_dbm[r], -18.0))

    def _hops(self, work: AtWork, r: int) -> list[tuple[int, int, Floats32]] | None:
        """The radio links from a radio's node to the router, as (near, far, level at 0 dBm); None where one is down."""
        way = {node: (near, far, lv) for node, near, far, lv in work.links}
        found = []
        for node in work.linked.above[self.node_of[r]]:
            uplink = work.linked.job.nodes[node].uplink
            if uplink is not None and uplink.band is not None:
                if node not in way:
                    return None
                found.append(way[node])
        return found

    def _speeds(self, work: AtWork, up: bool = False) -> Floats:
        """Mb/s, down or up, that a good phone gets at each place while the household goes on: (worlds, places)."""
        worlds, left = self.worlds, self._left(work)
        shape = worlds.own_place_dbm.shape[:2]
        best = np.full(shape, -np.inf, dtype=np.float32)
        speed = np.zeros(shape, dtype=np.float32)
        chip = np.float32(np.mean(table.CHIP_DB))
        for r, wish in self._phone_wishes(work, left).items():
            radio, block = self.house.radios[r], work.blocks[r]
            width = min(block.width_mhz, table.PHONE_WIDTH_MHZ)
            row = self._row(radio.generation, "802.11ax", radio.band, width, min(radio.streams, table.PHONE_STREAMS))
            here = self._at_places(work, r)
            if up:
                here = here + np.float32(table.PHONE_EIRP_DBM - work.eirp_dbm[r])
            rate = looked_up(self._stacked, np.array(row), here + chip) * left[r][:, None]
            turns = {block: 1 / np.maximum(rate, LEAST_MBPS)}
            hops = self._hops(work, r)
            for near, far, lv in hops or []:
                row_of = np.array(self._link_row(near, far, work.blocks[near]))
                hop = looked_up(self._stacked, row_of, lv + work.eirp_dbm[far if up else near] + chip)
                hop = np.maximum(hop * left[near], LEAST_MBPS)[:, None]
                turns[work.blocks[near]] = turns.get(work.blocks[near], np.float32(0)) + 1 / hop
            through = 1 / np.maximum.reduce([np.broadcast_to(t, rate.shape) for t in turns.values()])
            through = np.where((hops is not None) & (rate > LEAST_MBPS), through, 0.0)
            taken = wish > best
            best, speed = np.where(taken, wish, best), np.where(taken, through, speed)
        return (speed * worlds.phone).astype(np.float64)

    def _latency_ms(self, work: AtWork) -> Floats:
        """Latency under load in ms at each place: at every hop a burst each way, for as long as it takes to come to
        one's turn: (worlds, places). Queues of boxes that do not keep them short come on top."""
        worlds, left = self.worlds, self._left(work)
        shape = worlds.own_place_dbm.shape[:2]
        best = np.full(shape, -np.inf, dtype=np.float32)
        found = np.full(shape, table.IDLE_MS, dtype=np.float32)
        for r, wish in self._phone_wishes(work, left).items():
            waits = 1 / np.maximum(left[r], 0.03)
            for near, _, _ in self._hops(work, r) or []:
                waits = waits + 1 / np.maximum(left[near], 0.03)
            here = np.broadcast_to((table.IDLE_MS + 2 * table.PHONE_BURST_MS * waits)[:, None], shape)
            taken = wish > best
            best, found = np.where(taken, wish, best), np.where(taken, here, found)
        return (found * worlds.phone**-table.LATENCY_BY_PHONE).astype(np.float64)
