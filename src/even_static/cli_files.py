"""What the command line shares: the data folder, files in, JSON out, progress."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from even_static.core.house.job import Job
    from even_static.store.calls import Store


def data_folder() -> Path:
    """Where calls are kept: $EVEN_STATIC_HOME, else the user's data folder."""
    home = os.environ.get("EVEN_STATIC_HOME")
    if home:
        return Path(home)
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "even-static"


def open_store(data: Path | None) -> Store:
    from even_static.store.calls import Store

    return Store(data or data_folder() / "calls.sqlite")


def write_json(value: Any) -> None:
    # What a terminal would take for more than text goes as an escape, which JSON reads as the same.
    text = json.dumps(value, indent=1, ensure_ascii=False)
    plain = "".join(c if c.isprintable() or c == "\n" else json.dumps(c)[1:-1] for c in text)
    sys.stdout.write(plain + "\n")


def show_progress(text: str, fraction: float) -> None:
    """Say how far something is, where a person looks on."""
    if sys.stderr.isatty():
        end = "\n" if fraction >= 1 else ""
        sys.stderr.write(f"\r{text}: {fraction:.0%}\x1b[K{end}")
        sys.stderr.flush()


def bytes_of(path: Path) -> bytes:
    from even_static.core.errors import BadInput

    try:
        return path.read_bytes()
    except OSError as error:
        raise BadInput("file", f"must be readable ({error.strerror})", str(path)) from None


def is_text(path: Path) -> bool:
    """Whether a file looks like CSV: ASCII words with commas at its start, and no zero bytes."""
    from even_static.core.errors import BadInput

    try:
        with path.open("rb") as opened:
            head = opened.read(64)
    except OSError as error:
        raise BadInput("file", f"must be readable ({error.strerror})", str(path)) from None
    return head.removeprefix(b"\xef\xbb\xbf").isascii() and b"," in head and b"\x00" not in head


def now_utc() -> str:
    from datetime import UTC, datetime

    return datetime.now(UTC).isoformat(timespec="seconds")


def job_of(path: Path) -> Job:
    from even_static.formats.job_file import read_job

    return read_job(bytes_of(path))
