"""Sources that are read once, as they are: encodings, pipes, databases, closed weekdays."""

import logging
import sqlite3
import subprocess
import sys
from datetime import date, timedelta

import pytest

import ulnager
from ulnager.demo import table

TODAY = date(2026, 5, 20)
TEXTS = {"cp1252": "Grün 12 €", "iso8859-15": "Grün 12 €", "shift_jis": "日本", "cp1251": "Жук",
         "utf-16": "Grün €", "latin-1": "Grün"}  # fmt: skip


def test_a_source_is_asked_once_for_its_days(caplog):
    sailings = ulnager.open_source(table("sailings"))
    for most, call in (
        (3, lambda: ulnager.preview(sailings, "last 3 months as of latest", today=TODAY)),
        (1, lambda: sailings.extent("sailed_on")),
        (1, lambda: ulnager.profile(sailings)),
    ):
        caplog.clear()
        with caplog.at_level(logging.DEBUG, "ulnager"):
            call()
        assert len(caplog.records) <= most


@pytest.mark.parametrize("name", sorted(TEXTS))
def test_any_encoding_is_read_and_one_that_fits_is_told(name, tmp_path):
    file = tmp_path / "sales.csv"
    file.write_bytes(f"day;what\n2026-05-01;x\n2026-05-02;{TEXTS[name]}\n".encode(name))
    kept = ulnager.keep(ulnager.open_source(file, encoding=name), "2026-05")
    assert kept.rows()[1][1] == TEXTS[name]
    with pytest.raises(ulnager.SourceError) as error:
        ulnager.open_source(file)
    told = str(error.value)
    assert "UTF-8" in told
    if name in ("cp1252", "iso8859-15"):
        assert f"say so with --encoding {name}" in told
        assert TEXTS[name][-8:] in told
    with pytest.raises(ulnager.SettingError, match="one that Python knows"):
        ulnager.open_source(file, encoding="klingon")
    if name == "cp1252":
        with pytest.raises(ulnager.SourceError, match=r"line 3: byte .* is not SHIFT_JIS"):
            ulnager.open_source(file, encoding="shift_jis")


def test_standard_input_and_files_of_databases(cli, tmp_path):
    file = tmp_path / "a.csv"
    file.write_text("day,v\n2026-05-01,1\n2026-05-02,2\n")
    nothing = subprocess.run(
        [sys.executable, "-m", "ulnager", "profile", "-"], input="", capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    assert nothing.stderr == "Error: standard input is empty: it has no header and no rows\n"
    run = f"cat {file} | {sys.executable} -m ulnager profile -"
    found = subprocess.run(["bash", "-c", run], capture_output=True, text=True, check=False)
    assert "day of standard input" in found.stdout
    lite = tmp_path / "shop.db"
    with sqlite3.connect(lite) as made:
        made.execute("CREATE TABLE orders (day date, v int)")
        made.execute("INSERT INTO orders VALUES ('2026-05-01', 3)")
    assert "there are: orders" in cli("profile", str(lite))[2]
    assert ulnager.open_source(lite, "orders").extent("day").last == date(2026, 5, 1)
    book = tmp_path / "book.toml"
    assert cli("profile", str(lite), "--table", "orders", "--to-book", str(book))[0] == 0
    assert ulnager.read_book(book).source("orders").opened().extent().first == date(2026, 5, 1)
    assert ulnager.check(book, today="2026-05-01") == ()


def test_a_closed_weekday_is_no_missing_day(cli, tmp_path):
    days = [date(2025, 1, 1) + timedelta(n) for n in range(500)]
    there = [day for day in days if day.weekday() != 0 and day != date(2025, 3, 4)]
    file = tmp_path / "studio.csv"
    file.write_text("day\n" + "\n".join(map(str, there)))
    found = ulnager.profile(file)
    assert found.closed == ("monday",)
    assert [span.start for span in found.missing] == [date(2025, 3, 4)]
    assert found.to_dict()["closed_weekdays"] == ["monday"]
    short = tmp_path / "short.csv"
    short.write_text("day\n" + "\n".join(map(str, there[:30])))
    assert ulnager.profile(short).closed == ()
    assert cli("profile", str(file), "--to-book", str(tmp_path / "b.toml"))[0] == 0
    calendar = ulnager.read_book(tmp_path / "b.toml").calendar
    assert calendar.business.days_off == ("monday",)


def test_a_table_that_begins_after_the_data_stops_nothing_that_needs_it_not(cli, tmp_path):
    (tmp_path / "fy.csv").write_text(
        "unit,start\nmonth,2026-01-26\nmonth,2026-02-23\nmonth,2026-03-30\n"
    )
    (tmp_path / "s.csv").write_bytes(table("sailings").read_bytes())
    book = tmp_path / "b.toml"
    book.write_text('calendar = "fy"\n[calendars.fy]\nkind = "table"\nfile = "fy.csv"\n'
                    '[sources.s]\nfile = "s.csv"\n')  # fmt: skip
    buckets = ("buckets", "2026-02", "--by", "week", "--source", "s", "--how", "count")
    for command in (("profile", "s"), ("preview", "2026-02", "s", "--rows", "0"), buckets):
        assert cli(*command, "--book", str(book))[0] == 0
    told = [one.message for one in ulnager.check(book, today=TODAY) if one.rule == "runs-out"]
    assert "no month before 2026-01-26" in told[0]
    # By month what lies before the table is one bar, and no row is lost.
    made = ulnager.read_book(book)
    half = made.resolve_text("2025-12-01/2026-03-10", today=TODAY)
    bars = ulnager.totals(table("sailings"), half, by="month")
    assert bars.rows[0].bucket.reasons == ("not in the table",)
    assert bars.rows[0].bucket.label == "1 Dec 2025 to 25 Jan 2026"
    assert sum(one.value for one in bars.rows) == ulnager.preview(table("sailings"), half).kept
    assert half.buckets("month")[0].days == 56
    with pytest.raises(ulnager.ResolveError, match="lists each month from"):
        made.resolve_text("2025-03", today=TODAY).buckets("month")
