"""A setting lived in all worlds: who uses which radio, who is carried, what arrives, how fast a phone is where."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, fields, replace
from functools import cached_property
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.association import band_numbers, wished
from even_static.core.arrays import Floats, Floats32
from even_static.core.house.settings import LinkBand, Settings, SsidPlan, setting_block
from even_static.core.model.evaluate import ssid_problems
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import Block
from even_static.core.tables import worlds as table
from even_static.core.tables import zigbee as zigbee_table
from even_static.core.tables.bands import BANDS, Band
from even_static.core.worlds.band import BandLived, BandWorlds, Users, lived_band
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.links import Rates, picked
from even_static.core.worlds.mesh import MeshWorlds
from even_static.core.worlds.phone import AtWork, SpeedTests, latency_ms, speeds

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


_Outcome = TypeVar("_Outcome", Lived, SpeedTests)
Homes = tuple[NDArray[np.intp], Floats32, Floats32]


class Living:
    """Lives settings in the worlds of a house; parts that settings have in common are kept."""

    def __init__(self, worlds: Worlds) -> None:
        self.worlds, self.house = worlds, worlds.house
        house = self.house
        self.bands = {band: BandWorlds(worlds, band) for band in BANDS}
        self.band_of = band_numbers([r.band for r in house.radios])
        self.node_of = np.array(house.radio_node, dtype=np.intp)
        self.wired = np.array(house.wired_node, dtype=np.intp)
        devices = house.job.devices
        self.able = {
            band: np.array(
                [d for d, x in enumerate(devices) if band in x.bands and x.wired_to_id is None], dtype=np.intp
            )
            for band in BANDS
        }
        self.must = np.array([d.must_have for d in devices], dtype=bool) & (house.demand_mbps.sum(axis=1) > 0)
        self._homes: OrderedDict[object, Homes] = OrderedDict()
        self._lived: OrderedDict[object, tuple[Users, BandLived]] = OrderedDict()
        self._asked_of: tuple[NDArray[np.intp], tuple[LinkBand, ...], Floats32] | None = None
        self._rows_of: dict[object, NDArray[np.intp]] = {}
        self.rates = Rates()
        self._arrive_of: dict[int, tuple[BandLived, Floats]] = {}
        self._forms: dict[tuple[bytes, bytes], tuple[NDArray[np.intp], NDArray[np.intp]]] = {}
        self._kept_links: Floats | None = None

    @cached_property
    def mesh(self) -> MeshWorlds | None:
        """The Zigbee mesh; none where there is none."""
        zigbee = self.house.job.zigbee
        return MeshWorlds(self.worlds) if zigbee is not None and zigbee.devices else None

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
        chip = np.float32(table.USUAL_CHIP_DB)
        least = house.least_dbm.astype(np.float32)[None]
        can = house.can_use[None] & enabled[None, None, :]
        usable = can & (np.minimum(down + worlds.chip_db[:, :, None], up + chip) >= least)
        usable[:, :, [house.radio_index[r] for r in names.backhaul_only]] = False
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

    def lived(self, settings: Settings, at_places: bool = True, zigbee: bool = True) -> Lived:
        """The setting in all worlds; ``at_places`` false leaves the places' speeds out, ``zigbee`` false the mesh."""
        ways = self.forms(settings)
        return _by_world([(self._summed(self.at_work(settings, w), at_places, zigbee), here) for w, here in ways])

    def speed_tests(self, settings: Settings) -> SpeedTests:
        """What a good phone's speed test shows at each place while the household goes on."""
        return _by_world([(self._tested(self.at_work(settings, w)), here) for w, here in self.forms(settings)])

    def _tested(self, work: AtWork) -> SpeedTests:
        return SpeedTests(
            down_mbps=speeds(self.worlds, self.rates, work),
            up_mbps=speeds(self.worlds, self.rates, work, up=True),
            latency_ms=latency_ms(self.worlds, work),
        )

    def forms(self, settings: Settings) -> list[tuple[tuple[LinkBand, ...], NDArray[np.bool_]]]:
        """Where the radio links are, and in which worlds: in all of them as they are set, but for a mesh that forms
        itself."""
        forming, count = self.house.forming, self.worlds.count
        if forming is None:
            return [(settings.link_bands, np.ones(count, dtype=bool))]
        eirp, enabled = self._powers(settings)
        key = (eirp.tobytes(), enabled.tobytes())
        if key not in self._forms:
            finds = self.worlds.finds_db[:, forming.child, forming.parent]
            off = (self.worlds.link_db[:, forming.child] + finds).astype(np.float64)
            if self._kept_links is None:
                self._kept_links = forming.kept(off)
            size = (count, len(eirp))
            found = forming.found(np.broadcast_to(eirp, size), np.broadcast_to(enabled, size), off, self._kept_links)
            ways, which, times = np.unique(found, axis=0, return_inverse=True, return_counts=True)
            self._forms[key] = ways, _foremost(which.reshape(-1), times)
        ways, which = self._forms[key]
        set_here = tuple(e for e in settings.link_bands if e.node_id not in forming.finds)
        return [((*set_here, *forming.link_bands(way)), which == n) for n, way in enumerate(ways) if (which == n).any()]

    def _powers(self, settings: Settings) -> tuple[Floats32, NDArray[np.bool_]]:
        each = [settings.of(r.id) for r in self.house.radios]
        return np.array([s.eirp_dbm for s in each], dtype=np.float32), np.array([s.enabled for s in each], dtype=bool)

    def at_work(self, settings: Settings, link_bands: tuple[LinkBand, ...] | None = None) -> AtWork:
        """The setting at work, its radio links as given; else as they are set, or will most likely come to be."""
        linked = self.house.linked(settings) if link_bands is None else self.house.linked_by(link_bands)
        house, worlds = self.house, self.worlds
        eirp, enabled = self._powers(settings)
        blocks = [setting_block(r, settings.of(r.id)) for r in house.radios]
        homes = self.homes(eirp, enabled, settings.ssid_plan)
        links = [
            (node, near, far, worlds.link_db[:, node] + np.float32(at_0))
            for node, near, far, at_0 in linked.links
            if enabled[near] and enabled[far] and blocks[near] == blocks[far]
        ]
        asked = self._asked(linked, homes[0], linked.link_bands)
        found: dict[Band, tuple[list[int], Users, BandLived]] = {}
        for band in BANDS:
            radios = [i for i, r in enumerate(house.radios) if r.band == band and enabled[i]]
            key = (
                band,
                tuple((i, blocks[i], float(eirp[i])) for i in radios),
                (eirp.tobytes(), enabled.tobytes(), settings.ssid_plan) if radios else None,
                linked.link_bands,
                tuple(link[0] for link in links),
            )
            if key not in self._lived:
                users = self._users(band, radios, blocks, homes, links, asked, eirp)
                at = [blocks[i] for i in radios]
                self._lived[key] = users, lived_band(self.bands[band], radios, at, eirp, users)
                while len(self._lived) > KEPT:
                    self._lived.popitem(last=False)
            found[band] = (radios, *self._lived[key])
        return AtWork(
            settings=settings, linked=linked, home=homes[0], links=links, bands=found, eirp_dbm=eirp, blocks=blocks
        )

    def _asked(self, linked: House, home: NDArray[np.intp], links: tuple[LinkBand, ...]) -> Floats32:
        """What each node's uplink has to carry down and up, in Mb/s: (worlds, nodes, 2)."""
        if self._asked_of is not None and self._asked_of[0] is home and self._asked_of[1] == links:
            return self._asked_of[2]
        nodes = len(linked.job.nodes)
        passes = np.zeros((nodes + 1, nodes), dtype=np.float32)
        for i, way in enumerate(linked.above):
            passes[i, way] = 1.0
        at = np.where(home >= 0, self.node_of[np.maximum(home, 0)], self.wired[None, :])
        at = np.where(at >= 0, at, nodes)
        found = np.asarray(np.matmul(passes[at].transpose(0, 2, 1), self.worlds.wanted_mbps))
        self._asked_of = home, links, found
        return found

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
        able = self.able[band]
        rows = self._device_rows(band, radios, blocks)
        radio = local[homes[0][:, able]]
        row = rows[able[None, :], np.maximum(radio, 0)]
        down, up, wanted = homes[1][:, able], homes[2][:, able], worlds.wanted_mbps[:, able]
        chip, device_of = worlds.chip_db[:, able], able
        mine = [link for link in links if link[1] in radios]
        if mine:
            count = worlds.count
            chips = np.full((count, len(mine)), table.USUAL_CHIP_DB, dtype=np.float32)
            radio = np.concatenate([radio, np.tile([local[near] for _, near, _, _ in mine], (count, 1))], axis=1)
            kinds = [self.rates.link_row(house, near, far, blocks[near]) for _, near, far, _ in mine]
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
            tables=self.rates.stacked,
            chip_db=chip,
            device=device_of,
        )

    def _device_rows(self, band: Band, radios: list[int], blocks: list[Block]) -> NDArray[np.intp]:
        """Rows of the rate tables of each device with each of a band's radios: (devices, radios)."""
        key = (band, tuple((r, blocks[r].width_mhz) for r in radios))
        if key not in self._rows_of:
            rows = np.zeros((len(self.house.job.devices), max(len(radios), 1)), dtype=np.intp)
            for d in self.able[band]:
                device = self.house.job.devices[d]
                for k, r in enumerate(radios):
                    its = self.house.radios[r]
                    width, streams = min(blocks[r].width_mhz, device.widest_mhz(band)), min(its.streams, device.streams)
                    rows[d, k] = self.rates.row(its.generation, device.generation, band, width, streams)
            self._rows_of[key] = rows
        return self._rows_of[key]

    def _arrivals(self, channel: int, own: list[tuple[int, Block, float, Floats32]], lived: BandLived) -> Floats:
        """Share of reports that arrive; kept as long as 2.4 GHz is lived alike."""
        assert self.mesh is not None
        kept = self._arrive_of.get(channel)
        if kept is None or kept[0] is not lived:
            kept = self._arrive_of[channel] = lived, self.mesh.deliveries(channel, own)
        return kept[1]

    # -- what came of it -------------------------------------------------------------------------------------------

    def _summed(self, work: AtWork, at_places: bool, zigbee: bool) -> Lived:
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
        carried = np.where(wired, 1.0, granted) * picked(through, at)
        carried = np.where((home >= 0) | wired, carried, 0.0)
        lost = (carried < table.SERVED) & self.must[None, :] & (worlds.wanted_mbps.sum(axis=2) > 0)
        away = (home < 0) & ~wired if house.levels_known else np.zeros_like(lost)
        problems = (lost | away).sum(axis=1) + len(ssid_problems(house.job, settings))
        arrive = np.ones((count, 0))
        if zigbee and self.mesh is not None and settings.zigbee_channel is not None and self.mesh.known:
            arrive = self._arrivals(settings.zigbee_channel, own, work.bands["2.4 GHz"][2])
            problems = problems + (arrive < zigbee_table.WANTED_DELIVERY).sum(axis=1)
        served = 1.0 - lost[:, self.must].mean(axis=1) if self.must.any() else np.ones(count)
        return Lived(
            problems=problems.astype(np.float64),
            headroom=np.minimum(headroom, table.MOST_HEADROOM).astype(np.float64),
            delivery=arrive.min(axis=1, initial=1.0),
            served=served,
            speed_mbps=speeds(worlds, self.rates, work) if at_places else np.zeros((count, 0)),
            home=home,
            carried=carried.astype(np.float64),
            deliveries=arrive,
            asked=asked,
            duty=on_air,
        )


def _foremost(which: NDArray[np.intp], times: NDArray[np.intp]) -> NDArray[np.intp]:
    """The number of the way in which links are found in each world, rare ones as the most frequent, so that few are
    left to be lived: shape (worlds,)."""
    order = np.argsort(-times, kind="stable")
    rare = np.isin(which, order[table.FORMS :])
    return np.asarray(np.where(rare, order[0], which))


def _by_world(parts: list[tuple[_Outcome, NDArray[np.bool_]]]) -> _Outcome:
    """Of several outcomes in all worlds the one that holds in each."""
    first = parts[0][0]
    if len(parts) == 1:
        return first
    found = {f.name: getattr(first, f.name).copy() for f in fields(first)}
    for part, here in parts[1:]:
        for name, values in found.items():
            values[here] = getattr(part, name)[here]
    return replace(first, **found)
