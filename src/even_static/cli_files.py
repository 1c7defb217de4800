"""What the command line shares: the data folder, files in, JSON out, progress."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from even_static.now import now_text

if TYPE_CHECKING:
    from even_static.core.house.job import Job
    from even_static.core.house.readings import Scan
    from even_static.store.calls import Store


def data_folder() -> Path:
    """Where calls are kept: $EVEN_STATIC_HOME, else where this system keeps a user's data."""
    from platformdirs import user_data_path

    home = os.environ.get("EVEN_STATIC_HOME")
    return Path(home) if home else user_data_path("even-static", appauthor=False)


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


def job_of(path: Path) -> Job:
    from even_static.formats.job_file import read_job

    return read_job(bytes_of(path))


def scans_of(file: Path, place: str | None) -> list[Scan]:
    """The scans of a capture or a CSV file of readings, heard at a place; notes go to standard error."""
    from even_static.formats.capture.reader import read_capture, scan_from_capture
    from even_static.formats.readings_csv import read_readings

    source = file.name[:80]
    if is_text(file):
        return list(read_readings(bytes_of(file).decode("utf-8"), source=source, place_id=place, heard_at=now_text()))
    summary = read_capture(file)
    for note in summary.notes:
        sys.stderr.write(f"even-static: note: {note}\n")
    return [scan_from_capture(summary, "capture", place or "", source)]


def networks_of(file: Path, channel: int | None) -> tuple[list[dict[str, Any]], list[str]]:
    """(the networks of a capture of Wi-Fi or 802.15.4, or the readings of a CSV file; what to know about the reading).

    ``channel``: the 802.15.4 channel, where the frames do not tell it.
    """
    from dataclasses import asdict

    from even_static.formats.capture.ieee802154 import LINK_TYPES, read_pans
    from even_static.formats.capture.reader import link_types_of, read_capture
    from even_static.formats.readings_csv import read_readings

    nowhere, never = "place", "1970-01-01T00:00:00Z"
    if is_text(file):
        scans = read_readings(bytes_of(file).decode("utf-8"), place_id=nowhere, heard_at=never)
        return [asdict(r) for scan in scans for r in scan.readings], []
    with file.open("rb") as opened:
        mesh = set(link_types_of(opened)) & set(LINK_TYPES)
    if mesh:
        pans = read_pans(file, file.name, nowhere, never, channel)
        return [asdict(p) for p in pans.pans], pans.notes
    summary = read_capture(file)
    return [asdict(r) for r in summary.readings], summary.notes
