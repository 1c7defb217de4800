"""The usual cautions of the work, and the steps at which each belongs. Common practice; local codes and licensed
practice come first everywhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

CautionKind = Literal[
    "ladders", "attics", "drilling", "mains", "bells", "power", "antennas", "life", "privacy", "scripts", "outdoors"
]


@dataclass(frozen=True, slots=True)
class Caution:
    """A caution: ``title`` in a word or two, ``text`` in full, ``steps`` of the work at which it is shown."""

    kind: CautionKind
    title: str
    text: str
    steps: tuple[str, ...]


CAUTIONS: Final[tuple[Caution, ...]] = (
    Caution(
        "life",
        "Alarms, locks, medical aids",
        "Ask what guards life or property before anything is switched or moved: alarms, locks, medical aids, emergency "
        "calls. Leave them alone until their owner agrees, and see them working again afterwards.",
        ("ask", "kit", "change", "ab_tests"),
    ),
    Caution(
        "privacy",
        "What neighbours send is theirs",
        "Measure only what is broadcast. Do not join, open or follow other people's networks or devices; keep no "
        "neighbours' names in what is handed out.",
        ("listen", "walk"),
    ),
    Caution(
        "power",
        "Lawful power and channels",
        "Never above the lawful radiated power, antenna gain counted in, and never outside the country's channels; the "
        "country set in the router is the one it stands in.",
        ("tune", "ab_tests"),
    ),
    Caution(
        "antennas",
        "Altered antennas",
        "A radio whose antennas are changed or added to may lose its approval. Turn those that it came with; no more.",
        ("house", "ab_tests"),
    ),
    Caution(
        "scripts",
        "Hidden settings",
        "Do not lower a computer's script protection or run unknown code to reach a hidden setting. Use the router's "
        "own pages, or put it into pass-through.",
        ("kit", "change"),
    ),
    Caution(
        "ladders",
        "Ladders",
        "Three points of contact, on firm ground, somebody at the foot; not in wind or rain, not near overhead lines.",
        ("house", "materials"),
    ),
    Caution(
        "attics",
        "Attics and crawl spaces",
        "Tread on joists only; beware of heat, dust, insulation and old wiring. Wear a mask, and tell somebody you are "
        "up.",
        ("house", "materials"),
    ),
    Caution(
        "drilling",
        "Drilling",
        "Know what is in the wall: cables, water, gas, old asbestos board. Use a detector, and stop where you are not "
        "sure. Close holes through fire-resisting walls as the local code says.",
        ("materials",),
    ),
    Caution(
        "mains",
        "Mains",
        "Keep network cable apart from mains as the local code says. New sockets and everything behind a cover are a "
        "licensed electrician's.",
        ("house", "materials"),
    ),
    Caution(
        "bells",
        "Bell transformers",
        "Low-voltage bells want 16 to 24 V AC and misbehave below; the transformer hangs on the mains. Switch off at "
        "the board, follow the local code, and leave the mains side to a licensed electrician.",
        ("kit", "materials"),
    ),
    Caution(
        "outdoors",
        "Cable between buildings",
        "Copper between buildings carries lightning and differing earths into the house: use fibre, or protection "
        "fitted by somebody licensed.",
        ("materials",),
    ),
)


def cautions_for(*kinds: CautionKind) -> tuple[Caution, ...]:
    """The cautions of some kinds, in their order here."""
    return tuple(c for c in CAUTIONS if c.kind in kinds)
