"""What a practice house's router shows: its client list, and how busy its radios find their channels."""

from __future__ import annotations

import random
from datetime import datetime

from even_static.core.house.lists import ChannelUse, ClientSeen
from even_static.core.house.settings import Settings
from even_static.truth import ranges
from even_static.truth.bands import BandLife
from even_static.truth.clients import homes, received
from even_static.truth.house import TrueHouse, share_of_busiest
from even_static.truth.outcome import TruthAt

MB_PER_MBPS_HOUR = 450.0


def client_list(house: TrueHouse, settings: Settings, listed_at: str, seed: str) -> tuple[ClientSeen, ...]:
    """Every device that is connected: its radio, the level at which that radio hears it, and its counters of the last
    day. Levels are off by what the box reads wrong and by 2 dB of noise, in whole dB."""
    down, up = received(house, settings)
    home, rng = homes(house, settings, down, up), random.Random(f"{seed}/{listed_at}/list")
    box = random.Random(f"{house.seed}/box").gauss(0, ranges.BOX_READS_DB)
    day = sum(share_of_busiest(house.seed, "household", hour) for hour in range(24))
    found = []
    for d, device in enumerate(house.job.devices):
        if home[d] < 0:
            continue
        level = round(max(-100.0, min(-10.0, float(up[d, home[d]]) + box + rng.gauss(0, ranges.LIST_NOISE_DB))))
        hours = day * float(house.appetite[d]) * rng.uniform(*ranges.DAY_DIFFERS)
        found.append(
            ClientSeen(
                device_id=device.id,
                listed_at=listed_at,
                radio_id=house.radios[home[d]].id,
                rssi_dbm=float(level),
                down_mb=round(device.demand_down_mbps * hours * MB_PER_MBPS_HOUR, 1),
                up_mb=round(device.demand_up_mbps * hours * MB_PER_MBPS_HOUR, 1),
                counted_h=24.0,
                came_from="simulated",
            )
        )
    return tuple(found)


def channel_uses(house: TrueHouse, settings: Settings, seen_at: str) -> tuple[ChannelUse, ...]:
    """What each radio that is on finds busy at that hour, its own cell included."""
    lives = TruthAt(house, datetime.fromisoformat(seen_at).hour).lives(settings)[3]
    found = []
    for life in lives.values():
        for i, r in enumerate(life.radios):
            share = round(100 * _busy(life, i)) / 100
            found.append(
                ChannelUse(radio_id=house.radios[r].id, seen_at=seen_at, busy_fraction=share, came_from="simulated")
            )
    return tuple(found)


def _busy(life: BandLife, row: int) -> float:
    mine = life.air.on_air[life.senders.cell == life.senders.cell[row]].sum()
    return float(min(0.98, life.air.sensed[row] + mine))
