"""What every calendar answers, and what all calendars have in common.

A calendar answers four questions on **day numbers** (``date.toordinal()``): where the
unit around a day starts and stops, which start lies some units away, and which day
lies some units away. The rules for periods use nothing else, so whatever can answer
these four (one date, an array, a database) can resolve any period.
"""

from __future__ import annotations

from datetime import date, timedelta, tzinfo
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars import unit_labels as labels
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.suggest import no_such
from ulnager.core.units import UNITS, Unit
from ulnager.core.values import Json, Value

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


class Arithmetic(Protocol):
    """What the rules need to know of a calendar, whatever a day is made of."""

    def _unit_start(self, day: Any, unit: Unit) -> Any:
        """The first day of the unit around ``day``."""

    def _unit_stop(self, day: Any, unit: Unit) -> Any:
        """The first day after the unit around ``day``."""

    def _move_start(self, start: Any, unit: Unit, count: int) -> Any:
        """The start of the unit ``count`` units after the one that starts at ``start``."""

    def _move_day(self, day: Any, unit: Unit, count: int) -> Any:
        """``day`` moved by ``count`` units, keeping its place in the unit, clamped."""

    def _settled(self, day: Any, unit: Unit) -> Any:
        """``day`` itself, or for business days the last one up to it."""

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        """The unit that starts of ``aligned`` moved by ``moved_by`` are starts of, if any."""

    def _lists_day(self, day: Any, unit: Unit) -> Any:
        """Whether the unit around a day is known to its end; not beyond a table."""

    def _varies(self, unit: Unit, smaller: Unit) -> bool:
        """Whether some of the units have more of a smaller one than others."""

    def _choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        """``yes`` where ``is_so``, else ``no``."""

    def _on_weekday(self, day: Any, weekday: int) -> Any:
        """The first such weekday from ``day`` on; 0 for a Monday to 6 for a Sunday."""

    def _later(self, one: Any, two: Any) -> Any:
        """The later of two starts; None is the open side."""

    def _earlier(self, one: Any, two: Any) -> Any:
        """The earlier of two stops; None is the open side."""

    def _length(self, start: Any, stop: Any) -> Any:
        """How many days, or microseconds, lie between a start and a stop."""

    def _like(self, calendar: Calendar) -> Arithmetic:
        """Another calendar in the same arithmetic."""

    _is_plain: bool
    """Whether days are plain numbers, which can be compared, so that there may be several spans."""

    @property
    def _plain(self) -> Calendar:
        """The calendar itself, which answers for day numbers."""

    @property
    def business(self) -> BusinessDays:
        """The calendar's business days."""

    def _labelled(self, text: str) -> tuple[int, int] | None:
        """The start and stop of the unit with that label, as day numbers, or None."""

    def _sample_labels(self) -> list[str]:
        """A label of each unit, for messages."""


class Calendar(Value):
    """The base of every calendar: the same questions asked with dates.

    Subclasses answer them with day numbers and set ``kind``.

    >>> from ulnager import GREGORIAN
    >>> GREGORIAN.floor(date(2026, 5, 20), "month"), GREGORIAN.label(date(2026, 5, 20), "week")
    (datetime.date(2026, 5, 1), '2026-W21')
    """

    kind: ClassVar[str]
    _is_plain = True
    business: BusinessDays
    cycles: tuple[Unit, ...] = ()
    """Units of a fixed number of days, made with :func:`ulnager.own_unit`."""

    # Subclasses answer for their own units and leave business days and cycles to these.

    def _unit_start(self, day: int, unit: Unit) -> int:
        """For business days: the first one from ``day`` on."""
        if unit is Unit.BUSINESS_DAY:
            return self.business._day_at(self.business._position(day))
        own = self._cycle(unit)
        return day - (day - own.epoch) % own.days

    def _move_start(self, start: int, unit: Unit, count: int) -> int:
        if unit is Unit.BUSINESS_DAY:
            return self.business._day_at(self.business._position(start) + count)
        return start + self._cycle(unit).days * count

    def _move_day(self, day: int, unit: Unit, count: int) -> int:
        """For business days, by trade convention, a day off counts from the business day
        behind it: the day after a Saturday is Monday, the day before it Friday."""
        if unit is Unit.BUSINESS_DAY:
            if count <= 0:
                return self._move_start(day, unit, count) if count else day
            return self.business._day_at(self.business._position(day + 1) - 1 + count)
        return day + self._cycle(unit).days * count

    def _cycle(self, unit: Unit) -> Unit:
        """This calendar's own cycle of that name; another calendar's may have other days."""
        for own in self.cycles:
            if own == unit:
                return own
        raise self._lacks(unit)

    def _fixed_days(self, unit: Unit) -> int:
        """How many days every one of the units has; 0 when that varies."""
        if unit is Unit.DAY or unit is Unit.WEEK:
            return unit.days
        return next((own.days for own in self.cycles if own == unit), 0)

    def _unit_stop(self, day: int, unit: Unit) -> int:
        if unit is Unit.BUSINESS_DAY:
            return self._unit_start(day + 1, unit)
        return self._move_start(self._unit_start(day, unit), unit, 1)

    def _settled(self, day: int, unit: Unit) -> int:
        if unit is Unit.BUSINESS_DAY:
            return self.business._day_at(self.business._position(day + 1) - 1)
        return day

    @property
    def _plain(self) -> Calendar:
        return self

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        return aligned if aligned == moved_by else None

    def _listed(self, unit: Unit, start: int, stop: int) -> tuple[int, int]:
        """The part of a range in which the units are known: all of it, but for a table's.

        Raises ResolveError where there is none.
        """
        return start, stop

    def _lists_day(self, day: Any, unit: Unit) -> Any:
        return True

    def _varies(self, unit: Unit, smaller: Unit) -> bool:
        return False

    def _choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        return yes if is_so else no

    def _on_weekday(self, day: Any, weekday: int) -> Any:
        # Day number 1 was a Monday.
        return day + (weekday + 1 - day) % 7

    def _later(self, one: int | None, two: int | None) -> int | None:
        return two if one is None else one if two is None else max(one, two)

    def _earlier(self, one: int | None, two: int | None) -> int | None:
        return two if one is None else one if two is None else min(one, two)

    def _length(self, start: int, stop: int) -> int:
        return stop - start

    def _like(self, calendar: Calendar) -> Calendar:
        return calendar

    # What arrays need: units by number, and the starts of many at once.

    def _made_of(self, unit: Unit) -> tuple[Unit, int]:
        """The smallest unit that a unit is a fixed number of, and that number."""
        return unit, 1

    def _place_step(self, unit: Unit) -> int:
        """What days moved by a unit keep: their distance from its start, where that is too long
        cut by so many days at a time; 0 when they keep the day of the Gregorian month."""
        return 1

    def _unit_number(self, day: int, unit: Unit) -> int:
        """The number of the unit around a day, counted from any fixed one."""
        if unit is Unit.BUSINESS_DAY:
            return self.business._position(day)
        own = self._cycle(unit)
        return (day - own.epoch) // own.days

    def _unit_starts(self, unit: Unit, first: int, last: int) -> NDArray[np.int64]:
        """The day numbers on which the units numbered ``first`` to ``last`` start."""
        if unit is Unit.BUSINESS_DAY:
            low, high = self.business._day_at(first), self.business._day_at(last)
            positions = self.business._positions(low, high + 1)
            return low + (positions[1:] > positions[:-1]).nonzero()[0]
        import numpy as np

        own = self._cycle(unit)
        return np.arange(first, last + 1, dtype=np.int64) * own.days + own.epoch

    @property
    def _has_periods(self) -> bool:
        """Whether its months are periods of whole weeks."""
        return False

    @property
    def _names_months(self) -> bool:
        """Whether a month that starts on the first of one goes by its name."""
        return not self._has_periods

    @property
    def own_units(self) -> tuple[Unit, ...]:
        """The units that only this calendar has; phrases may speak of them."""
        return self.cycles

    @property
    def units(self) -> tuple[Unit, ...]:
        """The units that days are grouped into, from the smallest on."""
        return (Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.HALF, Unit.YEAR, *self.own_units)

    def _some_day(self, unit: Unit) -> int:
        """A day number that lies in a unit of that sort, where the calendar has such units."""
        return 739_000

    def unit_named(self, name: Unit | str) -> Unit:
        """The unit of that name, singular or plural; SettingError when there is none."""
        if isinstance(name, Unit):
            return name
        for own in self.own_units:
            if name in (own.name, own.plural):
                return own
        found = Unit.named(name)
        if found is None:
            known = [unit.name for unit in (*UNITS, *self.own_units)]
            raise SettingError(no_such("unit", str(name), known))
        return found

    @checked(unit=Wanted((str, Unit), "a unit such as 'month'"))
    def label(self, day: date, unit: Unit | str, *, short: bool = False) -> str:
        """The name of the unit around a date, long or short.

        >>> from ulnager import MonthCalendar
        >>> MonthCalendar(year_starts="10-01").label(date(2026, 1, 1), "quarter")
        'Q2 FY2026'
        """
        return self._label(day.toordinal(), self.unit_named(unit), short=short)

    def _label(self, day: int, unit: Unit, *, short: bool = False) -> str:
        """The same of a day number."""
        return labels.label(self, self._unit_start(day, unit), unit, short)

    def _labelled(self, text: str) -> tuple[int, int] | None:
        """The start and stop of the unit with that long label, as day numbers, or None."""
        return labels.labelled(self, text)

    def _weeks_named(self, text: str) -> str | None:
        """Which weeks the year has that a label of a week speaks of; None for other labels."""
        return labels.weeks_named(self, text)

    @property
    def _is_fiscal(self) -> bool:
        """Whether its years are other than those of the Gregorian calendar."""
        return True

    def _sample_labels(self) -> list[str]:
        """A label of each unit, for messages."""
        return labels.samples(self)

    def _year_name(self, day: int) -> int:
        """The calendar year that names the year around a day."""
        raise NotImplementedError

    def _place_in_year(self, day: int, unit: Unit) -> int:
        """Which unit of its year the one around a day is, from 1 on."""
        first = self._unit_start(day, Unit.YEAR)
        return self._unit_number(day, unit) - self._unit_number(first, unit) + 1

    @checked(unit=Wanted((str, Unit), "a unit such as 'month'"))
    def floor(self, day: date, unit: Unit | str) -> date:
        """The first day of the unit around ``day``.

        >>> from ulnager import MonthCalendar
        >>> MonthCalendar(year_starts="10-01").floor(date(2026, 5, 20), Unit.YEAR)
        datetime.date(2025, 10, 1)

        Raises ResolveError when this calendar has no such unit, or outside years 1 to 9999.
        """
        return date_of(self._unit_start(day.toordinal(), self.unit_named(unit)))

    @checked(unit=Wanted((str, Unit), "a unit such as 'month'"))
    def shift(self, day: date, unit: Unit | str, count: int) -> date:
        """The same day ``count`` units later; its place in the unit is clamped.

        >>> from ulnager import MonthCalendar
        >>> MonthCalendar().shift(date(2026, 5, 31), Unit.MONTH, -3)
        datetime.date(2026, 2, 28)

        Raises ResolveError when this calendar has no such unit, or outside years 1 to 9999.
        """
        return date_of(self._move_day(day.toordinal(), self.unit_named(unit), count))

    def describe(self) -> Json:
        """The calendar's settings as plain values, ``kind`` first."""
        raise NotImplementedError

    def _described_extras(self) -> dict[str, Any]:
        """Its business days and cycles as plain values, where they are not the usual ones."""
        cycles = {unit.name: f"{unit.days} days from {date_of(unit.epoch)}" for unit in self.cycles}
        return {**self.business.describe(), **({"cycles": cycles} if cycles else {})}

    def _lacks(self, unit: Unit) -> ResolveError:
        """The error for a unit that this calendar does not have."""
        return ResolveError(f"a calendar of {self.kind} has no unit {unit.name!r}")


class OfCalendar:
    """What every other arithmetic of a calendar leaves to the calendar itself."""

    _is_plain = False

    def __init__(self, calendar: Calendar) -> None:
        self.calendar = calendar

    def instants(self, zone: tzinfo, day_starts: timedelta) -> Any:
        """The arithmetic of instants over this one, in a zone."""
        raise ResolveError("hours, minutes and seconds are worked out for one anchor at a time")

    @property
    def _plain(self) -> Calendar:
        return self.calendar

    @property
    def business(self) -> BusinessDays:
        return self.calendar.business

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        return self.calendar._keeps(aligned, moved_by)

    def _lists_day(self, day: Any, unit: Unit) -> Any:
        return self.calendar._lists_day(day, unit)

    def _varies(self, unit: Unit, smaller: Unit) -> bool:
        return self.calendar._varies(unit, smaller)

    def _on_weekday(self, day: Any, weekday: int) -> Any:
        return self.calendar._on_weekday(day, weekday)

    def _length(self, start: Any, stop: Any) -> Any:
        return stop - start

    def _labelled(self, text: str) -> tuple[int, int] | None:
        return self.calendar._labelled(text)

    def _sample_labels(self) -> list[str]:
        return self.calendar._sample_labels()
