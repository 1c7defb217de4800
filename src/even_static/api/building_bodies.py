"""Bodies of the building: rooms, obstacles, photographs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le, Len

from even_static.core.house.basics import record
from even_static.core.house.building import Level, Metres
from even_static.core.tables.materials import ObstacleKind, OpeningKind


@record
@dataclass(frozen=True, slots=True)
class TypedRoomBody:
    """A typed room, the storey that is shown, and the room that the cursor is on."""

    line: Annotated[str, Len(1, 200)]
    storey: Level = 0
    beside_id: str | None = None


@dataclass(frozen=True, slots=True)
class MoveRoomBody:
    """A room that was dragged, in m."""

    room_id: str
    dx_m: Annotated[float, Ge(-1000), Le(1000)]
    dy_m: Annotated[float, Ge(-1000), Le(1000)]


@dataclass(frozen=True, slots=True)
class ResizeRoomBody:
    """A room's new size, in m."""

    room_id: str
    width_m: float
    depth_m: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PutBody:
    """Something put on the plan at a point, in m: an opening or an obstacle of a kind."""

    storey: Level
    x_m: Metres
    y_m: Metres
    opening: OpeningKind | None = None
    obstacle: ObstacleKind | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class PhotoScaleBody:
    """Two points of a photograph as they lie on the plan now, and how far apart they truly are, in m."""

    storey: Level
    a: tuple[Metres, Metres]
    b: tuple[Metres, Metres]
    length_m: Annotated[float, Ge(0), Le(2000)]
    straighten: bool = True


@dataclass(frozen=True, slots=True)
class PhotoMoveBody:
    """A point of a photograph as it lies on the plan now, and where it belongs, in m."""

    storey: Level
    start: tuple[Metres, Metres]
    end: tuple[Metres, Metres]
