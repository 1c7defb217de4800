"""All checks of how the nodes are set up, what to mend first."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from even_static.core.checks.cabling import Cabling, cabling, wiring_of
from even_static.core.checks.findings import URGENCIES, Finding
from even_static.core.checks.placement import placement
from even_static.core.checks.routing import feeds, rings, routing
from even_static.core.checks.safety import lawful, names, provider_wifi, security
from even_static.core.house.job import Job
from even_static.core.house.wiring import Wiring


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUp:
    """The drawing, the wiring that it shows (drawn, or what the nodes tell of), and what is found, what to mend first.
    ``backhaul``: how the nodes are fed, in words."""

    cabling: Cabling
    wiring: Wiring
    findings: tuple[Finding, ...]
    backhaul: str
    text: str


def set_up(job: Job) -> SetUp:
    """All findings about a job's set-up."""
    drawn, wiring = cabling(job), wiring_of(job)
    found = [
        *routing(job, drawn, wiring),
        *rings(job, drawn),
        *feeds(job, drawn),
        *provider_wifi(job, drawn, wiring),
        *names(job, wiring),
        *security(job, wiring),
        *lawful(job),
        *placement(job),
    ]
    found.sort(key=lambda f: URGENCIES.index(f.urgency))
    counts = Counter(f.urgency for f in found)
    words = [f"{counts[u]} {'to ask about' if u == 'ask' else u}" for u in URGENCIES if counts[u]]
    return SetUp(
        cabling=drawn,
        wiring=wiring,
        findings=tuple(found),
        backhaul=_backhaul(job),
        text=", ".join(words) or "nothing found",
    )


def _backhaul(job: Job) -> str:
    fed = [n for n in job.nodes if n.uplink is not None]
    wired = sum(n.uplink is not None and n.uplink.band is None for n in fed)
    if not fed:
        return "one node serves the house"
    if wired == len(fed):
        return f"wired backhaul: {wired} by cable"
    if wired == 0:
        return f"wireless backhaul: {len(fed)} by radio"
    return f"mixed backhaul, which is fine: {wired} by cable, {len(fed) - wired} by radio"
