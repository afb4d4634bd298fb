"""How cost grows with size: ``python benchmarks/growth.py --to docs/growth.png``.

Each line is one thing, asked at 1, 10, 100 … of what it takes, the best of three; drawn on two
logarithmic scales beside what would grow in proportion. ``ULNAGER_MILLIONS`` is the most million
rows (100). What grows faster than in proportion is named.
"""

import argparse
import os
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path

import duckdb
from matplotlib.figure import Figure

import ulnager

MILLIONS = int(os.environ.get("ULNAGER_MILLIONS", "100"))
FOLDER = Path(tempfile.mkdtemp())
TODAY = "2026-05-20"
EXTENT = ulnager.Extent(date(1990, 1, 1), date(2026, 5, 17))
MOST = 10_000
INK, GREY = "#1f3a4d", "#9aa5ad"


def rows_of(millions):
    path = FOLDER / f"{millions}.parquet"
    if not path.exists():
        duckdb.execute(
            f"""COPY (SELECT DATE '2016-01-01' + (i * 7919 % 3653)::INT AS day,
            (i * 17 % 400)::INT AS passengers FROM range({millions * 1_000_000}) t(i))
            TO '{path}' (FORMAT parquet)"""
        )
    return path


def written(name, text):
    path = FOLDER / name
    path.write_text(text)
    return path


def profile_rows(millions):
    source = ulnager.open_source(rows_of(millions))
    return lambda: ulnager.profile(source, "day")


def total_rows(millions):
    source = ulnager.open_source(rows_of(millions))
    return lambda: ulnager.totals(
        source, "2016-01-01/2025-12-31", column="day", value="passengers", by="month", today=TODAY
    )


def periods_text(count):
    return "[periods]\n" + "".join(f'p{n} = "last {n + 1} rolling days"\n' for n in range(count))


def read_periods(count):
    path = written(f"periods{count}.toml", periods_text(count))
    return lambda: ulnager.read_book(path)


def check_periods(count):
    path = written(f"periods{count}.toml", periods_text(count))
    return lambda: ulnager.check(path, today=TODAY)


def open_choices(count):
    names = [f"p{n}" for n in range(count)]
    text = periods_text(count) + f'[pickers.dates]\nchoices = {names}\nopens = "p0"\n'
    picker = ulnager.read_book(written(f"choices{count}.toml", text)).picker("dates")
    return lambda: picker.open(today=TODAY, data=EXTENT).to_dict()


def spans_of(count):
    """As many single days, each apart from the next."""
    first = date(1990, 1, 1)
    holidays = tuple(first + timedelta(2 * n) for n in range(count))
    calendar = ulnager.MonthCalendar(business=ulnager.BusinessDays(holidays=holidays, days_off=()))
    return ulnager.period("from 1990-01-01 to 2060-12-31 only holidays").resolve(
        today=TODAY, calendar=calendar
    )


def condition_of_spans(count):
    result = spans_of(count)
    return lambda: ulnager.condition(result, "d", target="duckdb", literal=True)


def resolve_spans(count):
    return lambda: spans_of(count).days


def list_units(count):
    days = [date(1990, 1, 1) + timedelta(n) for n in range(count)]
    rows = written(f"days{count}.csv", "d\n" + "\n".join(map(str, days)) + "\n")
    text = f"""
[sources.r]
file = "{rows.name}"
column = "d"
[periods.listed]
phrase = "{{days}}"
inputs.days = {{ kind = "listed", unit = "day", limit = {count}, several = true, source = "r" }}
[pickers.dates]
choices = ["listed"]
opens = "listed"
"""
    picker = ulnager.read_book(written(f"listed{count}.toml", text)).picker("dates")
    return lambda: picker.open(today=TODAY).to_dict()


def split_totals(count):
    lines = [f"2026-{n % 12 + 1:02}-01,s{n % count},1" for n in range(max(count, 1_000))]
    path = written(f"splits{count}.csv", "d,s,v\n" + "\n".join(lines) + "\n")
    source = ulnager.open_source(path)
    return lambda: ulnager.totals(
        source, "2026", column="d", value="v", by="month", split="s", top=10, today=TODAY
    )


SIZES = (1, 10, 100, 1_000, MOST)
ROWS = tuple(n for n in (1, 10, 100) if n <= MILLIONS)
LINES = (
    ("profile, million rows", ROWS, profile_rows),
    ("totals by month, million rows", ROWS, total_rows),
    ("read a book of periods", SIZES, read_periods),
    ("check a book of periods", SIZES[:-1], check_periods),
    ("open a picker of choices", SIZES, open_choices),
    ("resolve into spans", SIZES, resolve_spans),
    ("condition of spans", SIZES, condition_of_spans),
    ("list units", SIZES, list_units),
    ("totals of splits", SIZES, split_totals),
)


def best(call):
    found = []
    for _ in range(3):
        begun = time.perf_counter()
        call()
        found.append(time.perf_counter() - begun)
    return min(found)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--to", default="growth.png")
    asked.add_argument("words", nargs="*")
    given = asked.parse_args()
    lines = [one for one in LINES if not given.words or any(w in one[0] for w in given.words)]
    figure = Figure(figsize=(12, 8.4), layout="constrained")
    axes = figure.subplots(3, 3, squeeze=False).ravel()
    for axis, (name, sizes, make) in zip(axes, lines, strict=False):
        taken = []
        for size in sizes:
            try:
                taken.append(best(make(size)) * 1e3)
            except ulnager.UlnagerError as error:
                print(f"{name}: {size:,}: {str(error).splitlines()[0][:150]}")
                break
        sizes = sizes[: len(taken)]
        # From the last two: what is fixed is no part of them.
        last = (taken[-1] / taken[-2]) / (sizes[-1] / sizes[-2])
        told = "grows faster than in proportion" if last > 1.5 else ""
        print(f"{name:32}", *(f"{one:10.3g} ms" for one in taken), told, flush=True)
        axis.loglog(sizes, taken, "o-", color=INK, linewidth=2)
        axis.loglog(sizes, [taken[-1] * one / sizes[-1] for one in sizes], "--", color=GREY)
        axis.set_ylim(min(taken) / 3, max(taken) * 3)
        axis.set_title(name, fontsize=11, loc="left")
        axis.set_ylabel("ms")
        axis.spines[["top", "right"]].set_visible(False)
    for axis in axes[len(lines) :]:
        axis.set_visible(False)
    figure.suptitle("Cost against size; dashed: in proportion", x=0.01, ha="left")
    figure.savefig(given.to, dpi=100)


if __name__ == "__main__":
    main()
