"""The lock-keeper's house: a flat house with thick walls and an outbuilding, in the demo."""

from __future__ import annotations

from even_static.core.house.building import (
    Building,
    Storey,
)
from even_static.core.house.complaint import Complaint
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Zigbee
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.settings import Settings
from even_static.core.house.wiring import Cable, EquipmentFacts, LineEquipment, Wiring
from even_static.core.tables.bands import Band
from even_static.instruments.simulated.scenarios import (
    Scenario,
    Spot,
    factory_settings,
    placed_at,
    placed_neighbours,
    radios_of,
    typed_walls,
)


def lock_house_building() -> Building:
    """Lock House 2 as built: a masonry cottage with a boat shed."""
    building = Building(house_type="masonry house", storeys=(Storey(0, 2.7), Storey(1, 2.6)))
    return typed_walls(
        building,
        [
            "front room 4.2 4.0",
            "workshop 4.4 4.0 right of front room",
            "quay garden 3.0 4.0 right of workshop",
            "shed 4.0 4.2 right of quay garden",
            "upstairs 8.6 4.0 above front room",
        ],
    )


POSITIONS: dict[str, Spot] = {
    "front-room": (1.5, 1.5, 1.2),
    "workbench": (6.5, 2.0, 1.0),
    "upstairs": (4.0, 2.5, 4.0),
    "boat-shed": (13.5, 3.0, 1.2),
}
BOTH: tuple[Band, ...] = ("2.4 GHz", "5 GHz")
SLOW: tuple[Band, ...] = ("2.4 GHz",)
CHANNELS: dict[Band, tuple[int, int]] = {"2.4 GHz": (8, 40), "5 GHz": (44, 80)}
ZIGBEE = Zigbee(
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
SPOTS: list[tuple[str, Band, int, int, Spot, float]] = [
    ("lockkeeper", "2.4 GHz", 6, 20, (-7.0, 2.0, 1.2), 0.4),
    ("barge-three", "2.4 GHz", 11, 20, (8.0, 13.0, 1.2), 0.15),
    ("weir cottage", "2.4 GHz", 9, 20, (3.0, -9.0, 1.2), 0.3),
    ("", "2.4 GHz", 1, 20, (18.0, -9.0, 1.2), 0.1),
    ("lockkeeper", "5 GHz", 44, 80, (-7.0, 2.0, 1.2), 0.3),
    ("weir cottage", "5 GHz", 36, 80, (3.0, -9.0, 1.2), 0.35),
    ("barge-three", "5 GHz", 100, 40, (8.0, 13.0, 1.2), 0.05),
]


DEVICES = (
    Device(
        id="screen",
        name="Upstairs screen",
        place_id="upstairs",
        bands=BOTH,
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
        bands=SLOW,
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
        bands=BOTH,
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
        bands=SLOW,
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
        bands=SLOW,
        generation="802.11n",
        streams=1,
        max_width_mhz=20,
        demand_down_mbps=0.5,
        demand_up_mbps=0.1,
        must_have=False,
    ),
)
COMPLAINTS = (
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
)
WIRING = Wiring(
    line_equipment=(LineEquipment("modem", "Modem", "modem", "front-room"),),
    cables=(Cable("modem", "front"),),
    facts=(
        EquipmentFacts(equipment_id="modem", own_admin_password=True),
        EquipmentFacts(equipment_id="front", mode="routes", own_admin_password=True, remote_management=False),
    ),
    guests_apart=True,
)


def lock_house() -> Scenario:
    """Lock House 2."""
    ssid = "towpath"
    building = lock_house_building()
    front = radios_of("front", 9, ssid, ("2.4 GHz", "5 GHz"), "802.11ax")
    job = Job(
        kind="practice",
        title="Lock House 2: sensors go missing",
        country="NL",
        complaint="The water sensor in the boat shed drops out for hours, and the picture upstairs freezes.",
        opened_at="2026-02-11T19:00:00+01:00",
        time_zone="Europe/Amsterdam",
        building=building,
        places=placed_at(
            (
                Place(id="front-room", name="Front room", storey=0),
                Place(id="workbench", name="Workbench", storey=0),
                Place(id="upstairs", name="Upstairs", storey=1),
                Place(id="boat-shed", name="Boat shed", storey=0),
            ),
            POSITIONS,
            building,
        ),
        nodes=(Node(id="front", name="Front room router", place_id="front-room", radios=front),),
        settings=Settings(factory_settings(front, CHANNELS), 20),
        devices=DEVICES,
        zigbee=ZIGBEE,
        complaints=COMPLAINTS,
        wiring=WIRING,
    )
    return Scenario(
        job=job,
        positions=POSITIONS,
        neighbours=placed_neighbours(23, SPOTS),
        seed=20260211,
        clock="2026-02-11T19:30:00+01:00",
    )
