"""Calendars: how days group into units.

A calendar answers four questions on **day numbers** (``date.toordinal()``): where the
unit around a day starts and stops, which start lies some units away, and which day
lies some units away. The rules for periods use nothing else, so whatever can answer
these four (one date, an array, a database) can resolve any period.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, tzinfo
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from ulnager.core import labels
from ulnager.core.business import BusinessDays
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.units import EPOCH, WEEKDAYS, Unit
from ulnager.core.values import Value

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

FIRST_DAY = 1
LAST_DAY = date.max.toordinal()
_CYCLE_DAYS = 146_097
_MONTH_DAYS = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)


class Arithmetic(Protocol):
    """What the rules need to know of a calendar, whatever a day is made of."""

    def unit_start(self, day: Any, unit: Unit) -> Any:
        """The first day of the unit around ``day``."""

    def unit_stop(self, day: Any, unit: Unit) -> Any:
        """The first day after the unit around ``day``."""

    def move_start(self, start: Any, unit: Unit, count: int) -> Any:
        """The start of the unit ``count`` units after the one that starts at ``start``."""

    def move_day(self, day: Any, unit: Unit, count: int) -> Any:
        """``day`` moved by ``count`` units, keeping its place in the unit, clamped."""

    def settled(self, day: Any, unit: Unit) -> Any:
        """``day`` itself, or for business days the last one up to it."""

    def keeps(self, aligned: Unit, moved_by: Unit) -> bool:
        """Whether starts of ``aligned`` moved by ``moved_by`` are starts of ``aligned`` again."""

    def choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        """``yes`` where ``is_so``, else ``no``."""

    def on_weekday(self, day: Any, weekday: int) -> Any:
        """The first such weekday from ``day`` on; 0 for a Monday to 6 for a Sunday."""

    def later(self, one: Any, two: Any) -> Any:
        """The later of two starts; None is the open side."""

    def earlier(self, one: Any, two: Any) -> Any:
        """The earlier of two stops; None is the open side."""

    def length(self, start: Any, stop: Any) -> Any:
        """How many days, or microseconds, lie between a start and a stop."""

    def like(self, calendar: Calendar) -> Arithmetic:
        """Another calendar in the same arithmetic."""

    is_plain: bool
    """Whether days are plain numbers, which can be compared, so that there may be several spans."""

    @property
    def business(self) -> BusinessDays:
        """The calendar's business days."""

    def labelled(self, text: str) -> tuple[int, int] | None:
        """The start and stop of the unit with that label, as day numbers, or None."""

    def sample_labels(self) -> list[str]:
        """A label of each unit, for messages."""


def date_of(number: int) -> date:
    """The date with that day number; ResolveError outside years 1 to 9999."""
    try:
        return date.fromordinal(number)
    except (ValueError, OverflowError):
        raise out_of_range() from None


def number_of(year: int, month: int, day: int) -> int:
    """The day number of a date, also a little outside years 1 to 9999.

    A boundary may lie outside without the period doing so: ``rest of year`` in a fiscal
    year that began in year 0. The Gregorian calendar repeats every 400 years, which
    carries such a boundary; only a date that must be shown has to be in range.
    """
    beyond = -1 if year < 1 else 1 if year > 9999 else 0
    if not -398 <= year <= 10398:
        raise out_of_range()
    return date(year - 400 * beyond, month, day).toordinal() + _CYCLE_DAYS * beyond


def civil_of(number: int) -> tuple[int, int, int]:
    """Year, month and day of a day number; the other way round of :func:`number_of`."""
    beyond = -1 if number < FIRST_DAY else 1 if number > LAST_DAY else 0
    inside = date_of(number - _CYCLE_DAYS * beyond)
    return inside.year + 400 * beyond, inside.month, inside.day


def out_of_range() -> ResolveError:
    return ResolveError(
        "the dates go outside years 1 to 9999; use a smaller count or another anchor"
    )


def days_in_month(year: int, month: int) -> int:
    if month == 2 and year % 4 == 0 and (year % 100 != 0 or year % 400 == 0):
        return 29
    return _MONTH_DAYS[month - 1]


class Calendar(Value):
    """The base of every calendar: the same questions asked with dates.

    Subclasses answer them with day numbers and set ``kind``.
    """

    kind: ClassVar[str]
    is_plain = True
    business: BusinessDays
    has_periods: ClassVar[bool] = False
    """Whether its months are periods of whole weeks."""
    cycles: tuple[Unit, ...] = ()
    """Units of a fixed number of days, made with :func:`ulnager.own_unit`."""

    # Subclasses answer for their own units and leave business days and cycles to these.

    def unit_start(self, day: int, unit: Unit) -> int:
        """For business days: the first one from ``day`` on."""
        if unit is Unit.BUSINESS_DAY:
            return self.business.day_at(self.business.position(day))
        own = self._cycle(unit)
        return day - (day - own.epoch) % own.days

    def move_start(self, start: int, unit: Unit, count: int) -> int:
        if unit is Unit.BUSINESS_DAY:
            return self.business.day_at(self.business.position(start) + count)
        return start + self._cycle(unit).days * count

    def move_day(self, day: int, unit: Unit, count: int) -> int:
        """For business days, by trade convention, a day off counts from the business day
        behind it: the day after a Saturday is Monday, the day before it Friday."""
        if unit is Unit.BUSINESS_DAY:
            if count <= 0:
                return self.move_start(day, unit, count) if count else day
            return self.business.day_at(self.business.position(day + 1) - 1 + count)
        return day + self._cycle(unit).days * count

    def _cycle(self, unit: Unit) -> Unit:
        """This calendar's own cycle of that name; another calendar's may have other days."""
        for own in self.cycles:
            if own == unit:
                return own
        raise self.lacks(unit)

    def fixed_days(self, unit: Unit) -> int:
        """How many days every one of the units has; 0 when that varies."""
        if unit is Unit.DAY or unit is Unit.WEEK:
            return unit.days
        return next((own.days for own in self.cycles if own == unit), 0)

    def unit_stop(self, day: int, unit: Unit) -> int:
        if unit is Unit.BUSINESS_DAY:
            return self.unit_start(day + 1, unit)
        return self.move_start(self.unit_start(day, unit), unit, 1)

    def settled(self, day: int, unit: Unit) -> int:
        if unit is Unit.BUSINESS_DAY:
            return self.business.day_at(self.business.position(day + 1) - 1)
        return day

    def keeps(self, aligned: Unit, moved_by: Unit) -> bool:
        return aligned == moved_by

    def choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        return yes if is_so else no

    def on_weekday(self, day: Any, weekday: int) -> Any:
        # Day number 1 was a Monday.
        return day + (weekday + 1 - day) % 7

    def later(self, one: int | None, two: int | None) -> int | None:
        return two if one is None else one if two is None else max(one, two)

    def earlier(self, one: int | None, two: int | None) -> int | None:
        return two if one is None else one if two is None else min(one, two)

    def length(self, start: int, stop: int) -> int:
        return stop - start

    def like(self, calendar: Calendar) -> Calendar:
        return calendar

    # What arrays need: units by number, and the starts of many at once.

    def made_of(self, unit: Unit) -> tuple[Unit, int]:
        """The smallest unit that a unit is a fixed number of, and that number."""
        return unit, 1

    def place_step(self, unit: Unit) -> int:
        """What days moved by a unit keep: their distance from its start, where that is too long
        cut by so many days at a time; 0 when they keep the day of the Gregorian month."""
        return 1

    def unit_number(self, day: int, unit: Unit) -> int:
        """The number of the unit around a day, counted from any fixed one."""
        if unit is Unit.BUSINESS_DAY:
            return self.business.position(day)
        own = self._cycle(unit)
        return (day - own.epoch) // own.days

    def unit_starts(self, unit: Unit, first: int, last: int) -> NDArray[np.int64]:
        """The day numbers on which the units numbered ``first`` to ``last`` start."""
        if unit is Unit.BUSINESS_DAY:
            low, high = self.business.day_at(first), self.business.day_at(last)
            positions = self.business.positions(low, high + 1)
            return low + (positions[1:] > positions[:-1]).nonzero()[0]
        import numpy as np

        own = self._cycle(unit)
        return np.arange(first, last + 1, dtype=np.int64) * own.days + own.epoch

    @property
    def own_units(self) -> tuple[Unit, ...]:
        """The units that only this calendar has; phrases may speak of them."""
        return self.cycles

    @property
    def units(self) -> tuple[Unit, ...]:
        """The units that days are grouped into, from the smallest on."""
        return (Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.HALF, Unit.YEAR, *self.own_units)

    def label(self, start: date, unit: Unit, *, short: bool = False) -> str:
        """The name of the unit that starts on a date, long or short.

        >>> MonthCalendar(year_starts="10-01").label(date(2026, 1, 1), Unit.QUARTER)
        'Q2 FY2026'
        """
        return labels.label(self, start.toordinal(), unit, short)

    def labelled(self, text: str) -> tuple[int, int] | None:
        """The start and stop of the unit with that long label, as day numbers, or None."""
        return labels.labelled(self, text)

    @property
    def is_fiscal(self) -> bool:
        """Whether its years are other than those of the Gregorian calendar."""
        return True

    def sample_labels(self) -> list[str]:
        """A label of each unit, for messages."""
        return labels.samples(self)

    def year_name(self, day: int) -> int:
        """The calendar year that names the year around a day."""
        raise NotImplementedError

    def place_in_year(self, day: int, unit: Unit) -> int:
        """Which unit of its year the one around a day is, from 1 on."""
        first = self.unit_start(day, Unit.YEAR)
        return self.unit_number(day, unit) - self.unit_number(first, unit) + 1

    def floor(self, day: date, unit: Unit) -> date:
        """The first day of the unit around ``day``.

        >>> MonthCalendar(year_starts="10-01").floor(date(2026, 5, 20), Unit.YEAR)
        datetime.date(2025, 10, 1)

        Raises ResolveError when this calendar has no such unit, or outside years 1 to 9999.
        """
        return date_of(self.unit_start(day.toordinal(), unit))

    def shift(self, day: date, unit: Unit, count: int) -> date:
        """The same day ``count`` units later; its place in the unit is clamped.

        >>> MonthCalendar().shift(date(2026, 5, 31), Unit.MONTH, -3)
        datetime.date(2026, 2, 28)

        Raises ResolveError when this calendar has no such unit, or outside years 1 to 9999.
        """
        return date_of(self.move_day(day.toordinal(), unit, count))

    def describe(self) -> dict[str, Any]:
        """The calendar's settings as plain values, ``kind`` first."""
        raise NotImplementedError

    def described_extras(self) -> dict[str, Any]:
        """Its business days and cycles as plain values, where they are not the usual ones."""
        cycles = {unit.name: f"{unit.days} days from {date_of(unit.epoch)}" for unit in self.cycles}
        return {**self.business.describe(), **({"cycles": cycles} if cycles else {})}

    def lacks(self, unit: Unit) -> ResolveError:
        """The error for a unit that this calendar does not have."""
        return ResolveError(f"a calendar of {self.kind} has no unit {unit.name!r}")


class OfCalendar:
    """What every other arithmetic of a calendar leaves to the calendar itself."""

    is_plain = False

    def __init__(self, calendar: Calendar) -> None:
        self.calendar = calendar

    def instants(self, zone: tzinfo) -> Any:
        """The arithmetic of instants over this one, in a zone."""
        raise ResolveError("hours, minutes and seconds are worked out for one anchor at a time")

    @property
    def business(self) -> BusinessDays:
        return self.calendar.business

    def keeps(self, aligned: Unit, moved_by: Unit) -> bool:
        return self.calendar.keeps(aligned, moved_by)

    def on_weekday(self, day: Any, weekday: int) -> Any:
        return self.calendar.on_weekday(day, weekday)

    def length(self, start: Any, stop: Any) -> Any:
        return stop - start

    def labelled(self, text: str) -> tuple[int, int] | None:
        return self.calendar.labelled(text)

    def sample_labels(self) -> list[str]:
        return self.calendar.sample_labels()


_OFFICE = BusinessDays()


class MonthCalendar(Calendar):
    """Years of twelve months, weeks of seven days beside them.

    ``year_starts`` is the month and day (``"MM-DD"``, day 1 to 28) on which a year begins;
    when it is not the 1st, months begin on that day too. ``week_starts`` is a weekday
    name. ``year_named_by`` says which calendar year names a year that spans two: that of
    its ``"start"`` or of its ``"end"``. The default is the Gregorian calendar with the
    weeks of ISO 8601. ``business`` says which days are business days.

    >>> taxes = MonthCalendar(year_starts="04-06")
    >>> taxes.floor(date(2026, 5, 3), Unit.MONTH), taxes.floor(date(2026, 5, 3), Unit.YEAR)
    (datetime.date(2026, 4, 6), datetime.date(2026, 4, 6))

    Raises SettingError for a day that is not in every month, or an unknown weekday.
    """

    FIELDS = ("year_starts", "week_starts", "year_named_by", "business", "cycles")
    kind = "months"

    year_starts: str
    week_starts: str
    year_named_by: str

    # Worked out once: months before the year starts, days before a month starts, and the
    # remainder by seven of a week's first day number.
    _month: int
    _lead: int
    _week: int

    def __init__(
        self,
        year_starts: str = "01-01",
        week_starts: str = "monday",
        year_named_by: str = "end",
        business: BusinessDays = _OFFICE,
        cycles: Iterable[Unit] = (),
    ) -> None:
        month, day = _month_and_day(year_starts)
        if not isinstance(week_starts, str) or week_starts.lower() not in WEEKDAYS:
            raise SettingError(f"week_starts is {week_starts!r}; give a weekday, such as 'monday'")
        if year_named_by not in ("start", "end"):
            raise SettingError(f"year_named_by is {year_named_by!r}; give 'start' or 'end'")
        if not isinstance(business, BusinessDays):
            raise SettingError(f"business is {business!r}; give a BusinessDays")
        self._put(
            year_starts=f"{month:02}-{day:02}",
            week_starts=week_starts.lower(),
            year_named_by=year_named_by,
            business=business,
            cycles=checked_cycles(cycles),
            _month=month - 1,
            _lead=day - 1,
            # Day number 1 was a Monday, so the starts of weeks leave this remainder.
            _week=(WEEKDAYS.index(week_starts.lower()) + 1) % 7,
        )

    def unit_start(self, day: int, unit: Unit) -> int:
        months = unit.months
        if months:
            index, place = _month_index(day - self._lead)
            if months == 1:
                return day - place + 1
            return self._month_start(index - (index - self._month) % months)
        if unit is Unit.WEEK:
            return day - (day - self._week) % 7
        if unit is Unit.DAY:
            return day
        return super().unit_start(day, unit)

    def move_start(self, start: int, unit: Unit, count: int) -> int:
        months = unit.months
        if months:
            return self._month_start(_month_index(start - self._lead)[0] + months * count)
        if unit is Unit.WEEK or unit is Unit.DAY:
            return start + unit.days * count
        return super().move_start(start, unit, count)

    def move_day(self, day: int, unit: Unit, count: int) -> int:
        months = unit.months
        if months:
            index, place = _month_index(day)
            year, month = divmod(index + months * count, 12)
            return number_of(year, month + 1, min(place, days_in_month(year, month + 1)))
        if unit is Unit.WEEK or unit is Unit.DAY:
            return day + unit.days * count
        return super().move_day(day, unit, count)

    def keeps(self, aligned: Unit, moved_by: Unit) -> bool:
        return aligned == moved_by or bool(aligned.months and moved_by.months)

    def made_of(self, unit: Unit) -> tuple[Unit, int]:
        return (Unit.MONTH, unit.months) if unit.months else (unit, 1)

    def place_step(self, unit: Unit) -> int:
        return 0

    def unit_number(self, day: int, unit: Unit) -> int:
        if unit.months:
            return (_month_index(day - self._lead)[0] - self._month) // unit.months
        if unit is Unit.WEEK:
            return (day - self._week) // 7
        return day if unit is Unit.DAY else super().unit_number(day, unit)

    def unit_starts(self, unit: Unit, first: int, last: int) -> NDArray[np.int64]:
        import numpy as np

        numbers = np.arange(first, last + 1, dtype=np.int64)
        if unit.months:
            months = numbers * unit.months + self._month - 1970 * 12
            epoch_days = months.astype("datetime64[M]").astype("datetime64[D]").astype(np.int64)
            return epoch_days + (EPOCH + self._lead)
        if unit is Unit.WEEK:
            return numbers * 7 + self._week
        return numbers if unit is Unit.DAY else super().unit_starts(unit, first, last)

    def year_name(self, day: int) -> int:
        start = self.unit_start(day, Unit.YEAR)
        year = civil_of(start)[0]
        spans_two = self.year_starts != "01-01"
        return year + 1 if spans_two and self.year_named_by == "end" else year

    @property
    def is_fiscal(self) -> bool:
        """Whether its years are other than those of the Gregorian calendar."""
        return self.year_starts != "01-01"

    @property
    def first_month(self) -> int:
        """Months from January to the start of the year."""
        return self._month

    @property
    def days_before_month(self) -> int:
        """Days from the first of a Gregorian month to the start of this calendar's."""
        return self._lead

    @property
    def first_weekday(self) -> int:
        """The weekday on which weeks start, 0 for a Monday."""
        return WEEKDAYS.index(self.week_starts)

    def _month_start(self, index: int) -> int:
        year, month = divmod(index, 12)
        if 1 <= year <= 9999:
            return date(year, month + 1, 1).toordinal() + self._lead
        return number_of(year, month + 1, 1) + self._lead

    def describe(self) -> dict[str, Any]:
        return {
            "kind": self.kind,
            "year_starts": self.year_starts,
            "week_starts": self.week_starts,
            "year_named_by": self.year_named_by,
            **self.described_extras(),
        }

    def __str__(self) -> str:
        years = "Gregorian" if self.year_starts == "01-01" else f"years from {self.year_starts}"
        return f"{years}, weeks from {self.week_starts.title()}{self.business}"


def _month_index(day: int) -> tuple[int, int]:
    """The months since year 0 and the day of the month of a day number."""
    if FIRST_DAY <= day <= LAST_DAY:
        inside = date.fromordinal(day)
        return inside.year * 12 + inside.month - 1, inside.day
    year, month, place = civil_of(day)
    return year * 12 + month - 1, place


def checked_cycles(cycles: Iterable[Unit]) -> tuple[Unit, ...]:
    """Units with a number of days and an epoch, no name twice; SettingError otherwise."""
    found = tuple(cycles)
    for unit in found:
        if not isinstance(unit, Unit) or not (unit.days and unit.epoch):
            raise SettingError(
                f"cycles has {unit!r}; make each with own_unit('pay period', 14, date(2026, 1, 5))"
            )
    if len({unit.name for unit in found}) < len(found):
        raise SettingError(f"cycles has a name twice: {', '.join(unit.name for unit in found)}")
    return found


def _month_and_day(text: str) -> tuple[int, int]:
    try:
        month, day = (int(part) for part in text.split("-"))
        date(2001, month, day)
    except (ValueError, AttributeError):
        raise SettingError(
            f"year_starts is {text!r}; give a month and a day as MM-DD, such as '10-01'"
        ) from None
    if day > 28:
        raise SettingError(
            f"year_starts is {text!r}; choose a day from 1 to 28, which every month has"
        )
    return month, day


GREGORIAN = MonthCalendar()
