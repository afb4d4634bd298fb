"""Data as it lies around: CSV files that do not fit, and SQLite's dates in every form."""

import csv
import io
import sqlite3
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager import (
    FilterError,
    SettingError,
    SourceError,
    open_source,
    period,
    preview,
    profile,
    totals,
)

from strategies import examples

FIELDS = st.text(alphabet="ab,;\"'\n\t |é0 ", max_size=6)


@examples(60)
@given(
    st.integers(1, 3).flatmap(
        lambda n: st.lists(st.lists(FIELDS, min_size=n, max_size=n), min_size=1, max_size=6)
    ),
    st.sampled_from(",;\t|"),
    st.sampled_from(["\n", "\r\n"]),
)
def test_there_are_as_many_rows_as_records(tmp_path_factory, records, delimiter, line):
    path = tmp_path_factory.mktemp("made") / "a.csv"
    held = io.StringIO(newline="")
    writer = csv.writer(held, delimiter=delimiter, lineterminator=line)
    names = [f"h{n}" for n in range(len(records[0]))]
    writer.writerows([["d", *names], *(["2026-05-01", *record] for record in records)])
    path.write_text(held.getvalue(), newline="", encoding="utf-8")
    source = open_source(path)
    assert [column.name for column in source.columns] == ["d", *names]
    assert source.extent().last == date(2026, 5, 1)
    rows = source.query(f"SELECT {', '.join(names)} FROM data")
    assert len(rows) == len(records)
    for row, record in zip(rows, records, strict=True):
        for value, field in zip(row, record, strict=True):
            assert isinstance(value, int | float | type(None)) or value == field


LONG = "d,v\n" + "2026-05-01,1\n" * 30_000


@pytest.mark.parametrize(
    ("content", "message"),
    [
        (
            "d,v\n2026-05-01,1\n2026-05-02\n2026-05-03,4,5\n",
            "line 3 holds 1 field, '2026-05-02', and ",
        ),
        ("d,v\n2026-05-01,1\n2026-05-03,4,5\n2026-05-04,1\n", "line 3 holds 3 fields"),
        ("d,v\n2026-05-01,1\n2026-05-02", "the last line, 3, breaks off: it holds 1 field"),
        ('d,v\n2026-05-01,1\n2026-05-02,"ab', "line 3: a quote is opened and never closed"),
        (LONG + "2026-05-02\n2026-05-03,1\n", "line 30002 holds 1 field"),
        (LONG + "n/a,1\n2026-05-03,1\n", 'line 30002: .* "d". Could not convert string "n/a"'),
        ("d,v\n20000-01-01,1\n2026-05-01,1\n", "line 2: .*string .20000-01-01. to"),
        ("2026-05-01,1\n2026-05-02,2\n", "the first line holds '2026-05-01', .* say --no-header"),
        ("d,2025\n2026-05-02,2\n", "the first line holds '2025'"),
        (
            "d,v\n2026-05-01,Z\xfcrich\n".encode("latin-1"),
            "line 2: byte 0xFC .* --encoding latin-1",
        ),
        ("d,v\n2026-05-01,é\n".encode("utf-16"), "line 1: this is UTF-16"),
        ("d,v\n2026-05-01,a\0b\n", "no text: it holds bytes of zero"),
        (
            "d,v\nn/a,1\n2026-05-01,1\n2026-05-02,1\n",
            "'d' holds dates in 2 rows, but 'n/a' is none",
        ),
        (
            "d,v\nMär 2026,1\nApr 2026,1\n",
            "'d' has months by their names, .* write them as numbers",
        ),
        ("d,v\n", "it has a header and no rows"),
        ("a,b\n1,x\n", "none of a BIGINT, b VARCHAR"),
    ],
)
def test_what_does_not_fit_is_named_with_its_line(tmp_path, content, message):
    path = tmp_path / "a.csv"
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    with pytest.raises(SourceError, match=message):
        print(open_source(path).extent())


def test_what_cannot_be_seen_can_be_said(tmp_path, cli):
    path = tmp_path / "a.csv"
    path.write_text("2026-05-01;1,5\n2026-05-02;2,5\n")
    code, out, _ = cli("profile", str(path), "--no-header", "--delimiter", ";")
    assert (code, "column      column0 of" in out, "rows        2," in out) == (0, True, True)
    assert open_source(path, header=True).extent().first == date(2026, 5, 2)
    for encoding in ("latin-1", "utf-16"):
        path.write_text("d,v\n2026-05-01,é\n", encoding=encoding)
        assert open_source(path, encoding=encoding).query("SELECT v FROM data") == [("é",)]
    path.write_text("a,b,z\n2026-05-01,2026-05-02,2026-05-02T00:00:00Z\n")
    code, out, err = cli("profile", str(path))
    assert (code, out.count("column "), "column 'z' holds instants" in err) == (0, 2, True)
    path.write_text(
        ",".join(f"c{n}" for n in range(1_500)) + "\n" + ",".join(["2026-05-01"] * 1_500)
    )
    wide = open_source(path)
    assert (len(wide.columns), wide.extent("c9").last) == (1_500, date(2026, 5, 1))
    assert len(preview(wide, period("2026").resolve(), "c1499").columns) == 200
    for bad in ({"delimiter": ";;"}, {"encoding": "klingon"}, {"timeout": -1}):
        with pytest.raises(Exception, match=f"{next(iter(bad))} is"):
            open_source(path, **bad)


FORMS = {
    "days": "{}", "midnights": "{} 00:00:00", "T": "{}T00:00:00", "late": "{} 23:59:59.999999",
    "T late": "{}T23:59:59", "short": "{} 00:00", "Z": "{}T00:00:00Z",
}  # fmt: skip


@examples(40)
@given(
    st.lists(
        st.tuples(st.dates(date(2026, 4, 28), date(2026, 5, 6)), st.sampled_from(list(FORMS)[:-1])),
        min_size=1, max_size=8,
    ),
    st.sampled_from(["DATE", "DATETIME", "TIMESTAMP"]),
    st.sampled_from(["from 2026-05-01 to 2026-05-03", "2026-05-02", "before 2026-05-02",
                     "all dates", "until 2026-05-02", "after 2026-05-02",
                     "2026-04-30 plus 2026-05-02"]),
)  # fmt: skip
def test_dates_in_sqlite_are_dates_in_any_form(tmp_path_factory, values, kind, phrase):
    path = tmp_path_factory.mktemp("made") / "a.db"
    with sqlite3.connect(path) as base:
        base.execute(f"CREATE TABLE t (d {kind})")
        rows = [(FORMS[form].format(day),) for day, form in values]
        base.executemany("INSERT INTO t VALUES (?)", [*rows, ("",), (None,)])
    source = open_source(f"sqlite:///{path}", "t")
    result = period(phrase).resolve()
    found = preview(source, result, "d")
    assert found.kept == sum(result.contains(day) for day, _ in values)
    assert (found.nulls, found.total) == (2, len(values) + 2)
    assert found.kept + found.before + found.between + found.after == len(values)
    assert profile(source, "d").last == max(day for day, _ in values)


def test_what_sqlite_cannot_compare_is_told(tmp_path):
    for values, message in [
        (["n/a"], "'n/a' in 1 row, which is no date"),
        ([20260501], "'20260501' in 1 row"),
        (["2026-05-01", "2026-05-01T00:00:00Z"], "times with a zone, such as"),
    ]:
        path = tmp_path / f"{len(str(values))}.db"
        with sqlite3.connect(path) as base:
            base.execute("CREATE TABLE t (d DATETIME)")
            base.executemany("INSERT INTO t VALUES (?)", [(value,) for value in values])
        source = open_source(f"sqlite:///{path}", "t")
        with pytest.raises(SourceError, match=message):
            source.extent("d")
    with sqlite3.connect(tmp_path / "z.db") as base:
        base.execute("CREATE TABLE t (d DATETIME)")
        base.execute("INSERT INTO t VALUES ('2026-05-01T23:30:00-03:00')")
    source = open_source(f"sqlite:///{tmp_path}/z.db", "t")
    assert source.extent("d", "UTC").last == date(2026, 5, 2)
    with pytest.raises(SourceError, match="knows no time zones but UTC"):
        source.extent("d", "America/Halifax")


@pytest.mark.parametrize(("values", "said", "found"), [
    (["1/1/2021", "12/1/2021"], None, r"'12/1/2021' is 2021-01-12 \(%d/%m/%Y\) or 2021-12-01"),
    (["01/02/21", "05/02/21"], None, r"more than one order.*%y/%m/%d"),
    (["1/1/2021", "12/1/2021"], "%m/%d/%Y", date(2021, 12, 1)),
    (["1/1/2021", "", "25/1/2021"], None, date(2021, 1, 25)),
    (["2021/01/25", "2021/01/02"], None, date(2021, 1, 25)),
    (["13.02.2021 10:30", "1.3.2021 09:00"], None, date(2021, 3, 1)),
    (["13.02.2021, 10:30", "1.3.2021, 09:00"], None, date(2021, 3, 1)),
    (["1/20/2021 2:05 PM", "1/3/2021 11:00 AM"], None, date(2021, 1, 20)),
    (["1/2/2021 2:05 PM"], None, "more than one order"),
    (["20-Apr-2021", "1-MAY-2021"], None, date(2021, 5, 1)),
    (["May 1, 2021", "April 30, 2021"], None, date(2021, 5, 1)),
    (["Mon, 19 Apr 2021", "Sun, 18 Apr 2021"], None, date(2021, 4, 19)),
    (["20210419T101500"], None, date(2021, 4, 19)),
    (["19.04.2021 23:30:00 +0200"], None, "depend on the time zone"),
    (["n/a", "2021-01-01", "2021-01-02"], None, "'n/a' is none .a SELECT as --table"),
    (["2021年4月20日"], None, "as strptime has it: --date-format"),
    (["2021-02-01", "2021-12-01"], None, date(2021, 12, 1)),
    (["1/1/2021"], "%d.%m.%Y", "no column of text"),
    (["1/1/2021"], "%H", "give it as strptime"),
])  # fmt: skip
def test_dates_in_text_are_never_guessed(tmp_path, values, said, found):
    path = tmp_path / "made.csv"
    path.write_text("\n".join(["d;n", *(f"{value};1" for value in values)]))
    if isinstance(found, date):
        source = open_source(path, date_format=said)
        made = profile(source, "d")
        assert made.last == found
        assert (made.date_format is None) == values[0].startswith("2021-")
    else:
        with pytest.raises((SourceError, SettingError), match=found):
            profile(open_source(path, date_format=said), "d")


@pytest.mark.parametrize("before", ["sep=;\n", "\n\n", "\nsep=;\n", '"sep=;"\n', "# by us\n\n",
                                    "# a; b\n# c\n", "\n# 1; 2\n\n"])  # fmt: skip
def test_lines_that_name_the_delimiter_and_empty_ones_are_no_header(before, tmp_path):
    path = tmp_path / "made.csv"
    path.write_text(f"{before}day;n\n2026-05-01;1\n2026-05-02;2\n")
    assert (profile(path).column, profile(path).rows) == ("day", 2)
    path.write_text(f"{before}day;n\n2026-05-01;1\n2026-05-02;2;3\n")
    with pytest.raises(SourceError, match=f"line {before.count(chr(10)) + 3} holds 3"):
        profile(path)
    path.write_text(f"{before}#day;n\n2026-05-01;1\n2026-05-02;2\n")
    assert (profile(path).column, profile(path).rows) == ("#day", 2)


@pytest.mark.parametrize("values", ["2026-0{}", "0{}/2026", "{} 2026"])
def test_months_without_a_day_are_one_row_a_month(values, tmp_path):
    names = ["Jan", "Feb", "Mar"] if values[0] == "{" and values[2:] == " 2026" else [1, 2, 3]
    rows = [f"{values.format(name)},{place}" for place, name in enumerate(names, 1)]
    path = tmp_path / "months.csv"
    path.write_text("\n".join(["m,v", *rows]) + "\n")
    found = profile(path)
    assert (str(found.grain.unit), found.first, found.last_whole) == (
        "month", date(2026, 1, 1), date(2026, 3, 31))  # fmt: skip
    with pytest.raises(FilterError, match="cuts a month"):
        totals(path, "2026-02-10/2026-03-05", value="v", today="2026-05-20")
    # Beside days the months are what these are grouped by.
    path.write_text("\n".join(["d,m,v", *(f"2026-05-0{n},{row}" for n, row in enumerate(rows, 1))]))
    assert (profile(path).column, profile(path).grain) == ("d", None)
