"""Days as a calendar: months side by side, each a grid of its weeks, with a small bar in each day.

It is decided here which days stand where and how high they are; pages and pictures draw it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, NamedTuple

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import civil_of, date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.units import Unit
from ulnager.core.words import Words
from ulnager.numbers.chart_model import NOTHING, WHOLE, Mark, chart_of
from ulnager.numbers.totals_rows import Totals

LACKING: Final = "lacking"
MOST_MONTHS: Final = 60


class Day(NamedTuple):
    """What a day holds: its value, None for nothing, and whether that is whole, unfinished, or
    lacking where there should be some."""

    value: float | None
    state: str


class GridCell(NamedTuple):
    """A day in the grid of its month: the row of its week, the column of its weekday, how high its
    bar is, from 0 to 1, and its mark, where it is of totals."""

    day: int
    week: int
    weekday: int
    height: float
    state: str
    mark: Mark | None = None


class MonthGrid(NamedTuple):
    """A month with its weeks; ``year`` is told where it is another than before."""

    name: str
    year: str
    weeks: int
    cells: tuple[GridCell, ...]


class DayGrids(NamedTuple):
    """Months in order, the names of the weekdays, and the value of a full cell."""

    months: tuple[MonthGrid, ...]
    weekdays: tuple[str, ...]
    top: float

    @property
    def states(self) -> frozenset[str]:
        """Which sorts of days there are."""
        return frozenset(cell.state for month in self.months for cell in month.cells)


def grids_of(found: Totals) -> DayGrids:
    """The grids of totals by the day.

    Raises SettingError where they are not by the day, are split, or hold too many months.
    """
    rows = found.rows
    if not rows:
        raise SettingError(f"'{found.resolution.period}' has no days to draw")
    if rows[0].bucket.unit is not Unit.DAY or rows[0].split is not None or rows[0].other:
        raise SettingError("a calendar is of one value a day: give --by day, and no --split")
    marks = {mark.row.bucket.start.toordinal(): mark for mark in chart_of(found).marks}  # type: ignore[union-attr]
    days = {day: _of_mark(mark) for day, mark in marks.items()}
    made = day_grids(days, found.resolution.calendar, found.resolution.words)
    months = tuple(
        month._replace(cells=tuple(cell._replace(mark=marks.get(cell.day)) for cell in month.cells))
        for month in made.months
    )
    return made._replace(months=months)


def _of_mark(mark: Mark) -> Day:
    if mark.has_gaps and not mark.value:
        return Day(None, LACKING)
    return Day(mark.value or None, mark.state)


def day_grids(
    days: Mapping[int, Day], calendar: Calendar, words: Words, most: int = MOST_MONTHS
) -> DayGrids:
    """The months of a calendar that some days touch, by the numbers of these days.

    Raises SettingError for more than ``most`` months.
    """
    first, last = min(days), max(days)
    top = max((abs(one.value) for one in days.values() if one.value is not None), default=0.0)
    months: list[MonthGrid] = []
    start, before = _month_of(calendar, first), ""
    while start <= last:
        if len(months) >= most:
            raise SettingError(
                f"more than {most} months cannot be drawn as a calendar; choose fewer days"
            )
        stop = _next(calendar, start)
        name, year = _name(calendar, start)
        if any(day in days for day in range(start, stop)):
            cells = tuple(_cells(days, calendar, start, stop, top))
            weeks = 1 + max(cell.week for cell in cells)
            told = words.unit(year)
            months.append(MonthGrid(words.unit(name), told if told != before else "", weeks, cells))
            before = told
        start = stop
    monday = calendar._unit_start(first, Unit.WEEK)
    names = tuple(words.weekday((monday - 1 + n) % 7, short=True) for n in range(7))
    return DayGrids(tuple(months), names, top)


def _cells(
    days: Mapping[int, Day], calendar: Calendar, start: int, stop: int, top: float
) -> list[GridCell]:
    edge = calendar._unit_start(start, Unit.WEEK)
    found = []
    for number in range(start, stop):
        week, weekday = divmod(number - edge, 7)
        day = days.get(number)
        if day is None:
            continue
        height = 0.0 if day.value is None or not top else day.value / top
        found.append(GridCell(number, week, weekday, height, day.state))
    # Weeks before the first day that is in are left out.
    before = found[0].week if found else 0
    return [cell._replace(week=cell.week - before) for cell in found]


def _month_of(calendar: Calendar, day: int) -> int:
    try:
        return calendar._unit_start(day, Unit.MONTH)
    except ResolveError:
        return date_of(day).replace(day=1).toordinal()


def _next(calendar: Calendar, start: int) -> int:
    try:
        return calendar._move_start(calendar._unit_start(start, Unit.MONTH), Unit.MONTH, 1)
    except ResolveError:
        year, month, _ = civil_of(start)
        return date_of(start).replace(year=year + month // 12, month=month % 12 + 1).toordinal()


def _name(calendar: Calendar, start: int) -> tuple[str, str]:
    """The name of a month, and that of its year, which it does not say itself."""
    day = date_of(start)
    try:
        label = calendar.label(day, Unit.MONTH, short=True)
        year = calendar.label(day, Unit.YEAR)
    except ResolveError:
        return f"{day:%b}", f"{day:%Y}"
    return label.replace(f" {year}", ""), "" if year in label.split() and len(label) > 12 else year


def is_empty(cell: GridCell) -> bool:
    """Whether nothing stands in a day: a day off, or one past the data."""
    return cell.state == NOTHING or (cell.state == WHOLE and not cell.height)
