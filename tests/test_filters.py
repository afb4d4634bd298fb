"""The text of conditions, and what open standards make of it."""

import json
from datetime import UTC, date, datetime, timedelta

import duckdb
import pandas as pd
import polars as pl
import pytest
from cql2 import parse_json, parse_text
from hypothesis import assume, given
from odata_query.grammar import ODataLexer, ODataParser
from sqlalchemy import Column, Date, MetaData, Table, select

import ulnager
from ulnager import (
    FilterError,
    ResolveError,
    SettingError,
    condition,
    keep,
    keep_each,
    open_source,
    period,
    preview,
    profile,
    where,
)
from ulnager.demo import table
from ulnager.filters.sql_text import dialect_named, sql_text

from strategies import examples, modern_days, phrases


def odata(result, column, **held):
    return condition(result, column, target="odata", **held).text


def cql2(result, column, **held):
    return condition(result, column, target="cql2", **held).text


def cql2_json(result, column, **held):
    return json.loads(condition(result, column, target="cql2-json", **held).text)


def evaluated(node, value):
    """A parsed OData condition on ``d``, worked out by Python."""
    kind = type(node).__name__
    if kind == "BoolOp":
        sides = evaluated(node.left, value), evaluated(node.right, value)
        return all(sides) if type(node.op).__name__ == "And" else any(sides)
    if kind == "Boolean":
        return node.val == "true"
    assert (kind, node.left.name) == ("Compare", "d")
    other = node.right.py_val
    signs = {"GtE": lambda: value >= other, "Lt": lambda: value < other, "NotEq": lambda: True}
    return signs[type(node.comparator).__name__]()


def evaluated_json(node, value):
    if node is False:
        return False
    args = [arg if "op" in arg else arg.get("date", value) for arg in node["args"]]
    if node["op"] in ("and", "or"):
        return (all if node["op"] == "and" else any)(evaluated_json(arg, value) for arg in args)
    if node["op"] == "not":
        return value is not None
    return args[0] >= args[1] if node["op"] == ">=" else args[0] < args[1]


def read_odata(text):
    return ODataParser().parse(ODataLexer().tokenize(text))


@examples(60)
@given(phrases, modern_days)
def test_open_standards_say_the_same(phrase, day):
    """As other people's parsers read them."""
    try:
        result = period(phrase).resolve(today=day, data=(day - timedelta(days=700), day))
    except ResolveError:
        assume(False)
    edges = {edge for span in result.spans for edge in (span.start, span.stop) if edge} or {day}
    assume(max(edges).year < 9999)
    parsed, as_json = read_odata(odata(result, "d")), cql2_json(result, "d")
    by_text = parse_text(cql2(result, "d"))
    by_text.validate()
    parse_json(json.dumps(as_json)).validate()
    assert by_text.to_json() == as_json
    for edge in sorted(edges)[:30]:
        for one in (edge, edge - timedelta(days=1)):
            kept = result.contains(one)
            assert evaluated(parsed, one) is kept
            assert evaluated_json(as_json, str(one)) is kept


def test_instants_and_names_in_open_standards():
    march = period("2026-03").resolve()
    at = {"column_type": "timestamptz", "tz": "America/Halifax"}
    assert odata(march, "trip/at", **at) == (
        "trip/at ge 2026-03-01T04:00:00Z and trip/at lt 2026-04-01T03:00:00Z"
    )
    assert read_odata(odata(march, "at", **at)).left.right.py_val == datetime(
        2026, 3, 1, 4, tzinfo=UTC
    )
    assert parse_text(cql2(march, 'a "b', **at)).to_json() == cql2_json(march, 'a "b', **at)
    assert cql2(march, 'a "b', **at).startswith('"a ""b" >= TIMESTAMP(\'2026-03-01T04:00:00Z\')')
    assert cql2_json(march, "at", **at)["args"][0]["args"][1] == {
        "timestamp": "2026-03-01T04:00:00Z"
    }
    for name in ("a b", "d eq 1 or true", "x;y", ""):
        with pytest.raises(FilterError, match="no name of an OData property"):
            odata(march, name)
    with pytest.raises(FilterError, match="no literals for 'timestamp'"):
        cql2(march, "d", column_type="timestamp")


@pytest.mark.parametrize("target", ["odata", "cql2", "cql2-json", "django", "duckdb"])
def test_every_target_takes_the_same_options_and_refuses_the_same(target):
    months, cut = period("2026-03/2026-04").resolve(), period("2026-03-15/2026-04-30").resolve()

    def written(result=months, column="d", **options):
        found = condition(result, column, target=target, **options)
        return str(found), getattr(found, "parameters", None)

    assert written(cut, grain="month", rounding="outward") == written()
    for message, options in (
        ("cuts a month", {"result": cut, "grain": "month"}),
        ("is resolved already, so date_table would", {"date_table": "days"}),
        ("is resolved already, so now would", {"now": "2026-05-20T10:00Z"}),
        ("lasting is about rows with an end", {"lasting": "inside"}),
        ("no column type|no literals for", {"column_type": "nope"}),
        ("3 is no|no name of a column", {"column": 3}),
    ):
        with pytest.raises(FilterError, match=message):
            written(**options)
    if target != "duckdb":
        with pytest.raises(FilterError, match="leave paramstyle out"):
            written(paramstyle="qmark")
        with pytest.raises(FilterError, match="nothing can be live there"):
            condition("today", "d", target=target)


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


ON_DUCKDB = duckdb.sql("SELECT DATE '2026-05-20' AS d, DATE '2026-05-21' AS a")


def each(frame, phrase):
    return keep_each(frame, period(phrase), "d", anchor="a")


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda r: condition(r, ""), "no name"),
        (lambda r: condition(r, 5), "5 is no column"),
        (
            lambda r: condition(period("until 2026-03-09").resolve(), "d", column_type="yyyymm"),
            "the days 2026-03-01 to 2026-03-09 would be lost",
        ),
        (
            lambda r: condition(period("from 2026-03-09").resolve(), "d", column_type="yyyymm"),
            "the days 2026-03-09 to 2026-03-31 would be lost",
        ),
        (lambda r: condition(r, "d", column_type="datum"), "choose date, timestamp"),
        (lambda r: condition(r, "d", target="abacus"), "no target 'abacus'"),
        (lambda r: condition(r, "d", column_type="timestamptz"), "give tz"),
        (lambda r: keep(pl.DataFrame({"day": [1]}), r, "dya"), "did you mean 'day'"),
        (lambda r: keep(pl.DataFrame({"day": [1]}), r, "day"), "not dates"),
        (lambda r: keep(pd.DataFrame({"day": ["x"]}), r, "day"), "not dates"),
        (lambda r: keep(pd.DataFrame({"day": [{}]}), r, "day"), "could not be"),
        (lambda r: keep([1, 2], r, "day"), "is not a data frame"),
        (lambda r: each(pl.DataFrame({"a": [1], "d": [date.max]}), "today"), "not dates"),
        (lambda r: each(pl.DataFrame({"d": [date.max]}), "today"), "no column 'a'"),
        (lambda r: each(ON_DUCKDB, "last 3 business days"), "bring the frame into memory"),
        (lambda r: each(ON_DUCKDB, "last 3 hours"), "hours, minutes and seconds"),
    ],
)
def test_conditions_that_cannot_be_made(make, message):
    with pytest.raises(FilterError, match=message):
        make(period("2026-03").resolve())


@pytest.mark.parametrize("sort", [pd.DataFrame, pl.DataFrame])
@pytest.mark.parametrize("ask", [ulnager.profile, lambda frame: keep(frame, "2026-05", "a 'day'")])
def test_what_is_told_of_a_frame_of_texts_makes_dates_of_them(sort, ask):
    named = {"pandas": pd, "polars": pl, "frame": sort({"a 'day'": ["2026-05-01", "2026-06-02"]})}
    with pytest.raises(ulnager.UlnagerError, match="into dates") as raised:
        ask(named["frame"])
    exec(str(raised.value).partition(" first: ")[2], named)
    assert ulnager.profile(named["frame"]).rows == 2
    assert len(keep(named["frame"], "2026-05", "a 'day'")) == 1


@pytest.mark.parametrize(("name", "written"), [
    ("w.held_at", '"w"."held_at"'), ("s.w.held_at", '"s"."w"."held_at"'), ('"a.b"', '"a.b"'),
    ('w."a.b"', '"w"."a.b"'), ('a"b', '"a""b"'), ("a..b", '"a..b"'), ("1.2.3.4", '"1.2.3.4"'),
])  # fmt: skip
def test_qualified_columns_are_quoted_part_by_part(name, written):
    result = period("until 2026-03-31").resolve()
    assert condition(result, name).text.startswith(f"{written} <")
    assert sql_text(ulnager.where("today", name), "duckdb").startswith(written)


def test_a_phrase_or_a_period_will_do_where_a_resolution_is_wanted():
    today, frame = (
        {"today": "2026-05-20"},
        pd.DataFrame({"d": pd.date_range("2026-05-01", periods=31)}),
    )
    for what in ("month to date except weekends", period("month to date except weekends")):
        result = period(str(what)).resolve(**today)
        assert len(keep(frame, what, "d", **today)) == len(keep(frame, result, "d")) == 14
        assert condition(what, "d", target="duckdb").text.startswith('"d" >= CAST(date_trunc')
        assert str(where(what, "d").compile(dialect=dialect_named("duckdb"))).count("IN") == 1
    sailings = preview(table("sailings"), "last 7 days as of latest", **today)
    assert (sailings.kept, len(sailings.notes), sailings.warnings) == (58, 1, ())
    asked = open_source(table("sailings"), "SELECT * FROM sailings WHERE route = 'Alder Point'")
    assert 0 < preview(asked, "2026-03").kept < preview(table("sailings"), "2026-03").kept
    assert profile(table("sailings")).last == date(2026, 5, 17)
    for wrong in (lambda: keep(frame, 3, "d"), lambda: where(None, "d"), lambda: profile({}),
                  lambda: preview(3, "today"),
                  lambda: keep(frame, result, "d", today="2026-05-01")):  # fmt: skip
        with pytest.raises(SettingError, match=r"give|leave"):
            wrong()


def test_a_row_of_a_frame_may_stand_for_a_month():
    months = pd.DataFrame({"d": pd.date_range("2026-01-01", periods=5, freq="MS")})
    kept = ulnager.keep(months, "2026-02/2026-03", "d", grain="month")
    assert [f"{day:%m}" for day in kept["d"]] == ["02", "03"]
    with pytest.raises(ulnager.FilterError, match="cuts a month"):
        ulnager.keep(months, "2026-02-15/2026-03-31", "d", grain="month")
    inward = ulnager.keep(months, "2026-02-15/2026-03-31", "d", grain="month", rounding="inward")
    assert [f"{day:%m}" for day in inward["d"]] == ["03"]
