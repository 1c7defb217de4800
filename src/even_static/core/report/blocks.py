"""What a report is made of: plain blocks, so that screen, print and PDF show the same."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from even_static.core.tables.bands import Band


@dataclass(frozen=True, slots=True)
class TextBlock:
    """Words; ``strong`` for what matters most."""

    text: str
    strong: bool = False
    kind: Literal["text"] = "text"


@dataclass(frozen=True, slots=True)
class ListBlock:
    """Points, one under the other."""

    items: tuple[str, ...]
    kind: Literal["list"] = "list"


@dataclass(frozen=True, slots=True)
class TableBlock:
    """A table: ``figures`` are the columns (from 0) that hold numbers."""

    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    figures: tuple[int, ...] = ()
    kind: Literal["table"] = "table"


@dataclass(frozen=True, slots=True, kw_only=True)
class Dumbbell:
    """A value before and after, of one row: where it lies on the drawing (0..1), in words, and the verdict."""

    name: str
    before_at: float
    after_at: float
    before: str
    after: str
    verdict: str


@dataclass(frozen=True, slots=True)
class ChangeDrawing:
    """Rows of before and after on one scale that grows by equal factors."""

    title: str
    rows: tuple[Dumbbell, ...]
    kind: Literal["change"] = "change"


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of spectrum in MHz and who uses it."""

    low_mhz: float
    high_mhz: float
    who: str
    style: Literal["own", "others", "zigbee"]


@dataclass(frozen=True, slots=True)
class Lane:
    """A lane of the frequency sheet: rows of stretches that do not overlap."""

    name: str
    rows: tuple[tuple[Stretch, ...], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class SpectrumDrawing:
    """A band to scale: lanes from ``low_mhz`` to ``high_mhz``."""

    band: Band
    low_mhz: float
    high_mhz: float
    lanes: tuple[Lane, ...]
    kind: Literal["spectrum"] = "spectrum"


Block = TextBlock | ListBlock | TableBlock | ChangeDrawing | SpectrumDrawing


@dataclass(frozen=True, slots=True)
class Chapter:
    """A headed part."""

    title: str
    blocks: tuple[Block, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Report:
    """The household's pages and the technician's annex. ``made_at``: ISO 8601."""

    title: str
    made_at: str
    mark: str
    """Said on every page: that it is a practice house, whose readings are simulated; empty for a real one."""
    headline: str
    household: tuple[Chapter, ...]
    annex: tuple[Chapter, ...]
    letters: int
