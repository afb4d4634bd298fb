"""A page of real use, typed: mypy --strict and pyright find nothing in it."""

from __future__ import annotations

from datetime import date

import polars as pl

import ulnager
from ulnager.demo import book_file, table

CLOCK = date(2026, 5, 20)

# Data, period, column: a frame is piped, a file is named.
sailings = ulnager.open_source(table("sailings"))
found = ulnager.profile(sailings, "sailed_on", today=CLOCK)
period = ulnager.period("last 3 whole months")
result: ulnager.Resolution = period.resolve(today=CLOCK, data=found.extent)
start, end = result.start, result.end
assert start is not None
assert end is not None

frame = pl.DataFrame({"day": [start, end], "fares": [10, 12]})
kept: pl.DataFrame = frame.pipe(ulnager.keep, result, "day")
rows = ulnager.preview(sailings, period, "sailed_on", today=CLOCK)
weeks = ulnager.totals(sailings, result, value="passengers", by="week")
print(f"{kept.height} rows, {rows.kept} of {rows.total} sailings, {len(weeks.rows)} weeks")

# A period, then the column.
text: str = ulnager.condition(result, "sailed_on", target="postgresql", paramstyle="pyformat").text
moving = ulnager.where(period, "sailed_on", column_type="date")
print(text)
print(ulnager.condition(moving, target="sqlite", literal=True).text)

view = ulnager.read_book(book_file()).picker("dates").open(today=CLOCK).choose("recent")
told = view.to_dict()
print(
    told["choice"],
    told["dates"] and told["dates"]["label"],
    [one["kind"] for one in told["inputs"]],
)

recent: ulnager.OpenPeriod = ulnager.period("last {n} days", inputs={"n": {"max": 90}})
print(recent.filled(n=7).resolve(today=CLOCK).label)
hours = ulnager.period("last 3 whole hours").resolve(now="2026-05-20T08:30+00:00", tz="UTC")
if isinstance(hours, ulnager.InstantResolution):
    print(hours.duration)

difference: int = ulnager.business_days_between(start, end)
print(f"{difference} business days")
