"""A photograph of a paper plan under the drawing, laid to scale by two points."""

from __future__ import annotations

import math
from dataclasses import replace

from even_static.core.errors import BadInput
from even_static.core.house.building import Underlay

Point = tuple[float, float]
# Two points closer than this on the plan tell no scale, in m as drawn.
LEAST_APART_M = 0.05
METRES_PER_PX = (1e-5, 1.0)
FIRST_WIDTH_M = 10.0


def laid_at_first(storey: int, photo_id: str, width_px: int, height_px: int, x_m: float, y_m: float) -> Underlay:
    """A new photograph, 10 m wide until two points tell its scale, its lower left corner at a point."""
    scale = FIRST_WIDTH_M / width_px
    return Underlay(
        storey=storey,
        photo_id=photo_id,
        width_px=width_px,
        height_px=height_px,
        x_m=x_m,
        y_m=round(y_m + height_px * scale, 3),
        metres_per_px=scale,
    )


def scaled_by_two_points(underlay: Underlay, a: Point, b: Point, length_m: float, straighten: bool) -> Underlay:
    """The photograph scaled so that two points of it lie ``length_m`` apart; the first point stays where it is.

    ``straighten`` also turns it until the line between them runs along or across the house.
    """
    apart = math.dist(a, b)
    if apart < LEAST_APART_M:
        raise BadInput("b", "must be another point than the first", f"{apart:.3f} m away", "two points far apart")
    if not 0.1 <= length_m <= 200:
        raise BadInput("length_m", "must be the true distance between the points", length_m, "0.1 to 200 m")
    grow = length_m / apart
    scale = underlay.metres_per_px * grow
    if not METRES_PER_PX[0] <= scale <= METRES_PER_PX[1]:
        raise BadInput("length_m", "must make a scale that a plan can have", f"{scale:.2g} m per pixel", "1e-5 to 1")
    turn = 0.0
    if straighten:
        angle = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
        turn = round(angle / 90) * 90 - angle
    ox, oy = underlay.x_m - a[0], underlay.y_m - a[1]
    c, s = math.cos(math.radians(turn)) * grow, math.sin(math.radians(turn)) * grow
    whole = (underlay.turn_deg + turn + 180) % 360 - 180
    return replace(
        underlay,
        x_m=round(a[0] + c * ox - s * oy, 4),
        y_m=round(a[1] + s * ox + c * oy, 4),
        metres_per_px=scale,
        turn_deg=round(whole, 4),
    )


def moved_by_a_point(underlay: Underlay, start: Point, end: Point) -> Underlay:
    """The photograph moved so that what lay at one point lies at another."""
    return replace(
        underlay, x_m=round(underlay.x_m + end[0] - start[0], 4), y_m=round(underlay.y_m + end[1] - start[1], 4)
    )
