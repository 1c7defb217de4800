"""The truth of a practice house, for whoever practises: what was done, what was possible, what each thing costs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from even_static.core.house.settings import RadioSetting, Settings, setting_block
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.prove.known_before import settings_before
from even_static.core.search.candidates import with_lawful_power
from even_static.core.search.moves import may_be_set
from even_static.core.search.rules_of_thumb import careful
from even_static.instruments.simulated.truth_search import best_in_truth
from even_static.instruments.simulated.world import World
from even_static.truth.outcome import Outcome, TruthAt
from even_static.truth.ranges import BUSIEST_HOUR
from even_static.truth.view import DecisionCost, TrueFigures, TruthView

TRIES = 400


def truth_of(world: World, house: House, on_progress: Callable[[float], bool]) -> TruthView:
    """Everything; the best is what a search of so many tries finds in the truth. ``on_progress`` gets the share that is
    done; once it says no, the search ends with what it has."""
    job, now = world.job, world.state.settings
    at = TruthAt(world.true_house, BUSIEST_HOUR)
    before = settings_before(job, job.changes[0]) if job.changes else now
    by_hand = careful(house, with_lawful_power(job, job.settings))
    starts = [s for s in (now, before, by_hand) if may_be_set(house, s)] or [now]
    best, best_outcome = best_in_truth(at, house, starts, world.state.seed, TRIES, on_progress)
    present = at.outcome(now)
    rows = [_figures("before any change", at.outcome(before))] if job.changes else []
    rows += [
        _figures("current settings", present),
        _figures("a careful technician's recipe", at.outcome(by_hand)),
        _figures("the best that was found in the truth", best_outcome),
    ]
    names = {d.id: d.name for d in job.devices}
    names |= {d.id: d.name for d in (job.zigbee.devices if job.zigbee is not None else ())}
    figures = evaluate(house, job.settings)
    return TruthView(
        figures=tuple(rows),
        problems=tuple(f"{names.get(who, who)}: {kind}" for kind, who in present.problem_list),
        decisions=tuple(_decisions(at, house, now, best, present)),
        predicted_problems=figures.problems,
        predicted_headroom=figures.headroom,
        tried=TRIES,
    )


def hint_of(world: World, house: House, on_progress: Callable[[float], bool]) -> str:
    """Where something is to be gained, without saying how: the thing that costs most as it is. ``on_progress`` as for
    :func:`truth_of`."""
    view = truth_of(world, house, on_progress)
    found = max(view.decisions, key=lambda d: (d.problems, d.headroom), default=None)
    if found is None or (found.problems <= 0 and found.headroom < 0.1):
        return "Nothing that a single change would put right: look at what two things do together, or leave it"
    gain = f"{found.problems} problems" if found.problems > 1 else "a problem" if found.problems == 1 else "headroom"
    return f"Look once more at {found.what}: changing it alone would save {gain}"


def _figures(name: str, outcome: Outcome) -> TrueFigures:
    return TrueFigures(
        name=name,
        served=outcome.served,
        headroom=outcome.headroom,
        problems=outcome.problems,
        worst_zigbee_delivery=outcome.worst_delivery,
        median_speed_mbps=outcome.median_speed_mbps,
        worst_speed_mbps=outcome.worst_speed_mbps,
    )


def _decisions(at: TruthAt, house: House, now: Settings, best: Settings, present: Outcome) -> list[DecisionCost]:
    """Each thing that differs from the best, put right alone, the dearest first."""
    found = []
    for what, is_now, would_be, changed in _one_by_one(house, now, best):
        if may_be_set(house, changed):
            outcome = at.outcome(changed)
            found.append(
                DecisionCost(
                    what=what,
                    now=is_now,
                    best=would_be,
                    problems=present.problems - outcome.problems,
                    headroom=min(outcome.headroom, 3.5) - min(present.headroom, 3.5),
                )
            )
    return sorted(found, key=lambda d: (-d.problems, -d.headroom))


def _one_by_one(house: House, now: Settings, best: Settings) -> list[tuple[str, str, str, Settings]]:
    """(what, as it is, as it would be best, the present settings with that alone put right)."""
    found: list[tuple[str, str, str, Settings]] = []
    on = list(range(len(house.radios)))
    for group in house.linked(best).link_groups(on):
        ids = [house.radios[r].id for r in group]
        if any(now.of(i) != best.of(i) for i in ids):
            changed = replace(now, radios=tuple(best.of(s.radio_id) if s.radio_id in ids else s for s in now.radios))
            what = " and ".join(ids)
            found.append((what, _told(house, now.of(ids[0])), _told(house, best.of(ids[0])), changed))
    if now.ssid_plan != best.ssid_plan:
        a, b = now.ssid_plan, best.ssid_plan
        found.append(("SSIDs and steering", _steered(a.high_band_from_dbm, len(a.bands)),
                      _steered(b.high_band_from_dbm, len(b.bands)), replace(now, ssid_plan=b)))  # fmt: skip
    if now.zigbee_channel != best.zigbee_channel:
        found.append(
            (
                "the Zigbee channel",
                str(now.zigbee_channel),
                str(best.zigbee_channel),
                replace(now, zigbee_channel=best.zigbee_channel),
            )
        )
    return found


def _told(house: House, setting: RadioSetting) -> str:
    if not setting.enabled:
        return "off"
    block = setting_block(house.job.radio(setting.radio_id), setting)
    return f"{block.channel} at {block.width_mhz} MHz, {setting.eirp_dbm:g} dBm"


def _steered(level_dbm: float | None, apart: int) -> str:
    text = "no steering" if level_dbm is None else f"steered from {level_dbm:g} dBm"
    who = "1 device" if apart == 1 else f"{apart} devices"
    return text + (f", {who} on a band's own SSID" if apart else "")
