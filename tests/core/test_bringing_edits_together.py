"""Edits of two people that touch different parts are both kept; what both changed is told, and never overwritten.

Held to what a merge has to be: the same whichever side is called whose, nothing where nobody changed anything, and each
side's own change where only one did.
"""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_static.core.errors import Conflict
from even_static.core.house.job import Job
from even_static.core.house.kit import Place
from even_static.core.house.merge import merged
from even_static.core.house.readings import SpeedTest

AT = "2026-03-02T20:00:00+01:00"


@pytest.fixture
def base(house_job):
    return house_job


def _device(job, n, **more):
    devices = list(job.devices)
    devices[n] = replace(devices[n], **more)
    return replace(job, devices=tuple(devices))


def test_different_parts_go_together(base):
    mine = _device(replace(base, title="mine"), 0, name="screen")
    theirs = _device(replace(base, complaint="theirs"), 0, must_have=not base.devices[0].must_have)
    theirs = replace(theirs, places=(*base.places, Place(id="shed", name="Shed")))
    found = merged(base, mine, theirs)
    assert (found.title, found.complaint) == ("mine", "theirs")
    assert found.devices[0].name == "screen"
    assert found.devices[0].must_have != base.devices[0].must_have
    assert found.places[-1].id == "shed"


CLASHES = [
    ("title", lambda j: replace(j, title="a"), lambda j: replace(j, title="b")),
    ("devices", lambda j: _device(j, 1, name="a"), lambda j: _device(j, 1, name="b")),
    ("devices", lambda j: replace(j, devices=j.devices[1:]), lambda j: _device(j, 0, name="b")),
    ("bands", lambda j: _device(j, 0, bands=("2.4 GHz",)), lambda j: _device(j, 0, bands=("2.4 GHz", "6 GHz"))),
    ("places", lambda j: replace(j, places=(*j.places, Place(id="x", name="A"))),
     lambda j: replace(j, places=(*j.places, Place(id="x", name="B")))),
    ("channel", lambda j: _channel(j, 1), lambda j: _channel(j, 11)),
]  # fmt: skip


def _channel(job, channel):
    first, *rest = job.settings.radios
    return replace(job, settings=replace(job.settings, radios=(replace(first, channel=channel), *rest)))


@pytest.mark.parametrize(("field", "one", "other"), CLASHES)
def test_the_same_thing_changed_twice_is_named(base, field, one, other):
    base = _device(_channel(base, 6), 0, bands=("5 GHz",))
    for mine, theirs in ((one, other), (other, one)):
        with pytest.raises(Conflict) as caught:
            merged(base, mine(base), theirs(base))
        assert field in caught.value.field
        assert "elsewhere" in caught.value.rule


def test_what_has_no_name_is_added_on_both_sides_and_removed_once(base):
    tests = [SpeedTest(place_id="p0", tested_at=AT, down_mbps=(float(n),), up_mbps=(1.0,)) for n in range(5)]
    base = replace(base, speed_tests=(tests[0], tests[1], tests[1]))
    mine = replace(base, speed_tests=(tests[1], tests[1], tests[2]))
    theirs = replace(base, speed_tests=(tests[0], tests[1], tests[1], tests[3]))
    assert merged(base, mine, theirs).speed_tests == (tests[1], tests[1], tests[3], tests[2])


PLACES = st.lists(st.sampled_from("abcdef"), unique=True).map(
    lambda ids: Job(title="t", country="NL", places=tuple(Place(id=i, name=i) for i in ids))
)


@given(base=PLACES, mine=PLACES, theirs=PLACES)
def test_a_merge_of_lists_is_what_set_arithmetic_says(base, mine, theirs):
    was, here, there = ({p.id for p in j.places} for j in (base, mine, theirs))
    for one, other in ((mine, theirs), (theirs, mine)):
        found = merged(base, one, other).places
        assert {p.id for p in found} == (here & there) | (here - was) | (there - was)
        assert len({p.id for p in found}) == len(found)
    assert merged(base, base, theirs) == theirs
    assert merged(base, mine, base) == mine
    assert merged(base, mine, mine) == mine
