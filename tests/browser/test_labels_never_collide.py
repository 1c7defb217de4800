"""Labels in drawings: none lies over another, measured on the page, on every floor of the demo house."""

from __future__ import annotations

import itertools

import pytest
from playwright.sync_api import Locator, expect
from tests.browser.test_the_first_call import look_at

pytestmark = pytest.mark.browser

# Boxes of text hold the face's ascent and descent, which letters do not fill: so much of each is let go, in px.
SLACK_PX = 3.0


def collisions(drawing: Locator) -> list[tuple[str, str]]:
    """Labels of a drawing that lie over each other."""
    found = []
    for label in drawing.locator("[data-label]").all():
        box = label.bounding_box()
        if box is not None:
            found.append((label.text_content(), box))
    assert len(found) > 2
    return [(a, b) for (a, p), (b, q) in itertools.combinations(found, 2) if _overlap(p, q)]


def _overlap(a: dict, b: dict) -> bool:
    across = min(a["x"] + a["width"], b["x"] + b["width"]) - max(a["x"], b["x"])
    down = min(a["y"] + a["height"], b["y"] + b["height"]) - max(a["y"], b["y"])
    return across > SLACK_PX and down > SLACK_PX


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (390, 844)])
def test_on_the_plan_with_its_levels(open_page, width: int, height: int):
    page = open_page("call/2/house", width=width, height=height)
    for floor in ("Ground", "First", "Second"):
        page.get_by_role("radio", name=floor).click()
        drawing = page.get_by_label(f"Plan of the {floor.lower()} floor")
        expect(drawing.locator("[data-contour]").first).to_be_attached()
        assert collisions(drawing) == [], floor


def test_on_the_mesh(open_page):
    page = open_page("call/2/tune")
    look_at(page, "Zigbee")
    page.get_by_role("button", name="The mesh on the house").click()
    for floor in ("ground", "first"):
        drawing = page.get_by_label(f"The mesh on the {floor} floor")
        expect(drawing).to_be_visible()
        assert collisions(drawing) == [], floor
