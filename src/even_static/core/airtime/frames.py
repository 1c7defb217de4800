"""Frame times: how much of a PHY rate is left after preamble, contention, aggregation and acknowledgement."""

from __future__ import annotations

from functools import lru_cache

from even_static.core.tables.bands import Band
from even_static.core.tables.phy import (
    ACK_BYTES,
    AMPDU_DELIMITER_BYTES,
    AMPDU_FRAMES,
    BEACON_BYTES,
    BEACON_INTERVAL_US,
    BEACON_RATE_MBPS,
    BLOCK_ACK_BYTES,
    BURST_US,
    CONTROL_RATE_MBPS,
    CW_MIN,
    LEGACY_PREAMBLE_US,
    MAC_OVERHEAD_BYTES,
    PREAMBLE_US,
    SIFS_US,
    SLOT_US,
    Generation,
)
from even_static.core.tables.speed import PACKET_BYTES, PAYLOAD_BYTES, TCP_ACK_SHARE


@lru_cache(maxsize=65536)
def exchange_us(phy_mbps: float, generation: Generation, band: Band) -> tuple[float, int]:
    """One exchange on an idle channel: (microseconds, packets carried).

    DIFS, mean first backoff, preamble, an aggregate of as many 1500-byte packets as fit the usual burst, SIFS and the
    (block) acknowledgement. Times: IEEE 802.11; burst and aggregate sizes: common practice.
    """
    sifs = SIFS_US[band]
    difs = sifs + 2 * SLOT_US
    frame_bits = 8 * (
        PACKET_BYTES + MAC_OVERHEAD_BYTES + (AMPDU_DELIMITER_BYTES if AMPDU_FRAMES[generation] > 1 else 0)
    )
    fitting = int((BURST_US - PREAMBLE_US[generation]) * phy_mbps // frame_bits)
    packets = max(1, min(AMPDU_FRAMES[generation], fitting))
    answer_bytes = BLOCK_ACK_BYTES if packets > 1 else ACK_BYTES
    answer = LEGACY_PREAMBLE_US + 8 * answer_bytes / min(CONTROL_RATE_MBPS, max(phy_mbps, 1.0))
    backoff = CW_MIN / 2 * SLOT_US
    return difs + backoff + PREAMBLE_US[generation] + packets * frame_bits / phy_mbps + sifs + answer, packets


@lru_cache(maxsize=65536)
def goodput_mbps(phy_mbps: float, generation: Generation, band: Band) -> float:
    """Payload in Mb/s that a link carries while it alone uses the channel; below the PHY rate, rising with it."""
    if phy_mbps <= 0:
        return 0.0
    time_us, packets = exchange_us(phy_mbps, generation, band)
    return packets * PAYLOAD_BYTES * 8 / time_us * (1 - TCP_ACK_SHARE)


def beacon_airtime_fraction(band: Band) -> float:
    """Airtime that one network's beacons take at the slowest basic rate, as a fraction."""
    return (LEGACY_PREAMBLE_US + 8 * BEACON_BYTES / BEACON_RATE_MBPS[band]) / BEACON_INTERVAL_US
