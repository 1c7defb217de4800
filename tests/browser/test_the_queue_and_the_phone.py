"""What waits in the browser until it was stored or refused for good, and pairing a phone from the call's own page."""

from __future__ import annotations

import json
import re

from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of
from tests.conftest import poll

REFUSED = {
    "field": "heard_at",
    "rule": "must be a time",
    "received": "x",
    "accepted": "",
    "message": "heard_at: must be",
}


def _keep(page, levels):
    page.keyboard.type(levels)
    expect(page.get_by_label("Typed levels in dBm")).to_contain_text("−" + levels[:2])
    page.get_by_role("button", name="Keep").click()


def test_a_reading_waits_through_faults_and_is_given_up_only_when_refused_for_good(open_page, running_app):
    call = copy_of(running_app, "faults")
    before = len(running_app.store.get(call).job.scans)
    page = open_page(f"call/{call}/walk", 390, 844, quiet=False)
    answers = [(500, {}), (503, {"error": {**REFUSED, "message": "data file: is in use"}}), (401, {}), None]

    def faulty(route):
        answer = answers.pop(0) if answers else None
        if answer is None:
            route.continue_()
        else:
            route.fulfill(status=answer[0], content_type="application/json", body=json.dumps(answer[1]))

    page.route(re.compile(r"/walk/typed$"), faulty)
    page.get_by_role("button", name="Type it").click()
    _keep(page, "61")
    waits = page.get_by_text("1 reading waits in this browser")
    expect(waits).to_be_visible()
    expect(waits).to_contain_text("sent again by themselves", timeout=20_000)
    # It survives the page being closed and opened anew.
    page.reload()
    expect(waits).to_be_visible()
    expect(page.get_by_text("in this browser")).to_have_count(0, timeout=60_000)
    assert answers == []
    assert len(running_app.store.get(call).job.scans) == before + 1
    # Refused for good: said with its reason, and the next one goes through.
    answers[:] = [(422, {"error": REFUSED})]
    page.get_by_role("button", name="Type it").click()
    _keep(page, "62")
    alert = page.get_by_role("alert").filter(has_text="was refused")
    expect(alert).to_contain_text("The reading was refused: heard_at: must be")
    _keep(page, "63")
    expect(page.get_by_text("in this browser")).to_have_count(0)
    alert.get_by_role("button", name="Understood").click()
    expect(alert).to_have_count(0)
    job = poll(lambda: running_app.store.get(call).job)
    assert [li.readings[0].rssi_dbm for li in job.scans[before:]] == [-61.0, -63.0]


def test_a_phone_is_paired_from_its_call(open_page, shared_app):
    call = copy_of(shared_app, "phone")
    page = open_page(f"call/{call}/walk", address=shared_app.address)
    page.get_by_role("button", name="Phone").click()
    card = page.get_by_label("Phones of this call")
    expect(card).to_contain_text("http://192.0.2.10")
    card.get_by_label("do all the work on this call").check()
    card.get_by_role("button", name="Show a code").click()
    code = card.locator('[data-figure="code"]')
    expect(code).to_have_text(re.compile(r"\d{3} \d{3}"))
    expect(card).to_contain_text("may work on the whole call")
    assert shared_app.share.pair(code.inner_text(), "192.0.2.55")[1].may == "work"
    expect(card).to_contain_text("Paired: phone 1 (works)", timeout=15_000)
    card.get_by_role("button", name="Disconnect its phones").click()
    expect(code).to_have_count(0)
    assert shared_app.share.phones == []
