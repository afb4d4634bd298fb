"""Phrases joined and cut by others; read from left to right."""

from __future__ import annotations

from ulnager.core.periods.day_sorts import DaySet
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.phrases.ends import between
from ulnager.core.periods.phrases.points import earliest, latest
from ulnager.core.periods.phrases.table import Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.periods.spans import Range, complement, intersection, union

# Whole phrases joined, cut and measured from elsewhere; read from left to right.


@row(
    Kind.RANGES,
    "{period} plus {period_2}",
    "The days of '{period_2}' are joined to them.",
    also=("{period} and {period_2}",),
    join="plus",
)
def plus(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return period.ranges(c) + period_2.ranges(c)


def _within_days(
    c: Basis, ranges: tuple[Range, ...], days: DaySet, what: Definition
) -> tuple[Range, ...]:
    business = c.in_days().calendar.business
    if not c.in_instants:
        return days.within(ranges, business, what)
    here = c.instants_here()
    whole = union(
        (start and here.day_of(start), stop and here.day_of(stop - 1) + 1) for start, stop in ranges
    )
    return intersection(ranges, c.as_instants(days.within(whole, business, what)))


@row(Kind.RANGES, "{period} only {days}", "Only its {days} remain.", sort="only")
def only(c: Basis, period: Definition, days: DaySet) -> tuple[Range, ...]:
    return _within_days(c, period.ranges(c), days, period)


@row(Kind.RANGES, "{period} except {days}", "Its {days} are taken out.", sort="except")
def except_days(c: Basis, period: Definition, days: DaySet) -> tuple[Range, ...]:
    ranges = period.ranges(c)
    return intersection(ranges, complement(_within_days(c, ranges, days, period)))


@row(
    Kind.RANGES,
    "{period} except {period_2}",
    "The days of '{period_2}' are taken out of them.",
    join="except",
)
def except_(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return intersection(period.ranges(c), complement(union(period_2.ranges(c))))


def _overlap(c: Basis, period: Definition, period_2: Definition) -> Pair:
    (start, stop), (start_2, stop_2) = period.span(c), period_2.span(c)
    return c.calendar._later(start, start_2), c.calendar._earlier(stop, stop_2)


def _data_overlap(c: Basis, period: Definition) -> Pair:
    (start, stop), (data,) = period.span(c), _data_range(c)
    return c.calendar._later(start, data[0]), c.calendar._earlier(stop, data[1])


def _data_range(c: Basis) -> tuple[Range, ...]:
    data = (c.extent().first.toordinal(), c.extent().last.toordinal() + 1)
    return c.as_instants((data,)) if c.in_instants else (data,)


@row(
    Kind.RANGES,
    "{period} within data",
    "Only the dates that the data holds remain.",
    find_one=_data_overlap,
    implied=lambda: Definition(between, (Definition(earliest), Definition(latest))),
    asks="data",
    uses_last_date=True,
    join="within",
)
def within_data(c: Basis, period: Definition) -> tuple[Range, ...]:
    return _cut(c, period, _data_range(c))


def _cut(c: Basis, period: Definition, ranges: tuple[Range, ...]) -> tuple[Range, ...]:
    """A period within ranges; one that is open is cut before its days are told apart."""
    if period.rule.sort:
        inner, days = period.args
        within_it = _cut(c, inner, ranges)
        those = _within_days(c, within_it, days, inner)
        return those if period.rule is only else intersection(within_it, complement(those))
    return intersection(period.ranges(c), ranges)


@row(
    Kind.RANGES,
    "{period} within {period_2}",
    "Only the days that are in '{period_2}' too remain.",
    find_one=_overlap,
    join="within",
)
def within(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return _cut(c, period, period_2.ranges(c))
