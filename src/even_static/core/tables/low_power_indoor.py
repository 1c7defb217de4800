"""Low-power indoor access points at 6 GHz: what national rules allow under a roof, laid over the derived table.

The open data close 6 GHz to access points in the US by a no-initiating flag, and cap it far below what is allowed
indoors in Canada. Named here with its source; nothing else of the derived table is ever loosened.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True, kw_only=True)
class LowPowerIndoor:
    """A stretch in MHz in which an access point under a roof may radiate so much: in dBm at most, and in dBm for each
    MHz. ``opens``: also where the derived table says less or nothing."""

    low_mhz: float
    high_mhz: float
    max_eirp_dbm: float
    max_dbm_per_mhz: float
    opens: bool
    source: str


def _opened(high_mhz: float, rule: str) -> LowPowerIndoor:
    """What the US and Canada allow alike, up to a frequency."""
    return LowPowerIndoor(
        low_mhz=5925.0,
        high_mhz=high_mhz,
        max_eirp_dbm=30.0,
        max_dbm_per_mhz=5.0,
        opens=True,
        source=f"{rule}: low-power indoor access points, 5 dBm/MHz, at most 30 dBm e.i.r.p. (from memory)",
    )


_EU_AND_EEA: Final = (
    *("AT", "BE", "BG", "CY", "CZ", "DE", "DK", "EE", "ES", "FI", "FR", "GR", "HR", "HU", "IE", "IT"),
    *("LT", "LU", "LV", "MT", "NL", "PL", "PT", "RO", "SE", "SI", "SK", "NO", "IS", "LI"),
)
_EU: Final = LowPowerIndoor(
    low_mhz=5945.0,
    high_mhz=6425.0,
    max_eirp_dbm=23.0,
    max_dbm_per_mhz=10.0,
    opens=False,
    source="Commission Implementing Decision (EU) 2021/1067, low power indoor: 23 dBm, 10 dBm/MHz (from memory)",
)
LOW_POWER_INDOOR: Final[dict[str, LowPowerIndoor]] = {
    "US": _opened(7125.0, "47 CFR 15.407(a)(5)"),
    "CA": _opened(6875.0, "ISED RSS-248"),
    **dict.fromkeys(_EU_AND_EEA, _EU),
}
