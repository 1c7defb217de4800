"""The chapters of the technician's annex."""

from __future__ import annotations

from collections.abc import Iterable

from even_static.core.change.ab_tests import result_of
from even_static.core.change.materials import materials
from even_static.core.change.sheet import setting_text, ssid_plan_text
from even_static.core.checks.cabling import cabling
from even_static.core.checks.set_up import set_up
from even_static.core.explain.air_view import EDGES_MHZ
from even_static.core.explain.backhaul import tree
from even_static.core.explain.kept_plans import compare_plans
from even_static.core.explain.placement import PLACES, decide
from even_static.core.house.job import Job
from even_static.core.house.readings import Reading
from even_static.core.house.settings import setting_block
from even_static.core.house.sources import IN_WORDS
from even_static.core.propagation.coverage import coverage_of
from even_static.core.prove.before_after import PlaceProof
from even_static.core.prove.promised import predicted_and_came
from even_static.core.report.blocks import (
    Block,
    Chapter,
    Lane,
    ListBlock,
    SpectrumDrawing,
    Stretch,
    TableBlock,
    TextBlock,
)
from even_static.core.report.words import (
    Known,
    house_figures,
    name_of,
    setting_rows,
    share_text,
    spoken,
    time_text,
    times_text,
)
from even_static.core.spectrum.channels import zigbee_mhz
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.cautions import CAUTIONS
from even_static.core.tables.regulatory import edition
from even_static.core.tables.zigbee import WANTED_DELIVERY

ZIGBEE_WIDTH_MHZ = 2.0


MOST_ROWS = 8
MOST_SCANS = 200


def settings_chapter(k: Known) -> Chapter:
    """Every setting before and now, and the bands to scale."""
    if k.proof is None:
        return _settings_now(k)
    rows = tuple((r.what, r.before, r.after if r.changed else "unchanged") for r in setting_rows(k))
    blocks: list[Block] = [TableBlock(("Of", "Before", "After the change"), rows)] if k.job.nodes else []
    if k.job.settings != k.proof.after_settings:
        blocks.append(TextBlock("Something was set otherwise since: see the current settings under Kit."))
    blocks += [d for band in BANDS for d in [_spectrum(k, band)] if d is not None]
    return Chapter("Settings before and after", tuple(blocks))


def _settings_now(k: Known) -> Chapter:
    rows = [(k.node_of(s.radio_id), setting_text(s)) for s in k.job.settings.radios]
    if k.job.nodes:
        rows.append(("SSIDs and steering", ssid_plan_text(k.job.settings.ssid_plan)))
    if k.job.settings.zigbee_channel is not None:
        rows.append(("Zigbee hub", f"channel {k.job.settings.zigbee_channel}"))
    blocks: list[Block] = [TableBlock(("Radio", "Set to"), tuple(rows))] if rows else []
    blocks += [d for band in BANDS for d in [_spectrum(k, band)] if d is not None]
    return Chapter("Settings", tuple(blocks))


def _spectrum(k: Known, band: Band) -> SpectrumDrawing | None:
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
    return SpectrumDrawing(band=band, low_mhz=low, high_mhz=high, lanes=(*lanes, _lane("others", others)))


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
    for scan in job.scans:
        for r in scan.readings:
            if r.bssid not in own and (r.bssid not in best or r.level_dbm > best[r.bssid].level_dbm):
                best[r.bssid] = r
    return sorted(best.values(), key=lambda r: -r.level_dbm)


def kit(k: Known) -> Chapter:
    """Boxes from the line outwards, and what is open in the set-up."""
    if not k.job.nodes:
        return Chapter("Nodes and cabling", ())
    drawn = cabling(k.job)
    rows = []
    for box in drawn.boxes:
        way = " - ".join(drawn.box(i).name for i in drawn.path(box.id))
        does = {True: "routes", False: "follows", None: "not known"}[box.routes]
        rows.append((box.name, box.role, does, way))
    found = set_up(k.job)
    blocks: list[Block] = [TableBlock(("Equipment", "Is", "Routes", "Route from the line"), tuple(rows))]
    if found.findings:
        blocks.append(TextBlock(f"Still open in the set-up: {found.text}."))
        blocks.append(
            ListBlock(tuple(f"{f.title}{'' if f.title.endswith('?') else '.'} {f.do}" for f in found.findings))
        )
    return Chapter("Nodes and cabling", tuple(blocks))


def standing(k: Known) -> Chapter:
    """Where nodes stand and how they hang together: the one thing to do about each, as House and Backhaul say it."""
    if not k.job.nodes or not k.job.air_known:
        return Chapter("Placement and links", ())
    coverage = coverage_of(k.job)
    found = [] if coverage is None else decide(coverage)
    todo = [
        f"{d.title}: {d.reasons[0]}" if d.reasons else d.title
        for d in found
        if d.kind in PLACES and d.advice == "recommended"
    ]
    todo += tree(k.house, k.job.settings).notes
    said = "Nothing needs to move."
    if coverage is None:
        said = "The house was not drawn: whether a node should move is not known."
    blocks: tuple[Block, ...] = (ListBlock(tuple(f"{t}." for t in todo)),) if todo else (TextBlock(said),)
    return Chapter("Placement and links", blocks)


def air(k: Known) -> Chapter:
    """Other networks by letter."""
    others = _others(k.job)
    rows = [
        (
            r.ssid.removeprefix("network ") or "hidden",
            r.band,
            str(r.channel),
            f"{r.width_mhz} MHz",
            f"{_level(r)} dBm" if r.rssi_dbm is not None else "level unknown",
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


def readings(k: Known) -> Chapter:
    """Own levels as read: a line for each scan, a column for each node; the spreads are in the CSV file."""
    rows, ways = list[tuple[str, ...]](), dict[str, None]()
    for scan in sorted(k.job.scans, key=lambda li: (li.place_id, li.heard_at)):
        by_bssid = {r.bssid: r for r in scan.readings}
        cells = [_levels([by_bssid.get(r.bssid) for r in node.radios]) for node in k.job.nodes]
        if any(cells):
            ways[IN_WORDS[scan.came_from]] = None
            rows.append((k.place[scan.place_id], time_text(scan.heard_at), IN_WORDS[scan.came_from], *cells))
    title = "Own levels as read, in dBm"
    if not rows:
        return Chapter(title, ())
    nodes = [f"{n.name}: {', '.join(r.band.removesuffix(' GHz') for r in n.radios)} GHz" for n in k.job.nodes]
    head = ("Spot", "When", "How", *nodes)
    if len(ways) > 1:
        return Chapter(title, (TableBlock(head, tuple(rows[:MOST_SCANS]), tuple(range(3, len(head)))),))
    # How it was read is said once where it is the same everywhere.
    head, rows = (*head[:2], *head[3:]), [(*row[:2], *row[3:]) for row in rows]
    said = TextBlock(f"All {next(iter(ways))}.")
    return Chapter(title, (said, TableBlock(head, tuple(rows[:MOST_SCANS]), tuple(range(2, len(head))))))


def _levels(readings: list[Reading | None]) -> str:
    """Levels of a node's radios in their order, a dash for those that were not heard; empty where none was."""
    if not any(readings):
        return ""
    about = "about " if any(r is not None and r.estimated for r in readings) else ""
    return about + ", ".join("–" if r is None else _level(r).removeprefix("about ") for r in readings)


def _level(reading: Reading) -> str:
    """A level in dBm; "about" where it was worked out from a percentage."""
    if reading.rssi_dbm is None:
        return "heard"
    return f"{'about ' if reading.estimated else ''}{reading.rssi_dbm:.0f}"


def figures_chapter(k: Known) -> Chapter:
    """The house's figures, radio by radio, problems, and plans kept."""
    if k.figures is None:
        return Chapter("The house's figures", ())
    if not k.job.air_known and k.proof is None:
        return Chapter("The house's figures", (TextBlock("Not known yet: nobody has scanned the air here."),))
    before = k.proof.figures_before if k.proof is not None else None
    then, now = (house_figures(e) for e in (before, k.figures))
    blocks: list[Block] = [TableBlock(("", "Now"), tuple((name, now[name]) for name in now), (1,))]
    if before is not None:
        rows = tuple((name, then[name], now[name]) for name in now)
        blocks = [TableBlock(("", "Before", "Now"), rows, (1, 2))]
    radios = tuple(
        (
            k.node_of(r.radio_id),
            f"{r.need_fraction * 1000:.0f} ms",
            f"{r.available_fraction * 1000:.0f} ms",
            times_text(r.headroom),
            str(r.devices),
        )
        for r in k.figures.radios
        if r.enabled
    )
    blocks.append(TableBlock(("Radio", "Needs a second", "Has", "Headroom", "Devices"), radios, (1, 2, 3, 4)))
    for title, figures in (("Before", before), ("Now", k.figures)):
        if figures is not None and figures.problem_list:
            blocks.append(TextBlock(f"Problems, {title.lower()}:"))
            said = (f"{name_of(k.job, t.subject_id)}: {spoken(k, t.text)}" for t in figures.problem_list)
            blocks.append(ListBlock(tuple(said)))
    kept = [(p.name, p.evaluation) for p in compare_plans(k.house)[1:] if p.evaluation is not None]
    if kept:
        rows_kept = tuple((name, str(e.problems), times_text(e.headroom)) for name, e in kept)
        blocks.append(TableBlock(("Plan kept", "Problems", "Headroom"), rows_kept, (1, 2)))
    return Chapter("The house's figures", tuple(blocks))


def proof_chapter(k: Known) -> Chapter:
    """Every difference with its interval."""
    if k.proof is None:
        return Chapter("Before and after, spot by spot", ())
    rows = [row for p in k.proof.places for row in _spot(k, p)]
    blocks: list[Block] = []
    if rows:
        head: tuple[str, ...] = ("Spot", "What", "Before", "After", "Change, 95 % interval", "Verdict")
        blocks.append(TableBlock(head, tuple(rows), (2, 3, 4)))
    zigbee = tuple(
        (
            name_of(k.job, z.device_id),
            share_text(z.delivery.before),
            share_text(z.delivery.after),
            f"{z.delivery.low * 100:+.1f} to {z.delivery.high * 100:+.1f} points",
            z.delivery.verdict,
        )
        for z in k.proof.zigbee
    )
    if zigbee:
        head = ("Zigbee device", "Before", "After", "95 % interval", "Verdict")
        blocks.append(TableBlock(head, zigbee, (1, 2, 3)))
    if k.proof.warnings:
        blocks.append(ListBlock(tuple(f"Note: {w}" for w in k.proof.warnings)))
    return Chapter("Before and after, spot by spot", tuple(blocks))


def _spot(k: Known, p: PlaceProof) -> Iterable[tuple[str, ...]]:
    where = f"{k.place[p.place_id]}, {p.height_m:.1f} m"
    for what, d, unit in (("down", p.down, "Mb/s"), ("up", p.up, "Mb/s"), ("latency", p.latency, "ms")):
        if d is not None:
            interval = f"{d.low:.2f} to {d.high:.2f} times"
            yield where, what, f"{d.before:.1f} {unit}", f"{d.after:.1f} {unit}", interval, d.verdict
    for pair in p.levels:
        if pair.margin is not None:
            g = pair.margin
            interval = f"{g.low:+.1f} to {g.high:+.1f} dB"
            yield where, f"margin, {pair.band}", f"{g.before:.0f} dB", f"{g.after:.0f} dB", interval, g.verdict


def promise(k: Known) -> Chapter:
    """What was promised, and what came."""
    if k.proof is None:
        return Chapter("Promised, and what came", ())
    found = predicted_and_came(k.job)
    blocks: list[Block] = [TextBlock(f"{spoken(k, found.text)}.")]
    if found.learnt is not None:
        blocks.append(TextBlock(f"{found.learnt.text}."))
    wrong = tuple(
        (e.subject, f"{e.predicted:.3g} {e.unit}", f"{e.came:.3g} {e.unit}") for e in found.entries if not e.agrees
    )
    if wrong:
        blocks.append(TableBlock(("Came otherwise", "Promised", "Came"), wrong, (1, 2)))
    return Chapter("Promised, and what came", tuple(blocks))


def ab_tests(k: Known) -> Chapter:
    """What A/B tests have said."""
    items = tuple(f"{t.name}: {result_of(t).text}" for t in k.job.ab_tests if t.arm_runs)
    return Chapter("A/B tests", (ListBlock(items),) if items else ())


def works(k: Known) -> Chapter:
    """Cables, pulled and to be pulled."""
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


def cautions() -> Chapter:
    """All cautions of the work."""
    return Chapter("Cautions", (ListBlock(tuple(f"{c.title}: {c.text}" for c in CAUTIONS)),))


def how(k: Known) -> Chapter:
    """How the figures are reckoned."""
    items = (
        "Headroom: airtime that a radio has over what its devices need in the busy hour; below 1 it cannot carry them.",
        f"Zigbee counts as a problem below {WANTED_DELIVERY * 100:g} % of reports delivered.",
        "Better and worse are said only where a 95 % interval leaves no change out.",
        f"Channels and powers: {k.job.country}, {edition()}; local rules decide.",
        "No password is asked for or kept.",
    )
    return Chapter("How it was worked out", (ListBlock(items),))
