"""The router's client list in the worlds: devices are on the radios, and heard at the levels, that it shows.

Levels move the draws by how they vary together (an ensemble Kalman update, after Evensen 1994): a device that the
router hears better than was drawn is better off at its spot too. Where a device joins another radio than the listed
one, its tastes and levels are taken over from a world in which it joins that one: devices choose each for itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.airtime.association import wished
from even_static.core.airtime.rates import older, rate_steps
from even_static.core.arrays import Floats, Floats32
from even_static.core.house.lists import ClientSeen
from even_static.core.model.prepared_house import House
from even_static.core.tables import worlds as table
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Homes, Living

LOUDEST_DBM = -18.0
# So much more than its next best radio a device wants the listed one, where no drawn world has it join that.
CLEAR_DB = 1.0
# From this share of the worlds on, most have it.
MOST = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """A device of the client list: its radio and level there, and what the worlds said of both before they knew of the
    list and since. Levels in dBm; None where the list shows none."""

    device_id: str
    radio_id: str | None
    share_before: float | None
    """Share of the worlds in which it is on that radio; None where the list names none."""
    share_after: float | None
    level_dbm: float | None
    level_before_dbm: float | None
    level_after_dbm: float | None
    expected: bool
    """Whether most worlds had it on that radio before."""
    held: bool
    """Whether they say what the list says since: the radio, and the level as far as that may be off."""


def told_by_the_list(worlds: Worlds, lines: list[ClientSeen]) -> tuple[Worlds, tuple[Listed, ...]]:
    """The worlds as the client list's lines have them, and what that changed; the worlds given stay as they are."""
    house = worlds.house
    devices = {d.id: i for i, d in enumerate(house.job.devices)}
    known = [(devices[c.device_id], house.radio_index.get(c.radio_id or "", -1), c) for c in lines]
    if not known:
        return worlds, ()
    before = _present(worlds)
    found = worlds.taken(np.arange(worlds.count))
    rng = np.random.default_rng((worlds.seed, 11))
    for d, r, seen in known:
        if r >= 0:
            _move_level(found, d, r, seen, rng)
    # Each device chooses for itself: what one takes over moves no other.
    home = _present(found)[0]
    for d, r, _ in known:
        if r >= 0:
            _move_home(found, d, r, home[:, d], rng)
    after = _present(found)
    listed = []
    for d, r, seen in known:
        level = seen.rssi_dbm if r >= 0 else None
        shares = _share(before, d, r), _share(after, d, r)
        levels = [None if level is None else float(np.median(_heard(w, d, r))) for w in (worlds, found)]
        near = level is None or levels[1] is None or abs(level - levels[1]) <= 2 * table.LISTED_LEVEL_DB
        listed.append(
            Listed(
                device_id=seen.device_id,
                radio_id=house.radios[r].id if r >= 0 else None,
                share_before=shares[0],
                share_after=shares[1],
                level_dbm=level,
                level_before_dbm=levels[0],
                level_after_dbm=levels[1],
                expected=(shares[0] or 0.0) >= MOST,
                held=near and (shares[1] is None or shares[1] >= MOST),
            )
        )
    return found, tuple(listed)


def _present(worlds: Worlds) -> Homes:
    """Which radio each device uses in each world as the house is set."""
    house, settings = worlds.house, worlds.house.job.settings
    eirp = np.array([settings.of(r.id).eirp_dbm for r in house.radios], dtype=np.float32)
    enabled = np.array([settings.of(r.id).enabled for r in house.radios], dtype=bool)
    return Living(worlds).homes(eirp, enabled, settings.ssid_plan)


def _share(homes: Homes, device: int, radio: int) -> float | None:
    return float((homes[0][:, device] == radio).mean()) if radio >= 0 else None


def _heard(worlds: Worlds, device: int, radio: int) -> Floats32:
    """Level at which a radio hears a device (worlds,)."""
    level = worlds.own_device_dbm[:, device, radio] + worlds.client_eirp_dbm[:, device]
    return np.asarray(np.minimum(level, LOUDEST_DBM), dtype=np.float32)


def _move_level(worlds: Worlds, d: int, r: int, seen: ClientSeen, rng: np.random.Generator) -> None:
    """Move a device's levels, those at its spot and its own power towards what the list shows."""
    house = worlds.house
    if seen.rssi_dbm is not None:
        said, measured, error = _heard(worlds, d, r), seen.rssi_dbm, table.LISTED_LEVEL_DB
    else:
        at = _level_of_rate(house, d, r, seen)
        if at is None:
            return
        power = house.job.settings.of(house.radios[r].id).eirp_dbm
        said = worlds.own_device_dbm[:, d, r] + np.float32(power) + worlds.chip_db[:, d]
        measured, error = at, table.LISTED_RATE_DB
    spread = float(np.var(said)) + error**2
    if abs(measured - float(said.mean())) > table.LISTED_MOST * np.sqrt(spread):
        return
    off = measured + rng.normal(0, error, worlds.count) - said
    place = house.device_place[d]
    for rows in (worlds.own_device_dbm[:, d, :], worlds.own_place_dbm[:, place, :]):
        rows += (off[:, None] * _gain(rows, said, spread)[None, :]).astype(np.float32)
    if float(np.std(worlds.client_eirp_dbm[:, d])) > 0:
        own = worlds.client_eirp_dbm[:, d : d + 1]
        own += (off[:, None] * _gain(own, said, spread)[None, :]).astype(np.float32)
        np.clip(own, table.CLIENT_EIRP_DBM[0] - 3, table.CLIENT_EIRP_DBM[1] + 3, out=own)


def _gain(rows: Floats32, said: Floats32, spread: float) -> Floats:
    """How much each column of rows (worlds, columns) moves for each dB that ``said`` (worlds,) is off."""
    apart = said - said.mean()
    return np.asarray(((rows - rows.mean(axis=0)) * apart[:, None]).mean(axis=0) / spread, dtype=np.float64)


def _level_of_rate(house: House, d: int, r: int, seen: ClientSeen) -> float | None:
    """The level in dBm in the middle between that from which a link has its rate and that of the next; None where the
    list shows no rate, or the top one, which says only that the level is enough."""
    if seen.down_rate_mbps is None:
        return None
    device, radio = house.job.devices[d], house.radios[r]
    width = min(house.job.settings.of(radio.id).width_mhz, device.widest_mhz(radio.band))
    steps = rate_steps(
        older(radio.generation, device.generation), radio.band, width, min(radio.streams, device.streams)
    )
    at = int(np.searchsorted(steps.phy_mbps, seen.down_rate_mbps * 0.99))
    if not 0 < at < len(steps.phy_mbps) - 1:
        return None
    return 0.5 * float(steps.level_dbm[at] + steps.level_dbm[at + 1])


def _move_home(worlds: Worlds, d: int, r: int, home: NDArray[np.intp], rng: np.random.Generator) -> None:
    """Have a device join the listed radio in every world in which it can; ``home`` (worlds,): the one it joins."""
    there, elsewhere = np.flatnonzero(home == r), np.flatnonzero(home != r)
    if not len(elsewhere):
        return
    if len(there) >= max(1, round(table.LISTED_LEAST * worlds.count)):
        _take_over(worlds, d, elsewhere, rng.choice(there, len(elsewhere)))
        return
    # Hardly any world has it there: it must want that radio more than is usual.
    settings = worlds.house.job.settings
    eirp = np.array([settings.of(x.id).eirp_dbm for x in worlds.house.radios], dtype=np.float32)
    level = np.minimum(worlds.own_device_dbm[:, d, :] + eirp[None, :], LOUDEST_DBM)
    wish = wished(level, worlds.taste_db[:, d, :]) + worlds.whim_db[:, d, :]
    best = wish.max(axis=1)
    worlds.whim_db[:, d, r] += np.maximum(best - wish[:, r] + CLEAR_DB, 0.0).astype(np.float32)
    if settings.ssid_plan.high_band_from_dbm is not None:
        # Steered, it stays where it is all the same: it does not listen to that.
        worlds.deaf[elsewhere, d] = True


def _take_over(worlds: Worlds, d: int, to: NDArray[np.intp], source: NDArray[np.intp]) -> None:
    for rows in (
        worlds.own_device_dbm,
        worlds.taste_db,
        worlds.whim_db,
        worlds.chip_db,
        worlds.client_eirp_dbm,
        worlds.deaf,
    ):
        rows[to, d] = rows[source, d]
