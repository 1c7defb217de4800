"""Kiln Row 9 as built: rooms on three floors, walls, openings, obstacles, outlets."""

from __future__ import annotations

from dataclasses import replace

from even_static.core.house.building import (
    Build,
    Building,
    Obstacle,
    Opening,
    Outlet,
    Storey,
    WallChange,
)
from even_static.instruments.simulated.scenarios import (
    typed_walls,
)

OUTLETS = (
    Outlet(id="line", name="Line entry, hall", storey=0, x_m=0.4, y_m=0.4, power=True, cable_drops=2),
    Outlet(id="hall-shelf", name="Hall shelf", storey=0, x_m=1.7, y_m=3.8, power=True, cable_drops=1),
    Outlet(id="kitchen-worktop", name="Kitchen worktop", storey=0, x_m=4.0, y_m=0.5, power=True, cable_drops=0),
    Outlet(id="kitchen-back", name="Kitchen, yard side", storey=0, x_m=7.4, y_m=3.4, power=True, cable_drops=1),
    Outlet(id="landing-wall", name="Landing wall", storey=1, x_m=2.2, y_m=2.6, power=True, cable_drops=1),
    Outlet(id="music-desk", name="Music room desk", storey=1, x_m=5.2, y_m=0.4, power=True, cable_drops=0),
    Outlet(id="bedroom-window", name="Bedroom window", storey=1, x_m=7.4, y_m=0.5, power=True, cable_drops=1),
    Outlet(id="attic-stairs", name="Attic stairs", storey=2, x_m=3.4, y_m=3.8, power=True, cable_drops=1),
    Outlet(id="attic-gable", name="Attic gable", storey=2, x_m=7.3, y_m=2.2, power=True, cable_drops=0),
    Outlet(id="studio-bench", name="Studio bench", storey=0, x_m=15.0, y_m=2.4, power=True, cable_drops=0),
    Outlet(id="studio-door", name="Studio, door side", storey=0, x_m=13.4, y_m=3.6, power=True, cable_drops=0),
)


def kiln_row_building() -> Building:
    """Kiln Row 9 as built: three storeys of brick, a studio of its own behind a yard."""
    building = Building(
        house_type="brick terrace",
        storeys=(Storey(0, 2.7), Storey(1, 2.7), Storey(2, 2.5)),
        party_walls=("left",),
    )
    building = typed_walls(
        building,
        [
            "hall 2.0 4.2",
            "kitchen 5.8 4.2 right of hall",
            "yard 5.2 4.2 right of kitchen",
            "studio 4.0 4.2 right of yard",
            "kiln shed 3.2 4.2 right of studio",
            "greenhouse 3.0 2.0 behind yard",
            "landing 3.0 4.2 above hall",
            "music room 2.6 2.2 right of landing",
            "bedroom 2.2 4.2 right of music room",
            "bathroom 2.6 2.0 behind music room",
            "attic east 3.9 4.2 above music room",
            "attic west 3.9 4.2 left of attic east",
        ],
    )
    rooms = {r.id: r for r in building.rooms}
    # The attic spans the whole house: typed beside its first room it starts where the party wall is.
    shift = -min(x for x, _ in rooms["attic-west"].outline)
    building = replace(
        building,
        rooms=tuple(
            replace(
                r,
                kind="outbuilding" if r.id in ("studio", "kiln-shed") else r.kind,
                outline=tuple((round(x + shift, 3), y) for x, y in r.outline) if r.storey == 2 else r.outline,
            )
            for r in building.rooms
        ),
    )
    brick = Build("brick", 0.102)
    return replace(
        building,
        wall_changes=(
            WallChange("studio", 3, None, brick),
            WallChange("studio", 0, None, brick),
            WallChange("studio", 2, None, brick),
            WallChange("studio", 1, "kiln-shed", brick),
            WallChange("kitchen", 0, None, Build("brick", 0.215)),
            WallChange("greenhouse", 0, None, Build("glass", 0.004)),
            WallChange("greenhouse", 1, None, Build("glass", 0.004)),
            WallChange("greenhouse", 2, None, Build("glass", 0.004)),
            WallChange("greenhouse", 3, None, Build("glass", 0.004)),
        ),
        openings=(
            Opening(id="hall-kitchen", kind="door", room_id="hall", edge=1, at_m=2.0, width_m=0.9),
            Opening(id="yard-window", kind="window", room_id="kitchen", edge=1, at_m=2.6, width_m=1.6),
            Opening(id="studio-door", kind="glazed door", room_id="studio", edge=3, at_m=2.2, width_m=1.2),
            Opening(id="bedroom-window", kind="coated window", room_id="bedroom", edge=1, at_m=2.1, width_m=1.4),
        ),
        obstacles=(
            Obstacle(
                id="kiln", kind="metal cabinet", storey=0, x_m=17.9, y_m=1.1, width_m=0.9, depth_m=0.8, height_m=1.4
            ),
            Obstacle(
                id="fridge", kind="refrigerator", storey=0, x_m=2.5, y_m=3.7, width_m=0.6, depth_m=0.6, height_m=1.8
            ),
            Obstacle(id="flue", kind="chimney", storey=1, x_m=2.9, y_m=1.0, width_m=0.9, depth_m=0.5, height_m=2.6),
        ),
        outlets=OUTLETS,
    )
