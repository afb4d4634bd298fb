"""The public API as one thing: its size, its words, what went, and other libraries' columns."""

import copy
import inspect
import pickle
import re
import sqlite3
import subprocess
import sys
from datetime import date
from pathlib import Path

import duckdb
import pytest
import sqlalchemy as sa

import ulnager
from ulnager import deprecated
from ulnager.demo import book_file, table

import engines

ROOT = Path(__file__).parent.parent
TODAY = date(2026, 5, 20)
MARCH = ulnager.period("2026-03").resolve()
DAYS = [date(2026, 2, 28), date(2026, 3, 1), date(2026, 3, 31), date(2026, 4, 1), None]
PICKER = ulnager.read_book(book_file()).picker("dates")


def test_the_api_is_small_and_says_what_comes_back():
    lines = (ROOT / "docs" / "api.txt").read_text(encoding="utf-8").splitlines()
    members = [line for line in lines if line.startswith("  ")]
    assert len(ulnager.__all__) <= 60
    assert len(members) <= 300
    assert not [line for line in lines if re.search(r"-> '(dict\[str, )?Any\]?'$", line)]
    for name in ulnager.__all__:
        made = getattr(ulnager, name)
        if callable(made):
            assert ">>>" in inspect.getdoc(made) or issubclass(made, Exception), name
    # What cannot do all that another does is no kind of it.
    opened, hours = ulnager.period("last {n} days"), ulnager.period("last 3 whole hours")
    assert not isinstance(opened, ulnager.Period)
    assert not isinstance(hours.resolve(now="2026-05-20T08:30Z", tz="UTC"), ulnager.Resolution)
    readers = [one for one in lines if re.match(r"(preview|totals|running|keep\w*|ages)\(", one)]
    assert len(readers) == 6
    assert all(re.match(r"\w+\(source: '\w+', (period|since): ", line) for line in readers)


@pytest.mark.parametrize(("old", "new"), [
    (lambda u: u.preview("2026-03", str(table("sailings"))).kept,
     lambda u: u.preview(str(table("sailings")), "2026-03").kept),
    (lambda u: u.preview(MARCH, u.open_source(table("sailings"))).kept,
     lambda u: u.preview(table("sailings"), result=MARCH).kept),
    (lambda u: u.sql_text(u.live_where("this month", "d"), "duckdb"),
     lambda u: u.condition("this month", "d", target="duckdb", literal=True).text),
    (lambda u: u.odata(MARCH, "d"), lambda u: u.condition(MARCH, "d", target="odata").text),
    (lambda u: u.cql2(MARCH, "d"), lambda u: u.condition(MARCH, "d", target="cql2").text),
    (lambda u: str(u.where(result=MARCH, on="d")), lambda u: str(u.where(MARCH, "d"))),
    (lambda u: u.sarif(u.check_sql("SELECT 1")), lambda u: u.check_sql("SELECT 1").sarif()),
    (lambda u: u.recognise("d = current_date", dialect="duckdb").phrase,
     lambda u: u.recognise("d = current_date", target="duckdb").phrase),
    (lambda u: u.totals(table("sailings"), over="2026-03").rows,
     lambda u: u.totals(table("sailings"), period="2026-03").rows),
    (lambda u: u.FileSource(table("sailings")).extent("sailed_on").last,
     lambda u: u.open_source(table("sailings")).extent("sailed_on").last),
], ids=range(10))  # fmt: skip
def test_what_went_goes_on_working_and_says_what_to_write(old, new):
    with pytest.warns(DeprecationWarning, match="deprecated; write"):
        was = old(ulnager)
    assert was == new(ulnager)


def test_names_that_went_are_not_listed_and_one_that_is_meant_is_told():
    assert not set(deprecated.GONE) & {*ulnager.__all__, *dir(ulnager)}
    for call, told in (
        (lambda: ulnager.totals("a.csv", "2026-03", valeu="v"), "'valeu'; did you mean value"),
        (lambda: ulnager.where("today", "d", latst=("t", "d")), "did you mean latest"),
        (lambda: ulnager.keep([], "today", "d", todya=TODAY), "did you mean today"),
        (lambda: PICKER.where("d", colum_type="date"), "did you mean column_type"),
        (lambda: ulnager.where(MARCH, "d", today=TODAY), "resolved already"),
        (lambda: ulnager.condition("today", "d", target="odata"), "no clock"),
        (lambda: ulnager.condition("today", "d", paramstyle="percent"), "choose named"),
    ):  # fmt: skip
        with pytest.raises(ulnager.UlnagerError, match=told) as error:
            call()
        assert isinstance(error.value, ValueError)


def _kept(run, condition, marks):
    """The days that a condition keeps of DAYS, as a driver runs it."""
    date_of = "" if marks == "sqlite" else "DATE "
    rows = " UNION ALL ".join(
        f'SELECT {"NULL" if day is None else f"{date_of}{str(day)!r}"} AS "d"' for day in DAYS
    )
    found = run(f"SELECT * FROM ({rows}) AS t WHERE {condition.text}", condition.parameters)
    return sorted(str(row[0])[:10] for row in found)


@pytest.mark.parametrize("phrase", ["2026-03", "2026-02-28 plus 2026-03-31", "until 2026-03-31"])
def test_parameters_run_on_drivers_as_they_are(phrase):
    """Every style of PEP 249 that a driver takes, with the values in the shape that it wants."""
    result = ulnager.period(phrase).resolve(today=TODAY)
    wanted = sorted(str(day) for day in DAYS if day is not None and result.contains(day))
    lite, duck = sqlite3.connect(":memory:"), duckdb.connect()
    for style in ("named", "qmark", "numeric"):
        found = ulnager.condition(result, "d", target="sqlite", paramstyle=style)
        assert isinstance(found.parameters, dict) == (style == "named")
        values = found.parameters
        if style == "numeric":
            values = {str(n): one for n, one in enumerate(values, 1)}
        made = ulnager.Condition(found.text, values)
        assert _kept(lite.execute, made, "sqlite") == wanted
    found = ulnager.condition(result, "d", target="duckdb", paramstyle="dollar")
    assert _kept(lambda *args: duck.execute(*args).fetchall(), found, "duckdb") == wanted
    engine = sa.create_engine("sqlite://")
    with engine.connect() as held:
        text = ulnager.condition(result, "d", target="sqlite")
        assert (
            _kept(lambda sql, values: held.execute(sa.text(sql), values), text, "sqlite") == wanted
        )
    adbc = pytest.importorskip("adbc_driver_sqlite.dbapi")
    with adbc.connect() as held, held.cursor() as cursor:

        def run(sql, values):
            cursor.execute(sql, [str(one) for one in values])
            return cursor.fetchall()

        found = ulnager.condition(result, "d", target="sqlite", paramstyle="qmark")
        assert _kept(run, found, "sqlite") == wanted


@pytest.mark.parametrize("name", ["postgresql", "mariadb"])
def test_parameters_run_on_servers(name, tmp_path):
    """Psycopg and PyMySQL by themselves, and text of SQLAlchemy; a whole picker, too."""
    connection = engines.engine_named(name).connection

    def driver(sql, values):
        cursor = connection.connection.cursor()
        cursor.execute(sql, values)
        return cursor.fetchall()

    result = ulnager.period("last 3 days").resolve(today="2026-03-31")
    for style in ("pyformat", "format"):
        found = ulnager.condition(result, "d", target=name, paramstyle=style)
        assert _kept(driver, found, name) == ["2026-03-31"]
    named = ulnager.condition(result, "d", target=name)
    as_text = lambda sql, values: connection.execute(sa.text(sql), values)  # noqa: E731
    assert _kept(as_text, named, name) == ["2026-03-31"]
    (tmp_path / "b.toml").write_text(
        '[periods.recent]\nphrase = "last {n} days"\ninputs.n = { max = 9, opens = 3 }\n'
        '[pickers.dates]\nchoices = ["recent"]\n'
    )
    picker = ulnager.read_book(tmp_path / "b.toml").picker("dates")
    view = picker.open(today=date(2026, 4, 2)).enter(n=5)
    statement = picker.where("d", today=date(2026, 4, 2))
    made = ulnager.condition(statement, target=name, paramstyle="pyformat")
    found = _kept(driver, made.with_values(view.parameters), name)
    assert found == [str(day) for day in DAYS if day is not None and view.resolution.contains(day)]


def test_columns_of_other_libraries_are_taken_as_they_are():
    import ibis
    import narwhals as nw
    import polars as pl
    from sqlalchemy.orm import DeclarativeBase, Mapped, Session, aliased, mapped_column

    class Base(DeclarativeBase):
        pass

    class Order(Base):
        __tablename__ = "orders"
        id: Mapped[int] = mapped_column(primary_key=True)
        due_on: Mapped[date | None]

    engine = sa.create_engine("sqlite://")
    Base.metadata.create_all(engine)
    frame = pl.DataFrame({"d": DAYS})
    lake = ibis.memtable(frame.to_arrow())
    with Session(engine) as session:
        session.add_all([Order(due_on=day) for day in DAYS])
        for phrase in ("2026-03", "all dates", "2026-02 plus 2026-04", "2026-03 within 2026-04"):
            result = ulnager.period(phrase).resolve(today=TODAY)
            wanted = [day for day in DAYS if day is not None and result.contains(day)]
            for one in (Order, aliased(Order)):
                asked = sa.select(one.due_on).where(ulnager.where(result, one.due_on))
                assert sorted(session.scalars(asked)) == wanted
            assert frame.filter(ulnager.where(result, pl.col("d")))["d"].to_list() == wanted
            kept = nw.from_native(frame).filter(ulnager.where(result, nw.col("d")))
            assert kept["d"].to_list() == wanted
            rows = lake.filter(ulnager.where(result, lake.d)).to_pyarrow()["d"].to_pylist()
            assert sorted(rows) == wanted
    with pytest.raises(ulnager.FilterError, match="narwhals knows no clock"):
        ulnager.where("this month", nw.col("d"))


DJANGO = """
import datetime as dt, sys
import django
from django.conf import settings
lite = {"ENGINE": "django.db.backends.sqlite3", "NAME": ":memory:"}
settings.configure(DATABASES={"default": lite}, USE_TZ=True)
django.setup()
from django.db import connection, models
import ulnager
class Trip(models.Model):
    day = models.DateField(null=True)
    at = models.DateTimeField(null=True)
    class Meta: app_label = "x"
with connection.schema_editor() as editor: editor.create_model(Trip)
for n in range(28, 35):
    day = dt.date(2026, 3, 1) + dt.timedelta(n)
    Trip.objects.create(day=day, at=dt.datetime(day.year, day.month, day.day, 2, tzinfo=dt.UTC))
Trip.objects.create()
for phrase in ("2026-03", "all dates", "2026-03-29 plus 2026-04-02", "2026-03 within 2026-04"):
    result = ulnager.period(phrase).resolve(today="2026-05-20")
    days = ulnager.condition(result, "day", target="django")
    held = {"column_type": "timestamptz", "tz": "America/Halifax"}
    local = ulnager.condition(result, "at", target="django", **held)
    print(Trip.objects.filter(days).count(), Trip.objects.filter(local).count())
"""


def test_django_takes_a_q():
    found = subprocess.run(
        [sys.executable, "-c", DJANGO], capture_output=True, text=True, check=False
    )
    assert found.stdout.split("\n")[:4] == ["3 4", "7 7", "2 2", "0 0"], found.stderr


def test_results_pickle_and_copy():
    sailings, orders = table("sailings"), table("work_orders")
    page = ulnager.read_book(book_file()).page("operations").open(today=TODAY)
    results = [
        ulnager.totals(sailings, "2026-03", by="week"), ulnager.preview(sailings, "2026-03"),
        ulnager.running(sailings, "last 7 days", over="2026-03"), ulnager.profile(sailings),
        ulnager.ages(orders, "raised_on", today=TODAY), PICKER.open(today=TODAY), page, MARCH,
        page.values(), ulnager.period("last {n} days", inputs={"n": {"max": 9}}),
        MARCH.buckets("week"),
        ulnager.check_sql("SELECT 1 FROM t WHERE a_at <= '2026-05-31'"),
    ]  # fmt: skip
    for result in results:
        for copied in (
            pickle.loads(pickle.dumps(result)),
            copy.deepcopy(result),
            copy.copy(result),
        ):
            assert repr(copied) == repr(result)
            if hasattr(result, "to_dict"):
                assert copied.to_dict() == result.to_dict()
    totals = pickle.loads(pickle.dumps(results[0]))
    assert (totals.before, totals.after, totals.nulls) == (results[0].before, results[0].after, 0)
    kept = ulnager.keep(sailings, "2026-03")
    assert pickle.loads(pickle.dumps(kept)).rows() == kept.rows()
    short = [one for one in results if not isinstance(one, (dict, tuple, list))]
    assert all(len(repr(one)) < 200 for one in (*short, PICKER, page.page))
    empty = ulnager.period("this month except this month").resolve(today=TODAY)
    assert (repr(MARCH), repr(empty)) == (
        "<2026-03: 2026-03-01 to 2026-03-31>",
        "<this month except this month: empty>",
    )


def test_what_is_asked_of_the_wrong_thing_is_told_where_it_is():
    last = ulnager.period("last 7 days")
    with pytest.raises(AttributeError, match=r"once it is resolved: period\.resolve\(\).start"):
        _ = last.start
    with pytest.raises(AttributeError, match=r"ulnager\.condition"):
        last.resolve().where("day")
    assert not hasattr(last, "foo")
    assert not hasattr(last.resolve(), "foo")
