"""Nothing is stored that cannot be read back; what an older file holds all the same is set aside and told."""

from __future__ import annotations

import json
import sqlite3
import zlib
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_static.core.errors import BadInput, Full
from even_static.core.house.changes import AbArm, AbTest
from even_static.core.house.other_sources import ChannelEnergy, EnergyScan, PanHeard
from even_static.core.house.readings import Scan, SpeedTest, Trace, TracePoint
from even_static.formats.job_file import job_to_data, read_job, write_job
from even_static.formats.job_parts import LARGEST_CALL_BYTES
from even_static.store.calls import Store
from even_static.store.schema import MIGRATIONS, migrate

AT = "2026-03-02T20:00:00+01:00"
P0 = "p0"


def test_the_place(house_job):
    assert house_job.places[0].id == P0


def _with(job, **more):
    return replace(job, **{k: (*getattr(job, k), *v) for k, v in more.items()})


REFUSED = [
    ("a time without an offset", lambda j: _with(j, scans=[replace(j.scans[0], id="x", heard_at="2026-03-02")])),
    ("a year that no calendar has", lambda j: replace(j, opened_at="9999-12-31T23:59:59-05:00")),
    ("an empty source", lambda j: _with(j, scans=[replace(j.scans[0], id="x", source="")])),
    ("a long source", lambda j: _with(j, scans=[replace(j.scans[0], id="x", source="y" * 81)])),
    ("a lone surrogate", lambda j: replace(j, title="a \ud800")),
    (
        "20 Gb/s",
        lambda j: _with(j, speed_tests=[SpeedTest(place_id=P0, tested_at=AT, down_mbps=(20_000.0,), up_mbps=(1.0,))]),
    ),
    (
        "a latency of two minutes",
        lambda j: _with(
            j,
            speed_tests=[
                SpeedTest(place_id=P0, tested_at=AT, down_mbps=(1.0,), up_mbps=(1.0,), latency_ms=(120_000.0,))
            ],
        ),
    ),
    (
        "a negative latency",
        lambda j: _with(
            j, speed_tests=[SpeedTest(place_id=P0, tested_at=AT, down_mbps=(1.0,), up_mbps=(1.0,), latency_ms=(-1.0,))]
        ),
    ),
    (
        "no number",
        lambda j: _with(
            j, speed_tests=[SpeedTest(place_id=P0, tested_at=AT, down_mbps=(float("nan"),), up_mbps=(1.0,))]
        ),
    ),
    ("a number for a text", lambda j: replace(j, title=5)),
    ("a list for a tuple", lambda j: replace(j, complaints=[])),
    ("a frequency of no band", lambda j: _reading(j, centre_mhz=7225)),
    ("a channel of no band", lambda j: _reading(j, channel=200)),
    ("an unknown place", lambda j: _with(j, scans=[replace(j.scans[0], id="x", place_id="nowhere")])),
]


def _reading(job, **more):
    odd = replace(job.scans[0].readings[0], **more)
    return _with(job, scans=[replace(job.scans[0], id="x", readings=(odd,))])


@pytest.mark.parametrize(("what", "change"), REFUSED, ids=[r[0] for r in REFUSED])
def test_what_could_not_be_read_back_is_not_written(store, house_job, what, change):
    call = store.add(house_job)
    with pytest.raises(BadInput) as caught:
        store.save(call.id, change(house_job), what, on_revision=1)
    assert caught.value.field
    assert "�" not in caught.value.message
    with pytest.raises(BadInput):
        store.add(change(house_job))
    assert Store(store.path).get(call.id).job == house_job


def _arm(name):
    return AbArm(name)


FULL = {
    "ab_tests": lambda n: [
        AbTest(id=f"t{i}", name="t", planned_at=AT, measure="throughput down", a=_arm("a"), b=_arm("b"), place_id=P0)
        for i in range(n)
    ],
    "traces": lambda n: [
        Trace(
            id=f"w{i}",
            from_place_id=P0,
            to_place_id="p1",
            walked_at=AT,
            duration_s=5.0,
            points=(TracePoint(0.0, "02:00:00:00:00:01", -50.0),),
        )
        for i in range(n)
    ],
    "energy_scans": lambda n: [
        EnergyScan(id=f"e{i}", place_id=P0, scanned_at=AT, source="s", levels=(ChannelEnergy(11, -80.0),))
        for i in range(n)
    ],
    "pans": lambda n: [
        PanHeard(
            id=f"p{i}",
            place_id=P0,
            heard_at=AT,
            source="s",
            pan_id="0x1234",
            channel=11,
            frames=1,
            airtime_fraction=0.1,
        )
        for i in range(n)
    ],
}
MOST = {"ab_tests": 40, "traces": 500, "energy_scans": 500, "pans": 1000}


@pytest.mark.parametrize("name", FULL)
def test_a_full_list_says_what_to_do(store, house_job, name):
    full = replace(house_job, **{name: tuple(FULL[name](MOST[name]))})
    call = store.add(full)
    with pytest.raises(Full, match="is full") as caught:
        store.save(call.id, replace(full, **{name: tuple(FULL[name](MOST[name] + 1))}), "one more", on_revision=1)
    assert caught.value.field == name
    assert "next visit" in caught.value.accepted
    assert store.get(call.id).job == full


def test_a_call_that_is_too_large_says_so(store, house_job):
    scan = max(house_job.scans, key=lambda li: len(li.readings))
    many = 1 + LARGEST_CALL_BYTES // (300 * len(scan.readings))
    large = replace(house_job, scans=tuple(replace(scan, id=f"l{n}") for n in range(many)))
    with pytest.raises(Full, match="16 MiB"):
        store.add(large)


TEXTS = st.text(max_size=30)


@settings(max_examples=150)
@given(title=TEXTS, complaint=TEXTS, source=TEXTS, level=st.floats(), at=TEXTS | st.just(AT), down=st.floats())
def test_whatever_is_written_reads_the_same_or_is_refused(
    tmp_path_factory, house_job, title, complaint, source, level, at, down
):
    store = Store(tmp_path_factory.mktemp("any") / "calls.sqlite")
    reading = replace(house_job.scans[0].readings[0], rssi_dbm=level)
    job = replace(
        house_job,
        title=title,
        complaint=complaint,
        scans=(
            Scan(id="x", place_id=P0, heard_at=at, source=source, bands=house_job.scans[0].bands, readings=(reading,)),
        ),
        speed_tests=(SpeedTest(place_id=P0, tested_at=AT, down_mbps=(down,), up_mbps=(down,)),),
    )
    try:
        call = store.add(job)
    except BadInput:
        assert store.find() == []
        return
    again = Store(store.path).get(call.id)
    assert again.job == job
    assert again.set_aside == ()
    assert read_job(write_job(again.job)) == job


# -- what older files hold ---------------------------------------------------------------------------------------


def _old_file(path, *jobs, shown=None):
    """A data file of version 4, as it was written before, with the jobs given as JSON values."""
    connection = sqlite3.connect(path, isolation_level=None)
    migrate(connection, MIGRATIONS[:4])
    connection.execute(
        "INSERT INTO call VALUES (3, 'Zoë', 'NL', 'c', 1, 0, '2026-01-01', '2026-01-01', ?, 'open')",
        (shown or len(jobs),),
    )
    for n, data in enumerate(jobs, 1):
        deflated = zlib.compress(json.dumps(data).encode())
        connection.execute("INSERT INTO revision VALUES (3, ?, ?, ?, 0, ?)", (n, f"2026-01-0{n}", f"s{n}", deflated))
    connection.close()


def test_an_older_file_is_read_with_all_its_steps(tmp_path, house_job):
    second = replace(house_job, title="second")
    _old_file(tmp_path / "x.sqlite", job_to_data(house_job), job_to_data(second), job_to_data(house_job), shown=2)
    store = Store(tmp_path / "x.sqlite")
    call = store.get(3)
    assert (call.job, call.set_aside) == (second, ())
    assert [store.job_at(3, n) for n in (1, 2, 3)] == [house_job, second, house_job]
    # What had been undone there can still be done again.
    assert (call.revision, call.redo) == (4, "went back to step 2")
    assert [c.id for c in store.find("zoe")] == [3]
    assert store.redo(3, 4).job == house_job
    assert store.add(house_job).id == 4


BROKEN = [
    ("a scan without an offset", lambda d: d["scans"][1].update(heard_at="2026-03-02 20:00"), "scans[1]"),
    ("an impossible channel", lambda d: d["scans"][0]["readings"][2].update(centre_mhz=7225), "scans[0].readings"),
    ("a latency", lambda d: d["speed_tests"].append({"place_id": "p0", "tested_at": AT, "down_mbps": [1.0],
                                                     "up_mbps": [1.0], "latency_ms": [-1.0]}), "speed_tests[0]"),
    ("two of one name", lambda d: d["scans"].append(d["scans"][0]), "scans["),
    ("a place that is gone", lambda d: d["places"].pop(3), "["),
    ("a country of no law", lambda d: d.update(country="Q9"), "country"),
    ("a field of another program", lambda d: d.update(extra=1), None),
]  # fmt: skip


@pytest.mark.parametrize(("what", "spoil", "field"), BROKEN, ids=[b[0] for b in BROKEN])
def test_a_call_that_could_not_be_opened_is_opened_without_the_bad_part(tmp_path, house_job, what, spoil, field):
    data = job_to_data(house_job)
    spoil(data)
    _old_file(tmp_path / "x.sqlite", data)
    store = Store(tmp_path / "x.sqlite")
    call = store.get(3)
    assert len(call.job.scans) >= len(house_job.scans) - 1
    if field is None:
        assert call.job == house_job
        return
    assert any(a.field.startswith(field) or field in a.field for a in call.set_aside), call.set_aside
    assert all(a.rule and json.loads(a.value_json) is not None for a in call.set_aside)
    # It can be worked on, and what was set aside stays at hand.
    saved = store.save(3, replace(call.job, title="goes on"), "renamed", on_revision=call.revision)
    assert Store(store.path).get(3).set_aside == call.set_aside == saved.set_aside


def test_what_cannot_be_read_at_all_does_not_stop_the_others(tmp_path, house_job):
    _old_file(tmp_path / "x.sqlite", job_to_data(house_job))
    with sqlite3.connect(tmp_path / "x.sqlite") as connection:
        connection.execute("INSERT INTO call SELECT 4, 'odd', 'NL', '', 0, 0, '2026', '2026', 1, 'open'")
        connection.execute("INSERT INTO revision VALUES (4, 1, 'now', 's', 0, x'00112233')")
    store = Store(tmp_path / "x.sqlite")
    assert store.get(3).job == house_job
    assert store.get(4).job.title == "untitled"
    assert store.get(4).set_aside
