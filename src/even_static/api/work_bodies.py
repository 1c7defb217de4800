"""Bodies of the complaint, the change sheet and the wiring."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Len

from even_static.core.house.basics import Id, Name, Text, record
from even_static.core.house.complaint import CauseKind
from even_static.core.house.settings import Settings
from even_static.core.house.sheet import ReadBack
from even_static.core.house.wiring import Wiring


@record
@dataclass(frozen=True, slots=True)
class WiringBody:
    """The wiring as drawn, the revision that it was drawn on, and what was done, in words."""

    wiring: Wiring
    revision: int
    summary: Name


@dataclass(frozen=True, slots=True)
class AnswerBody:
    """What a test has shown of a likely cause; null takes the answer back."""

    cause: CauseKind
    shows: Literal["confirmed", "ruled out"] | None
    note: Text = ""
    complaint_id: Id | None = None
    """The complaint that it was tested for; null for all of them."""


@dataclass(frozen=True, slots=True)
class SheetBody:
    """What is to be set, and why; ``replace``: a sheet in the middle of the work may go."""

    settings: Settings
    reason: Text = ""
    replace: bool = False


@dataclass(frozen=True, slots=True)
class TickBody:
    """A step done by hand: what was read back afterwards (null where nobody read it) and a remark, or that it was taken
    back; ``key`` makes it count once, however often it is sent."""

    read_back: ReadBack | None = None
    found: Text = ""
    back: bool = False
    key: Annotated[str, Len(1, 80)] | None = None
