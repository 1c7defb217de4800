"""The job: everything that a call knows, as plain values.

The same classes are the job file's schema (``docs/job-file.md``): a field's docstring is its documentation, its
annotations are its rules. Identifiers are short names that are unique within their list; references are by identifier.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Final, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.after_care import DropOut, FollowUp
from even_static.core.house.basics import (
    MADE_UP_ADDRESS,
    DemandMbps,
    Id,
    Name,
    Text,
    Timestamp,
    record,
)
from even_static.core.house.building import Building
from even_static.core.house.changes import AbTest, Change, ChangeSheet
from even_static.core.house.complaint import CauseAnswer, Complaint
from even_static.core.house.kit import (
    Device,
    Node,
    Place,
    Radio,
    Switch,
    Zigbee,
)
from even_static.core.house.lists import MOST_LISTED, ChannelUse, ClientSeen
from even_static.core.house.other_sources import EnergyScan, OtherSource, PanHeard, Thread
from even_static.core.house.readings import (
    Instrument,
    Scan,
    SpeedTest,
    Trace,
    ZigbeeReport,
)
from even_static.core.house.settings import (
    KeptPlan,
    Settings,
)
from even_static.core.house.wiring import Wiring
from even_static.core.house.works import CableRun

FORMAT: Final = "even-static-job"
CallKind = Literal["real", "practice"]
PracticeSize = Literal["flat", "house", "large house", "any house"]
PracticeDifficulty = Literal["quiet", "usual", "crowded"]
VERSION: Final = 2


@record
@dataclass(frozen=True, slots=True)
class Subscription:
    """What the household pays its provider for."""

    down_mbps: DemandMbps
    """Towards the house, in Mb/s."""
    up_mbps: DemandMbps
    """From the house, in Mb/s."""


@record
@dataclass(frozen=True, slots=True)
class Photo:
    """A photograph that goes along in a job file."""

    id: Id
    """Identifier."""
    jpeg_base64: Annotated[str, Len(1, 12_000_000)]
    """The picture as JPEG, in base64."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """A call."""

    title: Name
    """How the call is found again."""
    country: Annotated[str, Len(2, 2)]
    """Regulatory domain: an ISO 3166 code, or "00" for the world domain."""
    kind: CallKind = "real"
    """Whether it is a real house, or a practice house with simulated instruments. Chosen when the call is opened."""
    complaint: Text = ""
    """The household's own words."""
    opened_at: Timestamp | None = None
    """When the call was opened."""
    time_zone: Annotated[str, Len(1, 64)] | None = None
    """The house's time zone by its IANA name, such as Europe/Amsterdam: times are kept by its clock. None given where
    nobody has said; then each time counts by its own offset from UTC."""
    places: tuple[Place, ...] = ()
    """Places."""
    nodes: tuple[Node, ...] = ()
    """Own nodes."""
    settings: Settings = field(default_factory=Settings)
    """Present settings."""
    devices: tuple[Device, ...] = ()
    """Wi-Fi devices with their busy-hour demand."""
    zigbee: Zigbee | None = None
    """The Zigbee network, if there is one."""
    scans: tuple[Scan, ...] = ()
    """What was heard, by place and time."""
    speed_tests: tuple[SpeedTest, ...] = ()
    """Speed tests."""
    zigbee_reports: tuple[ZigbeeReport, ...] = ()
    """What the hub logged."""
    client_list: Annotated[tuple[ClientSeen, ...], Len(0, MOST_LISTED)] = ()
    """What the router's client list said of the devices, at one time or several."""
    channel_uses: Annotated[tuple[ChannelUse, ...], Len(0, MOST_LISTED)] = ()
    """How busy the own radios found their channels, hour by hour."""
    changes: tuple[Change, ...] = ()
    """Changes made."""
    building: Building | None = None
    """The house as built, if somebody has entered it."""
    instruments: tuple[Instrument, ...] = ()
    """What levels are read from, beside the scanner."""
    traces: Annotated[tuple[Trace, ...], Len(0, 500)] = ()
    """Levels read while walking."""
    subscription: Subscription | None = None
    """What the line is meant to carry."""
    switches: Annotated[tuple[Switch, ...], Len(0, 100)] = ()
    """Switches between nodes."""
    device_network_mbps: Annotated[float, Ge(0.01), Le(10_000)] | None = None
    """What the box lets a device of its network for gadgets have, in Mb/s; none given means that nobody measured it."""
    other_sources: Annotated[tuple[OtherSource, ...], Len(0, 100)] = ()
    """Other 2.4 GHz sources."""
    pans: Annotated[tuple[PanHeard, ...], Len(0, 1000)] = ()
    """IEEE 802.15.4 networks that captures heard."""
    energy_scans: Annotated[tuple[EnergyScan, ...], Len(0, 500)] = ()
    """Energy scans over 802.15.4 channels."""
    thread: Thread | None = None
    """The Thread mesh, if there is one."""
    sheet: ChangeSheet | None = None
    """The change sheet that is being worked through, or was last."""
    complaints: Annotated[tuple[Complaint, ...], Len(0, 50)] = ()
    """What the household complains of, one by one."""
    answers: Annotated[tuple[CauseAnswer, ...], Len(0, 200)] = ()
    """What tests of likely causes have shown."""
    plans: Annotated[tuple[KeptPlan, ...], Len(0, 100)] = ()
    """Plans that were kept under a name."""
    wiring: Wiring | None = None
    """The cabling and set-up, if somebody has drawn it; none given takes the cables that the nodes tell of."""
    works: Annotated[tuple[CableRun, ...], Len(0, 40)] = ()
    """Cables to be pulled."""
    ab_tests: Annotated[tuple[AbTest, ...], Len(0, 40)] = ()
    """A/B tests."""
    follow_ups: Annotated[tuple[FollowUp, ...], Len(0, 40)] = ()
    """When the household is asked again."""
    drop_outs: Annotated[tuple[DropOut, ...], Len(0, 2000)] = ()
    """What dropped out, before and after the changes."""
    photos: Annotated[tuple[Photo, ...], Len(0, 20)] = ()
    """Photographs of plans, in files that carry them; inside the application they are kept apart."""
    format: Literal["even-static-job"] = FORMAT
    """Marks the file."""
    version: Literal[2] = VERSION
    """Version of the format."""

    @property
    def air_known(self) -> bool:
        """Whether somebody has scanned the air, and own networks are told from others there: own levels alone say
        nothing of who else sends, and neither does a scan while nobody knows whose networks it heard."""
        return any(not s.levels_only for s in self.scans) and not self.own_unnamed

    @property
    def own_unnamed(self) -> bool:
        """Whether the household's networks are heard as somebody else's: nobody has told an own radio's address, and no
        scan heard the ones that stand for them."""
        made_up = {r.bssid for r in self.radios if r.bssid.startswith(MADE_UP_ADDRESS)}
        if len(made_up) < len(self.radios) or not made_up:
            return False
        heard = any(s.readings for s in self.scans)
        return heard and not any(r.bssid in made_up for s in self.scans for r in s.readings)

    @property
    def radios(self) -> tuple[Radio, ...]:
        """All radios, in the order of the nodes."""
        return tuple(r for n in self.nodes for r in n.radios)

    def node_of(self, radio_id: str) -> Node:
        """The node that carries a radio; KeyError when there is none."""
        for node in self.nodes:
            if any(r.id == radio_id for r in node.radios):
                return node
        raise KeyError(radio_id)

    def radio(self, radio_id: str) -> Radio:
        """A radio by identifier; KeyError when there is none."""
        for radio in self.radios:
            if radio.id == radio_id:
                return radio
        raise KeyError(radio_id)
