"""How strongly evidence speaks for or against a likely cause: factors on its odds. Common practice."""

from __future__ import annotations

# Levels at a device, in dBm: below the first coverage is likely the cause, above the second it is ruled out.
WEAK_DBM, STRONG_DBM = -72.0, -58.0

STRONGLY, SOMEWHAT, HARDLY, NOT = 6.0, 2.0, 0.4, 0.1
SHOWN, RULED_OUT = 40.0, 0.02
BUSY_FRACTION, NOISE_DB = 0.5, 6.0
