"""The demo calls: two invented houses, measured and tuned by the application's own code when the demo first starts.

Kiln Row 9 is a narrow three-storey end-of-terrace with a pottery studio behind it, where a music teacher teaches over
video in the evenings; it is in the middle of the work. Lock House 2 is finished, with its before and after.
All names are invented and all addresses locally administered.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from even_static.core.house.after_care import DropOut, FollowUp
from even_static.core.house.building import (
    Antenna,
    Build,
    Building,
    Obstacle,
    Opening,
    Outlet,
    Stand,
    Storey,
    WallChange,
)
from even_static.core.house.changes import Change
from even_static.core.house.complaint import Complaint
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio, Uplink, Zigbee
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.readings import Reading
from even_static.core.house.senders import EnergyScan, OtherSender, PanHeard
from even_static.core.house.settings import Names, RadioSetting, Settings
from even_static.core.house.typed import add_typed
from even_static.core.house.validate import validate_job
from even_static.core.house.wiring import BoxFacts, Cable, LineBox, Wiring
from even_static.core.model.evaluate import same_setting
from even_static.core.model.prepared_house import House
from even_static.core.search.plan import make_plan
from even_static.core.spectrum.channels import block_for
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.phy import Generation
from even_static.instruments.simulated.stand_ins import (
    SimulatedConsole,
    SimulatedHub,
    SimulatedScanner,
    SimulatedSpeedTest,
)
from even_static.instruments.simulated.world import Neighbour, World, WorldState, unheard_sender

ZIGBEE_EIRP_DBM = 5.0
ZIGBEE_FLOOR_DBM = -92.0
Spot = tuple[float, float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Scenario:
    """An invented house: the job without measurements, where its places are (m), its neighbours and its seed."""

    job: Job
    positions: dict[str, Spot]
    neighbours: tuple[Neighbour, ...]
    seed: int
    clock: str


def _radios(node: str, number: int, ssid: str, bands: tuple[Band, ...], generation: Generation) -> tuple[Radio, ...]:
    steps = {"2.4 GHz": (14.0, 17.0, 20.0), "5 GHz": (14.0, 17.0, 20.0), "6 GHz": (14.0, 17.0, 20.0)}
    widths = {"2.4 GHz": (20, 40), "5 GHz": (20, 40, 80, 160), "6 GHz": (20, 40, 80, 160)}
    return tuple(
        Radio(
            id=f"{node}-{band.split()[0]}",
            bssid=f"02:4b:52:00:{number:02x}:{i:02x}",
            ssid=ssid,
            band=band,
            generation=generation,
            streams=2,
            widths_mhz=widths[band],  # type: ignore[arg-type]
            eirp_steps_dbm=steps[band],
        )
        for i, band in enumerate(bands)
    )


def _factory(radios: tuple[Radio, ...], channels: dict[Band, tuple[int, int]]) -> tuple[RadioSetting, ...]:
    return tuple(
        RadioSetting(
            radio_id=r.id,
            channel=channels[r.band][0],
            width_mhz=channels[r.band][1],  # type: ignore[arg-type]
            eirp_dbm=20.0,
        )
        for r in radios
    )


def _neighbours(seed: int, spots: list[tuple[str, Band, int, int, Spot, float]]) -> tuple[Neighbour, ...]:
    """Neighbours given as (name, band, channel, width, where, airtime in their busiest hour)."""
    rng = random.Random(seed)
    found = []
    for n, (name, band, channel, width, (x, y, z), busy) in enumerate(spots):
        block = block_for(band, channel, width)
        new: Generation = "802.11ax" if rng.random() < 0.6 or band == "6 GHz" else "802.11ac"
        reading = Reading(
            bssid=f"06:{seed & 0xFF:02x}:00:00:00:{n:02x}",
            ssid=name,
            band=band,
            channel=channel,
            centre_mhz=block.centre_mhz,
            width_mhz=width,  # type: ignore[arg-type]
            rssi_dbm=-80.0,
            security=rng.choice(("WPA2", "WPA2", "WPA2/WPA3", "WPA3")),
            generation="802.11n" if band == "2.4 GHz" and new == "802.11ac" else new,
            country="NL",
            slowest_basic_rate_mbps=1.0 if band == "2.4 GHz" else 6.0,
        )
        found.append(
            Neighbour(
                reading=reading,
                x_m=x,
                y_m=y,
                z_m=z,
                eirp_dbm=20.0,
                busy_fraction=busy,
                announces_load=rng.random() < 0.75,
            )
        )
    return tuple(found)


def _typed(building: Building, lines: list[str]) -> Building:
    for line in lines:
        building, _ = add_typed(building, line)
    return building


def _placed(places: tuple[Place, ...], positions: dict[str, Spot], building: Building) -> tuple[Place, ...]:
    """The places with their positions, heights above their own floor."""
    return tuple(
        replace(p, x_m=x, y_m=y, height_m=round(z - building.elevation_m(p.storey), 2))
        for p in places
        for x, y, z in [positions[p.id]]
    )


def kiln_row_building() -> Building:
    """Kiln Row 9 as built: three storeys of brick, a studio of its own behind a yard."""
    building = Building(
        house_type="brick terrace",
        storeys=(Storey(0, 2.7), Storey(1, 2.7), Storey(2, 2.5)),
        party_sides=("left",),
    )
    building = _typed(
        building,
        [
            "hall 2.0 4.2",
            "kitchen 5.8 4.2 right of hall",
            "yard 5.2 4.2 right of kitchen",
            "studio 4.0 4.2 right of yard",
            "kiln shed 3.2 4.2 right of studio",
            "greenhouse 3.0 2.0 behind yard",
            "landing 3.0 4.2 above hall",
            "music room 2.6 2.2 right of landing",
            "bedroom 2.2 4.2 right of music room",
            "bathroom 2.6 2.0 behind music room",
            "attic east 3.9 4.2 above music room",
            "attic west 3.9 4.2 left of attic east",
        ],
    )
    rooms = {r.id: r for r in building.rooms}
    # The attic spans the whole house: typed beside its first room it starts where the party wall is.
    shift = -min(x for x, _ in rooms["attic-west"].outline)
    building = replace(
        building,
        rooms=tuple(
            replace(
                r,
                kind="outbuilding" if r.id in ("studio", "kiln-shed") else r.kind,
                outline=tuple((round(x + shift, 3), y) for x, y in r.outline) if r.storey == 2 else r.outline,
            )
            for r in building.rooms
        ),
    )
    brick = Build("brick", 0.102)
    return replace(
        building,
        wall_changes=(
            WallChange("studio", 3, None, brick),
            WallChange("studio", 0, None, brick),
            WallChange("studio", 2, None, brick),
            WallChange("studio", 1, "kiln-shed", brick),
            WallChange("kitchen", 0, None, Build("brick", 0.215)),
            WallChange("greenhouse", 0, None, Build("glass", 0.004)),
            WallChange("greenhouse", 1, None, Build("glass", 0.004)),
            WallChange("greenhouse", 2, None, Build("glass", 0.004)),
            WallChange("greenhouse", 3, None, Build("glass", 0.004)),
        ),
        openings=(
            Opening(id="hall-kitchen", kind="door", room_id="hall", edge=1, at_m=2.0, width_m=0.9),
            Opening(id="yard-window", kind="window", room_id="kitchen", edge=1, at_m=2.6, width_m=1.6),
            Opening(id="studio-door", kind="glazed door", room_id="studio", edge=3, at_m=2.2, width_m=1.2),
            Opening(id="bedroom-window", kind="coated window", room_id="bedroom", edge=1, at_m=2.1, width_m=1.4),
        ),
        obstacles=(
            Obstacle(
                id="kiln", kind="metal cabinet", storey=0, x_m=17.9, y_m=1.1, width_m=0.9, depth_m=0.8, height_m=1.4
            ),
            Obstacle(
                id="fridge", kind="refrigerator", storey=0, x_m=2.5, y_m=3.7, width_m=0.6, depth_m=0.6, height_m=1.8
            ),
            Obstacle(id="flue", kind="chimney", storey=1, x_m=2.9, y_m=1.0, width_m=0.9, depth_m=0.5, height_m=2.6),
        ),
        outlets=(
            Outlet(id="line", name="Line entry, hall", storey=0, x_m=0.4, y_m=0.4, power=True, cable_drops=2),
            Outlet(id="hall-shelf", name="Hall shelf", storey=0, x_m=1.7, y_m=3.8, power=True, cable_drops=1),
            Outlet(id="kitchen-worktop", name="Kitchen worktop", storey=0, x_m=4.0, y_m=0.5, power=True, cable_drops=0),
            Outlet(id="kitchen-back", name="Kitchen, yard side", storey=0, x_m=7.4, y_m=3.4, power=True, cable_drops=1),
            Outlet(id="landing-wall", name="Landing wall", storey=1, x_m=2.2, y_m=2.6, power=True, cable_drops=1),
            Outlet(id="music-desk", name="Music room desk", storey=1, x_m=5.2, y_m=0.4, power=True, cable_drops=0),
            Outlet(id="bedroom-window", name="Bedroom window", storey=1, x_m=7.4, y_m=0.5, power=True, cable_drops=1),
            Outlet(id="attic-stairs", name="Attic stairs", storey=2, x_m=3.4, y_m=3.8, power=True, cable_drops=1),
            Outlet(id="attic-gable", name="Attic gable", storey=2, x_m=7.3, y_m=2.2, power=True, cable_drops=0),
            Outlet(id="studio-bench", name="Studio bench", storey=0, x_m=15.0, y_m=2.4, power=True, cable_drops=0),
            Outlet(id="studio-door", name="Studio, door side", storey=0, x_m=13.4, y_m=3.6, power=True, cable_drops=0),
        ),
    )


def lock_house_building() -> Building:
    """Lock House 2 as built: a masonry cottage with a boat shed."""
    building = Building(house_type="masonry house", storeys=(Storey(0, 2.7), Storey(1, 2.6)))
    return _typed(
        building,
        [
            "front room 4.2 4.0",
            "workshop 4.4 4.0 right of front room",
            "quay garden 3.0 4.0 right of workshop",
            "shed 4.0 4.2 right of quay garden",
            "upstairs 8.6 4.0 above front room",
        ],
    )


def kiln_row() -> Scenario:
    """Kiln Row 9."""
    ssid = "wickerwork"
    building = kiln_row_building()
    hall = _radios("hall", 1, ssid, BANDS, "802.11ax")
    landing = _radios("landing", 2, ssid, BANDS, "802.11ax")
    studio = _radios("studio", 3, ssid, ("2.4 GHz", "5 GHz"), "802.11ax")
    positions: dict[str, Spot] = {
        "hall": (1.0, 1.2, 1.4),
        "kitchen": (4.2, 2.4, 1.2),
        "music-room": (4.5, 1.2, 3.9),
        "landing": (2.2, 2.6, 4.4),
        "bedroom": (6.4, 2.8, 3.6),
        "attic-desk": (6.6, 1.8, 6.5),
        "attic-bed": (2.2, 1.4, 6.3),
        "studio": (15.0, 2.4, 1.3),
        "kiln-shed": (18.0, 3.4, 1.5),
        "greenhouse": (9.3, 5.2, 1.0),
    }
    places = (
        Place(id="hall", name="Hall", storey=0),
        Place(id="kitchen", name="Kitchen", storey=0),
        Place(id="music-room", name="Music room", storey=1),
        Place(id="landing", name="Landing", storey=1),
        Place(id="bedroom", name="Bedroom", storey=1),
        Place(id="attic-desk", name="Attic desk", storey=2),
        Place(id="attic-bed", name="Attic bed", storey=2),
        Place(id="studio", name="Studio", storey=0),
        Place(id="kiln-shed", name="Kiln shed", storey=0),
        Place(id="greenhouse", name="Greenhouse", storey=0, outdoors=True),
    )
    both: tuple[Band, ...] = ("2.4 GHz", "5 GHz")
    slow: tuple[Band, ...] = ("2.4 GHz",)
    devices = (
        Device(
            id="lesson-laptop",
            name="Lesson laptop",
            place_id="music-room",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=5.0,
            demand_up_mbps=5.0,
        ),
        Device(
            id="lesson-tablet",
            name="Sheet-music tablet",
            place_id="music-room",
            bands=BANDS,
            generation="802.11ax",
            streams=2,
            max_width_mhz=80,
            demand_down_mbps=6.0,
            demand_up_mbps=2.0,
        ),
        Device(
            id="kitchen-screen",
            name="Kitchen screen",
            place_id="kitchen",
            bands=both,
            generation="802.11ac",
            streams=2,
            max_width_mhz=80,
            demand_down_mbps=18.0,
            demand_up_mbps=0.5,
        ),
        Device(
            id="door-camera",
            name="Door camera",
            place_id="hall",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=0.3,
            demand_up_mbps=2.0,
            awkward=True,
        ),
        Device(
            id="attic-pc",
            name="Attic computer",
            place_id="attic-desk",
            bands=both,
            generation="802.11ax",
            streams=2,
            max_width_mhz=80,
            demand_down_mbps=30.0,
            demand_up_mbps=6.0,
        ),
        Device(
            id="attic-phone",
            name="Attic phone",
            place_id="attic-bed",
            bands=BANDS,
            generation="802.11ax",
            streams=2,
            max_width_mhz=80,
            demand_down_mbps=8.0,
            demand_up_mbps=1.5,
            must_have=False,
        ),
        Device(
            id="bed-phone",
            name="Bedroom phone",
            place_id="bedroom",
            bands=both,
            generation="802.11ax",
            streams=2,
            max_width_mhz=80,
            demand_down_mbps=6.0,
            demand_up_mbps=1.5,
            must_have=False,
        ),
        Device(
            id="bed-screen",
            name="Bedroom screen",
            place_id="bedroom",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=7.0,
            demand_up_mbps=0.3,
        ),
        Device(
            id="studio-tablet",
            name="Studio tablet",
            place_id="studio",
            bands=both,
            generation="802.11ac",
            streams=1,
            max_width_mhz=80,
            demand_down_mbps=6.0,
            demand_up_mbps=1.0,
            group_id="studio-music",
        ),
        Device(
            id="studio-speaker",
            name="Studio speaker",
            place_id="studio",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=1.0,
            demand_up_mbps=0.1,
            must_have=False,
            group_id="studio-music",
            relayed_by_id="studio-tablet",
        ),
        Device(
            id="studio-camera",
            name="Studio camera",
            place_id="studio",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=0.3,
            demand_up_mbps=2.0,
        ),
        Device(
            id="kiln-display",
            name="Kiln display",
            place_id="kiln-shed",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=0.4,
            demand_up_mbps=0.4,
        ),
        Device(
            id="meter",
            name="Meter reader",
            place_id="hall",
            bands=slow,
            generation="802.11g",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=0.1,
            demand_up_mbps=0.2,
        ),
        Device(
            id="printer",
            name="Printer",
            place_id="landing",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=0.2,
            demand_up_mbps=0.1,
            must_have=False,
        ),
        Device(
            id="plug-lamp",
            name="Lamp plug",
            place_id="attic-bed",
            bands=slow,
            generation="802.11n",
            streams=1,
            max_width_mhz=20,
            demand_down_mbps=0.05,
            demand_up_mbps=0.05,
            awkward=True,
        ),
    )
    zigbee = Zigbee(
        hub_place_id="landing",
        selectable_channels=tuple(range(11, 26)),
        devices=(
            MeshDevice("lamp-attic", "Attic lamp", "attic-desk", mains_powered=True),
            MeshDevice("lamp-kitchen", "Kitchen lamp", "kitchen", mains_powered=True),
            MeshDevice("plug-studio", "Studio plug", "studio", mains_powered=True),
            MeshDevice("damp-1", "Damp sensor, shelf", "studio"),
            MeshDevice("damp-2", "Damp sensor, clay store", "kiln-shed"),
            MeshDevice("kiln", "Kiln sensor", "kiln-shed"),
            MeshDevice("vent-east", "Greenhouse vent, east", "greenhouse"),
            MeshDevice("vent-west", "Greenhouse vent, west", "greenhouse"),
            MeshDevice("window", "Music room window", "music-room"),
            MeshDevice("smoke-hall", "Hall climate sensor", "hall"),
        ),
    )
    spots: list[tuple[str, Band, int, int, Spot, float]] = [
        ("heron-downstairs", "2.4 GHz", 6, 20, (3.0, -4.0, 1.2), 0.42),
        ("heron-upstairs", "2.4 GHz", 1, 20, (4.0, -4.5, 4.0), 0.34),
        ("Larkspur", "2.4 GHz", 11, 20, (2.5, -8.5, 1.2), 0.22),
        ("tin-roof", "2.4 GHz", 3, 20, (6.0, -9.0, 4.0), 0.28),
        ("", "2.4 GHz", 6, 20, (9.0, -5.0, 1.2), 0.18),
        ("bramble 24", "2.4 GHz", 11, 40, (13.0, -6.0, 1.2), 0.15),
        ("ferry-office", "2.4 GHz", 8, 20, (22.0, 0.0, 1.2), 0.25),
        ("Pear & Quince", "2.4 GHz", 1, 20, (24.0, 6.0, 3.9), 0.2),
        ("mill-lodger", "2.4 GHz", 13, 20, (0.5, 14.0, 1.2), 0.1),
        ("sloop", "2.4 GHz", 6, 20, (-9.0, 2.0, 3.9), 0.15),
        ("cobbler", "2.4 GHz", 9, 20, (18.0, -8.0, 1.2), 0.12),
        ("heron-upstairs", "5 GHz", 36, 80, (4.0, -4.5, 4.0), 0.3),
        ("Larkspur", "5 GHz", 44, 80, (2.5, -8.5, 1.2), 0.22),
        ("tin-roof", "5 GHz", 100, 80, (6.0, -9.0, 4.0), 0.12),
        ("bramble", "5 GHz", 36, 80, (13.0, -6.0, 1.2), 0.18),
        ("ferry-office", "5 GHz", 52, 40, (22.0, 0.0, 1.2), 0.1),
        ("", "5 GHz", 149, 80, (-9.0, 2.0, 3.9), 0.05),
        ("Pear & Quince", "5 GHz", 112, 20, (24.0, 6.0, 3.9), 0.08),
        ("heron-loft", "6 GHz", 5, 160, (4.0, -4.5, 6.5), 0.06),
        ("tin-roof-6", "6 GHz", 37, 80, (6.0, -9.0, 4.0), 0.04),
    ]
    radios = (*hall, *landing, *studio)
    channels: dict[Band, tuple[int, int]] = {"2.4 GHz": (6, 20), "5 GHz": (36, 80), "6 GHz": (5, 160)}
    job = Job(
        title="Kiln Row 9: lessons break up",
        country="NL",
        complaint=(
            "The video lessons break up after seven in the evening, worst in the music room. The kiln sensor and the "
            "greenhouse vents go missing at random. We thought of a faster subscription."
        ),
        opened_at="2026-03-02T18:40:00+01:00",
        time_zone="Europe/Amsterdam",
        building=building,
        places=_placed(places, positions, building),
        nodes=(
            Node(
                id="hall",
                name="Hall router",
                place_id="hall",
                radios=hall,
                stand=Stand(storey=0, x_m=1.0, y_m=1.2, height_m=0.8, mounting="wooden cabinet"),
                outlet_id="line",
            ),
            Node(
                id="landing",
                name="Landing node",
                place_id="landing",
                radios=landing,
                uplink=Uplink(to_node_id="hall"),
                stand=Stand(storey=1, x_m=2.2, y_m=2.6, height_m=1.7, mounting="wall"),
                outlet_id="landing-wall",
            ),
            Node(
                id="studio",
                name="Studio node",
                place_id="studio",
                radios=studio,
                uplink=Uplink(to_node_id="hall", band="5 GHz", rssi_dbm=-70.0),
                stand=Stand(
                    storey=0, x_m=15.0, y_m=2.4, height_m=1.3, mounting="shelf", antennas=(Antenna(0.0), Antenna(0.0))
                ),
            ),
        ),
        settings=Settings(_factory(radios, channels), 18, Names(high_band_from_dbm=-65.0)),
        devices=devices,
        zigbee=zigbee,
        wiring=Wiring(
            boxes=(LineBox("line-box", "Line box", "provider's box", "hall"),),
            cables=(Cable("line-box", "hall"), Cable("hall", "landing")),
            facts=(
                BoxFacts(box_id="line-box", mode="routes", own_admin_password=True, remote_management=False),
                BoxFacts(box_id="hall", mode="routes", line_address="192.168.1.23", own_admin_password=True),
            ),
            same_password=True,
        ),
        complaints=(
            Complaint(
                id="lessons",
                what="calls break up",
                place_id="music-room",
                device_id="lesson-laptop",
                when="in the evening",
                since="since autumn",
            ),
            Complaint(
                id="vents",
                what="a sensor or plug goes missing",
                place_id="greenhouse",
                device_id="vent-east",
                when="at random",
                per_week=3.0,
            ),
        ),
        other_senders=(
            OtherSender(
                id="oven",
                name="Kitchen oven",
                kind="microwave oven",
                place_id="kitchen",
                running_fraction=0.1,
                from_hour=11,
                to_hour=21,
            ),
            OtherSender(
                id="speaker", name="Studio radio speaker", kind="Bluetooth", place_id="studio", running_fraction=0.5
            ),
        ),
    )
    return Scenario(
        job=job,
        positions=positions,
        neighbours=_neighbours(11, spots),
        seed=20260302,
        clock="2026-03-02T19:20:00+01:00",
    )


def lock_house() -> Scenario:
    """Lock House 2."""
    ssid = "towpath"
    building = lock_house_building()
    front = _radios("front", 9, ssid, ("2.4 GHz", "5 GHz"), "802.11ax")
    positions: dict[str, Spot] = {
        "front-room": (1.5, 1.5, 1.2),
        "workbench": (6.5, 2.0, 1.0),
        "upstairs": (4.0, 2.5, 4.0),
        "boat-shed": (13.5, 3.0, 1.2),
    }
    both: tuple[Band, ...] = ("2.4 GHz", "5 GHz")
    slow: tuple[Band, ...] = ("2.4 GHz",)
    channels: dict[Band, tuple[int, int]] = {"2.4 GHz": (8, 40), "5 GHz": (44, 80)}
    zigbee = Zigbee(
        hub_place_id="front-room",
        selectable_channels=(11, 15, 20, 25),
        devices=(
            MeshDevice("pump", "Bilge pump plug", "boat-shed", mains_powered=True),
            MeshDevice("water", "Water sensor", "boat-shed"),
            MeshDevice("bench-lamp", "Bench lamp", "workbench", mains_powered=True),
            MeshDevice("stair", "Stair sensor", "upstairs"),
            MeshDevice("door", "Shed door sensor", "boat-shed"),
        ),
    )
    spots: list[tuple[str, Band, int, int, Spot, float]] = [
        ("lockkeeper", "2.4 GHz", 6, 20, (-7.0, 2.0, 1.2), 0.4),
        ("barge-three", "2.4 GHz", 11, 20, (8.0, 13.0, 1.2), 0.15),
        ("weir cottage", "2.4 GHz", 9, 20, (3.0, -9.0, 1.2), 0.3),
        ("", "2.4 GHz", 1, 20, (18.0, -9.0, 1.2), 0.1),
        ("lockkeeper", "5 GHz", 44, 80, (-7.0, 2.0, 1.2), 0.3),
        ("weir cottage", "5 GHz", 36, 80, (3.0, -9.0, 1.2), 0.35),
        ("barge-three", "5 GHz", 100, 40, (8.0, 13.0, 1.2), 0.05),
    ]
    job = Job(
        title="Lock House 2: sensors go missing",
        country="NL",
        complaint="The water sensor in the boat shed drops out for hours, and the picture upstairs freezes.",
        opened_at="2026-02-11T19:00:00+01:00",
        time_zone="Europe/Amsterdam",
        building=building,
        places=_placed(
            (
                Place(id="front-room", name="Front room", storey=0),
                Place(id="workbench", name="Workbench", storey=0),
                Place(id="upstairs", name="Upstairs", storey=1),
                Place(id="boat-shed", name="Boat shed", storey=0),
            ),
            positions,
            building,
        ),
        nodes=(Node(id="front", name="Front room router", place_id="front-room", radios=front),),
        settings=Settings(_factory(front, channels), 20),
        devices=(
            Device(
                id="screen",
                name="Upstairs screen",
                place_id="upstairs",
                bands=both,
                generation="802.11ac",
                streams=2,
                max_width_mhz=80,
                demand_down_mbps=25.0,
                demand_up_mbps=0.5,
            ),
            Device(
                id="laptop",
                name="Bench laptop",
                place_id="workbench",
                bands=slow,
                generation="802.11n",
                streams=1,
                max_width_mhz=20,
                demand_down_mbps=9.0,
                demand_up_mbps=3.0,
            ),
            Device(
                id="phone",
                name="Phone",
                place_id="front-room",
                bands=both,
                generation="802.11ax",
                streams=2,
                max_width_mhz=80,
                demand_down_mbps=6.0,
                demand_up_mbps=1.0,
                must_have=False,
            ),
            Device(
                id="shed-camera",
                name="Shed camera",
                place_id="boat-shed",
                bands=slow,
                generation="802.11n",
                streams=1,
                max_width_mhz=20,
                demand_down_mbps=0.2,
                demand_up_mbps=3.0,
            ),
            Device(
                id="radio",
                name="Kitchen radio",
                place_id="front-room",
                bands=slow,
                generation="802.11n",
                streams=1,
                max_width_mhz=20,
                demand_down_mbps=0.5,
                demand_up_mbps=0.1,
                must_have=False,
            ),
        ),
        zigbee=zigbee,
        complaints=(
            Complaint(
                id="water",
                what="a sensor or plug goes missing",
                place_id="boat-shed",
                device_id="water",
                when="at random",
                since="January",
                per_week=4.0,
            ),
            Complaint(
                id="picture",
                what="video stalls",
                place_id="upstairs",
                device_id="screen",
                when="in the evening",
                per_week=2.0,
            ),
        ),
        wiring=Wiring(
            boxes=(LineBox("modem", "Modem", "modem", "front-room"),),
            cables=(Cable("modem", "front"),),
            facts=(
                BoxFacts(box_id="modem", own_admin_password=True),
                BoxFacts(box_id="front", mode="routes", own_admin_password=True, remote_management=False),
            ),
            guests_apart=True,
        ),
    )
    return Scenario(
        job=job,
        positions=positions,
        neighbours=_neighbours(23, spots),
        seed=20260211,
        clock="2026-02-11T19:30:00+01:00",
    )


def world_of(scenario: Scenario) -> World:
    """The simulated house of a scenario, with the levels that its geometry gives."""
    job = scenario.job
    state = WorldState(
        seed=scenario.seed,
        clock=scenario.clock,
        positions=scenario.positions,
        neighbours=(*scenario.neighbours, unheard_sender(scenario.seed, x_m=-6.0, y_m=4.0)),
        levels_dbm={},
        settings=job.settings,
        measured_settings=job.settings,
    )
    world = World(job, state)
    nodes = tuple(
        replace(n, uplink=replace(n.uplink, rssi_dbm=_link_level(world, n))) if n.uplink and n.uplink.band else n
        for n in job.nodes
    )
    job = replace(job, nodes=nodes, zigbee=_linked(world))
    validate_job(job)
    world.job = job
    rng = random.Random(scenario.seed)
    links = job.zigbee.links if job.zigbee else ()
    world.state = replace(world.state, zigbee_links_dbm=tuple(round(li.rssi_dbm + rng.gauss(0, 2), 1) for li in links))
    return world


def _link_level(world: World, node: Node) -> float:
    assert node.uplink is not None
    parent = next(n for n in world.job.nodes if n.id == node.uplink.to_node_id)
    radio = next(r for r in parent.radios if r.band == node.uplink.band)
    return round(world.own_level_dbm(radio.id, node.place_id, 20.0), 1)


def _linked(world: World) -> Zigbee | None:
    """The Zigbee network with the links that its geometry gives: hub to all, mains-powered devices to all."""
    zigbee = world.job.zigbee
    if zigbee is None:
        return None
    ends = [("hub", zigbee.hub_place_id, True), *((d.id, d.place_id, d.mains_powered) for d in zigbee.devices)]
    links = []
    for i, (a, at_a, relays_a) in enumerate(ends):
        for b, at_b, relays_b in ends[i + 1 :]:
            if relays_a or relays_b:
                level = ZIGBEE_EIRP_DBM - world.path_loss_db(f"zigbee/{a}/{b}", world.position(at_a), at_b, "2.4 GHz")
                if level > ZIGBEE_FLOOR_DBM:
                    links.append(MeshLink(a, b, round(min(level, -30.0), 1)))
    return replace(zigbee, links=tuple(links))


def measure(world: World, when: str) -> Job:
    """Listen, test and read the hub's log at every place, as a technician would; the job with all of it."""
    scanner, tester, hub = SimulatedScanner(world), SimulatedSpeedTest(world), SimulatedHub(world)
    listens, tests = [], []
    for place in world.job.places:
        listen = scanner.listen(place.id, BANDS)
        listens.append(replace(listen, id=f"{when}-{place.id}"))
        tests.append(tester.run(place.id, 5))
        world.advance(60)
    job = world.job
    return replace(
        job,
        listens=(*job.listens, *listens),
        speed_tests=(*job.speed_tests, *tests),
        zigbee_reports=(*job.zigbee_reports, *hub.reports(2.0)),
    )


def scanned(world: World, job: Job) -> Job:
    """The job with an energy scan by the hub and what a sniffer heard of 802.15.4 networks beside it."""
    if job.zigbee is None:
        return job
    place, at, hub = job.zigbee.hub_place_id, world.state.clock, SimulatedHub(world)
    scan = EnergyScan(id="scan-hub", place_id=place, scanned_at=at, source="hub", levels=hub.energy_scan())
    own = PanHeard(
        id="pan-own",
        place_id=place,
        heard_at=at,
        source="sniffer",
        pan_id="0x5e1f",
        channel=job.settings.zigbee_channel or 11,
        frames=412,
        airtime_fraction=0.006,
        rssi_dbm=-48.0,
        own=True,
    )
    other = PanHeard(
        id="pan-next-door",
        place_id=place,
        heard_at=at,
        source="sniffer",
        pan_id="0x2c07",
        channel=20,
        frames=96,
        airtime_fraction=0.004,
        rssi_dbm=-82.0,
    )
    return replace(job, energy_scans=(*job.energy_scans, scan), pans=(*job.pans, own, other))


def finish(world: World, seconds: float = 10.0) -> Job:
    """Tune the measured house, send the plan to its boxes and measure again the next day at the same hour."""
    job = world.job
    plan = make_plan(House(job), seconds=seconds)
    world.advance(1800)
    console, hub = SimulatedConsole(world), SimulatedHub(world)
    before = Settings(console.read(), hub.channel(), console.names())
    for node in reversed(job.nodes):
        changed = tuple(
            plan.settings.of(r.id) for r in node.radios if not same_setting(before.of(r.id), plan.settings.of(r.id))
        )
        if changed:
            list(console.save(node.id, changed))
    if plan.settings.zigbee_channel not in (None, before.zigbee_channel):
        list(hub.move(plan.settings.zigbee_channel or 0))
    after = Settings(console.read(), hub.channel(), console.names())
    change = Change(world.state.clock, before, after, "best setting found")
    world.job = replace(job, settings=after, changes=(*job.changes, change))
    start = world.job.listens[0].heard_at
    day = 24 * 3600
    world.advance(day - (world.now - datetime.fromisoformat(start)).total_seconds())
    return asked_again(measure(world, "after"), change.changed_at)


def asked_again(job: Job, changed_at: str) -> Job:
    """The job with what the household told in the weeks after the change."""

    def later(days: float) -> str:
        return (datetime.fromisoformat(changed_at) + timedelta(days=days)).isoformat(timespec="seconds")

    return replace(
        job,
        drop_outs=(DropOut("first-night", later(1.3), "water", "the night after; not since"),),
        follow_ups=(
            FollowUp("two-weeks", later(14), "by telephone", later(14)),
            FollowUp("six-weeks", later(42), "by telephone", later(42)),
        ),
    )
