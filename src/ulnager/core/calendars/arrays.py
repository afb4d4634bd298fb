"""The arithmetic of calendars on whole arrays of days.

A unit is looked up in tables that are made for the days at hand: from a day to the number
of its unit, and from a number to its start. Any calendar that can list the starts of its
units can therefore be used, at the same cost.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import date, datetime
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ulnager.core.arguments import shown
from ulnager.core.calendars.calendar import Calendar, OfCalendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import FIRST_DAY, LAST_DAY, out_of_range
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.units import EPOCH, Unit

Days = NDArray[np.int64]
_GAP: Final = np.iinfo(np.int64).min
"""How NaT is held."""
_AT_ONCE: Final = 8_192
_IN_CACHE: Final = 65_536


def epoch_days(values: Any) -> tuple[Days, NDArray[np.bool_] | None]:
    """Days since 1970-01-01 of an array of days or timestamps, and where it held NaT.

    The second is None when there is no NaT. A gap gets the number of some other day, so that
    it widens no table. Raises SettingError for anything that NumPy does not take for days.
    """
    numbers = as_dates(values).view(np.int64)
    return _closed(numbers) if numbers.size and numbers.min() == _GAP else (numbers, None)


def _closed(numbers: Days) -> tuple[Days, NDArray[np.bool_]]:
    gaps = numbers == _GAP
    return np.where(gaps, numbers[~gaps].min() if not gaps.all() else 0, numbers), gaps


def _bounds(days: Days) -> tuple[int, int]:
    """The lowest and the highest number, found in one pass over the memory."""
    flat = days.ravel()
    parts = [flat[begin : begin + _IN_CACHE] for begin in range(0, flat.size, _IN_CACHE)]
    low, high = zip(*((part.min(), part.max()) for part in parts), strict=True)
    return int(min(low)), int(max(high))


def _objects(values: Any, array: NDArray[Any]) -> NDArray[Any]:
    """Objects with None for whatever stands for no day in data frames: NaT, NaN, NA.

    Raises SettingError for instants among them, which NumPy would take to UTC, and TypeError for
    numbers, which it would take for days since 1970.
    """
    found = [None if _is_gap(one) else one for one in array.ravel().tolist()]
    if any(isinstance(one, (int, float, np.number, np.bool_)) for one in found):
        raise TypeError
    if any(getattr(one, "tzinfo", None) is not None for one in found):
        raise _of_instants(values)
    filled = np.empty(len(found), dtype=object)
    filled[:] = found
    return filled.reshape(array.shape)


def _is_gap(value: object) -> bool:
    name = type(value).__name__
    return name in ("NoneType", "NaTType", "NAType") or (name == "float" and value != value)


def _of_instants(values: Any) -> SettingError:
    return SettingError(
        f"{type(values).__name__} holds instants, which are on other days in other zones; "
        "take them to local time first, without a zone"
    )


def _has_zone(values: Any) -> bool:
    """Whether a column of pandas, Polars or PyArrow holds instants in a zone."""
    held = getattr(values, "dtype", None)
    kinds = (held, getattr(held, "pyarrow_dtype", None), getattr(values, "type", None))
    return any(getattr(kind, "tz", getattr(kind, "time_zone", None)) is not None for kind in kinds)


def as_dates(values: Any) -> NDArray[np.datetime64]:
    """An array of ``datetime64[D]``; SettingError for what NumPy does not take for days."""
    if _has_zone(values):
        raise _of_instants(values)
    try:
        array = np.asarray(values)
        if array.dtype.kind in "iufb":
            raise TypeError
        if array.dtype.kind == "O":
            array = _objects(values, array)
        return array.astype("datetime64[D]", copy=False)
    except (ValueError, TypeError) as error:
        if isinstance(error, SettingError):
            raise
        raise SettingError(
            f"{type(values).__name__} does not hold days; give an array of datetime64, or dates"
        ) from None


def inside(days: Any, times: Iterable[Any], dates: Iterable[Any]) -> NDArray[np.bool_]:
    """Which days or local timestamps are within half-open bounds; None is an open side.

    Timestamps are compared with ``times``, dates, which are days whenever those start, with
    ``dates``. NaT is never inside.
    """
    if _has_zone(days):
        raise _of_instants(days)
    try:
        values = np.asarray(days)
    except ValueError:
        raise SettingError(f"{shown(days)} is no array of days") from None
    if values.dtype.kind == "O":
        held, values = as_dates(days), _objects(days, values)
        timed = np.array([isinstance(one, datetime) for one in values.flat], dtype=bool)
        timed = timed.reshape(values.shape)
        if timed.any():
            each = np.zeros(values.shape, dtype=bool)
            each[timed] = inside(values[timed].astype("datetime64[us]"), times, dates)
            each[~timed] = inside(held[~timed], times, dates)
            return each
        values = held
    elif values.dtype.kind != "M":
        values = as_dates(days)
    found = np.zeros(values.shape, dtype=bool)
    for start, stop in dates if values.dtype == np.dtype("datetime64[D]") else times:
        is_in = ~np.isnat(values)
        if start is not None:
            is_in &= values >= np.datetime64(start)
        if stop is not None:
            is_in &= values < np.datetime64(stop)
        found |= is_in
    return found


def each_span(
    span: Callable[[Days], tuple[Any, Any]], values: Any
) -> tuple[NDArray[np.datetime64], NDArray[np.datetime64]]:
    """The starts and stops that ``span`` gives for an array of days.

    ``span`` takes day numbers. When the days lie closer together than there are days, it is
    asked once for each day of their range, and the answers are handed out from a table.
    """
    days, gaps = as_dates(values).view(np.int64), None
    if not days.shape:
        # One day is an array without a shape; numbers of NumPy cannot be put into.
        starts, stops = each_span(span, np.asarray(values).reshape(1))
        return starts.reshape(()), stops.reshape(())
    if not days.size:
        nothing = np.empty(days.shape, dtype="datetime64[D]")
        return nothing, nothing.copy()
    low, high = _bounds(days)
    if low == _GAP:
        days, gaps = _closed(days)
        low, high = _bounds(days)
    if high - low < days.size:
        try:
            starts, stops = _spans_of(span, np.arange(low, high + 1, dtype=np.int64))
        except ResolveError:
            # It may be about a day in the range that nobody asked for.
            pass
        else:
            return _handed_out((starts, stops), days, low, gaps)
    starts, stops = _spans_of(span, days)
    if gaps is not None:
        starts[gaps] = stops[gaps] = np.datetime64("NaT", "D")
    return starts, stops


def _handed_out(
    tables: tuple[NDArray[np.datetime64], NDArray[np.datetime64]],
    days: Days,
    low: int,
    gaps: NDArray[np.bool_] | None,
) -> tuple[NDArray[np.datetime64], NDArray[np.datetime64]]:
    """What two tables, which begin with the day ``low``, have for each day."""
    wanted = days.ravel()
    # Memory that is written for the first time takes longer than all else here, so it is asked for
    # once, and there is no third array as long as these two.
    starts, stops = np.empty((2, wanted.size), dtype="datetime64[D]")
    buffer = np.empty(_AT_ONCE, dtype=np.int64)
    for begin in range(0, wanted.size, _AT_ONCE):
        part = slice(begin, min(begin + _AT_ONCE, wanted.size))
        places = np.subtract(wanted[part], low, out=buffer[: part.stop - begin])
        for table, found in zip(tables, (starts, stops), strict=True):
            table.take(places, out=found[part], mode="clip")
    if gaps is not None:
        starts[gaps.ravel()] = stops[gaps.ravel()] = np.datetime64("NaT", "D")
    return starts.reshape(days.shape), stops.reshape(days.shape)


def _spans_of(
    span: Callable[[Days], tuple[Any, Any]], days: Days
) -> tuple[NDArray[np.datetime64], NDArray[np.datetime64]]:
    start, stop = span(days + EPOCH)
    if start is not None and stop is not None:
        # Where an empty span would lie does not matter, so it cannot lie out of range.
        empty = np.less_equal(stop, start)
        start = np.where(empty, np.clip(start, FIRST_DAY, LAST_DAY), start)
        stop = np.where(empty, start, stop)
    elif stop is not None and np.min(stop) <= FIRST_DAY:
        raise out_of_range()  # It would end on the day before the first one.
    stops = _dates(stop, days.shape, LAST_DAY + 1)
    # The day after the last one is none: that side is open.
    stops[stops > np.datetime64(date.max)] = np.datetime64("NaT", "D")
    return _dates(start, days.shape), stops


def _dates(numbers: Any, shape: tuple[int, ...], last: int = LAST_DAY) -> NDArray[np.datetime64]:
    """Day numbers, or None for an open side, as dates; ResolveError outside years 1 to 9999."""
    if numbers is None:
        return np.full(shape, "NaT", dtype="datetime64[D]")
    numbers = np.broadcast_to(numbers, shape)
    if numbers.min() < FIRST_DAY or numbers.max() > last:
        raise out_of_range()
    dates: NDArray[np.datetime64] = (numbers - EPOCH).astype("datetime64[D]")
    return dates


class _Units:
    """The units of one sort around the days at hand, as tables."""

    def __init__(self, calendar: Calendar, unit: Unit) -> None:
        self.calendar = calendar
        self.unit = unit
        self._first_day = 0
        self._numbers: Days = np.empty(0, dtype=np.int64)
        self._first_number = 0
        self._starts: Days = np.empty(0, dtype=np.int64)

    def numbers(self, days: Days) -> Days:
        """The number of the unit around each day."""
        low, high = int(days.min()), int(days.max())
        if self.unit is Unit.BUSINESS_DAY and high - low > 100 * days.size:
            return self.calendar.business._positions_of(days)
        if not (self._first_day <= low and high < self._first_day + self._numbers.size):
            self._tabulate(low, high)
        return self._numbers[days - self._first_day]

    def starts(self, numbers: Days) -> Days:
        """The day on which the unit with each number starts."""
        low, high = int(numbers.min()), int(numbers.max())
        if not (self._first_number <= low and high < self._first_number + self._starts.size):
            if high - low > 12 * 20_000 * 31 or abs(low) > 10**8 or abs(high) > 10**8:
                raise out_of_range()
            if self.unit is Unit.BUSINESS_DAY and high - low > 100 * numbers.size:
                found = [
                    self.calendar.business._day_at(number) for number in numbers.ravel().tolist()
                ]
                return np.array(found, dtype=np.int64).reshape(numbers.shape)
            self._first_number = low
            self._starts = self.calendar._unit_starts(self.unit, low, high)
        return self._starts[numbers - self._first_number]

    def _tabulate(self, low: int, high: int) -> None:
        calendar, unit = self.calendar, self.unit
        self._first_day = low
        if unit is Unit.BUSINESS_DAY:
            self._numbers = calendar.business._positions(low, high)
            return
        first, last = calendar._unit_number(low, unit), calendar._unit_number(high, unit)
        edges = np.append(calendar._unit_starts(unit, first, last), high + 1)
        edges[0] = low
        self._numbers = np.repeat(np.arange(first, last + 1), np.diff(edges))


class ArrayArithmetic(OfCalendar):
    """A calendar's answers for arrays of day numbers; see ``core.calendars.base.Arithmetic``."""

    def __init__(self, calendar: Calendar) -> None:
        super().__init__(calendar)
        self._units: dict[Unit, _Units] = {}
        self._months = self if calendar is GREGORIAN else ArrayArithmetic(GREGORIAN)

    def _of(self, unit: Unit) -> _Units:
        found = self._units.get(unit)
        if found is None:
            found = self._units[unit] = _Units(self.calendar, unit)
        return found

    def _unit_start(self, day: Any, unit: Unit) -> Any:
        if unit is Unit.DAY:
            return day
        units, day = self._of(unit), np.asarray(day)
        return units.starts(units.numbers(day))

    def _unit_stop(self, day: Any, unit: Unit) -> Any:
        if unit is Unit.DAY:
            return day + 1
        units, day = self._of(unit), np.asarray(day)
        if unit is Unit.BUSINESS_DAY:
            return units.starts(units.numbers(day + 1))
        return units.starts(units.numbers(day) + 1)

    def _move_start(self, start: Any, unit: Unit, count: int) -> Any:
        days = self.calendar._fixed_days(unit)
        if days:
            return start + days * _small(count)
        if unit.months and self.calendar._place_step(unit) == 7:
            return self._move_period_start(np.asarray(start), unit, _small(count))
        # The start of a month moved by a year is the start of that month, so months are counted.
        smaller, size = self.calendar._made_of(unit)
        units = self._of(smaller)
        return units.starts(units.numbers(np.asarray(start)) + _small(size * count))

    def _move_day(self, day: Any, unit: Unit, count: int) -> Any:
        days = self.calendar._fixed_days(unit)
        if days:
            return day + days * _small(count)
        day = np.asarray(day)
        if unit is Unit.BUSINESS_DAY:
            units = self._of(unit)
            if count <= 0:
                return units.starts(units.numbers(day) + count) if count else day
            return units.starts(units.numbers(day + 1) - 1 + count)
        step = self.calendar._place_step(unit)
        if step:
            return self._move_in_place(day, unit, _small(count), step)
        # Months keep the day of the Gregorian month, clamped to the last one.
        months = self._months._of(Unit.MONTH)
        numbers = months.numbers(day)
        place = day - months.starts(numbers)
        numbers = numbers + _small(unit.months * count)
        return np.minimum(months.starts(numbers) + place, months.starts(numbers + 1) - 1)

    def _move_in_place(self, day: Days, unit: Unit, count: int, step: int) -> Days:
        """Days at the same distance from the start of another unit, or within its last step."""
        units = self._of(unit)
        numbers = units.numbers(day)
        there, stop = units.starts(numbers + count), units.starts(numbers + (count + 1))
        moved = there + day - units.starts(numbers)
        last = stop - step + (moved - there) % step
        return np.where(moved < stop, moved, last)

    def _move_period_start(self, start: Days, unit: Unit, count: int) -> Days:
        """Starts of periods or weeks moved by larger units, as by ``WeekCalendar``."""
        units, months = self._of(unit), self._of(Unit.MONTH)
        numbers = units.numbers(start)
        here, there = units.starts(numbers), units.starts(numbers + count)
        if (here == start).all():
            return there
        month = months.numbers(start)
        last = months.numbers(units.starts(numbers + (count + 1)) - 1)
        ahead = months.numbers(there) + month - months.numbers(here)
        return np.where(
            months.starts(month) == start,
            months.starts(np.minimum(ahead, last)),
            self._move_in_place(start, unit, count, 7),
        )

    def _settled(self, day: Any, unit: Unit) -> Any:
        if unit is not Unit.BUSINESS_DAY:
            return day
        units = self._of(unit)
        return units.starts(units.numbers(np.asarray(day) + 1) - 1)

    def _choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        return np.where(is_so, yes, no)

    def _later(self, one: Any, two: Any) -> Any:
        return two if one is None else one if two is None else np.maximum(one, two)

    def _earlier(self, one: Any, two: Any) -> Any:
        return two if one is None else one if two is None else np.minimum(one, two)

    def _like(self, calendar: Calendar) -> ArrayArithmetic:
        return ArrayArithmetic(calendar)


def _small(count: Any) -> Any:
    """A count, or one for each day, that arrays can hold; a larger one leaves years 1 to 9999
    anyway."""
    if np.abs(count).max() > 10**8 if isinstance(count, np.ndarray) else abs(count) > 10**8:
        raise out_of_range()
    return count
