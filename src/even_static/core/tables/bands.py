"""Bands and channel widths of Wi-Fi (IEEE 802.11, from memory)."""

from __future__ import annotations

from typing import Final, Literal

Band = Literal["2.4 GHz", "5 GHz", "6 GHz"]
WidthMhz = Literal[20, 40, 80, 160, 320]
BANDS: Final[tuple[Band, ...]] = ("2.4 GHz", "5 GHz", "6 GHz")
