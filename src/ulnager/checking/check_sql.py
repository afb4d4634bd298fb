"""Checking SQL that people have: the date conditions of its statements, and what each is."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, timedelta
from itertools import islice
from typing import Any, Final

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from ulnager.checking.candidates import same_on
from ulnager.checking.findings import SEVERITIES, Finding, Findings
from ulnager.checking.readers import reader_of
from ulnager.checking.readers.rewriting import Unclear
from ulnager.checking.recognising import recognised
from ulnager.checking.translation import TYPES, columns_of, is_clock, is_day_clock, quiet, told_by
from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import FilterError
from ulnager.core.periods.clock import Clock
from ulnager.filters.columns import COLUMN_TYPES

_OF_TIME: Final = re.compile(
    r"(?:^|_)(at|ts|time|timestamp|datetime|utc)$|timestamp|datetime", re.I
)
_DAY: Final = re.compile(r"\d{4}-\d\d-\d\d|\d{8}")
_INSTANT: Final = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d")
_COMPARED: Final = (exp.EQ, exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between, exp.In)
_RECENT: Final = 100
"""A typed date so many days before today, or later, belongs to a filter that moves."""
_EPOCHS: Final = (date(1900, 1, 1), date(1970, 1, 1))
"""Days that are counted from, and no bounds of a filter."""
_SIZE: Final = 1_000_000


@checked(
    text=Wanted((str,), "SQL as text"),
    target=Wanted((str,), "an engine, such as 'duckdb'"),
    column_type=Wanted((str, type(None)), "what the columns hold, such as 'date'"),
    calendar=Wanted((Calendar, type(None)), "a calendar"),
)
def check_sql(
    text: str,
    *,
    file: str = "",
    target: str = "duckdb",
    column_type: str | None = None,
    today: date | str | None = None,
    calendar: Calendar | None = None,
) -> Findings:
    """What is wrong in the date conditions of SQL, and which phrase each of them is (a hint).

    ``column_type`` is what the columns hold; without it a column is taken for one of times by its
    name (``sold_at``, ``created_ts``). Nothing is sent anywhere: conditions are run on made dates.

    >>> [one.rule for one in check_sql("SELECT 1 FROM t WHERE sold_at <= '2026-05-31'",
    ...                                today="2026-05-20")]
    ['loses-last-day', 'typed-dates']

    Raises FilterError for what is no SQL of the engine.
    """
    if column_type is not None and column_type not in TYPES:
        raise FilterError(f"column_type is {column_type!r}; choose {', '.join(TYPES)}")
    if len(text) > _SIZE:
        raise FilterError(f"the SQL has {len(text):,} signs; at most {_SIZE:,} are read")
    try:
        with quiet():
            read = sqlglot.parse(text, read=reader_of(target).reads)
    except RecursionError:
        raise FilterError("the SQL is nested too deeply") from None
    except (SqlglotError, ValueError) as error:
        raise FilterError(f"this is no SQL of {target}: {told_by(error)}") from None
    trees = [one for one in read if one is not None]
    day = date_of(int(Clock(today).basis(GREGORIAN).anchor))
    found: list[Finding] = []
    for tree in trees:
        for column, parts, others in _conditions(tree):
            found += _Condition(
                column, parts, others, file, target, column_type, day, calendar
            ).findings()
    return Findings(sorted(set(found), key=lambda one: (one.line, one.key, one.rule)))


def _conditions(tree: Any) -> Iterator[tuple[str, list[Any], Any]]:
    """The parts of each WHERE, HAVING and ON that are about dates, by the column they are about."""
    for clause in tree.find_all(exp.Where, exp.Having, exp.Qualify, exp.Join):
        condition = clause.args.get("on") if isinstance(clause, exp.Join) else clause.this
        if condition is None:
            continue
        by_column: dict[str, list[Any]] = {}
        for part in _split(condition):
            columns = columns_of(part)
            if len(columns) == 1 and _is_about_dates(part):
                by_column.setdefault(columns[0], []).append(part)
        for column, parts in by_column.items():
            about = [part for part in parts if not _is_text(column, part)]
            if about:
                yield column, about, condition


def _split(condition: Any) -> Iterator[Any]:
    while isinstance(condition, exp.Paren):
        condition = condition.this
    if isinstance(condition, exp.And):
        yield from _split(condition.this)
        yield from _split(condition.expression)
    else:
        yield condition


_OF_DATES: Final = re.compile(
    r"(?:^|_)(d|dt|on|at|ts|utc|month|week|year|since|until|start|end|created|updated|when)(?:$|_)"
    r"|date|day|time",
    re.IGNORECASE,
)


def _is_text(column: str, part: Any) -> bool:
    """Whether a column that is not called like a date is compared with plain text for equality."""
    values = part.expressions if isinstance(part, exp.In) else [part.expression]
    is_equal = isinstance(part, (exp.EQ, exp.In)) and all(
        isinstance(one, (exp.Literal, exp.Column)) for one in [part.this, *values]
    )
    return is_equal and _OF_DATES.search(column.rsplit(".", 1)[-1]) is None


def _less_nulls(part: Any) -> tuple[Any, bool]:
    """A condition without the ``IS NULL OR`` that it may stand behind, and whether it did."""
    inner = part
    while isinstance(inner, exp.Paren):
        inner = inner.this
    if isinstance(inner, exp.Or):
        for one, other in ((inner.this, inner.expression), (inner.expression, inner.this)):
            if isinstance(one, exp.Is) and isinstance(one.expression, exp.Null):
                return other, True
    return part, False


def _is_by_time(part: Any) -> bool:
    """Whether minutes or hours are taken off an instant, which is meant then."""
    for one in part.find_all(exp.Interval):
        told = one.sql().lower()
        if any(unit in told for unit in ("hour", "minute", "second")):
            return True
    return False


def _is_about_dates(part: Any) -> bool:
    return any(
        is_clock(node)
        or (isinstance(node, exp.Literal) and node.is_string and _DAY.match(node.name) is not None)
        or _is_sqlite_now(node)
        or type(node).__name__
        in (
            "Year",
            "Month",
            "Quarter",
            "Week",
            "Extract",
            "DateTrunc",
            "TimestampTrunc",
            "TimeToStr",
            "DateDiff",
        )
        for node in part.walk()
    )


def _lays_out(part: Any) -> bool:
    """Whether a column is laid into a zone, once: so an instant becomes a local time."""
    return any(
        isinstance(node.this, exp.Column) and not isinstance(node.parent, exp.AtTimeZone)
        for node in part.find_all(exp.AtTimeZone)
    )


def _is_sqlite_now(node: Any) -> bool:
    return isinstance(node, exp.Literal) and node.is_string and node.name.lower() == "now"


class _Condition:
    """The parts of one condition that are about one column."""

    def __init__(
        self,
        column: str,
        parts: list[Any],
        whole: Any,
        file: str,
        dialect: str,
        column_type: str | None,
        today: date,
        calendar: Calendar | None,
    ) -> None:
        found = [_less_nulls(part) for part in parts]
        # What is left beside ``OR day IS NULL`` may have parts of its own.
        self.parts = [piece for part, _ in found for piece in _split(part)]
        self.column, self.whole = column, whole
        self.keeps_nulls = any(was for _, was in found)
        self.file, self.dialect, self.today = file, dialect, today
        self.calendar = calendar
        name = column.rsplit(".", 1)[-1].strip('"`[]')
        guessed = "timestamp" if _OF_TIME.search(name) else "date"
        if any(map(_lays_out, self.parts)):
            guessed = "timestamptz"
        self.held = column_type or guessed
        self.is_time = COLUMN_TYPES[self.held].has_time

    def findings(self) -> Iterator[Finding]:
        """What is wrong with it, and which phrase it is."""
        for rule in (
            self._last_day,
            self._equals,
            self._hidden,
            self._typed,
            self._instant,
            self._zone,
            self._apart,
        ):
            yield from rule()
        if not self.keeps_nulls:
            yield from self._phrase()

    def _told(self, rule: str, part: Any, message: str, instead: str) -> Finding:
        lines = [node.meta["line"] for node in part.find_all(exp.Identifier) if "line" in node.meta]
        written = _short(part.sql(dialect=reader_of(self.dialect).reads))
        return Finding(
            rule,
            SEVERITIES[rule],
            self.file,
            min(lines, default=1),
            self.column,
            f"{written}: {message}",
            instead,
        )

    def _sides(self, part: Any) -> tuple[Any, Any] | None:
        """The side with the column and the other one, of a comparison."""
        if not isinstance(part, exp.Binary) or isinstance(part, exp.Connector):
            return None
        left, right = part.this, part.expression
        return (left, right) if columns_of(left) else (right, left)

    def _last_day(self) -> Iterator[Finding]:
        if not self.is_time:
            return
        for part in self.parts:
            upper = None
            if isinstance(part, exp.Between) and _is_plain(part.this):
                upper = part.args["high"]
            elif isinstance(part, exp.LTE) and _is_plain(part.this):
                upper = part.expression
            elif isinstance(part, exp.GTE) and _is_plain(part.expression):
                upper = part.this
            if upper is not None and _is_day(upper):
                yield self._told(
                    "loses-last-day",
                    part,
                    "a day stands for its midnight, so of the last day only rows at midnight are "
                    "kept",
                    f"{self.column} < the day after.",
                )

    def _equals(self) -> Iterator[Finding]:
        if not self.is_time:
            return
        for part in self.parts:
            sides = self._sides(part) if isinstance(part, exp.EQ) else None
            if sides is not None and _is_plain(sides[0]) and _is_day(sides[1]):
                yield self._told(
                    "equals-timestamp",
                    part,
                    "only rows at midnight sharp are equal to a day",
                    f"{self.column} >= the day AND {self.column} < the day after.",
                )

    def _hidden(self) -> Iterator[Finding]:
        for part in self.parts:
            inner = part.this if isinstance(part, (exp.Between, exp.In)) else None
            sides = self._sides(part)
            held = inner if inner is not None else sides[0] if sides else None
            is_total = held is not None and held.find(exp.AggFunc) is not None
            if held is not None and not is_total and not _is_plain(held):
                yield self._told(
                    "hidden-column",
                    part,
                    "the column stands inside of a function, so no index and no partition helps",
                    f"Leave {self.column} alone on its side, from a start up to before a stop.",
                )

    def _typed(self) -> Iterator[Finding]:
        moves = any(is_clock(node) or _is_sqlite_now(node) for node in self.whole.walk())
        for part in self.parts:
            if not isinstance(part, _COMPARED):
                continue
            days = [
                day
                for node in part.find_all(exp.Literal)
                if node.is_string
                and (day := _date_of(node.name)) is not None
                and day not in _EPOCHS
            ]
            if not days:
                continue
            late = max(days)
            if moves or (self.today - late).days <= _RECENT:
                why = (
                    "the rest of the condition moves with the clock"
                    if moves
                    else f"it ends close to {self.today}"
                )
                yield self._told(
                    "typed-dates",
                    part,
                    f"{late} is typed, and {why}: next month somebody has to edit it",
                    self._moving() + "ulnager filter … --live.",
                )
                return

    def _moving(self) -> str:
        """What to write in place of typed dates: the phrases that have them on this day."""
        first, last = date.min, date.max
        for part in self.parts:
            sides = self._sides(part)
            if isinstance(part, exp.Between):
                low, high = part.args["low"], part.args["high"]
            elif sides is None or sides[0] is not part.this:
                continue
            else:
                is_lower = isinstance(part, (exp.GT, exp.GTE, exp.EQ))
                low = sides[1] if is_lower else None
                high = sides[1] if isinstance(part, (exp.LT, exp.LTE, exp.EQ)) else None
            day = low is not None and _date_of(low.name)
            if day:
                first = max(first, day + timedelta(isinstance(part, exp.GT)))
            day = high is not None and _date_of(high.name)
            if day:
                last = min(last, day - timedelta(isinstance(part, exp.LT)))
        same = islice(same_on(self.today, first, last, self.calendar), 3)
        told = " or ".join(repr(str(one)) for one in same)
        return f"{told} has these dates today: " if told else "A condition with its own dates: "

    def _instant(self) -> Iterator[Finding]:
        for part in self.parts:
            if _is_by_time(part):
                continue
            for node in part.walk():
                if not is_clock(node) or is_day_clock(node) or _is_made_day(node, part):
                    continue
                yield self._told(
                    "instant-for-day",
                    part,
                    "it is measured from the present instant, so it has other rows every hour, and "
                    "of its first day only the later ones",
                    "Take the current date, or truncate the instant to its day.",
                )
                break

    def _zone(self) -> Iterator[Finding]:
        is_instant = COLUMN_TYPES[self.held].is_instant
        if not is_instant and not self.column.lower().endswith("utc"):
            return
        for part in self.parts:
            if part.find(exp.AtTimeZone) is None and isinstance(part, _COMPARED):
                yield self._told(
                    "zone-left-out",
                    part,
                    "an instant is laid onto days of the session's zone, whichever that is",
                    "Say the zone: the day's midnight AT TIME ZONE '…'.",
                )
                return

    def _apart(self) -> Iterator[Finding]:
        of_month = [part for part in self.parts if self._takes(part, "Month")]
        of_year = [part for part in self.parts if self._takes(part, "Year")]
        if of_month and (of_year or not any(self._takes(part, "Year") for part in of_month)):
            yield self._told(
                "year-and-month-apart",
                of_month[0],
                "year and month are compared apart: one month before January is month 0, and "
                "without the year it is that month of every year",
                f"Compare {self.column} with the first day of the month.",
            )

    def _takes(self, part: Any, which: str) -> bool:
        sides = self._sides(part)
        held = sides[0] if sides else part.this
        for node in held.walk():
            name = type(node).__name__
            if name == which or (name == "Extract" and node.this.name.lower() == which.lower()):
                return True
        return False

    def _phrase(self) -> Iterator[Finding]:
        tree = self.parts[0].copy()
        for part in self.parts[1:]:
            tree = exp.And(this=exp.Paren(this=tree), expression=exp.Paren(this=part.copy()))
        said = tree.sql(dialect=reader_of(self.dialect).reads)
        try:
            found = recognised(tree, self.dialect, said, self.held, self.calendar)
        except Unclear:
            return
        if found.phrase is not None:
            zone = f", by the days of {found.zone}" if found.zone else ""
            yield self._told("phrase", tree, f"this is '{found.phrase}'{zone}", str(found.phrase))
        elif found.nearest is not None and found.part_on:
            first = found.part_on[0][0]
            days = sum((b - a).days + 1 for a, b in found.part_on)
            if days < 200:
                yield self._told(
                    "phrase",
                    tree,
                    f"no phrase has the same rows; nearest is '{found.nearest}', which parts on "
                    f"{days} days of three years, first as of {first}",
                    "",
                )
        elif found.nearest is not None and found.why:
            yield self._told("phrase", tree, f"nearest is '{found.nearest}': {found.why}", "")


def _short(text: str) -> str:
    return text if len(text) <= 100 else f"{text[:97]}…"


def _is_plain(node: Any) -> bool:
    while isinstance(node, exp.Paren):
        node = node.this
    return isinstance(node, exp.Column)


def _date_of(text: str) -> date | None:
    try:
        return date.fromisoformat(text[:10]) if _DAY.match(text) else None
    except ValueError:
        return None


def _is_day(node: Any) -> bool:
    """Whether a value is a day and no time: a typed date, the current date, or made of one."""
    for one in node.walk():
        if isinstance(one, exp.Literal) and one.is_string and _INSTANT.match(one.name):
            return False
        if is_clock(one) and not is_day_clock(one) and not _is_made_day(one, node):
            return False
    return any(
        is_clock(one)
        or (isinstance(one, exp.Literal) and one.is_string and _DAY.match(one.name))
        or _is_sqlite_now(one)
        for one in node.walk()
    )


def _is_made_day(node: Any, top: Any) -> bool:
    """Whether an instant is made a day before it is used: cast, truncated, or taken apart."""
    while node is not top and node.parent is not None:
        node = node.parent
        name = type(node).__name__
        to_date = isinstance(node, exp.Cast) and node.to.sql().upper() == "DATE"
        if to_date or name in (
            "Date",
            "DateTrunc",
            "TimestampTrunc",
            "LastDay",
            "Year",
            "Month",
            "Extract",
            "TimeToStr",
            "DateDiff",
            "TsOrDsToDate",
            "Quarter",
            "Week",
            "DateFromParts",
            "Day",
        ):
            return True
        if isinstance(node, exp.Anonymous):
            return True
    return False
