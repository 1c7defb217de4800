"""Propagation in houses and what a reading is worth: physical constants, antennas, shadowing, scatter."""

from __future__ import annotations

from typing import Final

from even_static.core.tables.bands import Band

SPEED_OF_LIGHT_M_PER_S = 299_792_458.0
VACUUM_PERMITTIVITY = 8.8541878128e-12
# ITU-R P.1238, homes: loss by a decade of distance and by a floor, in dB; 6 GHz is taken as 5. From memory (table 2: 28
# at 2.4 GHz, 28 to 30 at 5; table 3: 10 at 2.4 GHz for a concrete floor of homes, 13 at 5).
P1238_DECADE_DB: Final[dict[Band, float]] = {"2.4 GHz": 28.0, "5 GHz": 29.0, "6 GHz": 29.0}
P1238_FLOOR_DB: Final[dict[Band, float]] = {"2.4 GHz": 10.0, "5 GHz": 13.0, "6 GHz": 13.0}
# A half-wave dipole's gain broadside, in dBi. Balanis, Antenna Theory, 4.6; from memory.
DIPOLE_GAIN_DBI = 2.15
# Scattering indoors fills the null along the axis to about this, beside broadside. Common practice.
DIPOLE_NULL_DB = -10.0
# Nearer than this the far field does not hold; distances are taken as at least this.
NEAREST_M = 0.5
# Readings nearer than this to a box tell nothing of the house: receivers run out of range. Common practice.
NEAR_FIELD_M = 1.0
# How far what a box claims to send is off, and what a reading's median errs by, in dB. Common practice.
RADIO_BIAS_DB = 2.0
READING_ERROR_DB = 1.5
# Shadowing in houses: to begin with, its bounds, and how far it is alike. Common practice.
SHADOWING_DB = 4.0
SHADOWING_BOUNDS_DB = (2.0, 8.0)
SHADOWING_M = 2.5
# From this standard deviation on a prediction is drawn as uncertain, in dB. Common practice.
UNSURE_DB = 5.0
# Nothing holds on below this, in dBm. Common practice.
LEAST_LINK_DBM = -95.0
UNHEARD_DBM = -140.0
# A series has settled when it holds so many levels and their middle is known to this, in dB. Common practice.
SETTLED_SAMPLES = 6
SETTLED_DB = 1.0
# Successive beacons are alike: more than so many tell no more. Coming back to a spot errs by so many dB. Common
# practice.
MOST_SAMPLES, SPOT_DB = 10, 1.0
USUAL_SPREAD_DB = 2.0
# How far a neighbour's load may be from what was broadcast at one hour: standard deviation of its logarithm. From one
# scanning, the rest of the day is not known. Common practice.
LOAD_SPREAD = 0.5
# Levels from day to day at a spot that was read, and at one that was not, in dB. Common practice.
READ_SPREAD_DB, UNREAD_SPREAD_DB = 2.0, 4.0
