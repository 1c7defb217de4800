"""Puts the built front end into the package, unless it is there and newer than its sources."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
FRONTEND = ROOT / "frontend"
PAGES = ROOT / "src" / "even_static" / "pages"


def pages_are_current() -> bool:
    """True when the built pages are newer than every front-end source."""
    index = PAGES / "index.html"
    if not index.exists():
        return False
    sources = [p for p in FRONTEND.iterdir() if p.is_file()] if FRONTEND.exists() else []
    sources += [p for p in (FRONTEND / "src").rglob("*") if p.is_file() and p.name != "api-types.ts"]
    return all(p.stat().st_mtime <= index.stat().st_mtime for p in sources)


def build_pages() -> None:
    """Install the front end's packages and build it into the package."""
    npm = shutil.which("npm")
    if npm is None:
        sys.exit("npm is needed to build the pages: install Node.js 20 or newer, or install from a wheel or an sdist.")
    mark, lock = FRONTEND / "node_modules" / ".installed", FRONTEND / "package-lock.json"
    if not mark.exists() or mark.stat().st_mtime < lock.stat().st_mtime:
        subprocess.run([npm, "ci", "--no-audit", "--no-fund"], cwd=FRONTEND, check=True)
        mark.touch()
    subprocess.run([npm, "run", "build"], cwd=FRONTEND, check=True)


if __name__ == "__main__" and not pages_are_current():
    build_pages()
