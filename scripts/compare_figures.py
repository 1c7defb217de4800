"""Holds two versions of the program to the same figures: what the commands print for the same job files.

Usage: python scripts/compare_figures.py write JOBS OUT      the outputs of this version for the job files in JOBS
                                                             (the demo calls and twenty drawn houses are put there first
                                                             if it is empty)
       python scripts/compare_figures.py compare A B [old=new ...]   byte for byte, but for fields that were renamed

What a clock says is left out: times of searches, dates of reports.
"""

from __future__ import annotations

import contextlib
import io
import json
import re
import sys
import tempfile
from pathlib import Path
from typing import Any

COMMANDS = {
    "check": ["check"],
    "tune": ["tune", "--seconds", "60"],
    "coverage": ["coverage"],
    "place": ["place", "--nodes", "2"],
    "report": ["report"],
}
CLOCKED = {"seconds", "made_at"}
DATES = re.compile(
    r"\d{1,2} (January|February|March|April|May|June|July|August|September|October|November|December) \d{4}"
)


def job_files(folder: Path) -> list[Path]:
    """The job files to compare on."""
    folder.mkdir(parents=True, exist_ok=True)
    if not any(folder.glob("*.json")):
        from tests.houses import random_house

        from even_static.api.practice.demo import add_demo_calls
        from even_static.formats.job_file import write_job
        from even_static.store.calls import Store

        store = Store(Path(tempfile.mkdtemp()) / "demo.sqlite")
        add_demo_calls(store)
        for n in (1, 2):
            (folder / f"demo-{n}.json").write_text(write_job(store.get(n).job))
        for seed in range(20):
            job = random_house(100 + seed, nodes=1 + seed % 4, neighbours=8 + 3 * seed, devices=4 + seed)
            (folder / f"drawn-{seed:02d}.json").write_text(write_job(job))
    return sorted(folder.glob("*.json"))


def without_clocks(value: Any) -> Any:
    """JSON values without what a clock says."""
    if isinstance(value, dict):
        return {k: without_clocks(v) for k, v in value.items() if k not in CLOCKED}
    if isinstance(value, list):
        return [without_clocks(v) for v in value]
    if isinstance(value, str):
        return DATES.sub("(a date)", re.sub(r"\d{4}-\d\d-\d\dT[\d:.+Z-]+", "(a time)", value))
    return value


def printed(arguments: list[str]) -> str:
    """What a command prints, as sorted JSON; its error where it refuses."""
    from even_static.cli import app
    from even_static.core.errors import EvenStaticError

    out = io.StringIO()
    try:
        with contextlib.redirect_stdout(out):
            app(arguments, standalone_mode=False)
    except EvenStaticError as error:
        return f"refused: {error.field}\n"
    return json.dumps(without_clocks(json.loads(out.getvalue())), indent=1, sort_keys=True) + "\n"


def flat(value: Any) -> Any:
    """Values with lists of whole numbers made flat: a rank has been a flat list."""
    if isinstance(value, dict):
        return {k: flat(v) for k, v in value.items()}
    if isinstance(value, list) and value and all(isinstance(v, int | list) for v in value):
        return [w for v in value for w in (flat(v) if isinstance(v, list) else [v])]
    return [flat(v) for v in value] if isinstance(value, list) else value


def renamed(text: str, names: dict[str, str]) -> str:
    """Text with fields under their new names."""
    for old, new in names.items():
        text = text.replace(f'"{old}":', f'"{new}":')
    return json.dumps(flat(json.loads(text)), indent=1, sort_keys=True) if text.startswith(("{", "[")) else text


def main() -> None:
    mode, first, second, *rest = sys.argv[1:]
    if mode == "write":
        out = Path(second)
        out.mkdir(parents=True, exist_ok=True)
        for path in job_files(Path(first)):
            for name, command in COMMANDS.items():
                (out / f"{path.stem}.{name}").write_text(printed([command[0], str(path), *command[1:]]))
        return
    names = dict(pair.split("=") for pair in rest)
    files = sorted(p.name for p in Path(first).iterdir())
    differing = [
        name
        for name in files
        if renamed((Path(first) / name).read_text(), names) != renamed((Path(second) / name).read_text(), {})
    ]
    print(f"{len(files)} outputs compared, {len(differing)} differ: {', '.join(differing[:8])}")
    sys.exit(1 if differing else 0)


if __name__ == "__main__":
    main()
