"""Settings that differ from a plan in one thing, and what each would do: what it costs to differ there."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.steering import ssid_choices
from even_static.core.model.violations import radio_violations
from even_static.core.search.band_problem import band_problem
from even_static.core.search.candidates import Rules
from even_static.core.search.choices import other_links, steps_of
from even_static.core.search.deadline import Deadline
from even_static.core.search.one_band import Placement
from even_static.core.search.rules_of_thumb import with_block
from even_static.core.tables.bands import BANDS
from even_static.core.tables.clients import STEERING_DBM

NO_END = Deadline(math.inf)


@dataclass(frozen=True, slots=True, kw_only=True)
class Alternative:
    """Another setting: what kind of choice it is, its name, why one might make it, what it is and what it does."""

    kind: Literal["kind", "rule of thumb", "as measured", "next best"]
    name: str
    reason: str
    settings: Settings
    evaluation: Evaluation


def other_choices(house: House, rules: Rules, settings: Settings, deadline: Deadline = NO_END) -> list[Alternative]:
    """Beside the blocks: for each other thing that the rules leave free the best way to set it differently while all
    else stays as planned. A radio's power, SSIDs and steering, a link's band, the Zigbee channel."""
    job, held = house.job, rules.held
    ways: list[tuple[str, list[Settings]]] = []
    if rules.power:
        for n, setting in enumerate(settings.radios):
            if setting.enabled and not (held is not None and setting.radio_id in held.radio_ids):
                steps = [replace(setting, eirp_dbm=e) for e in steps_of(house, setting) if e != setting.eirp_dbm]
                lawful = [s for s in steps if not radio_violations(job, s)]
                radios = [(*settings.radios[:n], s, *settings.radios[n + 1 :]) for s in lawful]
                ways.append((f"{setting.radio_id} at", [replace(settings, radios=r) for r in radios]))
    if rules.steering and not (held is not None and held.ssid_plan) and all(n.steering != "nothing" for n in job.nodes):
        names = [n for n in ssid_choices(job, STEERING_DBM) if n != settings.ssid_plan]
        ways.append(("SSIDs and steering:", [replace(settings, ssid_plan=n) for n in names]))
    if job.zigbee is not None and not (held is not None and held.zigbee):
        others = [z for z in job.zigbee.selectable_channels if z != settings.zigbee_channel]
        ways.append(("Zigbee on", [replace(settings, zigbee_channel=z) for z in others]))
    if rules.links and not (held is not None and held.links):
        for node in job.nodes:
            if node.uplink is not None and node.uplink.band is not None:
                ways.append((f"the link of {node.name}", other_links(house, settings, node)))
    found = []
    for what, options in ways:
        if deadline.over():
            break
        tried = [(evaluate(house, s), s) for s in options]
        best = min(tried, key=lambda t: t[0].rank, default=None)
        if best is not None:
            name = f"{what} {_differs(settings, best[1])}"
            found.append(
                Alternative(
                    kind="next best", name=name, reason="all else as planned", settings=best[1], evaluation=best[0]
                )
            )
    return found


def _differs(plan: Settings, other: Settings) -> str:
    """In what a setting differs from a plan, in a word or two."""
    if other.zigbee_channel != plan.zigbee_channel:
        return str(other.zigbee_channel)
    if other.link_bands != plan.link_bands:
        moved = [e for e in other.link_bands if e not in plan.link_bands]
        to = f", to {moved[0].to_node_id}" if moved and moved[0].to_node_id is not None else ""
        return f"at {moved[0].band}{to}" if moved else "on its band of before"
    if other.ssid_plan != plan.ssid_plan:
        level = other.ssid_plan.high_band_from_dbm
        return f"{other.ssid_plan.kind}, {'no steering' if level is None else f'steered from {level:g} dBm'}"
    changed = next(s for s in other.radios if s != plan.of(s.radio_id))
    return f"{changed.eirp_dbm:g} dBm"


def runners_up(house: House, rules: Rules, settings: Settings, deadline: Deadline = NO_END) -> list[Alternative]:
    """For each radio the best other block while all else stays as planned: what it would cost to differ there."""
    found: list[Alternative] = []
    for band in BANDS:
        problem = band_problem(house, settings, band, rules)
        placement = Placement(problem)
        present = [
            options.index(b) if b in options else None
            for options, b in zip(problem.blocks, problem.present, strict=True)
        ]
        for v, group in enumerate(problem.groups):
            if deadline.over():
                return found
            others = {u: i for u, i in enumerate(present) if u != v and i is not None}
            if len(problem.blocks[v]) < 2 or len(others) != len(problem.groups) - 1:
                continue
            first, second, _, _ = placement.bounds(v, others)
            ranked = sorted(range(len(first)), key=lambda i: (int(first[i]), int(second[i])))
            centre = problem.present[v].centre_mhz, problem.present[v].width_mhz
            blocks = problem.blocks[v]
            best = next((i for i in ranked if (blocks[i].centre_mhz, blocks[i].width_mhz) != centre), None)
            if best is None:
                continue
            ids = {house.radios[r].id for r in group}
            changed = replace(
                settings, radios=tuple(with_block(s, blocks[best]) if s.radio_id in ids else s for s in settings.radios)
            )
            name = f"{' and '.join(sorted(ids))} on {blocks[best].channel} at {blocks[best].width_mhz} MHz"
            found.append(
                Alternative(
                    kind="next best",
                    name=name,
                    reason="all else as planned",
                    settings=changed,
                    evaluation=evaluate(house, changed),
                )
            )
    return found
