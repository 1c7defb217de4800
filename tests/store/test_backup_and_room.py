"""The file as a whole: backups that are refused before anything is touched, numbers that are never used again, space
that is given back, steps that cost what they change, several programs on one file."""

from __future__ import annotations

import json
import os
import random
import sqlite3
import subprocess
import sys
import threading
import time
import zlib
from dataclasses import replace

import pytest

from even_static.core.errors import BadInput, Busy, Conflict, NewerVersion
from even_static.core.house.readings import SpeedTest
from even_static.formats import job_parts
from even_static.store import backup
from even_static.store.backup import back_up, restore
from even_static.store.calls import Store
from even_static.store.schema import MIGRATIONS

AT = "2026-03-02T20:00:00+01:00"


@pytest.fixture
def saved(store, house_job, tmp_path):
    """(store with a call that the backup does not have, the backup, what the file held before)."""
    store.add(house_job)
    file = tmp_path / "backup #1?, 100 %.sqlite"
    back_up(store, file)
    store.add(replace(house_job, title="newer"))
    return store, file


def _titles(store):
    return sorted(c.title for c in store.find())


def _spoil(file, *statements):
    with sqlite3.connect(file) as connection:
        for statement in statements:
            connection.execute(statement)


def test_names_with_odd_characters_work_and_every_restore_keeps_its_own_copy(saved, house_job):
    store, file = saved
    told = []
    first = restore(store, file, lambda text, share: told.append((text, share)))
    assert _titles(store) == [house_job.title]
    second = restore(store, file)
    assert first[1] != second[1]
    assert _titles(Store(first[1])) == sorted([house_job.title, "newer"])
    assert _titles(Store(second[1])) == [house_job.title]
    shares = [share for _, share in told]
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    # A number that was used here is not used again, whatever the backup knows.
    assert store.add(house_job).id == 3
    assert not list(store.path.parent.glob("*restoring*"))


REFUSED = [
    ("a newer one", [f"PRAGMA user_version = {len(MIGRATIONS) + 1}"], NewerVersion, "newer"),
    ("another program's", ["DROP TABLE step"], BadInput, 'table "step"'),
    ("a view for a table", ["ALTER TABLE photo RENAME TO p", "CREATE VIEW photo AS SELECT * FROM p"],
     BadInput, "photo"),
    ("steps without their parts", ["DELETE FROM part WHERE id = 3"], BadInput, "every part"),
    ("steps that are none", ["UPDATE step SET contents = x'00'"], BadInput, "can be read"),
    ("pictures that are none", ["INSERT INTO photo VALUES (1, 'x', x'ffd8')"], BadInput, "photographs"),
    ("text where numbers are", ["PRAGMA writable_schema = ON", "UPDATE sqlite_master SET sql ="
                                " replace(sql, ') STRICT', ')') WHERE name = 'call'", "PRAGMA writable_schema = RESET",
                                "UPDATE call SET revision = 'many'"], BadInput, "backup"),
]  # fmt: skip


@pytest.mark.parametrize(("what", "spoil", "error", "said"), REFUSED, ids=[r[0] for r in REFUSED])
def test_a_backup_that_is_none_is_refused_before_anything_is_touched(saved, what, spoil, error, said):
    store, file = saved
    _spoil(file, *spoil)
    before = _titles(store)
    with pytest.raises(error, match=said):
        restore(store, file)
    assert _titles(store) == before
    assert not list(store.path.parent.glob("*before-restore*"))
    assert not list(store.path.parent.glob("*restoring*"))


def test_only_rows_of_our_own_tables_are_taken(saved, house_job):
    store, file = saved
    _spoil(
        file,
        "CREATE TABLE theirs (x TEXT)",
        "CREATE VIEW seen AS SELECT title FROM call",
        "CREATE TRIGGER mine AFTER INSERT ON step BEGIN DELETE FROM call; END",
        "CREATE VIRTUAL TABLE words USING fts5(x)",
        "ALTER TABLE call ADD COLUMN more TEXT",
    )
    restore(store, file)
    with sqlite3.connect(store.path) as connection:
        kinds = dict(connection.execute("SELECT name, type FROM sqlite_master"))
        columns = [row[1] for row in connection.execute("PRAGMA table_info(call)")]
    assert not {"theirs", "seen", "mine", "words"} & set(kinds)
    assert "more" not in columns
    assert store.get(1).job == house_job


def test_a_part_that_cannot_be_read_is_told_and_set_aside(saved, house_job):
    store, file = saved
    with sqlite3.connect(file) as connection:
        (contents,) = connection.execute("SELECT contents FROM step").fetchone()
        part = json.loads(job_parts.inflate(contents))["scans"][1]
        connection.execute("UPDATE part SET json_deflated = ? WHERE id = ?", (zlib.compress(b'{"id": 5}'), part))
    assert restore(store, file)[2] == 1
    call = store.get(1)
    assert len(call.job.scans) == len(house_job.scans) - 1
    assert [a.field for a in call.set_aside] == ["scans[1]"]


def test_what_bursts_is_refused(saved, monkeypatch):
    store, file = saved
    monkeypatch.setattr(backup, "MOST_PLAIN_BYTES", 1000)
    with pytest.raises(BadInput, match="grow larger"):
        restore(store, file)
    bomb = zlib.compress(b"0" * (40 << 20))
    assert len(bomb) < 50_000
    with pytest.raises(ValueError, match="longer than 32 MiB"):
        job_parts.inflate(bomb)


def test_a_backup_that_takes_too_long_is_left(saved, monkeypatch):
    store, file = saved
    monkeypatch.setattr(backup, "LONGEST_RESTORE_S", -1.0)
    with pytest.raises(BadInput, match="half an hour"):
        restore(store, file)
    assert "newer" in _titles(store)


# -- numbers and room --------------------------------------------------------------------------------------------


def test_a_deleted_call_s_number_is_never_used_again_and_its_space_is_given_back(store, house_job):
    small = store.add(house_job)
    noise = random.Random(5)
    tests = [
        SpeedTest(place_id="p0", tested_at=AT, down_mbps=(noise.uniform(0, 900),), up_mbps=(noise.uniform(0, 900),))
        for _ in range(20_000)
    ]
    large = store.add(replace(house_job, speed_tests=tuple(tests)))
    with store.connect() as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    before = os.path.getsize(store.path)
    store.delete(large.id)
    assert os.path.getsize(store.path) < 0.4 * before
    assert store.add(house_job).id == large.id + 1
    store.delete(small.id)
    assert store.add(house_job).id == large.id + 2


def test_steps_of_a_large_call_stay_small_and_quick(store, house_job):
    """Three thousand readings; each step changes a text. Whole copies would take some 30 MB."""
    scan = max(house_job.scans, key=lambda li: len(li.readings))
    times = 3000 // len(scan.readings) + 1
    job = replace(house_job, scans=tuple(replace(scan, id=f"l{n}") for n in range(times)))
    call = store.add(job)
    whole = os.path.getsize(store.path)
    for n in range(300):
        call = store.save(call.id, replace(call.job, title=f"step {n}"), "a step", on_revision=call.revision)
    with store.connect() as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    grown = os.path.getsize(store.path) - whole
    assert grown < 300 * 4096
    began = time.perf_counter()
    steps = store.history(call.id)
    assert time.perf_counter() - began < 0.1
    assert (len(steps), steps[0].number) == (200, 301)
    assert [s.number for s in store.history(call.id, before=3)] == [2, 1]
    assert Store(store.path).job_at(call.id, 150).title == "step 148"


# -- several at once ---------------------------------------------------------------------------------------------


def test_several_programs_start_on_a_new_file_at_once(tmp_path):
    """Each makes the file if it is not there; before, some met a half-made one."""
    path = tmp_path / "new" / "calls.sqlite"
    script = "import sys; from pathlib import Path\nfrom even_static.store.calls import Store\n"
    script += "print(Store(Path(sys.argv[1])).find())"
    started = [
        subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE, stderr=subprocess.PIPE)
        for _ in range(8)
    ]
    for process in started:
        out, err = process.communicate(timeout=60)
        assert (process.returncode, out.strip()) == (0, b"[]"), err.decode()[-400:]


def test_a_file_that_somebody_keeps_is_said_in_a_sentence(tmp_path, house_job, monkeypatch):
    monkeypatch.setattr("even_static.store.schema.START_WAIT_S", 0.2)
    path = tmp_path / "calls.sqlite"
    Store(path).add(house_job)
    keeper = sqlite3.connect(path, isolation_level=None)
    keeper.execute("PRAGMA locking_mode = EXCLUSIVE")
    keeper.execute("BEGIN EXCLUSIVE")
    with pytest.raises(Busy, match="kept by another program"):
        Store(path)
    keeper.close()
    (tmp_path / "odd.sqlite").write_bytes(b"SQLite format 3\x00" + b"\xff" * 5000)
    with pytest.raises(BadInput, match="data file"):
        Store(tmp_path / "odd.sqlite")


def test_undos_of_one_never_take_back_what_fifty_others_wrote(store, house_job):
    """Writers add one by one; one of them undoes its own steps all the while. Whatever was acknowledged is there."""
    call = store.add(house_job)
    written, faults = [], []

    def add(author, n):
        test = SpeedTest(place_id="p0", tested_at=AT, down_mbps=(float(n),), up_mbps=(1.0,))
        while True:
            now = store.get(call.id, author)
            try:
                job = replace(now.job, speed_tests=(*now.job.speed_tests, test))
                store.save(call.id, job, f"test {n}", on_revision=now.revision, author=author)
                return
            except Conflict:
                continue

    def write(k):
        try:
            for n in range(4):
                add(f"phone {k}", 100 * k + n)
                written.append(100 * k + n)
        except Exception as error:
            faults.append(error)

    def undo():
        try:
            for n in range(12):
                add("this computer", 9000 + n)
                store.undo(call.id, store.get(call.id).revision)
        except Exception as error:
            faults.append(error)

    threads = [threading.Thread(target=write, args=(k,)) for k in range(10)] + [threading.Thread(target=undo)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert faults == []
    kept = {t.down_mbps[0] for t in Store(store.path).get(call.id).job.speed_tests}
    assert kept == {float(n) for n in written}
    assert len(written) == 40
