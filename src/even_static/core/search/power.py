"""The power step of each radio: as loud as its clients can answer, cells that just hand over, little spilled out."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.house.job import Job
from even_static.core.house.kit import Radio
from even_static.core.house.settings import Settings, setting_block
from even_static.core.propagation.coverage import Coverage
from even_static.core.search.node_spots import Judge
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import (
    CLIENT_EIRP_DBM,
    DECODE_DEFER_DBM,
    DESIGN_LEVEL_DBM,
    HANDOVER_DBM,
    SENSITIVITY_DBM_20MHZ,
)
from even_static.core.tables.placing import ALIKE_DB, BORDER_DB, OUTSIDE_M, SPARE_DB


@dataclass(frozen=True, slots=True, kw_only=True)
class PowerStep:
    """One step of a radio and what it does, the other radios as they are. ``border_dbm`` is the level where devices
    change to another node, ``ground_outside_fraction`` the share of the ground outside where neighbours must wait.
    """

    eirp_dbm: float
    short: int
    worst_margin_db: float | None
    covered_fraction: float
    border_dbm: float | None
    overlap_fraction: float
    ground_outside_fraction: float
    answered: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RadioPower:
    """A radio's steps, the one advised, and why."""

    radio_id: str
    band: Band
    now_dbm: float
    advised_dbm: float
    useful_dbm: float
    alone: bool
    steps: list[PowerStep]
    reasons: list[str]


def useful_eirp_dbm(client_eirp_dbm: float = CLIENT_EIRP_DBM) -> float:
    """The radiated power in dBm beyond which a node gains nothing: at the edge of its cell (-75 dBm at the device) the
    device's answer just reaches what the slowest rate needs at the node."""
    return client_eirp_dbm + HANDOVER_DBM - SENSITIVITY_DBM_20MHZ[0]


def power_steps(coverage: Coverage) -> list[RadioPower]:
    """Every radio's steps judged one radio at a time, with the others as they are set; off and locked ones left out."""
    job, settings = coverage.job, coverage.job.settings
    judge = Judge(coverage)
    outside = _outside(coverage)
    at_spots = coverage.levels_at(judge.points).level_dbm if judge.points else np.zeros((len(coverage.radios), 0))
    at_rooms = coverage.levels_at(judge.rooms).level_dbm
    at_outside = coverage.levels_at(outside).level_dbm
    found = []
    for r, radio in enumerate(coverage.radios):
        setting = settings.of(radio.id)
        if not setting.enabled or radio.locked or np.isnan(at_rooms[r]).all():
            continue
        others = [
            k
            for k, other in enumerate(coverage.radios)
            if k != r
            and other.band == radio.band
            and coverage.node_of[k] != coverage.node_of[r]
            and settings.of(other.id).enabled
            and not np.isnan(at_rooms[k]).all()
        ]
        wants = np.array([BANDS.index(radio.band) in rows for rows in judge.wanted.bands], dtype=bool)
        steps = []
        for eirp in lawful_steps(job, radio):
            change = eirp - setting.eirp_dbm
            steps.append(
                _step(
                    eirp,
                    at_spots[r, wants] + change,
                    _loudest(at_spots[:, wants], others),
                    judge.wanted.need_dbm[wants],
                    at_rooms[r] + change,
                    _loudest(at_rooms, others),
                    at_outside[r] + change,
                    eirp <= useful_eirp_dbm(_weakest_client(job, radio.band)),
                )
            )
        if steps:
            found.append(_advised(coverage, radio, setting.eirp_dbm, steps, not others))
    return found


def lawful_steps(job: Job, radio: Radio) -> list[float]:
    """A radio's power steps in dBm that its present block allows, the lowest first."""
    lawful = lawful_block(job.country, setting_block(radio, job.settings.of(radio.id)))
    most = lawful.max_eirp_dbm if lawful is not None else -np.inf
    return sorted(e for e in set(radio.eirp_steps_dbm) if e <= most)


def with_power(settings: Settings, radio_id: str, eirp_dbm: float) -> Settings:
    """The settings with one radio at another power."""
    radios = tuple(replace(s, eirp_dbm=eirp_dbm) if s.radio_id == radio_id else s for s in settings.radios)
    return replace(settings, radios=radios)


def _weakest_client(job: Job, band: Band) -> float:
    return min((d.eirp_dbm for d in job.devices if band in d.bands), default=CLIENT_EIRP_DBM)


def _loudest(levels: Floats, rows: list[int]) -> Floats:
    if not rows:
        return np.full(levels.shape[1], -200.0)
    return np.asarray(np.nan_to_num(levels[rows], nan=-200.0).max(axis=0), dtype=np.float64)


def _step(
    eirp: float,
    spots: Floats,
    other_spots: Floats,
    need: Floats,
    rooms: Floats,
    other_rooms: Floats,
    outside: Floats,
    answered: bool,
) -> PowerStep:
    margins = np.maximum(spots, other_spots) - need
    best = np.maximum(rooms, other_rooms)
    border = np.abs(rooms - other_rooms) <= BORDER_DB
    both = (rooms >= HANDOVER_DBM) & (other_rooms >= HANDOVER_DBM)
    return PowerStep(
        eirp_dbm=eirp,
        short=int((margins < 0).sum()),
        worst_margin_db=float(margins.min()) if len(margins) else None,
        covered_fraction=float((best >= DESIGN_LEVEL_DBM).mean()),
        border_dbm=float(np.median(best[border])) if border.any() else None,
        overlap_fraction=float(both.mean()),
        ground_outside_fraction=float((outside >= DECODE_DEFER_DBM).mean()) if len(outside) else 0.0,
        answered=answered,
    )


def _advised(coverage: Coverage, radio: Radio, now: float, steps: list[PowerStep], alone: bool) -> RadioPower:
    """The rules, in order: what clients cannot answer is left out; one node alone in its own house is loud; else the
    lowest step that leaves no spot worse off than it need be, keeps 5 dB in hand and still hands over."""
    useful = useful_eirp_dbm(_weakest_client(coverage.job, radio.band))
    candidates = [s for s in steps if s.answered] or steps[:1]
    building = coverage.building
    shared = bool(building.party_walls) or building.house_type == "concrete flat"
    reasons = []
    if len(candidates) < len(steps):
        reasons.append(
            f"beyond {useful:.0f} dBm its weakest client ({_weakest_client(coverage.job, radio.band):.0f} dBm) "
            "cannot answer from the edge of the cell"
        )
    keeps = _serving_steps(candidates)
    hand_over = [s for s in keeps if s.border_dbm is not None and s.border_dbm >= HANDOVER_DBM]
    if alone and not shared:
        chosen = candidates[-1]
        reasons.append("the only node on this band, in a house of its own: high")
    else:
        chosen = (hand_over or keeps)[0]
        reasons += _why_not_lower(chosen, candidates, keeps) + _why_not_higher(chosen, candidates[-1])
        if alone:
            reasons.append("neighbours are behind the wall: no louder than the spots need")
    return RadioPower(
        radio_id=radio.id,
        band=radio.band,
        now_dbm=now,
        advised_dbm=chosen.eirp_dbm,
        useful_dbm=useful,
        alone=alone,
        steps=steps,
        reasons=reasons,
    )


def _serving_steps(candidates: list[PowerStep]) -> list[PowerStep]:
    """Steps that leave as few spots short as any, and the worst spot no worse than it need be."""
    short = min(s.short for s in candidates)
    best_worst = max((min(s.worst_margin_db, SPARE_DB) for s in candidates if s.worst_margin_db is not None), default=0)
    keeps = [
        s
        for s in candidates
        if s.short == short and (s.worst_margin_db is None or min(s.worst_margin_db, SPARE_DB) >= best_worst - 0.5)
    ]
    if keeps[0].worst_margin_db is None:
        # No spot asks for this band: the rooms decide.
        covered = max(s.covered_fraction for s in keeps)
        keeps = [s for s in keeps if s.covered_fraction >= covered - 0.05]
    return keeps


def _why_not_lower(chosen: PowerStep, candidates: list[PowerStep], keeps: list[PowerStep]) -> list[str]:
    if chosen is candidates[0] or chosen.worst_margin_db is None:
        return []
    lower = candidates[candidates.index(chosen) - 1]
    if lower.short > chosen.short:
        return [f"one step lower leaves {lower.short} spots too weak instead of {chosen.short}"]
    if lower.worst_margin_db is not None and lower not in keeps:
        return [
            f"one step lower leaves the worst spot {lower.worst_margin_db:+.0f} dB against its need "
            f"instead of {chosen.worst_margin_db:+.0f}"
        ]
    if lower.border_dbm is not None and lower.border_dbm < HANDOVER_DBM:
        return [f"one step lower the other node would be at {lower.border_dbm:.0f} dBm where devices change over"]
    return []


def _why_not_higher(chosen: PowerStep, highest: PowerStep) -> list[str]:
    if chosen is highest:
        return []
    taken_airtime = highest.ground_outside_fraction - chosen.ground_outside_fraction
    more = f", and {taken_airtime:.0%} more of the ground outside must wait for it" if taken_airtime >= 0.01 else ""
    return [f"louder only widens the overlap to {highest.overlap_fraction:.0%}{more}"]


def cells_note(coverage: Coverage, node_id: str) -> str | None:
    """How a node's cells at 2.4 and 5 GHz compare with the usual rule; None where it lacks one of the bands."""
    settings = coverage.job.settings
    node = next(n for n in coverage.job.nodes if n.id == node_id)
    power = {r.band: settings.of(r.id).eirp_dbm for r in node.radios if settings.of(r.id).enabled}
    if "2.4 GHz" not in power or "5 GHz" not in power:
        return None
    apart = power["5 GHz"] - power["2.4 GHz"]
    return f"2.4 GHz is {apart:.0f} dB below 5 GHz; about {ALIKE_DB:.0f} makes the cells alike"


def _outside(coverage: Coverage) -> list[tuple[float, float, float]]:
    """Points round the house, 2 m outside its walls, a metre apart, on every storey at 1.2 m."""
    import shapely

    found = []
    for storey in sorted({r.storey for r in coverage.building.rooms if r.kind != "garden"}):
        rooms = [
            shapely.Polygon(r.outline) for r in coverage.building.rooms if r.storey == storey and r.kind != "garden"
        ]
        ring = shapely.unary_union(rooms).buffer(OUTSIDE_M)
        lines = [ring.exterior] if isinstance(ring, shapely.Polygon) else [g.exterior for g in ring.geoms]
        z = coverage.building.elevation_m(storey) + 1.2
        for line in lines:
            for at in np.arange(0.0, line.length, 1.0):
                point = line.interpolate(float(at))
                found.append((point.x, point.y, z))
    return found
