"""From the complaint to ranked likely causes, each with the cheapest test that would tell.

A likely cause starts with how often it is behind such a complaint (common practice), and every piece of evidence from
the house multiplies that: what speaks for it by more than one, what speaks against it by less. The products, made to
add up to one, are its shares. A test's answer multiplies too, so that the list is ranked anew. Every factor is shown.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from even_static.core.errors import NotFound
from even_static.core.explain.cause_evidence import Evidence, Known, evidence_for
from even_static.core.house.complaint import CauseKind, Complaint, What
from even_static.core.house.job import Job
from even_static.core.house.settings import Settings
from even_static.core.model.prepared_house import House
from even_static.core.tables.causes import RULED_OUT, SHOWN

ON_WIFI: Final[tuple[What, ...]] = (
    "video stalls",
    "calls break up",
    "a room is slow",
    "everything is slow",
    "a camera or bell fails",
    "music stutters",
)
IN_THE_MESH: Final[tuple[What, ...]] = ("a sensor or plug goes missing", "automations do not fire")
# How often each is behind a complaint on Wi-Fi, about a device that drops off, and in the mesh, out of 100. Common
# practice: with 50 to 100 Mb/s the line is seldom it, although it is the household's first idea.
USUAL: Final[dict[CauseKind, tuple[int, int, int]]] = {
    "the line": (12, 2, 0),
    "coverage": (20, 15, 8),
    "co-channel neighbours": (18, 8, 4),
    "adjacent-channel neighbours": (8, 4, 2),
    "flapping by steering": (3, 25, 2),
    "sticky client": (8, 6, 0),
    "shared link": (8, 3, 0),
    "too many nodes": (4, 3, 0),
    "enclosure": (5, 4, 3),
    "double NAT": (4, 3, 3),
    "Zigbee under Wi-Fi": (0, 3, 40),
    "hub too close": (0, 1, 14),
    "oven": (3, 3, 6),
    "throttled network": (3, 6, 0),
    "tired router": (3, 8, 3),
    "the device itself": (1, 6, 15),
}


@dataclass(frozen=True, slots=True)
class CheapTest:
    """The cheapest thing that would confirm or rule out a likely cause: what to do, how long, and where in the work."""

    text: str
    minutes: int
    step: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LikelyCause:
    """A likely cause: its share of all, where it began, what counts for and against it, its test, and that test's
    answer.
    ``order``: when to test it; the line before all else, then what promises most for its time."""

    kind: CauseKind
    share: float
    usual: float
    evidence: list[Evidence]
    test: CheapTest
    answer: str
    order: int


@dataclass(frozen=True, slots=True)
class LikelyCauses:
    """All of them, the likeliest first, and the next thing to do in one sentence."""

    found: list[LikelyCause]
    text: str


TESTS: Final[dict[CauseKind, CheapTest]] = {
    "the line": CheapTest("Speed by cable at the gateway, three runs, beside what is paid for.", 4, "walk"),
    "coverage": CheapTest("Stand where it is used, let the level settle, read it.", 2, "walk"),
    "co-channel neighbours": CheapTest(
        "Listen there when it is bad; see who takes the air of that radio.", 2, "listen"
    ),
    "adjacent-channel neighbours": CheapTest("Try the plan's channel for that radio and watch its noise.", 3, "tune"),
    "flapping by steering": CheapTest(
        "Turn steering off for an evening, or give the device an SSID of its own.", 5, "tune"
    ),
    "sticky client": CheapTest(
        "Switch the device's Wi-Fi off and on where it is used: does it take the near node?", 1, "walk"
    ),
    "shared link": CheapTest("Speed test beside the far node, then beside the router.", 5, "walk"),
    "too many nodes": CheapTest("Switch the surplus node off and test again in the rooms round it.", 6, "walk"),
    "enclosure": CheapTest("Take the node out and set it on top; read the far room again.", 5, "house"),
    "double NAT": CheapTest("Look up the address that the router gets from the line: a private one tells.", 2, "kit"),
    "Zigbee under Wi-Fi": CheapTest(
        "Try the plan's Zigbee or Wi-Fi channel; read the hub's log after an hour.", 6, "tune"
    ),
    "hub too close": CheapTest(
        "Carry the hub a metre or more away on its cable; read the log after an hour.", 4, "house"
    ),
    "oven": CheapTest("Run the oven with a cup of water in it and watch the call or the log.", 3, "kit"),
    "throttled network": CheapTest(
        "Link test with a phone on the network for gadgets: is the upload there?", 4, "walk"
    ),
    "tired router": CheapTest("Count what hangs on the node; switch ten things off and try again.", 5, "kit"),
    "the device itself": CheapTest(
        "Put it two metres from a node: it fails there too? Then it is the device.", 6, "kit"
    ),
}


def likely_causes(house: House, settings: Settings, complaint_id: str | None = None) -> LikelyCauses:
    """Likely causes, ranked, for a complaint under the present settings; for all of them, if none is named: then a
    share is the mean over the complaints, and an answer counts for those that it was tested for. NotFound for an
    unknown complaint."""
    job = house.job
    if not job.complaints:
        return LikelyCauses([], "write down a complaint first")
    asked = tuple(c for c in job.complaints if complaint_id in (None, c.id))
    if not asked:
        few = ", ".join(c.id for c in job.complaints)
        raise NotFound("complaint_id", "must name a complaint of the call", complaint_id, few)
    known = Known(house, settings)
    weights = {c.id: _weights(known.about((c,)), c, job) for c in asked}
    totals = {i: sum(found.values()) or 1.0 for i, found in weights.items()}
    shares = {k: sum(weights[c.id][k] / totals[c.id] for c in asked) / len(asked) for k in USUAL}
    answers = {k: _answer_for_all(job, k, asked) for k in USUAL}
    ranked = sorted(USUAL, key=lambda k: (-shares[k], k))
    worth = sorted(
        (k for k in ranked if not answers[k] and shares[k] > 0),
        key=lambda k: (k != "the line", -shares[k] / TESTS[k].minutes, k),
    )
    first = sum(_usual(kind, c.what) for kind in USUAL for c in asked) or 1
    all_of_them = known.about(asked)
    found = [
        LikelyCause(
            kind=k,
            share=shares[k],
            usual=sum(_usual(k, c.what) for c in asked) / first,
            evidence=list(evidence_for(k, all_of_them)),
            test=TESTS[k],
            answer=answers[k],
            order=worth.index(k) + 1 if k in worth else 0,
        )
        for k in ranked
        if shares[k] > 0
    ]
    return LikelyCauses(found, _told(found, job, asked))


def _weights(known: Known, complaint: Complaint, job: Job) -> dict[CauseKind, float]:
    """Weight of each likely cause of one complaint: how often it is behind such, times what speaks for and against it,
    times the answer of its test."""
    found: dict[CauseKind, float] = {}
    for kind in USUAL:
        weight = _usual(kind, complaint.what)
        for e in evidence_for(kind, known) if weight > 0 else ():
            weight *= e.factor
        answer = _answer(job, kind, complaint)
        if answer:
            weight *= SHOWN if answer == "confirmed" else RULED_OUT
        found[kind] = weight
    return found


def _answer(job: Job, kind: CauseKind, complaint: Complaint) -> str:
    """What the test of a cause has shown for a complaint, the newest counts; empty where nobody tested it for that."""
    mine = [a.shows for a in job.answers if a.cause == kind and a.complaint_id in (None, complaint.id)]
    return mine[-1] if mine else ""


def _answer_for_all(job: Job, kind: CauseKind, complaints: tuple[Complaint, ...]) -> str:
    """The answer that a cause has for each of some complaints; empty where they differ or one has none."""
    found = {_answer(job, kind, c) for c in complaints}
    return found.pop() if len(found) == 1 else ""


def _told(found: list[LikelyCause], job: Job, asked: tuple[Complaint, ...]) -> str:
    for s in found:
        for_these = [c.what for c in asked if _answer(job, s.kind, c) == "confirmed"]
        if for_these:
            whom = f" for: {', '.join(dict.fromkeys(for_these))}" if len(for_these) < len(job.complaints) else ""
            return f"{s.kind} is shown{whom}; fix that first, then ask again"
    following = next((s for s in found if s.order == 1), None)
    if following is None:
        return "everything on the list has been tested"
    return f"next: {following.test.text[0].lower()}{following.test.text[1:].rstrip('.')} ({following.test.minutes} min)"


def _usual(kind: CauseKind, what: What) -> float:
    wifi, drops, mesh = USUAL[kind]
    return float(wifi if what in ON_WIFI else mesh if what in IN_THE_MESH else drops)
