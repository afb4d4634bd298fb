"""A column of any sort, wherever it is held, keeps the same rows at every door."""

import json
import os
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
import sqlalchemy as sa

import ulnager
from ulnager.sources.written_tables import write_table

from engines import REQUIRED, URLS
from strategies import TIMES

ZONE = ZoneInfo("America/Halifax")
DAYS = [date(2025, 12, 1) + timedelta(n) for n in range(170) if n % 11 != 4]
# Some in the last minutes of the day, which is another one in UTC.
ROWS = [
    (datetime.combine(day, time((0, 3, 9, 23)[(number + day.day) % 4], day.day + 20)), number + 1)
    for day in DAYS for number in range(1 + day.day % 3)
]  # fmt: skip
SORTS = {
    "date": lambda at: at.date(),
    "timestamp": lambda at: at,
    "timestamptz": lambda at: at.replace(tzinfo=ZONE).astimezone(UTC),
    "yyyymmdd": lambda at: int(f"{at:%Y%m%d}"),
    "yyyymm": lambda at: int(f"{at:%Y%m}"),
    "yyyyww": lambda at: at.isocalendar()[0] * 100 + at.isocalendar()[1],
    "iso-week": lambda at: "{}-W{:02}".format(*at.isocalendar()[:2]),
    "text": lambda at: str(at.date()),
    "german": lambda at: f"{at:%d.%m.%Y}",
}
PERIODS = {
    "weeks": "last 5 whole weeks", "months": "last 2 whole months", "since": "since 2026-03-01",
    "several": "2026-01 plus 2026-03", "gone": "2024-05", "cut": "last 10 rolling days",
}  # fmt: skip
COARSE = {"yyyymm": "month", "yyyyww": "week", "iso-week": "week"}
WHOLE = {"month": ("cut", "months", "several", "gone"), "week": ("cut", "weeks")}
PLACES = ["csv", "parquet", "sqlite", "duckdb", "postgresql", "mariadb"]
BOOK = """
tz = "America/Halifax"
[sources.s]
SOURCE
column = "at"
[pickers.dates]
by = { of = ["day", "week", "month"], opens = "fitting" }
[pages.home]
picker = "dates"
[pages.home.charts]
number = { source = "s", value = "n" }
coarse = { source = "s", value = "n", by = "GRAIN", beside = "1 year earlier" }
viewer = { source = "s", value = "n", by = "viewer" }
split = { source = "s", value = "n", by = "GRAIN", split = "g" }
ranked = { source = "s", value = "n", split = "g" }
rows = { source = "s", form = "rows", columns = ["at", "n"], limit = 1000 }
"""


def placed(sort, kind, folder):
    """The rows in a place of a sort, as a book says it."""
    held = {
        "at": [SORTS[kind](at) for at, _ in ROWS], "n": [n for _, n in ROWS],
        "g": ["ab"[n % 2] for _, n in ROWS],
    }  # fmt: skip
    path = folder / f"rows.{sort}"
    if sort in ("csv", "parquet"):
        write_table(held, str(path))
        return f'file = "{path}"'
    url = URLS[sort] if sort in ("postgresql", "mariadb") else f"{sort}:///{path}"
    try:
        if sort in URLS and sort != "sqlite":
            sa.create_engine(url).connect().close()
    except (sa.exc.OperationalError, ImportError) as error:
        if sort in REQUIRED:
            raise
        pytest.skip(f"{sort} is not there: {error}")
    write_table(held, url, name=f"columns_{os.getpid()}", replace=True)
    return f'url = "{url}"\ntable = "columns_{os.getpid()}"'


def day_of(at, kind, sort):
    """The day that a row stands for, or the first of its month or week."""
    day = at.date()
    if kind == "timestamptz" and sort in ("sqlite", "mariadb"):  # They hold it in UTC, without it.
        return SORTS[kind](at).date()
    if COARSE.get(kind) == "month":
        return day.replace(day=1)
    return day - timedelta(day.weekday()) if kind in COARSE else day


@pytest.mark.parametrize("kind", SORTS)
def test_the_same_rows_at_every_door(kind, tmp_path, cli):
    some = ["csv"] if kind == "german" else PLACES
    if kind == "text":
        some = ["csv", "sqlite"]
    if TIMES < 1 and len(some) > 2:  # Each sort in two of the places.
        some = [some[(list(SORTS).index(kind) + n) % len(some)] for n in (0, 3)]
    for sort in some:
        same_rows(kind, sort, tmp_path, cli)


def same_rows(kind, sort, folder, cli):
    grain = COARSE.get(kind)
    said = f'column_type = "{kind}"' if kind in ("yyyymmdd", *COARSE) else ""
    said += '\ndate_format = "%d.%m.%Y"' if kind == "german" else ""
    source = f"{placed(sort, kind, folder)}\n{said}"
    names = WHOLE[grain] if grain else tuple(PERIODS)
    names = names[:3] if TIMES < 1 else names
    periods = "".join(f'[periods.{name}]\nphrase = "{PERIODS[name]}"\n' for name in names)
    text = BOOK.replace("SOURCE", source).replace("GRAIN", grain or "month")
    text = text.replace("[pickers.dates]\n", f"[pickers.dates]\nchoices = {json.dumps(names)}\n")
    (folder / "b.toml").write_text(text + periods)
    book = ulnager.read_book(folder / "b.toml", allow_outside=True)
    where = ("--book", str(folder / "b.toml"), "--allow-outside", "--today", "2026-05-15", "--json")
    for name in names:
        view = book.picker("dates").open(today="2026-05-15").choose(name)
        opened = book.page("home").open(today="2026-05-15", chosen={"dates": view})
        spans = view.resolution.spans
        days = [(day_of(at, kind, sort), n) for at, n in ROWS]
        inside = [n for day, n in days if any(one.start <= day < one.stop for one in spans)]
        told = (kind, sort, name)
        if grain is not None and name == "cut":  # Nobody has a part of what a row stands for.
            for key, found in opened.values().items():
                assert "cuts a" in str(found), (*told, key)
            for asked in (("preview", name, "s"), ("filter", name, "--column", "at", "--run", "s")):
                assert cli(*asked, *where)[0] == 2, (*told, asked[0])
            continue
        for key, found in opened.values().items():
            assert not isinstance(found, str), (*told, key, found)
            numbers = [n for _, n in found.rows] if key == "rows" else [r.value for r in found.rows]
            assert sum(n or 0 for n in numbers) == sum(inside), (*told, key)
        if grain is not None:
            assert opened.charts["viewer"].by == grain, told
        for asked in (("preview", name, "s"), ("filter", name, "--column", "at", "--run", "s")):
            code, out, err = cli(*asked, *where)
            assert code == 0, (*told, err)
            assert json.loads(out)["rows"]["kept"] == len(inside), (*told, asked[0])
    if sort in ("postgresql", "mariadb"):
        with sa.create_engine(URLS[sort]).begin() as held:
            held.execute(sa.text(f"DROP TABLE columns_{os.getpid()}"))
