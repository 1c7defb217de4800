"""Figures and choices of the trade come to the screens from the core: none is written down in the front end."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

FRONT_END = Path(__file__).parents[1] / "frontend"
SOURCES = [
    p
    for p in sorted((FRONT_END / "src").rglob("*"))
    if p.suffix in (".svelte", ".ts") and p.name != "api-types.ts" and not p.name.endswith(".test.ts")
]
# A level, a power or a rate as a starting value or a comparison: `rssi_dbm: -60`, `level > -70`, `(-67)`.
LEVEL = re.compile(r"(?:[:=<>?]|\$state\()\s*-(?:[3-9]\d|1[01]\d)(?:\.\d+)?\b(?!\d)")
# Bounds that fields of the job file have for every level: part of the format, not of the trade.
BOUND = re.compile(r"""(?:min|max)=["{]-?\d+["}]""")
CHANNELS = re.compile(r"\b1, 6, 11\b|\b11\b.*\b26\b|min=\{11\}")
SHARE = re.compile(r"\$state\(0\.\d+\)|\b0\.99\b|\b99 %")


def choices() -> list[set[str]]:
    """The lists of values that the description of the interface knows."""
    found: list[set[str]] = []

    def walk(value: object) -> None:
        if isinstance(value, dict):
            if isinstance(value.get("enum"), list) and len(value["enum"]) > 2:
                found.append({v for v in value["enum"] if isinstance(v, str)})
            for inner in value.values():
                walk(inner)
        elif isinstance(value, list):
            for inner in value:
                walk(inner)

    walk(json.loads((FRONT_END / "openapi.json").read_text()))
    return found


@pytest.mark.parametrize("path", SOURCES, ids=lambda p: p.name)
def test_no_figure_of_the_trade_is_written_down(path):
    lines = path.read_text().splitlines()
    found = [
        (n, line.strip())
        for n, line in enumerate(lines, 1)
        if LEVEL.search(BOUND.sub("", line)) or CHANNELS.search(line) or SHARE.search(line)
    ]
    assert found == []


@pytest.mark.parametrize("path", SOURCES, ids=lambda p: p.name)
def test_no_list_of_choices_is_written_down(path):
    """An array that holds three or more values of one list that the core knows."""
    text = path.read_text()
    for array in re.findall(r"\[((?:\s*'[^'\n]*'\s*,?)+)\]", text):
        values = set(re.findall(r"'([^'\n]*)'", array))
        assert not [known for known in choices() if len(values & known) > 2], values


# Sentences of the core as they stand. The cautions hold no figures.
AS_IT_STANDS = re.compile(r"(?<![=\w$])\{[\w.?!]*\.(?:text|why|said|reason|advice)\}")
WITHOUT_FIGURES = {"Cautions.svelte"}


@pytest.mark.parametrize("path", [p for p in SOURCES if p.suffix == ".svelte"], ids=lambda p: p.name)
def test_sentences_of_the_core_are_written_as_their_reader_writes_numbers(path):
    """By ``prose`` or ``sentence``: with the reader's point or comma, dates, and units that stay with their number."""
    markup = path.read_text().rpartition("</script>")[2]
    found = AS_IT_STANDS.findall(markup)
    assert path.name in WITHOUT_FIGURES or found == []
