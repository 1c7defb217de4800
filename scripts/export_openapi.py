"""Writes the API's description, from which the front end's types are generated.

Usage: python scripts/export_openapi.py > frontend/openapi.json
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from even_static.api.app import create_app
from even_static.store.calls import Store


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        description = create_app(Store(Path(folder) / "calls.sqlite")).openapi()
    # Defaults are always present in what the API sends, and the pages send whole values back: only the bodies of
    # requests have fields that may be left out.
    for name, schema in description["components"]["schemas"].items():
        if "properties" in schema and (not name.endswith("Body") or name in ("CallBody", "ErrorBody")):
            schema["required"] = sorted(schema["properties"])
    json.dump(description, sys.stdout, indent=1, sort_keys=True)
    sys.stdout.write("\n")


if __name__ == "__main__":
    main()
