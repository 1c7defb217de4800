"""Bodies of requests and answers that are not values of the core."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Annotated, Any

from annotated_types import Ge, Le, Len

from even_static.api.tasks import ErrorBody
from even_static.core.house.basics import Name, Text, record
from even_static.core.house.job import Job, Settings
from even_static.core.spectrum.channels import Band
from even_static.core.tuning.candidates import Policy
from even_static.core.tuning.evaluate import Evaluation


@dataclass(frozen=True, slots=True)
class DetailBody:
    """Every failure's body."""

    error: ErrorBody

    def as_json(self) -> dict[str, Any]:
        """As JSON values."""
        return asdict(self)


@dataclass(frozen=True, slots=True)
class AboutBody:
    """What the application is and knows."""

    version: str
    regulatory_edition: str
    countries: list[str]
    policies: list[Policy]


@dataclass(frozen=True, slots=True)
class CallBody:
    """A call: its job, what undo and redo would do, and its figures as set now."""

    id: int
    revision: int
    undo: str | None
    redo: str | None
    job: Job
    now: Evaluation | None


@record
@dataclass(frozen=True, slots=True)
class NewCallBody:
    """A call to be opened."""

    title: Name
    country: Annotated[str, Len(2, 2)]
    complaint: Text = ""


@record
@dataclass(frozen=True, slots=True)
class EditBody:
    """An edited job, the revision it was made from, and what was done, in words."""

    job: dict[str, Any]
    revision: int
    summary: Name


@dataclass(frozen=True, slots=True)
class HistoryLine:
    """One step of a call."""

    number: int
    made_at: str
    summary: str
    done_outside: bool


@dataclass(frozen=True, slots=True)
class ListenBody:
    """Where and on which bands to listen (none: all), and whether to run the tests there too."""

    place_ids: Annotated[list[str], Len(1, 200)]
    bands: list[Band] | None = None
    with_tests: bool = False


@dataclass(frozen=True, slots=True)
class SettingsBody:
    """A setting of the house to be looked at."""

    settings: Settings


@dataclass(frozen=True, slots=True)
class RadioReasonBody(SettingsBody):
    """A setting and the radio that is asked about."""

    radio_id: str


@dataclass(frozen=True, slots=True)
class DeviceReasonBody(SettingsBody):
    """A setting and the Zigbee device that is asked about."""

    device_id: str


@dataclass(frozen=True, slots=True)
class TuneBody:
    """How to search: school, radar channels, time, and which radios keep the block that ``settings`` gives them."""

    policy: Policy = "any lawful channel"
    avoid_radar: bool = False
    seconds: Annotated[float, Ge(0.1), Le(120)] = 10.0
    settings: Settings | None = None
    pinned: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class ApplyBody:
    """A setting to be sent to the boxes, and why."""

    settings: Settings
    reason: Text = ""


@dataclass(frozen=True, slots=True)
class OfferedBlock:
    """A block that a radio may be set to."""

    channel: int
    width_mhz: int
    centre_mhz: int
    max_eirp_dbm: float
    dfs: bool
    indoor_only: bool


@dataclass(frozen=True, slots=True)
class BandLaw:
    """The 20 MHz blocks of a band that a country opens to access points indoors."""

    band: Band
    blocks: list[OfferedBlock]


@dataclass(frozen=True, slots=True)
class RadioOptions:
    """What one radio may be set to."""

    radio_id: str
    blocks: list[OfferedBlock]
