"""Totals, comparisons, running measures, walks and ages, beside pandas and single resolutions."""

import json
import os
import re
from collections import Counter
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

import duckdb
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy.dialects import mysql, postgresql

import ulnager
from ulnager import (
    GREGORIAN,
    BusinessDays,
    MonthCalendar,
    SettingError,
    WeekCalendar,
    ages,
    period,
    running,
    totals,
)
from ulnager.filters.sql_text import sql_text
from ulnager.numbers.ages import Aging
from ulnager.sources.database_source import TableSource
from ulnager.sources.duckdb_source import EmbeddedSource
from ulnager.sources.frame_sources import SparkSource

from engines import CALENDARS as ENGINE_CALENDARS
from engines import ENGINES, REQUIRED, URLS, engine_named, rows
from strategies import examples

TODAY, FIRST = date(2026, 5, 20), date(2024, 11, 4)
CALENDARS = st.sampled_from([None, MonthCalendar("10-01", "sunday"),
                             WeekCalendar("4-4-5", "saturday", "september")])  # fmt: skip


def made():
    rows = []
    for n in range(560):
        day = FIRST + timedelta(n)
        if n % 17 and day <= date(2026, 5, 17):
            at = datetime.combine(day, time(), UTC)
            rows += [
                (day, "abcd"[k % 4], (n * 7 + k * 3) % 40 - 5, Decimal(n * 13 + k) / 100,
                 at + timedelta(minutes=(n * 611 + k * 397) % 1440))
                for k in range(n % 5)
            ]  # fmt: skip
    return pd.DataFrame(rows, columns=["day", "route", "n", "fare", "at"])


FRAME = made()


@pytest.fixture(scope="module")
def places(tmp_path_factory):
    """The same rows as a frame, in files, in databases and in Spark, by their names."""
    folder = tmp_path_factory.mktemp("numbers")
    FRAME.drop(columns="at").to_csv(folder / "rows.csv", index=False)
    table = pa.Table.from_pandas(FRAME, schema=SCHEMA, preserve_index=False)
    pq.write_table(table, folder / "rows.parquet")
    found = {"csv": folder / "rows.csv", "parquet": folder / "rows.parquet", "pandas": FRAME,
             "polars": pl.from_pandas(FRAME).lazy(), "pyarrow": table}  # fmt: skip
    types = {"day": sa.Date, "route": sa.String(4), "n": sa.Integer, "fare": sa.Numeric(10, 2),
             "at": sa.DateTime(timezone=True)}  # fmt: skip
    rows = FRAME.to_dict("records")
    dropped = []
    for name in ("sqlite", "postgresql", "mariadb"):
        url = f"sqlite:///{folder / 'rows.db'}" if name == "sqlite" else URLS[name]
        made = sa.Table(
            f"ulnager_numbers_{os.getpid()}",
            sa.MetaData(),
            *(sa.Column(*one) for one in types.items()),
        )
        engine = sa.create_engine(url)
        try:
            made.create(engine)
        except sa.exc.OperationalError:
            assert name not in REQUIRED, f"{name} is required, and not there"
            continue
        with engine.begin() as connection:
            at = [row["at"].to_pydatetime() for row in rows]
            if name != "postgresql":
                at = [one.replace(tzinfo=None) for one in at]
            connection.execute(made.insert(), [{**row, "at": one} for row, one in
                                               zip(rows, at, strict=True)])  # fmt: skip
        found[name] = (url, made.name)
        dropped.append((made, engine))
    try:
        session = engine_named("spark").session
        found["spark"] = session.read.parquet(str(folder / "rows.parquet")).cache()
    except pytest.skip.Exception:
        assert "spark" not in REQUIRED
    yield found
    for made, engine in dropped:
        made.drop(engine)
        engine.dispose()


SCHEMA = pa.schema([("day", pa.date32()), ("route", pa.string()), ("n", pa.int32()),
                    ("fare", pa.decimal128(10, 2)), ("at", pa.timestamp("us", "UTC"))])  # fmt: skip
SLOW = ("spark",)


MEASURES = {
    "count": len,
    "sum": sum,
    "mean": lambda values: sum(values) / len(values) if values else None,
    "min": lambda values: min(values, default=None),
    "max": lambda values: max(values, default=None),
}


def by_hand(ranges, how, route=None, value="n", days=None):
    days = FRAME["day"] if days is None else days
    inside = pd.Series(False, index=FRAME.index)
    for first, last in ranges:
        inside |= (days >= first) & (days <= last)
    if route is not None:
        inside &= FRAME["route"] == route
    return MEASURES[how](FRAME[inside][value].tolist())


def alike(value, wanted, how):
    """The same to the last digit, but for means, which are quotients."""
    is_mean = how == "mean" and wanted is not None
    return value == (pytest.approx(float(wanted)) if is_mean else wanted)


@examples(8)
@given(st.sampled_from(["last 5 whole weeks", "last 4 months to date as of latest", "this quarter",
                        "last 40 days only weekdays", "year to date", "2025-02-27/2025-03-02"]),
       st.sampled_from(["day", "week", "month"]), st.sampled_from(sorted(MEASURES)), CALENDARS,
       st.booleans(), st.sampled_from(["n", "fare"]))  # fmt: skip
def test_totals_are_those_of_pandas_everywhere(places, phrase, by, how, calendar, split, value):
    found = {}
    for name, place in places.items():
        if name in SLOW and by == "day":
            continue
        told = totals(place, phrase, value=value, how=how, by=by, today=TODAY, calendar=calendar,
                      split="route" if split else None, column="day")  # fmt: skip
        found[name] = [(r.bucket, r.split, r.value, r.share) for r in told.rows]
    if value == "fare":  # Neither has exact decimals.
        del found["csv"], found["sqlite"]
    first = found["parquet"]
    assert all(one == first for one in found.values()), [n for n, o in found.items() if o != first]
    result = period(phrase).resolve(today=TODAY, calendar=calendar, data=(FIRST, date(2026, 5, 17)))
    buckets = result.buckets(by)
    for bucket, route, told, _ in first:
        ranges = [(span.start, span.end) for span in bucket.spans]
        assert alike(told, by_hand(ranges, how, route, value), how)
    assert list(dict.fromkeys(b.unit_start for b, *_ in first)) == [b.unit_start for b in buckets]


@examples(5)
@given(st.sampled_from(["America/Halifax", "Asia/Kathmandu", "Europe/London", "UTC"]),
       st.sampled_from(["month", "day", "hour"]), st.sampled_from(["sum", "mean", "count"]),
       st.sampled_from(["00:00", "04:00", "05:30", "01:10"]))  # fmt: skip
def test_instants_are_laid_onto_local_days(places, zone, by, how, starts):
    phrase = "2025-10/2026-01" if by == "month" else "2025-11-01/2025-11-03"
    local = FRAME["at"].dt.tz_convert(zone).dt.tz_localize(None) - pd.Timedelta(f"{starts}:00")
    for name, place in places.items():
        if name == "csv" or (zone != "UTC" and name in ("sqlite", "mariadb")):
            continue
        column, tz = "at", zone
        if name in ("sqlite", "mariadb"):  # Their times have no zone.
            tz = None
        told = totals(place, phrase, column=column, value="n", how=how, by=by, tz=tz, today=TODAY,
                      day_starts=starts)  # fmt: skip
        for row in told.rows:
            if by != "hour":
                wanted = by_hand([(row.bucket.start, row.bucket.end)], how, days=local.dt.date)
            else:
                start, stop = (pd.Timestamp(one) for one in (row.bucket.start, row.bucket.stop))
                at = FRAME["at"] if start.tzinfo else FRAME["at"].dt.tz_localize(None)
                wanted = MEASURES[how](FRAME[(at >= start) & (at < stop)]["n"].tolist())
            assert alike(row.value, wanted, how), (name, row.bucket.label)
        if by == "hour" and zone == "America/Halifax":
            twice = [one for row in told.rows if len(one := row.bucket.label) > 16]
            assert twice == [f"2025-11-02 01:00 -0{n}:00" for n in (3, 4)] * (tz is not None)
        if by == "hour" and zone == "America/Halifax" and starts == "00:00":
            assert len(told.rows) == 73  # The clocks go back on the second day.


def test_only_totals_travel(places, monkeypatch):
    crossed = []
    for kind in (EmbeddedSource, TableSource, SparkSource):
        run = kind.run
        monkeypatch.setattr(kind, "run", lambda self, asked, run=run: crossed.append(
            len(found := run(self, asked))) or found)  # fmt: skip
    days = FRAME["day"].nunique()
    for name, place in places.items():
        crossed.clear()
        totals(
            place, "2025", value="n", by="week", column="day", beside="1 year earlier", today=TODAY
        )
        assert max(crossed) <= days < len(FRAME), name
        # SQLite's dates are text, whose first two hundred are read to know how they are written.
        assert sum(crossed) <= days + 10 + 200 * (name == "sqlite"), name
        crossed.clear()
        told = running(place, "last 7 rolling days", over="2025-03", value="n", column="day",
                       split="route", today=TODAY)  # fmt: skip
        assert len(told.rows) == 31 * 4
        assert crossed[-1] <= 37 * 4, name
    if "spark" in places:
        source = SparkSource(places["spark"])
        asked = sa.select(source.rows.c["day"], sa.func.sum(source.rows.c["n"]))
        plan = source.plan(asked.select_from(source.rows).group_by(source.rows.c["day"]))
        assert "HashAggregate" in plan
        assert "partial_sum" in plan


PAGE = """
[sources.rows]
file = "rows.parquet"
column = "day"
[periods]
recent = "last 30 rolling days"
month = "month to date"
[pickers.dates]
choices = ["month", "recent"]
opens = "recent"
[pages.home]
picker = "dates"
[pages.home.charts]
all = { source = "rows" }
weeks = { source = "rows", by = "week", value = "n", beside = "1 year earlier" }
routes = { source = "rows", by = "week", value = "n", split = "route", top = 2 }
some = { source = "rows", by = "week", value = "n", where = { route = ["a", "b"] } }
line = { source = "rows", by = "day", value = "fare", running = "last 7 rolling days" }
mean = { source = "rows", value = "fare", how = "mean", period = "2025" }
usual = { source = "rows", value = "n", how = "median", by = "week" }
kinds = { source = "rows", value = "n", how = "distinct", by = "week" }
"""


def test_charts_of_a_page_share_their_questions(places, tmp_path, monkeypatch):
    (tmp_path / "rows.parquet").write_bytes(places["parquet"].read_bytes())
    (tmp_path / "book.toml").write_text(PAGE)
    page = ulnager.read_book(tmp_path / "book.toml").page("home").open(today=TODAY)
    asked = []
    run = EmbeddedSource.run
    monkeypatch.setattr(EmbeddedSource, "run", lambda self, q: asked.append(q) or run(self, q))
    values = page.values()
    assert not any(isinstance(one, str) for one in values.values()), values
    # The days, in all (with what dates there are), by route and of some; median with distinct.
    assert sum("GROUP BY" in str(one) for one in asked) == 4
    monkeypatch.undo()
    given = {"column": "day", "data": page.charts["all"].extent}
    for key, chart in page.charts.items():
        drawn = dict(chart.chart.drawn)
        if phrase := drawn.pop("running", None):
            alone = running(places["parquet"], phrase, over=chart.resolution, **drawn, **given)
        else:
            alone = totals(places["parquet"], chart.resolution, by=chart.by, **drawn, **given)
        assert values[key].to_dict()["rows"] == alone.to_dict()["rows"], key


def test_what_stands_beside_a_bucket(places):
    def pairs(phrase, by, beside, **more):
        told = totals(
            places["parquet"], phrase, by=by, beside=beside, today=TODAY, column="day", **more
        )
        return [(str(r.bucket.unit_start), r.beside_bucket and str(r.beside_bucket.start))
                for r in told.rows], told  # fmt: skip

    weeks, told = pairs("2026-05-04/2026-05-20", "week", "1 year earlier")
    assert weeks == [("2026-05-04", "2025-05-05"), ("2026-05-11", "2025-05-12"),
                     ("2026-05-18", "2025-05-19")]  # fmt: skip
    last = told.rows[2]
    assert last.beside == by_hand([], "count")  # The data ends before that week begins.
    assert told.rows[0].change == told.rows[0].value - told.rows[0].beside
    days, told = pairs("2028-02-28/2028-03-01", "day", "1 year earlier")
    assert days == [
        ("2028-02-28", "2027-02-28"),
        ("2028-02-29", None),
        ("2028-03-01", "2027-03-01"),
    ]
    assert "has no partner" in told.notes[0]
    months, told = pairs("last 2 months to date as of latest", "month", "1 year earlier")
    cut = told.rows[1]
    assert cut.beside == by_hand([(date(2025, 5, 1), date(2025, 5, 17))], "count")
    assert months[1] == ("2026-05-01", "2025-05-01")
    other, told = pairs("2026-02/2026-03", "month", "2025-11/2026-01")
    assert other == [("2026-02-01", "2025-11-01"), ("2026-03-01", "2025-12-01")]
    assert told.notes == ("nothing is beside Jan 2026",)
    with pytest.raises(SettingError, match="its own partner"):
        pairs("2026-02/2026-03", "month", "2 weeks earlier")


def test_rows_without_a_date_are_counted_apart():
    frame = pl.DataFrame({"day": [date(2026, 3, 1), None], "n": [1, 2]})
    for by in ("day", None):
        told = totals(frame, "2026-03", value="n", by=by, today=TODAY)
        assert (told.rows[0].value, told.nulls) == (1, 1)


def test_what_is_left_out_and_split(places):
    told = totals(places["csv"], "2026-03", value="n", by="week", split="route", top=2, today=TODAY)
    first = [row for row in told.rows if row.bucket == told.rows[0].bucket]
    assert [row.other for row in first] == [False, False, True]
    march = (date(2026, 3, 1), date(2026, 3, 31))
    assert sum(row.value for row in told.rows) == by_hand([march], "sum")
    assert told.before == sum(FRAME["day"] < march[0])
    assert (told.after, told.nulls) == (sum(FRAME["day"] > march[1]), 0)
    assert list(told.to_frame("pandas").columns) == list(told.to_dict()["rows"][0])
    exact = totals(places["parquet"], "2026-03", value="n", how="median", column="day", today=TODAY)
    inside = FRAME[(FRAME["day"] >= march[0]) & (FRAME["day"] <= march[1])]
    assert exact.rows[0].value == inside["n"].median()
    some = totals(
        places["pandas"], "2026-03", where={"route": ["a", "b"]}, column="day", today=TODAY
    )
    assert some.rows[0].value == by_hand([march], "count", "a") + by_hand([march], "count", "b")
    empty = totals(places["csv"], "2026-06", value="n", by="month", today=TODAY)
    assert (empty.rows[0].value, empty.rows[0].bucket.is_whole) == (0, False)


@pytest.mark.parametrize(("wrong", "told"), [
    ({"how": "sum"}, "of what"), ({"how": "avg", "value": "n"}, "no measure"), ({"top": 3}, "top"),
    ({"value": "m"}, "no column 'm'"), ({"split": "x"}, "no column 'x'"),
    ({"value": "n", "how": "median", "split": "route", "top": 1}, "leave top out"),
    ({"by": "day", "max_buckets": 9}, "by week there are"), ({"by": "aeon"}, "no unit"),
])  # fmt: skip
def test_totals_that_cannot_be(places, wrong, told):
    with pytest.raises(SettingError, match=told):
        totals(places["csv"], "2026-03", today=TODAY, **wrong)


@examples(15)
@given(st.sampled_from(["last 7 rolling days", "month to date", "last 2 whole weeks",
                        "last 5 business days", "this month", "last 3 whole months"]),
       st.sampled_from(["sum", "mean", "count", "max"]), CALENDARS)  # fmt: skip
def test_a_running_measure_is_the_total_as_of_each_day(places, phrase, how, calendar):
    told = running(places["parquet"], phrase, over="2026-05-01/2026-05-19", column="day",
                   value="n", how=how, today=TODAY, calendar=calendar)  # fmt: skip
    assert [row.day for row in told.rows] == [date(2026, 5, n) for n in range(1, 20)]
    for row in told.rows[::6]:
        result = period(phrase).resolve(today=TODAY, as_of=row.day, calendar=calendar)
        wanted = by_hand([(span.start, span.end) for span in result.spans], how)
        assert row.value == (pytest.approx(wanted) if how == "mean" else wanted)
    if phrase == "last 7 rolling days":
        assert "past the data" in " ".join(told.rows[-1].reasons)


def test_running_measures_divided_and_refused(places):
    line = running(places["csv"], "last 7 rolling days", over="2026-03-02/2026-03-03", value="n",
                   per="business day", today=TODAY)  # fmt: skip
    window = [(date(2026, 2, 24), date(2026, 3, 2))]
    assert line.rows[0].value == by_hand(window, "sum") / 5
    with pytest.raises(SettingError, match="anchor of its own"):
        running(places["csv"], "month to date as of latest", over="2026-03", today=TODAY)


@examples(60)
@given(st.dates(date(2025, 1, 1), date(2026, 5, 20)), st.integers(-40, 500), CALENDARS,
       st.sampled_from(["day", "week", "month", "quarter", "business day"]))  # fmt: skip
def test_an_age_is_the_largest_that_is_kept(since, after, calendar, unit):
    until = since + timedelta(after) if after < 400 else None
    frame = pd.DataFrame({"since": [since], "until": [until]})
    frame["until"] = pd.to_datetime(frame["until"])
    told = ages(frame, "since", "until", unit=unit, today=TODAY, calendar=calendar)
    if after < 0:
        assert (told.reversed, told.rows) == (1, ())
        return
    (row,) = told.rows
    is_open = until is None or until > TODAY
    assert (row.open, row.closed) == (int(is_open), int(not is_open))
    end = TODAY if is_open else until
    for count, kept in ((row.age, True), (row.age + 1, False)):
        if count:
            said = period(f"at least {count} {unit}s ago")
            result = said.resolve(as_of=end, calendar=calendar)
            assert result.contains(since) is kept


def test_a_walk_is_counted_from_its_first_day():
    steps = list(period("last 2 rolling days").walk("1 month", "2026-01-31", "2026-05-01"))
    assert [str(one.end) for one in steps] == [
        "2026-01-31",
        "2026-02-28",
        "2026-03-31",
        "2026-04-30",
    ]
    back = period("this week").walk(
        "-1 week", "latest", "2026-05-01", data=("2026-01-01", "2026-05-17")
    )
    assert [str(one.start) for one in back] == ["2026-05-11", "2026-05-04", "2026-04-27"]
    past = list(period("next 3 rolling days").walk("1 day", "2026-05-16", "latest", today=TODAY,
                                                   data=("2026-01-01", "2026-05-17")))  # fmt: skip
    assert "runs past the data" in past[-1].notes[-1]
    with pytest.raises(SettingError, match="does not move"):
        period("2026-03").walk("1 week", "2026-01-01", "2026-02-01")
    with pytest.raises(SettingError, match="step is"):
        period("this week").walk("often", "2026-01-01", "2026-02-01")
    endless = period("this week").walk("1 day", "2026-01-01", "9999-12-31")
    assert [str(next(endless).start) for _ in range(2)] == ["2025-12-29", "2025-12-29"]
    assert isinstance(
        ulnager.totals(FRAME.head(3), "2024-11", column="day", today=TODAY).rows, tuple
    )


def test_the_commands_that_measure(cli, tmp_path):
    base = ["--source", "demo:sailings", "--today", "2026-05-20", "--value", "passengers"]
    code, out, _ = cli("buckets", "last 2 months to date as of latest", "--by", "month", *base,
                       "--beside", "1 year earlier", "--where", "route=Alder Point",
                       "--json")  # fmt: skip
    rows = json.loads(out)["rows"]
    assert (code, [row["label"] for row in rows]) == (0, ["Apr 2026", "May 2026"])
    assert [row["beside_start"] for row in rows] == ["2025-04-01", "2025-05-01"]
    code, out, _ = cli("running", "last 7 rolling days", "--over", "2026-04-01/2026-04-02", *base)
    assert (code, out.split()[5:7]) == (0, ["2026-04-01", "2,102"])
    code, out, _ = cli("ages", "demo:work_orders", "--since", "raised_on", "--until", "closed_on",
                       "--unit", "business day", "--today", "2026-05-20", "--json")  # fmt: skip
    told = json.loads(out)
    assert (code, told["open"], sum(row["open"] for row in told["rows"])) == (0, 24, 24)
    folder, month = tmp_path, ["buckets", "last 3 months to date as of latest", "--by"]
    drawn = [
        [*month, "month", *base, "--beside", "1 year earlier", "--picture", "b.png"],
        [*month, "week", *base, "--split", "route", "--top", "2", "--picture", "s.svg"],
        [*month, "day", *base, "--layout", "calendar", "--picture", "c.png", "--size", "400"],
        ["buckets", "2026-05-16", "--by", "hour", "--source", "demo:gate_scans", "--tz", "UTC",
         "--picture", "h.png"],
        ["running", "last 7 rolling days", "--over", "2023-10", *base, "--picture", "r.pdf"],
        ["draw", "last 30 rolling days", "--step", "2 months", *base, "--to", "w.png"],
        ["draw", "this week", "--step", "-1 year", "--first", "latest", "--last", "earliest", *base,
         "--to", "w.gif", "--size", "400x400"],
        ["ages", "demo:work_orders", "--since", "raised_on", "--until", "closed_on", "--rows", "3",
         "--picture", "a.png", "--write", "ages.csv", "--today", "2026-05-20"],
    ]  # fmt: skip
    for words in drawn:
        words = [str(folder / word) if word[-4:-3] == "." else word for word in words]
        code, out, err = cli(*words)
        assert (code, "drawn into" in err) == (0, True), err
    begins = {"b.png": b"\x89PNG", "s.svg": b"<?xml", "r.pdf": b"%PDF", "w.gif": b"GIF89a"}
    assert all((folder / name).read_bytes().startswith(sign) for name, sign in begins.items())
    assert len((folder / "ages.csv").read_text().splitlines()) == 1 + 337
    code, out, _ = cli("ages", "x", "--since", "d", "--unit", "month", "--for", "postgresql")
    assert (code, "CURRENT_DATE" in out or "current_date" in out) == (0, True)
    for wrong in (
        ["buckets", "2026-03", "--by", "week", "--value", "n"],
        ["buckets", "2026-03", "--by", "week", "--size", "400"],
        ["buckets", "2026-03", "--by", "day", *base, "--picture", "x.png", "--size", "big"],
        ["buckets", "2026-03", "--by", "week", *base, "--picture", "x.png", "--layout", "calendar"],
        ["draw", "2026-03", "--step", "1 week", *base, "--to", "x.png"],
        ["draw", "this week", "today", "--step", "1 week", *base, "--to", "x.png"],
        ["draw", "this week", "--first", "latest", "--to", "x.png"],
        ["draw", "this week", "--step", "1 day", *base, "--to", "x.png"],
        ["running", "today", "--over", "2026-03", "--how", "sum"],
        ["ages", "demo:work_orders", "--since", "raised_on", "--where", "x"],
        ["ages", "demo:work_orders", "--since", "raised_on", "--unit", "business day", "--for",
         "sqlite"],
    ):  # fmt: skip
        assert cli(*wrong)[0] == 2, wrong


@pytest.mark.parametrize("name", ENGINES)
def test_ages_in_sql_are_those_of_python(name):
    engine = engine_named(name)
    held = [row for row in rows() if row["id"] % 37 == 0]
    to, calendar = date(2026, 5, 29), ENGINE_CALENDARS["harbour"]
    units = ["day", "week", "month", "quarter", "year", "business day"]
    pairs = ((("d", "a"), "date"), (("a",), "date"), (("t", "d"), "timestamp"))
    table = engine.with_table("harbour")
    written = [
        sql_text(ulnager.age(*pair, unit=unit, as_of=to, calendar=calendar,
                                     date_table=table, column_type=held_as), name)
        for unit in units for pair, held_as in pairs
    ]  # fmt: skip
    if name == "datafusion":
        written = written[:-3]  # It plans no lookup for each row.
    told = engine.values(["id", *written], "id % 37 = 0")
    assert [int(row[0]) for row in told] == [row["id"] for row in held]
    for place, unit in enumerate(units[: len(written) // 3]):
        aging = Aging(calendar, calendar.unit_named(unit), to)
        for row, found in zip(held, told, strict=True):
            ends = ((row["d"], row["a"]), (row["a"], None), (row["d"], row["d"]))
            for number, pair in enumerate(ends):
                value, wanted = found[1 + 3 * place + number], aging.of(*pair)[1]
                known = [day for day in pair if day is not None]
                if unit == "business day" and known and min(known) < date(2011, 1, 1):
                    wanted = None  # Before the date table begins.
                assert (None if value is None else int(value)) == wanted, (unit, pair)


@examples(20)
@given(st.lists(st.tuples(st.dates(date(2025, 1, 1), TODAY) | st.none(),
                          st.dates(date(2025, 1, 1), date(2026, 8, 1)) | st.none()), min_size=1),
       st.sampled_from(["day", "business day", "month"]))  # fmt: skip
def test_ages_as_a_column_and_as_rows(pairs, unit):
    frame = pd.DataFrame(pairs, columns=["since", "until"]).astype("datetime64[us]")
    wanted = [Aging(GREGORIAN, GREGORIAN.unit_named(unit), TODAY).of(*pair)[1] for pair in pairs]
    for made in (frame, pl.from_pandas(frame), pl.from_pandas(frame).lazy()):
        told = ulnager.with_ages(made, "since", "until", unit=unit, today=TODAY)["age"]
        assert [None if one is None or one is pd.NA else one for one in told.to_list()] == wanted
    if unit != "business day":
        held = duckdb.from_df(frame)
        told = ulnager.with_ages(held, "since", "until", unit=unit, today=TODAY)
        assert Counter(row[-1] for row in told.fetchall()) == Counter(wanted)
    found = ages(frame, "since", "until", unit=unit, today=TODAY)
    oldest = [row[-1] for row in found.oldest(3)]
    assert oldest == sorted((one for one in wanted if one is not None), reverse=True)[:3]


DAYS = pd.DataFrame({"day": pd.date_range("2016-01-01", "2028-12-31")})
RETAIL = WeekCalendar("4-5-4", "saturday", "january")  # Its year to 2026-01-31 has 53 weeks.
HOLIDAYS = MonthCalendar(business=BusinessDays(holidays=[date(2025, 4, 21), date(2026, 4, 6)]))


@pytest.mark.parametrize(("phrase", "by", "beside", "today", "calendar", "wanted", "note"), [
    # Unfinished: the days at the same places, as many as there are.
    ("this month", "month", "1 year earlier", "2026-05-20", None, ["2025-05-01 20"], None),
    ("2026-05", "quarter", "1 year earlier", "2026-05-20", None, ["2025-04-01 20"], None),
    ("last 2 weeks to date", "week", "1 year earlier", "2026-05-20", None,
     ["2025-05-12 7", "2025-05-19 3"], None),
    # Months of unequal length, whole and not.
    ("2026-03-01/2026-03-30", "month", "1 month earlier", "2026-05-20", None,
     ["2026-02-01 28"], None),
    ("2026-02", "month", "1 month earlier", "2026-05-20", None, ["2026-01-01 31"], None),
    ("2026-01/2026-03", "month", "1 quarter earlier", "2026-05-20", None,
     ["2025-10-01 31", "2025-11-01 30", "2025-12-01 31"], None),
    # Leap days.
    ("last 2 months to date", "month", "1 year earlier", "2024-02-29", None,
     ["2023-01-01 31", "2023-02-01 28"], None),
    ("2024-02-28/2024-03-01", "day", "1 year earlier", "2026-05-20", None,
     ["2023-02-28 1", None, "2023-03-01 1"], "2024-02-29 has no partner"),
    ("2025-02-28/2025-03-01", "day", "1 year earlier", "2026-05-20", None,
     ["2024-02-28 1", "2024-03-01 1"], "nothing is beside 2024-02-29"),
    # Years of 53 weeks, of ISO and of a calendar of weeks.
    ("2020-12-28/2021-01-10", "week", "1 year earlier", "2026-05-20", None,
     ["2019-12-30 7", "2020-01-06 7"], None),
    ("2026-01-18/2026-02-07", "week", "1 year earlier", "2026-05-20", RETAIL,
     ["2025-01-19 7", None, "2025-01-26 7"], "P12 W5 FY2026 has no partner"),
    ("2027-01-17/2027-02-06", "week", "1 year earlier", "2027-05-20", RETAIL,
     ["2026-01-11 7", "2026-01-18 7", "2026-02-01 7"], "nothing is beside P12 W5 FY2026"),
    # Holidays that move: what is open this year, beside the same days of the last.
    ("2026-04-03/2026-04-07 only business days", "day", "1 year earlier", "2026-05-20", HOLIDAYS,
     ["2025-04-03 1", "2025-04-07 1"], "nothing is beside 2025-04-04"),
    ("2026-04-20/2026-04-21 only business days", "day", "52 weeks earlier", "2026-05-20", HOLIDAYS,
     ["2025-04-21 1", "2025-04-22 1"], None),
])  # fmt: skip
def test_like_beside_like(phrase, by, beside, today, calendar, wanted, note):
    for source in (DAYS, pl.from_pandas(DAYS)):
        told = totals(source, phrase, by=by, beside=beside, today=today, calendar=calendar)
        assert [None if row.beside_bucket is None else f"{row.beside_bucket.start} {row.beside}"
                for row in told.rows] == wanted  # fmt: skip
        assert note is None or any(note in one for one in told.notes), told.notes
        assert note is not None or told.notes == ()


def test_a_whole_period_beside_another_one(places):
    """In the calendar of the period, and on as many days as are over."""
    fiscal = MonthCalendar("10-01")
    told = totals(places["parquet"], "this year", value="n", column="day", beside="last year",
                  today=TODAY, calendar=fiscal)  # fmt: skip
    (row,) = told.rows
    assert row.value == by_hand([(date(2025, 10, 1), date(2026, 9, 30))], "sum")
    assert row.beside == by_hand([(date(2024, 10, 1), date(2025, 5, 17))], "sum")
    assert told.notes == ("compared on the first 229 days of 1 Oct 2024 to 30 Sep 2025",)
    result = period("this quarter").resolve(today=TODAY, calendar=fiscal)
    told = totals(places["parquet"], result, column="day", by="month", beside="last quarter",
                  partial="drop")  # fmt: skip
    assert [row.beside_bucket.label for row in told.rows] == []
    assert "May 2026 (" in told.notes[-1]


@pytest.mark.parametrize("by", [None, "month", "year"])
@pytest.mark.parametrize(
    "phrase", ["all dates", "until 2025-03-09", "after 2025-12-24", "all dates except 2025"]
)
def test_open_dates_are_counted_as_far_as_the_data_goes(phrase, by):
    asked = {"column": "day", "value": "n", "by": by, "today": TODAY}
    open_one, closed = totals(FRAME, phrase, **asked), totals(FRAME, f"({phrase}) within data",
                                                              **asked)  # fmt: skip
    ours = [(row.bucket.start, row.bucket.end, row.value) for row in open_one.rows]
    assert ours == [(row.bucket.start, row.bucket.end, row.value) for row in closed.rows]
    assert open_one.notes[-1].startswith("open dates are counted over the data, 202")
    assert totals(FRAME, "after 2031-01-01", **{**asked, "by": "month"}).rows == ()
    with pytest.raises(SettingError, match="no dates in the data"):
        totals(FRAME, "after 2031-01-01", **{**asked, "by": None})


@pytest.mark.parametrize("dialect", [postgresql.psycopg.dialect(), mysql.pymysql.dialect()])
def test_a_percent_sign_of_a_name_is_written_twice_once(dialect):
    for clause in (
        ulnager.age("a%b", as_of="2026-05-20"),
        ulnager.where("last 3 days", "a%b", column_type="yyyymmdd"),
    ):
        assert set(re.findall("a(%+)b", str(clause.compile(dialect=dialect)))) == {"%%"}
