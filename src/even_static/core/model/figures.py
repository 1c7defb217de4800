"""A setting of the house in figures: of radios, devices, Zigbee, and the house as a whole."""

from __future__ import annotations

import math
from dataclasses import dataclass

from even_static.core.model.rank import Rank


@dataclass(frozen=True, slots=True, kw_only=True)
class RadioFigures:
    """One radio under one setting. Fractions are of one second of airtime."""

    radio_id: str
    channel: int
    width_mhz: int
    centre_mhz: int
    enabled: bool
    dfs: bool
    devices: int
    defers_to: int
    """Networks and own radios that it waits for."""
    busy_fraction: float
    """Airtime of the other networks that it defers to."""
    available_fraction: float
    """What is left, never below the fair share."""
    need_fraction: float
    """Own airtime in the busy hour, own radios' interference included."""
    shared_fraction: float
    """Airtime of own radios that share this radio's channel."""
    headroom: float | None
    """Available over needed and shared; null for a radio that is off."""
    noise_rise_db: float
    """Mean rise of the noise at the node by what it does not defer to: half-overlap and far senders."""
    airtime_from_neighbours_fraction: float
    """Airtime taken from networks that hear it, summed over them."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceFigures:
    """One Wi-Fi device under one setting."""

    device_id: str
    radio_id: str | None
    rssi_dbm: float | None
    snr_db: float | None
    """Level over noise at the device, mean interference included."""
    carried: bool
    measured: bool


@dataclass(frozen=True, slots=True)
class ZigbeeFigures:
    """One Zigbee device under one setting."""

    device_id: str
    delivery: float


@dataclass(frozen=True, slots=True)
class Problem:
    """Something that counts as a problem: kind, whom it concerns, and in words what is wrong."""

    kind: str
    subject_id: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Evaluation:
    """A setting of the house in figures."""

    lawful: bool
    violations: tuple[str, ...]
    problems: int
    problem_list: tuple[Problem, ...]
    headroom: float | None
    """Smallest headroom of the radios; null when no radio is on."""
    headroom_radio_id: str | None
    weakest_spot_place_id: str | None
    weakest_spot_device_id: str | None
    weakest_spot_snr_db: float | None
    weakest_spot_rssi_dbm: float | None
    worst_zigbee_delivery: float | None
    worst_zigbee_device_id: str | None
    airtime_from_neighbours_fraction: float
    changes: int
    radios: tuple[RadioFigures, ...]
    devices: tuple[DeviceFigures, ...]
    zigbee: tuple[ZigbeeFigures, ...]
    rank: Rank


def arriving(fraction: float) -> str:
    """A share in percent, cut to one digit: 98.96 % must not read as 99."""
    return f"{math.floor(fraction * 1000 + 1e-9) / 10:.1f} %"
