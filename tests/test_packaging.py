"""A wheel carries the built pages, and the README's commands are real."""

from __future__ import annotations

import re
import subprocess
import sys
import zipfile
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_the_wheel_holds_the_pages(tmp_path):
    subprocess.run(
        [
            sys.executable,
            "-m",
            "pip",
            "wheel",
            "--quiet",
            "--no-deps",
            "--no-build-isolation",
            "--wheel-dir",
            tmp_path,
            ROOT,
        ],
        check=True,
        capture_output=True,
    )
    (wheel,) = tmp_path.glob("even_static-*.whl")
    names = zipfile.ZipFile(wheel).namelist()
    assert "even_static/pages/index.html" in names
    assert any(n.startswith("even_static/pages/assets/") and n.endswith(".woff2") for n in names)
    assert "even_static/core/tables/regulatory.json" in names
    assert "even_static/formats/fonts/report-regular.ttf" in names


def test_every_command_of_the_readme_exists():
    readme = (ROOT / "README.md").read_text()
    targets = set(re.findall(r"^([a-z-]+):", (ROOT / "Makefile").read_text(), re.M))
    used = set(re.findall(r"`make ([a-z-]+)`", readme))
    assert {"demo", "test"} <= used <= targets
    help_text = subprocess.run(
        [sys.executable, "-m", "even_static.cli", "--help"], capture_output=True, text=True, check=True
    ).stdout
    for command in set(re.findall(r"even-static ([a-z]+)", readme)):
        assert re.search(rf"^  {command}\b", help_text, re.M), command


def test_documents_name_every_field():
    """The formats' pages keep up with the formats."""
    from even_static.formats.job_file import schema
    from even_static.formats.readings_csv import COLUMNS

    csv_page = (ROOT / "docs" / "readings-csv.md").read_text()
    assert all(f"`{c}`" in csv_page for c in COLUMNS)
    job_page = (ROOT / "docs" / "job-file.md").read_text()
    for name, definition in schema()["$defs"].items():
        assert f"### {name}\n" in job_page
        assert all(f"`{field}`" in job_page for field in definition.get("properties", {}))
