"""Totals, running measures, walks and pages beside a bare query, in one run; see run.py.

``ULNAGER_MILLIONS`` says how many million rows the file has (20), ``ULNAGER_STEPS`` how many steps
are walked (a million).
"""

import functools
import os
import tempfile
import timeit
import tracemalloc
from itertools import islice
from pathlib import Path

import duckdb

import ulnager

MILLIONS = int(os.environ.get("ULNAGER_MILLIONS", "20"))
STEPS = int(os.environ.get("ULNAGER_STEPS", "1000000"))
FOLDER = tempfile.TemporaryDirectory()
YEARS = "2016-01-01/2025-12-31"
ZONE = "America/Halifax"
EXTENT = ("2016-01-01", "2025-12-31")
RETAIL = ulnager.WeekCalendar("4-4-5", "saturday", "january")
WIDEST = 'by = "quarter", period = "ten_years", value = "passengers"'
CHARTS = {
    "quarters": WIDEST,
    "weeks": 'by = "week", value = "passengers", beside = "1 year earlier"',
    "months": 'by = "month", value = "fare", how = "mean"',
    "routes": 'by = "month", value = "passengers", split = "route", top = 3',
    "line": 'by = "day", value = "passengers", running = "last 7 rolling days"',
}


def in_turns(ours, theirs, rounds=5):
    """Seconds for each, the best of rounds in which they take turns."""
    pairs = [
        (timeit.timeit(ours, number=1), timeit.timeit(theirs, number=1)) for _ in range(rounds)
    ]
    return tuple(map(min, zip(*pairs, strict=True)))


@functools.cache
def path():
    made = Path(FOLDER.name) / "sailings.parquet"
    duckdb.execute(
        f"""COPY (SELECT DATE '2016-01-01' + (i * 7919 % 3653)::INT AS day,
        to_timestamp(1451606400 + i * 104729 % 315619200) AS at,
        'route ' || (i * 31 % 8) AS route, (i * 17 % 400)::INT AS passengers,
        (i * 13 % 9000 / 100.0)::DECIMAL(10, 2) AS fare
        FROM range({MILLIONS * 1_000_000}) t(i)) TO '{made}' (FORMAT parquet)"""
    )
    return str(made)


@functools.cache
def connected():
    """The engine of a person, and the source: each is opened once."""
    return duckdb.connect(), ulnager.open_source(path())


def bare(text):
    return connected()[0].execute(text.format(f"'{path()}'")).fetchall()


DAILY = (
    "SELECT day, sum(passengers) FROM {} "
    "WHERE day >= DATE '2016-02-24' AND day < DATE '2026-01-01' GROUP BY day ORDER BY day"
)


def total(**more):
    given = {"column": "day", "value": "passengers", "data": EXTENT, "today": "2026-01-15"}
    return ulnager.totals(connected()[1], YEARS, **{**given, **more})


def totals_by_month():
    text = "SELECT date_trunc('month', day), sum(passengers) FROM {} GROUP BY 1 ORDER BY 1"
    assert [int(one) for _, one in bare(text)] == [row.value for row in total(by="month").rows]
    return in_turns(lambda: total(by="month"), lambda: bare(text))


def totals_in_a_zone():
    def of(zone):
        return total(column="at", by="month", tz=zone)

    return in_turns(lambda: of("America/New_York"), lambda: of("UTC"))


def run(phrase, calendar=None):
    return ulnager.running(
        connected()[1],
        phrase,
        over="2016-03-01/2025-12-31",
        column="day",
        value="passengers",
        data=EXTENT,
        today="2026-01-15",
        calendar=calendar,
    )


def running_week():
    told = dict(bare(DAILY))
    last = run("last 7 rolling days").rows[-1]
    assert last.value == sum(list(told.values())[-7:])
    return in_turns(lambda: run("last 7 rolling days"), lambda: bare(DAILY))


def running_months():
    return in_turns(lambda: run("last 12 whole months", RETAIL), lambda: bare(DAILY))


def page_of(name, charts):
    book = Path(FOLDER.name) / f"{name}.toml"
    lines = "\n".join(f'{key} = {{ source = "rows", {drawn} }}' for key, drawn in charts.items())
    book.write_text(
        f'[sources.rows]\nfile = "{path()}"\ncolumn = "day"\n'
        f'[periods]\nten_years = "{YEARS}"\nrecent = "2025-11-05/2025-12-31"\n[pickers.dates]\n'
        'choices = ["recent", "ten_years"]\nopens = "recent"\n[pages.home]\npicker = "dates"\n'
        f"[pages.home.charts]\n{lines}\n"
    )
    page = ulnager.read_book(book).page("home")

    def values():
        found = page.open(today="2026-01-15").values()
        assert not (said := {one for one in found.values() if isinstance(one, str)}), said

    return values


def twenty_charts():
    """All together, beside the one of them that takes longest alone."""
    alone = [page_of(key, {key: drawn}) for key, drawn in CHARTS.items()]
    slowest = max(alone, key=lambda values: min(timeit.repeat(values, number=1, repeat=3)))
    charts = {f"{key}_{n}": drawn for n in range(4) for key, drawn in CHARTS.items()}
    return in_turns(page_of("together", charts), slowest)


def totals_postgresql():
    import sqlalchemy as sa

    url = os.environ.get("ULNAGER_POSTGRESQL", "postgresql+psycopg://postgres@127.0.0.1:5432/test")
    name = f"ulnager_by_period_{os.getpid()}"
    engine = sa.create_engine(url)
    with engine.begin() as made:
        made.exec_driver_sql(
            f"CREATE TABLE {name} AS SELECT DATE '2016-01-01' + (mod(i::bigint * 7919, 3653))::int "
            "AS day, mod(i, 400) AS passengers FROM generate_series(1, 2000000) s(i)"
        )
    with engine.connect() as other:
        other.execution_options(isolation_level="AUTOCOMMIT").exec_driver_sql(
            f"VACUUM ANALYZE {name}"
        )
    text = (
        f"SELECT date_trunc('month', day)::date, sum(passengers) FROM {name} GROUP BY 1 ORDER BY 1"
    )
    source = ulnager.open_source(url, table=name)

    def by_hand():
        with engine.connect() as connection:
            return connection.exec_driver_sql(text).fetchall()

    def ours():
        return ulnager.totals(
            source,
            YEARS,
            column="day",
            value="passengers",
            by="month",
            data=EXTENT,
            today="2026-01-15",
        )

    try:
        assert [row.value for row in ours().rows] == [int(one) for _, one in by_hand()]
        return in_turns(ours, by_hand)
    finally:
        with engine.begin() as made:
            made.exec_driver_sql(f"DROP TABLE {name}")


def previewed(column, tz=None):
    """A preview as of the data's last date, of a file that is opened anew; the rows of each day,
    and the first ones of the first day."""
    local = column if tz is None else f"timezone('{tz}', \"{column}\")"
    first = f"SELECT * FROM {{}} WHERE {local}::DATE = DATE '2025-12-02' ORDER BY ALL LIMIT 20"
    text = f"SELECT {local}::DATE, count(*) FROM {{}} GROUP BY 1"

    def ours():
        source = ulnager.open_source(path())
        return ulnager.preview(source, "last 30 rolling days as of latest", column, tz=tz).kept

    counts = sorted(bare(text))
    assert ours() == sum(count for _, count in counts[-30:])
    return in_turns(ours, lambda: (bare(text), bare(first)))


def extents(column, tz=None):
    """How far the dates of a file go that is opened anew; the rows of each day."""
    local = column if tz is None else f"timezone('{tz}', \"{column}\")"
    text = f"SELECT {local}::DATE, count(*) FROM {{}} GROUP BY 1"
    return in_turns(lambda: ulnager.open_source(path()).extent(column, tz=tz), lambda: bare(text))


def walked(count):
    """The most memory that a walk of so many days takes; from the first year to the last, again."""
    period = ulnager.period("last 30 rolling days")
    tracemalloc.start()
    left = count
    while left > 0:
        steps = period.walk("1 day", "0002-01-01", "9998-12-31", today="2026-01-15")
        left -= sum(1 for _ in islice(steps, left))
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return most


def walk_memory():
    """In bytes, as in_words of run.py does not tell: many steps beside a thousand."""
    walked(100)
    return walked(STEPS) * 1e-6, walked(1000) * 1e-6


ROWS = (
    (f"totals by month, {MILLIONS} million rows", "the bare DuckDB query", 1.1, totals_by_month),
    ("twenty charts of a page", "the widest of them alone", 1.5, twenty_charts),
    ("running 7 days over 10 years", "the bare daily totals", 1.3, running_week),
    ("running 12 months of 4-4-5 weeks", "the bare daily totals", 1.5, running_months),
    ("a preview as of latest", "the same by hand", 2, lambda: previewed("day")),
    ("a preview of instants in a zone", "the same by hand", 2, lambda: previewed("at", ZONE)),
    ("the extent of instants in a zone", "the same by hand", 2, lambda: extents("at", ZONE)),
    ("totals in PostgreSQL, 2,000,000", "the bare query", 1.1, totals_postgresql),
    ("totals of instants in a zone", "the same in UTC", 2, totals_in_a_zone),
    (f"memory of a walk, {STEPS:,} steps", "of 1,000 steps (s = MB)", 1.5, walk_memory),
)
