"""Looking into files: first and last dates, what a period keeps, and what cannot be read."""

from datetime import date, datetime

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager import SourceError, open_source, period, preview
from ulnager.demo import ZONE, table
from ulnager.sources.file_source import FileSource

from strategies import examples


@pytest.fixture
def made(tmp_path):
    """Writes a file and gives its path."""

    def write(name, content):
        path = tmp_path / name
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return path

    return write


@pytest.mark.parametrize(
    ("name", "column", "tz", "first", "last"),
    [
        ("sailings", None, None, "2023-10-01", "2026-05-17"),
        ("bookings", "travels_on", None, "2026-01-01", "2026-09-30"),
        ("work_orders", "closed_on", None, "2025-10-01", "2026-05-19"),
        ("gate_scans", "scanned_at", ZONE, "2025-10-20", "2026-05-17"),
    ],
)
def test_first_and_last_dates_of_the_demo_tables(name, column, tz, first, last):
    extent = open_source(table(name)).extent(column, tz)
    assert (str(extent.first), str(extent.last)) == (first, last)


def test_parquet_files_one_or_several(tmp_path):
    for month in (3, 4):
        duckdb.execute(
            f"COPY (SELECT DATE '2026-0{month}-10' AS d, 'x' AS \"odd \"\"name\") "
            f"TO '{tmp_path}/m{month}.parquet'"
        )
    source = open_source(tmp_path / "m3.parquet")
    assert source.extent().last == date(2026, 3, 10)
    assert [column.name for column in source.columns] == ["d", 'odd "name']
    assert open_source(f"{tmp_path}/*.parquet").extent().last == date(2026, 4, 10)


def test_a_preview_counts_every_row_once():
    sailings = open_source(table("sailings"))
    result = period("last 3 whole months as of latest").resolve(
        today="2026-05-20", data=sailings.extent()
    )
    found = preview(sailings, result, rows=5)
    assert (found.first, found.last) == (result.start, result.end)
    assert found.kept + found.before + found.after + found.nulls == found.total == 8419
    assert len(found.rows) == 5
    assert found.rows[0][0] == result.start
    assert not found.warnings


@examples(40)
@given(st.lists(st.one_of(st.none(), st.dates(date(2026, 1, 1), date(2026, 3, 31))), min_size=1),
       st.sampled_from(["2026-02", "2026-01 plus 2026-03", "until 2026-02-10", "all dates",
                        "today except today", "after 2026-02-10"]))  # fmt: skip
def test_parts_of_a_preview_are_those_of_plain_python(tmp_path_factory, values, phrase):
    path = tmp_path_factory.mktemp("made") / "rows.parquet"
    duckdb.execute("CREATE OR REPLACE TABLE t (d DATE)")
    duckdb.executemany("INSERT INTO t VALUES (?)", [[value] for value in values])
    duckdb.execute(f"COPY t TO '{path}'")
    result = period(phrase).resolve(today="2026-02-01")
    found = preview(open_source(path), result, rows=1000)
    dates = [value for value in values if value]
    kept = sorted(value for value in dates if result.contains(value))
    assert [row[0] for row in found.rows] == kept
    assert (found.total, found.kept, found.nulls) == (
        len(values), len(kept), len(values) - len(dates),
    )  # fmt: skip
    assert found.before == sum(bool(result.start and value < result.start) for value in dates)
    assert found.after == sum(bool(result.stop and value >= result.stop) for value in dates)
    assert found.between == len(dates) - len(kept) - found.before - found.after
    assert (found.first, found.last) == ((kept[0], kept[-1]) if kept else (None, None))


def test_days_of_instants_are_local():
    scans = open_source(table("gate_scans"))
    found = preview(scans, period("2026-05-16").resolve(), tz=ZONE)
    assert found.first >= datetime(2026, 5, 16)
    assert found.last < datetime(2026, 5, 17)
    in_utc = preview(scans, period("2026-05-16").resolve(), tz="UTC")
    assert in_utc.kept != found.kept


@pytest.mark.parametrize(
    ("phrase", "warning"),
    [
        ("2026-05", "the data ends on 2026-05-17, 14 days before the period does on 2026-05-31"),
        ("2026-06", "no row is kept: the data runs from 2023-10-01 to 2026-05-17"),
        ("2023", "the data begins on 2023-10-01, after the period does on 2023-01-01"),
        ("today except today", "the period is empty"),
    ],
)
def test_warnings(phrase, warning):
    found = preview(open_source(table("sailings")), period(phrase).resolve(today="2026-05-20"))
    assert any(text.startswith(warning) for text in found.warnings)


@pytest.mark.parametrize(
    ("name", "content", "column", "message"),
    [
        ("empty.csv", "", None, "is empty"),
        ("header.csv", "day,n\n", "day", "not dates; no column holds dates"),
        (
            "title.csv",
            "Fares\nday;n\n2026-01-01;1\n2026-01-02;2\n",
            None,
            "line 1: 'Fares' is no header: it holds 1 field, and most lines hold 2",
        ),
        ("sheet.csv", "d\n46023\n", "d", "as a spreadsheet counts them, say --table"),
        ("key.csv", "d\n20260131\n", "d", "not dates; if it holds days, say --type yyyymmdd"),
        ("ms.csv", "d\n1767225600000\n", "d", "such as to_timestamp.1767225600000 / 1000"),
        ("nulls.csv", "day,n\n2026-01-01,1\n", "dya", "did you mean 'day'"),
        ("text.csv", "day,n\nsoon,1\n", "day", "such as 'soon', not dates"),
        ("two.csv", "a,b\n2026-01-01,2026-01-01\n", None, "there are 2: a, b"),
        ("none.csv", "a,b\n1,2\n", None, "none of a BIGINT, b BIGINT"),
        ("instants.csv", "a\n2026-01-01T00:00:00Z\n", "a", "depend on the time zone"),
        ("junk.parquet", b"PAR1 and no more of it", None, "cannot be read"),
        ("table.xlsx", "a", None, "known are .csv"),
    ],
)
def test_files_that_cannot_be_used(made, name, content, column, message):
    path = made(name, content)
    with pytest.raises(SourceError, match=message):
        open_source(path).extent(column)


def test_files_that_are_not_there(made, tmp_path):
    made("sailings.csv", "a\n1\n")
    with pytest.raises(SourceError, match=r"did you mean .*sailings.csv"):
        open_source(tmp_path / "sailing.csv")
    with pytest.raises(SourceError, match="is a folder"):
        open_source(tmp_path)
    path = tmp_path / "null.parquet"
    duckdb.execute(f"COPY (SELECT NULL::DATE AS d) TO '{path}'")
    with pytest.raises(SourceError, match="no date in any"):
        open_source(path).extent()
    with pytest.raises(SourceError, match="did you mean 'bookings'"):
        ulnager.open_source(table("booking"))


@pytest.mark.parametrize("step", ["_tell_dates", "lock", "described"])
def test_a_file_that_goes_away_while_it_is_opened_is_told(step, tmp_path, monkeypatch):
    path = tmp_path / "rows.csv"
    path.write_text("d,v\n2026-05-01,1\n")
    before = getattr(FileSource, step)

    def gone(self, *args):
        path.unlink(missing_ok=True)
        return before(self, *args)

    monkeypatch.setattr(FileSource, step, gone)
    with pytest.raises(SourceError, match=r"rows\.csv"):
        open_source(path).extent()
