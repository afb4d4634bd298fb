"""A condition keeps the same rows on every engine and in every data frame library."""

import re
import sqlite3
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import duckdb
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from sqlalchemy import Column, Date, MetaData, Table, select

import ulnager
from ulnager import (
    FilterError,
    ResolveError,
    condition,
    cql2,
    cql2_json,
    keep,
    odata,
    period,
)

from strategies import examples, modern_days, phrases

HALIFAX = ZoneInfo("America/Halifax")
MICROSECOND = timedelta(microseconds=1)


def odd_moments(result):
    """Local times around every edge of a result, a null among them."""
    edges = {edge for span in result.spans for edge in (span.start, span.stop) if edge}
    edges |= {date(2026, 3, 8), date(2025, 11, 2), date(2024, 2, 29)}
    midnights = [datetime.combine(edge, time()) for edge in sorted(edges)[:40]]
    return [
        None,
        *(m + step for m in midnights for step in (-MICROSECOND, MICROSECOND * 0, MICROSECOND)),
    ]


def frames_of(values, kind):
    """The same rows in every library, with what makes a list of ids of each."""
    rows = {"id": list(range(len(values))), "at": values}
    pandas_type = {"date": "datetime64[us]", "local": "datetime64[us]"}.get(kind)
    arrow_type = {"date": pa.date32(), "local": pa.timestamp("us")}.get(
        kind, pa.timestamp("us", "UTC")
    )
    table = pa.table({"id": rows["id"], "at": pa.array(values, arrow_type)})
    in_pandas = pd.DataFrame(rows)
    in_pandas["at"] = (
        in_pandas["at"].astype(pandas_type)
        if pandas_type
        else pd.to_datetime(in_pandas["at"], utc=True)
    )
    yield in_pandas, lambda frame: frame["id"].tolist()
    if kind == "date":
        yield pd.DataFrame(rows, dtype=object), lambda frame: frame["id"].tolist()
    yield pl.from_arrow(table), lambda frame: frame["id"].to_list()
    yield pl.from_arrow(table).lazy(), lambda frame: frame.collect()["id"].to_list()
    yield table, lambda frame: frame["id"].to_pylist()


@examples(60)
@given(phrases, modern_days, st.sampled_from(["date", "local", "instant"]))
def test_every_engine_keeps_the_rows_that_python_keeps(phrase, day, kind):
    try:
        result = period(phrase).resolve(today=day, data=(day - timedelta(days=700), day))
    except ResolveError:
        assume(False)
    moments = odd_moments(result)
    if kind == "date":
        values = [moment and moment.date() for moment in moments]
    elif kind == "local":
        values = moments
    else:
        values = [moment and moment.replace(tzinfo=HALIFAX).astimezone(UTC) for moment in moments]
    local_days = [
        value and (value.astimezone(HALIFAX).date() if kind == "instant" else moment.date())
        for value, moment in zip(values, moments, strict=True)
    ]
    kept = [n for n, local in enumerate(local_days) if local and result.contains(local)]
    tz = "America/Halifax" if kind == "instant" else None
    for frame, ids in frames_of(values, kind):
        assert ids(keep(frame, result, "at", tz=tz)) == kept, type(frame)

    column_type = {"local": "timestamp", "instant": "timestamptz"}.get(kind, kind)
    engine_type = {"date": "DATE", "local": "TIMESTAMP", "instant": "TIMESTAMPTZ"}[kind]
    duck = duckdb.connect()
    duck.execute(f'CREATE TABLE t (id INT, "a ""t" {engine_type})')
    duck.executemany("INSERT INTO t VALUES (?, ?)", [list(row) for row in enumerate(values)])
    made = condition(result, 'a "t', column_type=column_type, tz=tz, literal=True)
    assert [n for (n,) in duck.execute(f"SELECT id FROM t WHERE {made} ORDER BY id").fetchall()] \
        == kept  # fmt: skip
    lite = sqlite3.connect(":memory:")
    lite.execute('CREATE TABLE t (id INT, "at")')
    texts = [str(value.replace(tzinfo=None)) if kind == "instant" and value else
             value and str(value) for value in values]  # fmt: skip
    lite.executemany("INSERT INTO t VALUES (?, ?)", list(enumerate(texts)))
    made = condition(result, "at", column_type=column_type, tz=tz, target="sqlite", literal=True)
    found = lite.execute(f"SELECT id FROM t WHERE {made} ORDER BY id").fetchall()
    assert [n for (n,) in found] == kept


AS_COLUMN = {
    "yyyymmdd": lambda day, late: int(f"{day:%Y%m%d}"),
    "epoch-seconds": lambda day, late: int(late.timestamp()),
    "epoch-milliseconds": lambda day, late: int(late.timestamp() * 1000),
    "iso-text": lambda day, late: str(late.replace(tzinfo=None)) if day.day % 2 else str(day),
    "yyyymm": lambda day, late: day.year * 100 + day.month,
}


@examples(60)
@given(phrases, modern_days, st.sampled_from(sorted(AS_COLUMN)))
def test_keys_and_numbers_keep_the_rows_that_python_keeps(phrase, day, column_type):
    """A row at the last moment of each day around every edge, held as a key, number or text."""
    try:
        result = period(phrase).resolve(today=day, data=(day - timedelta(days=700), day))
        made = condition(result, "k", column_type=column_type, tz="America/Halifax", literal=True)
    except (ResolveError, FilterError) as error:
        assume("cuts a month" not in str(error) and isinstance(error, FilterError))
        raise
    edges = sorted({edge for span in result.spans for edge in (span.start, span.stop) if edge})
    days = [edge + timedelta(days=n) for edge in edges[:40] for n in (-1, 0, 1)] or [day]
    assume(all(1900 < one.year < 9000 for one in days))
    late = time(23, 59, 59, 999_000)
    held = [AS_COLUMN[column_type](one, datetime.combine(one, late, HALIFAX)) for one in days]
    kept = [n for n, one in enumerate(days) if result.contains(one)]
    lite = sqlite3.connect(":memory:")
    lite.execute("CREATE TABLE t (id INT, k)")
    lite.executemany("INSERT INTO t VALUES (?, ?)", list(enumerate(held)))
    assert [n for (n,) in lite.execute(f"SELECT id FROM t WHERE {made} ORDER BY id")] == kept
    duck = duckdb.connect()
    duck.execute(f"CREATE TABLE t (id INT, k {'VARCHAR' if 'text' in column_type else 'BIGINT'})")
    duck.executemany("INSERT INTO t VALUES (?, ?)", [list(row) for row in enumerate(held)])
    found = duck.execute(f"SELECT id FROM t WHERE {made} ORDER BY id").fetchall()
    assert [n for (n,) in found] == kept


def evaluated(text, value):
    """An OData or CQL2 condition on ``d``, worked out by Python after a change of words."""
    words = {" ge ": " >= ", " lt ": " < ", " ne null": " != None", " IS NOT NULL": " != None",
             " AND ": " and ", " OR ": " or ", "FALSE": "False", "false": "False"}  # fmt: skip
    for word, python in words.items():
        text = text.replace(word, python)
    text = re.sub(r"(?:DATE\(')?(\d{4}-\d\d-\d\d)(?:'\))?", r"'\1'", text)
    assert re.fullmatch(r"(?:[()d<>=! ]|and|or|None|False|'[-0-9]{10}')+", text), text
    return eval(text, {"d": value})


def evaluated_json(node, value):
    if node is False:
        return False
    args = [arg if "op" in arg else arg.get("date", value) for arg in node["args"]]
    if node["op"] in ("and", "or"):
        return (all if node["op"] == "and" else any)(evaluated_json(arg, value) for arg in args)
    if node["op"] == "not":
        return value is not None
    return args[0] >= args[1] if node["op"] == ">=" else args[0] < args[1]


@given(phrases, modern_days)
def test_open_standards_say_the_same(phrase, day):
    try:
        result = period(phrase).resolve(today=day, data=(day - timedelta(days=700), day))
    except ResolveError:
        assume(False)
    edges = {edge for span in result.spans for edge in (span.start, span.stop) if edge} or {day}
    assume(max(edges).year < 9999)
    for edge in sorted(edges)[:30]:
        for one in (edge, edge - timedelta(days=1)):
            kept = result.contains(one)
            assert evaluated(odata(result, "d"), str(one)) is kept
            assert evaluated(cql2(result, "d"), str(one)) is kept
            assert evaluated_json(cql2_json(result, "d"), str(one)) is kept


def test_instants_and_names_in_open_standards():
    march = period("2026-03").resolve()
    at = {"column_type": "timestamptz", "tz": "America/Halifax"}
    assert odata(march, "trip/at", **at) == (
        "trip/at ge 2026-03-01T04:00:00Z and trip/at lt 2026-04-01T03:00:00Z"
    )
    assert cql2(march, 'a "b', **at).startswith('"a ""b" >= TIMESTAMP(\'2026-03-01T04:00:00Z\')')
    assert cql2_json(march, "at", **at)["args"][0]["args"][1] == {
        "timestamp": "2026-03-01T04:00:00Z"
    }
    for name in ("a b", "d eq 1 or true", "x;y", ""):
        with pytest.raises(FilterError, match="no name of an OData property"):
            odata(march, name)
    with pytest.raises(FilterError, match="no literals for 'timestamp'"):
        cql2(march, "d", column_type="timestamp")


@pytest.mark.parametrize(
    ("phrase", "target", "text"),
    [
        ("2026-03", "ansi", "\"d\" >= DATE '2026-03-01' AND \"d\" < DATE '2026-04-01'"),
        ("2026-03", "sqlite", "\"d\" >= '2026-03-01' AND \"d\" < '2026-04-01'"),
        ("2026-03", "mysql", "`d` >= DATE '2026-03-01' AND `d` < DATE '2026-04-01'"),
        ("until 2026-03-31", "postgresql", "\"d\" < DATE '2026-04-01'"),
        ("from 2026-03-31", "postgresql", "\"d\" >= DATE '2026-03-31'"),
        ("all dates", "ansi", '"d" IS NOT NULL'),
        ("today except today", "ansi", "1 = 0"),
        ("today except today", "sqlite", "1 = 0"),
        ("before 2026-01-01 plus after 2026-01-01", "ansi",
         "(\"d\" < DATE '2026-01-01' OR \"d\" >= DATE '2026-01-02')"),
    ],
)  # fmt: skip
def test_the_text_of_a_condition(phrase, target, text):
    result = period(phrase).resolve(today="2026-05-20")
    assert str(condition(result, "d", target=target, literal=True)) == text


def test_bound_values_and_instants():
    march = period("2026-03").resolve()
    made = condition(march, "d")
    assert made.text == '"d" >= :start_1 AND "d" < :stop_1'
    assert made.parameters == {"start_1": date(2026, 3, 1), "stop_1": date(2026, 4, 1)}
    made = condition(march, "t", column_type="timestamptz", tz="America/Halifax", literal=True)
    assert "TIMESTAMPTZ '2026-03-01 04:00:00+00:00'" in made.text
    assert "TIMESTAMPTZ '2026-04-01 03:00:00+00:00'" in made.text


def test_where_goes_into_any_select():
    trips = Table("trips", MetaData(), Column("d", Date))
    march = period("2026-03").resolve()
    statement = select(trips).where(trips.c.d.is_not(None), ulnager.where(march, trips.c.d))
    assert "trips.d >= :start_1 AND trips.d < :stop_1" in str(statement)


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda r: condition(r, ""), "no name"),
        (lambda r: condition(r, 5), "5 is no column"),
        (
            lambda r: condition(period("until 2026-03-09").resolve(), "d", column_type="yyyymm"),
            "of 2026-03 only the days up to 2026-03-09",
        ),
        (
            lambda r: condition(period("from 2026-03-09").resolve(), "d", column_type="yyyymm"),
            "of 2026-03 only the days from 2026-03-09 on",
        ),
        (lambda r: condition(r, "d", column_type="datum"), "choose date, timestamp"),
        (lambda r: condition(r, "d", target="abacus"), "no target 'abacus'"),
        (lambda r: condition(r, "d", column_type="timestamptz"), "give tz"),
        (lambda r: keep(pl.DataFrame({"day": [1]}), r, "dya"), "did you mean 'day'"),
        (lambda r: keep(pl.DataFrame({"day": [1]}), r, "day"), "not dates"),
        (lambda r: keep(pd.DataFrame({"day": ["x"]}), r, "day"), "not dates"),
        (lambda r: keep(pd.DataFrame({"day": [{}]}), r, "day"), "could not be"),
        (lambda r: keep([1, 2], r, "day"), "is not a data frame"),
    ],
)
def test_conditions_that_cannot_be_made(make, message):
    with pytest.raises(FilterError, match=message):
        make(period("2026-03").resolve())
