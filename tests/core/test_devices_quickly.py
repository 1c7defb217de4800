"""Devices from a pasted list, CSV or words; how many a box has."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput, EvenStaticError
from even_static.core.house.devices import crowds, kind_named, read_devices, read_wishes, with_wishes
from even_static.core.house.kit import Place
from even_static.core.house.validate import validate_job
from even_static.core.tables.devices import KINDS

JOB = replace(
    random_house(1, nodes=1, devices=0, neighbours=0, places=2),
    places=(Place(id="p0", name="Kitchen"), Place(id="attic", name="Attic desk"), Place(id="music", name="Music room")),
    scans=(),
    zigbee=None,
    settings=replace(random_house(1, nodes=1, neighbours=0, places=2).settings, zigbee_channel=None),
)


def test_a_pasted_list_becomes_devices():
    found = read_devices(
        JOB, "3 x lamp plug, attic desk\nTelevision\n\nwork laptop; music\nold thing in the hall\n", "p0"
    )
    assert [(d.name, d.place_id) for d in found.devices] == [
        ("lamp plug 1", "attic"),
        ("lamp plug 2", "attic"),
        ("lamp plug 3", "attic"),
        ("Television", "p0"),
        ("work laptop", "music"),
        ("old thing in the hall", "p0"),
    ]
    plug, television = found.devices[0], found.devices[3]
    assert plug.bands == ("2.4 GHz",)
    assert plug.awkward
    assert television.demand_down_mbps == 25
    assert [d.unknown for d in found.devices] == [False] * 5 + [True]
    assert found.questions == ("old thing in the hall: what is it? Ask; it is counted as a phone or tablet until then",)
    validate_job(replace(JOB, devices=found.devices))


def test_csv_is_read_with_its_header():
    text = "Name,Kind,Place,Count,Bands,Down_Mbps,Must_have\nbell,camera,Kitchen,1,2.4,0.2,yes\n"
    text += "screen,,music,2,2.4/5,12,no\n"
    found = read_devices(JOB, text, "p0").devices
    assert [(d.name, d.place_id, d.bands, d.demand_down_mbps, d.must_have) for d in found] == [
        ("bell", "p0", ("2.4 GHz",), 0.2, True),
        ("screen 1", "music", ("2.4 GHz", "5 GHz"), 12.0, False),
        ("screen 2", "music", ("2.4 GHz", "5 GHz"), 12.0, False),
    ]


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("  \n", "text"),
        ("plug, cellar vault", "line 1"),
        ("phone\n, attic", "line 2"),
        ("500 x phone", "line 1"),
        ("name,kind\nthing,submarine", "line 2, kind"),
        ("name,place\nthing,moon", "line 2, place"),
        ("name,bands\nthing,2.4/7", "line 2, bands"),
        ("name,down_mbps\nthing,lots", "line 2, down_mbps"),
        ("name,generation\nthing,802.11zz", "line 2, generation"),
        ("name,kind\n,phone", "line 2, name"),
    ],
)
def test_a_bad_line_is_named(text, field):
    with pytest.raises(BadInput) as caught:
        read_devices(JOB, text, "p0")
    assert caught.value.field == field


@given(st.text(max_size=80))
def test_whatever_is_pasted_is_read_or_answered(text):
    try:
        found = read_devices(JOB, text, "p0")
    except EvenStaticError as error:
        assert error.message
    else:
        validate_job(replace(JOB, devices=found.devices))


def test_kinds_are_told_by_their_last_word_and_all_by_their_own_name():
    assert kind_named("phone speaker").name == "speaker"
    assert kind_named("Doorbell front").name == "camera or video bell"
    assert kind_named("xyzzy") is None
    assert all(kind_named(k.name) is k for k in KINDS)


def test_the_busy_hour_in_words():
    job = replace(JOB, devices=read_devices(JOB, "kitchen screen\nlaptop, music\n2 x phone, attic desk", "p0").devices)
    text = "a 4K film on the kitchen screen, a lesson in the music room and two calls at the attic desk; knitting"
    wishes = read_wishes(job, text)
    assert [(w.activity, w.device_ids) for w in wishes] == [
        ("film in 4K", ("kitchen-screen",)),
        ("video call", ("laptop",)),
        ("video call", ("phone-1", "phone-2")),
        (None, ()),
    ]
    assert [bool(w.question) for w in wishes] == [False, False, False, True]
    after = with_wishes(job, wishes)
    assert [(d.demand_down_mbps, d.demand_up_mbps) for d in after.devices] == [(25, 0.5), (4, 4), (4, 4), (4, 4)]
    # Nobody is guessed: a film nowhere in particular is asked about.
    (asked,) = read_wishes(job, "a film")
    assert asked.device_ids == ()
    assert "which device" in asked.question


def test_a_box_with_more_devices_than_it_carries_well_is_tired():
    """Cheap boxes tire at 10 or so: common practice."""
    job = random_house(2, nodes=1, devices=12)
    job = replace(job, nodes=(replace(job.nodes[0], device_limit=10),))
    (crowd,) = crowds(job, {d.id: "n0-0" for d in job.devices})
    assert (crowd.devices, crowd.device_limit, crowd.tired) == (12, 10, True)
    assert not crowds(job, {d.id: None for d in job.devices})[0].tired
