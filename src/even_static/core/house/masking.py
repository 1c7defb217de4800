"""A job as it may be handed out: other people's networks go by letters, their addresses by made-up ones.

The whole job is gone through, field by field, by what a field is: addresses are exchanged, identifiers that tell a name
are exchanged wherever they stand, every other text is cleaned. So a field that is added later is cleaned too.
"""

from __future__ import annotations

import dataclasses
import re
import unicodedata
from collections.abc import Iterable
from dataclasses import replace
from functools import cache
from typing import Any, Literal, get_args, get_origin, get_type_hints

from annotated_types import Len, Predicate

from even_static.core.house.basics import is_bssid, is_identifier, is_timestamp
from even_static.core.house.job import Job
from even_static.core.house.other_sources import is_pan
from even_static.core.house.readings import Reading

# A name of so many letters and digits is looked for inside words too; a shorter one only as a word of its own.
INSIDE_WORDS = 6
# Prefix of made-up addresses: locally administered (IEEE 802), not used by the demo's houses.
PREFIX = "02:ee"
# Texts that are no one's words: they are kept as they are.
_KEPT = frozenset({"country", "format", "time_zone", "jpeg_base64"})
_ADDRESS = re.compile(r"(?<![0-9A-Fa-f])(?:[0-9A-Fa-f]{2}[:\-. ]?){5}[0-9A-Fa-f]{2}(?![0-9A-Fa-f])")

_Kind = Literal["address", "identifier", "pan", "text", "nested", "kept"]


def letter_of(index: int) -> str:
    """A, B, ... Z, AA, AB, ..."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def letters_of(job: Job) -> dict[str, str]:
    """A letter for every foreign network by its address, the loudest first; one name has one letter."""
    own = {r.bssid for r in job.radios}
    loudest: dict[str, Reading] = {}
    for scan in job.scans:
        for reading in scan.readings:
            known = loudest.get(reading.bssid)
            if reading.bssid not in own and (known is None or reading.level_dbm > known.level_dbm):
                loudest[reading.bssid] = reading
    found: dict[str, str] = {}
    by_name: dict[str, str] = {}
    count = 0
    for bssid, reading in sorted(loudest.items(), key=lambda entry: (-entry[1].level_dbm, entry[0])):
        letter = by_name.get(reading.ssid) if reading.ssid else None
        if letter is None:
            letter = letter_of(count)
            count += 1
            if reading.ssid:
                by_name[reading.ssid] = letter
        found[bssid] = letter
    return found


def masked(job: Job) -> Job:
    """The job without anything that names a neighbour: names become "network A", addresses made-up ones, identifiers of
    other people's 802.15.4 networks go, and all of these are taken out of whatever people have typed, also in names of
    places and devices and in identifiers; photographs stay behind.

    Levels, channels and times stay, so that every figure comes out the same.
    """
    found = _Mask(job).of(job)
    assert isinstance(found, Job)
    building = None if found.building is None else replace(found.building, underlays=())
    return replace(found, building=building, photos=())


class _Mask:
    def __init__(self, job: Job) -> None:
        self.letters = letters_of(job)
        self.address = {
            b: f"{PREFIX}:{n >> 24 & 255:02x}:{n >> 16 & 255:02x}:{n >> 8 & 255:02x}:{n & 255:02x}"
            for n, b in enumerate(self.letters)
        }
        self.own = {r.bssid for r in job.radios}
        # Names that a foreign address had at any time.
        own_names = {_folded(r.ssid)[0] for r in job.radios}
        self.names: dict[str, str] = {}
        for scan in job.scans:
            for r in scan.readings:
                name = _folded(r.ssid)[0].strip()
                if r.bssid in self.letters and name and name not in own_names:
                    self.names.setdefault(name, self.letters[r.bssid])
        foreign = dict.fromkeys(p.pan_id for p in job.pans if not p.own)
        ours = {p.pan_id for p in job.pans if p.own}
        self.pans = {pan: f"0x{n + 1:04x}" for n, pan in enumerate(p for p in foreign if p not in ours)}
        self.pattern, self.by_group = _pattern(self.names)
        self.pan_pattern = _pans(self.pans)
        self.slugs = [s for s in (_slug(n) for n in self.names) if s]
        self.identifiers: dict[str, str] = {}
        self.taken = set(_identifiers(job))

    def of(self, value: Any, kind: _Kind = "nested", most: int = 2000) -> Any:
        """A value without a neighbour in it; itself where there is none."""
        if isinstance(value, str):
            if kind == "address":
                return self.address.get(value, value)
            if kind == "identifier":
                return self._identifier(value)
            if kind == "pan":
                return self.pans.get(value, value)
            return self.text(value)[:most] if kind == "text" else value
        if isinstance(value, tuple):
            entries = tuple(self.of(e, kind, most) for e in value)
            return value if all(a is b for a, b in zip(entries, value, strict=True)) else entries
        if not dataclasses.is_dataclass(value) or isinstance(value, type):
            return value
        changed: dict[str, Any] = {}
        for name, (field_kind, field_most) in _fields(type(value)).items():
            was = getattr(value, name)
            now = self.of(was, field_kind, field_most)
            if now is not was:
                changed[name] = now
        if isinstance(value, Reading):
            letter = self.letters.get(value.bssid)
            changed["ssid"] = value.ssid if letter is None else f"network {letter}" if value.ssid else ""
        elif "ssid" in changed and getattr(value, "bssid", None) in self.own:
            # The house's own name stays, whatever it is like.
            del changed["ssid"]
        return replace(value, **changed) if changed else value

    def text(self, text: str) -> str:
        """Text without neighbours' names, addresses and 802.15.4 identifiers; the house's own names stay."""
        found = _ADDRESS.sub("(an address)", text)
        if self.pan_pattern is not None:
            found = self.pan_pattern.sub("(a network)", found)
        if self.pattern is None:
            return found
        plain, places = _folded(found)
        parts, at = [], 0
        for match in self.pattern.finditer(plain):
            start, end = places[match.start()], places[match.end()]
            parts += [found[at:start], f"network {self.by_group[str(match.lastgroup)]}"]
            at = end
        return "".join([*parts, found[at:]]) if parts else found

    def _identifier(self, value: str) -> str:
        """An identifier that tells nobody's name: itself, or the same other one wherever it stands."""
        found = self.identifiers.get(value)
        if found is not None:
            return found
        plain = _slug(value)
        tells = any(s in plain if len(s) >= INSIDE_WORDS else _word_in(s, value) for s in self.slugs)
        tells = tells or any(_word_in(pan[2:], value) or pan[2:] in re.split(r"[^0-9a-f]+", value) for pan in self.pans)
        if tells or _ADDRESS.search(value):
            n = len(self.identifiers) + 1
            while f"masked-{n}" in self.taken:
                n += 1
            self.taken.add(f"masked-{n}")
            self.identifiers[value] = f"masked-{n}"
        else:
            self.identifiers[value] = value
        return self.identifiers[value]


@cache
def _fields(cls: type) -> dict[str, tuple[_Kind, int]]:
    """What each field of a record is, and how long its text may be."""
    found: dict[str, tuple[_Kind, int]] = {}
    for name, hint in get_type_hints(cls, include_extras=True).items():
        kind, most = _kind(hint)
        if name not in _KEPT and kind != "kept":
            found[name] = (kind, most)
    return found


def _kind(hint: Any) -> tuple[_Kind, int]:
    marks = getattr(hint, "__metadata__", ())
    functions = {m.func for m in marks if isinstance(m, Predicate)}
    if is_timestamp in functions:
        return "kept", 0
    if is_bssid in functions:
        return "address", 0
    if is_identifier in functions:
        return "identifier", 0
    if is_pan in functions:
        return "pan", 0
    if marks:
        kind, most = _kind(get_args(hint)[0])
        return kind, next((m.max_length for m in marks if isinstance(m, Len) and m.max_length), most)
    if get_origin(hint) is Literal:
        return "kept", 0
    if hint is str:
        return "text", 2000
    inner = [_kind(a) for a in get_args(hint) if a is not type(None) and a is not Ellipsis]
    if inner:
        return next((k for k in inner if k[0] != "kept"), ("kept", 0))
    return ("nested", 0) if dataclasses.is_dataclass(hint) else ("kept", 0)


def _identifiers(value: Any) -> Iterable[str]:
    if isinstance(value, tuple):
        for entry in value:
            yield from _identifiers(entry)
    elif dataclasses.is_dataclass(value) and not isinstance(value, type):
        own = getattr(value, "id", None)
        if isinstance(own, str):
            yield own
        for name, (kind, _) in _fields(type(value)).items():
            if kind == "nested":
                yield from _identifiers(getattr(value, name))


def _folded(text: str) -> tuple[str, list[int]]:
    """Text without case and accents, and for each of its characters (and its end) where that stood in the text."""
    plain: list[str] = []
    places: list[int] = []
    for at, char in enumerate(text):
        for c in unicodedata.normalize("NFKD", char.casefold()):
            if not unicodedata.combining(c):
                plain.append(c)
                places.append(at)
    return "".join(plain), [*places, len(text)]


def _slug(text: str) -> str:
    return "".join(c for c in _folded(text)[0] if c.isalnum())


def _word_in(word: str, identifier: str) -> bool:
    return word in re.split(r"[^a-z0-9]+", identifier.lower())


def _pattern(names: dict[str, str]) -> tuple[re.Pattern[str] | None, dict[str, str]]:
    """A pattern over folded text for every way of writing some names, the longest first; letters by its groups."""
    parts, groups = [], {}
    for n, (name, letter) in enumerate(sorted(names.items(), key=lambda e: -len(e[0]))):
        words = re.findall(r"[^\W_]+", name)
        if not words:
            body = re.escape(name)
        else:
            body = r"[\W_]*".join(re.escape(w) for w in words)
            if sum(len(w) for w in words) < INSIDE_WORDS:
                body = rf"(?<![^\W_]){body}(?![^\W_])"
        parts.append(f"(?P<n{n}>{body})")
        groups[f"n{n}"] = letter
    return (re.compile("|".join(parts)) if parts else None), groups


def _pans(pans: Iterable[str]) -> re.Pattern[str] | None:
    digits = [pan[2:] for pan in pans]
    if not digits:
        return None
    return re.compile(rf"(?<![0-9A-Za-z])(?:0x)?(?:{'|'.join(digits)})(?![0-9A-Za-z])", re.IGNORECASE)
