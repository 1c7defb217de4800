"""Practice houses made from a seed: a size, and a difficulty for how crowded the air is and how badly nodes are placed.

What is drawn is written down with the house as it is; nothing is measured yet, and the complaint is all that is told.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, replace
from typing import Final

from even_static.core.house.building import Building, Outlet, Stand, Storey
from even_static.core.house.complaint import Complaint
from even_static.core.house.job import Job, PracticeDifficulty, PracticeSize
from even_static.core.house.kit import Device, Node, Place, Uplink, Zigbee
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.rooms import room_at
from even_static.core.house.settings import Settings
from even_static.core.house.typed import add_typed
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.materials import HouseType, Mounting
from even_static.core.tables.zigbee import USUAL_HUB_CHANNELS
from even_static.instruments.simulated.neighbourhood import invent_neighbours
from even_static.instruments.simulated.scenarios import Scenario, Spot, factory_settings, radios_of
from even_static.truth.drawn import drawn_house


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """Rooms by name, width, depth and where they lie, floors, where nodes stand, and how many devices there are."""

    house_type: HouseType
    floors: int
    rooms: tuple[str, ...]
    nodes: tuple[str, ...]
    devices: int
    sensors: int


SHAPES: Final[dict[str, Shape]] = {
    "flat": Shape(
        house_type="concrete flat",
        floors=1,
        rooms=("living room 5.2 4.4", "hall 1.8 4.4 right of living room", "bedroom 3.8 4.4 right of hall",
               "kitchen 3.6 3.0 behind living room", "bathroom 2.4 3.0 behind bedroom"),
        nodes=("hall",),
        devices=6,
        sensors=3,
    ),
    "house": Shape(
        house_type="brick terrace",
        floors=2,
        rooms=("hall 2.0 4.6", "living room 4.4 4.6 right of hall", "kitchen 3.6 3.2 behind living room",
               "landing 2.0 4.6 above hall", "bedroom 4.4 4.6 right of landing", "study 3.6 3.2 behind bedroom"),
        nodes=("hall", "landing"),
        devices=10,
        sensors=5,
    ),
    "large house": Shape(
        house_type="masonry house",
        floors=3,
        rooms=("hall 2.4 5.0", "living room 5.4 5.0 right of hall", "kitchen 4.2 3.6 behind living room",
               "workshop 4.0 3.6 right of kitchen", "landing 2.4 5.0 above hall", "bedroom 5.4 5.0 right of landing",
               "study 4.2 3.6 behind bedroom", "attic 7.8 5.0 above landing"),
        nodes=("hall", "landing", "attic"),
        devices=14,
        sensors=8,
    ),
}  # fmt: skip
NEIGHBOURS: Final[dict[PracticeDifficulty, int]] = {"quiet": 4, "usual": 14, "crowded": 34}
MOUNTINGS: Final[dict[PracticeDifficulty, tuple[Mounting, ...]]] = {
    "quiet": ("shelf", "wall"),
    "usual": ("shelf", "wooden cabinet", "wall"),
    "crowded": ("wooden cabinet", "metal enclosure", "floor", "behind a door"),
}
KINDS: Final[tuple[tuple[str, tuple[Band, ...], str, float, float], ...]] = (
    ("phone", BANDS, "802.11ax", 4.0, 1.0),
    ("laptop", ("2.4 GHz", "5 GHz"), "802.11ac", 6.0, 6.0),
    ("television", ("2.4 GHz", "5 GHz"), "802.11ac", 20.0, 0.5),
    ("camera", ("2.4 GHz",), "802.11n", 0.2, 2.0),
    ("speaker", ("2.4 GHz",), "802.11n", 0.6, 0.1),
    ("tablet", ("2.4 GHz", "5 GHz"), "802.11ax", 5.0, 1.0),
)


def practice_scenario(
    seed: int,
    size: PracticeSize,
    difficulty: PracticeDifficulty,
    *,
    country: str,
    time_zone: str | None,
    opened_at: str,
) -> Scenario:
    """The scenario of a seed: the same seed, size and difficulty give the same house. With "any house" everything is
    drawn, the difficulty too: flats, terraces and detached houses of one to five nodes, as the judge draws them."""
    if size == "any house":
        return _any_house(seed, country, time_zone, opened_at)
    rng = random.Random(f"practice/{seed}/{size}/{difficulty}")
    shape = SHAPES[size]
    building = Building(
        house_type=shape.house_type,
        storeys=tuple(Storey(n, 2.7) for n in range(shape.floors)),
        party_walls=("left", "right") if difficulty == "crowded" else ("left",) if shape.floors > 1 else (),
    )
    for line in shape.rooms:
        building = add_typed(building, line)[0]
    places, positions = _places(rng, building)
    nodes, outlets = _nodes(rng, shape, building, difficulty)
    radios = tuple(r for n in nodes for r in n.radios)
    channels: dict[Band, tuple[int, int]] = {"2.4 GHz": (6, 40 if difficulty == "crowded" else 20), "5 GHz": (36, 80)}
    zigbee = _zigbee(rng, places, nodes[0].place_id, shape.sensors)
    devices = _devices(rng, places, shape.devices)
    job = Job(
        kind="practice",
        title=f"Practice {size} {seed}, {difficulty}",
        country=country,
        time_zone=time_zone,
        opened_at=opened_at,
        complaint="Invented for practice: find out what is wrong, and put it right.",
        building=Building(**{f: getattr(building, f) for f in building.__dataclass_fields__} | {"outlets": outlets}),
        places=places,
        nodes=nodes,
        settings=Settings(factory_settings(radios, channels), rng.choice(USUAL_HUB_CHANNELS)),
        devices=devices,
        zigbee=zigbee,
        complaints=(
            Complaint(id="slow", what="a room is slow", place_id=rng.choice(places).id, when="in the evening"),
            Complaint(id="gone", what="a sensor or plug goes missing", device_id=rng.choice(zigbee.devices).id),
        ),
    )
    neighbours = invent_neighbours(seed, NEIGHBOURS[difficulty], max(2, shape.floors))
    return Scenario(job=job, positions=positions, neighbours=neighbours, seed=seed, clock=opened_at)


def _any_house(seed: int, country: str, time_zone: str | None, opened_at: str) -> Scenario:
    """A house of which only the number is chosen."""
    drawn, rng = drawn_house(seed, opened_at, country, time_zone), random.Random(f"practice/{seed}/any")
    job = drawn.job
    complaints = [
        Complaint(id="slow", what="a room is slow", place_id=rng.choice(job.places).id, when="in the evening")
    ]
    if job.zigbee is not None and job.zigbee.devices:
        gone = rng.choice(job.zigbee.devices).id
        complaints.append(Complaint(id="gone", what="a sensor or plug goes missing", device_id=gone))
    building = job.building
    assert building is not None
    positions = {
        p.id: (p.x_m, p.y_m, building.elevation_m(p.storey) + p.height_m)
        for p in job.places
        if p.x_m is not None and p.y_m is not None
    }
    job = replace(job, title=f"Practice any house {seed}", complaints=tuple(complaints))
    return Scenario(job=job, positions=positions, neighbours=drawn.neighbours, seed=seed, clock=opened_at)


def _places(rng: random.Random, building: Building) -> tuple[tuple[Place, ...], dict[str, Spot]]:
    """A spot in every room, somewhere off its middle."""
    places, positions = [], {}
    for room in building.rooms:
        xs, ys = [p[0] for p in room.outline], [p[1] for p in room.outline]
        x = round(min(xs) + (max(xs) - min(xs)) * rng.uniform(0.3, 0.7), 2)
        y = round(min(ys) + (max(ys) - min(ys)) * rng.uniform(0.3, 0.7), 2)
        place = Place(id=room.id, name=room.name, storey=room.storey, x_m=x, y_m=y, height_m=1.2)
        places.append(place)
        positions[room.id] = (x, y, building.elevation_m(room.storey) + 1.2)
    return tuple(places), positions


def _nodes(
    rng: random.Random, shape: Shape, building: Building, difficulty: PracticeDifficulty
) -> tuple[tuple[Node, ...], tuple[Outlet, ...]]:
    """Nodes in their rooms, the first one at the line, and outlets in every room, some with a cable end."""
    nodes, outlets = [], []
    by_id = {r.id: r for r in building.rooms}
    for n, room_id in enumerate(shape.nodes):
        room = by_id[room_id]
        x, y = (round(sum(c) / len(room.outline), 2) for c in zip(*room.outline, strict=True))
        x, y = round(x + rng.uniform(-0.4, 0.4), 2), round(y + rng.uniform(-0.6, 0.6), 2)
        radios = radios_of(room_id, 0x20 + n, "practice", ("2.4 GHz", "5 GHz"), "802.11ax")
        band: Band = "5 GHz"
        uplink = None if n == 0 else Uplink(to_node_id=shape.nodes[n - 1], band=band)
        stand = Stand(
            storey=room.storey,
            x_m=x,
            y_m=y,
            height_m=rng.choice((0.4, 1.0, 1.6)),
            mounting=rng.choice(MOUNTINGS[difficulty]),
        )
        name = "Router" if n == 0 else f"{room.name} node"
        nodes.append(Node(id=room_id, name=name, place_id=room_id, radios=radios, uplink=uplink, stand=stand))
    for room in building.rooms:
        xs, ys = [p[0] for p in room.outline], [p[1] for p in room.outline]
        x, y = round(min(xs) + 0.3, 2), round((min(ys) + max(ys)) / 2, 2)
        if room_at(building, room.storey, x, y) is not None:
            drops = int(rng.random() < 0.3)
            outlets.append(
                Outlet(
                    id=f"out-{room.id}"[:40],
                    name=f"{room.name} outlet",
                    storey=room.storey,
                    x_m=x,
                    y_m=y,
                    power=True,
                    cable_drops=drops,
                )
            )
    return tuple(nodes), tuple(outlets)


def _devices(rng: random.Random, places: tuple[Place, ...], count: int) -> tuple[Device, ...]:
    found = []
    for n in range(count):
        name, bands, generation, down, up = KINDS[n % len(KINDS)]
        place = rng.choice(places)
        found.append(
            Device(
                id=f"{name}-{n + 1}",
                name=f"{place.name} {name}",
                place_id=place.id,
                bands=bands,
                generation=generation,  # type: ignore[arg-type]
                streams=1 if len(bands) == 1 else 2,
                max_width_mhz=20 if len(bands) == 1 else 80,
                demand_down_mbps=down,
                demand_up_mbps=up,
                must_have=n % 3 != 0,
                awkward=len(bands) == 1 and rng.random() < 0.4,
            )
        )
    return tuple(found)


def _zigbee(rng: random.Random, places: tuple[Place, ...], hub_place_id: str, count: int) -> Zigbee:
    """A hub beside the router and sensors through the house; its links follow from the house."""
    devices = tuple(
        MeshDevice(f"sensor-{n + 1}", f"{place.name} sensor {n + 1}", place.id, mains_powered=n % 3 == 0)
        for n in range(count)
        for place in [rng.choice(places)]
    )
    return Zigbee(hub_place_id=hub_place_id, selectable_channels=USUAL_HUB_CHANNELS, devices=devices)
