"""Warehouses that do not run here: each text uses only what its engine has, is read back into
DuckDB by our reader of that dialect, and keeps the rows of the frozen dates."""

import json
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import sqlalchemy as sa

import ulnager
from sql_types import UntypedError, check_types
from ulnager import FilterError, UlnagerError
from ulnager.checking.condition_rows import AskedCondition, Budget, _kept
from ulnager.checking.recognising import recognise
from ulnager.checking.translation import parsed, translated

from strategies import TIMES

WAREHOUSES = ["snowflake", "bigquery", "redshift", "trino", "tsql", "oracle", "databricks"]
HELD = {"date": "date", "timestamp": "time", "timestamptz": "instant", "yyyymmdd": "int",
        "yyyymm": "int", "yyyyww": "int", "iso-week": "text", "iso-text": "text",
        "epoch-seconds": "int", "epoch-milliseconds": "int"}  # fmt: skip
OF_INSTANTS = ("timestamptz", "epoch-seconds", "epoch-milliseconds")
FILE = Path(__file__).parent.parent / "docs" / "conformance.jsonl"
SAID = [json.loads(line) for line in FILE.read_text(encoding="utf-8").splitlines()]
PHRASES = sorted({one["canonical"] for one in SAID if not one.get("calendar") and one.get("spans")})
HARD = [date(2024, 2, 29), date(2024, 3, 1), date(2024, 3, 31), date(2023, 2, 28),
        date(2024, 12, 30), date(2024, 12, 31), date(2025, 1, 1), date(2025, 10, 26),
        date(2025, 6, 30), date(2026, 1, 4), date(2026, 5, 31), date(2027, 1, 1)]  # fmt: skip
DAYS = np.array([day.toordinal() for day in HARD], dtype=np.int64)
REACH = 800
OFFSETS = np.arange(-REACH, REACH + 1, dtype=np.int64)
FEW = ["last 7 days", "week to date", "last 3 whole months", "previous quarter",
       "month to date, 1 year earlier", "last 2 whole weeks", "this half, 3 months later",
       "since 13 months ago", "last 10 days only mondays", "2026-02"]  # fmt: skip
OF_UNITS = {"yyyymm": [*FEW[2:4], "this year"], "yyyyww": FEW[5:6], "iso-week": FEW[5:6]}


def some(target):
    """Every so many phrases, others for each; all of them in a longer run."""
    step = max(1, int(8 / TIMES))
    return PHRASES[WAREHOUSES.index(target) % step :: step]


def written(phrase, target, column_type="date", **options):
    return ulnager.condition(
        ulnager.period(phrase), "d", target=target, literal=True, column_type=column_type, **options
    ).text


def kept_of(text, target, column_type, at="0 hour"):
    """What a text keeps around each hard day, as our reader of its dialect understands it."""
    tree = translated(parsed(text, target), target, column_type)
    asked = AskedCondition(tree, text, column_type, None, "", Budget(1))
    return _kept(asked, DAYS, OFFSETS, at)


def frozen_of(phrase, zone="UTC", hours=0):
    """What the frozen dates keep: of each day its moment so many hours after midnight in UTC."""
    rows = []
    for day in HARD:
        now = datetime(day.year, day.month, day.day, 10, tzinfo=UTC)
        result = ulnager.period(phrase).resolve(now=now, tz=zone)
        moments = [
            datetime.combine(day + timedelta(int(n)), datetime.min.time(), UTC)
            + timedelta(hours=hours)
            for n in OFFSETS
        ]
        spans = result.instants(zone)
        rows.append([
            any((not a or one >= a) and (not b or one < b) for a, b in spans) for one in moments
        ])  # fmt: skip
    return np.array(rows)


def frozen_days(phrase):
    """What the frozen dates keep of the days around each hard one."""
    found = np.zeros((len(HARD), len(OFFSETS)), dtype=bool)
    for row, day in zip(found, HARD, strict=True):
        first = day.toordinal() - REACH
        for start, stop in ulnager.period(phrase).resolve(today=day).ranges:
            row[None if start is None else max(0, start - first) :
                None if stop is None else max(0, stop - first)] = True  # fmt: skip
    return found


@pytest.mark.parametrize("target", WAREHOUSES)
def test_live_texts_keep_the_rows_of_the_frozen_dates(target):
    tried = 0
    for phrase in some(target):
        period = ulnager.period(phrase)
        if period.definition.is_sub_day or period.definition.asks_data:
            continue
        try:
            text, wanted = written(phrase, target), frozen_days(phrase)
        except UlnagerError as error:
            assert any(word in str(error) for word in ("business", "every year", "several spans"))
            continue
        tried += 1
        assert (kept_of(text, target, "date") == wanted).all(), (phrase, text)
    assert tried > len(some(target)) * 0.8


@pytest.mark.parametrize("column_type", [name for name in HELD if name != "date"])
def test_columns_of_every_type_keep_the_same_days(column_type):
    """Keys, texts, times, and instants in a zone at the hours about its midnights."""
    zone, hours = (
        ("Europe/Berlin", (21, 22, 23) if TIMES >= 1 else (22, 23))
        if column_type in OF_INSTANTS
        else ("UTC", (0,))
    )
    for place, target in enumerate(WAREHOUSES):
        here = zone if target != "tsql" else "UTC"
        options = {"tz": here} if column_type in OF_INSTANTS else {}
        phrases = OF_UNITS.get(column_type, FEW)
        for phrase in phrases[place % 5 :: 5] if TIMES < 1 and len(phrases) > 3 else phrases:
            try:
                text = written(phrase, target, column_type, **options)
            except FilterError as error:
                assert "cannot be told apart" in str(error)
                continue
            for hour in hours:
                wanted = frozen_of(phrase, here, hour) if options else frozen_days(phrase)
                found = kept_of(text, target, column_type, f"{hour} hour")
                assert (found == wanted).all(), (target, phrase, hour, text)


@pytest.mark.parametrize("target", WAREHOUSES[:-1])
def test_texts_use_only_what_the_engine_has(target):
    """Functions, the types of their arguments, and comparisons of like with like."""
    for phrase in [*some(target), "last 3 rolling hours", "latest", "last 2 whole hours"]:
        for held, kind in HELD.items():
            zone = "UTC" if target == "tsql" else "Europe/Berlin"
            options = {"tz": zone} if held in OF_INSTANTS else {}
            for more in (
                {},
                {"anchor": "a"},
                {"latest": ("trips", "day")},
                {"day_starts": "05:00"},
            ):
                try:
                    text = written(phrase, target, held, **options, **more)
                except UlnagerError:
                    continue
                check_types(target, text, kind)
    for text in ("DATE_SHIFT(d, 1) < d", '"d" < SYSTEM_NOW', '"d" >= 3'):
        with pytest.raises((UntypedError, AssertionError)):
            check_types(target, text, "date")


def test_databricks_writes_what_runs_on_spark():
    for phrase in PHRASES[::4]:
        for held in ("date", "timestamp", "yyyymmdd", "iso-week"):
            try:
                text = written(phrase, "databricks", held)
            except UlnagerError:
                continue
            assert text == written(phrase, "spark", held)


@pytest.mark.parametrize("target", WAREHOUSES)
def test_readings_give_the_phrase_back(target):
    for phrase in ("last 7 days except today", "month to date", "previous quarter"):
        period = ulnager.period(phrase)
        found = recognise(written(phrase, target), target=target)
        assert found.phrase is not None
        days = ("2024-02-29", "2026-05-20", "2026-12-31")
        assert all(found.phrase.resolve(today=one) == period.resolve(today=one) or
                   found.phrase.resolve(today=one).spans == period.resolve(today=one).spans
                   for one in days)  # fmt: skip


def test_what_an_engine_cannot_do_for_certain_is_refused():
    for target, phrase, options, told in (
        ("tsql", "today", {"column_type": "timestamptz", "tz": "Europe/Berlin"}, "only in UTC"),
        ("trino", "today", {"column_type": "timestamptz", "tz": "America/Havana"}, "leave out or"),
        ("oracle", "last 2 whole hours", {"column_type": "timestamptz", "tz": "UTC"}, "no words"),
        ("snowflake", "this hour", {"column_type": "timestamptz", "tz": "Asia/Kolkata"}, "of UTC"),
        ("bigquery", "this business day", {}, "date table"),
    ):
        with pytest.raises(FilterError, match=told):
            written(phrase, target, **options)


def test_dialects_of_sqlalchemy_write_the_same():
    from sqlalchemy.dialects import mssql, oracle

    for target, dialect in (("tsql", mssql.dialect()), ("oracle", oracle.dialect())):
        for phrase in ("last 3 whole months", "last 10 days except weekends"):
            clause = sa.select(sa.column("n")).where(ulnager.where(phrase, "d"))
            made = str(clause.compile(dialect=dialect)).split("WHERE ")[1]
            assert made == ulnager.condition(phrase, "d", target=target, literal=True).text
