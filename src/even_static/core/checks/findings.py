"""What a check of the set-up says: what, why, on what it rests, what to do, and how sure it is.

"drawn", "heard" and "worked out" are certain as far as the drawing, the scan or the house is right; "said" is as
sure as who said it; "not known" asks. Rules without a source are common practice.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

Topic = Literal["cabling", "addresses", "backhaul", "names", "security", "lawful", "placement"]
Urgency = Literal["recommended", "optional", "ask"]
Rests = Literal["drawn", "heard", "worked out", "said", "not known"]
URGENCIES: Final[tuple[Urgency, ...]] = ("recommended", "optional", "ask")
# How sure a finding is of what it rests on; common practice. What nobody knows is asked.
SURE: Final[dict[Rests, float]] = {"drawn": 0.95, "heard": 0.95, "worked out": 0.9, "said": 0.8, "not known": 0.0}


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """A finding: ``title`` says what, ``why`` the reason, ``evidence`` what it rests on, ``do`` what to do about it,
    ``sure`` 0..1 how sure it is. ``box_ids``: whom it is about. ``step``: where in the work it is mended."""

    id: str
    topic: Topic
    urgency: Urgency
    title: str
    why: str
    evidence: tuple[str, ...]
    do: str
    rests_on: Rests
    sure: float
    box_ids: tuple[str, ...] = ()
    step: str = "kit"


def finding(
    topic: Topic,
    urgency: Urgency,
    title: str,
    why: str,
    evidence: list[str],
    do: str,
    rests_on: Rests,
    box_ids: tuple[str, ...] = (),
    step: str = "kit",
) -> Finding:
    """A finding under a name made from its title."""
    name = f"{topic}-{title}".lower()
    plain = "".join(c if c.isalnum() else "-" for c in name)[:80]
    return Finding(
        id=plain,
        topic=topic,
        urgency=urgency,
        title=title,
        why=why,
        evidence=tuple(evidence),
        do=do,
        rests_on=rests_on,
        sure=SURE[rests_on],
        box_ids=box_ids,
        step=step,
    )
