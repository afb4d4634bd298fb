"""How the dialect is read of MySQL and MariaDB."""

from __future__ import annotations

import re
from typing import Any, Final

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import Unclear, iso_weeks, number_of, piece

_COMPARED: Final = (exp.GTE, exp.GT, exp.LT, exp.LTE, exp.Between)


def _mysql_week(node: Any) -> Any:
    """Weeks by their number in a year, 0 for days before the first one."""
    mode = "0" if node.args.get("mode") is None else node.args["mode"].name
    if mode == "3":
        return piece("CAST(week(x) AS INTEGER)", x=node.this)
    if mode == "1":
        return piece(
            "CASE WHEN isoyear(x) < year(x) THEN 0 WHEN isoyear(x) > year(x) THEN 53 "
            "ELSE CAST(week(x) AS INTEGER) END",
            x=node.this,
        )
    raise Unclear(f"the mode {mode} of WEEK() is not known here")


def _of_mysql(node: Any) -> Any:
    if isinstance(node, exp.TimeToStr) and isinstance(node.parent, _COMPARED):
        # The text of a date, compared with one.
        others = [one for one in node.parent.find_all(exp.TimeToStr) if one is not node]
        form = node.args["format"].name
        if not others and re.fullmatch(r"%Y-(%m|\d\d)-(%d|\d\d)", form):
            return piece("CAST(x AS DATE)", x=node)
    iso_weeks(node)
    if isinstance(node, exp.Week):
        return _mysql_week(node)
    if isinstance(node, (exp.Add, exp.Sub)) and number_of(node.expression) is not None:
        left = node.this
        while isinstance(left, exp.Paren):
            left = left.this
        if isinstance(left, (exp.CurrentDate, exp.CurrentTimestamp)):
            raise Unclear(
                "a date and a number give a number there, and no date; write INTERVAL 7 DAY"
            )
    if not isinstance(node, exp.Anonymous):
        return node
    args, name = node.expressions, node.name.lower()
    if name == "yearweek":
        mode = args[1].name if len(args) > 1 else "0"
        if mode not in ("1", "3"):
            # Weeks from Sunday; which year has one does not matter where two are compared.
            return piece("date_trunc('week', CAST(x AS TIMESTAMP) + INTERVAL 1 DAY)", x=args[0])
        return piece("date_trunc('week', x)", x=args[0])
    if name == "makedate":
        return piece("make_date(CAST(x AS INT), 1, 1) + (CAST(y AS INT) - 1)", x=args[0], y=args[1])
    if name == "adddate" and len(args) == 2:
        if isinstance(args[1], exp.Interval):
            return piece("CAST(x + y AS DATE)", x=args[0], y=args[1])
        return piece("CAST(x + to_days(CAST(y AS INTEGER)) AS DATE)", x=args[0], y=args[1])
    if name == "period_diff" and len(args) == 2:
        months = "(CAST({0} AS INTEGER) // 100 * 12 + CAST({0} AS INTEGER) % 100)"
        return piece(f"{months.format('x')} - {months.format('y')}", x=args[0], y=args[1])
    if name == "to_days":
        return piece("date_diff('day', DATE '0001-01-01', CAST(x AS DATE))", x=args[0])
    if name == "weekday":
        return piece("(isodow(x) - 1)", x=args[0])
    return node


MYSQL = Reader(
    "mysql", ("yearweek", "makedate", "to_days", "weekday", "adddate", "period_diff"), _of_mysql
)
