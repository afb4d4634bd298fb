"""Calendars of months: years of twelve of them, and weeks of seven days beside them."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from functools import lru_cache
from typing import TYPE_CHECKING

from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import FIRST_DAY, LAST_DAY, civil_of, number_of
from ulnager.core.errors import SettingError
from ulnager.core.units import EPOCH, WEEKDAYS, Unit
from ulnager.core.values import Json

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


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

    _FIELDS = ("year_starts", "week_starts", "year_named_by", "business", "cycles")
    kind = "months"

    year_starts: str
    week_starts: str
    year_named_by: str

    # Worked out once: months before the year starts, days before a month starts, and the
    # remainder by seven of a week's first day number.
    _month: int
    _lead: int
    _week: int

    @checked(
        year_starts=Wanted((str,), "a month and a day such as '10-01'"),
        week_starts=Wanted((str,), "a weekday"),
        year_named_by=Wanted((str,), "'start' or 'end'"),
        cycles=Wanted((Iterable,), "units that own_unit made"),
    )
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
            raise SettingError(f"business is {shown(business)}; give a BusinessDays")
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

    def _unit_start(self, day: int, unit: Unit) -> int:
        months = unit.months
        if months:
            index, place = _month_index(day - self._lead)
            if months == 1:
                return day - place + 1
            return _first_of(index - (index - self._month) % months) + self._lead
        if unit is Unit.WEEK:
            return day - (day - self._week) % 7
        if unit is Unit.DAY:
            return day
        return super()._unit_start(day, unit)

    def _move_start(self, start: int, unit: Unit, count: int) -> int:
        months = unit.months
        if months:
            lead = self._lead
            return _first_of(_month_index(start - lead)[0] + months * count) + lead
        if unit is Unit.WEEK or unit is Unit.DAY:
            return start + unit.days * count
        return super()._move_start(start, unit, count)

    def _move_day(self, day: int, unit: Unit, count: int) -> int:
        months = unit.months
        if months:
            index, place = _month_index(day)
            index += months * count
            return min(_first_of(index) + place, _first_of(index + 1)) - 1
        if unit is Unit.WEEK or unit is Unit.DAY:
            return day + unit.days * count
        return super()._move_day(day, unit, count)

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        if aligned.months and moved_by.months:
            return min(aligned, moved_by, key=lambda unit: unit.months)
        return super()._keeps(aligned, moved_by)

    def _made_of(self, unit: Unit) -> tuple[Unit, int]:
        return (Unit.MONTH, unit.months) if unit.months else (unit, 1)

    def _place_step(self, unit: Unit) -> int:
        return 0

    def _unit_number(self, day: int, unit: Unit) -> int:
        if unit.months:
            return (_month_index(day - self._lead)[0] - self._month) // unit.months
        if unit is Unit.WEEK:
            return (day - self._week) // 7
        return day if unit is Unit.DAY else super()._unit_number(day, unit)

    def _unit_starts(self, unit: Unit, first: int, last: int) -> NDArray[np.int64]:
        import numpy as np

        numbers = np.arange(first, last + 1, dtype=np.int64)
        if unit.months:
            months = numbers * unit.months + self._month - 1970 * 12
            epoch_days = months.astype("datetime64[M]").astype("datetime64[D]").astype(np.int64)
            return epoch_days + (EPOCH + self._lead)
        if unit is Unit.WEEK:
            return numbers * 7 + self._week
        return numbers if unit is Unit.DAY else super()._unit_starts(unit, first, last)

    def _year_name(self, day: int) -> int:
        start = self._unit_start(day, Unit.YEAR)
        year = civil_of(start)[0]
        spans_two = self.year_starts != "01-01"
        return year + 1 if spans_two and self.year_named_by == "end" else year

    @property
    def _is_fiscal(self) -> bool:
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

    def describe(self) -> Json:
        return {
            "kind": self.kind,
            "year_starts": self.year_starts,
            "week_starts": self.week_starts,
            "year_named_by": self.year_named_by,
            **self._described_extras(),
        }

    def __str__(self) -> str:
        years = "Gregorian" if self.year_starts == "01-01" else f"years from {self.year_starts}"
        return f"{years}, weeks from {self.week_starts.title()}{self.business}"


# A page, a walk or a table asks for the same few days and months again and again.


@lru_cache(maxsize=8192)
def _first_of(index: int) -> int:
    """The day number of the first of a month, by the months since year 0."""
    year, month = divmod(index, 12)
    if 1 <= year <= 9999:
        return date(year, month + 1, 1).toordinal()
    return number_of(year, month + 1, 1)


@lru_cache(maxsize=8192)
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
