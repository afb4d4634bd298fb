"""The command line: what comes out, where, and with which exit code."""

import json
import re
import shlex
import shutil

import duckdb
import pytest

from ulnager import PeriodSyntaxError
from ulnager.cli.main import COMMANDS, main
from ulnager.demo import TABLES, book_file, table

from conftest import ROOT

TODAY = ("--today", "2026-05-20")
BOOK = ("--book", str(book_file()), *TODAY)


def test_resolve_prints_one_object(cli):
    code, out, err = cli("resolve", "last 3 months as of latest", *TODAY, "--json", "--explain",
                         "--source", "demo:sailings")  # fmt: skip
    found = json.loads(out)
    assert (code, err) == (0, "")
    assert list(found) == ["period", "anchor", "calendar", "spans", "days", "empty", "label",
                           "notes", "steps"]  # fmt: skip
    assert found["anchor"] == {"date": "2026-05-17", "running": False, "from": "latest"}
    assert found["spans"] == [
        {"start": "2026-02-18", "end": "2026-05-17", "stop": "2026-05-18", "days": 89}
    ]
    code, out, _ = cli("resolve", "until yesterday", *TODAY, "--json")
    assert json.loads(out)["spans"] == [
        {"start": None, "end": "2026-05-19", "stop": "2026-05-20", "days": None}
    ]
    assert "steps" not in json.loads(out)


def test_options_reach_the_rules(cli):
    for options, dates in [
        (("year to date", "--year-starts", "10-01"), "2025-10-01 to 2026-05-20"),
        (("this week", "--week-starts", "sunday"), "2026-05-17 to 2026-05-23"),
        (("last 1 whole month", "--as-of", "2026-04-30"), "2026-04-01 to 2026-04-30"),
        (("last 1 whole month", "--as-of", "yesterday"), "2026-04-01 to 2026-04-30"),
        (("month to date except today",), "2026-05-01 to 2026-05-19"),
    ]:
        code, out, _ = cli("resolve", *options, *TODAY)
        assert code == 0
        assert f"dates     {dates}" in out
    _, out, _ = cli("resolve", "today", "--now", "2026-05-20T02:00Z", "--tz", "America/Halifax")
    assert "2026-05-19" in out


def test_a_book_lends_its_names(cli, tmp_path):
    book = tmp_path / "b.toml"
    book.write_text('[anchors]\nclose="end of previous month"\n[periods.recent]\n'
                    'phrase="last 2 whole weeks"\nanchor="close"')  # fmt: skip
    for command in (("recent",), ("last 2 whole weeks", "--as-of", "close")):
        code, out, _ = cli("resolve", *command, "--book", str(book), *TODAY)
        assert code == 0
        assert "2026-04-13 to 2026-04-26" in out
    code, _, err = cli("resolve", "recnt", "--book", str(book))
    assert code == 2
    assert "did you mean 'recent'" in err


def test_readings_are_side_by_side(cli):
    _, out, _ = cli("readings", "next 2 months", *TODAY)
    assert [line.split() for line in out.splitlines()][1:] == [
        ["rolling", "next", "2", "rolling", "months", "2026-05-21", "2026-07-20", "61"],
        ["whole", "next", "2", "whole", "months", "2026-06-01", "2026-07-31", "61"],
        ["from", "date", "next", "2", "months", "from", "date", "2026-05-20", "2026-06-30", "42"],
        ["from", "start", "next", "2", "months", "from", "start", "2026-05-01", "2026-06-30", "61"],
    ]
    _, out, _ = cli("readings", "month to date", *TODAY, "--json")
    assert [row["reading"] for row in json.loads(out)] == ["only"]


def test_filter_prints_the_condition_and_nothing_else(cli):
    _, out, err = cli("filter", "last 3 months", "--column", 'o"d', *TODAY)
    assert out == '"o""d" >= DATE \'2026-02-21\' AND "o""d" < DATE \'2026-05-21\'\n'
    assert "other readings" in err
    _, out, err = cli("filter", "2026-03", "--column", "d", "--bound")
    assert out == '"d" >= :start_1 AND "d" < :stop_1\n'
    assert ":start_1 = 2026-03-01" in err
    _, out, _ = cli("filter", "2026-03", "--column", "d", "--bound", "--json")
    assert json.loads(out)["parameters"] == {"start_1": "2026-03-01", "stop_1": "2026-04-01"}


def test_filter_writes_live_sql_and_open_standards(cli):
    args = ("filter", "month to date", "--column", "d", *TODAY)
    assert cli(*args, "--for", "odata")[1] == "d ge 2026-05-01 and d lt 2026-05-21\n"
    assert json.loads(cli(*args, "--for", "cql2-json")[1])["op"] == "and"
    assert cli(*args, "--live", "--for", "sqlite")[1] == (
        "\"d\" >= date('2026-05-20', 'start of month') AND \"d\" < date('2026-05-20', '+1 days')\n"
    )
    _, out, _ = cli("filter", "until latest", "--column", "d", "--live", "--for", "duckdb",
                    "--latest-in", "trips.day", "--json")  # fmt: skip
    assert '(SELECT max("day") FROM "trips")' in json.loads(out)["condition"]
    for options, message in [
        (("--live", "--for", "odata"), "name an engine"),
        (("--live", "--latest-in", "day"), "give a table and a column"),
        (("--live", "--as-of", "latest"), "write it into the phrase"),
        (("--for", "odata", "--type", "yyyymm"), "no literals"),
    ]:
        code, _, err = cli(*args, *options)
        assert (code, message in err) == (2, True), err


def test_live_filters_from_a_book_keep_its_anchor_its_calendar_and_its_readings(cli):
    live = ["--column", "sailed_on", "--live", "--for", "duckdb", "--book", str(book_file())]
    _, out, _ = cli("filter", "closed_half", *live)
    assert "date_trunc('month', current_date) - INTERVAL 6 MONTH" in out
    for name, options, message in [
        ("quarter", [], "takes a profile"),
        ("office_days", [], "name the date table"),
        ("closed_half", ["--as-of", "latest"], "write it into the phrase"),
        ("closed_half", ["--source", "demo:sailings"], "--latest-in"),
        ("closed_half", ["--day-starts", "04:30"], "full hour"),
    ]:
        code, out, told = cli("filter", name, *live, *options)
        assert (code, out, message in told) == (2, "", True), told
    _, out, told = cli("filter", "last 3 months", "--column", "d", "--live", "--for", "sqlite")
    assert "other readings: 'last 3 whole months';" in told
    hours = ["--column", "scanned_at", "--type", "timestamptz", "--tz", "America/Halifax",
             "--now", "2026-05-17T12:00-03:00", "--run", "demo:gate_scans"]  # fmt: skip
    for more in ([], ["--live", "--for", "duckdb"]):
        _, _, told = cli("filter", "last 24 rolling hours", *hours, *more)
        assert "it keeps 143 of 14,993 rows" in told


def test_preview_shows_what_was_asked_beside_what_was_kept(cli):
    _, out, _ = cli("preview", "last 3 whole months as of latest", "demo:sailings", *TODAY)
    lines = [line.split() for line in out.splitlines()]
    assert ["asked", "for", "2026-02-01", "2026-04-30"] in lines
    assert ["kept", "783", "9.3%", "2026-02-01", "2026-04-30"] in lines
    assert len([line for line in lines if "Saltmarsh" in line or "Kelp" in line]) <= 20
    _, out, _ = cli("preview", "this month", "demo:sailings", *TODAY, "--rows", "0", "--json")
    found = json.loads(out)
    assert found["rows"]["kept"] == 148
    assert found["first_rows"] == []
    _, out, _ = cli("preview", "2026-05-17", "demo:gate_scans", *TODAY, "--tz", "UTC",
                   "--rows", "1", "--json")  # fmt: skip
    assert "2026-05-17T" in str(json.loads(out)["first_rows"][0])
    assert "14 days before the period does" in found["warnings"][0]


def test_a_source_of_the_book_brings_its_column_and_zone(cli):
    code, out, _ = cli("preview", "2026-05-16", "gate_scans", *BOOK, "--rows", "0")
    assert (code, ["kept", "156"] in [line.split()[:2] for line in out.splitlines()]) == (0, True)
    code, out, _ = cli("resolve", "latest", "--source", "gate_scans", *BOOK)
    assert (code, "2026-05-17" in out) == (0, True)


def test_two_sources_are_counted_side_by_side(cli, tmp_path):
    copy = tmp_path / "copy.csv"
    copy.write_text("".join(table("sailings").read_text().splitlines(keepends=True)[:-1]))
    args = ("preview", "this month", "demo:sailings", *TODAY, "--rows", "0")
    _, out, _ = cli(*args, "--against", str(copy))
    lines = [line.split() for line in out.splitlines()]
    assert ["kept", "148", "147", "no"] in lines
    assert ["before", "8,271", "8,271", "yes"] in lines
    _, out, _ = cli(*args, "--against", str(copy), "--json")
    assert json.loads(out)["against"]["rows"]["kept"] == 147
    _, out, err = cli("filter", "this month", "--column", "sailed_on", *TODAY, "--run",
                      "demo:sailings")  # fmt: skip
    assert "it keeps 148 of 8,419 rows of demo:sailings" in err
    assert out.count("\n") == 1


def test_demo_prints_one_row_for_each_period(cli):
    _, out, _ = cli("demo")
    assert re.search(r"^quarter +last 3 whole months +load +2026-02-01 +2026-04-30 +89 +783", out,
                     re.MULTILINE)  # fmt: skip
    assert max(map(len, out.splitlines())) <= 100
    _, out, _ = cli("demo", "--json")
    assert {row["name"]: row["rows"] for row in json.loads(out)}["all_sailings"] == 8419


def test_profile_prints_what_the_columns_hold(cli, tmp_path):
    _, out, _ = cli("profile", "demo:work_orders", *TODAY)
    assert [line.split()[1] for line in out.splitlines() if line.startswith("column")] == [
        "raised_on",
        "closed_on",
    ]
    _, out, _ = cli("profile", "gate_scans", *BOOK, "--json")
    found = json.loads(out)[0]
    assert (found["last_whole_day"], found["suggested_anchor"]) == (
        "2026-05-16",
        "latest whole day",
    )
    picture = tmp_path / "rows.png"
    _, out, err = cli("profile", "demo:sailings", *TODAY, "--picture", str(picture))
    assert "evidence    2026-05-17 holds 44% of a usual Sunday (4 rows for 9)" in out
    assert picture.stat().st_size > 10_000
    assert "drawn into" in err


def test_buckets_name_what_is_not_whole(cli):
    _, out, _ = cli("buckets", "last 2 months to date", "--by", "month", *TODAY, "--source",
                    "demo:sailings")  # fmt: skip
    assert out.splitlines()[-1].endswith("the data ends, half loaded")
    _, out, _ = cli(
        "buckets", "this quarter", "--by", "month", *BOOK, "--partial", "drop", "--json"
    )
    assert [bucket["label"] for bucket in json.loads(out)] == ["Apr 2026"]


def test_calendar_writes_tables(cli, tmp_path):
    _, out, _ = cli("calendar", "2026-05-17", "2026-05-20", *BOOK)
    assert "Q3 FY2026" in out.splitlines()[1]
    target = tmp_path / "days.csv"
    _, out, err = cli("calendar", "2026-05-01", "2026-05-31", "--periods", "--clip", *BOOK,
                      "--to", str(target))  # fmt: skip
    assert out == ""
    assert "rows and 5 columns written" in err
    assert "month_so_far,Month so far,Month," in target.read_text()
    _, out, err = cli("calendar", "2020-01-01", "2026-05-20", *TODAY)
    assert (len(out.splitlines()), "more rows" in err) == (61, True)
    _, out, _ = cli("calendar", "2026-05-20", "2026-05-20", *TODAY, "--json")
    assert json.loads(out)[0]["iso_week"] == 21


def test_draw_makes_a_picture(cli, tmp_path):
    target = tmp_path / "spans.png"
    code, _, err = cli("draw", "quarter", "month to date", *BOOK, "--to", str(target))
    assert (code, target.read_bytes()[1:4]) == (0, b"PNG")
    assert "drawn into" in err


@pytest.mark.parametrize(
    ("args", "code", "message"),
    [
        ("resolve", 2, "Missing argument"),
        ("resolv today", 2, "No such command 'resolv'. Did you mean 'resolve'?"),
        ("'last 7 days'", 2, "behind a command: ulnager resolve 'last 7 days'"),
        ("last 7 days --json", 2, "'last'. A phrase stands in quotes, behind a command: ulnager "),
        ("rehearse last 7 days", 2, "(7 days). A phrase stands in quotes, behind a command"),
        (f"preview '{__file__}' demo:sailings", 2, "is a file; the phrase comes first"),
        ("resolve today --jsn", 2, "No such option"),
        ("resolve 'last 3 hole months'", 2, "did you mean 'last 3 whole months'"),
        ("resolve 'last 99999999 years'", 1, "years 1 to 9999"),
        ("resolve latest", 1, "--source FILE"),
        ("resolve today --as-of 'lst month'", 2, "'last month'"),
        ("resolve today --tz Nowhere", 2, "no time zone"),
        ("resolve today --book nowhere.toml", 1, "cannot be read"),
        ("preview today nowhere.csv", 1, "there is no file"),
        ("preview today demo:sailing", 1, "did you mean 'sailings'"),
        ("filter today --column d --type timestamptz", 2, "give tz"),
        ("profile demo:sailings --key rote", 1, "did you mean 'route'"),
        ("profile demo:sailings --share 3", 2, "from 0 to 1"),
        ("buckets today --by aeon", 2, "no unit 'aeon'"),
        ("calendar 2026-05-01 2026-04-01", 2, "before it begins"),
        ("calendar 2026-05-01 2026-05-02 --periods", 2, "need a book"),
        ("calendar 2026-05-01 2026-05-02 --to x.xlsx", 1, "ending in .csv"),
        ("draw today --to x.docx", 1, "pictures are written as"),
        ("resolve today --calendar home", 2, "no calendar 'home'"),
    ],
)
def test_errors_go_to_standard_error_with_their_code(cli, args, code, message):
    left, out, err = cli(*shlex.split(args))
    assert (left, out) == (code, "")
    assert message in err
    assert "Traceback" not in err


def test_debug_shows_the_traceback():
    with pytest.raises(PeriodSyntaxError, match="hole"):
        main(["resolve", "last 3 hole months", "--debug"])


def test_help_of_every_command(cli):
    for command in COMMANDS:
        code, out, _ = cli(command, "--help")
        assert code == 0
        assert f"ulnager {command}" in out
        assert "\b" not in out


def documented_runs():
    """Every command in the documentation with the output that stands under it."""
    for path in [ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))]:
        for block in re.findall(r"```console\n(.*?)```", path.read_text(), re.DOTALL):
            for run in re.split(r"^\$ ", block, flags=re.MULTILINE)[1:]:
                line, _, output = run.partition("\n")
                if line.startswith("ulnager"):
                    is_yours = path.parent.name == "recipes"
                    yield pytest.param(line, output, is_yours, id=f"{path.name}: {line}")


@pytest.fixture(scope="module")
def yours(tmp_path_factory):
    """A folder with files as a user has them; recipes start there."""
    found = tmp_path_factory.mktemp("yours")
    for name in TABLES:
        shutil.copy(table(name), found)
    shutil.copy(book_file(), found / "book.toml")
    return found


@pytest.mark.parametrize(("line", "output", "is_yours"), list(documented_runs()))
def test_the_documentation_shows_real_output(cli, monkeypatch, yours, line, output, is_yours):
    monkeypatch.chdir(yours if is_yours else ROOT)
    _, out, _ = cli(*shlex.split(line)[1:])
    assert out.strip() == output.strip()


def test_another_file_answers_for_latest(cli, tmp_path):
    (tmp_path / "loads.csv").write_text("d\n2026-05-01\n2026-05-10\n")
    code, out, err = cli("filter", "last 7 rolling days as of latest", "--column", "sailed_on",
                         "--live", "--for", "duckdb", "--latest-in", f"{tmp_path}/loads.csv.d",
                         "--run", "demo:sailings")  # fmt: skip
    assert (code, 'max("d") FROM "loads"' in out) == (0, True)
    assert "it keeps 63 of 8,419 rows" in err


@pytest.mark.parametrize("asked", [
    ("preview", "today", "demo:sailings", "--replace"),
    ("preview", "today", "demo:sailings", "--against-table", "t"),
    ("calendar", "2026-01-01", "2026-01-05", "--for-spreadsheets"),
    ("ages", "demo:work_orders", "--since", "raised_on", "--replace"),
])  # fmt: skip
def test_an_option_about_another_one_needs_it(cli, asked):
    code, out, told = cli(*asked)
    assert (code, out) == (2, "")
    assert re.fullmatch(r"Error: --[a-z-]+ is about --[a-z]+; name that too\n", told)


def test_a_filter_that_is_run_knows_the_engine_and_its_instants(tmp_path, cli):
    path = tmp_path / "scans.parquet"
    duckdb.execute(f"COPY (SELECT TIMESTAMPTZ '2026-05-20 01:00:00+00' AS at) TO '{path}'")
    asked = ("filter", "today", "--column", "at", "--run", str(path), "--today", "2026-05-20")
    for more, zone in (((), "ZONE"), (("--tz", "America/Halifax", "--type", "date"), "America/")):
        code, out, err = cli(*asked, *more)
        assert (code, "DATE" in out, f"say --type timestamptz --tz {zone}" in err) == (
            0,
            True,
            True,
        )
    # What the source says of its column is taken, as preview does.
    code, out, err = cli(*asked, "--tz", "America/Halifax")
    assert (code, "TIMESTAMPTZ" in out, "keeps 0 of 1" in err) == (0, True, True)
    code, out, err = cli(*asked, "--tz", "America/Halifax", "--live")
    assert (code, "AT TIME ZONE" in out, "holds instants" in err) == (0, True, False)


def test_options_that_may_be_repeated(cli):
    days = ("--holiday", "2026-05-18", "--holiday", "2026-05-19", "--today", "2026-05-20")
    code, out, _ = cli("resolve", "last 3 whole business days", *days, "--json")
    (span,) = json.loads(out)["spans"]
    assert (code, span["start"], span["end"]) == (0, "2026-05-13", "2026-05-15")
