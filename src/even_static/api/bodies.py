"""Bodies of requests and answers that are not values of the core."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

from even_static.api.tasks import ErrorBody
from even_static.core.explain.decision import Decision
from even_static.core.house.building import NodeStand
from even_static.core.house.job import Job
from even_static.core.house.readings import Scan, Trace
from even_static.core.house.settings import Settings
from even_static.core.model.figures import Evaluation
from even_static.formats.once import described


@dataclass(frozen=True, slots=True)
class DetailBody:
    """Every failure's body."""

    error: ErrorBody

    def as_json(self) -> dict[str, Any]:
        """As JSON values."""
        return asdict(self)


@dataclass(frozen=True, slots=True)
class EntriesBody:
    """A long list as it is now, for a page that has an earlier one: its entries in their order by identifier, and those
    that the page does not have."""

    order: list[str]
    changed: list[Scan | Trace]


@dataclass(frozen=True, slots=True, kw_only=True)
class CallBody:
    """A call: its job, what undo and redo would do, and its figures under the current settings."""

    id: int
    revision: int
    undo: str | None
    redo: str | None
    job: Job
    now: Evaluation | None
    since: int | None = None
    """The revision that the page said it has: fields of ``job`` that are as they were then are left out."""
    entries: dict[str, EntriesBody] = field(default_factory=dict)
    """Long lists that differ since then, entry by entry."""
    air_known: bool = False
    """Whether anybody has scanned the air in the house: without a scan neighbours are not in any figure."""
    own_unnamed: bool = False
    """Whether scans heard the household's networks, and nobody has said which they are: nothing is worked out then."""
    set_aside: list[str] = field(default_factory=list)
    """Parts of the call that could not be read, and why."""


@dataclass(frozen=True, slots=True)
class SettingsBody:
    """A setting of the house to be looked at, with nodes moved if ``stands`` says so."""

    settings: Settings
    stands: list[NodeStand] = field(default_factory=list, kw_only=True)


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferedBlock:
    """A block that a radio may be set to."""

    channel: int
    width_mhz: int
    centre_mhz: int
    max_eirp_dbm: float
    dfs: bool
    indoor_only: bool


# Answers of many routes, or with many parts.
for _answer in (Evaluation, Decision):
    described(_answer)
