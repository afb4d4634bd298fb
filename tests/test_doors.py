"""The law of the doors: a name of a book has the same dates wherever it is asked for."""

import asyncio
import contextlib
import io
import json
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager import BookError, FilterError, ResolveError, SettingError, UlnagerError
from ulnager.book.file_text import Whole
from ulnager.checking.inspection import Checking
from ulnager.checking.periods_of_entries import periods_named
from ulnager.cli.main import main
from ulnager.filters.sql_text import sql_text

from strategies import examples

FIRST, LAST = date(2025, 10, 1), date(2026, 5, 17)
PHRASES = [
    "last 7 rolling days", "last 3 whole weeks", "month to date", "previous quarter",
    "year to date", "last 2 whole months plus today", "last 5 whole business days",
    "this year, 1 year earlier",
    "first 10 days of this month", "last 3 rolling months as of earliest", "since latest",
    "last 30 days within data", "from 2026-01-05 to 2026-02-20", "week to date only weekdays",
    "last 4 whole weeks as of 2026-03-04", "2026-Q1", "previous month except weekends",
]  # fmt: skip
POINTS = ["latest", "latest whole day", "latest up to today", "earliest", "today", "2026-04-15",
          "end of previous month", "yesterday"]  # fmt: skip


def one_of(*values):
    return st.sampled_from(values)


@st.composite
def made_books(draw):
    """The text of a book, the rows of its sources by name, and the names of its periods."""
    names = ["sales", "visits", "orders"][: draw(st.integers(1, 3))]
    rows, lines = {}, []
    for name in names:
        # The first day, days without rows at the end, the gap, the half load, a row far ahead.
        rows[name] = (
            draw(st.integers(0, 60)), draw(one_of(0, 1, 9, 40)), draw(st.integers(0, 199)),
            draw(st.booleans()), draw(one_of(False, False, True)),
        )  # fmt: skip
    lines += [f'[sources.{name}]\nfile = "{name}.csv"\ncolumn = "day"' for name in names]
    if draw(one_of(False, False, True)):
        lines[0] += '\nperiod = "from 2025-11-15"'
    calendar = f"""[calendars.own]
year_starts = "{draw(one_of("01-01", "04-06", "10-01"))}"
week_starts = "{draw(one_of("monday", "sunday", "friday"))}"
days_off = {draw(one_of('["saturday", "sunday"]', '["friday"]'))}
[calendars.plain]
"""
    anchors = "[anchors]\n"
    for name in ("load", "other"):
        asked = draw(st.lists(one_of(*names), min_size=1, unique=True))
        day = draw(one_of("", "", ', day = "over"', ', day = "running"'))
        point = f'point = "{draw(one_of(*POINTS))}", sources = {json.dumps(asked)}{day}'
        anchors += f"{name} = {{ {point} }}\n"
    periods, keys = "", []
    for number in range(draw(st.integers(2, 4))):
        keys.append(f"p_{number}")
        periods += f'[periods.p_{number}]\nphrase = "{draw(one_of(*PHRASES))}"\n'
        periods += draw(one_of("", "", 'anchor = "load"\n', 'anchor = "other"\n'))
        periods += draw(one_of("", "", 'calendar = "plain"\n', 'calendar = "own"\n'))
    top = draw(one_of("", 'anchor = "load"\n')) + draw(one_of("", 'calendar = "own"\n'))
    source = names[0]
    rest = f"""[pickers.dates]
choices = {json.dumps(keys)}
[pages.home]
picker = "dates"
[pages.home.charts.follows]
source = "{source}"
[pages.home.charts.pinned]
source = "{source}"
period = "{keys[-1]}"
[pages.home.charts.shifted]
source = "{source}"
shifted = "1 year earlier"
[schedules.mail]
page = "home"
every = "FREQ=DAILY"
at = "07:00"
tz = "UTC"
"""
    return "\n".join([top, calendar, *lines, anchors, periods, rest]), rows, keys


def days_in(first, short, gap, is_half, is_ahead):
    """The days of the rows of a source, six a day."""
    start = FIRST + timedelta(days=first)
    count = (LAST - start).days + 1 - short
    found = [start + timedelta(n) for n in range(count) if n % 200 != gap for _ in range(6)]
    return found[: len(found) - 5 * is_half] + [LAST + timedelta(days=120)] * is_ahead


def run(*args):
    """What a command prints, as JSON; its error where it fails."""
    out, err = io.StringIO(), io.StringIO()
    streams = contextlib.redirect_stdout(out), contextlib.redirect_stderr(err)
    with streams[0], streams[1], contextlib.suppress(SystemExit):
        main(args)
    return json.loads(out.getvalue()) if out.getvalue() else err.getvalue()


def days_of(result):
    return [(str(span.start), str(span.end)) for span in result.spans]


def told(spans):
    return [(one["start"] or "None", one["end"] or "None") for one in spans]


def days_of_buckets(told, result):
    """The dates of a period as one row: its ends, where it is one span; its label elsewhere."""
    dates = days_of(result)
    if not dates and "has no dates in the data to count" in told:
        return dates
    if len(dates) != 1:
        return dates if told["label"] == result.label else told["label"]
    return [(told["rows"][0]["start"], told["rows"][0]["end"])]


async def asked(app, path, **params):
    transport = httpx.ASGITransport(app)
    async with httpx.AsyncClient(transport=transport, base_url="http://x") as client:
        return (await client.get(path, params=params)).json()


MOMENTS = one_of("2026-05-20", "2026-05-17", "2026-03-02", "2026-01-01", "2025-12-31", "2027-02-10")


@examples(12)
@given(made_books(), MOMENTS)
def test_a_name_has_the_same_dates_at_every_door(made, today):
    text, rows, keys = made
    with TemporaryDirectory() as folder:
        file = Path(folder) / "book.toml"
        file.write_text(text)
        for name, said in rows.items():
            days = map(str, days_in(*said))
            (file.parent / f"{name}.csv").write_text("\n".join(["day", *days]))
        try:
            book = ulnager.read_book(file)
        except BookError as error:
            assert "speaks of the data" in error.problem
            return
        check_doors(book, file, keys, today)


def check_doors(book, file, keys, today):
    view = book.picker("dates").open(today=today)
    page = book.page("home").open(today=today)
    at = ("--book", str(file), "--today", today, "--json")
    glance = {one["name"]: one["dates"] for one in run("show", *at)["periods"]}
    bounds = run("calendar", "--bounds", *at)
    told_page = run("show", "home", *at)
    service = ulnager.service(file, today=today)
    over_http = {one["name"]: one["dates"] for one in
                 asyncio.run(asked(service, "/api/book"))["periods"]}  # fmt: skip
    read = Checking(str(file), book, Whole({}), date.fromisoformat(today))
    moment = datetime.fromisoformat(f"{today}T07:00+00:00")
    mail = book.schedule("mail").open(moment, today=today)
    source = book.sources[book.page("home").charts[0].source]
    for choice in view.choices:
        key = choice.key
        try:
            result = book.resolve(key, today=today)
        except ResolveError as error:
            # No door has dates where one has none.
            assert choice.resolution is None, (key, error)
            assert "no dates" in glance[key]
            continue
        dates = days_of(result)
        counted = ("buckets", key, "--how", "count")
        found = {
            "period": days_of(book.period(key).resolve(today=today)),
            "picker": days_of(choice.resolution),
            "resolve": told(run("resolve", key, *at)["spans"]),
            "service": told(asyncio.run(asked(service, "/api/resolve", phrase=key))
                            ["resolution"]["spans"]),
            "schedule": days_of(mail.views["dates"].choose(key).resolution),
            "preview": told(run("preview", key, source.name, *at)["spans"]),
            "buckets": days_of_buckets(run(*counted, "--source", source.name, *at), result),
        }  # fmt: skip
        with contextlib.suppress(SettingError):  # A day that no phrase can call over or running.
            found["phrase"] = days_of(book.resolve(f"({key})", today=today))
            said = periods_named(book, key)[""].period
            again = book._resolve_phrase(said, entry=book.period(key), today=today)
            found["rehearse"] = days_of(again)
        checked = read.resolved(book.periods[key])
        if checked is not None:
            found["check"] = days_of(checked)
        assert found == dict.fromkeys(found, dates), (key, Path(file).read_text())
        assert glance[key] == over_http[key] == result.label
        frozen = run("filter", key, "--column", "day", *at)["condition"]
        assert frozen == ulnager.condition(result, "day", literal=True).text
        for row in bounds if isinstance(bounds, list) else ():
            if row["key"] == key and len(dates) == 1 and not result.is_empty:
                assert (row["start"] or "None") == dates[0][0]
        charts = book.page("home").read({"dates": key}, today=today).charts
        limited = source.limit is not None
        if not limited:
            assert days_of(charts["follows"].resolution) == dates
            shifted = result.counterpart(1, "year")
            assert days_of(charts["shifted"].resolution) == days_of(shifted)
            check_rows(book, source, key, result, today)
        if key == keys[-1] and not limited:
            assert days_of(page.charts["pinned"].resolution) == dates
            assert told(told_page["charts"]["pinned"]["dates"]["spans"]) == dates
            values = page.values()["pinned"]
            assert isinstance(values, str) or days_of(values.resolution) == dates


def check_rows(book, source, key, result, today):
    """The rows that are kept frozen, live with the clock set, and by the picker's statement."""
    opened = source.opened()
    expected = opened.kept("day", ulnager.where(result, "day"))[0]
    if "day" not in {name.name for name in opened.columns}:
        return
    entry = book.period(key)
    anchor = entry._measured_from
    if anchor is not None and {one.name for one in anchor.sources} != {source.name}:
        return  # Another table answers for the data.
    settings = {"today": date.fromisoformat(today), "calendar": entry.calendar or book.calendar,
                "calendars": book.calendars, "latest": ("data", "day")}  # fmt: skip
    with contextlib.suppress(FilterError, SettingError):
        live = ulnager.where(entry.anchored, "day", **settings)
        assert opened.kept("day", live)[0] == expected, (key, str(entry.anchored))


def test_the_four_ways_to_say_today(monkeypatch):
    """As text, as a date, as an instant, by the clock; with days that start later."""
    from ulnager.surroundings import Surroundings

    for hour, starts, day in ((2, "04:00", 16), (5, "04:00", 17), (2, "00:00", 17)):
        moment = datetime(2026, 12, 17, hour, 30, tzinfo=UTC)
        phrase = ulnager.period("last 3 days")
        monkeypatch.setattr(
            Surroundings, "present", lambda self, zone, m=moment: m.astimezone(zone or UTC)
        )
        ways = [
            {"today": f"2026-12-{day}"}, {"today": date(2026, 12, day)}, {"today": moment},
            {"now": moment}, {"now": moment.isoformat()}, {},
        ]  # fmt: skip
        found = [phrase.resolve(**way, tz="UTC", day_starts=starts) for way in ways]
        assert {days_of(one)[0] for one in found} == {(f"2026-12-{day - 2}", f"2026-12-{day}")}
        texts = {
            str(ulnager.condition(one, "t", column_type="timestamp").parameters) for one in found
        }
        assert len(texts) == 1
        assert f"{starts.removeprefix('0').split(':')[0]}, 0" in texts.pop()
    for wrong in ("25:99", "4", "04:00:30", "x", 4):
        for way in ({"today": date(2026, 12, 17)}, {"today": "2026-12-17"}, {"now": moment}, {}):
            with pytest.raises(SettingError, match="day_starts"):
                phrase.resolve(**way, day_starts=wrong)
    with pytest.raises(UlnagerError, match="not both"):
        phrase.resolve(today=moment, now=moment)


SOURCE = '[sources.{0}]\nfile = "{0}.csv"\ncolumn = "day"\n'
FOLLOWING = """
[pickers.dates]
choices = ["p"]
[pages.home]
picker = "dates"
[pages.home.charts.one]
source = "a"
[schedules.mail]
page = "home"
every = "FREQ=WEEKLY;BYDAY=MO"
at = "07:00"
tz = "America/Halifax"
"""


@pytest.fixture
def made(tmp_path):
    """Makes a book with the days of its sources."""

    def make(text, **days):
        for name, some in days.items():
            lines = ["day,v", *(f"{day},1" for day in some)]
            (tmp_path / f"{name}.csv").write_text("\n".join(lines))
        (tmp_path / "book.toml").write_text(text)
        return ulnager.read_book(tmp_path / "book.toml")

    return make


def each_day(first, count):
    return [date.fromisoformat(first) + timedelta(n) for n in range(count)]


def test_what_a_profile_begins_is_measured_from_the_data(tmp_path, cli):
    days = each_day("2025-09-01", 259)
    rows = "".join(f"{day},1\n" for day in days for _ in range(4))
    (tmp_path / "sales.csv").write_text(f"day,v\n{rows}")
    file = str(tmp_path / "book.toml")
    at = ("--today", "2026-05-20")
    assert cli("profile", str(tmp_path / "sales.csv"), "--to-book", file, "--year-starts", "04-01",
               "--days-off", "friday", "--holiday", "2026-01-01", *at)[0] == 0  # fmt: skip
    text = Path(file).read_text()
    for line in ('anchor = "load"', 'year_starts = "04-01"', 'days_off = ["friday"]',
                 "holidays = [2026-01-01]", 'sources = ["sales"]'):  # fmt: skip
        assert line in text
    text = text.replace("[pickers.dates]\n", '[periods.p]\nphrase = "last 28 rolling days"\n'
                        '[pickers.dates]\nchoices = ["p"]\n')  # fmt: skip
    Path(file).write_text(text)
    for command in (("show", "home"), ("show",), ("resolve", "p"), ("show", "dates")):
        _, out, _ = cli(*command, "--book", file, *at)
        assert "20 Apr to 17 May 2026" in out, command
    assert "2026-04-20  2026-05-18" in cli("calendar", "--bounds", "--book", file, *at)[1]
    assert cli("check", file, *at)[0] == 0
    assert cli("check", file, *at)[1].strip() == ""


def test_several_sources_are_put_together_so_that_nothing_is_lost(made):
    spring = [*each_day("2026-04-01", 9), date(2026, 5, 20), date(2026, 9, 30)]
    text = (
        SOURCE.format("a")
        + SOURCE.format("c")
        + """
[anchors]
load = {{ point = "latest up to today", sources = {0} }}
[periods.p]
phrase = "last 3 rolling days"
anchor = "load"
"""
    )
    for names in ('["a"]', '["a", "c"]'):
        book = made(text.format(names), a=spring, c=spring)
        assert book.resolve("p", today="2026-05-01").label == "7 to 9 Apr 2026"
    book = made(
        text.format('["a", "c"]'), a=each_day("2026-01-01", 40), c=each_day("2026-03-01", 9)
    )
    with pytest.raises(ResolveError, match="no day in common"):
        book.resolve("p", today="2026-05-01")


def test_the_period_of_a_source_is_of_the_moment(made):
    text = f'{SOURCE.format("a")}period = "this month"\n[periods.p]\nphrase = "this month"\n'
    book = made(text + FOLLOWING, a=each_day("2026-01-01", 300))
    for day, rows in (("2026-03-15", 31), ("2026-02-15", 28)):
        opened = book.page("home").open(today=day)
        assert opened.values()["one"].rows[0].value == rows
    assert book.look("a", book.moment(today="2026-04-09")).first == date(2026, 4, 1)


def test_a_mail_that_was_missed_is_what_it_would_have_been(made, cli, tmp_path):
    text = f"""anchor = "load"
{SOURCE.format("a")}
[anchors]
load = {{ point = "latest whole day", sources = ["a"] }}
[periods.p]
phrase = "last 7 rolling days"
"""
    clock = {"now": "2026-05-20T12:00+00:00"}
    book = made(text + FOLLOWING, a=each_day("2026-01-01", 137))
    mail, found = book.schedule("mail"), []
    for day in ("02", "09", "16"):
        opened = mail.open(f"2026-03-{day}T07:00-03:00", **clock)
        span = opened.charts["one"].resolution.spans[0]
        found.append((span.start, span.end, opened.values()["one"].rows[0].value))
        assert "reconstructed" in mail.to_dict(f"2026-03-{day}T07:00-03:00", **clock)["notes"][0]
        file = tmp_path / f"{day}.html"
        show = ("show", "mail", "--book", str(book.file), "--to", str(file), "--now")
        _, out, err = cli(*show, clock["now"], "--moment", f"2026-03-{day}")
        assert (f"2026-03-{day} 07:00" in out, "reconstructed" in err) == (True, True)
        assert opened.charts["one"].resolution.label in file.read_text()
        _, _, err = cli(*show, f"2026-03-{day}T22:00+00:00", "--replace")
        assert f"--moment 2026-03-{day} writes what went out then" in err
    # Week after week, without a gap and without an overlap.
    assert [str(one[1]) for one in found] == ["2026-03-01", "2026-03-08", "2026-03-15"]
    assert all(later[0] - one[1] == timedelta(1) for one, later in pairwise(found))
    assert [one[2] for one in found] == [7, 7, 7]
    to_come = mail.to_dict("2026-06-01T07:00-03:00", **clock)
    assert to_come["notes"] == ["as the data stands"]
    # A plain day cuts nothing, nor does data that is given, nor is a source cut that runs ahead.
    assert book.page("home").open(today="2026-03-09").charts["one"].resolution.end == date(
        2026, 5, 17
    )
    given_data = mail.open("2026-03-02T07:00-03:00", (date(2026, 1, 1), date(2026, 2, 1)), **clock)
    assert given_data.moment.up_to is None
    ahead = made(text + FOLLOWING, a=each_day("2026-01-01", 200)).schedule("mail")
    opened = ahead.open("2026-03-02T07:00-03:00", **clock)
    assert opened.charts["one"].resolution.end == date(2026, 7, 19)
    late = text.replace('column = "day"', 'column = "day"\nloaded = "3 days later"')
    opened = made(late + FOLLOWING, a=each_day("2026-01-01", 137)).schedule("mail").open(
        "2026-03-02T07:00-03:00", **clock)  # fmt: skip
    assert opened.charts["one"].resolution.end == date(2026, 2, 26)


def test_moments_of_a_schedule_around_changes_of_clocks(made):
    text = f'{SOURCE.format("a")}[periods.p]\nphrase = "yesterday"\n{FOLLOWING}'
    for at, now, moments in (
        ("01:30", "2026-11-01T05:00+00:00", "2026-11-02 01:30:00-04:00, 2026-11-03 01:30:00-04:00"),
        ("02:30", "2026-03-07T12:00+00:00", "2026-03-08 03:30:00-03:00, 2026-03-09 02:30:00-03:00"),
    ):
        daily = text.replace("FREQ=WEEKLY;BYDAY=MO", "FREQ=DAILY").replace("07:00", at)
        mail = made(daily, a=each_day("2026-01-01", 9)).schedule("mail")
        assert ", ".join(map(str, mail.moments(now, 2))) == moments
        moment = datetime.fromisoformat(now)
        for _ in range(60):  # Always later, day after day.
            later = mail.next(moment)
            assert (
                timedelta(0) < later.astimezone(UTC) - moment.astimezone(UTC) < timedelta(hours=26)
            )
            moment = later
    for every in ("FREQ=WEEKLY", "FREQ=DAILY;COUNT=3", "FREQ=DAILY;UNTIL=20260101"):
        rule = text.replace("FREQ=WEEKLY;BYDAY=MO", every)
        with pytest.raises(BookError, match="starts = 2026-01-05"):
            made(rule, a=each_day("2026-01-01", 9))
        over = rule.replace(f'every = "{every}"', f'every = "{every}"\nstarts = 2025-01-06')
        assert bool(made(over, a=each_day("2026-01-01", 9)).schedule("mail").next(
            "2026-05-20T00:00+00:00")) == ("WEEKLY" in every)  # fmt: skip


WRONG = {
    "anchors.x: 'latest' speaks of the data": '[anchors]\nx = "latest"\n' + SOURCE.format("c"),
    "a page has no anchor": '[anchors]\nx = "today"\n[pages.home]\nanchor = "x"\n',
    "no say over 'p'": '[anchors]\nx = "latest"\n[periods.p]\nphrase = "last 3 days"\n'
                       '[pickers.dates]\nchoices = ["p"]\nanchor = "x"\n',
    "nobody says which": SOURCE.format("c") + '[periods.p]\nphrase = "month of latest"\n'
                         '[pickers.dates]\nchoices = ["p"]\n',
    "says no time": 'loaded = "soon"\n',
}  # fmt: skip


@pytest.mark.parametrize("told", WRONG)
def test_a_book_that_would_change_its_dates_in_silence_is_refused(made, told):
    with pytest.raises(BookError, match=told) as error:
        made(
            SOURCE.format("a") + WRONG[told],
            a=each_day("2026-01-01", 9),
            c=each_day("2026-01-01", 9),
        )
    assert error.value.fix or "write '3 days" in error.value.problem
    if "no say" in told:
        assert 'anchor = "x"' in error.value.fix
        top = 'anchor = "x"\n' + SOURCE.format("a") + WRONG[told]
        assert made(top, a=each_day("2026-01-01", 9)).picker("dates").open().resolution.end == date(
            2026, 1, 9)  # fmt: skip


def test_live_latest_knows_the_unit_and_the_start_of_days(tmp_path):
    months = [date(2025 + n // 12, n % 12 + 1, 1) for n in range(16)]
    (tmp_path / "m.csv").write_text("\n".join(["d,v", *(f"{day},1" for day in months)]))
    source = ulnager.open_source(tmp_path / "m.csv")
    grain = source.grain(source.column("d"))
    for phrase in ("last 3 whole months as of latest", "this month as of latest",
                   "last 3 whole months as of latest up to 2026-02-15"):  # fmt: skip
        frozen = ulnager.period(phrase).resolve(today="2026-05-20", data=source.extent("d"))
        settings = {"grain": grain, "rounding": "outward"}
        live = ulnager.where(phrase, "d", latest=("data", "d"), today=date(2026, 5, 20),
                                  **settings)  # fmt: skip
        fixed = ulnager.where(frozen, "d", **settings)
        assert source.kept("d", live) == source.kept("d", fixed), phrase
    for held in ("yyyymmdd", "epoch-seconds", "yyyymm", "iso-text"):
        with pytest.raises(FilterError, match=r"found in dates or times|needs tz|day of"):
            ulnager.where("last 3 days as of latest", "k", column_type=held, tz="UTC",
                               latest=("t", "k"))  # fmt: skip


def test_days_that_start_later_hold_for_latest_and_for_ages(tmp_path):
    rows = ["at,until", "2026-05-16 05:00:00,2026-05-18 03:00:00", "2026-05-17 02:00:00,"]
    (tmp_path / "t.csv").write_text("\n".join(rows))
    source = ulnager.open_source(tmp_path / "t.csv")
    assert source.extent("at").last == date(2026, 5, 17)
    assert source.starting("04:00").extent("at").last == date(2026, 5, 16)
    source.starting("00:00")
    when = {"today": "2026-05-20", "day_starts": "04:00"}
    found = ulnager.ages(source, "at", "until", **when)
    assert [(row.age, row.open, row.closed) for row in found.rows] == [(1, 0, 1), (4, 1, 0)]
    assert source.extent("at").last == date(2026, 5, 17)  # The source itself stays as it was.
    frame = pytest.importorskip("polars").read_csv(tmp_path / "t.csv", try_parse_dates=True)
    assert ulnager.with_ages(frame, "at", "until", **when)["age"].to_list() == [1, 4]
    text = sql_text(ulnager.age("at", "until", column_type="timestamp", **when), "duckdb")
    assert sorted(source.fetched(f"SELECT {text} FROM data")) == [(1,), (4,)]
