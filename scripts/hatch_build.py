"""Hatch's build hook: a wheel or an sdist carries the built pages."""

from __future__ import annotations

import runpy
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class CustomBuildHook(BuildHookInterface[Any]):
    """Hatch calls this before it makes a wheel or an sdist; an editable installation builds its pages by `make`."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        pages = runpy.run_path(str(Path(__file__).with_name("build_pages.py")))
        if version != "editable" and not pages["pages_are_current"]():
            pages["build_pages"]()
