"""Names for numpy arrays by what they hold."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Floats32 = NDArray[np.float32]
Bools = NDArray[np.bool_]
Ints = NDArray[np.int64]
Indices = NDArray[np.intp]
