"""What a search needs, loaded once in the small process that searches come from."""

from __future__ import annotations

import even_static.api.heavy
import even_static.core.tuning.measure_next
import even_static.core.tuning.placed
import even_static.core.tuning.plan

__all__ = ["even_static"]
