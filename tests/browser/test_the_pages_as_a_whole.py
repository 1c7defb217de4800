"""Looks and manners: no other host, accessible, two sizes, two colour schemes, printable, usable by keyboard."""

from __future__ import annotations

import io
import re
from pathlib import Path

import pytest
from pdfminer.high_level import extract_text
from playwright.sync_api import expect
from pypdf import PdfReader
from tests.browser.test_the_first_call import copy_of, fixed, searched

from even_static.core.explain.air_view import air_view
from even_static.core.explain.backhaul import tree
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.formats.as_read import as_read

pytestmark = pytest.mark.browser
AXE = Path(__file__).parent.parent.parent / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
STEPS = ["ask", "kit", "house", "walk", "listen", "tune", "change"]
KIT = ["nodes", "devices", "zigbee", "router-s-lists", "cabling", "other-sources"]
TUNE = ["radios", "backhaul", "zigbee", "sources", "day"]
PROVE = ["rooms", "levels", "zigbee", "settings", "predicted"]
VIEWS = [
    "",
    *(f"call/2/{s}" for s in STEPS),
    "call/2/ask/questions",
    *(f"call/2/kit/{part}" for part in KIT),
    "call/1/change",
    "call/1/prove",
    *(f"call/1/prove/{part}" for part in PROVE),
    "call/1/report",
    "call/1/report/files",
    "call/1/report/history",
]


@pytest.mark.parametrize("where", VIEWS)
def test_axe_finds_nothing(open_page, where):
    """axe-core's rules for WCAG 2.1 A and AA, contrast included, in light and in dark, with everything unfolded."""
    page = open_page(where)
    page.evaluate("document.querySelectorAll('details').forEach((d) => (d.open = true))")
    if where == "call/1/report":
        page.keyboard.press("a")
        expect(page.get_by_role("region", name="Cautions")).to_be_visible()
    page.evaluate(AXE.read_text())
    # Of the rules, dark can break contrast alone.
    for scheme, rules in (("light", ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]), ("dark", ["color-contrast"])):
        page.emulate_media(color_scheme=scheme)
        found = page.evaluate(
            "async (rules) => (await axe.run({runOnly: rules, resultTypes: ['violations']})).violations", rules
        )
        faults = [f"{v['id']}: {v['nodes'][0]['html'][:160]} {v['nodes'][0]['failureSummary'][:200]}" for v in found]
        assert faults == [], scheme


@pytest.mark.parametrize("where", VIEWS)
def test_nothing_runs_off_a_phone(open_page, where):
    page = open_page(where, width=390, height=844)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    # A thumb needs 44 px; what is a word in a line of text is as tall as its line.
    for least, what in (
        (43.5, "main .button, main .field, nav a"),
        (20, "main button"),
    ):
        heights = page.locator(what).evaluate_all(
            "(all) => all.filter((x) => x.checkVisibility({visibilityProperty: true}))"
            ".map((x) => [x.getBoundingClientRect().height, x.innerText])"
        )
        assert [text for height, text in heights if height < least] == []
    # Nothing that is pressed or filled reaches over the edge of its card, unless its part of the card is scrolled.
    beyond = page.locator("main .page").evaluate_all(
        """(cards) => cards.flatMap((card) => [...card.querySelectorAll('.field, .button, select, input')]
          .filter((x) => x.checkVisibility() && !x.closest('.overflow-x-auto'))
          .filter((x) => x.getBoundingClientRect().right > card.getBoundingClientRect().right - 2)
          .map((x) => `${card.getAttribute('aria-label')}: ${x.outerHTML.slice(0, 80)}`))"""
    )
    assert beyond == []


@pytest.mark.parametrize(("width", "height", "most"), [(1265, 800, 1600), (390, 844, 3400)])
def test_no_view_is_longer_than_two_screens_or_four_of_a_phone(open_page, running_app, width, height, most):
    """Each loaded anew, so that it is measured with all that it shows."""
    page = open_page("", width=width, height=height)
    tall = {}
    for where in [*VIEWS, *(f"call/2/tune/{part}" for part in TUNE), "call/2/listen/5-ghz"]:
        if where:
            page.goto("about:blank")
            page.goto(f"{running_app.address}#/{where}")
            page.wait_for_load_state("networkidle")
            tall[where] = page.evaluate("document.documentElement.scrollHeight")
    assert {where: tall[where] for where in tall if tall[where] > most} == {}
    assert tall["call/2/ask"] > 1.3 * height, "it was measured before it showed anything"


def test_no_view_of_a_plan_is_longer_either(open_page, running_app):
    page = open_page(f"call/{copy_of(running_app, 'long plan')}/tune", width=1265, height=800)
    searched(page, running_app)
    tall = {}
    for width, height, most in ((1265, 800, 1600), (390, 844, 3400)):
        page.set_viewport_size({"width": width, "height": height})
        for view in page.get_by_role("tab").all():
            view.click()
            page.wait_for_load_state("networkidle")
            tall[width, view.inner_text()] = page.evaluate("document.documentElement.scrollHeight") / most
    assert len(tall) == 22
    assert {where: share for where, share in tall.items() if share > 1} == {}
    assert max(tall.values()) > 0.9


def test_the_house_s_figures_stay_in_sight(open_page):
    for width, height in ((1280, 800), (390, 844)):
        # A page that is longer than that, at both sizes.
        page = open_page("call/2/kit/nodes", width=width, height=height)
        # The pages' security policy forbids polling by eval, so the page is scrolled at once instead of by the wheel.
        expect(page.get_by_role("heading", name="Own nodes")).to_be_attached()
        page.evaluate("window.scrollTo(0, 1500)")
        assert page.evaluate("window.scrollY") > 300
        expect(page.get_by_label("The house's figures")).to_be_in_viewport(ratio=1)


@pytest.mark.parametrize(("language", "mark"), [("en-GB", "."), ("de-DE", ",")])
def test_numbers_and_dates_are_as_the_reader_writes_them(open_page, language, mark):
    """The household's figures in the header, and the time of a scan by the clock of the house."""
    page = open_page("call/2/listen", language=language)
    expect(page.locator("[data-figure=headroom]")).to_contain_text(re.compile(rf"\d\{mark}\d\d×"))
    heard = page.get_by_label("2.4 GHz sheet")
    expect(heard).to_contain_text("2 Mar 2026" if language == "en-GB" else "2. März 2026")
    heads = [*figure_texts(page)]
    assert heads
    assert not any(("," if mark == "." else ".") in text for text in heads)


def test_the_report_is_in_its_readers_figures_on_the_screen_and_as_pdf(open_page, running_app):
    """Both say a day and a number alike. The browser's own dates (ICU) hold those of the PDF (CLDR through Babel)."""
    changed = running_app.store.get(1).job.changes[-1].changed_at[:10]
    page = open_page("call/1/report", language="de-DE")
    day = as_read("de-DE")(changed)
    expect(page.get_by_label("Report", exact=True)).to_contain_text(f"Changed on {day}")
    with page.expect_download() as begun:
        page.get_by_role("link", name="Report as PDF").click()
    text = extract_text(begun.value.path())
    assert f"Changed on {day}" in " ".join(text.split())
    in_languages = "(tags) => tags.map((t) => new Date(2026, 10, 8).toLocaleDateString(t, {dateStyle: 'long'}))"
    tags = ["en-GB", "en-US", "en-CA", "de-DE", "nl-NL", "fr-FR", "sv-SE", "pt-BR", "pl-PL", "fi-FI", "es-ES", "it-IT"]
    assert page.evaluate(in_languages, tags) == [as_read(tag)("2026-11-08") for tag in tags]


def figure_texts(page) -> list[str]:
    """The figures of the header as shown, without what they are of."""
    return [found.inner_text() for found in page.locator("[data-figure] .figure").all()]


def test_marks_say_how_the_core_knows_what_is_shown(open_page, running_app):
    """Header, backhaul and Listen: measured, predicted or assumed as the core has it."""
    job = running_app.store.get(2).job
    figures = evaluate(job, job.settings)
    page = open_page("call/2/tune/backhaul")
    weakest = next(d for d in figures.devices if d.device_id == figures.weakest_spot_device_id)
    spot = page.locator("[data-figure=spot] [data-known]")
    expect(spot).to_have_attribute("data-known", "measured" if weakest.measured else "predicted")
    for name in ("headroom", "zigbee", "problems"):
        expect(page.locator(f"[data-figure={name}] [data-known]")).to_have_attribute("data-known", "predicted")
    hops = [h.level_known for h in tree(House(job), job.settings).hops if h.level_known]
    shown = page.get_by_label("Backhaul", exact=True).locator("[data-known]")
    expect(shown).to_have_count(len(hops))
    assert [s.get_attribute("data-known") for s in shown.all()] == hops
    sheet = next(s for s in air_view(House(job), job.settings, job.places[0].id).sheets if s.band == "2.4 GHz")
    page.goto(f"{running_app.address}#/call/2/listen")
    drawn = page.get_by_label("Busy airtime by channel at 2.4 GHz")
    for channel in sheet.channels:
        said = drawn.locator("title").filter(has_text=re.compile(rf"^\s*Channel {channel.channel}:"))
        expect(said).to_contain_text(f"{fixed(channel.busy_fraction * 100)} % busy with {channel.networks} networks")
        assert ("assumed" in said.text_content()) == channel.assumed


def test_no_page_loads_anything_from_elsewhere(open_page, running_app):
    """The fixture fails on any request to another host; here the page must have its own fonts and styles."""
    page = open_page("call/2/listen")
    assert page.evaluate("[...document.fonts].some(f => f.status === 'loaded' && f.family.includes('Atkinson'))")
    loaded = page.evaluate("performance.getEntriesByType('resource').map(r => r.name)")
    assert loaded
    assert all(url.startswith(running_app.address) for url in loaded)


def test_steps_and_places_by_keyboard(open_page):
    page = open_page("call/2/ask")
    page.keyboard.press("5")
    expect(page.get_by_role("link", name="Listen")).to_have_attribute("aria-current", "step")
    place = page.get_by_label("Place")
    expect(place).to_have_value("hall")
    page.keyboard.press("ArrowRight")
    expect(place).to_have_value("kitchen")


def test_zigbee_reasons_name_the_interferer(open_page):
    page = open_page("call/2/tune")
    page.keyboard.press("z")
    card = page.get_by_label("Zigbee", exact=True)
    card.get_by_role("button", name="Why?").nth(5).click()
    expect(card).to_contain_text("(own): spoils")


def test_the_household_s_page_prints(open_page):
    page = open_page("call/1/prove")
    expect(page.get_by_label("Verdict")).to_contain_text(re.compile(r"It is better: .*Zigbee\."))
    expect(page.get_by_label("Place by place")).to_be_hidden()
    # As a print takes it, with no media set before: all views, read by another program.
    text = " ".join(p.extract_text() for p in PdfReader(io.BytesIO(page.pdf(format="A4"))).pages)
    for part in (
        "Ask again",
        "Spot by spot",
        "Zigbee, device by device",
        "What was changed",
        "Predicted, and what came",
    ):
        assert part in text
    assert "Measure again" not in text
    for neighbour in ("lockkeeper", "weir cottage", "barge"):
        assert neighbour not in text


def test_an_unknown_call_leads_back_to_the_list(open_page):
    page = open_page("call/9999/tune", quiet=False)
    expect(page.get_by_role("alert")).to_contain_text("9999")
    expect(page.get_by_role("heading", name="Even Static")).to_be_visible()


def tab_to(page, role: str, name: str, most: int = 250) -> None:
    """Press Tab until a control has the focus; a control that Tab does not reach fails."""
    wanted = page.get_by_role(role, name=name).first
    wanted.wait_for()
    for _ in range(most):
        if wanted.evaluate("(e) => e === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab does not reach {name}")


def test_the_whole_job_by_keyboard(open_page, running_app):
    """From the list of calls to the report without a pointer: search, sheet, ticks, measuring again, the annex."""
    call = copy_of(running_app, "by keyboard")
    page = open_page("")
    tab_to(page, "link", "by keyboard")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="by keyboard")).to_be_visible()
    page.keyboard.press("6")
    expect(page.get_by_role("button", name="Find the best")).to_be_enabled()
    searched(page, running_app)
    page.keyboard.press("s")
    expect(page.get_by_role("alertdialog")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("alertdialog")).to_have_count(0)
    page.keyboard.press("7")
    expect(page.get_by_role("button", name="Make the sheet")).to_be_enabled()
    page.keyboard.press("m")
    sheet = page.get_by_label("The change sheet", exact=True)
    expect(sheet).to_contain_text("0 of")
    steps = len(running_app.store.get(call).job.sheet.steps)
    for n in range(steps):
        tab_to(page, "button", "Done by hand")
        page.keyboard.press("Enter")
        expect(sheet).to_contain_text(f"{n + 1} of {steps} done" if n + 1 < steps else "All done")
    page.keyboard.press("8")
    expect(page.get_by_role("button", name="Measure again")).to_be_enabled()
    page.keyboard.press("m")
    expect(page.get_by_label("Verdict").get_by_role("heading", level=2)).not_to_have_text(
        "The measurements are inconclusive.", timeout=60_000
    )
    page.keyboard.press("9")
    expect(page.get_by_label("Report", exact=True)).to_contain_text("What it brought")
    page.keyboard.press("a")
    expect(page.get_by_label("Report", exact=True)).to_contain_text("Technician's annex")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("status")).to_contain_text("Taken back")
