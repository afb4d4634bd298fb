"""Any command with any of its options ends in an answer or in words, and never in a trace."""

import contextlib
import io
import os
from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ulnager.cli.main import main

from strategies import examples

PHRASES = [
    "last 3 whole months", "last 7 days", "month to date", "last 24 hours", "last 3 whole hours",
    "all dates", "since 2026-03-01", "before now", "until latest", "2026-W14", "2026-05",
    "today except today", "last 5 business days", "from 2026-03-28 to 2026-03-29", "this weekend",
    "last 90 minutes", "previous quarter, 1 year earlier", "march", "week 14", "rest of year",
    "at least 3 months ago", "last friday of previous month", "2026-01 plus 2026-03",
    "last 2 weeks only weekends", "since earliest", "latest whole day", "9999-12-31", "0001-01-01",
    "month to date within data", "last 3 hours within data", "last {n} days", "last monts", "",
    "last 2 hours as of latest", "2 hours starting now", "day", "shift", "own", "anchor day",
]  # fmt: skip
SOURCES = [
    "demo:sailings", "demo:gate_scans", "demo:work_orders", "days.csv", "times.csv", "months.csv",
    "empty.csv", "head.csv", "far.csv", "nulls.csv", "no.csv",
]  # fmt: skip
BOOKS = ["own.toml", "demo:ferries", "demo:careless"]
COLUMNS = ["day", "at", "month", "sailed_on", "scanned_at", "raised_on", "n", "route", "nosuch"]
UNITS = ["day", "week", "month", "hour", "minute", "business day", "half", "decade"]
HOW = ["count", "sum", "mean", "max", "median", "distinct"]
TYPES = ["date", "timestamp", "timestamptz", "yyyymm", "epoch-seconds", "iso-text", "iso-week"]
ENGINES = ["duckdb", "postgresql", "sqlite", "mariadb", "spark", "bigquery", "tsql", "odata"]
NAMES = ["dates", "home", "mail", "day", "load", "sailings", "operations", "routes", "monday_mail"]
PLACES = {"PHRASE": PHRASES, "SOURCE": SOURCES, "BOOK": BOOKS, "COLUMN": COLUMNS, "UNIT": UNITS,
          "HOW": HOW, "TYPE": TYPES, "ENGINE": ENGINES, "NAME": NAMES,
          "BESIDE": ["1 year earlier", "1 period earlier", "2 hours earlier", "previous month"],
          "CHOICE": ["day", "shift", "own", "recent", "fixed"], "STEP": ["1 week", "-1 month"],
          "TODAY": ["2026-05-20", "2024-02-29", "9999-12-31", "0001-01-01"],
          "NOW": ["2026-05-20T08:30Z", "2026-03-29T01:30+01:00", "2026-11-01T05:30Z"],
          "ZONE": ["UTC", "America/Halifax", "Asia/Kolkata"],
          "HELD": ["demo:sailings --column sailed_on", "demo:gate_scans --tz UTC", "days.csv",
                   "times.csv --tz UTC", "months.csv --column month", "nulls.csv"],
          "MEASURED": ["demo:sailings --value passengers", "times.csv --tz UTC --value n",
                       "days.csv --value n", "demo:gate_scans --tz UTC", "far.csv", "head.csv"],
          "AGED": ["demo:work_orders --since raised_on --until closed_on", "days.csv --since day",
                   "times.csv --since at --tz UTC", "nulls.csv --since day", "far.csv --since day"],
          "FILTERED": ["days.csv --column day", "times.csv --column at --tz UTC",
                       "demo:sailings --column sailed_on", "months.csv --column month"],
          "POINT": ["latest", "2026-05-17", "latest whole day", "load"]}  # fmt: skip
# What stands in brackets is left out or taken.
BASIS = ("[--today TODAY] [--now NOW] [--tz ZONE] [--as-of POINT] [--book own.toml] [--json] "
         "[--year-starts 10-01] [--week-starts sunday] [--day-starts 04:00]")  # fmt: skip
MEASURE = "[--how HOW] [--split route]"
COMMANDS = [
    f"resolve PHRASE {BASIS} [--source SOURCE] [--explain]",
    f"readings PHRASE {BASIS} [--source SOURCE]",
    f"draw PHRASE --to x.svg {BASIS} [--source HELD] [--step STEP]",
    f"rehearse PHRASE --first 2026-05-01 --last 2026-09-30 {BASIS} [--every FREQ=WEEKLY;BYDAY=MO] "
    "[--picture y.svg]",
    "rehearse NAME --book own.toml --first 2026-05-01 --last 2026-09-30 [--json]",
    f"filter PHRASE --column COLUMN {BASIS} [--type TYPE] [--for ENGINE] [--live] "
    "[--rounding outward] [--until closed_on]",
    f"filter PHRASE --run FILTERED {BASIS} [--type TYPE] [--for ENGINE] [--live]",
    f"preview PHRASE HELD {BASIS} [--rounding inward] [--write w.parquet] [--replace]",
    f"preview PHRASE SOURCE [--column COLUMN] {BASIS}",
    f"buckets PHRASE --by UNIT --source MEASURED {BASIS} {MEASURE} [--top 1] [--beside BESIDE] "
    "[--partial drop] [--picture z.svg] [--layout calendar]",
    f"buckets PHRASE [--by UNIT] [--source SOURCE] {BASIS} {MEASURE}",
    f"running PHRASE --over PHRASE --source MEASURED {BASIS} {MEASURE} [--per day] "
    "[--picture r.svg]",
    "ages AGED [--unit UNIT] [--today TODAY] [--as-of POINT] [--tz ZONE] [--rows 2] "
    "[--picture a.svg] [--json]",
    "show NAME --book own.toml [--choose CHOICE] [--set n=3] [--by UNIT] [--now NOW] [--json]",
    "show [NAME] --book BOOK [--choose CHOICE] [--today TODAY] [--as-link]",
    "calendar 2026-05-01 2026-05-20 [--periods] [--offsets] [--book own.toml] [--tz ZONE]",
    "calendar --bounds --book own.toml [--today TODAY]",
    f"profile HELD {BASIS} [--key n] [--picture p.svg]",
    "check BOOK [--today TODAY] [--json]",
]
BOOK = """
tz = "America/Halifax"
[sources.times]
file = "times.csv"
column = "at"
[sources.days]
file = "days.csv"
column = "day"
[anchors]
load = { point = "latest", sources = ["days"], day = "running" }
[periods]
day = "last 24 rolling hours"
shift = { phrase = "last 8 whole hours", anchor = "load" }
fixed = { phrase = "last 2 whole months", anchor = "load" }
[periods.own]
phrase = "from {a} to {b}"
inputs = { a = { opens = "earliest", source = "days" }, b = { opens = "latest", source = "days" } }
[periods.recent]
phrase = "last {n} {unit}"
inputs.n = { max = 9, opens = 2 }
inputs.unit = { of = ["hour", "day"], opens = "day" }
[pickers.dates]
choices = ["day", "shift", "fixed", "own", "recent"]
by = { of = ["hour", "day", "month"], opens = "fitting" }
[pages.home]
picker = "dates"
[pages.home.charts]
a = { source = "times", by = "viewer", value = "n" }
b = { source = "days", by = "week", value = "n", beside = "1 year earlier" }
c = { source = "times", value = "n", running = "last 7 rolling days" }
d = { source = "days", value = "n", split = "route" }
e = { source = "times", form = "rows", columns = ["at", "n"] }
[schedules.mail]
page = "home"
every = "FREQ=DAILY"
at = "07:00"
"""


@pytest.fixture(scope="module", autouse=True)
def folder(tmp_path_factory):
    """A folder with data of every sort, which is the present one."""
    made, before = tmp_path_factory.mktemp("commands"), Path.cwd()
    days = [date(2026, 3, 1) + timedelta(n) for n in range(80) if n % 9]
    rows = {
        "days": ["day,n,route", *(f"{day},{day.day % 4},{'ab'[day.day % 2]}" for day in days)],
        "times": ["at,n", *(f"{day}T{day.day % 24:02}:30:00Z,{day.day}" for day in days)],
        "months": ["month,n", "202601,1", "202602,2", "202603,3"],
        "empty": [], "head": ["day,n"], "nulls": ["day,n", ",1", ",2"],
        "far": ["day,n", "2026-05-01,1", "9999-12-31,2", "0001-01-01,3"],
    }  # fmt: skip
    for name, lines in rows.items():
        (made / f"{name}.csv").write_text("".join(f"{line}\n" for line in lines))
    (made / "own.toml").write_text(BOOK)
    os.chdir(made)
    yield made
    os.chdir(before)


@st.composite
def commands(draw):
    """The words of a command, some of its options, and something for each place."""
    found = []
    for part in draw(st.sampled_from(COMMANDS)).replace("[", "\0[").replace("]", "]\0").split("\0"):
        text = part.strip()
        if text.startswith("[") and draw(st.integers(0, 3)):
            continue
        for word in text.strip("[]").split():
            told = draw(st.sampled_from(PLACES[word])) if word in PLACES else word
            found += told.split(" ") if word in ("HELD", "MEASURED", "AGED", "FILTERED") else [told]
    return found


@examples(250)
@given(commands())
def test_no_command_ends_in_a_trace(asked):
    out, err, code = io.StringIO(), io.StringIO(), 0
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            main(asked)
        except SystemExit as left:
            code = left.code or 0
    assert code in (0, 1, 2)
    assert "went wrong inside" not in err.getvalue(), err.getvalue()
    assert out.getvalue() or err.getvalue() or code == 0
