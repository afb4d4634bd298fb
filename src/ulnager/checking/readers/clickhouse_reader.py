"""How the dialect is read of ClickHouse."""

from __future__ import annotations

from typing import Any

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import Unclear, piece, unit_of, week_from


def _of_clickhouse(node: Any) -> Any:
    if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        is_long = unit_of(node) in ("WEEK", "MONTH", "QUARTER", "YEAR")
        return piece("CAST(x AS DATE)", x=node) if is_long else node
    if not isinstance(node, exp.Anonymous):
        return node
    args = node.expressions
    forms = {
        "tostartofmonth": "date_trunc('month', x)",
        "tomonday": "date_trunc('week', x)",
        "tostartofquarter": "date_trunc('quarter', x)",
        "tostartofyear": "date_trunc('year', x)",
        "todate": "CAST(x AS DATE)",
        "todate32": "CAST(x AS DATE)",
        "todayofweek": "CAST(isodow(x) AS INTEGER)",
        "tomonth": "CAST(month(x) AS INTEGER)",
        "toyear": "CAST(year(x) AS INTEGER)",
        "toyyyymm": "CAST(year(x) * 100 + month(x) AS INTEGER)",
        "toyyyymmdd": "CAST(year(x) * 10000 + month(x) * 100 + day(x) AS INTEGER)",
        "toisoweek": "CAST(week(x) AS INTEGER)",
        "toisoyear": "CAST(isoyear(x) AS INTEGER)",
        "addmonths": "CAST(x + to_months(y) AS DATE)",
        "subtractmonths": "CAST(x - to_months(y) AS DATE)",
        "adddays": "x + to_days(y)",
        "subtractdays": "x - to_days(y)",
    }
    if node.name.lower() == "yesterday":
        return piece("a - 1")
    if node.name.lower() == "tostartofweek" and args:
        # Mode 0 begins on a Sunday, mode 1 on a Monday; the others as these do.
        mode = args[1].name if len(args) > 1 else "0"
        if mode not in ("0", "1", "2", "3"):
            raise Unclear(f"the mode {mode} of toStartOfWeek is not known here")
        return week_from(args[0], "MONDAY" if mode in ("1", "3") else "SUNDAY")
    form = forms.get(node.name.lower())
    if form is None or not args:
        return node
    return piece(form, x=args[0], **({"y": args[1]} if len(args) > 1 else {}))


CLICKHOUSE = Reader(
    "clickhouse",
    (
        "tostartofmonth",
        "tomonday",
        "today",
        "tostartofquarter",
        "tostartofyear",
        "addmonths",
        "subtractmonths",
        "yesterday",
        "adddays",
        "subtractdays",
        "todate",
        "todate32",
        "todayofweek",
        "tomonth",
        "toyear",
        "toyyyymm",
        "toyyyymmdd",
        "toisoweek",
        "toisoyear",
        "tostartofweek",
    ),
    _of_clickhouse,
    by_edges=True,
    dates_stay=True,
)
