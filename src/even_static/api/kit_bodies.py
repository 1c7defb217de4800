"""Bodies of the kit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Len

from even_static.api.bodies import CallBody
from even_static.core.house.basics import Id, Name, record
from even_static.core.house.devices import Crowd, Wish
from even_static.core.tables.bands import Band
from even_static.core.tables.devices import DeviceKind


@record
@dataclass(frozen=True, slots=True)
class NodeBody:
    """A node to be added: what it is called, where it stands, and its kind by name."""

    name: Name
    place_id: Id
    kind: Annotated[str, Len(1, 80)]


@record
@dataclass(frozen=True, slots=True)
class PasteBody:
    """A pasted list of devices (or CSV), and where they are used if a line does not say."""

    text: Annotated[str, Len(1, 40_000)]
    place_id: str


@record
@dataclass(frozen=True, slots=True)
class DemandBody:
    """Devices whose measured traffic becomes their demand; all that have it, where none are named."""

    device_ids: Annotated[tuple[Id, ...], Len(0, 500)] = ()


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
    closed_bands: list[Band]
    """Bands that the country closes to access points indoors: a node's radios there are left out."""
