"""What live conditions look like, what they use, and what cannot be live."""

import functools
import re
from datetime import date, datetime, timedelta, timezone
from zoneinfo import ZoneInfo

import pytest
import sqlalchemy as sa

from ulnager import (
    FilterError,
    ResolveError,
    SettingError,
    WeekCalendar,
    open_source,
    period,
    where,
)
from ulnager.demo import table
from ulnager.filters.engines import ENGINES as PRIMITIVES
from ulnager.filters.sql_text import sql_text

from engines import ENGINES, engine_named, engines_there


def test_an_index_is_used_by_frozen_and_live_conditions():
    """The plans of SQLite and, where it is there, of PostgreSQL."""
    result = period("last 7 whole days").resolve(today="2026-05-20")
    for name in ("sqlite", "postgresql"):
        try:
            connection = engine_named(name).connection
        except pytest.skip.Exception:
            continue
        connection.execute(sa.text("CREATE INDEX ulnager_by_day ON ulnager_rows (d)"))
        connection.execute(sa.text("ANALYZE ulnager_rows" if name == "postgresql" else "ANALYZE"))
        live = where(period("last 7 whole days"), "d", today=date(2026, 5, 20))
        for clause in (where(result, "d"), live):
            text = sql_text(clause, name)
            explain = "EXPLAIN" if name == "postgresql" else "EXPLAIN QUERY PLAN"
            plan = connection.exec_driver_sql(f"{explain} SELECT id FROM ulnager_rows WHERE {text}")
            assert "ulnager_by_day" in str(plan.fetchall())


PARTITIONED = [
    ("day", "date", "last 7 whole days", 7, 1),
    ("month", "yyyymm", "last 2 whole months", 2, 10),
]


@pytest.mark.parametrize(("column", "column_type", "phrase", "parts", "step"), PARTITIONED)
def test_only_the_partitions_that_are_asked_for_are_read(
    column, column_type, phrase, parts, step, tmp_path, capsys
):
    """The plans of DuckDB and Spark, for Parquet files in a folder of each day or month."""
    import duckdb

    folder = tmp_path / "parts"
    duckdb.execute(
        f"""COPY (SELECT d AS day, year(d) * 100 + month(d) AS month, i FROM (
            SELECT DATE '2026-05-25' - i::INT * {step} AS d, i FROM range(15) t(i)))
        TO '{folder}' (FORMAT parquet, PARTITION_BY ({column}))"""
    )
    said = period(phrase)
    frozen = where(said.resolve(today="2026-05-20"), column, column_type=column_type)
    live = where(said, column, column_type=column_type, today=date(2026, 5, 20))
    spark = dict(engines_there()).get("spark")
    for clause in (frozen, live):
        text = sql_text(clause, "duckdb")
        files = f"read_parquet('{folder}/*/*.parquet', hive_partitioning = true)"
        plan = duckdb.sql(f"EXPLAIN ANALYZE SELECT i FROM {files} WHERE {text}").fetchall()
        assert f"Scanning Files: {parts}/" in plan[0][1]
        if spark:
            frame = spark.session.read.parquet(str(folder))
            text = sql_text(clause, "spark")
            frame.filter(text).explain("formatted")
            told = capsys.readouterr().out
            assert re.search(rf"PartitionFilters: .*\({column}#\d+L? >= .*{column}#\d+L? < ", told)
            assert "DataFilters" not in told


ODD = '50% "x" `y` {z} :a é;--'


@pytest.mark.parametrize("name", ENGINES)
def test_names_that_are_hard_to_quote_are_harmless(name):
    engine, quote = engine_named(name), "`" if name in ("mariadb", "spark") else '"'
    odd = quote + ODD.replace(quote, quote * 2) + quote
    source = f"(SELECT id, k, d AS {odd} FROM ulnager_rows) AS odd"
    result = period("last 3 days").resolve(today="2026-05-20")
    for clause in (
        where(result, ODD),
        where(period("last 3 days"), ODD, today=date(2026, 5, 20)),
        where(period("last 1 day"), "k", column_type="yyyymmdd", anchor=ODD),
    ):
        text = sql_text(clause, name)
        kept = engine.values([odd], f"{text} AND id < 9000", source)
        assert kept
        assert len(kept) == len(engine.values(["d"], text.replace(odd, "d") + " AND id < 9000"))


def test_offsets_never_reach_a_database_whose_signs_differ():
    three_west = timezone(timedelta(hours=-3))
    with pytest.raises(SettingError, match="databases agree on"):
        where(period("today"), "d", tz=three_west)
    scans = open_source(table("gate_scans"))
    with pytest.raises(SettingError, match="databases agree on"):
        scans.extent("scanned_at", three_west)


def test_a_schema_is_quoted_apart_from_its_table():
    clause = where(period("until latest"), "d", latest=("main.trips", "day"))
    text = sql_text(clause, "duckdb")
    assert '(SELECT max("day") FROM "main"."trips")' in text


def test_a_period_given_to_where_stays_live():
    clause = where(period("month to date"), "d")
    assert sql_text(clause, "sqlite") == (
        "\"d\" >= date('now', 'localtime', 'start of month') AND "
        "\"d\" < date('now', 'localtime', '+1 days')"
    )


@pytest.mark.parametrize("name", ENGINES)
def test_live_conditions_can_be_joined_and_turned_round(name):
    """As any condition of SQLAlchemy; those without a date are on neither side."""
    today = date(2026, 5, 20)
    month, week = (where(period(p), "d", today=today) for p in ("this month", "this week"))
    is_there = sa.column("d").is_not(None)
    kept, others, every, both, either, nothing = engine_named(name).tallies(
        [month, ~month, is_there, sa.and_(month, week), sa.or_(month, week), month & ~month]
    )
    assert (kept + others, nothing) == (every, 0)
    assert 0 < both < kept == either < every
    text = sql_text(sa.select(week), name)
    assert "= 1" not in text


@pytest.mark.parametrize("name", ENGINES)
def test_the_clock_of_the_engine_is_read(name):
    """Its own today, and where it knows of zones or of UTC the one there."""
    said = period("from 2 days before today to 2 days after today")
    zones = [None, "UTC", *(["Pacific/Kiritimati"] if PRIMITIVES[name].has_zones else [])]
    for zone in zones:
        clause = where(said, "d", tz=zone)
        text = sql_text(clause, name)
        start = text.split(">= ")[1].split(" AND ")[0]
        ((found,),) = engine_named(name).values([start], "id = 0")
        wanted = datetime.now(zone and ZoneInfo(zone)).date() - timedelta(days=2)
        assert abs(date.fromisoformat(str(found)[:10]) - wanted) <= timedelta(days=zone is None)


@pytest.mark.parametrize(
    ("phrase", "target", "text"),
    [
        ("last 3 whole months", "sqlite",
         "d >= date('now', 'localtime', 'start of month', '-3 months') AND "
         "d < date('now', 'localtime', 'start of month')"),
        ("last 7 rolling days", "postgresql",
         "d >= (CURRENT_DATE - 6) AND d < (CURRENT_DATE + 1)"),
        ("month to date", "mysql",
         "d >= (CURRENT_DATE - INTERVAL DAYOFMONTH(CURRENT_DATE) - 1 DAY) AND "
         "d < (CURRENT_DATE + INTERVAL 1 DAY)"),
    ],
)  # fmt: skip
def test_live_sql_is_what_a_person_would_write(phrase, target, text):
    clause = where(period(phrase), sa.column("d"))
    assert sql_text(clause, target) == text


INSTANTS = {"column_type": "timestamptz", "tz": "UTC"}


@pytest.mark.parametrize(
    ("phrase", "options", "target", "message"),
    [
        ("last 3 business days", {}, "duckdb", "name the date table"),
        ("last 3 hours", {}, "duckdb", "hours"),
        ("5th friday of this month", {}, "duckdb", "may not be there"),
        ("2nd friday of (today plus tomorrow)", {}, "duckdb", "may not be there"),
        ("3rd friday of rest of month", {}, "duckdb", "may not be there"),
        ("3rd friday of month to date", {}, "duckdb", "may not be there"),
        ("until end of rest of month", {}, "duckdb", "may be empty"),
        ("since start of (this week within last 3 days)", {}, "duckdb", "may be empty"),
        ("today", {"column_type": "yyyymm"}, "duckdb", "inward"),
        ("today", {"column_type": "yyyymm", "rounding": "up"}, "duckdb", "inward or outward"),
        ("until latest", {}, "duckdb", "which table and column"),
        ("since latest whole day", {"latest": ("t", "d")}, "duckdb", "takes a profile"),
        ("last 3 hours", INSTANTS | {"today": date(2026, 5, 20)}, "duckdb", "give now as well"),
        ("last 3 hours", INSTANTS | {"now": "2026-05-20T08:00"}, "duckdb", "add its offset"),
        ("last 3 hours", INSTANTS | {"anchor": "a", "running": True}, "duckdb", "no moment"),
        ("last 3 hours", INSTANTS | {"tz": "Asia/Tokyo"}, "mysql", "only in UTC"),
        ("this hour, 1 month earlier", INSTANTS | {"tz": "Asia/Tokyo"}, "mysql", "only in UTC"),
        ("since 2 hours before today, 1 period earlier", INSTANTS, "duckdb", "length"),
        ("today", {"column_type": "datum"}, "duckdb", "choose date"),
        ("today", {"anchor": "a", "anchor_type": "iso-text"}, "duckdb", "choose date"),
        ("today", {"column_type": "epoch-seconds"}, "spark", "needs tz"),
        ("today", {"column_type": "timestamptz"}, "duckdb", "needs tz"),
        ("today", {"column_type": "timestamptz", "tz": "Asia/Tokyo"}, "mysql", "only in UTC"),
        ("today", {"tz": "Asia/Tokyo"}, "sqlite", "only in UTC"),
        (
            "this week in x",
            {"date_table": "t", "calendars": {"x": WeekCalendar()}},
            "duckdb",
            "a calendar of weeks",
        ),
        ("today", {"calendar": WeekCalendar()}, "duckdb", "a calendar of weeks"),
        ("this month", {}, "ansi", "choose duckdb, postgresql"),
        (
            "last 3 months of this quarter, 3 periods later, 3 weeks later, 1 half earlier",
            {"column_type": "yyyyww", "rounding": "outward"},
            "sqlite",
            "nested deeper than its parser reads",
        ),
    ],
)
def test_what_cannot_be_live_is_an_error(phrase, options, target, message):
    with pytest.raises(FilterError, match=message):
        sql_text(where(period(phrase), sa.column("d"), **options), target)
    with pytest.raises(ResolveError, match="several spans"):
        where(period("since start of (today plus tomorrow)"), "d")


def test_rows_that_stand_for_longer_units_keep_to_them():
    """A start of a year is known to be one, though it is a start of a month first."""
    longer = {
        "week": "week",
        "month": "month quarter year",
        "quarter": "quarter year",
        "year": "year",
    }
    for grain, fits in longer.items():
        for unit in ("week", "month", "quarter", "year"):
            clause = functools.partial(where, f"last 2 whole {unit}s", "d", grain=grain)
            if unit in fits:
                plain = where(f"last 2 whole {unit}s", "d")
                assert sql_text(clause(), "duckdb") == sql_text(plain, "duckdb")
            else:
                with pytest.raises(FilterError, match="may lie inside"):
                    clause()
