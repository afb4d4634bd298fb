"""Books: what they hold, and what is said about mistakes in them."""

import copy
import os
import pickle
import signal
import subprocess
import sys
import time
from datetime import date

import pytest

from ulnager import BookError, ResolveError, SettingError, SourceError, period, read_book
from ulnager.demo import CLOCK, book_file

GOOD = """
[anchors]
load = "latest"
clock = { point = "2026-05-20", day = "running" }
done = { point = "today", day = "over" }
[readings]
last = "whole"
[periods.recent]
phrase = "last 3 months"
label = "Recent months"
anchor = "load"
[periods.so_far]
phrase = "last 2 whole days"
anchor = "clock"
[periods.with_today]
phrase = "last 2 whole days"
anchor = "done"
"""


@pytest.fixture
def book(tmp_path):
    def read(text):
        path = tmp_path / "book.toml"
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return read_book(path)

    return read


def test_names_labels_anchors_and_readings(book):
    good = book(GOOD)
    data = (date(2023, 10, 1), date(2026, 5, 17))
    assert good.period("recent").label == "Recent months"
    assert good.period("so_far").label == "So far"
    for name, start, end in [
        ("recent", date(2026, 2, 1), date(2026, 4, 30)),
        ("so_far", date(2026, 5, 18), date(2026, 5, 19)),
        ("with_today", date(2026, 5, 19), date(2026, 5, 20)),
    ]:
        result = good.resolve(name, today=CLOCK, data=data)
        assert (result.start, result.end) == (start, end)
    assert str(good.period("recent").anchored) == "last 3 months as of latest"
    with pytest.raises(SettingError, match="'today' is over, which no phrase can say"):
        _ = good.period("with_today").anchored
    assert good.resolve("recent", as_of="2026-03-31").end == date(2026, 3, 31)
    with pytest.raises(BookError, match="did you mean 'recent'"):
        good.resolve("recnt")
    with pytest.raises(ResolveError, match="speaks of the data"):
        good.resolve("recent", today=CLOCK)


def test_the_demo_book_is_sound():
    demo = read_book(book_file())
    assert len(demo.periods) >= 8
    for name, start, end in [
        ("year_so_far", date(2025, 10, 1), date(2026, 5, 16)),
        ("pay", date(2026, 4, 13), date(2026, 5, 10)),
        ("office_days", date(2026, 5, 12), date(2026, 5, 19)),
    ]:
        result = demo.resolve(name, today=CLOCK)
        assert (result.start, result.end) == (start, end)
    # Of sailings, whole to the 16th, and scans, whole to the 16th too, the earlier day.
    both = demo._resolve_phrase(period("month to date"), "both", today=CLOCK)
    assert both.end == date(2026, 5, 16)
    assert demo.sources["sailings"].profile(CLOCK).last_whole == date(2026, 5, 16)


CALENDARS = """
calendar = "home"
[calendars.home]
year_starts = "04-06"
holiday_file = "closed.csv"
[calendars.home.cycles]
"crew week" = { days = 9, starts = 2026-01-05 }
[calendars.shop]
kind = "weeks"
layout = "4-4-5"
last_day = "sunday"
[calendars.school]
kind = "table"
file = "terms.csv"
base = "shop"
[sources.trips]
file = "trips.csv"
calendar = "home"
share = 0.5
[anchors]
load = { point = "latest whole day", sources = ["trips"] }
[periods.year]
phrase = "year to date"
[periods.term]
phrase = "term to date"
calendar = "school"
[periods.crew]
phrase = "last 2 whole crew weeks"
anchor = "load"
[periods.office]
phrase = "last 2 whole business days"
[periods.elsewhere]
phrase = "this quarter in shop"
"""


@pytest.fixture
def files(tmp_path):
    (tmp_path / "closed.csv").write_text("date\n2026-05-18\n")
    (tmp_path / "terms.csv").write_text("unit,start\nterm,2026-01-05\nterm,2026-07-01\n")
    (tmp_path / "trips.csv").write_text("day\n2026-05-14\n2026-05-15\n")


def test_calendars_and_sources_stand_beside_the_book(book, files):
    made = book(CALENDARS)
    for name, start, end in [
        ("year", date(2026, 4, 6), date(2026, 5, 20)),
        ("term", date(2026, 1, 5), date(2026, 5, 20)),
        ("crew", date(2026, 4, 23), date(2026, 5, 10)),
        ("office", date(2026, 5, 15), date(2026, 5, 19)),
        ("elsewhere", date(2026, 3, 30), date(2026, 6, 28)),
    ]:
        result = made.resolve(name, today=CLOCK)
        assert (result.start, result.end) == (start, end), name
    assert str(made.resolve("elsewhere", today=CLOCK).calendar).startswith("4-4-5 weeks")


@pytest.mark.parametrize(
    ("old", "new", "key", "problem"),
    [
        ('calendar = "home"\n[cal', 'calendar = "hone"\n[cal', "calendar", "did you mean 'home'"),
        ('"04-06"', '"04-31"', "calendars.home", "year_starts is '04-31'"),
        ('"4-4-5"', '"4-4-4"', "calendars.shop", "layout is '4-4-4'"),
        (
            'last_day = "sunday"',
            'week_starts = "sunday"',
            "calendars.shop",
            "is not for a calendar",
        ),
        ('file = "terms.csv"', "", "calendars.school", "needs the file"),
        ('base = "shop"', 'base = "shopp"', "calendars.school.base", "did you mean 'shop'"),
        ('"closed.csv"', '"clsed.csv"', "calendars.home", "did you mean"),
        ('"crew week"', '"week"', "calendars.home", "is a unit already"),
        ("days = 9", "day = 9", "calendars.home.cycles.crew week.days", "missing"),
        ('"trips"]', '"trip"]', "anchors.load.sources", "did you mean 'trips'"),
        ('calendar = "school"', 'calendar = "scool"', "periods.term.calendar", "'school'"),
        ('kind = "weeks"', 'kind = "week"', "calendars.shop.kind", "'weeks'"),
    ],
)
def test_mistakes_in_calendars_and_sources(book, files, old, new, key, problem):
    with pytest.raises(BookError) as raised:
        book(CALENDARS.replace(old, new))
    assert (raised.value.key, problem in raised.value.problem) == (key, True), raised.value


@pytest.mark.parametrize(
    ("text", "key", "problem", "fix"),
    [
        ('[period.x]\nphrase="today"', "period", "not known", "Did you mean 'periods'"),
        ('[periods.x]\nphrase="today"\nlable="X"', "periods.x.lable", "not known", "'label'"),
        ('[periods.x]\nlabel="X"', "periods.x.phrase", "missing", "Add 'phrase"),
        ("[periods.x]\nphrase=3", "periods.x.phrase", "valid string", "It is 3"),
        ('[periods.x]\nphrase="last 3 hole days"', "periods.x.phrase", "'last 3 whole days'", ""),
        ('[periods.x]\nphrase="today"\nanchor="q"', "periods.x.anchor", "no anchor 'q'", "Add it"),
        ('[periods.today]\nphrase="today"', "periods.today", "phrase of its own", "Choose"),
        ('[periods."A b"]\nphrase="today"', "periods.A b", "small letters", "Begin"),
        ('[anchors]\nload="last month"', "anchors.load", "one day", "start of previous month"),
        ('[anchors]\nload={point="latest",day="x"}', "anchors.load.day", "'over'", "It is 'x'"),
        ('[readings]\nlast="best"', "readings.last", "'rolling'", "It is 'best'"),
        ("[periods.x", "", "not TOML", ""),
        ("[periods]\nq = previous quarter", "", "line 2", 'in quotes: q = "previous quarter"'),
        ("link_key = abc77", "", "not TOML", "It is: link_key = …."),
        ("[sources.s]\nurl = a://u:p7@h", "", "not TOML", "It is: url = a://u:***@h."),
        ("tz = 'UTC'\ntz = 'UTC'", "", "not TOML", "That stands there twice."),
        ("periods:\n  q: today", "", "not TOML", "written as TOML: [periods]"),
        (b"\xff\xfe", "", "not UTF-8", "Save it"),
    ],
)
def test_mistakes_name_the_file_the_key_and_the_fix(book, text, key, problem, fix):
    with pytest.raises(BookError) as raised:
        book(text)
    error = raised.value
    assert error.file.endswith("book.toml")
    assert error.key == key
    assert problem in error.problem
    assert fix in error.fix
    assert str(error).startswith(error.file)


def test_a_book_that_is_not_there():
    with pytest.raises(BookError, match="cannot be read"):
        read_book("nowhere.toml")


def test_a_books_zone_and_calendar_hold_for_all_that_name_none(tmp_path):
    """Sources, pickers, schedules and the clock; what names its own keeps it, and a column of dates
    stays one."""
    (tmp_path / "at.csv").write_text("at,day\n2026-05-17T23:30:00Z,2026-05-17\n")
    text = (
        'tz = "Asia/Tokyo"\ncalendar = "office"\n[calendars.office]\nholidays = [2026-05-18]\n'
        '[calendars.other]\nyear_starts = "04-01"\n'
        '[sources.at]\nfile = "at.csv"\ncolumn = "at"\n'
        '[sources.utc]\nfile = "at.csv"\ncolumn = "at"\ntz = "UTC"\ncalendar = "other"\n'
        '[sources.day]\nfile = "at.csv"\ncolumn = "day"\n[periods]\nd = "2026-05-18"\n'
        '[pickers.p]\nchoices = ["d"]\n[pages.g]\npicker = "p"\n[pages.g.charts]\n'
        'at = { source = "at" }\nutc = { source = "utc" }\nday = { source = "day" }\n'
        '[schedules.s]\npage = "g"\nevery = "FREQ=DAILY"\n'
    )
    (tmp_path / "b.toml").write_text(text)
    book = read_book(tmp_path / "b.toml")
    lasts = {name: str(one.profile("2026-05-20").last) for name, one in book.sources.items()}
    assert lasts == {"at": "2026-05-18", "utc": "2026-05-17", "day": "2026-05-17"}
    assert [one.calendar is book.calendar for one in book.sources.values()] == [True, False, True]
    assert book.picker("p").tz == "Asia/Tokyo"
    assert str(book.schedule("s").zone) == "Asia/Tokyo"
    at = book.resolve("today", now="2026-05-17T20:00+00:00")
    assert str(at.start) == "2026-05-18"
    charts = book.page("g").open(now="2026-05-17T20:00+00:00").charts
    told = {key: str(min(chart.condition(target="duckdb").parameters.values()))
            for key, chart in charts.items()}  # fmt: skip
    assert told == {"at": "2026-05-17 15:00:00+00:00", "utc": "2026-05-18 00:00:00+00:00",
                    "day": "2026-05-18"}  # fmt: skip
    values = book.page("g").open(now="2026-05-17T20:00+00:00").values()
    assert {key: one.rows[0].value for key, one in values.items()} == {"at": 1, "utc": 0, "day": 0}
    for old, new, wrong in (
        ("Asia/Tokyo", "Mars", "tz: "),
        ('tz = "Asia/Tokyo"\n', "", "clocks of a zone"),
    ):
        (tmp_path / "b.toml").write_text(text.replace(old, new))
        with pytest.raises(BookError, match=wrong):
            read_book(tmp_path / "b.toml")


def test_a_book_sees_each_change_of_a_file_and_lives_on_in_copies_and_forks(
    tmp_path, tmp_path_factory
):
    """Files stay open while they do not change; two changes may have one time, and one size."""
    data, canary = tmp_path / "r.csv", tmp_path_factory.mktemp("outside") / "canary.csv"
    data.write_text("d\n2026-05-01\n")
    (tmp_path / "book.toml").write_text(
        '[sources.r]\nfile = "r.csv"\n[anchors]\nl = { point = "latest", sources = ["r"] }\n'
        '[periods.p]\nphrase = "latest"\nanchor = "l"\n'
    )
    book = read_book(tmp_path / "book.toml")

    def day(of=book):
        return of.resolve("p", today="2026-06-01").start.day

    for n in range(1, 15):
        data.write_text(f"d\n2026-05-{n:02}\n")
        assert day() == n
    time.sleep(0.1)
    copies = book, book, pickle.loads(pickle.dumps(book)), copy.deepcopy(book)
    assert [day(one) for one in copies] == [n] * 4
    child = os.fork()
    if not child:
        signal.alarm(60)
        os._exit(day())
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == n
    data.write_text("d\n2026-05-30\n")
    assert day() == 30
    canary.write_text("d\n2026-05-31\n")
    data.unlink()
    data.symlink_to(canary)
    with pytest.raises(SourceError, match="outside the folder of the book"):
        day()


def test_rows_kept_in_memory_are_those_of_the_file(tmp_path):
    """Whatever it is called, and as it is now; a file that cannot be read is told of as before."""
    path = tmp_path / "the rows, kept.csv"
    (tmp_path / "book.toml").write_text(f"""[sources.r]
file = "{path.name}"
[pages.h.charts]
n = {{ source = "r", period = "2026-05", value = "n", by = "month" }}
""")
    book = read_book(tmp_path / "book.toml")
    lines, told = ["d,n", *(f"2026-05-{n % 28 + 1:02},{n}" for n in range(30_000))], []
    for last in ("many", "3", "4", "many"):
        path.write_text("\n".join([*lines, f"2026-05-28,{last}\n"]))
        told.append(book.page("h").open(today="2026-06-01").values()["n"])
    assert "line 30002" in told[0] == told[3]
    assert [one.rows[0].value - sum(range(30_000)) for one in told[1:3]] == [3, 4]


FORKED = """
import os, signal, sys, threading
from ulnager import read_book
from ulnager.book.sources import BookSource

source, plain = read_book(sys.argv[1]).source("r"), BookSource.profile
begun, go = threading.Event(), threading.Event()

def slow(*args, **given):
    begun.set()
    go.wait(60)
    return plain(*args, **given)

BookSource.profile = slow
threading.Thread(target=source.extent, daemon=True).start()
begun.wait(60)
child = os.fork()
if not child:
    signal.alarm(60)
    BookSource.profile = plain
    os._exit(source.extent().last.day)
code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
go.set()
os._exit(code)
"""


def test_a_fork_in_the_middle_of_a_question_leaves_the_child_answers(tmp_path):
    """What another thread was finding out as the process was forked, nobody finds in the child; in
    a process of its own, since engines of other tests do not live through a fork."""
    (tmp_path / "r.csv").write_text("d\n2026-05-07\n")
    (tmp_path / "book.toml").write_text('[sources.r]\nfile = "r.csv"\n')
    time.sleep(0.1)
    asked = [sys.executable, "-c", FORKED, str(tmp_path / "book.toml")]
    assert subprocess.run(asked, check=False).returncode == 7
