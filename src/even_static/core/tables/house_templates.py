"""Usual houses as notes, to begin with: sizes in metres, to be changed line by line. Common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class HouseTemplate:
    """A usual house: its name, and what it is built of and its rooms as notes."""

    name: str
    notes: str


HOUSE_TEMPLATES: Final[tuple[HouseTemplate, ...]] = (
    HouseTemplate(
        "terrace, two floors",
        "built as brick terrace\nground floor:\nhall 1.9 4.5\nliving room 3.8 4.5\nkitchen 5.7 3.2 behind hall\n"
        "first floor:\nlanding 1.9 4.5\nfront bedroom 3.8 4.5\nback bedroom 3.4 3.2 behind landing\nbathroom 2.3 3.2",
    ),
    HouseTemplate(
        "semi-detached, two floors",
        "built as brick terrace\nground floor:\nhall 2 4\nfront room 4 4\nback room 3.4 4 behind hall\nkitchen 2.6 4\n"
        "first floor:\nlanding 2 4\nfront bedroom 4 4\nback bedroom 3.4 4 behind landing\nsmall bedroom 2.6 2.2\n"
        "bathroom 2.6 1.8 behind small bedroom",
    ),
    HouseTemplate(
        "flat, one floor",
        "built as concrete flat\n"
        "hall 1.6 6\nliving room 4.4 4.6\nkitchen 2.6 4.6\nbedroom 4.4 3.4 behind living room\nbathroom 2.6 3.4",
    ),
    HouseTemplate(
        "bungalow",
        "built as timber frame\n"
        "hall 1.8 6\nliving room 5 4.2\nkitchen 3.6 4.2\nbedroom 4 3.6 behind living room\nsecond bedroom 3 3.6\n"
        "bathroom 1.6 3.6\ngarage 3 6 left of hall",
    ),
)
