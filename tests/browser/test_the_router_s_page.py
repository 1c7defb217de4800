"""The router's lists in the real interface: pasted on a real call, asked of a practice house, taken as demand."""

from __future__ import annotations

from dataclasses import replace

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of, fixed
from tests.houses import random_house

from even_static.core.explain.heavy_users import traffic_view
from even_static.core.model.prepared_house import House
from even_static.core.survey.router_lists import lists_view

pytestmark = pytest.mark.browser


def test_a_client_list_is_pasted_and_its_traffic_becomes_demand(open_page, running_app):
    job = replace(random_house(5, nodes=1, neighbours=12, devices=4), kind="real", title="a list to paste")
    call = running_app.store.add(job).id
    page = open_page(f"call/{call}/kit/router-s-lists", quiet=False)
    card = page.get_by_label("What the router lists")
    expect(card.get_by_role("button", name="Ask the router")).to_have_count(0)
    box = card.get_by_label("Client list, channel use or hub’s log")
    radio = job.radios[0].id
    box.fill("device,radio,level_dbm\nd0,cellar,-60\n")
    card.get_by_role("button", name="Read the list").click()
    expect(page.get_by_role("alert")).to_contain_text("line 2, radio")
    expect(box).to_have_value("device,radio,level_dbm\nd0,cellar,-60\n")
    rows = "".join(f"{d.name},{radio},-6{i},{9000 * (i + 1)},90,24\n" for i, d in enumerate(job.devices))
    box.fill("device,radio,level_dbm,down_mb,up_mb,over_h\n" + rows)
    card.get_by_role("button", name="Read the list").click()
    expect(card.get_by_label("Clients as the router lists them").locator("tbody tr")).to_have_count(len(job.devices))
    expect(card.get_by_label("Clients as the router lists them")).to_contain_text("−63 dBm")
    expect(card.get_by_label("Clients as the router lists them")).to_contain_text("read from the router's own list, ")

    kept = running_app.store.get(call).job
    view = traffic_view(House(kept), kept.settings)
    table = card.get_by_label("Who carries what", exact=True).locator("tbody tr")
    expect(table).to_have_count(len(view.users))
    for i, user in enumerate(view.users):
        expect(table.nth(i)).to_contain_text(next(d.name for d in job.devices if d.id == user.carried.device_id))
        expect(table.nth(i)).to_contain_text(f"{fixed(100 * user.carried.traffic_share)} %")
        expect(table.nth(i)).to_contain_text(f"{fixed(100 * user.airtime_fraction)} %")
        expect(table.nth(i)).to_contain_text(f"{user.problems_without} problem")
    table.first.get_by_role("button", name="Take as demand").click()
    expect(page.get_by_role("status").filter(has_text="measured traffic as demand")).to_be_visible()
    first = view.users[0].carried
    device = next(d for d in running_app.store.get(call).job.devices if d.id == first.device_id)
    assert device.demand_down_mbps == round(first.busy_down_mbps, 2)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Redo")).to_be_enabled()
    assert running_app.store.get(call).job.devices == kept.devices


def test_a_practice_house_s_router_is_asked(open_page, running_app):
    call = copy_of(running_app, "router asked")
    page = open_page(f"call/{call}/kit/router-s-lists")
    card = page.get_by_label("What the router lists")
    card.get_by_role("button", name="Ask the router").click()
    listed = card.get_by_label("Clients as the router lists them")
    expect(card).to_contain_text("simulated, ", timeout=30_000)
    expect(listed.locator("tbody tr")).to_have_count(len(running_app.store.get(call).job.client_list))
    view = lists_view(running_app.store.get(call).job)
    told = f"{view.uses} readings, {view.uses_counting} of them since the last change"
    expect(card).to_contain_text(f"{told}, the fullest {fixed(100 * view.fullest_fraction)} %")
    for row, line in enumerate(view.clients):
        expect(listed.locator("tbody tr").nth(row)).to_contain_text(line.seen.radio_id)
        expect(listed.locator("tbody tr").nth(row)).to_contain_text("simulated, ")
    assert running_app.store.get(call).job.client_list
