"""What is drawn, shown and told stays as it is: pictures, pages and outputs, line by line.

Where a change is meant, ``ULNAGER_KEEP_ANEW=1`` writes the files in ``tests/kept`` anew, and the
change is read in their difference.
"""

import contextlib
import json
import os
import re
import shlex
from datetime import date, datetime, timedelta
from pathlib import Path
from pprint import pformat

import matplotlib
import pytest
from starlette.testclient import TestClient

import ulnager
from ulnager.demo import CLOCK
from ulnager.filters.sql_text import TARGETS

KEPT = Path(__file__).parent / "kept"
SAILINGS = ("--source", "demo:sailings")
VALUED = (*SAILINGS, "--value", "passengers")
PICTURES = {
    "periods": ("draw", "last 3 whole months", "month to date except today", "next 2 weeks",
                "last 4 weeks only weekends", "since 2026-03-20", *SAILINGS, "--to"),
    "fiscal": ("draw", "last 2 quarters", "last 10 business days", "--year-starts", "10-01",
               "--holiday", "2026-05-18", "--to"),
    "walk": ("draw", "last 30 rolling days", "--step", "6 months", *VALUED, "--to"),
    "bars": ("buckets", "last 6 months to date as of latest", "--by", "month", *VALUED,
             "--beside", "1 year earlier", "--picture"),
    "series": ("buckets", "last 2 months to date", "--by", "week", *SAILINGS, "--split", "route",
               "--top", "2", "--picture"),
    "shades": ("buckets", "last 5 weeks to date as of latest", "--by", "day", "--layout",
               "calendar", *VALUED, "--picture"),
    "running": ("running", "last 7 rolling days", "--over", "last 20 days as of latest", *VALUED,
                "--per", "day", "--picture"),
    "ages": ("ages", "demo:work_orders", "--since", "raised_on", "--until", "closed_on", "--unit",
             "business day", "--picture"),
    "rehearsed": ("rehearse", "last 3 months", "--picture"),
    "rehearsed_narrow": ("rehearse", "last 2 weeks", "--last", "2026-08-31", "--size", "480x900",
                         "--picture"),
    "rows": ("profile", "ROWS", "--picture"),
    "ranked": ("buckets", "last 3 whole months as of latest", *VALUED, "--split", "route",
               "--beside", "1 year earlier", "--picture"),
    "hours": ("buckets", "2026-05-16", "--by", "hour", "--source", "demo:gate_scans", "--tz",
              "America/Halifax", "--how", "count", "--picture"),
    "covered": ("rehearse", "last 10 rolling days", "--every", "FREQ=WEEKLY;BYDAY=MO", "--last",
                "2026-12-31", "--picture"),
}  # fmt: skip
PAGES = {
    "operations": "/pages/operations?dates=recent&dates.recent.n=14&locale=ja",
    "choosing": "/pages/operations?dates=own&dates.own.first=2026-03-01&dates.by=week&locale=de",
    "routes": "/pages/routes?dates.compare=1+year+earlier&route=Alder+Point&route=Saltmarsh",
}
TOLD = """
profile demo:sailings --json
profile demo:work_orders
profile demo:gate_scans --tz America/Halifax --json
profile MESSY --decimal , --key n --json
profile MESSY --decimal , --year-starts 10-01
resolve "last 3 whole months, 1 year earlier" --as-of latest --source demo:sailings --json
resolve "first 3 days of last month plus last 5 whole business days" --holiday 2026-05-18
resolve pay --book demo:ferries --locale de
resolve "last 3 whole hours" --tz Europe/Berlin --now 2026-05-20T22:30Z --day-starts 04:00 --json
readings "last 3 months"
readings "previous quarter" --json
readings --sql "d >= date_trunc('year', current_date) AND d < current_date" --json
readings --sql "d BETWEEN '2026-03-01' AND '2026-03-31'"
filter "last 3 whole months except today" --column d --live --for sqlite --json
filter "week to date" --column d --live --for tsql --running --anchor-column a
filter "last 2 whole quarters" --column k --type yyyymm --live --for bigquery
filter "month to date" --column d --for duckdb --run demo:sailings
filter "last 7 whole days" --column sailed_on --run demo:sailings --json
filter "last 2 whole months" --column a --until b --lasting overlap --for mariadb
preview "last 3 whole months as of latest" demo:sailings --rows 4 --json
preview "this week" demo:bookings --column travels_on
preview "2030-01" demo:sailings --rows 0
resolve "last 3 whole monts" --book demo:ferries
resolve nosuch --book demo:ferries
rehearse "last 3 months" --size 640x400
profile MESSY --column Tag --decimal , --locale de --to-book begun.toml
profile MESSY --column Tag --decimal , --date-format %d.%m.%Y --share 0.3 --year-starts 10-01
buckets "last 3 months to date as of latest" --by month --source demo:sailings --value passengers \
--beside "1 year earlier" --json
buckets "last 6 weeks to date" --by week --source demo:sailings --split route --top 2
buckets "last 2 quarters" --by quarter --year-starts 02-01 --partial drop
running "last 7 rolling days" --over "last 5 rolling days as of latest" --source demo:sailings \
--value passengers --per day --json
running "month to date" --over "last 9 days as of latest" --source demo:sailings
ages demo:work_orders --since raised_on --until closed_on --unit "business day" --json
ages demo:work_orders --since raised_on --unit week --rows 3 --for duckdb
calendar 2026-05-11 2026-05-20 --year-starts 10-01 --holiday 2026-05-18
rehearse "last 3 months" --last 2027-06-30 --json
rehearse "last 7 days" --every FREQ=WEEKLY;BYDAY=MO --last 2026-12-31
show --book demo:ferries
show dates --book demo:ferries --choose recent --set n=14 --by week
show dates --book demo:ferries --locale fr
show dates --book demo:ferries --choose crew_weeks --json
filter --picker dates --column sailed_on --live --for duckdb --book demo:ferries --json
rehearse "last 3 months as of latest" --source demo:sailings --last 2026-12-31
show operations --book demo:ferries
show monday_mail --book demo:ferries --json
check demo:careless
check demo:ferries --json
check report.sql --dialect duckdb
check report.sql --dialect duckdb --json
check moments.sql --dialect snowflake
check mistaken.toml
check mistaken.toml --json
readings --sql "t >= now() - interval '24 hours' AND t < now()" --type timestamp
readings --sql "t >= date_trunc('hour', now()) - interval '2 hours'" --type timestamp --json
readings --sql "t < date_trunc('hour', now())" --type timestamp --dialect postgresql
calendar 2026-05-11 2026-05-13 --to sqlite:///days.sqlite --name order
profile sqlite:///days.sqlite --table order --column date
buckets 2026-05 --by month --source sqlite:///days.sqlite --table order --source-column date \
--value year_label
filter "last 2 whole hours" --column t --type timestamptz --tz Asia/Kolkata --live --for duckdb \
--now 2026-05-20T08:30Z
filter "last 2 days" --column t --type timestamp --day-starts 05:00 --live --for tsql
filter "last 2 days" --column t --type timestamp --day-starts 05:30 --live --for tsql
filter "last 2 days" --column t --type timestamptz --tz Asia/Kolkata --day-starts 05:00 --live \
--for postgresql
demo
"""
SIGN = re.compile(r"<text[^>]*>[^<]*</text>|<(?:path|use|rect)[^>]*/>")


def in_lines(svg):
    """Each sign of a picture in a line: what it is, how it looks, and where, in whole points."""
    found = []
    for sign in SIGN.findall(re.sub(r"<defs>.*?</defs>", "", svg, flags=re.DOTALL)):
        sign = re.sub(r' (id|clip-path|xlink:href)="[^"]*"|#h\w+', "", sign).replace("\n", "")
        found.append(re.sub(r"-?\d+\.\d+", lambda one: str(round(float(one[0]))), sign))
    return found


def compared(name, lines):
    kept = KEPT / f"{name}.txt"
    if os.environ.get("ULNAGER_KEEP_ANEW"):
        KEPT.mkdir(exist_ok=True)
        kept.write_text("\n".join(lines) + "\n", encoding="utf-8")
    assert lines == kept.read_text(encoding="utf-8").splitlines()


@pytest.mark.parametrize("name", PICTURES)
def test_pictures_stay_as_they_are(name, cli, tmp_path):
    target, rows = tmp_path / "p.svg", tmp_path / "rows.csv"
    days = [date(2026, 3, 30) + timedelta(n) for n in range(50) if n % 7 < 5 and n != 23]
    rows.write_text("d\n" + "".join(f"{day}\n" * (3 + day.day % 4) for day in days) + "2026-05-19")
    args = [str(rows) if one == "ROWS" else one for one in PICTURES[name]]
    with matplotlib.rc_context({"svg.fonttype": "none"}):
        code, _, err = cli(*args, str(target), "--today", str(CLOCK))
    assert code == 0, err
    compared(name, in_lines(target.read_text(encoding="utf-8")))


ANSWERS = (
    "/api/resolve?phrase=last+3+months&tz=Asia/Tokyo", "/api/resolve?phrase=quarter&locale=de",
    "/api/resolve?phrase=last+3+monts", "/api/readings?phrase=last+2+weeks", "/api/book",
    "/api/pickers/dates?dates=crew_weeks", "/api/pickers/nosuch", "/api/pages/routes?values=false",
    "/api/pages/operations?dates=recent&dates.recent.n=x", "/api/nothing",
    "/api/condition?phrase=month+to+date&column=d&target=duckdb", "/api/schedules/monday_mail",
)  # fmt: skip


def test_answers_stay_as_they_are():
    told = []
    with TestClient(ulnager.service("demo:ferries", today=CLOCK, any_day=True)) as ask:
        for path in ANSWERS:
            found = ask.get(path)
            told += [path, f"{found.status_code} {found.headers.get('cache-control')}"]
            told += pformat(found.json(), width=96, compact=True, sort_dicts=False).splitlines()
    compared("answers", told)


def test_pages_stay_as_they_are():
    service = ulnager.service("demo:ferries", today=CLOCK, any_day=True)
    with TestClient(service) as ask:
        for name, path in PAGES.items():
            page = ask.get(path)
            assert page.status_code == 200
            compared(f"page_{name}", re.sub(r"\s*(<[^/])", r"\n\1", page.text).splitlines())


MESSY = """Tag;Stunden;n;erledigt
{days}31.12.9999;1,0;900;
;2,0;901;
17.05.2026;0,5;17;18.05.2026
"""
SQL = """
SELECT * FROM trips WHERE sold_at BETWEEN '2026-03-01' AND '2026-03-31';
SELECT * FROM trips WHERE day >= date_trunc('month', current_date) - interval '3 months'
  AND day < date_trunc('month', current_date) AND route = 'Alder Point' AND passengers > 3;
SELECT * FROM trips WHERE day >= current_date - 6 AND day <= current_date OR day IS NULL;
SELECT * FROM trips WHERE year(day) = year(current_date)
  AND month(day) = month(current_date) - 1;
"""

MOMENTS = """
SELECT * FROM t WHERE at >= dateadd(hour, -24, current_timestamp());
SELECT * FROM t WHERE at >= to_timestamp_tz('2026-05-01 00:00:00 +00:00') AND at < current_date;
SELECT * FROM t WHERE day >= '2026-03-01' AND day < '2026-04-01';
SELECT * FROM t WHERE day = dateadd(day, -1, current_date());
"""
MISTAKEN = """
[sources."by day"]
file = 3
column = "Tag"
[periods."so far"]
phrase = "month to dat"
label = { en = "x", xx = "y" }
[periods]
last = { phrase = "last 3 months", anchor = "nowhere" }
[pickers.dates]
choices = ["last", "nosuch", { phrase = "from {a} to {b}", inputs = { c = {} } }]
compare = { of = ["1 yeer earlier"] }
[pages.home]
picker = "dates"
details = "some"
"""


def told_of(cli, lines):
    """What some commands say, one after the other, wherever they are run."""
    told = []
    for line in lines:
        args = ["messy.csv" if one == "MESSY" else one for one in shlex.split(line)]
        when = () if "--now" in args or args[0] in ("calendar", "demo") else ("--today", str(CLOCK))
        code, out, err = cli(*args, *when)
        if "--json" in args and out:
            out = pformat(json.loads(out), width=96, compact=True, sort_dicts=False) + "\n"
        said = (out + err).replace(f"{Path.cwd()}{os.sep}", "")
        told += [f"$ ulnager {line}", *said.splitlines(), f"= {code}", ""]
    return told


def test_what_is_told_stays_as_it_is(cli, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    days = [date(2025, 12, 1) + timedelta(n) for n in range(160) if n % 7 != 6 and not 70 < n < 74]
    rows = (f"{day:%d.%m.%Y};{n % 9},{n % 7};{n};{day + timedelta(n % 5):%d.%m.%Y}\n"
            for n, day in enumerate(days) for _ in range(2 + n % 3))  # fmt: skip
    Path("messy.csv").write_text(MESSY.format(days="".join(rows)), encoding="utf-8")
    Path("report.sql").write_text(SQL, encoding="utf-8")
    Path("moments.sql").write_text(MOMENTS, encoding="utf-8")
    Path("mistaken.toml").write_text(MISTAKEN, encoding="utf-8")
    told = told_of(cli, TOLD.strip().splitlines())
    compared("told", told + Path("begun.toml").read_text(encoding="utf-8").splitlines())


def test_what_is_told_of_mistakes_hours_and_a_book_stays_as_it_is(cli, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    here = Path(__file__).parent
    Path("own.toml").write_text((here / "own.toml").read_text())
    days = [date(2025, 11, 3) + timedelta(n) for n in range(199) if n % 7 != 6]
    rows = [f"{day},{n % 5},{'ab'[n % 2]}" for n, day in enumerate(days)]
    Path("trips.csv").write_text("\n".join(["day,n,route", *rows]) + "\n")
    begun = datetime(2026, 3, 27, 20)
    times = [f"{begun + timedelta(minutes=94 * n + n % 7):%FT%TZ},{n % 4}" for n in range(811)]
    Path("scans.csv").write_text("\n".join(["at,n", *times]) + "\n")
    compared("told_of_own", told_of(cli, (here / "asked.txt").read_text().splitlines()))


PHRASES = (
    "last 3 whole months except today", "year to date", "quarter to date, 1 year earlier",
    "last 2 whole weeks as of yesterday", "last 30 rolling days", "last 2 halves", "next 5 days",
    "month to date only weekends", "since start of last quarter", "first 3 days of next month",
    "this month plus previous year", "until 2026-03-31", "last 3 business days",
    "last 2 months, 1 period earlier", "2026-W19", "monday of this week",
)  # fmt: skip
HELD = {"d": {}, "t": {"column_type": "timestamp"}, "k": {"column_type": "yyyymmdd"},
        "z": {"column_type": "timestamptz", "tz": "America/Halifax"},
        "e": {"column_type": "epoch-seconds", "tz": "Asia/Tokyo"}}  # fmt: skip


def test_conditions_stay_as_they_are():
    told = []
    calendar = ulnager.MonthCalendar("10-01", "sunday")
    for phrase in PHRASES:
        said = ulnager.period(phrase)
        for place, target in enumerate(TARGETS):
            name, held = list(HELD.items())[place % len(HELD)]
            clauses = {"frozen": ulnager.where(said.resolve(today=CLOCK), name, **held)}
            for made, more in (("live", {}), ("fiscal", {"calendar": calendar}),
                               ("dawn", {"day_starts": "05:00"})):  # fmt: skip
                if made == "dawn" and (name not in "tz" or "month" in phrase):
                    continue
                with contextlib.suppress(ulnager.FilterError):
                    clauses[made] = ulnager.where(said, name, **more, **held)
            for made, clause in clauses.items():
                try:
                    text = ulnager.condition(clause, target=target, literal=True).text
                except ulnager.FilterError as error:
                    text = f"error: {error}"
                told.append(f"{phrase} | {target} {made} | {text}")
    compared("conditions", told)
