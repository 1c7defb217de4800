"""What bounded runs of a link test say: throughput, latency, jitter, stalls, and their spread over runs."""

from __future__ import annotations

import itertools
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_static.core.errors import BadInput
from even_static.core.tables.speed import LEAST_RUN_MS, RAMP_FRACTION, STALL_MS


@dataclass(frozen=True, slots=True)
class RunSamples:
    """One run as a browser saw it: (ms since its beginning, bytes in all so far) down and up, latencies in ms."""

    down: list[tuple[float, float]]
    up: list[tuple[float, float]]
    idle_ms: list[float]
    loaded_ms: list[float]


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFigures:
    """One run in figures; latencies are medians."""

    down_mbps: float
    up_mbps: float
    idle_ms: float
    loaded_ms: float
    jitter_ms: float
    stalls: int
    longest_stall_ms: float


@dataclass(frozen=True, slots=True)
class Spread:
    """Figures of several runs: the middle one, and from where to where they went."""

    median: float
    lowest: float
    highest: float
    runs: int


def throughput_mbps(samples: Sequence[tuple[float, float]]) -> float:
    """Rate in Mb/s of (ms, bytes so far) after the beginning in which the connection speeds up.

    BadInput for samples that run backwards or for a run shorter than 0.2 s.
    """
    if len(samples) < 2:
        raise BadInput("samples", "must hold a run", len(samples), "two or more (ms, bytes)")
    at = np.array(samples, dtype=np.float64)
    if (np.diff(at, axis=0) < 0).any():
        raise BadInput("samples", "must not run backwards in time or bytes", None, "rising ms and bytes")
    begun, ended = at[0, 0], at[-1, 0]
    if ended - begun < LEAST_RUN_MS:
        raise BadInput("samples", "must last long enough to tell a rate", f"{ended - begun:.0f} ms", "200 ms and more")
    ramp = begun + RAMP_FRACTION * (ended - begun)
    bytes_at_ramp = float(np.interp(ramp, at[:, 0], at[:, 1]))
    return float((at[-1, 1] - bytes_at_ramp) * 8 / (ended - ramp) / 1000)


def jitter_ms(latencies_ms: Sequence[float]) -> float:
    """Mean absolute difference of one latency to the next, in ms (the delay variation of RFC 3393, taken over
    successive answers); 0 for fewer than two."""
    if len(latencies_ms) < 2:
        return 0.0
    return float(np.abs(np.diff(np.array(latencies_ms, dtype=np.float64))).mean())


def stalls(samples: Sequence[tuple[float, float]]) -> tuple[int, float]:
    """(how often nothing came for :data:`STALL_MS` or longer, the longest such time in ms or 0)."""
    moved = [samples[0][0]] + [b[0] for a, b in itertools.pairwise(samples) if b[1] > a[1]]
    gaps = [b - a for a, b in zip(moved, [*moved[1:], samples[-1][0]], strict=True)]
    long = [g for g in gaps if g >= STALL_MS]
    return len(long), max(long, default=0.0)


def run_figures(run: RunSamples) -> RunFigures:
    """One run in figures; BadInput as :func:`throughput_mbps`, naming the way."""
    rates = []
    for way, samples in (("down", run.down), ("up", run.up)):
        try:
            rates.append(throughput_mbps(samples))
        except BadInput as error:
            raise BadInput(way, error.rule, error.received, error.accepted) from None
    if not run.idle_ms or not run.loaded_ms:
        raise BadInput("idle_ms", "must hold latencies before and under load", "none", "some of each")
    stops = [stalls(run.down), stalls(run.up)]
    return RunFigures(
        down_mbps=rates[0],
        up_mbps=rates[1],
        idle_ms=statistics.median(run.idle_ms),
        loaded_ms=statistics.median(run.loaded_ms),
        jitter_ms=jitter_ms(run.loaded_ms),
        stalls=sum(n for n, _ in stops),
        longest_stall_ms=max(longest for _, longest in stops),
    )


def spread_of(values: Sequence[float]) -> Spread | None:
    """Figures of several runs; None for none."""
    if not values:
        return None
    return Spread(statistics.median(values), min(values), max(values), len(values))
