"""Imports go one way, and the core knows no web, no SQL and no edge library (contracts in pyproject.toml)."""

from __future__ import annotations

import re
from pathlib import Path

from importlinter.cli import EXIT_STATUS_SUCCESS, lint_imports


def test_import_contracts(capsys):
    assert lint_imports(no_cache=True) == EXIT_STATUS_SUCCESS, capsys.readouterr().out


def test_the_pages_name_files_that_are_there():
    """A section of the model page, a decision or a map says which file holds it: the file exists."""
    root = Path(__file__).parent.parent
    core = root / "src" / "even_static" / "core"
    named = set()
    for page in (root / "docs").rglob("*.md"):
        named |= {(page.name, path) for path in re.findall(r"`([\w/]+\.py)`", page.read_text())}
    missing = [(page, path) for page, path in named if not (core / path).is_file() and not (root / path).is_file()]
    assert missing == []
    sections = [line for line in (root / "docs" / "model.md").read_text().splitlines() if line.startswith("## ")]
    assert [s for s in sections if ".py`" not in s and s != "## Not in the model yet"] == []
    readme = (root / "README.md").read_text()
    packages = sorted(p.name for p in core.iterdir() if (p / "__init__.py").is_file())
    assert [p for p in packages if f"    {p}/" not in readme] == []
