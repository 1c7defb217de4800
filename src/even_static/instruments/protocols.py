"""What the application needs of the outside world. A real adapter fills one of these; the stand-ins fill them all."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

from even_static.core.house.mesh import MeshLink
from even_static.core.house.other_sources import ChannelEnergy
from even_static.core.house.readings import Scan, SpeedTest, ZigbeeReport
from even_static.core.house.settings import RadioSetting, SsidPlan
from even_static.core.tables.bands import Band


@dataclass(frozen=True, slots=True)
class Phase:
    """A stretch of waiting while an instrument works: what goes on, and how many seconds it takes."""

    text: str
    seconds: float


class Scanner(Protocol):
    """Listens at a place for what networks broadcast."""

    def listen(self, place_id: str, bands: tuple[Band, ...], seconds: float) -> Scan:
        """Listen for so many seconds; InstrumentFault when it cannot."""
        ...


class WalkingScanner(Protocol):
    """Reads levels while it is carried about."""

    def on_the_way(self, from_place_id: str, to_place_id: str, path_fraction: float) -> dict[str, float]:
        """Levels of own radios in dBm by address, read that share of the way between two spots."""
        ...


class RouterConsole(Protocol):
    """The settings pages of the house's boxes."""

    def read(self) -> tuple[RadioSetting, ...]:
        """What every radio is set to now."""
        ...

    def names(self) -> SsidPlan:
        """How the networks are named now, and what is set about steering."""
        ...

    def save_ssid_plan(self, names: SsidPlan) -> Iterator[Phase]:
        """Save names and steering; every box takes them over, and devices come back."""
        ...

    def save(self, node_id: str, settings: tuple[RadioSetting, ...]) -> Iterator[Phase]:
        """Save settings of a node's radios and wait until it is back. InstrumentFault when the box refuses."""
        ...


class ZigbeeHub(Protocol):
    """The Zigbee hub's own page."""

    def channel(self) -> int | None:
        """Channel in use; None without a hub."""
        ...

    def move(self, channel: int) -> Iterator[Phase]:
        """Move the network to a channel and wait until its devices are back."""
        ...

    def links(self) -> tuple[MeshLink, ...]:
        """Levels of the links as the hub's page shows them now."""
        ...

    def energy_scan(self) -> tuple[ChannelEnergy, ...]:
        """The highest energy on every channel at the hub, over some seconds."""
        ...

    def events(self) -> tuple[str, ...]:
        """The event log, oldest first."""
        ...

    def reports(self, hours: float) -> tuple[ZigbeeReport, ...]:
        """What the log says of each device over the last hours."""
        ...


class SpeedTester(Protocol):
    """A speed test from a place through the house's Wi-Fi."""

    def run(self, place_id: str, runs: int) -> SpeedTest:
        """Several runs, one after another."""
        ...
