"""Resolutions: the dates that came out, with the reasons for them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta, tzinfo
from functools import cached_property
from typing import TYPE_CHECKING, Any, Final, NoReturn, Self

from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.calendars.instants import instant_number, moment_of
from ulnager.core.calendars.zones import (
    FIRST_DAY,
    LAST_DAY,
    date_of,
    day_start,
    is_shown_twice,
    out_of_range,
    zone_named,
)
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.notebook_tables import ShowsItself, Table, pairs
from ulnager.core.periods import explain
from ulnager.core.periods.anchor_provenance import deciding_anchor, is_measured, measured
from ulnager.core.periods.anchors import Anchor
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.shifting import PERIOD, shifted
from ulnager.core.periods.spans import LastSpan, Range, Span, hold, is_within, local_bounds
from ulnager.core.units import Unit
from ulnager.core.values import Json
from ulnager.core.words import ENGLISH, Words

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ulnager.core.periods.buckets import Bucket
    from ulnager.core.periods.period_tree import Weekly


def spans_label(spans: Sequence[Span], words: Words = ENGLISH) -> str:
    """Several spans for a person to read, in the words of a language."""
    if not spans:
        return words.say("no dates")
    more, labels = len(spans) - 3, ", ".join(map(words.span, spans[:3]))
    key = "{0} and {1} more spans" if more > 1 else "{0} and {1} more span"
    return words.say(key, labels, more) if more > 0 else labels


def dates_told(result: Any) -> str:
    """The dates of a resolution on one line, for those to whom it is offered."""
    if result.period.definition.is_sub_day:
        return spans_label(result.spans)
    return ", ".join(map(str, result.spans[:3])) or "no dates"


def as_values(result: Any, *, steps: bool) -> dict[str, Any]:
    """A resolution as plain values, dates as ISO 8601 text, ready for JSON."""
    anchor = result.anchor
    found: dict[str, Any] = {
        "period": str(result.period),
        "anchor": {
            "date": anchor.day.isoformat(),
            "running": anchor.running,
            "from": anchor.source,
        },
        "calendar": result.calendar.describe(),
        "spans": [
            {
                "start": _iso(span.start),
                "end": _iso(span.end),
                "stop": _iso(span.stop),
                "days": span.days,
            }
            for span in result.spans
        ],
        "days": result.days,
        "empty": result.is_empty,
        "label": result.label,
        "notes": list(result.notes),
    }
    if steps:
        found["steps"] = list(result.steps)
    return found


def table_of(result: Any) -> Table:
    """A resolution as a small table."""
    spans = list(result.spans)
    dates = [("dates" if not place else "", span) for place, span in enumerate(spans[:12])]
    rows: list[tuple[str, object]] = [*(dates or [("dates", "none")])]
    if len(spans) > 12:
        rows.append(("", f"and {len(spans) - 12} more spans"))
    if result.days is not None:
        rows.append(("days", f"{result.days:,}"))
    rows += [("label", result.label), ("anchor", result.anchor), ("calendar", result.calendar)]
    return pairs(result.period, rows, result.notes)


def _iso(day: date | None) -> str | None:
    return None if day is None else day.isoformat()


_OF_FILTERS: Final = frozenset(("condition", "filter", "keep", "sql", "to_sql", "where"))
_NEVER: Final = LAST_DAY + 1  # Where days that go on to the last one stop: no date.


class ResolutionBase(ShowsItself):
    """What a resolution in days and one in instants have in common."""

    def __init__(
        self, definition: Definition, basis: Basis, ranges: tuple[Range, ...], period: Any
    ) -> None:
        self._definition = definition
        self._basis = basis
        self._ranges = ranges
        self.period = period
        self._check_range(ranges)

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> Any:
            told = f"{type(self).__name__!r} object has no attribute {name!r}"
            if name in _OF_FILTERS:
                told += "; ulnager.condition(resolution, 'column') is a filter of it, and so are "
                told += "ulnager.where, and ulnager.keep of a data frame"
            raise AttributeError(told, name=name, obj=self)

    def _check_range(self, ranges: tuple[Range, ...]) -> None:
        """Dates that cannot be shown are found here and not when a page is half drawn."""
        for start, stop in ranges:
            if start is not None and not FIRST_DAY <= start <= LAST_DAY:
                raise out_of_range()
            if stop is not None and not FIRST_DAY < stop <= _NEVER:
                raise out_of_range()

    _value = staticmethod(date.fromordinal)

    @property
    def start(self) -> date | None:
        """The first date; None when that side is open, or when there is no date at all."""
        ranges = self._ranges
        number = ranges[0][0] if ranges else None
        return None if number is None else self._value(number)

    @property
    def stop(self) -> date | None:
        """The first date after the last one; None as for ``start``, and after 9999-12-31."""
        ranges = self._ranges
        number = ranges[-1][1] if ranges else None
        return None if number is None or number == _NEVER else self._value(number)

    @property
    def is_empty(self) -> bool:
        """Whether there is no date in it; ``notes`` then says why."""
        return not self._ranges

    @cached_property
    def spans(self) -> tuple[Span, ...]:
        """The spans, disjoint and in order."""
        return tuple(self._span(start, stop) for start, stop in self._ranges)

    def _span(self, start: int | None, stop: int | None) -> Span:
        first = None if start is None else self._value(start)
        if stop == _NEVER:
            return LastSpan(first, None)
        return Span(first, None if stop is None else self._value(stop))

    @cached_property
    def anchor(self) -> Anchor:
        """The day that decided: of ``as of`` in the phrase, of the data, or the caller's."""
        return deciding_anchor(self._definition, self._basis)

    @property
    def _clock_day(self) -> int | None:
        """The clock's day as a day number, None where nobody said it."""
        return self._basis.in_days().today  # type: ignore[no-any-return]

    @property
    def basis(self) -> Basis:
        """What it was worked out against."""
        return self._basis

    @property
    def is_measured(self) -> bool:
        """Whether it hangs on its anchor at all; fixed dates do not."""
        return is_measured(self._definition, self._basis)

    @property
    def calendar(self) -> Any:
        """The calendar that it was resolved with; ``in`` at the end of the phrase decides."""
        return measured(self._definition, self._basis)[1].calendar

    @property
    def words(self) -> Any:
        """The words that its labels are in."""
        return self._basis.words

    @cached_property
    def label(self) -> str:
        """The dates for a person to read.

        >>> import ulnager
        >>> ulnager.period("last 3 whole months").resolve(today="2026-06-13").label
        '1 Mar to 31 May 2026'
        """
        return spans_label(self.spans, self.words)

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What a reader should know: other readings, why it is empty."""
        return explain.notes(self._definition, self._basis)

    @cached_property
    def steps(self) -> tuple[str, ...]:
        """What was decided, in words, with the dates."""
        return explain.steps(self._definition, self._basis)

    def mask(self, days: Any) -> NDArray[np.bool_]:
        """Which of an array of days or local timestamps are in, as an array of its shape.

        NaT is never in.

        >>> import numpy as np, ulnager
        >>> days = np.array(["2026-03-31T23:59", "2026-04-01", "NaT"], dtype="datetime64[m]")
        >>> ulnager.period("2026-03").resolve().mask(days)
        array([ True, False, False])
        """
        from ulnager.core.calendars.arrays import inside

        return inside(days, self._local_bounds(), self._bounds_of_dates())

    @property
    def ranges(self) -> tuple[Range, ...]:
        """The spans as half-open ranges of day numbers; None at an open side."""
        return self._ranges

    def _with_ranges(self, ranges: tuple[Range, ...]) -> Self:
        """The same with other ranges of day numbers."""
        return type(self)(self._definition, self._basis, ranges, self.period)

    @property
    def _days_around(self) -> tuple[date | None, date | None]:
        """The first and the last day that it touches; None at an open side, and of nothing."""
        return self.start, self.end

    def _bounds_of(self, days: Sequence[Range]) -> tuple[Range, ...]:
        """Ranges of day numbers, counted as its own ranges are."""
        return tuple(days)

    def unit_named(self, unit: Unit | str) -> Unit:
        """The unit of that name in the calendar; SettingError when there is none."""
        return self.calendar.unit_named(unit)  # type: ignore[no-any-return]

    @checked(unit=Wanted((str, Unit), "a unit such as 'month'"))
    def counterpart(self, count: int, unit: Unit | str, *, later: bool = False) -> Self:
        """The same period at another time, to compare with.

        ``unit`` is a unit, its name, or ``"period"`` for the period's own length.

        >>> import ulnager
        >>> month = ulnager.period("month to date").resolve(today="2026-05-20")
        >>> month.counterpart(1, "year").label, month.counterpart(1, "period").label
        ('1 to 20 May 2025', '1 to 20 Apr 2026')

        Raises SettingError for a count below 1 or an unknown unit, ResolveError when the
        period has no length to step by.
        """
        try:
            known = PERIOD if unit in ("period", "periods") else self.unit_named(unit)
        except SettingError:
            known = None
        if count < 1 or known is None:
            raise SettingError(f"counterpart({count}, {unit}): give a count from 1 on and a unit")
        definition = shifted(self._definition, count if later else -count, known)
        outer = self.period
        period = definition if isinstance(outer, Definition) else type(outer)(definition)
        return type(self)(definition, self._basis, definition.ranges(self._basis), period)

    @property
    def day_starts(self) -> timedelta:
        """How long after midnight a day starts."""
        return self._basis.day_starts

    def to_dict(self, *, steps: bool = False) -> Json:
        """The resolution as plain values, dates as ISO 8601 text, ready for JSON."""
        return as_values(self, steps=steps)

    def _table(self) -> Table:
        return table_of(self)

    @property
    def end(self) -> date | None:
        """The last date; None as for ``start``."""
        raise NotImplementedError

    @property
    def days(self) -> int | None:
        """How many days are in; None when a side is open, 0 when it is empty."""
        raise NotImplementedError

    def contains(self, day: date) -> bool:
        """Whether it is in one of the spans."""
        raise NotImplementedError

    def instants(self, tz: str | tzinfo) -> tuple[tuple[datetime | None, datetime | None], ...]:
        """The instants at which each span starts and stops."""
        raise NotImplementedError

    def _local_bounds(self) -> tuple[tuple[date | None, date | None], ...]:
        """The start and stop of each span without a zone."""
        raise NotImplementedError

    def weekly(self) -> Weekly | None:
        """Its ranges as weekdays of longer ones, where that takes fewer words; else None."""
        return None

    def _bounds_of_dates(self) -> tuple[tuple[date | None, date | None], ...]:
        """The start and stop of each span where values are dates."""
        return self._local_bounds()

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, ResolutionBase):
            return False
        mine, others = (self._definition, self._ranges), (other._definition, other._ranges)
        return mine == others and self.anchor == other.anchor

    def __hash__(self) -> int:
        return hash((self._definition, self._ranges))

    def __repr__(self) -> str:
        return f"<{self.period}: {', '.join(str(span) for span in self.spans) or 'empty'}>"


class Resolution(ResolutionBase):
    """A period worked out: its spans, and the steps that led there.

    ``period`` is what was resolved; all else is worked out from it when it is asked for.

    >>> from ulnager import period
    >>> result = period("last 3 whole months").resolve(today="2026-05-20")
    >>> result.start, result.end, result.days
    (datetime.date(2026, 2, 1), datetime.date(2026, 4, 30), 89)
    """

    @property
    def end(self) -> date | None:
        """The last date; None as for ``start``."""
        ranges = self._ranges
        number = ranges[-1][1] if ranges else None
        return None if number is None else date.fromordinal(number - 1)

    @property
    def days(self) -> int | None:
        """How many days are in; None when a side is open, 0 when it is empty."""
        total = 0
        for start, stop in self._ranges:
            if start is None or stop is None:
                return None
            total += stop - start
        return total

    def contains(self, day: date) -> bool:
        """Whether the day is in one of the spans; a naive datetime stands for its day.

        >>> import ulnager
        >>> march = ulnager.period("2026-03").resolve()
        >>> march.contains(date(2026, 3, 31)), march.contains(date(2026, 4, 1))
        (True, False)

        Raises SettingError for anything else, also for an instant, whose day depends on the zone.
        """
        if not isinstance(day, date) or getattr(day, "tzinfo", None) is not None:
            raise SettingError(
                f"{shown(day)} is no date; give a date, and take an instant to its zone and "
                "date first"
            )
        return hold(self.spans, day, self._basis.day_starts)

    def instants(self, tz: str | tzinfo) -> tuple[tuple[datetime | None, datetime | None], ...]:
        """The instants at which each span starts and stops, in UTC; None at an open side.

        >>> import ulnager
        >>> march = ulnager.period("2026-03").resolve()
        >>> [(str(a), str(b)) for a, b in march.instants("Europe/London")]
        [('2026-03-01 00:00:00+00:00', '2026-03-31 23:00:00+00:00')]

        Raises SettingError when there is no such time zone.
        """
        zone, after = zone_named(tz), self._basis.day_starts
        return tuple(
            (
                None if span.start is None else day_start(span.start, zone, after),
                None if span.stop is None else day_start(span.stop, zone, after),
            )
            for span in self.spans
        )

    def _local_bounds(self) -> tuple[tuple[date | None, date | None], ...]:
        """The start and stop of each span without a zone: dates, or where days do not start at
        midnight datetimes; None at an open side."""
        return local_bounds(self.spans, self._basis.day_starts)

    def _bounds_of_dates(self) -> tuple[tuple[date | None, date | None], ...]:
        """The start and stop of each span as dates."""
        return self.spans

    @checked(unit=Wanted((str, Unit), "a unit such as 'month'"))
    def buckets(
        self, unit: Unit | str, partial: str = "mark", data: object = None
    ) -> tuple[Bucket, ...]:
        """The period split at the boundaries of a unit, in order.

        Each bucket says why it is not whole: it starts late, ends early, is running or has not
        begun by the clock, and with ``data`` that the data ends, days are missing, or its last day
        is half loaded; an open period is split as far as the data goes then. A cut by sorts of days
        leaves a unit whole that has all of that sort. ``partial`` says what happens to those:
        ``"mark"`` keeps them with their reasons, ``"drop"`` leaves them out, ``"keep"`` unmarked.

        >>> import ulnager
        >>> spring = ulnager.period("since 2026-03-15").resolve(today="2026-05-20")
        >>> [(b.label, b.days, b.reasons) for b in spring.buckets("month")]
        [('Mar 2026', 17, ('starts late',)), ('Apr 2026', 30, ()),
         ('May 2026', 20, ('ends early', 'still running'))]

        Raises SettingError for an unknown unit or word, ResolveError for an open period.
        """
        from ulnager.core.periods.buckets import Buckets, Resolved, buckets_of

        asked = Resolved(self._definition, self._basis, measured(self._definition, self._basis)[1])
        found = buckets_of(self._ranges, asked, self.unit_named(unit), partial, data)
        return Buckets(found).worded(self.words)

    def weekly(self) -> Weekly | None:
        """Its ranges as weekdays of longer ones, where that takes fewer words; else None."""
        from ulnager.core.periods.period_tree import weekly

        if self._basis.day_starts or self._definition.is_sub_day:
            return None
        return weekly(self._definition, self._basis, self.calendar.business, self._ranges)


class InstantResolution(ResolutionBase):
    """A period of hours, minutes or seconds worked out: spans of instants.

    ``start`` and ``stop`` are aware datetimes in the zone; there is no ``end`` and no count
    of ``days``.

    >>> from ulnager import period
    >>> last = period("last 3 whole hours").resolve(now="2026-05-20T08:30+00:00", tz="UTC")
    >>> last.start.isoformat(), last.stop.isoformat()
    ('2026-05-20T05:00:00+00:00', '2026-05-20T08:00:00+00:00')
    """

    def buckets(self, *args: Any, **given: Any) -> NoReturn:
        """Not of instants: raises ResolveError."""
        raise ResolveError(f"'{self.period}' is a period of hours; buckets are made of days")

    def _check_range(self, ranges: tuple[Range, ...]) -> None:
        self.instants(self.zone)

    @property
    def zone(self) -> tzinfo:
        """Where the local times are."""
        zone = self._basis.zone
        assert zone is not None
        return zone

    def _value(self, number: int) -> date:
        return moment_of(number, self.zone)

    @property
    def _days_around(self) -> tuple[date | None, date | None]:
        here, ranges = self._basis.instants_here(), self._ranges
        if not ranges:
            return None, None
        start, stop = ranges[0][0], ranges[-1][1]
        return (
            None if start is None else date_of(here.day_of(start)),
            None if stop is None else date_of(here.day_of(stop - 1)),
        )

    def _bounds_of(self, days: Sequence[Range]) -> tuple[Range, ...]:
        here = self._basis.instants_here()
        return tuple(
            (
                None if start is None else here.instant_of(start),
                None if stop is None or stop > LAST_DAY else here.instant_of(stop),
            )
            for start, stop in days
        )

    def _units_in(self, unit: Unit, start: int, stop: int) -> int:
        """How many units of time a span touches."""
        first = self._basis.instants_here()._unit_start(start, unit)
        return -(-(stop - first) // unit.microseconds)

    @property
    def end(self) -> date | None:
        """Always None: instants have no last one."""
        return None

    @property
    def days(self) -> int | None:
        """None: see ``duration``; 0 when it is empty."""
        return 0 if self.is_empty else None

    @property
    def duration(self) -> timedelta | None:
        """The elapsed time of all spans; None when a side is open."""
        total = 0
        for start, stop in self._ranges:
            if start is None or stop is None:
                return None
            total += stop - start
        return timedelta(microseconds=total)

    def contains(self, day: date) -> bool:
        """Whether an aware datetime is in one of the spans.

        Raises SettingError for a date, or a datetime without a zone.
        """
        if not isinstance(day, datetime) or day.tzinfo is None:
            raise SettingError(f"{shown(day)} is no instant; give a datetime with a zone")
        return is_within(instant_number(day), self._ranges)

    def _span(self, start: int | None, stop: int | None) -> Span:
        return Span(*(one if one is None else self._value(one) for one in (start, stop)))

    def _local_bounds(self) -> tuple[tuple[date | None, date | None], ...]:
        """The start and stop of each span as local times, without a zone.

        Raises ResolveError where one lies in an hour that the clocks show twice: local times
        cannot tell the first from the second.
        """
        for bound in (bound for span in self.spans for bound in span):
            if isinstance(bound, datetime) and is_shown_twice(bound):
                raise ResolveError(
                    f"'{self.period}' goes from or to {bound.isoformat(' ')}, a time that the "
                    "clocks show twice that day, and local times do not say which is meant; "
                    "take instants (timestamptz, with tz), or dates that begin or end elsewhere"
                )
        return tuple(
            (start and start.replace(tzinfo=None), stop and stop.replace(tzinfo=None))
            for start, stop in self.instants(self.zone)
        )

    def instants(self, tz: str | tzinfo) -> tuple[tuple[datetime | None, datetime | None], ...]:
        """The instants at which each span starts and stops, in ``tz``; None at an open side."""
        zone = zone_named(tz)

        def moment(bound: int | None) -> datetime | None:
            return None if bound is None else moment_of(bound, zone)

        return tuple((moment(start), moment(stop)) for start, stop in self._ranges)


def resolve(definition: Definition, basis: Basis, period: Any = None) -> Resolution:
    """The dates of a definition against a basis; of a period of hours its instants, which are an
    :class:`InstantResolution` and typed here as what nearly all are.

    Raises ResolveError when the phrase needs data or a clock that the basis does not
    have, a unit that the calendar does not have, or dates outside years 1 to 9999.
    """
    ranges = definition.ranges(basis)
    if definition.is_sub_day:
        instants: Any = InstantResolution(definition, basis, ranges, period or definition)
        return instants  # type: ignore[no-any-return]
    return Resolution(definition, basis, ranges, period or definition)
