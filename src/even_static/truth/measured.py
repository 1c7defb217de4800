"""A house as a technician comes to know it: a walk in the afternoon with a phone that reads a few dB off."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import datetime, timedelta

from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place, Uplink
from even_static.core.house.links import named_ends
from even_static.core.house.mesh import MeshLink
from even_static.core.house.readings import Reading, Scan, SpeedTest, ZigbeeReport, own_reading
from even_static.core.house.settings import Settings
from even_static.core.tables.bands import BANDS
from even_static.truth import ranges
from even_static.truth.forming import find_links
from even_static.truth.house import TrueHouse
from even_static.truth.outcome import TruthAt
from even_static.truth.router import channel_uses, client_list
from even_static.truth.speed import PhoneTest

READING_NOISE_DB = 2.0
PHONE_OFF_DB = (-5.0, 1.0)
LEAST_HEARD_DBM = -92.0
LINK_NOISE_DB = 3.0
PHONE_SPREAD, RUN_SPREAD, LATENCY_SPREAD = 0.2, 0.12, 0.25
REPORTS = 120
# From 14 h on: the evening before, the late evening, the morning.
USES_BACK_H = (0, 6, 15, 18, 20)


def walked(
    house: TrueHouse, hour: int = 14, seed: int = 1, heard_at: str = "2026-03-02T14:00:00+01:00", *, lists: bool = True
) -> Job:
    """The house's job with a scan and a speed test at every spot, link levels and the log as the hub's page shows them,
    and with ``lists`` what the router's pages show: who is on which radio, how busy channels were in the last day.

    Levels err by 2 dB and by what the phone reads wrong everywhere; loads are those of the hour, as access points
    broadcast them; what is hidden or too weak is not heard.
    """
    job, rng = house.job, random.Random(f"{house.seed}/walk/{seed}")
    job = replace(job, nodes=as_formed(house, job.nodes, job.settings))
    off_db = rng.uniform(*PHONE_OFF_DB)
    at = TruthAt(house, hour)
    settings = job.settings
    busy = _channel_use(house, at)
    scans = []
    for place in job.places:
        point, readings = house.spot(place.id), list[Reading]()
        for r, radio in enumerate(house.radios):
            setting = settings.of(radio.id)
            level = house.level_dbm(r, point, radio.band, setting.eirp_dbm) + off_db + rng.gauss(0, READING_NOISE_DB)
            if setting.enabled and level > LEAST_HEARD_DBM:
                readings.append(own_reading(radio, setting, float(round(level))))
        for n, other in enumerate(house.neighbours):
            sender = house.rows["aps"].start + n
            level = house.level_dbm(sender, point, other.reading.band, other.eirp_dbm)
            level += off_db + rng.gauss(0, READING_NOISE_DB)
            if not other.hidden and level > LEAST_HEARD_DBM:
                use = round(busy[n] * 255) / 255 if other.announces_load else None
                use = None if use is None else round(use, 4)
                readings.append(replace(other.reading, rssi_dbm=float(round(level)), channel_use_fraction=use))
        scans.append(
            Scan(
                id=f"walk-{place.id}"[:40],
                place_id=place.id,
                heard_at=heard_at,
                source="phone",
                bands=BANDS,
                readings=tuple(readings),
                settings=settings,
                came_from="simulated",
            )
        )
    zigbee, outcome = job.zigbee, at.outcome(settings)
    if zigbee is not None:
        zigbee = replace(zigbee, links=_links(at, rng))
    return replace(
        job,
        scans=tuple(scans),
        zigbee=zigbee,
        speed_tests=tuple(tested(rng, place, outcome.speed[place.id], heard_at) for place in job.places),
        zigbee_reports=tuple(_reported(rng, name, share, heard_at) for name, share in outcome.delivery.items()),
        client_list=client_list(house, settings, heard_at, f"{house.seed}/{seed}") if lists else (),
        channel_uses=tuple(use for at in _last_day(heard_at) for use in channel_uses(house, settings, at))
        if lists
        else (),
    )


def as_formed(house: TrueHouse, nodes: tuple[Node, ...], settings: Settings) -> tuple[Node, ...]:
    """The nodes with the radio links that a mesh which forms itself finds, as its page shows them."""
    given, found = nodes, list(nodes)
    index = {n.id: i for i, n in enumerate(given)}
    node_of = [index[house.job.node_of(r.id).id] for r in house.radios]
    for link in find_links(house, settings, index, node_of):
        node, near, far = given[link.node], house.radios[link.near], house.radios[link.far]
        parent = given[node_of[link.near]]
        mine, theirs = named_ends(node, far, parent, near)
        up = Uplink(to_node_id=parent.id, band=near.band, radio_id=mine, to_radio_id=theirs)
        was = node.uplink
        if was is None or (was.to_node_id, was.band, was.radio_id) != (up.to_node_id, up.band, up.radio_id):
            found[link.node] = replace(node, uplink=up)
        elif was.expected:
            found[link.node] = replace(node, uplink=replace(was, expected=False))
    return tuple(found)


def _last_day(heard_at: str) -> list[str]:
    """Hours of the last day for which a box shows how busy its channels were."""
    end = datetime.fromisoformat(heard_at)
    return [(end - timedelta(hours=back)).isoformat() for back in USES_BACK_H]


def tested(rng: random.Random, place: Place, speed: PhoneTest, tested_at: str) -> SpeedTest:
    """Three runs at a spot with whatever phone is there."""
    phone = rng.lognormvariate(0, PHONE_SPREAD)
    runs = [rng.lognormvariate(0, RUN_SPREAD) * phone for _ in range(3)]
    return SpeedTest(
        place_id=place.id,
        tested_at=tested_at,
        down_mbps=tuple(round(speed.down_mbps * r, 1) for r in runs),
        up_mbps=tuple(round(speed.up_mbps * r, 1) for r in runs),
        latency_ms=tuple(
            round(speed.latency_ms * rng.lognormvariate(0, LATENCY_SPREAD), 1) for _ in runs if speed.down_mbps
        ),
        reach="this computer",
        came_from="simulated",
    )


def _reported(rng: random.Random, device_id: str, share: float, reported_at: str) -> ZigbeeReport:
    """What the hub's log says of some hours."""
    delivered = sum(rng.random() < share for _ in range(REPORTS))
    return ZigbeeReport(
        device_id=device_id, reported_at=reported_at, sent=REPORTS, delivered=delivered, came_from="simulated"
    )


def _channel_use(house: TrueHouse, at: TruthAt) -> list[float]:
    """What each neighbour's access point finds busy on its channel, itself included."""
    found = [0.0] * len(house.neighbours)
    outcome = at.busy(house.job.settings)
    for n, share in outcome.items():
        found[n] = share
    return found


def _links(at: TruthAt, rng: random.Random) -> tuple[MeshLink, ...]:
    mesh, found = at.mesh, []
    for i, a in enumerate(mesh.ids):
        for j in range(i + 1, len(mesh.ids)):
            level = float(mesh.level_dbm[i, j])
            if level >= ranges.LEAST_MESH_DBM and (mesh.mains[i] or mesh.mains[j]):
                noisy = round(min(-20.0, level + rng.gauss(0, LINK_NOISE_DB)))
                found.append(MeshLink(a, mesh.ids[j], float(noisy), "simulated"))
    return tuple(found)
