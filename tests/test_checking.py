"""Books with mistakes, each beside one that nearly has it; rehearsals beside single days."""

import json
from datetime import date, timedelta
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager import BusinessDays, MonthCalendar, SettingError, WeekCalendar
from ulnager.checking.findings import SEVERITIES
from ulnager.checking.label_rules import contradiction
from ulnager.checking.rehearsing import rehearse
from ulnager.checking.toml_places import line_of, lines_of
from ulnager.cli.main import main
from ulnager.demo import book_file

from strategies import examples

TODAY = "2026-05-20"


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Sources: whole days up to yesterday; one half loaded; one that stopped; one with a zone."""
    place = tmp_path_factory.mktemp("checked")

    def rows(name, first, last, rows=4, cut=4):
        lines, day = ["day,route,n"], date.fromisoformat(first)
        while day <= date.fromisoformat(last):
            count = cut if day == date.fromisoformat(last) else rows
            lines += [f"{day},{'ab'[k % 2]},{k}" for k in range(count)]
            day += timedelta(1)
        (place / name).write_text("\n".join(lines) + "\n")

    rows("whole.csv", "2025-01-01", "2026-05-19")
    rows("half.csv", "2025-01-01", "2026-05-18", cut=1)
    rows("stopped.csv", "2025-01-01", "2026-03-31")
    rows("ahead.csv", "2025-01-01", "2026-08-31")
    days = [date(2026, 1, 5) + timedelta(7 * k) for k in range(19)]
    (place / "weekly.csv").write_text("day,n\n" + "".join(f"{d},1\n" for d in days))
    (place / "terms.csv").write_text("unit,start,end,label\nterm,2025-09-01,2026-01-11,Autumn\n"
                                     "term,2026-01-12,2026-06-30,Spring\n")  # fmt: skip
    (place / "at.csv").write_text("at,n\n" + "".join(
        f"2026-05-{d:02}T12:00:00Z,1\n" for d in range(1, 20)))  # fmt: skip
    return place


WHOLE = '[sources.rows]\nfile = "whole.csv"\ncolumn = "day"\n'
PERIOD = "[periods.p]\nphrase = {}\n"
PICKED = '[pickers.dates]\nchoices = ["p"]\nopens = "p"\n[pages.home]\npicker = "dates"\n'
CHART = '[pages.home.charts.one]\nsource = "rows"\n'


def of(phrase, more="", source="whole.csv"):
    return WHOLE.replace("whole.csv", source) + PERIOD.format(f'"{phrase}"') + more


def mailed(phrase, every, tz="UTC"):
    return (of(phrase, PICKED + CHART)
            + f'[schedules.mail]\npage = "home"\nevery = "{every}"\ntz = "{tz}"\n')  # fmt: skip


YTD = "year to date"
LOAD = "anchor = 'load'\n"
LOADED = LOAD + "[anchors]\nload = { point = 'latest', sources = ['rows'] }"
ALONE = "[pages.home.charts.one]\nsource = 'rows'\n"
TOKYO = PICKED.replace("opens", "tz = 'Asia/Tokyo'\nopens")
BOTH = PICKED.replace('["p"]', '["p", "q"]')
AT = '[sources.rows]\nfile = "at.csv"\ncolumn = "at"\ntz = "{}"\n[periods]\np = "month to date"\n'
HOLIDAYS = "[calendars.office]\nholidays = [{}]\n"
TERMS = '[calendars.school]\nkind = "table"\nfile = "terms.csv"\n'
# The rule, what breaks it with the key that is named, and what nearly does.
CASES = [
    ("book", of(YTD, "lable = 'x'"), "periods.p.lable", of(YTD, "label = 'x'")),
    ("book", of("month to dat"), "periods.p.phrase", of("month to date")),
    ("missing", of(YTD, LOAD), "periods.p.anchor",
     of(YTD, LOADED)),
    ("missing", of(YTD, source="gone.csv"), "sources.rows", of(YTD)),
    ("missing", of(YTD).replace('"day"', '"dya"'), "sources.rows.column", of(YTD)),
    ("missing", of(YTD, PICKED + CHART + 'value = "m"'), "pages.home.charts.one.value",
     of(YTD, PICKED + CHART + 'value = "n"')),
    ("missing", of(YTD, PICKED + CHART + "where = { town = 'a' }"),
     "pages.home.charts.one.where", of(YTD, PICKED + CHART + "where = { route = 'a' }")),
    ("ungoverned", of(YTD, ALONE),
     "pages.home.charts.one", of(YTD, ALONE + "dates = 'none'")),
    ("nothing", of("last 30 rolling days", source="stopped.csv"), "periods.p",
     of("last 60 rolling days", source="stopped.csv")),
    ("nothing", of("2024"), "periods.p", of("2026")),
    ("label", of("last 6 whole months", "label = 'Last 3 months'"), "periods.p.label",
     of("last 3 whole months", "label = 'Last 3 months'")),
    ("label", of("last 12 whole months", "label = 'Last 2 years'"), "periods.p.label",
     of("last 12 whole months", "label = 'Last year, 1 year long'")),
    ("label", of("last 14 rolling days", "label = 'Last ten days'"), "periods.p.label",
     of("last 14 rolling days", "label = 'Last two weeks'")),
    ("label", of("week to date", "label = 'Month so far'"), "periods.p.label",
     of("week to date", "label = 'So far this week'")),
    ("label", of("last 3 rolling months", "label = 'Last 3 complete months'"), "periods.p.label",
     of("last 3 whole months", "label = 'Last 3 complete months'")),
    ("label", of("2025", "label = 'All of 2024'"), "periods.p.label",
     of("2025", "label = 'All of 2025'")),
    ("stale", of("2026-04", PICKED), "pickers.dates.opens", of("previous month", PICKED)),
    ("stale", of("2026-04", "label = 'This spring'"), "periods.p",
     of("2026-04", "label = 'April 2026'")),
    ("stale", of("2026-04", "label = 'April'"), "periods.p",
     of("2026-04", "label = 'April'\naccept = { stale = 'a comparison' }")),
    ("label", of("last 30 rolling days", "label = 'Last 30 days'\nshort = '7 d'"),
     "periods.p.short", of("last 30 rolling days", "label = 'Last 30 days'\nshort = '30 d'")),
    ("label", of("last 30 rolling days", "label = { en = 'Lately', de = 'Letzte 7 Tage' }"),
     "periods.p.label",
     of("last 30 rolling days", "label = { en = 'Lately', de = 'Letzte 30 Tage' }")),
    ("stale", of(YTD, PICKED.replace("[pages.home]", "[pages.home]\nopens = { dates = "
                                     "'2026-04-01/2026-04-30' }") + CHART), "pages.home.opens",
     of(YTD, PICKED.replace("[pages.home]", "[pages.home]\nopens = { dates = 'p' }") + CHART)),
    ("nothing", of("from {a} to {b}", "[periods.q]\nphrase = 'month to date'\n"
                   + BOTH.replace('opens = "p"', 'opens = "q"')), "periods.p",
     of("from {a} to {b}", "inputs = { a = { opens = 'earliest' }, b = { opens = 'latest' } }\n"
        "[periods.q]\nphrase = 'month to date'\n"
        + BOTH.replace('opens = "p"', 'opens = "q"'))),
    ("nothing", of(YTD, PICKED + CHART + "value = 'route'"), "pages.home.charts.one",
     of(YTD, PICKED + CHART + "value = 'n'")),
    ("two-readings", of("last 3 months"), "periods.p",
     of("last 3 months", "[readings]\nlast = 'whole'")),
    ("two-readings", of(YTD, PICKED + CHART + "value = 'n'\nrunning = 'last 7 days'"),
     "pages.home.charts.one.running",
     of(YTD, PICKED + CHART + "value = 'n'\nrunning = 'last 7 rolling days'")),
    ("single-day", of("6 months ago"), "periods.p", of("since 6 months ago")),
    ("single-day", of("3 weeks before today"), "periods.p", of("yesterday")),
    ("everything", of("from 2025-01-01"), "periods.p", of("from 2025-01-02")),
    ("everything", of("last 5 rolling years"), "periods.p", of("all dates")),
    ("half-loaded-day", of("last 7 rolling days as of latest", source="half.csv"), "periods.p",
     of("last 7 rolling days as of latest whole day", source="half.csv")),
    ("clock-or-data", of("last 90 rolling days", source="stopped.csv"), "periods.p",
     of("last 90 rolling days as of latest", source="stopped.csv")),
    ("clock-or-data", of("last 7 rolling days as of latest", source="ahead.csv"), "periods.p",
     of("last 7 rolling days as of latest up to today", source="ahead.csv")),
    ("clock-or-data", of(YTD, source="stopped.csv"), "periods.p",
     of(YTD, source="weekly.csv")),
    ("runs-out",
     of("last 5 business days", "calendar = 'office'\n" + HOLIDAYS.format("2025-12-25")),
     "calendars.office.holidays",
     of("last 5 business days", "calendar = 'office'\n" + HOLIDAYS.format("2026-01-01"))),
    ("runs-out", of("this term", "calendar = 'school'\n" + TERMS), "calendars.school",
     of("previous term", "calendar = 'school'\n" + TERMS)),
    ("nothing", of(YTD, PICKED + CHART + "where = { route = 'z' }"),
     "pages.home.charts.one.where.route",
     of(YTD, PICKED + CHART + "where = { route = 'b' }")),
    ("nothing", of(YTD, PICKED + CHART + "where = { route = ['a', 'z'] }"),
     "pages.home.charts.one.where.route",
     of(YTD, PICKED + CHART + "where = { route = ['a', 'b'] }")),
    ("nothing", WHOLE + "where = { route = 'c' }\n" + PERIOD.format("'month to date'"),
     "sources.rows.where.route", WHOLE + PERIOD.format("'month to date'")),
    ("nothing", of("since start of year", PICKED + CHART + "by = 'week'\nbeside = '1 day earlier'"),
     "pages.home.charts.one.beside", of("since start of year", PICKED + CHART + "by = 'week'")),
    ("nothing", of(YTD, PICKED + CHART + "by = 'month'\nbeside = '3 years earlier'"),
     "pages.home.charts.one.beside",
     of(YTD, PICKED + CHART + "by = 'month'\nbeside = '1 year earlier'")),
    ("nothing", of(YTD, PICKED + CHART + "shifted = '3 years earlier'"), "pages.home.charts.one",
     of(YTD, PICKED + CHART + "shifted = '1 year earlier'")),
    ("mixed-anchors", of("last 7 rolling days", LOADED + "\n[periods.q]\nphrase = 'this month'\n"
                         + BOTH), "pickers.dates.choices",
     of("last 7 rolling days", LOADED + "\n[periods.q]\nphrase = '2026-04'\n" + BOTH)),
    ("zones", AT.format("Europe/London") + TOKYO + CHART,
     "pickers.dates.tz",
     AT.format("Asia/Tokyo") + TOKYO + CHART),
    ("counted-twice", mailed("last 10 whole days", "FREQ=WEEKLY;BYDAY=MO"), "schedules.mail",
     mailed("last 7 whole days", "FREQ=WEEKLY;BYDAY=MO")),
    ("left-out", mailed("last 5 whole days", "FREQ=WEEKLY;BYDAY=MO"), "schedules.mail",
     mailed("previous month", "FREQ=MONTHLY;BYMONTHDAY=1")),
    ("same-dates", of("last 7 rolling days", "[periods.q]\nphrase = 'last 7 days to date'\n"
                      + BOTH), "pickers.dates.choices",
     of("last 30 rolling days", "[periods.q]\nphrase = 'last 1 rolling month'\n"
        + BOTH)),
    ("usual-replaced", of(YTD, "[periods.this_week]\nphrase = 'this week'\n[pickers.dates]"),
     "periods.this_week", of(YTD, "[periods.a_week]\nphrase = 'this week'\n[pickers.dates]\n"
                             "choices = ['usual', 'a_week']")),
    ("typed-anchor", of("last 7 rolling days as of 2026-05-10"), "periods.p",
     of("last 7 rolling days as of 2025-05-10")),
    ("typed-anchor", of(YTD, "anchor = 'a'\n[anchors]\na = '2026-05-19'"),
     "anchors.a.point", of(YTD, "anchor = 'a'\n[anchors]\na = 'yesterday'")),
    ("unused", of(YTD, "[anchors]\nspare = 'yesterday'"), "anchors.spare",
     of(YTD, "anchor = 'spare'\n[anchors]\nspare = 'yesterday'")),
    ("unused", of(YTD, PICKED.replace("[pages", "by = { of = ['day'] }\n[pages") + CHART),
     "pickers.dates.by",
     of(YTD, PICKED.replace("[pages", "by = { of = ['day'] }\n[pages") + CHART + "by = 'viewer'")),
    ("unused", of(YTD, "accept = { nothing = 'no longer' }"), "periods.p.accept.nothing",
     of("2024", "accept = { nothing = 'it will come' }")),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "wrong", "key", "near"), CASES)
def test_each_rule_finds_what_breaks_it_and_not_what_nearly_does(folder, rule, wrong, key, near):
    book = folder / "book.toml"
    book.write_text(wrong)
    found = [one for one in ulnager.check(book, today=TODAY) if one.rule == rule]
    assert [one.key for one in found] == [key]
    assert found[0].severity in (SEVERITIES[rule], "hint")
    named = wrong.splitlines()[found[0].line - 1]
    assert any(part in named for part in reversed(key.split("."))), named
    book.write_text(near)
    assert [one for one in ulnager.check(book, today=TODAY) if one.rule == rule] == []


def test_sarif_is_what_the_published_schema_says(folder):
    schema = json.loads((Path(__file__).parent / "vendored" / "sarif-2.1.0.json").read_text())
    for found in (ulnager.check(book_file("careless"), today=TODAY), ulnager.check_sql("SELECT 1")):
        told = found.sarif()
        jsonschema.Draft202012Validator(schema).validate(told)
        assert len(told["runs"][0]["results"]) == len(found)
    assert {one["level"] for one in ulnager.check(book_file("careless"), today=TODAY).sarif()
            ["runs"][0]["results"]} == {"error", "warning", "note"}  # fmt: skip


def test_every_rule_of_books_has_cases_and_the_careless_book_breaks_it():
    found = ulnager.check(book_file("careless"), today=TODAY)
    of_books = set(list(SEVERITIES)[: list(SEVERITIES).index("loses-last-day")])
    assert {one.rule for one in found} == of_books == {rule for rule, *_ in CASES} | {"book"}
    assert ulnager.check(book_file(), today=TODAY) == ()


SAYS = [
    ("Last 3 months", "last 6 whole months", "says 3 months, and the phrase has 6 months"),
    ("Last two weeks", "last 14 rolling days", None),
    ("Last 14 days", "last 2 rolling weeks", None),
    ("Last ten days", "last 14 rolling days", "says ten days"),
    ("Twelve months", "last 1 whole year", None),
    ("Last 90 days", "last 3 rolling months", "says 90"),
    ("Half year to the last close", "last 6 whole months", None),
    ("Last quarter", "last 1 whole quarter", None), ("Last quarter", "previous month", "a quarter"),
    ("Month so far", "week to date", "a month"), ("Week so far", "week to date", None),
    ("Week", "last 7 rolling days", None), ("The day before", "yesterday", None),
    ("Last 3 complete months", "last 3 rolling months", "'complete'"),
    ("Last 3 full months", "last 3 whole months", None),
    ("Rolling 3 months", "last 3 whole months", "'rolling'"),
    ("Last 3 months so far", "last 3 months to date", None),
    ("Last 3 months so far", "last 3 whole months", "'so far'"),
    ("Office days, 5 of them", "last 5 whole business days", None),
    ("5 business days", "last 5 whole business days", None),
    ("Summer 2025", "from 2025-06-01 to 2025-09-15", None),
    ("Summer 2024", "from 2025-06-01 to 2025-09-15", "says 2024"),
    ("Fiscal 2026", "from 2025-10-01 to 2026-09-30", None), ("Since the start", "all dates", None),
    ("Dates of your own", "month to date", None), ("24 hours", "last 24 rolling hours", None),
    ("48 hours", "last 24 rolling hours", "says 48"),
    ("This month", "last 3 whole months", "one month"), ("This month", "month to date", None),
    ("Last year", "last 12 whole months", None),
    ("Previous week", "last 2 whole weeks", "one week"),
    ("Today", "yesterday", "'today'"), ("Today", "today", None),
    ("Today so far", "today", None), ("7 d", "last 30 rolling days", "7 days"),
    ("30 d", "last 30 rolling days", None), ("4 w", "last 28 whole days", None),
    ("Last {n} weeks", "last {n} rolling days", "{n} weeks"),
    ("Last {n} days", "last {n} rolling days", None), ("Last {n}", "last {n} rolling days", None),
    ("Month so far vs 2025 plan", "month to date", None), ("May 2025", "month to date", "2025"),
]  # fmt: skip


@pytest.mark.parametrize(("label", "phrase", "wanted"), SAYS)
def test_what_labels_say(label, phrase, wanted):
    read = ulnager.period(phrase)
    is_plain = not read.inputs and not read.definition.is_sub_day
    result = read.resolve(today=TODAY) if is_plain else None
    told = contradiction(label, read.definition, result)
    assert (told is None) if wanted is None else wanted in (told or "")


def test_findings_are_accepted_where_they_stand_and_above(folder):
    book = folder / "book.toml"
    wrong = WHOLE + '[periods]\n{}p = {{ phrase = "last 3 months"{} }}\nq = "last 2 weeks"\n'
    for top, own, left in (
        ("", "", ["p", "q"]),
        ("", ", accept = { two-readings = 'known' }", ["q"]),
    ):
        book.write_text(wrong.format(top, own))
        found = [one.key for one in ulnager.check(book, today=TODAY) if one.rule == "two-readings"]
        assert found == [f"periods.{name}" for name in left]
    book.write_text("accept = { two-readings = 'known' }\n" + wrong.format("", ""))
    assert ulnager.check(book, today=TODAY) == ()
    for reason in ("1", "{ two-readings = 3 }"):
        book.write_text(f"accept = {reason}\n" + wrong.format("", ""))
        assert "book" in [one.rule for one in ulnager.check(book, today=TODAY)]


def test_what_a_finding_of_nothing_says_since_when(folder):
    book = folder / "book.toml"
    book.write_text(of("last 30 rolling days", source="stopped.csv"))
    (found,) = [one for one in ulnager.check(book, today=TODAY) if one.rule == "nothing"]
    since = date(2026, 3, 31) + timedelta(30)
    assert f"since {since}" in found.message
    for today, empty in ((since - timedelta(1), False), (since, True)):
        told = [one.rule for one in ulnager.check(book, today=today)]
        assert ("nothing" in told) == empty


def test_all_mistakes_are_told_and_none_that_only_follows(folder):
    book = folder / "book.toml"
    book.write_text(
        WHOLE + "[anchors]\nload = 'no such point'\n[periods]\n"
        'a = { phrase = "month to date", anchor = "load" }\nb = "lst week"\n'
        '[pickers.dates]\nchoices = ["gone", "a", "gone_too", "b"]\nopens = "a"\n'
    )
    told = [(one.rule, one.line, one.key) for one in ulnager.check(book, today=TODAY)]
    assert told == [("book", 5, "anchors.load"), ("book", 8, "periods.b.phrase"),
                    ("missing", 10, "pickers.dates.choices.0"),
                    ("missing", 10, "pickers.dates.choices.2")]  # fmt: skip
    for text in ("a = [", "\x00", "calendar = 3", ""):
        book.write_text(text)
        found = ulnager.check(book, today=TODAY)
        assert [one.rule for one in found] == (["book"] if text else [])
    assert ulnager.check(folder / "none.toml")[0].rule == "book"


def test_lines_of_dotted_keys_inline_tables_and_comments():
    lines = lines_of('# one\na.b = 1 # x\n[s."t.u"]\nk = { x = 1,\n  y = [1,\n # c\n { q = 2 }] }\n'
                     "[[l]]\nm = 3\n[[l]]\n'm' = 4\n")  # fmt: skip
    wanted = {("a", "b"): 2, ("s", "t.u"): 3, ("s", "t.u", "k", "x"): 4, ("s", "t.u", "k", "y"): 5,
              ("s", "t.u", "k", "y", "1", "q"): 7, ("l", "0", "m"): 9,
              ("l", "1", "m"): 11}  # fmt: skip
    assert {path: line_of(lines, path) for path in wanted} == wanted
    assert line_of(lines, ("s", "t.u", "gone")) == 3


def test_check_on_the_command_line(folder, capsys):
    book = folder / "book.toml"

    def run(*args):
        with pytest.raises(SystemExit) as left:
            main(["check", str(book), "--today", TODAY, *args])
        return left.value.code, capsys.readouterr().out

    book.write_text(of("last 3 months"))
    assert run()[0] == 0
    code, out = run("--strict")
    assert code == 1
    assert "book.toml:4  warning two-readings  periods.p" in out
    code, out = run("--json")
    (found,) = json.loads(out)
    assert list(found) == ["rule", "severity", "file", "line", "key", "message", "instead"]
    code, out = run("--sarif")
    told = json.loads(out)["runs"][0]["results"][0]
    assert (told["ruleId"], told["level"]) == ("two-readings", "warning")
    book.write_text(of("2024"))
    assert run()[0] == 1


HOLIDAY = BusinessDays(holidays=[date(2026, 5, 18)])
CALENDARS = [None, MonthCalendar("10-01", "sunday", business=HOLIDAY),
             WeekCalendar("4-4-5", "saturday", "september")]  # fmt: skip


def data_of(day):
    """The data that a rehearsal takes for there on a day: all up to the day before."""
    return ulnager.Extent(date(1, 1, 1), day - timedelta(1), day - timedelta(1))


PHRASES = ["last 3 whole months", "last 3 rolling months", "month to date", "6 months ago",
           "last 5 whole business days", "month to date except weekends", "next quarter",
           "last 2 whole weeks as of latest", "week to date as of latest whole day", "2026-02",
           "from 1 week after start of month to today",
           "month to date, 1 year earlier"]  # fmt: skip


@examples(40)
@given(st.sampled_from(PHRASES),
       st.dates(date(2024, 1, 1), date(2027, 1, 1)), st.integers(1, 100),
       st.sampled_from(CALENDARS))  # fmt: skip
def test_a_rehearsal_is_what_single_days_give(phrase, first, count, calendar):
    last = first + timedelta(count)
    found = rehearse(phrase, first, last, calendar=calendar, data=(first, last))
    spans = {}
    for n in range(count + 1):
        day = first + timedelta(n)
        spans[day] = ulnager.period(phrase).resolve(day, calendar=calendar, data=data_of(day))

    def days_of(ranges):
        return [a + timedelta(n) for a, b in ranges for n in range((b - a).days + 1)]

    sizes = {day: one.days for day, one in spans.items()}
    assert days_of(found.empty_on) == [day for day, size in sizes.items() if size == 0]
    some = [size for size in sizes.values() if size]
    assert (found.shortest, found.longest) == (min(some, default=None), max(some, default=None))
    if some:
        assert days_of(found.longest_on) == [d for d, size in sizes.items() if size == max(some)]
    pairs = list(zip(spans.items(), list(spans.items())[1:], strict=False))
    still = [day for (_, a), (day, b) in pairs if b.days and a.spans == b.spans]
    assert days_of(found.still_on) == still
    outside = [d for d, one in spans.items() if one.days and (one.start < first or one.end > last)]
    assert days_of(found.outside_data) == outside
    for part in found.readings:
        other = ulnager.period(part.phrase)
        apart = [day for day, one in spans.items()
                 if other.resolve(today=day, calendar=calendar, data=data_of(day)).spans
                 != one.spans]  # fmt: skip
        assert days_of(part.differs_on) == apart


@examples(30)
@given(
    st.sampled_from(
        ["last 7 rolling days", "last 10 whole days", "previous month", "6 months ago"]
    ),
    st.sampled_from(["FREQ=WEEKLY;BYDAY=MO", "FREQ=MONTHLY;BYMONTHDAY=1,15", "FREQ=DAILY"]),
)
def test_dates_left_out_and_repeated_are_those_counted_one_by_one(phrase, every):
    first, last = date(2026, 1, 1), date(2026, 12, 31)
    found = rehearse(phrase, first, last, every=every)
    counts = {}
    days = [first + timedelta(n) for n in range(365)]
    runs = [d for d in days if every == "FREQ=DAILY" or ("WEEKLY" in every and d.weekday() == 0)
            or ("MONTHLY" in every and d.day in (1, 15))]  # fmt: skip
    for day in runs:
        span = ulnager.period(phrase).resolve(today=day)
        for n in range(span.days):
            counts[span.start + timedelta(n)] = counts.get(span.start + timedelta(n), 0) + 1
    covered = [min(counts) + timedelta(n) for n in range((max(counts) - min(counts)).days + 1)]

    def days_of(ranges):
        return [a + timedelta(n) for a, b in ranges for n in range((b - a).days + 1)]

    assert found.runs == len(runs)
    assert days_of(found.never) == [day for day in covered if day not in counts]
    assert days_of(found.more_than_once) == [day for day in covered if counts.get(day, 0) > 1]


def test_rehearsals_that_cannot_be_and_on_the_command_line(capsys, tmp_path):
    for wrong, told in (({"first": "2026-02-01", "last": "2026-01-01"}, "before first"),
                        ({"every": "FREQ=HOURLY"}, "RFC 5545"),
                        ({"first": "soon"}, "first")):  # fmt: skip
        with pytest.raises(SettingError, match=told):
            rehearse("month to date", **wrong)
    with pytest.raises(SettingError, match="hours"):
        rehearse("last 3 hours")
    with pytest.raises(SystemExit):
        main(
            [
                "rehearse",
                "last 3 months",
                "--today",
                TODAY,
                "--json",
                "--picture",
                f"{tmp_path}/r.png",
            ]
        )
    told = json.loads(capsys.readouterr().out)
    assert list(told) == ["period", "first", "last", "days", "empty_on", "still_on", "jumps_on",
                          "readings", "outside_data", "never", "more_than_once"]  # fmt: skip
    assert (told["first"], told["last"]) == (TODAY, "2036-05-19")
    assert (tmp_path / "r.png").stat().st_size > 10_000
    with pytest.raises(SystemExit):
        main(["rehearse", "monday_mail", "--book", "demo:ferries", "--today", TODAY])
    assert "522 times" in capsys.readouterr().out


def test_a_table_of_offsets_runs_out(tmp_path):
    book, file = tmp_path / "b.toml", tmp_path / "offsets.csv"
    book.write_text('tz = "Europe/Lisbon"\noffset_file = "offsets.csv"\n[periods]\na = "today"\n')
    for last, zones, told in (
        ("2027-01-31", ["Europe/Lisbon"], "end on 2027-"),
        ("2040-01-31", ["Europe/Berlin"], "no Europe/Lisbon"),
        ("2040-01-31", ["Europe/Lisbon"], ""),
    ):
        years = "2020-01-01", last
        file.unlink(missing_ok=True)
        asked = [one for zone in zones for one in ("--offsets", zone)]
        with pytest.raises(SystemExit) as done:
            main(["calendar", *years, *asked, "--to", str(file)])
        assert not done.value.code
        found = [one.message for one in ulnager.check(book, today="2026-05-20")
                 if one.rule == "runs-out"]  # fmt: skip
        assert bool(found) == bool(told)
        assert all(told in one for one in found)


def test_a_file_that_is_no_book_is_told_at_its_line(tmp_path):
    path = tmp_path / "b.toml"
    path.write_text("[periods]\n\nq = previous quarter\n")
    (found,) = ulnager.check(path)
    assert (found.rule, found.line) == ("book", 3)
