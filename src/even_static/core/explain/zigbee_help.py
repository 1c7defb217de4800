"""What would help a Zigbee mesh: links that the house predicts, one repeater's best spot, the hub's, a channel's price.

Every allowed spot is tried, each with all its predicted links, under the Wi-Fi as set; nothing is guessed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

from even_static.core.explain.reasons import zigbee_reasons
from even_static.core.house.job import Job
from even_static.core.house.kit import HUB_ID, Place, Zigbee
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.other_sources import BORDER_ID
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import Evaluation, arriving
from even_static.core.model.prepared_house import House
from even_static.core.propagation.coverage import Coverage, coverage_of
from even_static.core.propagation.stands import Point3, place_point, stand_of, stand_point
from even_static.core.tables.zigbee import (
    BESIDE_M,
    FRONT_DB,
    LEAST_LINK_DBM,
    NEAR_WIFI_M,
    SAME_SPOT_DBM,
    WANTED_DELIVERY,
    ZIGBEE_EIRP_DBM,
)

REPEATER_ID, SPOT = "new-repeater", "new-spot-"


@dataclass(frozen=True, slots=True, kw_only=True)
class MeshSpot:
    """A spot for a repeater or the hub, and what it would do: devices below 99 %, the worst and the mean delivery."""

    name: str
    storey: int
    x_m: float
    y_m: float
    short: int
    worst: float
    mean: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ChannelPrice:
    """A Zigbee channel under the Wi-Fi as set, and what moving there costs: devices that may need pairing again."""

    channel: int
    short: int
    worst: float
    now: bool
    may_need_pairing: int
    caution: str


@dataclass(frozen=True, slots=True)
class MeshRoute:
    """A device of a mesh: the next hop of its best route (null where there is none), that hop's delivery, and what
    arrives over the whole route."""

    device_id: str
    via_id: str | None
    hop_delivery: float
    delivery: float


@dataclass(frozen=True, slots=True)
class HubTurn:
    """The hub turned so that its antenna looks to a heading (degrees, 0 is to the right, 90 to the back), and what that
    would do."""

    faces_deg: int
    short: int
    worst: float
    now: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ZigbeeHelp:
    """What would help. ``near_m``: from the hub to the nearest node; spots best first, empty where the house does not
    say where things are; ``text`` in one sentence."""

    short: int
    worst: float | None
    near_node_id: str | None
    near_m: float | None
    text: str
    repeater: list[MeshSpot]
    tried: int
    hub: list[MeshSpot]
    channels: list[ChannelPrice]
    predicted: list[MeshLink]
    routes: list[MeshRoute] = field(default_factory=list)
    """How each device's reports go now: its next hop, what that hop delivers, and what arrives in all."""
    turns: list[HubTurn] = field(default_factory=list)
    """Ways to turn the hub, where it is known which way its antenna looks; best first."""


def zigbee_level_dbm(coverage: Coverage, a: Point3, b: Point3) -> float:
    """The level in dBm at which one Zigbee device receives another, predicted from the house: 2.45 GHz, walls and
    clutter as calibrated, small antennas taken as sending all round. The same both ways."""
    return (coverage.level_between_dbm(a, b, ZIGBEE_EIRP_DBM) + coverage.level_between_dbm(b, a, ZIGBEE_EIRP_DBM)) / 2


def predicted_links(job: Job, coverage: Coverage) -> list[MeshLink]:
    """Links that nobody has measured, between the hub or a mains device and any other, where the house says enough."""
    zigbee = job.zigbee
    if zigbee is None:
        return []
    at = _points(job)
    known = {frozenset((li.a_id, li.b_id)) for li in zigbee.links}
    relays = [HUB_ID, *(d.id for d in zigbee.devices if d.mains_powered)]
    found = []
    for n, a in enumerate(relays):
        for b in [*relays[n + 1 :], *(d.id for d in zigbee.devices if not d.mains_powered)]:
            pa, pb = at.get(a), at.get(b)
            if frozenset((a, b)) in known or pa is None or pb is None or math.dist(pa, pb) < 0.3:
                continue
            level = zigbee_level_dbm(coverage, pa, pb)
            if level >= LEAST_LINK_DBM:
                found.append(MeshLink(a, b, round(level, 1)))
    return found


def zigbee_help(house: House, settings: Settings) -> ZigbeeHelp | None:
    """What would help the mesh; None without Zigbee."""
    job = house.job
    zigbee = job.zigbee
    if zigbee is None or settings.zigbee_channel is None:
        return None
    now = evaluate(house, settings)
    short = sum(z.delivery < WANTED_DELIVERY for z in now.zigbee)
    coverage = coverage_of(job)
    node_id, near = hub_to_nearest_node(job)
    repeater: list[MeshSpot] = []
    hub: list[MeshSpot] = []
    tried = 0
    predicted: list[MeshLink] = []
    if coverage is not None:
        predicted = predicted_links(job, coverage)
        spots = _spots(job, coverage)
        tried = len(spots)
        there = house.changed(_with_spots(job, spots))
        evaluate(there, settings)
        repeater = _ranked([_with_repeater(there, settings, coverage, zigbee, s, n) for n, s in enumerate(spots)])[:3]
        hub = _ranked([_with_hub(there, settings, coverage, zigbee, s, n) for n, s in enumerate(spots)])[:3]
    prices = [_price(house, settings, z) for z in zigbee.selectable_channels]
    worst = now.worst_zigbee_delivery
    return ZigbeeHelp(
        short=short,
        worst=worst,
        near_node_id=node_id,
        near_m=near,
        text=_told(job, short, worst, near, repeater),
        repeater=repeater,
        tried=tried,
        hub=hub,
        channels=prices,
        predicted=predicted,
        routes=mesh_routes(house, settings),
        turns=hub_turns(house, settings),
    )


def mesh_routes(house: House, settings: Settings) -> list[MeshRoute]:
    """The best route of every device of the house's meshes under a setting, hop by hop."""
    arrives = {z.device_id: z.delivery for z in evaluate(house, settings).zigbee}
    found = []
    for device, delivered in arrives.items():
        hops = zigbee_reasons(house, settings, device)
        whole = {h.via_id: h.hop_delivery * arrives.get(h.via_id, 1.0) for h in hops if _relays(house.job, h.via_id)}
        via = max(whole, key=lambda v: (whole[v], v), default=None)
        hop = next((h.hop_delivery for h in hops if h.via_id == via), 0.0)
        found.append(MeshRoute(device, via if delivered > 0 else None, hop, delivered))
    return found


def _relays(job: Job, end: str) -> bool:
    if end in (HUB_ID, BORDER_ID):
        return True
    mains = {d.id for d in (job.zigbee.devices if job.zigbee else ()) if d.mains_powered}
    mains |= {d.id for d in (job.thread.devices if job.thread else ()) if d.mains_powered}
    return end in mains


def hub_turns(house: House, settings: Settings) -> list[HubTurn]:
    """Every eighth of a turn of the hub, its links changed by how its antenna then looks at their far ends."""
    job = house.job
    zigbee = job.zigbee
    if zigbee is None or zigbee.hub_faces_deg is None or job.building is None:
        return []
    at = _points(job)
    hub = at[HUB_ID]
    if hub is None:
        return []
    found = []
    for faces in sorted({round(zigbee.hub_faces_deg), *range(0, 360, 45)}):
        links = []
        for link in zigbee.links:
            other = at[link.b_id if link.a_id == HUB_ID else link.a_id] if HUB_ID in (link.a_id, link.b_id) else None
            if other is not None:
                bearing = math.degrees(math.atan2(other[1] - hub[1], other[0] - hub[0]))
                gain = facing_gain_db(faces - bearing) - facing_gain_db(zigbee.hub_faces_deg - bearing)
                link = replace(link, rssi_dbm=min(max(link.rssi_dbm + gain, -120.0), 0.0))
            links.append(link)
        figures = evaluate(house.with_zigbee(replace(zigbee, links=tuple(links))), settings)
        mine = [z.delivery for z in figures.zigbee]
        short = sum(d < WANTED_DELIVERY for d in mine)
        found.append(HubTurn(faces, short, min(mine, default=1.0), faces == round(zigbee.hub_faces_deg)))
    return sorted(found, key=lambda t: (t.short, -round(t.worst, 3), not t.now, t.faces_deg))


def facing_gain_db(off_deg: float) -> float:
    """Gain of a hub's antenna off the way it looks, in dB: 3 in front, -3 behind. Common practice."""
    return FRONT_DB * math.cos(math.radians(off_deg))


def _told(job: Job, short: int, worst: float | None, near: float | None, repeater: list[MeshSpot]) -> str:
    words = []
    if near is not None and near < NEAR_WIFI_M:
        words.append(f"{hub_stands(near, 'a Wi-Fi node')}: give it a metre or more")
    if repeater and (repeater[0].short < short or (worst is not None and repeater[0].worst > worst + 0.005)):
        best = repeater[0]
        gain = f"{short} to {best.short} devices short" if best.short < short else "as many devices short"
        words.append(
            f"one mains repeater at {best.name}: {gain}, worst {arriving(worst or 0)} to {arriving(best.worst)}"
        )
    elif repeater and short:
        words.append("no single repeater helps: the Wi-Fi and the channel decide")
    if not words:
        words.append("all reports arrive" if short == 0 else "change the channels first")
    return "; ".join(words)


def _points(job: Job) -> dict[str, Point3 | None]:
    places: dict[str, Place] = {p.id: p for p in job.places}
    assert job.zigbee is not None
    at: dict[str, Point3 | None] = {HUB_ID: place_point(job, places[job.zigbee.hub_place_id])}
    for d in job.zigbee.devices:
        at[d.id] = place_point(job, places[d.place_id])
    return at


def hub_stands(near_m: float, node: str) -> str:
    """How near a hub stands to a node, in words."""
    return f"the hub stands {'right beside' if near_m < BESIDE_M else f'{near_m:.1f} m from'} {node}"


def hub_to_nearest_node(job: Job) -> tuple[str | None, float | None]:
    """The node nearest to the hub and its distance in m; (None, None) where the house does not say where they are."""
    coverage = coverage_of(job)
    if coverage is None or job.zigbee is None:
        return None, None
    hub = _points(job)[HUB_ID]
    found = [
        (math.dist(hub, stand_point(coverage.building, s)), n.id)
        for n in job.nodes
        for s in [stand_of(job, n)]
        if s is not None and hub is not None
    ]
    return (min(found)[1], min(found)[0]) if found else (None, None)


@dataclass(frozen=True, slots=True)
class _Candidate:
    name: str
    storey: int
    at: Point3


def _spots(job: Job, coverage: Coverage) -> list[_Candidate]:
    """Sockets of the house, and the placed spots, where a mains device may be."""
    building = coverage.building
    found = [
        _Candidate(o.name, o.storey, (o.x_m, o.y_m, building.elevation_m(o.storey) + 0.4))
        for o in building.outlets
        if o.power
    ]
    for p in job.places:
        at = place_point(job, p)
        if at is not None and not p.outdoors:
            found.append(_Candidate(p.name, p.storey, at))
    return found


def _with_spots(job: Job, spots: list[_Candidate]) -> Job:
    """The job with a place at every spot: own levels there are predicted, the neighbours' taken from near by."""
    places = []
    for n, spot in enumerate(spots):
        floor = job.building.elevation_m(spot.storey) if job.building is not None else 0.0
        height = round(min(max(spot.at[2] - floor, 0.0), 30.0), 2)
        places.append(
            Place(
                id=f"{SPOT}{n}",
                name=spot.name,
                storey=spot.storey,
                outdoors=False,
                x_m=spot.at[0],
                y_m=spot.at[1],
                height_m=height,
            )
        )
    return replace(job, places=(*job.places, *places))


def _links_to(coverage: Coverage, end: str, spot: Point3, at: dict[str, Point3 | None]) -> list[MeshLink]:
    """Predicted links between something at a spot and all others that it reaches."""
    links = []
    for other, point in at.items():
        if point is not None and other != end:
            level = zigbee_level_dbm(coverage, spot, point) if math.dist(spot, point) >= 0.3 else SAME_SPOT_DBM
            if level >= LEAST_LINK_DBM:
                links.append(MeshLink(end, other, level))
    return links


def _with_repeater(
    house: House, settings: Settings, coverage: Coverage, zigbee: Zigbee, spot: _Candidate, n: int
) -> MeshSpot:
    links = _links_to(coverage, REPEATER_ID, spot.at, _points(house.job))
    device = MeshDevice(REPEATER_ID, "repeater", f"{SPOT}{n}", mains_powered=True)
    mesh = replace(zigbee, devices=(*zigbee.devices, device), links=(*zigbee.links, *links))
    return _judged(evaluate(house.with_zigbee(mesh), settings), spot)


def _with_hub(
    house: House, settings: Settings, coverage: Coverage, zigbee: Zigbee, spot: _Candidate, n: int
) -> MeshSpot:
    kept = tuple(li for li in zigbee.links if HUB_ID not in (li.a_id, li.b_id))
    links = _links_to(coverage, HUB_ID, spot.at, _points(house.job))
    mesh = replace(zigbee, hub_place_id=f"{SPOT}{n}", links=(*kept, *links))
    return _judged(evaluate(house.with_zigbee(mesh), settings), spot)


def _judged(found: Evaluation, spot: _Candidate) -> MeshSpot:
    delivery = [z.delivery for z in found.zigbee if z.device_id != REPEATER_ID]
    short = sum(d < WANTED_DELIVERY for d in delivery)
    mean = sum(delivery) / len(delivery) if delivery else 1.0
    return MeshSpot(
        name=spot.name,
        storey=spot.storey,
        x_m=spot.at[0],
        y_m=spot.at[1],
        short=short,
        worst=min(delivery, default=1.0),
        mean=mean,
    )


def _ranked(spots: list[MeshSpot]) -> list[MeshSpot]:
    return sorted(spots, key=lambda s: (s.short, -round(s.worst, 3), -s.mean, s.name))


def _price(house: House, settings: Settings, channel: int) -> ChannelPrice:
    zigbee = house.job.zigbee
    assert zigbee is not None
    found = evaluate(house, replace(settings, zigbee_channel=channel))
    moves = channel != house.job.settings.zigbee_channel
    caution = "only where every device is known to do it" if channel == 26 else ""
    # Battery devices sleep through the move and may have to be paired by hand. Common practice.
    asleep = sum(not d.mains_powered for d in zigbee.devices) if moves else 0
    return ChannelPrice(
        channel=channel,
        short=sum(z.delivery < WANTED_DELIVERY for z in found.zigbee),
        worst=found.worst_zigbee_delivery if found.worst_zigbee_delivery is not None else 1.0,
        now=not moves,
        may_need_pairing=asleep,
        caution=caution,
    )
