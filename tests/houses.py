"""Random houses for property tests and the bench: seeded, lawful, with everything that a job may hold."""

from __future__ import annotations

import random
from dataclasses import replace

from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio, Uplink, Zigbee
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.house.validate import validate_job
from even_static.core.model.prepared_house import House
from even_static.core.spectrum.channels import block_for
from even_static.core.spectrum.lawful import lawful_blocks
from even_static.core.survey.air import air
from even_static.core.tables.bands import BANDS, Band

LIMITS = {"2.4 GHz": 20.0, "5 GHz": 20.0, "6 GHz": 20.0}
WIDTHS = {"2.4 GHz": (20, 40), "5 GHz": (20, 40, 80), "6 GHz": (20, 40, 80, 160)}
WEAKER = {"2.4 GHz": 0.0, "5 GHz": 8.0, "6 GHz": 11.0}


def network(n: int, channel: int, level_dbm: float, use: float | None, band: Band = "2.4 GHz") -> Reading:
    """Somebody else's network of 20 MHz, the n-th, as a scan hears it; ``use``: what it broadcasts of its channel."""
    return Reading(
        bssid=f"06:00:00:00:00:{n:02x}",
        ssid=f"n{n}",
        band=band,
        channel=channel,
        centre_mhz=block_for(band, channel, 20).centre_mhz,
        width_mhz=20,
        rssi_dbm=level_dbm,
        channel_use_fraction=use,
    )


def as_sent(job: Job) -> House:
    """A house whose other networks send themselves, at every hour, what they broadcast of their channels."""
    found = air(job)
    return House(job, in_air=replace(found, sent_fraction=found.use_fraction), as_heard=True)


def random_house(
    seed: int,
    *,
    nodes: int = 2,
    bands: tuple[Band, ...] = BANDS,
    neighbours: int = 20,
    places: int = 8,
    devices: int = 10,
    zigbee_devices: int = 6,
    radio_link: bool = False,
    channels: dict[Band, tuple[int, ...]] | None = None,
    widths: dict[Band, tuple[int, ...]] | None = None,
) -> Job:
    """A house with places along a line of some 20 m, levels from a plain distance law with random losses."""
    rng = random.Random(seed)
    spots = [(rng.uniform(0, 14), rng.uniform(0, 7)) for _ in range(places)]

    def level(a: tuple[float, float], b: tuple[float, float], band: Band) -> float:
        distance = max(0.5, ((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2) ** 0.5)
        return round(-22 - WEAKER[band] - 34 * (distance**0.45 - 0.73) - rng.uniform(0, 8), 1)

    own_nodes, settings = [], []
    for n in range(nodes):
        radios = []
        for b, band in enumerate(bands):
            radio = Radio(
                id=f"n{n}-{b}",
                bssid=f"02:00:00:00:{n:02x}:{b:02x}",
                ssid="house",
                band=band,
                generation="802.11ax",
                streams=2,
                widths_mhz=(widths or WIDTHS)[band],
                eirp_steps_dbm=(11.0, 14.0, 17.0, LIMITS[band]),
                channels=(channels or {}).get(band),
            )
            radios.append(radio)
            options = [
                x.block
                for width in radio.widths_mhz
                for x in lawful_blocks("NL", band, width)
                if (radio.channels is None or x.block.channel in radio.channels) and x.max_eirp_dbm >= LIMITS[band]
            ]
            block = rng.choice(options)
            settings.append(
                RadioSetting(
                    radio_id=radio.id,
                    channel=block.channel,
                    width_mhz=block.width_mhz,
                    eirp_dbm=LIMITS[band],
                    centre_mhz=block.centre_mhz,
                )
            )
        uplink = (
            Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-58.0)
            if radio_link and n == 1 and "5 GHz" in bands
            else None
        )
        own_nodes.append(Node(id=f"node{n}", name=f"node {n}", place_id=f"p{n}", radios=tuple(radios), uplink=uplink))
    if radio_link and nodes > 1 and "5 GHz" in bands:
        near = next(s for s in settings if s.radio_id == f"n0-{bands.index('5 GHz')}")
        far = f"n1-{bands.index('5 GHz')}"
        settings = [
            RadioSetting(
                radio_id=far,
                channel=near.channel,
                width_mhz=near.width_mhz,
                eirp_dbm=near.eirp_dbm,
                centre_mhz=near.centre_mhz,
            )
            if s.radio_id == far
            else s
            for s in settings
        ]
    others = []
    for k in range(neighbours):
        band = rng.choices(BANDS, (5, 4, 1))[0]
        block = rng.choice([x.block for w in (20, 20, 40, 80) for x in lawful_blocks("NL", band, w)])
        use = round(rng.uniform(0.01, 0.5), 3) if rng.random() < 0.7 else None
        others.append((f"06:00:00:00:00:{k:02x}", block, use, rng.uniform(4, 22), rng.uniform(0, 7) - 5))
    scans = []
    for p, spot in enumerate(spots):
        readings = []
        for node in own_nodes:
            for radio in node.radios:
                here = level(spots[int(node.place_id[1:])], spot, radio.band)
                if here > -93:
                    s = next(x for x in settings if x.radio_id == radio.id)
                    readings.append(
                        Reading(
                            bssid=radio.bssid,
                            ssid="house",
                            band=radio.band,
                            channel=s.channel,
                            centre_mhz=s.centre_mhz,
                            width_mhz=s.width_mhz,
                            rssi_dbm=here,
                        )
                    )
        for bssid, block, use, x, y in others:
            here = level((x, y), spot, block.band) - 18
            if here > -93:
                readings.append(
                    Reading(
                        bssid=bssid,
                        ssid="",
                        band=block.band,
                        channel=block.channel,
                        centre_mhz=block.centre_mhz,
                        width_mhz=block.width_mhz,
                        rssi_dbm=here,
                        channel_use_fraction=use,
                        generation="802.11ax",
                    )
                )
        scans.append(
            Scan(
                id=f"l{p}",
                place_id=f"p{p}",
                heard_at="2026-03-02T19:00:00Z",
                source="test",
                bands=BANDS,
                readings=tuple(readings),
            )
        )
    zigbee = None
    if zigbee_devices:
        kit = [
            MeshDevice(f"z{i}", f"z{i}", f"p{rng.randrange(places)}", rng.random() < 0.4) for i in range(zigbee_devices)
        ]
        links = [MeshLink("hub", z.id, round(rng.uniform(-88, -55), 1)) for z in kit]
        links += [
            MeshLink(a.id, b.id, round(rng.uniform(-85, -60), 1))
            for a in kit
            for b in kit
            if a.id < b.id and a.mains_powered and rng.random() < 0.5
        ]
        zigbee = Zigbee(
            hub_place_id="p0", selectable_channels=tuple(range(11, 26)), devices=tuple(kit), links=tuple(links)
        )
    job = Job(
        kind="practice",
        title=f"random {seed}",
        country="NL",
        places=tuple(Place(id=f"p{p}", name=f"place {p}") for p in range(places)),
        nodes=tuple(own_nodes),
        settings=Settings(tuple(settings), rng.choice(range(11, 26)) if zigbee else None),
        devices=tuple(
            Device(
                id=f"d{i}",
                name=f"d{i}",
                place_id=f"p{rng.randrange(places)}",
                bands=rng.choice([("2.4 GHz",), ("2.4 GHz", "5 GHz"), BANDS]),
                generation=rng.choice(["802.11n", "802.11ac", "802.11ax"]),
                streams=rng.choice([1, 2]),
                demand_down_mbps=round(rng.uniform(0.5, 25), 1),
                demand_up_mbps=round(rng.uniform(0.2, 5), 1),
                must_have=rng.random() < 0.8,
            )
            for i in range(devices)
        ),
        zigbee=zigbee,
        scans=tuple(scans),
    )
    validate_job(job)
    return job
