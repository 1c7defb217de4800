"""The house as built: storeys, rooms, what stands in them, and where boxes may go.

Local metres: x to the right and y to the back as one looks at the house from its front, z up from the ground floor's
floor; headings are degrees clockwise from "behind". Rooms are drawn to the middle of their walls. Walls are not drawn:
they follow from the rooms (:mod:`even_static.core.house.walls`) and the house type, and are changed one by one.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Final, Literal

from annotated_types import Ge, Gt, Le, Len

from even_static.core.house.basics import Id, Name, record
from even_static.core.tables.materials import (
    HOUSE_DEFAULTS,
    HouseType,
    Material,
    Mounting,
    ObstacleKind,
    OpeningKind,
    Role,
)

Metres = Annotated[float, Ge(-1000), Le(1000)]
HeightM = Annotated[float, Ge(0), Le(30)]
ThicknessM = Annotated[float, Gt(0), Le(2)]
HeadingDeg = Annotated[float, Ge(-360), Le(360)]
Level = Annotated[int, Ge(-5), Le(50)]
Side = Literal["front", "right", "behind", "left"]
SIDES: Final[tuple[Side, ...]] = ("front", "right", "behind", "left")
MOST_ROOMS: Final = 300

RoomKind = Literal["room", "outbuilding", "garden"]


@record
@dataclass(frozen=True, slots=True)
class Build:
    """What a wall or floor is made of: equal leaves of one material."""

    material: Material
    """Material."""
    thickness_m: ThicknessM
    """Thickness of one leaf in m; more than nothing."""
    leaves: Annotated[int, Ge(1), Le(6)] = 1
    """Leaves one behind the other, such as the two boards of a stud wall."""


@record
@dataclass(frozen=True, slots=True)
class Storey:
    """A storey."""

    level: Level
    """0 is the ground floor."""
    height_m: Annotated[float, Ge(1.5), Le(12)] = 2.7
    """From this floor to the next, in m."""
    floor: Build | None = None
    """What its floor is made of; none given takes the house type's."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """A room, an outbuilding's room or a piece of garden."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    storey: Level
    """Storey."""
    outline: Annotated[tuple[tuple[Metres, Metres], ...], Len(3, 40)]
    """Corners (x, y) in m, counter-clockwise, to the middle of the walls; the first is not repeated."""
    kind: RoomKind = "room"
    """Gardens have no walls; outbuildings have their own."""


@record
@dataclass(frozen=True, slots=True)
class WallChange:
    """A wall that is not as the house type has it."""

    room_id: Id
    """A room beside it."""
    edge: Annotated[int, Ge(0), Le(39)]
    """Which edge of the room's outline: the one that starts at corner ``edge`` (of a typed room 0 front, 1 right,
    2 behind, 3 left)."""
    to_room_id: Id | None = None
    """The room on its other side; none given means outside."""
    build: Build | None = None
    """What it is made of; none given means that there is no wall."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Opening:
    """A door, window or passage in a wall."""

    id: Id
    """Identifier."""
    kind: OpeningKind
    """What it is."""
    room_id: Id
    """A room beside it."""
    edge: Annotated[int, Ge(0), Le(39)]
    """Which edge of the room's outline."""
    at_m: Annotated[float, Ge(0), Le(200)]
    """Its middle, in m from the edge's first corner."""
    width_m: Annotated[float, Gt(0), Le(20)] = 0.9
    """Width in m."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Obstacle:
    """Something in the way: metal, water, masonry."""

    id: Id
    """Identifier."""
    kind: ObstacleKind
    """What it is."""
    storey: Level
    """Storey."""
    x_m: Metres
    """Its middle, in m."""
    y_m: Metres
    """Its middle, in m."""
    width_m: Annotated[float, Gt(0), Le(20)]
    """Along its heading's right angle, in m."""
    depth_m: Annotated[float, Ge(0), Le(20)] = 0.0
    """In m; 0 for a sheet such as a mirror."""
    height_m: Annotated[float, Gt(0), Le(12)] = 1.8
    """How high it reaches above the floor, in m."""
    heading_deg: HeadingDeg = 0.0
    """Turned by so many degrees clockwise."""
    loss_db: Annotated[float, Ge(0), Le(40)] | None = None
    """Loss on the way through in dB; none given takes the kind's."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Outlet:
    """A spot where a node may be put: a socket, a cable drop, or both."""

    id: Id
    """Identifier."""
    name: Name
    """What the household calls it."""
    storey: Level
    """Storey."""
    x_m: Metres
    """In m."""
    y_m: Metres
    """In m."""
    power: bool = True
    """True where there is a socket."""
    cable_drops: Annotated[int, Ge(0), Le(16)] = 0
    """Network cables that end here."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Underlay:
    """A photograph of a paper plan under the drawing of a storey."""

    storey: Level
    """Storey."""
    photo_id: Id
    """The photograph."""
    width_px: Annotated[int, Ge(1), Le(20_000)]
    """Its width in pixels."""
    height_px: Annotated[int, Ge(1), Le(20_000)]
    """Its height in pixels."""
    x_m: Metres
    """Where its upper left corner lies, in m."""
    y_m: Metres
    """Where its upper left corner lies, in m."""
    metres_per_px: Annotated[float, Ge(1e-5), Le(1)]
    """Its scale."""
    turn_deg: HeadingDeg = 0.0
    """Turned by so many degrees counter-clockwise about its upper left corner."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Building:
    """The house as built."""

    house_type: HouseType = "brick terrace"
    """Gives the walls and floors that nobody has changed."""
    units: Literal["metric", "feet"] = "metric"
    """What lengths are shown and typed in; they are kept in m."""
    storeys: Annotated[tuple[Storey, ...], Len(1, 20)] = (Storey(0),)
    """Storeys, the lowest first, none left out."""
    party_walls: tuple[Side, ...] = ()
    """Sides on which another household lives behind the wall."""
    rooms: Annotated[tuple[Room, ...], Len(0, MOST_ROOMS)] = ()
    """Rooms."""
    wall_changes: Annotated[tuple[WallChange, ...], Len(0, 1200)] = ()
    """Walls that differ from the house type's."""
    openings: Annotated[tuple[Opening, ...], Len(0, 600)] = ()
    """Doors and windows that matter."""
    obstacles: Annotated[tuple[Obstacle, ...], Len(0, 200)] = ()
    """Obstacles."""
    outlets: Annotated[tuple[Outlet, ...], Len(0, 200)] = ()
    """Where a node may be put."""
    underlays: Annotated[tuple[Underlay, ...], Len(0, 20)] = ()
    """Photographs of plans under the drawing, one for a storey."""

    def elevation_m(self, level: int) -> float:
        """Height of a storey's floor above that of the ground floor, in m; storeys that are not listed have 2.7 m."""
        heights = {s.level: s.height_m for s in self.storeys}
        if level >= 0:
            return sum(heights.get(k, 2.7) for k in range(level))
        return -sum(heights.get(k, 2.7) for k in range(level, 0))

    def height_m(self, level: int) -> float:
        """Height of a storey in m."""
        return next((s.height_m for s in self.storeys if s.level == level), 2.7)

    def default(self, role: Role) -> Build:
        """What the house type makes of a wall, floor or roof."""
        material, thickness_m, leaves = HOUSE_DEFAULTS[self.house_type][role]
        return Build(material, thickness_m, leaves)

    def floor(self, level: int) -> Build:
        """What a storey's floor is made of."""
        own = next((s.floor for s in self.storeys if s.level == level), None)
        return own or self.default("floor")


@record
@dataclass(frozen=True, slots=True)
class Antenna:
    """A rod antenna."""

    tilt_deg: Annotated[float, Ge(0), Le(90)] = 0.0
    """0 is upright, 90 lies level."""
    azimuth_deg: HeadingDeg = 0.0
    """Where its tip leans to, in degrees clockwise from "behind"."""


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Stand:
    """Where and how a node stands."""

    storey: Level
    """Storey."""
    x_m: Metres
    """In m."""
    y_m: Metres
    """In m."""
    height_m: HeightM = 1.4
    """Above the storey's floor, in m."""
    mounting: Mounting = "shelf"
    """How it is put up."""
    antennas: Annotated[tuple[Antenna, ...], Len(0, 12)] = ()
    """Its rod antennas; none given means inner ones, which send all round."""


@record
@dataclass(frozen=True, slots=True)
class NodeStand:
    """Where a node stood at a time."""

    node_id: Id
    """The node."""
    stand: Stand
    """Its stand then."""


def floor_text(level: int) -> str:
    """A floor as people call it: the ground floor, the first floor, the basement."""
    if level == 0:
        return "ground floor"
    if level < 0:
        return "basement" if level == -1 else f"{-level} floors down"
    names = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth"}
    return f"{names.get(level, str(level) + 'th')} floor"
