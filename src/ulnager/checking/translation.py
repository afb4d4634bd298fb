"""Date conditions of many dialects as one of DuckDB, over a day ``d`` and the clock's day ``a``.

sqlglot reads the dialect and writes DuckDB; what a dialect counts otherwise than DuckDB does is put
right here. What cannot be told is an error, never a guess.
"""

from __future__ import annotations

import contextlib
import logging
import re
from collections.abc import Iterator
from typing import Any, Final

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from ulnager.checking.readers import reader_of
from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import DIFFERENCES, WEEKS, Unclear, unit_of
from ulnager.core.errors import FilterError
from ulnager.filters.columns import COLUMN_TYPES

_TODAY: Final = ("current_date", "curdate", "today")
_NOW: Final = (
    "now",
    "getdate",
    "sysdatetime",
    "getutcdate",
    "sysutcdatetime",
    "sysdate",
    "localtimestamp",
    "current_datetime",
    "utc_timestamp",
    "sysdatetimeoffset",
    "statement_timestamp",
    "transaction_timestamp",
    "clock_timestamp",
    "now64",
    "systimestamp",
)
TYPES: Final = tuple(COLUMN_TYPES)
"""What a column of a condition may hold."""
_SIZE: Final = 20_000


@contextlib.contextmanager
def quiet() -> Iterator[None]:
    """While sqlglot keeps its remarks to itself."""
    logger = logging.getLogger("sqlglot")
    before, logger.disabled = logger.disabled, True
    try:
        yield
    finally:
        logger.disabled = before


def told_by(error: Exception) -> str:
    """What sqlglot says of a text that it cannot read, in words."""
    told = re.sub(r"\x1b\[\d+m", "", str(error)).split("\n")[0]
    return re.sub(r"Required keyword: .* missing for <class .*?>", "something is missing", told)


def parsed(text: str, dialect: str) -> Any:
    """A condition as a tree; FilterError for what cannot be read, or is more than one."""
    if len(text) > _SIZE:
        raise FilterError(f"the condition has {len(text):,} signs; at most {_SIZE:,} are read")
    name = reader_of(dialect).reads
    stripped = text.strip().rstrip(";")
    if re.match(r"(?is)\s*(select|with)\b", stripped) is None:
        stripped = f"SELECT 1 FROM t WHERE {re.sub(r'(?is)^where ', '', stripped)}"
    try:
        with quiet():
            trees = sqlglot.parse(stripped, read=name)
    except RecursionError:
        raise FilterError("the condition is nested too deeply") from None
    except (SqlglotError, ValueError) as error:
        raise FilterError(f"this is no condition of {dialect}: {told_by(error)}") from None
    if len(trees) != 1 or trees[0] is None:
        raise FilterError("give one condition")
    found = trees[0].find(exp.Where)
    if found is None or not isinstance(trees[0], exp.Select):
        raise FilterError("there is no condition; give what stands after WHERE")
    return found.this


def columns_of(condition: Any) -> list[str]:
    """The columns that a condition speaks of."""
    found = [one for one in condition.find_all(exp.Column) if not _is_clock(one)]
    return list(dict.fromkeys(one.sql().lower() for one in found))


def _is_clock(node: Any) -> bool:
    return (
        isinstance(node, exp.Column)
        and not node.table
        and node.name.lower() in (*_TODAY, *_NOW, "current_timestamp")
    )


def is_clock(node: exp.Expression) -> bool:
    """Whether a node is the present day or instant."""
    clocks = (exp.CurrentDate, exp.CurrentTimestamp, exp.CurrentDatetime, exp.CurrentTime)
    if isinstance(node, clocks) or _is_clock(node):
        return True
    name = type(node).__name__
    if name in ("Localtimestamp", "UtcTimestamp", "UtcDate", "CurrentTimestampLTZ", "Systimestamp"):
        return True
    return isinstance(node, exp.Anonymous) and node.name.lower() in (*_TODAY, *_NOW)


def is_day_clock(node: exp.Expression) -> bool:
    """Whether a node is the present day, and not the instant."""
    return isinstance(node, exp.CurrentDate) or node.name.lower() in _TODAY


_EDGES: Final = {exp.Max: "latest", exp.Min: "earliest"}


def measured(condition: Any) -> tuple[Any, str]:
    """A condition that asks for the newest or the first date of a table, with the clock's day in
    its place, and ``latest`` or ``earliest``; any other as it is, and no word.

    Raises Unclear for one that is measured from several of these days.
    """
    tree: Any = exp.Paren(this=condition.copy())
    found: dict[str, bool] = {}
    for node in list(tree.find_all(exp.Subquery)):
        word = _edge_of(node)
        if word and node.parent is not None:
            found[word] = True
            node.replace(exp.CurrentDate())
    if not found or tree.find(exp.Select) is not None:
        return condition, ""
    clocks = [one for one in condition.walk() if is_clock(one)]
    if clocks or len(found) > 1:
        raise Unclear("it is measured from several days: the clock's, the data's first or newest")
    return tree, next(iter(found))


def within_data(condition: Any) -> tuple[Any, bool]:
    """A condition without the bounds that cut it to what a table holds, and whether it had one:
    ``d <= (SELECT max(d) FROM t)`` or ``min``; as it is where the rest asks for these, too."""
    todo, rest, is_cut = [condition], [], False
    while todo:
        term = todo.pop()
        if isinstance(term, exp.Paren):
            todo.append(term.this)
        elif isinstance(term, exp.And):
            todo += [term.expression, term.this]
        elif isinstance(term, exp.Between):
            low, high = term.args["low"], term.args["high"]
            todo.append(exp.LTE(this=term.this.copy(), expression=high.copy()))
            todo.append(exp.GTE(this=term.this.copy(), expression=low.copy()))
        elif _is_edge_bound(term):
            is_cut = True
        else:
            rest.append(term.copy())
    if not is_cut or not rest or any(one.find(exp.Select) is not None for one in rest):
        return condition, False
    return exp.and_(*rest, copy=False), True


def _is_edge_bound(term: Any) -> bool:
    sides = {exp.LTE: "latest", exp.GTE: "earliest"}
    edge = term.expression if type(term) in sides else None
    is_edge = isinstance(edge, exp.Subquery) and isinstance(term.this, exp.Column)
    return is_edge and _edge_of(edge) == sides[type(term)]


def _edge_of(node: Any) -> str:
    """``latest`` for the newest date of a whole table, ``earliest`` for the first one."""
    select = node.this
    plain = {"expressions", "from_", "from", "kind", "operation_modifiers"}
    if (
        not isinstance(select, exp.Select)
        or len(select.expressions) != 1
        or any(value for name, value in select.args.items() if name not in plain)
    ):
        return ""
    edge: Any = select.expressions[0]
    source: Any = select.find(exp.From)
    is_table = source is not None and isinstance(source.this.this, exp.Identifier)
    is_column = type(edge) in _EDGES and isinstance(edge.this, exp.Column)
    return _EDGES.get(type(edge), "") if is_table and is_column else ""


_APART: Final = re.compile(r"(\d{4}-\d\d-\d\d[ T][\d:.]+) ?([+-]\d\d):?(\d\d)?")
"""A moment with its offset, which DuckDB reads where the two are not apart."""


def translated(condition: Any, dialect: str, column_type: str) -> Any:
    """The tree of a condition for DuckDB, with the columns ``d_`` for the date and ``a``, ``n`` for
    the clock.

    Raises Unclear for what DuckDB would count otherwise.
    """
    if condition.find(exp.Select, exp.Subquery, exp.Parameter, exp.Placeholder) is not None:
        raise Unclear("it asks another table, or has parameters")
    columns = columns_of(condition)
    if len(columns) != 1:
        raise Unclear(f"it speaks of {len(columns)} columns: {', '.join(columns) or 'none'}")
    tree = exp.Paren(this=condition.copy())
    for literal in list(tree.find_all(exp.Literal)):
        text = literal.name if literal.is_string else ""
        if re.fullmatch(r"(19|20)\d{6}", text) and column_type != "yyyymmdd":
            literal.replace(exp.Literal.string(f"{text[:4]}-{text[4:6]}-{text[6:]}"))
        elif offset := _APART.fullmatch(text):
            literal.replace(exp.Literal.string(f"{offset[1]}{offset[2]}:{offset[3] or '00'}"))
    with quiet():
        return _rewritten(tree, reader_of(dialect))


def _rewritten(wrapped: Any, reader: Reader) -> Any:
    _check(wrapped, reader)
    for rewrite in (_column, Reader.ours, _clock):
        # The innermost first, so that what is rewritten holds what was.
        for node in reversed(list(wrapped.bfs())):
            other = rewrite(reader, node)
            if other is not node:
                node.replace(other)
    return wrapped


def written(tree: Any) -> str:
    """A tree as DuckDB reads it; raises Unclear for what it has no words for."""
    try:
        with quiet():
            return str(tree.sql(dialect="duckdb", unsupported_level=sqlglot.ErrorLevel.RAISE))
    except RecursionError:
        raise Unclear("the condition is nested too deeply") from None
    except (SqlglotError, ValueError) as error:
        raise Unclear(f"it cannot be translated: {str(error).splitlines()[0]}") from None


def _column(reader: Reader, node: Any) -> Any:
    if isinstance(node, exp.Column) and not _is_clock(node):
        return exp.column("d_")
    return node


def _clock(reader: Reader, node: Any) -> Any:
    if not is_clock(node):
        return node
    is_day = is_day_clock(node) and (node.name.lower() or "-") != reader.has_time
    return exp.column("a" if is_day else "n")


_KIND_NAMES: Final = """
Abs Add AddMonths And Anonymous ArrayContainsAll AtTimeZone Between Boolean Case Cast Ceil Coalesce
Column Concat Convert ConvertTimezone CurrentDate CurrentDatetime CurrentTime CurrentTimestamp
CurrentTimestampLTZ DPipe DataType DataTypeParam Date DateAdd DateDiff DateFromParts
DateFromUnixDate DateStrToDate DateSub DateTrunc Datetime DatetimeAdd DatetimeDiff DatetimeSub
DatetimeTrunc Day DayOfMonth DayOfWeek DayOfWeekIso DayOfYear Distinct Div EQ Extract Floor GT GTE
Greatest Identifier If In IntDiv Interval IntervalSpan Is Kwarg LT LTE LastDay Least Literal
Localtimestamp MakeInterval Mod Month Mul NEQ Neg NextDay Not Null NullSafeEQ Or Pad Paren
PropertyEQ Quarter Right Round Sign StrToDate StrToTime Sub Systimestamp TimeStrToDate TimeStrToTime
TimeToStr TimeToUnix Timestamp TimestampAdd TimestampDiff TimestampFromParts TimestampSub
TimestampTrunc ToChar ToDays Trunc TryCast TsOrDsAdd TsOrDsDiff TsOrDsToDate TsOrDsToDateStr
TsOrDsToDatetime TsOrDsToTimestamp Tuple UnixSeconds UtcDate UtcTimestamp Var Week WeekOfYear
WeekStart Year YearOfWeek YearOfWeekIso
"""
_KINDS: Final = frozenset(_KIND_NAMES.split())
"""What a condition may be made of: comparisons, arithmetic, and functions of dates."""


def _check_difference(kind: str, by: str, reader: Reader) -> None:
    """Unclear for differences that DuckDB would count otherwise."""
    is_by_day = by in ("", "DAY", "DAYS", "D", "DD")
    if is_by_day and reader.reads == "mysql" and kind == "TimestampDiff":
        return  # Of dates, which have whole days between them.
    if is_by_day and not (kind == "TimestampDiff" and not reader.by_edges):
        return
    # Weeks of T-SQL are put right; elsewhere they begin on a day of their own.
    is_of_weeks = by in WEEKS or "WEEK" in by
    if reader.reads not in ("duckdb", "tsql") and (not reader.by_edges or is_of_weeks):
        told = by.lower() or "time"
        raise Unclear(f"how {reader.reads} counts {told} between two days is not told")


def _shown(node: Any) -> str:
    return f"{node.sql_name()}()" if isinstance(node, exp.Func) else type(node).__name__


def _check(tree: exp.Expression, reader: Reader) -> None:
    """Unclear where a dialect counts otherwise than is written here."""
    for node in tree.walk():
        kind = type(node).__name__
        is_call = isinstance(node, exp.Anonymous) and not is_clock(node)
        if kind not in _KINDS:
            raise Unclear(f"{_shown(node)} is not known here")
        if is_call and node.name.lower() not in reader.calls:
            raise Unclear(f"{node.name}() is not known here")
        if kind in DIFFERENCES:
            _check_difference(kind, unit_of(node), reader)
        # WEEKISO is a week of ISO 8601, whatever the setting is.
        if kind in ("Week", "DayOfWeek") and reader.weeks_hang:
            raise Unclear("the first day of the week hangs on a setting of the server")


def hoisted(tree: Any) -> tuple[str, tuple[str, ...]]:
    """A condition of DuckDB with what hangs on the clock alone under names, ``h_0`` and so on, and
    what these are: they are worked out once a day of the clock, and not once a date."""
    wrapped: Any = exp.Paren(this=tree.copy())
    found: list[str] = []
    _hoist(wrapped.this, found)
    return written(wrapped.this), tuple(found)


def _hoist(node: Any, found: list[str]) -> None:
    columns = {one.name for one in node.find_all(exp.Column)}
    if columns and "d_" not in columns and not isinstance(node, (exp.Column, exp.Interval)):
        text = written(node)
        if text not in found:
            found.append(text)
        node.replace(exp.column(f"h_{found.index(text)}"))
        return
    for child in list(node.iter_expressions()):
        _hoist(child, found)
