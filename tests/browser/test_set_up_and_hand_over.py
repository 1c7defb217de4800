"""Cabling, materials, trials, proof, the report and the history in the real interface."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of

from even_static.core.checks.set_up import set_up
from even_static.core.tuning.materials import materials

pytestmark = pytest.mark.browser


def test_the_cabling_is_drawn_by_clicks_and_findings_follow(open_page, running_app):
    call = copy_of(running_app, "cabling")
    page = open_page(f"call/{call}/kit")
    card = page.get_by_label("Cabling and set-up")
    drawing = card.get_by_label("The cabling")
    double = card.locator("li", has_text="Hall router routes behind Line box")
    expect(double).to_contain_text("gets 192.168.1.23, a private address")
    # Pass-through ends the double router; everything by keyboard.
    drawing.get_by_role("button", name="Line box:").focus()
    page.keyboard.press("Enter")
    card.get_by_label("Set so that it").select_option("passes through")
    expect(double).to_have_count(0)
    page.keyboard.press("Escape")
    # A switch goes between, with a ring; the ring is found, and a click on a cable ends it.
    card.get_by_role("button", name="Switch", exact=True).click()
    drawing.get_by_role("button", name="Switch 1:").click()
    drawing.get_by_role("button", name="Hall router:").click()
    expect(drawing.get_by_role("button", name="Unplug the cable between Hall router and Switch 1")).to_be_visible()
    drawing.get_by_role("button", name="Switch 1:").click()
    drawing.get_by_role("button", name="Landing node:").click()
    expect(card.locator("li", has_text="A ring of cables")).to_be_visible()
    drawing.get_by_role("button", name="Unplug the cable between Hall router and Landing").locator("circle").click()
    expect(card.locator("li", has_text="A ring of cables")).to_have_count(0)
    job = running_app.store.get(call).job
    assert next(n for n in job.nodes if n.id == "landing").uplink.switch_id == "switch-1"
    expect(card).to_contain_text(f"What the set-up shows: {set_up(job).text}")
    page.keyboard.press("Control+z")
    expect(card.locator("li", has_text="A ring of cables")).to_be_visible()


def test_a_cable_is_planned_with_materials_work_and_cautions(open_page, running_app):
    call = copy_of(running_app, "cables")
    page = open_page(f"call/{call}/change")
    card = page.get_by_label("Cables and new places")
    card.get_by_role("button", name="Plan the cable").click()
    expect(card).to_contain_text("1 way to cable")
    job = running_app.store.get(call).job
    own = materials(job, {})
    run = card.locator(f"[data-run='{own.runs[0].id}']")
    expect(run).to_contain_text(f"{own.runs[0].runs} × {own.runs[0].each_m} m = {own.runs[0].total_m} m")
    for line in own.materials:
        expect(card.get_by_role("row", name=f"{line.count} {line.what}")).to_be_visible()
    expect(card.locator("[data-cautions]")).to_contain_text("Cable between buildings")
    run.get_by_label("as measured").fill("40")
    run.get_by_label("as measured").blur()
    expect(run).to_contain_text("2 × 50 m = 100 m")
    run.get_by_role("button", name="Pulled and tested").click()
    expect(card).to_contain_text("No cable and no new place is needed")
