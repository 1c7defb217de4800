"""What is handed out names no neighbour, wherever the name was typed: names are planted everywhere, then the bytes of
every export are searched for them."""

from __future__ import annotations

import dataclasses
import io
import random
import re
import unicodedata
from dataclasses import replace

import pytest
from pdfminer.high_level import extract_text
from tests.conftest import local_client

from even_static.core.house.after_care import FollowUp
from even_static.core.house.job import Job
from even_static.core.house.masking import _fields, masked
from even_static.core.house.other_sources import PanHeard
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import arriving
from even_static.core.model.prepared_house import House
from even_static.core.prove.before_after import prove
from even_static.core.prove.follow_up import after_care
from even_static.core.report import household
from even_static.core.report.blocks import TextBlock
from even_static.core.report.words import Known
from even_static.formats.job_file import read_job, write_job

SECRETS = ("Müller Gässle", "zz", "Quarx-9", "Обувь", "★☆★", "x_y z", "Vrouwenhof 12 boven")
ADDRESS = "02:7f:3a:9c:5d:e1"
PAN = "0x9a7d"


def _spellings(name: str) -> list[str]:
    """Ways in which somebody may write a name down."""
    plain = "".join(c for c in unicodedata.normalize("NFKD", name) if not unicodedata.combining(c))
    words = re.findall(r"\w+", name)
    return [name, name.upper(), name.lower(), plain, "-".join(words) or name, "_".join(words) or name]


def _named(job: Job) -> Job:
    """The job with the secrets as names of foreign networks, one of them with the address, and a foreign PAN."""
    scans = list(job.scans)
    own = {r.bssid for r in job.radios}
    foreign = sorted({r.bssid for li in scans for r in li.readings} - own)
    names = dict(zip(foreign, SECRETS, strict=False))
    first = foreign[0]

    def reading(r):
        if r.bssid in own:
            return r
        bssid = ADDRESS if r.bssid == first else r.bssid
        return replace(r, ssid=names.get(r.bssid, f"plain{foreign.index(r.bssid):03d}net"), bssid=bssid)

    scans = [replace(li, readings=tuple(reading(r) for r in li.readings)) for li in scans]
    pan = PanHeard(
        id="pan-9a7d-19-hall",
        place_id=job.places[0].id,
        heard_at=scans[0].heard_at,
        source="dump 9a7d",
        pan_id=PAN,
        channel=19,
        frames=5,
        airtime_fraction=0.01,
    )
    return replace(job, scans=tuple(scans), pans=(*job.pans, pan))


def _planted(value, rng, taken):
    """A value with secrets in every text that somebody may have typed, and in identifiers of its own."""
    if isinstance(value, tuple):
        return tuple(_planted(v, rng, taken) for v in value)
    if not dataclasses.is_dataclass(value):
        return value
    changed = {}
    for name, (kind, most) in _fields(type(value)).items():
        was = getattr(value, name)
        if kind == "nested":
            changed[name] = _planted(was, rng, taken)
        elif kind == "text" and isinstance(was, str) and name not in ("ssid", "line_address"):
            words = [rng.choice(_spellings(rng.choice(SECRETS)))]
            words += rng.choice([[], [ADDRESS.replace(":", "")], [ADDRESS.upper()], ["9A7D"], [PAN]])
            changed[name] = (was[: max(most - 60, 0)] + f" {' '.join(words)} ")[:most]
    return replace(value, **changed)


def _with_odd_identifiers(text: str, job: Job) -> str:
    """The job file with identifiers that tell a name, consistently."""
    for entry, odd in zip(job.places[1:5], ("quarx-9", "bij.mullergassle", "027f3a9c5de1", "zz"), strict=True):
        text = text.replace(f'"{entry.id}"', f'"{odd}"')
    return text


@pytest.fixture(scope="module")
def told(demo_store):
    """A call in which the secrets stand everywhere."""
    base = _named(demo_store.get(2).job)
    base = replace(base, follow_ups=(FollowUp("weeks", "2026-04-06T10:00:00+02:00", "ask"),))
    planted = _planted(base, random.Random(3), set())
    planted = replace(planted, scans=tuple(
        replace(li, readings=old.readings) for li, old in zip(planted.scans, base.scans, strict=True)
    ))  # fmt: skip
    job = read_job(_with_odd_identifiers(write_job(planted), base))
    validate_job(job)
    return job


def _leaks(text: str) -> list[str]:
    found = []
    folded = "".join(c for c in unicodedata.normalize("NFKD", text.casefold()) if not unicodedata.combining(c))
    for name in SECRETS:
        plain = "".join(c for c in unicodedata.normalize("NFKD", name.casefold()) if not unicodedata.combining(c))
        words = re.findall(r"[^\W_]+", plain)
        pattern = r"[\W_]*".join(words) if words else re.escape(plain)
        if words and sum(map(len, words)) < 6:
            pattern = rf"(?<![^\W_]){pattern}(?![^\W_])"
        if re.search(pattern, folded):
            found.append(name)
    if re.search(r"02[:\-. ]?7f[:\-. ]?3a[:\-. ]?9c[:\-. ]?5d[:\-. ]?e1", folded):
        found.append(ADDRESS)
    if re.search(r"(?<![0-9a-z])(0x)?9a7d(?![0-9a-z])", folded):
        found.append(PAN)
    return found


def test_the_names_are_planted_everywhere(told):
    text = write_job(told)
    assert set(_leaks(text)) == {*SECRETS, ADDRESS, PAN}
    assert text.count("Quarx") + text.count("quarx") > 20
    assert [p.id for p in told.places[1:5]] == ["quarx-9", "bij.mullergassle", "027f3a9c5de1", "zz"]


EXPORTS = [
    "hand-over.json",
    "hand-over.csv",
    "report",
    "report.pdf",
    "follow-ups.ics",
    "house.geojson",
    "plan.svg?storey=0",
    "plan.svg?storey=0&band=5%20GHz",
    "section.svg?band=5%20GHz",
]


@pytest.mark.parametrize("path", EXPORTS)
def test_no_export_names_a_neighbour(store, told, app_over, path):
    call = store.add(told).id
    answer = local_client(app_over(store)).get(f"/api/calls/{call}/{path}")
    assert answer.status_code == 200, answer.text[:300]
    text = answer.text if "pdf" not in path else extract_text(io.BytesIO(answer.content))
    assert len(text) > 200
    assert _leaks(text) == []
    assert _leaks(answer.headers.get("content-disposition", "")) == []


def test_what_is_handed_out_is_the_same_house(told):
    out = read_job(write_job(masked(told)))
    validate_job(out)
    assert _leaks(write_job(out)) == []
    assert evaluate(out, out.settings).rank == evaluate(told, told.settings).rank
    assert [n.radios for n in out.nodes] == [n.radios for n in told.nodes]


def test_ordinary_words_and_own_names_stay(house_job):
    own = house_job.radios[0].ssid
    job = replace(house_job, complaint=f'The "{own}" in the kitchen stalls at 19:30 on 12.03.2026.', title="Mill 4")
    assert masked(job).complaint == job.complaint
    assert masked(job).places == job.places


def test_the_report_says_of_the_weakest_zigbee_device_that_it_fell_too(demo_store):
    job, now = demo_store.get(1).job, "2026-04-20T12:00:00Z"
    proof = prove(job)
    fell = replace(proof, figures_before=proof.figures_after, figures_after=proof.figures_before)
    places = {p.id: p.name for p in job.places}
    known = Known(job=job, house=House(job), figures=None, proof=fell, care=after_care(job, now), now=now, place=places)
    before, after = (arriving(f.worst_zigbee_delivery) for f in (proof.figures_after, proof.figures_before))
    said = [b.text for b in household.brought(known).blocks if isinstance(b, TextBlock)]
    assert any(f"{before} should have arrived before, {after} should now" in text for text in said)
