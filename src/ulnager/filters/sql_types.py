"""Values of a condition: as parameters, and as the literals that each engine takes."""

from __future__ import annotations

import functools
from collections.abc import Callable
from datetime import UTC
from typing import Any, Final

from sqlalchemy import BigInteger, Date, DateTime, Dialect, Integer, String
from sqlalchemy.types import TypeDecorator, TypeEngine

from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.engines import engine_of


class Literal(TypeDecorator[Any]):
    """A date or a time that is written as an engine has it; ``form`` is its name there."""

    impl: TypeEngine[Any] | type[TypeEngine[Any]] = Date
    cache_ok = True
    form = "literal"

    def literal_processor(self, dialect: Dialect) -> Callable[[Any], str]:
        engine = engine_of(dialect.name)
        return lambda value: engine.quoted(self.in_utc(value), self.form)

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        # What SQLAlchemy would make of a timestamp as text, with its microseconds always, comes
        # after the same moment without them.
        impl = String() if engine_of(dialect.name).stores_text else self.impl_instance
        return dialect.type_descriptor(impl)

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        engine = engine_of(dialect.name)
        if engine.stores_text and value:
            return engine.stored(self.in_utc(value))
        return self.in_utc(value) if engine.utc_parameters and value else value

    def in_utc(self, value: Any) -> Any:
        """An instant as UTC without an offset; all else as it is."""
        return value


class _Day(Literal):
    cache_ok = True


class _Timestamp(Literal):
    impl = DateTime
    cache_ok = True
    form = "time"


class _Instant(Literal):
    impl = DateTime(timezone=True)
    cache_ok = True
    form = "instant"

    def in_utc(self, value: Any) -> Any:
        return value.astimezone(UTC).replace(tzinfo=None)


_VALUE_TYPES: Final[dict[str, type[TypeEngine[Any]]]] = {
    "literal": _Day,
    "time": _Timestamp,
    "instant": _Instant,
    "whole": Integer,
    "text": String,
}


@functools.cache
def value_type(column_type: str) -> TypeEngine[Any]:
    """One instance for all, since a dialect works out anew what to do with each."""
    held = COLUMN_TYPES[column_type]
    return BigInteger() if held.is_instant and not held.is_dated else _VALUE_TYPES[held.form]()
