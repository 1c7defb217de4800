"""What stands between the line and the nodes, what is plugged into what, and what the household says of its boxes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Final, Literal

from annotated_types import Len

from even_static.core.house.basics import Id, Name, record

LineEquipmentKind = Literal["modem", "provider's gateway", "router"]
# From the line inwards.
LINE_EQUIPMENT: Final[tuple[LineEquipmentKind, ...]] = ("modem", "provider's gateway", "router")
Mode = Literal["routes", "passes through", "access point"]


@record
@dataclass(frozen=True, slots=True)
class LineEquipment:
    """A box that is no node of the mesh: the modem, the provider's box (modem, router and Wi-Fi in one), a router
    without Wi-Fi of its own or one that nobody measures."""

    id: Id
    """Identifier; different from those of nodes and switches."""
    name: Name
    """What the household calls it."""
    kind: LineEquipmentKind
    """What it is."""
    place_id: Id | None = None
    """Where it stands; none given where nobody knows."""


@record
@dataclass(frozen=True, slots=True)
class Cable:
    """A network cable between two boxes: nodes, switches, boxes at the line."""

    a_id: Id
    """One end."""
    b_id: Id
    """The other end."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class EquipmentFacts:
    """What is known of a box's set-up; nothing given means that nobody has looked."""

    equipment_id: Id
    """The box: a node or a box at the line."""
    mode: Mode | None = None
    """Whether it routes (hands out addresses), passes everything through, or is an access point only."""
    sends_wifi: bool | None = None
    """Of a box at the line: whether it sends a Wi-Fi network of its own."""
    line_address: Annotated[str, Len(1, 45)] | None = None
    """Address that it gets from the line's side (IPv4 or IPv6)."""
    own_admin_password: bool | None = None
    """Whether its page is behind a password of the household's own. The password itself is never asked for."""
    remote_management: bool | None = None
    """Whether its page can be reached from the internet."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Wiring:
    """The cabling and set-up of the boxes."""

    line_equipment: Annotated[tuple[LineEquipment, ...], Len(0, 20)] = ()
    """Boxes at the line."""
    cables: Annotated[tuple[Cable, ...], Len(0, 300)] = ()
    """Network cables."""
    facts: Annotated[tuple[EquipmentFacts, ...], Len(0, 100)] = ()
    """What is known of the boxes."""
    same_password: bool | None = None
    """Whether all nodes take the same Wi-Fi password, case included; it is never written down."""
    guests_apart: bool | None = None
    """Whether guests have a network of their own."""

    def of(self, equipment_id: str) -> EquipmentFacts:
        """What is known of a box; nothing where nobody has said anything."""
        return next(
            (f for f in self.facts if f.equipment_id == equipment_id), EquipmentFacts(equipment_id=equipment_id)
        )
