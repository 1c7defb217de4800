"""Practice houses by seed, of many kinds: flats, terraces and detached houses, one to five nodes on cables or radio
links, a few devices or forty, a lone house or sixty neighbours, hubs fixed and free. All drawn figures are common
practice."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace
from typing import Final

from even_static.core.house.building import Building, Room, Stand, Storey
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio, Uplink, Zigbee
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.readings import Reading
from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.spectrum.channels import Block, block_for
from even_static.core.spectrum.lawful import LawfulBlock, lawful_blocks
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.materials import HouseType, Mounting
from even_static.core.tables.phy import Generation
from even_static.core.tables.zigbee import USUAL_HUB_CHANNELS
from even_static.truth.neighbours import Neighbour

KINDS: Final = ("flat", "terrace", "detached")
# Kits that let one keep devices off a radio that carries a link: common practice has it of the dearer half.
BACKHAUL_ONLY_SHARE: Final = 0.5
# Meshes that let one say which node another hangs on (common practice).
PARENT_SHARE: Final = 0.5
# Of the others those that find their links themselves (common practice).
FORMING_SHARE: Final = 0.6
COUNTRIES: Final = ("NL", "DE", "GB", "US", "FR")
# name, bands, generation, streams, widest channel, wanted down and up in Mb/s, how many of a hundred, must-have,
# awkward where steered.
DEVICES: Final[tuple[tuple[str, tuple[Band, ...], Generation, int, int, float, float, int, bool, float], ...]] = (
    ("phone", ("2.4 GHz", "5 GHz", "6 GHz"), "802.11ax", 2, 160, 4.0, 1.0, 10, True, 0.0),
    ("older phone", ("2.4 GHz", "5 GHz"), "802.11ac", 2, 80, 3.0, 0.8, 12, True, 0.0),
    ("laptop", ("2.4 GHz", "5 GHz"), "802.11ax", 2, 160, 6.0, 5.0, 12, True, 0.0),
    ("television", ("2.4 GHz", "5 GHz"), "802.11ac", 2, 80, 20.0, 0.5, 10, True, 0.0),
    ("console", ("2.4 GHz", "5 GHz"), "802.11ac", 2, 80, 12.0, 2.0, 5, False, 0.0),
    ("camera", ("2.4 GHz",), "802.11n", 1, 20, 0.2, 2.5, 10, True, 0.15),
    ("bell", ("2.4 GHz",), "802.11n", 1, 20, 0.2, 1.5, 4, True, 0.3),
    ("speaker", ("2.4 GHz", "5 GHz"), "802.11n", 1, 20, 0.5, 0.1, 10, False, 0.0),
    ("plug", ("2.4 GHz",), "802.11n", 1, 20, 0.02, 0.02, 20, False, 0.2),
    ("printer", ("2.4 GHz",), "802.11g", 1, 20, 0.1, 0.1, 3, False, 0.1),
    ("tablet", ("2.4 GHz", "5 GHz"), "802.11ac", 2, 80, 6.0, 0.7, 8, False, 0.0),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """A house of a seed before anybody measured it, and its neighbours."""

    job: Job
    neighbours: tuple[Neighbour, ...]
    seed: int


def drawn_house(
    seed: int, opened_at: str = "2026-03-02T14:00:00+01:00", country: str | None = None, time_zone: str | None = None
) -> Drawn:
    """The house of a seed: the same seed gives the same house. ``country``: where it stands; drawn too, where none is
    given, and its clock then that of Europe/Amsterdam."""
    rng = random.Random(f"drawn/{seed}")
    kind = rng.choice(KINDS)
    building = _building(rng, kind)
    places = tuple(
        Place(
            id=r.id,
            name=r.name,
            storey=r.storey,
            x_m=round(sum(p[0] for p in r.outline) / 4 + rng.uniform(-0.6, 0.6), 2),
            y_m=round(sum(p[1] for p in r.outline) / 4 + rng.uniform(-0.6, 0.6), 2),
        )
        for r in building.rooms
    )
    drawn_in = rng.choice(COUNTRIES)
    zone = "Europe/Amsterdam" if country is None else time_zone
    country = country or drawn_in
    nodes = _nodes(rng, building, places, country)
    # Drawn apart, so that all else of a house does not depend on it.
    if random.Random(f"backhaul only {seed}").random() < BACKHAUL_ONLY_SHARE:
        nodes = tuple(replace(n, radios=tuple(_closable(r) for r in n.radios)) for n in nodes)
    if random.Random(f"parents {seed}").random() < PARENT_SHARE:
        nodes = tuple(replace(n, can_choose_parent=n.uplink is not None) for n in nodes)
    elif random.Random(f"forms itself {seed}").random() < FORMING_SHARE:
        nodes = tuple(replace(n, self_forming=n.uplink is not None) for n in nodes)
    settings = _factory(rng, nodes, country)
    devices = _devices(rng, places)
    zigbee = _zigbee(rng, places, nodes) if rng.random() < 0.85 else None
    channel = None if zigbee is None else rng.choice(zigbee.selectable_channels)
    job = Job(
        kind="practice",
        title=f"Practice house {seed}",
        country=country,
        time_zone=zone,
        opened_at=opened_at,
        complaint="Invented for practice: find out what is wrong, and put it right.",
        building=building,
        places=places,
        nodes=nodes,
        settings=Settings(settings, channel),
        devices=devices,
        zigbee=zigbee,
    )
    return Drawn(job=job, neighbours=_neighbours(rng, seed, kind, building, country), seed=seed)


def _building(rng: random.Random, kind: str) -> Building:
    storeys = {"flat": 1, "terrace": rng.choice((2, 2, 3)), "detached": rng.choice((1, 2, 2, 3))}[kind]
    columns = {"flat": rng.choice((2, 3)), "terrace": 2, "detached": rng.choice((2, 3))}[kind]
    rows = {"flat": 2, "terrace": rng.choice((2, 3)), "detached": 2}[kind]
    widths = [round(rng.uniform(2.6, 4.8), 1) for _ in range(columns)]
    depths = [round(rng.uniform(2.8, 4.6), 1) for _ in range(rows)]
    types: dict[str, tuple[HouseType, ...]] = {
        "flat": ("concrete flat", "timber frame", "masonry house"),
        "terrace": ("brick terrace", "masonry house", "timber frame"),
        "detached": ("masonry house", "timber frame", "brick terrace"),
    }
    house_type = rng.choice(types[kind])
    rooms = []
    for level in range(storeys):
        y = 0.0
        for j, depth in enumerate(depths):
            x = 0.0
            for i, width in enumerate(widths):
                name = f"{('ground', 'first', 'second')[level]} {j * columns + i + 1}"
                outline = ((x, y), (x + width, y), (x + width, y + depth), (x, y + depth))
                outline = tuple((round(a, 2), round(b, 2)) for a, b in outline)  # type: ignore[assignment]
                rooms.append(Room(id=name.replace(" ", "-"), name=name, storey=level, outline=outline))
                x += width
            y += depth
    party = {"flat": ("left", "right", "behind"), "terrace": ("left", "right"), "detached": ()}[kind]
    return Building(
        house_type=house_type,
        storeys=tuple(Storey(n, 2.7) for n in range(storeys)),
        party_walls=party,  # type: ignore[arg-type]
        rooms=tuple(rooms),
    )


def _nodes(rng: random.Random, building: Building, places: tuple[Place, ...], country: str) -> tuple[Node, ...]:
    largest = {1: 3, 2: 4, 3: 5}[len(building.storeys)]
    count = min(len(places), rng.choice([1, 1, 2, 2, 3, 3, 4, 5][: 2 + 2 * largest - 2]))
    where = rng.sample(places, count)
    where.sort(key=lambda p: p.storey)
    six = rng.random() < 0.3 and bool(lawful_blocks(country, "6 GHz", 80))
    spare = count > 1 and rng.random() < 0.25
    mountings: tuple[Mounting, ...] = ("shelf", "shelf", "wall", "floor", "wooden cabinet", "behind a door")
    nodes: list[Node] = []
    for n, place in enumerate(where):
        bands: tuple[Band, ...] = ("2.4 GHz", "5 GHz", "6 GHz") if six else ("2.4 GHz", "5 GHz")
        radios = [_radio(f"n{n}-{b.split()[0]}", n, i, b, six) for i, b in enumerate(bands)]
        if spare:
            radios.append(replace(_radio(f"n{n}-link", n, 3, "5 GHz", six), link_only=True))
        uplink = None
        if n > 0:
            to = rng.choice(nodes) if rng.random() < 0.25 else nodes[0]
            cable = rng.random() < 0.4
            uplink = Uplink(to_node_id=to.id, band=None if cable else "5 GHz")
        stand = Stand(
            storey=place.storey,
            x_m=round((place.x_m or 0.0) + rng.uniform(-0.8, 0.8), 2),
            y_m=round((place.y_m or 0.0) + rng.uniform(-0.8, 0.8), 2),
            height_m=rng.choice((0.4, 1.2, 1.8)),
            mounting=rng.choice(mountings),
        )
        nodes.append(
            Node(
                id=f"n{n}",
                name="Router" if n == 0 else f"Node {n}",
                place_id=place.id,
                radios=tuple(radios),
                uplink=uplink,
                stand=stand,
            )
        )
    return tuple(nodes)


def _closable(radio: Radio) -> Radio:
    return replace(radio, can_be_backhaul_only=radio.band != "2.4 GHz" and not radio.link_only)


def _radio(name: str, node: int, n: int, band: Band, new: bool) -> Radio:
    widths = {"2.4 GHz": (20, 40), "5 GHz": (20, 40, 80), "6 GHz": (20, 40, 80, 160)}[band]
    return Radio(
        id=name,
        bssid=f"02:70:72:00:{node:02x}:{n:02x}",
        ssid="home",
        band=band,
        generation="802.11ax" if new or band == "6 GHz" else "802.11ac" if band == "5 GHz" else "802.11n",
        streams=2,
        widths_mhz=widths,  # type: ignore[arg-type]
        eirp_steps_dbm=(11.0, 14.0, 17.0, 20.0),
    )


def _pick(rng: random.Random, country: str, band: Band, width: int, channels: tuple[int, ...] = ()) -> LawfulBlock:
    found = [b for b in lawful_blocks(country, band, width) if b.max_eirp_dbm >= 20 or band == "6 GHz"]
    fitting = [b for b in found if b.block.channel in channels] or found
    return rng.choice(fitting)


def _factory(rng: random.Random, nodes: tuple[Node, ...], country: str) -> tuple[RadioSetting, ...]:
    """As boxes come: all nodes alike, at full power, wide."""
    wide = rng.random() < 0.5
    blocks: dict[str, LawfulBlock] = {
        "2.4 GHz": _pick(rng, country, "2.4 GHz", 40 if wide else 20, (1, 6, 6, 11)),
        "5 GHz": _pick(rng, country, "5 GHz", 80, (36, 36, 44, 52, 100)),
    }
    if any(r.band == "6 GHz" for n in nodes for r in n.radios):
        blocks["6 GHz"] = _pick(rng, country, "6 GHz", 80)
    link = _pick(rng, country, "5 GHz", 80, (100, 116, 36))
    found = []
    for node in nodes:
        for radio in node.radios:
            b = link if radio.link_only else blocks[radio.band]
            steps = [e for e in radio.eirp_steps_dbm if e <= b.max_eirp_dbm]
            found.append(
                RadioSetting(
                    radio_id=radio.id,
                    channel=b.block.channel,
                    width_mhz=b.block.width_mhz,  # type: ignore[arg-type]
                    eirp_dbm=max(steps, default=min(radio.eirp_steps_dbm)),
                    centre_mhz=b.block.centre_mhz,
                )
            )
    return tuple(found)


def _devices(rng: random.Random, places: tuple[Place, ...]) -> tuple[Device, ...]:
    count = rng.choice((rng.randint(4, 10), rng.randint(8, 18), rng.randint(15, 40)))
    weights = [d[7] for d in DEVICES]
    found = []
    for n in range(count):
        name, bands, generation, streams, width, down, up, _, must, awkward = rng.choices(DEVICES, weights)[0]
        place = rng.choice(places)
        found.append(
            Device(
                id=f"d{n + 1}",
                name=f"{place.name} {name}",
                place_id=place.id,
                bands=bands,
                generation=generation,
                streams=streams,
                max_width_mhz=width,  # type: ignore[arg-type]
                demand_down_mbps=down,
                demand_up_mbps=up,
                must_have=must,
                awkward=rng.random() < awkward,
            )
        )
    return tuple(found)


def _zigbee(rng: random.Random, places: tuple[Place, ...], nodes: tuple[Node, ...]) -> Zigbee:
    hub = nodes[0].place_id if rng.random() < 0.6 else rng.choice(places).id
    channels = (rng.choice((11, 15, 20, 25)),) if rng.random() < 0.25 else USUAL_HUB_CHANNELS
    devices = tuple(
        MeshDevice(f"z{n + 1}", f"{place.name} {'plug' if mains else 'sensor'} {n + 1}", place.id, mains)
        for n in range(rng.randint(3, 20))
        for place in [rng.choice(places)]
        for mains in [rng.random() < 0.4]
    )
    return Zigbee(hub_place_id=hub, selectable_channels=channels, devices=devices)


def _neighbours(rng: random.Random, seed: int, kind: str, building: Building, country: str) -> tuple[Neighbour, ...]:
    most = {"flat": (10, 60), "terrace": (6, 40), "detached": (2, 14)}[kind]
    count = rng.randint(*most)
    near = {"flat": (1.5, 16.0), "terrace": (2.0, 22.0), "detached": (9.0, 35.0)}[kind]
    xs = [p[0] for r in building.rooms for p in r.outline]
    ys = [p[1] for r in building.rooms for p in r.outline]
    found = []
    for n in range(count):
        band: Band = rng.choices(BANDS, (6, 5, 1))[0]
        if not lawful_blocks(country, band, 20):
            band = "5 GHz"
        block = _their_block(rng, country, band)
        away, side = rng.uniform(*near), rng.choice("lrfb")
        x = rng.uniform(min(xs), max(xs)) if side in "fb" else (min(xs) - away if side == "l" else max(xs) + away)
        y = rng.uniform(min(ys), max(ys)) if side in "lr" else (min(ys) - away if side == "f" else max(ys) + away)
        level = rng.choice((-1, 0, 1)) if kind == "flat" else rng.randrange(max(2, len(building.storeys)))
        hidden = band == "2.4 GHz" and rng.random() < 0.04
        reading = Reading(
            bssid=f"06:00:{(seed >> 8) & 0xFF:02x}:{seed & 0xFF:02x}:00:{n:02x}",
            ssid=f"street-{n + 1}",
            band=band,
            channel=block.channel,
            centre_mhz=block.centre_mhz,
            width_mhz=block.width_mhz,  # type: ignore[arg-type]
            rssi_dbm=-80.0,
            security="WPA2",
            generation="802.11ax"
            if band == "6 GHz" or rng.random() < 0.5
            else ("802.11n", "802.11ac")[band != "2.4 GHz"],
            slowest_basic_rate_mbps=1.0 if band == "2.4 GHz" else 6.0,
        )
        found.append(
            Neighbour(
                reading=reading,
                x_m=round(x, 2),
                y_m=round(y, 2),
                z_m=round(level * 2.7 + 1.2, 2),
                eirp_dbm=rng.choice((17.0, 20.0)),
                busy_fraction=round(min(0.8, rng.lognormvariate(-2.6, 1.0)), 4),
                announces_load=rng.random() < 0.65,
                hidden=hidden,
            )
        )
    return tuple(found)


def _their_block(rng: random.Random, country: str, band: Band) -> Block:
    if band == "2.4 GHz":
        channel = rng.choice((1, 1, 1, 3, 6, 6, 6, 6, 8, 11, 11, 11, 13 if country != "US" else 11))
        return block_for(band, channel, 40 if rng.random() < 0.12 and 4 < channel < 8 else 20)
    width = rng.choice((20, 40, 80, 80, 80))
    return _pick(rng, country, band, width, (36, 36, 40, 44, 48, 52, 100, 149)).block
