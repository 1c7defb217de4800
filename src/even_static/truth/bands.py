"""One band of a practice house under a setting: who sends there, what flows, and what comes of it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from even_static.core.arrays import Floats, Indices
from even_static.core.house.settings import Settings, setting_block
from even_static.core.spectrum.channels import Block
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import GENERATION_ORDER, Generation, Modulation
from even_static.truth import ranges
from even_static.truth.house import TrueHouse
from even_static.truth.medium import Air, Flows, Senders, settle
from even_static.truth.rates import Options, options, spoken

# Who a row of senders is.
RADIO, DEVICE, ACCESS_POINT, STATION = range(4)
Row = tuple[int, int]
MOST_KEPT = 200


class Link(NamedTuple):
    """A radio link: the node that it feeds, its radios near the router and far from it, by number."""

    node: int
    near: int
    far: int


class BandLife(NamedTuple):
    """A band at work: senders, own flows, what came out, own radios that are on (they are the first rows), and who each
    row of senders is: (kind, number)."""

    senders: Senders
    flows: Flows
    air: Air
    radios: list[int]
    rows: list[Row]


def block_of(house: TrueHouse, settings: Settings, radio: int) -> Block:
    """The block that a radio is on."""
    r = house.radios[radio]
    return setting_block(r, settings.of(r.id))


def older(a: Generation, b: Generation) -> Generation:
    """The generation that both ends speak."""
    return min(a, b, key=GENERATION_ORDER.index)


class Bands:
    """Lives bands of a house at one hour; those that a change leaves alone are kept. ``wanted``: Mb/s by device, down
    and up; ``load``: share of each second of each neighbour."""

    def __init__(self, house: TrueHouse, wanted: Floats, load: Floats) -> None:
        self.house, self.wanted, self.load = house, wanted, load
        self._kept: dict[object, tuple[Senders, Flows, Air]] = {}

    def lived(
        self, settings: Settings, band: Band, home: Indices, links: list[Link], asked: dict[int, Floats]
    ) -> BandLife:
        """The band under a setting, with the devices at their radios and what each link has to carry."""
        house = self.house
        radios = [r for r, x in enumerate(house.radios) if x.band == band and settings.of(x.id).enabled]
        devices = [d for d, h in enumerate(home) if h in radios]
        others = [n for n, o in enumerate(house.neighbours) if o.reading.band == band]
        mine = [k for k in links if k.near in radios]
        key = (
            band,
            tuple((r, block_of(house, settings, r), settings.of(house.radios[r].id).eirp_dbm) for r in radios),
            tuple((d, int(home[d])) for d in devices),
            tuple((k, *asked[k.node]) for k in mine),
        )
        rows: list[Row] = [(RADIO, r) for r in radios]
        rows += [(DEVICE, d) for d in devices]
        rows += [(ACCESS_POINT, n) for n in others]
        rows += [(STATION, n) for n in others]
        if key not in self._kept:
            senders = self._senders(settings, band, home, rows)
            flows = self._flows(settings, home, mine, asked, rows)
            air = settle(
                senders,
                flows,
                preamble_dbm=house.preamble_dbm,
                energy_dbm=house.energy_dbm,
                below_mask_db=house.below_mask_db,
            )
            self._kept[key] = (senders, flows, air)
            while len(self._kept) > MOST_KEPT:
                self._kept.pop(next(iter(self._kept)))
        return BandLife(*self._kept[key], radios, rows)

    def eirp_dbm(self, settings: Settings, row: Row) -> float:
        """What a sender radiates."""
        what, n = row
        if what == RADIO:
            return settings.of(self.house.radios[n].id).eirp_dbm
        if what == DEVICE:
            return float(self.house.device_eirp[n])
        return self.house.neighbours[n].eirp_dbm if what == ACCESS_POINT else ranges.STATION_EIRP_DBM

    def point(self, row: Row) -> int:
        """Where a sender stands, as a row of the house's points."""
        kinds = {RADIO: "radios", DEVICE: "devices", ACCESS_POINT: "aps", STATION: "stations"}
        return int(self.house.rows[kinds[row[0]]].start) + row[1]

    def _senders(self, settings: Settings, band: Band, home: Indices, rows: list[Row]) -> Senders:
        house, count = self.house, len(rows)
        centre, width, primary, cell = (np.empty(count, dtype=np.intp) for _ in range(4))
        load, foreign, deaf = np.zeros(count), np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)
        kind: list[Modulation] = []
        for i, (what, n) in enumerate(rows):
            if what in (RADIO, DEVICE):
                r = n if what == RADIO else int(home[n])
                block = block_of(house, settings, r)
                cell[i] = r
                load[i] = ranges.BEACON_SHARE[band] if what == RADIO else 0.0
                kind.append("ofdm")
            else:
                other = house.neighbours[n]
                block = other.reading.block
                cell[i], foreign[i], deaf[i] = len(house.radios) + n, True, other.hidden
                part = house.station_share[n]
                load[i] = self.load[n] * (1 - part if what == ACCESS_POINT else part)
                kind.append("dsss" if other.reading.generation == "802.11b" else other.mask)
            centre[i], width[i], primary[i] = block.centre_mhz, block.width_mhz, block.primary_mhz
            line = house.neighbours[n].line if what in (ACCESS_POINT, STATION) else None
            if line is not None:
                centre[i], width[i] = line
        at = np.array([self.point(row) for row in rows], dtype=np.intp)
        eirp = np.array([self.eirp_dbm(settings, row) for row in rows])
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
        self, settings: Settings, home: Indices, links: list[Link], asked: dict[int, Floats], rows: list[Row]
    ) -> Flows:
        """Down and up of every device, then of every link."""
        house, row = self.house, {who: i for i, who in enumerate(rows)}
        ends: list[tuple[int, int]] = []
        wanted: list[float] = []
        choice: list[Options] = []
        chip: list[float] = []
        body: list[float] = []
        user: list[int] = []
        for what, d in rows:
            if what == DEVICE:
                r = int(home[d])
                pair = (row[RADIO, r], row[DEVICE, d])
                ends += [pair, pair[::-1]]
                wanted += self.wanted[d].tolist()
                choice += [self._device_options(settings, r, d)] * 2
                chip += [float(house.device_chip[d]), 0.0]
                body += [float(house.device_body[d])] * 2
                user += [d, d]
        for link in links:
            if (RADIO, link.far) in row:
                pair = (row[RADIO, link.near], row[RADIO, link.far])
                ends += [pair, pair[::-1]]
                wanted += asked[link.node].tolist()
                choice += [self.link_options(settings, link)] * 2
                chip += [0.0, 0.0]
                body += [0.0, 0.0]
                user += [-1 - link.node] * 2
        both = np.array(ends, dtype=np.intp).reshape(-1, 2)
        return Flows(
            source=both[:, 0],
            target=both[:, 1],
            wanted_mbps=np.array(wanted, dtype=np.float64),
            options=tuple(choice),
            chip_db=np.array(chip, dtype=np.float64),
            body_db=np.array(body, dtype=np.float64),
            user=np.array(user, dtype=np.intp),
        )

    def _device_options(self, settings: Settings, r: int, d: int) -> Options:
        house = self.house
        radio, device = house.radios[r], house.job.devices[d]
        generation = older(spoken(device.generation, radio.band), radio.generation)
        width = min(block_of(house, settings, r).width_mhz, device.widest_mhz(radio.band))
        return options(generation, width, min(radio.streams, device.streams), house.burst_us)

    def link_options(self, settings: Settings, link: Link) -> Options:
        """What a link between two nodes may choose from."""
        near, far = self.house.radios[link.near], self.house.radios[link.far]
        width = block_of(self.house, settings, link.near).width_mhz
        generation = older(spoken(near.generation, near.band), far.generation)
        return options(generation, width, min(near.streams, far.streams), self.house.burst_us)
