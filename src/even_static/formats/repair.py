"""Opening a call of which a part cannot be read: the bad part is set aside and told, everything else is there."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from even_static.core.errors import BadInput
from even_static.core.house.job import FORMAT, VERSION, Job
from even_static.core.house.validate import validate_job
from even_static.formats.job_file import JOB, from_validation

# So many things are set aside one by one; after that whole lists go.
MOST_ONE_BY_ONE = 300
_UNNAMED = {"title": "untitled", "country": "00"}


@dataclass(frozen=True, slots=True)
class SetAside:
    """A part of a call that could not be read: where it was, why, and what it held, as JSON."""

    field: str
    rule: str
    value_json: str


def opened_with_the_rest(data: dict[str, Any]) -> tuple[Job, list[SetAside]]:
    """The job of JSON values of which some may not fit, and what was set aside for it to be read.

    Entries of lists go one by one, other values back to their default. BadInput where nothing of it can be read.
    """
    data = {**json.loads(json.dumps(data)), "format": FORMAT, "version": VERSION}
    aside: list[SetAside] = []
    while True:
        try:
            job = JOB.validate_json(json.dumps(data), strict=True)
            validate_job(job)
            return job, aside
        except ValidationError as error:
            found = error.errors(include_url=False)
            rule = from_validation(error, data)
            paths = {_deepest_entry(data, list(e["loc"])): e["msg"] for e in found}
            # From behind, so that the places of the others stay what they are.
            for path in sorted(paths, key=_place, reverse=True):
                aside.append(_removed(data, path, rule.rule if len(paths) == 1 else str(paths[path])))
        except BadInput as error:
            aside.append(_removed(data, _deepest_entry(data, _parsed(data, error.field)), error.rule))
        if len(aside) > MOST_ONE_BY_ONE:
            last = aside[-1].field.split("[")[0].split(".")[0]
            aside.append(_removed(data, (last,), "too much of it could not be read"))
        if len(aside) > 3 * MOST_ONE_BY_ONE:
            raise BadInput("call", "must be readable in part", aside[-1].field, "a backup of it")


def _place(path: tuple[Any, ...]) -> tuple[tuple[int, Any], ...]:
    return tuple((0, p) if isinstance(p, str) else (1, p) for p in path)


def _parsed(data: dict[str, Any], field: str) -> list[Any]:
    """The path that an error's field names."""
    words = field.split(" ")[0]
    path: list[Any] = [int(p) if p.isdigit() else p for p in re.findall(r"\w+", words)]
    if path and path[0] in ("radios", "bssids") and len(path) > 1:
        # Radios are counted over all nodes.
        count = 0
        for n, node in enumerate(data.get("nodes", ())):
            count += len(node.get("radios", ()))
            if path[1] < count:
                return ["nodes", n]
    return path


def _deepest_entry(data: dict[str, Any], path: list[Any]) -> tuple[Any, ...]:
    """The nearest entry of a list on a path, or else its first key: what can go without the rest."""
    here: Any = data
    walked: list[Any] = []
    entry: list[Any] | None = None
    for part in path:
        try:
            here = here[part]
        except (KeyError, IndexError, TypeError):
            break
        walked.append(part)
        if isinstance(part, int):
            entry = list(walked)
    return tuple(entry or walked or path[:1] or ["title"])


def _removed(data: dict[str, Any], path: tuple[Any, ...], rule: str) -> SetAside:
    """Take a value out of the data, or what holds it where it is not there."""
    text = "".join(f"[{p}]" if isinstance(p, int) else f"{'.' if i else ''}{p}" for i, p in enumerate(path))
    here: Any = data
    try:
        for part in path[:-1]:
            here = here[part]
        value = here[path[-1]]
        del here[path[-1]]
    except (KeyError, IndexError, TypeError):
        value = data.pop(str(path[0]), None)
        text = str(path[0])
    if path[0] in _UNNAMED:
        data[str(path[0])] = _UNNAMED[str(path[0])]
    return SetAside(text[:200], rule, json.dumps(value, ensure_ascii=True))
