"""The two ends of a visit: set-up checks, likely causes, proof, report and PDF, and a store of ten thousand calls."""

from __future__ import annotations

from pathlib import Path

from bench.timing import best_of
from even_static.api.practice.demo import add_demo_calls
from even_static.core.change.ab_tests import blocks_needed
from even_static.core.checks.set_up import set_up
from even_static.core.explain.causes import likely_causes
from even_static.core.model.prepared_house import House
from even_static.core.prove.before_after import prove
from even_static.core.prove.promised import predicted_and_came
from even_static.core.report.report import report
from even_static.formats.report_pdf import write_report
from even_static.store.calls import Store

NOW = "2026-11-25T12:00:00Z"


def run(folder: Path) -> None:
    """On the demo's calls: the finished one, and the one in the middle of the work."""
    store = Store(folder / "visit.sqlite")
    add_demo_calls(store)
    done, open_one = store.get(1).job, store.get(2).job
    made = report(done, NOW)
    house = House(open_one)
    lines = (
        ("set-up checks", lambda: set_up(open_one)),
        ("likely causes, house made ready", lambda: likely_causes(house, open_one.settings)),
        ("proof of a finished call", lambda: prove(done)),
        ("promised and came, calibrated twice", lambda: predicted_and_came(done)),
        ("report with annex", lambda: report(done, NOW)),
        ("its PDF", lambda: write_report(made)),
        ("length of a trial", lambda: blocks_needed(0.14, 0.08)),
    )
    print("the two ends of a visit, demo calls:")
    for name, work in lines:
        work()
        print(f"  {name} {1000 * best_of(work, 5):.1f} ms")
