"""The job from end to end, in the real interface: open, listen, tune, send, measure again, see whether it helped."""

from __future__ import annotations

import json
import math
import re
import time
import urllib.request
from dataclasses import replace
from decimal import ROUND_HALF_UP, Decimal

import pytest
from playwright.sync_api import expect
from tests.beacons import capture_of

from even_static.core.house.job import Job
from even_static.core.model.evaluate import evaluate
from even_static.formats.job_file import read_job, write_job

pytestmark = pytest.mark.browser
DONE_MS = 30_000
# A search has 20 s of its own; shared machines need longer.
SEARCHED_S = 90.0


def copy_of(running_app, title: str, number: int = 2) -> int:
    """A call of its own for a test that changes it: a copy of a demo call with its simulated house."""
    job: Job = running_app.store.get(number).job
    call = running_app.store.add(replace(job, title=title))
    running_app.store.keep_stand_in(call.id, running_app.store.stand_in(number))
    return call.id


def fixed(value: float, digits: int = 0) -> str:
    """A number as a browser's toFixed writes it: ties go up, where Python's go to the even one."""
    return str(Decimal(value).quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP))


def look_at(page, view: str) -> None:
    """Open one of the views under the plan."""
    page.get_by_role("tab", name=view).click()


def radio_card(page, radio_id: str):
    """One radio's part of Tune's Radios, opened."""
    card = page.locator(f"[data-radio='{radio_id}']")
    card.wait_for()
    if card.get_attribute("data-state") != "open":
        card.get_by_role("heading").get_by_role("button").click()
    expect(card).to_have_attribute("data-state", "open")
    return card


def searched(page, running_app) -> dict:
    """Press T and give back the plan that the search ended with; what the screen says of it is held to that."""
    with page.expect_response(lambda r: r.url.endswith("/tune") and r.request.method == "POST") as started:
        page.keyboard.press("t")
    task = started.value.json()["id"]
    until = time.monotonic() + SEARCHED_S
    while True:
        assert time.monotonic() < until, "the search does not end"
        with urllib.request.urlopen(running_app.address.rstrip("/") + f"/api/tasks/{task}") as answer:
            found = json.load(answer)
        if found["state"] != "running":
            break
        page.wait_for_timeout(200)
    assert found["state"] == "done", found
    plan, card = found["plan"], page.get_by_label("The plan", exact=True)
    expect(card).to_contain_text(f"{fixed(plan['seconds'], 2)} s, {plan['steps']} steps", timeout=DONE_MS)
    outlook = plan["outlook"]
    says = f"better than now in {outlook['better']}, worse in {outlook['worse']}"
    expect(card).to_contain_text(says)
    passed = [a for a in plan["alternatives"] if a["kind"] == "as measured"]
    if passed:
        expect(card).to_contain_text("Proven best in the model" if plan["model_proven"] else "Best found in the model")
        expect(card).to_contain_text(passed[0]["reason"].replace(" -", " −"))
    else:
        expect(card).to_contain_text("Proven in the model" if plan["proven"] else "Not proven in the time given")
    if plan["evaluation"]["changes"]:
        expect(figure(page, "problems", "trial")).to_have_text(str(plan["evaluation"]["problems"]))
    return plan


def figure(page, name: str, when: str = "now"):
    return page.locator(f'[data-figure="{name}"] [data-when="{when}"]')


def times(headroom: float | None) -> str:
    """A headroom as screens show it: cut, not rounded."""
    if headroom is None:
        return "–"
    return f"{math.floor(headroom)}×" if headroom >= 10 else f"{fixed(math.floor(headroom * 100) / 100, 2)}×"


def settings_shown_are_the_core_s(shown, plan: dict) -> None:
    """Each row of Alternatives: problems (with as many strokes), headroom, worst Zigbee and changes of its setting."""
    told = {"current settings": plan["now"], "the plan": plan["evaluation"]}
    told |= {a["name"]: a["evaluation"] for a in plan["alternatives"] if a["kind"] != "next best"}
    for name, its in told.items():
        row = shown.get_by_role("row").filter(has=shown.page.get_by_role("button", name=name, exact=True))
        cells = row.get_by_role("cell")
        zigbee = f"{fixed(math.floor(its['worst_zigbee_delivery'] * 1000) / 10, 1)} %"
        for at, text in enumerate((str(its["problems"]), times(its["headroom"]), zigbee, str(its["changes"])), 1):
            expect(cells.nth(at)).to_have_text(text)
        expect(cells.nth(1).locator("line")).to_have_count(its["problems"])


def radios_shown_are_the_core_s(page, plan: dict) -> None:
    """Each line of Radios: headroom now and under the plan; in it the second of airtime under the plan."""
    now = {r["radio_id"]: r for r in plan["now"]["radios"]}
    for then in plan["evaluation"]["radios"]:
        line = radio_card(page, then["radio_id"])
        before, after = times(now[then["radio_id"]]["headroom"]), times(then["headroom"])
        head = line.get_by_role("heading")
        expect(head).to_contain_text(before)
        expect(head).to_contain_text(after)
        others = round((1 - then["available_fraction"]) * 1000)
        need = round(then["need_fraction"] * 1000)
        expect(line.locator("figcaption")).to_contain_text(f"others {others} ms")
        expect(line.locator("figcaption")).to_contain_text(f"this radio {need} ms")


def test_tune_send_and_prove(open_page, running_app):
    call_id = copy_of(running_app, "whole job")
    page = open_page(f"call/{call_id}/tune")
    before = int(figure(page, "problems").inner_text())
    assert (
        before == evaluate(running_app.store.get(call_id).job, running_app.store.get(call_id).job.settings).problems > 0
    )

    found = searched(page, running_app)
    assert found["outlook"]["better"] > found["outlook"]["worse"]
    page.keyboard.press("a")
    plan = page.get_by_label("Alternatives", exact=True)
    expect(plan).to_contain_text("fewest networks")
    expect(plan).to_contain_text("furthest number")
    expect(plan).to_contain_text("1/6/11")
    settings_shown_are_the_core_s(plan, found)
    page.keyboard.press("c")
    radios_shown_are_the_core_s(page, found)
    promised = int(figure(page, "problems", "trial").inner_text())
    assert promised == found["evaluation"]["problems"]
    to_come = next(f for f in found["outlook"]["figures"] if f["name"] == "problems")
    assert to_come["then"]["middle"] < to_come["now"]["middle"]

    page.keyboard.press("s")
    dialog = page.get_by_role("alertdialog")
    expect(dialog).to_contain_text("alarms, locks or medical aids")
    dialog.get_by_role("button", name="Apply").click()
    expect(page.get_by_role("status").filter(has_text="read back")).to_be_visible(timeout=DONE_MS)
    sent = running_app.store.get(call_id).job
    assert len(sent.changes) == 1
    assert sent.changes[0].before != sent.changes[0].after == sent.settings
    assert int(figure(page, "problems").inner_text()) == evaluate(sent, sent.settings).problems

    page.keyboard.press("8")
    expect(page.get_by_label("Verdict")).to_contain_text("tested before but not after")
    page.keyboard.press("m")
    verdict = page.get_by_label("Verdict")
    expect(verdict).not_to_contain_text("tested before but not after", timeout=DONE_MS)
    page.get_by_role("tab", name="Rooms").click()
    expect(page.locator("[data-spot]")).to_have_count(len(sent.places))
    assert len(running_app.store.get(call_id).job.scans) == 2 * len(sent.places)

    page.get_by_role("button", name="Go back to the old settings").click()
    page.get_by_role("alertdialog").get_by_role("button", name="Send the old settings").click()
    expect(page.get_by_role("status").filter(has_text="read back")).to_be_visible(timeout=DONE_MS)
    assert running_app.store.get(call_id).job.settings == sent.changes[0].before


def test_a_setting_tried_by_hand_moves_the_figures_and_can_be_undone(open_page, running_app):
    call_id = copy_of(running_app, "by hand")
    job = running_app.store.get(call_id).job
    page = open_page(f"call/{call_id}/tune")
    look_at(page, "Radios")
    card = radio_card(page, "studio-2.4")
    card.get_by_label("Channel").select_option(label="11")
    tried = replace(
        job.settings,
        radios=tuple(
            replace(s, channel=11, centre_mhz=2462) if s.radio_id == "studio-2.4" else s for s in job.settings.radios
        ),
    )
    expected = evaluate(job, tried)
    expect(figure(page, "problems", "trial")).to_have_text(str(expected.problems))
    page.keyboard.press("Control+z")
    expect(figure(page, "problems", "trial")).to_have_count(0)
    page.keyboard.press("Control+y")
    expect(figure(page, "problems", "trial")).to_have_text(str(expected.problems))
    card.get_by_role("button", name="Why?").click()
    reasons = page.locator('[data-reasons="studio-2.4"]')
    expect(reasons).to_contain_text("Studio camera")
    expect(reasons).to_contain_text("fair share")
    page.keyboard.press("5")
    expect(page.get_by_label("2.4 GHz sheet")).to_be_visible()
    expect(figure(page, "problems", "trial")).to_have_text(str(expected.problems))
    page.keyboard.press("6")
    expect(page.get_by_role("button", name="Discard")).to_be_enabled()
    page.keyboard.press("r")
    expect(figure(page, "problems", "trial")).to_have_count(0)
    assert running_app.store.get(call_id).job.settings == job.settings


def test_unlawful_settings_cannot_be_chosen(open_page, running_app):
    """Channels come from the law and the radio; a power above the law is shown as such and cannot be sent."""
    page = open_page("call/2/tune")
    look_at(page, "Radios")
    offers = radio_card(page, "hall-5").get_by_label("Channel").locator("option")
    expect(offers).not_to_have_count(0)
    offered = offers.all_inner_texts()
    assert not any(text.startswith("177") for text in offered)
    assert any("radar" in text for text in offered if text.startswith("52"))


def test_listen_with_the_scanner_and_from_a_dropped_capture(open_page, running_app, tmp_path):
    call_id = copy_of(running_app, "listening")
    job = running_app.store.get(call_id).job
    page = open_page(f"call/{call_id}/listen")
    sheet = page.get_by_label("2.4 GHz sheet")
    expect(sheet).to_contain_text("own hall-2.4")
    page.keyboard.press("l")
    expect(page.get_by_role("status").filter(has_text="networks heard")).to_be_visible(timeout=DONE_MS)
    assert len(running_app.store.get(call_id).job.scans) == len(job.scans) + 1

    reading = replace(job.scans[0].readings[-1], bssid="0a:11:22:33:44:55", ssid="from a file", band="2.4 GHz")
    reading = replace(reading, channel=4, centre_mhz=2427, width_mhz=20, channel_use_fraction=0.2)
    path = tmp_path / "walk.pcap"
    path.write_bytes(capture_of([reading], [[-51.0, -53.0, -52.0]], "2026-03-03T20:00:00Z"))
    page.get_by_label("Capture or CSV file").set_input_files(path)
    expect(page.get_by_role("status").filter(has_text="1 networks from 3 frames")).to_be_visible(timeout=DONE_MS)
    row = page.locator('[data-bssid="0a:11:22:33:44:55"]')
    expect(row).to_contain_text("from a file")
    expect(row).to_contain_text("−52 dBm")
    page.keyboard.press("Control+z")
    expect(row).to_have_count(0)


def test_a_stronger_level_is_drawn_longer(open_page):
    """Nobody must read -40 as worse than -70."""
    page = open_page("call/2/listen")
    rows = page.locator("[data-bssid]:visible")
    shown = []
    for i in range(rows.count()):
        level = re.search(r"−(\d+)\sdBm", rows.nth(i).inner_text())
        width = float(rows.nth(i).locator("svg rect[height='3']").first.get_attribute("width"))
        shown.append((-int(level.group(1)), width))
    assert len(shown) > 10
    assert all(wide >= narrow for (a, wide) in shown for (b, narrow) in shown if a > b)


def test_a_bad_file_is_named_and_nothing_is_lost(open_page, running_app, tmp_path):
    path = tmp_path / "photo.pcap"
    path.write_bytes(b"this is no capture at all")
    before = running_app.store.get(2).revision
    page = open_page("call/2/listen")
    page.get_by_label("Capture or CSV file").set_input_files(path)
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("must start as a pcap or pcapng file does", timeout=DONE_MS)
    expect(alert).not_to_contain_text("Traceback")
    assert running_app.store.get(2).revision == before


def test_open_a_call_and_write_down_its_kit(open_page, running_app):
    page = open_page()
    page.keyboard.press("n")
    page.get_by_label("Title").fill("Mill Loft 4")
    page.get_by_label("Complaint, in the household").fill("The radio in the bath goes silent.")
    page.get_by_label("Country").select_option(label="Netherlands")
    page.get_by_role("button", name="Open the call").click()
    page.get_by_role("link", name="Kit").click()
    page.get_by_label("Room or spot", exact=True).fill("Loft")
    page.get_by_role("button", name="Add room").click()
    expect(page.get_by_role("button", name="Remove Loft")).to_be_visible()
    look_at(page, "Nodes")
    page.get_by_label("Node", exact=True).fill("Loft box")
    page.get_by_label("Stands at").first.select_option(label="Loft")
    page.get_by_role("button", name="Add node").click()
    expect(page.get_by_role("heading", name="Loft box")).to_be_visible()
    look_at(page, "Devices")
    page.get_by_label("Devices, one a line").fill("Bath radio, loft")
    page.get_by_role("button", name="Add devices").click()
    expect(page.get_by_label("Place of Bath radio")).to_be_visible()
    look_at(page, "Zigbee")
    page.get_by_label("Hub stands at").select_option(label="Loft")
    page.get_by_label("Channel now").fill("20")
    page.get_by_role("button", name="Add hub").click()
    page.get_by_label("Zigbee device").fill("Leak sensor")
    page.get_by_label("Is at").select_option(label="Loft")
    page.get_by_label("Zigbee level, dBm").fill("-70")
    page.get_by_role("button", name="Add Zigbee device").click()
    expect(page.get_by_label("Remove Leak sensor")).to_be_visible()
    call = running_app.store.find("Mill Loft")[0]
    job = running_app.store.get(call.id).job
    assert [r.band for r in job.radios] == ["2.4 GHz", "5 GHz"]
    assert job.zigbee.devices[0].id == "leak-sensor"
    page.keyboard.press("5")
    expect(page.get_by_role("button", name="Read a file")).to_be_visible()
    expect(page.get_by_role("button", name="Everywhere, with tests")).to_have_count(0)
    page.keyboard.press("2")
    look_at(page, "Nodes")
    expect(page.get_by_role("heading", name="Loft box")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("status")).to_contain_text("Taken back: added Leak sensor")


def test_a_room_is_named_where_it_is_needed(open_page, running_app):
    """No card sends anybody elsewhere first: a room typed where a node stands is there for devices and the hub too."""
    call = running_app.store.add(Job(title="Ferry Steps 2", country="NL")).id
    page = open_page(f"call/{call}/kit/nodes")
    expect(page.get_by_text("Add a place first")).to_have_count(0)
    page.get_by_label("Node", exact=True).fill("Router")
    page.get_by_label("Stands at", exact=True).fill("Hall")
    page.get_by_label("Stands at", exact=True).press("Enter")
    expect(page.get_by_label("Stands at").first).to_have_value("hall")
    page.get_by_role("button", name="Add node").click()
    expect(page.get_by_role("heading", name="Router")).to_be_visible()
    look_at(page, "Zigbee")
    page.get_by_label("Hub stands at").select_option(label="a new place…")
    page.get_by_label("Hub stands at").fill("Meter cupboard")
    page.get_by_label("Channel now").fill("20")
    expect(page.get_by_label("Hub stands at")).to_have_value("meter-cupboard")
    page.get_by_role("button", name="Add hub").click()
    look_at(page, "Devices")
    page.get_by_label("Devices, one a line").fill("television")
    page.get_by_role("button", name="Add devices").click()
    expect(page.get_by_label("Place of television")).to_be_visible()
    job = running_app.store.get(call).job
    hall, cupboard = job.places
    assert (job.nodes[0].place_id, job.devices[0].place_id) == (hall.id, hall.id)
    assert job.zigbee.hub_place_id == cupboard.id


def test_import_and_export(open_page, running_app, tmp_path):
    job = running_app.store.get(1).job
    path = tmp_path / "call.json"
    path.write_text(write_job(replace(job, title="carried over")))
    page = open_page()
    page.get_by_label("Job file", exact=True).set_input_files(path)
    expect(page.get_by_role("heading", name="carried over")).to_be_visible()
    page.goto(f"{running_app.address}#/")
    with page.expect_download() as download:
        page.get_by_label("Export carried over as a job file").click()
    assert read_job(download.value.path().read_text()) == replace(job, title="carried over")
