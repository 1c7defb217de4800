"""How long parts of a visit take, in minutes. Common practice."""

from __future__ import annotations

from typing import Final

COMPLAINT_MIN: Final = 3
KIT_MIN: Final = 3
DEVICES_MIN: Final = 5
OWN_NAME_MIN: Final = 1
WIRED_TEST_MIN: Final = 4
# Going to a spot, waiting until levels have settled, reading.
SCAN_MIN: Final = 3
SPEED_TEST_MIN: Final = 2
LIST_MIN: Final = 2
LINK_TABLE_MIN: Final = 3
LINK_MIN: Final = 1
SEARCH_MIN: Final = 1
STEP_MIN: Final = 3
AGAIN_MIN: Final = 3
REPORT_MIN: Final = 5
# So large a part of the must-have demand counts as known once somebody has scanned where it is used.
ENOUGH_SHARE: Final = 0.8
