"""The two ends of a visit in the real interface: the complaint and its likely causes, and the change sheet."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of, fixed, look_at, radio_card

from even_static.core.explain.causes import likely_causes
from even_static.core.model.prepared_house import House

pytestmark = pytest.mark.browser


def test_a_complaint_becomes_likely_causes_that_answers_rank_anew(open_page, running_app):
    call = copy_of(running_app, "complaints")
    page = open_page(f"call/{call}/ask")
    form = page.get_by_role("region", name="Complaints")
    form.get_by_role("button", name="Add by choosing").click()
    form.get_by_label("What").select_option("a device drops off and comes back")
    form.get_by_label("Which device").select_option(label="Door camera")
    form.get_by_label("Since when").fill("the new box came")
    form.get_by_role("button", name="Add complaint").click()
    expect(form).to_contain_text("Door camera; at random; since the new box came")
    listed = page.get_by_label("Likely causes")
    job = running_app.store.get(call).job
    own = likely_causes(House(job), job.settings, job.complaints[-1].id)
    flapping = next(s for s in own.found if s.kind == "flapping by steering")
    row = listed.locator("[data-cause='flapping by steering']")
    expect(row).to_contain_text(f"{fixed(flapping.share * 100)} %")
    expect(row).to_contain_text(flapping.evidence[0].text)
    first = own.found[0].kind
    expect(listed.locator("[data-cause]").first).to_have_attribute("data-cause", first)
    listed.get_by_role("button", name=f"{first}: ruled out").click()
    expect(listed.locator("[data-cause]").first).not_to_have_attribute("data-cause", first)
    page.keyboard.press("Control+z")
    expect(listed.locator("[data-cause]").first).to_have_attribute("data-cause", first)
    listed.get_by_role("button", name="flapping by steering: confirmed").click()
    expect(listed.get_by_role("heading")).to_contain_text("Flapping by steering is shown")


def trial_on(page, address, call):
    """Put something on trial under Tune: the hub's channel, and the studio's 2.4 GHz radio."""
    page.goto(f"{address}#/call/{call}/tune")
    page.get_by_role("tab", name="Radios").click()
    radio_card(page, "studio-2.4").get_by_label("Channel").select_option("1/20/2412")
    page.get_by_role("tab", name="Zigbee").click()
    page.get_by_role("article", name="Zigbee").get_by_label("Channel").select_option("25")
    expect(page.get_by_role("button", name=re.compile("Apply to the nodes"))).to_be_enabled()


def test_the_sheet_is_worked_through_by_hand_and_on_the_box_and_taken_back(open_page, running_app):
    call = copy_of(running_app, "sheet")
    page = open_page(f"call/{call}/change")
    expect(page.get_by_text("No change sheet yet")).to_be_visible()
    trial_on(page, running_app.address, call)
    page.goto(f"{running_app.address}#/call/{call}/change")
    expect(page.get_by_text("No change sheet yet")).to_be_visible()
    page.get_by_role("button", name=re.compile("Make the sheet")).click()
    sheet = page.get_by_label("The change sheet", exact=True)
    expect(sheet).to_contain_text("0 of 2 done")
    expect(page.locator("[data-step='box-studio']")).to_contain_text("Studio camera")
    expect(page.locator("[data-step='hub']")).to_contain_text("alarms, locks or medical aids")
    page.locator("[data-step='box-studio']").get_by_role("button", name="Done by hand").click()
    expect(sheet).to_contain_text("1 of 2 done")
    page.reload()
    expect(sheet).to_contain_text("1 of 2 done")
    page.locator("[data-step='hub']").get_by_role("button", name="Apply to the node").click()
    expect(sheet).to_contain_text("All done, every value read back as wanted", timeout=30_000)
    job = running_app.store.get(call).job
    assert len(job.changes) == 1
    assert job.settings.zigbee_channel == 25
    page.locator("[data-step='hub']").get_by_role("button", name="Taken back by hand").click()
    expect(sheet).to_contain_text("1 of 2 done")
    page.get_by_label("it reads back otherwise").check()
    page.locator("[data-step='hub']").get_by_label("Zigbee channel").fill("18")
    page.get_by_role("button", name="Done, but it differs").click()
    expect(page.locator("[data-step='hub']")).to_contain_text("Read back otherwise: the hub is on 18, 25 was wanted.")
    assert running_app.store.get(call).job.settings.zigbee_channel == 18


def test_the_sheet_works_on_a_phone_while_the_network_is_down(open_page, running_app):
    """The page is open, the network goes: the step is ticked, waits in the browser, and is sent once it is back."""
    call = copy_of(running_app, "sheet on a phone")
    page = open_page(f"call/{call}/tune", width=390, height=844, quiet=False)
    trial_on(page, running_app.address, call)
    page.goto(f"{running_app.address}#/call/{call}/change")
    page.get_by_role("button", name=re.compile("Make the sheet")).click()
    step = page.locator("[data-step='box-studio']")
    expect(step).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    expect(page.get_by_role("link", name="Change", exact=True)).to_be_in_viewport()
    page.context.set_offline(True)
    step.get_by_role("button", name="Done by hand").click()
    expect(page.get_by_text("1 tick waiting")).to_be_visible()
    expect(step).to_contain_text("ticked, waiting to be sent")
    assert running_app.store.get(call).job.sheet.steps[0].state == "open"
    page.context.set_offline(False)
    expect(step).to_contain_text("done", timeout=15_000)
    expect(page.get_by_text("1 tick waiting")).to_have_count(0)
    assert running_app.store.get(call).job.sheet.steps[0].state == "done"


def test_a_call_is_closed_reopened_archived_and_copied(open_page, running_app):
    call = copy_of(running_app, "records")
    page = open_page("")
    title = running_app.store.get(call).job.title
    page.get_by_role("button", name=f"Close {title}").click()
    expect(page.get_by_role("button", name=f"Reopen {title}")).to_be_visible()
    page.get_by_role("button", name=f"Archive {title}").click()
    expect(page.get_by_role("button", name=f"Archive {title}")).to_have_count(0)
    page.get_by_label("Which calls").select_option("archived")
    page.get_by_role("button", name=f"Reopen {title}").click()
    page.get_by_label("Which calls").select_option("open")
    page.get_by_role("button", name=f"Next visit of {title}").click()
    expect(page.get_by_role("heading", level=1)).to_have_text(f"{title}, next visit")


def test_a_complaint_that_is_written_down_keeps_what_is_on_trial(open_page, running_app):
    call = copy_of(running_app, "trial beside")
    page = open_page(f"call/{call}/tune")
    trial_on(page, running_app.address, call)
    expect(page.get_by_role("button", name=re.compile("Discard"))).to_be_enabled()
    page.get_by_role("link", name="Ask").click()
    form = page.get_by_role("region", name="Complaints")
    form.get_by_role("button", name="Add by choosing").click()
    form.get_by_label("What").first.select_option("music stutters")
    form.get_by_role("button", name="Add complaint").click()
    expect(form.get_by_role("listitem").filter(has_text="music stutters")).to_be_visible()
    page.get_by_text("Title, clock and the household").click()
    page.get_by_label("In the household's own words").fill("Worse since Sunday.")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="changed the complaint")).to_be_visible()
    page.get_by_role("link", name="Tune 6").click()
    expect(page.get_by_role("button", name=re.compile("Discard"))).to_be_enabled()
    # What changes the house itself ends the trial: its settings were made for another one.
    page.get_by_role("link", name="Kit").click()
    look_at(page, "Devices")
    page.get_by_label("Down of Door camera").fill("1")
    page.get_by_label("Down of Door camera").press("Tab")
    expect(page.get_by_role("status").filter(has_text="the demand of Door camera")).to_be_visible()
    page.get_by_role("link", name="Tune 6").click()
    expect(page.get_by_role("button", name=re.compile("Discard"))).to_be_disabled()
