"""Bodies of requests and answers that are not values of the core."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Annotated, Any, Literal

from annotated_types import Ge, Le, Len

from even_static.api.share import May, Phone
from even_static.api.tasks import ErrorBody
from even_static.core.explain.placement import Decision, Moved
from even_static.core.house.basics import DemandMbps, Id, Name, Text, Timestamp, record
from even_static.core.house.building import Build, Building, Level, Metres, NodeStand, Opening, Stand
from even_static.core.house.complaint import SuspicionKind
from even_static.core.house.devices import Crowd, Wish
from even_static.core.house.job import Job, Subscription
from even_static.core.house.readings import Listen, Trace, TracePoint
from even_static.core.house.settings import Settings
from even_static.core.house.trial import Arm, TrialMeasure
from even_static.core.house.wiring import Wiring
from even_static.core.model.evaluate import Evaluation
from even_static.core.propagation.picture import Direction
from even_static.core.propagation.section import Axis
from even_static.core.search.candidates import Policy
from even_static.core.survey.line_or_wifi import LineVerdict
from even_static.core.survey.link_statistics import RunSamples
from even_static.core.survey.walk import MarginAtSpot, Series, Settling, StrangeReading, WallFit
from even_static.core.tables.bands import Band
from even_static.core.tables.devices import DeviceKind
from even_static.core.tables.materials import HouseType, Material, Mounting, ObstacleKind, OpeningKind
from even_static.core.tables.senders import SenderKind
from even_static.formats.once import described
from even_static.store.calls import CallLine, HistoryStep


@dataclass(frozen=True, slots=True)
class DetailBody:
    """Every failure's body."""

    error: ErrorBody

    def as_json(self) -> dict[str, Any]:
        """As JSON values."""
        return asdict(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class AboutBody:
    """What the application is and knows."""

    version: str
    regulatory_edition: str
    countries: list[str]
    time_zones: list[str]
    policies: list[Policy]
    wanted_delivery: float
    """Share of a Zigbee device's reports below which it counts as a problem."""


@dataclass(frozen=True, slots=True)
class EntriesBody:
    """A long list as it is now, for a page that has an earlier one: its entries in their order by identifier, and those
    that the page does not have."""

    order: list[str]
    changed: list[Listen | Trace]


@dataclass(frozen=True, slots=True, kw_only=True)
class CallBody:
    """A call: its job, what undo and redo would do, and its figures as set now."""

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
    set_aside: list[str] = field(default_factory=list)
    """Parts of the call that could not be read, and why."""


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
@dataclass(frozen=True, slots=True)
class EditBody:
    """Fields of a job that were edited, the revision that this was made from, and what was done, in words."""

    job: dict[str, Any]
    revision: int
    summary: Name


@record
@dataclass(frozen=True, slots=True)
class NodeBody:
    """A node to be added: what it is called, where it stands, and its kind by name."""

    name: Name
    place_id: Id
    kind: Annotated[str, Len(1, 80)]


@dataclass(frozen=True, slots=True)
class StandsBody:
    """Where nodes would stand."""

    stands: list[NodeStand] = field(default_factory=list)


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class NewTrialBody:
    """A trial to be planned: A is the house as set now, B other settings (none given: both are set by hand)."""

    name: Name
    measure: TrialMeasure
    b_name: Name
    a_name: Name = "as set now"
    b_settings: Settings | None = None
    place_id: Id | None = None
    worth_fraction: Annotated[float, Ge(0.02), Le(3)] = 0.15


@record
@dataclass(frozen=True, slots=True)
class VisitBody:
    """A turn of a trial that is set by hand: values that were read, or none to measure it now."""

    arm: Arm
    values: Annotated[tuple[Annotated[float, Ge(0), Le(1_000_000)], ...], Len(0, 200)] = ()


@record
@dataclass(frozen=True, slots=True)
class WiringBody:
    """The wiring as drawn, the revision that it was drawn on, and what was done, in words."""

    wiring: Wiring
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
class ListenBody:
    """Where and on which bands to listen (none: all), and whether to run the tests there too."""

    place_ids: Annotated[list[str], Len(1, 200)]
    bands: list[Band] | None = None
    with_tests: bool = False


@dataclass(frozen=True, slots=True)
class SettingsBody:
    """A setting of the house to be looked at, with nodes moved if ``stands`` says so."""

    settings: Settings
    stands: list[NodeStand] = field(default_factory=list, kw_only=True)


@record
@dataclass(frozen=True, slots=True)
class TypedRoomBody:
    """A typed room, the storey that is shown, and the room that the cursor is on."""

    line: Annotated[str, Len(1, 200)]
    storey: Level = 0
    beside_id: str | None = None


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
class TrialBody:
    """What is on trial: where nodes would stand, and what they would be set to."""

    stands: list[NodeStand] = field(default_factory=list, kw_only=True)
    settings: Settings | None = field(default=None, kw_only=True)


@dataclass(frozen=True, slots=True)
class CoverageBody(TrialBody):
    """Which picture of the house: a storey, a band, one node or all."""

    storey: Level
    band: Band
    node_id: str | None = None
    direction: Direction = "downlink"


@dataclass(frozen=True, slots=True)
class PointBody(TrialBody):
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
    source: Name = "typed"
    instrument_id: str | None = None
    running: Text = ""


@dataclass(frozen=True, slots=True)
class RadioReasonBody(SettingsBody):
    """A setting and the radio that is asked about."""

    radio_id: str


@dataclass(frozen=True, slots=True)
class DeviceReasonBody(SettingsBody):
    """A setting and the Zigbee device that is asked about."""

    device_id: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TuneBody:
    """How to search: school, radar channels, time; which radios keep all that ``settings`` gives them (``pinned``), and
    whether its names, links and Zigbee channel are kept; what may be changed beside channels and widths: powers,
    surplus 2.4 GHz radios, the links' bands, the steering level; nodes that may stand elsewhere."""

    policy: Policy = "any lawful channel"
    avoid_radar: bool = False
    seconds: Annotated[float, Ge(0.1), Le(120)] = 20.0
    settings: Settings | None = None
    pinned: list[str] = field(default_factory=list)
    power: bool = False
    switch_off: bool = False
    links: bool = False
    steering: bool = False
    hold_names: bool = False
    hold_links: bool = False
    hold_zigbee: bool = False
    move_node_ids: Annotated[list[str], Len(0, 2)] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class KeepPlanBody:
    """A plan to be kept: its name, what it sets, and where it puts nodes."""

    name: Name
    settings: Settings
    stands: list[NodeStand] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class StateBody:
    """What a call is to be: open, closed or archived."""

    state: Literal["open", "closed", "archived"]


@dataclass(frozen=True, slots=True)
class AnswerBody:
    """What a test has shown of a suspicion; null takes the answer back."""

    suspicion: SuspicionKind
    shows: Literal["it is so", "it is not so"] | None
    note: Text = ""


@dataclass(frozen=True, slots=True)
class SheetBody:
    """What is to be set, and why; ``replace``: a sheet in the middle of the work may go."""

    settings: Settings
    reason: Text = ""
    replace: bool = False


@dataclass(frozen=True, slots=True)
class TickBody:
    """A step done by hand: what was read back where it differs (empty where all is as wanted), or that it was taken
    back; ``key`` makes it count once, however often it is sent."""

    found: Text = ""
    back: bool = False
    key: Annotated[str, Len(1, 80)] | None = None


@dataclass(frozen=True, slots=True)
class MeasureBody:
    """A plan, and the others that were found beside it."""

    settings: Settings
    others: Annotated[list[Settings], Len(0, 40)] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class OwnPanBody:
    """An 802.15.4 network that a capture heard, and whether it is the house's own."""

    pan_id: Annotated[str, Len(6, 6)]
    own: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SenderKindBody:
    """A kind of sender, and what is usual for it."""

    kind: SenderKind
    duty_fraction: float
    tuned: bool
    centre_mhz: int
    advice: str


@dataclass(frozen=True, slots=True)
class ApplyBody:
    """A setting to be sent to the boxes, and why."""

    settings: Settings
    reason: Text = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferedBlock:
    """A block that a radio may be set to."""

    channel: int
    width_mhz: int
    centre_mhz: int
    max_eirp_dbm: float
    dfs: bool
    indoor_only: bool


@dataclass(frozen=True, slots=True)
class RadioOptions:
    """What one radio may be set to."""

    radio_id: str
    blocks: list[OfferedBlock]


@dataclass(frozen=True, slots=True)
class MoveRoomBody:
    """A room that was dragged, in m."""

    room_id: str
    dx_m: Annotated[float, Ge(-1000), Le(1000)]
    dy_m: Annotated[float, Ge(-1000), Le(1000)]


@dataclass(frozen=True, slots=True)
class ResizeRoomBody:
    """A room's new size, in m."""

    room_id: str
    width_m: float
    depth_m: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PutBody:
    """Something put on the plan at a point, in m: an opening or an obstacle of a kind."""

    storey: Level
    x_m: Metres
    y_m: Metres
    opening: OpeningKind | None = None
    obstacle: ObstacleKind | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class PhotoScaleBody:
    """Two points of a photograph as they lie on the plan now, and how far apart they truly are, in m."""

    storey: Level
    a: tuple[Metres, Metres]
    b: tuple[Metres, Metres]
    length_m: Annotated[float, Ge(0), Le(2000)]
    straighten: bool = True


@dataclass(frozen=True, slots=True)
class PhotoMoveBody:
    """A point of a photograph as it lies on the plan now, and where it belongs, in m."""

    storey: Level
    start: tuple[Metres, Metres]
    end: tuple[Metres, Metres]


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionBody(TrialBody):
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
    way_fraction: Annotated[float, Ge(0), Le(1)]


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


@record
@dataclass(frozen=True, slots=True)
class PasteBody:
    """A pasted list of devices (or CSV), and where they are used if a line does not say."""

    text: Annotated[str, Len(1, 40_000)]
    place_id: str


@record
@dataclass(frozen=True, slots=True)
class WishesBody:
    """The busy hour in words, and whether it is to become the devices' demand."""

    text: Annotated[str, Len(1, 4000)]
    take: bool = False


@dataclass(frozen=True, slots=True)
class WishesView:
    """The busy hour as understood, and the call where it was taken over."""

    wishes: list[Wish]
    call: CallBody | None


@dataclass(frozen=True, slots=True)
class PastedView:
    """The call with the devices of a list, and what should still be asked."""

    call: CallBody
    questions: list[str]


@dataclass(frozen=True, slots=True)
class KitView:
    """Kinds of devices to choose from, and how many devices each box has beside what it carries well."""

    kinds: list[DeviceKind]
    activities: list[str]
    crowds: list[Crowd]
    unknown: list[str]


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


# Answers of many routes, or with many parts.
for _answer in (Evaluation, Decision):
    described(_answer)
