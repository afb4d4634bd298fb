"""The engines and data frame libraries that conditions are tried on; each holds the same rows."""

import os
import random
import tempfile
from datetime import UTC, date, datetime, time, timedelta
from functools import cache
from typing import ClassVar
from zoneinfo import ZoneInfo

import numpy as np
import pytest
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from ulnager import (
    BusinessDays,
    MonthCalendar,
    TableCalendar,
    WeekCalendar,
    date_table,
    own_unit,
    period,
)
from ulnager.core.calendars.table_calendar import TableRow
from ulnager.core.calendars.zone_offsets import offset_table
from ulnager.filters.sql_text import compiled, dialect_named, sql_text

URLS = {
    "sqlite": "sqlite://",
    "postgresql": os.environ.get(
        "ULNAGER_POSTGRESQL", "postgresql+psycopg://postgres@127.0.0.1:5432/test"
    ),
    "mariadb": os.environ.get("ULNAGER_MARIADB", "mysql+pymysql://root@127.0.0.1:3306/test"),
}
REQUIRED = os.environ.get("ULNAGER_REQUIRE", "").split(",")
ENGINES = ["sqlite", "duckdb", "postgresql", "mariadb", "datafusion"]
# A minute and a half the one, half a gigabyte the other, so they have to be asked for.
ENGINES += [name for name in ("spark", "clickhouse") if name in REQUIRED]
WITHOUT_ZONES = ("sqlite", "mariadb", "datafusion", "clickhouse")

# The clocks of the second go back over midnight, those of the third go forward at midnight.
ZONES = ["America/Halifax", "Atlantic/Azores", "Asia/Beirut", "UTC"]
FIRST, LAST = date(2023, 1, 1), date(2028, 12, 31)
LOADS = (date(2024, 3, 31), date(2026, 5, 17))
MICROSECOND, HOUR = timedelta(microseconds=1), timedelta(hours=1)
COLUMNS = {
    "date": "d", "timestamp": "t", "timestamptz": "z", "yyyymmdd": "k", "yyyymm": "m",
    "epoch-seconds": "es", "epoch-milliseconds": "em", "iso-text": "x",
    "yyyyww": "w", "iso-week": "wx",
}  # fmt: skip
SQL_TYPES = {
    "id": sa.Integer, "h": sa.BigInteger, "a": sa.Date, "d": sa.Date,
    "t": sa.DateTime().with_variant(mysql.DATETIME(fsp=6), "mysql", "mariadb"),
    "z": sa.DateTime(timezone=True).with_variant(mysql.DATETIME(fsp=6), "mysql", "mariadb"),
    "k": sa.Integer, "m": sa.Integer, "es": sa.BigInteger, "em": sa.BigInteger, "x": sa.String(40),
    "w": sa.Integer, "wx": sa.String(10),
}  # fmt: skip
META = sa.MetaData()
ROWS = sa.Table("ulnager_rows", META, *(sa.Column(name, kind) for name, kind in SQL_TYPES.items()),
                prefixes=["TEMPORARY"])  # fmt: skip
LOADED = sa.Table("ulnager_loads", META, sa.Column("d", sa.Date), prefixes=["TEMPORARY"])

OFFICE = BusinessDays(holidays=[date(y, m, 25) for y in range(2015, 2036) for m in (5, 12)])
TERMS = [
    TableRow("term", date(year, month, day))
    for year in range(2010, 2041)
    for month, day in ((1, 12), (4, 20), (9, 7))
]
CALENDARS = {
    "harbour": MonthCalendar("10-01", "sunday", business=OFFICE,
                             cycles=[own_unit("pay period", 14, date(2026, 1, 5))]),
    "shop": WeekCalendar("4-5-4", "saturday", "january", "nearest", 7, business=OFFICE),
    "thirteen": WeekCalendar("13x4", "sunday", "june"),
    "school": TableCalendar(TERMS, MonthCalendar("09-01")),
    "camp": TableCalendar(TERMS, WeekCalendar("4-4-5", "friday", "may", "last", 2)),
}  # fmt: skip


@cache
def moments():
    """Instants around every midnight and every change of clocks, in all zones."""
    found = {datetime(y, m, 1, tzinfo=UTC) for y in range(2008, 2045) for m in range(1, 13)}
    for zone in map(ZoneInfo, ZONES):
        for number in range(FIRST.toordinal(), LAST.toordinal() + 1):
            local = datetime.combine(date.fromordinal(number), time(), zone)
            ends = {local.astimezone(UTC), local.replace(fold=1).astimezone(UTC)}
            if len(ends) == 2:
                ends |= {end + step for end in ends for step in (-HOUR, HOUR)}
            found |= ends | {end - MICROSECOND for end in ends}
    return sorted(found)


@cache
def rows():
    """A dictionary for each instant; the last row holds nothing. ``h`` tells which rows came."""
    chance = random.Random(20260520)
    made = []
    for number, z in enumerate(moments()):
        t, seconds = (
            z.replace(tzinfo=None),
            int((z - datetime(1970, 1, 1, tzinfo=UTC)) // MICROSECOND),
        )
        year, week, _ = t.isocalendar()
        made.append({
            "w": year * 100 + week, "wx": f"{year}-W{week:02}",
            "id": number, "h": chance.getrandbits(40), "d": t.date(), "t": t, "z": z,
            "a": None if number % 97 == 0 else t.date() + timedelta(days=chance.randint(-70, 70)),
            "k": int(f"{t:%Y%m%d}"), "m": int(f"{t:%Y%m}"), "es": seconds // 1_000_000,
            "em": seconds // 1_000, "x": t.isoformat(sep="T" if number % 2 else " "),
        })  # fmt: skip
    return [*made, {**dict.fromkeys(SQL_TYPES), "id": -1, "h": chance.getrandbits(40)}]


@cache
def local_days(zone):
    zone = ZoneInfo(zone)
    days = [row["z"] and row["z"].astimezone(zone).date() for row in rows()]
    return np.array(days, dtype="datetime64[D]")


@cache
def hashes():
    return np.array([row["h"] for row in rows()])


def tally(inside):
    """The sum of what tells the rows of a mask apart: 40 random bits each."""
    return int(hashes()[np.asarray(inside, dtype=bool)].sum())


def what_python_keeps(result, column_type, zone="UTC", rounding=None):
    """The tally of the rows in a result, worked out on the local days alone."""
    local = column_type not in ("timestamptz", "epoch-seconds", "epoch-milliseconds")
    days = local_days("UTC" if local else zone)
    if column_type in ("yyyymm", "yyyyww", "iso-week"):
        if column_type == "yyyymm":
            edges = np.arange("2008-01", "2045-02", dtype="datetime64[M]").astype("datetime64[D]")
        else:
            edges = np.arange("2007-12-31", "2045-01-03", 7, dtype="datetime64[D]")
        inside = result.mask(np.arange(edges[0], edges[-1]))
        whole = (np.logical_and if rounding == "inward" else np.logical_or).reduceat(
            inside, (edges[:-1] - edges[0]).astype(int)
        )
        unit = np.searchsorted(edges, days, side="right") - 1
        known = (unit >= 0) & (unit < len(whole)) & ~np.isnat(days)
        return tally(known & whole[np.where(known, unit, 0)])
    return tally(result.mask(days) & ~np.isnat(days))


@cache
def written_table(name):
    """The date table of a calendar, without the columns that nothing here looks at; or offsets."""
    if name == "offsets":
        found = offset_table(ZONES, date(2007, 1, 1), date(2045, 12, 31))
        return {one: np.array(values) for one, values in found.items()}
    calendar = CALENDARS[name]
    anchor = period("today").resolve(today="2026-05-20").anchor
    found = date_table(calendar, date(2011, 1, 1), date(2039, 6, 30), anchor)
    return {
        name: values
        for name, values in found.items()
        if name in ("date", "weekday", "is_business_day") or name.endswith("_index")
        or name.endswith(("_start", "_end", "_day"))
    }  # fmt: skip


class Alchemy:
    """An engine that SQLAlchemy speaks to."""

    def __init__(self, name):
        self.name = name
        made = sa.create_engine(URLS[name], isolation_level="AUTOCOMMIT")
        self.connection = made.connect()
        META.create_all(self.connection, checkfirst=False)
        held = rows()
        if name in WITHOUT_ZONES:
            held = [{**row, "z": row["z"] and row["z"].replace(tzinfo=None)} for row in held]
        self.connection.execute(ROWS.insert(), held)
        self.connection.execute(LOADED.insert(), [{"d": day} for day in LOADS])
        self.tables = set()

    def with_table(self, name):
        """The name of the date table of a calendar, made when it is first asked for."""
        if name in self.tables:
            return f"ulnager_{name}"
        columns = written_table(name)
        types = {"M": sa.Date, "b": sa.Boolean, "U": sa.String(40), "i": sa.BigInteger}
        table = sa.Table(
            f"ulnager_{name}", sa.MetaData(),
            *(sa.Column(n, types.get(v.dtype.kind, sa.Integer), index=n == "date" or "index" in n)
              for n, v in columns.items()),
            prefixes=["TEMPORARY"],
        )  # fmt: skip
        table.create(self.connection)
        values = zip(*(column.tolist() for column in columns.values()), strict=True)
        self.connection.execute(
            table.insert(), [dict(zip(columns, row, strict=True)) for row in values]
        )
        if self.name == "postgresql":
            self.connection.execute(sa.text(f"ANALYZE {table.name}"))
        self.tables.add(name)
        return table.name

    def tallies(self, clauses, literal=False):
        """The tally of the rows that each condition keeps, in one query."""
        found = _question(clauses)
        if literal:
            text = sql_text(found, self.name)
            return list(map(int, self._as_it_is(text).one()))
        return list(map(int, self.connection.execute(found).one()))

    def values(self, *query):
        return [tuple(row) for row in self._as_it_is(_query(*query))]

    def _as_it_is(self, text):
        """The text, with a percent sign taken for no parameter."""
        options = {"no_parameters": True}
        return self.connection.exec_driver_sql(text, execution_options=options)


class Texts:
    """An engine that takes the text, of several conditions so much of it at once."""

    longest = 10_000_000

    def tallies(self, clauses, literal=True):
        found = _question(clauses)
        made = compiled(found, dialect_named(self.name), literal=literal)
        half = len(clauses) // 2
        if half and len(made.text) > self.longest:
            return self.tallies(clauses[:half], literal) + self.tallies(clauses[half:], literal)
        return list(map(int, self.run(made.text, made.parameters)[0]))

    def values(self, *query):
        return [tuple(row) for row in self.run(_query(*query), {})]


class Duck(Texts):
    name = "duckdb"

    def __init__(self):
        import duckdb

        self.connection = duckdb.connect()
        self.connection.execute("SET TimeZone = 'America/New_York'")
        self.connection.register("arrow", arrow_table())
        self.connection.execute("CREATE TABLE ulnager_rows AS FROM arrow")
        self.connection.execute("CREATE TABLE ulnager_loads (d DATE)")
        self.connection.executemany("INSERT INTO ulnager_loads VALUES (?)", [[d] for d in LOADS])

    def with_table(self, name):
        columns = {n: v.astype("datetime64[us]") if v.dtype.kind == "M" else v
                   for n, v in written_table(name).items()}  # fmt: skip
        casts = ", ".join(f'"{n}"::DATE AS "{n}"' if v.dtype.kind == "M" else f'"{n}"'
                          for n, v in columns.items())  # fmt: skip
        self.connection.register("columns_of_it", columns)
        self.connection.execute(
            f"CREATE TABLE IF NOT EXISTS ulnager_{name} AS SELECT {casts} FROM columns_of_it"
        )
        return f"ulnager_{name}"

    def run(self, text, parameters):
        return self.connection.execute(text.replace(":st", "$st"), parameters or None).fetchall()


class Fusion(Texts):
    """DataFusion, whose text takes its parameters as values only."""

    name = "datafusion"

    def __init__(self):
        from datafusion import SessionContext

        self.context = SessionContext()
        self._loaded("rows", arrow_table())
        self._loaded("loads", pa_table({"d": np.array(LOADS, dtype="datetime64[D]")}))

    def _loaded(self, name, table):
        self.context.from_arrow(table, f"ulnager_{name}")

    def with_table(self, name):
        if not self.context.table_exist(f"ulnager_{name}"):
            self._loaded(name, pa_table(written_table(name)))
        return f"ulnager_{name}"

    def tallies(self, clauses, literal=True):
        # One by one: two sums of the same text in one query are one name too many for it.
        return [super(Fusion, self).tallies([clause], literal)[0] for clause in clauses]

    def run(self, text, parameters):
        values = {name: value for name, value in parameters.items() if f":{name}" in text}
        for name in sorted(values, key=len, reverse=True):
            text = text.replace(f":{name}", f"${name}")
        found = self.context.sql(text, param_values=values).to_arrow_table()
        return list(zip(*(column.to_pylist() for column in found.columns), strict=True))


class Click(Texts):
    """ClickHouse, embedded."""

    name, longest = "clickhouse", 200_000
    kinds: ClassVar = {date: "Date32", datetime: "DateTime64(6, 'UTC')", str: "String"}

    def __init__(self):
        from chdb.session import Session

        self.session = Session()
        for setting in ("join_use_nulls = 1", "max_query_size = 1e8", "max_ast_elements = 1e8"):
            self.session.query(f"SET {setting}")
        self.tables = set()
        self._loaded("rows", arrow_table())
        self._loaded("loads", pa_table({"d": np.array(LOADS, dtype="datetime64[D]")}))

    def _loaded(self, name, table):
        import pyarrow.parquet as pq

        with tempfile.TemporaryDirectory() as folder:
            path = f"{folder}/{name}.parquet"
            pq.write_table(table, path)
            self.session.query(
                f"CREATE TABLE ulnager_{name} ENGINE = Memory "
                f"AS SELECT * FROM file('{path}', Parquet)"
            )

    def with_table(self, name):
        if name not in self.tables:
            self.tables.add(name)
            self._loaded(name, pa_table(written_table(name)))
        return f"ulnager_{name}"

    def run(self, text, parameters):
        for name in sorted(parameters, key=len, reverse=True):
            kind = self.kinds.get(type(parameters[name]), "Int64")
            text = text.replace(f":{name}", f"{{{name}:{kind}}}")
        values = {
            name: str(v.astimezone(UTC).replace(tzinfo=None) if getattr(v, "tzinfo", None) else v)
            for name, v in parameters.items()
        }
        found = self.session.query(text, "ArrowTable", params=values)
        return list(zip(*(column.to_pylist() for column in found.columns), strict=True))


def pa_table(columns):
    import pyarrow as pa

    return pa.table(columns)


class Spark(Texts):
    name = "spark"

    def __init__(self):
        self.session = spark_session()
        self.folder = tempfile.TemporaryDirectory()
        self.frame = self._loaded("rows", arrow_table())
        loads = self.session.createDataFrame([(day,) for day in LOADS], ["d"])
        loads.createOrReplaceTempView("ulnager_loads")

    def with_table(self, name):
        import pyarrow as pa

        self._loaded(name, pa.table(written_table(name)))
        return f"ulnager_{name}"

    def _loaded(self, name, table):
        """A table by way of Parquet: Python would take its times through the session's zone."""
        import pyarrow.parquet as pq

        path = f"{self.folder.name}/{name}.parquet"
        pq.write_table(table, path)
        made = self.session.read.parquet(path).coalesce(1).cache()
        made.createOrReplaceTempView(f"ulnager_{name}")
        return made

    def run(self, text, parameters):
        return self.session.sql(text, args=parameters or None).collect()


def spark_session():
    """One session for all tests, in a time zone that is none of theirs."""
    from pyspark.sql import SparkSession

    settings = {
        "spark.ui.enabled": "false", "spark.sql.shuffle.partitions": "1",
        "spark.sql.session.timeZone": "America/New_York", "spark.driver.host": "127.0.0.1",
        "spark.ui.showConsoleProgress": "false", "spark.sql.codegen.wholeStage": "false",
        # Statements run once each: what compiles the JVM's code well costs more than it saves.
        "spark.driver.extraJavaOptions": "-XX:TieredStopAtLevel=1 -XX:+UseSerialGC",
    }  # fmt: skip
    made = SparkSession.builder.master("local[1]").config(map=settings).getOrCreate()
    made.sparkContext.setLogLevel("ERROR")
    return made


@cache
def arrow_table():
    import pyarrow as pa

    types = {"id": pa.int32(), "h": pa.int64(), "a": pa.date32(), "d": pa.date32(),
             "t": pa.timestamp("us"), "z": pa.timestamp("us", "UTC"), "k": pa.int32(),
             "m": pa.int32(), "es": pa.int64(), "em": pa.int64(), "x": pa.string(),
             "w": pa.int32(), "wx": pa.string()}  # fmt: skip
    return pa.table({n: pa.array([row[n] for row in rows()], kind) for n, kind in types.items()})


@cache
def engine_named(name):
    """The engine, made once; where it is not there, tests are skipped unless it is required."""
    if name == "spark" and name not in ENGINES:
        pytest.skip("Spark has to be asked for: ULNAGER_REQUIRE=spark")
    try:
        return {"duckdb": Duck, "spark": Spark, "datafusion": Fusion, "clickhouse": Click}.get(
            name, lambda: Alchemy(name)
        )()
    except Exception as error:
        if name in REQUIRED:
            raise
        pytest.skip(f"{name} is not there: {error}")


def engines_there():
    """The engines that are there, by name."""
    for name in ENGINES:
        try:
            yield name, engine_named(name)
        except pytest.skip.Exception:
            continue


@cache
def frames():
    """The rows in every data frame library, each with what makes a tally of a frame."""
    import polars as pl

    arrow, engines = arrow_table(), dict(engines_there())
    found = {
        "pandas": (arrow.to_pandas(), lambda f: f["h"].sum()),
        "polars": (pl.from_arrow(arrow), lambda f: f["h"].sum()),
        "polars, lazy, in a zone": (
            pl.from_arrow(arrow).lazy().with_columns(
                pl.col("z").dt.convert_time_zone("Asia/Kathmandu")),
            lambda f: f.select(pl.sum("h")).collect().item()),
        "pyarrow": (arrow, lambda f: sum(f["h"].to_pylist())),
        "duckdb": (engines["duckdb"].connection.table("ulnager_rows"),
                   lambda f: f.sum("h").fetchall()[0][0]),
    }  # fmt: skip
    if "spark" in engines:
        found["spark"] = (engines["spark"].frame,
                          lambda f: f.selectExpr("sum(h)").collect()[0][0])  # fmt: skip
    return {
        name: (frame, lambda kept, tallied=tallied: int(tallied(kept) or 0))
        for name, (frame, tallied) in found.items()
    }


def _question(clauses):
    h, none = sa.literal_column("h"), sa.literal_column("0")
    return sa.select(
        *(sa.func.sum(sa.case((clause, h), else_=none)).label(f"tally_{n}")
          for n, clause in enumerate(clauses))
    ).select_from(ROWS)  # fmt: skip


def _query(expressions, where, source="ulnager_rows"):
    named = (f"{text} AS value_{n}" for n, text in enumerate(expressions))
    return f"SELECT {', '.join(named)} FROM {source} WHERE {where} ORDER BY id"
