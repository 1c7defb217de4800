"""Kiln Row: a mid-terrace house on three floors with a mesh, in the demo."""

from __future__ import annotations

from even_static.core.house.building import (
    Antenna,
    Stand,
)
from even_static.core.house.complaint import Complaint
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Uplink, Zigbee
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.other_sources import OtherSource
from even_static.core.house.settings import Settings, SsidPlan
from even_static.core.house.wiring import Cable, EquipmentFacts, LineEquipment, Wiring
from even_static.core.tables.bands import BANDS, Band
from even_static.instruments.simulated.kiln_row_building import kiln_row_building
from even_static.instruments.simulated.scenarios import (
    Scenario,
    Spot,
    factory_settings,
    placed_at,
    placed_neighbours,
    radios_of,
)

POSITIONS: dict[str, Spot] = {
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
PLACES = (
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
BOTH: tuple[Band, ...] = ("2.4 GHz", "5 GHz")
SLOW: tuple[Band, ...] = ("2.4 GHz",)
DEVICES = (
    Device(
        id="lesson-laptop",
        name="Lesson laptop",
        place_id="music-room",
        bands=SLOW,
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
        bands=BOTH,
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
        bands=SLOW,
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
        bands=BOTH,
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
        bands=BOTH,
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
        bands=SLOW,
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
        bands=BOTH,
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
        bands=SLOW,
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
        bands=SLOW,
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
        bands=SLOW,
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
        bands=SLOW,
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
        bands=SLOW,
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
        bands=SLOW,
        generation="802.11n",
        streams=1,
        max_width_mhz=20,
        demand_down_mbps=0.05,
        demand_up_mbps=0.05,
        awkward=True,
    ),
)
ZIGBEE = Zigbee(
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
SPOTS: list[tuple[str, Band, int, int, Spot, float]] = [
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
CHANNELS: dict[Band, tuple[int, int]] = {"2.4 GHz": (6, 20), "5 GHz": (36, 80), "6 GHz": (5, 160)}


WIRING = Wiring(
    line_equipment=(LineEquipment("line-box", "Line box", "provider's gateway", "hall"),),
    cables=(Cable("line-box", "hall"), Cable("hall", "landing")),
    facts=(
        EquipmentFacts(equipment_id="line-box", mode="routes", own_admin_password=True, remote_management=False),
        EquipmentFacts(equipment_id="hall", mode="routes", line_address="192.168.1.23", own_admin_password=True),
    ),
    same_password=True,
)
COMPLAINTS = (
    Complaint(
        id="lessons",
        what="calls break up",
        place_id="music-room",
        device_id="lesson-laptop",
        when="in the evening",
        since="autumn",
    ),
    Complaint(
        id="vents",
        what="a sensor or plug goes missing",
        place_id="greenhouse",
        device_id="vent-east",
        when="at random",
        per_week=3.0,
    ),
)


def kiln_row() -> Scenario:
    """Kiln Row 9."""
    ssid = "wickerwork"
    building = kiln_row_building()
    hall = radios_of("hall", 1, ssid, BANDS, "802.11ax")
    landing = radios_of("landing", 2, ssid, BANDS, "802.11ax")
    studio = radios_of("studio", 3, ssid, ("2.4 GHz", "5 GHz"), "802.11ax")
    radios = (*hall, *landing, *studio)
    job = Job(
        kind="practice",
        title="Kiln Row 9: lessons break up",
        country="NL",
        complaint=(
            "The video lessons break up after seven in the evening, worst in the music room. The kiln sensor and the "
            "greenhouse vents go missing at random. We thought of a faster subscription."
        ),
        opened_at="2026-03-02T18:40:00+01:00",
        time_zone="Europe/Amsterdam",
        building=building,
        places=placed_at(PLACES, POSITIONS, building),
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
                uplink=Uplink(to_node_id="hall", band="5 GHz"),
                stand=Stand(
                    storey=0, x_m=15.0, y_m=2.4, height_m=1.3, mounting="shelf", antennas=(Antenna(0.0), Antenna(0.0))
                ),
            ),
        ),
        settings=Settings(factory_settings(radios, CHANNELS), 18, SsidPlan(high_band_from_dbm=-65.0)),
        devices=DEVICES,
        zigbee=ZIGBEE,
        wiring=WIRING,
        complaints=COMPLAINTS,
        other_sources=(
            OtherSource(
                id="oven",
                name="Kitchen oven",
                kind="microwave oven",
                place_id="kitchen",
                running_fraction=0.1,
                from_hour=11,
                to_hour=21,
            ),
            OtherSource(
                id="speaker", name="Studio radio speaker", kind="Bluetooth", place_id="studio", running_fraction=0.5
            ),
        ),
    )
    return Scenario(
        job=job,
        positions=POSITIONS,
        neighbours=placed_neighbours(11, SPOTS),
        seed=20260302,
        clock="2026-03-02T19:20:00+01:00",
    )
