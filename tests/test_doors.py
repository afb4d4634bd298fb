"""The law of the doors: a name of a book has the same dates wherever it is asked for."""

import asyncio
import contextlib
import io
import json
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager import BookError, FilterError, ResolveError, SettingError, UlnagerError
from ulnager.checking.inspection import Checking
from ulnager.cli.main import main

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
    read = Checking(str(file), book, {}, "", date.fromisoformat(today))
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
        found = {
            "period": days_of(book.period(key).resolve(today=today)),
            "picker": days_of(choice.resolution),
            "resolve": told(run("resolve", key, *at)["spans"]),
            "service": told(asyncio.run(asked(service, "/api/resolve", phrase=key))
                            ["resolution"]["spans"]),
            "schedule": days_of(mail.views["dates"].choose(key).resolution),
            "preview": told(run("preview", key, source.name, *at)["spans"]),
        }  # fmt: skip
        with contextlib.suppress(SettingError):  # A day that no phrase can call over or running.
            found["phrase"] = days_of(book.resolve(f"({key})", today=today))
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
    anchor = entry.measured_from
    if anchor is not None and {one.name for one in anchor.sources} != {source.name}:
        return  # Another table answers for the data.
    settings = {"today": date.fromisoformat(today), "calendar": entry.calendar or book.calendar,
                "calendars": book.calendars, "latest": ("data", "day")}  # fmt: skip
    with contextlib.suppress(FilterError, SettingError):
        live = ulnager.live_where(entry.anchored, "day", **settings)
        assert opened.kept("day", live)[0] == expected, (key, str(entry.anchored))


def test_the_four_ways_to_say_today(monkeypatch):
    """As text, as a date, as an instant, by the clock; with days that start later."""
    from ulnager.core.periods import clock

    for hour, starts, day in ((2, "04:00", 16), (5, "04:00", 17), (2, "00:00", 17)):
        moment = datetime(2026, 12, 17, hour, 30, tzinfo=UTC)
        phrase = ulnager.period("last 3 days")
        monkeypatch.setattr(clock, "_readers", [lambda zone, m=moment: m.astimezone(zone or UTC)])
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
