"""The trainer in the real interface: a hint, and the truth of a practice house, figure by figure."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect
from tests.browser.test_the_first_call import copy_of, fixed

from even_static.api.practice.world import world_of
from even_static.api.service import Service
from even_static.core.model.prepared_house import House
from even_static.instruments.simulated import trainer

pytestmark = pytest.mark.browser


def test_the_truth_is_shown_as_it_is(open_page, running_app):
    call = copy_of(running_app, "the truth of it", 1)
    stored = running_app.store.get(call)
    world = world_of(Service(running_app.store), stored)
    own = trainer.truth_of(world, House(stored.job), lambda part: True)
    page = open_page(f"call/{call}/prove/truth")
    card = page.get_by_label("The truth of this practice house")
    card.get_by_role("button", name="Show the truth").click()
    rows = card.get_by_label("What settings really do").locator("tbody tr")
    expect(rows).to_have_count(len(own.figures), timeout=90_000)
    for i, figures in enumerate(own.figures):
        cells = rows.nth(i).get_by_role("cell")
        expect(cells.nth(0)).to_have_text(figures.name)
        expect(cells.nth(1)).to_have_text(str(figures.problems))
        expect(cells.nth(2)).to_have_text(f"{fixed(100 * figures.served)} %")
        worst = figures.worst_speed_mbps
        expect(cells.nth(6)).to_have_text(f"{fixed(worst, int(worst < 10))} Mb/s")
    assert len({f.name for f in own.figures}) == 4
    if own.decisions:
        expect(card).to_contain_text(own.decisions[0].what)


def test_a_hint_says_where_and_not_how(open_page, running_app):
    call = copy_of(running_app, "a hint wanted")
    stored = running_app.store.get(call)
    own = trainer.hint_of(world_of(Service(running_app.store), stored), House(stored.job), lambda part: True)
    page = open_page(f"call/{call}/tune")
    page.get_by_role("button", name="A hint for practising").click()
    expect(page.get_by_role("status").filter(has_text=own)).to_be_visible(timeout=90_000)
