"""The chapters for the household."""

from __future__ import annotations

import math
from collections.abc import Iterable

from even_static.core.change.materials import materials
from even_static.core.change.sheet_view import sheet_view
from even_static.core.explain.bottleneck import holding_back
from even_static.core.explain.causes import likely_causes
from even_static.core.house.basics import counted
from even_static.core.model.figures import arriving
from even_static.core.prove.differences import Difference
from even_static.core.report.blocks import Block, ChangeDrawing, Chapter, Dumbbell, ListBlock, TextBlock
from even_static.core.report.words import Known, day_text, name_of, setting_rows, spoken
from even_static.core.tables.cautions import CAUTIONS
from even_static.core.tables.zigbee import WANTED_DELIVERY

MOST_SPOTS = 8


def headline(k: Known) -> str:
    """One sentence for the top."""
    if k.proof is None:
        measured = k.job.scans or k.job.speed_tests or k.job.zigbee_reports or k.job.energy_scans
        return "Measured; nothing was changed yet." if measured else "Nothing was measured and nothing was changed yet."
    if k.care.state == "solved":
        return f"It is solved: {k.care.quiet_days:.0f} days without a drop-out."
    if k.proof.mixed:
        return "Some of it is better, some of it is worse."
    return {
        "better": "It is better: the measurements before and after say so.",
        "worse": "It is worse than before: going back is advised.",
        "inconclusive": "The measurements are inconclusive so far: it is not known whether it is better.",
    }[k.proof.verdict]


def wrong(k: Known) -> Chapter:
    """Complaints, what tests showed, what did not work."""
    blocks: list[Block] = []
    if k.job.complaint:
        told = tuple(line.strip() for line in k.job.complaint.splitlines() if line.strip())
        if len(told) > 1:
            blocks += [TextBlock("You told us:"), ListBlock(told)]
        else:
            blocks.append(TextBlock(f"You told us: {k.job.complaint}"))
    found = likely_causes(k.house, k.job.settings) if k.job.complaints and k.job.nodes else None
    shown = [s for s in found.found if s.answer == "confirmed"] if found is not None else []
    if shown:
        items = tuple(f"{s.kind}: {s.evidence[0].text}" if s.evidence else s.kind for s in shown)
        blocks += [TextBlock("Tests in the house showed:"), ListBlock(items)]
    if k.proof is not None:
        before = k.proof.figures_before
        problems = before.problems
        said = [f"{name_of(k.job, t.subject_id)}: {spoken(k, t.text)}" for t in before.problem_list[:5]]
        if problems:
            blocks.append(TextBlock(f"Before the change {counted(problems, 'thing')} did not work as they should:"))
            blocks.append(ListBlock(tuple(said)))
            if problems > len(said):
                blocks.append(TextBlock(f"and {problems - len(said)} more, listed in the annex."))
    elif k.figures is not None:
        held = holding_back(k.house, k.job.settings)
        blocks.append(TextBlock(f"The bottleneck: {spoken(k, held.text)}."))
    return Chapter("What was wrong", tuple(blocks))


def proposed(k: Known) -> Chapter:
    """What the change sheet holds that is still to be done."""
    sheet = sheet_view(k.job) if k.job.nodes else None
    if sheet is None or sheet.finished:
        return Chapter("What is proposed", ())
    items = tuple(f"{s.title}: {'; '.join(s.lines)}" for s in sheet.steps if s.state in ("open", "taken back"))
    return Chapter("What is proposed", (ListBlock(items), TextBlock(f"{sheet.when}")))


def done(k: Known) -> Chapter:
    """What was changed, as read back."""
    items: list[str] = []
    if k.proof is not None:
        items += [f"{r.what}: {r.before}, now {r.after}" for r in setting_rows(k) if r.changed]
    for run in materials(k.job).runs:
        if run.done:
            items.append(f"Cable pulled and tested: {run.title}")
    blocks: tuple[Block, ...] = (ListBlock(tuple(items)),) if items else ()
    if k.proof is not None:
        blocks = (TextBlock(f"Changed on {day_text(k.proof.changed_at)}{_read_back(k)}:"), *blocks)
    return Chapter("What was done", blocks)


def _read_back(k: Known) -> str:
    """How much of what was done was read back afterwards, in words."""
    steps = [s for s in (k.job.sheet.steps if k.job.sheet is not None else ()) if s.state in ("done", "differs")]
    read = sum(s.read_back for s in steps)
    if read == len(steps):
        return ", and read back from the nodes"
    return f"; {read} of {len(steps)} steps were read back from the nodes"


def brought(k: Known) -> Chapter:
    """Problems before and now, and the drawings of before and after."""
    if k.proof is None:
        return Chapter("What it brought", ())
    p = k.proof
    blocks: list[Block] = [
        TextBlock(
            f"Problems: {p.figures_before.problems} before, {p.figures_after.problems} now. "
            f"{k.care.text[0].upper()}{k.care.text[1:]}.",
            strong=True,
        )
    ]
    before, after = p.figures_before.worst_zigbee_delivery, p.figures_after.worst_zigbee_delivery
    if before is not None and after is not None and min(before, after) < WANTED_DELIVERY:
        wanted = f"; {arriving(WANTED_DELIVERY)} is wanted" if after < WANTED_DELIVERY else ""
        blocks.append(
            TextBlock(
                f"Of the reports of the weakest Zigbee device {arriving(before)} should have arrived before, "
                f"{arriving(after)} should now{wanted}."
            )
        )
    down = [(k.place[x.place_id], x.down, x.down.verdict) for x in p.places if x.down is not None][:MOST_SPOTS]
    if down:
        blocks.append(_changes("Throughput to a test phone, spot by spot, Mb/s", down, "{:.0f}"))
    zigbee = [(name_of(k.job, z.device_id), z.delivery, z.delivery.verdict) for z in p.zigbee][:MOST_SPOTS]
    if zigbee:
        lost = [(n, _lost(d), v) for n, d, v in zigbee]
        blocks.append(_changes("Reports of sensors and plugs that were lost, %", lost, "{:.1f}"))
    for line in p.warnings[:4]:
        blocks.append(TextBlock(f"Note: {line}."))
    return Chapter("What it brought", tuple(blocks))


def _lost(d: Difference) -> Difference:
    return Difference(
        before=100 * (1 - d.before),
        after=100 * (1 - d.after),
        change=d.change,
        low=d.low,
        high=d.high,
        verdict=d.verdict,
    )


def _changes(title: str, rows: Iterable[tuple[str, Difference, str]], pattern: str) -> ChangeDrawing:
    """Rows on one scale: each step to the right is the same factor; nothing lies at the left edge."""
    listed = list(rows)
    values = [v for _, d, _ in listed for v in (d.before, d.after) if v > 0]
    low, high = (min(values) / 1.5, max(values) * 1.1) if values else (0.1, 1.0)

    def at(value: float) -> float:
        if value <= low:
            return 0.0
        return min(math.log(value / low) / math.log(high / low), 1.0)

    return ChangeDrawing(
        title,
        tuple(
            Dumbbell(
                name=n,
                before_at=at(d.before),
                after_at=at(d.after),
                before=pattern.format(d.before),
                after=pattern.format(d.after),
                verdict=verdict,
            )
            for n, d, verdict in listed
        ),
    )


def leave_alone(k: Known) -> Chapter:
    """What must stay as it is, so that it stays mended."""
    job, items = k.job, []
    if k.proof is None:
        return Chapter("What to leave alone", ())
    items.append("The names and passwords of the networks, letter for letter: devices find their way back by them.")
    items.append(
        "The channels, widths and powers in the annex: do not set them to automatic, and do not raise the power."
    )
    if job.settings.ssid_plan.high_band_from_dbm is None:
        items.append("Steering between bands stays off.")
    else:
        items.append(f"Steering between bands stays on, from {job.settings.ssid_plan.high_band_from_dbm:g} dBm.")
    if job.settings.ssid_plan.bands:
        names = [name_of(job, b.device_id) for b in job.settings.ssid_plan.bands]
        items.append(f"These stay on a band's own name: {', '.join(names)}.")
    off = [k.node_of(s.radio_id) for s in job.settings.radios if not s.enabled]
    if off:
        items.append(f"Switched off on purpose: {'; '.join(off)}.")
    if job.zigbee is not None:
        hub = k.place.get(job.zigbee.hub_place_id, "")
        items.append(f"The Zigbee hub stays where it is ({hub}), on channel {job.settings.zigbee_channel}.")
    if len(job.nodes) > 1:
        items.append("No further node or repeater beside these: more can make it worse.")
    return Chapter("What to leave alone", (ListBlock(tuple(items)),))


def if_it_comes_back(k: Known) -> Chapter:
    """What to note and what to try, in order."""
    if k.proof is None:
        return Chapter("What to do if it comes back", ())
    items = [
        "Write down when, which device, in which room, and what was running (the microwave oven counts).",
        "Look whether everything is slow or one room only. If a cable at the router is slow too, it is the provider.",
        "Switch the node nearest to the problem off and on once, and give it four minutes. Change nothing else.",
        "Compare what the routers say with the settings in the annex: an update may have set them back.",
        "Then ring up with your notes.",
    ]
    dates = [f"{day_text(f.at)}" for f in sorted(k.job.follow_ups, key=lambda f: f.at) if f.asked_at is None]
    if dates:
        items.append(f"We ask again on {' and '.join(dates)}.")
    caution = next(c for c in CAUTIONS if c.kind == "life")
    return Chapter("What to do if it comes back", (ListBlock(tuple(items)), TextBlock(caution.text)))
