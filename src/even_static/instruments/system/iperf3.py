"""iperf3 run from here against a computer in the house, down and up."""

from __future__ import annotations

import re

from even_static.core.errors import BadInput
from even_static.formats.iperf3 import Iperf3Run, read_iperf3
from even_static.instruments.system import commands

RUN_S = 5
HOST = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9.:%_-]{0,78}[A-Za-z0-9])?")


def run_both(host: str, port: int = 5201, run: commands.Runner | None = None) -> list[Iperf3Run]:
    """A run down and one up, over TCP. BadInput for a host that is none, InstrumentFault where it cannot be reached."""
    if not HOST.fullmatch(host):
        raise BadInput("host", "must be a name or an address", host, "such as 192.168.1.20")
    run = run or commands.run
    base = ["iperf3", "-c", host, "-p", str(port), "-J", "-t", str(RUN_S)]
    return [read_iperf3(run([*base, *more], RUN_S + 15.0)) for more in (["-R"], [])]
