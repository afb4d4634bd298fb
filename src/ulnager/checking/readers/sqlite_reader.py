"""How the dialect is read of SQLite."""

from __future__ import annotations

import re
from typing import Any, Final

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import Unclear, piece

MACROS: Final = (
    "over_months_(x, n) AS date_trunc('month', x) + to_months(n) + (x - date_trunc('month', x))",
)
"""Functions of our own, so that what stands in them is written once: months that overflow into the
next, as SQLite counts them."""


_MOVED: Final = re.compile(r"([+-]?\d+(?:\.\d+)?)\s+(day|month|year|hour|minute|second)s?")


_ARITHMETIC: Final = (exp.Add, exp.Sub, exp.Mod, exp.Div, exp.Mul)


def _of_sqlite(node: exp.Expression) -> exp.Expression:
    """SQLite's functions of dates, whose months overflow into the next and do not clamp."""
    if isinstance(node, exp.Anonymous):
        name, args = node.name.lower(), node.expressions
    elif type(node).__name__ in ("Date", "TsOrDsToDate", "Datetime"):
        name = "date" if type(node).__name__ != "Datetime" else "datetime"
        args = [
            one
            for one in (node.this, node.args.get("zone"), node.expression, *node.expressions)
            if one is not None
        ]
    elif isinstance(node, exp.TimeToStr) and isinstance(node.parent, _ARITHMETIC):
        # SQLite takes the text for the number that it is when it counts with it.
        return piece(
            "CAST(x AS INTEGER)",
            x=exp.Anonymous(this="strftime", expressions=[node.this, node.args["format"].copy()]),
        )
    elif isinstance(node, exp.TsOrDsToTimestamp):
        return _modified(node.this, [], is_date=False)
    else:
        return node
    if name == "julianday" and args:
        moment = _modified(args[0], args[1:], is_date=False)
        return piece("(epoch(CAST(x AS TIMESTAMP)) / 86400.0 + 2440587.5)", x=moment)
    if name == "strftime" and args:
        return _strftime(args[0].name, args[1], args[2:])
    if name not in ("date", "datetime") or not args:
        return node
    return _modified(args[0], args[1:], is_date=name == "date")


def _modified(
    first: exp.Expression, modifiers: list[exp.Expression], *, is_date: bool
) -> exp.Expression:
    is_now = isinstance(first, exp.Literal) and first.name.lower() == "now"
    day: exp.Expression = exp.column("n") if is_now else first
    day = piece("CAST(x AS TIMESTAMP)", x=day)
    for modifier in modifiers:
        if not isinstance(modifier, exp.Literal):
            day = _put_together(day, modifier)
            continue
        text = modifier.name.lower().strip()
        if text in ("localtime", "utc", "auto"):
            continue
        if text.startswith("start of "):
            day = piece(f"date_trunc('{text.removeprefix('start of ')}', x)", x=day)
        elif text.startswith("weekday "):
            day = piece(f"x + to_days((({int(text[8:])} - dayofweek(x) + 7) % 7)::INT)", x=day)
        elif match := _MOVED.fullmatch(text):
            day = _moved(day, match[1], match[2])
        else:
            raise Unclear(f"the modifier {text!r} of SQLite is not known here")
    return piece("CAST(x AS DATE)", x=day) if is_date else day


def _put_together(day: exp.Expression, modifier: exp.Expression) -> exp.Expression:
    """A modifier such as ``'-' || 3 || ' days'``."""
    left = modifier.this if isinstance(modifier, exp.DPipe) else None
    if not isinstance(left, exp.DPipe):
        raise Unclear("a modifier of SQLite is no text")
    sign, count, unit = left.this, left.expression, modifier.expression
    form = {"days": "to_days", "day": "to_days", "months": "to_months", "month": "to_months"}.get(
        unit.name.strip()
    )
    if sign.name not in ("-", "+") or form is None:
        raise Unclear("a modifier of SQLite is no text")
    if form == "to_days":
        return piece(f"x {sign.name} to_days(CAST(y AS INTEGER))", x=day, y=count)
    return piece(f"over_months_(x, {sign.name}CAST(y AS INTEGER))", x=day, y=count)


def _moved(day: exp.Expression, count: str, unit: str) -> exp.Expression:
    if unit not in ("month", "year"):
        return piece(f"x + INTERVAL ({count}) {unit}", x=day)
    if "." in count:
        raise Unclear("SQLite takes parts of months by a length of its own")
    months = int(count) * (12 if unit == "year" else 1)
    return piece(f"over_months_(x, {months})", x=day)


def _strftime(form: str, day: exp.Expression, modifiers: Any = ()) -> exp.Expression:
    if not re.fullmatch(r"[-/ ]*(%[YmdjwHMS][-/: ]*)+", form):
        raise Unclear(f"the form {form!r} of strftime is not known here")
    moved = _modified(day, list(modifiers), is_date=False)
    return exp.Anonymous(this="strftime", expressions=[moved, exp.Literal.string(form)])


SQLITE = Reader("sqlite", ("date", "datetime", "strftime", "julianday"), _of_sqlite)
