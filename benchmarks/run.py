"""How fast Ulnager is, beside what a person would write by hand, in one run, as ratios.

Run ``python benchmarks/run.py``, with words to run only the rows that have them. Each number is
the best of several rounds; both sides of a
ratio are measured in the same run on the same machine.
"""

import compileall
import functools
import os
import resource
import subprocess
import sys
import tempfile
import timeit
from datetime import date, datetime, timedelta
from pathlib import Path

import duckdb
import numpy as np
import pandas as pd
import polars as pl
from by_period import ROWS as BY_PERIOD

import ulnager
from ulnager.core.language.reader import read_period

TODAY = date(2026, 6, 13)
PHRASE = "last 3 whole months"
MILLION = 1_000_000


def best(call, rounds=7, number=1):
    """Seconds for one call, the best of several rounds."""
    return min(timeit.repeat(call, number=number, repeat=rounds)) / number


def side_by_side(ours, theirs, rounds=15, number=1):
    """Seconds for each, in turns, so that whatever else the machine does falls on both."""
    pairs = [
        (best(ours, rounds=1, number=number), best(theirs, rounds=1, number=number))
        for _ in range(rounds)
    ]
    return tuple(map(min, zip(*pairs, strict=True)))


def processes(ours, theirs):
    """Seconds for each of two commands, from start to end."""

    def runs(args):
        return lambda: subprocess.run(args, check=True, capture_output=True)

    return side_by_side(runs(ours), runs(theirs), rounds=20)


def resolve_one():
    period = ulnager.period(PHRASE)

    def ours():
        result = period.resolve(TODAY)
        return result.start, result.end, result.stop

    def by_hand():
        stop = TODAY.replace(day=1)
        months = stop.year * 12 + stop.month - 1 - 3
        start = date(months // 12, months % 12 + 1, 1)
        return start, stop - timedelta(days=1), stop

    assert ours() == by_hand()
    return side_by_side(ours, by_hand, number=10_000)


def read_phrase():
    period = ulnager.period(PHRASE)
    return side_by_side(
        lambda: read_period(PHRASE), lambda: period.resolve(TODAY).start, number=2_000
    )


def read_again():
    return best(lambda: ulnager.period(PHRASE), number=100_000), 1e-6


def random_days(seed, first="2016-01-01", count=3653):
    numbers = np.random.default_rng(seed).integers(0, count, MILLION)
    return np.datetime64(first) + numbers


def resolve_many():
    days = random_days(1)
    period = ulnager.period(PHRASE)

    def by_hand():
        months = pd.DatetimeIndex(days).to_period("M")
        return (months - 3).start_time, months.start_time

    ours, theirs = period.resolve_each(days, running=True), by_hand()
    assert (ours[0] == theirs[0].values).all()
    assert (ours[1] == theirs[1].values).all()
    return side_by_side(lambda: period.resolve_each(days, running=True), by_hand)


def business_days():
    first, second = random_days(2), random_days(3)
    holidays = random_days(4)[:80]
    office = ulnager.BusinessDays(holidays=tuple(holidays.tolist()))

    def ours():
        return ulnager.business_days_between(first, second, ends="earlier", business=office)

    def by_hand():
        return np.busday_count(first, second, holidays=holidays)

    forward = first <= second  # NumPy turns the ends round for the others.
    assert (ours()[forward] == by_hand()[forward]).all()
    return best(ours), best(by_hand)


def start_up():
    return processes((sys.executable, "-c", "import ulnager"), (sys.executable, "-c", "pass"))


def whole_process():
    command = str(Path(sys.executable).with_name("ulnager"))
    return processes((command, "resolve", "month to date"), (sys.executable, "-c", "import click"))


def live_process():
    command = str(Path(sys.executable).with_name("ulnager"))
    asked = ("last 3 whole months", "--column", "d", "--live", "--for", "sqlite")
    return processes(
        (command, "filter", *asked), (sys.executable, "-c", "import click, sqlalchemy.sql")
    )


def date_table():
    """200 years of days with the same columns, built column by column with pandas."""
    first, last = date(1900, 1, 1), date(2099, 12, 31)
    anchor = ulnager.Anchor(TODAY, True, "today")

    def by_hand():
        days = pd.Series(pd.date_range(first, last, freq="D"))
        iso = days.dt.isocalendar()
        working = days.dt.day_of_week < 5
        frame = {
            "date": days,
            "weekday": days.dt.day_of_week + 1,
            "weekday_name": days.dt.day_name(),
            "iso_year": iso["year"],
            "iso_week": iso["week"],
            "is_business_day": working,
            "is_holiday": days.isin([]),
            "business_day_index": working.cumsum(),
            "days_from_anchor": (days - pd.Timestamp(TODAY)).dt.days,
        }
        month = days.dt.month
        half = (month - 1) // 6
        labels = {
            "week": iso["year"].astype(str) + "-W" + iso["week"].astype(str).str.zfill(2),
            "month": days.dt.strftime("%b %Y"),
            "quarter": "Q" + days.dt.quarter.astype(str) + " " + days.dt.year.astype(str),
            "half": "H" + (half + 1).astype(str) + " " + days.dt.year.astype(str),
            "year": days.dt.year.astype(str),
        }
        for name, frequency in {"week": "W", "month": "M", "quarter": "Q", "year": "Y"}.items():
            periods = days.dt.to_period(frequency)
            frame[f"{name}_index"] = periods.astype("int64")
            frame[f"{name}_start"] = periods.dt.start_time
            frame[f"{name}_end"] = periods.dt.end_time.dt.normalize()
        frame["half_index"] = days.dt.year * 2 + half
        frame["half_start"] = pd.to_datetime(
            {"year": days.dt.year, "month": half * 6 + 1, "day": 1}
        )
        frame["half_end"] = frame["half_start"] + pd.offsets.MonthEnd(6)
        for name, label in labels.items():
            frame[f"{name}_label"] = label
            frame[f"{name}_short"] = label.str.split(" ").str[0]
            frame[f"{name}_day"] = (days - frame[f"{name}_start"]).dt.days + 1
            frame[f"{name}_is_whole"] = frame[f"{name}_end"] < pd.Timestamp(TODAY)
            here = frame[f"{name}_index"][(TODAY - first).days]
            frame[f"{name}_from_anchor"] = frame[f"{name}_index"] - here
        return pd.DataFrame(frame)

    ours = ulnager.date_table(ulnager.GREGORIAN, first, last, anchor)
    theirs = by_hand()
    assert len(ours) == theirs.shape[1]
    for name in ("month_start", "half_end", "week_start", "quarter_end"):
        assert (ours[name] == theirs[name].values).all()
    make = best(lambda: ulnager.date_table(ulnager.GREGORIAN, first, last, anchor), rounds=3)
    return make, best(by_hand, rounds=3)


def resolve_many_elsewhere():
    """Months of other calendars than the Gregorian one; the slowest of them."""
    days = random_days(1)
    period = ulnager.period(PHRASE)
    starts = [date(year, month, 6) for year in range(2014, 2028) for month in range(1, 13)]
    calendars = (
        ulnager.MonthCalendar("04-06"),
        ulnager.WeekCalendar("4-4-5", "saturday", "september"),
        ulnager.WeekCalendar("13x4", "saturday", "january", "nearest"),
        ulnager.TableCalendar([("month", start) for start in starts]),
    )

    def by_hand():
        months = pd.DatetimeIndex(days).to_period("M")
        return (months - 3).start_time, months.start_time

    pairs = [
        side_by_side(
            lambda calendar=calendar: period.resolve_each(days, running=True, calendar=calendar),
            by_hand,
            rounds=7,
        )
        for calendar in calendars
    ]
    return max(pairs, key=lambda pair: pair[0] / pair[1])


def profile_large():
    """A Parquet file of 20,000,000 rows, beside the bare query for the same figures."""
    with tempfile.TemporaryDirectory() as folder:
        path = f"{folder}/large.parquet"
        duckdb.execute(
            f"""COPY (SELECT DATE '2016-01-01' + (i * 7919 % 3653)::INT AS day, i AS number
            FROM range(20000000) t(i)) TO '{path}' (FORMAT parquet)"""
        )

        def ours():
            return ulnager.profile(ulnager.open_source(path), "day")

        def by_hand():
            return (
                duckdb.connect()
                .execute(f"SELECT day, count(*) FROM '{path}' GROUP BY day ORDER BY day")
                .fetchall()
            )

        assert ours().rows == sum(count for _, count in by_hand()) == 20_000_000
        return best(ours, rounds=4), best(by_hand, rounds=4)


def many_times():
    """20,000,000 timestamps of ten years, as pandas and Polars hold them."""
    seconds = np.random.default_rng(6).integers(0, 3653 * 86_400, 20 * MILLION)
    return (np.datetime64("2016-01-01T00:00:00") + seconds).astype("datetime64[us]")


def filter_pandas():
    frame = pd.DataFrame({"at": many_times(), "number": np.arange(20 * MILLION)})
    quarter = ulnager.period("2025-Q2").resolve()

    def by_hand():
        return frame[(frame["at"] >= "2025-04-01") & (frame["at"] < "2025-07-01")]

    assert ulnager.keep(frame, quarter, "at").equals(by_hand())
    return side_by_side(lambda: ulnager.keep(frame, quarter, "at"), by_hand)


def filter_polars():
    frame = pl.DataFrame({"at": many_times(), "number": np.arange(20 * MILLION)})
    quarter = ulnager.period("2025-Q2").resolve()
    start, stop = datetime(2025, 4, 1), datetime(2025, 7, 1)

    def by_hand():
        return frame.filter((pl.col("at") >= start) & (pl.col("at") < stop))

    assert ulnager.keep(frame, quarter, "at").equals(by_hand())
    return side_by_side(lambda: ulnager.keep(frame, quarter, "at"), by_hand)


BY_HAND = (
    "day >= DATE '2026-03-01' AND day < DATE '2026-06-01'",
    "day >= date_trunc('month', CURRENT_DATE) - INTERVAL '3 months' "
    "AND day < date_trunc('month', CURRENT_DATE)",
)
DAYS = "CURRENT_DATE - CAST({} AS INTEGER) AS day"


def query_duckdb():
    made = duckdb.connect()
    days = DAYS.format("i * 7919 % 3653")
    made.execute(f"CREATE TABLE t AS SELECT {days}, i FROM range(20000000) t(i)")
    return queried(lambda text: made.execute(text).fetchall(), "duckdb")


def query_postgresql():
    import sqlalchemy as sa

    url = os.environ.get("ULNAGER_POSTGRESQL", "postgresql+psycopg://postgres@127.0.0.1:5432/test")
    with sa.create_engine(url).connect() as made:
        days = DAYS.format("mod(i::bigint * 7919, 3653)")
        made.exec_driver_sql(
            f"CREATE TEMPORARY TABLE t AS SELECT {days}, i FROM generate_series(1, 2000000) s(i)"
        )
        made.exec_driver_sql("ANALYZE t")
        return queried(lambda text: made.exec_driver_sql(text).fetchall(), "postgresql")


def queried(run, target):
    """Our frozen or our live condition beside the one by hand, whichever does worse."""
    query = "SELECT count(*), sum(i) FROM t WHERE {}".format
    period, found = ulnager.period(PHRASE), []
    clauses = ulnager.where(period.resolve(TODAY), "day"), ulnager.where(period, "day")
    for clause, by_hand in zip(clauses, BY_HAND, strict=True):
        ours = query(ulnager.condition(clause, target=target, literal=True).text)
        theirs = query(by_hand)
        assert run(ours) == run(theirs)
        found.append(side_by_side(lambda ours=ours: run(ours), lambda theirs=theirs: run(theirs)))
    return max(found, key=lambda pair: pair[0] / pair[1])


def make_condition():
    result = ulnager.period(PHRASE).resolve(TODAY)
    return often(lambda: ulnager.condition(result, "day")), 200e-6


def make_live():
    period = ulnager.period(PHRASE)
    return often(
        lambda: ulnager.condition(period, "day", target="postgresql", literal=True)
    ), 200e-6


@functools.cache
def picker_book():
    """A picker of 40 choices measured from the latest date, and a page of 20 charts."""
    folder = Path(tempfile.mkdtemp())
    (folder / "rows.csv").write_text("d\n2025-01-01\n2026-05-17\n")
    units = ("days", "weeks", "months", "quarters")
    phrases = [
        f"last {count} {reading} {unit}"
        for count in (2, 3, 6, 7, 9)
        for reading in ("rolling", "whole")
        for unit in units
    ]
    lines = [
        'anchor = "load"',
        "[sources.r]",
        'file = "rows.csv"',
        'column = "d"',
        "[anchors]",
        'load = { point = "latest", sources = ["r"] }',
        "[periods]",
    ]
    lines += [f'p{n} = "{phrase}"' for n, phrase in enumerate(phrases)]
    lines += [
        "[pickers.dates]",
        'by = { of = ["day", "week", "month"] }',
        f"choices = {[f'p{n}' for n in range(40)]}",
        "[pages.h]",
        'picker = "dates"',
        "[pages.h.charts]",
    ]
    lines += [f'c{n} = {{ source = "r", column = "d" }}' for n in range(20)]
    (folder / "book.toml").write_text("\n".join(lines))
    return ulnager.read_book(folder / "book.toml")


EXTENT = ulnager.Extent(date(2025, 1, 1), date(2026, 5, 17))


def open_picker():
    book = picker_book()
    picker = book.picker("dates")
    anchor = ulnager.Anchor(EXTENT.last, False, "latest")

    def ours():
        view = picker.open(today=TODAY, data=EXTENT)
        return [view._result_of(choice) for choice in picker.choices], view.by

    def bare():
        return [entry.period.resolve(TODAY, as_of=anchor) for entry in book.periods.values()]

    assert [one.spans for one in ours()[0]] == [one.spans for one in bare()]
    return side_by_side(ours, bare, number=100)


def open_page():
    page = picker_book().page("h")

    def ours():
        return [chart.governed_by for chart in page.open(today=TODAY, data=EXTENT).charts.values()]

    return best(ours, number=100), 3e-3


def read_view():
    picker, fields = picker_book().picker("dates"), {"dates": "p3"}
    return best(lambda: picker.read(fields, TODAY, data=EXTENT).to_dict(), number=50), 4e-3


def rehearse_one():
    period = ulnager.period("last 3 whole months")
    return best(lambda: ulnager.rehearse(period, "2026-01-01", "2035-12-31"), number=3), 20e-3


def rehearse_many():
    """A thousand periods over ten years, beside a minute."""
    units = ("week", "month", "quarter", "year")
    phrases = [
        f"last {count} {reading} {unit}s"
        for unit in units
        for reading in ("whole", "rolling")
        for count in range(1, 126)
    ]
    return best(
        lambda: [ulnager.rehearse(p, "2026-01-01", "2035-12-31", readings=False) for p in phrases],
        rounds=1,
    ), 60.0


def recognise_one():
    condition = (
        "d >= date_trunc('month', current_date) - interval '3 months' "
        "AND d < date_trunc('month', current_date)"
    )
    return best(lambda: ulnager.recognise(condition)), 2.0


def often(call):
    """The best of many short rounds: a long one always meets something else the machine does."""
    return best(call, rounds=40, number=100)


ROWS = (
    ("resolve a period that is read", "the same by hand with datetime", 2, resolve_one),
    ("read a phrase", "resolving it", 10, read_phrase),
    ("read it again, cached", "1 microsecond", 1, read_again),
    ("resolve_each, 1,000,000 anchors", "pandas month periods", 0.1, resolve_many),
    ("business days, 1,000,000 pairs", "numpy.busday_count", 0.3, business_days),
    ("date table of 200 years", "pandas, column by column", 3, date_table),
    ("resolve_each, other calendars", "pandas month periods", 0.1, resolve_many_elsewhere),
    ("profile, 20,000,000 rows", "the bare DuckDB query", 1.1, profile_large),
    ("keep, 20,000,000 rows of pandas", "a mask by hand", 1.1, filter_pandas),
    ("keep, 20,000,000 rows of Polars", "a filter by hand", 1.1, filter_polars),
    ("DuckDB, 20,000,000 rows", "the condition by hand", 1.05, query_duckdb),
    ("PostgreSQL, 2,000,000 rows", "the condition by hand", 1.05, query_postgresql),
    ("make a condition", "200 microseconds", 1, make_condition),
    ("make a live condition", "200 microseconds", 1, make_live),
    ("open a picker of 40 choices", "resolving the 40", 1.3, open_picker),
    ("open a page of 20 charts", "3 milliseconds", 1, open_page),
    ("read a view of 40, to_dict", "4 milliseconds", 1, read_view),
    ("rehearse ten years of a phrase", "20 milliseconds", 1, rehearse_one),
    ("rehearse a thousand phrases", "a minute", 1, rehearse_many),
    ("recognise a condition", "2 seconds", 1, recognise_one),
    *BY_PERIOD,
    ("import ulnager", "python -c pass", 3, start_up),
    ('ulnager resolve "month to date"', "python -c 'import click'", 1.4, whole_process),
    ("ulnager filter --live", "python -c 'import click, sqlalchemy.sql'", 1.5, live_process),
)


def in_words(seconds):
    for unit, size in (("s", 1), ("ms", 1e-3), ("µs", 1e-6)):
        if seconds >= size:
            return f"{seconds / size:.3g} {unit}"
    return f"{seconds / 1e-9:.3g} ns"


def main():
    # As an installer leaves it: compiled once, not at every start.
    compileall.compile_dir(Path(ulnager.__file__).parent, quiet=1)
    form = "{:<34} {:<32} {:>9} {:>9} {:>7} {:>8}"
    print(form.format("what", "beside", "ours", "theirs", "ratio", "at most"))
    asked = sys.argv[1:]
    for what, beside, most, measure in ROWS:
        if asked and not any(word in what for word in asked):
            continue
        try:
            ours, theirs = measure()
        except Exception as error:  # Such as a server that is not there.
            told = str(error).splitlines() or [type(error).__name__]
            print(f"{what:<34} not measured: {told[0]}")
            continue
        ratio = ours / theirs
        times = in_words(ours), in_words(theirs)
        note = "" if ratio <= most else "  missed"
        print(form.format(what, beside, *times, f"{ratio:.2f}x", f"{most}x") + note)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"\nmost memory in use, all of the above: {peak:,.0f} MB")


if __name__ == "__main__":
    main()
