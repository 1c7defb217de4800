"""The store: revisions, undo, conflicts, migrations that fail whole, and many calls at once."""

from __future__ import annotations

import sqlite3
import threading
from dataclasses import replace

import pytest

from even_static.core.errors import BadInput, NotFound
from even_static.store.calls import Store
from even_static.store.schema import MIGRATIONS, migrate


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
    back = store.step(call.id, -1)
    assert (back.job, back.undo, back.redo) == (house_job, None, "renamed")
    assert store.find()[0].title == house_job.title
    assert store.step(call.id, 1).job.title == "second"
    store.step(call.id, -1)
    third = store.save(call.id, replace(house_job, title="third"), "other name", on_revision=1)
    assert (third.revision, third.redo) == (2, None)
    with pytest.raises(BadInput, match="redo"):
        store.step(call.id, 1)


def test_what_was_sent_to_boxes_is_not_undone_on_paper(store, house_job):
    call = store.add(house_job)
    store.save(call.id, replace(house_job, title="sent"), "sent settings", on_revision=1, done_outside=True)
    assert store.get(call.id).undo is None
    with pytest.raises(BadInput, match="taken back on the boxes"):
        store.step(call.id, -1)


def test_nothing_is_overwritten_unseen(store, house_job):
    call = store.add(house_job)
    store.save(call.id, replace(house_job, title="mine"), "mine", on_revision=1)
    with pytest.raises(BadInput, match="changed elsewhere"):
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
    with pytest.raises(RuntimeError, match="version 99"):
        Store(path)
