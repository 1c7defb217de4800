"""Bodies of the calls: opened, listed, edited, gone back in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import Name, Text, record
from even_static.core.house.job import PracticeDifficulty, PracticeSize
from even_static.core.house.offered import Offered
from even_static.core.tables.bands import Band
from even_static.store.steps import CallLine, HistoryStep


@dataclass(frozen=True, slots=True, kw_only=True)
class AboutBody:
    """What the application is and knows."""

    version: str
    regulatory_edition: str
    countries: list[str]
    time_zones: list[str]
    offered: Offered


@dataclass(frozen=True, slots=True)
class CallsBody:
    """A page of the list of calls, and how many there are in all."""

    calls: list[CallLine]
    total: int


@record
@dataclass(frozen=True, slots=True)
class NewCallBody:
    """A call to be opened."""

    title: Name
    country: Annotated[str, Len(2, 2)]
    complaint: Text = ""
    time_zone: Annotated[str, Len(1, 64)] | None = None


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class PracticeBody:
    """A practice house to be opened: the same seed, size and difficulty give the same house."""

    seed: Annotated[int, Ge(0), Le(999_999)]
    size: PracticeSize = "house"
    difficulty: PracticeDifficulty = "usual"
    country: Annotated[str, Len(2, 2)]
    time_zone: Annotated[str, Len(1, 64)] | None = None


@record
@dataclass(frozen=True, slots=True)
class EditBody:
    """Fields of a job that were edited, the revision that this was made from, and what was done, in words."""

    job: dict[str, Any]
    revision: int
    summary: Name


@dataclass(frozen=True, slots=True)
class HistoryBody:
    """A page of a call's history, the newest step first, and whether there are earlier ones."""

    steps: list[HistoryStep]
    more: bool


@dataclass(frozen=True, slots=True)
class GoBackBody:
    """The revision that a way back is meant for, and whether what others did since goes too; unsaid, it is asked."""

    revision: Annotated[int, Ge(1)]
    also_others: bool | None = None


@dataclass(frozen=True, slots=True)
class ScanBody:
    """Where and on which bands to listen (none: all), and whether to run the tests there too."""

    place_ids: Annotated[list[str], Len(1, 200)]
    bands: list[Band] | None = None
    with_tests: bool = False


@dataclass(frozen=True, slots=True)
class StateBody:
    """What a call is to be: open, closed or archived."""

    state: Literal["open", "closed", "archived"]
