"""Derives the channel table from the open wireless-regdb data, as Debian ships it.

Usage: python scripts/derive_regulatory.py [regulatory.db] > src/even_static/core/tables/regulatory.json

The file format is described in regulatory.db(5) and the kernel's net/wireless/reg.c: a big-endian header, an index of
(alpha2, pointer) pairs, country records and shared rule records; pointers count in four-byte words.
"""

from __future__ import annotations

import json
import struct
import subprocess
import sys
from pathlib import Path
from typing import Any

FLAGS = {0: "no_ofdm", 1: "indoor_only", 2: "dfs", 3: "no_initiating", 4: "auto_width"}
DFS_REGIONS = {0: None, 1: "FCC", 2: "ETSI", 3: "JP"}
WIFI_RANGE_MHZ = (2400.0, 7125.0)

# Where a regulator is stricter than the data. Only ever tighter: the data's word is never loosened here.
FORBIDDEN = {
    "CA": [
        {
            "low_mhz": 5600.0,
            "high_mhz": 5650.0,
            "source": "ISED RSS-247 section 6.2.3: no transmission in 5600-5650 MHz (from memory)",
        }
    ]
}


def edition() -> str:
    """Version of the installed wireless-regdb package, or 'unknown'."""
    query = ["dpkg-query", "-W", "-f=${Version}", "wireless-regdb"]
    try:
        return subprocess.run(query, capture_output=True, text=True, check=True).stdout
    except (OSError, subprocess.CalledProcessError):
        return "unknown"


def rules_at(data: bytes, at: int) -> list[dict[str, Any]]:
    """The rules of the country record at byte offset ``at``."""
    length, count = data[at], data[at + 1]
    first = at + (length + 1) // 2 * 2
    rules = []
    for i in range(count):
        (word,) = struct.unpack_from(">H", data, first + 2 * i)
        rule = word * 4
        flags = data[rule + 1]
        (eirp_cdbm,) = struct.unpack_from(">H", data, rule + 2)
        low, high, width = struct.unpack_from(">III", data, rule + 4)
        if high / 1000 <= WIFI_RANGE_MHZ[0] or low / 1000 >= WIFI_RANGE_MHZ[1]:
            continue
        rules.append(
            {
                "low_mhz": low / 1000,
                "high_mhz": high / 1000,
                "max_width_mhz": width / 1000,
                "max_eirp_dbm": eirp_cdbm / 100,
                "flags": [name for bit, name in FLAGS.items() if flags & (1 << bit)],
            }
        )
    return rules


def derive(data: bytes) -> dict[str, Any]:
    """The whole table, by country code."""
    magic, version = struct.unpack_from(">4sI", data, 0)
    if magic != b"RGDB" or version != 20:
        sys.exit(f"not a regulatory database of version 20: magic {magic!r}, version {version}")
    countries: dict[str, Any] = {}
    at = 8
    while data[at : at + 2] != b"\0\0":
        alpha2 = data[at : at + 2].decode("ascii")
        (word,) = struct.unpack_from(">H", data, at + 2)
        countries[alpha2] = {
            "dfs_region": DFS_REGIONS[data[word * 4 + 2] & 3],
            "rules": rules_at(data, word * 4),
            "forbidden": FORBIDDEN.get(alpha2, []),
        }
        at += 4
    return dict(sorted(countries.items()))


def main() -> None:
    path = Path(sys.argv[1] if len(sys.argv) > 1 else "/lib/firmware/regulatory.db")
    table = {
        "source": "wireless-regdb (ISC licence, see NOTICE)",
        "edition": edition(),
        "countries": derive(path.read_bytes()),
    }
    lines = [f"{json.dumps(k)}: {json.dumps(v)}" for k, v in table["countries"].items()]
    print(f'{{"source": {json.dumps(table["source"])}, "edition": {json.dumps(table["edition"])}, "countries": {{')
    print(",\n".join(lines))
    print("}}")


if __name__ == "__main__":
    main()
