"""Zigbee delivery under a house's Wi-Fi and its neighbours', as products over interferers.

Each interferer spoils a share ``duty * kill`` of the attempts on a link, where ``kill`` is what its level at the
receiver does to a frame while it sends, and holds the sender back for a share ``duty`` of the time when its energy
there is above the clear-channel level. Shares of different interferers multiply: they are taken as independent.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.kit import HUB_ID
from even_static.core.house.mesh import MeshLink, devices_without_links
from even_static.core.house.other_sources import BORDER_ID
from even_static.core.model.radio_state import RadioState
from even_static.core.spectrum.channels import Block, Blocks, zigbee_mhz
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.survey.other_sources import mesh_duty
from even_static.core.tables import zigbee as table
from even_static.core.tables.propagation import UNHEARD_DBM
from even_static.core.zigbee.delivery import exchange_success, hop_delivery, route_delivery

_NOISE_MW = 10 ** (table.NOISE_DBM / 10)


MESHES = "meshes"


def zigbee_mesh(state: RadioState) -> ZigbeeMesh:
    """The meshes under a radio state, kept with it; only for a house that has Zigbee or Thread."""
    if not isinstance(state.mesh, ZigbeeMesh):
        state.mesh = ZigbeeMesh(state)
    return state.mesh


class ZigbeeMesh:
    """Tables of one state: ``hops`` directed hops (each link twice), per Zigbee channel and interferer.

    The Thread mesh, which keeps its channel, stands behind the Zigbee mesh: its hops meet the interferers of its own
    channel whatever Zigbee's is, and the two meshes take each other's airtime where they share one.
    """

    def __init__(self, state: RadioState) -> None:
        house = state.house
        zigbee, thread = house.job.zigbee, house.job.thread
        assert zigbee is not None or thread is not None, "a job without a mesh has no terms of one"
        self.state = state
        self.thread_channel = None if thread is None else thread.channel
        self.ids: list[str] = []
        place, mains, self.roots = [], [], set[int]()
        for root, at, devices in (
            (HUB_ID, None if zigbee is None else zigbee.hub_place_id, () if zigbee is None else zigbee.devices),
            (BORDER_ID, None if thread is None else thread.border_place_id, () if thread is None else thread.devices),
        ):
            if at is not None:
                self.roots.add(len(self.ids))
                self.ids += [root, *(d.id for d in devices)]
                place += [house.places[at], *(house.places[d.place_id] for d in devices)]
                mains += [True, *(d.mains_powered for d in devices)]
        index = {name: i for i, name in enumerate(self.ids)}
        ours = zigbee.links if zigbee is not None else ()
        links: tuple[MeshLink | MeshLink, ...] = (*ours, *(() if thread is None else thread.links))
        a = [index[link.a_id] for link in links]
        b = [index[link.b_id] for link in links]
        self.source = np.array([*a, *b], dtype=np.intp)
        self.target = np.array([*b, *a], dtype=np.intp)
        self.links = len(a)
        level = np.array([link.rssi_dbm for link in links] * 2, dtype=np.float64)
        on_thread = np.array([False] * len(ours) + [True] * (len(links) - len(ours)), dtype=bool)
        self.on_thread = np.concatenate([on_thread, on_thread])
        self.relays = np.array(mains, dtype=bool)
        # The devices' columns in what ``deliveries`` gives: all but the roots of the two meshes.
        # Of those of which nobody knows a link nothing is said.
        unknown = set[str]()
        for mesh in (zigbee, thread):
            unknown |= set() if mesh is None else devices_without_links(mesh.devices, mesh.links)
        told = [i for i, name in enumerate(self.ids) if i not in self.roots and name not in unknown]
        self.devices = np.array(told, dtype=np.intp)
        self.at_source = np.array(place, dtype=np.intp)[self.source]
        self.at_target = np.array(place, dtype=np.intp)[self.target]
        self.signal_mw = 10 ** (level / 10)
        self.clear = exchange_success(level - table.NOISE_DBM)
        kept = house.tables.mesh
        self._neighbours = kept.neighbours
        self._one_radio = kept.one_radio
        self._all_channels = kept.all_channels
        self._own = kept.own

    def harm(self, at_target_dbm: Floats, at_source_dbm: Floats, duty: Floats) -> tuple[Floats, Floats]:
        """(log of the share of attempts without a collision, log of the share of time in which the channel is clear),
        by hop.

        Levels are those inside the Zigbee channel, shape (..., hops); ``duty`` broadcasts against them.
        """
        interference = 10 ** (at_target_dbm / 10)
        sinr_db = 10 * np.log10(self.signal_mw / (_NOISE_MW + interference))
        with np.errstate(invalid="ignore", divide="ignore"):
            kill = np.where(self.clear > 0, 1 - np.minimum(exchange_success(sinr_db) / self.clear, 1.0), 0.0)
        held = at_source_dbm >= table.CCA_DBM
        return np.log1p(-np.minimum(duty * kill, 1 - 1e-9)), np.log1p(-np.minimum(duty * held, 1 - 1e-9))

    def column(self, node: int) -> int:
        """Where a device stands in what ``deliveries`` gives."""
        return int(np.flatnonzero(self.devices == node)[0])

    def neighbours(self, channel: int) -> tuple[Floats, Floats]:
        """Harm of everything foreign on a Zigbee channel: two arrays of shape (networks and others + 1, hops); the last
        row is what the house's two meshes do to each other."""
        if channel not in self._neighbours:
            ok, idle = self._on(channel)
            if self.thread_channel is not None:
                there = self._on(self.thread_channel)
                ok = np.where(self.on_thread, there[0], ok)
                idle = np.where(self.on_thread, there[1], idle)
            shared = mesh_duty(self.state.house.job.zigbee is not None and channel == self.thread_channel)
            none = np.zeros((1, len(self.source)))
            self._neighbours[channel] = np.concatenate([ok, none]), np.concatenate([idle, none + np.log1p(-shared)])
        return self._neighbours[channel]

    def _on(self, channel: int) -> tuple[Floats, Floats]:
        if channel not in self._one_radio:
            spectra = self.state.house.spectra("2.4 GHz")
            offset = np.minimum(np.abs(spectra.centre - zigbee_mhz(channel)), MAX_OFFSET_MHZ)
            into = [
                coupling_table_db(kind, width, "zigbee", 2)[o]
                for (kind, width), o in zip(spectra.kinds, offset, strict=True)
            ]
            coupling = np.array(into, dtype=np.float64).reshape(-1, 1)
            duty = spectra.airtime(None)[:, None]
            self._one_radio[channel] = self.harm(
                spectra.rssi_dbm[:, self.at_target] + coupling, spectra.rssi_dbm[:, self.at_source] + coupling, duty
            )
        return self._one_radio[channel]

    def own(self, radio: int, block: Block, channel: int, duty: float) -> tuple[Floats, Floats]:
        """Harm of an own radio on a block: two arrays of shape (hops,). ``duty`` is its own airtime need."""
        key = (self.state.load[radio], block, channel)
        if key not in self._own:
            level = self.state.own_rssi_dbm[radio]
            channels = np.where(self.on_thread, self.thread_channel or channel, channel)
            offset = np.minimum(np.abs(block.centre_mhz - (2405 + 5 * (channels - 11))), MAX_OFFSET_MHZ)
            into = coupling_table_db("ofdm", block.width_mhz, "zigbee", 2)[offset]
            target, source = level[self.at_target], level[self.at_source]
            at_target = np.where(target > UNHEARD_DBM, target + into, UNHEARD_DBM)
            at_source = np.where(source > UNHEARD_DBM, source + into, UNHEARD_DBM)
            self._own[key] = self.harm(at_target, at_source, np.array(min(duty, table.MOST_DUTY)))
        return self._own[key]

    def own_everywhere(
        self, radio: int, blocks: Sequence[Block], channels: list[int], duty: Floats
    ) -> tuple[Floats, Floats]:
        """:meth:`own` for every block and channel at once: two arrays of shape (blocks, channels, hops); ``duty`` has
        shape (blocks,)."""
        key = (self.state.load[radio], Blocks.of(blocks), tuple(channels))
        if key not in self._all_channels:
            level = self.state.own_rssi_dbm[radio]
            target, source = level[self.at_target], level[self.at_source]
            mesh = 2405 + 5 * (np.array(channels, dtype=np.intp)[:, None] - 11)
            if self.thread_channel is not None:
                mesh = np.where(self.on_thread[None, :], 2405 + 5 * (self.thread_channel - 11), mesh)
            centre = np.array([b.centre_mhz for b in blocks], dtype=np.intp)[:, None, None]
            offset = np.minimum(np.abs(centre - mesh[None]), MAX_OFFSET_MHZ)
            into = np.empty(offset.shape)
            widths = np.array([b.width_mhz for b in blocks])
            for width in np.unique(widths):
                rows = widths == width
                into[rows] = coupling_table_db("ofdm", int(width), "zigbee", 2)[offset[rows]]
            at_target = np.where(target > UNHEARD_DBM, target + into, UNHEARD_DBM)
            at_source = np.where(source > UNHEARD_DBM, source + into, UNHEARD_DBM)
            self._all_channels[key] = self.harm(at_target, at_source, np.minimum(duty, table.MOST_DUTY)[:, None, None])
        return self._all_channels[key]

    def hop_deliveries(self, log_ok: Floats, log_idle: Floats) -> Floats:
        """Delivery by directed hop for summed logs, any leading shape; the worse direction stands for both."""
        one_way = hop_delivery(self.clear * np.exp(log_ok), np.exp(log_idle))
        worse = np.minimum(one_way[..., : self.links], one_way[..., self.links :])
        return np.concatenate([worse, worse], axis=-1)

    def deliveries(self, log_ok: Floats, log_idle: Floats) -> Floats:
        """Delivery of each device over its best route: shape (..., devices), the Thread mesh's behind Zigbee's."""
        hops = self.hop_deliveries(log_ok, log_idle)
        found = route_delivery(hops, self.source, self.target, self.relays, tuple(self.roots))
        return found[..., self.devices]
