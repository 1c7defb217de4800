"""A job made ready to compute with: what depends neither on channels nor on powers."""

from __future__ import annotations

import copy
import itertools
from collections import OrderedDict
from collections.abc import Hashable, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from even_static.core.airtime.association import band_numbers, chosen, usual_taste_db, wished
from even_static.core.airtime.rates import older, rate_steps
from even_static.core.arrays import Bools, Floats, Indices
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio, Zigbee
from even_static.core.house.links import link_ends, link_radio, on_one_block
from even_static.core.house.settings import LinkBand, Settings, SsidPlan, setting_block
from even_static.core.model.link_tables import Client, MeshTables, Tables
from even_static.core.model.loads import LinkLoad, Load, clients_of
from even_static.core.model.self_forming import forming_of
from even_static.core.model.sent_airtime import OwnTraffic, clear_need_fraction, sent_by_others
from even_static.core.model.spectra import Spectra
from even_static.core.propagation.stands import with_stand_places
from even_static.core.survey.air import Air, air
from even_static.core.survey.router_lists import newest_lines
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.placing import ASSUMED_LINK_DBM
from even_static.core.tables.propagation import UNHEARD_DBM

# So many different loads of a radio are remembered before all are forgotten.
MOST_LOADS = 20_000
# A device that is listed on another radio than its levels suggest wants that one by so much more than its next best.
CLEARLY_DB = 1.0


LinkSource = Literal["read", "heard", "predicted", "assumed"]


class House:
    """A job made ready: its air, its radios' places and the networks' spectrum as arrays."""

    def __init__(
        self, job: Job, *, until: str | None = None, in_air: Air | None = None, as_heard: bool = False
    ) -> None:
        """``as_heard``: other networks send what they sent when they were heard, and not what the busy hour brings."""
        job = with_stand_places(job)
        self.job, self.as_heard = job, as_heard
        self.air: Air = in_air or air(job, until)
        self.places = {p.id: i for i, p in enumerate(job.places)}
        self.radios: tuple[Radio, ...] = job.radios
        self.radio_index = {r.id: i for i, r in enumerate(self.radios)}
        self.radio_place = [self.places[job.node_of(r.id).place_id] for r in self.radios]
        self.radio_node = [i for i, n in enumerate(job.nodes) for _ in n.radios]
        self.in_band: dict[Band, Indices] = {
            band: np.array([k for k, n in enumerate(self.air.networks) if n.band == band], dtype=np.intp)
            for band in BANDS
        }
        self._spectra: dict[tuple[Band, bool], Spectra] = {}
        self._variants: dict[tuple[LinkBand, ...], House] = {}
        # Radio states, the latest last: here, so that they go when the house does.
        self.states: OrderedDict[Hashable, object] = OrderedDict()
        # What a radio carries, numbered: tables are kept by it and shared by all radio states in which it is the same.
        self._loads: dict[Load, int] = {}
        self._numbers = itertools.count()
        self.tables = Tables()
        self._devices()
        self._links()
        self.base: House = self
        self.link_bands: tuple[LinkBand, ...] = ()
        at = [self.places[n.place_id] for n in job.nodes]
        self._formed: dict[object, tuple[LinkBand, ...]] = {}
        self.forming = forming_of(job, self.links, self.own_at_0_dbm, at)
        if self.air.sent_fraction is None:
            self.air = replace(self.air, sent_fraction=sent_by_others(self.air, self._own_traffic()))

    def changed(self, job: Job) -> House:
        """This house with its kit otherwise, to see what would come of it: what neighbours send was measured beside
        the kit as it is, and stays."""
        found = replace(air(with_stand_places(job)), sent_fraction=self.air.sent_fraction)
        kept = [n.bssid for n in found.networks] == [n.bssid for n in self.air.networks]
        return House(job, in_air=found if kept else None, as_heard=self.as_heard)

    def _links(self) -> None:
        """Radio links, and for each node the nodes whose traffic passes it: what loads are worked out from."""
        job = self.job
        index = {n.id: i for i, n in enumerate(job.nodes)}
        self.above: list[list[int]] = []
        self.links: list[tuple[int, int, int, float]] = []
        self.link_sources: dict[str, LinkSource] = {}
        for i, node in enumerate(job.nodes):
            way, at = [i], node
            while at.uplink is not None:
                at = job.nodes[index[at.uplink.to_node_id]]
                if index[at.id] in way:
                    raise ValueError(f"the links of {node.id} and {at.id} lead back to themselves")
                way.append(index[at.id])
            self.above.append(way)
            ends = link_ends(job, node.id)
            if ends is not None:
                near, far = (self.radio_index[r] for r in ends)
                level, self.link_sources[node.id] = self._link_level(node, near)
                self.links.append((i, near, far, level - job.settings.of(self.radios[near].id).eirp_dbm))

    def _link_level(self, node: Node, near: int) -> tuple[float, LinkSource]:
        """(level in dBm at which a node receives radio ``near`` as it is set, where that comes from): as read on the
        node's page, else as heard at its place or predicted there, else what such links are placed for."""
        now_dbm = self.job.settings.of(self.radios[near].id).eirp_dbm
        if node.uplink is not None and node.uplink.rssi_dbm is not None:
            then_dbm = now_dbm if node.uplink.read_at_eirp_dbm is None else node.uplink.read_at_eirp_dbm
            level = min(max(node.uplink.rssi_dbm + now_dbm - then_dbm, -120.0), 0.0)
            return level, "read" if then_dbm == now_dbm and not node.uplink.expected else "predicted"
        place = self.places[node.place_id]
        at_0_dbm = float(self.own_at_0_dbm[near, place])
        if at_0_dbm <= UNHEARD_DBM:
            return ASSUMED_LINK_DBM, "assumed"
        level = at_0_dbm + now_dbm
        heard = bool(self.air.heard[self.radios[near].band][place])
        return min(max(level, -120.0), 0.0), "heard" if heard else "predicted"

    def loads(self, eirp_dbm: Sequence[float], enabled: Sequence[bool], homes: Sequence[int]) -> list[Load]:
        """What each radio carries when the devices are at these radios (-1 for none)."""
        at: list[list[int]] = [[] for _ in self.radios]
        for d, r in enumerate(homes):
            if r >= 0:
                at[r].append(d)
        links: dict[int, list[LinkLoad]] = {}
        if self.links:
            # Each radio link is a client of the node nearer the router: it carries all that hangs below it.
            carried = [[0.0, 0.0] for _ in self.job.nodes]
            musts = [0] * len(self.job.nodes)
            for d, r in enumerate(homes):
                at_node = self.radio_node[r] if r >= 0 else self.wired_node[d]
                if at_node >= 0:
                    for node in self.above[at_node]:
                        carried[node][0] += self.demands[d][0]
                        carried[node][1] += self.demands[d][1]
                        musts[node] += self.counts[d]
            for node, near, far, at_0_dbm in self.links:
                if enabled[near] and enabled[far]:
                    down, up = carried[node]
                    link = LinkLoad(
                        node=node,
                        far_radio=far,
                        far_eirp_dbm=eirp_dbm[far],
                        level_dbm=at_0_dbm + eirp_dbm[near],
                        down_mbps=down,
                        up_mbps=up,
                        musts=musts[node],
                    )
                    links.setdefault(near, []).append(link)
        return [
            Load(radio=r, eirp_dbm=eirp_dbm[r], enabled=enabled[r], devices=tuple(at[r]), links=tuple(links.get(r, ())))
            for r in range(len(self.radios))
        ]

    def clients_of(self, load: Load) -> list[Client]:
        """Users of a radio's airtime, when it carries this."""
        return clients_of(
            self.job,
            load,
            self.own_at_0_dbm,
            device_place=self.device_place,
            demand_mbps=self.demand_mbps,
            radio_place=self.radio_place,
        )

    def _own_traffic(self) -> list[OwnTraffic]:
        """The own radios that are on, as they are set."""
        settings = [self.job.settings.of(r.id) for r in self.radios]
        eirp, enabled = [s.eirp_dbm for s in settings], [s.enabled for s in settings]
        homes = self.homes(np.array([eirp]), np.array([enabled], dtype=bool), self.job.settings.ssid_plan)[0].tolist()
        # What is not bought yet sent nothing while somebody listened.
        homes = [-1 if d.planned else r for d, r in zip(self.job.devices, homes, strict=True)]
        found = []
        for load, radio, setting in zip(self.loads(eirp, enabled, homes), self.radios, settings, strict=True):
            if setting.enabled:
                block = setting_block(radio, setting)
                need = clear_need_fraction(self.clients_of(load), block)
                place = self.radio_place[load.radio]
                found.append(OwnTraffic(place=place, block=block, eirp_dbm=setting.eirp_dbm, need_fraction=need))
        return found

    def _devices(self) -> None:
        """Which radios each device can use, and the lowest level in dBm at which the link still works: arrays
        (devices, radios)."""
        devices, count = self.job.devices, len(self.radios)
        self.device_place = np.array([self.places[d.place_id] for d in devices], dtype=np.intp)
        self.device_eirp = np.array([d.eirp_dbm for d in devices], dtype=np.float64)
        self.can_use = np.zeros((len(devices), count), dtype=bool)
        self.least_dbm = np.full((len(devices), count), np.inf)
        # A stream that a phone passes on comes to the phone and goes out from it again.
        twice = {d.id: 0.0 for d in devices}
        for device in devices:
            if device.relayed_by_id is not None:
                twice[device.relayed_by_id] += device.demand_down_mbps
        self.demands = [(d.demand_down_mbps + twice[d.id], d.demand_up_mbps + twice[d.id]) for d in devices]
        self.counts = [int(d.must_have and sum(w) > 0) for d, w in zip(devices, self.demands, strict=True)]
        self.demand_mbps = np.array(self.demands, dtype=np.float64).reshape(len(devices), 2)
        self.known_radio = np.full(len(devices), -1, dtype=np.intp)
        nodes = {n.id: i for i, n in enumerate(self.job.nodes)}
        self.wired_node = [nodes[d.wired_to_id] if d.wired_to_id is not None else -1 for d in devices]
        repeaters = {n.id for n in self.job.nodes if n.kind == "repeater"}
        self.own_name = np.array([self.job.node_of(r.id).id in repeaters for r in self.radios], dtype=bool)
        for d, device in enumerate(devices):
            for r, radio in enumerate(self.radios):
                if radio.band in device.bands and device.wired_to_id is None and not radio.link_only:
                    steps = rate_steps(older(radio.generation, device.generation), radio.band, 20, 1)
                    self.can_use[d, r] = True
                    self.least_dbm[d, r] = float(steps.level_dbm[1])
            if device.radio_id is not None:
                self.known_radio[d] = self.radio_index[device.radio_id]
        # Levels at 0 dBm radiated; what is not heard stays unheard.
        heard = self.air.own_rssi_dbm > UNHEARD_DBM
        self.own_at_0_dbm = np.where(heard, self.air.own_rssi_dbm - self.air.own_eirp_dbm, UNHEARD_DBM)
        # Where no own level was read or predicted anywhere, nobody knows who has a link: nothing is said of it.
        self.levels_known = bool(heard.any())
        self.whim_db = np.zeros((len(devices), count))
        self.deaf = np.zeros(len(devices), dtype=bool)
        self._believe_the_list()

    def _believe_the_list(self) -> None:
        """Devices that the router lists on another radio than their levels suggest want that one so much more, and do
        not listen to steering where it would have moved them."""
        job, settings = self.job, self.job.settings
        index = {d.id: i for i, d in enumerate(job.devices)}
        at = {r.id: i for i, r in enumerate(self.radios)}
        listed = [(index[c.device_id], at[c.radio_id]) for c in newest_lines(job) if c.radio_id in at]
        if not listed:
            return
        eirp = np.array([[settings.of(r.id).eirp_dbm for r in self.radios]])
        enabled = np.array([[settings.of(r.id).enabled for r in self.radios]], dtype=bool)
        level = self._usable_levels(eirp, enabled, settings.ssid_plan)[0]
        bands = band_numbers([r.band for r in self.radios])
        wish = wished(level, usual_taste_db(bands))
        home = self.homes(eirp, enabled, settings.ssid_plan)[0]
        for d, r in listed:
            if home[d] != r and level[d, r] > -np.inf:
                self.whim_db[d, r] = max(0.0, float(wish[d].max() - wish[d, r])) + CLEARLY_DB
                self.deaf[d] = settings.ssid_plan.high_band_from_dbm is not None

    def own_levels(self, eirp_dbm: Sequence[float] | Floats) -> Floats:
        """Levels of the own radios at all places in dBm at these powers: shape (radios, places)."""
        power = np.asarray(eirp_dbm, dtype=np.float64)[:, None]
        return np.where(self.own_at_0_dbm > UNHEARD_DBM, self.own_at_0_dbm + power, UNHEARD_DBM)

    def homes(self, eirp_dbm: Floats, enabled: Bools, names: SsidPlan) -> Indices:
        """The radio of each device, -1 for none, for many choices of power at once: shape (choices, devices).

        ``eirp_dbm`` and ``enabled``: shape (choices, radios). A device holds the radio that it is known to hold; a band
        whose name it joins; else what :func:`chosen` says, with what the router's client list has shown of it.
        """
        known = self._usable_levels(eirp_dbm, enabled, names)
        bands = band_numbers([r.band for r in self.radios])
        result = chosen(known, bands, names.high_band_from_dbm, whim_db=self.whim_db, deaf=self.deaf)
        fixed = self.known_radio
        for d in map(int, np.flatnonzero(fixed >= 0)):
            if names.band_of(self.job.devices[d].id) is None:
                result[:, d] = np.where(known[:, d, fixed[d]] > -np.inf, fixed[d], result[:, d])
        return np.asarray(result, dtype=np.intp)

    def _usable_levels(self, eirp_dbm: Floats, enabled: Bools, names: SsidPlan) -> Floats:
        """Level of each radio at each device, minus infinity where it cannot use it: (choices, devices, radios)."""
        at_0 = self.own_at_0_dbm[:, self.device_place].T
        level = np.where(at_0 > UNHEARD_DBM, at_0[None] + eirp_dbm[:, None, :], UNHEARD_DBM)
        back = level - eirp_dbm[:, None, :] + self.device_eirp[None, :, None]
        usable = enabled[:, None, :] & self.can_use[None] & (np.minimum(level, back) >= self.least_dbm[None])
        usable[:, :, [self.radio_index[r] for r in names.backhaul_only]] = False
        bands = band_numbers([r.band for r in self.radios])
        joined = [names.band_of(d.id) for d in self.job.devices]
        for d, band in enumerate(joined):
            if band is not None:
                usable[:, d, :] &= bands == BANDS.index(band)
        if self.own_name.any():
            # A repeater with a name of its own is used only where nothing else reaches.
            reached = (usable & ~self.own_name).any(axis=2)
            kept = np.arange(usable.shape[2])[None, :] == self.known_radio[:, None]
            usable &= ~self.own_name | ~reached[:, :, None] | kept[None]
        return np.asarray(np.where(usable, level, -np.inf))

    def homeless(self, homes: Sequence[int]) -> int:
        """Devices that would be on the air and have no radio; 0 where no own level is known."""
        if not self.levels_known:
            return 0
        return sum(r < 0 and w < 0 for r, w in zip(homes, self.wired_node, strict=True))

    @property
    def mesh_channels(self) -> tuple[int, ...]:
        """Channels that the house's mesh can be put on: Zigbee's; the Thread mesh's own where there is no Zigbee."""
        if self.job.zigbee is not None:
            return self.job.zigbee.selectable_channels
        return () if self.job.thread is None else (self.job.thread.channel,)

    def number_of(self, load: Load) -> int:
        """The number of what a radio carries at a power."""
        if len(self._loads) > MOST_LOADS:
            self._loads.clear()
            self.tables.clear()
        number = self._loads.get(load)
        if number is None:
            number = self._loads[load] = next(self._numbers)
        return number

    def spectra(self, band: Band, *, as_heard: bool = False) -> Spectra:
        """The other networks of a band as arrays: in the busy hour, or as they were heard."""
        key = (band, as_heard or self.as_heard)
        if key not in self._spectra:
            self._spectra[key] = Spectra(self.air, self.in_band[band], band, as_heard=key[1])
        return self._spectra[key]

    def link_groups(self, radios: list[int]) -> list[list[int]]:
        """Radios sorted into groups: those that have to be on one block stand together."""
        group = {r: {r} for r in radios}
        for ends in on_one_block(self.job):
            a, b = (self.radio_index[e] for e in ends)
            if a in group and b in group and group[a] is not group[b]:
                merged = group[a] | group[b]
                for r in merged:
                    group[r] = merged
        return [sorted(g) for g in {id(g): g for g in group.values()}.values()]

    def linked(self, settings: Settings) -> House:
        """This house with its radio links as a setting puts them; those of a mesh that forms itself as they will come
        to be under it."""
        base = self.base
        if base.forming is None:
            return base.linked_by(settings.link_bands)
        each = [settings.of(r.id) for r in self.radios]
        key = (tuple((s.eirp_dbm, s.enabled) for s in each), settings.link_bands)
        if key not in base._formed:
            eirp, enabled = np.array([[s.eirp_dbm for s in each]]), np.array([[s.enabled for s in each]], dtype=bool)
            base._formed[key] = base.formed(eirp, enabled, settings.link_bands)[0]
        return base.linked_by(base._formed[key])

    def formed(self, eirp_dbm: Floats, enabled: Bools, link_bands: tuple[LinkBand, ...]) -> list[tuple[LinkBand, ...]]:
        """Where all radio links are under many choices of power and of being on (choices, radios): those that are set
        as ``link_bands`` say, those of a mesh that forms itself as they come to be."""
        if self.forming is None:
            return [link_bands] * len(eirp_dbm)
        forming = self.forming
        set_here = tuple(e for e in link_bands if e.node_id not in forming.finds)
        return [(*set_here, *forming.link_bands(row)) for row in forming.found(eirp_dbm, enabled)]

    def linked_by(self, link_bands: tuple[LinkBand, ...]) -> House:
        """This house with its radio links put on other bands; all that does not depend on them is shared."""
        if not link_bands:
            return self
        if link_bands not in self._variants:
            variant = copy.copy(self)
            variant.link_bands = link_bands
            variant.job = with_link_bands(self.job, link_bands, self)
            variant._variants, variant.states = {}, OrderedDict()
            variant._links()
            self._variants[link_bands] = variant
        return self._variants[link_bands]

    def with_zigbee(self, zigbee: Zigbee) -> House:
        """This house with another Zigbee mesh; the Wi-Fi's tables are shared."""
        variant = copy.copy(self)
        variant.job = replace(self.job, zigbee=zigbee)
        variant._variants, variant.states, variant.base = {}, OrderedDict(), variant
        variant.tables = replace(self.tables, mesh=MeshTables())
        return variant


def with_link_bands(job: Job, link_bands: tuple[LinkBand, ...], house: House | None = None) -> Job:
    """The job with radio links on other bands, at the levels that the far ends receive there."""
    if not link_bands:
        return job
    house = house or House(job)
    wanted = {e.node_id: e for e in link_bands}

    def put(node: Node) -> Node:
        link = wanted.get(node.id)
        if link is None or node.uplink is None or node.uplink.band is None:
            return node
        by_id = {n.id: n for n in job.nodes}
        parent = by_id[link.to_node_id or node.uplink.to_node_id]
        near = link_radio(parent, link.band, link.to_radio_id)
        now = link_radio(by_id[node.uplink.to_node_id], node.uplink.band, node.uplink.to_radio_id)
        moved = replace(
            node.uplink, to_node_id=parent.id, band=link.band, radio_id=link.radio_id, to_radio_id=link.to_radio_id
        )
        if near.id != now.id:
            level = link_level_dbm(house, near, node, job.settings.of(near.id).eirp_dbm)
            moved = replace(moved, rssi_dbm=level, read_at_eirp_dbm=None, expected=True)
        return replace(node, uplink=moved)

    return replace(job, nodes=tuple(put(n) for n in job.nodes))


def link_level_dbm(house: House, near: Radio, node: Node, eirp_dbm: float) -> float:
    """The level at which a node receives another's radio at a power: as measured where it is the present link, else
    as heard or predicted at the node's place."""
    at_0 = float(house.own_at_0_dbm[house.radio_index[near.id], house.places[node.place_id]])
    if at_0 <= UNHEARD_DBM:
        return -120.0
    return float(np.clip(at_0 + eirp_dbm, -120.0, 0.0))
