"""A whole real call, with nothing simulated: complaint, kit, typed and pasted readings, speed tests, plan, a sheet of
which one step reads back otherwise, an A/B test by hand, proof and report."""

from __future__ import annotations

import re
import subprocess
import sys

import pytest
from playwright.sync_api import expect
from tests.beacons import capture_of
from tests.browser.test_the_first_call import look_at
from tests.conftest import poll

from even_static.core.house.readings import Reading

pytestmark = pytest.mark.browser

SIMULATED = ("Everywhere, with tests", "Ask the hub", "Have the hub scan", "Apply to the nodes", "Apply to the node")
SCAN = "\n".join(
    [
        r"02\:aa\:bb\:cc\:dd\:01:next door:6:2437 MHz:70:WPA2",
        r"02\:aa\:bb\:cc\:dd\:02:upstairs:6:2437 MHz:64:WPA2",
        r"02\:aa\:bb\:cc\:dd\:03:garden:1:2412 MHz:30:WPA2",
        r"02\:aa\:bb\:cc\:dd\:04:next door 5:36:5180 MHz:58:WPA2",
    ]
)


def scan_text(radios, *levels_percent):
    """What nmcli prints in the house: the neighbours, and the own radios as they are set by the maker."""
    own = [
        f"{r.bssid.replace(':', chr(92) + ':')}:{r.ssid}:0:{mhz} MHz:{percent}:WPA2"
        for r, mhz, percent in zip(radios, (2437, 5180), levels_percent, strict=True)
    ]
    return "\n".join([SCAN, *own])


def type_level(page, bssid, digits):
    page.get_by_label("Radio").select_option(bssid)
    for digit in digits:
        page.get_by_role("button", name=digit, exact=True).click()


def paste(page, text):
    box = page.get_by_label("Text of a scanning tool or iperf3")
    if not box.is_visible():
        page.keyboard.press("Escape")
        page.keyboard.press("v")
        expect(box).to_be_focused()
    box.fill(text)
    page.get_by_role("button", name="Take it for this spot").click()
    expect(page.get_by_role("status").filter(has_text="scanned at")).to_be_visible()


def speed(page, down):
    page.get_by_role("button", name=re.compile("^Speed test")).click()
    page.get_by_label("Down, Mb/s", exact=True).fill(down)
    page.get_by_role("button", name="Keep the speed test").click()
    expect(page.get_by_role("status").filter(has_text="a speed test")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Speed test")).click()


def ab_by_hand(page, measure, values, said):
    """Plan an A/B test of two ways set by hand, and type two blocks of four turns."""
    page.keyboard.press("7")
    card = page.locator("section", has=page.get_by_label("A is", exact=True)).last
    card.get_by_label("A is").fill("antennas upright")
    card.get_by_label("B is").fill("one tilted over")
    card.get_by_label("Test", exact=True).fill(measure)
    card.get_by_label("Measured by").select_option(measure)
    card.get_by_label("Measured at").select_option(label="Back bedroom")
    card.get_by_role("button", name="Plan the A/B test").click()
    test = page.locator("[data-ab-test]").filter(has=page.get_by_role("heading", name=measure))
    for n, arm in enumerate("ABBABAAB"):
        test.get_by_label("or what was read").fill(values["AB".index(arm)])
        test.get_by_role("button", name="Write down").click()
        expect(page.get_by_role("status").filter(has_text=f"turn {n + 1}")).to_be_visible()
    expect(test).to_contain_text(said)


def live_capture(app, call, bssid):
    """The command line listens at a spot: a capture from standard input, kept when it ends."""
    reading = Reading(bssid=bssid, ssid="home", band="2.4 GHz", channel=6, centre_mhz=2437, width_mhz=20, rssi_dbm=-60)
    raw = capture_of([reading], [[-60.0, -61.0, -59.0]], "2026-11-27T12:00:00Z")
    port = app.address.rstrip("/").rsplit(":", 1)[1]
    command = [sys.executable, "-m", "even_static.cli", "listen", "--data", str(app.store.path), "--port", port]
    command += ["--call", str(call), "--place", "back-bedroom", "--from", "-"]
    done = subprocess.run(command, input=raw, capture_output=True, timeout=60, check=False)
    assert done.returncode == 0, done.stderr.decode()


def test_a_whole_real_call(open_page, running_app):
    page = open_page()
    page.keyboard.press("n")
    page.get_by_label("Title").fill("Weir Lane 2")
    page.get_by_label("Complaint, in the household").fill("The film stalls in the back bedroom.")
    page.get_by_label("Country").select_option("NL")
    page.get_by_role("button", name="Open the call").click()
    page.get_by_role("link", name="Kit").click()
    for place in ("Hall", "Back bedroom"):
        page.get_by_label("Room or spot", exact=True).fill(place)
        page.get_by_role("button", name="Add room").click()
        expect(page.get_by_label(f"Remove {place}")).to_be_visible()
    look_at(page, "Nodes")
    page.get_by_label("Node", exact=True).fill("Router")
    page.get_by_label("Stands at").first.select_option(label="Hall")
    page.get_by_role("button", name="Add node").click()
    expect(page.get_by_role("heading", name="Router")).to_be_visible()
    look_at(page, "Devices")
    page.get_by_label("Devices, one a line").fill("television, back bedroom\nphone, hall")
    page.get_by_role("button", name="Add devices").click()
    expect(page.get_by_label("Place of television")).to_be_visible()
    call = running_app.store.find("Weir Lane")[0].id
    assert running_app.store.get(call).job.kind == "real"
    for name in SIMULATED:
        expect(page.get_by_role("button", name=name)).to_have_count(0)
    radios = running_app.store.get(call).job.radios
    # Nothing was measured yet: no screen tells a figure of the house.
    page.get_by_role("link", name="Tune").click()
    page.get_by_role("tab", name="SSIDs").click()
    expect(page.get_by_label("SSIDs and steering")).to_contain_text("once the air has been scanned")
    expect(page.get_by_role("table", name="SSID plans")).to_have_count(0)
    page.get_by_role("link", name="Report").click()
    expect(page.get_by_text("Nothing was measured and nothing was changed yet.")).to_be_visible()
    page.get_by_role("link", name="Kit").click()

    page.keyboard.press("4")
    expect(page.get_by_role("button", name="Read", exact=True)).to_have_count(0)
    page.get_by_label("Spot", exact=True).select_option(label="Back bedroom")
    type_level(page, radios[0].bssid, "71")
    type_level(page, radios[1].bssid, "79")
    page.get_by_role("button", name="Keep").click()
    poll(lambda: running_app.store.get(call).job.scans or None)
    page.get_by_label("Spot", exact=True).select_option(label="Back bedroom")
    paste(page, scan_text(radios, 54, 38))
    speed(page, "21 18 24 19")
    job = running_app.store.get(call).job
    assert [s.came_from for s in job.scans] == ["typed", "system scan"]
    assert job.speed_tests[0].came_from == "typed"

    page.get_by_role("link", name="Listen").click()
    for name in SIMULATED:
        expect(page.get_by_role("button", name=name)).to_have_count(0)
    page.get_by_label("Place").select_option(label="Back bedroom")
    expect(page.get_by_text("next door", exact=True).first).to_be_visible()

    page.keyboard.press("6")
    page.get_by_role("button", name="Find the best").click()
    expect(page.get_by_role("button", name="Apply step by step")).to_be_enabled(timeout=60_000)
    page.get_by_role("button", name="Apply step by step").click()
    expect(page.get_by_label("The change sheet")).to_be_visible()
    steps = running_app.store.get(call).job.sheet.steps
    for n, step in enumerate(steps):
        row = page.locator(f"[data-step='{step.id}']")
        if n == 0 and step.kind == "node":
            row.get_by_label("it reads back otherwise").check()
            row.get_by_label("Power, dBm").first.fill("14")
            row.get_by_role("button", name="Done, but it differs").click()
            expect(row).to_contain_text("differs, read back")
        else:
            row.get_by_role("button", name="Done by hand, read back as wanted").click()
            expect(row).to_contain_text("done, read back")
    job = running_app.store.get(call).job
    assert len(job.changes) == 1
    page.wait_for_timeout(1500)  # times are kept to the second: what is measured from here on is later
    assert any(s.eirp_dbm == 14.0 for s in job.settings.radios) or steps[0].kind != "node"
    assert all(s.read_back for s in job.sheet.steps)

    page.keyboard.press("4")
    page.get_by_label("Spot", exact=True).select_option(label="Back bedroom")
    paste(page, scan_text(radios, 54, 38))
    speed(page, "61 58 64 63")
    page.get_by_role("link", name="Prove").click()
    expect(page.get_by_role("button", name="Measure again", exact=True)).to_have_count(0)
    expect(page.get_by_label("Verdict")).to_contain_text("It is better: throughput")
    # A/B tests by hand, of the same two ways: by level, then by throughput.
    ab_by_hand(page, "level", ("-62 -63", "-55 -56"), "dB against A")
    ab_by_hand(page, "throughput down", ("40 41", "62 60"), "times the throughput down of A")
    measured = {t.measure: len(t.arm_runs) for t in running_app.store.get(call).job.ab_tests}
    assert measured == {"level": 8, "throughput down": 8}
    live_capture(running_app, call, radios[0].bssid)
    assert running_app.store.get(call).job.scans[-1].came_from == "live capture"
    page.keyboard.press("9")
    expect(page.get_by_role("article", name="Report")).to_contain_text("It is better")
    expect(page.get_by_text("Practice house")).to_have_count(0)
    now = running_app.store.get(call).job
    everything = (*now.scans, *now.speed_tests, *now.zigbee_reports, *now.traces)
    assert not [e for e in everything if e.came_from == "simulated"]
    assert running_app.store.stand_in(call) is None


def test_a_practice_house_is_opened_from_the_list_and_marked(open_page, running_app):
    page = open_page()
    page.keyboard.press("p")
    page.get_by_label("Size").select_option("flat")
    page.get_by_label("Difficulty").select_option("crowded")
    page.get_by_label("Number").fill("41")
    page.get_by_label("Country").select_option("NL")
    page.get_by_role("button", name="Open the practice house").click()
    expect(page.get_by_role("heading", name="Practice flat 41, crowded")).to_be_visible()
    expect(page.get_by_text("Practice house", exact=True)).to_be_visible()
    page.keyboard.press("5")
    page.get_by_role("button", name="Scan here").click()
    expect(page.get_by_role("status").filter(has_text="networks heard")).to_be_visible(timeout=30_000)
    page.goto(running_app.address)
    expect(page.get_by_text("practice house;").first).to_be_visible()
