"""Bodies of coverage, placing and walking."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.explain.decision import Decision
from even_static.core.explain.measured_moves import Moved
from even_static.core.house.basics import Id, Text, Timestamp, record
from even_static.core.house.building import Build, Building, Level, Metres, NodeStand, Opening, Stand
from even_static.core.house.readings import TracePoint
from even_static.core.house.settings import Settings
from even_static.core.propagation.picture import Direction
from even_static.core.propagation.section import Axis
from even_static.core.survey.typed_levels import NeighbourShown, OwnShown
from even_static.core.survey.walk import MarginAtSpot, Series, Settling, StrangeReading, WallFit
from even_static.core.tables.bands import Band
from even_static.core.tables.materials import HouseType, Material, Mounting, ObstacleKind, OpeningKind


@dataclass(frozen=True, slots=True)
class StandsBody:
    """Where nodes would stand."""

    stands: list[NodeStand] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class WallLine:
    """A wall as it follows from the rooms, with its loss by band."""

    storey: int
    start: tuple[float, float]
    end: tuple[float, float]
    room_id: str
    edge: int
    to_room_id: str | None
    role: str
    build: Build | None
    made_of: str
    changed: bool
    openings: list[Opening]
    loss_db: dict[Band, float]


@dataclass(frozen=True, slots=True)
class ObstacleShape:
    """An obstacle's outline as seen from above, in m, and what it costs."""

    id: str
    storey: int
    outline: list[tuple[float, float]]
    loss_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class HouseView:
    """What follows from the house as entered, and what its readings say of it."""

    building: Building
    walls: list[WallLine]
    obstacles: list[ObstacleShape]
    stands: list[NodeStand]
    area_m2: float
    fits: list[WallFit]
    shadowing_db: float | None
    clutter_db_per_m: dict[Band, float]
    readings: int
    strange: list[StrangeReading]
    materials: list[Material]
    house_types: list[HouseType]
    mountings: list[Mounting]
    openings: list[OpeningKind]
    obstacle_kinds: dict[ObstacleKind, float]
    floors: dict[int, str]
    new_stand: Stand


@dataclass(frozen=True, slots=True)
class TrialSettingsBody:
    """What is on trial: where nodes would stand, and what they would be set to."""

    stands: list[NodeStand] = field(default_factory=list, kw_only=True)
    settings: Settings | None = field(default=None, kw_only=True)


@dataclass(frozen=True, slots=True)
class CoverageBody(TrialSettingsBody):
    """Which picture of the house: a storey, a band, one node or all."""

    storey: Level
    band: Band
    node_id: str | None = None
    direction: Direction = "downlink"


@dataclass(frozen=True, slots=True)
class PointBody(TrialSettingsBody):
    """A point of the house that is asked about, in m."""

    storey: Level
    x_m: Metres
    y_m: Metres
    height_m: Annotated[float, Ge(0), Le(30)] = 1.2


@dataclass(frozen=True, slots=True)
class PlacingBody:
    """How many nodes to place, at which height above the floor, in m."""

    counts: Annotated[list[Annotated[int, Ge(1), Le(3)]], Len(1, 3)] = field(default_factory=lambda: [1, 2, 3])
    height_m: Annotated[float, Ge(0), Le(10)] = 1.6


@record
@dataclass(frozen=True, slots=True)
class SampleBody:
    """One more second of the scanner at a spot, added to what was read so far."""

    place_id: str
    so_far: list[Series] = field(default_factory=list)
    instrument_id: str | None = None


@dataclass(frozen=True, slots=True)
class SampleView:
    """The series with one more level each, what they say, and own level against the strongest interferer."""

    series: list[Series]
    settling: list[Settling]
    margins: list[MarginAtSpot]
    settled: bool


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class WalkBody:
    """A reading from the walk. ``key`` is its own: sent twice, it is kept once."""

    key: Id
    place_id: str
    heard_at: Timestamp
    series: list[Series]
    instrument_id: str | None = None
    running: Text = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class TypedLevelsBody:
    """What somebody read off a device at a spot. ``key`` is its own: sent twice, it is kept once."""

    key: Id
    place_id: str
    heard_at: Timestamp
    own: list[OwnShown] = field(default_factory=list)
    neighbours: list[NeighbourShown] = field(default_factory=list)
    instrument_id: str | None = None
    running: Text = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionBody(TrialSettingsBody):
    """Which cut through the house: along or across, where (none: through a node), in which band."""

    band: Band
    axis: Axis = "along"
    at_m: Metres | None = None
    node_id: str | None = None
    direction: Direction = "downlink"


@dataclass(frozen=True, slots=True)
class DecisionsView:
    """What to do about where boxes stand, and what moves have been measured to bring."""

    decisions: list[Decision]
    moved: list[Moved]


@record
@dataclass(frozen=True, slots=True)
class TraceSampleBody:
    """That share of the way between two spots."""

    from_place_id: str
    to_place_id: str
    path_fraction: Annotated[float, Ge(0), Le(1)]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class TraceBody:
    """A walk between two spots. ``key`` is its own: sent twice, it is kept once."""

    key: Id
    from_place_id: str
    to_place_id: str
    walked_at: Timestamp
    duration_s: Annotated[float, Ge(0.5), Le(3600)]
    points: Annotated[list[TracePoint], Len(1, 20_000)]
