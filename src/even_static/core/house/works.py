"""Work on the house that a plan needs: cables to be pulled."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Ge, Gt, Le

from even_static.core.house.basics import Id, record

Route = Literal["through the rooms", "through the attic", "along the outside"]


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class CableRun:
    """A cable to be pulled to a node."""

    id: Id
    """Identifier."""
    to_node_id: Id
    """The node that it feeds."""
    from_id: Id
    """The node or the box at the line that it comes from."""
    route: Route = "through the rooms"
    """How it goes."""
    runs: Annotated[int, Ge(1), Le(8)] = 2
    """Cables pulled side by side."""
    length_m: Annotated[float, Gt(0), Le(500)] | None = None
    """Length of its way as measured, in m; none given takes it from the house."""
    done: bool = False
    """True when it has been pulled, terminated and tested."""
