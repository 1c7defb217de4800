"""Drawings of a house as SVG, to scale in millimetres, so that they print as they are."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from xml.etree import ElementTree as Xml

from even_static.core.errors import printable
from even_static.core.house.building import Building, floor_text
from even_static.core.house.job import Job
from even_static.core.house.walls import walls_of
from even_static.core.propagation.geometry import obstacle_sides
from even_static.core.propagation.picture import Contour, Picture
from even_static.core.propagation.section import Section
from even_static.core.propagation.stands import stand_of

# Millimetres of paper for a metre of house: 1 to 50, or 1 to 100 where that would not fit a page.
MM_PER_M = (20.0, 10.0, 5.0)
PAGE_MM = 277.0
MARGIN_M = 1.0
INK, SOFT, ACCENT, PAPER = "#1f252b", "#5b6067", "#a8321a", "#ffffff"
Point = tuple[float, float]
Style = dict[str, str]


class _Sheet:
    """An SVG in the house's metres, y (or height) upwards; sizes of pen and text are in mm of paper."""

    def __init__(self, low: Point, high: Point, title: str) -> None:
        width, height = high[0] - low[0] + 2 * MARGIN_M, high[1] - low[1] + 2 * MARGIN_M
        scale = next((s for s in MM_PER_M if max(width, height) * s <= PAGE_MM), MM_PER_M[-1])
        self.mm = 1 / scale
        self.low, self.high = low, high
        below = 14 * self.mm
        self.root = Xml.Element(
            "svg",
            {
                "xmlns": "http://www.w3.org/2000/svg",
                "width": f"{width * scale:.1f}mm",
                "height": f"{(height + below) * scale:.1f}mm",
                "viewBox": _numbers(low[0] - MARGIN_M, -(high[1] + MARGIN_M), width, height + below),
                "font-family": "sans-serif",
                "fill": "none",
                "stroke-linejoin": "round",
            },
        )
        Xml.SubElement(self.root, "title").text = title
        defs = Xml.SubElement(self.root, "defs")
        pattern = Xml.SubElement(
            defs,
            "pattern",
            {
                "id": "unsure",
                "width": _numbers(2 * self.mm),
                "height": _numbers(2 * self.mm),
                "patternUnits": "userSpaceOnUse",
                "patternTransform": "rotate(45)",
            },
        )
        line = {"x1": "0", "y1": "0", "x2": "0", "y2": _numbers(2 * self.mm), "stroke": SOFT}
        Xml.SubElement(pattern, "line", {**line, "stroke-width": _numbers(0.15 * self.mm)})
        self.rows = 0
        self.scale = scale

    def path(self, points: Iterable[Point], pen_mm: float, style: Style | None = None, *, closed: bool = False) -> None:
        text = "".join(f"{'L' if i else 'M'}{_numbers(x, -y)}" for i, (x, y) in enumerate(points))
        style = {"stroke": INK, "stroke-width": _numbers(pen_mm * self.mm), **(style or {})}
        Xml.SubElement(self.root, "path", {"d": text + ("Z" if closed else ""), **style})

    def text(self, at: Point, text: str, size_mm: float, style: Style | None = None) -> None:
        style = {
            "x": _numbers(at[0]),
            "y": _numbers(-at[1]),
            "font-size": _numbers(size_mm * self.mm),
            "fill": INK,
            "stroke": PAPER,
            "stroke-width": _numbers(0.8 * self.mm),
            "paint-order": "stroke",
            **(style or {}),
        }
        Xml.SubElement(self.root, "text", style).text = printable(text)

    def areas(self, rings: Iterable[Sequence[float]]) -> None:
        parts = []
        for ring in rings:
            pairs = zip(ring[::2], ring[1::2], strict=True)
            parts.append("".join(f"{'L' if i else 'M'}{_numbers(x, -y)}" for i, (x, y) in enumerate(pairs)) + "Z")
        if parts:
            style = {"fill": "url(#unsure)", "fill-rule": "evenodd"}
            Xml.SubElement(self.root, "path", {"d": "".join(parts), **style})

    def contours(self, contours: Iterable[Contour], design_dbm: float, handover_dbm: float) -> None:
        for contour in contours:
            design = contour.level_dbm == design_dbm
            pen = 0.6 if design else 0.3 if contour.level_dbm % 10 == 0 else 0.18
            style = {"stroke": ACCENT if design else INK}
            if contour.level_dbm <= handover_dbm:
                style["stroke-dasharray"] = _numbers(1.2 * self.mm, 0.8 * self.mm)
            for line in contour.lines:
                pairs = list(zip(line[::2], line[1::2], strict=True))
                self.path(pairs, pen, style)
        for contour in contours:
            for x, y, angle in contour.labels:
                self.text(
                    (x, y),
                    f"−{-contour.level_dbm}",
                    2.8,
                    {
                        "text-anchor": "middle",
                        "fill": ACCENT if contour.level_dbm == design_dbm else INK,
                        "transform": f"rotate({_numbers(-angle, x, -y)})",
                    },
                )

    def legend(self, text: str) -> None:
        y = self.low[1] - MARGIN_M - (2 + 4 * self.rows) * self.mm
        self.text((self.low[0] - MARGIN_M + 2 * self.mm, y), text, 2.8, {"fill": SOFT})
        self.rows += 1

    def done(self) -> str:
        return '<?xml version="1.0" encoding="UTF-8"?>\n' + Xml.tostring(self.root, encoding="unicode") + "\n"


def plan_svg(job: Job, building: Building, storey: int, picture: Picture | None = None) -> str:
    """A storey's plan as it is built, or with the contours of a picture of it."""
    rooms = [r for r in building.rooms if r.storey == storey]
    corners = [p for r in rooms for p in r.outline] or [(0.0, 0.0), (5.0, 5.0)]
    low, high = _corner(corners, min), _corner(corners, max)
    sheet = _Sheet(low, high, f"{job.title}: {floor_text(storey)}")
    for room in rooms:
        if room.kind == "garden":
            style = {"stroke": SOFT, "stroke-dasharray": _numbers(sheet.mm, sheet.mm)}
            sheet.path(room.outline, 0.2, style, closed=True)
    if picture is not None:
        sheet.areas(picture.unsure)
        sheet.contours(picture.contours, picture.design_dbm, picture.handover_dbm)
    for wall in walls_of(building):
        if wall.storey != storey:
            continue
        more = {} if wall.build else {"stroke-dasharray": _numbers(0.5 * sheet.mm, 1.2 * sheet.mm)}
        sheet.path((wall.start, wall.end), 0.5 if wall.role == "inner" else 1.0, more)
        for opening in wall.openings:
            ends = (
                wall.at(max(0.0, opening.at_m - opening.width_m / 2)),
                wall.at(min(wall.length_m, opening.at_m + opening.width_m / 2)),
            )
            sheet.path(ends, 1.4, {"stroke": PAPER})
            dash = {} if "window" in opening.kind else {"stroke-dasharray": _numbers(0.7 * sheet.mm, 0.7 * sheet.mm)}
            sheet.path(ends, 0.3, dash)
    for obstacle in building.obstacles:
        if obstacle.storey == storey:
            sides = obstacle_sides(obstacle)
            sheet.path([p for a, b, _ in sides for p in (a, b)], 0.3, closed=len(sides) > 1)
    for room in rooms:
        x, y = _corner(room.outline, min)[0], _corner(room.outline, max)[1]
        sheet.text((x + 1.5 * sheet.mm, y - 4 * sheet.mm), room.name, 3.0)
    for node in job.nodes:
        stand = stand_of(job, node)
        if stand is not None and stand.storey == storey:
            _square(sheet, (stand.x_m, stand.y_m))
            sheet.text(
                (stand.x_m + 2.2 * sheet.mm, stand.y_m - 1.2 * sheet.mm), node.name, 3.2, {"font-weight": "bold"}
            )
    for spot in picture.spots if picture is not None else ():
        _cross(sheet, (spot.x_m, spot.y_m))
        if spot.margin_db is not None:
            mark = f"{'−' if spot.margin_db < 0 else '+'}{abs(spot.margin_db):.0f}"
            sheet.text((spot.x_m + 1.5 * sheet.mm, spot.y_m + 1.0 * sheet.mm), mark, 2.8)
    sheet.legend(
        f"{floor_text(storey).capitalize()}, {_scale(sheet)}"
        + ("" if picture is None else f"; {picture.band}, levels in dBm")
    )
    if picture is not None:
        way = "to the device" if picture.direction == "downlink" else f"from a phone of {picture.phone_dbm:.0f} dBm"
        sheet.legend(
            f"{way}; thick: −{-picture.design_dbm:.0f} dBm; hatched: known to ±{picture.unsure_db:.0f} dB or worse; "
            "+ spot with dB against its need"
        )
    return sheet.done()


def section_svg(job: Job, found: Section) -> str:
    """A section through the storeys with its contours."""
    sheet = _Sheet((found.from_m, found.bottom_m), (found.to_m, found.top_m), f"{job.title}: section {found.axis}")
    names = {("node", n.id): n.name for n in job.nodes} | {("spot", p.id): p.name for p in job.places}
    sheet.areas(found.unsure)
    sheet.contours(found.contours, found.design_dbm, found.handover_dbm)
    for wall in found.walls:
        sheet.path(((wall.at_m, wall.bottom_m), (wall.at_m, wall.top_m)), 0.8)
    for floor in found.floors:
        sheet.path(((floor.from_m, floor.height_m), (floor.to_m, floor.height_m)), 1.0)
    for point in found.points:
        at = (point.at_m, point.height_m)
        if point.kind == "node":
            _square(sheet, at)
        else:
            _cross(sheet, at)
        style = {"font-weight": "bold"} if point.kind == "node" else {}
        beside = at[0] + 2.2 * sheet.mm, at[1] - 1.2 * sheet.mm
        sheet.text(beside, names[point.kind, point.id], 3.0, style)
    other = "y" if found.axis == "along" else "x"
    sheet.legend(f"Section {found.axis} at {other} {found.at_m:.1f} m, {_scale(sheet)}; {found.band}, levels in dBm")
    return sheet.done()


def _square(sheet: _Sheet, at: Point) -> None:
    half = 1.2 * sheet.mm
    x, y = at
    ring = ((x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half))
    sheet.path(ring, 0.2, {"fill": INK}, closed=True)


def _cross(sheet: _Sheet, at: Point) -> None:
    half = 1.1 * sheet.mm
    x, y = at
    sheet.path(((x - half, y), (x + half, y)), 0.35)
    sheet.path(((x, y - half), (x, y + half)), 0.35)


def _corner(points: Sequence[Point], pick: Callable[[Iterable[float]], float]) -> Point:
    return pick(x for x, _ in points), pick(y for _, y in points)


def _scale(sheet: _Sheet) -> str:
    return f"1 to {round(1000 / sheet.scale)}"


def _numbers(*values: float) -> str:
    return " ".join("0" if math.isclose(v, 0, abs_tol=5e-5) else f"{v:.4f}".rstrip("0").rstrip(".") for v in values)
