"""What the values of the core have in common: they never change, and compare by what they hold.

Small values are named tuples; those that check and prepare their settings build on
:class:`Value`. (Generated classes would cost more at import than all else in the core.)
"""

from __future__ import annotations

from typing import Any, ClassVar, Self, TypeAlias

Json: TypeAlias = dict[str, object]
"""Plain values, ready for JSON."""


class CopiesItself:
    """What never changes is its own copy."""

    __slots__ = ()

    def __copy__(self) -> Self:
        return self

    def __deepcopy__(self, memo: object) -> Self:
        return self


class Value:
    """An immutable value, equal to others of its class that hold the same.

    ``_FIELDS`` names what it holds, in the order in which its class takes them.
    """

    _FIELDS: ClassVar[tuple[str, ...]] = ()

    def _put(self, **fields: Any) -> None:
        """Set attributes, once, while the value is made."""
        self.__dict__.update(fields)

    def _held(self) -> tuple[Any, ...]:
        return tuple(getattr(self, name) for name in self._FIELDS)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError(f"a {type(self).__name__} does not change; make another")

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        return (
            type(other) is type(self)
            and isinstance(other, Value)
            and (self._held() == other._held())
        )

    def __hash__(self) -> int:
        return hash((type(self).__name__, self._held()))

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), self._held()

    def __repr__(self) -> str:
        held = ", ".join(f"{name}={getattr(self, name)!r}" for name in self._FIELDS)
        return f"{type(self).__name__}({held})"
