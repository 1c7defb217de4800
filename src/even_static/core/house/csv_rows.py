"""Rows of CSV text that somebody pastes or a file holds."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from even_static.core.errors import BadInput

MOST_COLUMNS = 200
# What a spreadsheet takes for the beginning of a formula, and the sign that is put before it.
_FORMULA, _DEFUSED = "=+-@\t\r'", "'"


def defused(cell: str) -> str:
    """A cell's text that no spreadsheet takes for a formula; :func:`fused_again` gives back what it was."""
    return _DEFUSED + cell if cell[:1] and cell[0] in _FORMULA else cell


def fused_again(cell: str) -> str:
    """What a cell held before :func:`defused`."""
    return cell[1:] if cell[:1] == _DEFUSED and cell[1:2] and cell[1] in _FORMULA else cell


def csv_rows(
    lines: Sequence[str], header: Sequence[str], delimiter: str = ","
) -> list[tuple[int, dict[str, str | None]]]:
    """(line number, cells by column) of lines below a header, which is line 1; BadInput where they are no CSV."""
    # Every row is filled up to the header's length: a header without end would make each of them as long.
    if len(header) > MOST_COLUMNS:
        raise BadInput("CSV", "must not have more columns than can be worked with", len(header), f"{MOST_COLUMNS}")
    try:
        rows = list(csv.DictReader(io.StringIO("\n".join(lines)), fieldnames=list(header), delimiter=delimiter))
    except csv.Error as error:
        raise BadInput("CSV", f"must be readable: {error}", None, "cells with commas between") from None
    return [(n, dict(row)) for n, row in enumerate(rows, 2)]
