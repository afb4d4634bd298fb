"""Tables that are written to databases: the same in each, whole or as they were before."""

import contextlib
import gc
import hashlib
import os
from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import duckdb
import pytest
import sqlalchemy as sa

import ulnager
from ulnager import Anchor, MonthCalendar, SourceError, date_table
from ulnager.demo import CLOCK
from ulnager.sources import written_tables
from ulnager.sources.written_tables import write_rows, write_table

from engines import REQUIRED, URLS

NAME = f'days "odd" 100% {os.getpid()}'
SCHEMAS = {"sqlite": "main", "duckdb": "main", "postgresql": "public", "mariadb": "test"}


class Place:
    """A database to write to, and what is in it."""

    def __init__(self, kind, url):
        self.kind, self.url = kind, url
        self.engine = (
            None if kind == "duckdb" else sa.create_engine(url, poolclass=sa.pool.NullPool)
        )

    def asked(self, sql):
        if self.engine is None:
            path = self.url.removeprefix("duckdb:///")
            try:
                connection = duckdb.connect(path)
            except duckdb.Error:
                gc.collect()  # A source that nobody holds any more has the file open.
                connection = duckdb.connect(path)
            with connection as held:
                return held.execute(sql).fetchall()
        with self.engine.begin() as held:
            found = held.exec_driver_sql(sql, execution_options={"no_parameters": True})
            return [tuple(row) for row in found] if found.returns_rows else []

    def quoted(self, name):
        return f"`{name}`" if self.kind == "mariadb" else '"' + name.replace('"', '""') + '"'

    def rows(self, name=NAME):
        found = sorted(self.asked(f"SELECT * FROM {self.quoted(name)}"))
        # SQLite has texts and numbers only.
        return [tuple(map(plain, row)) for row in found] if self.kind == "sqlite" else found

    def tables(self):
        """Those of this process: others test on the same server."""
        if self.engine is None:
            found = [name for (name,) in self.asked("SHOW TABLES")]
        else:
            found = sa.inspect(self.engine).get_table_names()
        return {name for name in found if str(os.getpid()) in name}

    def drop(self, name):
        with contextlib.suppress(sa.exc.SQLAlchemyError, duckdb.Error):
            self.asked(f"DROP TABLE {self.quoted(name)}")


@pytest.fixture(params=SCHEMAS)
def place(request, tmp_path):
    found = Place(
        request.param, URLS.get(request.param, "") if request.param not in ("sqlite", "duckdb")
        else f"{request.param}:///{tmp_path / 'made.db'}",
    )  # fmt: skip
    try:
        before = found.tables()
    except (sa.exc.OperationalError, ImportError) as error:
        if request.param in REQUIRED:
            raise
        pytest.skip(f"{request.param} is not there: {error}")
    yield found
    for name in found.tables() - before:
        if str(os.getpid()) in name:
            found.drop(name)


def made(first, last, calendar=None):
    return date_table(calendar or MonthCalendar("10-01"), first, last, Anchor(CLOCK, True, "today"))


def plain(value):
    return str(value) if isinstance(value, date) else int(value) if value in (0, 1) else value


def in_rows(columns, place):
    found = sorted(zip(*(column.tolist() for column in columns.values()), strict=True))
    return [tuple(map(plain, row)) for row in found] if place.kind == "sqlite" else found


def test_a_date_table_is_the_same_in_each_database_and_replaced_whole(place):
    may, june = (made(date(2026, n, 1), date(2026, n, 30)) for n in (5, 6))
    assert write_table(may, place.url, name=NAME) == 30
    before = place.tables()
    assert place.rows() == in_rows(may, place)
    with pytest.raises(SourceError, match="already; say --replace"):
        write_table(june, place.url, name=NAME)
    assert place.rows() == in_rows(may, place)
    for columns in (june, {"date": june["date"], "year label": june["year_label"]}, may):
        assert write_table(columns, place.url, name=NAME, replace=True) == 30
        assert place.rows() == in_rows(columns, place)
    found = ulnager.open_source(place.url, NAME)
    assert found.extent("date").last == date(2026, 5, 30)
    assert next(one.column_type for one in found.columns) == "date"
    # It is written while a source has it open, too, except where the engine is one in the process.
    if place.kind == "duckdb":
        with pytest.raises(SourceError, match="a source of this process has it open"):
            write_table(june, place.url, name=NAME, replace=True)
    else:
        assert write_table(june, place.url, name=NAME, replace=True) == 30
        assert ulnager.open_source(place.url, NAME).extent("date").last == date(2026, 6, 30)
    del found
    assert place.tables() == before
    other = f"other_{os.getpid()}"
    assert write_rows(["a"], [], f"{place.url}", name=f"{SCHEMAS[place.kind]}.{other}") == 0
    assert place.rows(other) == []
    place.drop(other)


AT = datetime(2026, 5, 1, 4, 30, 0, 250_000, tzinfo=ZoneInfo("America/Halifax"))
VALUES = {
    "is": (True, False, None),
    "count": (1, 2**40, None),
    "share": (1, 2.5, -0.125),
    "sum": (Decimal("1.25"), 7, Decimal("-0.0625")),
    "at": (AT.replace(tzinfo=None), datetime(9999, 12, 31, 23), None),
    "moment": (None, AT, datetime(2026, 5, 2, tzinfo=UTC)),
    "order": (date(2026, 5, 1), date(9999, 12, 31), None),
    "a b": ("é'%\\", "x" * 300, None),
    "mixed": (1, "one", 2.5),
    "days": (date(2026, 5, 1), datetime(2026, 5, 1, 4), None),
    "large": (2**70, 1, None),
    "nothing": (None, None, None),
}  # fmt: skip


def as_told(value, name, kind):
    """A value as a database gives it: mixed ones are texts, and instants have no zone in some."""
    if value is None or name in ("mixed", "days", "large"):
        return None if value is None else str(value)
    if name == "moment":
        return value.astimezone(UTC).replace(tzinfo=None)
    if kind == "sqlite" and isinstance(value, date):
        return value
    return value


def found_in(place):
    """The rows, as Python has them: SQLite has texts for dates."""
    found = []
    for row in place.asked(f"SELECT * FROM {place.quoted(NAME)}"):
        told = dict(zip(VALUES, row, strict=True))
        if place.kind == "sqlite":
            for name, read in (("at", datetime), ("moment", datetime), ("order", date)):
                told[name] = told[name] and read.fromisoformat(told[name])
        if told["moment"] is not None and told["moment"].tzinfo:
            told["moment"] = told["moment"].astimezone(UTC).replace(tzinfo=None)
        found.append(told)
    return found


def test_values_of_every_sort_come_back_as_they_were(place, tmp_path):
    """Also whole numbers beside others, which a column of SQLite may hold; instants keep theirs."""
    rows = list(zip(*VALUES.values(), strict=True))
    assert write_rows(list(VALUES), rows, place.url, name=NAME) == 3
    wanted = [{name: as_told(one[place_of], name, place.kind) for name, one in VALUES.items()}
              for place_of in range(3)]  # fmt: skip
    assert found_in(place) == wanted
    zoned = [one.column_type for one in ulnager.open_source(place.url, NAME).columns][5]
    assert (zoned == "timestamptz") is (place.kind in ("duckdb", "postgresql"))
    # What a column was made for does not bend what it is to hold now.
    narrow = {"share": (1, 2), "at": (date(2026, 5, 1), None), "a b": ("é", "y")}
    assert write_rows(list(narrow), list(zip(*narrow.values(), strict=True)), place.url, name=NAME,
                      replace=True) == 2  # fmt: skip
    wide = {"share": (1, 2.5), "at": (AT, None), "a b": ("é" * 300, Decimal("NaN"))}
    write_rows(list(wide), list(zip(*wide.values(), strict=True)), place.url, name=NAME,
               replace=True)  # fmt: skip
    asked = place.asked(f"SELECT share, {place.quoted('a b')} FROM {place.quoted(NAME)}")
    assert sorted(asked) == [(1, "é" * 300), (2.5, "NaN")]
    path = str(tmp_path / "rows.parquet")
    assert write_table({name: list(one) for name, one in VALUES.items()}, path) == 3
    read = duckdb.sql(f"SELECT * REPLACE (moment::TIMESTAMP AS moment) FROM '{path}'")
    kinds = dict(zip(read.columns, map(str, read.types), strict=True))
    assert (kinds["count"], kinds["share"], kinds["sum"]) == ("BIGINT", "DOUBLE", "DECIMAL(38,4)")
    found = [dict(zip(VALUES, row, strict=True)) for row in read.fetchall()]
    assert found == wanted


@pytest.mark.parametrize("replace", [False, True])
def test_what_fails_half_way_leaves_what_was_there(place, replace):
    """The last row does not fit: half a sign, which nothing can encode."""
    good = [(date(2026, 5, n), n) for n in range(1, 6)]
    if replace:
        write_rows(["d", "n"], good, place.url, name=NAME)
    before = place.tables()
    for names in (["d", "n"], ["d", "other"]):
        with pytest.raises(SourceError, match="cannot be written"):
            write_rows(
                names, [*good, (date(2026, 5, 9), "\ud800")], place.url, name=NAME, replace=replace
            )
        assert place.tables() == before
        if replace:
            assert [n for _, n in place.rows()] == [1, 2, 3, 4, 5]


@pytest.mark.parametrize("place", ["postgresql", "mariadb"], indirect=True)
def test_views_of_postgresql_stay_and_mariadb_clears_up(place, monkeypatch):
    name = f"days_{os.getpid()}"
    write_rows(["d", "n"], [(date(2026, 5, 1), 1)], place.url, name=name)
    if place.kind == "postgresql":
        place.asked(f"CREATE VIEW {name}_seen AS SELECT n FROM {name}")
        write_rows(["d", "n"], [(date(2026, 5, 1), 7)], place.url, name=name, replace=True)
        assert place.asked(f"SELECT * FROM {name}_seen") == [(7,)]
        with pytest.raises(SourceError, match="cannot be written"):
            write_rows(["d"], [(date(2026, 5, 1),)], place.url, name=name, replace=True)
        assert place.asked(f"SELECT * FROM {name}_seen") == [(7,)]
        place.asked(f"DROP VIEW {name}_seen")
        return
    place.asked(f"CREATE TABLE {name}_0123abcd_new (d DATE)")
    place.asked(f"CREATE TABLE {name}_0123abcg_new (d DATE)")
    monkeypatch.setattr(written_tables, "_WAIT", 0)
    base = place.engine.url.database
    held = f"ulnager {hashlib.sha256(f'{base} {name}'.encode()).hexdigest()[:32]}"
    with place.engine.connect() as other:
        other.execute(sa.text("SELECT GET_LOCK(:n, 0)"), {"n": held})
        with pytest.raises(SourceError, match="another run writes the table"):
            write_rows(["d"], [], place.url, name=name, replace=True)
    assert place.rows(name) == [(date(2026, 5, 1), 1)]
    write_rows(["d"], [], place.url, name=name, replace=True)
    assert place.tables() >= {name, f"{name}_0123abcg_new"}
    assert f"{name}_0123abcd_new" not in place.tables()
