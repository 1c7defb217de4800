"""What a setting does to a practice house at an hour: who is served, what is left over, how fast a phone is where."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_static.core.arrays import Floats, Indices
from even_static.core.house.settings import LinkBand, Settings, setting_block
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import GENERATION_ORDER, Generation, Modulation
from even_static.truth import ranges
from even_static.truth.clients import homes, received
from even_static.truth.house import TrueHouse
from even_static.truth.medium import Air, Flows, Senders, settle
from even_static.truth.mesh import OnAir, TrueMesh
from even_static.truth.rates import Options, arriving, options, spoken

SERVED = 0.95
WANTED_DELIVERY = 0.99
MOST_HEADROOM = 99.0
LINK_WEIGHT = 3.0
PHONE_EIRP_DBM = 14.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """A setting in the truth. ``problem_list``: (kind, device, node or mesh device); ``carried``: share of its demand
    that each device gets; ``speed_mbps``: what a phone alone gets at each spot, down."""

    problem_list: tuple[tuple[str, str], ...]
    served: float
    headroom: float
    headroom_by_radio: dict[str, float]
    need_by_radio: dict[str, float]
    home: dict[str, str | None]
    carried: dict[str, float]
    delivery: dict[str, float]
    speed_mbps: dict[str, float]
    level_dbm: dict[str, float]

    @property
    def problems(self) -> int:
        """How many there are."""
        return len(self.problem_list)

    @property
    def worst_delivery(self) -> float:
        """Of all Zigbee devices; 1 where there are none."""
        return min(self.delivery.values(), default=1.0)

    @property
    def worst_speed_mbps(self) -> float:
        """At the slowest spot."""
        return min(self.speed_mbps.values(), default=0.0)

    @property
    def median_speed_mbps(self) -> float:
        """Over the spots."""
        return float(np.median(list(self.speed_mbps.values()))) if self.speed_mbps else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class _Link:
    """A radio link: the node it feeds, its radios near the router and far from it."""

    node: int
    near: int
    far: int


class TruthAt:
    """A house at an hour of the day. Bands that a change leaves alone are kept."""

    def __init__(self, house: TrueHouse, hour: int = ranges.BUSIEST_HOUR) -> None:
        self.house, self.hour = house, hour
        self.mesh = TrueMesh(house)
        self.nodes = {n.id: i for i, n in enumerate(house.job.nodes)}
        self.node_of = [self.nodes[house.job.node_of(r.id).id] for r in house.radios]
        scale = ranges.HOURLY_LOAD[hour]
        self.wanted = np.array(
            [
                (d.demand_down_mbps * a * scale, d.demand_up_mbps * a * scale)
                for d, a in zip(house.job.devices, house.appetite, strict=True)
            ]
        ).reshape(-1, 2)
        self.load = np.array([house.load_of(n, hour) for n in range(len(house.neighbours))])
        self._kept: dict[object, tuple[Senders, Flows, Air]] = {}

    # -- the tree --------------------------------------------------------------------------------------------------

    def links(self, settings: Settings) -> list[_Link]:
        """Radio links as the settings put them."""
        moved: dict[str, LinkBand] = {link.node_id: link for link in settings.link_bands}
        found = []
        for node in self.house.job.nodes:
            if node.uplink is None or node.uplink.band is None:
                continue
            at = moved.get(node.id)
            band = node.uplink.band if at is None else at.band
            far_id = node.uplink.radio_id if at is None else at.radio_id
            near_id = node.uplink.to_radio_id if at is None else at.to_radio_id
            near = self._link_radio(node.uplink.to_node_id, band, near_id)
            far = self._link_radio(node.id, band, far_id)
            found.append(_Link(node=self.nodes[node.id], near=near, far=far))
        return found

    def _link_radio(self, node_id: str, band: Band, radio_id: str | None) -> int:
        fitting = [r for r in self.house.radios if r.band == band and self.house.job.node_of(r.id).id == node_id]
        named = [r for r in fitting if r.id == radio_id]
        return self.house.radio_index[(named or [r for r in fitting if r.link_only] or fitting)[0].id]

    # -- the outcome -----------------------------------------------------------------------------------------------

    def outcome(self, settings: Settings, speeds: bool = True) -> Outcome:
        """What the setting does."""
        house = self.house
        down, up = received(house, settings)
        home = homes(house, settings, down, up)
        links = [k for k in self.links(settings) if self._alive(settings, k)]
        asked = self._asked(home, links)
        bands = {band: self._band(settings, band, home, links, asked) for band in BANDS}
        grant, headroom, need = self._granted(settings, bands)
        carried = self._carried(settings, home, links, grant)
        delivery = self._zigbee(settings, bands["2.4 GHz"])
        by_radio = {house.radios[r].id: h for r, h in headroom.items()}
        problems = self._problems(settings, home, carried, delivery)
        musts = [d for d, device in enumerate(house.job.devices) if device.must_have and self.wanted[d].sum() > 0]
        served = float(np.mean([carried[d] >= SERVED for d in musts])) if musts else 1.0
        ids = [d.id for d in house.job.devices]
        return Outcome(
            problem_list=problems,
            served=served,
            headroom=min(by_radio.values(), default=0.0),
            headroom_by_radio=by_radio,
            need_by_radio={house.radios[r].id: n for r, n in need.items()},
            home={ids[d]: house.radios[h].id if h >= 0 else None for d, h in enumerate(home)},
            carried={ids[d]: float(carried[d]) for d in range(len(ids))},
            delivery=delivery,
            speed_mbps=self._speeds(settings, bands, links, headroom, need) if speeds else {},
            level_dbm={ids[d]: float(down[d, h]) for d, h in enumerate(home) if h >= 0},
        )

    def busy(self, settings: Settings) -> dict[int, float]:
        """What each neighbour's access point finds busy on its channel, as it broadcasts it: by neighbour."""
        down, up = received(self.house, settings)
        home = homes(self.house, settings, down, up)
        links = [k for k in self.links(settings) if self._alive(settings, k)]
        asked = self._asked(home, links)
        found: dict[int, float] = {}
        for band in BANDS:
            senders, _, air, _, rows = self._band(settings, band, home, links, asked)
            for i, (what, n) in enumerate(rows):
                if what == 2:
                    mine = air.on_air[senders.cell == senders.cell[i]].sum()
                    found[n] = float(min(0.98, air.sensed[i] + mine))
        return found

    def _alive(self, settings: Settings, link: _Link) -> bool:
        """Whether both ends are on, on one block, and hear each other at the most robust rate."""
        near, far = (settings.of(self.house.radios[r].id) for r in (link.near, link.far))
        radio = self.house.radios[link.near]
        if not (near.enabled and far.enabled) or self._block(settings, link.near) != self._block(settings, link.far):
            return False
        loss = float(self.house.loss_db[radio.band][link.near, link.far])
        least = float(options("802.11n", 20, 1, self.house.burst_us).half_dbm[0])
        return min(near.eirp_dbm, far.eirp_dbm) - loss >= least

    def _block(self, settings: Settings, radio: int) -> Block:
        r = self.house.radios[radio]
        return setting_block(r, settings.of(r.id))

    def _asked(self, home: Indices, links: list[_Link]) -> dict[int, Floats]:
        """What each link has to carry, down and up, in Mb/s."""
        asked = {k.node: np.zeros(2) for k in links}
        parents = self._parents()
        for d, device in enumerate(self.house.job.devices):
            at = self.node_of[home[d]] if home[d] >= 0 else -1
            if device.wired_to_id is not None:
                at = self.nodes[device.wired_to_id]
            while at >= 0:
                if at in asked:
                    asked[at] += self.wanted[d]
                at = parents[at]
        return asked

    def _parents(self) -> list[int]:
        return [-1 if n.uplink is None else self.nodes[n.uplink.to_node_id] for n in self.house.job.nodes]

    # -- one band --------------------------------------------------------------------------------------------------

    def _band(
        self, settings: Settings, band: Band, home: Indices, links: list[_Link], asked: dict[int, Floats]
    ) -> tuple[Senders, Flows, Air, list[int], list[tuple[int, int]]]:
        """(senders, flows, what came out, own radios that are on, who each sender row is: (kind, number))."""
        house = self.house
        radios = [r for r, x in enumerate(house.radios) if x.band == band and settings.of(x.id).enabled]
        devices = [d for d, h in enumerate(home) if h in radios]
        others = [n for n, o in enumerate(house.neighbours) if o.reading.band == band]
        mine = [k for k in links if k.near in radios]
        key = (
            band,
            tuple((r, self._block(settings, r), settings.of(house.radios[r].id).eirp_dbm) for r in radios),
            tuple((d, int(home[d])) for d in devices),
            tuple((k.node, k.near, k.far, *asked[k.node]) for k in mine),
        )
        rows = [
            *((0, r) for r in radios),
            *((1, d) for d in devices),
            *((2, n) for n in others),
            *((3, n) for n in others),
        ]
        if key not in self._kept:
            senders = self._senders(settings, band, home, rows)
            flows = self._flows(settings, home, mine, asked, rows)
            physics = (house.preamble_dbm, house.energy_dbm, house.burst_us, house.below_mask_db)
            self._kept[key] = (senders, flows, settle(senders, flows, physics))
            while len(self._kept) > 200:
                self._kept.pop(next(iter(self._kept)))
        return (*self._kept[key], radios, rows)

    def _senders(self, settings: Settings, band: Band, home: Indices, rows: list[tuple[int, int]]) -> Senders:
        house = self.house
        count = len(rows)
        at, eirp, load = np.empty(count, dtype=np.intp), np.empty(count), np.zeros(count)
        centre, width, primary = (np.empty(count, dtype=np.intp) for _ in range(3))
        cell, foreign, deaf = np.empty(count, dtype=np.intp), np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)
        kind: list[Modulation] = []
        own = len(house.radios)
        for i, (what, n) in enumerate(rows):
            if what < 2:
                r = n if what == 0 else int(home[n])
                block = self._block(settings, r)
                centre[i], width[i], primary[i], cell[i] = block.centre_mhz, block.width_mhz, block.primary_mhz, r
                at[i] = n if what == 0 else house.rows["devices"].start + n
                eirp[i] = settings.of(house.radios[r].id).eirp_dbm if what == 0 else house.device_eirp[n]
                load[i] = ranges.BEACON_SHARE[band] if what == 0 else 0.0
                kind.append("ofdm")
            else:
                other = house.neighbours[n]
                block = other.reading.block
                centre[i], width[i], primary[i] = block.centre_mhz, block.width_mhz, block.primary_mhz
                cell[i], foreign[i], deaf[i] = own + n, True, other.hidden
                part = house.station_share[n]
                at[i] = house.rows["aps" if what == 2 else "stations"].start + n
                eirp[i] = other.eirp_dbm if what == 2 else ranges.STATION_EIRP_DBM
                load[i] = self.load[n] * (1 - part if what == 2 else part)
                kind.append("dsss" if other.reading.generation == "802.11b" else "ofdm")
        level = np.minimum(ranges.LOUDEST_DBM, eirp[:, None] - house.loss_db[band][np.ix_(at, at)])
        return Senders(
            level_dbm=level,
            centre_mhz=centre,
            width_mhz=width,
            primary_mhz=primary,
            kind=tuple(kind),
            cell=np.unique(cell, return_inverse=True)[1].astype(np.intp),
            foreign=foreign,
            load=load,
            deaf=deaf,
        )

    def _flows(
        self,
        settings: Settings,
        home: Indices,
        links: list[_Link],
        asked: dict[int, Floats],
        rows: list[tuple[int, int]],
    ) -> Flows:
        house, row = self.house, {who: i for i, who in enumerate(rows)}
        source, target, wanted, user = [], [], [], []
        choice: list[Options] = []
        chip, body = [], []
        for what, d in rows:
            if what != 1:
                continue
            r = int(home[d])
            radio, device = house.radios[r], house.job.devices[d]
            generation = _older(spoken(device.generation, radio.band), radio.generation)
            width = min(self._block(settings, r).width_mhz, device.max_width_mhz)
            o = options(generation, width, min(radio.streams, device.streams), house.burst_us)
            for up in (False, True):
                ends = (row[1, d], row[0, r])
                source.append(ends[0] if up else ends[1])
                target.append(ends[1] if up else ends[0])
                wanted.append(float(self.wanted[d, int(up)]))
                choice.append(o)
                chip.append(0.0 if up else float(house.device_chip[d]))
                body.append(float(house.device_body[d]))
                user.append(d)
        for link in links:
            if (0, link.far) not in row:
                continue
            near, far = house.radios[link.near], house.radios[link.far]
            o = options(
                _older(near.generation, far.generation),
                self._block(settings, link.near).width_mhz,
                min(near.streams, far.streams),
                house.burst_us,
            )
            for up in (False, True):
                ends = (row[0, link.far], row[0, link.near])
                source.append(ends[0] if up else ends[1])
                target.append(ends[1] if up else ends[0])
                wanted.append(float(asked[link.node][int(up)]))
                choice.append(o)
                chip.append(0.0)
                body.append(0.0)
                user.append(-1 - link.node)
        return Flows(
            source=np.array(source, dtype=np.intp),
            target=np.array(target, dtype=np.intp),
            wanted_mbps=np.array(wanted, dtype=np.float64),
            options=tuple(choice),
            chip_db=np.array(chip, dtype=np.float64),
            body_db=np.array(body, dtype=np.float64),
            user=np.array(user, dtype=np.intp),
        )

    # -- sharing out -----------------------------------------------------------------------------------------------

    def _granted(
        self, settings: Settings, bands: dict[Band, tuple[Senders, Flows, Air, list[int], list[tuple[int, int]]]]
    ) -> tuple[dict[int, float], dict[int, float], dict[int, float]]:
        """(share of its airtime that each user gets, by user; headroom and need of each radio that is on)."""
        grant: dict[int, float] = {}
        headroom: dict[int, float] = {}
        needs: dict[int, float] = {}
        for senders, flows, air, radios, _ in bands.values():
            own = ~senders.foreign
            for i, r in enumerate(radios):
                mine = senders.cell == senders.cell[i]
                wants: dict[int, float] = {}
                for f in np.flatnonzero(mine[flows.source]):
                    u = int(flows.user[f])
                    dead = flows.wanted_mbps[f] > 0 and air.rate_mbps[f] <= 0.05
                    time = np.inf if dead else float(air.need[f] / air.may_use[flows.source[f]])
                    wants[u] = wants.get(u, 0.0) + time
                free = 1.0 - ranges.BEACON_SHARE[self.house.radios[r].band] / float(air.may_use[i])
                for u, share in _fair(wants, max(free, 0.05)).items():
                    grant[u] = min(grant.get(u, 1.0), share)
                others = own & ~mine
                need = float(air.load[mine].sum())
                shared = float((air.senses[others, i] * air.load[others]).sum())
                left = max(1 - float(air.sensed_foreign[i]), 1 / (1 + float(air.contenders[i])))
                needs[r] = need
                headroom[r] = min(left / max(need + shared, 1e-6), MOST_HEADROOM)
        return grant, headroom, needs

    def _carried(self, settings: Settings, home: Indices, links: list[_Link], grant: dict[int, float]) -> Floats:
        """Share of its demand that each device gets, over all links on its way."""
        parents, linked = self._parents(), {k.node for k in links}
        found = np.zeros(len(self.house.job.devices))
        for d, device in enumerate(self.house.job.devices):
            if device.wired_to_id is not None:
                got, at = 1.0, self.nodes[device.wired_to_id]
            elif home[d] < 0:
                continue
            else:
                got, at = grant.get(d, 1.0), self.node_of[home[d]]
            while at >= 0:
                node = self.house.job.nodes[at]
                if node.uplink is not None and node.uplink.band is not None:
                    got *= grant.get(-1 - at, 1.0) if at in linked else 0.0
                at = parents[at]
            found[d] = got
        return found

    def _problems(
        self, settings: Settings, home: Indices, carried: Floats, delivery: dict[str, float]
    ) -> tuple[tuple[str, str], ...]:
        job, names = self.house.job, settings.ssid_plan
        found: list[tuple[str, str]] = []
        own = {b.device_id: b.band for b in names.bands}
        groups: dict[str, set[str]] = {}
        for d, device in enumerate(job.devices):
            if device.wired_to_id is None and home[d] < 0:
                found.append(("no link", device.id))
            elif carried[d] < SERVED and device.must_have and self.wanted[d].sum() > 0:
                found.append(("not carried", device.id))
            if device.awkward and names.high_band_from_dbm is not None and device.id not in own:
                found.append(("flaps", device.id))
            if device.group_id is not None:
                groups.setdefault(device.group_id, set()).add(own.get(device.id, "shared"))
        found += [("torn", g) for g, joined in groups.items() if len(joined) > 1]
        found += [("zigbee", name) for name, share in delivery.items() if share < WANTED_DELIVERY]
        return tuple(found)

    def _zigbee(
        self, settings: Settings, band: tuple[Senders, Flows, Air, list[int], list[tuple[int, int]]]
    ) -> dict[str, float]:
        channel = settings.zigbee_channel
        if channel is None or not self.mesh.ids:
            return {}
        house = self.house
        senders, _, air, _, rows = band
        start = {0: 0, 1: house.rows["devices"].start, 2: house.rows["aps"].start, 3: house.rows["stations"].start}
        at = np.array([start[what] + n for what, n in rows], dtype=np.intp)
        loss = house.loss_db["2.4 GHz"][at, house.rows["mesh"]]
        power = [
            settings.of(house.radios[n].id).eirp_dbm
            if what == 0
            else house.device_eirp[n]
            if what == 1
            else house.neighbours[n].eirp_dbm
            if what == 2
            else ranges.STATION_EIRP_DBM
            for what, n in rows
        ]
        level = np.minimum(ranges.LOUDEST_DBM, np.array(power)[:, None] - loss)
        wifi = OnAir(
            share=air.on_air,
            level_dbm=level.reshape(len(rows), len(self.mesh.ids)),
            centre_mhz=senders.centre_mhz,
            width_mhz=senders.width_mhz,
            kind=senders.kind,
        )
        return self.mesh.deliveries(channel, wifi)

    # -- a phone alone ---------------------------------------------------------------------------------------------

    def _speeds(
        self,
        settings: Settings,
        bands: dict[Band, tuple[Senders, Flows, Air, list[int], list[tuple[int, int]]]],
        links: list[_Link],
        headroom: dict[int, float],
        need: dict[int, float],
    ) -> dict[str, float]:
        """What a good phone gets at each spot while everybody else goes on, down, in Mb/s."""
        return {place: self.speed(settings, place, bands, links)[0] for place in self.house.place_at}

    def speed(
        self,
        settings: Settings,
        place: str,
        bands: dict[Band, tuple[Senders, Flows, Air, list[int], list[tuple[int, int]]]] | None = None,
        links: list[_Link] | None = None,
    ) -> tuple[float, float, float]:
        """(Mb/s down, Mb/s up, share of the airtime that it gets) of a phone at a spot; zeros where it finds no
        radio."""
        house = self.house
        if bands is None or links is None:
            down, up = received(house, settings)
            home = homes(house, settings, down, up)
            links = [k for k in self.links(settings) if self._alive(settings, k)]
            asked = self._asked(home, links)
            bands = {band: self._band(settings, band, home, links, asked) for band in BANDS}
        at = house.spot(place)
        best: tuple[float, int, float] | None = None
        for r, radio in enumerate(house.radios):
            if not settings.of(radio.id).enabled or radio.link_only:
                continue
            level = house.level_dbm(r, at, radio.band, settings.of(radio.id).eirp_dbm)
            good = min(1.0, max(0.0, (level - ranges.TASTE_GONE_DBM) / 12.0))
            wished = min(level, -45.0) + 0.3 * max(level + 45, 0.0)
            wished += good * sum(ranges.TASTE_DB[radio.band]) / 2
            steer = settings.ssid_plan.high_band_from_dbm
            if steer is not None and radio.band != "2.4 GHz" and level >= steer:
                wished += 30.0
            if level >= -92 and (best is None or wished > best[0]):
                best = (wished, r, level)
        if best is None:
            return 0.0, 0.0, 0.0
        _, r, level = best
        hops = [(r, level, "802.11ax", 2, 80)]
        node = house.job.nodes[self.node_of[r]]
        by_node = {k.node: k for k in links}
        while node.uplink is not None:
            if node.uplink.band is not None:
                link = by_node.get(self.nodes[node.id])
                if link is None:
                    return 0.0, 0.0, 0.0
                near = house.radios[link.near]
                eirp = settings.of(near.id).eirp_dbm
                hops.append((link.near, house.level_dbm(link.near, link.far, near.band, eirp), near.generation, 4, 320))
            node = next(n for n in house.job.nodes if n.id == node.uplink.to_node_id)
        down = self._through(settings, hops, bands)
        up = self._through(
            settings,
            [(hops[0][0], level - settings.of(house.radios[r].id).eirp_dbm + PHONE_EIRP_DBM, *hops[0][2:]), *hops[1:]],
            bands,
        )
        return down[0], up[0], down[1]

    def _through(
        self,
        settings: Settings,
        hops: list[tuple[int, float, Generation, int, int]] | list[tuple[int, float, str, int, int]],
        bands: dict[Band, tuple[Senders, Flows, Air, list[int], list[tuple[int, int]]]],
    ) -> tuple[float, float]:
        """(Mb/s over hops in a row, share of the airtime at the first): hops on one channel take turns."""
        turns: dict[Block, float] = {}
        first = 0.0
        for n, (r, level, generation, streams, width) in enumerate(hops):
            radio, block = self.house.radios[r], self._block(settings, r)
            _, _, air, radios, _ = bands[radio.band]
            if r not in radios:
                return 0.0, 0.0
            i = radios.index(r)
            kind = _older(spoken(generation, radio.band), radio.generation)  # type: ignore[arg-type]
            o = options(kind, min(block.width_mhz, width), min(streams, radio.streams), self.house.burst_us)
            rate = float(
                (o.good_mbps * np.where(arriving(level - o.half_dbm) > 0.25, arriving(level - o.half_dbm), 0)).max()
            )
            busy = float(air.load[:].sum() * 0)
            own = float(sum(air.load[j] for j in range(len(air.load)) if air.senses[j, i] > 0.5 or j == i))
            own -= float((air.senses[:, i] * np.where(bands[radio.band][0].foreign, air.load, 0.0)).sum())
            left = max(1 - float(air.sensed_foreign[i]) - max(own, 0.0) - busy, 0.0)
            fair = 1 / (1 + float(air.contenders[i]) + min(max(own, 0.0), 1.0) * 2)
            share = max(left, fair * (1 - float(air.sensed_foreign[i]) * 0.5))
            if n == 0:
                first = share
            if rate * share <= 0.05:
                return 0.0, 0.0
            turns[block] = turns.get(block, 0.0) + 1 / (rate * share)
        return 1 / max(turns.values()), first


def _older(a: Generation, b: Generation) -> Generation:
    return min(a, b, key=GENERATION_ORDER.index)


def _fair(wants: dict[int, float], free: float) -> dict[int, float]:
    """Share of its wants that each user gets when airtime is dealt out evenly, a link counting as several users."""
    found: dict[int, float] = {}
    open_ones = dict(wants)
    while open_ones:
        weight = {u: LINK_WEIGHT if u < 0 else 1.0 for u in open_ones}
        level = free / sum(weight.values())
        done = [u for u, want in open_ones.items() if want <= level * weight[u]]
        if not done:
            for u, want in open_ones.items():
                found[u] = 0.0 if np.isinf(want) else level * weight[u] / want
            break
        for u in done:
            found[u] = 1.0
            free -= open_ones.pop(u)
    return found
