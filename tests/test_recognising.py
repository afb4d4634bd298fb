"""Conditions of SQL: which phrase each is, beside the engines, and what is wrong in them."""

import json
import os
import re
import sqlite3
from datetime import date, timedelta
from pathlib import Path

import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from ulnager import FilterError, MonthCalendar
from ulnager.checking.check_sql import check_sql
from ulnager.checking.recognising import recognise
from ulnager.cli.main import main
from ulnager.filters.sql_text import sql_text

from engines import REQUIRED, URLS
from strategies import TIMES, examples, phrases

TEXT = (Path(__file__).parent / "conditions.tsv").read_text()
LINES = [line.split("\t") for line in TEXT.split("\n") if line and not line.startswith("#")]
# Every fourth one; all of them in a longer run.
STEP = 1 if TIMES >= 1 else 4
LINES = LINES[::STEP]


@pytest.mark.parametrize(("dialect", "condition", "wanted"), LINES)
def test_conditions_that_people_write(dialect, condition, wanted):
    target, _, column_type = dialect.partition(" ")
    found = recognise(condition, target=target, column_type=column_type or "date")
    if wanted.startswith("~"):
        nearest, count, first = (part.strip() for part in wanted[1:].split("|"))
        days = sum((last - start).days + 1 for start, last in found.part_on)
        assert (found.phrase, str(found.nearest)) == (None, nearest)
        told = found.part_on[0][0] if found.part_on else found.why
        assert (days, first in str(told)) == (int(count), True)
    elif wanted.startswith("?"):
        assert (found.phrase, found.nearest) == (None, None)
        assert wanted[1:].strip() in found.why
    else:
        assert str(found.phrase) == wanted


CLOCKS = {
    "sqlite": (r"'now'", "'{}'"), "postgresql": (r"current_date|now\(\)", "DATE '{}'"),
    "mysql": (r"CURDATE\(\)", "DATE('{}')"),
}  # fmt: skip
DAYS = [
    date(2024, 2, 29),
    date(2024, 3, 31),
    date(2025, 1, 1),
    date(2026, 5, 20),
    date(2026, 8, 31),
]


@pytest.mark.parametrize("name", ["sqlite", "postgresql", "mysql"])
def test_the_engines_keep_the_rows_of_the_phrase(name):
    """Each condition on its own engine, with a day in place of its clock."""
    is_sqlite = name == "sqlite"
    known = URLS["mariadb" if name == "mysql" else name]
    try:
        connection = (
            sqlite3.connect(":memory:") if name == "sqlite" else sa.create_engine(known).connect()
        )
    except sa.exc.OperationalError:
        assert name not in REQUIRED
        pytest.skip(f"there is no {name}")
    around = [date(2022, 12, 1) + timedelta(n) for n in range(1500)]
    if is_sqlite:
        run = connection.execute
        run("CREATE TEMP TABLE recognised (d TEXT)")
    else:
        run = connection.exec_driver_sql
        run("CREATE TEMPORARY TABLE recognised (d date)")
    run("INSERT INTO recognised VALUES " + ", ".join(f"('{day}')" for day in around))
    pattern, form = CLOCKS[name]
    tried = 0
    for dialect, condition, wanted in LINES:
        if dialect != name or wanted[0] in "~?" or "FROM t" in condition:
            continue
        for day in DAYS:
            text = re.sub(pattern, form.format(day), condition).replace(
                "%", "%%" * (name != "sqlite") or "%"
            )
            kept = {str(row[0]) for row in run(f"SELECT d FROM recognised WHERE {text}")}
            result = ulnager.period(wanted).resolve(today=day)
            assert kept == {str(one) for one in around if result.contains(one)}, (condition, day)
            tried += 1
    assert tried >= 50 // STEP
    connection.close()


@examples(12)
@given(st.sampled_from(["duckdb", "postgresql", "sqlite", "mariadb", "spark"]), phrases)
def test_live_conditions_of_our_own_are_never_taken_for_another(dialect, text):
    """A phrase with the same rows, or none where the form is none that is tried; never another."""
    try:
        phrase = ulnager.period(text)
        text = sql_text(ulnager.where(phrase, "d"), dialect)
    except ulnager.UlnagerError:
        return  # It needs a date table, or the data, or is of hours.
    found = recognise(text, target=dialect)
    if found.phrase is None:
        return
    for day in DAYS:
        ours = found.phrase.resolve(today=day).ranges
        assert ours == phrase.resolve(today=day).ranges, (str(phrase), str(found.phrase), day)


SAID = (Path(__file__).parent / "phrases.tsv").read_text().split("\n")
CASES = Path(__file__).parents[1] / "docs" / "conformance.jsonl"
LONG = int(float(os.environ.get("ULNAGER_CASES", "1")) > 1)
KNOWN = """today; yesterday; tomorrow; this month; this week; previous quarter; next week
month to date; year to date; last 7 rolling days; last 3 rolling months; last 3 whole months
last 4 whole weeks
last 3 months to date; last 3 months to end; next 2 whole weeks; rest of month; at least 30 days ago
at most 3 months ago; since 2026-01-01; from 2026-01-01 to 2026-03-31; all dates; 6 months ago
end of previous month; year to date, 1 year earlier; month to date except today
since start of quarter
last 10 days only mondays and fridays; last 5 months except this month; week 1 of this year
this month, 1 week earlier, 1 month earlier; month to date except today, 2 weeks earlier
(this week plus 3 days ago) except sundays; year to date as of end of last month
last 30 rolling days only weekdays; first monday of month; until yesterday; last 5 whole years"""


@pytest.mark.parametrize(
    "dialect", ["duckdb", "sqlite"] + LONG * ["postgresql", "mariadb", "spark"]
)
def test_the_common_live_conditions_are_all_known(dialect):
    # Each has every third of them, another of all; in a longer run each has all.
    first = 0 if LONG else dialect == "sqlite"
    for text in re.split(r"[;\n] ?", KNOWN)[first :: 1 if LONG else 3]:
        phrase = ulnager.period(text)
        condition = sql_text(ulnager.where(phrase, "d"), dialect)
        found = recognise(condition, target=dialect).phrase
        assert found is not None, (text, condition)
        for day in DAYS:
            assert found.resolve(today=day).ranges == phrase.resolve(today=day).ranges


@pytest.mark.skipif(not LONG, reason="a long walk: ULNAGER_CASES")
def test_every_live_condition_of_the_conformance_file_is_known_again():
    """But those of the data's last day, and `rest of day`, which is always empty."""
    texts = {json.loads(line)["phrase"] for line in CASES.read_text().splitlines()}
    for text in sorted(texts | {line.split("\t")[0] for line in SAID if line and line[0] != "#"}):
        try:
            phrase = ulnager.period(text)
            condition = sql_text(ulnager.where(phrase, "d"), "duckdb")
        except ulnager.UlnagerError:
            continue
        found = recognise(condition)
        assert found.phrase is not None or "nothing" in found.why, text


OF_TIMES = {"column_type": "timestamp"}
FUNCTION = "secret_function(1)"


@examples(15)
@given(st.sampled_from([line.split("\t")[0] for line in SAID if line and line[0] != "#"]))
def test_what_people_say_is_known_again_or_not_at_all(text):
    """Never with other dates, on days that were not looked at before."""
    try:
        phrase = ulnager.period(text)
        condition = sql_text(ulnager.where(phrase, "d"), "duckdb")
    except ulnager.UlnagerError:
        return
    if "max(" in condition:
        return  # The data answers.
    found = recognise(condition)
    if found.phrase is None:
        return
    for n in range(0, 3000, 37):
        day = date(2019, 2, 27) + timedelta(n)
        ours = found.phrase.resolve(today=day).ranges
        assert ours == phrase.resolve(today=day).ranges, (text, str(found.phrase), day)


def test_the_order_of_phrases_with_the_same_rows():
    """A named day, this and previous, to date, rolling, whole; the unit that the SQL names."""
    cases = {
        "d >= current_date AND d <= current_date": "today",
        "d > current_date - 2 AND d < current_date": "yesterday",
        "d >= date_trunc('month', current_date) AND d <= last_day(current_date)": "this month",
        "d >= date_trunc('week', current_date) AND d <= current_date": "week to date",
        "d BETWEEN current_date - 13 AND current_date": "last 14 rolling days",
        "d > current_date - INTERVAL 2 WEEK AND d <= current_date": "last 2 rolling weeks",
        "d > current_date - INTERVAL 12 MONTH AND d <= current_date": "last 12 rolling months",
        "d > current_date - INTERVAL 1 YEAR AND d <= current_date": "last 1 rolling year",
        "d BETWEEN current_date - 14 AND current_date - 1": "last 14 whole days",
        "date_diff('quarter', d, current_date) BETWEEN 1 AND 4": "last 4 whole quarters",
        "date_diff('year', d, current_date) = 1": "previous year",
        "date_diff('month', d, current_date) BETWEEN 0 AND 2": "last 3 months to end",
        "d >= current_date": "from today", "d < current_date": "before today",
        "d = current_date - INTERVAL 1 MONTH": "1 month before today",
    }  # fmt: skip
    for condition, wanted in cases.items():
        assert str(recognise(condition).phrase) == str(ulnager.period(wanted)), condition


@pytest.mark.parametrize(("condition", "more", "wanted"), [
    ("t >= current_date - 6 AND t < current_date + 1", OF_TIMES, "last 7 rolling days"),
    ("t >= current_date - 6 AND t <= current_date", OF_TIMES, "a part of some day"),
    ("d > now() - interval '17 hours'", {}, "at other times of the day"),
    ("d >= convert_timezone('America/New_York', current_timestamp())::date",
     {"target": "snowflake"}, "from today"),
    ("d = CAST(SYSDATETIMEOFFSET() AT TIME ZONE 'W. Europe Standard Time' AS date)",
     {"target": "tsql"}, "today"),
    ("t >= date_trunc('day', now() - interval '6 hours')", OF_TIMES, "at other times of the day"),
    ("t >= now() - INTERVAL 7 DAY", OF_TIMES, "from 7 days before now"),
    ("d BETWEEN '20260401' AND '20260430'", {"target": "tsql"}, "2026-04"),
    ("k BETWEEN 20260301 AND 20260331", {"column_type": "yyyymmdd"}, "2026-03"),
    ("d >= date_trunc('week', current_date + 1)::DATE - 1 AND d <= current_date",
     {"calendar": MonthCalendar(week_starts="sunday")}, "week to date"),
    ("d >= date_trunc('week', current_date + 1)::DATE - 1 AND d <= current_date", {},
     "since sunday"),
    ("date_trunc('week', d + 1) = date_trunc('week', current_date + 1) - INTERVAL 1 WEEK", {},
     "with weeks from Sunday it is 'previous week'"),
    ("d = (SELECT max(d) FROM t)", {}, "latest"), ("d < e", {}, "2 columns"),
    ("d < (SELECT MAX(d) FROM t)", {"target": "mysql"}, "before latest"),
    ("d > (SELECT max(d) FROM t) - 7 AND d <= (SELECT max(d) FROM t)", {},
     "last 7 rolling days as of latest"),
    ("d >= (SELECT min(x.d) FROM t x) AND d < (SELECT min(x.d) FROM t x) + 5", {},
     "next 5 days from date as of earliest"),
    ("d = (SELECT max(d) FROM t WHERE ok)", {}, "asks another table"),
    ("d = (SELECT max(d) FROM t GROUP BY k)", {}, "asks another table"),
    ("d = (SELECT max(d) FROM read_csv('/etc/passwd'))", {}, "asks another table"),
    ("d BETWEEN (SELECT max(d) FROM t) AND current_date", {}, "several days"),
    ("d BETWEEN (SELECT min(d) FROM t) AND (SELECT max(d) FROM t)", {}, "several days"),
    (f"d = {FUNCTION}", {}, "not known here"),
    ("d > current_date AND d < current_date", {}, "nothing"),
    ("d IN (SELECT 1 FROM read_csv('/etc/passwd'))", {}, "asks another table"),
    ("d::VARCHAR = content", {}, "2 columns"),
    ("DATEDIFF(week, d, GETDATE()) = 0", {"target": "tsql"}, "from Sunday it is 'this week'"),
    ("DATEDIFF(week, d, GETDATE()) = 1", {"target": "tsql"}, "from Sunday it is 'previous week'"),
    ("YEARWEEK(d) = YEARWEEK(CURDATE())", {"target": "mysql"}, "from Sunday it is 'this week'"),
    # Whole months there, edges of months here: never 'this month'.
    ("TIMESTAMPDIFF(MONTH, d, CURDATE()) = 0", {"target": "mysql"}, "is not told"),
    ("DATEDIFF(MONTH, d, current_date()) = 0", {"target": "spark"}, "is not told"),
    ("DATE_DIFF(CURRENT_DATE(), d, WEEK) = 0", {"target": "bigquery"}, "is not told"),
    ("DATEDIFF(week, d, CURRENT_DATE()) = 0", {"target": "snowflake"}, "is not told"),
    ("DAYOFWEEK(d) = 1", {"target": "snowflake"}, "a setting of the server"),
    ("d >= date('now', '-1.5 month')", {"target": "sqlite"}, "a length of its own"),
    ("d = date('now', 'julianday')", {"target": "sqlite"}, "not known here"),
    ("t >= current_date AND t < current_date + 1", {"column_type": "timestamptz"}, "today"),
    ("t::DATE = current_date - 1", OF_TIMES, "yesterday"),
    ("d >= addMonths(date_trunc('month', today()), -((toMonth(today()) + 5) % 6))",
     {"target": "clickhouse"}, "from start of this half"),
    ("d >= today() - (toDayOfWeek(today()) - 1)", {"target": "clickhouse"},
     "from start of this week"),
    ("d >= CURRENT_DATE - INTERVAL '1 month' + 1 AND d <= CURRENT_DATE",
     {"target": "datafusion"}, "last 1 rolling month"),
    ("d = current_date AND random() < 2", {}, "RAND()"),
    ("d < DATE '2020-01-01' + range(1000000000)[1]::INT", {}, "not known here"),
    ("d >= getenv('HOME')", {}, "not known here"),
])  # fmt: skip
def test_what_can_be_told_and_what_cannot(condition, more, wanted):
    found = recognise(condition, **more)
    assert wanted in (str(found.phrase) if found.phrase else found.why)


@pytest.mark.parametrize(("wrong", "told"), [
    ("d >=", "no condition"), ("", "no condition"), ("d = 1; DROP TABLE t", "one condition"),
    ("SELECT 1", "no condition"), ("d = 1" * 9000, "at most"),
    ("(" * 3000 + "d", "nested too deeply"),
])  # fmt: skip
def test_what_is_no_condition(wrong, told):
    with pytest.raises(FilterError, match=told):
        recognise(wrong)
    with pytest.raises(FilterError, match="no dialect"):
        recognise("d = current_date", target="klingon")


# What is wrong, and what nearly is.
RULES = [
    ("loses-last-day", "sold_at BETWEEN '2025-03-01' AND '2025-03-31'",
     "sold_at >= '2025-03-01' AND sold_at < '2025-04-01'"),
    ("loses-last-day", "sold_at <= current_date",
     "sold_on <= current_date"),
    ("loses-last-day", "'2025-03-31' >= sold_at",
     "sold_at <= '2025-03-31 23:59:59'"),
    ("equals-timestamp", "created_at = current_date",
     "created_on = current_date"),
    ("equals-timestamp", "created_at = DATE '2025-03-01'",
     "created_at = '2025-03-01 12:30:00'"),
    ("hidden-column", "date_trunc('month', d) = date_trunc('month', current_date)",
     "d >= date_trunc('month', current_date) AND d <= last_day(current_date)"),
    ("hidden-column", "CAST(sold_at AS DATE) = current_date",
     "d = CAST(now() AS DATE)"),
    ("typed-dates", "d >= '2026-05-01' AND d <= '2026-05-19'",
     "d >= '2024-05-01' AND d <= '2024-05-19'"),
    ("typed-dates", "d >= '2024-01-01' AND d <= current_date",
     "d >= date_trunc('year', current_date) AND d <= current_date"),
    ("instant-for-day", "d >= now() - INTERVAL 7 DAY",
     "d >= CAST(now() AS DATE) - 7"),
    ("instant-for-day", "d > current_timestamp - INTERVAL 1 MONTH",
     "d >= date_trunc('month', now())"),
    ("zone-left-out", "seen_utc >= current_date - 7",
     "seen_utc >= (current_date - 7)::TIMESTAMP AT TIME ZONE 'Asia/Tokyo'"),
    ("year-and-month-apart", "year(d) = year(current_date) AND month(d) = month(current_date) - 1",
     "year(d) = year(current_date)"),
    ("year-and-month-apart", "extract(month FROM d) = 5",
     "d >= '2019-05-01' AND d < '2019-06-01'"),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "wrong", "near"), RULES)
def test_each_rule_of_sql_finds_what_breaks_it_and_not_what_nearly_does(rule, wrong, near):
    found = check_sql(f"-- one\nSELECT *\nFROM t\nWHERE {wrong}", today="2026-05-20", file="q.sql")
    told = [one for one in found if one.rule == rule]
    assert told
    assert (told[0].line, told[0].severity, told[0].file) == (4, "warning", "q.sql")
    name = re.search(r"\b(\w+_(?:at|on|utc)|d)\b", wrong)[0]
    for condition, is_wrong in ((near, False), (f"({wrong}) OR {name} IS NULL", True),
                                (f"{name} IS NULL OR ({near})", False)):  # fmt: skip
        some = check_sql(f"SELECT * FROM t WHERE {condition}", today="2026-05-20")
        assert (rule in [one.rule for one in some]) is is_wrong, condition


def test_typed_dates_are_told_as_the_phrases_that_have_them_today():
    asked = {"2026-08-01' AND d < '2026-11-01": "'last 3 whole months' has",
             "2026-11-01' AND d <= '2026-11-30": "'this month' or 'month to date' or 'last 30 rol",
             "2026-11-03' AND d <= '2026-11-12": "A condition with its own dates"}  # fmt: skip
    for bounds, told in asked.items():
        text = f"SELECT 1 FROM t WHERE d >= '{bounds}'"
        all_found = check_sql(text, today="2026-11-30")
        (found,) = [one for one in all_found if one.rule == "typed-dates"]
        assert found.instead.startswith(told), found.instead


def test_findings_of_sql_are_sarif_too_and_stay_with_their_columns():
    text = """SELECT * FROM sales s JOIN visits v ON v.id = s.id
    WHERE s.sold_at <= '2026-05-31'
      AND v.day >= current_date - 6
      AND v.day <= current_date
      AND s.route = 'a'"""
    found = check_sql(text, file="q.sql", today="2026-05-20")
    assert [(one.rule, one.line, one.key) for one in found if one.severity == "warning"] == [
        ("loses-last-day", 2, "s.sold_at"), ("typed-dates", 2, "s.sold_at")]  # fmt: skip
    (phrase,) = [one for one in found if one.key == "v.day"]
    assert (phrase.rule, phrase.severity, phrase.instead) == (
        "phrase",
        "hint",
        "last 7 rolling days",
    )
    told = found.sarif()["runs"][0]
    assert [one["ruleId"] for one in told["results"]] == [one.rule for one in found]
    assert {one["id"] for one in told["tool"]["driver"]["rules"]} == {one.rule for one in found}
    assert check_sql("SELECT 1; DROP TABLE x", today="2026-05-20") == ()
    for wrong, told in (("SELECT * FROM", "no SQL"), ("(" * 5000, "deeply")):
        with pytest.raises(FilterError, match=told):
            check_sql(wrong)
    with pytest.raises(FilterError, match="column_type"):
        check_sql("SELECT 1", column_type="money")


def test_sql_files_on_the_command_line(tmp_path, capsys):
    file = tmp_path / "report.sql"
    file.write_text("WITH w AS (SELECT * FROM a WHERE d >= date_trunc('month', current_date)\n"
                    "AND d <= current_date) SELECT * FROM w JOIN b ON b.id = w.id\n"
                    "AND b.made_at <= current_date;\nINSERT INTO x SELECT 1;")  # fmt: skip

    def run(*args):
        with pytest.raises(SystemExit) as left:
            main([*args])
        return left.value.code, capsys.readouterr()

    code, said = run("check", "--sql", str(file), "--strict")
    assert code == 1
    assert "report.sql:1  hint phrase  d" in said.out
    assert "this is 'month to date'" in said.out
    assert "report.sql:3  warning loses-last-day  b.made_at" in said.out
    assert run("check")[0] == run("check", "--dialect", "sqlite", "a.toml")[0] == 2
    assert run("check", "--sql", f"{file}.none")[0] == 1
    code, said = run("readings", "--sql", "d = current_date - 1", "--json")
    assert '"phrase": "yesterday"' in said.out
    assert run("readings")[0] == run("readings", "today", "--sql", "d = 1")[0] == 2
    assert run("readings", "--sql", "d >")[0] == 2


@pytest.mark.parametrize("condition", [
    "d IS NULL OR d >= current_date",
    "coalesce(d, current_date) >= current_date",
    "NOT (d < current_date) OR d IS NULL",
    "coalesce(d >= current_date, true)",
])  # fmt: skip
def test_rows_without_a_date_are_told(condition):
    """No phrase keeps them, so a condition that does is no phrase, however near."""
    found = recognise(condition, target="duckdb")
    assert found.phrase is None
    assert "without a date" in found.why
    assert str(found.nearest) == "from today"
    assert "and no others" in recognise("d IS NULL", target="duckdb").why
