"""A file of an older version: its calls are read under the names of today; a simulated house makes a practice call."""

from __future__ import annotations

import json
import sqlite3

from tests.formats.test_older_job_files import OLD

from even_static.formats.job_parts import deflate
from even_static.store.calls import Store
from even_static.store.schema import MIGRATIONS, contents_of, migrate, put_part, set_up_file

AT = "2026-01-02T17:00:00Z"


def old_file(path, *, with_stand_in=()):
    """A file of version 5 with two calls of two steps each."""
    connection = sqlite3.connect(path, isolation_level=None)
    set_up_file(connection)
    migrate(connection, MIGRATIONS[:5])
    for call_id in (1, 2):
        connection.execute(
            "INSERT INTO call (id, title, country, complaint, listens, changes, created_at, updated_at, revision)"
            " VALUES (?, 'An older call', 'NL', '', 1, 0, ?, ?, 2)",
            (call_id, AT, AT),
        )
        for number, complaint in ((1, ""), (2, "slow upstairs")):
            parts = {}
            for name, value in {**OLD, "complaint": complaint}.items():
                if name in ("format", "version"):
                    continue
                entries = value if name in ("listens", "nodes", "places") else [value]
                parts[name] = [put_part(connection, call_id, name, json.dumps(e).encode()) for e in entries]
            connection.execute(
                "INSERT INTO step (call_id, number, made_at, summary, author, kind, live, done_outside, contents)"
                " VALUES (?, ?, ?, 'typed', 'this computer', 'step', 1, 0, ?)",
                (call_id, number, AT, contents_of(parts)),
            )
    for call_id in with_stand_in:
        state = json.dumps({"settings": {"radios": [], "names": {"school": "one name"}}})
        connection.execute("INSERT INTO stand_in (call_id, state_json) VALUES (?, ?)", (call_id, state))
    connection.close()


def test_calls_of_version_5_are_read_under_the_names_of_today(tmp_path):
    old_file(tmp_path / "old.sqlite", with_stand_in=(2,))
    store = Store(tmp_path / "old.sqlite")
    real, practice = store.get(1), store.get(2)
    assert real.set_aside == practice.set_aside == ()
    assert (real.job.kind, practice.job.kind) == ("real", "practice")
    assert [s.id for s in real.job.scans] == ["l1"]
    assert real.job.settings.ssid_plan.kind == "split SSIDs"
    assert real.job.answers[0].cause == "double NAT"
    assert real.job.wiring.line_equipment[0].kind == "provider's gateway"
    # What both steps share is kept once.
    with store.connect() as connection:
        (parts,) = connection.execute("SELECT count(*) FROM part WHERE call_id = 1").fetchone()
    assert parts == len(OLD) - 2 + 2  # format and version are no parts; of the complaint there are two
    # The history is whole: the step before can be gone back to, and what comes later is stored as ever.
    assert store.job_at(1, 1).complaint == ""
    undone = store.undo(1, real.revision)
    assert undone.job.complaint == ""
    assert store.find()[0].scans == 1
    assert json.loads(store.stand_in(2))["settings"]["ssid_plan"] == {"kind": "one SSID"}


def test_a_part_that_cannot_be_read_stays_and_is_set_aside(tmp_path):
    path = tmp_path / "old.sqlite"
    old_file(path)
    connection = sqlite3.connect(path)
    broken = deflate(b"{not json")
    connection.execute(
        "UPDATE part SET json_deflated = ? WHERE id = (SELECT max(id) FROM part WHERE call_id = 1)", (broken,)
    )
    connection.commit()
    connection.close()
    found = Store(path).get(1)
    assert found.set_aside
    assert found.job.title == "An older call"
