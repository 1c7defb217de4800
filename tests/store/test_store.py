"""The store: revisions, undo, conflicts, migrations that fail whole, and many calls at once."""

from __future__ import annotations

import json
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from dataclasses import replace

import pytest

from even_static.core.errors import BadInput, Conflict, NewerVersion, NotFound
from even_static.core.house.complaint import Complaint
from even_static.core.house.edit import next_visit
from even_static.formats.job_parts import inflate
from even_static.store.backup import back_up, restore
from even_static.store.calls import Store
from even_static.store.schema import MIGRATIONS, contents_of, migrate


def test_what_is_stored_comes_back(store, house_job):
    call = store.add(house_job)
    again = Store(store.path)
    assert again.get(call.id).job == house_job
    assert again.find()[0].title == house_job.title
    with pytest.raises(NotFound):
        again.get(99)


def test_undo_redo_and_a_new_branch(store, house_job):
    call = store.add(house_job)
    second = store.save(call.id, replace(house_job, title="second"), "renamed", on_revision=1)
    assert (second.undo, second.redo) == ("renamed", None)
    back = store.undo(call.id, 2)
    assert (back.job, back.undo, back.redo) == (house_job, None, "renamed")
    assert store.find()[0].title == house_job.title
    again = store.redo(call.id, back.revision)
    assert (again.job.title, again.undo, again.redo) == ("second", "renamed", None)
    back = store.undo(call.id, again.revision)
    third = store.save(call.id, replace(house_job, title="third"), "other name", on_revision=back.revision)
    assert (third.undo, third.redo) == ("other name", None)
    with pytest.raises(BadInput, match="redo"):
        store.redo(call.id, third.revision)
    # Nothing that was ever stored is lost by it.
    assert store.job_at(call.id, 2).title == "second"


def test_what_was_sent_to_boxes_is_not_undone_on_paper(store, house_job):
    call = store.add(house_job)
    store.save(call.id, replace(house_job, title="sent"), "sent settings", on_revision=1, done_outside=True)
    assert store.get(call.id).undo is None
    with pytest.raises(BadInput, match="taken back on the nodes"):
        store.undo(call.id, 2)


def test_nothing_is_overwritten_unseen(store, house_job):
    call = store.add(house_job)
    store.save(call.id, replace(house_job, title="mine"), "mine", on_revision=1)
    with pytest.raises(Conflict, match="changed elsewhere"):
        store.save(call.id, replace(house_job, title="theirs"), "theirs", on_revision=1)
    assert store.get(call.id).job.title == "mine"


def test_search_takes_its_words_literally(store, house_job):
    store.add(replace(house_job, title="100 % attic"))
    store.add(replace(house_job, title="cellar"))
    assert [c.title for c in store.find("100 %")] == ["100 % attic"]
    assert store.find("_ttic") == []


def test_removing_takes_everything_along(store, house_job):
    call = store.add(house_job)
    store.keep_stand_in(call.id, "{}")
    store.delete(call.id)
    assert store.find() == []
    assert store.stand_in(call.id) is None
    assert store.history(call.id) == []


def test_readers_are_not_held_up_and_writers_queue(store, house_job):
    call = store.add(house_job)
    faults = []

    def add_one(n):
        try:
            store.add(replace(house_job, title=f"call {n}"))
            store.get(call.id)
        except Exception as error:
            faults.append(error)

    threads = [threading.Thread(target=add_one, args=(n,)) for n in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert faults == []
    assert len(store.find()) == 13


def test_the_file_is_in_wal_mode(store):
    assert sqlite3.connect(store.path).execute("PRAGMA journal_mode").fetchone() == ("wal",)


def test_a_failing_migration_leaves_the_version_before_it(tmp_path, house_job):
    store = Store(tmp_path / "x.sqlite")
    store.add(house_job)

    def half(connection):
        connection.execute("ALTER TABLE call ADD COLUMN extra TEXT")
        raise RuntimeError("power cut")

    connection = sqlite3.connect(store.path, isolation_level=None)
    with pytest.raises(RuntimeError, match="power cut"):
        migrate(connection, (*MIGRATIONS, half))
    assert connection.execute("PRAGMA user_version").fetchone() == (len(MIGRATIONS),)
    assert "extra" not in [row[1] for row in connection.execute("PRAGMA table_info(call)")]
    assert Store(store.path).find()[0].title == house_job.title


def test_a_newer_file_is_left_alone(tmp_path):
    path = tmp_path / "x.sqlite"
    with sqlite3.connect(path) as connection:
        connection.execute("PRAGMA user_version = 99")
    with pytest.raises(NewerVersion, match="version 99"):
        Store(path)


# -- records -----------------------------------------------------------------------------------------------------


def test_calls_are_closed_archived_and_reopened(store, house_job):
    a, b = store.add(house_job), store.add(replace(house_job, title="b"))
    store.set_state(a.id, "closed")
    store.set_state(b.id, "archived")
    assert [(c.id, c.state) for c in store.find()] == [(a.id, "closed")]
    assert [c.id for c in store.find(state="archived")] == [b.id]
    assert store.find(state="open") == []
    store.set_state(b.id, "open")
    assert {c.id for c in store.find()} == {a.id, b.id}
    assert store.get(a.id).job == house_job
    with pytest.raises(NotFound):
        store.set_state(99, "closed")


def test_the_next_visit_has_the_house_and_not_the_complaint(store, house_job):
    complained = replace(house_job, complaint="it stalls", complaints=(Complaint(id="c", what="video stalls"),))
    first = store.add(complained)
    store.keep_stand_in(first.id, "{}")
    second = store.copy(first.id, next_visit(complained, "2026-04-01T10:00:00Z"), "the next visit")
    assert second.id != first.id
    assert (second.job.complaint, second.job.complaints, second.job.changes) == ("", (), ())
    assert (second.job.nodes, second.job.scans) == (complained.nodes, complained.scans)
    assert second.job.title.endswith("next visit")
    assert store.stand_in(second.id) == "{}"
    assert store.get(first.id).job == complained


def test_a_backup_is_taken_and_restored_while_others_write(store, house_job, tmp_path):
    call = store.add(house_job)
    stop = threading.Event()
    written = []

    def write() -> None:
        while not stop.is_set():
            written.append(store.add(replace(house_job, title=f"call {len(written)}")).id)

    writer = threading.Thread(target=write)
    writer.start()
    try:
        file = tmp_path / "backups" / "all.sqlite"
        count = back_up(store, file)
    finally:
        stop.set()
        writer.join()
    assert 1 <= count <= 1 + len(written)
    store.delete(call.id)
    (restored, before, bad) = restore(store, file)
    assert (restored, bad) == (count, 0)
    assert store.get(call.id).job == house_job
    assert len(Store(before).find(most=10_000)) == len(written)
    # The restored file works on as ever.
    assert store.save(call.id, replace(house_job, title="on"), "renamed", on_revision=1).revision == 2


@pytest.mark.parametrize("content", [b"", b"not a database at all, but some text" * 40, None])
def test_what_is_no_backup_changes_nothing(store, house_job, tmp_path, content):
    call = store.add(house_job)
    file = tmp_path / "odd.sqlite"
    if content is not None:
        file.write_bytes(content)
    with pytest.raises(BadInput, match=r"must be (a|one of)"):
        restore(store, file)
    assert store.get(call.id).job == house_job


def test_ten_thousand_calls_open_and_are_searched_at_once(store, house_job):
    """A busy technician's years: the list and a search each well under a second."""
    store.add(house_job)
    with sqlite3.connect(store.path) as connection:
        numbers = "WITH RECURSIVE n(i) AS (SELECT 2 UNION ALL SELECT i + 1 FROM n WHERE i < 10000) "
        columns = "title, country, complaint, scans, changes, created_at, updated_at, revision, folded"
        connection.execute(
            f"INSERT INTO call (id, {columns}) {numbers} SELECT i, 'house ' || i, 'NL', 'the attic stalls', 3, 0,"
            " '2026-01-01', printf('2026-01-%05d', i), 1, 'house ' || i || ' the attic stalls' FROM n"
        )
        rest = "made_at, summary, author, kind, live, done_outside, contents"
        connection.execute(
            f"INSERT INTO step (call_id, number, {rest}) {numbers} SELECT i, 1, {rest} FROM n, step WHERE call_id = 1"
        )
        # One of them whole: its parts are the first call's.
        connection.execute(
            "INSERT INTO part SELECT id + 1000000, 7777, digest, json_deflated FROM part WHERE call_id = 1"
        )
        (contents,) = connection.execute("SELECT contents FROM step WHERE call_id = 1").fetchone()
        moved = {k: [i + 1000000 for i in v] for k, v in json.loads(inflate(contents)).items()}
        connection.execute("UPDATE step SET contents = ? WHERE call_id = 7777", (contents_of(moved),))
    again = Store(store.path)
    for search, most in (("", 500), ("house 7777", 1), ("nothing like this", 0), ("attic", 500)):
        began = time.perf_counter()
        assert len(again.find(search, most=500)) == most
        assert again.count(search) >= most
        assert time.perf_counter() - began < 0.2
    began = time.perf_counter()
    assert again.get(7777).job == house_job
    assert time.perf_counter() - began < 0.5


def test_killed_at_any_moment_nothing_acknowledged_is_lost(tmp_path, house_job):
    """A process that writes one revision after another and says so is killed: all that it said are there, and whole."""
    path = tmp_path / "calls.sqlite"
    call = Store(path).add(house_job)
    script = (
        "import sys; from dataclasses import replace; from pathlib import Path\n"
        "from even_static.store.calls import Store\n"
        "store = Store(Path(sys.argv[1])); call = store.get(int(sys.argv[2]))\n"
        "for n in range(1, 100000):\n"
        "    call = store.save(call.id, replace(call.job, title=f'step {n}'), 'a step', on_revision=call.revision)\n"
        "    print(n, flush=True)\n"
    )
    for round_ in range(3):
        first = Store(path).get(call.id).revision
        with subprocess.Popen(
            [sys.executable, "-c", script, str(path), str(call.id)], stdout=subprocess.PIPE, text=True
        ) as process:
            said = [next(process.stdout) for _ in range(5 + 7 * round_)]
            process.send_signal(signal.SIGKILL)
            said += process.stdout.readlines()
        acknowledged = sum(line.endswith("\n") for line in said)
        found = Store(path).get(call.id)
        assert found.revision >= first + acknowledged
        assert found.job.title == f"step {found.revision - first}"
        assert Store(path).history(call.id)[0].number == found.revision
        with sqlite3.connect(path) as connection:
            assert connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)
