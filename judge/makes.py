"""Houses of another make: the simulator's own physics moved away from what the planner's tables were held to.

``usual`` is what practice houses are drawn from. The others move many of its ranges at once, each within what is met in
homes (common practice): a planner that only fits one make shows here.
"""

from __future__ import annotations

from typing import Final

from even_static.core.tables.bands import Band
from even_static.truth import ranges

_HEAVY: Final[dict[Band, float]] = {"2.4 GHz": 10.0, "5 GHz": 15.0, "6 GHz": 17.0}
_LIGHT: Final[dict[Band, float]] = {"2.4 GHz": 4.0, "5 GHz": 6.0, "6 GHz": 7.0}

MAKES: Final[dict[str, dict[str, object]]] = {
    "usual": {},
    # Thick walls that differ more, boxes and chips that claim too much, people in the way, short bursts, phones that
    # are sticky, evenings much busier than afternoons.
    "stone": {
        "WALL_FACTOR_SPREAD": 0.4,
        "WALL_FACTOR_BOUNDS": (0.8, 2.2),
        "CLUTTER_FACTOR": (1.0, 2.0),
        "SHADOWING_DB": 5.5,
        "RADIO_BIAS_DB": 2.5,
        "CHIP_SPREAD_DB": 3.0,
        "FADING_DB": 3.5,
        "BODY_DB": (1.0, 8.0),
        "BURST_US": (300.0, 900.0),
        "STICKY_DB": (5.0, 12.0),
        "DEAF_SHARE": 0.25,
        "DAY_POWER": (1.0, 2.0),
        "OUTER_WALL_DB": _HEAVY,
        "MESH_CLEAR_DBM": (-82.0, -76.0),
        "TRIES_ALIKE": (0.4, 0.8),
    },
    # Light walls, so that everybody hears everybody; clients that hardly favour the higher bands, senders that hold the
    # channel long and sense poorly, neighbours whose own devices send more, meshes that keep bad routes.
    "light": {
        "WALL_FACTOR_SPREAD": 0.2,
        "WALL_FACTOR_BOUNDS": (0.4, 1.1),
        "CLUTTER_FACTOR": (0.5, 1.0),
        "OUTER_WALL_DB": _LIGHT,
        "TASTE_DB": {"2.4 GHz": (0.0, 0.0), "5 GHz": (0.0, 7.0), "6 GHz": (0.0, 8.0)},
        "BURST_US": (1000.0, 3000.0),
        "PREAMBLE_DBM": (-86.0, -80.0),
        "ENERGY_DBM": (-60.0, -56.0),
        "BELOW_MASK_DB": (0.0, 3.0),
        "STATION_SHARE": 0.5,
        "STATION_M": 8.0,
        "DEMAND_SPREAD": 0.6,
        "PARENT_NOISE_DB": 8.0,
        "MESH_ASKS_AGAIN": 0.2,
        "ADAPTS": 0.8,
    },
}


def build(make: str) -> None:
    """Let this process draw houses of a make from now on; before any house is drawn."""
    for name, value in MAKES[make].items():
        if not hasattr(ranges, name):
            raise KeyError(f"the simulator draws nothing by the name of {name}")
        setattr(ranges, name, value)
