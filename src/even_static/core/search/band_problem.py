"""Tables of one band for a search: options of each radio, and what each pair of options does."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from even_static.core.arrays import Floats, Ints
from even_static.core.house.settings import Settings, setting_block
from even_static.core.model.link_tables import LinkTable
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import RadioState, radio_state
from even_static.core.model.zigbee_mesh import zigbee_mesh
from even_static.core.search.candidates import Rules, kept_candidates
from even_static.core.spectrum.channels import Block, Blocks
from even_static.core.tables.bands import Band


@dataclass(kw_only=True, slots=True, eq=False)
class BandProblem:
    """One band made ready for search. A variable is a radio, or several that a radio link ties to one block."""

    state: RadioState
    band: Band
    radios: list[int]
    groups: list[list[int]]
    blocks: list[Blocks]
    present: list[Block]
    terms: dict[int, LinkTable]
    share: dict[tuple[int, int], Floats]
    extra: dict[tuple[int, int], Floats]
    changed: list[Ints]
    zigbee_channels: list[int]
    zigbee_present: int | None
    zigbee_base: tuple[Floats, Floats] | None = None
    zigbee_own: dict[int, tuple[Floats, Floats]] = field(default_factory=dict)

    @property
    def group_of(self) -> dict[int, int]:
        """Variable of each radio."""
        return {r: v for v, group in enumerate(self.groups) for r in group}


def band_problem(
    house: House,
    settings: Settings,
    band: Band,
    rules: Rules,
    channels_24: tuple[int, ...] | None = None,
    pinned: dict[str, Block] | None = None,
) -> BandProblem:
    """Tables of one band for a search that starts from settings (whose powers are kept).

    ``pinned`` gives blocks by radio that the search must keep.
    """
    house = house.linked(settings)
    job = house.job
    state = radio_state(house, settings)
    radios = [i for i, r in enumerate(house.radios) if r.band == band and state.enabled[i]]
    groups = house.link_groups(radios)
    blocks = [_options(house, settings, group, rules, channels_24, pinned or {}) for group in groups]
    # Radios with least room come first: their choice decides most.
    alone = [
        max(float((t.available_fraction / np.maximum(t.need_fraction, 1e-9)).max()) for t in [state.rows(r, b)])
        for group, b in zip(groups, blocks, strict=True)
        for r in group[:1]
    ]
    order = sorted(range(len(groups)), key=lambda v: alone[v])
    groups, blocks = [groups[v] for v in order], [blocks[v] for v in order]
    terms = {r: state.rows(r, b) for group, b in zip(groups, blocks, strict=True) for r in group}
    problem = BandProblem(
        state=state,
        band=band,
        radios=radios,
        groups=groups,
        blocks=blocks,
        present=[setting_block(house.radios[g[0]], settings.of(house.radios[g[0]].id)) for g in groups],
        terms=terms,
        share={},
        extra={},
        changed=[],
        zigbee_channels=[],
        zigbee_present=settings.zigbee_channel if job.zigbee is not None or job.thread is None else job.thread.channel,
    )
    problem.changed += [_changed(state, group, options) for group, options in zip(groups, blocks, strict=True)]
    _pairs(problem)
    if band == "2.4 GHz" and house.mesh_channels:
        kept = rules.held is not None and rules.held.zigbee and job.zigbee is not None
        given = [settings.zigbee_channel] if kept and settings.zigbee_channel is not None else None
        _zigbee(problem, given or list(house.mesh_channels))
    return problem


def _options(
    house: House,
    settings: Settings,
    group: list[int],
    rules: Rules,
    channels_24: tuple[int, ...] | None,
    pinned: dict[str, Block],
) -> Blocks:
    """Blocks that every radio of a group may take; with none in common the present one, of a locked radio before
    others."""
    each = [
        Blocks((pinned[house.radios[r].id],))
        if house.radios[r].id in pinned
        else kept_candidates(house, settings.of(house.radios[r].id), rules, channels_24)
        for r in group
    ]
    common = each[0] if len(each) == 1 else Blocks(b for b in each[0] if all(b in o for o in each[1:]))
    first = house.radios[group[0]]
    kept = next((house.radios[r] for r in group if house.radios[r].locked), first)
    return common or Blocks((setting_block(kept, settings.of(kept.id)),))


def _changed(state: RadioState, group: list[int], options: Blocks) -> Ints:
    """For each option, how many of the group's radios it changes from what is set now."""
    changed = np.zeros(len(options), dtype=np.int64)
    for r in group:
        radio = state.house.radios[r]
        before = state.house.job.settings.of(radio.id)
        powered = (before.eirp_dbm, before.enabled) == (state.eirp_dbm[r], state.enabled[r])
        present = setting_block(radio, before)
        changed += ~np.array([powered and b == present for b in options])
    return changed


def _pairs(problem: BandProblem) -> None:
    """Share and extra need of every pair of radios in different variables, as matrices over their blocks."""
    group_of = problem.group_of
    for x, a in enumerate(problem.radios):
        for b in problem.radios[x + 1 :]:
            va, vb = group_of[a], group_of[b]
            if va == vb:
                continue
            share, more_a, more_b = problem.state.pair(
                a,
                problem.blocks[va],
                b,
                problem.blocks[vb],
                problem.terms[a].need_fraction,
                problem.terms[b].need_fraction,
            )
            problem.share[a, b], problem.share[b, a] = share.astype(np.float64), share.T.astype(np.float64)
            problem.extra[a, b], problem.extra[b, a] = more_a, more_b.T


def _zigbee(problem: BandProblem, channels: list[int]) -> None:
    terms = zigbee_mesh(problem.state)
    problem.zigbee_channels = channels
    base = [terms.neighbours(z) for z in channels]
    problem.zigbee_base = (np.array([b[0].sum(axis=0) for b in base]), np.array([b[1].sum(axis=0) for b in base]))
    for v, group in enumerate(problem.groups):
        for r in group:
            need = problem.terms[r].need_fraction
            problem.zigbee_own[r] = terms.own_everywhere(r, problem.blocks[v], channels, need)
