"""The house and the walk in the real interface."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of, figure, fixed, look_at
from tests.conftest import poll

from even_static.core.house.job import Job
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.picture import picture
from even_static.core.prove.before_after import prove

pytestmark = pytest.mark.browser


def test_a_house_is_typed_room_by_room(open_page, running_app):
    call = running_app.store.add(Job(title="typed house", country="NL")).id
    page = open_page(f"call/{call}/house", quiet=False)
    page.keyboard.press("/")
    for line in ("hall 2 5", "kitchen 4.2 3.1", "bath 2 2 left of hall"):
        page.keyboard.type(line)
        page.keyboard.press("Enter")
        expect(page.get_by_label("Plan", exact=True)).to_contain_text(line.split()[0])
    assert [r.id for r in running_app.store.get(call).job.building.rooms] == ["hall", "kitchen", "bath"]
    page.keyboard.type("study 3 3 right of hall")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("must leave room")
    expect(page.locator("#typed-room")).to_have_value("study 3 3 right of hall")
    page.get_by_role("button", name=re.compile("Undo")).click()
    expect(page.get_by_label("Plan", exact=True)).not_to_contain_text("bath")
    # A wall is changed from what the house type has.
    page.locator('[data-wall="hall/1/kitchen"] line').first.click(force=True)
    page.get_by_label("Material").select_option("concrete")
    page.get_by_role("button", name="Change").click()
    expect(page.get_by_role("status").filter(has_text="changed a wall of hall")).to_be_visible()
    assert running_app.store.get(call).job.building.wall_changes[0].build.material == "concrete"


def test_contours_follow_a_dragged_node_and_so_do_the_figures(open_page, running_app):
    call = copy_of(running_app, "dragged")
    page = open_page(f"call/{call}/house")
    plan = page.get_by_label("Plan of the ground floor")
    lines = plan.locator("path[fill=none]").first
    expect(lines).to_be_visible()
    drawn = plan.inner_html()
    own = picture(Coverage(running_app.store.get(call).job), 0, "5 GHz")
    shown = page.get_by_label("This floor")
    expect(shown).to_contain_text(f"{fixed(own.covered_fraction * 100)} %")
    expect(shown).to_contain_text(f"±{fixed(own.median_spread_db, 1)} dB")
    worst = min(own.spots, key=lambda spot: spot.margin_db)
    expect(page.get_by_label("Spots").locator("tbody tr").first).to_contain_text(f"{worst.margin_db:+.0f} dB")
    node = page.locator("[data-node=hall] rect").bounding_box()
    page.mouse.move(node["x"] + 7, node["y"] + 7)
    page.mouse.down()
    page.mouse.move(node["x"] + 120, node["y"] - 40, steps=6)
    page.mouse.up()
    expect(page.get_by_role("heading", name="On trial: Hall router")).to_be_visible()
    expect(figure(page, "headroom", "trial")).to_be_visible()
    assert plan.inner_html() != drawn
    assert running_app.store.get(call).job.nodes[0].stand.x_m == 1.0
    page.keyboard.press("Control+z")
    expect(figure(page, "headroom", "trial")).to_have_count(0)
    page.keyboard.press("Control+y")
    page.get_by_role("button", name="Moved now").click()
    expect(page.get_by_role("status").filter(has_text="moved Hall router")).to_be_visible()
    assert running_app.store.get(call).job.nodes[0].stand.x_m > 3.0
    # A click tells where the decibels go.
    area = plan.bounding_box()
    page.mouse.click(area["x"] + area["width"] * 0.5, area["y"] + area["height"] * 0.7)
    expect(page.get_by_label("Where the decibels go")).to_contain_text("free space")
    look_at(page, "Best spots")
    page.get_by_role("button", name="Compare every choice").click()
    expect(page.get_by_role("region", name="Best spots")).to_contain_text("choices compared, all of them")


def shown_db(value: float | None, unit: str = "dB") -> str:
    """As the screens write a level: whole, halves away from zero, with a true minus sign."""
    if value is None:
        return "–"
    whole = math.copysign(math.floor(abs(value) + 0.5), value)
    return f"{whole:.0f} {unit}".replace("-", "−")


def test_the_walk_reads_settles_and_goes_on(open_page, running_app):
    call = copy_of(running_app, "walked")
    running_app.store.save(call, replace(running_app.store.get(call).job, scans=()), "emptied", on_revision=1)
    page = open_page(f"call/{call}/walk", 390, 844, "dark")
    first = page.get_by_label("Spot", exact=True).input_value()
    samples = []
    page.on("response", lambda r: samples.append(r) if r.url.endswith("/walk/sample") else None)
    page.get_by_role("button", name="Read", exact=True).click()
    expect(page.get_by_text("dBm, settled")).to_be_visible(timeout=40_000)
    # The margins on the screen are the core's, of the last sample.
    margins = samples[-1].json()["margins"]
    assert any(m["margin_db"] is not None for m in margins)
    table = page.get_by_label("Own level and interferers")
    expect(table.locator("tbody tr td:last-child")).to_have_text([shown_db(m["margin_db"]) for m in margins])
    expect(page.locator('[data-figure="level"]')).to_have_text(re.compile("−\\d+"))
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_label("Spot", exact=True)).not_to_have_value(first)
    (scan,) = poll(lambda: running_app.store.get(call).job.scans)
    assert scan.place_id == first
    assert max(r.samples for r in scan.readings) >= 6


def test_prove_s_levels_are_the_core_s(open_page, running_app):
    number = 1
    proof = prove(running_app.store.get(number).job)
    page = open_page(f"call/{number}/prove/levels")
    rows = page.get_by_label("Levels", exact=True).locator("tbody tr")
    levels = [level for place in proof.places for level in place.levels]
    assert any(level.margin_after_db is not None for level in levels)
    expect(rows.locator("td:nth-child(6)")).to_have_text([shown_db(v.interferer_after_dbm, "dBm") for v in levels])
    expect(rows.locator("td:nth-child(7)")).to_have_text([shown_db(v.margin_before_db) for v in levels])
    expect(rows.locator("td:nth-child(8)")).to_have_text([shown_db(v.margin_after_db) for v in levels])


def test_readings_wait_while_the_connection_is_cut_and_arrive_once(open_page, running_app):
    call = copy_of(running_app, "cut off")
    before = len(running_app.store.get(call).job.scans)
    page = open_page(f"call/{call}/walk", 390, 844, quiet=False)
    page.get_by_role("button", name="Type it").click()
    page.context.set_offline(True)
    # One digit is a level that is still being typed.
    page.keyboard.type("6")
    expect(page.get_by_role("button", name="Keep")).to_be_disabled()
    page.get_by_label("Take the last digit back").click()
    for levels in ("615962", "7473"):
        page.keyboard.type(levels)
        expect(page.get_by_label("Typed levels in dBm")).to_contain_text("−" + levels[:2])
        page.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("2 readings wait in this browser")).to_be_visible()
    assert len(running_app.store.get(call).job.scans) == before
    # The first answer is lost on its way back: the reading has arrived all the same, and must not arrive twice.
    lost = []

    def lose_first(route):
        if lost:
            route.continue_()
            return
        lost.append(1)
        route.fetch()
        route.abort()

    page.context.set_offline(False)
    page.route(re.compile(r"/walk/typed$"), lose_first)
    expect(page.get_by_text("in this browser")).to_have_count(0, timeout=20_000)
    assert lost
    job = running_app.store.get(call).job
    assert len(job.scans) == before + 2
    assert [li.readings[0].rssi_dbm for li in job.scans[-2:]] == [-61.0, -73.5]
