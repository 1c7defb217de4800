"""Writes docs/job-file.md from the job file's own schema, so that the two cannot differ.

Usage: python scripts/write_job_file_page.py > docs/job-file.md
"""

from __future__ import annotations

from typing import Any

from even_static.formats.job_file import schema

INTRODUCTION = """# The job file

One JSON document in UTF-8 carries a whole call. `even-static schema` prints its JSON Schema; this page is made from it
(`scripts/write_job_file_page.py`). Units are part of the names. Identifiers are 1 to 40 letters, digits, dots, dashes
or underscores and unique in their list; references are by identifier. Times are ISO 8601 with an offset from UTC.

A file of a newer version, an unknown field, a wrong unit, a value out of range or a reference that leads nowhere is
refused with the field, the rule, what was received and what is accepted; nothing is stored then. Reading a file and
writing it again gives the same document. Present settings may be unlawful, which is a finding, not an error.

A small file to start from:

```json
{"format": "even-static-job", "version": 1, "title": "Mill Loft 4", "country": "NL",
 "places": [{"id": "loft", "name": "Loft"}]}
```

"""


def kind(value: dict[str, Any]) -> str:
    """A short text for the type of a value."""
    if "$ref" in value:
        name = value["$ref"].rsplit("/", 1)[1]
        return f"[{name}](#{name.lower()})"
    if "anyOf" in value:
        return " or ".join(kind(v) for v in value["anyOf"])
    if "enum" in value:
        return ", ".join(str(v) for v in value["enum"])
    if "const" in value:
        return f"`{value['const']}`"
    if value.get("type") == "array":
        return f"list of {kind(value.get('items', {}))}"
    text = str(value.get("type", "any"))
    low, high = value.get("minimum"), value.get("maximum")
    if low is not None or high is not None:
        text += f", {'' if low is None else f'{low:g}'} to {'' if high is None else f'{high:g}'}"
    return text


def one_line(value: dict[str, Any]) -> str:
    """A value's description without its line breaks, as a row of a table needs it."""
    return " ".join(value.get("description", "").split())


def section(name: str, definition: dict[str, Any]) -> str:
    """One record as a table."""
    required = set(definition.get("required", []))
    rows = [
        f"| `{field}` | {kind(value)} | {'yes' if field in required else ''} | {one_line(value)} |"
        for field, value in definition.get("properties", {}).items()
    ]
    head = f"### {name}\n\n{definition.get('description', '').splitlines()[0]}\n\n"
    return head + "| field | value | required | meaning |\n| --- | --- | --- | --- |\n" + "\n".join(rows) + "\n"


def main() -> None:
    whole = schema()
    parts = [section("Job", whole), *(section(n, d) for n, d in whole["$defs"].items() if n != "Job")]
    print(INTRODUCTION + "\n".join(parts), end="")


if __name__ == "__main__":
    main()
