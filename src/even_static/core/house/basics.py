"""Words and numbers that every part of the job file is made of."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Any, Final, TypeVar

from annotated_types import Ge, Le, Len, Predicate

from even_static.core.errors import BadInput


def is_identifier(text: str) -> bool:
    """1 to 40 characters: letters, digits, dot, dash and underscore."""
    return re.fullmatch(r"[A-Za-z0-9._-]{1,40}", text) is not None


def is_bssid(text: str) -> bool:
    """Six lower-case hexadecimal pairs with colons between them."""
    return re.fullmatch(r"[0-9a-f]{2}(:[0-9a-f]{2}){5}", text) is not None


def is_eui64(text: str) -> bool:
    """Eight lower-case hexadecimal pairs with colons between them (IEEE EUI-64)."""
    return re.fullmatch(r"[0-9a-f]{2}(:[0-9a-f]{2}){7}", text) is not None


# Times outside these years are no call's; arithmetic with time zones stays within what calendars can tell.
FIRST_YEAR, LAST_YEAR = 1970, 2199


def is_timestamp(text: str) -> bool:
    """ISO 8601 date and time with an offset from UTC, such as 2026-03-02T19:30:00+01:00, of the years 1970 to 2199."""
    if not re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,6})?(Z|[+-]\d\d:\d\d)", text):
        return False
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        return False
    return FIRST_YEAR <= at.year <= LAST_YEAR


Id = Annotated[str, Predicate(is_identifier)]
Bssid = Annotated[str, Predicate(is_bssid)]
Timestamp = Annotated[str, Predicate(is_timestamp)]
Text = Annotated[str, Len(0, 2000)]
Name = Annotated[str, Len(1, 80)]
RssiDbm = Annotated[float, Ge(-120), Le(0)]
EirpDbm = Annotated[float, Ge(-10), Le(36)]
Fraction = Annotated[float, Ge(0), Le(1)]
DemandMbps = Annotated[float, Ge(0), Le(10_000)]
Channel = Annotated[int, Ge(1), Le(233)]
ZigbeeChannel = Annotated[int, Ge(11), Le(26)]
FrequencyMhz = Annotated[int, Ge(2400), Le(7125)]

T = TypeVar("T")


def record(cls: type[T]) -> type[T]:
    """Mark a dataclass as part of the job file: unknown fields and infinite numbers are refused at the edge."""
    config: dict[str, Any] = {
        "extra": "forbid",
        "use_attribute_docstrings": True,
        "allow_inf_nan": False,
    }
    cls.__pydantic_config__ = config  # type: ignore[attr-defined]
    return cls


# Addresses that stand for what nobody has told yet: locally administered (IEEE 802).
MADE_UP_ADDRESS: Final = "02:e5:00:"


def counted(count: int, what: str) -> str:
    """A count in words: 1 device, 2 devices."""
    return f"{count} {what}" + ("" if count == 1 else "s")


def fresh_identifier(name: str, taken: Iterable[str]) -> str:
    """A short identifier from a name, different from those taken."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:30] or "x"
    known, found, n = set(taken), base, 1
    while found in known:
        n += 1
        found = f"{base}-{n}"
    return found


def printable_name(field: str, text: str) -> str:
    """A name that somebody has typed or a file holds; BadInput where it has characters that cannot be shown."""
    odd = next((c for c in text if not c.isprintable()), None)
    if odd is not None:
        raise BadInput(field, "must not hold control characters", text, "letters, digits, spaces and signs")
    return text


def unique(field: str, ids: Iterable[str]) -> set[str]:
    """The identifiers of a list as a set; BadInput for the first that comes twice."""
    seen: set[str] = set()
    for i, value in enumerate(ids):
        if value in seen:
            raise BadInput(f"{field}[{i}]", "must be unique", value, "a name that no other entry of the list has")
        seen.add(value)
    return seen
