"""Building materials, constructions and enclosures: what each costs a radio wave.

Material constants: ITU-R P.2040-3 table 3 (2023), from memory: relative permittivity ``a f^b`` and conductivity
``c f^d`` in S/m with f in GHz. Figures marked "common practice" have no published source.
"""

from __future__ import annotations

from typing import Final, Literal

from even_static.core.tables.bands import Band

Material = Literal[
    "brick",
    "concrete",
    "plasterboard",
    "wood",
    "chipboard",
    "glass",
    "coated glass",
    "foil insulation",
    "metal",
    "stone",
    "open",
]
MATERIALS: Final[tuple[Material, ...]] = (
    "brick",
    "concrete",
    "plasterboard",
    "wood",
    "chipboard",
    "glass",
    "coated glass",
    "foil insulation",
    "metal",
    "stone",
    "open",
)

# Frequency in GHz at which losses are taken for a band.
LOSS_GHZ: Final[dict[Band, float]] = {"2.4 GHz": 2.45, "5 GHz": 5.5, "6 GHz": 6.5}

# (a, b, c, d) of ITU-R P.2040-3 table 3, from memory.
P2040: Final[dict[str, tuple[float, float, float, float]]] = {
    "concrete": (5.24, 0.0, 0.0462, 0.7822),
    "brick": (3.91, 0.0, 0.0238, 0.16),
    "plasterboard": (2.73, 0.0, 0.0085, 0.9395),
    "wood": (1.99, 0.0, 0.0047, 1.0718),
    "glass": (6.31, 0.0, 0.0036, 1.3394),
    "chipboard": (2.58, 0.0, 0.0217, 0.78),
}

# Loss in dB of what no slab formula covers, whatever its thickness. Common practice. Stone: per 0.1 m (rubble and
# mortar vary widely).
FLAT_LOSS_DB: Final[dict[str, dict[Band, float]]] = {
    "coated glass": {"2.4 GHz": 18.0, "5 GHz": 22.0, "6 GHz": 23.0},
    "foil insulation": {"2.4 GHz": 20.0, "5 GHz": 24.0, "6 GHz": 25.0},
    "metal": {"2.4 GHz": 26.0, "5 GHz": 28.0, "6 GHz": 28.0},
    "open": {"2.4 GHz": 0.0, "5 GHz": 0.0, "6 GHz": 0.0},
}
STONE_DB_PER_100_MM: Final[dict[Band, float]] = {"2.4 GHz": 4.0, "5 GHz": 7.0, "6 GHz": 8.0}

# A wall never costs more than what finds its way round it. Common practice.
MOST_WALL_DB: Final = 40.0

# What furniture and people cost per metre of way beside the walls, in dB, so that a row of rooms has the slope of ITU-R
# P.1238 for homes; and how far that varies between houses. Common practice.
CLUTTER_DB_PER_M: Final[dict[Band, float]] = {"2.4 GHz": 0.2, "5 GHz": 0.3, "6 GHz": 0.35}
CLUTTER_SPREAD_DB_PER_M: Final = 0.4
MOST_CLUTTER_DB_PER_M: Final = 3.0

# A true wall costs this many times its computed loss, as a factor's standard deviation and bounds. Common practice.
WALL_FACTOR_SPREAD: Final = 0.4
WALL_FACTOR_BOUNDS: Final = (0.3, 3.0)

HouseType = Literal["brick terrace", "masonry house", "timber frame", "concrete flat"]
HOUSE_TYPES: Final[tuple[HouseType, ...]] = ("brick terrace", "masonry house", "timber frame", "concrete flat")
Role = Literal["outer", "party", "inner", "floor", "roof", "shed"]

# (material, thickness in m of a leaf, leaves) by house type. Common practice: a start, changed wall by wall.
HOUSE_DEFAULTS: Final[dict[HouseType, dict[Role, tuple[Material, float, int]]]] = {
    "brick terrace": {
        "outer": ("brick", 0.215, 1),
        "party": ("brick", 0.215, 1),
        "inner": ("plasterboard", 0.0125, 2),
        "floor": ("chipboard", 0.022, 2),
        "roof": ("wood", 0.025, 2),
        "shed": ("wood", 0.025, 1),
    },
    "masonry house": {
        "outer": ("brick", 0.102, 3),
        "party": ("brick", 0.215, 1),
        "inner": ("brick", 0.102, 1),
        "floor": ("concrete", 0.15, 1),
        "roof": ("wood", 0.025, 2),
        "shed": ("brick", 0.102, 1),
    },
    "timber frame": {
        "outer": ("wood", 0.04, 2),
        "party": ("plasterboard", 0.0125, 4),
        "inner": ("plasterboard", 0.0125, 2),
        "floor": ("chipboard", 0.022, 2),
        "roof": ("wood", 0.025, 2),
        "shed": ("wood", 0.025, 1),
    },
    "concrete flat": {
        "outer": ("concrete", 0.2, 1),
        "party": ("concrete", 0.2, 1),
        "inner": ("concrete", 0.1, 1),
        "floor": ("concrete", 0.2, 1),
        "roof": ("concrete", 0.2, 1),
        "shed": ("concrete", 0.1, 1),
    },
}

# Doors and windows as built: (material, thickness in m, leaves, sill in m, head in m). Common practice.
OpeningKind = Literal["door", "glazed door", "metal door", "window", "coated window", "passage"]
OPENINGS: Final[dict[OpeningKind, tuple[Material, float, int, float, float]]] = {
    "door": ("wood", 0.04, 1, 0.0, 2.1),
    "glazed door": ("glass", 0.004, 2, 0.0, 2.1),
    "metal door": ("metal", 0.002, 1, 0.0, 2.1),
    "window": ("glass", 0.004, 2, 0.9, 2.1),
    "coated window": ("coated glass", 0.004, 2, 0.9, 2.1),
    "passage": ("open", 0.0, 1, 0.0, 2.1),
}

# Usual widths of openings in m. Common practice.
OPENING_WIDTH_M: Final[dict[OpeningKind, float]] = {
    "door": 0.85,
    "glazed door": 0.85,
    "metal door": 0.9,
    "window": 1.2,
    "coated window": 1.2,
    "passage": 1.2,
}

# Things that stand in the way: loss in dB on the way through, width, depth and height in m. Common practice
# (20 dB and more for closed metal and for water).
ObstacleKind = Literal[
    "metal cabinet", "refrigerator", "water tank", "chimney", "mirror", "foil insulation", "bath or stove", "bookcase"
]
OBSTACLES: Final[dict[ObstacleKind, tuple[float, float, float, float]]] = {
    "metal cabinet": (22.0, 0.8, 0.5, 1.8),
    "refrigerator": (20.0, 0.6, 0.6, 1.8),
    "water tank": (25.0, 0.6, 0.6, 1.5),
    "chimney": (14.0, 0.9, 0.6, 2.6),
    "mirror": (20.0, 0.8, 0.0, 1.8),
    "foil insulation": (20.0, 2.0, 0.0, 2.4),
    "bath or stove": (15.0, 1.6, 0.7, 0.6),
    "bookcase": (4.0, 1.0, 0.35, 2.0),
}

# What the way a box is put up costs, in dB. Common practice.
Mounting = Literal["shelf", "wall", "ceiling", "floor", "wooden cabinet", "metal enclosure", "behind a door"]
MOUNTINGS: Final[tuple[Mounting, ...]] = (
    "shelf",
    "wall",
    "ceiling",
    "floor",
    "wooden cabinet",
    "metal enclosure",
    "behind a door",
)
# Mountings that say that a node is shut in something: what that is costs their loss, and not once more.
ENCLOSURES: Final[frozenset[Mounting]] = frozenset({"wooden cabinet", "metal enclosure"})
MOUNTING_DB: Final[dict[Mounting, dict[Band, float]]] = {
    "shelf": {"2.4 GHz": 0.0, "5 GHz": 0.0, "6 GHz": 0.0},
    "wall": {"2.4 GHz": 0.0, "5 GHz": 0.0, "6 GHz": 0.0},
    "ceiling": {"2.4 GHz": 0.0, "5 GHz": 0.0, "6 GHz": 0.0},
    "floor": {"2.4 GHz": 2.0, "5 GHz": 3.0, "6 GHz": 3.0},
    "wooden cabinet": {"2.4 GHz": 2.0, "5 GHz": 3.0, "6 GHz": 4.0},
    "metal enclosure": {"2.4 GHz": 15.0, "5 GHz": 18.0, "6 GHz": 18.0},
    "behind a door": {"2.4 GHz": 1.0, "5 GHz": 2.0, "6 GHz": 2.0},
}
