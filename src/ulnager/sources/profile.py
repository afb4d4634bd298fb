"""What a date column holds: its dates, its gaps, and the last day that is loaded whole.

One pass over the data counts the rows of each day; all else is worked out from those counts.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta, tzinfo
from statistics import median
from typing import Any, Final

from sqlalchemy import func, select

from ulnager.core.calendars.base import Calendar
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.spans import Range, Span, union
from ulnager.core.units import WEEKDAYS
from ulnager.sources.base import Source

SHARE: Final = 0.6
WEEKS: Final = 8


@dataclass(frozen=True)
class Profile:
    """What the date column of a source holds.

    ``rows`` in all, ``nulls`` without a date; ``first`` and ``last`` date; the ``median``,
    ``smallest`` and ``largest`` number of rows on a day that has any; ``missing`` dates without
    rows as spans, less the calendar's days off; ``after_today`` rows dated after the clock's
    day; ``duplicates`` of the key, None when none was asked for; ``last_whole``, the last day
    with as many rows as usual, and the ``evidence`` against the days after it; the ``anchor``
    that is suggested and ``because`` of what. ``counts`` holds the rows of each day.
    """

    source: str
    column: str
    rows: int
    nulls: int
    first: date
    last: date
    median: float
    smallest: int
    largest: int
    missing: tuple[Span, ...]
    after_today: int
    duplicates: int | None
    last_whole: date
    evidence: tuple[str, ...]
    anchor: str
    because: str
    counts: dict[date, int]

    @property
    def extent(self) -> Extent:
        """The dates of the data, for ``latest``, ``latest whole day`` and buckets."""
        missing: list[Range] = [
            (span.start.toordinal(), span.stop.toordinal())
            for span in self.missing
            if span.start is not None and span.stop is not None
        ]
        return Extent(self.first, self.last, self.last_whole, tuple(missing))

    def to_dict(self) -> dict[str, Any]:
        """The profile as plain values, ready for JSON."""
        return {
            "source": self.source,
            "column": self.column,
            "rows": self.rows,
            "nulls": self.nulls,
            "first": str(self.first),
            "last": str(self.last),
            "rows_a_day": {
                "median": self.median,
                "smallest": self.smallest,
                "largest": self.largest,
            },
            "missing": [
                {"start": str(span.start), "end": str(span.end), "days": span.days}
                for span in self.missing
            ],
            "after_today": self.after_today,
            "duplicates": self.duplicates,
            "last_whole_day": str(self.last_whole),
            "evidence": list(self.evidence),
            "suggested_anchor": self.anchor,
            "because": self.because,
        }


def profile(
    source: Source,
    column: str | None = None,
    *,
    today: date | None = None,
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    share: float = SHARE,
    key: str | None = None,
) -> Profile:
    """What a date column of a source holds.

    ``share`` is the part of a usual day's rows that makes a day whole; usual is the median of
    the same weekday in the 8 weeks before. With a ``calendar``, its days off are not missed.
    ``key`` names a column whose values should occur once.

    >>> import ulnager
    >>> from ulnager.demo import table
    >>> found = profile(ulnager.open_source(table("sailings")), today=date(2026, 5, 20))
    >>> found.last_whole, found.evidence
    (datetime.date(2026, 5, 16), ('2026-05-17 holds 44% of a usual Sunday (4 rows for 9)',))

    Raises SourceError as the source does, and when the column holds no date at all.
    """
    if not 0 <= share <= 1:
        raise SettingError(f"share is {share!r}; give a part of a usual day, from 0 to 1")
    found = source.column(column)
    counts = source.counts(found, tz)
    nulls = counts.pop(None, 0)
    days = {day: counts[day] for day in sorted(day for day in counts if day is not None)}
    if not days:
        raise SourceError(f"{source.name}: column {found.name!r} holds no date in {nulls:,} rows")
    first, last = next(iter(days)), next(reversed(days))
    last_whole, evidence = _last_whole(days, share)
    anchor, because = _suggestion(first, last, last_whole, today)
    return Profile(
        source=source.name,
        column=found.name,
        rows=sum(days.values()) + nulls,
        nulls=nulls,
        first=first,
        last=last,
        median=median(days.values()),
        smallest=min(days.values()),
        largest=max(days.values()),
        missing=_missing(days, first, last, calendar),
        after_today=sum(n for day, n in days.items() if today is not None and day > today),
        duplicates=None if key is None else _duplicates(source, key),
        last_whole=last_whole,
        evidence=evidence,
        anchor=anchor,
        because=because,
        counts=days,
    )


def _last_whole(days: dict[date, int], share: float) -> tuple[date, tuple[str, ...]]:
    """The last day with as many rows as usual, and what speaks against those after it."""
    evidence: list[str] = []
    for day in reversed(days):
        before = (day - timedelta(weeks=n) for n in range(1, WEEKS + 1))
        usual = [days[other] for other in before if other in days]
        if len(usual) < 2 or days[day] >= share * median(usual):
            return day, tuple(evidence)
        weekday = WEEKDAYS[day.weekday()].title()
        evidence.append(
            f"{day} holds {days[day] / median(usual):.0%} of a usual {weekday} "
            f"({days[day]:,} rows for {median(usual):,.0f})"
        )
    return next(reversed(days)), ("no day holds as many rows as usual",)


def _missing(
    days: dict[date, int], first: date, last: date, calendar: Calendar | None
) -> tuple[Span, ...]:
    gaps: list[Range] = []
    for number in range(first.toordinal(), last.toordinal()):
        day = date.fromordinal(number)
        if day not in days and (calendar is None or calendar.business.contains(day)):
            gaps.append((number, number + 1))
    return tuple(
        Span(date.fromordinal(start), date.fromordinal(stop))
        for start, stop in union(gaps)
        if start is not None and stop is not None
    )


def _suggestion(first: date, last: date, last_whole: date, today: date | None) -> tuple[str, str]:
    if today is not None and last > today:
        return "today", f"the data runs to {last}, past the clock's day, {today}"
    if last_whole < last:
        return "latest whole day", f"the data after {last_whole} is not whole"
    if today is not None and last == today:
        return "yesterday", "the data holds some of today, which is still running"
    return "latest", f"the last day, {last}, is whole"


def _duplicates(source: Source, key: str) -> int:
    names = [column.name for column in source.columns]
    if key not in names:
        from ulnager.core.suggest import no_such

        raise SourceError(f"{source.name}: {no_such('column', key, names)}")
    value = source.value(key)
    ((count,),) = source.run(select(func.count(value) - func.count(value.distinct())))
    return int(count)
