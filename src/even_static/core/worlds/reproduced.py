"""What was measured beside what the worlds say of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.worlds.span import span

EvidenceKind = Literal["speed test", "latency", "hub's log", "channel use"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reproduced:
    """Something that was measured beside what the worlds said before they knew of it, and what those say that were
    kept: middle and range of nine in ten. Mb/s down of a speed test; its latency under load in ms; the share that
    arrived of a hub's log; the share of each second in which a radio finds its channel busy."""

    kind: EvidenceKind
    subject_id: str
    """The place, the Zigbee device, or the radio."""
    measured: float
    before: float
    low: float
    middle: float
    high: float
    held: bool
    """Whether the range holds what was measured, as far as that can be off itself."""


def reproduced(
    kind: EvidenceKind, subject_id: str, measured: float, before: Floats, kept: Floats, error: float = 0.0
) -> Reproduced:
    """A measurement beside what worlds said before (worlds,) and what the kept ones say (kept worlds,); it may be off
    by an error itself."""
    said = span(kept)
    return Reproduced(
        kind=kind,
        subject_id=subject_id,
        measured=measured,
        before=float(np.median(before)),
        low=said.low,
        middle=said.middle,
        high=said.high,
        held=said.low - error - 1e-9 <= measured <= said.high + error + 1e-9,
    )
