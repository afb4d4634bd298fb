"""What a column holds, and the bounds of a period in the column's own terms.

Every bound is half-open: ``start <= column < stop``. A row at 23:59:59.999999 on the last
day is in, and a row at midnight after it is not.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, time, tzinfo
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.instants import instant_number
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import FilterError
from ulnager.core.periods.grain import Grain
from ulnager.core.periods.resolution import InstantResolution, ResolutionBase
from ulnager.core.units import Unit

Bounds = tuple[tuple[Any, Any], ...]
"""For each span its start and stop as the column's values; None at an open side."""


def _dates(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    if isinstance(result, InstantResolution):
        raise FilterError(
            f"'{result.period}' is a period of hours, and a column of dates holds none; "
            "filter a column of timestamps"
        )
    return tuple((span.start, span.stop) for span in result.spans)


def _timestamps(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    return tuple((_as_time(start), _as_time(stop)) for start, stop in result._local_bounds())


def _as_time(bound: date | None) -> datetime | None:
    if bound is None or isinstance(bound, datetime):
        return bound
    return datetime.combine(bound, time())


def _instants(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    if isinstance(result, InstantResolution):
        return result.instants(UTC)
    if zone is None:
        raise FilterError(
            "a column of instants needs to know in which zone the days are; "
            "give tz, such as 'Europe/London' or 'UTC'"
        )
    return result.instants(zone)


def _day_keys(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    return tuple((_key(start), _key(stop)) for start, stop in _dates(result, zone))


def _key(day: date | None) -> int | None:
    return None if day is None else day.year * 10_000 + day.month * 100 + day.day


def _month_keys(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    return tuple((_month_key(start), _month_key(stop)) for start, stop in _dates(result, zone))


def _month_key(day: date | None) -> int | None:
    return None if day is None else day.year * 100 + day.month


def _week_keys(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    return tuple((_week_key(start), _week_key(stop)) for start, stop in _dates(result, zone))


def _week_key(day: date | None) -> int | None:
    """The key of an ISO week: 202614."""
    if day is None:
        return None
    year, week, _ = day.isocalendar()
    return year * 100 + week


def _week_texts(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    return tuple((_week_text(start), _week_text(stop)) for start, stop in _dates(result, zone))


def _week_text(day: date | None) -> str | None:
    if day is None:
        return None
    year, week, _ = day.isocalendar()
    return f"{year:04}-W{week:02}"


def _epoch(size: int) -> Callable[[ResolutionBase, tzinfo | None], Bounds]:
    """Bounds as numbers of so many microseconds since 1970 in UTC."""

    def bounds(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
        return tuple(
            (_since(start, size), _since(stop, size)) for start, stop in _instants(result, zone)
        )

    return bounds


def _since(moment: datetime | None, size: int) -> int | None:
    # Rounded up, so that a whole number is compared as the moment itself would be.
    return None if moment is None else -(-instant_number(moment) // size)


def _iso_text(result: ResolutionBase, zone: tzinfo | None) -> Bounds:
    # A date sorts before every time on it, so this holds for text with times too.
    if result.day_starts:
        raise FilterError(
            f"days start {result.day_starts} after midnight, and text may hold dates or times; "
            "make the column timestamps first"
        )
    return tuple(
        (start and start.isoformat(), stop and stop.isoformat())
        for start, stop in _dates(result, zone)
    )


class ColumnType(NamedTuple):
    """What is so of a type of column, in one row.

    ``bounds`` are those of a resolution as values of the column, and ``live`` is the same of a day
    that an engine works out. Values are written in one of the ``form``s of an engine
    (``literal``, ``time``, ``instant``), as ``whole`` numbers or as ``text``. The days of instants
    are known only with a zone, ``has_time`` is set where a day has many values, ``grain`` is what a
    value stands for that is no day, and ``key`` is the engine's primitive for the day of a key.
    """

    bounds: Callable[[ResolutionBase, tzinfo | None], Bounds]
    live: Callable[[Any, Any], str]
    form: str
    has_time: bool = False
    is_instant: bool = False
    grain: Grain | None = None
    key: str = ""

    @property
    def is_dated(self) -> bool:
        """Whether its values are dates or times of the engine's own."""
        return self.form in ("literal", "time", "instant")

    @property
    def is_moment(self) -> bool:
        """Whether its values are instants of the engine's own."""
        return self.form == "instant"


COLUMN_TYPES: Final[dict[str, ColumnType]] = {
    "date": ColumnType(_dates, lambda sql, day: str(day), "literal"),
    "timestamp": ColumnType(_timestamps, lambda sql, day: sql.time(day), "time", has_time=True),
    "timestamptz": ColumnType(
        _instants, lambda sql, day: sql.instant(day), "instant", has_time=True, is_instant=True
    ),
    "yyyymmdd": ColumnType(_day_keys, lambda sql, day: sql.key(day, 3), "whole", key="day_of_key"),
    "yyyymm": ColumnType(
        _month_keys,
        lambda sql, day: sql.key(day, 2),
        "whole",
        grain=Grain(Unit.MONTH),
        key="day_of_month_key",
    ),
    "yyyyww": ColumnType(
        _week_keys,
        lambda sql, day: sql.week_key(day),
        "whole",
        grain=Grain(Unit.WEEK),
        key="day_of_week_key",
    ),
    "iso-week": ColumnType(
        _week_texts,
        lambda sql, day: sql.week_text(day),
        "text",
        grain=Grain(Unit.WEEK),
        key="day_of_week_text",
    ),
    "epoch-seconds": ColumnType(
        _epoch(1_000_000),
        lambda sql, day: sql.seconds(day),
        "whole",
        has_time=True,
        is_instant=True,
    ),
    "epoch-milliseconds": ColumnType(
        _epoch(1_000),
        lambda sql, day: f"{sql.seconds(day)} * 1000",
        "whole",
        has_time=True,
        is_instant=True,
    ),
    "iso-text": ColumnType(_iso_text, lambda sql, day: sql.text(day), "text"),
}
DAY_TYPES: Final = tuple(name for name, one in COLUMN_TYPES.items() if one.is_dated)
"""What a column may hold whose values are themselves taken for days."""
KEY_TYPES: Final = tuple(name for name, one in COLUMN_TYPES.items() if one.key)
"""What a column of keys may hold."""

ROUNDINGS: Final = ("inward", "outward")


class Held(NamedTuple):
    """What a column holds: its type, where its days are, how what is cut is rounded to keys of
    months and weeks or to its grain, and that grain, if a row stands for more than a day.

    Made with :func:`held_as`, which checks them.
    """

    column_type: str
    zone: tzinfo | None
    rounding: str | None = None
    grain: Grain | None = None

    @property
    def type(self) -> ColumnType:
        """What is so of its type."""
        return COLUMN_TYPES[self.column_type]

    @property
    def stands_for(self) -> Grain | None:
        """The unit that a value of the column stands for; None for a day or a moment."""
        return self.grain or self.type.grain


def held_as(
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    rounding: str | None = None,
    grain: Grain | None = None,
) -> Held:
    """What a caller says of a column; FilterError for a type or a way to round that there is not,
    SettingError for an unknown zone."""
    check_column_type(column_type)
    check_rounding(rounding)
    return Held(column_type, None if tz is None else zone_named(tz), rounding, grain)


def check_column_type(column_type: str) -> None:
    """FilterError for a type that there is not."""
    if column_type not in COLUMN_TYPES:
        raise FilterError(
            f"there is no column type {column_type!r}; choose {', '.join(COLUMN_TYPES)}"
        )


def check_rounding(rounding: str | None) -> None:
    """FilterError for a way to round that there is not."""
    if rounding is not None and rounding not in ROUNDINGS:
        raise FilterError(f"rounding is {rounding!r}; choose {' or '.join(ROUNDINGS)}")


def column_bounds(result: ResolutionBase, held: Held) -> Bounds:
    """The bounds of each span for a column that holds that.

    ``column_type`` is ``date``, ``timestamp`` (local, without a zone), ``timestamptz`` (instants;
    ``zone`` says where the days are), ``yyyymmdd``, ``yyyymm`` or ``yyyyww`` (whole numbers as keys
    of days, months or ISO weeks), ``iso-week`` (``2026-W14``), ``epoch-seconds`` or
    ``epoch-milliseconds`` (numbers since 1970 in UTC; with ``zone`` too), or ``iso-text``. Where a
    period cuts a month or a week, a key of these takes ``rounding``, and so does a column with a
    ``grain``: ``inward`` keeps only units that it covers whole, ``outward`` all that it touches.
    Raises FilterError for another type, instants without a zone, or a period that cuts such a unit
    when no rounding is given.
    """
    bounds = held.type.bounds
    if held.stands_for is None:
        return bounds(result, held.zone)
    _dates(result, held.zone)  # Hours are refused first.
    rounded = held.stands_for.rounded(result.ranges, held.rounding, str(result.period))
    return tuple(dict.fromkeys(bounds(result._with_ranges(rounded), held.zone)))
