"""Takes the pictures in docs/screenshots from the demo data: `make screenshots`.

Starts the application on a free port with fresh demo calls and drives Chromium from Debian's packages.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from tests.conftest import CHROMIUM, CHROMIUM_ARGUMENTS, serving

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
# (name, step, width, height, colour scheme, keys to press first)
VIEWS = (
    ("calls", "", 1280, 800, "light", ""),
    ("ask", "call/2/ask", 1280, 800, "light", ""),
    ("kit", "call/2/kit", 1280, 800, "light", ""),
    ("house", "call/2/house", 1280, 800, "light", ""),
    ("house-built", "call/2/house", 1280, 800, "light", "b"),
    ("section", "call/2/house", 1280, 800, "dark", "s"),
    ("walk-phone", "call/2/walk", 390, 844, "dark", " "),
    ("listen", "call/2/listen", 1280, 800, "light", ""),
    ("tune", "call/2/tune", 1280, 800, "light", "t"),
    ("names", "call/2/tune", 1280, 800, "light", "names"),
    ("zigbee", "call/2/tune", 1280, 800, "light", "zigbee"),
    ("prove", "call/1/prove", 1280, 800, "dark", ""),
    ("listen-phone", "call/2/listen", 390, 844, "light", ""),
    ("tune-phone", "call/2/tune", 390, 844, "dark", "t"),
)

# Parts of a page that are opened and scrolled to.
PARTS = {
    "names": ("Names and steering", "An evening of each device"),
    "zigbee": ("What would help Zigbee", "A repeater"),
}


def take(page: Page, address: str, name: str, where: str, keys: str) -> None:
    page.goto(f"{address}#/{where}")
    page.wait_for_load_state("networkidle")
    page.evaluate("document.fonts.ready")
    if keys in PARTS:
        label, button = PARTS[keys]
        page.get_by_role("button", name=button).click()
        page.get_by_label(label, exact=True).scroll_into_view_if_needed()
        page.evaluate("window.scrollBy(0, 300)")
    elif keys:
        page.keyboard.press("Space" if keys == " " else keys)
        ready = {"t": page.get_by_label("The plan"), " ": page.get_by_text("dBm, settled")}.get(keys)
        if ready is not None:
            ready.wait_for()
    page.wait_for_timeout(300)
    page.screenshot(path=FOLDER / f"{name}.png")


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, serving(Path(folder)) as app, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
        for name, where, width, height, scheme, keys in VIEWS:
            context = browser.new_context(viewport={"width": width, "height": height}, color_scheme=scheme)
            take(context.new_page(), app.address, name, where, keys)
            context.close()
        browser.close()


if __name__ == "__main__":
    main()
