"""Doors, obstacles, photographs, rods, sections and findings on the plan; what is done at a spot of the walk."""

from __future__ import annotations

import io
import re
from dataclasses import replace

import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.beacons import capture_of
from tests.browser.test_the_first_call import copy_of, figure, fixed
from tests.conftest import poll

from even_static.core.explain.placement import decide
from even_static.core.propagation.coverage import Coverage
from even_static.core.survey.trace import trace_view

pytestmark = pytest.mark.browser


def _click_at(page, x_m: float, y_m: float) -> None:
    """Click the plan at a point of the house."""
    at = page.get_by_label(re.compile("^Plan of the")).evaluate(
        """(svg, [x, y]) => {
            const p = new DOMPoint(x, -y).matrixTransform(svg.getScreenCTM())
            return [p.x, p.y]
        }""",
        [x_m, y_m],
    )
    page.mouse.click(*at)


def test_what_stands_in_the_house_is_put_down_by_a_click(open_page, running_app):
    call = copy_of(running_app, "put down")

    def building():
        return running_app.store.get(call).job.building

    page = open_page(f"call/{call}/house")
    page.keyboard.press("b")
    page.get_by_label("Put on the plan").select_option("opening:passage")
    _click_at(page, 2.0, 3.7)
    expect(page.get_by_role("status").filter(has_text="put down a passage")).to_be_visible()
    assert building().openings[-1].kind == "passage"
    page.get_by_label("Put on the plan").select_option("obstacle:water tank")
    _click_at(page, 5.5, 1.2)
    here = page.get_by_label("What stands here")
    expect(here.get_by_text("water tank")).to_be_visible()
    page.keyboard.press("Escape")
    here.get_by_label("Loss of water-tank").fill("31")
    page.keyboard.press("Tab")
    expect(page.get_by_role("status").filter(has_text="changed the loss of water-tank")).to_be_visible()
    assert building().obstacles[-1].loss_db == 31
    page.get_by_label("behind").check()
    expect(page.get_by_role("status").filter(has_text="a party wall: behind")).to_be_visible()
    page.get_by_label("This floor is high, m").fill("3.1")
    page.keyboard.press("Tab")
    expect(page.get_by_role("status").filter(has_text="changed the height of the ground floor")).to_be_visible()
    assert building().storeys[0].height_m == 3.1
    assert building().party_walls == ("left", "behind")
    for _ in range(5):
        page.get_by_role("button", name=re.compile("Undo")).click()
    expect(here.get_by_text("water tank")).to_have_count(0)


def test_a_photograph_lies_under_the_plan_to_scale(open_page, running_app):
    call = copy_of(running_app, "photograph")
    page = open_page(f"call/{call}/house", quiet=False)
    page.keyboard.press("b")
    box = page.get_by_label("Photograph of a plan")
    box.set_input_files({"name": "words.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"})
    expect(page.get_by_role("alert").filter(has_text="must be a picture")).to_be_visible()
    out = io.BytesIO()
    Image.new("RGB", (800, 500), "white").save(out, "PNG")
    box.set_input_files({"name": "plan.png", "mimeType": "image/png", "buffer": out.getvalue()})
    expect(page.locator("svg image")).to_have_count(1)
    before = running_app.store.get(call).job.building.underlays[0]
    page.get_by_role("button", name="Scale it").click()
    _click_at(page, 1.0, 1.0)
    _click_at(page, 5.0, 1.0)
    page.get_by_label("They are apart by, m").fill("8")
    page.get_by_role("button", name="Scale", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="to scale")).to_be_visible()
    after = running_app.store.get(call).job.building.underlays[0]
    assert after.metres_per_px / before.metres_per_px == pytest.approx(2, rel=0.02)


def test_rods_power_and_mounting_go_on_trial_and_are_kept(open_page, running_app):
    call = copy_of(running_app, "rods")
    page = open_page(f"call/{call}/house")
    nodes = page.get_by_label("Nodes")
    shown = page.get_by_label("Plan of the ground floor")
    drawn = shown.inner_html()
    nodes.get_by_label("Mounting of hall").select_option("metal enclosure")
    expect(page.get_by_role("heading", name="On trial: Hall router")).to_be_visible()
    expect(figure(page, "headroom", "trial")).to_be_visible()
    nodes.get_by_label("Add an antenna to hall").click()
    nodes.get_by_label("Tilt of antenna 1 of hall").fill("90")
    page.keyboard.press("Tab")
    page.wait_for_load_state("networkidle")
    assert shown.inner_html() != drawn
    # The present house can be drawn beside the trial, and back.
    strongest = shown.locator('[data-contour="-40"]')
    near = strongest.get_attribute("d")
    page.get_by_role("radio", name="Now").click()
    expect(strongest).not_to_have_attribute("d", near)
    page.get_by_role("radio", name="On trial").click()
    expect(strongest).to_have_attribute("d", near)
    page.get_by_role("button", name="Moved now").click()
    expect(page.get_by_role("status").filter(has_text="moved Hall router")).to_be_visible()
    stand = running_app.store.get(call).job.nodes[0].stand
    assert stand.mounting == "metal enclosure"
    assert stand.antennas[0].tilt_deg == 90
    nodes.get_by_label("Power of hall-5").select_option("14")
    expect(figure(page, "headroom", "trial")).to_be_visible()


def test_findings_carry_the_core_s_figures_and_can_be_tried(open_page, running_app):
    call = copy_of(running_app, "findings")
    page = open_page(f"call/{call}/house")
    said = page.get_by_label("What to do about it")
    found = decide(Coverage(running_app.store.get(call).job))
    for decision in [d for d in found if d.power is None][:4]:
        expect(said.get_by_text(decision.title)).to_be_visible()
    said.get_by_text("Power, radio by radio").click()
    power = next(d for d in found if d.kind == "power step" and d.advice == "recommended")
    said.get_by_text(power.title).click()
    steps = said.get_by_label(f"Steps of {power.power.radio_id}")
    expect(steps.locator("tbody tr")).to_have_count(len(power.power.steps))
    row = said.get_by_role("listitem").filter(has_text=power.title)
    row.get_by_role("button", name="Try").click()
    expect(figure(page, "headroom", "trial")).to_be_visible()


def test_a_section_is_cut_and_saved_as_svg(open_page, running_app):
    page = open_page("call/2/house")
    page.keyboard.press("s")
    cut = page.get_by_label("Section along the house")
    expect(cut).to_contain_text("Landing node")
    expect(cut).to_contain_text("−50")
    page.get_by_label(re.compile("^Cut")).select_option("across")
    expect(page.get_by_label("Section across the house")).to_be_visible()
    with page.expect_download() as saved:
        page.get_by_role("link", name="SVG").click()
    text = saved.value.path().read_text()
    assert "Section across" in text
    assert "dBm" in text


def test_a_capture_dropped_on_the_spot_is_read_there(open_page, running_app, tmp_path):
    call = copy_of(running_app, "captured here")
    page = open_page(f"call/{call}/walk")
    page.get_by_label("Spot", exact=True).select_option("greenhouse")
    readings = running_app.store.get(2).job.scans[0].readings[:6]
    path = tmp_path / "spot.pcap"
    path.write_bytes(capture_of(readings, [[r.rssi_dbm] * 3 for r in readings], "2026-03-04T19:00:00Z"))
    page.get_by_label("Capture or CSV file").set_input_files(str(path))
    expect(page.get_by_role("status").filter(has_text="networks from")).to_be_visible(timeout=20_000)
    scan = running_app.store.get(call).job.scans[-1]
    assert scan.place_id == "greenhouse"
    assert len(scan.readings) == 6


def test_another_phone_and_what_else_runs_are_written_with_the_reading(open_page, running_app):
    call = copy_of(running_app, "another phone")
    page = open_page(f"call/{call}/walk", 390, 844)
    page.get_by_label("Read with").select_option("+")
    page.get_by_label("Whose phone").fill("Old phone")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("not compared yet")).to_be_visible()
    page.get_by_label("Meanwhile").fill("oven")
    place = page.get_by_label("Spot", exact=True).input_value()
    page.get_by_role("button", name="Type it").click()
    page.keyboard.type("58")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_label("Spot", exact=True)).not_to_have_value(place)
    wanted = (place, "old-phone", "oven")

    def arrived() -> bool:
        scans = running_app.store.get(call).job.scans
        return wanted in {(li.place_id, li.instrument_id, li.running) for li in scans}

    poll(arrived)


def test_a_walk_to_the_next_spot_names_the_wall_that_costs_most(open_page, running_app):
    call = copy_of(running_app, "walked along")
    page = open_page(f"call/{call}/walk")
    page.get_by_label("Spot", exact=True).select_option("hall")
    page.get_by_role("button", name="Walk and read").click()
    page.get_by_label("Walk straight to").select_option("kitchen")
    page.get_by_role("button", name="Walk now").click()
    told = page.get_by_label(re.compile("^Level of .* on the way"))
    expect(told.first).to_be_visible(timeout=20_000)
    job = running_app.store.get(call).job
    (trace,) = job.traces
    own = trace_view(job, Coverage(job), trace)
    said = own.costliest.split(":")[0] if own.costliest else "No wall stands out"
    expect(page.get_by_label("This spot")).to_contain_text(said)
    expect(page.get_by_label("Spot", exact=True)).to_have_value("kitchen")


def test_a_link_test_runs_and_says_that_no_radio_was_on_the_way(open_page, running_app):
    call = copy_of(running_app, "link test")
    job = running_app.store.get(call).job
    running_app.store.save(call, replace(job, speed_tests=()), "no tests yet", on_revision=1)
    page = open_page(f"call/{call}/walk", 390, 844)
    page.get_by_role("button", name="Link test").click()
    expect(page.get_by_text("no radio is on the way")).to_be_visible()
    page.get_by_role("button", name="Test the link").click()
    expect(page.get_by_role("progressbar", name="Link test")).to_be_visible()
    runs = page.get_by_label("Runs of the link test")
    expect(runs).to_be_visible(timeout=60_000)
    (test,) = running_app.store.get(call).job.speed_tests
    assert len(test.down_mbps) == 3
    assert min(test.down_mbps + test.up_mbps) > 5
    assert test.over == "this computer itself"
    expect(runs).to_contain_text(f"{fixed(test.down_mbps[0], 1)}")
    page.get_by_label("By cable at the gateway, down, Mb/s").fill("40")
    page.get_by_label("By cable at the gateway, up, Mb/s").fill("9")
    page.get_by_label("Subscription, down, Mb/s").fill("100")
    page.get_by_label("Subscription, up, Mb/s").fill("10")
    page.get_by_role("button", name="Write down").click()
    expect(page.get_by_label("Line or Wi-Fi")).to_contain_text("Call the provider")
