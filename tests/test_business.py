"""Business days: counting them, phrases about them, and what others say about them."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from ulnager import (
    BusinessDays,
    MonthCalendar,
    ResolveError,
    SettingError,
    business_days_between,
    period,
)

from oracle import BUSINESS_MEANINGS, Office, nth_weekday
from strategies import WEEKDAYS, examples, modern_days

NEAR = st.integers(-80, 80)


@st.composite
def offices(draw, around):
    """Business days with holidays near a day, and the same looked up one by one."""
    off = draw(st.sets(st.integers(0, 6), max_size=4))
    near = st.sets(NEAR.map(lambda n: around + timedelta(days=n)), max_size=12)
    holidays, working = draw(near), draw(near)
    business = BusinessDays(tuple(WEEKDAYS[n] for n in off), tuple(holidays), tuple(working))
    return business, Office(
        frozenset(off),
        frozenset(day.toordinal() for day in holidays),
        frozenset(day.toordinal() for day in working),
    )


@examples(500)
@given(st.data(), modern_days, st.booleans(), st.integers(1, 25))
def test_every_phrase_about_business_days_is_what_walking_gives(data, anchor, running, count):
    business, office = data.draw(offices(anchor))
    template = data.draw(st.sampled_from(sorted(BUSINESS_MEANINGS)))
    a = anchor.toordinal()
    first, last = BUSINESS_MEANINGS[template](office, a, a if running else a + 1, count)
    phrase = template.replace("{n}", str(count)).replace("{a}", str(anchor))
    phrase = phrase.replace("{z}", str(anchor + timedelta(days=60)))
    phrase = phrase.replace("1th", "1st").replace("2th", "2nd").replace("3th", "3rd")
    basis = {"today": anchor} if running else {"as_of": anchor}
    try:
        result = period(phrase).resolve(**basis, calendar=MonthCalendar(business=business))
    except ResolveError:
        assert "th business" in template
        assert last > a + 60
        return
    if first is not None and last is not None and last < first:
        assert result.is_empty
        assert result.notes
    else:
        assert (result.start, result.end) == (
            first and date.fromordinal(first),
            last and date.fromordinal(last),
        )


@given(st.data(), modern_days, NEAR)
def test_days_between_are_those_that_are_met_on_the_way(data, first, apart):
    business, office = data.draw(offices(first))
    second = first + timedelta(days=apart)
    low, high = sorted((first.toordinal(), second.toordinal()))
    for ends, (with_low, with_high) in {
        "later": (0, 1), "earlier": (1, 0), "both": (1, 1), "neither": (0, 0)
    }.items():  # fmt: skip
        met = range(low + 1 - with_low, high + with_high)
        expected = sum(map(office.works, met)) * (1 if apart >= 0 else -1)
        assert business_days_between(first, second, ends=ends, business=business) == expected
        pair = np.array([first, "NaT"], dtype="M8[D]"), np.array([second], dtype="M8[D]")
        counted = business_days_between(*pair, ends=ends, business=business)
        assert counted[0] == expected
        assert np.ma.is_masked(counted[1])


@given(st.data(), modern_days)
def test_positions_agree_with_numpy(data, around):
    business, _ = data.draw(offices(around))
    mask = "".join("0" if name in business.days_off else "1" for name in WEEKDAYS)
    assume(not business.working_days)
    days = np.arange(-100, 100) + np.datetime64(around)
    holidays = np.array(business.holidays, dtype="M8[D]")
    count = np.busday_count(days[0], days, weekmask=mask, holidays=holidays)
    ours = business_days_between(np.full(200, days[0]), days, ends="earlier", business=business)
    assert (ours == count).all()
    moved = np.busday_offset(days[50], range(1, 9), roll="backward", weekmask=mask,
                             holidays=holidays)  # fmt: skip
    calendar = MonthCalendar(business=business)
    for n, day in enumerate(moved, 1):
        result = period(f"{n} business days after {days[50]}").resolve(calendar=calendar)
        assert result.start == day.item()


@given(modern_days, st.integers(0, 6), st.sampled_from([1, 2, 3, 4, 5, -1]))
def test_weekdays_of_a_month_are_found_by_counting(day, weekday, ordinal):
    month = period("this month").resolve(today=day)
    found = nth_weekday(month.start.toordinal(), month.end.toordinal(), weekday, ordinal)
    words = {1: "first", 2: "2nd", 3: "third", 4: "4th", 5: "5th", -1: "last"}
    point = period(f"{words[ordinal]} {WEEKDAYS[weekday]} of this month")
    if found is None:
        with pytest.raises(ResolveError, match="there is no 5th"):
            point.resolve(today=day)
    else:
        assert point.resolve(today=day).start == date.fromordinal(found)


@given(st.data(), modern_days, st.integers(1, 90), st.sets(st.integers(0, 6), min_size=1))
def test_sorts_of_days_are_sets_of_days(data, day, count, weekdays):
    business, office = data.draw(offices(day))
    names = " and ".join(f"{WEEKDAYS[n]}s" for n in weekdays)
    base = [day.toordinal() - n for n in range(count)]
    for words, belongs in {
        names: lambda d: (d - 1) % 7 in weekdays,
        "weekends": lambda d: (d - 1) % 7 in office.off,
        "weekdays": lambda d: (d - 1) % 7 not in office.off,
        "business days": office.works,
        "holidays": lambda d: d in office.holidays and d not in office.working,
    }.items():
        for joint, wanted in (("only", True), ("except", False)):
            phrase = f"last {count} rolling days {joint} {words}"
            result = period(phrase).resolve(today=day, calendar=MonthCalendar(business=business))
            expected = {d for d in base if belongs(d) is wanted}
            assert {d for d in base if result.contains(date.fromordinal(d))} == expected
            assert result.days == len(expected)


@pytest.mark.parametrize(
    ("phrase", "message"),
    [
        ("all dates only weekends", "no end on one side"),
        ("from 1000-01-01 to 1999-12-31 only mondays", "longer than 400 years"),
        ("first business day of 2026-05-16/2026-05-17", "no first business day"),
        ("last 3 months only fridays within data", "speaks of the data"),
    ],
)
def test_days_that_cannot_be_told_apart(phrase, message):
    with pytest.raises(ResolveError, match=message):
        period(phrase).resolve(today="2026-05-20")


@pytest.mark.parametrize(
    "make",
    [
        lambda: BusinessDays(days_off=("sonntag",)),
        lambda: BusinessDays(days_off=WEEKDAYS),
        lambda: BusinessDays(holidays=("2026-01-01",)),
        lambda: MonthCalendar(business="office"),
        lambda: business_days_between(date.max, date.max, ends="all"),
        lambda: business_days_between(np.array([1, 2]), np.array([3, 4])),
    ],
)
def test_business_days_that_cannot_be(make):
    with pytest.raises(SettingError):
        make()
