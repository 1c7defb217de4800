"""What the house and its neighbours do to each other, and what one neighbour's move would gain both."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace

import numpy as np

from even_static.core.errors import BadInput
from even_static.core.house.masking import letter_of
from even_static.core.house.readings import Reading
from even_static.core.house.settings import Settings, setting_block
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.model.rank import Rank
from even_static.core.search.candidates import Rules
from even_static.core.search.plan import best_settings
from even_static.core.spectrum.channels import Block, block_for
from even_static.core.spectrum.deference import decodes_and_feels, per_20_mhz_db
from even_static.core.tables.bands import Band
from even_static.core.tables.channel_plans import ONE_SIX_ELEVEN
from even_static.core.tables.channel_use import NEIGHBOUR_EIRP_DBM

# So many of the neighbours that cost most are asked about; so many moves are shown.
MOST_ASKED, MOST_SHOWN = 6, 3
# So many neighbours share a plan at most, and so long own channels are searched beside it, in s.
MOST_MOVING, OWN_SEARCH_S = 3, 3.0
# Where a neighbour could go: usual channels, widths as they have them. Common practice at 2.4 GHz: 1, 6 and 11.
USUAL: dict[Band, tuple[int, ...]] = {
    "2.4 GHz": ONE_SIX_ELEVEN,
    "5 GHz": (36, 52, 100, 116),
    "6 GHz": (5, 37, 69),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Neighbour:
    """A neighbour by letter, with its loudest level in the house: the airtime that it takes from own radios, and that
    own radios take where it hears them, both as fractions of a second, summed over own radios."""

    letter: str
    bssid: str
    band: Band
    channel: int
    width_mhz: int
    rssi_dbm: float
    takes_fraction: float
    given_fraction: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """One concrete thing to ask of one neighbour, and what it would bring: the house's figures, and the others' airtime
    on the neighbour's channel as heard from here, before and after. ``note``: to hand over; it names nobody else."""

    letter: str
    band: Band
    from_channel: int
    to_channel: int
    problems_before: int
    problems_after: int
    headroom_before: float | None
    headroom_after: float | None
    crowd_before: float
    crowd_after: float
    note: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SharedMove:
    """A willing neighbour's part of a shared plan, and how crowded its channel is before and in the end."""

    letter: str
    band: Band
    from_channel: int
    to_channel: int
    crowd_before: float
    crowd_after: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SharedPlan:
    """What a plan shared with willing neighbours would gain: their moves, and the house's figures now, with their moves
    under the same setting, and with its own channels chosen anew beside them."""

    moves: list[SharedMove]
    problems_now: int
    headroom_now: float | None
    problems_moved: int
    headroom_moved: float | None
    problems_best: int
    headroom_best: float | None


@dataclass(frozen=True, slots=True)
class NeighboursView:
    """Neighbours that matter, the dearest first, and the moves that would help both sides; ``shared`` where several
    together would."""

    neighbours: list[Neighbour]
    requests: list[Request]
    tried: int
    shared: SharedPlan | None = None


def neighbours_view(house: House, settings: Settings) -> NeighboursView:
    """Who costs what, and every usual move of the dearest neighbours tried one by one; kept are those that better the
    house and do not crowd the neighbour more than now."""
    house = house.linked(settings)
    now = evaluate(house, settings)
    found = _costs(house, settings, now)
    letters = {n.bssid: n.letter for n in found}
    by_bssid = {n.bssid: n for n in house.air.networks}
    requests: list[tuple[Rank, Request]] = []
    tried = 0
    for neighbour in found[:MOST_ASKED]:
        if neighbour.takes_fraction <= 0:
            continue
        reading = by_bssid[neighbour.bssid]
        before = _crowd(house, reading, reading.block)
        for channel in USUAL[reading.band]:
            if channel == reading.channel:
                continue
            moved = _moved(reading, channel)
            if moved is None:
                continue
            tried += 1
            after = _crowd(house, reading, moved.block)
            networks = tuple(moved if n.bssid == reading.bssid else n for n in house.air.networks)
            then = evaluate(House(house.job, in_air=replace(house.air, networks=networks)), settings)
            if then.rank.noticed < now.rank.noticed and after <= before + 0.02:
                request = Request(
                    letter=letters[reading.bssid],
                    band=reading.band,
                    from_channel=reading.channel,
                    to_channel=channel,
                    problems_before=now.problems,
                    problems_after=then.problems,
                    headroom_before=now.headroom,
                    headroom_after=then.headroom,
                    crowd_before=before,
                    crowd_after=after,
                    note=note(reading, channel),
                )
                requests.append((then.rank.noticed, request))
    requests.sort(key=lambda entry: entry[0])
    shared = shared_plan(house, settings, found)
    return NeighboursView(found[:12], [r for _, r in requests[:MOST_SHOWN]], tried, shared)


def shared_plan(house: House, settings: Settings, dearest: list[Neighbour]) -> SharedPlan | None:
    """The best of the usual moves of the dearest neighbours taken one after another, each only where nobody who moves
    is more crowded than now; None where none of them helps. Own channels are then searched anew beside them."""
    start = {n.bssid: n for n in house.air.networks}
    crowds = {n.bssid: _crowd(house, start[n.bssid], start[n.bssid].block) for n in dearest}
    now = evaluate(house, settings)
    there, best, moved = house, now, dict[str, Reading]()
    while len(moved) < MOST_MOVING:
        options = []
        for neighbour in dearest[:MOST_ASKED]:
            if neighbour.bssid in moved or neighbour.takes_fraction <= 0:
                continue
            for channel in USUAL[neighbour.band]:
                reading = _moved(start[neighbour.bssid], channel)
                if reading is None or channel == neighbour.channel:
                    continue
                after = _with_moves(house, {**moved, neighbour.bssid: reading})
                everybody = {**moved, neighbour.bssid: reading}
                if all(_crowd(after, r, r.block) <= crowds[b] + 0.02 for b, r in everybody.items()):
                    options.append((evaluate(after, settings), neighbour.bssid, reading, after))
        first = min(options, key=lambda o: (o[0].rank.noticed, o[1], o[2].channel), default=None)
        if first is None or first[0].rank.noticed >= best.rank.noticed:
            break
        best, there = first[0], first[3]
        moved[first[1]] = first[2]
    if not moved:
        return None
    letters = {n.bssid: n.letter for n in dearest}
    own = best_settings(there, Rules(), time.monotonic() + OWN_SEARCH_S).evaluation
    own = min(own, best, key=lambda e: e.rank.noticed)
    moves = [
        SharedMove(
            letter=letters[b],
            band=r.band,
            from_channel=start[b].channel,
            to_channel=r.channel,
            crowd_before=crowds[b],
            crowd_after=_crowd(there, r, r.block),
        )
        for b, r in moved.items()
    ]
    return SharedPlan(
        moves=moves,
        problems_now=now.problems,
        headroom_now=now.headroom,
        problems_moved=best.problems,
        headroom_moved=best.headroom,
        problems_best=own.problems,
        headroom_best=own.headroom,
    )


def _with_moves(house: House, moved: dict[str, Reading]) -> House:
    networks = tuple(moved.get(n.bssid, n) for n in house.air.networks)
    return House(house.job, in_air=replace(house.air, networks=networks))


def note(reading: Reading, channel: int) -> str:
    """A friendly note to one neighbour: one concrete thing, nobody else named."""
    name = f'your Wi-Fi "{reading.ssid}"' if reading.ssid else "your Wi-Fi"
    width = " and leave its width at 20 MHz" if reading.band == "2.4 GHz" and reading.width_mhz == 20 else ""
    return (
        f"Hello neighbour,\n\nwe are tuning the Wi-Fi next door, and {name} and ours talk across each other at "
        f"{reading.band}. Would you set its channel to {channel} (it is on {reading.channel} now){width}? It is in the "
        "router's own pages under wireless settings; name and password stay as they are, and devices come back by "
        "themselves after a minute. Both of us should notice fewer stalls. If it does not suit you, set it back: "
        "no harm done.\n\nThank you!\n"
    )


def _costs(house: House, settings: Settings, now: Evaluation) -> list[Neighbour]:
    state = radio_state(house, settings)
    takes: dict[str, float] = {}
    gives: dict[str, float] = {}
    figures = {r.radio_id: r for r in now.radios}
    for i, radio in enumerate(house.radios):
        if not state.enabled[i]:
            continue
        spectra = house.spectra(radio.band)
        block = setting_block(radio, settings.of(radio.id))
        decodes, energy, coupling = state.deference(i, [block])
        heard = (decodes | energy)[0]
        airtime = spectra.airtime(house.radio_place[i])
        back = spectra.rssi_dbm[:, house.radio_place[i]] + state.eirp_dbm[i] - NEIGHBOUR_EIRP_DBM
        # As far as a neighbour decodes: what is sent over a wider block is weaker in its 20 MHz.
        reached = np.logical_or(*decodes_and_feels(decodes[0], back, per_20_mhz_db(block.width_mhz), coupling[0]))
        need = min(figures[radio.id].need_fraction, 1.0)
        for k, network in enumerate(spectra.networks):
            takes[network.bssid] = takes.get(network.bssid, 0.0) + float(airtime[k]) * bool(heard[k])
            gives[network.bssid] = gives.get(network.bssid, 0.0) + need * bool(reached[k])
    matter = [n for n in house.air.networks if takes.get(n.bssid, 0.0) > 0 or gives.get(n.bssid, 0.0) > 0]
    if not matter:
        return []
    loudest = {n.bssid: float(v) for n, v in zip(house.air.networks, house.air.rssi_dbm.max(axis=1), strict=True)}
    ordered = sorted(matter, key=lambda n: (-takes[n.bssid], -loudest[n.bssid], n.bssid))
    return [
        Neighbour(
            letter=letter_of(k),
            bssid=n.bssid,
            band=n.band,
            channel=n.channel,
            width_mhz=n.width_mhz,
            rssi_dbm=loudest[n.bssid],
            takes_fraction=takes[n.bssid],
            given_fraction=gives[n.bssid],
        )
        for k, n in enumerate(ordered)
    ]


def _moved(reading: Reading, channel: int) -> Reading | None:
    try:
        block = block_for(reading.band, channel, reading.width_mhz)
    except BadInput:
        return None
    return replace(reading, channel=channel, centre_mhz=block.centre_mhz, centre2_mhz=None)


def _crowd(house: House, reading: Reading, block: Block) -> float:
    """Airtime of all others on a block as heard at the house, each by how much of it they share, at most 1."""
    spectra = house.spectra(reading.band)
    airtime = spectra.airtime(None)
    share = 0.0
    for k, other in enumerate(spectra.networks):
        if other.bssid == reading.bssid:
            continue
        low = max(other.centre_mhz - other.width_mhz / 2, block.centre_mhz - block.width_mhz / 2)
        high = min(other.centre_mhz + other.width_mhz / 2, block.centre_mhz + block.width_mhz / 2)
        share += float(airtime[k]) * float(np.clip((high - low) / min(block.width_mhz, other.width_mhz), 0.0, 1.0))
    return min(share, 1.0)
