"""Labels in drawings: none lies over another, measured on the page, on every floor of the demo house."""

from __future__ import annotations

import itertools

import pytest
import shapely
from playwright.sync_api import Locator, expect
from tests.browser.test_the_first_call import look_at

pytestmark = pytest.mark.browser

# Of a line of text letters fill the middle; above and below it the face keeps room for accents.
LETTERS_FROM, LETTERS_TO = 0.2, 0.85
# Letters that touch by less than this, in square px, are not over each other: rounding.
SLACK_PX2 = 6.0
CORNERS = """all => all.map(e => {
  const area = e.getBBox(), to = e.getScreenCTM()
  const [top, bottom] = [area.y + FROM * area.height, area.y + TO * area.height]
  const ends = [[area.x, top], [area.x + area.width, top], [area.x + area.width, bottom], [area.x, bottom]]
  const corners = ends.map(([x, y]) => {
    const at = new DOMPoint(x, y).matrixTransform(to)
    return [at.x, at.y]
  })
  return [e.textContent, corners]
})""".replace("FROM", str(LETTERS_FROM)).replace("TO", str(LETTERS_TO))


def cut(drawing: Locator) -> list[str]:
    """Labels of which letters lie outside of the drawing."""
    seen = shapely.box(
        *drawing.evaluate("""e => {
            const edge = e.getBoundingClientRect()
            return [edge.x - 1, edge.y - 1, edge.x + e.clientWidth + 1, edge.y + e.clientHeight + 1]
        }""")
    )
    shown = drawing.locator("[data-label]").evaluate_all(CORNERS)
    return [text for text, corners in shown if not seen.contains(shapely.Polygon(corners))]


def collisions(drawing: Locator) -> list[tuple[str, str]]:
    """Labels of a drawing whose letters lie over each other, turned ones as they are turned."""
    shown = drawing.locator("[data-label]").evaluate_all(CORNERS)
    found = [(text, shapely.Polygon(corners)) for text, corners in shown]
    assert len(found) > 1
    pairs = itertools.combinations(found, 2)
    return [(a, b) for (a, p), (b, q) in pairs if p.intersection(q).area > SLACK_PX2]


def settled(drawing: Locator) -> None:
    """No label over another nor cut, once what is drawn has followed what was picked."""
    for _ in range(20):
        if not collisions(drawing) and not cut(drawing):
            return
        drawing.page.wait_for_timeout(250)
    assert collisions(drawing) == []
    assert cut(drawing) == []


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (390, 844)])
def test_on_the_plan_with_its_levels(open_page, width: int, height: int):
    page = open_page("call/2/house", width=width, height=height)
    for floor in ("Ground", "First", "Second"):
        page.get_by_role("radio", name=floor).click()
        drawing = page.get_by_label(f"Plan of the {floor.lower()} floor")
        expect(drawing.locator("[data-contour]").first).to_be_attached()
        settled(drawing)


def test_on_the_mesh(open_page):
    page = open_page("call/2/tune")
    look_at(page, "Zigbee")
    page.get_by_role("button", name="The mesh on the house").click()
    for floor in ("ground", "first"):
        drawing = page.get_by_label(f"The mesh on the {floor} floor")
        expect(drawing).to_be_visible()
        settled(drawing)


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (390, 844)])
def test_on_the_section(open_page, width: int, height: int):
    page = open_page("call/2/house", width=width, height=height)
    page.get_by_role("radio", name="Section").click()
    drawing = page.get_by_role("img", name="Section ")
    expect(drawing.locator("[data-label]").first).to_be_attached()
    settled(drawing)
