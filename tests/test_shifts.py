"""Periods at another time: shifts of shifts in every calendar, beside walking the days."""

import os
import random
from datetime import date
from functools import cache

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from ulnager import (
    BusinessDays,
    MonthCalendar,
    ResolveError,
    TableCalendar,
    WeekCalendar,
    own_unit,
    period,
)

from oracle import (
    BUSINESS_MEANINGS,
    MEANINGS,
    Cycles,
    Days,
    Office,
    Weeks,
    business_shifted,
    shifted,
)
from strategies import (
    MONTHS,
    PLURALS,
    TAKEN,
    TIMES,
    WEEKDAYS,
    calendars,
    chain,
    examples,
    modern_days,
    said,
    units,
    week_calendars,
)

LAST = date.max.toordinal()


def check(phrase, expected, anchor, running, calendar):
    """The dates of one anchor, and those of an array, are what was expected."""
    basis = {"today": anchor} if running else {"as_of": anchor, "today": anchor}
    meant = period(phrase, calendar)
    if expected is None:
        with pytest.raises(ResolveError, match="open on one side"):
            meant.resolve(**basis, calendar=calendar)
        return
    first, last = expected
    if not all(day is None or 400 < day < LAST - 400 for day in expected):
        return
    result = meant.resolve(**basis, calendar=calendar)
    starts, stops = meant.resolve_each([anchor] * 2, running, calendar, today=anchor)
    if first is not None and last is not None and last < first:
        assert result.is_empty
        assert starts[0] == stops[0]
        return
    assert result.start == (first and date.fromordinal(first)), phrase
    assert result.end == (last and date.fromordinal(last)), phrase
    assert starts[1] == np.datetime64(result.start or "NaT") or result.start is None
    assert stops[0] == np.datetime64(result.stop or "NaT") or result.stop is None
    assert period(str(meant), calendar) == meant


# In weeks of months of unequal length an end can pass the other one on the way.
UNEVEN = (WeekCalendar("5-4-4", "thursday", "july", "last"),
          Weeks(layout=(5, 4, 4) * 4, last_day=3, month=7))  # fmt: skip


@example("last {n} {u}s", UNEVEN, date(2026, 9, 1), False, 1, "week",
         [(1, "month"), (-1, "half"), (-3, "period")])  # fmt: skip
@examples(500)
@given(
    st.sampled_from(sorted(MEANINGS)), st.one_of(calendars(), week_calendars()), modern_days,
    st.booleans(), st.integers(1, 3), units, chain(units | st.just("period")),
)  # fmt: skip
def test_shifts_of_shifts_are_what_walking_the_days_gives(
    template, calendar, anchor, running, count, unit, shifts
):
    calendar, labels = calendar
    a = anchor.toordinal()
    phrase = template.replace("{u}s", PLURALS.get(unit, f"{unit}s"))
    phrase = phrase.replace("{u}", unit).replace("{n}", str(count))
    expected = shifted(template, labels, a, a if running else a + 1, count, unit, shifts)
    check(said(phrase, shifts), expected, anchor, running, calendar)


@pytest.mark.parametrize(
    ("phrase", "dates"),
    [
        ("since march, 3 months earlier", "2026-12-01 2027-05-08"),
        ("march, 1 month earlier", "2027-02-01 2027-02-28"),
        ("until february, 1 month later", "None 2027-03-31"),
        ("from 2026-03 to 2026-05, 1 month earlier", "2026-02-01 2026-04-30"),
        ("from january to today, 1 quarter earlier", "2026-10-01 2027-05-08"),
        ("since 2026, 1 year earlier", "2025-01-01 2026-08-08"),
        ("since 2026-Q2, 1 quarter later, 1 month earlier", "2026-06-01 2027-10-08"),
        ("first 3 months of (next december), 3 months earlier", "2027-09-01 2027-09-30"),
        ("last 2 months of 2026-02, 1 month later", "2026-03-01 2026-03-31"),
        ("2 weeks from start of may, 1 month earlier", "2027-04-01 2027-04-14"),
    ],
)
def test_written_units_move_as_gregorian_ones_in_every_calendar(phrase, dates):
    """As ends of a span, too, where months begin on another day."""
    for calendar in (MonthCalendar("07-06"), MonthCalendar("02-15")):
        found = period(phrase).resolve(today=date(2027, 8, 8), calendar=calendar)
        assert f"{found.start} {found.end}" == dates


def remembered(labels):
    """Labels on days, each looked up once."""
    for name in ("around", "label", "moved"):
        object.__setattr__(labels, name, cache(getattr(labels, name)))
    return labels


TEN = [
    (MonthCalendar(f"{month:02}-{day:02}", WEEKDAYS[week]), remembered(Days(month, day, week)))
    for month, day, week in ((1, 1, 0), (4, 1, 6), (10, 1, 5), (2, 15, 2), (7, 28, 0))
] + [
    (WeekCalendar("13x4" if len(layout) == 13 else "-".join(map(str, layout[:3])), WEEKDAYS[last],
                  MONTHS[month - 1], "nearest" if nearest else "last", long_period),
     remembered(Weeks(layout=layout, last_day=last, month=month, nearest=nearest,
                      long_period=long_period)))
    for layout, last, month, nearest, long_period in (
        ((4, 4, 5) * 4, 5, 12, False, 12), ((4, 5, 4) * 4, 5, 1, True, 12),
        ((5, 4, 4) * 4, 3, 7, False, 10), ((4,) * 13, 6, 9, True, 13),
        ((4, 4, 5) * 4, 0, 3, True, 3),
    )
]  # fmt: skip


def test_walks_in_ten_calendars():
    """Phrases with up to four shifts: their dates, those of an array, and the labels of the units
    that they begin in, read back. ULNAGER_CASES=10000 pytest -k ten_calendars walks 5,000,000."""
    chance, some = random.Random(os.environ.get("ULNAGER_SEED", "1")), sorted(MEANINGS)
    kinds = ("day", "week", "month", "quarter", "half", "year")
    for _ in range(int(500 * TIMES)):
        calendar, labels = chance.choice(TEN)
        template, unit, count = chance.choice(some), chance.choice(kinds), chance.randint(1, 4)
        anchor, running = date.fromordinal(chance.randint(719_163, 745_000)), chance.random() < 0.5
        shifts = [(chance.choice((-3, -2, -1, 1, 2, 3)), chance.choice((*kinds, "period")))
                  for _ in range(chance.randint(0, 4))]  # fmt: skip
        a = anchor.toordinal()
        phrase = template.replace("{u}s", PLURALS.get(unit, f"{unit}s")).replace("{u}", unit)
        phrase = said(phrase.replace("{n}", str(count)), shifts)
        expected = shifted(template, labels, a, a if running else a + 1, count, unit, shifts)
        check(phrase, expected, anchor, running, calendar)
        TAKEN[f"phrases in {calendar}"] += 1
        first = expected and expected[0]
        if unit != "day" and first is not None and 700_000 < first < 760_000:
            named = period(f'"{calendar.label(date.fromordinal(first), unit)}"', calendar)
            found = named.resolve(today=anchor, calendar=calendar)
            ends = labels.around(first, unit)
            assert (found.start.toordinal(), found.end.toordinal()) == ends, (named, unit, first)


@given(
    st.sampled_from(sorted(MEANINGS)), modern_days, st.booleans(), st.integers(1, 3),
    st.integers(2, 40), chain(st.sampled_from(["day", "week", "month", "period"])), st.booleans(),
)  # fmt: skip
def test_shifts_by_units_of_ones_own(template, anchor, running, count, length, shifts, as_table):
    start, a = date(2000, 1, 5), anchor.toordinal()
    labels = Cycles(first_month=length, first_day=start.toordinal())
    expected = shifted(template, labels, a, a if running else a + 1, count, "month", shifts)
    phrase = template.replace("{u}", "crew week").replace("{n}", str(count))
    shifts = [(n, "crew week" if unit == "month" else unit) for n, unit in shifts]
    if as_table:
        calendar = TableCalendar(("crew week", date.fromordinal(start.toordinal() + n * length))
                                 for n in range(-14_000 // length, 16_000 // length))  # fmt: skip
    else:
        calendar = MonthCalendar(cycles=[own_unit("crew week", length, start)])
    check(said(phrase, shifts), expected, anchor, running, calendar)


@examples(400)
@given(
    st.sampled_from(sorted(t for t in BUSINESS_MEANINGS if "{a}" not in t and "ago" not in t)),
    modern_days, st.booleans(), st.integers(1, 6),
    chain(st.sampled_from(["day", "week", "month", "year", "business day", "period"])),
    st.sets(st.integers(-60, 60), max_size=30), st.sampled_from([(5, 6), (4, 5), (6,), ()]),
)  # fmt: skip
def test_business_days_keep_their_count(template, anchor, running, count, shifts, closed, off):
    a = anchor.toordinal()
    holidays = frozenset(a + day for day in closed)
    names = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
    business = BusinessDays([names[day] for day in off], map(date.fromordinal, holidays))
    office = Office(frozenset(off), holidays)
    b = a if running else a + 1
    expected = business_shifted(template, office, Days(), a, b, count, shifts)
    phrase = said(template.replace("{n}", str(count)), shifts)
    check(phrase, expected, anchor, running, MonthCalendar(business=business))
