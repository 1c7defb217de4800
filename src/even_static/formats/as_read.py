"""Texts of the core as their reader writes numbers and dates: the core writes points and ISO 8601, readers do not.

What a language writes comes from CLDR, through Babel. The screens do the same in ``frontend/src/lib/format.ts``.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import datetime

from babel import Locale, UnknownLocaleError
from babel.dates import format_date, format_time

# Used where a language is not known: days before months, decimal points.
USUAL = "en-GB"
LONGEST_TAG = 35
# A number with a point that is no part of a standard's name (802.11ax), of a band's (2.4 GHz, as labels have it), of an
# identifier (hall-2.4) or of a version.
_NUMBER = re.compile(r"(^|[\s(±+−×])(?!802\.|2\.4 GHz)(\d+)\.(\d+)(?![\d.]*[A-Za-z]|\d*\.\d)")
_MINUS = re.compile(r"(^|[\s(])-(?=\d)")
_DATE = re.compile(r"(?<![\w-])(\d{4}-\d\d-\d\d)(?: (\d\d:\d\d))?(?![\w-])")


def as_read(language: str) -> Callable[[str], str]:
    """What writes a text's numbers and dates as readers of a language (BCP 47, such as "de-AT") do.

    A language that CLDR does not know counts as :data:`USUAL`; so does one whose months are not in Latin letters, for
    they stand in English sentences."""
    locale = _locale(language)
    comma = locale.number_symbols["latn"]["decimal"]

    def date(match: re.Match[str]) -> str:
        try:
            at = datetime.fromisoformat(f"{match[1]} {match[2] or '00:00'}")
        except ValueError:
            return match[0]
        day = format_date(at, "long", locale=locale)
        return day if match[2] is None else f"{day}, {format_time(at, 'short', locale=locale)}"

    def write(text: str) -> str:
        text = _DATE.sub(date, text)
        return _NUMBER.sub(rf"\g<1>\g<2>{comma}\g<3>", _MINUS.sub("\\1\N{MINUS SIGN}", text))

    return write


def _locale(language: str) -> Locale:
    try:
        found = Locale.parse(language[:LONGEST_TAG], sep="-")
    except (ValueError, UnknownLocaleError):
        found = Locale.parse(USUAL, sep="-")
    latin = all(ord(c) < 0x250 for name in found.months["format"]["wide"].values() for c in name)
    return found if latin and "latn" in found.number_symbols else Locale.parse(USUAL, sep="-")
