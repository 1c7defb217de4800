"""Cabling, materials, trials, proof, the report and the history in the real interface."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of, fixed, look_at
from tests.conftest import poll

from even_static.core.change.ab_tests import arm_at, result_of
from even_static.core.change.materials import materials
from even_static.core.checks.set_up import set_up
from even_static.core.house.ab_test import ArmRun
from even_static.core.house.kit import Place
from even_static.core.prove.before_after import prove
from even_static.core.prove.promised import predicted_and_came
from even_static.core.report.report import report
from even_static.core.tables.cautions import CAUTIONS

pytestmark = pytest.mark.browser


def box(drawing, name):
    return drawing.get_by_role("button", name=re.compile(f"^{name}"))


def test_the_cabling_is_drawn_by_clicks_and_findings_follow(open_page, running_app):
    call = copy_of(running_app, "cabling")
    page = open_page(f"call/{call}/kit/cabling")
    card = page.get_by_label("Cabling and set-up")
    drawing = card.get_by_label("The cabling")
    double = card.locator("li", has_text="Hall router routes behind Line box")
    expect(double).to_contain_text("gets 192.168.1.23, a private address")
    # Pass-through ends the double router; everything by keyboard.
    box(drawing, "Line box").focus()
    page.keyboard.press("Enter")
    card.get_by_label("Set so that it").select_option("passes through")
    expect(double).to_have_count(0)
    page.keyboard.press("Escape")
    # A switch goes between, with a ring; the ring is found, and a click on a cable ends it.
    card.get_by_role("button", name="Switch", exact=True).click()
    box(drawing, "Switch 1").click()
    box(drawing, "Hall router").click()
    expect(drawing.get_by_role("button", name="Unplug the cable between Hall router and Switch 1")).to_be_visible()
    box(drawing, "Switch 1").click()
    box(drawing, "Landing node").click()
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
    expect(card).to_contain_text("1 cable to pull")
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


def test_a_trial_by_hand_is_planned_taken_turn_by_turn_and_judged(open_page, running_app):
    call = copy_of(running_app, "rods")
    page = open_page(f"call/{call}/change")
    card = page.get_by_label("A/B tests", exact=True)
    card.get_by_label("Test", exact=True).fill("rods up or over")
    card.get_by_label("A is").fill("rods up")
    card.get_by_label("B is").fill("one rod over")
    card.get_by_label("Measured by").select_option("latency under load")
    card.get_by_label("Measured at").select_option("studio")
    card.get_by_label("Difference that counts").select_option("1")
    expect(card.locator("[data-plan]")).to_contain_text("show a difference of 100 %")
    card.get_by_role("button", name="Plan the A/B test").click()
    ab_test = card.locator("[data-ab-test]")
    expect(ab_test).to_contain_text("Now set A: rods up")
    for n in (0, 1, 2, 3, 14, 15):
        if n == 14:
            # The turns between are taken elsewhere: the page shows them when it is opened again.
            expect(ab_test.get_by_role("button", name="measure turn 5")).to_be_enabled()
            stored = running_app.store.get(call)
            (now,) = stored.job.ab_tests
            values = {"A": (40.0,), "B": (19.0,)}
            more = tuple(ArmRun(arm_at(k), now.planned_at, values[arm_at(k)]) for k in range(4, 14))
            job = replace(stored.job, ab_tests=(replace(now, arm_runs=(*now.arm_runs, *more)),))
            running_app.store.save(call, job, "turns", on_revision=stored.revision)
            page.reload()
        wanted = "A: rods up" if arm_at(n) == "A" else "B: one rod over"
        expect(ab_test.get_by_role("button", name=f"measure turn {n + 1}")).to_be_enabled()
        expect(ab_test).to_contain_text(f"Now set {wanted}")
        base = 18 if arm_at(n) == "B" else 40
        ab_test.get_by_label("or what was read").fill(f"{base + n % 3} {base + 1}")
        ab_test.get_by_role("button", name="Write down").click()
    expect(ab_test).to_contain_text("keep B")
    own = result_of(running_app.store.get(call).job.ab_tests[0])
    expect(ab_test).to_contain_text(f"{fixed(own.ratio, 2)}×")
    expect(ab_test).to_contain_text(f"{fixed(own.low, 2)}× to {fixed(own.high, 2)}×")
    expect(ab_test.get_by_role("img")).to_have_attribute("aria-label", "16 turns: what each gave, A open and B full")


def test_what_is_on_trial_is_tried_on_the_boxes_and_can_be_stopped(open_page, running_app):
    call = copy_of(running_app, "boxes")
    page = open_page(f"call/{call}/tune")
    page.keyboard.press("z")
    page.get_by_role("article", name="Zigbee").get_by_label("Channel").select_option("25")
    expect(page.get_by_label("The house's figures").locator("[data-when='trial']").first).to_be_visible()
    page.get_by_role("link", name="Change").click()
    card = page.get_by_label("A/B tests", exact=True)
    card.get_by_label("Test", exact=True).fill("hub on 25")
    card.get_by_label("Measured by").select_option("Zigbee reports lost")
    card.get_by_label("Difference that counts").select_option("0.5")
    card.get_by_role("button", name="Plan the A/B test").click()
    expect(page.get_by_label("The house's figures").locator("[data-when='trial']").first).to_be_visible()
    card.get_by_role("button", name="Run it on the nodes").click(timeout=60_000)
    page.get_by_role("button", name="Stop after this turn").click()
    expect(card.get_by_role("button", name="Go on on the nodes")).to_be_enabled(timeout=60_000)
    expect(page.get_by_role("status")).to_contain_text("the nodes are set as before the A/B test")
    assert 1 <= len(running_app.store.get(call).job.ab_tests[0].arm_runs) < 16
    card.get_by_role("button", name="Go on on the nodes").click()
    expect(card.get_by_role("button", name="Go on on the nodes")).to_have_count(0, timeout=60_000)
    own = result_of(running_app.store.get(call).job.ab_tests[0])
    assert own.done
    for text in (f"{own.ratio:.2f}×", own.advice, own.text[1:]):
        expect(card.locator("[data-ab-test]")).to_contain_text(text)


def test_proof_of_every_spot_what_was_promised_and_when_it_is_solved(open_page, running_app):
    job = running_app.store.get(1).job
    call = running_app.store.add(replace(job, title="proof", follow_ups=(), drop_outs=())).id
    page = open_page(f"call/{call}/prove/rooms")
    for spot in prove(job).places:
        shown = page.locator(f"[data-spot='{spot.place_id}']")
        expect(shown).to_have_attribute("data-verdict", spot.verdict)
        expect(shown).to_contain_text(f"at {fixed(spot.height_m, 1)} m")
    page.keyboard.press("d")
    expect(page.get_by_label("Predicted and what came")).to_contain_text(predicted_and_came(job).text)
    page.keyboard.press("c")
    care = page.get_by_label("After care", exact=True).and_(page.get_by_role("region"))
    expect(care).to_contain_text("ask the household, and write it down")
    care.get_by_role("button", name="25 Feb 2026 and 25 Mar 2026").click()
    expect(care.get_by_role("link", name="To the calendar")).to_be_visible()
    care.get_by_role("button", name="Asked today").first.click()
    expect(care.get_by_role("heading", level=2)).to_contain_text("Solved:")
    with page.expect_download() as download:
        care.get_by_role("link", name="To the calendar").click()
    assert "BEGIN:VEVENT" in Path(download.value.path()).read_text(encoding="utf-8")
    care.get_by_label("Dropped out at").fill("2026-02-12T06:00")
    care.get_by_label("What dropped out").select_option(label="Water sensor")
    care.get_by_role("button", name="Log it").click()
    expect(care.get_by_role("button", name="Not a drop-out")).to_be_visible()
    expect(care.get_by_role("heading", level=2)).to_contain_text("Solved:")
    page.keyboard.press("Control+z")
    expect(care).to_contain_text("None yet.")


def test_the_report_is_shown_and_downloaded_and_history_is_gone_back_in(open_page, running_app):
    job = running_app.store.get(1).job
    call = running_app.store.add(replace(job, title="hand over")).id
    page = open_page(f"call/{call}/report")
    own = report(job, "2026-11-25T12:00:00Z")
    shown = page.get_by_label("Report", exact=True)
    for section in own.household:
        expect(shown.get_by_role("region", name=section.title)).to_be_visible()
    expect(shown).to_contain_text(own.headline)
    expect(shown.get_by_text("Other networks")).to_have_count(0)
    page.keyboard.press("a")
    expect(shown.get_by_role("region", name="Other networks")).to_be_visible()
    expect(shown).not_to_contain_text("lockkeeper")
    with page.expect_download() as download:
        page.get_by_role("link", name="Report as PDF").click()
    assert Path(download.value.path()).read_bytes().startswith(b"%PDF")
    page.keyboard.press("f")
    with page.expect_download() as download:
        page.get_by_role("link", name="Call", exact=True).click()
    assert "lockkeeper" not in Path(download.value.path()).read_text(encoding="utf-8")
    page.get_by_role("link", name="Ask").click()
    page.get_by_text("Title, clock and the household").click()
    page.get_by_label("In the household's own words").fill("Quite another thing.")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("link", name="Report").last.click()
    expect(shown).to_contain_text("You told us: Quite another thing.")
    page.keyboard.press("h")
    history = page.get_by_role("region", name="History")
    history.get_by_role("button", name="Go back to 1").click()
    expect(history.locator("[aria-current]")).to_contain_text("went back to step 1")
    page.keyboard.press("r")
    expect(shown).to_contain_text("You told us: The water sensor")
    page.keyboard.press("h")
    history.get_by_role("button", name="Go back to 2").click()
    page.keyboard.press("r")
    expect(shown).to_contain_text("Quite another thing.")


def test_going_back_asks_about_what_a_phone_did(open_page, running_app):
    call = copy_of(running_app, "with a phone")
    store = running_app.store
    page = open_page(f"call/{call}/report/history", quiet=False)
    now = store.get(call)
    store.save(call, replace(now.job, complaint="mine"), "wrote it down", on_revision=1)
    now = store.get(call)
    places = (*now.job.places, Place(id="loft", name="Loft"))
    store.save(call, replace(now.job, places=places), "added Loft", on_revision=2, author="phone 1")
    page.reload()
    history = page.get_by_role("region", name="History")
    expect(history).to_contain_text("added Loftby phone 1")
    for answer, places_left in (("Keep it", True), ("Take it back too", False)):
        history.get_by_role("button", name="Go back to 1", exact=True).click()
        dialog = page.get_by_role("alertdialog")
        expect(dialog).to_contain_text("1 step of phone 1: added Loft. Take that back too?")
        dialog.get_by_role("button", name=answer).click()
        expect(dialog).to_have_count(0)
        expect(history.locator("[aria-current]")).to_contain_text("went back to step 1")
        poll(lambda left=places_left: any(p.name == "Loft" for p in store.get(call).job.places) == left)
        assert store.get(call).job.complaint != "mine"


def test_two_tabs_go_together_and_never_overwrite_each_other_unseen(open_page, running_app):
    call = copy_of(running_app, "two tabs")
    first = open_page(f"call/{call}/kit", quiet=False)
    second = open_page(f"call/{call}/kit", quiet=False)
    third = open_page(f"call/{call}/kit", quiet=False)
    for page, name in ((first, "Pantry"), (second, "Cellar")):
        page.get_by_role("textbox", name="Room or spot", exact=True).fill(name)
        page.get_by_role("button", name="Add room").click()
        expect(page.get_by_role("status")).to_contain_text(name)
    expect(second.get_by_role("button", name="Remove Pantry")).to_be_visible()
    assert {p.name for p in running_app.store.get(call).job.places} >= {"Pantry", "Cellar"}
    # Undo in the first tab takes back what it knows of, and leaves the other's.
    first.get_by_role("button", name="Undo").click()
    expect(first.get_by_role("button", name="Remove Cellar")).to_be_visible()
    assert {p.name for p in running_app.store.get(call).job.places} & {"Pantry", "Cellar"} == {"Cellar"}
    # The same thing changed twice is told, and shown as it is now.
    for page, name in ((first, "first"), (third, "third")):
        look_at(page, "Nodes")
        box = page.get_by_label("SSID of hall-5")
        box.fill(name)
        box.press("Tab")
    alert = third.get_by_role("alert")
    expect(alert).to_contain_text("was changed elsewhere too; the call is shown as it is now")
    expect(third.get_by_label("SSID of hall-5")).to_have_value("first")


def test_every_step_shows_the_cautions_that_belong_to_it(open_page, running_app):
    page = open_page("call/2/ask")
    for step in ("ask", "kit", "house", "walk", "listen", "tune", "change"):
        page.goto(f"{running_app.address}#/call/2/{step}")
        shown = page.locator(f"[data-cautions='{step}']")
        for caution in CAUTIONS:
            if step in caution.steps:
                expect(shown).to_contain_text(caution.title)
    shown.get_by_text("Caution:").click()
    expect(shown).to_contain_text("Local codes and licensed practice come first.")
    expect(shown).to_contain_text(next(c.text for c in CAUTIONS if c.kind == "life"))
