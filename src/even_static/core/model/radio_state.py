"""Everything about a house that does not depend on channels, and the tables of what does.

A :class:`House` is a job made ready to compute with. A :class:`RadioState` adds each radio's power and whether it is
on: that fixes who receives whom at what level and which device uses which radio. On it stand the tables that
evaluation, search and explanation share: one row for each block that a radio may use, one matrix for each pair.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from even_static.core.airtime.contention import backlog
from even_static.core.airtime.frames import beacon_airtime_fraction
from even_static.core.airtime.rates import RateSteps, noise_floor_dbm, rate_steps
from even_static.core.arrays import Bools, Floats
from even_static.core.house.settings import Settings, SsidPlan
from even_static.core.model.interference import defers, noise_states, pair_coupling, pair_overlap
from even_static.core.model.link_tables import Client, Heard, LinkTable, Row
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import Block, Blocks
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.spectrum.deference import decodes_and_feels, per_20_mhz_db
from even_static.core.tables.channel_use import NEIGHBOUR_EIRP_DBM

LOSS_STEP_DB = 0.5
LOSS_FLOOR_DB = -70.0
MOST_LOSS = 0.95


KEPT_STATES = 64


def radio_state(house: House, settings: Settings, homes: list[int] | None = None) -> RadioState:
    """The radio state of a setting's powers, SSIDs and links; kept, since trying channels does not change it.

    ``homes``: the radio of each device under it (-1 for none), where that is known already."""
    house = house.linked(settings)
    powers = tuple((settings.of(r.id).eirp_dbm, settings.of(r.id).enabled) for r in house.radios)
    key = (powers, settings.ssid_plan)
    states = house.states
    found = states.get(key)
    if not isinstance(found, RadioState):
        found = states[key] = RadioState(house, powers, settings.ssid_plan, homes)
        while len(states) > KEPT_STATES:
            states.popitem(last=False)
    states.move_to_end(key)
    return found


class RadioState:
    """Levels, association and tables for one choice of powers."""

    def __init__(
        self,
        house: House,
        powers: tuple[tuple[float, bool], ...],
        names: SsidPlan | None = None,
        homes: list[int] | None = None,
    ) -> None:
        self.house = house
        self.names = names or SsidPlan()
        self.eirp_dbm = [p for p, _ in powers]
        self.enabled = [e for _, e in powers]
        self.own_rssi_dbm = house.own_levels(self.eirp_dbm)
        found = homes
        if found is None:
            found = house.homes(np.array([self.eirp_dbm]), np.array([self.enabled], dtype=bool), self.names)[0].tolist()
        self.home: dict[str, int | None] = {
            d.id: r if r >= 0 else None for d, r in zip(house.job.devices, found, strict=True)
        }
        self.homeless = house.homeless(found)
        # Tables are kept with the house by what a radio carries at which power: other scenes find them there.
        loads = house.loads(self.eirp_dbm, self.enabled, found)
        self.load = [house.number_of(load) for load in loads]
        kept = house.tables.clients
        self.clients: list[list[Client]] = []
        for number, load in zip(self.load, loads, strict=True):
            if number not in kept:
                kept[number] = house.clients_of(load)
            self.clients.append(kept[number])
        # Tables of the house's Zigbee and Thread under it, once they are asked for.
        self.mesh: object = None
        self._rows: list[dict[Block, Row]] = [house.tables.rows.setdefault(n, {}) for n in self.load]
        self._single = house.tables.single
        self._loss = house.tables.loss
        self._pairs = house.tables.pairs
        self._mean_rise = house.tables.mean_rise
        self._matrices = house.tables.matrices

    def serves(self, radio: int) -> bool:
        """Whether a radio, by its number in the house, sends a network that devices may join."""
        its = self.house.radios[radio]
        return self.enabled[radio] and not its.link_only and its.id not in self.names.backhaul_only

    # -- one radio on its own ------------------------------------------------------------------------------------

    def rows(self, radio: int, wanted: Sequence[Block]) -> LinkTable:
        """The radio's terms on a list of blocks, each computed once and kept."""
        if len(wanted) == 1:
            return self.row(radio, wanted[0])
        blocks, kept, stacked = Blocks.of(wanted), self._rows[radio], self.house.tables.stacked
        key = (self.load[radio], blocks)
        if key in stacked:
            return stacked[key]
        if kept:
            for same_width in Blocks(b for b in blocks if b not in kept).by_width:
                self._fill(radio, same_width)
            parts: list[tuple[LinkTable, list[int]]] = []
            for row in (kept[b] for b in blocks):
                if not parts or parts[-1][0] is not row.links:
                    parts.append((row.links, []))
                parts[-1][1].append(row.row)
            names = LinkTable.__dataclass_fields__
            stacked[key] = LinkTable(**{n: np.concatenate([getattr(t, n)[rows] for t, rows in parts]) for n in names})
        else:
            whole = [self._fill(radio, same_width) for same_width in blocks.by_width]
            stacked[key] = whole[0] if len(whole) == 1 else self._in_order(blocks, whole)
        return stacked[key]

    @staticmethod
    def _in_order(blocks: Blocks, tables: list[LinkTable]) -> LinkTable:
        """Tables of one width each as one, in the order of the blocks."""
        behind = np.argsort(np.argsort([b.width_mhz for b in blocks], kind="stable"), kind="stable")
        widths = [part[0].width_mhz for part in blocks.by_width]
        tables = [tables[i] for i in np.argsort(widths, kind="stable")]
        names = LinkTable.__dataclass_fields__
        return LinkTable(**{n: np.concatenate([getattr(t, n) for t in tables])[behind] for n in names})

    def row(self, radio: int, block: Block) -> LinkTable:
        """The radio's terms on one block: arrays of one row, kept as they are."""
        key = (self.load[radio], block)
        if key not in self._single:
            if block not in self._rows[radio]:
                self._fill(radio, Blocks((block,)))
            kept = self._rows[radio][block]
            row = slice(kept.row, kept.row + 1)
            names = LinkTable.__dataclass_fields__
            self._single[key] = LinkTable(**{name: getattr(kept.links, name)[row] for name in names})
        return self._single[key]

    def _fill(self, radio: int, same_width: Blocks) -> LinkTable:
        terms = self._terms(radio, same_width)
        self._rows[radio].update((block, Row(terms, i)) for i, block in enumerate(same_width))
        return terms

    def deference(self, radio: int, same_width: Sequence[Block]) -> tuple[Bools, Bools, Floats]:
        """(decodes, feels energy, coupling in dB) of each network on each block: shapes (blocks, networks)."""
        key = (radio, Blocks.of(same_width))
        kept = self.house.tables.deference
        if key in kept:
            return kept[key]
        spectra = self.house.spectra(self.house.radios[radio].band)
        level = spectra.rssi_dbm[:, self.house.radio_place[radio]]
        coupling = spectra.coupling(
            np.array([b.centre_mhz for b in same_width], dtype=np.intp), same_width[0].width_mhz
        )
        shares = np.array([spectra.on_channel(b.channel) for b in same_width]).reshape(len(same_width), -1)
        decodes, energy = decodes_and_feels(shares, level[None, :], spectra.per_20_db[None, :], coupling)
        kept[key] = decodes, energy, coupling
        return kept[key]

    def _heard(self, radio: int, same_width: Blocks) -> Heard:
        """What the radio hears on blocks of one width; it does not depend on own powers: radio states share it."""
        key, kept = (radio, same_width), self.house.tables.heard
        if key not in kept:
            spectra = self.house.spectra(self.house.radios[radio].band)
            airtime = spectra.airtime(self.house.radio_place[radio])
            decodes, energy, coupling = self.deference(radio, same_width)
            defers = decodes | energy
            busy = np.minimum(defers @ airtime, 1.0)
            backlogs = backlog(np.where(spectra.wifi, airtime, 0.0)[None, :], busy[:, None])
            contenders = (defers * backlogs).sum(axis=1)
            # Networks leave a fair share; other sources do not share: their airtime is taken off first.
            held = np.minimum(defers @ np.where(spectra.wifi, 0.0, airtime), 1.0)
            waits = defers @ np.where(spectra.wifi, airtime, 0.0)
            shared = np.maximum(1.0 - np.minimum(waits, 1.0), 1.0 / (1.0 + contenders))
            kept[key] = Heard(
                decodes=decodes,
                defers=defers,
                coupling_db=coupling,
                busy_fraction=busy,
                contenders=contenders,
                available_fraction=shared * np.maximum(1.0 - held, 0.02),
            )
        return kept[key]

    def _terms(self, radio: int, same_width: Blocks) -> LinkTable:
        r, place = self.house.radios[radio], self.house.radio_place[radio]
        spectra = self.house.spectra(r.band)
        heard = self._heard(radio, same_width)
        width = same_width[0].width_mhz
        rise = self._rise(radio, width, heard)
        need, down, up, no_link, linked_musts = self._client_needs(radio, same_width, rise)
        n = len(same_width)
        total = beacon_airtime_fraction(r.band) + need.sum(axis=1) if self.enabled[radio] else np.zeros(n)
        # A network that this radio hears hears it too, at a level that differs by the two powers.
        back = spectra.rssi_dbm[:, place] + self.eirp_dbm[radio] - NEIGHBOUR_EIRP_DBM
        read, felt = decodes_and_feels(heard.decodes, back[None, :], per_20_mhz_db(width), heard.coupling_db)
        reached = read | felt
        taken_airtime = np.minimum(total, 1.0) * (reached & spectra.wifi[None, :]).sum(axis=1)
        mean_rise = (rise[place][0] * rise[place][1]).sum(axis=1)
        return LinkTable(
            busy_fraction=heard.busy_fraction,
            contenders=heard.contenders,
            available_fraction=heard.available_fraction,
            need_fraction=total,
            no_link=no_link,
            linked_musts=linked_musts,
            taken_airtime=taken_airtime,
            noise_rise_db=mean_rise,
            client_need=need,
            client_goodput_down=down,
            client_goodput_up=up,
        )

    def _rise(self, radio: int, width_mhz: int, heard: Heard) -> dict[int, tuple[Floats, Floats]]:
        """Noise states (rise in dB, share of the time) at the radio's own place and at its clients' places.

        What others add to the noise does not depend on own powers: it is kept with what the radio hears.
        """
        spectra = self.house.spectra(self.house.radios[radio].band)
        for p in {self.house.radio_place[radio], *(c.place for c in self.clients[radio])}:
            if p not in heard.rise:
                heard.rise[p] = noise_states(
                    spectra.rssi_dbm[:, p], heard.coupling_db, ~heard.defers, spectra.airtime(None), width_mhz
                )
        return heard.rise

    def _client_needs(
        self, radio: int, same_width: Blocks, rise: dict[int, tuple[Floats, Floats]]
    ) -> tuple[Floats, Floats, Floats, Floats, Floats]:
        """(airtime that each client needs, its goodput down and up in Mb/s: all of shape (blocks, clients); clients
        without a link, must-have clients with a link and a demand, what hangs behind links counted with them: both of
        shape (blocks,))."""
        clients, n = self.clients[radio], len(same_width)
        own_rise, own_share = rise[self.house.radio_place[radio]]
        need, down, up = np.zeros((n, len(clients))), np.zeros((n, len(clients))), np.zeros((n, len(clients)))
        no_link, linked_musts = np.zeros(n), np.zeros(n)
        for i, client in enumerate(clients):
            steps = self.steps(radio, client, same_width[0].width_mhz)
            there, share = rise[client.place]
            down[:, i] = (steps.goodput(client.level_down_dbm - there) * share).sum(axis=1)
            up[:, i] = (steps.goodput(client.level_up_dbm - own_rise) * own_share).sum(axis=1)
            dead = (down[:, i] <= 0) | (up[:, i] <= 0)
            with np.errstate(divide="ignore", invalid="ignore"):
                need[:, i] = np.where(dead, 0.0, client.down_mbps / down[:, i] + client.up_mbps / up[:, i])
            no_link += dead * (1 + client.musts_behind)
            if client.must_have and client.down_mbps + client.up_mbps > 0:
                linked_musts += ~dead * (1 + client.musts_behind)
        return need, down, up, no_link, linked_musts

    def steps(self, radio: int, client: Client, width_mhz: int) -> RateSteps:
        """Rate steps of a client on a block of a width."""
        r = self.house.radios[radio]
        return rate_steps(client.generation, r.band, min(width_mhz, client.max_width_mhz), client.streams)

    # -- two own radios ------------------------------------------------------------------------------------------

    def loss_by_coupling(self, victim: int, other: int, width_mhz: int) -> Floats:
        """Share of the victim's useful airtime that is lost while another own radio sends, by coupling.

        Entries stand for couplings of -70, -69.5, ... 0 dB. Each client's part counts by the airtime that it needs.
        """
        key = (self.load[victim], self.load[other], width_mhz)
        if key not in self._loss:
            bins = np.arange(LOSS_FLOOR_DB, LOSS_STEP_DB / 2, LOSS_STEP_DB)
            noise = noise_floor_dbm(width_mhz)
            lost, weight = np.zeros_like(bins), 0.0
            for client in self.clients[victim]:
                steps = self.steps(victim, client, width_mhz)
                sides = (
                    (client.level_down_dbm, client.down_mbps, client.place),
                    (client.level_up_dbm, client.up_mbps, self.house.radio_place[victim]),
                )
                for level, demand, place in sides:
                    clear = float(steps.goodput(np.array(level)))
                    if demand <= 0 or clear <= 0:
                        continue
                    at = float(self.own_rssi_dbm[other, place])
                    hit = steps.goodput(level - 10 * np.log10(1 + 10 ** ((at + bins - noise) / 10)))
                    lost += demand / clear * (1 - hit / clear)
                    weight += demand / clear
            self._loss[key] = lost / weight if weight > 0 else lost
        return self._loss[key]

    def pair(
        self, a: int, blocks_a: Sequence[Block], b: int, blocks_b: Sequence[Block], need_a: Floats, need_b: Floats
    ) -> tuple[Bools, Floats, Floats]:
        """Two own radios on every pair of blocks: (share a budget, extra need of a, extra need of b).

        All have shape (blocks_a, blocks_b). Radios share when either defers to the other; what they do not defer to is
        noise for the duty of the other's own need.
        """
        on_a, on_b = Blocks.of(blocks_a), Blocks.of(blocks_b)
        key = (self.load[a], on_a, self.load[b], on_b)
        if key not in self._matrices:
            self._matrices[key] = self._pair(a, on_a, b, on_b, need_a, need_b)
        return self._matrices[key]

    def _pair(
        self, a: int, blocks_a: Blocks, b: int, blocks_b: Blocks, need_a: Floats, need_b: Floats
    ) -> tuple[Bools, Floats, Floats]:
        coupling_ab, coupling_ba = pair_coupling(blocks_a, blocks_b)
        a_at_b = float(self.own_rssi_dbm[a, self.house.radio_place[b]])
        b_at_a = float(self.own_rssi_dbm[b, self.house.radio_place[a]])
        per20_a = per_20_mhz_db([x.width_mhz for x in blocks_a])[:, None]
        per20_b = per_20_mhz_db([x.width_mhz for x in blocks_b])[None, :]
        on_a, on_b = pair_overlap(blocks_a, blocks_b)
        share = np.logical_or(*decodes_and_feels(on_a, b_at_a, per20_b, coupling_ba))
        share |= np.logical_or(*decodes_and_feels(on_b, a_at_b, per20_a, coupling_ab))
        if not (self.enabled[a] and self.enabled[b]):
            nothing = np.zeros(share.shape)
            return np.zeros(share.shape, dtype=bool), nothing, nothing
        extra_a = self._extra(a, b, blocks_a, coupling_ba, need_a[:, None], need_b[None, :])
        extra_b = self._extra(b, a, blocks_b, coupling_ab.T, need_b[:, None], need_a[None, :]).T
        return share, np.where(share, 0.0, extra_a), np.where(share, 0.0, extra_b)

    def mutual_interference(self, a: int, block_a: Block, b: int, block_b: Block) -> tuple[bool, float, float]:
        """One entry of :meth:`pair`, kept. The same sums on single numbers: arrays of one take ten times as long."""
        key = (self.load[a], block_a, self.load[b], block_b)
        if key not in self._pairs:
            offset = min(abs(block_a.centre_mhz - block_b.centre_mhz), MAX_OFFSET_MHZ)
            into_b = float(coupling_table_db("ofdm", block_a.width_mhz, "ofdm", block_b.width_mhz)[offset])
            into_a = float(coupling_table_db("ofdm", block_b.width_mhz, "ofdm", block_a.width_mhz)[offset])
            a_at_b = float(self.own_rssi_dbm[a, self.house.radio_place[b]])
            b_at_a = float(self.own_rssi_dbm[b, self.house.radio_place[a]])
            share = False
            if self.enabled[a] and self.enabled[b]:
                share = defers(block_a, block_b, b_at_a, into_a) or defers(block_b, block_a, a_at_b, into_b)
            more_a = more_b = 0.0
            if self.enabled[a] and self.enabled[b] and not share:
                need_a, need_b = (float(self.row(r, x).need_fraction[0]) for r, x in ((a, block_a), (b, block_b)))
                more_a = self._extra_one(a, b, block_a.width_mhz, into_a, need_a, need_b)
                more_b = self._extra_one(b, a, block_b.width_mhz, into_b, need_b, need_a)
            self._pairs[key] = (share, more_a, more_b)
        return self._pairs[key]

    def _extra_one(
        self, victim: int, other: int, width_mhz: int, coupling: float, need: float, other_need: float
    ) -> float:
        steps = min(max(round((coupling - LOSS_FLOOR_DB) / LOSS_STEP_DB), 0), round(-LOSS_FLOOR_DB / LOSS_STEP_DB))
        loss = float(self.loss_by_coupling(victim, other, width_mhz)[steps])
        return need * (1 / (1 - min(min(other_need, 1.0) * loss, MOST_LOSS)) - 1)

    def mean_rise_db(self, radio: int, block: Block, place: int) -> float:
        """Mean rise of the noise at a place by networks that a radio on a block does not defer to, in dB."""
        key = (radio, block, place)
        if key not in self._mean_rise:
            spectra = self.house.spectra(block.band)
            decodes, energy, coupling = self.deference(radio, [block])
            rise, share = noise_states(
                spectra.rssi_dbm[:, place], coupling, ~(decodes | energy), spectra.airtime(None), block.width_mhz
            )
            self._mean_rise[key] = float((rise * share).sum())
        return self._mean_rise[key]

    def _extra(
        self, victim: int, other: int, blocks: Blocks, coupling: Floats, need: Floats, other_need: Floats
    ) -> Floats:
        widths = np.array([b.width_mhz for b in blocks])
        index = np.clip(np.rint((coupling - LOSS_FLOOR_DB) / LOSS_STEP_DB), 0, -LOSS_FLOOR_DB / LOSS_STEP_DB).astype(
            np.intp
        )
        loss = np.zeros(coupling.shape)
        for width in np.unique(widths):
            rows = widths == width
            loss[rows] = self.loss_by_coupling(victim, other, int(width))[index[rows]]
        hurt = np.minimum(np.minimum(other_need, 1.0) * loss, MOST_LOSS)
        return np.asarray(need * (1 / (1 - hurt) - 1), dtype=np.float64)
