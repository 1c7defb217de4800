"""The front end's types are made from the API's own description at each build; the description must be the API's."""

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
