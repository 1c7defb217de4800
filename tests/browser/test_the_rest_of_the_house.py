"""Other sources, Thread, kits and switches, times of day, kept plans, what to measure next: in the real interface."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of, look_at
from tests.formats.test_802154_captures import pcap, scapy_frame

from even_static.core.explain.backhaul import tree
from even_static.core.explain.other_sources import air_users
from even_static.core.model.prepared_house import House

pytestmark = pytest.mark.browser


def test_what_else_sends_is_written_down_and_its_price_is_shown(open_page, running_app, tmp_path):
    call = copy_of(running_app, "senders")
    page = open_page(f"call/{call}/kit/other-sources")
    page.get_by_label("Source", exact=True).fill("Nursery monitor")
    form = page.locator("form", has=page.get_by_label("Source", exact=True))
    form.get_by_label("Kind").select_option("baby monitor")
    form.get_by_label("Found at").select_option("bedroom")
    form.get_by_label("Runs, min. an hour").fill("60")
    form.get_by_label("Centre, MHz").fill("2462")
    page.get_by_role("button", name="Add source").click()
    expect(page.get_by_role("table", name="Other sources")).to_contain_text("Nursery monitor")
    sender = running_app.store.get(call).job.other_sources[-1]
    assert (sender.kind, sender.place_id, sender.centre_mhz, sender.running_fraction) == (
        "baby monitor",
        "bedroom",
        2462,
        1.0,
    )
    page.get_by_label("Level of Nursery monitor at Landing").fill("-48")
    page.keyboard.press("Tab")
    expect(page.get_by_role("status").filter(has_text="the level of Nursery monitor")).to_be_visible()
    file = tmp_path / "sniffed.pcap"
    file.write_bytes(pcap([scapy_frame(0x0B0B)] * 5, 195).getvalue())
    page.get_by_label("On channel, if the file does not tell").fill("15")
    page.get_by_label("802.15.4 capture or energy scan").set_input_files(file)
    expect(page.get_by_label("802.15.4 networks heard")).to_contain_text("0x0b0b")
    page.get_by_label("0x0b0b is this house's").check()
    expect(page.get_by_role("status").filter(has_text="whose network 0x0b0b is")).to_be_visible()
    page.get_by_role("button", name="Have the hub scan").click()
    expect(page.get_by_role("status").filter(has_text="an energy scan by the hub")).to_be_visible()
    page.goto(f"{running_app.address}#/call/{call}/tune")
    look_at(page, "Sources")
    card = page.get_by_role("article", name="Other 2.4 GHz sources now")
    job = running_app.store.get(call).job
    (own,) = [s for s in air_users(House(job), job.settings).senders if s.name == "Nursery monitor"]
    row = card.get_by_role("row", name=re.compile("Nursery monitor"))
    expect(row).to_contain_text("−48 dBm")
    expect(row).to_contain_text(f"{own.low_mhz} to {own.high_mhz}")
    expect(row.get_by_role("cell").nth(4)).to_contain_text(str(own.problems_running))


def test_kits_with_two_radios_switches_and_repeaters(open_page, running_app):
    call = copy_of(running_app, "kits")
    page = open_page(f"call/{call}/kit/nodes")
    page.get_by_label("Node", exact=True).fill("Loft box")
    form = page.locator("form", has=page.get_by_label("Node", exact=True))
    form.get_by_label("Stands at").select_option("attic-bed")
    form.get_by_label("Kind").select_option("four radios, a second at 5 GHz for the link")
    page.get_by_role("button", name="Add node").click()
    expect(page.get_by_label("Who may join loft-box-5-link")).to_have_value("link")
    page.get_by_text("Switches between nodes").click()
    page.get_by_label("Switch", exact=True).fill("Cupboard switch")
    page.get_by_label("Rate, Mb/s").select_option("100")
    page.get_by_role("button", name="Add switch").click()
    page.get_by_label("through").last.select_option(label="Cupboard switch")
    expect(page.get_by_role("status").filter(has_text="changed the cable of Loft box")).to_be_visible()
    page.get_by_label("What Studio node is").select_option("repeater")
    expect(page.get_by_role("status").filter(has_text="kind of Studio node")).to_be_visible()
    page.goto(f"{running_app.address}#/call/{call}/tune")
    look_at(page, "Backhaul")
    tree = page.get_by_role("article", name="Backhaul")
    expect(tree).to_contain_text("through Cupboard switch")
    expect(tree).to_contain_text("lets 100 Mb/s through")
    expect(tree).to_contain_text("a repeater under another name")


def test_a_thread_mesh_is_added_and_drawn_with_zigbee_on_the_house(open_page, running_app):
    call = copy_of(running_app, "thread")
    page = open_page(f"call/{call}/kit/zigbee")
    page.get_by_label("Border router at").select_option("kitchen")
    page.get_by_label("Its channel").fill("25")
    page.get_by_role("button", name="Add the Thread mesh").click()
    page.get_by_label("Thread device").fill("Stair lock")
    form = page.locator("form", has=page.get_by_label("Thread device"))
    form.get_by_label("Used at").select_option("landing")
    form.get_by_label("Thread level, dBm").fill("-70")
    page.get_by_role("button", name="Add Thread device").click()
    expect(page.get_by_role("button", name="Remove Stair lock")).to_be_visible()
    page.get_by_label("its antenna looks").select_option(label="to the left")
    expect(page.get_by_role("status").filter(has_text="the way that the hub looks")).to_be_visible()
    page.get_by_role("button", name="Ask the hub").click()
    expect(page.get_by_role("status").filter(has_text="the hub's link table")).to_be_visible()
    page.goto(f"{running_app.address}#/call/{call}/tune")
    look_at(page, "Zigbee")
    card = page.get_by_role("article", name="Zigbee")
    expect(card).to_contain_text("Stair lock")
    card.get_by_role("button", name="The mesh on the house").click()
    expect(card.get_by_label("The mesh on the first floor")).to_contain_text("Stair lock")
    expect(card.get_by_label("The mesh on the ground floor")).to_contain_text("Border router")
    card.get_by_role("button", name="The hub turned").click()
    expect(card.get_by_label("Ways to turn the hub")).to_contain_text("180°, now")


def test_a_plan_is_kept_compared_and_taken_up_again(open_page, running_app):
    call = copy_of(running_app, "kept plans")
    page = open_page(f"call/{call}/tune")
    page.get_by_text("It may choose").click()
    for label in ("powers", "surplus 2.4 GHz off", "link bands", "steering"):
        page.get_by_label(label, exact=True).uncheck()
    page.get_by_label("names", exact=True).check()
    expect(page.get_by_text("It may choose")).to_contain_text("kept: names")
    page.get_by_role("button", name=re.compile("Find the best")).click()
    plan = page.get_by_label("The plan", exact=True)
    expect(plan).to_be_visible(timeout=40_000)
    look_at(page, "Alternatives")
    others = page.get_by_label("Alternatives", exact=True)
    expect(others.get_by_role("table", name="Settings side by side")).to_be_visible()
    look_at(page, "Kept")
    kept = page.get_by_role("article", name="Kept plans")
    kept.get_by_label("Keep the trial settings as").fill("channels first")
    kept.get_by_role("button", name="Keep", exact=True).click()
    expect(kept.get_by_role("row", name=re.compile("channels first"))).to_contain_text("1")
    expect(plan).to_be_visible()
    page.get_by_role("button", name=re.compile("Discard")).click()
    kept.get_by_role("row", name=re.compile("channels first")).get_by_role("button", name="Try").click()
    expect(page.get_by_role("button", name=re.compile("Apply to the nodes"))).to_be_enabled()
    look_at(page, "Alternatives")
    others.get_by_role("button", name="What to measure next").click()
    expect(page.get_by_label("Work in progress")).to_contain_text(re.compile("[1-9][0-9]* %"), timeout=60_000)
    page.get_by_role("button", name="Stop with what is known so far").click()
    expect(others).to_contain_text(re.compile("of [0-9]+ were looked into"), timeout=60_000)
    look_at(page, "Day")
    day = page.get_by_role("article", name="Over the day")
    expect(day).to_contain_text("Listened in one part of the day only, the evening")
    expect(day.get_by_role("row", name=re.compile("^night"))).to_contain_text("not known")
    look_at(page, "Kept")
    kept.get_by_role("button", name="Forget channels first").click()
    expect(kept.get_by_role("row", name=re.compile("channels first"))).to_have_count(0)


def test_a_node_that_may_stand_elsewhere_is_tried_and_its_new_place_is_listed(open_page, running_app):
    call = copy_of(running_app, "elsewhere")
    page = open_page(f"call/{call}/tune")
    page.get_by_text("It may choose").click()
    for label in ("powers", "surplus 2.4 GHz off", "link bands", "steering"):
        page.get_by_label(label, exact=True).uncheck()
    page.get_by_role("group", name="Can be moved").get_by_label("Studio node").check()
    page.get_by_role("button", name=re.compile("Find the best")).click()
    weighed = page.get_by_label("Spots weighed")
    expect(weighed).to_be_visible(timeout=60_000)
    # The studio's own two sockets are among the spots, and the best is marked.
    expect(weighed).to_contain_text("Studio, door side")
    expect(weighed.locator("tr.font-bold")).to_have_count(1)
    moves = page.get_by_text("would stand elsewhere").count() > 0
    page.get_by_role("link", name="Change").click()
    works = page.get_by_label("Cables and new places")
    expect(works).to_contain_text("1 node to mount in a new place" if moves else "No cable and no new place is needed")


def test_a_mesh_that_forms_itself_is_said_so_and_told_so(open_page, running_app):
    call = copy_of(running_app, "forms itself")
    node = next(n for n in running_app.store.get(call).job.nodes if n.uplink is not None and n.uplink.band is not None)
    page = open_page(f"call/{call}/kit/nodes")
    who = page.get_by_label(f"Who says where the link of {node.name} goes")
    expect(who).to_have_value("fixed")
    who.select_option("found by the mesh")
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    page.goto(f"{running_app.address}#/call/{call}/tune/backhaul")
    look_at(page, "Backhaul")
    job = running_app.store.get(call).job
    assert [n.self_forming for n in job.nodes if n.id == node.id] == [True]
    hop = next(h for h in tree(House(job), job.settings).hops if h.node_id == node.id)
    assert "the mesh finds this link itself: as it is now" in hop.text
    expect(page.get_by_text(hop.text.split("; ")[-1]).first).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("the mesh finds this link itself")).to_have_count(0)


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (390, 844)])
def test_long_names_stand_in_full_on_the_cabling(open_page, running_app, width: int, height: int):
    call = copy_of(running_app, f"long names {width}")
    found = running_app.store.get(call)
    job = found.job
    long = "Mesh node behind the bookcase on the landing"
    named = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], name=long), *job.nodes[2:]))
    running_app.store.save(call, named, "a long name", on_revision=found.revision)
    page = open_page(f"call/{call}/kit/cabling", width=width, height=height)
    drawing = page.get_by_label("The cabling", exact=True)
    expect(drawing.locator("[data-label]").first).to_be_visible()
    boxes = drawing.locator("g.box").evaluate_all("""all => all.map(g => {
        const r = g.querySelector('rect').getBoundingClientRect()
        return [...g.querySelectorAll('text')].map(t => {
            const b = t.getBoundingClientRect()
            return [t.textContent, b.left >= r.left && b.right <= r.right && b.top >= r.top && b.bottom <= r.bottom + 1]
        })
    })""")
    assert all(inside for texts in boxes for _, inside in texts), boxes
    whole = ["".join(t for t, _ in texts).replace(" ", "") for texts in boxes]
    assert any(t.startswith(long.replace(" ", "")) for t in whole), whole
