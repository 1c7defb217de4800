"""One browser a run, a new context a test; any console error or request to another host fails the test."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright
from tests.conftest import CHROMIUM, CHROMIUM_ARGUMENTS, RunningApp

# The machines that run these are shared: what is to be seen may take longer than on a desk.
expect.set_options(timeout=15_000)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        launched = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
        yield launched
        launched.close()


OpenPage = Callable[..., Page]


@pytest.fixture
def open_page(browser: Browser, running_app: RunningApp) -> Iterator[OpenPage]:
    """Open a step of the application, such as ``open_page("call/2/tune")``; checks the console and all requests."""
    contexts: list[BrowserContext] = []
    faults: list[str] = []

    def open_at(
        where: str = "",
        width: int = 1280,
        height: int = 800,
        scheme: str = "light",
        quiet: bool = True,
        language: str = "en-GB",
        address: str = "",
    ) -> Page:
        address = address or running_app.address
        context = browser.new_context(
            viewport={"width": width, "height": height},
            color_scheme=scheme,
            reduced_motion="reduce",
            locale=language,
            accept_downloads=True,
        )
        contexts.append(context)
        page = context.new_page()
        page.on(
            "request",
            lambda r: None if r.url.startswith((address, "blob:", "data:")) else faults.append(r.url),
        )
        page.on("pageerror", lambda error: faults.append(str(error)))
        if quiet:
            page.on("console", lambda m: faults.append(m.text) if m.type == "error" else None)
        page.goto(f"{address}#/{where}")
        page.wait_for_load_state("networkidle")
        page.evaluate("document.fonts.ready")
        return page

    yield open_at
    for context in contexts:
        context.close()
    assert faults == []
