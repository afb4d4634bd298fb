"""Periods split at the boundaries of units, and the table of days that calendars write."""

from datetime import date, timedelta

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from ulnager import (
    Anchor,
    Extent,
    ResolveError,
    SettingError,
    Unit,
    date_table,
    open_source,
    period,
    preview,
    profile,
)
from ulnager.demo import CLOCK, table

from strategies import calendars, examples, modern_days, phrases, week_calendars


@examples(150)
@given(phrases, modern_days, st.one_of(calendars(), week_calendars()),
       st.sampled_from(["day", "week", "month", "quarter", "year"]))  # fmt: skip
def test_buckets_are_the_period_again(phrase, day, calendar, unit):
    calendar, labels = calendar
    data = Extent(day - timedelta(days=400), day)
    try:
        result = period(phrase).resolve(today=day, calendar=calendar, data=data)
        buckets = result.buckets(unit, data=data)
    except ResolveError:
        return
    assume(len(buckets) < 2_000)
    inside = result.days
    if inside is None:
        # Open dates are split as far as the data goes.
        inside = sum(result.contains(data.first + timedelta(n)) for n in range(401))
    assert sum(bucket.days for bucket in buckets) == inside
    for bucket in buckets:
        start, end = labels.around(bucket.start.toordinal(), unit)
        assert (bucket.unit_start.toordinal(), bucket.unit_end.toordinal()) == (start, end)
        assert bucket.unit_days == end - start + 1
        if bucket.is_whole:
            assert bucket.days == bucket.unit_days
            assert bucket.unit_end < day
        assert ("starts late" in bucket.reasons) == (bucket.start > bucket.unit_start)
        assert ("ends early" in bucket.reasons) == (bucket.end < bucket.unit_end)
        running, ahead = (word in bucket.reasons for word in ("still running", "not begun"))
        assert (running or ahead) == (bucket.unit_end >= day)
        assert ahead == (bucket.unit_start > day)
        assert ("the data ends" in bucket.reasons) == (bucket.unit_end > data.last)
    assert result.buckets(unit, "drop", data) == tuple(b for b in buckets if b.is_whole)
    assert all(bucket.is_whole for bucket in result.buckets(unit, "keep", data))


def test_buckets_know_the_missing_days():
    found = profile(open_source(table("sailings")))
    result = period("last 5 months to date as of latest").resolve(today=CLOCK, data=found.extent)
    reasons = {b.label: b.reasons for b in result.buckets("month", data=found.extent)}
    assert reasons == {
        "Jan 2026": ("12 days missing",),
        "Feb 2026": ("1 day missing",),
        "Mar 2026": (),
        "Apr 2026": ("1 day missing",),
        "May 2026": ("ends early", "still running", "the data ends", "half loaded"),
    }
    assert "days are cut out" in period("2026-05 except today").resolve(
        today=CLOCK
    ).buckets("month")[0].reasons  # fmt: skip


@pytest.mark.parametrize(
    ("phrase", "unit", "partial", "error"),
    [
        ("until today", "month", "mark", ResolveError),
        ("today", "fortnight", "mark", SettingError),
        ("today", "hour", "mark", SettingError),
        ("today", "month", "shout", SettingError),
        ("last 9000 years as of 9998-01-01", "day", "mark", ResolveError),
    ],
)
def test_buckets_that_cannot_be(phrase, unit, partial, error):
    with pytest.raises(error):
        period(phrase).resolve(today=CLOCK).buckets(unit, partial)


@examples(40)
@given(st.one_of(calendars(), week_calendars()), modern_days, st.integers(0, 800), st.booleans())
def test_a_date_table_says_of_each_day_what_the_calendar_says(calendar, first, length, running):
    calendar, labels = calendar
    last = first + timedelta(days=length)
    anchor = Anchor(first + timedelta(days=length // 3), running, "today")
    made = date_table(calendar, first, last, anchor)
    assert {len(column) for column in made.values()} == {length + 1}
    for place in (0, length // 2, length):
        row = {name: column[place].item() for name, column in made.items()}
        day = row["date"]
        assert (row["iso_year"], row["iso_week"], row["weekday"]) == tuple(day.isocalendar())
        assert row["is_business_day"] == calendar.business.contains(day)
        assert row["days_from_anchor"] == (day - anchor.day).days
        for unit in ("week", "month", "quarter", "half", "year"):
            start, end = labels.around(day.toordinal(), unit)
            assert row[f"{unit}_start"].toordinal() == start
            assert row[f"{unit}_end"].toordinal() == end
            assert row[f"{unit}_day"] == day.toordinal() - start + 1
            named = Unit.named(unit)
            assert row[f"{unit}_label"] == calendar.label(row[f"{unit}_start"], named)
            open_day = anchor.day.toordinal() + (not running)
            assert row[f"{unit}_is_whole"] == (end < open_day)
            assert row[f"{unit}_index"] == calendar._unit_number(start, named)
            assert row[f"{unit}_short"] == calendar.label(row[f"{unit}_start"], named, short=True)
            moved = calendar._unit_start(anchor.day.toordinal(), named)
            assert row[f"{named.plural}_from_anchor"] == (
                calendar._unit_number(start, named) - calendar._unit_number(moved, named)
            )


OFFICE_MONTHS = "last 6 whole months only business days"


@pytest.mark.parametrize(("phrase", "basis", "whole", "reasons"), [
    (OFFICE_MONTHS, {"today": "2026-05-20"}, 6, set()),
    (f"{OFFICE_MONTHS} except 2026-04-06/2026-04-12", {"today": "2026-05-20"}, 5,
     {"days are cut out"}),
    ("last 6 whole months except fridays within 2026", {"today": "2026-05-20"}, 4, set()),
    ("last 3 months to end", {"today": "2026-05-20", "as_of": "2026-06-30"}, 1,
     {"still running", "not begun"}),
])  # fmt: skip
def test_units_are_whole_by_their_own_days_and_by_the_clock(phrase, basis, whole, reasons):
    found = period(phrase).resolve(**basis).buckets("month")
    assert sum(bucket.is_whole for bucket in found) == whole
    assert {reason for bucket in found for reason in bucket.reasons} == reasons


@pytest.mark.parametrize("stray", [date(2026, 5, 17), date(2026, 12, 31), date(2031, 6, 30)])
def test_a_stray_row_is_no_whole_day_and_a_lone_date_is_named(tmp_path, stray):
    """Rows on working days until Friday 15 May, and one more."""
    days = [CLOCK - timedelta(days=n) for n in range(5, 150)]
    rows = [day for day in days if day.weekday() < 5 for _ in range(9)]
    path = tmp_path / "loads.csv"
    path.write_text("\n".join(["loaded_on", *map(str, rows), str(stray)]))
    source = open_source(path)
    found = profile(source, today=CLOCK)
    assert (found.last_whole, found.anchor) == (date(2026, 5, 15), "latest whole day")
    assert str(stray) in found.evidence[0]
    result = period("last 7 days as of latest").resolve(today=CLOCK, data=source.extent())
    is_lone = any("lies alone" in note for note in result.notes)
    assert is_lone == (stray.month != 5)
    assert any("lies alone" in text for text in preview(source, result).warnings) == is_lone
    by_day = period("last 9 days as of 2026-05-17").resolve(today=CLOCK).buckets(
        "day", data=found.extent)  # fmt: skip
    assert [b.label for b in by_day if "half loaded" in b.reasons] == ["2026-05-17"][is_lone:]


@pytest.mark.parametrize(("data", "feb", "mar", "apr"), [
    (("2026-02-01", "2026-04-30"), (), (), ()),
    (("2026-01-31", "2026-05-01"), (), (), ()),
    (("2026-02-02", "2026-04-29"), ("the data begins later",), (), ("the data ends",)),
    (("2026-03-01", "2026-03-31"), ("the data begins later",), (), ("the data ends",)),
    (("2026-03-02", "2026-03-30"), ("the data begins later",),
     ("the data ends", "the data begins later"), ("the data ends",)),
])  # fmt: skip
def test_what_the_data_lacks_of_a_unit(data, feb, mar, apr):
    result = period("last 3 whole months").resolve(today="2026-05-20")
    assert [one.reasons for one in result.buckets("month", data=data)] == [feb, mar, apr]


@pytest.mark.parametrize(("phrase", "labels", "days"), [
    ("until 2026-03-10", ["Feb 2026", "Mar 2026"], [20, 10]), ("all dates", ["Feb 2026", "Mar 2026",
     "Apr 2026"], [20, 31, 7]), ("after 2026-03-30", ["Mar 2026", "Apr 2026"], [1, 7]),
    ("until 2026-03-10 plus 2026-04-02", ["Feb 2026", "Mar 2026", "Apr 2026"], [20, 10, 1]),
    ("after 2027-01-01", [], []), ("2025-12 plus 2026-05", ["Dec 2025", "May 2026"], [31, 31]),
])  # fmt: skip
def test_open_dates_are_split_as_far_as_the_data_goes(phrase, labels, days):
    made = period(phrase).resolve().buckets("month", data=("2026-02-09", "2026-04-07"))
    assert ([one.label for one in made], [one.days for one in made]) == (labels, days)
