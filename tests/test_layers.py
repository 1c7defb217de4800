"""Imports go one way, and the core knows no web, no SQL and no edge library (contracts in pyproject.toml)."""

from __future__ import annotations

from importlinter.cli import EXIT_STATUS_SUCCESS, lint_imports


def test_import_contracts(capsys):
    assert lint_imports(no_cache=True) == EXIT_STATUS_SUCCESS, capsys.readouterr().out
