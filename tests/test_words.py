"""One vocabulary: the list of retired words is kept out of everything that people read.

Texts of the screens, strings of the package that are no docstrings, and the documents. Code names and the job file may
keep an old word (``storey``): people do not read them.
"""

from __future__ import annotations

import ast
import re
from functools import cache
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SCREENS = sorted((ROOT / "frontend" / "src").rglob("*.svelte"))
PACKAGE = sorted((ROOT / "src" / "even_static").rglob("*.py"))
DOCUMENTS = [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]
# Files that hold old names because they read old files or are SQL, and the generated description of the job file.
NOT_READ = {"upgrade.py", "schema.py", "queries.py", "job-file.md"}

RETIRED = {
    r"\btroubles?\b": "problem",
    r"\brivals?\b|half-overlap\w*": "co-channel or adjacent-channel neighbour",
    r"\bspills?\b": "airtime taken from neighbours",
    r"complained of\b": "complaint",
    r"holds? (?:the house )?back\b": "bottleneck",
    r"\bmay stand elsewhere\b": "can be moved",
    r"\bradar channels\b": "DFS channels",
    r"\b[Ii]t is (?:not )?so\b": "confirmed, ruled out",
    r"\brods?\b": "antenna",
    r"\bleast rate\b": "minimum data rate",
    r"\bwhat else sends\b|\bsenders?:": "other 2.4 GHz sources",
    r"\bname sent\b": "SSID",
    r"\bcarries well\b": "device limit",
    r"\bneighbours behind\b": "party wall",
    r"\bas built\b": "floor plan, walls",
    r"\bcling(?:s|ing)?\b": "sticky",
    r"\bfed by\b|what feeds": "uplink, backhaul",
    r"\blooks to\b": "faces",
    r"\bthe line itself\b": "the provider's line",
    r"\bcannot tell\b": "inconclusive",
    r"\bhousehold's page\b": "handover sheet",
    r"\b(?:Send to|Back to) (?:the )?(?:boxes|now)\b": "apply, discard",
    r"\b[Ss]uspicions?\b": "likely cause",
    r"\bschools? of\b": "channel plan",
    r"\b(?:a|the|each|every|own|which|provider's) box(?:es)?\b": "router, node, access point, gateway: as meant",
    r"(?<![\w.`({=$?&\"])[Ss]toreys?\b(?![\w`)}=.:\]\"])": "floor",
    r"\b[Nn]ames (?:and|or) steering\b": "SSIDs and steering",
    r"\bin problem\b": "has a problem",
    r"\btranslated twice\b|\b[Tt]wice translated\b": "double NAT",
    r"\bgiven over to\b": "dedicated to",
    r"\bsettings of now\b|\bas (?:it is )?set now\b": "current settings",
    r"\bmends?\b": "fix, put right; recommended",
    r"\bforgot\b": "removed",
    r"\bsome \d+ (?:min|Mb|dB|m)\b": "about",
}


def screen_texts(path: Path) -> list[str]:
    """What a component shows: text between tags, labels and titles, and sentences in its strings."""
    text = path.read_text(encoding="utf-8")
    script = "".join(re.findall(r"<script.*?</script>", text, re.DOTALL))
    markup = re.sub(r"<script.*?</script>|<style.*?</style>|<!--.*?-->", "", text, flags=re.DOTALL)
    markup = re.sub(r'class(?::[\w-]+)?=(?:"[^"]*"|\{[^}]*\})', "", markup)
    quoted = re.compile(r"'([^'\n]* [^'\n]*)'|`([^`\n]* [^`\n]*)`")
    found = [a or b for part in (re.sub(r"//.*", "", script), markup) for a, b in quoted.findall(part)]
    found += re.findall(r'(?:label|title|placeholder|empty|note)="([^"]*)"', markup)
    braces = 1
    while braces:
        markup, braces = re.subn(r"\{[^{}]*\}", "\0", markup)
    return found + re.sub(r"<[^>]*>", "\n", markup).splitlines()


def package_texts(path: Path) -> list[str]:
    """Strings with a space in them that are no docstrings: sentences, labels, errors."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    documentation = {
        id(statement.value)
        for node in ast.walk(tree)
        for statement in (node.body if isinstance(getattr(node, "body", None), list) else ())
        if isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)
    }
    strings = [n for n in ast.walk(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
    return [n.value for n in strings if " " in n.value.strip() and id(n) not in documentation]


@cache
def texts() -> list[tuple[str, str]]:
    """Everything that people read, with the file that it stands in."""
    found = [(p.name, t) for p in SCREENS for t in screen_texts(p)]
    found += [(p.name, t) for p in PACKAGE if p.name not in NOT_READ for t in package_texts(p)]
    found += [
        (p.name, t) for p in DOCUMENTS if p.name not in NOT_READ for t in p.read_text(encoding="utf-8").splitlines()
    ]
    return found


@pytest.mark.parametrize(("retired", "say"), RETIRED.items(), ids=RETIRED.values())
def test_a_retired_word_is_nowhere_that_people_read(retired: str, say: str):
    hits = [f"{name}: {text.strip()[:90]}" for name, text in texts() if re.search(retired, text)]
    assert hits == [], f"say: {say}"


def test_the_texts_are_found_at_all():
    """The search would see a retired word: sentences of a screen, of the core and of a document are among the texts."""
    read = "\n".join(text for _, text in texts())
    for sentence in (
        "What lines look like",
        "the provider's line",
        "Which network is the household’s?",
        "begins with how often",
    ):
        assert sentence in read
    assert len(read) > 100_000
