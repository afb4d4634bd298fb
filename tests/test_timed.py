"""Periods of hours among the choices of a page: every door answers, with the rows they have."""

import json
import re
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

import ulnager
from ulnager import SettingError

from strategies import examples

ZONE = "America/Halifax"
# Both changes of the clocks lie among these.
FIRST, LAST = datetime(2025, 10, 28, tzinfo=UTC), datetime(2026, 3, 12, tzinfo=UTC)
CHOICES = {
    "day": "last 24 hours", "shift": "last 8 whole hours", "so_far": "from start of today to now",
    "gone": "last 3 hours as of 2027-01-01", "many": "last 60 hours",
    "cut": "last 40 hours except yesterday", "two": "hour to date plus last 2 hours, 1 day earlier",
    "later": "next 5 hours", "open": "since 90 minutes before now", "week": "last 7 rolling days",
}  # fmt: skip
BOOK = f"""
tz = "{ZONE}"
STARTS
[sources.scans]
file = "scans.csv"
column = "at"
LIMIT
[periods]
{chr(10).join(f'{name} = "{phrase}"' for name, phrase in CHOICES.items())}
[pickers.dates]
choices = {list(CHOICES)}
by = {{ of = ["hour", "day"], opens = "fitting" }}
[values.gate]
column = "gate"
[pages.home]
picker = "dates"
values = ["gate"]
[pages.home.charts]
viewer = {{ source = "scans", by = "viewer", value = "n" }}
hours = {{ source = "scans", by = "hour", value = "n", beside = "1 day earlier" }}
number = {{ source = "scans", value = "n" }}
days = {{ source = "scans", by = "day", value = "n" }}
split = {{ source = "scans", by = "hour", split = "gate", value = "n" }}
ranked = {{ source = "scans", split = "gate", value = "n" }}
rows = {{ source = "scans", form = "rows", columns = ["at", "n"], limit = 1000, csv = true }}
line = {{ source = "scans", value = "n", running = "last 7 rolling days" }}
moved = {{ source = "scans", shifted = "1 day earlier", value = "n" }}
[schedules.mail]
page = "home"
every = "FREQ=DAILY"
at = "07:00"
"""
MOMENTS = st.datetimes(
    FIRST.replace(tzinfo=None), LAST.replace(tzinfo=None), timezones=st.just(UTC)
)


@pytest.fixture(scope="module")
def rows(tmp_path_factory):
    """A scan every 11 to 40 minutes, and what was scanned at each."""
    folder, found, at = tmp_path_factory.mktemp("timed"), [], FIRST
    while at < LAST:
        found.append((at, len(found) % 7, "ab"[len(found) % 2]))
        at += timedelta(minutes=11 + len(found) * 7 % 30)
    lines = [f"{at:%FT%TZ},{n},{gate}" for at, n, gate in found]
    (folder / "scans.csv").write_text("\n".join(["at,n,gate", *lines]) + "\n")
    return folder, found


def book_with(folder, starts="", limit=""):
    text = BOOK.replace("STARTS", starts and f'day_starts = "{starts}"')
    name = f"book{starts[:2]}{len(limit)}.toml"
    (folder / name).write_text(text.replace("LIMIT", limit and f'period = "{limit}"'))
    return ulnager.read_book(folder / name)


def held(rows, result, starts):
    """The rows in a resolution, by the instants of its spans."""
    begins = time(int(starts[:2] or 0))
    bounds = result.instants(UTC) if isinstance(result, ulnager.InstantResolution) else [
        (None if one is None else datetime.combine(one, begins, ZoneInfo(ZONE))
         for one in (span.start, span.stop)) for span in result.spans
    ]  # fmt: skip
    bounds = [tuple(one) for one in bounds]
    return [row for row in rows if any((a is None or a <= row[0]) and (b is None or row[0] < b)
                                       for a, b in bounds)]  # fmt: skip


@examples(40)
@given(MOMENTS, st.sampled_from(list(CHOICES)), st.sampled_from(["", "from 2025-12-01"]),
       st.sampled_from(["", "04:00"]))  # fmt: skip
def test_each_chart_has_the_rows_of_its_hours(rows, now, choice, limit, starts):
    folder, there = rows
    book = book_with(folder, starts, limit)
    view = book.picker("dates").open(now=now).choose(choice)
    opened = book.page("home").open(now=now, chosen={"dates": view})
    told, values = json.loads(json.dumps(opened.to_dict())), opened.values()
    begin = datetime(2025, 12, 1, int(starts[:2] or 0), tzinfo=ZoneInfo(ZONE))
    seen = [row for row in there if row[0] >= begin] if limit else there
    # At a moment of the past the data counts up to the day before its own, and so do its days.
    for name, chart in opened.charts.items():
        found, inside = values[name], held(seen, chart.resolution, starts)
        assert told["charts"][name]["problems"] == [], name
        if name == "line":
            is_timed = choice not in ("week",)
            assert isinstance(found, str) is is_timed or not inside, found
        elif isinstance(found, str):
            assert choice == "open" or chart.too_many or chart.resolution.is_empty, (name, found)
        elif name == "rows":
            assert [n for _, n in found.rows] == [n for _, n, _ in inside][:1000], choice
        elif found is not None:
            assert sum(row.value or 0 for row in found.rows) == sum(n for _, n, _ in inside), name
    is_told = any("not grouped by day" in one for one in told["charts"]["days"]["notes"])
    assert is_told is (choice != "week")
    if choice != "week":
        for event in ("earlier", "later"):
            assert getattr(view, event)().notes[-1:] == (
                "hours are no dates, so there is no step",)  # fmt: skip
        with pytest.raises(SettingError, match="no dates to link to"):
            view.link(frozen=True)
    assert book.picker("dates").read(view.link(), now=now).to_dict() == view.to_dict()


@pytest.mark.parametrize("starts", ["", "04:00"])
def test_a_service_answers_for_every_choice_of_hours(rows, starts, cli):
    folder, _ = rows
    book = book_with(folder, starts)
    with TestClient(ulnager.service(book)) as ask:
        for choice in CHOICES:
            for place in ("/pages/home", "/api/pages/home", "/api/pickers/dates"):
                found = ask.get(f"{place}?dates={choice}")
                assert found.status_code == 200, (place, choice, found.text[:300])
                if place != "/pages/home":
                    assert (found.json()["until"] <= datetime.now(UTC).isoformat()) is True
        assert "true until" not in ask.get("/pages/home").text
        assert ask.get("/api/book").status_code == 200
        assert ask.get("/api/schedules/mail").status_code == 200
    # A clock that is a day knows no moment, and nothing else is needed where a day is over.
    by_day = book.picker("dates").open(today="2027-02-01")
    assert by_day.choose("gone").resolution.start == (
        by_day.refreshed(now="2027-02-01T12:00Z").choose("gone").resolution.start)  # fmt: skip
    assert "hours need the moment" in by_day.choose("day").problems[0]
    path = str(folder / book.file)
    for line in ("show home", "show mail", "show dates", "show", f"check {path}", "rehearse home",
                 "calendar --bounds", "preview day scans"):  # fmt: skip
        asked = line.split()
        given = asked if asked[0] == "check" else (*asked, "--book", path)
        code, out, err = cli(*given)
        assert code in (0, 1 if asked[0] == "check" else 0), (asked, err)
        assert "same dates" not in out
        if asked[0] in ("rehearse", "calendar"):
            assert "of hours" in err


def test_hours_of_a_column_of_dates_are_told_chart_by_chart(tmp_path, cli):
    (tmp_path / "days.csv").write_text("day,n\n2026-11-29,1\n2026-11-30,2\n")
    (tmp_path / "b.toml").write_text(
        'tz = "UTC"\n[sources.s]\nfile = "days.csv"\n[pickers.dates]\nchoices = '
        '[{ phrase = "last 24 rolling hours", key = "day" }, { phrase = "last 2 rolling days" }]\n'
        '[pages.home]\npicker = "dates"\n[pages.home.charts]\na = { source = "s", by = "day" }\n'
        'b = { source = "s", form = "rows", columns = ["n"] }\nc = { source = "s", value = "n" }\n'
    )
    when = ("--book", str(tmp_path / "b.toml"), "--now", "2026-11-30T08:00Z")
    code, out, err = cli("show", "home", *when)
    assert (code, err) == (0, "")
    assert "a column of dates holds none" in " ".join(out.split())
    code, out, _ = cli("show", "home", "--choose", "last_2_rolling_days", "--json", *when)
    charts = json.loads(out)["charts"]
    assert (code, [one["rows"] for one in charts.values()]) == (0, [2, 2, 2])


def test_a_chart_that_cannot_be_read_leaves_the_others(tmp_path, cli):
    (tmp_path / "days.csv").write_text("day,n\n2026-05-01,1\n2026-05-02,2\n")
    text = """[sources.s]\nfile = "days.csv"\n[pages.home.charts]
a = { source = "s", column = "day", period = "2026-05", value = "n" }
b = { source = "s", column = "dye", period = "2026-05" }
c = { source = "s", column = "day", period = "2026-05", value = "m" }
d = { source = "s", column = "day", period = "2026-05", until = "ends" }
"""
    book = tmp_path / "b.toml"
    book.write_text(text)
    code, out, err = cli("show", "home", "--book", str(book))
    assert (code, err, out.count("problem  ")) == (0, "", 3)
    assert re.search(r"A +1 to 31 May 2026 +2 +3 ", out)
    code, out, _ = cli("show", "home", "--book", str(book), "--json")
    charts = json.loads(out)["charts"]
    assert [one["rows"] for one in charts.values()] == [2, None, 2, None]
    assert [isinstance(one["values"], str) for one in charts.values()] == [False, True, True, True]
    (tmp_path / "days.csv").unlink()
    code, _, err = cli("show", "home", "--book", str(book))
    assert (code, "there is no file" in err) == (1, True)
