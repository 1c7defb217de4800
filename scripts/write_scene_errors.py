"""Put the table of ns-3's scenes into the model page: what ns-3, the simulator and the model say of each.

python scripts/write_scene_errors.py
"""

from __future__ import annotations

from pathlib import Path

from tests.reference.predicted import errors

PAGE = Path(__file__).parent.parent / "docs" / "model.md"
START, END = "<!-- scenes -->\n", "<!-- /scenes -->"


def table() -> str:
    """The table as Markdown."""
    lines = ["| kind | scene | ns-3 | simulator | model |", "| --- | --- | --- | --- | --- |"]
    for kind, name, theirs, ours, model in errors():
        digits = 3 if kind == "802.15.4" else 1
        said = "" if model is None else f"{model:.{digits}f}"
        lines.append(f"| {kind} | {name} | {theirs:.{digits}f} | {ours:.{digits}f} | {said} |")
    return "\n".join(lines) + "\n"


def with_table(text: str) -> str:
    """The page with the table in its place."""
    head, rest = text.split(START, 1)
    return head + START + table() + END + rest.split(END, 1)[1]


if __name__ == "__main__":
    PAGE.write_text(with_table(PAGE.read_text(encoding="utf-8")), encoding="utf-8")
