"""Live conditions keep, on every engine, the rows that plain Python keeps."""

import os
from datetime import date, datetime, time, timedelta, timezone

import pytest
import sqlalchemy as sa
from hypothesis import assume, given
from hypothesis import strategies as st

from ulnager import (
    FilterError,
    MonthCalendar,
    ResolveError,
    SettingError,
    WeekCalendar,
    live_where,
    open_source,
    period,
    where,
)
from ulnager.demo import table
from ulnager.filters.sql import DIALECTS, compiled

from strategies import calendars, examples

FIRST, LAST = date(2018, 1, 1), date(2033, 12, 31)
DATA = (date(2019, 3, 31), date(2026, 5, 17))
URLS = {
    "sqlite": "sqlite://",
    "postgresql": os.environ.get(
        "ULNAGER_POSTGRESQL", "postgresql+psycopg://postgres@127.0.0.1:5432/test"
    ),
    "mariadb": os.environ.get("ULNAGER_MARIADB", "mysql+pymysql://root@127.0.0.1:3306/test"),
}
REQUIRED = os.environ.get("ULNAGER_REQUIRE", "").split(",")

META = sa.MetaData()
DAYS = sa.Table("ulnager_days", META, sa.Column("id", sa.Integer), sa.Column("d", sa.Date),
                sa.Column("t", sa.DateTime), prefixes=["TEMPORARY"])  # fmt: skip
LOADS = sa.Table("ulnager_loads", META, sa.Column("d", sa.Date), prefixes=["TEMPORARY"])


def rows():
    """Every day, with a moment of it: midnight, or the last second."""
    for number in range(FIRST.toordinal(), LAST.toordinal() + 1):
        day = date.fromordinal(number)
        late = timedelta(seconds=86_399 if number % 2 else 0)
        yield {"id": number, "d": day, "t": datetime.combine(day, time()) + late}
    yield {"id": 0, "d": None, "t": None}


class Alchemy:
    """An engine that SQLAlchemy speaks to."""

    def __init__(self, name):
        self.connection = sa.create_engine(URLS[name]).connect()
        META.create_all(self.connection, checkfirst=False)
        self.connection.execute(DAYS.insert(), list(rows()))
        self.connection.execute(LOADS.insert(), [{"d": day} for day in DATA])

    def kept(self, clause):
        statement = sa.select(DAYS.c.id).where(clause).order_by(DAYS.c.id)
        return list(self.connection.execute(statement).scalars())


class Duck:
    """DuckDB itself, which takes the text."""

    def __init__(self):
        import duckdb

        self.connection = duckdb.connect()
        self.connection.execute("CREATE TABLE ulnager_days (id INT, d DATE, t TIMESTAMP)")
        self.connection.execute("CREATE TABLE ulnager_loads (d DATE)")
        self.connection.execute(
            f"""INSERT INTO ulnager_days
            SELECT n, day, day::TIMESTAMP + INTERVAL 86399 SECOND * (n % 2)
            FROM (SELECT n, DATE '0001-01-01' + (n - 1)::INT AS day
                  FROM range({FIRST.toordinal()}, {LAST.toordinal() + 1}) r(n))"""
        )
        self.connection.execute("INSERT INTO ulnager_days VALUES (0, NULL, NULL)")
        self.connection.executemany("INSERT INTO ulnager_loads VALUES (?)", [[d] for d in DATA])

    def kept(self, clause):
        text = compiled(clause, DIALECTS["duckdb"](), literal=True).text
        found = self.connection.execute(f"SELECT id FROM ulnager_days WHERE {text} ORDER BY id")
        return [number for (number,) in found.fetchall()]


@pytest.fixture(scope="module", params=["sqlite", "duckdb", "postgresql", "mariadb"])
def engine(request):
    try:
        yield Duck() if request.param == "duckdb" else Alchemy(request.param)
    except (sa.exc.OperationalError, ImportError) as error:
        if request.param in REQUIRED:
            raise
        pytest.skip(f"{request.param} is not there: {error}")


UNITS = st.sampled_from(["day", "week", "month", "quarter", "half", "year"])
TEMPLATES = [
    "this {u}", "previous {u}", "next {u}", "{u} to date", "rest of {u}", "latest {u}",
    "last {n} rolling {us}", "last {n} {us}", "last {n} whole {us}", "last {n} {us} to date",
    "last {n} {us} to end", "next {n} rolling {us}", "next {n} whole {us}",
    "next {n} {us} from date", "next {n} {us} from start", "yesterday", "tomorrow",
    "since {n} {us} before today", "from start of {u} to end of next {u}", "until latest",
    "before {n} {us} after start of {u}", "after earliest", "from {n} {us} before latest",
    "last {n} whole {us} as of latest", "{u} to date as of end of previous {u}",
    "{u} to date, {n} {us} earlier", "{u} to date, 1 period earlier", "2026-03, {n} {us} later",
    "last {n} rolling {us}, {n} periods earlier", "last {n} whole {us}, 1 period later",
    "last {n} {us} within data", "{u} to date within last {n} whole {us}", "all dates",
    "first monday of this month", "last friday of previous quarter", "3rd sunday of next month",
    "first day of this {u}", "last day of previous {u}", "2026-W14", "year to date in fiscal",
    "month to date, {n} weeks earlier as of 2024-02-29", "this month, 1 year earlier",
]  # fmt: skip


@st.composite
def live_phrases(draw):
    unit, count = draw(UNITS), draw(st.integers(1, 14))
    text = draw(st.sampled_from(TEMPLATES)).replace("{us}", "halves" if unit == "half" else
                                                    f"{unit}s")  # fmt: skip
    return text.replace("{u}", unit).replace("{n}", str(count))


TODAYS = st.one_of(
    st.dates(date(2021, 1, 1), date(2029, 12, 31)),
    st.sampled_from([date(2024, 2, 29), date(2026, 5, 31), date(2025, 12, 31), date(2026, 2, 28)]),
)


@examples(250)
@given(phrase=live_phrases(), calendar=calendars(), today=TODAYS,
       column_type=st.sampled_from(["date", "timestamp"]))  # fmt: skip
def test_live_conditions_keep_what_python_keeps(engine, phrase, calendar, today, column_type):
    calendar = calendar[0]
    fiscal = {"fiscal": MonthCalendar(year_starts="10-01")}
    said = period(phrase)
    try:
        result = said.resolve(today=today, calendar=calendar, data=DATA, calendars=fiscal)
    except ResolveError:
        assume(False)
    try:
        clause = live_where(
            said,
            DAYS.c.t if column_type == "timestamp" else DAYS.c.d,
            column_type=column_type,
            calendar=calendar,
            calendars=fiscal,
            latest=("ulnager_loads", "d"),
            today=today,
        )
    except FilterError:
        assert "day of" in phrase  # which may not be there
        assume(False)
    expected = [
        number
        for number in range(FIRST.toordinal(), LAST.toordinal() + 1)
        if result.contains(date.fromordinal(number))
    ]
    assert engine.kept(clause) == expected


def test_an_index_is_used_by_frozen_and_live_conditions():
    """The plans of SQLite and, where it is there, of PostgreSQL."""
    result = period("last 7 whole days").resolve(today="2026-05-20")
    for name in ("sqlite", "postgresql"):
        try:
            made = Alchemy(name)
        except (sa.exc.OperationalError, ImportError):
            assert name not in REQUIRED
            continue
        connection = made.connection
        connection.execute(sa.text("CREATE INDEX ulnager_by_day ON ulnager_days (d)"))
        connection.execute(sa.text("ANALYZE ulnager_days" if name == "postgresql" else "ANALYZE"))
        live = live_where(period("last 7 whole days"), DAYS.c.d, today=date(2026, 5, 20))
        for clause in (where(result, DAYS.c.d), live):
            statement = sa.select(DAYS.c.id).where(clause)
            text = statement.compile(connection, compile_kwargs={"literal_binds": True})
            explain = "EXPLAIN" if name == "postgresql" else "EXPLAIN QUERY PLAN"
            plan = str(connection.exec_driver_sql(f"{explain} {text}").fetchall())
            assert "ulnager_by_day" in plan, plan


def test_offsets_never_reach_a_database_whose_signs_differ():
    three_west = timezone(timedelta(hours=-3))
    with pytest.raises(SettingError, match="databases agree on"):
        live_where(period("today"), "d", tz=three_west)
    scans = open_source(table("gate_scans"))
    with pytest.raises(SettingError, match="databases agree on"):
        scans.extent("scanned_at", three_west)


def test_a_schema_is_quoted_apart_from_its_table():
    clause = live_where(period("until latest"), "d", latest=("main.trips", "day"))
    text = compiled(clause, DIALECTS["duckdb"](), literal=True).text
    assert '(SELECT max("day") FROM "main"."trips")' in text


def test_a_period_given_to_where_stays_live():
    clause = where(period("month to date"), "d")
    assert compiled(clause, DIALECTS["sqlite"](), literal=True).text == (
        "\"d\" >= date('now', 'localtime', 'start of month') AND "
        "\"d\" < date('now', 'localtime', '+1 days')"
    )


def test_the_clock_of_the_engine_is_read(engine):
    clause = live_where(period("from 2 days before today to 2 days after today"), DAYS.c.d)
    kept = engine.kept(clause)
    assert len(kept) == 5
    assert abs(kept[2] - date.today().toordinal()) <= 1


@pytest.mark.parametrize(
    ("phrase", "target", "text"),
    [
        ("last 3 whole months", "sqlite",
         "d >= date('now', 'localtime', 'start of month', '-3 months') AND "
         "d < date('now', 'localtime', 'start of month')"),
        ("last 7 rolling days", "postgresql",
         "d >= (CURRENT_DATE -6) AND d < (CURRENT_DATE +1)"),
        ("month to date", "mysql",
         "d >= (CURRENT_DATE - INTERVAL DAYOFMONTH(CURRENT_DATE) - 1 DAY) AND "
         "d < (CURRENT_DATE + INTERVAL 1 DAY)"),
    ],
)  # fmt: skip
def test_live_sql_is_what_a_person_would_write(phrase, target, text):
    clause = live_where(period(phrase), sa.column("d"))
    assert compiled(clause, DIALECTS[target](), literal=True).text == text


@pytest.mark.parametrize(
    ("phrase", "options", "target", "message"),
    [
        ("last 3 business days", {}, "duckdb", "join the date table"),
        ("last 3 hours", {}, "duckdb", "hours"),
        ("5th friday of this month", {}, "duckdb", "may not be there"),
        ("2nd friday of (today plus tomorrow)", {}, "duckdb", "may not be there"),
        ('"May 2026"', {}, "duckdb", "fixed unit"),
        ("today", {"column_type": "yyyymm"}, "duckdb", "choose date"),
        ("today", {"column_type": "timestamptz"}, "duckdb", "needs tz"),
        ("today", {"column_type": "timestamptz", "tz": "UTC"}, "mysql", "cannot be relied on"),
        ("today", {"tz": "UTC"}, "sqlite", "cannot be relied on"),
        ("today", {"calendar": WeekCalendar()}, "duckdb", "a calendar of weeks"),
        ("this month", {}, "ansi", "choose sqlite, duckdb"),
    ],
)
def test_what_cannot_be_live_is_an_error(phrase, options, target, message):
    with pytest.raises(FilterError, match=message):
        compiled(live_where(period(phrase), sa.column("d"), **options), DIALECTS[target](),
                 literal=True)  # fmt: skip
    with pytest.raises(ResolveError, match="several spans"):
        compiled(live_where(period("today plus tomorrow"), sa.column("d")), DIALECTS["duckdb"](),
                 literal=True)  # fmt: skip
