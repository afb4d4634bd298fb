"""The units of time that periods are made of.

A unit is a name with a size: either a fixed number of days or of microseconds, or
a number of months. What a unit's boundaries are is the calendar's business.
"""

from __future__ import annotations

from datetime import date
from typing import Any, ClassVar, Final

from ulnager.core.arguments import checked
from ulnager.core.errors import SettingError

EPOCH: Final = date(1970, 1, 1).toordinal()
"""The day number of 1970-01-01."""
MICROSECOND_DAY: Final = 86_400_000_000
WEEKDAYS: Final = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
LONG_MONTHS: Final = (
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
)
MONTH_NAMES: Final = tuple(name[:3].title() for name in LONG_MONTHS)


class Unit:
    """A unit of time; the common ones are attributes of this class.

    ``months`` is the number of months in it (0 when it is not made of months), ``days``
    the number of days (0 when that varies or is less than one), ``microseconds`` its
    length when it is shorter than a day (else 0). A unit that a developer counts from a fixed
    day has that day's number in ``epoch``.

    >>> Unit.QUARTER.name, Unit.QUARTER.plural, Unit.QUARTER.months
    ('quarter', 'quarters', 3)
    >>> Unit.named("weeks")
    Unit.WEEK
    """

    __slots__ = ("days", "epoch", "microseconds", "months", "name", "plural")

    SECOND: ClassVar[Unit]
    MINUTE: ClassVar[Unit]
    HOUR: ClassVar[Unit]
    DAY: ClassVar[Unit]
    BUSINESS_DAY: ClassVar[Unit]
    WEEK: ClassVar[Unit]
    MONTH: ClassVar[Unit]
    QUARTER: ClassVar[Unit]
    HALF: ClassVar[Unit]
    YEAR: ClassVar[Unit]

    def __init__(
        self,
        name: str,
        plural: str,
        months: int = 0,
        days: int = 0,
        microseconds: int = 0,
        epoch: int = 0,
    ) -> None:
        for field, value in zip(
            ("name", "plural", "months", "days", "microseconds", "epoch"),
            (name, plural, months, days, microseconds, epoch),
            strict=True,
        ):
            object.__setattr__(self, field, value)

    name: str
    plural: str
    months: int
    days: int
    microseconds: int
    epoch: int

    @staticmethod
    def named(name: str) -> Unit | None:
        """The common unit of that name, singular or plural, or None."""
        return UNIT_NAMES.get(name)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("a unit does not change; make another")

    def __eq__(self, other: object) -> bool:
        return self is other or (isinstance(other, Unit) and self.name == other.name)

    def __hash__(self) -> int:
        return hash(self.name)

    def __reduce__(self) -> tuple[Any, ...]:
        if UNIT_NAMES.get(self.name) is self:
            return Unit.named, (self.name,)
        return Unit, (self.name, self.plural, self.months, self.days, self.microseconds, self.epoch)

    def __repr__(self) -> str:
        if UNIT_NAMES.get(self.name) is self:
            return f"Unit.{self.name.upper().replace(' ', '_')}"
        return f"Unit({self.name!r}, {self.plural!r})"

    def __str__(self) -> str:
        return self.name

    def counted(self, count: int) -> str:
        """The count with the word that goes with it.

        >>> Unit.HALF.counted(1), Unit.HALF.counted(2)
        ('1 half', '2 halves')
        """
        return f"{count} {self.name if count == 1 else self.plural}"


Unit.SECOND = Unit("second", "seconds", microseconds=1_000_000)
Unit.MINUTE = Unit("minute", "minutes", microseconds=60_000_000)
Unit.HOUR = Unit("hour", "hours", microseconds=3_600_000_000)
Unit.DAY = Unit("day", "days", days=1)
Unit.BUSINESS_DAY = Unit("business day", "business days")
Unit.WEEK = Unit("week", "weeks", days=7)
Unit.MONTH = Unit("month", "months", months=1)
Unit.QUARTER = Unit("quarter", "quarters", months=3)
Unit.HALF = Unit("half", "halves", months=6)
Unit.YEAR = Unit("year", "years", months=12)

UNITS: Final = (
    Unit.SECOND,
    Unit.MINUTE,
    Unit.HOUR,
    Unit.DAY,
    Unit.BUSINESS_DAY,
    Unit.WEEK,
    Unit.MONTH,
    Unit.QUARTER,
    Unit.HALF,
    Unit.YEAR,
)
UNIT_NAMES: Final[dict[str, Unit]] = {
    **{unit.name: unit for unit in UNITS},
    **{unit.plural: unit for unit in UNITS},
}


@checked()
def own_unit(name: str, days: int = 0, starts: date | None = None) -> Unit:
    """A unit under a name of one's own: of so many days, counted from ``starts``.

    >>> own_unit("pay period", 14, date(2026, 1, 5)).plural
    'pay periods'

    Raises SettingError for a name that a phrase cannot hold or that is a unit already, or
    fewer days than one.
    """
    words = name.lower().split() if isinstance(name, str) else []
    if not 1 <= len(words) <= 2 or not all(word.isalpha() for word in words):
        raise SettingError(f"a unit's name is one or two words, such as 'pay period', not {name!r}")
    text = " ".join(words)
    if text in UNIT_NAMES:
        raise SettingError(f"{text!r} is a unit already; choose another name")
    if starts is not None and (not isinstance(days, int) or days < 1):
        raise SettingError(f"a {text} of {days!r} days cannot be; give a whole number from 1 on")
    plural = text[:-1] + "ies" if text.endswith("y") and text[-2:-1] not in "aeiou" else text + "s"
    return Unit(text, plural, days=days, epoch=0 if starts is None else starts.toordinal())
