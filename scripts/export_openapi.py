"""Writes the API's description, from which the front end's types are generated.

Usage: python scripts/export_openapi.py > frontend/openapi.json
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path
from typing import Any

from even_static.api.app import create_app
from even_static.store.calls import Store


def lists_for_tuples(value: Any) -> Any:
    """The description with lists where it has pairs or ranks: the client's types do not carry tuples through."""
    if isinstance(value, list):
        return [lists_for_tuples(v) for v in value]
    if not isinstance(value, dict):
        return value
    kept = {k: lists_for_tuples(v) for k, v in value.items()}
    items = kept.get("prefixItems")
    if items:
        kinds = [i for n, i in enumerate(items) if i not in items[:n]]
        kept = {k: v for k, v in kept.items() if k not in ("prefixItems", "minItems", "maxItems")}
        kept["items"] = kinds[0] if len(kinds) == 1 else {"anyOf": kinds}
    return kept


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        description = create_app(Store(Path(folder) / "calls.sqlite")).openapi()
    # Defaults are always present in what the API sends, and the pages send whole values back: only the bodies of
    # requests have fields that may be left out.
    for name, schema in description["components"]["schemas"].items():
        if "properties" in schema and (not name.endswith("Body") or name in ("CallBody", "ErrorBody")):
            schema["required"] = sorted(schema["properties"])
    json.dump(lists_for_tuples(description), sys.stdout, indent=1, sort_keys=True)
    sys.stdout.write("\n")


if __name__ == "__main__":
    main()
