"""What is handed over: a report for the household, and a technician's annex. Built from a job that names no neighbour.

A report is a list of sections of plain blocks (text, lists, tables, drawings as numbers), so that screen, print and PDF
show the same.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal

from even_static.core.checks.cabling import cabling
from even_static.core.checks.set_up import set_up
from even_static.core.house.job import Job, Reading, Settings, setting_block
from even_static.core.house.masking import letters_of, masked
from even_static.core.spectrum.channels import BANDS, Band, zigbee_mhz
from even_static.core.tables.cautions import CAUTIONS
from even_static.core.tables.regulatory import edition
from even_static.core.tables.zigbee import WANTED_DELIVERY
from even_static.core.tuning.after_care import AfterCare, after_care
from even_static.core.tuning.airview import EDGES_MHZ
from even_static.core.tuning.change_sheet import names_text, setting_text, sheet_view
from even_static.core.tuning.compare import Difference, PlaceProof, Proof, prove
from even_static.core.tuning.evaluate import Evaluation, evaluate, same_setting
from even_static.core.tuning.holding import holding_back
from even_static.core.tuning.house import House
from even_static.core.tuning.kept_plans import compare_plans
from even_static.core.tuning.materials import materials
from even_static.core.tuning.predicted import predicted_and_came
from even_static.core.tuning.suspicions import suspicions
from even_static.core.tuning.trials import result_of

ZIGBEE_WIDTH_MHZ = 2.0
MOST_SPOTS = 8
MOST_ROWS = 8


@dataclass(frozen=True, slots=True)
class TextBlock:
    """Words; ``strong`` for what matters most."""

    text: str
    strong: bool = False
    kind: Literal["text"] = "text"


@dataclass(frozen=True, slots=True)
class ListBlock:
    """Points, one under the other."""

    items: tuple[str, ...]
    kind: Literal["list"] = "list"


@dataclass(frozen=True, slots=True)
class TableBlock:
    """A table: ``figures`` are the columns (from 0) that hold numbers."""

    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    figures: tuple[int, ...] = ()
    kind: Literal["table"] = "table"


@dataclass(frozen=True, slots=True)
class Dumbbell:
    """A value before and after, of one row: where it lies on the drawing (0..1), in words, and the verdict."""

    name: str
    before_at: float
    after_at: float
    before: str
    after: str
    verdict: str


@dataclass(frozen=True, slots=True)
class ChangeDrawing:
    """Rows of before and after on one scale that grows by equal factors."""

    title: str
    rows: tuple[Dumbbell, ...]
    kind: Literal["change"] = "change"


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of spectrum in MHz and who uses it."""

    low_mhz: float
    high_mhz: float
    who: str
    style: Literal["own", "others", "zigbee"]


@dataclass(frozen=True, slots=True)
class Lane:
    """A lane of the frequency sheet: rows of stretches that do not overlap."""

    name: str
    rows: tuple[tuple[Stretch, ...], ...]


@dataclass(frozen=True, slots=True)
class SpectrumDrawing:
    """A band to scale: lanes from ``low_mhz`` to ``high_mhz``."""

    band: Band
    low_mhz: float
    high_mhz: float
    lanes: tuple[Lane, ...]
    kind: Literal["spectrum"] = "spectrum"


Block = TextBlock | ListBlock | TableBlock | ChangeDrawing | SpectrumDrawing


@dataclass(frozen=True, slots=True)
class Chapter:
    """A headed part."""

    title: str
    blocks: tuple[Block, ...]


@dataclass(frozen=True, slots=True)
class Report:
    """The household's pages and the technician's annex. ``made_at``: ISO 8601."""

    title: str
    made_at: str
    headline: str
    household: tuple[Chapter, ...]
    annex: tuple[Chapter, ...]
    letters: int


@dataclass(frozen=True, slots=True)
class _Known:
    """What the sections are made from."""

    job: Job
    house: House
    figures: Evaluation | None
    proof: Proof | None
    care: AfterCare
    now: str
    place: dict[str, str] = field(default_factory=dict)

    @property
    def before(self) -> Settings:
        return self.proof.before_settings if self.proof is not None else self.job.settings

    def node_of(self, radio_id: str) -> str:
        radio = self.job.radio(radio_id)
        return f"{self.job.node_of(radio_id).name}, {radio.band}"


def report(job: Job, now: str) -> Report:
    """The report of a job at a time (ISO 8601). Every neighbour goes by a letter; no password is in it."""
    letters = len(set(letters_of(job).values()))
    job = masked(job)
    house = House(job)
    known = _Known(
        job,
        house,
        evaluate(house, job.settings) if job.nodes else None,
        prove(job) if job.changes else None,
        after_care(job, now),
        now,
        {p.id: p.name for p in job.places},
    )
    household = [_wrong(known), _proposed(known), _done(known), _brought(known), _leave_alone(known)]
    household.append(_if_it_comes_back(known))
    annex = [
        _settings_section(known),
        _kit(known),
        _air(known),
        _readings(known),
        _figures(known),
        _proof(known),
        _promise(known),
        _trials(known),
        _works(known),
        _cautions(),
        _how(known),
    ]
    return Report(
        job.title,
        now,
        _headline(known),
        tuple(s for s in household if s.blocks),
        tuple(s for s in annex if s.blocks),
        letters,
    )


# -- for the household -----------------------------------------------------------------------------------------------


def _headline(k: _Known) -> str:
    if k.proof is None:
        return "Measured; nothing was changed yet."
    if k.care.state == "solved":
        return f"It is solved: {k.care.quiet_days:.0f} days without a drop-out."
    if k.proof.mixed:
        return "Some of it is better, some of it is worse."
    return {
        "better": "It is better: the measurements before and after say so.",
        "worse": "It is worse than before: going back is advised.",
        "cannot tell": "The measurements cannot tell yet whether it is better.",
    }[k.proof.verdict]


def _wrong(k: _Known) -> Chapter:
    blocks: list[Block] = []
    if k.job.complaint:
        blocks.append(TextBlock(f"You told us: {k.job.complaint}"))
    found = suspicions(k.house, k.job.settings) if k.job.complaints and k.job.nodes else None
    shown = [s for s in found.found if s.answer == "it is so"] if found is not None else []
    if shown:
        items = tuple(f"{s.kind}: {s.evidence[0].text}" if s.evidence else s.kind for s in shown)
        blocks += [TextBlock("Tests in the house showed:"), ListBlock(items)]
    if k.proof is not None:
        before = k.proof.figures_before
        troubles = before.troubles
        said = [f"{_name(k.job, t.subject_id)} {t.text}" for t in before.trouble_list[:5]]
        if troubles:
            blocks.append(TextBlock(f"Before the change {_count(troubles, 'thing')} did not work as they should:"))
            blocks.append(ListBlock(tuple(said)))
            if troubles > len(said):
                blocks.append(TextBlock(f"and {troubles - len(said)} more, listed in the annex."))
    elif k.figures is not None:
        held = holding_back(k.house, k.job.settings)
        blocks.append(TextBlock(f"What holds the house back most: {_spoken(k, held.text)}."))
    return Chapter("What was wrong", tuple(blocks))


def _proposed(k: _Known) -> Chapter:
    """What the change sheet holds that is still to be done."""
    sheet = sheet_view(k.job) if k.job.nodes else None
    if sheet is None or sheet.finished:
        return Chapter("What is proposed", ())
    items = tuple(f"{s.title}: {'; '.join(s.lines)}" for s in sheet.steps if s.state in ("open", "taken back"))
    return Chapter("What is proposed", (ListBlock(items), TextBlock(f"{sheet.when}")))


def _done(k: _Known) -> Chapter:
    items: list[str] = []
    if k.proof is not None:
        before, after = k.proof.before_settings, k.proof.after_settings
        for old in before.radios:
            new = after.of(old.radio_id)
            if not same_setting(old, new):
                items.append(f"{k.node_of(old.radio_id)}: {setting_text(old)}, now {setting_text(new)}")
        if before.names != after.names:
            items.append(f"Names and steering: {names_text(before.names)}; now {names_text(after.names)}")
        if before.zigbee_channel != after.zigbee_channel:
            items.append(f"Zigbee hub: channel {before.zigbee_channel}, now {after.zigbee_channel}")
    for run in materials(k.job).runs:
        if run.done:
            items.append(f"Cable pulled and tested: {run.title}")
    blocks: tuple[Block, ...] = (ListBlock(tuple(items)),) if items else ()
    if k.proof is not None:
        blocks = (TextBlock(f"Changed on {_day(k.proof.changed_at)}, and read back from the boxes:"), *blocks)
    return Chapter("What was done", blocks)


def _brought(k: _Known) -> Chapter:
    if k.proof is None:
        return Chapter("What it brought", ())
    p = k.proof
    blocks: list[Block] = [
        TextBlock(
            f"Troubles: {p.figures_before.troubles} before, {p.figures_after.troubles} now. "
            f"{k.care.text[0].upper()}{k.care.text[1:]}.",
            strong=True,
        )
    ]
    down = [(k.place[x.place_id], x.down, x.down.verdict) for x in p.places if x.down is not None][:MOST_SPOTS]
    if down:
        blocks.append(_changes("Throughput to a test phone, spot by spot, Mb/s", down, "{:.0f}"))
    zigbee = [(_name(k.job, z.device_id), z.delivery, z.delivery.verdict) for z in p.zigbee][:MOST_SPOTS]
    if zigbee:
        lost = [(n, _lost(d), v) for n, d, v in zigbee]
        blocks.append(_changes("Reports of sensors and plugs that were lost, %", lost, "{:.1f}"))
    for line in p.warnings[:4]:
        blocks.append(TextBlock(f"Mind: {line}."))
    return Chapter("What it brought", tuple(blocks))


def _lost(d: Difference) -> Difference:
    return Difference(100 * (1 - d.before), 100 * (1 - d.after), d.change, d.low, d.high, d.verdict)


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
            Dumbbell(n, at(d.before), at(d.after), pattern.format(d.before), pattern.format(d.after), verdict)
            for n, d, verdict in listed
        ),
    )


def _leave_alone(k: _Known) -> Chapter:
    job, items = k.job, []
    if k.proof is None:
        return Chapter("What to leave alone", ())
    items.append("The names and passwords of the networks, letter for letter: devices find their way back by them.")
    items.append(
        "The channels, widths and powers in the annex: do not set them to automatic, and do not raise the power."
    )
    if job.settings.names.high_band_from_dbm is None:
        items.append("Steering between bands stays off.")
    else:
        items.append(f"Steering between bands stays on, from {job.settings.names.high_band_from_dbm:g} dBm.")
    if job.settings.names.bands:
        names = [_name(job, b.device_id) for b in job.settings.names.bands]
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


def _if_it_comes_back(k: _Known) -> Chapter:
    if k.proof is None:
        return Chapter("What to do if it comes back", ())
    items = [
        "Write down when, which device, in which room, and what was running (the microwave oven counts).",
        "Look whether everything is slow or one room only. If a cable at the router is slow too, it is the provider.",
        "Switch the box nearest to the trouble off and on once, and give it four minutes. Change nothing else.",
        "Compare what the boxes say with the settings in the annex: an update may have set them back.",
        "Then ring up with your notes.",
    ]
    dates = [f"{_day(f.at)}" for f in sorted(k.job.follow_ups, key=lambda f: f.at) if f.asked_at is None]
    if dates:
        items.append(f"We ask again on {' and '.join(dates)}.")
    caution = next(c for c in CAUTIONS if c.kind == "life")
    return Chapter("What to do if it comes back", (ListBlock(tuple(items)), TextBlock(caution.text)))


# -- for the technician ----------------------------------------------------------------------------------------------


def _settings_section(k: _Known) -> Chapter:
    if k.proof is None:
        return _settings_now(k)
    rows = []
    for s in k.job.settings.radios:
        old = k.before.of(s.radio_id)
        same = same_setting(old, s)
        rows.append((k.node_of(s.radio_id), setting_text(old), "unchanged" if same else setting_text(s)))
    names, now = names_text(k.before.names), names_text(k.job.settings.names)
    rows.append(("Names and steering", names, "unchanged" if names == now else now))
    if k.job.settings.zigbee_channel is not None:
        a, b = k.before.zigbee_channel, k.job.settings.zigbee_channel
        rows.append(("Zigbee hub", f"channel {a}", "unchanged" if a == b else f"channel {b}"))
    blocks: list[Block] = [TableBlock(("Radio", "Before", "Now"), tuple(rows))] if k.job.nodes else []
    blocks += [d for band in BANDS for d in [_spectrum(k, band)] if d is not None]
    return Chapter("Settings before and after", tuple(blocks))


def _settings_now(k: _Known) -> Chapter:
    rows = [(k.node_of(s.radio_id), setting_text(s)) for s in k.job.settings.radios]
    if k.job.nodes:
        rows.append(("Names and steering", names_text(k.job.settings.names)))
    if k.job.settings.zigbee_channel is not None:
        rows.append(("Zigbee hub", f"channel {k.job.settings.zigbee_channel}"))
    blocks: list[Block] = [TableBlock(("Radio", "Set to"), tuple(rows))] if rows else []
    blocks += [d for band in BANDS for d in [_spectrum(k, band)] if d is not None]
    return Chapter("Settings", tuple(blocks))


def _spectrum(k: _Known, band: Band) -> SpectrumDrawing | None:
    """Own radios before and now, Zigbee, and the others as heard loudest, on one scale."""
    mine = [r for r in k.job.radios if r.band == band]
    if not mine:
        return None
    lanes = []
    times = (("before", k.before), ("now", k.job.settings))
    for title, settings in times if k.proof is not None else times[1:]:
        stretches = []
        for radio in mine:
            s = settings.of(radio.id)
            if s.enabled:
                for low, high in setting_block(radio, s).segments_mhz:
                    stretches.append(Stretch(low, high, k.job.node_of(radio.id).name, "own"))
        lanes.append(_lane(f"own, {title}", stretches))
        channel = settings.zigbee_channel
        if band == "2.4 GHz" and channel is not None:
            at = zigbee_mhz(channel)
            half = ZIGBEE_WIDTH_MHZ / 2
            lanes.append(_lane(f"Zigbee, {title}", [Stretch(at - half, at + half, f"channel {channel}", "zigbee")]))
    others = [
        Stretch(low, high, r.ssid.removeprefix("network ") or "hidden", "others")
        for r in _others(k.job)
        if r.band == band
        for low, high in r.block.segments_mhz
    ]
    low, high = EDGES_MHZ[band]
    return SpectrumDrawing(band, low, high, (*lanes, _lane("others", others)))


def _lane(name: str, stretches: Iterable[Stretch]) -> Lane:
    """Stretches in rows without overlap; what finds no room in :data:`MOST_ROWS` is counted in the lane's name."""
    rows: list[list[Stretch]] = []
    left = 0
    for s in stretches:
        free = next((r for r in rows if all(s.low_mhz >= o.high_mhz or s.high_mhz <= o.low_mhz for o in r)), None)
        if free is not None:
            free.append(s)
        elif len(rows) < MOST_ROWS:
            rows.append([s])
        else:
            left += 1
    return Lane(f"{name}, {left} more" if left else name, tuple(tuple(r) for r in rows))


def _others(job: Job) -> list[Reading]:
    """Foreign networks where they were heard loudest, the loudest first."""
    own = {r.bssid for r in job.radios}
    best: dict[str, Reading] = {}
    for listen in job.listens:
        for r in listen.readings:
            if r.bssid not in own and (r.bssid not in best or r.rssi_dbm > best[r.bssid].rssi_dbm):
                best[r.bssid] = r
    return sorted(best.values(), key=lambda r: -r.rssi_dbm)


def _kit(k: _Known) -> Chapter:
    if not k.job.nodes:
        return Chapter("Boxes and cabling", ())
    drawn = cabling(k.job)
    rows = []
    for box in drawn.boxes:
        way = " - ".join(drawn.box(i).name for i in drawn.way(box.id))
        does = {True: "routes", False: "follows", None: "not known"}[box.routes]
        rows.append((box.name, box.role, does, way))
    found = set_up(k.job)
    blocks: list[Block] = [TableBlock(("Box", "Is", "Routes", "Way from the line"), tuple(rows))]
    if found.findings:
        blocks.append(TextBlock(f"Still open in the set-up: {found.text}."))
        blocks.append(ListBlock(tuple(f"{f.title}. {f.do}" for f in found.findings)))
    return Chapter("Boxes and cabling", tuple(blocks))


def _air(k: _Known) -> Chapter:
    others = _others(k.job)
    rows = [
        (
            r.ssid.removeprefix("network ") or "hidden",
            r.band,
            str(r.channel),
            f"{r.width_mhz} MHz",
            f"{r.rssi_dbm:.0f} dBm",
            "" if r.channel_use_fraction is None else f"{r.channel_use_fraction * 100:.0f} %",
        )
        for r in others[:40]
    ]
    if not rows:
        return Chapter("Other networks", ())
    head = ("Network", "Band", "Channel", "Width", "Loudest", "Its channel busy")
    more = f" The {len(rows)} loudest of {len(others)} are listed." if len(others) > len(rows) else ""
    said = TextBlock(f"Other people's networks go by letters; only what they broadcast was measured.{more}")
    return Chapter("Other networks", (said, TableBlock(head, tuple(rows), (2, 3, 4, 5))))


def _readings(k: _Known) -> Chapter:
    own = {r.bssid: r.id for r in k.job.radios}
    rows = []
    for listen in sorted(k.job.listens, key=lambda li: (li.place_id, li.heard_at)):
        for r in listen.readings:
            if r.bssid in own:
                spread = "" if r.spread_db is None else f"{r.spread_db:.1f} dB"
                where, radio = k.place[listen.place_id], own[r.bssid]
                rows.append((where, _time(listen.heard_at), radio, f"{r.rssi_dbm:.0f} dBm", spread, str(r.samples)))
    if not rows:
        return Chapter("Own levels as read", ())
    head = ("Spot", "When", "Radio", "Level", "Spread", "Frames")
    return Chapter("Own levels as read", (TableBlock(head, tuple(rows[:120]), (3, 4, 5)),))


def _figures(k: _Known) -> Chapter:
    if k.figures is None:
        return Chapter("The house's figures", ())
    before = k.proof.figures_before if k.proof is not None else None
    then, now = (_house_figures(e) for e in (before, k.figures))
    rows = [(name, then[name], now[name]) for name in now]
    blocks: list[Block] = [TableBlock(("", "Before", "Now"), tuple(rows), (1, 2))]
    radios = tuple(
        (
            r.radio_id,
            f"{r.need_fraction * 1000:.0f} ms",
            f"{r.available_fraction * 1000:.0f} ms",
            _times(r.headroom),
            str(r.devices),
        )
        for r in k.figures.radios
        if r.enabled
    )
    blocks.append(TableBlock(("Radio", "Needs a second", "Has", "Headroom", "Devices"), radios, (1, 2, 3, 4)))
    for title, figures in (("Before", before), ("Now", k.figures)):
        if figures is not None and figures.trouble_list:
            blocks.append(TextBlock(f"Troubles, {title.lower()}:"))
            said = (f"{_name(k.job, t.subject_id)} {t.text}" for t in figures.trouble_list)
            blocks.append(ListBlock(tuple(said)))
    kept = [(p.name, p.evaluation) for p in compare_plans(k.house)[1:] if p.evaluation is not None]
    if kept:
        rows_kept = tuple((name, str(e.troubles), _times(e.headroom)) for name, e in kept)
        blocks.append(TableBlock(("Plan kept", "Troubles", "Headroom"), rows_kept, (1, 2)))
    return Chapter("The house's figures", tuple(blocks))


def _proof(k: _Known) -> Chapter:
    if k.proof is None:
        return Chapter("Before and after, spot by spot", ())
    rows = [row for p in k.proof.places for row in _spot(k, p)]
    blocks: list[Block] = [
        TableBlock(("Spot", "What", "Before", "After", "Change, 95 % interval", "Verdict"), tuple(rows), (2, 3, 4))
    ]
    zigbee = tuple(
        (
            _name(k.job, z.device_id),
            _share(z.delivery.before),
            _share(z.delivery.after),
            f"{z.delivery.low * 100:+.1f} to {z.delivery.high * 100:+.1f} points",
            z.delivery.verdict,
        )
        for z in k.proof.zigbee
    )
    if zigbee:
        head = ("Zigbee device", "Before", "After", "95 % interval", "Verdict")
        blocks.append(TableBlock(head, zigbee, (1, 2, 3)))
    if k.proof.warnings:
        blocks.append(ListBlock(tuple(f"Mind: {w}" for w in k.proof.warnings)))
    return Chapter("Before and after, spot by spot", tuple(blocks))


def _spot(k: _Known, p: PlaceProof) -> Iterable[tuple[str, ...]]:
    where = f"{k.place[p.place_id]}, {p.height_m:.1f} m"
    for what, d, unit in (("down", p.down, "Mb/s"), ("up", p.up, "Mb/s"), ("latency", p.latency, "ms")):
        if d is not None:
            interval = f"{d.low:.2f} to {d.high:.2f} times"
            yield where, what, f"{d.before:.1f} {unit}", f"{d.after:.1f} {unit}", interval, d.verdict
    for pair in p.levels:
        if pair.gap is not None:
            g = pair.gap
            interval = f"{g.low:+.1f} to {g.high:+.1f} dB"
            yield where, f"gap, {pair.band}", f"{g.before:.0f} dB", f"{g.after:.0f} dB", interval, g.verdict


def _promise(k: _Known) -> Chapter:
    if k.proof is None:
        return Chapter("Promised, and what came", ())
    found = predicted_and_came(k.job)
    blocks: list[Block] = [TextBlock(f"{_spoken(k, found.text)}.")]
    if found.learnt is not None:
        blocks.append(TextBlock(f"{found.learnt.text}."))
    wrong = tuple(
        (e.subject, f"{e.predicted:.3g} {e.unit}", f"{e.came:.3g} {e.unit}") for e in found.entries if not e.agrees
    )
    if wrong:
        blocks.append(TableBlock(("Came otherwise", "Promised", "Came"), wrong, (1, 2)))
    return Chapter("Promised, and what came", tuple(blocks))


def _trials(k: _Known) -> Chapter:
    items = tuple(f"{t.name}: {result_of(t).text}" for t in k.job.trials if t.visits)
    return Chapter("Trials", (ListBlock(items),) if items else ())


def _works(k: _Known) -> Chapter:
    found = materials(k.job)
    if not found.runs:
        return Chapter("Cables", ())
    rows = tuple(
        (
            r.title,
            "pulled and tested" if r.done else "to be pulled",
            "to be measured" if r.each_m is None else f"{r.runs} x {r.each_m} m",
            "; ".join(r.holes),
        )
        for r in found.runs
    )
    blocks: list[Block] = [TableBlock(("Way", "State", "Cable", "Through"), rows)]
    if found.work:
        blocks.append(ListBlock(found.work))
    return Chapter("Cables", tuple(blocks))


def _cautions() -> Chapter:
    return Chapter("Cautions", (ListBlock(tuple(f"{c.title}: {c.text}" for c in CAUTIONS)),))


def _how(k: _Known) -> Chapter:
    items = (
        "Headroom: airtime that a radio has over what its devices need in the busy hour; below 1 it cannot carry them.",
        f"Zigbee is in trouble below {WANTED_DELIVERY * 100:g} % of reports delivered.",
        "Better and worse are said only where a 95 % interval leaves no change out.",
        f"Channels and powers: {k.job.country}, {edition()}; local rules decide.",
        "No password is asked for or kept.",
    )
    return Chapter("How it was reckoned", (ListBlock(items),))


def _house_figures(e: Evaluation | None) -> dict[str, str]:
    """The house's figures in words by name; dashes where there are none."""
    return {
        "Troubles": "-" if e is None else str(e.troubles),
        "Headroom": "-" if e is None else _times(e.headroom),
        "Weakest spot": "-" if e is None else _db(e.weakest_spot_snr_db),
        "Worst Zigbee delivery": "-" if e is None else _share(e.worst_zigbee_delivery),
    }


# -- words -----------------------------------------------------------------------------------------------------------


def _name(job: Job, subject_id: str) -> str:
    named = {d.id: d.name for d in job.devices} | {n.id: n.name for n in job.nodes}
    for mesh in (job.zigbee, job.thread):
        named |= {d.id: d.name for d in mesh.devices} if mesh is not None else {}
    return named.get(subject_id, subject_id)


def _spoken(k: _Known, text: str) -> str:
    """Text with radios called by their box and band instead of their identifiers."""
    for radio in k.job.radios:
        text = re.sub(rf"(?<![\w.-]){re.escape(radio.id)}(?![\w.-])", k.node_of(radio.id), text)
    return text


def _count(count: int, what: str) -> str:
    return f"{count} {what}" + ("" if count == 1 else "s")


def _times(value: float | None) -> str:
    return "-" if value is None else "2x or more" if value >= 2 else f"{int(value * 100) / 100:.2f}x"


def _db(value: float | None) -> str:
    return "-" if value is None else f"{value:.0f} dB"


def _share(value: float | None) -> str:
    return "-" if value is None else f"{int(value * 1000) / 10:.1f} %"


def _day(iso: str) -> str:
    return f"{datetime.fromisoformat(iso):%-d %B %Y}"


def _time(iso: str) -> str:
    return f"{datetime.fromisoformat(iso):%-d %b %H:%M}"
