"""A backhaul hop in words."""

from __future__ import annotations

from dataclasses import dataclass

from even_static.core.house.kit import Node, Radio
from even_static.core.model.prepared_house import LinkSource
from even_static.core.tables.bands import Band
from even_static.core.tables.placing import ASSUMED_LINK_DBM


def hop_words(
    node: Node,
    parent: Node,
    near: Radio,
    far: Radio,
    devices: int,
    options: tuple[BandOption, ...],
    doubled: bool,
    wired: int,
    source: LinkSource,
) -> list[str]:
    band = near.band
    words = [f"{band} to {parent.name}, shared with {devices} {'device' if devices == 1 else 'devices'}"]
    if near.link_only and far.link_only:
        words = [f"{band} to {parent.name} by radios dedicated to the link"]
    elif devices == 0:
        words = [f"{band} to {parent.name}, no device on it"]
    if node.kind == "repeater":
        words.append("a repeater under another name: nothing is handed over to it, and it sends everything twice")
    best = max(options, key=lambda o: o.gets_mbps, default=None)
    if best is not None and best.band != band and best.gets_mbps > 1.2 * max(o.gets_mbps for o in options if o.now):
        words.append(f"{best.band} would carry more: {best.level_dbm:.0f} dBm, {best.gets_mbps:.0f} Mb/s")
    if doubled:
        words.append("an extra hop on the same band halves what is left")
    if source == "assumed":
        words.append(f"its level is assumed, {ASSUMED_LINK_DBM:.0f} dBm: read it on the node's page")
    elif source == "predicted":
        words.append("its level is predicted")
    if node.self_forming:
        assert node.uplink is not None
        found = "expected, read it on the node's page" if node.uplink.expected else "as it is now"
        words.append(f"the mesh finds this link itself: {found}")
    if wired:
        words.append(f"{wired} cabled devices here are no faster than the link")
    return words


@dataclass(frozen=True, slots=True, kw_only=True)
class BandOption:
    """A band that a link could use: level there, clear rate, what is free, and what that leaves."""

    band: Band
    level_dbm: float
    clear_mbps: float
    free_fraction: float
    gets_mbps: float
    now: bool
    radios: str = ""
    """The two radios, the nearer to the router first."""
