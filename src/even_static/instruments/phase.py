"""Waiting while an instrument works, told in stretches."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Phase:
    """A stretch of waiting while an instrument works: what goes on, and how many seconds it takes."""

    text: str
    seconds: float
