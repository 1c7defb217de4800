"""A scan of this computer's own Wi-Fi card, through the best way that there is here."""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Callable

from even_static.core.errors import BadInput, InstrumentFault
from even_static.core.house.readings import Scan
from even_static.core.spectrum.channels import band_of_mhz
from even_static.core.tables.bands import BANDS
from even_static.formats.capture.elements import announced
from even_static.formats.capture.networks import Network, most_heard
from even_static.formats.scan_text import read_scan_text
from even_static.instruments.system import nl80211, wifi
from even_static.now import now

NAME = "this computer's Wi-Fi card"


def scan_card(
    place_id: str,
    heard_at: str,
    *,
    key: str = "scan",
    text: Callable[[], str] | None = None,
    kernel: Callable[[], list[nl80211.Bss]] | None = None,
) -> tuple[Scan, list[str]]:
    """(a scan at a place, what is to be known of it in words). On Linux the kernel is asked itself where that can be
    done, for it tells whole beacons; else the system's tool. InstrumentFault where there is no card, tool or right."""
    why = ""
    if kernel is not None or (sys.platform == "linux" and nl80211.available()):
        try:
            return scan_of((kernel or nl80211.scan)(), place_id, heard_at, key=key)
        except InstrumentFault as fault:
            why = f"the kernel was not asked ({fault.received or fault.rule})"
    scan, notes = read_scan_text((text or wifi.scan_text)(), place_id=place_id, heard_at=heard_at, source=NAME, key=key)
    return scan, [*notes, *([why] if why else [])]


def scan_of(found: list[nl80211.Bss], place_id: str, heard_at: str, *, key: str) -> tuple[Scan, list[str]]:
    """A scan from what the kernel tells, its beacons read as a capture's are."""
    networks = []
    strange = 0
    now_s = now().timestamp()
    for bss in found:
        try:
            band = band_of_mhz(bss.frequency_mhz)
        except BadInput:
            strange += 1
            continue
        said, load = announced(bss.capability, bss.elements, bss.frequency_mhz, band)
        heard_s = now_s - bss.seen_ms_ago / 1000
        networks.append(
            Network(
                bssid=bytes.fromhex(bss.bssid.replace(":", "")),
                levels={} if bss.rssi_dbm is None else {round(bss.rssi_dbm) & 255: 1},
                first_s=heard_s,
                last_s=heard_s,
                announcements=Counter({said: 1}),
                loads=Counter({load: 1}) if load is not None else Counter(),
            )
        )
    readings, impossible, left_out, _ = most_heard(networks)
    notes = []
    if strange + impossible:
        notes.append(f"{strange + impossible} networks announce what their band does not have and were left out")
    if left_out:
        notes.append(f"{left_out} of the weakest networks are only counted")
    if not readings:
        raise InstrumentFault(NAME, "must hear a network", "nothing", "a card that is switched on")
    scan = Scan(
        id=key,
        place_id=place_id,
        heard_at=heard_at,
        source=f"{NAME} (nl80211)",
        came_from="system scan",
        bands=tuple(b for b in BANDS if any(r.band == b for r in readings)),
        readings=tuple(readings),
    )
    return scan, notes
