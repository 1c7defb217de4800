"""Types that are described to Pydantic once, and not again wherever they stand inside another type."""

from __future__ import annotations

from typing import TypeVar

from pydantic import TypeAdapter

T = TypeVar("T")


def described(cls: type[T]) -> TypeAdapter[T]:
    """The adapter of a dataclass. What it found out is left at the class, where Pydantic looks for it first: a type
    with many parts is described anew otherwise for every route and every type that holds it (seconds, in all)."""
    adapter = TypeAdapter(cls)
    cls.__pydantic_core_schema__ = adapter.core_schema  # type: ignore[attr-defined]
    cls.__pydantic_validator__ = adapter.validator  # type: ignore[attr-defined]
    cls.__pydantic_serializer__ = adapter.serializer  # type: ignore[attr-defined]
    return adapter
