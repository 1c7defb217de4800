"""The front end's types come from the API's own description, never from memory."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent.parent


def test_the_description_is_the_api_s():
    made = subprocess.run(
        [sys.executable, ROOT / "scripts" / "export_openapi.py"], capture_output=True, text=True, check=True
    ).stdout
    assert made == (ROOT / "frontend" / "openapi.json").read_text(), "run `make types`"


def test_the_types_are_made_from_it(tmp_path):
    out = tmp_path / "types.ts"
    tool = ROOT / "frontend" / "node_modules" / ".bin" / "openapi-typescript"
    subprocess.run([tool, ROOT / "frontend" / "openapi.json", "-o", out], capture_output=True, check=True)
    assert out.read_text() == (ROOT / "frontend" / "src" / "lib" / "api-types.ts").read_text(), "run `make types`"
