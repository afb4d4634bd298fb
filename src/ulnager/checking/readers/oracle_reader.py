"""How the dialect is read of Oracle."""

from __future__ import annotations

from typing import Any, Final

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import (
    WEEKDAY_PLACES,
    Unclear,
    may_be_day,
    months_to_the_last,
    moved_by_days,
    piece,
    unit_of,
    unquoted,
)

_ORACLE_UNITS: Final = {
    **dict.fromkeys(("DD", "DDD", "J"), "day"),
    **dict.fromkeys(("MM", "MON", "MONTH", "RM"), "month"),
    **dict.fromkeys(("YYYY", "SYYYY", "YEAR", "SYEAR", "YYY", "YY", "Y"), "year"),
    "Q": "quarter",
    "IW": "week",
    "HH": "hour",
    "HH12": "hour",
    "HH24": "hour",
    "MI": "minute",
}


_ORACLE_CALLS: Final = {
    ("trunc", 1): "date_trunc('day', x)",
    ("from_tz", 2): "(x AT TIME ZONE y)",
    ("sys_extract_utc", 1): "(x AT TIME ZONE 'UTC')",
}


def _of_oracle(node: Any) -> Any:
    if isinstance(node, exp.Cast) and node.to.this == exp.DataType.Type.DATE:
        return piece("CAST(x AS TIMESTAMP)", x=node.this)  # A date has a time there.
    if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        by = unit_of(node)
        if by in ("D", "DAY", "DY"):
            raise Unclear(
                "the first day of TRUNC(…, 'D') hangs on the territory of the session; write 'IW'"
            )
        unit = _ORACLE_UNITS.get(by or "DD")
        if unit is None:
            raise Unclear(f"TRUNC(…, {by!r}) is not known here")
        return piece(f"date_trunc('{unit}', x)", x=node.this)
    if isinstance(node, exp.Anonymous):
        if node.name.lower() == "numtodsinterval" and len(node.expressions) == 2:
            unit = node.expressions[1].name.lower()
            if unit not in ("day", "hour", "minute", "second"):
                raise Unclear(f"NUMTODSINTERVAL(…, {unit!r}) is not known here")
            return piece(f"(x * INTERVAL 1 {unit})", x=node.expressions[0])
        form = _ORACLE_CALLS.get((node.name.lower(), len(node.expressions)))
        return (
            node if form is None else piece(form, **dict(zip("xy", node.expressions, strict=False)))
        )
    if type(node).__name__ == "NextDay":
        place = WEEKDAY_PLACES.get(node.expression.name.upper())
        if place is None:
            raise Unclear("the names of weekdays hang on the language of the session")
        return piece(f"x + to_days(((({place} - isodow(x)) + 6) % 7 + 1)::INT)", x=node.this)
    if isinstance(node, exp.Sub) and may_be_day(node.this) and may_be_day(node.expression):
        # The days between, with parts of a day.
        apart = "(epoch(CAST(x AS TIMESTAMP)) - epoch(CAST(y AS TIMESTAMP))) / 86400.0"
        return piece(apart, x=node.this, y=node.expression)
    return moved_by_days(months_to_the_last(unquoted(node)))


ORACLE = Reader(
    "oracle",
    ("trunc", "from_tz", "sys_extract_utc", "numtodsinterval"),
    _of_oracle,
    has_time="sysdate",
)
