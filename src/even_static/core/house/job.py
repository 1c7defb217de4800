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
    Bssid,
    Channel,
    DemandMbps,
    EirpDbm,
    Fraction,
    FrequencyMhz,
    Id,
    Name,
    RssiDbm,
    Text,
    Timestamp,
    ZigbeeChannel,
    record,
)
from even_static.core.house.building import Building, HeightM, Metres, NodeStand, Stand
from even_static.core.house.complaint import Complaint, SuspicionAnswer
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.senders import EnergyScan, OtherSender, PanHeard, Thread
from even_static.core.house.sheet import SheetStep
from even_static.core.house.trial import TrialMeasure, TrialVisit
from even_static.core.house.wiring import Wiring
from even_static.core.house.works import CableRun
from even_static.core.spectrum.channels import Band, Block, WidthMhz, block_for
from even_static.core.tables.phy import CLIENT_EIRP_DBM, Generation

FORMAT: Final = "even-static-job"
VERSION: Final = 1
HUB_ID: Final = "hub"
LatencyMs = Annotated[float, Ge(0), Le(60_000)]

CARRIES_WELL: Final = 30
Steering = Literal["nothing", "on or off", "levels"]
School = Literal["one name", "split names", "one name and a split pair"]

Security = Literal[
    "open",
    "OWE",
    "WEP",
    "WPA",
    "WPA/WPA2",
    "WPA2",
    "WPA2/WPA3",
    "WPA3",
    "WPA2-Enterprise",
    "WPA3-Enterprise",
    "unknown",
]


@record
@dataclass(frozen=True, slots=True)
class Place:
    """A spot where somebody listens, a device is used or a node stands."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    storey: Annotated[int, Ge(-5), Le(50)] = 0
    """Storey; 0 is the ground floor."""
    outdoors: bool = False
    """True where there is no roof: indoor-only channels may not be used by a node here."""
    x_m: Metres | None = None
    """Where it is in the building, in m to the right; none given where nobody has placed it."""
    y_m: Metres | None = None
    """Where it is in the building, in m to the back; given together with ``x_m``."""
    height_m: HeightM = 1.2
    """Height above the storey's floor at which the device is used, in m."""


@record
@dataclass(frozen=True, slots=True)
class Radio:
    """One radio of a node, and what it can do."""

    id: Id
    """Identifier, unique over all nodes."""
    bssid: Bssid
    """Address that the radio's beacons carry."""
    ssid: Annotated[str, Len(0, 128)]
    """Name of its network."""
    band: Band
    """Band."""
    generation: Generation
    """Newest generation of IEEE 802.11 that it speaks."""
    streams: Annotated[int, Ge(1), Le(8)]
    """Spatial streams."""
    widths_mhz: Annotated[tuple[WidthMhz, ...], Len(1, 5)]
    """Channel widths that it offers, in MHz."""
    eirp_steps_dbm: Annotated[tuple[EirpDbm, ...], Len(1, 40)]
    """Radiated power at each of its power steps, in dBm, antenna gain included."""
    channels: tuple[Channel, ...] | None = None
    """Primary channels that it offers; none given means every lawful one."""
    locked: bool = False
    """True when its setting must stay as it is."""
    link_only: bool = False
    """True when the box gives it over to the link between nodes: no device may join it."""


@record
@dataclass(frozen=True, slots=True)
class Uplink:
    """How a node reaches the rest of the network."""

    to_node_id: Id
    """The node it hangs on."""
    band: Band | None = None
    """Band of the radio link; none given means cable."""
    rssi_dbm: RssiDbm | None = None
    """Level at which this node receives the other over the radio link, in dBm."""
    radio_id: Id | None = None
    """This node's radio that the link uses, where it has two on the band; none given means the first."""
    to_radio_id: Id | None = None
    """The other node's radio that the link uses, where it has two on the band; none given means the first."""
    switch_id: Id | None = None
    """The switch that its cable goes to, where there is one between it and the other node."""


@record
@dataclass(frozen=True, slots=True)
class Switch:
    """A switch that cables of nodes and devices go to."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    rate_mbps: Annotated[float, Ge(10), Le(10_000)] = 1000.0
    """Rate of its sockets, in Mb/s."""
    behind_switch_id: Id | None = None
    """The switch that it hangs on itself, in a chain; none given means the node that its nodes hang on."""


@record
@dataclass(frozen=True, slots=True)
class Node:
    """A router, mesh node or access point of the house."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    place_id: Id
    """Where it stands."""
    radios: Annotated[tuple[Radio, ...], Len(1, 4)]
    """Its radios."""
    uplink: Uplink | None = None
    """How it is fed; none given for the router itself."""
    stand: Stand | None = None
    """Where and how it stands in the building; none given takes its place's middle, on a shelf."""
    kind: Literal["node", "cellular gateway", "repeater"] = "node"
    """A cellular gateway gets its line through the air, and wants a window for it. A repeater has a network name of its
    own: devices are not handed over to it, they use it only where they have joined it or where nothing else reaches."""
    outlet_id: Id | None = None
    """The cable drop that its cable comes from."""
    steering: Steering = "levels"
    """What the box lets one say about steering devices between bands: nothing, on or off, or from which level on."""
    carries_well: Annotated[int, Ge(1), Le(1000)] = CARRIES_WELL
    """Devices that it carries without tiring: some 10 for the cheapest, 30 to 40 for better ones (common practice)."""


@record
@dataclass(frozen=True, slots=True)
class Device:
    """Something that uses the Wi-Fi, with what it wants in the busy hour."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    place_id: Id
    """Where it is used."""
    bands: Annotated[tuple[Band, ...], Len(1, 3)]
    """Bands that it can use."""
    generation: Generation
    """Newest generation that it speaks."""
    streams: Annotated[int, Ge(1), Le(8)] = 1
    """Spatial streams."""
    max_width_mhz: WidthMhz = 80
    """Widest channel that it can use, in MHz."""
    demand_down_mbps: DemandMbps = 0.0
    """Wanted in the busy hour towards the device, in Mb/s."""
    demand_up_mbps: DemandMbps = 0.0
    """Wanted in the busy hour from the device, in Mb/s."""
    eirp_dbm: EirpDbm = CLIENT_EIRP_DBM
    """Radiated power of the device itself, in dBm."""
    must_have: bool = True
    """True when the household counts on it."""
    radio_id: Id | None = None
    """Radio that it is known to use; none given means the one that its level and bands suggest."""
    group_id: Id | None = None
    """Devices of one group must be on one network to find each other: a speaker and the phone that plays to it."""
    awkward: bool = False
    """True when it drops off where steering holds the band back that it knows: it wants a name without steering."""
    unknown: bool = False
    """True when nobody has said yet what it is: ask about it."""
    wired_to_id: Id | None = None
    """Node that it hangs on by cable: it takes no airtime of that node's radios, but passes what feeds the node."""
    relayed_by_id: Id | None = None
    """Device that passes its stream on, as a phone does to a speaker: the stream is carried twice."""


@record
@dataclass(frozen=True, slots=True)
class Zigbee:
    """The house's Zigbee network."""

    hub_place_id: Id
    """Where the hub stands."""
    selectable_channels: Annotated[tuple[ZigbeeChannel, ...], Len(1, 16)]
    """Channels that the hub can be set to; one only means that it is fixed."""
    devices: tuple[MeshDevice, ...] = ()
    """Devices on it."""
    links: tuple[MeshLink, ...] = ()
    """Links as measured."""
    hub_faces_deg: Annotated[float, Ge(0), Le(360)] | None = None
    """Heading that the hub's antenna looks to, in degrees: 0 is to the right of the plan, 90 to the back; none given
    where nobody knows, or it looks all round."""


@record
@dataclass(frozen=True, slots=True)
class RadioSetting:
    """What a radio is set to."""

    radio_id: Id
    """The radio."""
    channel: Channel
    """Primary channel."""
    width_mhz: WidthMhz
    """Channel width in MHz."""
    eirp_dbm: EirpDbm
    """Radiated power in dBm."""
    centre_mhz: FrequencyMhz | None = None
    """Centre of the block in MHz, where channel and width leave a choice; none given means the lowest."""
    enabled: bool = True
    """False when the radio is switched off."""


@record
@dataclass(frozen=True, slots=True)
class DeviceBand:
    """Which band's name a device joins."""

    device_id: Id
    """The device."""
    band: Band
    """The band."""


@record
@dataclass(frozen=True, slots=True)
class Names:
    """How the networks are named, and what is done to move devices between bands."""

    school: School = "one name"
    """One name for all bands, a name for each band, or one name with a pair of split names beside it."""
    high_band_from_dbm: Annotated[float, Ge(-95), Le(-30)] | None = None
    """Steering: devices that can use a higher band are moved there from this level on; none given means that they
    choose for themselves."""
    bands: tuple[DeviceBand, ...] = ()
    """Devices that join a band's own name; the others join the one name."""
    device_network: tuple[Id, ...] = ()
    """Devices on the box's separate network for gadgets, which some boxes throttle."""

    def band_of(self, device_id: str) -> Band | None:
        """The band whose own name a device joins; None for the one name."""
        return next((b.band for b in self.bands if b.device_id == device_id), None)


@record
@dataclass(frozen=True, slots=True)
class LinkBand:
    """The band that a node's radio link is put on."""

    node_id: Id
    """The node that hangs on the link."""
    band: Band
    """The band."""
    radio_id: Id | None = None
    """The node's radio, where it has two on the band."""
    to_radio_id: Id | None = None
    """The other node's radio, where it has two on the band."""


@record
@dataclass(frozen=True, slots=True)
class Settings:
    """The settings of the whole house at one time."""

    radios: tuple[RadioSetting, ...] = ()
    """One for each radio."""
    zigbee_channel: ZigbeeChannel | None = None
    """Channel of the Zigbee hub; none given when there is no hub."""
    names: Names = field(default_factory=Names)
    """Names and steering."""
    link_bands: tuple[LinkBand, ...] = ()
    """Radio links that are put on another band than ``uplink`` says."""

    def of(self, radio_id: str) -> RadioSetting:
        """The setting of one radio; KeyError when there is none."""
        for setting in self.radios:
            if setting.radio_id == radio_id:
                return setting
        raise KeyError(radio_id)


@record
@dataclass(frozen=True, slots=True)
class KeptPlan:
    """A setting of the house that somebody kept under a name, to compare it with others."""

    id: Id
    """Identifier."""
    name: Name
    """What it is called."""
    kept_at: Timestamp
    """When it was kept."""
    settings: Settings
    """What it sets."""
    stands: Annotated[tuple[NodeStand, ...], Len(0, 40)] = ()
    """Where it puts nodes; those that are not named stay."""


@record
@dataclass(frozen=True, slots=True)
class Reading:
    """A network as heard at one place and time."""

    bssid: Bssid
    """Address that its beacons carry."""
    ssid: Annotated[str, Len(0, 128)]
    """Name; empty when hidden. Bytes that are not UTF-8 are written as backslash escapes."""
    band: Band
    """Band."""
    channel: Channel
    """Primary channel."""
    centre_mhz: FrequencyMhz
    """Centre of its block in MHz (of the first segment at 80+80)."""
    width_mhz: WidthMhz
    """Width in MHz; 160 for 80+80."""
    rssi_dbm: RssiDbm
    """Median level in dBm."""
    samples: Annotated[int, Ge(1)] = 1
    """Frames that the level rests on."""
    spread_db: Annotated[float, Ge(0), Le(60)] | None = None
    """Half the distance between the 16th and 84th percentile of the level, in dB."""
    first_heard_at: Timestamp | None = None
    """Time of the first frame."""
    last_heard_at: Timestamp | None = None
    """Time of the last frame."""
    security: Security = "unknown"
    """Security announced."""
    generation: Generation | None = None
    """Newest generation announced."""
    channel_use_fraction: Fraction | None = None
    """Share of time in which the access point found its channel busy, as it broadcasts it (BSS Load)."""
    stations: Annotated[int, Ge(0), Le(65_535)] | None = None
    """Stations that it says it serves (BSS Load)."""
    country: Annotated[str, Len(2, 2)] | None = None
    """Country that it announces."""
    slowest_basic_rate_mbps: Annotated[float, Ge(0), Le(1000)] | None = None
    """Slowest basic rate in Mb/s."""
    centre2_mhz: FrequencyMhz | None = None
    """Centre of the second segment at 80+80, in MHz."""

    @property
    def block(self) -> Block:
        """The spectrum that it uses."""
        return Block(self.band, self.channel, self.centre_mhz, self.width_mhz, self.centre2_mhz)


@record
@dataclass(frozen=True, slots=True)
class Listen:
    """One listening at one place."""

    id: Id
    """Identifier."""
    place_id: Id
    """Where."""
    heard_at: Timestamp
    """When it began."""
    source: Name
    """What it came from: a scanner, a capture file, a CSV file."""
    bands: Annotated[tuple[Band, ...], Len(1, 3)]
    """Bands that were listened to."""
    readings: tuple[Reading, ...] = ()
    """What was heard, own networks included."""
    settings: Settings | None = None
    """The house's settings at that time; none given means the present ones."""
    stands: tuple[NodeStand, ...] | None = None
    """Where the nodes stood at that time; none given means where they stand at present."""
    instrument_id: Id | None = None
    """What it was measured with; none given means the scanner that all others are compared with."""
    running: Text = ""
    """What else was running."""


Over = Literal["wi-fi", "cable", "this computer itself"]
Reach = Literal["this computer", "the internet"]
Counts = Annotated[int, Ge(0), Le(1_000_000)]


@record
@dataclass(frozen=True, slots=True)
class SpeedTest:
    """Runs of a speed test at one place."""

    place_id: Id
    """Where."""
    tested_at: Timestamp
    """When."""
    down_mbps: tuple[DemandMbps, ...]
    """Each run towards the device, in Mb/s."""
    up_mbps: tuple[DemandMbps, ...]
    """Each run from the device, in Mb/s."""
    latency_ms: tuple[LatencyMs, ...] = ()
    """Latency under load of each run, in ms."""
    idle_ms: tuple[LatencyMs, ...] = ()
    """Latency of each run before the load, in ms."""
    jitter_ms: tuple[LatencyMs, ...] = ()
    """Mean difference of one latency under load to the next, of each run, in ms."""
    stalls: tuple[Counts, ...] = ()
    """Times in each run at which nothing came for 0.25 s or longer."""
    longest_stall_ms: tuple[LatencyMs, ...] = ()
    """The longest of them in each run, in ms."""
    over: Over = "wi-fi"
    """What the device was connected by."""
    reach: Reach = "the internet"
    """What it was tested against: this computer measures the house alone."""


@record
@dataclass(frozen=True, slots=True)
class TracePoint:
    """An own radio's level on the way from one spot to the next."""

    after_s: Annotated[float, Ge(0), Le(3600)]
    """Since the walk began, in s."""
    bssid: Bssid
    """The radio's address."""
    rssi_dbm: RssiDbm
    """Level in dBm."""


@record
@dataclass(frozen=True, slots=True)
class Trace:
    """Levels read while walking at a steady pace from one spot to another."""

    id: Id
    """Identifier."""
    from_place_id: Id
    """Where the walk began."""
    to_place_id: Id
    """Where it ended."""
    walked_at: Timestamp
    """When it began."""
    duration_s: Annotated[float, Ge(0.5), Le(3600)]
    """How long it took, in s."""
    points: Annotated[tuple[TracePoint, ...], Len(1, 20_000)]
    """What was read on the way."""
    settings: Settings | None = None
    """The house's settings at that time; none given means the present ones."""
    stands: tuple[NodeStand, ...] | None = None
    """Where the nodes stood at that time; none given means where they stand at present."""


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
@dataclass(frozen=True, slots=True)
class Instrument:
    """Something that levels are read from, and how far it reads beside the scanner."""

    id: Id
    """Identifier."""
    name: Name
    """What it is called: somebody's phone."""
    offset_db: Annotated[float, Ge(-30), Le(30)] = 0.0
    """What it reads more than the scanner at the same spot, in dB; taken off its readings."""
    spread_db: Annotated[float, Ge(0), Le(30)] = 3.0
    """How sure the offset is: its standard deviation, in dB."""
    place_id: Id | None = None
    """The common spot that the offset comes from."""


@record
@dataclass(frozen=True, slots=True)
class ZigbeeReport:
    """What the hub's log says of one device over a time."""

    device_id: Id
    """The device."""
    reported_at: Timestamp
    """End of the time it covers."""
    sent: Annotated[int, Ge(0)]
    """Reports due."""
    delivered: Annotated[int, Ge(0)]
    """Reports that arrived."""


@record
@dataclass(frozen=True, slots=True)
class Change:
    """A change of the house's settings that was made."""

    changed_at: Timestamp
    """When it was done."""
    before: Settings
    """What was set before."""
    after: Settings
    """What was read back afterwards."""
    reason: Text = ""
    """Why."""


@record
@dataclass(frozen=True, slots=True)
class ChangeSheet:
    """Steps from one setting of the house to another, and how far they are."""

    id: Id
    """Identifier."""
    made_at: Timestamp
    """When it was made."""
    before: Settings
    """What was set when it was made."""
    after: Settings
    """What is to be set."""
    steps: Annotated[tuple[SheetStep, ...], Len(1, 60)]
    """Its steps, in their order."""
    reason: Text = ""
    """Why."""


@record
@dataclass(frozen=True, slots=True)
class TrialArm:
    """One of the two ways of a trial."""

    name: Name
    """What it is called."""
    settings: Settings | None = None
    """How the house is set; none given where somebody sets it by hand, as an antenna."""


@record
@dataclass(frozen=True, slots=True)
class Trial:
    """A trial of two ways, in turns."""

    id: Id
    """Identifier."""
    name: Name
    """What it is about."""
    planned_at: Timestamp
    """When it was planned."""
    measure: TrialMeasure
    """What is measured."""
    a: TrialArm
    """The first way, as a rule the one of now."""
    b: TrialArm
    """The other way."""
    place_id: Id | None = None
    """Where it is measured; none given for the whole Zigbee mesh."""
    worth_fraction: Annotated[float, Ge(0.02), Le(3)] = 0.15
    """The difference that one cares about, as a share of the value: 0.15 is 15 % more (or less)."""
    most_blocks: Annotated[int, Ge(2), Le(60)] = 12
    """Blocks of four turns after which it ends."""
    visits: Annotated[tuple[TrialVisit, ...], Len(0, 240)] = ()
    """The turns so far, in their order."""


@record
@dataclass(frozen=True, slots=True)
class Job:
    """A call."""

    title: Name
    """How the call is found again."""
    country: Annotated[str, Len(2, 2)]
    """Regulatory domain: an ISO 3166 code, or "00" for the world domain."""
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
    listens: tuple[Listen, ...] = ()
    """What was heard, by place and time."""
    speed_tests: tuple[SpeedTest, ...] = ()
    """Speed tests."""
    zigbee_reports: tuple[ZigbeeReport, ...] = ()
    """What the hub logged."""
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
    other_senders: Annotated[tuple[OtherSender, ...], Len(0, 100)] = ()
    """What else sends at 2.4 GHz."""
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
    answers: Annotated[tuple[SuspicionAnswer, ...], Len(0, 200)] = ()
    """What tests of suspicions have shown."""
    plans: Annotated[tuple[KeptPlan, ...], Len(0, 100)] = ()
    """Plans that were kept under a name."""
    wiring: Wiring | None = None
    """The cabling and set-up, if somebody has drawn it; none given takes the cables that the nodes tell of."""
    works: Annotated[tuple[CableRun, ...], Len(0, 40)] = ()
    """Cables to be pulled."""
    trials: Annotated[tuple[Trial, ...], Len(0, 40)] = ()
    """Trials of two ways."""
    follow_ups: Annotated[tuple[FollowUp, ...], Len(0, 40)] = ()
    """When the household is asked again."""
    drop_outs: Annotated[tuple[DropOut, ...], Len(0, 2000)] = ()
    """What dropped out, before and after the changes."""
    photos: Annotated[tuple[Photo, ...], Len(0, 20)] = ()
    """Photographs of plans, in files that carry them; inside the application they are kept apart."""
    format: Literal["even-static-job"] = FORMAT
    """Marks the file."""
    version: Literal[1] = VERSION
    """Version of the format."""

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


def setting_block(radio: Radio, setting: RadioSetting) -> Block:
    """The block that a setting puts a radio on; BadInput when channel, width and centre make none."""
    return block_for(radio.band, setting.channel, setting.width_mhz, setting.centre_mhz)


def own_reading(radio: Radio, setting: RadioSetting, rssi_dbm: float) -> Reading:
    """An own radio as it is heard at a level while it is set so."""
    block = setting_block(radio, setting)
    return Reading(
        radio.bssid,
        radio.ssid,
        radio.band,
        setting.channel,
        block.centre_mhz,
        setting.width_mhz,
        rssi_dbm,
        generation=radio.generation,
    )
