"""An invented neighbourhood."""

from __future__ import annotations

import random
from dataclasses import dataclass

from even_static.core.house.basics import record
from even_static.core.house.readings import Reading
from even_static.core.tables.bands import BANDS, Band

STOREY_M = 2.7


def invent_neighbours(seed: int, count: int = 14, storeys: int = 2) -> tuple[Neighbour, ...]:
    """A neighbourhood for a house that nobody has listened to yet."""
    rng = random.Random(f"{seed}/neighbours")
    found = []
    for n in range(count):
        band: Band = rng.choices(BANDS, (6, 4, 1))[0]
        channel = {
            "2.4 GHz": lambda: rng.choice([1, 1, 3, 6, 6, 6, 8, 11, 11]),
            "5 GHz": lambda: rng.choice([36, 36, 52, 100]),
            "6 GHz": lambda: rng.choice([5, 37]),
        }[band]()
        wide = band != "2.4 GHz"
        from even_static.core.spectrum.channels import block_for

        block = block_for(band, channel, 80 if wide else 20)
        use = round(rng.uniform(0.04, 0.5), 3)
        reading = Reading(
            bssid=f"06:00:00:{seed & 0xFF:02x}:00:{n:02x}",
            ssid=f"garden-{n + 1}",
            band=band,
            channel=channel,
            centre_mhz=block.centre_mhz,
            width_mhz=80 if wide else 20,
            rssi_dbm=-80.0,
            security=rng.choice(("WPA2", "WPA2/WPA3", "WPA3")),
            generation=rng.choice(("802.11ax", "802.11ac" if wide else "802.11n")),
            slowest_basic_rate_mbps=6.0 if wide else 1.0,
        )
        side = rng.choice((-1, 1))
        found.append(
            Neighbour(
                reading=reading,
                x_m=rng.uniform(-2, 13),
                y_m=2.5 + side * rng.uniform(6, 16),
                z_m=rng.randrange(storeys) * STOREY_M + 1.2,
                eirp_dbm=20.0,
                busy_fraction=use,
                announces_load=rng.random() < 0.7,
            )
        )
    return tuple(found)


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Neighbour:
    """Somebody else's transmitter: what it announces, where it stands (m), how busy it is in its busiest hour."""

    reading: Reading
    x_m: float
    y_m: float
    z_m: float
    eirp_dbm: float
    busy_fraction: float
    announces_load: bool
    hidden: bool = False
    """True for something that sends but no scanner hears, such as a video sender."""
