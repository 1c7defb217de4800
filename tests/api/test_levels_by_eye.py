"""Levels that are read off a phone by eye, and readings that a paired device posts by itself."""

from __future__ import annotations

import itertools
from dataclasses import replace
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.api.test_sharing import HOST, _paired
from tests.conftest import local_client
from tests.houses import random_house

from even_static.api.app import create_app
from even_static.api.share import Share
from even_static.core.errors import BadInput
from even_static.core.house.sources import IN_WORDS
from even_static.core.house.validate import validate_job
from even_static.core.model.prepared_house import House
from even_static.core.survey.typed_levels import NeighbourShown, OwnShown, Shown, level_shown, scan_typed
from even_static.core.tables.levels_shown import BARS_DBM, Unit
from even_static.formats.readings_csv import write_readings
from even_static.formats.scan_text import read_scan_text

AT = "2026-11-27T10:00:00+00:00"


@pytest.fixture(scope="module")
def job():
    return replace(random_house(8, nodes=2, neighbours=6, devices=4), kind="real")


def _typed(job, **more):
    return scan_typed(job, "k", job.places[0].id, AT, **more)


def test_a_percentage_is_read_as_the_system_s_own_text_has_it():
    """The same 64 % typed and printed by nmcli give the same level and the same doubt."""
    text = r"02\:aa\:bb\:00\:00\:01:next door:36:5180 MHz:64:WPA2" + "\n"
    (printed,) = read_scan_text(text, place_id="p", heard_at=AT, source="x", key="k")[0].readings
    level, spread = level_shown("own[0]", Shown(values=(64,), unit="%"))
    assert (level, spread) == (printed.rssi_dbm, printed.spread_db)
    assert printed.estimated


@given(st.sampled_from(get_args(Unit)), st.lists(st.integers(0, 120), min_size=1, max_size=5))
def test_more_shown_is_never_weaker_and_stays_a_level(unit, values):
    allowed = {"dBm": [-v for v in values], "%": [min(v, 100) for v in values], "bars": [v % 4 + 1 for v in values]}[
        unit
    ]
    level, spread = level_shown("own[0]", Shown(values=tuple(map(float, allowed)), unit=unit))
    assert -120 <= level <= 0
    assert (spread is None) == (unit == "dBm")
    for low, high in itertools.pairwise(sorted(allowed)):
        one, other = (level_shown("x", Shown(values=(float(v),), unit=unit))[0] for v in (low, high))
        assert one <= other
    assert sorted(BARS_DBM.values()) == [BARS_DBM[n] for n in (1, 2, 3, 4)]


@pytest.mark.parametrize(
    ("shown", "said"),
    [
        (
            Shown(values=(5.0,), unit="bars"),
            r"own\[0\]\.shown\.values\[0\]: must be a level .*; received 5; accepted: 1 to 4",
        ),
        (Shown(values=(50.0, 101.0), unit="%"), r"values\[1\].*received 101; accepted: 0 to 100 %"),
        (Shown(values=(12.0,)), "received 12; accepted: -120 to 0 dBm"),
    ],
)
def test_what_a_unit_does_not_have_is_refused(job, shown, said):
    with pytest.raises(BadInput, match=said):
        _typed(job, own=(OwnShown(bssid=job.radios[0].bssid, shown=shown),))


def test_own_levels_alone_leave_the_neighbours_that_were_heard(job):
    own = OwnShown(bssid=job.radios[0].bssid, shown=Shown(values=(-50.0, -52.0, -51.0)))
    neighbour = NeighbourShown(name="next door", band="2.4 GHz", channel=6, shown=Shown(values=(3.0,), unit="bars"))
    alone, both = _typed(job, own=(own,)), _typed(job, own=(own,), neighbours=(neighbour,))
    assert (alone.levels_only, both.levels_only) == (True, False)
    (mine,) = alone.readings
    assert (mine.rssi_dbm, mine.samples, mine.estimated) == (-51.0, 3, False)
    theirs = next(r for r in both.readings if r.ssid == "next door")
    assert (theirs.rssi_dbm, theirs.estimated, theirs.spread_db) == (BARS_DBM[3], True, 6.0)
    heard = House(replace(job, scans=(*job.scans, alone))).air
    before = House(job).air
    assert heard.networks == before.networks
    now = House(replace(job, scans=(*job.scans, both))).air
    assert "next door" in {n.ssid for n in now.networks}
    validate_job(replace(job, scans=(*job.scans, both)))


def test_a_neighbour_is_the_same_one_at_every_spot(job):
    shown = Shown(values=(-60.0,))
    own = {r.bssid for r in job.radios}
    first = next(s for s in job.scans if any(r.bssid not in own for r in s.readings))
    foreign = next(r for r in first.readings if r.bssid not in own)
    known = replace(foreign, ssid="over the road")
    named = tuple(known if r is foreign else r for r in first.readings)
    job = replace(job, scans=(replace(first, readings=named),))
    again = NeighbourShown(name=known.ssid, band=known.band, channel=known.channel, shown=shown)
    assert _typed(job, neighbours=(again,)).readings[0].bssid == known.bssid
    new = NeighbourShown(name="unheard of", band="5 GHz", channel=44, shown=shown)
    first, second = (_typed(job, neighbours=(new,)).readings[0].bssid for _ in range(2))
    assert first == second
    assert int(first[:2], 16) & 0b11 == 0b10, "locally administered, for one receiver"
    other = _typed(job, neighbours=(replace(new, channel=48),)).readings[0].bssid
    assert other != first
    with pytest.raises(BadInput, match=r"neighbours\[0\]\.channel: must be the primary channel"):
        _typed(job, neighbours=(replace(new, channel=7),))
    with pytest.raises(BadInput, match="must hold a level"):
        _typed(job)


def test_typed_levels_over_http_are_kept_once(store, job):
    call = store.add(job)
    client = local_client(create_app(store))
    next_door = {"name": "next door", "band": "5 GHz", "channel": 36, "width_mhz": 80}
    next_door["shown"] = {"values": [2], "unit": "bars"}
    body = {
        "key": "k1",
        "place_id": job.places[0].id,
        "heard_at": AT,
        "own": [{"bssid": job.radios[0].bssid, "shown": {"values": [80, 78], "unit": "%"}}],
        "neighbours": [
            {
                "name": "next door",
                "band": "5 GHz",
                "channel": 36,
                "width_mhz": 80,
                "shown": {"values": [2], "unit": "bars"},
            }
        ],
    }
    for _ in range(2):
        assert client.post(f"/api/calls/{call.id}/walk/typed", json=body).status_code == 200
    scan = store.get(call.id).job.scans[-1]
    assert len(store.get(call.id).job.scans) == len(job.scans) + 1
    assert (scan.came_from, scan.others_typed) == ("typed", True)
    assert [(r.ssid, r.width_mhz) for r in scan.readings if r.ssid == "next door"] == [("next door", 80)]
    wrong = client.post(f"/api/calls/{call.id}/walk/typed", json=body | {"key": "k2", "place_id": "nowhere"})
    assert wrong.status_code in (404, 422)


def test_what_a_paired_device_posts_says_which_device_it_was(store, demo_store):
    """As docs/posting-readings.md tells it: pair, then post CSV, or a tool's text, for a spot."""
    for number in (1, 2):
        store.add(demo_store.get(number).job)
    call = store.get(2)
    phone = _paired(create_app(store, share=Share([HOST], 8641)), 2, "measure")
    place = call.job.places[0].id
    text = write_readings(tuple(replace(s, place_id=place) for s in call.job.scans[:1]))
    answer = phone.post(f"/api/calls/2/readings?place_id={place}&name=walk.csv", content=text.encode())
    assert answer.status_code == 200, answer.text
    scan = store.get(2).job.scans[-1]
    assert scan.came_from == "another device"
    assert scan.source == "phone 1: walk.csv"
    assert IN_WORDS[scan.came_from] == "sent by a paired device"
