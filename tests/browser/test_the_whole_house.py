"""Devices, names, the tree, the mesh and neighbours in the real interface; the search over everything."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from playwright.sync_api import expect
from pydantic import TypeAdapter
from tests.browser.test_the_first_call import copy_of, figure, fixed, look_at, searched
from tests.conftest import poll

from even_static.core.change.sheet import make_sheet
from even_static.core.change.sheet_view import sheet_view
from even_static.core.explain.backhaul import tree
from even_static.core.explain.neighbours import neighbours_view
from even_static.core.explain.ssids import compare_ssid_plans, ssid_view
from even_static.core.explain.zigbee_help import zigbee_help
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House

pytestmark = pytest.mark.browser


def test_devices_are_pasted_asked_about_and_the_busy_hour_is_told(open_page, running_app):
    call = copy_of(running_app, "pasted")
    page = open_page(f"call/{call}/kit/devices", quiet=False)
    box = page.get_by_label("Devices, one a line")
    box.fill("2 x lamp plug, attic bed\nodd box in the moon room, moon")
    page.get_by_role("button", name="Add devices").click()
    expect(page.get_by_role("alert")).to_contain_text("line 2")
    expect(box).to_have_value(re.compile("odd box"))
    box.fill("2 x lamp plug, attic bed\nodd box")
    page.get_by_role("button", name="Add devices").click()
    expect(page.get_by_text("odd box: what is it?")).to_be_visible()
    added = running_app.store.get(call).job.devices[-3:]
    assert [(d.name, d.place_id, d.unknown) for d in added] == [
        ("lamp plug 1", "attic-bed", False),
        ("lamp plug 2", "attic-bed", False),
        ("odd box", "hall", True),
    ]
    page.get_by_label("The busy hour in the household's words").fill("a 4k film on the kitchen screen; knitting")
    page.get_by_role("button", name="Read it").click()
    said = page.get_by_label("The busy hour as understood")
    expect(said).to_contain_text("film in 4K: Kitchen screen")
    expect(said).to_contain_text("what is done there?")
    page.get_by_role("button", name="Take as demand").click()
    expect(page.get_by_role("status").filter(has_text="the busy hour as described")).to_be_visible()
    job = running_app.store.get(call).job
    assert next(d for d in job.devices if d.id == "kitchen-screen").demand_down_mbps == 25
    look_at(page, "Nodes")
    page.get_by_label("Device limit of Hall router").fill("2")
    page.keyboard.press("Tab")
    look_at(page, "Devices")
    expect(page.get_by_text("over its limit")).to_contain_text("Hall router: 4 devices, over its limit of 2.")
    look_at(page, "Nodes")
    page.get_by_label("Steering of Hall router").select_option("nothing")
    expect(page.get_by_role("status").filter(has_text="changed the steering of Hall router")).to_be_visible()
    assert running_app.store.get(call).job.nodes[0].steering == "nothing"
    look_at(page, "Devices")
    page.get_by_role("button", name="Printer", exact=True).click()
    page.get_by_label("drops off when steered").check()
    expect(page.get_by_role("status").filter(has_text="changed Printer")).to_be_visible()


def test_everything_is_searched_at_once_and_sent(open_page, running_app):
    call = copy_of(running_app, "all at once")
    page = open_page(f"call/{call}/tune")
    found = searched(page, running_app)
    plan = page.get_by_label("The plan")
    expect(plan).to_contain_text("drawn worlds")
    job = running_app.store.get(call).job
    settings = TypeAdapter(Settings).validate_python(found["settings"])
    cost = sheet_view(replace(job, sheet=make_sheet(job, settings, "cost", job.opened_at)))
    expect(plan).to_contain_text(f"It costs {len(cost.steps)} steps, about {fixed(cost.total_s / 60)} minutes")
    house = page.get_by_role("table", name="What will come").get_by_role("row")
    shown = {"problems": ("Problems", "", 1), "devices carried": ("Devices carried", " %", 100)}
    for kind in found["outlook"]["figures"]:
        if kind["name"] in shown:
            label, unit, scale = shown[kind["name"]]
            row = house.filter(has_text=label)
            for cell, span in ((1, kind["now"]), (2, kind["then"])):
                expect(row.get_by_role("cell").nth(cell)).to_contain_text(f"{fixed(scale * span['middle'])}{unit}")
    rooms = page.get_by_label("Speed to come").locator("tbody tr")
    expect(rooms).to_have_count(len(found["outlook"]["speeds"]))
    for i, speed in enumerate(found["outlook"]["speeds"]):
        for cell, key in ((1, "now_mbps"), (2, "then_mbps")):
            middle = speed[key]["middle"]
            expect(rooms.nth(i).get_by_role("cell").nth(cell)).to_contain_text(fixed(middle, int(middle < 10)))
        late = " →then ".join(
            "–" if speed[key] is None else fixed(speed[key]["middle"]) for key in ("now_latency_ms", "then_latency_ms")
        )
        expect(rooms.nth(i)).to_contain_text(f"{late} ms")
    look_at(page, "Alternatives")
    expect(page.get_by_label("Alternatives", exact=True)).to_contain_text("careful technician")
    promised = int(figure(page, "problems", "trial").inner_text())
    page.keyboard.press("s")
    page.get_by_role("alertdialog").get_by_role("button", name="Apply").click()
    expect(page.get_by_role("status").filter(has_text="read back")).to_be_visible(timeout=60_000)
    job = running_app.store.get(call).job
    assert evaluate(job, job.settings).problems <= promised + 1
    assert job.changes[0].after.ssid_plan == job.settings.ssid_plan


def test_names_the_tree_the_mesh_and_neighbours_show_the_core_s_figures(open_page, running_app):
    job = running_app.store.get(2).job
    house = House(job)
    page = open_page("call/2/tune")
    look_at(page, "SSIDs")
    names = page.get_by_label("SSIDs and steering")
    own = ssid_view(house, job.settings)
    rows = names.get_by_label("SSID plans").locator("tbody tr")
    expect(rows).to_have_count(len(own.ssid_plans))
    expect(rows.first).to_contain_text(own.ssid_plans[0].kind)
    expect(rows.first).to_contain_text(str(own.ssid_plans[0].evaluation.problems))
    flapping = next(t for t in own.timelines if t.flaps)
    expect(names).to_contain_text(f"flaps: {flapping.changes} changes in an evening")
    names.get_by_role("button", name="An evening of each device").click()
    expect(page.get_by_label("An evening of each device, minute by minute")).to_contain_text("Door camera")
    names.get_by_role("button", name="Which device joins what").click()
    expect(page.get_by_label("Which device joins what").locator("tbody tr")).to_have_count(len(job.devices))

    hop = next(h for h in tree(house, job.settings).hops if h.by != "cable")
    look_at(page, "Backhaul")
    backhaul = page.get_by_label("Backhaul", exact=True)
    expect(backhaul).to_contain_text(f"{fixed(hop.needs_fraction * 100)} % of each second")
    expect(backhaul.get_by_label("What if")).to_contain_text("a cable to it")

    look_at(page, "Zigbee")
    helped = zigbee_help(house, job.settings)
    card = page.get_by_label("What would help Zigbee")
    expect(card).to_contain_text("a metre or more", timeout=15_000)
    card.get_by_role("button", name="A repeater").click()
    expect(card.get_by_label("Spots for a repeater").locator("tbody tr").first).to_contain_text(helped.repeater[0].name)
    card.get_by_role("button", name="Another channel").click()
    expect(card.get_by_label("Zigbee channels").locator("tbody tr")).to_have_count(len(helped.channels))

    look_at(page, "Neighbours")
    view = neighbours_view(house, job.settings)
    page.get_by_role("button", name="Who takes what, and what to ask").click()
    table = page.get_by_label("Neighbours that matter").locator("tbody tr")
    expect(table).to_have_count(len(view.neighbours), timeout=30_000)
    text = page.get_by_label("Neighbours", exact=True).inner_text()
    assert "heron" not in text, "neighbours are told by letter"
    if view.requests:
        page.get_by_role("button", name="A note for them").first.click()
        expect(page.get_by_label("The note")).to_contain_text("Hello neighbour")


def test_an_ssid_plan_is_tried_and_undone(open_page, running_app):
    job = running_app.store.get(2).job
    house = House(job)
    first = compare_ssid_plans(house, job.settings)[0]
    assert first.ssid_plan != job.settings.ssid_plan, "trying it must change something"
    page = open_page("call/2/tune")
    look_at(page, "SSIDs")
    card = page.get_by_label("SSIDs and steering")
    row = page.get_by_label("SSID plans").locator("tbody tr").first
    expect(row).to_contain_text(f"{first.kind}, best here")
    row.get_by_role("button", name="Try").click()
    expect(card).to_contain_text(
        f"{len(first.ssid_plan.bands)} devices on a band's own SSID; devices are steered up from"
    )
    expect(card).to_contain_text("now: One SSID; devices are steered up from −65 dBm")
    expect(figure(page, "problems", "trial")).to_have_text(str(first.evaluation.problems))
    page.keyboard.press("Control+z")
    expect(figure(page, "problems", "trial")).to_have_count(0)
    expect(card).not_to_contain_text("now:")


def test_a_link_table_is_read(open_page, running_app):
    call = copy_of(running_app, "link table")
    page = open_page(f"call/{call}/kit/zigbee", quiet=False)
    box = page.get_by_label("Zigbee link table")
    box.set_input_files({"name": "t.csv", "mimeType": "text/csv", "buffer": b"a_id,b_id,rssi_dbm\nhub,nobody,-60\n"})
    expect(page.get_by_role("alert")).to_contain_text("line 2, b_id")
    box.set_input_files({"name": "t.csv", "mimeType": "text/csv", "buffer": b"a_id,b_id,rssi_dbm\nhub,kiln,-88\n"})
    expect(page.get_by_role("status").filter(has_text="Read t.csv")).to_be_visible()
    links = running_app.store.get(call).job.zigbee.links
    assert any({li.a_id, li.b_id} == {"hub", "kiln"} and li.rssi_dbm == -88 for li in links)


def test_a_table_is_filled_by_keyboard_and_several_devices_at_once(open_page, running_app):
    call = copy_of(running_app, "table")
    page = open_page(f"call/{call}/kit/devices")
    names = [d.name for d in running_app.store.get(call).job.devices]
    first, second, third = (page.get_by_label(f"Down of {name}", exact=True) for name in names[:3])
    first.click()
    first.fill("31")
    page.keyboard.press("Enter")
    expect(second).to_be_focused()
    page.keyboard.press("ArrowDown")
    expect(third).to_be_focused()
    page.keyboard.press("Shift+Enter")
    expect(second).to_be_focused()
    poll(lambda: running_app.store.get(call).job.devices[0].demand_down_mbps == 31)
    # Cells as a spreadsheet copies them: two columns, three rows; they are one step.
    before = running_app.store.get(call)
    second.evaluate(
        r"""e => {
          const data = new DataTransfer()
          data.setData('text', '7\t1.5\n8\t2.5\n9\t-3')
          e.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))
        }"""
    )
    expect(page.get_by_role("status").filter(has_text="filled 5 cells; 1 did not fit")).to_be_visible()
    wanted = [(7.0, 1.5), (8.0, 2.5)]
    poll(
        lambda: [(d.demand_down_mbps, d.demand_up_mbps) for d in running_app.store.get(call).job.devices[1:3]] == wanted
    )
    assert running_app.store.get(call).job.devices[3].demand_down_mbps == 9
    assert running_app.store.get(call).revision == before.revision + 1
    page.get_by_role("button", name="Undo").click()
    poll(lambda: running_app.store.get(call).job.devices == before.job.devices)
    # Several at once are one step.
    for name in names[:3]:
        page.get_by_label(f"Pick {name}", exact=True).check()
    group = page.get_by_role("group", name="Several devices")
    expect(group).to_contain_text("3 devices picked")
    before = running_app.store.get(call).revision
    group.get_by_role("button", name="Not a must").click()
    poll(lambda: not any(d.must_have for d in running_app.store.get(call).job.devices[:3]))
    assert running_app.store.get(call).revision == before + 1
