"""Bodies of link tests and of paired phones."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from annotated_types import Len

from even_static.api.share import May, Phone
from even_static.core.house.basics import DemandMbps, Id, Timestamp, record
from even_static.core.house.job import Subscription
from even_static.core.survey.line_or_wifi import LineVerdict
from even_static.core.survey.link_statistics import RunSamples


@record
@dataclass(frozen=True, slots=True)
class LinkTestBody:
    """A link test from a browser: its bounded runs as it saw them. ``key`` is its own: sent twice, kept once."""

    key: Id
    place_id: str
    tested_at: Timestamp
    runs: Annotated[list[RunSamples], Len(1, 20)]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class WiredBody:
    """What a test by cable at the gateway showed, and what the subscription promises, in Mb/s."""

    place_id: str
    tested_at: Timestamp
    down_mbps: Annotated[list[DemandMbps], Len(0, 20)] = field(default_factory=list)
    up_mbps: Annotated[list[DemandMbps], Len(0, 20)] = field(default_factory=list)
    subscription: Subscription | None = None


@dataclass(frozen=True, slots=True)
class LinkView:
    """The verdict, and whether this browser runs on the computer itself, where a link test measures no Wi-Fi."""

    verdict: LineVerdict
    on_this_computer: bool
    sharing: bool


@dataclass(frozen=True, slots=True)
class PairingBody:
    """What a phone may do that is paired to a call: measure only, or all the work on it."""

    may: May = "measure"


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareView:
    """Where phones on the house's network reach the application, who is paired, the code that is shown for a call, if
    one is, and who asks: a phone, or nobody else than this computer."""

    shared: bool
    addresses: list[str]
    phones: list[Phone]
    code: str | None
    may: May | None
    you: Phone | None
