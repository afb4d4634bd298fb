"""What people work with: rows that last, frames, books, fields, templates, the shell."""

import json
import logging
import os
import subprocess
import sys
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager.demo import book_file, table

import engines
from strategies import examples

ROOT = Path(__file__).parent.parent
TODAY = date(2026, 5, 20)
MARCH = ulnager.period("2026-03").resolve()
FIRST = date(2026, 5, 12)
PAIRS = [
    (a, b)
    for a in [*(FIRST + timedelta(n) for n in range(16)), None]
    for b in [*(FIRST + timedelta(n) for n in range(16)), None]
    if a is None or b is None or a <= b
]
PHRASES = ["last 3 days", "this week", "rest of week", "until yesterday", "from tomorrow",
           "2026-05-14 plus 2026-05-22/2026-05-24", "2026-05 within 2026-04", "all dates",
           "last 2 whole weeks except weekends", "month to date"]  # fmt: skip
SPANS = {
    "overlap": lambda a, b, first, last: a <= last and (b or date.max) >= first,
    "inside": lambda a, b, first, last: b is not None and first <= a and b <= last,
    "begin": lambda a, b, first, last: first <= a <= last,
}


def _by_hand(result, lasting):
    sides = [(one.start or date.min, one.end or date.max) for one in result.spans]
    return sum(
        a is not None and any(SPANS[lasting](a, b, *side) for side in sides) for a, b in PAIRS
    )


@examples(40)
@given(st.sampled_from(PHRASES), st.sampled_from(sorted(SPANS)), st.integers(0, 15))
def test_rows_that_last_are_counted_as_by_hand_at_every_door(phrase, lasting, day):
    """Frames, expressions, SQL of engines, previews; live where it is one span, the same rows."""
    import polars as pl

    today = FIRST + timedelta(day)
    result = ulnager.period(phrase).resolve(today=today)
    wanted = _by_hand(result, lasting)
    frame = pl.DataFrame(PAIRS, schema={"a": pl.Date, "b": pl.Date}, orient="row")
    options = {"until": "b", "lasting": lasting}
    assert ulnager.keep(frame, result, "a", **options).height == wanted
    both = ulnager.where(result, pl.col("a"), until=pl.col("b"), lasting=lasting)
    assert frame.filter(both).height == wanted
    assert ulnager.preview(frame, result, "a", **options).kept == wanted
    conditions = [ulnager.where(result, "a", **options)]
    try:
        conditions.append(ulnager.where(ulnager.period(phrase), "a", today=today, **options))
    except ulnager.FilterError as error:
        assert "several spans" in str(error) or "may be" in str(error)
    duck = duckdb.connect()
    duck.register("t", frame)
    for clause in conditions:
        text = ulnager.condition(clause, target="duckdb", literal=True).text
        ((kept,),) = duck.execute(f"SELECT count(*) FROM t WHERE {text}").fetchall()
        assert kept == wanted
        for name in ("sqlite", "postgresql", "mariadb"):
            if day % 5 == 0:
                written = ulnager.condition(clause, target=name, literal=True).text
                rows = " UNION ALL ".join(
                    f"SELECT {_day(a, name)} AS a, {_day(b, name)} AS b" for a, b in PAIRS[::7]
                )
                if name == "mariadb":
                    written = written.replace('"', "`")
                held = engines.engine_named(name).connection
                sql = f"SELECT count(*) FROM ({rows}) AS t WHERE {written}"
                found = held.exec_driver_sql(sql, execution_options={"no_parameters": True})
                sides = [(one.start or date.min, one.end or date.max) for one in result.spans]
                some = sum(a is not None and any(SPANS[lasting](a, b, *side) for side in sides)
                           for a, b in PAIRS[::7])  # fmt: skip
                assert found.scalar() == some


def _day(day, name):
    if day is None:
        return "NULL" if name == "sqlite" else "CAST(NULL AS DATE)"
    return f"'{day}'" if name == "sqlite" else f"DATE '{day}'"


def test_how_many_were_open_on_each_day():
    import pandas as pd

    frame = pd.DataFrame(PAIRS, columns=["a", "b"]).astype("datetime64[ns]")
    found = ulnager.totals(
        frame, "2026-05-14/2026-05-24", column="a", until="b", by="day", today=TODAY
    )
    for row in found.rows:
        day = row.bucket.start
        assert row.value == sum(
            a is not None and a <= day and (b or date.max) >= day for a, b in PAIRS
        )
        assert not {"1 day missing", "the data ends"} & set(row.bucket.reasons)
    by_week = ulnager.totals(
        frame, "2026-05-14/2026-05-24", column="a", until="b", by="week", today=TODAY
    )
    assert sum(row.value for row in by_week.rows) < sum(row.value for row in found.rows)
    monthly = found.to_frame().set_index("start").resample("MS")["value"].max()
    assert monthly.iloc[0] == max(row.value for row in found.rows)
    with pytest.raises(ulnager.SettingError, match="count or sum"):
        ulnager.totals(frame, "2026-05", column="a", until="b", value="a", how="mean")
    with pytest.raises(ulnager.SettingError, match="not by hours"):
        ulnager.totals(table("gate_scans"), "2026-05-14", column="scanned_at", tz="UTC",
                       until="scanned_at", by="hour")  # fmt: skip
    for call, told in (
        (lambda: ulnager.where("today", "a", lasting="inside"), "until='ends_on'"),
        (lambda: ulnager.keep(frame, "today", "a", until="b", lasting="most"), "choose overlap"),
        (lambda: ulnager.condition(MARCH, "a", until="b", target="odata"),
         "not written for odata"),
    ):  # fmt: skip
        with pytest.raises(ulnager.FilterError, match=told):
            call()


@pytest.mark.parametrize("unit", ["s", "ms", "us", "ns"])
def test_instants_of_every_precision_in_a_zone(unit, tmp_path):
    import polars as pl
    import pyarrow as pa
    import pyarrow.parquet as pq

    zone, result = "America/Halifax", ulnager.period("last 3 days").resolve(today=TODAY)
    times = [datetime(2026, 5, day, 2, 30, tzinfo=UTC) for day in range(10, 26)]
    arrow = pa.table({"a": pa.array(times, pa.timestamp(unit, tz=zone))})
    frames = [arrow, arrow.to_pandas(), *([] if unit == "s" else [pl.from_arrow(arrow)])]
    for frame in frames:
        assert len(ulnager.keep(frame, result, "a")) == 3
    pq.write_table(arrow, tmp_path / "t.parquet")
    for source in (*frames, tmp_path / "t.parquet"):
        assert ulnager.preview(source, result, "a", tz=zone).kept == 3
        assert str(ulnager.profile(source, "a", tz=zone).extent.last) == "2026-05-24"
        hours = ulnager.totals(source, "2026-05-20", column="a", tz=zone, by="hour")
        assert [row.value for row in hours.rows][-2:] == [0, 1]


@pytest.mark.parametrize("lasting", sorted(SPANS))
@pytest.mark.parametrize("phrase", PHRASES[:6])
def test_ends_that_are_dates_beside_instants_are_of_the_same_days(phrase, lasting):
    import polars as pl

    zone, result = "America/Halifax", ulnager.period(phrase).resolve(today=TODAY)
    frame = pl.DataFrame(PAIRS, schema={"a": pl.Date, "b": pl.Date}, orient="row").with_columns(
        (pl.col("a").cast(pl.Datetime) + pl.duration(hours=23)).dt.replace_time_zone(zone)
    )
    wanted, more = _by_hand(result, lasting), {"until": "b", "lasting": lasting, "tz": zone}
    assert ulnager.keep(frame, result, "a", **more).height == wanted
    assert ulnager.preview(frame, result, "a", **more).kept == wanted
    held = {**more, "column_type": "timestamptz", "until_type": "date"}
    duck = duckdb.connect()
    duck.register("t", frame)
    made = [(result, held), *[(phrase, held | {"today": TODAY})] * ("plus" not in phrase)]
    for said, options in made:
        text = ulnager.condition(said, "a", target="duckdb", literal=True, **options).text
        assert duck.execute(f"SELECT count(*) FROM t WHERE {text}").fetchall() == [(wanted,)]
    if lasting == "overlap" and None not in (result.start, result.end):
        found = ulnager.totals(frame, result, column="a", until="b", tz=zone)
        assert [row.value for row in found.rows] == [wanted]
    with pytest.raises(ulnager.FilterError, match="until_type is about rows with an end"):
        ulnager.where(result, "a", until_type="date")


@pytest.mark.parametrize("phrase", [one for one in PHRASES if "within" not in one])
def test_a_page_has_the_rows_that_last(phrase, tmp_path):
    """Its numbers, rows, counts, values and conditions; in units a row counts more than once."""
    rows = "".join(f"{a or ''},{b or ''},{'xy'[n % 2]}\n" for n, (a, b) in enumerate(PAIRS))
    (tmp_path / "t.csv").write_text(f"a,b,c\n{rows}")
    drawn = {"number": "form = 'number'", "days": "by = 'day'",
             "rows": "form = 'rows'\ncolumns = ['a']"}  # fmt: skip
    (tmp_path / "b.toml").write_text(
        "locale = 'de'\n[sources.t]\nfile = 't.csv'\ncolumn = 'a'\n[values.c]\n"
        "[pages.h]\nvalues = ['c']\n" + "".join(
            f"[pages.h.charts.{key}]\nsource = 't'\nuntil = 'b'\nperiod = '{phrase}'\n{more}\n"
            for key, more in drawn.items()
        )
    )  # fmt: skip
    page = ulnager.read_book(tmp_path / "b.toml").page("h").open(today=TODAY)
    values, chart = page.values(), page.charts["days"]
    wanted = _by_hand(chart.resolution, "overlap")
    assert [row.value for row in values["number"].rows] == [wanted] == [values["rows"].count]
    assert sum(one.rows for one in page.filters["c"].options) == wanted
    text = chart.condition(target="duckdb", literal=True).text
    assert len(duckdb.sql(f"FROM '{tmp_path / 't.csv'}' WHERE {text}").fetchall()) == wanted
    told = [one for one in values["days"].notes if "keine Summe" in one]
    assert bool(told) == (len(values["days"].rows) > 1)


def test_frames_have_the_calls_and_the_index_is_a_column():
    import pandas as pd
    import polars as pl

    from ulnager.accessors import register

    register()
    frame = pd.DataFrame({"v": range(120)}, index=pd.date_range("2026-02-01", periods=120))
    kept = frame.ulnager.keep("month to date", today=TODAY)
    assert kept.index.min() == pd.Timestamp("2026-05-01")
    assert len(kept) == 20
    named = frame.rename_axis("day")
    whole = {"value": "v", "by": "month", "today": TODAY}
    plain = ulnager.totals(named.reset_index(), "last 2 whole months", column="day", **whole)
    assert named.ulnager.totals("last 2 whole months", column="day", **whole).rows == plain.rows
    lazy = pl.from_pandas(named.reset_index()).lazy()
    assert lazy.ulnager.keep("2026-03", "day").collect().height == 31
    assert dir(lazy.ulnager) == dir(frame.ulnager)
    with pytest.raises(AttributeError, match="there is no call 'kepe'"):
        _ = frame.ulnager.kepe
    with pytest.raises(ulnager.SettingError, match="say which column"):
        ulnager.keep(frame.reset_index(drop=True), "2026-03")


def test_a_source_of_a_book_knows_its_column_its_zone_and_its_calendar():
    book = ulnager.read_book(book_file())
    scans = book.source("gate_scans")
    said = {"tz": "America/Halifax", "today": TODAY}
    by_hand = ulnager.preview(table("gate_scans"), "2026-04", "scanned_at", **said)
    assert ulnager.preview(scans, "2026-04", today=TODAY).kept == by_hand.kept
    year = ulnager.totals(book.source("sailings"), "this year", by="year", today=TODAY).rows[0]
    assert year.bucket.start == date(2025, 10, 1)
    assert ulnager.profile(book.source("sailings")).column == "sailed_on"
    assert ulnager.keep(scans, "2026-04").rows()
    assert ulnager.ages(book.source("work_orders"), "raised_on", "closed_on", today=TODAY).open
    with pytest.raises(ulnager.BookError, match="did you mean 'sailings'"):
        book.source("salings")


def test_a_period_is_a_field_and_a_filter_of_templates(caplog):
    import jinja2
    import pydantic
    from fastapi import FastAPI
    from fastapi.testclient import TestClient

    class Report(pydantic.BaseModel):
        dates: ulnager.Period

    assert Report(dates="MTD").model_dump_json() == '{"dates":"month to date"}'
    assert Report(dates=ulnager.period("MTD")) == Report.model_validate_json('{"dates": "mtd"}')
    told = Report.model_json_schema()["properties"]["dates"]
    assert all(ulnager.period(one) for one in told["examples"])
    with pytest.raises(
        pydantic.ValidationError, match="did you mean 'last 3 whole months'"
    ) as wrong:
        Report(dates="last 3 hole months")
    assert wrong.value.error_count() == 1
    app = FastAPI()

    @app.post("/report")
    def report(asked: Report) -> str:
        return asked.dates.resolve(today=TODAY).label

    client = TestClient(app)
    assert client.post("/report", json={"dates": "month to date"}).json() == "1 to 20 May 2026"
    assert client.post("/report", json={"dates": "x y z"}).status_code == 422

    made = jinja2.Environment(extensions=["ulnager.templates.Periods"])
    text = made.from_string('{{ "this month" | period_where("d", "sqlite") }}').render()
    assert text == ulnager.condition("this month", "d", target="sqlite", literal=True).text
    frozen = made.from_string("{{ p | period_where('d', today='2026-05-20') }}")
    assert frozen.render(p="month to date").endswith("\"d\" < DATE '2026-05-21'")
    with caplog.at_level(logging.DEBUG, "ulnager"):
        ulnager.preview(table("sailings"), "2026-03")
    assert any("sailings.csv is asked: SELECT" in one.getMessage() for one in caplog.records)


def test_the_shell_gets_values_books_and_errors_that_it_can_read(cli, monkeypatch):
    assert cli("resolve", "last 3 whole months", "--today", "2026-05-20", "--plain")[1] == (
        "2026-02-01 2026-04-30\n")  # fmt: skip
    assert cli("resolve", "until 2026-03-31", "--plain")[1] == ".. 2026-03-31\n"
    assert cli("resolve", "2026-03 within 2026-04", "--plain")[1] == ""
    code, out, err = cli("resolve", "last 3 hole months", "--json")
    assert (code, out) == (2, "")
    assert json.loads(err)["error"]["instead"] == ["last 3 whole months"]
    live = ("filter", "today", "--column", "d", "--live", "--json")
    for args, kind in (
        (("resolve", "--json"), "usage"),
        (("profile", "no.csv", "--json"), "source"),
        (("resolve", "until latest", "--json"), "dates"),
        (live, "condition"),
    ):
        assert json.loads(cli(*args)[2])["error"]["code"] == kind
    monkeypatch.setenv("ULNAGER_BOOK", "demo:ferries")
    assert cli("resolve", "summer", "--plain")[1] == "2025-06-01 2025-09-15\n"
    monkeypatch.delenv("ULNAGER_BOOK")
    short, every = (cli("resolve", one)[1] for one in ("--help", "--help-all"))
    assert "--explain" in short
    assert "--delimiter SIGN" not in short
    assert "--help-all" in short
    assert "--delimiter SIGN" in every


def test_head_may_stop_reading():
    run = f"{sys.executable} -m ulnager calendar 1990-01-01 2026-01-01 | head -1"
    asked = ["bash", "-c", f"set -o pipefail; {run}"]
    where = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    found = subprocess.run(asked, capture_output=True, text=True, check=False, env=where)
    assert found.returncode == 0
    assert "Error" not in found.stderr


def test_hooks_take_arguments_before_their_files(cli, tmp_path):
    """As pre-commit calls them: the entry, its args, and then the names of files."""
    hooks = (ROOT / ".pre-commit-hooks.yaml").read_text()
    assert hooks.count("entry: ulnager check\n") == 2
    (tmp_path / "q.sql").write_text("SELECT 1 FROM t WHERE sold_at <= '2026-05-31'")
    code, out, _ = cli("check", "--dialect", "postgresql", "--strict", str(tmp_path / "q.sql"))
    assert code == 1
    assert "loses-last-day" in out
    assert cli("check", "--dialect", "postgresql", str(book_file()))[0] == 2


@pytest.mark.parametrize(("phrase", "inputs", "told"), [
    ("{side} {n} {kind} {unit}", {"side": {"of": ["last", "next"]}}, "{side} and {kind} stand for"),
    ("last {n} hole days", None, "'hole' does not fit here; did you mean 'last {n} whole days'"),
    ("lst {n} days", None, "did you mean 'last {n} days'"),
])  # fmt: skip
def test_a_slot_that_is_right_is_not_blamed(phrase, inputs, told):
    with pytest.raises(ulnager.UlnagerError) as error:
        ulnager.period(phrase, inputs=inputs)
    assert told in str(error.value)
    both = {"side": {"of": ["last", "next"]}, "kind": {"of": ["whole", "rolling"]}}
    assert ulnager.period("{side} {n} {kind} {unit}", inputs=both).inputs["kind"].kind == "word"


def test_what_only_follows_is_not_told(cli, tmp_path):
    (tmp_path / "b.toml").write_text(
        '[periods.build]\nphrase = "last {n} hole days"\n[pickers.dates]\nchoices = ["build"]\n'
        'opens = "build"\n[pages.p]\npicker = "dates"\n')  # fmt: skip
    assert [one.key for one in ulnager.check(tmp_path / "b.toml")] == ["periods.build.phrase"]
    (tmp_path / "e.toml").write_text("")
    assert "no period" in cli("show", "--book", str(tmp_path / "e.toml"))[1]
    beside = ("buckets", "2026-04", "--by", "month", "--source", "demo:sailings", "--how", "count")
    assert "today" not in cli(*beside, "--beside", "1 yeer earlier")[2]


def test_a_template_refuses_what_would_do_nothing():
    from ulnager.templates import period_where

    for message, options in (
        ("did you mean column_type", {"colum_type": "timestamp"}),
        ("date_table would do nothing", {"date_table": "days"}),
        ("a template is text", {"target": "django"}),
    ):
        with pytest.raises((ulnager.SettingError, ulnager.FilterError), match=message):
            period_where("month to date", "d", today=TODAY, **options)


def test_fields_of_pydantic_tell_open_phrases_from_others():
    import pydantic

    class Both(pydantic.BaseModel):
        plain: ulnager.Period
        opened: ulnager.OpenPeriod

    made = Both(plain="MTD", opened="last {n} days")
    assert made.model_dump(mode="json") == {"plain": "month to date", "opened": "last {n} days"}
    for wrong, told in (
        ({"plain": "last {n} days"}, "open slots"),
        ({"opened": "MTD"}, "no slots"),
    ):
        with pytest.raises(pydantic.ValidationError, match=told):
            Both(**{"plain": "MTD", "opened": "last {n} days", **wrong})
