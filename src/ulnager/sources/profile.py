"""What a date column holds: its dates, its gaps, and the last day that is loaded whole.

One pass over the data counts the rows of each day; all else is worked out from those counts.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta, tzinfo
from itertools import pairwise
from statistics import median
from typing import Final

from sqlalchemy import func, select

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.notebook_tables import ShowsItself, Table, pairs
from ulnager.core.periods.anchors import Extent, is_far, is_stand_in
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.grain import Grain
from ulnager.core.periods.spans import Range, Span, union
from ulnager.core.units import WEEKDAYS
from ulnager.core.values import Json
from ulnager.sources.opening import as_source
from ulnager.sources.source import Column, DaysHeld, LastUpTo, Relation

SHARE: Final = 0.6
WEEKS: Final = 8
NEIGHBOURS: Final = 5
FEW: Final = 2
"""So many days, far from all others, lie alone."""


@dataclass(frozen=True)
class Profile(ShowsItself):
    """What the date column of a source holds.

    ``rows`` in all, ``nulls`` without a date; ``first`` and ``last`` date; the ``median``,
    ``smallest`` and ``largest`` number of rows on a day that has any; ``missing`` dates without
    rows as spans, less the calendar's days off; ``after_today`` rows dated after the clock's
    day; ``duplicates`` of the key, None when none was asked for; ``last_whole``, the last day
    with as many rows as usual, and the ``evidence`` against the days after it; the ``anchor``
    that is suggested and ``because`` of what. ``counts`` holds the rows of each day.
    ``date_format`` is how its text is written, where the values prove it or somebody said it.
    ``grain`` is the unit that a row stands for; None for a day. Then ``missing`` are the units
    without rows, and ``last_whole`` is the last day of the last whole one.
    ``stand_ins`` are dates that stand for none, such as 9999-12-31, with their rows; they are left
    out of all else.
    ``before_last`` is the last date but one where the last lies alone, far from all others, and
    ``after_first`` the first of the others where one or two before them lie alone.
    ``closed`` are the weekdays on which there is no row, or hardly ever one (on a single one of
    them, or on one in 20), where all others have some; they are no missing days.

    >>> import ulnager
    >>> from ulnager.demo import table
    >>> found = ulnager.profile(table("sailings"), today="2026-05-20")
    >>> found.last, found.last_whole
    (datetime.date(2026, 5, 17), datetime.date(2026, 5, 16))
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
    before_last: date | None = None
    date_format: str | None = None
    grain: Grain | None = None
    stand_ins: dict[date, int] = field(default_factory=dict)
    closed: tuple[str, ...] = ()
    after_first: date | None = None

    @property
    def dates_told(self) -> str:
        """The first and the last date, and which of the first lie alone, for a person to read."""
        told = f"{self.first} to {self.last}, {len(self.counts):,} with rows"
        if self.after_first is None:
            return told
        alone = [day for day in self.counts if day < self.after_first]
        named = f"{' and '.join(map(str, alone))} lie{'s' * (len(alone) == 1)} alone"
        gap = (self.after_first - alone[-1]).days
        return f"{told}; {named}, {gap:,} days before {self.after_first}"

    @property
    def extent(self) -> Extent:
        """The dates of the data, for ``latest``, ``latest whole day`` and buckets."""
        missing: list[Range] = [
            (span.start.toordinal(), span.stop.toordinal())
            for span in self.missing
            if span.start is not None and span.stop is not None
        ]
        return Extent(
            self.first,
            self.last,
            self.last_whole,
            tuple(missing),
            self.before_last,
            LastUpTo(tuple(sorted(self.counts))),
            tuple(self.stand_ins),
        )._of_grain(self.grain)

    def _table(self) -> Table:
        missing = sum(span.days or 0 for span in self.missing)
        rows: list[tuple[str, object]] = [
            ("rows", f"{self.rows:,}, {self.nulls:,} of them without a date"),
            ("dates", self.dates_told),
            ("rows a day", f"{self.median:,.0f} usually, {self.smallest:,} to {self.largest:,}"),
            *([("closed", self.closed_told)] if self.closed else []),
            ("missing", f"{missing:,} days without rows"),
            ("last whole", self.last_whole),
            ("anchor", f"{self.anchor}: {self.because}"),
        ]
        return pairs(f"{self.column} of {self.source}", rows, self.evidence[:3])

    @property
    def closed_told(self) -> str:
        """The weekdays without rows, for a person to read, and how many have some in spite of that;
        empty without any."""
        if not self.closed:
            return ""
        named = ", ".join(f"{name.capitalize()}s" for name in self.closed)
        astray = [str(day) for day in self.counts if WEEKDAYS[day.weekday()] in self.closed]
        if not astray:
            return f"{named}, without a row on any of them"
        told = ", ".join(astray) if len(astray) < 4 else f"{len(astray)} days"
        return f"{named}, without rows but on {told}"

    def to_dict(self) -> Json:
        """The profile as plain values, ready for JSON."""
        return {
            "source": self.source,
            "column": self.column,
            "date_format": self.date_format,
            "grain": None if self.grain is None else self.grain.unit.name,
            "stamps": None if self.grain is None else self.grain.stamps,
            "rows": self.rows,
            "nulls": self.nulls,
            "stand_ins": {str(day): rows for day, rows in self.stand_ins.items()},
            "first": str(self.first),
            "last": str(self.last),
            "rows_a_day": {
                "median": self.median,
                "smallest": self.smallest,
                "largest": self.largest,
            },
            "closed_weekdays": list(self.closed),
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

    def __repr__(self) -> str:
        dates = f"{self.first} to {self.last}"
        return f"<profile of {self.source}, {self.column}: {self.rows:,} rows, {dates}>"


@checked(
    calendar=Wanted((Calendar, type(None)), "a calendar"),
    today=Wanted((date, str, type(None)), "a date"),
)
def profile(
    source: object,
    column: str | None = None,
    *,
    today: date | str | None = None,
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    share: float = SHARE,
    key: str | None = None,
) -> Profile:
    """What a date column of a source holds.

    ``share`` is the part of a usual day's rows that makes a day whole; usual is the median of
    the same weekday in the 8 weeks before, or of the days just before where that is not known.
    With a ``calendar``, its days off are not missed. A date that lies alone, more than 8 weeks
    after all others, is no whole day.
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
    source = as_source(source)
    found = source.column(column)
    tz, calendar = tz or source.own_tz, calendar or source.own_calendar
    day = None if today is None else as_day(today, "today")
    counts = source.days_held(found, tz).counts
    return profiled(source, found, counts, day, tz, calendar, share, key)


def profiled(
    source: Relation,
    found: Column,
    counts: Mapping[date | None, int],
    today: date | None = None,
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    share: float = SHARE,
    key: str | None = None,
) -> Profile:
    """What :func:`profile` gives, of the rows of each day, and under None those without one."""
    counts = dict(counts)
    nulls = counts.pop(None, 0)
    days = dict(sorted([(day, rows) for day, rows in counts.items() if day is not None]))
    if not days:
        raise SourceError(f"{source.name}: column {found.name!r} holds no date in {nulls:,} rows")
    stand_ins = {day: days.pop(day) for day in _stand_ins(days, source)}
    if not days:
        days, stand_ins = stand_ins, {}
    first, last = next(iter(days)), next(reversed(days))
    grain = source.grain(found, tz, calendar, DaysHeld(list(days), counts, ()))
    lone = None if grain else _lone(days)
    begins = None if grain else _lone(days, at_start=True)
    closed: tuple[str, ...] = ()
    if grain is None:
        last_whole, evidence = _last_whole(days, share, calendar)
        anchor, because = _suggestion(first, lone or last, last_whole, today)
        closed = _closed(days, begins or first, lone or last)
        missing = _missing(days, begins or first, lone or last, calendar, closed)
        if begins is not None:
            alone = [day for day in days if day < begins]
            missing = (*_missing(alone, first, begins, None), *missing)
    else:
        last_whole, evidence = _last_whole_unit(days, share, grain)
        anchor, because = _suggestion_of(grain, last, last_whole, today)
        missing = _spans(grain.gaps(list(days)))
    if lone is not None and anchor == "latest":
        anchor, because = "latest whole day", evidence[0]
    return Profile(
        source=source.name,
        column=found.name,
        rows=sum(days.values()) + sum(stand_ins.values()) + nulls,
        nulls=nulls,
        first=first,
        last=last,
        median=median(days.values()),
        smallest=min(days.values()),
        largest=max(days.values()),
        missing=missing,
        after_today=sum([n for day, n in days.items() if today is not None and day > today]),
        duplicates=None if key is None else _duplicates(source, key),
        last_whole=last_whole,
        evidence=evidence,
        anchor=anchor,
        because=because,
        counts=days,
        date_format=source.date_formats.get(found.name),
        grain=grain,
        stand_ins=stand_ins,
        before_last=None if lone is None else max(day for day in days if day < last),
        closed=closed,
        after_first=begins,
    )


def _closed(days: dict[date, int], first: date, last: date) -> tuple[str, ...]:
    """The weekdays that never have a row in eight weeks or more, or hardly ever, though the others
    have: one row that went astray makes no opening day."""
    if (last - first).days < _WEEKS_TO_CLOSE * 7:
        return ()
    weeks = (last - first).days / 7
    held = Counter([day.weekday() for day in days if first <= day <= last])
    open_ones = {place for place, rows in held.items() if rows > max(weeks * _ASTRAY, 1)}
    shut = [place for place in range(7) if place not in open_ones]
    # Data of a few days only says nothing of weekdays.
    if len(days) < weeks * len(open_ones) / 2 or len(shut) > _MOST_CLOSED:
        return ()
    return tuple(WEEKDAYS[place] for place in shut)


_WEEKS_TO_CLOSE: Final = 8
_MOST_CLOSED: Final = 4
_ASTRAY: Final = 0.05
"""The part of a weekday's dates that may have rows though it is closed; one date always may."""


def extent_in(data: object) -> Extent:
    """The dates that data holds: of a profile, or of anything that is a source, profiled."""
    return (data if isinstance(data, Profile) else profile(as_source(data))).extent


def _stand_ins(days: dict[date, int], source: Relation) -> list[date]:
    """The dates that stand for none, as they were said or by where they lie."""
    if source.open_ended:
        return [day for day in source.open_ended if day in days]
    found, rest = [], list(days)
    while len(rest) > 1 and is_stand_in(rest[-1], rest[-2]):
        found.append(rest.pop())
    while len(rest) > 1 and is_stand_in(rest[0], rest[1]):
        found.append(rest.pop(0))
    return found


def _last_whole(
    days: dict[date, int], share: float, calendar: Calendar | None
) -> tuple[date, tuple[str, ...]]:
    """The last day with as many rows as usual, and what speaks against those after it.

    Usual is what the same weekday has in the 8 weeks before, and what the days just before it
    have where that is not known, or where the calendar says that it is a day off.
    """
    evidence: list[str] = []
    lone = _lone(days)
    for day in reversed(days):
        if lone is not None and day > lone:
            evidence.append(f"{day} lies alone, {(day - lone).days:,} days after {lone}")
            continue
        weeks = [day - timedelta(weeks=n) for n in range(1, WEEKS + 1)]
        usual = [days[other] for other in weeks if other in days]
        name = f"usual {WEEKDAYS[day.weekday()].title()}"
        is_off = calendar is not None and not calendar.business.contains(day)
        if len(usual) < 2 or is_off:
            around = [day - timedelta(days=n) for n in range(1, 7 * WEEKS + 1)]
            usual = [days[other] for other in around if other in days][:NEIGHBOURS]
            name = f"usual day before it{', and is a day off' * is_off}"
        if len(usual) < 2 or days[day] >= share * median(usual):
            return day, tuple(evidence)
        evidence.append(
            f"{day} holds {days[day] / median(usual):.0%} of a {name} "
            f"({days[day]:,} row{'s' * (days[day] != 1)} for {median(usual):,.0f})"
        )
    return next(reversed(days)), ("no day holds as many rows as usual",)


def _last_whole_unit(
    days: dict[date, int], share: float, grain: Grain
) -> tuple[date, tuple[str, ...]]:
    """The last day of the last unit with as many rows as the ones before it."""
    stamps = list(days)
    evidence: list[str] = []
    for place in range(len(stamps) - 1, -1, -1):
        stamp, usual = stamps[place], [days[one] for one in stamps[max(place - 5, 0) : place]]
        if len(usual) < 2 or days[stamp] >= share * median(usual):
            return grain.around(stamp)[1], tuple(evidence)
        evidence.append(
            f"the {grain.unit} of {stamp} holds {days[stamp] / median(usual):.0%} of a usual "
            f"{grain.unit} ({days[stamp]:,} row{'s' * (days[stamp] != 1)} for {median(usual):,.0f})"
        )
    return grain.around(stamps[-1])[1], (f"no {grain.unit} holds as many rows as usual",)


def _suggestion_of(
    grain: Grain, last: date, last_whole: date, today: date | None
) -> tuple[str, str]:
    begins, ends = grain.around(last)
    if today is not None and begins > today:
        return "today", f"the data runs to {ends}, past the clock's day, {today}"
    if last_whole < ends:
        return "latest whole day", f"the data after {last_whole} is not whole"
    if today is not None and ends >= today:
        return f"end of previous {grain.unit}", f"the last {grain.unit} is not over"
    return "latest", f"the last {grain.unit}, to {ends}, is whole"


def _lone(days: dict[date, int], *, at_start: bool = False) -> date | None:
    """The last day, or the first, but for one or two that lie alone, far from all others; None
    where none does."""
    ends = list(days)[: FEW + 2] if at_start else list(days)[: -FEW - 3 : -1]
    if not any(is_far(max(pair), min(pair), 0) for pair in pairwise(ends)):
        return None
    gaps = [(after - before).days for before, after in pairwise(days)]
    usual = median(gaps) if gaps else 0
    found = None
    for outer, inner in list(pairwise(ends))[:FEW]:
        if is_far(max(outer, inner), min(outer, inner), usual):
            found = inner
    return found


def _missing(
    days: Collection[date],
    first: date,
    last: date,
    calendar: Calendar | None,
    closed: Sequence[str] = (),
) -> tuple[Span, ...]:
    off = {WEEKDAYS.index(name) for name in closed}
    gaps: list[Range] = []
    if sum([first <= day <= last for day in days]) == (last - first).days + 1:
        return ()
    for number in range(first.toordinal(), last.toordinal()):
        day = date.fromordinal(number)
        if day in days or day.weekday() in off:
            continue
        if calendar is None or calendar.business.contains(day):
            gaps.append((number, number + 1))
    return _spans(union(gaps))


def _spans(ranges: tuple[Range, ...]) -> tuple[Span, ...]:
    return tuple(
        Span(date.fromordinal(start), date.fromordinal(stop))
        for start, stop in ranges
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


def _duplicates(source: Relation, key: str) -> int:
    names = [column.name for column in source.columns]
    if key not in names:
        from ulnager.core.suggest import no_such

        raise SourceError(f"{source.name}: {no_such('column', key, names)}")
    value = source.value(key)
    ((count,),) = source.run(select(func.count(value) - func.count(value.distinct())))
    return int(count)
