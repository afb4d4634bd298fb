"""Names and parts of periods, found by walking from day to day with the oracle's labels."""

from datetime import date
from itertools import count as endless

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import BusinessDays, MonthCalendar, ResolveError, WeekCalendar, period

from oracle import Weeks, civil, number
from strategies import PLURALS, WEEKDAYS, calendars, examples, modern_days, week_calendars

MONTHS = ("january february march april may june july august september october november december"
          .split())  # fmt: skip
NAMES = st.one_of(
    st.sampled_from(MONTHS),
    st.integers(1, 4).map("Q{}".format),
    st.integers(1, 2).map("H{}".format),
    st.integers(1, 53).map("week {}".format),
)
SORTS = {"Q": "quarter", "H": "half", "w": "week"}


def sort_of(name):
    return "month" if name in MONTHS else SORTS[name[0]]


class Walker:
    """Which units of a calendar go by a name."""

    def __init__(self, labels, name):
        self.labels, self.unit = labels, sort_of(name)
        if self.unit == "month":
            self.number = MONTHS.index(name) + 1
        else:
            self.number = int(name.split()[-1].lstrip("QH"))
        self.by_iso = self.unit == "week" and not isinstance(labels, Weeks)

    def last_of(self, first):
        if self.unit == "month":
            return next(day for day in endless(first + 27) if civil(day + 1)[2] == 1)
        return self.labels.around(first, self.unit)[1]

    def tells(self, first):
        """The day that says in which year it lies."""
        return first + 3 * self.by_iso

    def begins(self, day):
        if self.unit == "month":
            return civil(day)[1:] == (self.number, 1)
        if self.labels.label(day, self.unit) == self.labels.label(day - 1, self.unit):
            return False
        if self.by_iso:
            return (day + 3 - number(civil(day + 3)[0], 1, 1)) // 7 + 1 == self.number
        year, place = self.labels.around(day, "year")[0], 1
        while year < day:
            year, place = self.labels.around(year, self.unit)[1] + 1, place + 1
        return place == self.number

    def found(self, days, is_so=lambda first: True):
        first = next(day for day in days if self.begins(day) and is_so(day))
        return first, self.last_of(first)


def back(day):
    return range(day, day - 366 * 13, -1)


def dates_of(phrase, **basis):
    try:
        span = period(phrase).resolve(**basis)
    except ResolveError as error:
        assert "there is no" in str(error) or "starts in" in str(error)
        return None
    return None if span.is_empty else (span.start.toordinal(), span.end.toordinal())


@examples(80)
@given(calendars() | week_calendars(), NAMES, modern_days, st.booleans())
def test_names_alone_and_beside_the_anchor(drawn, name, day, running):
    calendar, labels = drawn
    if isinstance(labels, Weeks) and labels.layout == (4,) * 13 and name[0] in "QH":
        return
    anchor, walk = day.toordinal(), Walker(labels, name)
    basis = {"calendar": calendar} | ({"today": day} if running else {"as_of": day, "today": day})
    assert dates_of(name, **basis) == walk.found(back(anchor))
    over = anchor - 1 if running else anchor
    last = walk.found(back(anchor), lambda first: walk.last_of(first) <= over)
    assert dates_of(f"last {name}", **basis) == last
    assert dates_of(f"next {name}", **basis) == walk.found(endless(anchor + 1))
    first, stop = labels.around(anchor, "year")
    inside = [d for d in range(first - 3, stop + 1) if first <= walk.tells(d) <= stop]
    this = walk.found(inside) if any(map(walk.begins, inside)) else None
    assert dates_of(f"this {name}", **basis) == this == dates_of(f"{name} of this year", **basis)


@examples(80)
@given(calendars(), st.integers(0, 6), modern_days)
def test_weekdays(drawn, weekday, day):
    calendar, labels = drawn
    name, anchor = WEEKDAYS[weekday], day.toordinal()

    def first(days):
        return next((d, d) for d in days if (d - 1) % 7 == weekday)

    basis = {"calendar": calendar, "today": day}
    assert dates_of(name, **basis) == first(back(anchor))
    assert dates_of(f"last {name}", **basis) == first(back(anchor - 1))
    assert dates_of(f"next {name}", **basis) == first(endless(anchor + 1))
    assert dates_of(f"this {name}", **basis) == first(endless(labels.around(anchor, "week")[0]))


@examples(80)
@given(st.sets(st.sampled_from(WEEKDAYS), max_size=6), modern_days)
def test_the_weekend_is_a_run_of_days_off(off, day):
    calendar = MonthCalendar(business=BusinessDays(days_off=off))
    anchor, basis = day.toordinal(), {"calendar": calendar, "today": day}
    is_off = [WEEKDAYS[(d - 1) % 7] in off for d in range(anchor - 21, anchor + 22)]
    runs = [d for d in range(7, 14) if is_off[d] and not is_off[d - 1]]
    if len(runs) != 1:
        with pytest.raises(ResolveError, match="weekend"):
            period("this weekend").resolve(**basis)
        return
    start = next(d for d in endless(21 - len(off) + 1) if is_off[d] and not is_off[d - 1])
    for phrase, weeks in (("this", 0), ("last", -7), ("next", 7)):
        first = anchor - 21 + start + weeks
        assert dates_of(f"{phrase} weekend", **basis) == (first, first + len(off) - 1)


@examples(80)
@given(calendars() | week_calendars(), NAMES, NAMES, modern_days, modern_days)
def test_a_name_at_one_end_looks_at_the_other(drawn, name, other, day, left):
    calendar, labels = drawn
    if isinstance(labels, Weeks) or "53" in (name[-2:], other[-2:]):
        return
    anchor, basis = day.toordinal(), {"calendar": calendar, "today": day}
    walk, first = Walker(labels, name), left.toordinal()
    alone = walk.found(back(anchor))[1]
    after = walk.found(endless(first - 366), lambda d: walk.last_of(d) >= first)[1]
    last = after if alone < first else alone
    wanted = (first, last) if first <= last else None
    assert dates_of(f"from {left} to {name}", **basis) == wanted
    if sort_of(name) == sort_of(other):
        start = Walker(labels, other).found(back(anchor))[0]
        last = walk.found(endless(start - 366), lambda d: walk.last_of(d) >= start)[1]
        assert dates_of(f"{other} to {name}", **basis) == (start, last)
    if sort_of(name) == "month":
        month = f"{left:%Y-%m}"
        stop = number(left.year, left.month, 1)
        end = Walker(labels, MONTHS[left.month - 1]).last_of(stop)
        assert dates_of(f"{name} to {month}", **basis) == (walk.found(back(stop))[0], end)


@examples(100)
@given(
    calendars(),
    modern_days,
    st.integers(1, 14),
    st.sampled_from(["day", "week", "month", "quarter"]),
    st.sampled_from(["week", "month", "quarter", "year"]),
    modern_days,
)
def test_parts_of_a_period(drawn, day, count, unit, outer, point):
    calendar, labels = drawn
    anchor, basis = day.toordinal(), {"calendar": calendar, "today": day}
    first, last = labels.around(labels.around(anchor, outer)[0] - 1, outer)
    many = PLURALS.get(unit, f"{unit}s") if count > 1 else unit
    inside = f"{count} {many} of previous {outer}"
    end = min(labels.moved(first, count, unit) - 1, last)
    assert dates_of(f"first {inside}", **basis) == (first, end)
    start = max(labels.moved(last + 1, -count, unit), first)
    assert dates_of(f"last {inside}", **basis) == (start, last)
    here, far = point.toordinal(), labels.moved(point.toordinal(), count, unit)
    assert dates_of(f"{count} {many} from {point}", **basis) == (here, far - 1)
    near = labels.moved(here, -count, unit) + 1
    assert dates_of(f"{count} {many} to {point}", **basis) == (near, here)
    if unit != "day":
        starts = [d for d in range(first, last + 1)
                  if labels.label(d, unit) != labels.label(d - 1, unit)]  # fmt: skip
        for ordinal, place in ((f"{count}th", count - 1), ("last", -1)):
            there = (
                labels.around(starts[place], unit) if -1 <= place < len(starts) and starts else None
            )
            assert dates_of(f"{ordinal} {unit} of previous {outer}", **basis) == there


def test_names_in_a_calendar_of_weeks_are_counted_from_its_year():
    shop = WeekCalendar("4-4-5", "saturday", "september")
    basis = {"today": date(2026, 5, 20), "calendar": shop}
    assert str(period("week 14").resolve(**basis).start) == "2025-12-28"
    assert period("Q1").resolve(**basis).start == period("this year").resolve(**basis).start
    assert period("march").resolve(**basis).label == "1 to 31 Mar 2026"
