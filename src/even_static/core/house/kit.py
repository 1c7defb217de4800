"""What stands in the house: places, nodes with their radios, switches, devices, the Zigbee network."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Final, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import (
    Bssid,
    Channel,
    DemandMbps,
    EirpDbm,
    Id,
    Name,
    RssiDbm,
    ZigbeeChannel,
    record,
)
from even_static.core.house.building import HeightM, Metres, Stand
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.tables.bands import Band, WidthMhz
from even_static.core.tables.clients import DEVICE_LIMIT
from even_static.core.tables.phy import CLIENT_EIRP_DBM, Generation

Steering = Literal["nothing", "on or off", "levels"]
HUB_ID: Final = "hub"


@record
@dataclass(frozen=True, slots=True, kw_only=True)
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
    room_id: Id | None = None
    """The room of the building that it is, or is in; none given where none was entered."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
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
    can_be_backhaul_only: bool = False
    """True when the box lets one keep devices off it while the link between nodes goes on."""
    taken_bssid: Bssid | None = None
    """Address that it was taken to have, by its network's name and where it is loud; as long as it has this one, later
    scans may tell it from the kit's other radios."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Uplink:
    """How a node reaches the rest of the network."""

    to_node_id: Id
    """The node it hangs on."""
    band: Band | None = None
    """Band of the radio link; none given means cable."""
    rssi_dbm: RssiDbm | None = None
    """Level at which this node receives the other over the radio link, in dBm; none given where nobody has read it."""
    read_at_eirp_dbm: EirpDbm | None = None
    """Power that the other node's radio radiated when the level was read, in dBm; none given where it is as then."""
    expected: bool = False
    """True where nobody has read this link on the node's page since it was put there, an end was moved or its mesh
    formed anew: the level, where there is one, is worked out."""
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
@dataclass(frozen=True, slots=True, kw_only=True)
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
    device_limit: Annotated[int, Ge(1), Le(1000)] = DEVICE_LIMIT
    """Devices that it carries without tiring: some 10 for the cheapest, 30 to 40 for better ones (common practice)."""
    can_choose_parent: bool = False
    """True when it lets one say which node its radio link goes to."""
    self_forming: bool = False
    """True when it belongs to a mesh that forms itself: over the air it finds itself which node it hangs on and on
    which band, and all its radios are on the gateway's channels."""
    of_the_provider: bool = False
    """True when it belongs to the provider: it may offer little to set, and may be set back from afar."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
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
    max_width_24_mhz: WidthMhz = 20
    """Widest channel that it uses at 2.4 GHz, in MHz: most stay at 20 there."""
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
    planned: bool = False
    """True when it is not bought yet: it counts among what the house must carry, and its levels are never measured."""
    wired_to_id: Id | None = None
    """Node that it hangs on by cable: it takes no airtime of that node's radios, but passes what feeds the node."""
    relayed_by_id: Id | None = None
    """Device that passes its stream on, as a phone does to a speaker: the stream is carried twice."""

    def widest_mhz(self, band: Band) -> int:
        """The widest channel that it uses in a band, in MHz."""
        return min(self.max_width_mhz, self.max_width_24_mhz) if band == "2.4 GHz" else self.max_width_mhz


@record
@dataclass(frozen=True, slots=True, kw_only=True)
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
