"""The clock of a real call: its times never go back, however the system's clock is set meanwhile."""

from __future__ import annotations

import ast
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from tests.houses import random_house

import even_static
from even_static import now as clock

AT = datetime(2026, 11, 27, 12, tzinfo=UTC)
PACKAGE = Path(even_static.__file__).parent


@pytest.fixture
def system(monkeypatch):
    """A system clock that the test sets."""
    shown = {"at": AT}
    monkeypatch.setattr(clock, "_last", datetime.min.replace(tzinfo=UTC))
    monkeypatch.setattr(clock, "_system", lambda: shown["at"])
    return shown


def test_a_clock_that_is_set_back_stands_still_until_it_catches_up(system):
    assert clock.now_text() == "2026-11-27T12:00:00+00:00"
    system["at"] = AT - timedelta(hours=5)
    assert clock.now() == AT
    system["at"] = AT + timedelta(seconds=2)
    assert clock.now_text() == "2026-11-27T12:00:02+00:00"


def test_the_history_goes_forward_also_over_two_runs_of_the_program(system, store, monkeypatch):
    call = store.add(random_house(1))
    job = call.job
    for n, jump in enumerate((timedelta(minutes=1), timedelta(hours=-3), timedelta(days=-400), timedelta(hours=1))):
        system["at"] = AT + jump
        # The next run of the program remembers nothing of the last one's clock.
        monkeypatch.setattr(clock, "_last", datetime.min.replace(tzinfo=UTC))
        job = replace(job, title=f"title {n}")
        store.save(call.id, job, f"step {n}", on_revision=n + 1)
    times = [s.made_at for s in reversed(store.history(call.id, before=None, most=20))]
    assert times == sorted(times)
    assert times[2] == times[1] == times[3]
    assert times[4] > times[3]


def test_nobody_else_reads_the_clock():
    """Simulated instruments have their own; the core is told the time."""
    found = []
    for path in PACKAGE.rglob("*.py"):
        inside = path.relative_to(PACKAGE)
        if inside.parts[0] in ("now.py",) or "simulated" in inside.parts:
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and ast.unparse(node.func) in (
                "datetime.now",
                "datetime.utcnow",
                "time.time",
            ):
                found.append((str(inside), node.lineno))
    assert [f for f in found if f[0] not in ("store/backup.py",)] == []
