"""Networks of a capture, summed up as readings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime

from even_static.core.errors import BadInput
from even_static.core.house.readings import Reading
from even_static.core.house.validate import validate_reading
from even_static.formats.capture.elements import Announced, Load
from even_static.formats.job_parts import encoded_reading

# Networks of one scan: a block of flats is heard as some 200.
MOST_NETWORKS = 1000


# Clocks of capturing devices that were never set, or are broken.
_FIRST_S, _LAST_S = 0.0, 7_258_118_399.0


@dataclass(slots=True, kw_only=True)
class Network:
    """Running sums of one network: level histogram (by level & 255), times, announcements and loads by count."""

    bssid: bytes
    levels: dict[int, int] = field(default_factory=dict)
    first_s: float = 0.0
    last_s: float = 0.0
    announcements: Counter[Announced] = field(default_factory=Counter)
    loads: Counter[Load] = field(default_factory=Counter)


def most_heard(networks: Iterable[Network]) -> tuple[list[Reading], int, int, float]:
    """(readings, networks that announce the impossible, the weakest that were left out, the strongest of those)."""
    by_level = sorted(((_quantile(n.levels, 0.5) if n.levels else -120.0, n.bssid, n) for n in networks), reverse=True)
    kept: list[Reading] = []
    impossible, left_out, weakest = 0, 0, -120.0
    for level, _, network in by_level:
        if len(kept) >= MOST_NETWORKS:
            left_out += 1
            weakest = max(weakest, level)
            continue
        reading = reading_of(network)
        try:
            encoded_reading(reading)
            validate_reading(reading)
        except BadInput:
            impossible += 1
            continue
        kept.append(reading)
    return sorted(kept, key=lambda r: r.bssid), impossible, left_out, weakest


def ssid_text(ssid: bytes) -> str:
    """A name as text: hidden names are empty, bytes that are not UTF-8 and control characters become escapes."""
    if not ssid.strip(b"\x00"):
        return ""
    text = ssid.decode("utf-8", "backslashreplace")
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in text)


def reading_of(network: Network) -> Reading:
    """The summary of a network: median and spread of its levels, its most frequent announcement, its median load."""
    counts = network.announcements.most_common()
    said = counts[0][0]
    named = [(a, n) for a, n in counts if ssid_text(a.ssid)]
    samples = sum(network.levels.values())
    load = _median_load(network.loads)
    return Reading(
        bssid=network.bssid.hex(":"),
        ssid=ssid_text(named[0][0].ssid) if named else "",
        band=said.band,
        channel=said.channel,
        centre_mhz=said.centre_mhz,
        width_mhz=said.width_mhz,  # type: ignore[arg-type]
        rssi_dbm=_quantile(network.levels, 0.5) if samples else None,
        samples=max(samples, 1),
        spread_db=(_quantile(network.levels, 0.84) - _quantile(network.levels, 0.16)) / 2 if samples else None,
        first_heard_at=iso_time(network.first_s),
        last_heard_at=iso_time(network.last_s),
        security=said.security,
        generation=said.generation,
        channel_use_fraction=round(load.channel_use_fraction, 4) if load else None,
        stations=load.stations if load else None,
        country=said.country,
        slowest_basic_rate_mbps=said.slowest_basic_rate_mbps,
        centre2_mhz=said.centre2_mhz,
    )


def _median_load(loads: Counter[Load]) -> Load | None:
    """The load announced in the middle frame, by channel use."""
    rank = sum(loads.values()) // 2
    for load, count in sorted(loads.items(), key=lambda item: item[0].channel_use_fraction):
        rank -= count
        if rank < 0:
            return load
    return None


def _quantile(levels: dict[int, int], share: float) -> float:
    """Level in dBm below which a share of the samples lies; the mean of the middle two for an even median."""
    total = sum(levels.values())
    ordered = sorted((i if i < 128 else i - 256, count) for i, count in levels.items())

    def at(rank: int) -> int:
        seen = 0
        for level, count in ordered:
            seen += count
            if seen > rank:
                return level
        return 0

    position = share * (total - 1)
    low = int(position)
    high = min(low + 1, total - 1)
    value = at(low) + (position - low) * (at(high) - at(low))
    return float(max(-120.0, min(0.0, round(value, 2))))


def iso_time(seconds: float) -> str:
    return datetime.fromtimestamp(round(min(max(seconds, _FIRST_S), _LAST_S)), UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
