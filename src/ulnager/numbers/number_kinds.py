"""What sort of numbers a column holds, by its type or, where that says nothing, by its values."""

from __future__ import annotations

import re
from collections.abc import Collection
from decimal import Decimal
from typing import Any, Final

from sqlalchemy import ColumnElement, Numeric, case, cast, func, literal_column, select

from ulnager.core.errors import SettingError
from ulnager.filters.engines import engine_named
from ulnager.sources.source import Relation

_NUMBER: Final = re.compile(
    r"\s*[+-]?(\d+([.,]\d*)?|[.,]\d+"
    r"|\d{1,3}(?P<thousands>[.,])(\d{2,3}(?P=thousands))*\d{3}([.,]\d*)?)([eE][+-]?\d+)?\s*"
)
"""With one sign, or groups of thousands, the last one of three digits: 01.01.26 is no number."""
_LOOKED_AT: Final = 1_000
"""So many different texts of a column are looked at for one that is no number."""


def kind_of(source: Relation, value: str, *, needed: Collection[str] = ()) -> str:
    """Whether a column holds whole numbers, decimals, floating ones, money, or no numbers.

    Raises SettingError for no numbers where they are ``needed``, with the first value that is none.
    """
    told = next(c.engine_type for c in source.columns if c.name == value).upper()
    found = _by_type(told)
    if engine_named(source.dialect_name).stores_text:
        # A column of SQLite holds what was put into it, whatever it was declared as.
        found = _by_values(source, value)
    if found == "other" and needed:
        raise SettingError(_no_numbers(source, value, told))
    return found


def _by_type(told: str) -> str:
    if "INT" in told and "INTERVAL" not in told:
        return "int"
    if "DEC" in told or "NUM" in told:
        return "decimal"
    if any(name in told for name in ("FLOAT", "DOUBLE", "REAL")):
        return "float"
    return "money" if told == "MONEY" else "other"


def _by_values(source: Relation, value: str) -> str:
    kind = func.typeof(source.rows.c[value])
    kinds = {one for (one,) in source.run(select(kind).distinct().select_from(source.rows))}
    if kinds - {"null", "integer", "real"}:
        return "other"
    return "float" if "real" in kinds else "int"


def _no_number(source: Relation, kind: str) -> ColumnElement[Any] | None:
    """What stands for no number (NaN) in columns of a kind, where an engine has it."""
    written = {
        "float": engine_named(source.dialect_name).nan,
        "decimal": engine_named(source.dialect_name).nan_decimal,
    }.get(kind)
    return literal_column(written) if written else None


def nans_of(source: Relation, value: str, kind: str) -> ColumnElement[Any] | None:
    """How many values are no number; None where there can be none."""
    nan = _no_number(source, kind)
    return None if nan is None else func.count(case((source.rows.c[value] == nan, 1)))


def number_of_column(source: Relation, value: str, kind: str) -> ColumnElement[Any]:
    """A column as it is measured: money as a number, and what is no number (NaN) as missing."""
    column: ColumnElement[Any] = source.rows.c[value]
    if kind == "money":
        return cast(column, Numeric())
    nan = _no_number(source, kind)
    return column if nan is None else func.nullif(column, nan)


def first_no_number(source: Relation, value: str) -> Any:
    """The first value of a column that is no number; None where all are written as some."""
    column = source.rows.c[value]
    some = select(column).distinct().select_from(source.rows).where(column.is_not(None))
    texts = [one for (one,) in source.run(some.limit(_LOOKED_AT))]
    return next((one for one in texts if not is_number(one)), None)


def texts_of_numbers(source: Relation) -> dict[str, str]:
    """The columns of text whose values are all written as numbers, with the first of each, of a
    file of text; what others hold as text was meant so."""
    found: dict[str, str] = {}
    if not source.is_text:
        return found
    for column in source.columns:
        is_text = any(name in column.engine_type.upper() for name in ("CHAR", "TEXT", "STRING"))
        if not is_text or column.column_type is not None:
            continue
        value = source.rows.c[column.name]
        some = select(value).distinct().select_from(source.rows).where(value.is_not(None))
        texts = [str(one) for (one,) in source.run(some.limit(_LOOKED_AT))]
        if texts and all(is_number(one) for one in texts):
            found[column.name] = next((one for one in texts if "," in one), texts[0])
    return found


def is_number(value: object) -> bool:
    """Whether a value is a number, or text that is written as one.

    >>> [is_number(one) for one in ("1.234,5", "1,234,567", "01.01.26", "10.0.0.1")]
    [True, True, False, False]
    """
    if isinstance(value, bool):
        return False
    return isinstance(value, (int, float, Decimal)) or (
        isinstance(value, str) and _NUMBER.fullmatch(value) is not None
    )


def _no_numbers(source: Relation, value: str, told: str) -> str:
    first = first_no_number(source, value)
    if first is None:
        column = source.rows.c[value]
        some = select(column).select_from(source.rows).where(column.is_not(None)).limit(1)
        sample = next((one for (one,) in source.run(some)), None)
        how = (
            "say how its decimals are written: --decimal ',' (decimal=), or decimal = ',' in the "
            "book"
            if source.is_text
            else "make numbers of it in a query that stands for the table"
        )
        held = f"the column {value!r} holds text ({told.lower()}), such as {str(sample)[:40]!r}"
        return f"{held}; {how}"
    how = ", or say how decimals are written: --decimal ',' (decimal=)" if source.is_text else ""
    return (
        f"the column {value!r} holds no numbers ({told.lower()}): its first value that is none is "
        f"{str(first)[:40]!r}; mend it{how}"
    )
