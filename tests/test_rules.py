"""What phrases come out as: worked cases, laws, and witnesses that others wrote."""

from datetime import date, timedelta
from pathlib import Path

import pandas as pd
import pytest
from dateutil.relativedelta import relativedelta
from hypothesis import assume, example, given
from hypothesis import strategies as st

import ulnager
from ulnager import Defaults, MonthCalendar, ResolveError, TableCalendar, Unit, own_unit, period

from oracle import MEANINGS, Cycles, Days
from strategies import (
    LAST,
    WEEKDAYS,
    calendars,
    days,
    examples,
    modern_days,
    phrases,
    units,
    week_calendars,
)

WORKED = (Path(__file__).parent / "worked.txt").read_text()
CLOCK, DATA = date(2026, 5, 20), ("2023-10-01", "2026-05-17")


@pytest.mark.parametrize("line", WORKED.strip().splitlines())
def test_worked_cases(line):
    phrase, anchor, start, end = (part.strip() for part in line.split("|"))
    kind, day = anchor.rsplit(" ", 1)
    basis = {"today": day} if kind == "today" else {"today": CLOCK, "as_of": day}
    result = period(phrase).resolve(**basis, data=DATA)
    assert (str(result.start), str(result.end)) == (start, end)
    assert result.days == (date.fromisoformat(end) - date.fromisoformat(start)).days + 1


def test_worked_cases_of_other_calendars():
    fiscal, taxes = MonthCalendar(year_starts="10-01"), MonthCalendar(year_starts="04-06")
    sundays = MonthCalendar(week_starts="Sunday")
    for phrase, calendar, start, end in [
        ("year to date", fiscal, "2025-10-01", "2026-05-20"),
        ("previous quarter", fiscal, "2026-01-01", "2026-03-31"),
        ("this half", fiscal, "2026-04-01", "2026-09-30"),
        ("this week", sundays, "2026-05-17", "2026-05-23"),
        ("this month", taxes, "2026-05-06", "2026-06-05"),
        ("year to date", taxes, "2026-04-06", "2026-05-20"),
        ("last 2 rolling months", taxes, "2026-03-21", "2026-05-20"),
    ]:
        result = period(phrase).resolve(today=CLOCK, calendar=calendar)
        assert (str(result.start), str(result.end)) == (start, end), phrase


def check_against_walking(template, calendar, labels, anchor, running, count, unit):
    phrase = template.replace("{u}s", {"half": "halves"}.get(unit, unit + "s"))
    phrase = phrase.replace("{u}", unit).replace("{n}", str(count))
    a = anchor.toordinal()
    first, last = MEANINGS[template](labels, a, a if running else a + 1, count, unit)
    basis = {"today": anchor} if running else {"as_of": anchor}
    empty = first is not None and last is not None and last < first
    outside = (first is not None and first < 1) or (last is not None and not 1 <= last <= LAST)
    if outside and not empty:
        with pytest.raises(ResolveError, match="years 1 to 9999"):
            period(phrase).resolve(**basis, calendar=calendar)
        return
    result = period(phrase).resolve(**basis, calendar=calendar)
    assert result.is_empty == empty
    if not empty:
        assert result.start == (first and date.fromordinal(first))
        assert result.end == (last and date.fromordinal(last))


@examples(600)
@given(
    st.sampled_from(sorted(MEANINGS)), calendars(), days, st.booleans(), st.integers(1, 9), units
)
@example("last {n} {u}s to date", (MonthCalendar(), Days()), date.max, False, 3, "month")
def test_every_phrase_is_what_walking_the_days_gives(
    template, calendar, anchor, running, count, unit
):
    count = min(count, 2) if unit == "year" else count
    check_against_walking(template, *calendar, anchor, running, count, unit)


@examples(150)
@given(st.sampled_from(sorted(MEANINGS)), week_calendars(), modern_days, st.booleans(),
       st.integers(1, 4), units)  # fmt: skip
def test_every_phrase_in_a_calendar_of_weeks(template, calendar, anchor, running, count, unit):
    count = min(count, 2) if unit == "year" else count
    check_against_walking(template, *calendar, anchor, running, count, unit)


@examples(60)
@given(st.sampled_from(sorted(MEANINGS)), modern_days, st.booleans(), st.integers(1, 9),
       st.integers(1, 40))  # fmt: skip
def test_every_phrase_about_a_unit_of_ones_own(template, anchor, running, count, length):
    """A cycle stands where the oracle has months, and so does the same cycle as a table."""
    start = date(2000, 1, 5).toordinal()
    labels = Cycles(first_month=length, first_day=start)
    first, last = MEANINGS[template](
        labels, (a := anchor.toordinal()), a if running else a + 1, count, "month"
    )
    phrase = template.replace("{u}", "crew week").replace("{n}", str(count))
    rows = [("crew week", date.fromordinal(start + n * length))
            for n in range(-11_000 // length - 60, 15_000 // length + 60)]  # fmt: skip
    for calendar in (
        MonthCalendar(cycles=[own_unit("crew week", length, date(2000, 1, 5))]),
        TableCalendar(rows),
    ):
        basis = {"today": anchor} if running else {"as_of": anchor}
        said = period(phrase, calendar)
        result = said.resolve(**basis, calendar=calendar)
        starts, stops = said.resolve_each([anchor] * 3, running, calendar, today=anchor)
        if not result.is_empty:
            assert (starts[2].item(), stops[0].item()) == (result.start, result.stop)
            assert result.start == (first and date.fromordinal(first))
            assert result.end == (last and date.fromordinal(last))


@given(modern_days, st.integers(1, 30), st.sampled_from(["days", "weeks", "months", "years"]))
def test_last_and_next_never_overlap_and_touch(day, count, unit):
    before = period(f"last {count} rolling {unit}").resolve(today=day)
    after = period(f"next {count} rolling {unit}").resolve(today=day)
    assert before.end == day
    assert before.stop == after.start


@given(modern_days, calendars(), st.integers(1, 12), units, st.booleans())
def test_whole_units_are_never_cut_and_never_running(day, calendar, count, unit, running):
    calendar, _ = calendar
    kind = Unit.named(unit)
    basis = {"today": day} if running else {"as_of": day}
    result = period(f"last {count} whole {kind.plural}").resolve(**basis, calendar=calendar)
    assert calendar.floor(result.start, kind) == result.start
    assert calendar.floor(result.stop, kind) == result.stop
    assert result.end < day or (not running and result.end == day)
    assert result.contains(day) == (not running and result.end == day)


@given(phrases, modern_days, modern_days)
def test_spans_are_disjoint_in_order_and_never_touch(phrase, day, other):
    first, last = sorted((day, other))
    try:
        result = period(phrase).resolve(today=day, data=(first, last))
    except ResolveError:
        assume(False)
    for left, right in zip(result.spans, result.spans[1:], strict=False):
        assert left.stop < right.start
    for span in result.spans:
        assert span.start is None or span.stop is None or span.start < span.stop


@given(
    modern_days,
    st.sampled_from(["month to date", "this week", "last 40 rolling days"]),
    st.sampled_from(["previous month", "this year", "2026-03", "last 2 whole weeks"]),
)
def test_joining_and_cutting_are_set_operations(day, left, right):
    def members(phrase):
        spans = period(phrase).resolve(today=day).spans
        return {span.start + timedelta(n) for span in spans for n in range(span.days)}

    one, two = members(left), members(right)
    assert members(f"{left} plus {right}") == one | two
    assert members(f"{left} except {right}") == one - two
    assert members(f"{left} within {right}") == one & two
    assert members(f"{left} except ({right} within {left})") == one - two


def test_rolling_months_agree_with_dateutil():
    day = date(2015, 1, 1)
    while day < date(2026, 1, 1):
        for months in (1, 3, 12):
            start = period(f"last {months} rolling months").resolve(today=day).start
            assert start == day - relativedelta(months=months) + timedelta(days=1)
        day += timedelta(days=1)


@given(modern_days, st.integers(1, 60))
def test_moved_days_agree_with_pandas_offsets(day, count):
    stamp = pd.Timestamp(day)
    for phrase, witness in [
        (f"{count} months before {day}", stamp - pd.DateOffset(months=count)),
        (f"{count} weeks after {day}", stamp + pd.DateOffset(weeks=count)),
        (f"{count} business days after {day}", stamp + pd.offsets.BDay(count)),
        (f"{count} business days before {day}", stamp - pd.offsets.BDay(count)),
        (f"end of ({day} as of {day} plus this month)", stamp + pd.offsets.MonthEnd(0)),
    ]:
        assert period(phrase).resolve(today=day).start == witness.date(), phrase


@pytest.mark.parametrize(
    ("unit", "calendar", "frequency"),
    [("week", MonthCalendar(week_starts=day), f"W-{WEEKDAYS[n - 1][:3].upper()}")
     for n, day in enumerate(WEEKDAYS)]
    + [("month", MonthCalendar(), "M"), ("quarter", MonthCalendar(), "Q-DEC"),
       ("quarter", MonthCalendar(year_starts="02-01"), "Q-JAN"),
       ("year", MonthCalendar(year_starts="10-01"), "Y-SEP")],
)  # fmt: skip
def test_units_agree_with_pandas_periods(unit, calendar, frequency):
    for day in pd.date_range("2019-12-20", "2024-03-10", freq="D"):
        witness = day.to_period(frequency)
        result = period(f"this {unit}").resolve(today=day.date(), calendar=calendar)
        assert (result.start, result.end) == (witness.start_time.date(), witness.end_time.date())


def test_a_resolution_says_what_was_decided():
    result = period("last 3 months as of latest").resolve(today=CLOCK, data=DATA)
    assert "whole months as of latest' is 2026-02-01 to 2026-04-30" in result.notes[0]
    assert [step.split(".")[0] for step in result.steps][:2] == [
        "The anchor is latest, Sunday 2026-05-17",
        "'last 3 months' does not say which reading is meant; it is read as "
        "'last 3 rolling months'",
    ]
    assert result.to_dict(steps=True) == {
        "period": "last 3 months as of latest",
        "anchor": {"date": "2026-05-17", "running": False, "from": "latest"},
        "calendar": {"kind": "months", "year_starts": "01-01", "week_starts": "monday",
                     "year_named_by": "end"},
        "spans": [
            {"start": "2026-02-18", "end": "2026-05-17", "stop": "2026-05-18", "days": 89}
        ],
        "days": 89,
        "empty": False,
        "label": "18 Feb to 17 May 2026",
        "notes": list(result.notes),
        "steps": list(result.steps),
    }  # fmt: skip


def test_an_empty_period_says_why():
    result = period("month to date except today").resolve(today="2026-06-01")
    assert result.is_empty
    assert (result.spans, result.days, result.start) == ((), 0, None)
    assert "'today' takes all of it away" in result.notes[0]


@given(phrases, modern_days)
def test_steps_and_notes_can_always_be_told(phrase, day):
    try:
        result = period(phrase).resolve(today=day, data=(day - timedelta(days=400), day))
    except ResolveError:
        assume(False)
    assert all(step.endswith(".") for step in result.steps)
    assert bool(result.notes) >= result.is_empty


def test_defaults_choose_or_refuse_a_reading():
    last = period("last 3 months")
    whole = last.resolve(today="2026-06-13", defaults=ulnager.Defaults(last="whole"))
    assert str(whole.end) == "2026-05-31"
    with pytest.raises(ResolveError, match="say which is meant: last 3 rolling months"):
        last.resolve(today="2026-06-13", defaults=ulnager.Defaults(last="refuse"))


def test_the_clock_is_read_in_its_zone_and_from_its_day_start():
    today = period("today")
    instant = "2026-05-20T02:30:00+00:00"
    for tz, day_starts, day in [
        ("UTC", "00:00", "2026-05-20"),
        ("America/Halifax", "00:00", "2026-05-19"),
        ("UTC", "04:00", "2026-05-19"),
        ("Pacific/Auckland", "04:00", "2026-05-20"),
    ]:
        result = today.resolve(now=instant, tz=tz, day_starts=day_starts)
        assert str(result.start) == day


@pytest.mark.parametrize(
    ("basis", "message"),
    [
        ({"today": "soon"}, "give a date such as"),
        ({"today": "2026-05-20", "now": "2026-05-20T10:00"}, "not both"),
        ({"now": "noon"}, "give an instant"),
        ({"now": "2025-11-02T01:30", "tz": "America/Halifax"}, "add its offset"),
        ({"tz": "Mars/Phobos"}, "no time zone 'Mars/Phobos'"),
        ({"calendar": "fiscal"}, "calendar is 'fiscal'"),
        ({"day_starts": "late"}, "give a time such as"),
        ({"data": 2026}, "is no source"),
        ({"data": ("2026-02-01", "2026-01-01")}, "before it begins"),
    ],
)
def test_settings_that_cannot_be_used(basis, message):
    with pytest.raises(ulnager.SettingError, match=message):
        period("today").resolve(**basis)


@pytest.mark.parametrize(
    "settings", [{"year_starts": "02-30"}, {"year_starts": "01-31"}, {"week_starts": "funday"},
                 {"year_named_by": "middle"}, {"year_starts": "x"}]
)  # fmt: skip
def test_calendars_that_cannot_be(settings):
    with pytest.raises(ulnager.SettingError):
        MonthCalendar(**settings)


@pytest.mark.parametrize(
    ("phrase", "message"),
    [
        ("last 99999999 years", "years 1 to 9999"),
        ("next 99999999999999999999 days", "years 1 to 9999"),
        ("latest", "speaks of the data"),
        ("from start of all dates", "has no start"),
        ("until end of (today except today)", "is empty here"),
    ],
)
def test_periods_without_dates_here(phrase, message):
    with pytest.raises(ResolveError, match=message):
        period(phrase).resolve(today=CLOCK)


@given(st.sampled_from(["only weekdays", "except weekends", "only mondays and fridays"]),
       modern_days, st.integers(0, 90), st.booleans())  # fmt: skip
def test_open_dates_are_cut_before_their_days_are_told_apart(days, first, count, is_since):
    data = (first, first + timedelta(count))
    side = f"until {first + timedelta(count // 2)}" if is_since else "all dates"
    ours = period(f"{side} {days} within data").resolve(today=first, data=data)
    closed = period(f"({side} within data) {days}").resolve(today=first, data=data)
    assert ours.spans == closed.spans
    assert all(data[0] <= span.start and span.end <= data[1] for span in ours.spans)


def test_defaults_that_somebody_chose_need_no_note():
    last = period("last 3 months")
    said = last.resolve(today="2026-05-20").notes
    assert said[0].startswith("'last 3 months' was read as 'last 3 rolling months'")
    chosen = last.resolve(today="2026-05-20", defaults=Defaults(last="whole"))
    assert (chosen.notes, chosen.label) == ((), "1 Feb to 30 Apr 2026")
    same = last.resolve(today="2026-05-20", defaults=Defaults())
    assert (same.notes, same.label) == ((), "21 Feb to 20 May 2026")


@pytest.mark.parametrize(("phrase", "start", "end"), [
    ("from 2026-05-03 to friday", "2026-05-03", "2026-05-15"),
    ("from 2026-05-16 to friday", "2026-05-16", "2026-05-22"),
    ("from yesterday to monday", "2026-05-19", "2026-05-25"),
    ("from monday to friday", "2026-05-18", "2026-05-22"),
    ("from last friday to monday", "2026-05-15", "2026-05-18"),
    ("from last friday to sunday", "2026-05-15", "2026-05-17"),
    ("from 2026-01-20 to march", "2026-01-20", "2026-03-31"),
    ("from 2026-04-02 to march", "2026-04-02", "2027-03-31"),
    ("from march to january", "2026-03-01", "2027-01-31"),
    ("from november to february 2026", "2025-11-01", "2026-02-28"),
])  # fmt: skip
def test_a_name_beside_another_end(phrase, start, end):
    result = period(phrase).resolve(today="2026-05-20")
    assert (str(result.start), str(result.end)) == (start, end)
