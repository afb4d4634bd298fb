"""Totals: a value for each unit of a period, with what it is compared to."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping, Sequence
from datetime import date, tzinfo
from typing import Any, Final, Unpack

from ulnager.core.arguments import TEXT, Wanted, checked
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import Settings, as_period, period, resolved
from ulnager.core.messages import Message
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.buckets import Bucket, reasons_of, too_many
from ulnager.core.periods.clock import calendars_of, extent_of
from ulnager.core.periods.grain import Grain
from ulnager.core.periods.resolution import InstantResolution, Resolution, ResolutionBase
from ulnager.core.suggest import no_such
from ulnager.core.units import Unit
from ulnager.filters.columns import check_rounding
from ulnager.numbers.cells import Windows
from ulnager.numbers.comparisons import Partner, partners_in, partners_of, shift_of
from ulnager.numbers.daily_aggregates import (
    FROM_DAYS,
    HOWS,
    AskedColumn,
    Gathered,
    Measure,
    asked_of,
    gathered,
)
from ulnager.numbers.hours import hours_plan
from ulnager.numbers.lasting_rows import lasting_totals
from ulnager.numbers.plan import FromDays, Measures, Plan
from ulnager.numbers.totals_rows import Totals, rows_of
from ulnager.sources.opening import as_source, source_with
from ulnager.sources.profile import profile, profiled

SORTS: Final = {
    "by": Wanted((str, Unit, type(None)), "a unit such as 'week'"),
    "how": Wanted(TEXT, "a measure such as 'sum'"),
    "max_buckets": Wanted((int,), "a whole number"),
    "per": Wanted(TEXT, "'day', 'business day' or 'day with rows'"),
}
PER: Final = ("day", "business day", "day with rows")
MOST_BUCKETS: Final = 200_000
_MOST_TOLD: Final = 6
_COARSER: Final = ("day", "week", "month", "quarter", "half", "year")


@checked(options=Settings, **SORTS)
def totals(
    source: object,
    period: Period | Resolution | str,
    *,
    column: str | None = None,
    value: str | None = None,
    how: str | None = None,
    by: str | None = None,
    partial: str = "mark",
    beside: str | Period | None = None,
    split: str | Sequence[str] | None = None,
    top: int | None = None,
    where: Mapping[str, Any] | None = None,
    max_buckets: int = MOST_BUCKETS,
    rounding: str | None = None,
    until: str | None = None,
    **when: Unpack[Settings],
) -> Totals:
    """A value for each unit of a period, worked out where the data is.

    ``source`` is a source, a path, a data frame, or the URL of a database with its table. ``how``
    is ``count`` (of rows, or of values), ``sum`` (the usual one with a ``value``), ``mean``,
    ``min``, ``max``, ``median`` or ``distinct``. Every unit of ``by`` is there, in order; without
    it there is one row. ``partial`` is as for :meth:`ulnager.Resolution.buckets`. ``beside`` is the
    same period at another time (``1 year earlier``) or another period. ``split`` gives a series for
    each value of a column, or of two, one in the other, with ``top`` the largest ones and the
    others together. ``where`` keeps rows with some values. Where a row stands for more than a day,
    a period that cuts such a unit
    takes ``rounding``: ``inward`` or ``outward``. With ``until``, the column of the last day of
    rows that last (null for one that is still open), a row counts in every unit that it overlaps:
    by ``day`` that is how many were open on each day. ``when`` are the settings of
    :meth:`ulnager.Period.resolve`.

    >>> from ulnager.demo import table
    >>> found = totals(table("sailings"), "2026-04", value="passengers", today="2026-05-20")
    >>> found.rows[0].value
    10934

    Raises SettingError for what cannot be, SourceError as the source does.
    """
    how = checked_how(how, value, top=top, split=split)
    is_fixed = isinstance(period, ResolutionBase)
    opened, when = source_with(source, when, period, is_fixed=is_fixed)
    asked = asked_for(opened, column, when.get("tz"), value, split, where)
    others = {name: given for name, given in when.items() if name not in ("tz", "data")}
    if until is not None:
        extent = _lasting_extent(asked, period, when, others)
    else:
        held, extent = first_look(asked, (value, how), when.get("data"), others, period, by)
    plan = totals_plan(
        asked,
        period,
        (value, how),
        extent,
        others,
        by=by,
        partial=partial,
        beside=beside,
        top=top,
        max_buckets=max_buckets,
        rounding=rounding,
    )
    if until is not None:
        return lasting_totals(plan, until)
    found: Totals = plan.answered(held)
    return found


def _lasting_extent(
    asked: AskedColumn, over: Any, when: Settings, others: Mapping[str, Any]
) -> Extent:
    """The dates of the data for the rows that last of a period that is not resolved yet."""
    data = when.get("data")
    extent = (
        extent_of(data) if data is not None else asked.source.extent(asked.column.name, asked.tz)
    )
    return lasting_extent(extent, resolved_over(over, extent, asked.tz, others))


def lasting_extent(extent: Extent, result: Resolution) -> Extent:
    """The dates of the data for rows that last: a day without a beginning is no missing day, and
    what is open goes on after the last one began."""
    extent = extent._replace(missing=(), last_whole=None, before_last=None)
    is_closed = all(None not in span for span in result.ranges)
    if not is_closed or result.period.definition.asks_data:
        return extent
    return extent._replace(last=date.max, find=None)


def totals_plan(
    asked: AskedColumn,
    over: Period | Resolution | str,
    measure: Measure,
    extent: Extent,
    when: Mapping[str, Any],
    *,
    by: str | None = None,
    partial: str = "mark",
    beside: str | Period | None = None,
    top: int | None = None,
    max_buckets: int = MOST_BUCKETS,
    rounding: str | None = None,
) -> Plan:
    """What totals need, and how they come out."""
    how = measure[1]
    result = resolved_over(over, extent, asked.tz, when)
    unit = None if by is None else _unit(result, by)
    if (unit is not None and unit.microseconds) or isinstance(result, InstantResolution):
        return hours_plan(
            asked, result, measure, extent, unit, partial, beside, top, max_buckets, when
        )
    result, closed = _closed(result, extent)
    result = in_grain(result, extent.grain, rounding, unit)
    buckets = _buckets(result, by, partial, extent, max_buckets)
    known_to = _known_to(result, extent)
    partners, notes = _partners(beside, result, buckets, by, extent, known_to)
    notes += closed
    if partial == "drop" and by is not None:
        notes += _dropped(result, by, buckets, extent)
    wanted = [tuple(_ranges(bucket)) for bucket in buckets]
    others = [() if one is None else one.ranges for one in partners]

    def finish(answers: Measures) -> Totals:
        rows = rows_of(buckets, partners, wanted, others, answers, how, top, asked.split)
        return Totals(tuple(rows), result, (*notes, *nan_notes(answers, measure, wanted)), asked)

    return Plan(asked, measure, [*wanted, *others], finish)


def nan_notes(answers: Measures, measure: Measure, windows: Windows) -> tuple[str, ...]:
    """What is to be said of values that are no number."""
    count = answers.nans(windows) if isinstance(answers, FromDays) else 0
    if not count:
        return ()
    key = (
        "{0} values of {1} are no number (NaN), and missing"
        if count > 1
        else "{0} value of {1} is no number (NaN), and missing"
    )
    return (Message(key, f"{count:,}", measure[0], code="nan"),)


def _unit(result: Resolution, by: str) -> Unit:
    try:
        return result.unit_named(by)
    except ResolveError as error:
        raise SettingError(str(error)) from None


def first_look(
    asked: AskedColumn,
    measure: Measure,
    data: object,
    when: Mapping[str, Any],
    over: object = None,
    by: str | None = None,
) -> tuple[Gathered | None, Extent]:
    """The dates of the data, and what its days hold where one question gives both.

    That is so where all rows count and nothing is split; then days are asked for as a whole.
    """
    if data is not None:
        return None, extent_of(data)
    calendar = calendars_of(when.get("calendar")).chosen
    is_by_time = by is not None and by in ("hour", "minute", "second")
    if (
        asked.where
        or asked.split is not None
        or measure[1] not in FROM_DAYS
        or is_by_time
        or isinstance(over, InstantResolution)
    ):
        found = profile(asked.source, asked.column.name, tz=asked.tz, calendar=calendar)
        return None, found.extent
    held = gathered(asked, [measure])
    return held, profiled(asked.source, asked.column, held.counts, None, asked.tz, calendar).extent


def checked_how(
    how: str | None,
    value: str | None,
    per: str | None = None,
    top: int | None = None,
    split: str | Sequence[str] | None = None,
) -> str:
    """The measure, the usual one where none is said; SettingError for what cannot be."""
    found = how or ("count" if value is None else "sum")
    _check(found, value, top, split)
    if per is not None and per not in PER:
        raise SettingError(no_such("divisor", str(per), PER))
    return found


def _check(how: str, value: str | None, top: int | None, split: object) -> None:
    if not isinstance(how, str) or how not in HOWS:
        raise SettingError(no_such("measure", str(how), HOWS))
    if how != "count" and value is None:
        raise SettingError(f"{how} of what? name the column: value='passengers'")
    if top is not None:
        if split is None:
            raise SettingError("top is of a split; say by which column: split='route'")
        if isinstance(top, bool) or not isinstance(top, int) or top < 1:
            raise SettingError(f"top is {top!r}; give a number from 1 on")
        if how not in FROM_DAYS:
            raise SettingError(f"{how} of the others together cannot be told; leave top out")


def asked_for(
    source: object,
    column: str | None,
    tz: str | tzinfo | None,
    value: str | None,
    split: str | Sequence[str] | None,
    where: Mapping[str, Any] | tuple[Mapping[str, Any], ...] | None,
) -> AskedColumn:
    """What is asked of whatever holds the rows."""
    return asked_of(as_source(source), column, tz, value, split, where)


def resolved_over(
    over: Any, extent: Extent, tz: str | tzinfo | None, when: Mapping[str, Any]
) -> Resolution:
    """A period as callers give it, resolved against the data."""
    if isinstance(over, ResolutionBase):
        return resolved(over, **when)
    given = {name: one for name, one in when.items() if one is not None}
    if tz is not None and "today" not in given:
        given["tz"] = tz
    return as_period(over, given.get("calendar")).resolve(data=extent, **given)


def _closed(result: Resolution, extent: Extent) -> tuple[Resolution, tuple[str, ...]]:
    """The same with the dates of the data for open sides, and what is to be said of that."""
    ranges = extent._closing(result.ranges)
    if ranges is result.ranges:
        return result, ()
    found = result._with_ranges(ranges)
    if found.is_empty:
        return found, ()
    key = "open dates are counted over the data, {0} to {1}"
    return found, (Message(key, found.start, found.end, code="open-dates"),)


def in_grain(
    result: Resolution, grain: Grain | None, rounding: str | None, unit: Unit | None = None
) -> Resolution:
    """A period in whole units of what a row stands for; hours as they are.

    Raises FilterError for one that cuts such a unit, where no rounding says what becomes of it, and
    SettingError for buckets that are shorter than it.
    """
    check_rounding(rounding)
    if grain is None or isinstance(result, InstantResolution):
        return result
    if unit is not None and (unit.days or unit.months) and _size(unit) < _size(grain.unit):
        raise SettingError(
            f"a row stands for a {grain.unit}, so there is nothing by {unit}; group by "
            f"{grain.unit} or longer"
        )
    ranges = grain.rounded(result.ranges, rounding, str(result.period))
    return result if ranges == result.ranges else result._with_ranges(ranges)


def _size(unit: Unit) -> float:
    return unit.days or unit.months * 30.4


def _known_to(result: Resolution, extent: Extent) -> int:
    """The last day that can be compared: neither past the clock nor past the data."""
    today = result._clock_day
    last = extent.last.toordinal()
    return last if today is None else min(last, today)


def _buckets(
    result: Resolution, by: str | None, partial: str, extent: Extent, most: int
) -> list[Bucket]:
    if by is None:
        one = _as_one(result)
        if partial == "keep":
            return [one]
        definition = result.period.definition
        return [one._replace(reasons=reasons_of(definition, result.basis, result.ranges, extent))]
    try:
        found = list(_split(result, by, partial, extent))
    except ResolveError as error:
        raise SettingError(str(error)) from None
    if len(found) > most:
        raise SettingError(too_many(result, by, len(found), most, extent))
    return found


_KEPT: Final[deque[tuple[Resolution, str, str, Extent, Sequence[Bucket]]]] = deque(maxlen=8)


def _split(result: Resolution, by: str, partial: str, extent: Extent) -> Sequence[Bucket]:
    """The buckets of a period, or those that it had just now: charts of a page have many of the
    same."""
    for before, *asked, data, found in _KEPT.copy():
        if before is result and data is extent and asked == [by, partial]:
            return found
    made = result.buckets(by, partial, extent)
    _KEPT.append((result, by, partial, extent, made))
    return made


def _dropped(result: Resolution, by: str, kept: list[Bucket], extent: Extent) -> tuple[str, ...]:
    """What is to be said of the units that are left out as not whole."""
    there = {bucket.unit_start for bucket in kept}
    told = [
        f"{bucket.label} ({', '.join(bucket.reasons)})"
        for bucket in _split(result, by, "mark", extent)
        if bucket.unit_start not in there
    ]
    if not told:
        return ()
    more = f" and {len(told) - _MOST_TOLD} more" if len(told) > _MOST_TOLD else ""
    return (f"left out as not whole: {'; '.join(told[:_MOST_TOLD])}{more}",)


def _as_one(result: Resolution) -> Bucket:
    """The whole period as one row."""
    if result.start is None or result.end is None:
        raise SettingError(f"'{result.period}' has no dates in the data to count")
    days = result.days or 0
    return Bucket(
        result.start,
        result.end,
        days,
        Unit.DAY,
        result.start,
        result.end,
        days,
        result.label,
        result.label,
        (),
        result.spans,
        result.day_starts,
    )


def _ranges(bucket: Bucket) -> list[tuple[int, int]]:
    found = []
    for span in bucket.spans:
        start = span.start or bucket.start
        end = span.end or bucket.end
        found.append((start.toordinal(), end.toordinal() + 1))
    return found


def _counterpart(result: Resolution, count: int, unit: Unit) -> Resolution:
    """The same period at another time; of an open one, its dates in the data."""
    whole = result.period._resolve_on(result.basis)
    if any(None in pair for pair in whole.ranges):
        dates = " plus ".join(f"{span.start}/{span.end}" for span in result.spans)
        result = period(dates)._resolve_on(result.basis)
    return result.counterpart(abs(count), unit.name, later=count > 0)


def _worded(
    found: tuple[list[Partner | None], tuple[str, ...]], result: Resolution
) -> tuple[list[Partner | None], tuple[str, ...]]:
    """Partners with their labels in the language of the result."""
    partners, notes = found
    unit = result.words.unit
    return [one and one._replace(label=unit(one.label)) for one in partners], notes


def _partners(
    beside: Any,
    result: Resolution,
    buckets: list[Bucket],
    by: str | None,
    extent: Extent,
    known_to: int,
) -> tuple[list[Partner | None], tuple[str, ...]]:
    if beside is None:
        return [None] * len(buckets), ()
    shift = shift_of(beside)
    calendar = result.calendar
    if shift is not None and by is not None:
        return _worded(partners_of(buckets, calendar, *shift, known_to), result)
    if shift is not None:
        other = _counterpart(result, *shift)
    else:
        # Against the same clock, anchor and calendars.
        basis = result.basis.in_days()
        other = as_period(beside, result.calendar)._resolve_on(basis.changed(data=extent))
    if by is not None:
        others = list(other.buckets(by, "mark", extent))
        return _worded(partners_in(buckets, others, known_to, calendar), result)
    one = _as_one(other)
    ranges = _ranges(one)
    notes: tuple[str, ...] = ()
    if buckets[0].end.toordinal() > known_to:
        # What is not over yet is compared on as many days as there are.
        days = max(known_to + 1 - buckets[0].start.toordinal(), 0)
        stop = one.start.toordinal() + days
        ranges = [(low, min(high, stop)) for low, high in ranges if low < stop]
        notes = (Message("compared on the first {0} days of {1}", days, one.label, code="beside"),)
    return [Partner(one.start, one.end, one.label, tuple(ranges))], notes
