"""What the house is set to: radios, SSIDs and steering, the bands of radio links, kept plans."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Literal

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import (
    Channel,
    EirpDbm,
    FrequencyMhz,
    Id,
    Name,
    Timestamp,
    ZigbeeChannel,
    record,
)
from even_static.core.house.building import NodeStand
from even_static.core.house.kit import (
    Radio,
)
from even_static.core.spectrum.channels import Block, block_for
from even_static.core.tables.bands import Band, WidthMhz

SsidPlanKind = Literal["one SSID", "split SSIDs", "one SSID plus a split pair"]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
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
class SsidPlan:
    """How the networks are named, and what is done to move devices between bands."""

    kind: SsidPlanKind = "one SSID"
    """One SSID for all bands, an SSID for each band, or one SSID plus a split pair."""
    high_band_from_dbm: Annotated[float, Ge(-95), Le(-30)] | None = None
    """Steering: devices that can use a higher band are moved there from this level on; none given means that they
    choose for themselves."""
    bands: tuple[DeviceBand, ...] = ()
    """Devices that join a band's own SSID; the others join the shared one."""
    device_network: tuple[Id, ...] = ()
    """Devices on the box's separate network for gadgets, which some boxes throttle."""
    backhaul_only: tuple[Id, ...] = ()
    """Radios that send no network for devices: only the link between nodes uses them."""

    def band_of(self, device_id: str) -> Band | None:
        """The band whose own SSID a device joins; None for the shared one."""
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
    to_node_id: Id | None = None
    """The node that it hangs on instead of the present one, where it lets one say which."""


@record
@dataclass(frozen=True, slots=True)
class Settings:
    """The settings of the whole house at one time."""

    radios: tuple[RadioSetting, ...] = ()
    """One for each radio."""
    zigbee_channel: ZigbeeChannel | None = None
    """Channel of the Zigbee hub; none given when there is no hub."""
    ssid_plan: SsidPlan = field(default_factory=SsidPlan)
    """SSIDs and steering."""
    link_bands: tuple[LinkBand, ...] = ()
    """Radio links that are put on another band than ``uplink`` says."""

    def of(self, radio_id: str) -> RadioSetting:
        """The setting of one radio; KeyError when there is none."""
        for setting in self.radios:
            if setting.radio_id == radio_id:
                return setting
        raise KeyError(radio_id)


@record
@dataclass(frozen=True, slots=True, kw_only=True)
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


def setting_block(radio: Radio, setting: RadioSetting) -> Block:
    """The block that a setting puts a radio on; BadInput when channel, width and centre make none."""
    return block_for(radio.band, setting.channel, setting.width_mhz, setting.centre_mhz)
