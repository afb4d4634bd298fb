"""Calendars of months, weeks, cycles and tables: their units, labels, files and mistakes."""

import pickle
import sqlite3
from datetime import date, timedelta
from itertools import pairwise

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import (
    GREGORIAN,
    BusinessDays,
    MonthCalendar,
    ResolveError,
    SettingError,
    SourceError,
    TableCalendar,
    Unit,
    WeekCalendar,
    own_unit,
    period,
    read_book,
)
from ulnager.core.calendars.table_calendar import TableRow
from ulnager.core.periods.names import in_quotes
from ulnager.sources.days_off import calendar_from_file, holidays_from_file, holidays_of

from strategies import calendars, examples, modern_days, week_calendars

PAY = own_unit("pay period", 14, date(2026, 1, 5))

# The days on which years end, written down by hand from printed calendars.
NEAREST_TO_JANUARY = """
1996-02-03 1997-02-01 1998-01-31 1999-01-30 2000-01-29 2001-02-03 2002-02-02 2003-02-01
2004-01-31 2005-01-29 2006-01-28 2007-02-03 2008-02-02 2009-01-31 2010-01-30 2011-01-29
2012-01-28 2013-02-02 2014-02-01 2015-01-31 2016-01-30 2017-01-28 2018-02-03 2019-02-02
2020-02-01 2021-01-30 2022-01-29 2023-01-28 2024-02-03 2025-02-01 2026-01-31"""
LAST_OF_SEPTEMBER = """
1996-09-28 1997-09-27 1998-09-26 1999-09-25 2000-09-30 2001-09-29 2002-09-28 2003-09-27
2004-09-25 2005-09-24 2006-09-30 2007-09-29 2008-09-27 2009-09-26 2010-09-25 2011-09-24
2012-09-29 2013-09-28 2014-09-27 2015-09-26 2016-09-24 2017-09-30 2018-09-29 2019-09-28
2020-09-26 2021-09-25 2022-09-24 2023-09-30 2024-09-28 2025-09-27 2026-09-26"""


@pytest.mark.parametrize(
    ("ends", "month", "table"),
    [("nearest", "january", NEAREST_TO_JANUARY), ("last", "september", LAST_OF_SEPTEMBER)],
)
def test_years_of_weeks_end_where_the_printed_tables_say(ends, month, table):
    calendar = WeekCalendar("4-5-4", "saturday", month, ends)
    for text in table.split():
        end = date.fromisoformat(text)
        assert calendar.floor(end + timedelta(days=1), Unit.YEAR) == end + timedelta(days=1)
        assert calendar.floor(end, Unit.YEAR) < end
        name = calendar.label(calendar.floor(end, Unit.YEAR), Unit.YEAR)
        assert name == f"FY{end.year}"


@pytest.mark.parametrize(
    "calendar",
    [
        GREGORIAN,
        MonthCalendar(year_starts="04-06", week_starts="sunday", cycles=[PAY]),
        WeekCalendar("4-4-5", "sunday", "june", "nearest", long_period=3),
        WeekCalendar("13x4", "saturday", "december"),
    ],
    ids=str,
)
def test_units_tile_400_years(calendar):
    first, last = date(1800, 6, 1).toordinal(), date(2200, 6, 1).toordinal()
    for unit in calendar.units:
        starts = calendar._unit_starts(
            unit, calendar._unit_number(first, unit), calendar._unit_number(last, unit)
        ).tolist()
        assert starts[0] <= first
        assert starts[-1] <= last
        for number, (start, stop) in enumerate(pairwise(starts)):
            if number % 7 == 0 or unit is not Unit.WEEK:
                assert calendar._unit_start(start, unit) == start
                assert calendar._unit_start(stop - 1, unit) == start
                assert calendar._unit_stop(start, unit) == stop


@examples(200)
@given(st.one_of(calendars(), week_calendars()), modern_days)
def test_a_unit_is_found_by_its_label(calendar, day):
    calendar = calendar[0]
    for unit in calendar.units:
        start = calendar.floor(day, unit)
        label = calendar.label(start, unit)
        found = calendar._labelled(label)
        if unit is Unit.WEEK and label.startswith("week of"):
            assert found is None
        else:
            assert found == (start.toordinal(), calendar._unit_stop(start.toordinal(), unit)), label


def test_weeks_from_monday_have_the_numbers_of_iso_8601():
    for number in range(date(2000, 1, 1).toordinal(), date(2035, 1, 1).toordinal()):
        day = date.fromordinal(number)
        year, week, _ = day.isocalendar()
        assert GREGORIAN.label(GREGORIAN.floor(day, Unit.WEEK), Unit.WEEK) == f"{year}-W{week:02}"


def test_labels_in_every_calendar():
    day = date(2026, 5, 20)
    shop = WeekCalendar("4-4-5", "sunday", "september", "nearest")
    for calendar, unit, long, short in [
        (GREGORIAN, Unit.MONTH, "May 2026", "May"),
        (GREGORIAN, Unit.QUARTER, "Q2 2026", "Q2"),
        (MonthCalendar("10-01"), Unit.QUARTER, "Q3 FY2026", "Q3"),
        (MonthCalendar("10-01", year_named_by="start"), Unit.YEAR, "FY2025", "FY2025"),
        (MonthCalendar("04-06"), Unit.MONTH, "P02 FY2027", "P02"),
        (MonthCalendar(week_starts="sunday"), Unit.WEEK, "week 20 of 2026", "week 20"),
        (MonthCalendar(cycles=[PAY]), PAY, "pay period 2026-05-11", "from 11 May"),
        (shop, Unit.WEEK, "P08 W4 FY2026", "P08 W4"),
        (shop, Unit.MONTH, "P08 FY2026", "P08"),
        (GREGORIAN, Unit.DAY, "2026-05-20", "20 May"),
    ]:
        start = calendar.floor(day, unit)
        labels = calendar.label(start, unit), calendar.label(start, unit, short=True)
        assert labels == (long, short)
        assert pickle.loads(pickle.dumps(calendar)) == calendar
    with pytest.raises(ResolveError, match='labels look like "FY2026"'):
        period('"Q5 FY2026"').resolve(calendar=shop)
    assert period('"Q2 FY2026" in harbour').resolve(
        calendars={"harbour": MonthCalendar("10-01")}
    ).start == date(2026, 1, 1)


def test_the_53rd_week_has_no_partner():
    shop = WeekCalendar("4-5-4", "saturday", "january", "nearest")
    last_week = date(2024, 1, 31)  # the fourth day of week 53 of the year to 2024-02-03
    assert shop.shift(last_week, Unit.YEAR, 1) == date(2025, 1, 29)
    assert shop.shift(last_week, Unit.YEAR, -1) == date(2023, 1, 25)


@pytest.mark.parametrize(
    "make",
    [
        lambda: WeekCalendar("4-4-4"),
        lambda: WeekCalendar(last_day="sabbath"),
        lambda: WeekCalendar(month="jan"),
        lambda: WeekCalendar(ends="first"),
        lambda: WeekCalendar(long_period=13),
        lambda: MonthCalendar(cycles=["pay period"]),
        lambda: MonthCalendar(cycles=[PAY, PAY]),
        lambda: own_unit("week", 7, date(2026, 1, 5)),
        lambda: own_unit("pay  x9", 7, date(2026, 1, 5)),
        lambda: own_unit("pay period", 0, date(2026, 1, 5)),
        lambda: TableCalendar([]),
        lambda: TableCalendar([TableRow("term", "2026-01-01")]),
    ],
)
def test_calendars_that_cannot_be(make):
    with pytest.raises(SettingError):
        make()


TERMS = """unit,start,end,label
term,2025-09-08,2025-12-19,Autumn 2025
term,2025-12-20,2026-03-27,Winter 2026
term,2026-03-28,2026-06-30,Spring 2026
"""


@pytest.fixture
def terms(tmp_path):
    def write(text):
        path = tmp_path / "terms.csv"
        path.write_text(text)
        return calendar_from_file(path)

    return write


def test_units_from_a_table(terms):
    school = terms(TERMS)
    result = period("previous term", school).resolve(as_of="2026-05-20", calendar=school)
    assert (str(result.start), str(result.end)) == ("2025-12-20", "2026-03-27")
    assert period('"Spring 2026"').resolve(calendar=school).days == 95
    month = period("last 2 whole months").resolve(as_of="2026-05-20", calendar=school)
    assert str(month.end) == "2026-04-30"
    assert [b.label for b in result.buckets("term")] == ["Winter 2026"]
    with pytest.raises(ResolveError, match="from 2025-09-08 to 2026-06-30 only"):
        period("next term", school).resolve(as_of="2026-05-20", calendar=school)
    assert school.describe()["units"] == {"term": ["2025-09-08", "2026-06-30"]}


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (TERMS.replace("2025-12-20", "2025-12-22"), "row 2: .* leaves a gap after row 1"),
        (TERMS.replace("2025-12-20", "2025-12-18"), "row 2: .* leaves an overlap with row 1"),
        (TERMS.replace("2026-03-28", "2025-10-01"), "row 3: .* put the rows in order"),
        (TERMS.replace("Winter", "Spring"), "row 3: the label 'Spring 2026' is that of row 2 too"),
        (TERMS.replace("2026-06-30", "2026-03-01"), "row 3: .* before it starts"),
        (TERMS.replace("2025-12-20", "soon"), "column 'start' .* row 2 has 'soon'"),
        (TERMS.replace("unit", "sort"), "no column 'unit' among sort"),
        ("unit,start\nterm,2026-01-05\n", "row 1: the only term has no end"),
        (TERMS.replace("term", "term 1"), "a unit's name is one or two words"),
    ],
)
def test_damaged_tables_name_the_row(terms, text, message):
    with pytest.raises(SourceError, match=message):
        terms(text)


EVENTS = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Osier Sound Ferries//EN
BEGIN:VEVENT
UID:1
SUMMARY:Founders' day
DTSTART;VALUE=DATE:20240318
RRULE:FREQ=YEARLY
EXDATE;VALUE=DATE:20260318
END:VEVENT
BEGIN:VEVENT
UID:2
SUMMARY:Harbour works
DTSTART;VALUE=DATE:20260511
DTEND;VALUE=DATE:20260514
END:VEVENT
BEGIN:VEVENT
UID:3
SUMMARY:A meeting is no holiday
DTSTART:20260512T090000Z
END:VEVENT
END:VCALENDAR
"""


def test_holidays_from_files_and_countries(tmp_path):
    events, table = tmp_path / "closed.ics", tmp_path / "closed.csv"
    events.write_text(EVENTS.replace("\n", "\r\n"))
    table.write_text("date,why\n2026-05-18,works\n2026-05-19,works\n")
    days = [str(day) for day in holidays_from_file(events, (2024, 2027))]
    assert days == ["2024-03-18", "2025-03-18", "2026-05-11", "2026-05-12", "2026-05-13",
                    "2027-03-18"]  # fmt: skip
    assert holidays_from_file(table) == (date(2026, 5, 18), date(2026, 5, 19))
    office = MonthCalendar(business=BusinessDays(holidays=holidays_from_file(table)))
    result = period("last 2 whole business days").resolve(today="2026-05-20", calendar=office)
    assert str(result.start) == "2026-05-14"
    assert date(2026, 12, 25) in holidays_of("GB", "SCT", (2026, 2026))
    for country in ("ZZ", "GB-nowhere"):
        with pytest.raises(SettingError, match="ISO 3166"):
            holidays_of(country)
    events.write_text("BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n")
    with pytest.raises(SourceError, match="holds no holiday"):
        holidays_from_file(events)
    events.write_text("this is no calendar")
    with pytest.raises(SourceError):
        holidays_from_file(events)


@pytest.mark.parametrize("engine", ["sqlite", "duckdb"])
def test_calendars_and_holidays_from_tables_of_a_database(tmp_path, engine):
    """As from files, in whatever order a table gives its rows."""
    held, text = tmp_path / "shop.db", "TEXT" if engine == "sqlite" else "DATE"
    base = sqlite3.connect(held) if engine == "sqlite" else duckdb.connect(str(held))
    for line in (
        f'CREATE TABLE terms (unit TEXT, "start" {text}, "end" {text}, label TEXT)',
        "INSERT INTO terms VALUES ('term', '2026-05-01', '2026-08-31', 'T3')",
        "INSERT INTO terms VALUES ('term', '2026-01-01', '2026-04-30', 'T2')",
        f"CREATE TABLE closed (date {text}, why TEXT)",
        "INSERT INTO closed VALUES ('2026-05-18', 'works'), ('2026-05-18', 'twice')",
        f"CREATE TABLE sales (day {text})",
        "INSERT INTO sales VALUES ('2026-05-19')",
    ):
        base.execute(line)
    base.commit()
    base.close()
    (tmp_path / "book.toml").write_text(
        f'[sources.sales]\nurl = "{engine}:///shop.db"\ntable = "sales"\n[calendars.c]\n'
        'kind = "table"\ndatabase = "sales"\ntable = "terms"\nholiday_table = "closed"'
    )
    calendar = read_book(tmp_path / "book.toml").calendars["c"]
    clock = {"today": "2026-05-20", "calendar": calendar}
    assert str(period("this term", calendar).resolve(**clock).start) == "2026-05-01"
    assert str(period("last 2 whole business days").resolve(**clock).start) == "2026-05-15"


@examples(150)
@given(st.one_of(calendars(), week_calendars()), modern_days, st.sampled_from(["upper", "lower"]))
def test_every_label_reads_back_in_any_case(calendar, day, case):
    terms = [
        ("term", day + timedelta(days=n), None, label)
        for n, label in ((-90, None), (-60, "Alder's"), (-30, 'A "B"'), (40, "x"))
    ]
    own = MonthCalendar(week_starts="friday", cycles=[own_unit("crew week", 9, day)])
    for made in (calendar[0], TableCalendar(terms, calendar[0]), own):
        for unit in (Unit.DAY, *made.units):
            text = made.label(day, unit.name)
            found = period(in_quotes(getattr(text, case)()), made).resolve(today=day, calendar=made)
            assert found.start == made.floor(day, unit), text
            assert made.label(found.end, unit) == text
    thursday = own.floor(day, "week") + timedelta(days=3)
    name = f"week {(int(f'{thursday:%j}') + 6) // 7} of {thursday.year}"
    assert own.label(day, "week") == str(period(name)).strip('"') == name


@pytest.mark.parametrize("day", [date(2026, 6, 29), date(2026, 6, 30)])
def test_the_last_unit_of_a_table_is_known_to_be_whole(day):
    table = TableCalendar([("term", date(2026, 1, 12)), ("term", date(2026, 6, 30))])
    for phrase in ("last 1 whole term", "last 2 whole terms, 1 term later"):
        basis = {"as_of": day} if day.day == 29 else {"today": day}
        if "2" in phrase:
            with pytest.raises(ResolveError, match="add rows"):
                period(phrase, table).resolve(**basis, calendar=table)
            continue
        assert period(phrase, table).resolve(**basis, calendar=table).end == date(2026, 6, 29)
    with pytest.raises(ResolveError, match="table"):
        period("term to date", table).resolve(today=date(2026, 6, 30), calendar=table)


def test_a_table_answers_from_its_first_day_to_its_last():
    starts = [date(2026, 1, 7), date(2026, 3, 2), date(2026, 6, 30)]
    rows = [("term", starts[0], None, "T1"), ("term", starts[1], None, "T2"), ("term", starts[2])]
    made = TableCalendar(rows)
    (term,) = made.own_units
    known = ((starts[0], starts[0], "T1"), (date(2026, 3, 1), starts[0], "T1"),
             (starts[1], starts[1], "T2"), (date(2026, 6, 29), starts[1], "T2"))  # fmt: skip
    for day, start, label in known:
        assert (made.floor(day, term), made.label(day, term)) == (start, label)
    for day in (starts[0] - timedelta(1), starts[2] + timedelta(1)):
        with pytest.raises(ResolveError, match="2026-0"):
            made.floor(day, term)
    assert not made._varies(Unit.YEAR, term)
    assert not made._varies(term, Unit.DAY)
    assert made._varies(Unit.MONTH, Unit.DAY) == GREGORIAN._varies(Unit.MONTH, Unit.DAY)


@pytest.mark.parametrize(("phrase", "told"), [
    ("week 54 of 2026", "2026 has 53 weeks, 1 to 53"), ("week 0 of 2025", "52 weeks, 1 to 52"),
    ('"2027-W53"', "2027 has 52 weeks, 1 to 52"), ("week 60 of 0000", "calls nothing"),
])  # fmt: skip
def test_weeks_that_a_year_does_not_have(phrase, told):
    with pytest.raises(ResolveError, match=told):
        period(phrase).resolve(today="2026-05-20")


@pytest.mark.parametrize(("phrase", "fiscal", "printed"), [
    ("Q1 2026", True, '"Q1 FY2026"'), ("Q1 2026", False, '"Q1 2026"'),
    ("H2 2026 plus Q1 2025", True, '"H2 FY2026" plus "Q1 FY2025"'), ("2026-Q1", True, "2026-Q1"),
    ("until Q1 2026", True, 'until end of "Q1 FY2026"'), ("Q1 FY2026", True, '"Q1 FY2026"'),
    ("Q1 2026 in gregorian", True, '"Q1 2026" in gregorian'),
])  # fmt: skip
def test_labels_are_printed_as_the_calendar_calls_them(phrase, fiscal, printed):
    calendar = MonthCalendar("10-01") if fiscal else GREGORIAN
    result = period(phrase).resolve(today="2026-05-20", calendar=calendar)
    assert str(result.period) == printed
    again = period(printed).resolve(today="2026-05-20", calendar=calendar)
    assert again.spans == result.spans


def test_months_of_whole_weeks_in_a_table_go_by_numbers():
    """One of them may start on the first of a month, and is that month no more than the others."""
    edges = [date(2026, 8, 30) + timedelta(days) for days in (0, 28, 63, 91)]
    rows = [("month", start) for start in edges]
    made = TableCalendar([*rows, ("year", edges[0]), ("year", edges[-1])])
    labels = [made.label(start, "month") for start in edges[:-1]]
    assert [label.partition(" ")[0] for label in labels] == ["P01", "P02", "P03"]
    # Where the table begins within a year, nobody knows their numbers.
    assert TableCalendar(rows).label(edges[2], "month") == "month 2026-11-01"
    assert TableCalendar(rows)._labelled("month 2026-11-01") is not None
    named = [("month", date(2026, month, day)) for month, day in ((3, 15), (4, 1), (5, 1))]
    assert TableCalendar(named).label(date(2026, 4, 1), "month") == "Apr 2026"
