"""Where two settings meet: each class that an independent count once found wrong, as a law."""

import calendar as plain
import contextlib
import json
import os
import random
import re
import sqlite3
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import duckdb
import numpy as np
import pandas as pd
import pytest
import sqlalchemy as sa
from babel import localedata
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager import Extent, FilterError, ResolveError, SettingError, period
from ulnager.core.periods.spans import Span
from ulnager.filters.sql_text import sql_text
from ulnager.locales.locale_words import words

from engines import REQUIRED, URLS
from strategies import TIMES, examples

TODAY = date(2026, 5, 20)
DAYS = [date(2026, 1, 1) + timedelta(n) for n in range(200)]
ALTERNATIVES = [
    "previous week plus today", "this month except this week", "today plus yesterday plus 2026-03",
    "this month only weekends plus previous month", "last 2 whole weeks except fridays",
    "(this week plus 2026-02) only mondays", "this quarter except (previous month plus today)",
    "last 3 days",
]  # fmt: skip


@pytest.fixture(scope="module")
def places():
    """Rows of two keys, one a day each, in DuckDB and SQLite."""
    made = {}
    for name in ("duckdb", "sqlite"):
        held = duckdb.connect() if name == "duckdb" else sqlite3.connect(":memory:")
        held.execute(f"CREATE TABLE t (d {'DATE' if name == 'duckdb' else 'TEXT'}, k TEXT)")
        held.executemany("INSERT INTO t VALUES (?, ?)", [(str(d), k) for d in DAYS for k in "xy"])
        made[name] = held
    return made


@pytest.mark.parametrize("phrase", ALTERNATIVES)
@pytest.mark.parametrize("target", ["duckdb", "sqlite"])
def test_what_is_printed_stands_beside_an_and(places, phrase, target):
    result = period(phrase).resolve(today=TODAY)
    wanted = sum(result.contains(day) for day in DAYS)
    live = sql_text(ulnager.where(phrase, "d", today=TODAY), target)
    frozen = ulnager.condition(result, "d", target=target, literal=True).text
    for text in (live, frozen):
        for whole in (f"{text} AND k = 'x'", f"k = 'x' AND {text}", f"NOT ({text}) AND k = 'x'"):
            (kept,) = places[target].execute(f"SELECT count(*) FROM t WHERE {whole}").fetchone()
            assert kept == (len(DAYS) - wanted if "NOT (" in whole[:5] else wanted), whole


def test_open_slots_are_no_literals():
    live = ulnager.where("last {n} rolling days", "d")
    with pytest.raises(FilterError, match=r"parameters \(n\).*bound"):
        sql_text(live, "duckdb")
    assert ":n" in sql_text(live, "duckdb", bound=True)


CUTS = ["this month except this week", "this month only sundays", "previous month plus today",
        "last 40 rolling days except mondays", "this month only business days",
        "(2026-02 plus 2026-04) except weekends", "this month"]  # fmt: skip
NAMES = {"day": lambda day: True, "business day": lambda day: day.weekday() < 5,
         **{name: (lambda day, n=n: day.weekday() == n)
            for n, name in enumerate(day.lower() for day in plain.day_name)}}  # fmt: skip


@examples(150)
@given(st.sampled_from(CUTS), st.sampled_from(sorted(NAMES)), st.integers(1, 32),
       st.sampled_from(DAYS))  # fmt: skip
def test_days_count_in_the_days_that_a_phrase_has(cut, name, number, today):
    inside = period(cut).resolve(today=today)
    held = [span.start + timedelta(n) for span in inside.spans for n in range(span.days)]
    days = [day for day in held if NAMES[name](day)]
    ordinal = (
        f"{number}{ {1: 'st', 2: 'nd', 3: 'rd'}.get(number % 10 * (number // 10 != 1), 'th') }"
    )
    for word, place in ((ordinal, number - 1), ("last", -1)):
        said = period(f"{word} {name} of ({cut})")
        if place < len(days) and days:
            assert said.resolve(today=today).start == days[place], str(said)
        else:
            with pytest.raises(ResolveError, match=r"there is no|is empty"):
                said.resolve(today=today)
    if name in ("day", "business day") and number <= len(days):
        first = period(f"first {number} {name}s of ({cut})").resolve(today=today)
        got = [one.start + timedelta(n) for one in first.spans for n in range(one.days)]
        assert [day for day in got if NAMES[name](day)] == days[:number]
        if len(inside.spans) > 1:
            assert got == [day for day in held if days[0] <= day <= days[number - 1]]


@examples(100)
@given(st.integers(2000 * 12, 2030 * 12), st.integers(0, 14), st.integers(1, 3),
       st.sampled_from(["10-01", "01-01"]))  # fmt: skip
def test_a_span_written_in_units_steps_by_them(month, more, steps, starts):
    def named(number):
        return f"{number // 12:04}-{number % 12 + 1:02}"

    in_use = ulnager.MonthCalendar(starts)
    wanted = period(
        f"{named(month - steps * (more + 1))}/{named(month + more - steps * (more + 1))}"
    )
    for text in ("{}/{}", "from {} to {}"):
        said = period(text.format(named(month), named(month + more)))
        moved = period(f"{said}, {steps} periods earlier").resolve(today=TODAY, calendar=in_use)
        assert moved.spans == wanted.resolve(today=TODAY).spans
        (start,), (stop,) = period(f"{said}, {steps} periods earlier").resolve_each(
            np.array([TODAY], "datetime64[D]"), calendar=in_use)  # fmt: skip
        assert (start.item(), stop.item()) == (moved.start, moved.stop)


def test_what_is_refused_frozen_is_refused_live():
    for text in ("until wednesday only weekends", "from today except fridays",
                 "(until wednesday plus this month) only mondays"):  # fmt: skip
        for door in (lambda one: period(one).resolve(today=TODAY),
                     lambda one: ulnager.where(one, "d")):  # fmt: skip
            with pytest.raises((ResolveError, FilterError), match="no end"):
                door(text)
    ulnager.where("(until wednesday only weekends) within this month", "d")
    many = period("last 5 rolling years only sundays").resolve(today=TODAY)
    for kind in ("yyyymm", "yyyyww", "iso-week"):
        found = ulnager.condition(many, "k", column_type=kind, rounding="inward", literal=True)
        assert found.text == "1 = 0"


FRAME = pd.DataFrame({"d": pd.to_datetime([f"2026-05-{d:02}" for d in range(1, 11)]),
                      "k": ["a", "b", None] * 3 + ["a"], "n": [1.5, float("nan")] * 5})  # fmt: skip


def test_missing_values_are_asked_for_and_never_numbers(tmp_path):
    for where, rows in (({"k": None}, 3), ({"k": ["a", None]}, 7), ({"k": ["b"]}, 3)):
        assert ulnager.totals(FRAME, "2026-05", where=where, today=TODAY).rows[0].value == rows
    for how, wanted in (("sum", 7.5), ("mean", 1.5), ("max", 1.5), ("median", 1.5), ("count", 5)):
        found = ulnager.totals(FRAME, "2026-05", value="n", how=how, today=TODAY)
        assert found.rows[0].value == wanted, how
    none = pd.DataFrame({"d": FRAME["d"], "n": range(10)})
    assert ulnager.totals(none, "2026-05", value="n", today=TODAY).notes == ()


def test_a_sum_of_what_is_no_number_is_an_error(tmp_path, cli):
    file = tmp_path / "de.csv"
    file.write_text("day;amount;price;flag\n17.05.2026;1.234,50;12.50 EUR;true\n"
                    "18.05.2026;12,5;3;false\n19.05.2026;-3;n/a;true\n")  # fmt: skip
    for column, told in (("amount", r"1\.234,50|12,5"), ("price", "EUR|n/a"), ("flag", "boolean")):
        for how in ("sum", "mean", "median"):
            with pytest.raises(SettingError, match=f"'{column}'.*({told})"):
                ulnager.totals(file, "all dates", value=column, how=how, today=TODAY)
    read = ulnager.open_source(file, decimal=",")
    assert ulnager.totals(read, "all dates", value="amount", today=TODAY).rows[0].value == 1244
    with pytest.raises(SettingError, match="decimal"):
        ulnager.open_source(file, decimal=";")
    assert "--decimal" in cli("profile", str(file), "--today", str(TODAY))[2]
    (tmp_path / "b.toml").write_text(
        '[sources.s]\nfile = "de.csv"\ndecimal = ","\ncolumn = "day"\n'
    )
    source = ulnager.read_book(tmp_path / "b.toml").sources["s"].opened()
    assert ulnager.totals(source, "2026-05", value="amount", today=TODAY).rows[0].value == 1244
    base = sqlite3.connect(tmp_path / "s.db")
    base.executescript("CREATE TABLE t (d DATE, price, qty, note INTEGER);"
                       "INSERT INTO t VALUES ('2026-05-01', 2.5, 2, 'x'), ('2026-05-02', 4, 3, 1);"
                       "CREATE VIEW v AS SELECT d, price * qty AS total, note FROM t;")  # fmt: skip
    base.close()
    held = ulnager.open_source(f"sqlite:///{tmp_path / 's.db'}", "v")
    assert ulnager.totals(held, "2026-05", value="total", today=TODAY).rows[0].value == 17
    with pytest.raises(SettingError, match=r"'note'.*'x'"):
        ulnager.totals(held, "2026-05", value="note", today=TODAY)


def test_money_and_no_numbers_of_a_server():
    name = f"ulnager_pairs_{os.getpid()}"
    try:
        engine = sa.create_engine(URLS["postgresql"])
        engine.connect().close()
    except (sa.exc.OperationalError, ImportError):
        if "postgresql" in REQUIRED:
            raise
        pytest.skip("postgresql is not there")
    with engine.begin() as held:
        held.execute(sa.text(f"CREATE TABLE {name} (d date, m money, x numeric)"))
        held.execute(sa.text(f"INSERT INTO {name} VALUES ('2026-05-01', 12.5, 'NaN'), "
                             "('2026-05-02', 3, 4)"))  # fmt: skip
    try:
        source = ulnager.open_source(URLS["postgresql"], name)
        for value, how, wanted in (("m", "sum", 15.5), ("x", "sum", 4), ("x", "median", 4),
                                   ("x", "max", 4), ("x", "count", 1)):  # fmt: skip
            found = ulnager.totals(source, "2026-05", value=value, how=how, today=TODAY)
            assert float(found.rows[0].value) == wanted, (value, how)
    finally:
        with engine.begin() as held:
            held.execute(sa.text(f"DROP TABLE {name}"))


ZONES = ["Australia/Lord_Howe", "America/Halifax", "America/St_Johns", "Asia/Kathmandu",
         "Atlantic/Azores", "Asia/Beirut"]  # fmt: skip
CHANGES = [date(2026, 4, 5), date(2025, 11, 2), date(2010, 11, 7), date(2026, 5, 20),
           date(2026, 3, 29)]  # fmt: skip


@examples(12)
@given(st.sampled_from(ZONES), st.sampled_from(CHANGES), st.integers(0, 86_399),
       st.sampled_from(["today", "last 5 hours", "last 90 minutes", "yesterday plus today"]),
       st.sampled_from([None, "1 day earlier", "3 hours earlier"]), st.randoms())  # fmt: skip
def test_hours_add_up_with_and_without_what_stands_beside(zone, day, second, phrase, beside, dice):
    here = ZoneInfo(zone)
    now = datetime(day.year, day.month, day.day, tzinfo=here).astimezone(UTC)
    now += timedelta(seconds=second)
    rows = [now + timedelta(seconds=dice.randrange(-200_000, 90_000)) for _ in range(400)]
    frame = pd.DataFrame({"at": rows, "n": [dice.randrange(9) for _ in rows]})
    when = {"now": now.isoformat(), "tz": zone}
    kept = period(phrase).resolve(**when)
    inside = [n for at, n in zip(rows, frame["n"], strict=True)
              if any(a <= at < b for a, b in kept.instants(here))]  # fmt: skip
    try:
        found = ulnager.totals(
            frame, phrase, column="at", by="hour", value="n", beside=beside, **when
        )
    except SettingError as error:
        assert "its own partner" in str(error)
        return
    assert sum(one.value for one in found.rows) == sum(inside)
    assert len(found.rows) < 60
    for one in found.rows:
        if one.beside_bucket is not None and "day" not in (beside or ""):
            back = timedelta(hours=3)
            start, stop = (t.astimezone(UTC) - back for t in (one.bucket.start, one.bucket.stop))
            assert one.beside == sum(n for at, n in zip(rows, frame["n"], strict=True)
                                     if start <= at < stop)  # fmt: skip


@examples(200)
@given(st.sampled_from(ZONES), st.datetimes(datetime(1990, 1, 1), datetime(2030, 1, 1)),
       st.sampled_from(["00:00", "02:30", "01:00"]), st.sampled_from(CHANGES),
       st.booleans())  # fmt: skip
def test_today_holds_now(zone, moment, starts, change, is_near):
    if is_near:
        moment = datetime(change.year, change.month, change.day) + (moment - moment.replace(hour=0))
    now = moment.replace(tzinfo=UTC)
    found = period("today").resolve(now=now, tz=zone, day_starts=starts)
    ((start, stop),) = found.instants(zone)
    assert start <= now < stop


def test_a_page_of_series_without_rows(tmp_path):
    (tmp_path / "r.csv").write_text("day,route,n\n2026-05-01,a,1\n2026-05-02,b,2\n2026-05-19,a,4\n")
    (tmp_path / "b.toml").write_text(
        '[sources.r]\nfile = "r.csv"\ncolumn = "day"\n[periods]\nnone = "2030-01"\n'
        'some = "2026-05"\n'
        'open = "from 2026-05-02"\n[pickers.p]\nchoices = ["some", "none", "open"]\n[pages.g]\n'
        'picker = "p"\n[pages.g.charts]\na = { source = "r", value = "n", split = "route", by = '
        '"day" }\nb = { source = "r", value = "n", split = "route" }\n'
        'c = { source = "r", value = "n", beside = "1 period earlier" }\n'
    )
    from starlette.testclient import TestClient

    client = TestClient(ulnager.service(tmp_path / "b.toml", today=TODAY), "http://127.0.0.1")
    page = ulnager.read_book(tmp_path / "b.toml").page("g")
    for key, value in (("some", 7), ("none", 0), ("open", 6)):
        assert client.get(f"/pages/g?p={key}").status_code == 200
        found = page.read({"p": key}, today=TODAY).values()
        assert sum(row.value for row in found["a"].rows) == value
        assert sum(row.value for row in found["b"].rows) == value
        assert found["c"].rows[0].value == value


def test_single_numbers_say_that_they_are_unfinished(tmp_path):
    frame = pd.DataFrame({"d": pd.date_range("2026-01-01", "2026-05-19"), "n": 1})
    ends = ("still running", "the data ends")
    for phrase, reasons in (("this month", ends), ("previous month", ()), ("month to date", ends),
                            ("next month", ("not begun", "the data ends")),
                            ("last 7 whole days", ())):  # fmt: skip
        (row,) = ulnager.totals(frame, phrase, value="n", today=TODAY).rows
        assert (row.bucket.reasons, row.bucket.is_whole) == (reasons, not reasons), phrase
    (row,) = ulnager.totals(frame, "this month", value="n", partial="keep", today=TODAY).rows
    assert row.bucket.is_whole
    for by in (None, "month"):
        found = ulnager.totals(frame, "since 2026-04-20", value="n", by=by, today=TODAY,
                               beside="1 month earlier")  # fmt: skip
        assert found.rows[0].beside is not None
        whole = ulnager.totals(frame, "all dates", value="n", by=by, today=TODAY,
                               beside="1 month earlier")  # fmt: skip
        assert len(whole.rows) == (1 if by is None else 5)


def test_rows_that_stand_for_months_are_cut_by_no_door(tmp_path, cli):
    months = [date(y, m, 1) for y in (2024, 2025) for m in range(1, 13)]
    (tmp_path / "m.csv").write_text("month,n\n" + "".join(f"{one},1\n" for one in months))
    text = (
        '[sources.m]\nfile = "m.csv"\ncolumn = "month"\ngrain = "month"\n{}[periods]\n'
        'cut = "last 90 rolling days as of latest"\nfits = "last 3 whole months as of latest"\n'
        '[pickers.p]\nchoices = ["fits", "cut"]\n[pages.g.charts]\n'
        'a = {{ source = "m", value = "n", period = "cut" }}\n'
    )
    (tmp_path / "b.toml").write_text(text.format(""))
    book, source = ulnager.read_book(tmp_path / "b.toml"), ulnager.open_source(tmp_path / "m.csv")
    told = "cuts a month, which a column of months cannot tell"
    cut = book.resolve("cut", today=TODAY)
    for door in (lambda: ulnager.preview(source, cut),
                 lambda: ulnager.totals(source, cut, value="n"),
                 lambda: ulnager.condition(cut, "month", grain="month")):  # fmt: skip
        with pytest.raises(FilterError, match=told):
            door()
    view = book.picker("p").open(today=TODAY)
    assert told in view.choose("cut").problems[0]
    assert view.resolution.days == 92
    assert told in book.page("g").open(today=TODAY).values()["a"]
    code, _, err = cli("buckets", "last 90 rolling days as of latest", "--source",
                       str(tmp_path / "m.csv"), "--value", "n", "--today", str(TODAY))  # fmt: skip
    assert (code, told in err) == (1, True) or (code, told in err) == (2, True)
    for rounding, value in (("inward", 2), ("outward", 3)):
        found = ulnager.totals(source, cut, value="n", rounding=rounding)
        assert found.rows[0].value == value
        (tmp_path / "b.toml").write_text(text.format(f'rounding = "{rounding}"\n'))
        page = ulnager.read_book(tmp_path / "b.toml").page("g").open(today=TODAY)
        assert page.values()["a"].rows[0].value == value
    with pytest.raises(SettingError, match="stands for a month"):
        ulnager.totals(source, "2025", value="n", by="week", today=TODAY)
    cli("profile", str(tmp_path / "m.csv"), "--to-book", str(tmp_path / "c.toml"), "--today",
        str(TODAY))  # fmt: skip
    begun = ulnager.read_book(tmp_path / "c.toml").picker("dates").open(today=TODAY)
    assert all(one.resolution is not None for one in begun.choices)
    assert begun.by in ("month", "quarter", "year")
    assert ulnager.check(tmp_path / "c.toml", today=TODAY) == ()


def test_labels_of_every_language_name_both_ends():
    spans = [(date(2026, 2, 3), date(2026, 4, 30)), (date(2026, 4, 1), date(2026, 4, 30)),
             (date(2024, 12, 1), date(2026, 1, 31))]  # fmt: skip
    for locale in localedata.locale_identifiers():
        said = words(locale)
        for first, last in spans:
            others = [first + timedelta(1)]
            others += [first + timedelta(40)] * (first.month != last.month)
            told = {said.span(Span(one, last + timedelta(1))) for one in (first, *others)}
            assert len(told) == 1 + len(others), (locale, told)
    assert [words(one).direction for one in ("ar", "he", "fa", "de")] == ["rtl"] * 3 + ["ltr"]
    assert (words("fr").unit("Q2 2026"), words("de").unit("Q2")) == ("T2 2026", "Q2")
    with pytest.raises(SettingError, match="year of the week"):
        words("de", "dd.MM.YYYY")


def test_at_the_first_days_of_time_arrays_are_as_single_days():
    for text in ("at least 3 days ago", "until yesterday", "last 3 rolling days", "before monday"):
        for day in range(1, 9):
            at = date(1, 1, day)
            told = []
            each = np.array([at], "datetime64[D]")
            for door in (
                lambda said, at=at: said.resolve(today=at).stop,
                lambda said, each=each: said.resolve_each(each, True)[1][0].item(),
            ):
                try:
                    told.append(door(period(text)))
                except ResolveError:
                    told.append("outside")
            assert told[0] == told[1], (text, at)


def test_readings_near_by_go_by_the_same_anchor(cli):
    out = cli("readings", "last 90 days", "--as-of", "2026-03-31", "--today", str(TODAY))[1]
    assert all("2026-03-31" in line for line in out.splitlines()[1:] if line)
    out = cli("readings", "3 months ago", "--today", str(TODAY))[1]
    assert all(word in out for word in ("since 3", "at least 3", "week of 3", "month of 3"))
    for text in ("previous period", "the next period", "same prior period"):
        with pytest.raises(ulnager.PeriodSyntaxError, match="1 period earlier"):
            period(text)
    assert period("today").resolve(today=TODAY, data=Extent(TODAY, TODAY)).days == 1


# What stands for the small things of the grammar; all else is expanded by its own alternatives.
SMALL = {
    "count": ["3", "a", "twelve"], "unit": ["month", "week", "business day", "fiscal quarter"],
    "units": ["months", "weeks", "business days"], "unit name": ["Q3", "week 14", "H2"],
    "month name": ["march", "feb"], "weekday": ["friday", "mon"], "ordinal": ["3rd", "last", "2nd"],
    "sort of day": ["day", "business day", "monday"], "days": ["weekends", "fridays and holidays"],
    "calendar name": ["gregorian"], "label": ["week 14 of 2026", '"Q1 2026"'],
    "iso form": ["2026-W14", "2026-03/2026-05"], "date": ["2026-05-11"], "number": ["3"],
    "timestamp": ["2026-05-20T08:30Z"], "year": ["2026"], "quoted text": ['"Q1 2026"'],
    "word": ["x"],
}  # fmt: skip
WHOLE = {"edge": "from {0} to {0}", "continuation": "this year {0}",
         "phrase inside": "start of {0}", "steps": "today, 3 {0} earlier"}  # fmt: skip
SIGN = re.compile(
    r"\(\*.*?\*\)|\"[^\"]*\"|'[^']*'|\?[^?]*\?|[a-z][a-z0-9 ]*[a-z0-9]|[a-z]|[=,|;()\[\]{}]"
)


def productions():
    """The productions of docs/grammar.md: by name their alternatives, each a list of signs."""
    page = (Path(__file__).parents[1] / "docs" / "grammar.md").read_text()
    found = {}
    for block in "\n".join(re.findall(r"```[a-z]*\n(.*?)```", page, re.DOTALL)).split(" ;\n"):
        signs = [one for one in SIGN.findall(block) if not one.startswith("(*")]
        if "=" not in signs[:2]:
            continue
        alternatives, depth = [[]], 0
        for sign in signs[2:]:
            depth += (sign in "([{") - (sign in ")]}")
            if sign == "|" and not depth:
                alternatives.append([])
            else:
                alternatives[-1].append(sign)
        found[signs[0]] = [one for one in alternatives if one]
    return found


GRAMMAR = productions()


def written(signs, dice, depth):
    """A text of an alternative; what may be left out or repeated is there once or not at all."""
    words, place = [], 0
    while place < len(signs):
        sign = signs[place]
        if sign in ("(", "[", "{"):
            level, end = 1, place
            while level:
                end += 1
                level += (signs[end] in ("(", "[", "{")) - (signs[end] in (")", "]", "}"))
            if sign == "(" or (depth < 2 and dice.random() < 0.4):
                inner = [[]]
                for one in signs[place + 1 : end]:
                    inner.append([]) if one == "|" else inner[-1].append(one)
                words.append(written(dice.choice(inner), dice, depth))
            place = end
        elif sign[0] in "\"'":
            words.append(sign[1:-1])
        elif sign not in (",", "|") and not sign.startswith("?"):
            words.append(expanded(sign, dice, depth + 1))
        place += 1
    return " ".join(word for word in words if word)


def expanded(name, dice, depth=0):
    if name in SMALL:
        return dice.choice(SMALL[name])
    options = GRAMMAR[name]
    return written(dice.choice(options if depth < 3 else options[:6]), dice, depth)


BIG = [name for name in GRAMMAR if name not in SMALL and name not in (
    "letter", "digit", "offset", "period form", "one sort")]  # fmt: skip


@pytest.mark.parametrize("name", BIG)
def test_every_production_of_the_published_grammar_is_read(name):
    """Each alternative, several times: read, or told what is wrong; worked out, or told why not."""
    dice = random.Random(name)
    for alternative in GRAMMAR[name]:
        read = 0
        for _ in range(12 * max(1, int(TIMES))):
            text = written(alternative, dice, 0)
            text = WHOLE.get(name, "{0}").format(text)
            try:
                said = period(text)
            except ulnager.PeriodSyntaxError:
                continue
            read += 1
            for door in (lambda said=said: said.resolve(now="2026-05-20T12:00Z", tz="UTC",
                                                        data=Extent(DAYS[0], TODAY)),
                         lambda said=said: said.resolve_each(np.array([TODAY], "datetime64[D]"),
                                                             data=Extent(DAYS[0], TODAY)),
                         lambda said=said: ulnager.where(said, "d", latest=("t", "d")),
                         lambda said=said: period(str(said)), said.readings):  # fmt: skip
                with contextlib.suppress(ulnager.UlnagerError):
                    door()
        assert read, (name, alternative)


LATE = """
day_starts = "04:00"
tz = "America/Halifax"
[sources.tabs]
file = "tabs.csv"
column = "at"
[anchors]
load = { point = "latest", sources = ["tabs"] }
[pickers.p]
choices = ["yesterday", "today", { phrase = "last 3 days to date", key = "three" }]
[pages.g]
picker = "p"
[pages.g.charts.n]
source = "tabs"
value = "n"
by = "day"
[schedules.night]
page = "g"
every = "FREQ=DAILY"
at = "02:00"
tz = "America/Halifax"
"""


def test_a_book_says_when_its_days_start(tmp_path, cli):
    """At night the clock, a source, a page, a schedule and every command are in the same day."""
    from starlette.testclient import TestClient

    zone, now = ZoneInfo("America/Halifax"), datetime(2026, 5, 20, 5, 30, tzinfo=UTC)
    at = [datetime(2026, 5, 16, 12, tzinfo=UTC) + timedelta(minutes=37 * n) for n in range(146)]
    lines = [f"{one:%Y-%m-%dT%H:%M:%SZ},{n}" for n, one in enumerate(at)]
    (tmp_path / "tabs.csv").write_text("\n".join(["at,n", *lines, ""]))
    (tmp_path / "b.toml").write_text(LATE)
    book = ulnager.read_book(tmp_path / "b.toml")
    on = [(one.astimezone(zone).replace(tzinfo=None) - timedelta(hours=4)).date() for one in at]

    def of(first, last):
        return [n for n, day in enumerate(on) if first <= day <= last]

    day = date(2026, 5, 19)  # It is half past two at night.
    assert book.resolve("today", now=now).start == day
    assert book.resolve("today as of load", now=now).start == on[-1] == day
    values = book.page("g").read({"p": "three"}, now=now).values()["n"].rows
    wanted = [sum(of(one, one)) for one in (day - timedelta(2), day - timedelta(1), day)]
    assert [row.value for row in values] == wanted
    phrase = "last 3 days to date"
    source = book.source("tabs")
    assert [row.value for row in ulnager.totals(source, phrase, value="n", by="day", now=now).rows
            ] == wanted  # fmt: skip
    assert ulnager.preview(source, phrase, now=now).kept == len(of(day - timedelta(2), day))
    fixed = book.resolve(phrase, now=now)
    for over, when in ((phrase, {"now": now}), (fixed, {})):
        run = ulnager.running(source, "anchor day", over=over, value="n", **when)
        assert [row.value for row in run.rows] == wanted
        whole = ulnager.totals(source, over, value="n", **when).rows[0]
        assert (whole.value, whole.bucket.day_starts) == (sum(wanted), timedelta(hours=4))
        assert ulnager.preview(source, whole.bucket).kept == len(of(day - timedelta(2), day))
    sent = book.schedule("night").open(now, today="2026-06-01").charts["n"]
    assert (sent.resolution.start, sent.moment.up_to) == (day - timedelta(1), day - timedelta(1))
    clock = ("--book", str(tmp_path / "b.toml"), "--now", now.isoformat())
    out = cli("buckets", phrase, "--by", "day", "--source", "tabs", "--value", "n", *clock)[1]
    assert [line.split()[3] for line in out.splitlines()[1:]] == [f"{one:,}" for one in wanted]
    column = ("--column", "at", "--type", "timestamptz", "--tz", "America/Halifax")
    for live in ((), ("--live",)):
        _, _, err = cli("filter", phrase, *column, *live, "--run", "tabs", *clock)
        assert f"keeps {len(of(day - timedelta(2), day))} of 146 rows" in err
    written = tmp_path / "c.toml"
    cli(
        "profile",
        str(tmp_path / "tabs.csv"),
        "--tz",
        "America/Halifax",
        "--day-starts",
        "04:00",
        "--to-book",
        str(written),
        "--open-ended",
        "2030-01-01",
        "--encoding",
        "utf-8",
    )
    held = {"column_type": "timestamptz", "tz": "America/Halifax"}
    texts = {
        ulnager.condition(
            book.picker("p").where("at", **held, **said), target="duckdb", literal=False
        ).text
        for said in ({}, {"day_starts": "04:00"})
    }
    assert len(texts) == 1
    begun = ulnager.read_book(written)
    assert (begun.day_starts, begun.tz, begun.source("tabs").tz) == ("04:00", str(zone), str(zone))
    assert dict(begun.source("tabs").form)["open_ended"] == [date(2030, 1, 1)]
    (tmp_path / "d.toml").write_text(LATE.replace("04:00", "4 o'clock"))
    with pytest.raises(ulnager.BookError, match="day_starts"):
        ulnager.read_book(tmp_path / "d.toml")
    told = TestClient(ulnager.service(tmp_path / "b.toml"), "http://127.0.0.1").get("/api/pages/g")
    begins = datetime.now(zone).replace(tzinfo=None) + timedelta(hours=20)
    ends = datetime.fromisoformat(told.json()["until"]).astimezone(zone).replace(tzinfo=None)
    assert ends == datetime.combine(begins.date(), datetime.min.time()) + timedelta(hours=4)
    buckets = fixed.buckets("day")
    with pytest.raises(SettingError, match="zone"):
        buckets[0].contains(now)
    late = datetime(2026, 5, 19, 2)
    assert [one.contains(late) for one in buckets] == [False, True, False]
    assert [bool(one.mask([late])[0]) for one in buckets] == [False, True, False]
    frame = pd.DataFrame({"at": [late, late + timedelta(hours=3)]})
    assert [len(ulnager.keep(frame, one, "at")) for one in buckets] == [0, 1, 1]


@pytest.mark.parametrize("line", [
    "show operations --book demo:ferries --year-starts 02-01", "show --book demo:ferries --as-of x",
    "show dates --book demo:ferries --defaults last=whole", "profile demo:sailings --as-of today",
    "show dates --book demo:ferries --day-starts 03:00", "rehearse today --as-of 2026-05-01",
    "ages demo:work_orders --since raised_on --defaults last=whole", "resolve today --decimal ,",
    "filter today --column d --live --for duckdb --delimiter ;", "resolve today --encoding utf-8",
    "filter today --column d --live --for duckdb --table x", "readings today --date-format %d",
])  # fmt: skip
def test_no_option_does_nothing(line, cli):
    code, out, err = cli(*line.split())
    assert (code, out) == (2, "")
    assert "No such option" in err or "name that too" in err


def test_a_date_table_is_measured_from_its_anchor(cli, tmp_path):
    """Its own, else the book's, as the periods of the book are; else the clock."""
    (tmp_path / "r.csv").write_text("d\n2026-05-17\n")
    book = tmp_path / "b.toml"
    book.write_text(
        'anchor = "l"\n[sources.r]\nfile = "r.csv"\n'
        '[anchors]\nl = { point = "latest", sources = ["r"] }\n'
    )
    for args, days in (
        (("--as-of", "2026-05-03"), -2),
        (("--as-of", "yesterday"), -18),
        (("--as-of", "end of previous month"), 1),
        ((), -19),
        (("--book", str(book)), -16),
        (("--book", str(book), "--as-of", "2026-05-03"), -2),
    ):
        two = ("calendar", "2026-05-01", "2026-05-02", "--today", "2026-05-20", "--json")
        out = cli(*two, *args)[1]
        assert json.loads(out)[0]["days_from_anchor"] == days
