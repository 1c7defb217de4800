"""Takes the pictures in docs/screenshots from the demo data: `make screenshots`.

Starts the application on a free port with fresh demo calls and drives Chromium from Debian's packages.
"""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from tests.browser.test_the_first_call import radio_card
from tests.conftest import CHROMIUM, CHROMIUM_ARGUMENTS, serving

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
# (name, step, width, height, colour scheme, keys to press first)
VIEWS = (
    ("calls", "", 1280, 800, "light", ""),
    ("ask", "call/2/ask", 1280, 800, "light", ""),
    ("kit", "call/2/kit/devices", 1280, 800, "light", ""),
    ("wiring", "call/2/kit/cabling", 1280, 800, "light", "wiring"),
    ("house", "call/2/house", 1280, 800, "light", ""),
    ("house-built", "call/2/house", 1280, 800, "light", "b"),
    ("section", "call/2/house", 1280, 800, "dark", "s"),
    ("walk-phone", "call/2/walk", 390, 844, "dark", " "),
    ("listen", "call/2/listen", 1280, 800, "light", ""),
    ("tune", "call/2/tune", 1280, 800, "light", "t"),
    ("names", "call/2/tune", 1280, 800, "light", "names"),
    ("zigbee", "call/2/tune", 1280, 800, "light", "zigbee"),
    ("mesh", "call/2/tune", 1280, 800, "light", "mesh"),
    ("prove", "call/1/prove", 1280, 800, "dark", ""),
    ("report", "call/1/report", 1280, 800, "light", ""),
    ("listen-phone", "call/2/listen", 390, 844, "light", ""),
    ("tune-phone", "call/2/tune", 390, 844, "dark", "t"),
    # The last two work on the call.
    ("ab-tests", "call/2/change", 1280, 800, "light", "trial"),
    ("change-phone", "call/2/change", 390, 844, "light", "sheet"),
)

# Parts of a page that are opened and scrolled to.
PARTS = {
    "names": ("SSIDs", "SSIDs and steering", "An evening of each device"),
    "zigbee": ("Zigbee", "What would help Zigbee", "A repeater"),
    "mesh": ("Zigbee", "What would help Zigbee", "The mesh on the house"),
}


def take(page: Page, address: str, name: str, where: str, keys: str) -> None:
    page.goto(f"{address}#/{where}")
    page.wait_for_load_state("networkidle")
    page.evaluate("document.fonts.ready")
    if keys == "sheet":
        page.goto(f"{address}#/call/2/tune")
        page.get_by_role("tab", name="Zigbee").click()
        page.get_by_role("article", name="Zigbee").get_by_label("Channel").select_option("25")
        page.get_by_role("tab", name="Radios").click()
        radio_card(page, "studio-2.4").get_by_label("Channel").select_option("1/20/2412")
        radio_card(page, "landing-2.4").get_by_label("Channel").select_option("11/20/2462")
        page.goto(f"{address}#/{where}")
        page.get_by_role("button", name="Make the sheet").click()
        page.get_by_role("button", name="Done by hand").click()
        page.get_by_text("1 of 3 done").wait_for()
        page.locator("[aria-current='step'][data-step]").scroll_into_view_if_needed()
        page.evaluate("window.scrollBy(0, 250)")
    elif keys == "wiring":
        card = page.get_by_label("Cabling and set-up")
        card.get_by_role("button", name=re.compile("^Line box")).click()
        card.evaluate("(card) => window.scrollTo(0, card.getBoundingClientRect().top + scrollY - 90)")
    elif keys == "trial":
        page.goto(f"{address}#/call/2/tune")
        page.get_by_role("tab", name="Radios").click()
        radio_card(page, "studio-2.4").get_by_label("Channel").select_option("1/20/2412")
        page.goto(f"{address}#/{where}")
        card = page.get_by_label("A/B tests", exact=True)
        card.get_by_label("Test", exact=True).fill("Studio on channel 1")
        card.get_by_label("Measured at").select_option("studio")
        card.get_by_role("button", name="Plan the A/B test").click()
        card.get_by_role("button", name="Run it on the nodes").click()
        card.locator("[data-ab-test] img, [data-ab-test] svg[role=img]").wait_for(timeout=60_000)
        page.get_by_label("Work in progress").wait_for(state="detached", timeout=120_000)
        page.get_by_role("button", name="Close the message").click()
        card.evaluate("(card) => window.scrollTo(0, card.getBoundingClientRect().top + scrollY - 90)")
    elif keys in PARTS:
        view, label, button = PARTS[keys]
        page.get_by_role("tab", name=view).click()
        page.get_by_role("button", name=button).click()
        page.get_by_label(label, exact=True).scroll_into_view_if_needed()
        page.evaluate("window.scrollBy(0, 300)")
        if keys == "mesh":
            page.locator("[data-mesh]").wait_for()
            page.evaluate("document.querySelector('[data-mesh]').scrollIntoView(); window.scrollBy(0, -160)")
    elif keys:
        if keys == "t":
            page.get_by_role("button", name="Find the best settings").wait_for()
        page.keyboard.press("Space" if keys == " " else keys)
        ready = {"t": page.get_by_label("The plan", exact=True), " ": page.get_by_text("dBm, settled")}.get(keys)
        if ready is not None:
            ready.wait_for(timeout=90_000)
    page.wait_for_timeout(300)
    page.screenshot(path=FOLDER / f"{name}.png")


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with (
        tempfile.TemporaryDirectory() as folder,
        serving(Path(folder)) as app,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
        for name, where, width, height, scheme, keys in VIEWS:
            context = browser.new_context(
                viewport={"width": width, "height": height}, color_scheme=scheme, locale="en-GB"
            )
            take(context.new_page(), app.address, name, where, keys)
            context.close()
        browser.close()


if __name__ == "__main__":
    main()
