"""Saturation throughput of the distributed coordination function.

G. Bianchi, "Performance analysis of the IEEE 802.11 distributed coordination function", IEEE JSAC 18 (3), 2000:
a station's transmission probability tau and the collision probability p are the fixed point of his equations (7)
and (9); the throughput is his equation (13). The model cross-checks the frame times that goodput rests on.
"""

from __future__ import annotations

from dataclasses import dataclass

from scipy.optimize import brentq

from even_static.core.errors import BadInput


@dataclass(frozen=True, slots=True)
class Channel:
    """Times in microseconds of one contention domain, and the payload of a frame in bits."""

    slot_us: float
    success_us: float
    collision_us: float
    payload_bits: float
    window: int
    stages: int


def transmit_probability(collision: float, window: int, stages: int) -> float:
    """Bianchi's equation (7): tau of a station that meets a collision probability, minimum window and m stages."""
    p = collision
    tail = sum((2 * p) ** i for i in range(stages))
    return 2.0 / (1 + window + p * window * tail)


def fixed_point(stations: int, window: int, stages: int) -> tuple[float, float]:
    """(tau, p) for n saturated stations; equations (7) and (9) solved together. BadInput below one station."""
    if stations < 1:
        raise BadInput("stations", "must be at least one", stations, "1 or more")
    if stations == 1:
        return transmit_probability(0.0, window, stages), 0.0

    def gap(p: float) -> float:
        tau = transmit_probability(p, window, stages)
        return 1 - (1 - tau) ** (stations - 1) - p

    p = float(brentq(gap, 0.0, 1.0, xtol=1e-14))
    return transmit_probability(p, window, stages), p


def saturation_throughput_mbps(stations: int, channel: Channel) -> float:
    """Payload in Mb/s that n saturated stations get through one channel together: equation (13)."""
    tau, _ = fixed_point(stations, channel.window, channel.stages)
    some = 1 - (1 - tau) ** stations
    alone = stations * tau * (1 - tau) ** (stations - 1) / some
    mean_us = (
        (1 - some) * channel.slot_us + some * alone * channel.success_us + some * (1 - alone) * channel.collision_us
    )
    return some * alone * channel.payload_bits / mean_us
