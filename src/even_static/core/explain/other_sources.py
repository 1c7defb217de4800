"""What each other user of 2.4 GHz costs the house, and whether the energy scans are explained by what was heard."""

from __future__ import annotations

from dataclasses import dataclass, replace

from even_static.core.house.other_sources import OtherSource
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.rank import counted_headroom
from even_static.core.survey.air import explained_energy
from even_static.core.survey.other_sources import EnergyFigure, duty_of, lines_of, newest_pans, others_of
from even_static.core.tables.other_sources import USUAL

# A fall of the least headroom that is worth a word.
NOTED_HEADROOM = 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceFigure:
    """A sender: its lines in MHz (lowest, highest), how much of the time it sends while it runs, of an hour in all, its
    level at the hub, and the house's figures while it runs and without it."""

    source_id: str
    name: str
    kind: str
    low_mhz: int
    high_mhz: int
    duty_fraction: float
    hour_fraction: float
    hub_dbm: float | None
    measured: bool
    problems_running: int
    problems_without: int
    headroom_running: float | None
    headroom_without: float | None
    zigbee_running: float | None
    zigbee_without: float | None
    advice: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PanFigure:
    """Somebody else's 802.15.4 network, or the house's own, as captures heard it."""

    pan_id: str
    channel: int
    own: bool
    frames: int
    airtime_fraction: float
    rssi_dbm: float | None
    place_id: str


@dataclass(frozen=True, slots=True)
class AirUsers:
    """All of it; ``text`` says in one sentence what matters."""

    senders: list[SourceFigure]
    pans: list[PanFigure]
    energy: list[EnergyFigure]
    text: str


def air_users(house: House, settings: Settings) -> AirUsers:
    """What else is on the air, and what it costs under a setting."""
    job = house.job
    senders = [_figure(house, settings, s) for s in job.other_sources]
    foreign = {(p.pan_id, p.channel) for p in newest_pans(job)}
    newest = {(p.pan_id, p.channel, p.place_id): p for p in sorted(job.pans, key=lambda p: p.heard_at)}
    pans = [
        PanFigure(
            pan_id=p.pan_id,
            channel=p.channel,
            own=(p.pan_id, p.channel) not in foreign,
            frames=p.frames,
            airtime_fraction=p.airtime_fraction,
            rssi_dbm=p.rssi_dbm,
            place_id=at,
        )
        for (_, _, at), p in newest.items()
    ]
    pans.sort(key=lambda p: (p.own, -p.airtime_fraction, p.pan_id))
    energy = explained_energy(job, replace(house.air, others=others_of(job)))
    return AirUsers(senders, pans, energy, _told(settings, senders, pans, energy))


def without(house: House, source_id: str) -> House:
    """The house with a sender gone."""
    job = replace(house.job, other_sources=tuple(s for s in house.job.other_sources if s.id != source_id))
    return House(job, in_air=replace(house.air, others=others_of(job)))


def while_running(house: House, source_id: str) -> House:
    """The house while a sender runs without a pause."""
    return House(house.job, in_air=replace(house.air, others=others_of(house.job, running=source_id)))


def _figure(house: House, settings: Settings, sender: OtherSource) -> SourceFigure:
    job = house.job
    on = while_running(house, sender.id)
    runs, gone = evaluate(on, settings), evaluate(without(house, sender.id), settings)
    lines = lines_of(sender.kind, sender.centre_mhz)
    duty = duty_of(sender)
    hub = None
    if job.zigbee is not None:
        row = on.air.others.ids.index(sender.id)
        hub = float(on.air.others.level_dbm[row, on.places[job.zigbee.hub_place_id]])
    return SourceFigure(
        source_id=sender.id,
        name=sender.name,
        kind=sender.kind,
        low_mhz=min(line.centre_mhz - line.width_mhz // 2 for line in lines),
        high_mhz=max(line.centre_mhz + line.width_mhz // 2 for line in lines),
        duty_fraction=duty,
        hour_fraction=duty * sender.running_fraction,
        hub_dbm=hub,
        measured=bool(sender.heard_at),
        problems_running=runs.problems,
        problems_without=gone.problems,
        headroom_running=runs.headroom,
        headroom_without=gone.headroom,
        zigbee_running=runs.worst_zigbee_delivery,
        zigbee_without=gone.worst_zigbee_delivery,
        advice=USUAL[sender.kind].advice,
    )


def _told(settings: Settings, senders: list[SourceFigure], pans: list[PanFigure], energy: list[EnergyFigure]) -> str:
    words = []
    bad = max(senders, key=lambda s: s.problems_running - s.problems_without, default=None)
    if bad is not None and bad.problems_running > bad.problems_without:
        more = bad.problems_running - bad.problems_without
        words.append(
            f"while {bad.name} runs there {'is' if more == 1 else 'are'} {more} more with a problem: {bad.advice}"
        )
    elif senders:
        # Nobody more in problem, but less room or fewer reports while it runs: told too.
        def less(s: SourceFigure) -> float:
            return counted_headroom(s.headroom_without) - counted_headroom(s.headroom_running)

        tight = max(senders, key=less)
        if less(tight) >= NOTED_HEADROOM:
            room = f"{tight.headroom_without or 0.0:.2f} to {tight.headroom_running or 0.0:.2f}"
            words.append(f"while {tight.name} runs, the lowest headroom falls from {room}: {tight.advice}")
    if settings.zigbee_channel is not None:
        same = [p for p in pans if not p.own and p.channel == settings.zigbee_channel]
        if same:
            most = max(p.airtime_fraction for p in same)
            words.append(f"another 802.15.4 network sends on channel {settings.zigbee_channel}: {most:.1%} of the time")
    strange = [str(e.channel) for e in energy if e.unexplained]
    if strange:
        words.append(f"nothing heard explains the energy on {', '.join(strange[:6])}: look for what sends there")
    return "; ".join(words) or "nothing else here costs the house a device or a report"
