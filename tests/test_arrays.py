"""Whole arrays of anchors give what each anchor gives alone; comparisons with other times."""

from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import (
    BusinessDays,
    MonthCalendar,
    ResolveError,
    SettingError,
    TableCalendar,
    Unit,
    WeekCalendar,
    period,
)

from oracle import Days
from strategies import calendars, days, examples, modern_days, simple_phrases, units, week_calendars

ONE_SPAN = st.one_of(
    simple_phrases,
    st.sampled_from([
        "last 3 business days", "next 2 whole business days", "until 3 business days before today",
        "3 business days after yesterday", "last friday of previous month", "this business day",
        "2nd business day of this month", "last day of next quarter", "first day of latest month",
        "month to date, 1 year earlier", "month to date, 1 period earlier", "week to date",
        "last 7 rolling days, 2 periods earlier", "last 2 whole quarters, 1 period later",
        "month to date as of end of previous month", "this month within data", "2026-03",
        "last 40 rolling days within this quarter", "2026-03, 2 months later",
        "last 3 months to date, 1 month earlier", "since start of month, 1 month earlier",
    ]),
)  # fmt: skip


@examples(400)
@given(
    ONE_SPAN,
    st.one_of(calendars(), week_calendars()),
    st.lists(st.one_of(days, modern_days), min_size=1, max_size=6),
    st.booleans(),
)
def test_arrays_give_what_single_anchors_give(phrase, calendar, anchors, running):
    calendar = calendar[0]
    settings = {name: getattr(calendar, name) for name in calendar._FIELDS}
    settings["business"] = BusinessDays(holidays=anchors[:2])
    check_arrays(phrase, type(calendar)(**settings), anchors, running)


def check_arrays(phrase, calendar, anchors, running):
    clock, data = date(2026, 5, 20), ("2023-10-01", "2026-05-17")
    expected = []
    for anchor in anchors:
        basis = {"today": anchor} if running else {"today": clock, "as_of": anchor}
        try:
            result = period(phrase).resolve(**basis, calendar=calendar, data=data)
        except ResolveError:
            return
        expected.append(result)
    array = np.array([*anchors, "NaT"], dtype="M8[D]")
    starts, stops = period(phrase).resolve_each(
        array, running, calendar, today=None if running else clock, data=data
    )
    assert np.isnat(starts[-1])
    assert np.isnat(stops[-1])
    for result, start, stop in zip(expected, starts.tolist(), stops.tolist(), strict=False):
        if result.is_empty:
            assert start == stop
        else:
            assert (result.start, result.stop) == (start, stop)


@pytest.mark.parametrize("phrase", [
    "last 1 rolling month", "next 2 rolling quarters", "from 1 year before today to yesterday",
    "last 3 rolling business days", "from 3 business days before today to tomorrow",
    "from yesterday to 2 business days after today",
    "last 2 whole weeks, 1 month later", "month to date, 1 period earlier", "rest of half",
])  # fmt: skip
@pytest.mark.parametrize("calendar", [
    MonthCalendar("10-01", "sunday", business=BusinessDays(holidays=[date(2024, 5, 20)])),
    WeekCalendar("4-5-4", "saturday", "january", "nearest"),
], ids=["months", "weeks"])  # fmt: skip
def test_arrays_on_every_day_of_a_year(phrase, calendar):
    days = [date.fromordinal(n) for n in range(*map(date.toordinal, (date(2023, 12, 20),
            date(2025, 2, 10))))]  # fmt: skip
    check_arrays(phrase, calendar, days, running=True)


def test_a_datetime_stands_for_its_date():
    result = period("2026-05").resolve()
    assert result.contains(datetime(2026, 5, 31, 23, 59))
    assert pd.Timestamp("2026-05-31 12:00") in result.spans[0]
    for wrong in ("2026-05-31", datetime(2026, 5, 31, tzinfo=UTC)):
        with pytest.raises(SettingError, match="is no date"):
            result.contains(wrong)


def test_arrays_keep_their_shape_and_take_what_numpy_takes():
    month = period("this month")
    grid = np.array([["2026-05-20", "NaT"], ["2024-02-29", "1999-12-31"]], dtype="M8[D]")
    starts, stops = month.resolve_each(grid)
    assert starts.shape == stops.shape == (2, 2)
    assert starts[1].tolist() == [date(2024, 2, 1), date(1999, 12, 1)]
    series = pd.Series(pd.to_datetime(["2026-05-20 23:59:59.999"]))
    assert month.resolve_each(series)[1].tolist() == [date(2026, 6, 1)]
    assert month.resolve_each([date(2026, 5, 20)])[0].tolist() == [date(2026, 5, 1)]
    assert month.resolve_each(np.array([], dtype="M8[D]"))[0].size == 0
    assert np.isnat(month.resolve_each(np.array(["NaT"], dtype="M8[D]"))[0]).all()
    assert np.isnat(period("until yesterday").resolve_each(grid)[0]).all()


@pytest.mark.parametrize(
    ("phrase", "anchors", "error", "message"),
    [
        ("today plus tomorrow", ["2026-05-20"], ResolveError, "several spans"),
        ("last 3 hours", ["2026-05-20"], ResolveError, "need a time zone"),
        ("last 9999 years", ["2026-05-20"], ResolveError, "years 1 to 9999"),
        ("last 99999999999 days", ["2026-05-20"], ResolveError, "years 1 to 9999"),
        ("5th friday of this month", ["2026-05-20", "2026-06-20"], ResolveError, "no 5th friday"),
        ("this month", ["soon"], SettingError, "does not hold days"),
        ("this month", [20260520], SettingError, "does not hold days"),
        (
            "this month",
            pd.Series(pd.to_datetime(["2026-05-20"], utc=True)),
            SettingError,
            "instants",
        ),
        ("this month", [datetime(2026, 5, 20, tzinfo=UTC)], SettingError, "instants"),
    ],
)
def test_arrays_that_cannot_be_resolved(phrase, anchors, error, message):
    with pytest.raises(error, match=message):
        period(phrase).resolve_each(anchors)


@given(
    modern_days,
    st.sampled_from(
        ["last 40 rolling days only weekends", "until yesterday", "this month plus tomorrow"]
    ),
)
def test_a_mask_is_membership(day, phrase):
    result = period(phrase).resolve(today=day)
    around = [day + timedelta(days=n) for n in range(-50, 50)]
    mask = result.mask(np.array([*around, "NaT"], dtype="M8[D]"))
    assert mask.tolist() == [*map(result.contains, around), False]
    late = np.array(around, dtype="M8[us]") + np.timedelta64(86_399_999_999, "us")
    assert result.mask(late).tolist() == mask[:-1].tolist()
    assert result.mask(around).tolist() == mask[:-1].tolist()


@given(
    st.sampled_from(["last {n} whole {u}", "last {n} rolling {u}", "next {n} rolling {u}",
                     "this {s}", "previous {s}", "next {n} whole {u}", "last {n} {u} to end",
                     "2026-03", "2026-02-03/2026-02-20", "yesterday"]),
    calendars(), modern_days, st.integers(1, 5), st.sampled_from(["day", "week", "month", "year"]),
)  # fmt: skip
def test_stepping_by_periods_tiles_the_timeline(template, calendar, day, count, unit):
    phrase = template.format(n=count, u=f"{unit}s", s=unit)
    basis = {"today": day, "calendar": calendar[0]}
    later = period(phrase).resolve(**basis)
    assert later.counterpart(1, "period", later=True).start == later.stop
    for steps in range(1, 5):
        earlier = period(f"{phrase}, {steps} periods earlier").resolve(**basis)
        assert earlier.stop == later.start
        again = period(phrase).resolve(**basis).counterpart(steps, "period")
        assert again.spans == earlier.spans
        later = earlier


@given(modern_days, st.integers(1, 14), units)
def test_to_date_is_compared_with_the_same_part_or_the_whole(day, count, unit):
    labels, a = Days(), day.toordinal()
    first, last = labels.around(a, unit)
    expected = labels.units_back(first, count, unit), labels.moved(a, -count, unit)
    if a == last:
        expected = expected[0], labels.around(expected[0], unit)[1]
    name = Unit.named(unit).plural
    result = period(f"{unit} to date, {count} {name} earlier").resolve(today=day)
    assert (result.start.toordinal(), result.end.toordinal()) == expected


COMPARED = (Path(__file__).parent / "comparisons.txt").read_text().splitlines()


@pytest.mark.parametrize("line", COMPARED)
def test_comparisons(line):
    phrase, dates = line.split(" => ")
    result = period(phrase).resolve(today="2026-05-20")
    assert ", ".join(map(str, result.spans)) == dates
    assert result.steps


def test_counterparts_that_cannot_be():
    result = period("until yesterday").resolve(today="2026-05-20")
    with pytest.raises(ResolveError, match="no length to step by"):
        result.counterpart(1, "period")
    assert result.counterpart(1, Unit.YEAR).end == date(2025, 5, 19)
    for bad in ((0, "year"), (1, "fortnight")):
        with pytest.raises(SettingError, match="give a count"):
            result.counterpart(*bad)


MONTHS_FROM_6TH = [("month", date(year, month, 6)) for year in range(2023, 2028)
                   for month in range(1, 13)]  # fmt: skip


@examples(100)
@given(st.sampled_from(["last 3 whole months", "last 2 rolling months", "month to date",
                        "month to date, 1 month earlier", "next 2 whole months", "last 2 weeks",
                        "this year"]),
       st.lists(st.dates(date(2024, 3, 1), date(2026, 9, 1)), min_size=1, max_size=6),
       st.booleans())  # fmt: skip
def test_arrays_in_a_table_of_months(phrase, anchors, running):
    check_arrays(phrase, TableCalendar(MONTHS_FROM_6TH), anchors, running)


def test_instants_in_a_zone_are_no_days_of_any_library():
    import polars as pl
    import pyarrow as pa

    column = pa.array([datetime(2026, 5, 1, tzinfo=UTC)], pa.timestamp("us", tz="Asia/Tokyo"))
    for held in (column, pl.from_arrow(column), column.to_pandas(),
                 pd.Series(column, dtype=pd.ArrowDtype(column.type))):  # fmt: skip
        for ask in (period("2026-05").resolve().mask, period("today").resolve_each):
            with pytest.raises(SettingError, match="holds instants"):
                ask(held)


@pytest.mark.parametrize("gap", [None, pd.NaT, pd.NA, float("nan"), np.datetime64("NaT")], ids=str)
def test_objects_of_data_frames_are_days(gap):
    """What stands for no day is none; instants and numbers are refused, wherever they are."""
    result, each = period("2026-05").resolve(), period("last 1 rolling day").resolve_each
    for first in (date(2026, 5, 1), datetime(2026, 5, 1, 23), pd.Timestamp("2026-05-01")):
        for held in ([first, gap], [gap, first], pd.Series([first, gap], dtype=object)):
            found = result.mask(held).tolist()
            assert found == [one is first for one in held]
            assert np.isnat(each(held)[0]).tolist() == [not one for one in found]
    assert result.mask([gap, None]).tolist() == [False, False]
    aware = datetime(2026, 5, 1, tzinfo=UTC)
    for wrong, said in ((aware, "holds instants"), (5, "does not hold days"), (True, "not hold")):
        for held in ([gap, wrong], pd.Series([wrong, gap], dtype=object)):
            for ask in (result.mask, each):
                with pytest.raises(SettingError, match=said):
                    ask(held)
