"""What a setting does to a practice house at an hour: who is served, what is left over, how fast a phone is where."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_static.core.arrays import Floats, Indices
from even_static.core.house.settings import LinkBand, Settings
from even_static.core.tables.bands import BANDS, Band
from even_static.truth import ranges
from even_static.truth.bands import ACCESS_POINT, BandLife, Bands, Link
from even_static.truth.clients import homes, received
from even_static.truth.forming import alive, find_links
from even_static.truth.house import TrueHouse, share_of_busiest
from even_static.truth.mesh import OnAir, TrueMesh
from even_static.truth.speed import PhoneTest, phone_speed

SERVED = 0.95
WANTED_DELIVERY = 0.99
MOST_HEADROOM = 99.0
# A radio link gets as much airtime as so many devices.
LINK_WEIGHT = 3.0
LEAST_MBPS = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """A setting in the truth. ``problem_list``: (kind, device or mesh device); ``carried``: share of its demand that
    each device gets; ``speed_mbps``: what a phone alone gets at each spot, (down, up, share of the airtime)."""

    problem_list: tuple[tuple[str, str], ...]
    served: float
    headroom: float
    headroom_by_radio: dict[str, float]
    need_by_radio: dict[str, float]
    home: dict[str, str | None]
    carried: dict[str, float]
    delivery: dict[str, float]
    speed: dict[str, PhoneTest]
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
        return min((s.down_mbps for s in self.speed.values()), default=0.0)

    @property
    def median_speed_mbps(self) -> float:
        """Over the spots."""
        return float(np.median([s.down_mbps for s in self.speed.values()])) if self.speed else 0.0


class TruthAt:
    """A house at an hour of the day."""

    def __init__(self, house: TrueHouse, hour: int = ranges.BUSIEST_HOUR) -> None:
        self.house, self.hour = house, hour
        self.mesh = TrueMesh(house)
        self.nodes = {n.id: i for i, n in enumerate(house.job.nodes)}
        self.node_of = [self.nodes[house.job.node_of(r.id).id] for r in house.radios]
        self.parents = [-1 if n.uplink is None else self.nodes[n.uplink.to_node_id] for n in house.job.nodes]
        scale = share_of_busiest(house.seed, "household", hour)
        self.wanted = np.array(
            [
                (d.demand_down_mbps * a * scale, d.demand_up_mbps * a * scale)
                for d, a in zip(house.job.devices, house.appetite, strict=True)
            ]
        ).reshape(-1, 2)
        load = np.array([house.load_of(n, hour) for n in range(len(house.neighbours))])
        self.bands = Bands(house, self.wanted, load)

    # -- the setting at work ---------------------------------------------------------------------------------------

    def links(self, settings: Settings) -> list[Link]:
        """Radio links as the settings put them, and as a mesh that forms itself finds them; those that work."""
        moved: dict[str, LinkBand] = {link.node_id: link for link in settings.link_bands}
        found = list(find_links(self.house, settings, self.nodes, self.node_of))
        for node in self.house.job.nodes:
            if node.uplink is None or node.uplink.band is None or node.self_forming:
                continue
            at = moved.get(node.id)
            band = node.uplink.band if at is None else at.band
            far_id = node.uplink.radio_id if at is None else at.radio_id
            near_id = node.uplink.to_radio_id if at is None else at.to_radio_id
            parent_id = node.uplink.to_node_id if at is None or at.to_node_id is None else at.to_node_id
            near = self._link_radio(parent_id, band, near_id)
            far = self._link_radio(node.id, band, far_id)
            found.append(Link(self.nodes[node.id], near, far))
        return [k for k in found if alive(self.house, settings, k)]

    def _parents(self, links: list[Link]) -> list[int]:
        """The node that each hangs on, -1 for the router: over the air the one at the link's near end."""
        near = {k.node: self.node_of[k.near] for k in links}
        return [near.get(n, parent) for n, parent in enumerate(self.parents)]

    def _link_radio(self, node_id: str, band: Band, radio_id: str | None) -> int:
        fitting = [r for r in self.house.radios if r.band == band and self.house.job.node_of(r.id).id == node_id]
        named = [r for r in fitting if r.id == radio_id]
        return self.house.radio_index[(named or [r for r in fitting if r.link_only] or fitting)[0].id]

    def lives(self, settings: Settings) -> tuple[Indices, Floats, list[Link], dict[Band, BandLife]]:
        """(radio of each device, levels of radios at devices, links that work, every band at work)."""
        down, up = received(self.house, settings)
        home = homes(self.house, settings, down, up)
        links = self.links(settings)
        asked = self._asked(home, links)
        return home, down, links, {b: self.bands.lived(settings, b, home, links, asked) for b in BANDS}

    def _asked(self, home: Indices, links: list[Link]) -> dict[int, Floats]:
        """What each link has to carry, down and up, in Mb/s."""
        asked = {k.node: np.zeros(2) for k in links}
        parents = self._parents(links)
        for d, device in enumerate(self.house.job.devices):
            at = self.node_of[home[d]] if home[d] >= 0 else -1
            if device.wired_to_id is not None:
                at = self.nodes[device.wired_to_id]
            while at >= 0:
                if at in asked:
                    asked[at] += self.wanted[d]
                at = parents[at]
        return asked

    # -- what came of it -------------------------------------------------------------------------------------------

    def outcome(self, settings: Settings, speeds: bool = True) -> Outcome:
        """What the setting does."""
        house = self.house
        home, down, links, lives = self.lives(settings)
        grant, headroom, need = self._granted(lives)
        carried = self._carried(home, links, grant)
        delivery = self._zigbee(settings, lives["2.4 GHz"])
        by_radio = {house.radios[r].id: h for r, h in headroom.items()}
        musts = [d for d, x in enumerate(house.job.devices) if x.must_have and self.wanted[d].sum() > 0]
        ids = [d.id for d in house.job.devices]
        places = house.place_at if speeds else ()
        return Outcome(
            problem_list=self._problems(settings, home, carried, delivery),
            served=float(np.mean([carried[d] >= SERVED for d in musts])) if musts else 1.0,
            headroom=min(by_radio.values(), default=0.0),
            headroom_by_radio=by_radio,
            need_by_radio={house.radios[r].id: n for r, n in need.items()},
            home={ids[d]: house.radios[h].id if h >= 0 else None for d, h in enumerate(home)},
            carried={ids[d]: float(carried[d]) for d in range(len(ids))},
            delivery=delivery,
            speed={p: phone_speed(self.bands, lives, settings, links, p) for p in places},
            level_dbm={ids[d]: float(down[d, h]) for d, h in enumerate(home) if h >= 0},
        )

    def speed(self, settings: Settings, place_id: str) -> PhoneTest:
        """What a good phone gets at a spot."""
        _, _, links, lives = self.lives(settings)
        return phone_speed(self.bands, lives, settings, links, place_id)

    def busy(self, settings: Settings) -> dict[int, float]:
        """What each neighbour's access point finds busy on its channel, as it broadcasts it: by neighbour."""
        found: dict[int, float] = {}
        for life in self.lives(settings)[3].values():
            for i, (what, n) in enumerate(life.rows):
                if what == ACCESS_POINT:
                    mine = life.air.on_air[life.senders.cell == life.senders.cell[i]].sum()
                    found[n] = float(min(0.98, life.air.sensed[i] + mine))
        return found

    def _granted(self, lives: dict[Band, BandLife]) -> tuple[dict[int, float], dict[int, float], dict[int, float]]:
        """(share of its airtime that each user gets, by user; headroom and need of each radio that is on)."""
        grant: dict[int, float] = {}
        headroom: dict[int, float] = {}
        needs: dict[int, float] = {}
        for band, (senders, flows, air, radios, _) in lives.items():
            for i, r in enumerate(radios):
                mine = senders.cell == senders.cell[i]
                wants: dict[int, float] = {}
                for f in np.flatnonzero(mine[flows.source]):
                    dead = flows.wanted_mbps[f] > 0 and air.rate_mbps[f] <= LEAST_MBPS
                    time = np.inf if dead else float(air.need[f] / air.may_use[flows.source[f]])
                    u = int(flows.user[f])
                    wants[u] = wants.get(u, 0.0) + time
                free = 1.0 - ranges.BEACON_SHARE[band] / float(air.may_use[i])
                for u, share in _fair(wants, max(free, 0.05)).items():
                    grant[u] = min(grant.get(u, 1.0), share)
                others = ~senders.foreign & ~mine
                shared = float((air.senses[others, i] * air.load[others]).sum())
                left = max(1 - float(air.sensed_foreign[i]), 1 / (1 + float(air.contenders[i])))
                needs[r] = float(air.load[mine].sum())
                headroom[r] = min(left / max(needs[r] + shared, 1e-6), MOST_HEADROOM)
        return grant, headroom, needs

    def _carried(self, home: Indices, links: list[Link], grant: dict[int, float]) -> Floats:
        """Share of its demand that each device gets, over all links on its way."""
        linked, nodes, parents = {k.node for k in links}, self.house.job.nodes, self._parents(links)
        found = np.zeros(len(self.house.job.devices))
        for d, device in enumerate(self.house.job.devices):
            if device.wired_to_id is not None:
                got, at = 1.0, self.nodes[device.wired_to_id]
            elif home[d] < 0:
                continue
            else:
                got, at = grant.get(d, 1.0), self.node_of[home[d]]
            while at >= 0:
                uplink = nodes[at].uplink
                if uplink is not None and uplink.band is not None:
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

    def _zigbee(self, settings: Settings, life: BandLife) -> dict[str, float]:
        channel = settings.zigbee_channel
        if channel is None or not self.mesh.ids:
            return {}
        house, rows = self.house, life.rows
        at = np.array([self.bands.point(row) for row in rows], dtype=np.intp)
        power = np.array([self.bands.eirp_dbm(settings, row) for row in rows])
        level = power[:, None] - house.loss_db["2.4 GHz"][at, house.rows["mesh"]]
        wifi = OnAir(
            share=life.air.on_air,
            level_dbm=np.minimum(ranges.LOUDEST_DBM, level).reshape(len(rows), len(self.mesh.ids)),
            centre_mhz=life.senders.centre_mhz,
            width_mhz=life.senders.width_mhz,
            kind=life.senders.kind,
        )
        return self.mesh.deliveries(channel, wifi)


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
