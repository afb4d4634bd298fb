"""Days, counts, numbers and comparisons that an engine works out."""

from __future__ import annotations

from collections.abc import Callable
from operator import eq, ge, gt, le, lt
from typing import Any, Final, NoReturn

from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import FilterError
from ulnager.core.text import pattern
from ulnager.filters.engines.engine import Engine, filled

MOST_CHARACTERS: Final = 100_000
"""How long one bound may be: what is moved by its own length is in its text several times."""

_COMPARED: Final[dict[str, Callable[[int, int], bool]]] = {
    "=": eq,
    "<=": le,
    "<": lt,
    ">=": ge,
    ">": gt,
}
_TOKENS: Final = pattern(r"'(?:[^']|'')*'|\"[^\"]*\"|\w+|\|\||[-+*/%(),<>=]")
_WAITS: Final = frozenset(
    ["AND", "OR", "CASE", "WHEN", "THEN", "ELSE", "||", "+", "-", "*", "/", "%", "<", ">", "="]
)
_MOST_WAITING: Final = 6


def check_nesting(engine: Engine, *texts: str | None) -> None:
    """FilterError for a text that the engine's parser cannot read, so deep is it nested."""
    if engine.parser_depth and any(nesting(text or "") > engine.parser_depth for text in texts):
        raise FilterError(
            f"written for {engine.told} this condition is nested deeper than its parser reads; say "
            "it with fewer shifts, or filter with frozen dates"
        )


def nesting(text: str) -> int:
    """About how many places of a parser's stack a text takes at most: its brackets, the functions
    before them, and the operators that wait there for what is inside.

    >>> nesting("a + 1"), nesting("a + (b)"), nesting("a + f(b + 1)")
    (2, 3, 8)
    """
    most = depth = waits = 0
    opened: list[tuple[int, int]] = []
    before = ""
    for token in _TOKENS.findall(text):
        if token == "(":
            is_call = before.isidentifier() and before.upper() not in _WAITS
            opened.append((waits + (4 if is_call else 1), waits))
            depth, waits = depth + opened[-1][0], 0
        elif token == ")" and opened:
            taken, waits = opened.pop()
            depth -= taken
        elif token == ",":
            waits = 0
        elif token.upper() in _WAITS:
            waits = min(waits + 2, _MOST_WAITING)
        most, before = max(most, depth + waits), token
    return most


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
        if isinstance(days, SqlNumber):
            text = filled(self.engine, "add_count", x=self.text, a=days.product)
            return SqlDay(self.engine, text, self.days + days.more, self.may_be_null)
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
        other = self._like(other)
        if other.text == self.text:
            # What hangs on the same day is known to be earlier or later.
            return _COMPARED[sign](self.days, other.days)
        return SqlTruth(f"{self} {sign} {other}", self.may_be_null or other.may_be_null)

    def _like(self, day: Any) -> SqlDay:
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


_HIDDEN: Final = 97
"""What a number of SQL is where somebody asks; nobody should."""


class SqlNumber(int):
    """A count that the engine knows: a piece of SQL so many times, and so many more."""

    text: str
    times: int
    more: int

    def __new__(cls, text: str, times: int = 1, more: int = 0) -> SqlNumber:
        made = super().__new__(cls, _HIDDEN * times + more)
        made.text, made.times, made.more = text, times, more
        return made

    def __neg__(self) -> SqlNumber:
        return SqlNumber(self.text, -self.times, -self.more)

    def __mul__(self, other: int) -> SqlNumber:
        if isinstance(other, SqlNumber):
            return SqlNumber(f"({self}) * ({other})")
        return SqlNumber(self.text, self.times * other, self.more * other)

    def __add__(self, other: int) -> SqlNumber:
        if isinstance(other, SqlNumber):
            return SqlNumber(f"({self}) + ({other})")
        if abs(other) > _LEAST_DAY:
            raise not_counted()
        return SqlNumber(self.text, self.times, self.more + other)

    def __sub__(self, other: int) -> SqlNumber:
        return self + -other

    __rmul__, __radd__ = __mul__, __add__

    def __abs__(self) -> SqlNumber:
        return -self if self < 0 else self

    def _is_no_number(self, *other: int) -> NoReturn:
        raise not_counted()

    __floordiv__ = __mod__ = __divmod__ = __pow__ = _is_no_number  # type: ignore[assignment]
    __rfloordiv__ = __rmod__ = __rdivmod__ = __rpow__ = _is_no_number  # type: ignore[assignment]

    def __rsub__(self, other: int) -> SqlNumber:
        return -self + other

    def __str__(self) -> str:
        more = f" {'-' if self.more < 0 else '+'} {abs(self.more)}" if self.more else ""
        return self.product + more

    @property
    def product(self) -> str:
        """It without what is added."""
        if self.times == 1:
            return self.text
        return f"{self.text} * {self.times}"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, SqlNumber) and str(other) == str(self)

    def __hash__(self) -> int:
        return hash(str(self))


_LEAST_DAY: Final = 100_000
"""More than that is the number of a day, which is not added to a count."""


def not_counted() -> FilterError:
    return FilterError("this is not counted by a parameter; list its counts")


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
    if isinstance(day, SqlNumber):
        raise not_counted()
    on = date_of(day)
    return SqlDay(engine, engine.literal.format(x=on), starts_month=on.day == 1)


def days_between(day: SqlDay, other: SqlDay) -> SqlCount:
    text = filled(day.engine, "days_between", x=str(day), y=str(other))
    return SqlCount(day.engine, text, day.may_be_null or other.may_be_null)
