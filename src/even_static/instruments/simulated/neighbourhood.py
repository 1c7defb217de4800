"""An invented neighbourhood."""

from __future__ import annotations

import random

from even_static.core.house.readings import Reading
from even_static.core.spectrum.channels import block_for
from even_static.core.tables.bands import BANDS, Band
from even_static.truth.neighbours import Neighbour

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
