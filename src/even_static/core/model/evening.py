"""What clients do in an evening, minute by minute: they join, hold, roam, are steered, are refused."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.association import band_numbers, chosen
from even_static.core.house.kit import Device
from even_static.core.house.settings import Settings, SsidPlan
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.tables.clients import CARRIED_DB, FADE_DB, FLAPS, MOVES_FOR_DB, REFUSED_MIN, ROAM_SCAN_DBM

MINUTES: Final = 180
Happened = Literal["joined", "roamed", "steered", "refused", "dropped"]


@dataclass(frozen=True, slots=True)
class Moment:
    """Something that happened to a client: in which minute, what, and which radio it holds afterwards."""

    minute: int
    what: Happened
    radio_id: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Timeline:
    """An evening of one client. ``away_minutes``: without any link; ``clung_minutes``: on a radio that another beat by
    8 dB or more; ``remedy``: what ends its problem, empty where it has none."""

    device_id: str
    moments: list[Moment]
    changes: int
    away_minutes: int
    sticky_minutes: int
    flaps: bool
    sticky: bool
    remedy: str


def evening(house: House, settings: Settings, seed: int = 1) -> list[Timeline]:
    """Three hours, minute by minute, of every client: joins, holds, scans when weak, is steered, is refused.

    A client keeps its radio until it falls below -73 dBm and another is 8 dB better. A box with steering moves a client
    that can use a higher band there from its level on; a client that is refused on its lower band (awkward ones,
    whatever
    their bands) drops for a minute and comes back, again and again. Levels fade by 2 dB, carried devices by 5 dB.
    """
    state = radio_state(house, settings)
    job, names = house.job, settings.ssid_plan
    found = []
    for n, device in enumerate(job.devices):
        rng = random.Random(seed * 7919 + n)
        serves = [state.serves(i) for i in range(len(house.radios))]
        found.append(_client(house, state.own_rssi_dbm, serves, device, names, rng))
    return found


def _client(
    house: House, levels: np.ndarray, serves: list[bool], device: Device, names: SsidPlan, rng: random.Random
) -> Timeline:
    own = names.band_of(device.id)
    bands = (own,) if own is not None else device.bands
    usable = [i for i, r in enumerate(house.radios) if r.band in bands and serves[i]]
    client = _Client(
        house=house,
        device=device,
        least_dbm=house.least_dbm[house.job.devices.index(device)],
        steered_from_dbm=names.high_band_from_dbm if own is None else None,
    )
    carried = device.generation in ("802.11ax", "802.11be") and device.streams > 1 and len(device.bands) > 1
    fade = CARRIED_DB if carried else FADE_DB
    place = house.places[device.place_id]
    drift = dict.fromkeys(usable, 0.0)
    for minute in range(MINUTES):
        for i in usable:
            drift[i] = 0.8 * drift[i] + rng.gauss(0, fade * 0.6)
        client.live(minute, {i: float(levels[i, place]) + drift[i] for i in usable}, rng)
    flaps, sticky = client.changes >= FLAPS, client.sticky >= MINUTES // 3
    return Timeline(
        device_id=device.id,
        moments=client.moments,
        changes=client.changes,
        away_minutes=client.away,
        sticky_minutes=client.sticky,
        flaps=flaps,
        sticky=sticky,
        remedy=_remedy(client, flaps, sticky, len(bands) > 1),
    )


@dataclass(slots=True, kw_only=True)
class _Client:
    """A device through an evening: which radio it holds, what happened, and minutes away or on a weaker radio."""

    house: House
    device: Device
    least_dbm: NDArray[np.float64]
    steered_from_dbm: float | None
    held: int | None = None
    refused_until: int = -1
    changes: int = 0
    away: int = 0
    sticky: int = 0
    moments: list[Moment] = field(default_factory=list)

    def live(self, minute: int, level_dbm: dict[int, float], rng: random.Random) -> None:
        """One minute with these levels by radio."""
        alive = {i: v for i, v in level_dbm.items() if v >= self.least_dbm[i]}
        if self.held is not None and self.held not in alive:
            self._leave(minute, "dropped", None)
        if self.held is None:
            if minute < self.refused_until or not alive:
                self.away += 1
                return
            self.held = _join(self.house, alive, self.steered_from_dbm)
            self.moments.append(Moment(minute, "joined", self.house.radios[self.held].id))
            return
        held_band = self.house.radios[self.held].band
        best = max(alive, key=lambda i: alive[i])
        far_better = alive[best] - alive[self.held] >= MOVES_FOR_DB
        if far_better and held_band == self.house.radios[best].band:
            self.sticky += 1
        if self.steered_from_dbm is not None and held_band == "2.4 GHz" and self._steer(minute, alive, rng):
            return
        if alive[self.held] < ROAM_SCAN_DBM and far_better:
            self._leave(minute, "roamed", best)

    def _steer(self, minute: int, alive: dict[int, float], rng: random.Random) -> bool:
        """Whether the node refuses it on 2.4 GHz or moves it up in this minute."""
        if self.device.awkward and rng.random() < 0.2:
            # Its probes on the band it knows go unanswered for a while: it takes that for a loss.
            self._leave(minute, "refused", None)
            self.refused_until = minute + REFUSED_MIN
            return True
        wanted = self.steered_from_dbm or 0.0
        higher = [i for i in alive if self.house.radios[i].band != "2.4 GHz" and alive[i] >= wanted]
        if not higher or self.device.awkward:
            return False
        self._leave(minute, "steered", max(higher, key=lambda i: alive[i]))
        return True

    def _leave(self, minute: int, what: Happened, to: int | None) -> None:
        self.moments.append(Moment(minute, what, None if to is None else self.house.radios[to].id))
        self.held, self.changes = to, self.changes + 1


def _remedy(client: _Client, flaps: bool, sticky: bool, several_bands: bool) -> str:
    if flaps and client.device.awkward and client.steered_from_dbm is not None:
        return "an SSID of its own on its band, or steering off"
    if flaps and several_bands:
        return "a split SSID on one band, or a steering level 5 dB further from its own"
    if flaps:
        return "a nearer node, or a small 2.4 GHz access point on a cable"
    if sticky:
        return "a higher minimum data rate on the far node, or lower power there"
    return "no node reaches it well: move one nearer" if client.away > MINUTES // 10 else ""


def _join(house: House, alive: dict[int, float], steered_from: float | None) -> int:
    radios = list(alive)
    bands = band_numbers([house.radios[i].band for i in radios])
    return radios[int(chosen(np.array([alive[i] for i in radios]), bands, steered_from))]
