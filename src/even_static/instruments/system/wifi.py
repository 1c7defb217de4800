"""This computer's own Wi-Fi card, asked through what each operating system brings along."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable
from dataclasses import dataclass

from even_static.core.errors import InstrumentFault
from even_static.formats.scan_text import NMCLI_FIELDS
from even_static.instruments.system import commands

SCAN_S = 30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Adapter:
    """How this computer's card is asked: by which tool; ``why_not`` is empty where it can be."""

    tool: str
    why_not: str
    what_to_do: str


def adapter(platform: str | None = None, find: commands.Finder | None = None) -> Adapter:
    """The tool that asks this computer's card, or why there is none and what to do instead."""
    system, find = platform or sys.platform, find or commands.find
    if system == "win32":
        return _with(find, ["netsh"], "it comes with Windows")
    if system == "darwin":
        return _with(find, ["system_profiler"], "it comes with macOS")
    return _with(find, ["nmcli", "iw"], "install NetworkManager or iw")


def _with(find: commands.Finder, tools: list[str], how: str) -> Adapter:
    for tool in tools:
        if find(tool):
            return Adapter(tool=tool, why_not="", what_to_do="")
    return Adapter(
        tool="",
        why_not=f"no {' or '.join(tools)} on this computer",
        what_to_do=f"{how}, or paste what another computer's tool prints",
    )


def scan_text(
    run: commands.Runner | None = None, platform: str | None = None, find: commands.Finder | None = None
) -> str:
    """What the card hears, as its tool prints it. InstrumentFault where there is no tool, no card, or no right."""
    run, found = run or commands.run, adapter(platform, find)
    if not found.tool:
        raise InstrumentFault("Wi-Fi card", "must be one that can be asked", found.why_not, found.what_to_do)
    ask: dict[str, Callable[[], str]] = {
        "nmcli": lambda: run(["nmcli", "-t", "-f", NMCLI_FIELDS, "device", "wifi", "list", "--rescan", "yes"], SCAN_S),
        "iw": lambda: _iw(run),
        "netsh": lambda: run(["netsh", "wlan", "show", "networks", "mode=bssid"], SCAN_S),
        "system_profiler": lambda: run(["system_profiler", "SPAirPortDataType", "-json"], SCAN_S),
    }
    text = ask[found.tool]()
    if not text.strip():
        raise InstrumentFault("Wi-Fi card", "must hear a network", "nothing", "a card that is switched on")
    return text


def _iw(run: commands.Runner) -> str:
    names = re.findall(r"^\s*Interface (\S+)", run(["iw", "dev"], SCAN_S), re.M)
    if not names:
        raise InstrumentFault(
            "Wi-Fi card", "must be in this computer", "iw shows no interface", "a card or a USB adapter"
        )
    return run(["iw", "dev", names[0], "scan"], SCAN_S)
