"""Bringing together two edits of one job: what only one side changed is taken, what both changed differently is not.

A three-way merge over the job's values: dataclasses field by field, lists of named entries (an identifier, an address)
entry by entry, other lists of records as bags, everything else as a whole.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar, cast

from even_static.core.errors import Conflict
from even_static.core.house.job import Job

T = TypeVar("T")
# What tells an entry of a list from the others, the first that it has.
KEYS = (
    ("id",),
    ("radio_id",),
    ("node_id",),
    ("device_id",),
    ("equipment_id",),
    ("bssid",),
    ("a_id", "b_id"),
    ("channel",),
)


def merged(base: Job, mine: Job, theirs: Job) -> Job:
    """``theirs`` with what ``mine`` changed of ``base``.

    Conflict where both changed the same thing differently, or one changed what the other removed; it names the thing.
    Rules that span the job are not checked here.
    """
    return _merged("", base, mine, theirs)


def _merged(path: str, base: T, mine: T, theirs: T) -> T:
    if mine is base or mine == base:
        return theirs
    if theirs is base or theirs == base or mine == theirs:
        return mine
    if is_dataclass(base) and type(base) is type(mine) is type(theirs):
        names = [f.name for f in fields(base)]
        changed = {
            n: _merged(f"{path}.{n}" if path else n, getattr(base, n), getattr(mine, n), getattr(theirs, n))
            for n in names
        }
        return cast("T", replace(cast("Any", theirs), **changed))
    if isinstance(base, tuple) and isinstance(mine, tuple) and isinstance(theirs, tuple):
        return cast("T", _lists(path, base, mine, theirs))
    raise _conflict(path, "was changed elsewhere too")


def _lists(path: str, base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...]) -> tuple[Any, ...]:
    everything = (*base, *mine, *theirs)
    if not all(is_dataclass(e) for e in everything):
        raise _conflict(path, "was changed elsewhere too")
    keyed = [_by_key(entries) for entries in (base, mine, theirs)]
    if any(k is None for k in keyed):
        return _bags(base, mine, theirs)
    was, here, there = cast("list[dict[Hashable, Any]]", keyed)
    order = list(there)
    if [k for k in here if k in was] != [k for k in was if k in here] and list(there)[: len(was)] == list(was):
        order = [*here, *(k for k in there if k not in here)]
    found = []
    for key in dict.fromkeys((*order, *here)):
        name = f"{path} ({_name(here.get(key) or there.get(key))})"
        if key in was and key in here and key in there:
            found.append(_merged(name, was[key], here[key], there[key]))
        elif key in was and key in here:
            if here[key] != was[key]:
                raise _conflict(name, "was removed elsewhere")
        elif key in was and key in there:
            if there[key] != was[key]:
                raise _conflict(name, "was changed elsewhere, and would be removed")
        elif key in here and key in there:
            if here[key] != there[key]:
                raise _conflict(name, "was added elsewhere too")
            found.append(there[key])
        else:
            found.append(here[key] if key in here else there[key])
    return tuple(found)


def _bags(base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...]) -> tuple[Any, ...]:
    """Records without a name, such as speed tests: theirs, without what mine removed, with what mine added."""
    gone = Counter(base) - Counter(mine)
    found = []
    for entry in theirs:
        if gone[entry] > 0:
            gone[entry] -= 1
        else:
            found.append(entry)
    fresh = Counter(mine) - Counter(base)
    for entry in mine:
        if fresh[entry] > 0:
            fresh[entry] -= 1
            found.append(entry)
    return tuple(found)


def _by_key(entries: tuple[Any, ...]) -> dict[Hashable, Any] | None:
    """The entries by what tells them apart; None where nothing does."""
    found: dict[Hashable, Any] = {}
    for entry in entries:
        names = next((k for k in KEYS if all(hasattr(entry, n) for n in k)), None)
        if names is None:
            return None
        key = (type(entry), *(getattr(entry, n) for n in names))
        if key in found:
            return None
        found[key] = entry
    return found


def _name(entry: object) -> str:
    for name in ("name", "id", "radio_id", "node_id", "device_id", "equipment_id", "bssid"):
        value = getattr(entry, name, None)
        if value:
            return str(value)
    return type(entry).__name__


def _conflict(path: str, rule: str) -> Conflict:
    return Conflict(
        path or "call", f"{rule}; the call is shown as it is now", None, "the same edit on what is there now"
    )
