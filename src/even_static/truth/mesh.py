"""IEEE 802.15.4 under Wi-Fi as it really goes: routes kept from when devices joined, Wi-Fi that comes in spells, tries
and retries that fall into the same spell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.spectrum.channels import zigbee_mhz
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.tables.phy import Modulation
from even_static.truth import ranges
from even_static.truth.house import TrueHouse


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class OnAir:
    """Wi-Fi on the air at 2.4 GHz: share of each second, level at each mesh device in dBm in its whole width (senders,
    mesh devices), where and how wide it sends; by sender."""

    share: Floats
    level_dbm: Floats
    centre_mhz: NDArray[np.intp]
    width_mhz: NDArray[np.intp]
    kind: tuple[Modulation, ...]


class TrueMesh:
    """Levels between all mesh devices, and the route that each keeps: its parent's index, -1 for none."""

    def __init__(self, house: TrueHouse) -> None:
        self.ids, self.mains = house.mesh_ids, house.mesh_mains
        count = len(self.ids)
        rng = house.chance("mesh")
        self.noise_dbm = ranges.MESH_NOISE_DBM
        self.eirp = np.array([rng.uniform(*ranges.MESH_EIRP_DBM) for _ in self.ids])
        self.clear_dbm = np.array([rng.uniform(*ranges.MESH_CLEAR_DBM) for _ in self.ids])
        self.spell = rng.uniform(*ranges.SPELL_DUTY)
        self.alike = rng.uniform(*ranges.TRIES_ALIKE)
        self.asks_again = [rng.random() < ranges.MESH_ASKS_AGAIN for _ in self.ids]
        loss = np.full((count, count), 200.0)
        for i in range(count):
            later = np.array(house.mesh_at[i + 1 :], dtype=np.float64).reshape(-1, 3)
            if len(later):
                loss[i, i + 1 :] = house.propagation.loss_db(f"mesh/{self.ids[i]}", house.mesh_at[i], later, "2.4 GHz")
        loss = np.minimum(loss, loss.T)
        self.level_dbm = np.minimum(-25.0, self.eirp[:, None] - loss)
        zigbee = house.job.zigbee
        links = () if zigbee is None else zigbee.links
        if len(house.given.mesh_dbm) == len(links):
            index = {name: i for i, name in enumerate(self.ids)}
            for link, level in zip(links, house.given.mesh_dbm, strict=True):
                a, b = index[link.a_id], index[link.b_id]
                self.level_dbm[a, b] = self.level_dbm[b, a] = level
        self.parent = self._routes(house)

    def _routes(self, house: TrueHouse) -> list[int]:
        """Each joins by what looked best to it then: near the hub first, and never better informed since."""
        rng = house.chance("routes")
        noise = [[rng.gauss(0, ranges.PARENT_NOISE_DB) for _ in self.ids] for _ in self.ids]
        parent, reach = [-1] * len(self.ids), [-200.0] * len(self.ids)
        if not parent:
            return parent
        reach[0] = 0.0
        joined = [0]
        waiting = sorted(range(1, len(self.ids)), key=lambda i: (not self.mains[i], -self.level_dbm[0, i]))
        for _ in range(2):
            for i in waiting:
                if parent[i] >= 0:
                    continue
                # A weak link counts for more than a hop.
                offers = [
                    (min(float(self.level_dbm[j, i]) + noise[i][j], reach[j], -55.0) - (0.0 if j == 0 else 4.0), j)
                    for j in joined
                    if self.mains[j] and self.level_dbm[j, i] >= ranges.LEAST_MESH_DBM
                ]
                if offers:
                    reach[i], parent[i] = max(offers)
                    joined.append(i)
        return parent

    def deliveries(self, channel: int, wifi: OnAir) -> dict[str, float]:
        """Share of reports that arrive at the hub, by device."""
        offset = np.minimum(np.abs(wifi.centre_mhz - zigbee_mhz(channel)), MAX_OFFSET_MHZ)
        into = np.array(
            [
                coupling_table_db(k, int(w), "zigbee", 2)[o]
                for k, w, o in zip(wifi.kind, wifi.width_mhz, offset, strict=True)
            ]
        )
        inside = wifi.level_dbm + into[:, None]
        hop: dict[int, float] = {}
        found: dict[str, float] = {}
        for i, name in enumerate(self.ids):
            if i == 0:
                continue
            arrived, at = 1.0, i
            while at > 0:
                if self.parent[at] < 0:
                    arrived = 0.0
                    break
                if at not in hop:
                    hop[at] = self._hop(at, self.parent[at], inside, wifi.share)
                arrived *= hop[at]
                at = self.parent[at]
            found[name] = 1 - (1 - arrived) ** (2 if self.asks_again[i] else 1)
        return found

    def _hop(self, source: int, target: int, inside_dbm: Floats, share: Floats) -> float:
        return hop_delivery(
            signal_dbm=float(self.level_dbm[source, target]),
            noise_dbm=self.noise_dbm,
            clear_dbm=float(self.clear_dbm[source]),
            at_source_dbm=inside_dbm[:, source],
            at_target_dbm=inside_dbm[:, target],
            share=share,
            spell=self.spell,
            alike=self.alike,
        )


def hop_delivery(
    *,
    signal_dbm: float,
    noise_dbm: float,
    clear_dbm: float,
    at_source_dbm: Floats,
    at_target_dbm: Floats,
    share: Floats,
    spell: float,
    alike: float,
) -> float:
    """Delivery from one device to the next, in a spell of Wi-Fi and outside of one.

    Levels of the Wi-Fi senders inside the channel at both ends in dBm, and the share of each second that each sends:
    shape (senders,); ``clear_dbm``: energy that holds the sender back; ``spell``: share of a spell that is on the air;
    ``alike``: how far tries and retries are new ones, 0 to 1.
    """
    noise = 10 ** (noise_dbm / 10)
    clean = float(_arrive(signal_dbm - noise_dbm))
    felt = 1 / (1 + np.exp(np.clip(-(at_source_dbm - clear_dbm) / 1.5, -40, 40)))
    spoils = 1 - _arrive(signal_dbm - 10 * np.log10(noise + 10 ** (at_target_dbm / 10)))
    # What is felt holds the frame back; what is not, or begins later, may spoil it.
    held = 1 - float(np.prod(1 - np.minimum(share * felt, 0.95)))
    unheld = 1 - float(np.prod(1 - np.minimum(share * (1 - felt) * spoils, 0.95)))
    later = float(np.average(spoils, weights=share * felt)) if (share * felt).sum() > 1e-9 else 0.0
    in_spell = min(0.92, max(spell, held))
    spells = held / in_spell if in_spell > 0 else 0.0
    tries = 1 + (ranges.MESH_TRIES - 1) * alike
    pause_ms = ranges.SPELL_BURST_MS * max(1 - in_spell, 0.04) / max(in_spell, 0.01)
    # The channel counts as clear where nothing is felt for the whole assessment; what then begins may hit the frame.
    found_clear = (1 - in_spell) * np.exp(-ranges.MESH_ASSESSMENT_MS / pause_ms)
    starts = 1 - np.exp(-ranges.MESH_FRAME_MS / pause_ms)
    loud = (1 - (1 - found_clear) ** tries) * (1 - starts * later) * (1 - unheld) * clean
    quiet = (1 - unheld) * clean
    # How many tries count as new ones: the longer a spell, the more of them fall into the same one.
    return float(1 - (spells * (1 - loud) + (1 - spells) * (1 - quiet)) ** (1 + (ranges.MESH_SENT - 1) * alike))


def _arrive(ratio_db: Floats | float) -> Floats:
    over = (np.asarray(ratio_db) - ranges.MESH_HALF_DB) / ranges.MESH_FADING_DB
    return np.asarray(1 / (1 + np.exp(np.clip(-1.702 * over, -40, 40))))
