"""What else is on the air at 2.4 GHz, as levels, spectrum and airtime: ovens and cameras, other people's 802.15.4
networks, energy that no network explains, and the Thread mesh's own traffic.

None of it takes turns with Wi-Fi: a radio waits while its energy is strong, and otherwise meets it as noise.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from even_static.core.arrays import Floats, Indices
from even_static.core.house.job import Job
from even_static.core.house.other_sources import EnergyScan, OtherSource, PanHeard
from even_static.core.propagation.coverage import Coverage, coverage_of
from even_static.core.propagation.stands import place_point
from even_static.core.spectrum.channels import zigbee_mhz
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.tables.other_sources import (
    EACH_STOREY_DB,
    MESH_DUTY,
    OTHER_PLACE_DB,
    SAME_PLACE_DB,
    UNEXPLAINED_DB,
    UNEXPLAINED_DUTY,
    USUAL,
    Line,
    SourceKind,
)
from even_static.core.tables.phy import Modulation
from even_static.core.tables.propagation import UNHEARD_DBM


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Others:
    """Everything else at 2.4 GHz, line by line. ``ids`` and ``names``: whose line it is; ``level_dbm``: shape (lines,
    places), while it sends; ``use_fraction``: share of the hour, shape (lines,); ``kinds``: mask and width of each."""

    ids: tuple[str, ...]
    names: tuple[str, ...]
    level_dbm: Floats
    centre_mhz: Indices
    kinds: tuple[tuple[Modulation, int], ...]
    use_fraction: Floats

    def __len__(self) -> int:
        return len(self.ids)


def nothing_else(places: int) -> Others:
    """Nothing but Wi-Fi."""
    none = np.zeros(0)
    return Others(
        ids=(), names=(), level_dbm=np.zeros((0, places)), centre_mhz=none.astype(np.intp), kinds=(), use_fraction=none
    )


def in_use(sender: OtherSource, hour: int | None) -> bool:
    """Whether a sender is used at an hour of the day (0 to 23); always where no hour is told."""
    if hour is None or (sender.from_hour, sender.to_hour) in ((0, 24), (sender.from_hour, sender.from_hour)):
        return True
    if sender.from_hour < sender.to_hour:
        return sender.from_hour <= hour < sender.to_hour
    return hour >= sender.from_hour or hour < sender.to_hour


def duty_of(sender: OtherSource) -> float:
    """The share of the time in which a sender sends while it runs, as typed or as usual for its kind."""
    return USUAL[sender.kind].duty_fraction if sender.duty_fraction is None else sender.duty_fraction


def lines_of(kind: SourceKind, centre_mhz: int | None) -> tuple[Line, ...]:
    """The lines of a kind, moved to a centre in MHz where one is told."""
    lines = USUAL[kind].lines
    if centre_mhz is None or len(lines) > 1:
        return lines
    return (replace(lines[0], centre_mhz=centre_mhz),)


def newest_pans(job: Job) -> list[PanHeard]:
    """Other people's 802.15.4 networks: the newest hearing of each at each place and channel."""
    newest: dict[tuple[str, str, int], PanHeard] = {}
    for pan in sorted(job.pans, key=lambda p: p.heard_at):
        newest[pan.pan_id, pan.place_id, pan.channel] = pan
    mine = {p.pan_id for p in job.pans if p.own}
    return [p for p in newest.values() if p.pan_id not in mine]


def newest_scans(job: Job) -> list[EnergyScan]:
    """The newest energy scan of each place."""
    newest: dict[str, EnergyScan] = {}
    for scan in sorted(job.energy_scans, key=lambda s: s.scanned_at):
        newest[scan.place_id] = scan
    return list(newest.values())


def others_of(job: Job, hour: int | None = None, running: str | None = None) -> Others:
    """Other 2.4 GHz sources, seen from all places. ``hour``: only what is used at that hour of the day; ``running``:
    the source that is taken to run without a pause, all others as the call describes them."""
    found: list[tuple[str, str, Floats, Line, Modulation, float]] = []
    coverage = coverage_of(job) if job.other_sources else None
    for sender in job.other_sources:
        share = sender.running_fraction if in_use(sender, hour) else 0.0
        share = 1.0 if sender.id == running else share
        usual = USUAL[sender.kind]
        levels = source_levels(job, sender, coverage)
        found += [
            (sender.id, sender.name, levels, line, usual.mask, duty_of(sender) * share * line.share)
            for line in lines_of(sender.kind, sender.centre_mhz)
        ]
    index = {p.id: i for i, p in enumerate(job.places)}
    pans: dict[tuple[str, int], list[PanHeard]] = {}
    for pan in newest_pans(job):
        pans.setdefault((pan.pan_id, pan.channel), []).append(pan)
    for (pan_id, channel), heard in pans.items():
        known = {index[p.place_id]: -85.0 if p.rssi_dbm is None else p.rssi_dbm for p in heard}
        use = max(p.airtime_fraction for p in heard)
        name = f"802.15.4 network {pan_id}"
        line = Line(zigbee_mhz(channel), 2, 1.0)
        found.append((f"pan-{pan_id[2:]}-{channel}", name, _spread(job, known), line, "zigbee", use))
    if not found:
        return nothing_else(len(job.places))
    return Others(
        ids=tuple(f[0] for f in found),
        names=tuple(f[1] for f in found),
        level_dbm=np.array([f[2] for f in found], dtype=np.float64),
        centre_mhz=np.array([f[3].centre_mhz for f in found], dtype=np.intp),
        kinds=tuple((f[4], f[3].width_mhz) for f in found),
        use_fraction=np.array([f[5] for f in found], dtype=np.float64),
    )


def source_levels(job: Job, sender: OtherSource, coverage: Coverage | None) -> Floats:
    """A sender's level at every place in dBm while it sends: measured, else predicted, else by room and storey."""
    usual = USUAL[sender.kind]
    at = next(p for p in job.places if p.id == sender.place_id)
    here = place_point(job, at) if coverage is not None else None
    measured = {h.place_id: h.rssi_dbm for h in sender.heard_at}
    levels = np.empty(len(job.places))
    for i, place in enumerate(job.places):
        there = place_point(job, place) if here is not None else None
        if place.id in measured:
            levels[i] = measured[place.id]
        elif place.id == sender.place_id:
            levels[i] = usual.eirp_dbm - SAME_PLACE_DB
        elif coverage is not None and here is not None and there is not None:
            levels[i] = coverage.level_between_dbm(here, there, usual.eirp_dbm)
        else:
            levels[i] = usual.eirp_dbm - OTHER_PLACE_DB - EACH_STOREY_DB * abs(place.storey - at.storey)
    return levels


def _spread(job: Job, known: dict[int, float]) -> Floats:
    """Levels at every place where some are known: elsewhere their mean, 6 dB down for what nobody heard there."""
    levels = np.full(len(job.places), float(np.mean(list(known.values()))) - 6.0)
    for i, level in known.items():
        levels[i] = level
    return np.asarray(np.maximum(levels, UNHEARD_DBM), dtype=np.float64)


@dataclass(frozen=True, slots=True, kw_only=True)
class EnergyFigure:
    """An energy scan's channel beside what the heard networks explain there, in dBm."""

    place_id: str
    channel: int
    level_dbm: float
    explained_dbm: float
    by: str
    unexplained: bool


def with_unexplained(others: Others, figures: list[EnergyFigure], job: Job) -> Others:
    """The others, and a sender for each stretch of energy that nothing heard explains."""
    extra = [f for f in figures if f.unexplained]
    if not extra:
        return others
    index = {p.id: i for i, p in enumerate(job.places)}
    levels = [_spread(job, {index[f.place_id]: f.level_dbm}) for f in extra]
    kinds: tuple[tuple[Modulation, int], ...] = tuple(("zigbee", 2) for _ in extra)
    return Others(
        ids=(*others.ids, *(f"energy-{f.channel}" for f in extra)),
        names=(*others.names, *(f"energy on Zigbee channel {f.channel} that nothing heard explains" for f in extra)),
        level_dbm=np.concatenate([others.level_dbm, np.array(levels)]),
        centre_mhz=np.concatenate([others.centre_mhz, np.array([zigbee_mhz(f.channel) for f in extra], dtype=np.intp)]),
        kinds=(*others.kinds, *kinds),
        use_fraction=np.concatenate([others.use_fraction, np.full(len(extra), UNEXPLAINED_DUTY)]),
    )


def energy_figures(
    job: Job, networks: list[tuple[str, int, Modulation, int, Floats]], others: Others
) -> list[EnergyFigure]:
    """Every energy scan's channels beside the strongest that is known to send there.

    ``networks``: name, centre in MHz, mask, width in MHz and levels at all places, own radios among them.
    """
    found = []
    index = {p.id: i for i, p in enumerate(job.places)}
    known = [*networks]
    known += [
        (name, int(centre), kind[0], kind[1], level)
        for name, centre, kind, level in zip(
            others.names, others.centre_mhz, others.kinds, others.level_dbm, strict=True
        )
    ]
    for scan in newest_scans(job):
        p = index[scan.place_id]
        for energy in sorted(scan.levels, key=lambda e: e.channel):
            best, by = -100.0, "nothing heard"
            for name, centre, mask, width, level in known:
                offset = min(abs(centre - zigbee_mhz(energy.channel)), MAX_OFFSET_MHZ)
                inside = float(level[p]) + float(coupling_table_db(mask, width, "zigbee", 2)[offset])
                if inside > best:
                    best, by = inside, name
            more = energy.level_dbm > best + UNEXPLAINED_DB and energy.level_dbm > -90.0
            found.append(
                EnergyFigure(
                    place_id=scan.place_id,
                    channel=energy.channel,
                    level_dbm=energy.level_dbm,
                    explained_dbm=best,
                    by=by,
                    unexplained=more,
                )
            )
    return found


def mesh_duty(same_channel: bool) -> float:
    """What another mesh of this house puts on a channel."""
    return MESH_DUTY if same_channel else 0.0
