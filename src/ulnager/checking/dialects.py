"""What dialects write or count otherwise than DuckDB does, put into DuckDB's words: a row each."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, Final, NamedTuple

import sqlglot
from sqlglot import exp

from ulnager.core.errors import FilterError
from ulnager.core.units import WEEKDAYS

WEEKS: Final = ("WEEK", "WK", "WW")
DIFFERENCES: Final = ("DateDiff", "DatetimeDiff", "TsOrDsDiff", "TimestampDiff")


class Unclear(FilterError):  # noqa: N818
    """A condition that cannot be translated for certain."""


def unit_of(node: Any) -> str:
    found = node.args.get("unit")
    return "" if found is None else found.sql().upper().strip("'\"")


def _sql(text: str, **parts: exp.Expression) -> exp.Expression:
    """A piece of DuckDB with expressions in it."""
    tree = sqlglot.parse_one(text, read="duckdb")

    def put(node: exp.Expression) -> exp.Expression:
        if isinstance(node, exp.Column) and node.name in parts:
            return exp.Paren(this=parts[node.name].copy())
        return node

    found: exp.Expression = tree.transform(put)
    return exp.Paren(this=found)


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


def _last_day_kept(day: exp.Expression, months: exp.Expression) -> exp.Expression:
    return _sql(
        "CASE WHEN CAST(x AS DATE) = last_day(x) THEN last_day(x + to_months(n_)) "
        "ELSE CAST(x + to_months(n_) AS DATE) END",
        x=day,
        n_=months,
    )


def _of_clickhouse(node: Any) -> Any:
    if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        is_long = unit_of(node) in ("WEEK", "MONTH", "QUARTER", "YEAR")
        return _sql("CAST(x AS DATE)", x=node) if is_long else node
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
        return _sql("a - 1")
    if node.name.lower() == "tostartofweek" and args:
        # Mode 0 begins on a Sunday, mode 1 on a Monday; the others as these do.
        mode = args[1].name if len(args) > 1 else "0"
        if mode not in ("0", "1", "2", "3"):
            raise Unclear(f"the mode {mode} of toStartOfWeek is not known here")
        return _week_from(args[0], "MONDAY" if mode in ("1", "3") else "SUNDAY")
    form = forms.get(node.name.lower())
    if form is None or not args:
        return node
    return _sql(form, x=args[0], **({"y": args[1]} if len(args) > 1 else {}))


def _of_tsql(node: Any) -> Any:
    if isinstance(node, (exp.DateAdd, exp.TsOrDsAdd)) and _number(node.this) is not None:
        # A whole number is that many days from 1900-01-01.
        node.set("this", _sql(f"TIMESTAMP '1900-01-01' + to_days({_number(node.this)})"))
    if type(node).__name__ in DIFFERENCES and unit_of(node) in WEEKS:
        # The Sundays between, whatever the server's first day of the week is.
        sunday = "date_trunc('week', CAST({} AS DATE) + 1)"
        apart = f"date_diff('day', {sunday.format('x')}, {sunday.format('y')}) // 7"
        return _sql(apart, x=node.args["expression"], y=node.this)
    if isinstance(node, exp.Anonymous) and node.name.lower() == "datetrunc":
        unit = node.expressions[0].name.lower()
        if unit in ("week", "wk", "ww"):
            raise Unclear("the first day of the week hangs on a setting of the server")
        unit = "week" if unit == "iso_week" else unit
        return _sql(f"date_trunc('{unit}', x)", x=node.expressions[1])
    if type(node).__name__ == "Convert":
        if node.this.this != exp.DataType.Type.DATE:
            raise Unclear("CONVERT() to anything but a date is not known here")
        return _sql("CAST(x AS DATE)", x=node.expression)
    if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        if unit_of(node) in WEEKS:
            raise Unclear("the first day of the week hangs on a setting of the server")
        if unit_of(node) in ("ISO_WEEK", "ISOWK", "ISOWW"):
            return _sql("date_trunc('week', x)", x=node.this)
    return _moved_by_days(node)


def _number(node: Any) -> int | None:
    while isinstance(node, (exp.Paren, exp.Cast)):
        node = node.this
    is_number = isinstance(node, exp.Literal) and not node.is_string and node.name.isdigit()
    return int(node.name) if is_number else None


_COMPARED: Final = (exp.GTE, exp.GT, exp.LT, exp.LTE, exp.Between)


def _mysql_week(node: Any) -> Any:
    """Weeks by their number in a year, 0 for days before the first one."""
    mode = "0" if node.args.get("mode") is None else node.args["mode"].name
    if mode == "3":
        return _sql("CAST(week(x) AS INTEGER)", x=node.this)
    if mode == "1":
        return _sql(
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
            return _sql("CAST(x AS DATE)", x=node)
    _iso_weeks(node)
    if isinstance(node, exp.Week):
        return _mysql_week(node)
    if isinstance(node, (exp.Add, exp.Sub)) and _number(node.expression) is not None:
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
            return _sql("date_trunc('week', CAST(x AS TIMESTAMP) + INTERVAL 1 DAY)", x=args[0])
        return _sql("date_trunc('week', x)", x=args[0])
    if name == "makedate":
        return _sql("make_date(CAST(x AS INT), 1, 1) + (CAST(y AS INT) - 1)", x=args[0], y=args[1])
    if name == "adddate" and len(args) == 2:
        if isinstance(args[1], exp.Interval):
            return _sql("CAST(x + y AS DATE)", x=args[0], y=args[1])
        return _sql("CAST(x + to_days(CAST(y AS INTEGER)) AS DATE)", x=args[0], y=args[1])
    if name == "period_diff" and len(args) == 2:
        months = "(CAST({0} AS INTEGER) // 100 * 12 + CAST({0} AS INTEGER) % 100)"
        return _sql(f"{months.format('x')} - {months.format('y')}", x=args[0], y=args[1])
    if name == "to_days":
        return _sql("date_diff('day', DATE '0001-01-01', CAST(x AS DATE))", x=args[0])
    if name == "weekday":
        return _sql("(isodow(x) - 1)", x=args[0])
    return node


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
        return _sql(
            "CAST(x AS INTEGER)",
            x=exp.Anonymous(this="strftime", expressions=[node.this, node.args["format"].copy()]),
        )
    elif isinstance(node, exp.TsOrDsToTimestamp):
        return _modified(node.this, [], is_date=False)
    else:
        return node
    if name == "julianday" and args:
        moment = _modified(args[0], args[1:], is_date=False)
        return _sql("(epoch(CAST(x AS TIMESTAMP)) / 86400.0 + 2440587.5)", x=moment)
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
    day = _sql("CAST(x AS TIMESTAMP)", x=day)
    for modifier in modifiers:
        if not isinstance(modifier, exp.Literal):
            day = _put_together(day, modifier)
            continue
        text = modifier.name.lower().strip()
        if text in ("localtime", "utc", "auto"):
            continue
        if text.startswith("start of "):
            day = _sql(f"date_trunc('{text.removeprefix('start of ')}', x)", x=day)
        elif text.startswith("weekday "):
            day = _sql(f"x + to_days((({int(text[8:])} - dayofweek(x) + 7) % 7)::INT)", x=day)
        elif match := _MOVED.fullmatch(text):
            day = _moved(day, match[1], match[2])
        else:
            raise Unclear(f"the modifier {text!r} of SQLite is not known here")
    return _sql("CAST(x AS DATE)", x=day) if is_date else day


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
        return _sql(f"x {sign.name} to_days(CAST(y AS INTEGER))", x=day, y=count)
    return _sql(f"over_months_(x, {sign.name}CAST(y AS INTEGER))", x=day, y=count)


def _moved(day: exp.Expression, count: str, unit: str) -> exp.Expression:
    if unit not in ("month", "year"):
        return _sql(f"x + INTERVAL ({count}) {unit}", x=day)
    if "." in count:
        raise Unclear("SQLite takes parts of months by a length of its own")
    months = int(count) * (12 if unit == "year" else 1)
    return _sql(f"over_months_(x, {months})", x=day)


def _strftime(form: str, day: exp.Expression, modifiers: Any = ()) -> exp.Expression:
    if not re.fullmatch(r"[-/ ]*(%[YmdjwHMS][-/: ]*)+", form):
        raise Unclear(f"the form {form!r} of strftime is not known here")
    moved = _modified(day, list(modifiers), is_date=False)
    return exp.Anonymous(this="strftime", expressions=[moved, exp.Literal.string(form)])


def _of_spark(node: Any) -> Any:
    if isinstance(node, exp.Concat):
        dated = [
            _sql("CAST(x AS DATE)", x=one) if _is_temporal(one) else one for one in node.expressions
        ]
        node.set("expressions", dated)
        return node
    is_weekday = isinstance(node, exp.Anonymous) and node.name.lower() == "weekday"
    return _sql("(isodow(x) - 1)", x=node.expressions[0]) if is_weekday else _from_sunday(node)


_WEEKDAYS: Final = {name.upper(): place for place, name in enumerate(WEEKDAYS, 1)}


def _week_from(day: exp.Expression, weekday: str) -> exp.Expression:
    """The start of a week that begins on a weekday."""
    place = _WEEKDAYS.get(weekday.upper())
    if place is None:
        raise Unclear(f"{weekday} is no weekday that is known here")
    return _sql(f"date_trunc('day', x) - to_days(((isodow(x) - {place} + 7) % 7)::INT)", x=day)


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


def _of_snowflake(node: Any) -> Any:
    if isinstance(node, exp.Anonymous) and node.name.lower() == "to_timestamp_tz":
        if _is_temporal(node.expressions[0]) or isinstance(node.expressions[0], exp.Literal):
            return _sql("CAST(x AS TIMESTAMPTZ)", x=node.expressions[0])
        return _sql("to_timestamp(x)", x=node.expressions[0])
    return _months_to_the_last(_unquoted(node))


def _of_trino(node: Any) -> Any:
    if isinstance(node, exp.Anonymous) and node.name.lower() == "with_timezone":
        return _sql("(x AT TIME ZONE y)", x=node.expressions[0], y=node.expressions[1])
    return _iso_weeks(node)


def _iso_weeks(node: Any) -> Any:
    """The sign for a week of ISO 8601, which is another one in DuckDB."""
    if isinstance(node, exp.TimeToStr) and "%v" in node.args["format"].name:
        node.args["format"].set("this", node.args["format"].name.replace("%v", "%V"))
    return node


def _unquoted(node: Any) -> Any:
    """What stands in double quotes in the form of a date is itself."""
    if isinstance(node, exp.TimeToStr) and '"' in node.args["format"].name:
        node.args["format"].set("this", node.args["format"].name.replace('"', ""))
    return node


def _of_oracle(node: Any) -> Any:
    if isinstance(node, exp.Cast) and node.to.this == exp.DataType.Type.DATE:
        return _sql("CAST(x AS TIMESTAMP)", x=node.this)  # A date has a time there.
    if isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        by = unit_of(node)
        if by in ("D", "DAY", "DY"):
            raise Unclear(
                "the first day of TRUNC(…, 'D') hangs on the territory of the session; write 'IW'"
            )
        unit = _ORACLE_UNITS.get(by or "DD")
        if unit is None:
            raise Unclear(f"TRUNC(…, {by!r}) is not known here")
        return _sql(f"date_trunc('{unit}', x)", x=node.this)
    if isinstance(node, exp.Anonymous):
        form = _ORACLE_CALLS.get((node.name.lower(), len(node.expressions)))
        return (
            node if form is None else _sql(form, **dict(zip("xy", node.expressions, strict=False)))
        )
    if type(node).__name__ == "NextDay":
        place = _WEEKDAYS.get(node.expression.name.upper())
        if place is None:
            raise Unclear("the names of weekdays hang on the language of the session")
        return _sql(f"x + to_days(((({place} - isodow(x)) + 6) % 7 + 1)::INT)", x=node.this)
    if isinstance(node, exp.Sub) and _may_be_day(node.this) and _may_be_day(node.expression):
        # The days between, with parts of a day.
        apart = "(epoch(CAST(x AS TIMESTAMP)) - epoch(CAST(y AS TIMESTAMP))) / 86400.0"
        return _sql(apart, x=node.this, y=node.expression)
    return _moved_by_days(_months_to_the_last(_unquoted(node)))


def _may_be_day(node: Any) -> bool:
    """Whether a node is a date, or the column of one."""
    while isinstance(node, exp.Paren):
        node = node.this
    return (isinstance(node, exp.Column) and node.name == "d_") or _is_temporal(node)


_TEMPORAL: Final = (
    exp.CurrentDate,
    exp.CurrentTimestamp,
    exp.DateTrunc,
    exp.TimestampTrunc,
    exp.AddMonths,
    exp.LastDay,
    exp.TsOrDsAdd,
    exp.DateAdd,
    exp.DateSub,
    exp.DateFromUnixDate,
    exp.DateStrToDate,
)


def _is_temporal(node: Any) -> bool:
    """Whether a node is a date or a time."""
    while isinstance(node, exp.Paren):
        node = node.this
    if isinstance(node, exp.Cast):
        return node.to.this in exp.DataType.TEMPORAL_TYPES
    if isinstance(node, (exp.Least, exp.Greatest)):
        return _is_temporal(node.this)
    if isinstance(node, exp.Case):
        return all(_is_temporal(one.args["true"]) for one in node.args["ifs"])
    if isinstance(node, (exp.Add, exp.Sub)):
        return _is_temporal(node.this) and not _is_temporal(node.expression)
    return isinstance(node, _TEMPORAL) or _is_rewritten(node)


def _moved_by_days(node: Any) -> Any:
    """A whole number that is added to a date is days."""
    if not isinstance(node, (exp.Add, exp.Sub)):
        return node
    by = node.expression
    while isinstance(by, exp.Paren):
        by = by.this
    if not _is_temporal(node.this):
        return node
    sign = "+" if isinstance(node, exp.Add) else "-"
    if isinstance(by, exp.Div):  # Days of two dates apart, which may have parts.
        return _sql(f"x {sign} to_seconds(CAST(y * 86400 AS BIGINT))", x=node.this, y=by)
    if not isinstance(by, exp.Mod) and _number(by) is None:
        return node
    return _sql(f"x {sign} to_days(CAST(y AS INTEGER))", x=node.this, y=node.expression)


def _is_rewritten(node: Any) -> bool:
    """Whether a node is a date for certain, once it was put into DuckDB's words."""
    return isinstance(node, exp.Column) and node.name in ("a", "n")


def _from_sunday(node: Any) -> Any:
    """Weekdays from 1 for Sunday, as EXTRACT gives them."""
    is_weekday = isinstance(node, exp.Extract) and node.this.name.upper() == "DAYOFWEEK"
    return _sql("CAST(dayofweek(x) + 1 AS INTEGER)", x=node.expression) if is_weekday else node


def _of_bigquery(node: Any) -> Any:
    if isinstance(node, exp.Extract):
        return _from_sunday(node)
    if not isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        return node
    unit = node.args.get("unit")
    if type(unit).__name__ == "WeekStart":
        return _week_from(node.this, getattr(unit, "this").name)  # noqa: B009
    by = unit_of(node)
    if by in ("WEEK", "WEEK(SUNDAY)"):
        return _sql("date_trunc('day', x) - to_days(extract('dow' FROM x)::INT)", x=node.this)
    return _sql("date_trunc('week', x)", x=node.this) if by == "WEEK(MONDAY)" else node


def _of_redshift(node: Any) -> Any:
    if isinstance(node, exp.Trunc) and node.args.get("decimals") is None:
        return _sql("CAST(x AS DATE)", x=node.this)
    return _moved_by_days(_unquoted(node))


def _months_to_the_last(node: Any) -> Any:
    """The last day of a month stays a last day."""
    return _last_day_kept(node.this, node.expression) if isinstance(node, exp.AddMonths) else node


_FORMS: Final = (
    ("IYYY", "%G"), ("YYYY", "%Y"), ("MM", "%m"), ("DDD", ""), ("DD", "%d"), ("IW", "%V"),
)  # fmt: skip
"""Pieces of dates in the forms of TO_CHAR, with those of strftime; an empty one is not known."""


def _kept_apart(match: re.Match[str]) -> str:
    """Signs that are no pieces of a form, out of reach of those that are."""
    return "".join(chr(0xE000 + ord(sign)) for sign in match[0][1:-1])


def _of_any(node: Any) -> Any:
    """What several dialects write alike, and DuckDB otherwise."""
    if isinstance(node, exp.ToChar) and node.args.get("format") is not None:
        # What stands in double quotes is itself.
        form = re.sub(r'"[^"]*"', _kept_apart, node.args["format"].name.upper())
        for piece, other in _FORMS:
            if piece in form and not other:
                raise Unclear(f"the form {form!r} of TO_CHAR is not known here")
            form = form.replace(piece, other)
        if re.search(r"[A-Z]", re.sub(r"%[A-Za-z]", "", form)):
            raise Unclear(f"the form {node.args['format'].name!r} of TO_CHAR is not known here")
        form = re.sub("[\ue000-\uf000]", lambda sign: chr(ord(sign[0]) - 0xE000), form)
        call = exp.Anonymous(
            this="strftime", expressions=[exp.column("x"), exp.Literal.string(form)]
        )
        return _sql(call.sql(dialect="duckdb"), x=node.this)
    if isinstance(node, exp.Extract):
        part = _EXTRACTS.get(node.this.name.upper())
        return node if part is None else _sql(part, x=node.expression)
    if isinstance(node, exp.Pad) and not isinstance(node.this, exp.Literal):
        node.set("this", _sql("CAST(x AS VARCHAR)", x=node.this))
        return node
    if isinstance(node, exp.Interval) and node.args.get("unit") is None:
        return _of_several(node)
    if type(node).__name__ == "ArrayContainsAll":
        ends = node.this
        is_range = isinstance(ends, exp.Anonymous) and ends.name.lower() == "daterange"
        if not is_range or len(ends.expressions) != 2:
            raise Unclear("ranges other than daterange(first, stop) are not known here")
        first, stop = ends.expressions
        return _sql("d >= x AND d < y", d=node.expression, x=first, y=stop)
    return node


_EXTRACTS: Final = {
    "ISOWEEK": "CAST(week(x) AS INTEGER)",
    "ISOYEAR": "CAST(isoyear(x) AS INTEGER)",
    "YEAR_MONTH": "CAST(year(x) * 100 + month(x) AS INTEGER)",
}


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
    return _sql(f"to_months({months}) + to_days({days})")


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
            return _sql(f"date_trunc('{_UNITS[unit_of(node)]}', x)", x=node.this)
        if self.dates_stay and isinstance(node, _PARTS):
            # DuckDB's are too wide to be taken from a date.
            return _sql("CAST(x AS INTEGER)", x=node)
        if self.dates_stay and isinstance(node, (exp.Add, exp.Sub)) and _is_moved_date(node):
            return _sql("CAST(x AS DATE)", x=node)
        return node


_MYSQL: Final = Reader(
    "mysql", ("yearweek", "makedate", "to_days", "weekday", "adddate", "period_diff"), _of_mysql
)
READERS: Final = {
    "duckdb": Reader(
        "duckdb",
        ("make_date", "to_months", "to_days", "to_weeks", "to_years", "isodow", "yearweek"),
        by_edges=True,
    ),
    "postgresql": Reader("postgres", ("make_date", "daterange"), _unquoted),
    "sqlite": Reader("sqlite", ("date", "datetime", "strftime", "julianday"), _of_sqlite),
    "mysql": _MYSQL,
    "mariadb": _MYSQL,
    "spark": Reader("spark", ("dayofweek", "weekday"), _of_spark),
    "databricks": Reader("databricks", ("dayofweek", "weekday"), _of_spark),
    "trino": Reader("trino", ("with_timezone",), _of_trino),
    "clickhouse": Reader(
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
    ),
    # It reads as PostgreSQL does, and counts with dates otherwise.
    "datafusion": Reader("postgres", dates_stay=True),
    "mssql": Reader("tsql", ("datetrunc",), _of_tsql, by_edges=True, weeks_hang=True),
    "bigquery": Reader("bigquery", rewrites=_of_bigquery, by_edges=True),
    "snowflake": Reader(
        "snowflake", ("to_timestamp_tz",), _of_snowflake, by_edges=True, weeks_hang=True
    ),
    "redshift": Reader("redshift", rewrites=_of_redshift, by_edges=True),
    "oracle": Reader(
        "oracle", ("trunc", "from_tz", "sys_extract_utc"), _of_oracle, has_time="sysdate"
    ),
}
_BY_PARSER: Final = {one.reads: one for name, one in READERS.items() if name != "datafusion"}
_COMMON: Final = tuple(name for name in READERS if name not in ("redshift", "oracle"))


def reader_of(name: str) -> Reader:
    """How a dialect is read; FilterError for one that there is not."""
    known = READERS.get(name.lower()) or _BY_PARSER.get(name.lower())
    if known is None and name.lower() in {one.value for one in sqlglot.Dialects}:
        return Reader(name.lower())
    if known is None:
        raise FilterError(f"there is no dialect {name!r}; take one such as {', '.join(_COMMON)}")
    return known
