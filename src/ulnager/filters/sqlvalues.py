"""Days, counts and comparisons as SQL: what the rules do their sums with there.

A day is either a number, worked out here, or a :class:`SqlDay`, worked out by the engine. The
rules run on both without knowing.
"""

from __future__ import annotations

from collections.abc import Callable
from operator import eq, ge, gt, le, lt
from typing import Any, Final

from ulnager.core.calendars.daynumbers import date_of
from ulnager.core.errors import FilterError
from ulnager.filters.engines.base import Engine, filled

MOST_CHARACTERS: Final = 100_000
"""How long one bound may be: what is moved by its own length is in its text several times."""

_COMPARED: Final[dict[str, Callable[[int, int], bool]]] = {
    "=": eq,
    "<=": le,
    "<": lt,
    ">=": ge,
    ">": gt,
}


class SqlDay:
    """A day as SQL: an expression that gives a date, and days to add to it.

    ``may_be_null`` is set when the expression looks something up, which may not be there, and
    ``starts_month`` when it is known to be the first of a month. ``from_`` is the day that days
    were added to, and which comes back when they are taken away again.
    """

    __slots__ = ("days", "engine", "from_", "may_be_null", "starts_month", "text")

    def __init__(
        self,
        engine: Engine,
        text: str,
        days: int = 0,
        may_be_null: bool = False,
        starts_month: bool = False,
        from_: SqlDay | None = None,
    ) -> None:
        if len(text) > MOST_CHARACTERS:
            raise FilterError(
                f"written as SQL this condition is longer than {MOST_CHARACTERS:,} characters; say "
                "it with fewer shifts, or filter with frozen dates"
            )
        self.engine = engine
        self.from_ = from_
        self.text = text
        self.days = days
        self.may_be_null = may_be_null
        self.starts_month = starts_month

    def __add__(self, days: int | SqlCount) -> SqlDay:
        if isinstance(days, SqlCount):
            text = filled(self.engine, "add_count", x=str(self), a=days.text)
            return SqlDay(self.engine, text, 0, self.may_be_null or days.may_be_null)
        if not days:
            return self
        from_ = self.from_ or self
        if self.days + days == from_.days:
            return from_
        return SqlDay(self.engine, self.text, self.days + days, self.may_be_null, from_=from_)

    def __sub__(self, other: Any) -> Any:
        """A day so many days before, or the days since another day."""
        if isinstance(other, int):
            return self + -other
        if isinstance(other, SqlCount):
            return self + other * -1
        if other.text == self.text:
            return self.days - other.days
        return days_between(self, other)

    def __rsub__(self, day: int) -> SqlCount:
        return days_between(literal_day(self.engine, day), self)

    def __str__(self) -> str:
        if not self.days:
            return self.text
        return filled(self.engine, "add_days", x=self.text, n=self.days)

    def _compared(self, sign: str, other: Any) -> SqlTruth | bool:
        other = self.like(other)
        if other.text == self.text:
            # What hangs on the same day is known to be earlier or later.
            return _COMPARED[sign](self.days, other.days)
        return SqlTruth(f"{self} {sign} {other}", self.may_be_null or other.may_be_null)

    def like(self, day: Any) -> SqlDay:
        """A day of any sort as SQL for the same engine."""
        return day if isinstance(day, SqlDay) else literal_day(self.engine, day)

    def __eq__(self, other: object) -> Any:
        return self._compared("=", other)

    def __le__(self, other: Any) -> SqlTruth | bool:
        return self._compared("<=", other)

    def __lt__(self, other: Any) -> SqlTruth | bool:
        return self._compared("<", other)

    def __ge__(self, other: Any) -> SqlTruth | bool:
        return self._compared(">=", other)

    def __gt__(self, other: Any) -> SqlTruth | bool:
        return self._compared(">", other)

    __hash__ = None  # type: ignore[assignment]


class SqlCount:
    """A number of days as SQL."""

    def __init__(self, engine: Engine, text: str, may_be_null: bool) -> None:
        self.engine = engine
        self.text = text
        self.may_be_null = may_be_null

    def __mul__(self, times: int) -> SqlCount:
        if times == 1:
            return self
        return SqlCount(self.engine, f"{self.text} * {times}", self.may_be_null)

    __rmul__ = __mul__

    def __radd__(self, day: int) -> SqlDay:
        return literal_day(self.engine, day) + self


class SqlTruth:
    """A comparison as SQL."""

    def __init__(self, text: str, may_be_null: bool = False) -> None:
        self.text = text
        self.may_be_null = may_be_null

    def __and__(self, other: SqlTruth | bool) -> SqlTruth | bool:
        if isinstance(other, bool):
            return self if other else False
        return SqlTruth(f"{self.text} AND {other.text}", self.may_be_null or other.may_be_null)

    __rand__ = __and__

    def __bool__(self) -> bool:
        raise FilterError(
            "which of two dates is the later is not known before the engine runs, and the phrase "
            "needs to know; filter with frozen dates"
        )

    def all(self) -> bool:
        """What must hold is checked before: SQL has nobody to tell."""
        return True


def literal_day(engine: Engine, day: int) -> SqlDay:
    on = date_of(day)
    return SqlDay(engine, engine.literal.format(x=on), starts_month=on.day == 1)


def days_between(day: SqlDay, other: SqlDay) -> SqlCount:
    text = filled(day.engine, "days_between", x=str(day), y=str(other))
    return SqlCount(day.engine, text, day.may_be_null or other.may_be_null)


class Narrows:
    """The later of two starts and the earlier of two stops, as SQL; null where either is null."""

    engine: Engine

    def as_sql(self, value: Any) -> Any:
        """A day or an instant of any sort as SQL."""
        raise NotImplementedError

    def like_both(self, text: str, one: Any, two: Any) -> Any:
        """What is as much as two others, with its text."""
        raise NotImplementedError

    def choose(self, is_so: SqlTruth | bool, yes: Any, no: Any) -> Any:
        """One of two days or instants; null where it is not known which."""
        if isinstance(is_so, bool):
            return yes if is_so else no
        yes, no = self.as_sql(yes), self.as_sql(no)
        if str(yes) == str(no):
            return yes
        # A null must not choose: it has to come out as a null.
        else_ = f"WHEN NOT ({is_so.text}) THEN" if is_so.may_be_null else "ELSE"
        found = self.like_both(f"CASE WHEN {is_so.text} THEN {yes} {else_} {no} END", yes, no)
        found.may_be_null |= is_so.may_be_null
        return found

    def later(self, one: Any, two: Any) -> Any:
        return self._of_two("later", "<", one, two)

    def earlier(self, one: Any, two: Any) -> Any:
        return self._of_two("earlier", ">", one, two)

    def _of_two(self, primitive: str, worse: str, one: Any, two: Any) -> Any:
        if one is None or two is None:
            return two if one is None else one
        one, two = self.as_sql(one), self.as_sql(two)
        if one.may_be_null or two.may_be_null:
            # Some engines pass over a null here, and the narrower span would be lost.
            text = f"CASE WHEN {one} {worse} {two} THEN {two} "
            text += f"WHEN {one} IS NOT NULL AND {two} IS NOT NULL THEN {one} END"
        else:
            text = filled(self.engine, primitive, x=str(one), y=str(two))
        return self.like_both(text, one, two)
