"""Commands of the operating system: one function runs them, and tests put another in its place."""

from __future__ import annotations

import shutil
import subprocess
import sys
from collections.abc import Callable

from even_static.core.errors import InstrumentFault

Runner = Callable[[list[str], float], str]
"""Runs a command for at most so many seconds and gives back what it prints; InstrumentFault where it fails."""
Finder = Callable[[str], str | None]
"""Where a program is, as :func:`shutil.which` says it."""
find: Finder = shutil.which


def text_of(printed: bytes, platform: str = sys.platform, console: str = "oem") -> str:
    """What a tool has printed as text: UTF-8, else on Windows the console's code page; what neither knows is marked."""
    if platform == "win32":
        try:
            return printed.decode("utf-8")
        except UnicodeDecodeError:
            return printed.decode(console, "replace")
    return printed.decode("utf-8", "replace")


def run(command: list[str], seconds: float) -> str:
    """Run a command of this system without a shell. InstrumentFault where it is missing, fails or takes too long."""
    # Without a window of its own on Windows (CREATE_NO_WINDOW).
    flags = 0x08000000 if sys.platform == "win32" else 0
    try:
        done = subprocess.run(command, capture_output=True, timeout=seconds, check=False, creationflags=flags)
    except FileNotFoundError:
        raise InstrumentFault(command[0], "must be installed on this computer", "not found", "") from None
    except subprocess.TimeoutExpired:
        raise InstrumentFault(command[0], "must answer in time", f"nothing within {seconds:.0f} s", "") from None
    except OSError as error:
        raise InstrumentFault(command[0], f"could not be run ({error.strerror})", "", "") from None
    text = text_of(done.stdout)
    if done.returncode != 0 and not text.lstrip().startswith("{"):
        said = text_of(done.stderr or done.stdout).strip().splitlines()
        raise InstrumentFault(command[0], "must run without a fault", said[-1] if said else done.returncode, "")
    return text
