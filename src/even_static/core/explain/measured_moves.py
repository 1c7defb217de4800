"""What moving a node did, by readings before and after."""

from __future__ import annotations

import math
from dataclasses import dataclass

from even_static.core.house.readings import Scan
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.stands import stand_of, stand_then


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """A spot read before and after a node was moved or its antennas turned: the same radio, levels in dBm."""

    node_id: str
    radio_id: str
    place_id: str
    before_dbm: float
    after_dbm: float
    difference_db: float
    spread_db: float


def measured_moves(coverage: Coverage) -> list[Moved]:
    """Spots that were read both before and after a node's last move, what the move brought, levels
    brought to the present power."""
    job = coverage.job
    found = []
    for node in job.nodes:
        present = stand_of(job, node)
        for place in job.places:
            here = sorted((li for li in job.scans if li.place_id == place.id), key=lambda li: li.heard_at)
            after = [li for li in here if stand_then(job, li, node) == present]
            before = [li for li in here if stand_then(job, li, node) != present]
            if not after or not before:
                continue
            for radio in node.radios:
                was, became = _level(before, radio.bssid, radio.id), _level(after, radio.bssid, radio.id)
                if was is None or became is None:
                    continue
                power = job.settings.of(radio.id).eirp_dbm
                old, new, spread_db = was[0] + power, became[0] + power, math.hypot(was[1], became[1])
                found.append(
                    Moved(
                        node_id=node.id,
                        radio_id=radio.id,
                        place_id=place.id,
                        before_dbm=old,
                        after_dbm=new,
                        difference_db=new - old,
                        spread_db=spread_db,
                    )
                )
    return found


def _level(scans: list[Scan], bssid: str, radio_id: str) -> tuple[float, float] | None:
    """(level less the power it was sent with, its uncertainty) of the newest scan that heard a radio."""
    for scan in reversed(scans):
        for reading in scan.readings:
            if reading.bssid == bssid and reading.rssi_dbm is not None:
                sent = scan.settings.of(radio_id).eirp_dbm if scan.settings else 0.0
                error = 1.2533 * max(reading.spread_db or 2.0, 0.5) / math.sqrt(reading.samples)
                return reading.rssi_dbm - sent, max(error, 1.0)
    return None
