"""What a search needs, loaded once in the small process that searches come from."""

from __future__ import annotations

import even_static.api.heavy

__all__ = ["even_static"]
