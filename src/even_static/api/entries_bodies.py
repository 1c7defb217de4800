"""What edits of a call's lists are sent as."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

from annotated_types import Ge, Le, MaxLen, MinLen

from even_static.core.house.basics import Id, Name, RssiDbm
from even_static.core.house.building import NodeStand, WallChange
from even_static.core.house.entries import ListName, Mesh


@dataclass(frozen=True, slots=True, kw_only=True)
class EntryBody:
    """An entry, or the fields of one that change, the revision that this was made from, and what was done, in words.

    Its fields are those of the job file, checked by the same rules; a new entry without an identifier gets one.
    """

    entry: dict[str, Any]
    revision: int
    summary: Name


@dataclass(frozen=True, slots=True, kw_only=True)
class EntryChange:
    """Fields of one entry that change."""

    name: ListName
    key: str
    entry: dict[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class EntriesBody:
    """Changes of several entries that are one step, as when a table is filled from a spreadsheet."""

    changes: Annotated[list[EntryChange], MinLen(1), MaxLen(2000)]
    revision: int
    summary: Name


@dataclass(frozen=True, slots=True, kw_only=True)
class HubBody:
    """A Zigbee hub that is written down."""

    hub_place_id: Id
    channel: Annotated[int, Ge(11), Le(26)]
    fixed: bool
    """Whether its channel cannot be changed."""
    revision: int


@dataclass(frozen=True, slots=True, kw_only=True)
class MeshDeviceBody:
    """A device of a mesh that is written down, with a level that somebody read."""

    mesh: Mesh
    name: Name
    place_id: Id
    mains_powered: bool
    from_id: Id
    """"hub", "border" or another device of the mesh."""
    rssi_dbm: RssiDbm
    revision: int


@dataclass(frozen=True, slots=True, kw_only=True)
class WallBody:
    """A wall that is made of something else."""

    wall: WallChange
    revision: int
    summary: Name


@dataclass(frozen=True, slots=True, kw_only=True)
class StandsBody:
    """Where nodes stand from now on; with ``all_along``, where they stood when levels were read, too."""

    stands: list[NodeStand]
    all_along: bool = False
    revision: int
    summary: Name
