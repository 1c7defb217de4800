"""Rows of CSV text that somebody pastes or a file holds."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from even_static.core.errors import BadInput


def csv_rows(lines: Sequence[str], header: Sequence[str]) -> list[tuple[int, dict[str, str | None]]]:
    """(line number, cells by column) of lines below a header, which is line 1; BadInput where they are no CSV."""
    try:
        rows = list(csv.DictReader(io.StringIO("\n".join(lines)), fieldnames=list(header)))
    except csv.Error as error:
        raise BadInput("CSV", f"must be readable: {error}", None, "cells with commas between") from None
    return [(n, dict(row)) for n, row in enumerate(rows, 2)]
