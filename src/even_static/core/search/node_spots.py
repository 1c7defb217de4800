"""Where boxes should stand: every choice of one, two or three of the allowed spots, compared exactly."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from even_static.core.airtime.rates import rate_steps
from even_static.core.arrays import Floats
from even_static.core.errors import BadInput
from even_static.core.house.building import Outlet, Stand
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.picture import needed_dbm
from even_static.core.propagation.stands import place_point, stand_of, stand_point
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import DESIGN_LEVEL_DBM, HANDOVER_DBM
from even_static.core.tables.placing import ENOUGH_DB, LINK_DBM

# Margins are compared in steps of this, in dB.
MARGIN_STEP_DB = 1.0
MOST_OUTLETS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """How a placed node is fed: by cable, or by radio from another at a level that would carry so much."""

    outlet_id: str
    to_outlet_id: str | None
    level_dbm: float | None
    distance_m: float | None
    down_mbps: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Placement:
    """One choice of spots and what it does. ``short`` counts spots below what they need, ``worst_margin_db`` is that of
    the worst spot, ``covered_fraction`` the share of the rooms at the design level, ``overlap_fraction`` that where a
    second node could take over."""

    outlet_ids: tuple[str, ...]
    names: tuple[str, ...]
    short: int
    worst_margin_db: float
    worst_place_id: str
    covered_fraction: float
    overlap_fraction: float
    links: tuple[Link, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Placing:
    """The best placements for each number of nodes, best first, what each further node adds, and the house as it is."""

    now: Placement | None
    best: dict[int, list[Placement]]
    verdicts: list[str]
    compared: int
    height_m: float


@dataclass(frozen=True, slots=True, eq=False)
class _Wanted:
    """Spots with the bands that they need, and rooms: levels are asked for at both."""

    place_ids: list[str]
    need_dbm: Floats
    bands: list[tuple[int, ...]]


def place_nodes(
    coverage: Coverage, counts: Sequence[int] = (1, 2, 3), *, height_m: float = 1.6, keep: int = 3
) -> Placing:
    """Compare every choice of outlets for so many nodes; the order is fewest spots too weak, then the worst spot's
    margin in steps of 1 dB up to 15 dB, then the covered share of the rooms, then less overlap.

    Nodes are taken to be like the first one, upright on a shelf, at its present power. One node of each choice stands
    at a cable drop and is the router; the others are fed by cable where there is a drop, else by radio at -65 dBm or
    better, directly or through each other. BadInput without outlets or spots.
    """
    job, building = coverage.job, coverage.building
    outlets = [o for o in building.outlets if o.power]
    if not 1 <= len(outlets) <= MOST_OUTLETS:
        raise BadInput(
            "building.outlets", "must hold the spots where a node may be put", len(outlets), f"1 to {MOST_OUTLETS}"
        )
    if not any(o.cable_drops for o in outlets):
        raise BadInput("building.outlets", "must hold a cable drop for the router", "none", "cable_drops of 1 or more")
    wanted, points = _wanted(job)
    if not wanted.place_ids:
        raise BadInput(
            "places", "must be placed in the house, with the devices used there", "none", "spots under House"
        )
    rooms = _rooms(coverage)
    stands = [Stand(storey=o.storey, x_m=o.x_m, y_m=o.y_m, height_m=height_m) for o in outlets]
    spot_levels = _levels(coverage, stands, points)
    room_levels = _levels(coverage, stands, rooms)
    bands = [b for b in BANDS if any(r.band == b for r in job.nodes[0].radios)]
    best_band = 1 if "5 GHz" in bands else 0
    ends = [stand_point(building, s) for s in stands]
    between = _levels(coverage, stands, ends)[best_band]
    found: dict[int, list[Placement]] = {}
    compared = 0
    for count in counts:
        ranked: list[tuple[tuple[float, ...], tuple[int, ...]]] = []
        for group in itertools.combinations(range(len(outlets)), count):
            if _feeds(outlets, between, group) is None:
                continue
            compared += 1
            ranked.append((_score(wanted, spot_levels, room_levels[best_band], group), group))
        ranked.sort(key=lambda entry: (entry[0], entry[1]))
        found[count] = [
            _placement(coverage, outlets, wanted, spot_levels, room_levels[best_band], between, ends, group)
            for _, group in ranked[:keep]
        ]
    now = _now(coverage, Judge(coverage))
    return Placing(now=now, best=found, verdicts=_verdicts(now, found), compared=compared, height_m=height_m)


def _wanted(job: Job) -> tuple[_Wanted, list[tuple[float, float, float]]]:
    ids, need, bands, points = [], [], [], []
    for place in job.places:
        at = place_point(job, place)
        here = [d for d in job.devices if d.place_id == place.id]
        if at is None or not here:
            continue
        # A device counts in the best band that it shares with the nodes; a spot needs every band so found.
        own: set[Band] = {r.band for r in job.nodes[0].radios}
        used = {max((b for b in d.bands if b in own and b != "6 GHz"), key=BANDS.index, default=None) for d in here}
        rows = tuple(sorted(BANDS.index(b) for b in used if b is not None))
        if rows:
            ids.append(place.id)
            need.append(needed_dbm(here))
            bands.append(rows)
            points.append(at)
    return _Wanted(ids, np.array(need), bands), points


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """How a house does: spots below what they need, the worst one, the covered share of the rooms, and the share where
    a second node could take over. ``margins_db`` by spot."""

    short: int
    worst_margin_db: float
    worst_place_id: str | None
    covered_fraction: float
    overlap_fraction: float
    margins_db: dict[str, float]

    @property
    def rank(self) -> tuple[float, ...]:
        """Smaller is better, in the order that placing uses."""
        worst = math.floor(min(self.worst_margin_db, ENOUGH_DB) / MARGIN_STEP_DB)
        return float(self.short), -worst, -round(self.covered_fraction, 3), round(self.overlap_fraction, 3)


class Judge:
    """Judges how the nodes of a job stand, or would stand and be set, by the rules that placing uses."""

    def __init__(self, coverage: Coverage) -> None:
        self.coverage = coverage
        self.wanted, self.points = _wanted(coverage.job)
        self.rooms = _rooms(coverage)

    def verdict(
        self,
        stands: Mapping[str, Stand] | None = None,
        settings: Settings | None = None,
        without: frozenset[str] = frozenset(),
    ) -> Verdict:
        """The verdict with nodes moved, set otherwise, or taken away. Without placed spots only rooms are judged."""
        spots = self._by_band(self.points, stands, settings, without)
        rooms = self._by_band(self.rooms, stands, settings, without)
        best = next((i for i in (1, 0, 2) if np.isfinite(rooms[i]).any()), 0)
        covered, overlap = _shares(rooms[best], tuple(range(rooms.shape[1])))
        if not self.wanted.place_ids:
            return Verdict(
                short=0,
                worst_margin_db=0.0,
                worst_place_id=None,
                covered_fraction=covered,
                overlap_fraction=overlap,
                margins_db={},
            )
        margins = _margins(self.wanted, spots, tuple(range(spots.shape[1])))
        worst = int(margins.argmin())
        by_place = {p: float(m) for p, m in zip(self.wanted.place_ids, margins, strict=True)}
        return Verdict(
            short=int((margins < 0).sum()),
            worst_margin_db=float(margins[worst]),
            worst_place_id=self.wanted.place_ids[worst],
            covered_fraction=covered,
            overlap_fraction=overlap,
            margins_db=by_place,
        )

    def _by_band(
        self,
        at: list[tuple[float, float, float]],
        stands: Mapping[str, Stand] | None,
        settings: Settings | None,
        without: frozenset[str],
    ) -> Floats:
        """Levels in dBm: shape (bands, nodes, points), -200 where nothing is heard."""
        nodes = self.coverage.job.nodes
        out = np.full((len(BANDS), len(nodes), len(at)), -200.0)
        if not at:
            return out
        levels = self.coverage.levels_at(at, stands, settings, keep=True).level_dbm
        for r, radio in enumerate(self.coverage.radios):
            n = self.coverage.node_of[r]
            if nodes[n].id not in without:
                out[BANDS.index(radio.band), n] = np.nan_to_num(levels[r], nan=-200.0)
        return out


def _rooms(coverage: Coverage) -> list[tuple[float, float, float]]:
    points = []
    for storey in sorted({r.storey for r in coverage.building.rooms if r.kind != "garden"}):
        grid = coverage.grid(storey, 0.75)
        points += [(float(x), float(y), grid.z_m) for x, y in grid.xy[grid.inside.ravel()]]
    return points


def _levels(coverage: Coverage, stands: list[Stand], points: list[tuple[float, float, float]]) -> Floats:
    """Levels of a node like the first one at every stand: shape (bands, stands, points)."""
    node = coverage.job.nodes[0]
    found = np.full((len(BANDS), len(stands), len(points)), -200.0)
    for k, stand in enumerate(stands):
        levels = coverage.levels_at(points, {node.id: stand}, only_nodes=frozenset({node.id})).level_dbm
        for r, radio in enumerate(coverage.radios):
            if coverage.node_of[r] == 0:
                found[BANDS.index(radio.band), k] = np.nan_to_num(levels[r], nan=-200.0)
    return found


def _margins(wanted: _Wanted, levels: Floats, group: tuple[int, ...]) -> Floats:
    loudest = levels[:, list(group), :].max(axis=1)
    here = np.array([loudest[list(rows), k].min() for k, rows in enumerate(wanted.bands)])
    return np.asarray(here - wanted.need_dbm, dtype=np.float64)


def _score(wanted: _Wanted, spots: Floats, rooms: Floats, group: tuple[int, ...]) -> tuple[float, ...]:
    margins = _margins(wanted, spots, group)
    covered, overlap = _shares(rooms, group)
    worst = math.floor(min(float(margins.min()), ENOUGH_DB) / MARGIN_STEP_DB)
    return float((margins < 0).sum()), -worst, -round(covered, 3), round(overlap, 3)


def _shares(rooms: Floats, group: tuple[int, ...]) -> tuple[float, float]:
    here = rooms[list(group)]
    covered = float((here.max(axis=0) >= DESIGN_LEVEL_DBM).mean())
    overlap = float(((here >= HANDOVER_DBM).sum(axis=0) >= 2).mean()) if len(group) > 1 else 0.0
    return covered, overlap


def _feeds(outlets: list[Outlet], between: Floats, group: tuple[int, ...]) -> list[int | None] | None:
    """Which node of the group feeds each by radio (None: cable); None as a whole where one cannot be fed."""
    wired = [k for k in group if outlets[k].cable_drops > 0]
    if not wired:
        return None
    feed: dict[int, int | None] = dict.fromkeys(wired)
    while len(feed) < len(group):
        options = [(between[a, b], b, a) for b in group if b not in feed for a in feed if between[a, b] >= LINK_DBM]
        if not options:
            return None
        _, b, a = max(options)
        feed[b] = a
    return [feed[k] for k in group]


def _placement(
    coverage: Coverage,
    outlets: list[Outlet],
    wanted: _Wanted,
    spots: Floats,
    rooms: Floats,
    between: Floats,
    ends: list[tuple[float, float, float]],
    group: tuple[int, ...],
) -> Placement:
    margins = _margins(wanted, spots, group)
    covered, overlap = _shares(rooms, group)
    worst = int(margins.argmin())
    links = []
    radio = next((r for r in coverage.job.nodes[0].radios if r.band == "5 GHz"), coverage.job.nodes[0].radios[0])
    width = coverage.job.settings.of(radio.id).width_mhz
    for k, to in zip(group, _feeds(outlets, between, group) or [], strict=True):
        if to is None:
            links.append(
                Link(outlet_id=outlets[k].id, to_outlet_id=None, level_dbm=None, distance_m=None, down_mbps=None)
            )
            continue
        level = float(between[to, k])
        carried = float(rate_steps(radio.generation, radio.band, width, radio.streams).goodput(np.array(level)))
        links.append(
            Link(
                outlet_id=outlets[k].id,
                to_outlet_id=outlets[to].id,
                level_dbm=level,
                distance_m=math.dist(ends[to], ends[k]),
                down_mbps=carried,
            )
        )
    return Placement(
        outlet_ids=tuple(outlets[k].id for k in group),
        names=tuple(outlets[k].name for k in group),
        short=int((margins < 0).sum()),
        worst_margin_db=float(margins[worst]),
        worst_place_id=wanted.place_ids[worst],
        covered_fraction=covered,
        overlap_fraction=overlap,
        links=tuple(links),
    )


def _now(coverage: Coverage, judge: Judge) -> Placement | None:
    standing = [n for n in coverage.job.nodes if stand_of(coverage.job, n) is not None]
    if not standing:
        return None
    found = judge.verdict()
    return Placement(
        outlet_ids=tuple(n.outlet_id or "" for n in standing),
        names=tuple(n.name for n in standing),
        short=found.short,
        worst_margin_db=found.worst_margin_db,
        worst_place_id=found.worst_place_id or "",
        covered_fraction=found.covered_fraction,
        overlap_fraction=found.overlap_fraction,
        links=(),
    )


def _verdicts(now: Placement | None, found: dict[int, list[Placement]]) -> list[str]:
    """What each further node adds, in one sentence each."""
    told = []
    before: Placement | None = None
    for count, placements in sorted(found.items()):
        if not placements:
            told.append(f"{count} nodes cannot all get an uplink at these spots")
            continue
        best = placements[0]
        worst = f"worst spot {best.worst_margin_db:+.0f} dB against its need, {best.short} too weak"
        if before is None:
            told.append(f"{count}: {worst}, {best.covered_fraction:.0%} of the rooms at the design level")
        else:
            gain = min(best.worst_margin_db, ENOUGH_DB) - min(before.worst_margin_db, ENOUGH_DB)
            helps = best.short < before.short or gain >= 3 or best.covered_fraction - before.covered_fraction >= 0.05
            word = "helps" if helps else "adds overlap and nothing else that anybody would notice"
            more = (
                f"node {count} {word}: {gain:+.0f} dB at the worst spot, {worst}, overlap {best.overlap_fraction:.0%}"
            )
            told.append(more)
        before = best
    return told
