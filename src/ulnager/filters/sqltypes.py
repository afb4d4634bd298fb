"""Values of a condition: as parameters, and as the literals that each engine takes."""

from __future__ import annotations

import functools
from collections.abc import Callable
from datetime import UTC, date, datetime, time
from typing import Any, ClassVar, Final

from sqlalchemy import BigInteger, Date, DateTime, Dialect, Integer, String
from sqlalchemy.types import TypeDecorator, TypeEngine


class Literal(TypeDecorator[Any]):
    """A value that is written as the standard's typed literal where the engine has it.

    ``words`` holds what comes before it in a dialect, ``word`` in all others.
    """

    impl: TypeEngine[Any] | type[TypeEngine[Any]] = Date
    cache_ok = True
    word = "DATE"
    words: ClassVar[dict[str, str]] = {"sqlite": "", "clickhouse": "toDate32('{x}')"}

    def literal_processor(self, dialect: Dialect) -> Callable[[Any], str]:
        word = self.words.get(dialect.name, self.word)
        if "{x}" in word:
            return lambda value: word.format(x=self.text(value, dialect))
        return lambda value: f"{word} '{self.text(value, dialect)}'".lstrip()

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        # SQLite has text; what SQLAlchemy would make of a timestamp, with its microseconds
        # always, comes after the same moment without them.
        impl = String() if dialect.name == "sqlite" else self.impl_instance
        return dialect.type_descriptor(impl)

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        return self.text(value, dialect) if dialect.name == "sqlite" and value else value

    def text(self, value: Any, dialect: Dialect) -> str:
        return _stored(value) if dialect.name == "sqlite" else str(value)


def _stored(value: date) -> str:
    """A moment as it is compared with text: a midnight is its date, which comes before every time
    of that day, in whatever form, and is the same as the date where only dates are stored."""
    if isinstance(value, datetime) and value.time() == time():
        return str(value.date())
    return str(value)


class _Day(Literal):
    cache_ok = True


class _Timestamp(Literal):
    impl = DateTime
    cache_ok = True
    word = "TIMESTAMP"
    words: ClassVar[dict[str, str]] = {"sqlite": "", "spark": "TIMESTAMP_NTZ", "clickhouse": ""}


# Neither engine keeps an offset: their instants are UTC without one.
_WITHOUT_OFFSET: Final = ("sqlite", "mysql", "mariadb", "clickhouse")


class _Instant(Literal):
    impl = DateTime(timezone=True)
    cache_ok = True
    word = "TIMESTAMPTZ"
    words: ClassVar[dict[str, str]] = {
        "sqlite": "", "mysql": "TIMESTAMP", "mariadb": "TIMESTAMP", "spark": "TIMESTAMP_LTZ",
        "clickhouse": "toDateTime64('{x}', 6, 'UTC')",
    }  # fmt: skip

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        if dialect.name == "mysql" or dialect.name == "mariadb":
            return value and value.astimezone(UTC).replace(tzinfo=None)
        return super().process_bind_param(value, dialect)

    def text(self, value: datetime, dialect: Dialect) -> str:
        utc = value.astimezone(UTC)
        if dialect.name not in _WITHOUT_OFFSET:
            return str(utc)
        return super().text(utc.replace(tzinfo=None), dialect)


_VALUE_TYPES: Final[dict[str, type[TypeEngine[Any]]]] = {
    "date": _Day,
    "timestamp": _Timestamp,
    "timestamptz": _Instant,
    "epoch-seconds": BigInteger,
    "epoch-milliseconds": BigInteger,
    "iso-text": String,
    "iso-week": String,
}


@functools.cache
def value_type(column_type: str) -> TypeEngine[Any]:
    """One instance for all, since a dialect works out anew what to do with each."""
    return _VALUE_TYPES.get(column_type, Integer)()
