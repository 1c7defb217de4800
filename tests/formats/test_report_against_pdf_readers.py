"""The report: figures are the core's, neighbours are letters everywhere, and two independent readers take the PDF."""

from __future__ import annotations

import io
import itertools
import re
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pdfminer.high_level import extract_text
from pypdf import PdfReader
from tests.houses import random_house

from even_static.core.explain.backhaul import tree
from even_static.core.explain.placement import PLACES, decide
from even_static.core.house.basics import is_bssid
from even_static.core.house.building import Underlay
from even_static.core.house.changes import Change, ChangeSheet
from even_static.core.house.masking import letter_of, letters_of, masked
from even_static.core.house.settings import LinkBand
from even_static.core.house.sheet import SheetStep
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import arriving
from even_static.core.model.prepared_house import House
from even_static.core.propagation.coverage import coverage_of
from even_static.core.prove.before_after import prove
from even_static.core.report.blocks import ListBlock, SpectrumDrawing, TableBlock
from even_static.core.report.report import report
from even_static.formats.as_read import as_read
from even_static.formats.job_file import read_job, write_job
from even_static.formats.readings_csv import write_readings
from even_static.formats.report_pdf import write_report

NOW = "2026-04-20T12:00:00Z"


@pytest.fixture(scope="module")
def job(demo_store):
    """The finished call, with a neighbour's name and an address in everything that people type."""
    job = demo_store.get(1).job
    said = "Worse since Weir Cottage has a new box (02:fe:00:00:00:01)."
    return replace(
        job,
        complaint=said,
        complaints=tuple(replace(c, tried=said) for c in job.complaints),
        drop_outs=tuple(replace(d, note=said) for d in job.drop_outs),
        changes=tuple(replace(c, reason=said) for c in job.changes),
    )


@pytest.fixture(scope="module")
def pdf(job):
    return write_report(report(job, NOW))


def foreign(job):
    own = {r.bssid for r in job.radios}
    heard = [r for li in job.scans for r in li.readings if r.bssid not in own]
    return {r.ssid for r in heard if r.ssid}, {r.bssid for r in heard}


def flat(text):
    return re.sub(r"\s+", " ", text.replace("−", "-"))


def test_every_font_is_embedded_and_nothing_leads_out(pdf):
    """ISO 32000-1, 9.9: an embedded TrueType program stands in the descriptor as FontFile2."""
    reader = PdfReader(io.BytesIO(pdf))
    fonts = [f.get_object() for page in reader.pages for f in page["/Resources"]["/Font"].values()]
    assert {str(f["/BaseFont"]).split("+")[-1] for f in fonts} >= {"EvenStaticReport-Regular", "EvenStaticReport-Bold"}
    assert all("/FontFile2" in f["/FontDescriptor"] for f in fonts)
    assert all("/Annots" not in page and "/XObject" not in page["/Resources"] for page in reader.pages)
    assert reader.metadata.title == "Lock House 2: sensors go missing"


def test_two_readers_find_the_core_s_figures(job, pdf):
    reader = PdfReader(io.BytesIO(pdf))
    pages = [flat(p.extract_text()) for p in reader.pages]
    both = [" ".join(pages), flat(extract_text(io.BytesIO(pdf)))]
    proof = prove(masked(job))
    for text in both:
        assert f"Problems: {proof.figures_before.problems} before, {proof.figures_after.problems} now" in text
        before, after = proof.figures_before.worst_zigbee_delivery, proof.figures_after.worst_zigbee_delivery
        assert f"{arriving(before)} should have arrived before, {arriving(after)} should now" in text
        assert "What to do if it comes back" in text
        assert "It is solved: 41 days without a drop-out." in text
    annex = next(n for n, p in enumerate(pages) if "Technician's annex" in p)
    assert 1 <= annex <= 2, "the household's part is a page or two"
    down = next(p.down for p in proof.places if p.place_id == "boat-shed")
    assert f"{down.before:.0f} to {down.after:.0f}" in pages[0]
    assert f"{down.low:.2f} to {down.high:.2f} times" in " ".join(pages[annex:])


def test_no_neighbour_s_name_and_no_address_is_handed_out(job, pdf):
    names, addresses = foreign(job)
    assert {"lockkeeper", "weir cottage", "barge-three"} <= names
    out = masked(job)
    texts = [
        flat(extract_text(io.BytesIO(pdf))),
        str(PdfReader(io.BytesIO(pdf)).metadata),
        str(report(job, NOW)),
        write_job(out),
        write_readings(out.scans),
    ]
    for text in texts:
        assert not [n for n in names if re.search(rf"(?<!\w){re.escape(n)}(?!\w)", text, re.IGNORECASE)]
        assert not [a for a in addresses if a in text.lower()]
        assert "02:fe:00:00:00:01" not in text
    assert "network" in flat(extract_text(io.BytesIO(pdf)))


@settings(max_examples=12)
@given(st.integers(0, 500))
def test_what_is_handed_out_is_a_call_with_the_same_figures(seed):
    job = random_house(seed, nodes=2, neighbours=12, devices=6)
    out = read_job(write_job(masked(job)))
    validate_job(out)
    assert evaluate(out, out.settings).rank == evaluate(job, job.settings).rank
    names, addresses = foreign(job)
    kept, made = foreign(out)
    assert kept <= {f"network {letter_of(n)}" for n in range(len(names) + len(addresses))}
    assert not (made & addresses)
    assert all(is_bssid(a) for a in made)
    assert len(made) == len(addresses)
    assert len(set(letters_of(job).values())) >= len(names)


def test_names_in_any_writing_are_shown():
    """What the report's own font lacks is set in the other one, which is embedded too."""
    job = random_house(1, nodes=2, neighbours=3, devices=2)
    names = ("Κουζίνα", "Детская", "Große Stube", "Salón ½")
    places = tuple(replace(p, name=n) for p, n in zip(job.places, names, strict=False)) + job.places[len(names) :]
    nodes = (replace(job.nodes[0], name="Роутер <b>&"), *job.nodes[1:])
    pdf = write_report(report(replace(job, places=places, nodes=nodes, title="Дом & Garten"), NOW))
    text = flat(extract_text(io.BytesIO(pdf)))
    assert "Дом & Garten" in text
    assert "Роутер <b>&" in text


def test_a_bare_call_makes_a_report_and_the_drawing_is_to_scale(job):
    bare = report(random_house(2, nodes=0, devices=0, zigbee_devices=0, neighbours=0, places=1), NOW)
    assert bare.headline == "Measured; nothing was changed yet."
    assert write_report(bare).startswith(b"%PDF")
    blocks = [b for s in report(job, NOW).annex for b in s.blocks]
    sheet = next(b for b in blocks if isinstance(b, SpectrumDrawing) and b.band == "2.4 GHz")
    own = {lane.name: lane.rows[0][0] for lane in sheet.lanes if lane.name.startswith("own")}
    # Channel 8 at 40 MHz, then channel 2 at 20 MHz: IEEE 802.11-2020, 15.4.4.3: 2407 + 5 n MHz.
    change = job.changes[0]
    for name, setting in (("own, before", change.before.radios[0]), ("own, now", change.after.radios[0])):
        stretch = own[name]
        assert stretch.high_mhz - stretch.low_mhz == setting.width_mhz
        assert stretch.low_mhz <= 2407 + 5 * setting.channel <= stretch.high_mhz
    for lane in sheet.lanes:
        for row in lane.rows:
            edges = sorted((s.low_mhz, s.high_mhz) for s in row)
            assert all(a[1] <= b[0] for a, b in itertools.pairwise(edges))
    tables = [b for b in blocks if isinstance(b, TableBlock)]
    assert all(len(row) == len(t.head) for t in tables for row in t.rows)
    assert any(isinstance(b, ListBlock) for b in blocks)


def test_photographs_stay_behind_and_the_house_is_read_again(demo_store):
    """What is handed out opens as a call of its own: nothing in it leads to a picture that is not there."""
    job = demo_store.get(2).job
    paper = Underlay(storey=0, photo_id="paper", width_px=100, height_px=80, x_m=0.0, y_m=0.0, metres_per_px=0.05)
    job = replace(job, building=replace(job.building, underlays=(paper,)))
    out = read_job(write_job(masked(job)))
    assert out.building.underlays == ()
    assert out.building.rooms == job.building.rooms
    assert demo_store.add(out).job == out
    assert {p.pan_id for p in out.pans if not p.own}.isdisjoint({p.pan_id for p in job.pans if not p.own})


def _changed(made):
    """(what the customer's page says was changed, what the annex says) as "of: before, now after"."""
    (done,) = [c for c in made.household if c.title == "What was done"]
    items = {i for b in done.blocks if isinstance(b, ListBlock) for i in b.items if ", now " in i}
    (chapter,) = [c for c in made.annex if c.title == "Settings before and after"]
    (table,) = [b for b in chapter.blocks if isinstance(b, TableBlock)]
    return items, {f"{r[0]}: {r[1]}, now {r[2]}" for r in table.rows if r[2] != "unchanged"}


def test_the_annex_says_of_each_node_what_the_screens_say(job):
    """One recommendation for each: what House says of where it stands, and Backhaul of a repeater."""
    repeater = replace(job, nodes=(*job.nodes[:-1], replace(job.nodes[-1], kind="repeater")))
    for one in (job, repeater):
        (chapter,) = [c for c in report(one, NOW).annex if c.title == "Placement and links"]
        said = " ".join(str(b) for b in chapter.blocks)
        todo = [d for d in decide(coverage_of(one)) if d.kind in PLACES and d.advice == "recommended"]
        assert all(d.title in said for d in todo)
        assert len({d.node_id for d in todo}) == len(todo)
        notes = tree(House(one), one.settings).notes
        assert all(n in said for n in notes)
        assert any("repeater" in n for n in notes) == (one is repeater)


def test_the_annex_and_the_customer_s_page_agree_on_what_was_changed(job):
    """Also when a link went to another band, and after somebody has set something else since."""
    customer, annex = _changed(report(job, NOW))
    assert customer == annex
    assert customer
    other = next(c for c in job.zigbee.selectable_channels if c != job.settings.zigbee_channel)
    since = replace(job.settings, zigbee_channel=other)
    later = report(replace(job, settings=since), NOW)
    assert _changed(later) == (customer, annex)
    assert "Something was set otherwise since" in str(later.annex)
    house = random_house(4, nodes=2, radio_link=True)
    fed = next(n for n in house.nodes if n.uplink is not None and n.uplink.band is not None)
    moved = replace(house.settings, link_bands=(LinkBand(fed.id, "2.4 GHz"),))
    linked = replace(house, settings=moved, changes=(Change("2026-04-01T12:00:00Z", house.settings, moved, "link"),))
    customer, annex = _changed(report(linked, NOW))
    assert customer == annex == {f"Link of {fed.name}: {fed.uplink.band}, now 2.4 GHz"}


def test_read_back_is_said_only_of_what_was_read_back(job):
    """Steps done by hand count as read back when their values were read and written down."""
    said = str(report(job, NOW).household)
    assert "read back from the nodes" in said
    step = SheetStep(id="s", kind="node", node_id=job.nodes[0].id, state="done", at=NOW, by="hand")
    steps = (step, replace(step, id="t", read_back=True))
    sheet = ChangeSheet(id="x", made_at=NOW, before=job.settings, after=job.settings, steps=steps)
    assert "1 of 2 steps were read back from the nodes" in str(report(replace(job, sheet=sheet), NOW).household)


@pytest.mark.parametrize(
    ("language", "shown"),
    [
        ("en-GB", "solved on 5 December 2026; 28 November 2026, 19:30; −3.5 dB, 802.11ax on hall-2.4"),
        ("en-US", "solved on December 5, 2026; November 28, 2026, 7:30\u202fPM; −3.5 dB, 802.11ax on hall-2.4"),
        ("de-AT", "solved on 5. Dezember 2026; 28. November 2026, 19:30; −3,5 dB, 802.11ax on hall-2.4"),
        # Not known, not a language, months in other letters than the sentences: the usual one.
        *(
            (odd, "solved on 5 December 2026; 28 November 2026, 19:30; −3.5 dB, 802.11ax on hall-2.4")
            for odd in ("xx-YY", "", "../x", "ja-JP", "el")
        ),
    ],
)
def test_texts_have_their_readers_numbers_and_days(language, shown):
    write = as_read(language)
    assert write("solved on 2026-12-05; 2026-11-28 19:30; -3.5 dB, 802.11ax on hall-2.4") == shown
    for kept in ("10.0.0.1", "at 2.4 GHz", "2026-13-40", "2026-03-02T19:30:00+01:00", "run-2026-01-02", "DIN 1.2.3"):
        assert write(kept) == kept


def test_a_report_in_a_readers_own_figures_says_the_same(job):
    """A German reader's PDF holds the English one's text with the comma and the order of a day, and nothing else."""
    english, german = (extract_text(io.BytesIO(write_report(report(job, NOW), tag))) for tag in ("en-GB", "de-DE"))
    assert re.search(r"\d,\d", german)
    months = as_read("de-DE"), as_read("en-GB")
    day = job.changes[-1].changed_at[:10]
    assert [m(day) in text for m, text in zip(months, (german, english), strict=True)] == [True, True]
    assert not re.search(r"(?<![\d.])\d+\.\d+ (dB|Mb/s|%)", german)
    figures = [re.findall(r"\d+(?:[.,]\d+)?(?= (?:dB|Mb/s|%))", t.replace(",", ".")) for t in (english, german)]
    assert len(figures[0]) > 20
    assert figures[0] == figures[1]
