"""How the dialect is read of T-SQL."""

from __future__ import annotations

from typing import Any
from zoneinfo import available_timezones

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import (
    DIFFERENCES,
    WEEKS,
    Unclear,
    moved_by_days,
    number_of,
    piece,
    unit_of,
)


def _of_tsql(node: Any) -> Any:
    if isinstance(node, (exp.DateAdd, exp.TsOrDsAdd)) and number_of(node.this) is not None:
        # A whole number is that many days from 1900-01-01.
        node.set("this", piece(f"TIMESTAMP '1900-01-01' + to_days({number_of(node.this)})"))
    if type(node).__name__ in DIFFERENCES and unit_of(node) in WEEKS:
        # The Sundays between, whatever the server's first day of the week is.
        sunday = "date_trunc('week', CAST({} AS DATE) + 1)"
        apart = f"date_diff('day', {sunday.format('x')}, {sunday.format('y')}) // 7"
        return piece(apart, x=node.args["expression"], y=node.this)
    if isinstance(node, exp.Anonymous) and node.name.lower() == "datetrunc":
        unit = node.expressions[0].name.lower()
        if unit in ("week", "wk", "ww"):
            raise Unclear("the first day of the week hangs on a setting of the server")
        unit = "week" if unit == "iso_week" else unit
        return piece(f"date_trunc('{unit}', x)", x=node.expressions[1])
    if isinstance(node, exp.AtTimeZone) and isinstance(node.args["zone"], exp.Literal):
        node.set("zone", exp.Literal.string(_zone_of(node.args["zone"].name)))
    if type(node).__name__ == "Convert":
        if node.this.this != exp.DataType.Type.DATE:
            raise Unclear("CONVERT() to anything but a date is not known here")
        return piece("CAST(x AS DATE)", x=node.expression)
    if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        if unit_of(node) in WEEKS:
            raise Unclear("the first day of the week hangs on a setting of the server")
        if unit_of(node) in ("ISO_WEEK", "ISOWK", "ISOWW"):
            return piece("date_trunc('week', x)", x=node.this)
    return moved_by_days(node)


def _zone_of(name: str) -> str:
    """The zone of that name, or the one that Windows calls so, by the CLDR; Unclear for that
    without Babel, which has it."""
    if name in available_timezones():
        return name
    try:
        from babel.core import get_global
    except ImportError:
        raise Unclear(
            f"what the zone {name!r} is, Babel knows: pip install 'ulnager[languages]'"
        ) from None
    return str(get_global("windows_zone_mapping").get(name, name))


TSQL = Reader("tsql", ("datetrunc",), _of_tsql, by_edges=True, weeks_hang=True)
