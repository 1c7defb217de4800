"""Kinds of boxes that a technician meets, as a start that can be changed afterwards. Common practice."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from even_static.core.tables.bands import Band, WidthMhz
from even_static.core.tables.phy import MAX_WIDTH_MHZ, Generation

BAND_WIDTHS: Final[dict[Band, tuple[WidthMhz, ...]]] = {
    "2.4 GHz": (20, 40),
    "5 GHz": (20, 40, 80, 160),
    "6 GHz": (20, 40, 80, 160, 320),
}


@dataclass(frozen=True, slots=True)
class NodeTemplate:
    """A kind of box: its radios' bands, newest generation, and whether it repeats under another name. A second radio of
    a band is dedicated to the link."""

    name: str
    bands: tuple[Band, ...]
    generation: Generation
    repeater: bool = False


NODE_KINDS: Final[tuple[NodeTemplate, ...]] = (
    NodeTemplate("dual band, 802.11ac", ("2.4 GHz", "5 GHz"), "802.11ac"),
    NodeTemplate("dual band, 802.11ax", ("2.4 GHz", "5 GHz"), "802.11ax"),
    NodeTemplate("three bands, 802.11ax", ("2.4 GHz", "5 GHz", "6 GHz"), "802.11ax"),
    NodeTemplate("three bands, 802.11be", ("2.4 GHz", "5 GHz", "6 GHz"), "802.11be"),
    NodeTemplate("three radios, a second at 5 GHz for the link", ("2.4 GHz", "5 GHz", "5 GHz"), "802.11ax"),
    NodeTemplate("four radios, a second at 5 GHz for the link", ("2.4 GHz", "5 GHz", "5 GHz", "6 GHz"), "802.11ax"),
    NodeTemplate("repeater under another name, dual band", ("2.4 GHz", "5 GHz"), "802.11ac", True),
)
USUAL_STREAMS: Final = 2
USUAL_EIRP_DBM: Final = (14.0, 17.0, 20.0)


def widths_of(generation: Generation, band: Band) -> tuple[WidthMhz, ...]:
    """Channel widths that a radio of a generation usually offers on a band, in MHz: boxes of 802.11ac stop at 80."""
    most = 80 if generation == "802.11ac" else MAX_WIDTH_MHZ[generation]
    return tuple(w for w in BAND_WIDTHS[band] if w <= most)
