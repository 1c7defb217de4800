"""What a search needs, loaded once in the small process that searches come from."""

from __future__ import annotations

import even_static.api.heavy
import even_static.core.explain.next_measurement
import even_static.core.search.placement
import even_static.core.search.plan

__all__ = ["even_static"]
