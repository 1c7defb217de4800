"""Invented houses: what a scenario holds, and helpers to write one down."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace

from even_static.core.house.building import (
    Building,
)
from even_static.core.house.job import Job
from even_static.core.house.kit import Place, Radio
from even_static.core.house.readings import Reading
from even_static.core.house.settings import RadioSetting
from even_static.core.house.typed import add_typed
from even_static.core.spectrum.channels import block_for
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import Generation
from even_static.truth.neighbours import Neighbour

Spot = tuple[float, float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Scenario:
    """An invented house: the job without measurements, where its places are (m), its neighbours and its seed."""

    job: Job
    positions: dict[str, Spot]
    neighbours: tuple[Neighbour, ...]
    seed: int
    clock: str


def radios_of(node: str, number: int, ssid: str, bands: tuple[Band, ...], generation: Generation) -> tuple[Radio, ...]:
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


def factory_settings(radios: tuple[Radio, ...], channels: dict[Band, tuple[int, int]]) -> tuple[RadioSetting, ...]:
    return tuple(
        RadioSetting(
            radio_id=r.id,
            channel=channels[r.band][0],
            width_mhz=channels[r.band][1],  # type: ignore[arg-type]
            eirp_dbm=20.0,
        )
        for r in radios
    )


def placed_neighbours(seed: int, spots: list[tuple[str, Band, int, int, Spot, float]]) -> tuple[Neighbour, ...]:
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


def typed_walls(building: Building, lines: list[str]) -> Building:
    for line in lines:
        building, _ = add_typed(building, line)
    return building


def placed_at(places: tuple[Place, ...], positions: dict[str, Spot], building: Building) -> tuple[Place, ...]:
    """The places with their positions, heights above their own floor."""
    return tuple(
        replace(p, x_m=x, y_m=y, height_m=round(z - building.elevation_m(p.storey), 2))
        for p in places
        for x, y, z in [positions[p.id]]
    )
