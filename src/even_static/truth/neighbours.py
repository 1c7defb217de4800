"""Other people's transmitters round a practice house."""

from __future__ import annotations

from dataclasses import dataclass

from even_static.core.house.basics import record
from even_static.core.house.readings import Reading
from even_static.core.tables.phy import Modulation


@record
@dataclass(frozen=True, slots=True, kw_only=True)
class Neighbour:
    """Somebody else's transmitter: what it announces, where it stands (m), how busy it is in its busiest hour."""

    reading: Reading
    x_m: float
    y_m: float
    z_m: float
    eirp_dbm: float
    busy_fraction: float
    announces_load: bool
    hidden: bool = False
    """True for something that sends but no scanner hears, such as a video sender."""
    line: tuple[int, int] | None = None
    """Centre and width in MHz of what is no Wi-Fi, such as an oven; none given for what ``reading`` says."""
    mask: Modulation = "ofdm"
    """How its signal falls off beside that."""
