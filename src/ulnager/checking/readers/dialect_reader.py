"""How a dialect is read: what it writes or counts otherwise than DuckDB does."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, Final, NamedTuple

from sqlglot import exp

from ulnager.checking.readers.rewriting import Unclear, piece, unit_of

_PARTS: Final = (
    exp.DayOfWeekIso,
    exp.DayOfWeek,
    exp.DayOfMonth,
    exp.DayOfYear,
    exp.Month,
    exp.Year,
    exp.Quarter,
    exp.Day,
)


def _is_moved_date(node: Any) -> bool:
    by = node.expression
    while isinstance(by, exp.Paren):
        by = by.this
    is_long = isinstance(by, exp.Interval) and not re.search(r"(?i)hour|minute|second", by.sql())
    return is_long and _is_date(node.this)


def _is_date(node: Any) -> bool:
    """Whether a node is a date for certain."""
    while isinstance(node, exp.Paren):
        node = node.this
    if isinstance(node, (exp.Add, exp.Sub)):
        return _is_date(node.this)
    is_day = isinstance(node, exp.Cast) and node.to.this == exp.DataType.Type.DATE
    return is_day or isinstance(node, (exp.CurrentDate, exp.LastDay))


_UNITS: Final = {"MM": "month", "MON": "month", "YY": "year", "YYYY": "year", "Q": "quarter"}


_FORMS: Final = (
    ("IYYY", "%G"), ("YYYY", "%Y"), ("MM", "%m"), ("DDD", ""), ("DD", "%d"), ("IW", "%V"),
)  # fmt: skip
"""Pieces of dates in the forms of TO_CHAR, with those of strftime; an empty one is not known."""


def _kept_apart(match: re.Match[str]) -> str:
    """Signs that are no pieces of a form, out of reach of those that are."""
    return "".join(chr(0xE000 + ord(sign)) for sign in match[0][1:-1])


_EXTRACTS: Final = {
    "ISOWEEK": "CAST(week(x) AS INTEGER)",
    "ISOYEAR": "CAST(isoyear(x) AS INTEGER)",
    "YEAR_MONTH": "CAST(year(x) * 100 + month(x) AS INTEGER)",
}


def _of_any(node: Any) -> Any:
    """What several dialects write alike, and DuckDB otherwise."""
    if isinstance(node, exp.ToChar) and node.args.get("format") is not None:
        # What stands in double quotes is itself.
        form = re.sub(r'"[^"]*"', _kept_apart, node.args["format"].name.upper())
        for token, other in _FORMS:
            if token in form and not other:
                raise Unclear(f"the form {form!r} of TO_CHAR is not known here")
            form = form.replace(token, other)
        if re.search(r"[A-Z]", re.sub(r"%[A-Za-z]", "", form)):
            raise Unclear(f"the form {node.args['format'].name!r} of TO_CHAR is not known here")
        form = re.sub("[\ue000-\uf000]", lambda sign: chr(ord(sign[0]) - 0xE000), form)
        call = exp.Anonymous(
            this="strftime", expressions=[exp.column("x"), exp.Literal.string(form)]
        )
        return piece(call.sql(dialect="duckdb"), x=node.this)
    if isinstance(node, exp.Extract):
        part = _EXTRACTS.get(node.this.name.upper())
        return node if part is None else piece(part, x=node.expression)
    if isinstance(node, exp.Pad) and not isinstance(node.this, exp.Literal):
        node.set("this", piece("CAST(x AS VARCHAR)", x=node.this))
        return node
    if isinstance(node, exp.Interval) and node.args.get("unit") is None:
        return _of_several(node)
    if isinstance(node, exp.MakeInterval):
        said = {unit: one for unit, one in node.args.items() if one}
        counts = {
            u: one.expression if isinstance(one, exp.Kwarg) else one for u, one in said.items()
        }
        made = " + ".join(f"to_{unit}s(CAST({unit} AS INTEGER))" for unit in counts)
        return piece(made, **counts)
    if type(node).__name__ == "ArrayContainsAll":
        ends = node.this
        is_range = isinstance(ends, exp.Anonymous) and ends.name.lower() == "daterange"
        if not is_range or len(ends.expressions) != 2:
            raise Unclear("ranges other than daterange(first, stop) are not known here")
        first, stop = ends.expressions
        return piece("d >= x AND d < y", d=node.expression, x=first, y=stop)
    return node


def _of_several(node: Any) -> Any:
    """An interval of several parts, as PostgreSQL reads them: ``1 month - 1 day``."""
    text = node.this.name if isinstance(node.this, exp.Literal) else ""
    parts = re.findall(r"([+-]?)\s*(\d+)\s*(year|month|mon|week|day)s?\b", text.lower())
    whole = "".join(f"{sign}{count}{unit}" for sign, count, unit in parts)
    if len(parts) < 2 or re.sub(r"s(?=[\s+-]|$)|\s", "", text.lower()) != whole:
        return node
    months = days = 0
    for sign, count, unit in parts:
        size = {"year": 12, "month": 1, "mon": 1, "week": 7, "day": 1}[unit]
        number = int(f"{sign}{count}") * size
        if unit in ("week", "day"):
            days += number
        else:
            months += number
    return piece(f"to_months({months}) + to_days({days})")


class Reader(NamedTuple):
    """How a dialect is read: the parser's name of it, functions that are known though the parser
    does not know them, and what is rewritten of it.

    ``by_edges`` is set where the edges of units between two days are counted, as DuckDB does, and
    not whole units; ``dates_stay`` where a date and an interval of days or months give a date, and
    no instant; ``weeks_hang`` where the first day of the week hangs on a setting of the server, and
    ``has_time`` names a day's clock that is an instant there.
    """

    reads: str
    calls: tuple[str, ...] = ()
    rewrites: Callable[[Any], Any] = lambda node: node
    by_edges: bool = False
    dates_stay: bool = False
    weeks_hang: bool = False
    has_time: str = ""

    def ours(self, node: Any) -> Any:
        """What the dialect writes or counts otherwise than sqlglot's translation says."""
        for rewrite in (self.rewrites, _of_any):
            found = rewrite(node)
            if found is not node:
                return found
        if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)) and unit_of(node) in _UNITS:
            return piece(f"date_trunc('{_UNITS[unit_of(node)]}', x)", x=node.this)
        if self.dates_stay and isinstance(node, _PARTS):
            # DuckDB's are too wide to be taken from a date.
            return piece("CAST(x AS INTEGER)", x=node)
        if self.dates_stay and isinstance(node, (exp.Add, exp.Sub)) and _is_moved_date(node):
            return piece("CAST(x AS DATE)", x=node)
        return node
