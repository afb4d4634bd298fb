"""What a condition keeps: it is run on DuckDB for days of the clock, over dates around each."""

from __future__ import annotations

import re
import threading
from functools import lru_cache
from typing import Any, Final, NamedTuple

import duckdb
import numpy as np
from numpy.typing import NDArray
from sqlglot import exp

from ulnager.checking.readers.rewriting import Unclear
from ulnager.checking.readers.sqlite_reader import MACROS
from ulnager.checking.translation import hoisted, written
from ulnager.core.calendars.calendar import Calendar
from ulnager.filters.columns import COLUMN_TYPES
from ulnager.sources.duckdb_source import pass_on, started
from ulnager.sources.duckdb_text import first_line

Matrix = NDArray[np.bool_]
Days = NDArray[np.int64]


class Budget:
    """How many phrases may be tried still, here and in what this is a part of."""

    def __init__(self, tries: int, outer: Budget | None = None) -> None:
        self.tries = tries
        self.outer = outer

    def spend(self) -> None:
        """One is tried."""
        self.tries -= 1
        if self.outer is not None:
            self.outer.spend()

    def part(self, pieces: int) -> Budget:
        """An equal share for the first of so many pieces."""
        return Budget(self.tries // pieces, self)

    @property
    def is_over(self) -> bool:
        return self.tries <= 0


_HANGS: Final = 30.0
"""After so many seconds a condition is given up that DuckDB does not come to an end with."""


class AskedCondition(NamedTuple):
    """The tree of a condition of DuckDB, how it was written, what its column holds, the day of the
    data that stands in it for the clock's, if one does, and how many phrases may be tried."""

    tree: Any
    said: str
    column_type: str
    calendar: Calendar | None
    of_data: str
    budget: Budget
    zone: str = ""
    """The zone whose days instants are laid onto, where the condition names one."""


@lru_cache(maxsize=1)
def _engine() -> duckdb.DuckDBPyConnection:
    """An engine that can open nothing and change no setting."""
    made = started()
    for macro in MACROS:
        made.execute(f"CREATE MACRO {macro}")
    for setting in (
        "TimeZone = 'UTC'",
        "memory_limit = '1GB'",
        "enable_external_access = false",
        "python_enable_replacements = false",
        "lock_configuration = true",
    ):
        made.execute(f"SET GLOBAL {setting}" if "Zone" in setting else f"SET {setting}")
    return made


def kept_by(asked: AskedCondition, days: Days, offsets: Days) -> tuple[Matrix, Matrix]:
    """Which dates a condition keeps on each clock's day, and of which it keeps a part only."""
    found = [_kept(asked, days, offsets, at) for at in _times(asked)]
    every, some = found[0].copy(), found[0].copy()
    for one in found[1:]:
        every &= one
        some |= one
    return every, some & ~every


def hangs_on_time(asked: AskedCondition, days: Days, offsets: Days) -> bool:
    """Whether other dates are kept at other times of the clock's day. Of dates that a clock is laid
    into a zone for it is not asked: the day of that zone begins at another time."""
    uses_time = any(isinstance(one, exp.Column) and one.name == "n" for one in asked.tree.walk())
    if not uses_time or (" AT TIME ZONE " in written(asked.tree) and not asked.zone):
        return False
    usual, *others = (
        np.stack([_kept(asked, days, offsets, at, clock=clock) for at in _times(asked)])
        for clock in (_CLOCK, "1 second", "86399 second")
    )
    return any((other != usual).any() for other in others)


_CLOCK: Final = "10 hour"
"""What the clock shows on each day."""


def _times(asked: AskedCondition) -> tuple[str, ...]:
    """The times of a day at which rows are looked at."""
    has_time = COLUMN_TYPES[asked.column_type].has_time
    return ("0 hour", "12 hour", "86399999999 microsecond")[: 3 if has_time else 1]


_TYPE_OF: Final = {
    "date": "DATE",
    "timestamp": "TIMESTAMP",
    "timestamptz": "TIMESTAMPTZ",
    "yyyymmdd": "INTEGER",
    "yyyymm": "INTEGER",
    "yyyyww": "INTEGER",
    "iso-week": "VARCHAR",
    "iso-text": "VARCHAR",
    "epoch-seconds": "BIGINT",
    "epoch-milliseconds": "BIGINT",
}


_HELD: Final = {
    "date": "{day}",
    "timestamp": "{moment}",
    "timestamptz": "CAST({moment} AS TIMESTAMPTZ)",
    "yyyymmdd": "CAST(strftime({day}, '%Y%m%d') AS INTEGER)",
    "yyyymm": "CAST(strftime({day}, '%Y%m') AS INTEGER)",
    "yyyyww": "CAST(strftime({day}, '%G%V') AS INTEGER)",
    "iso-week": "strftime({day}, '%G-W%V')",
    "iso-text": "strftime({day}, '%Y-%m-%d')",
    "epoch-seconds": "CAST(floor(epoch_us({moment}) / 1000000.0) AS BIGINT)",
    "epoch-milliseconds": "CAST(floor(epoch_us({moment}) / 1000.0) AS BIGINT)",
}
"""What a column of each type holds for a row, of its day and its moment."""


def keeps_null(asked: AskedCondition, days: Days) -> bool:
    """Whether a row without a date is kept on any clock's day."""
    return bool(_kept(asked, days, np.zeros(1, dtype=np.int64), "0 hour", is_null=True).any())


def _kept(
    asked: AskedCondition,
    days: Days,
    offsets: Days,
    at: str,
    *,
    is_null: bool = False,
    clock: str = _CLOCK,
) -> Matrix:
    moment = _in_zone(asked, f"CAST(day AS TIMESTAMP) + INTERVAL '{at}'")
    now = _in_zone(asked, f"CAST(a AS TIMESTAMP) + INTERVAL '{clock}'")
    held = _HELD[asked.column_type].format(day="day", moment=moment)
    value = f"CAST(NULL AS {_TYPE_OF[asked.column_type]})" if is_null else held
    given: dict[str, Any] = {}
    tables = f"""
             days_ AS (SELECT i, DATE '0001-01-01' + (number - 1)::INTEGER AS a FROM (
                {_in_rows(days, "i", "number", given)})),
             moments AS (SELECT i, a, CAST({now} AS {_sort_of_clock(asked)}) AS n FROM days_),
             offs AS ({_in_rows(offsets, "o", "k", given)}),
             pairs AS (SELECT clock.*, o, a + k::INTEGER AS day FROM clock, offs)"""
    return _run(asked, tables, value, given, (len(days), len(offsets)))


def _in_rows(numbers: Days, place: str, number: str, given: dict[str, Any]) -> str:
    """A SELECT of numbers, each with its place among them; those that follow each other are not
    handed over one by one, which takes longer than the condition itself."""
    first, count = int(numbers[0]), len(numbers)
    if int(numbers[-1]) - first == count - 1:
        return f"SELECT range AS {place}, range + {first} AS {number} FROM range({count})"
    given[number] = numbers.tolist()
    return f"SELECT unnest(range({count})) AS {place}, unnest(${number}) AS {number}"


def kept_at(asked: AskedCondition, moments: Days, instants: Days) -> Matrix:
    """Which instants are kept at each moment of the clock; in microseconds of the epoch, a row of
    ``instants`` for each of ``moments``."""
    held = _HELD[asked.column_type].format(day="CAST(moment AS DATE)", moment="moment")
    tables = f"""
             times AS (SELECT unnest(range(len($moments))) AS i, unnest($moments) AS time),
             moments AS (SELECT i, CAST(make_timestamp(time) AS DATE) AS a,
                         CAST(make_timestamp(time) AS {_sort_of_clock(asked)}) AS n FROM times),
             rows_ AS (SELECT unnest(range(len($instants))) AS place, unnest($instants) AS time),
             pairs AS (SELECT clock.*, place % $wide AS o, make_timestamp(time) AS moment
                       FROM rows_ JOIN clock ON clock.i = place // $wide)"""
    given = {
        "moments": moments.tolist(),
        "instants": instants.ravel().tolist(),
        "wide": instants.shape[1],
    }
    return _run(asked, tables, held, given, instants.shape)


def _in_zone(asked: AskedCondition, local: str) -> str:
    return f"({local}) AT TIME ZONE '{asked.zone}'" if asked.zone else local


_ZONE: Final = re.compile(r"AT TIME ZONE \(*'([A-Za-z0-9_+/-]+)'")


def zone_in(tree: exp.Expression, column_type: str) -> str:
    """The one zone that instants are laid into by a condition of DuckDB; empty for none."""
    if not COLUMN_TYPES[column_type].is_instant:
        return ""
    zones = {*_ZONE.findall(written(tree))} - {"UTC", "Etc/UTC", "GMT"}
    return zones.pop() if len(zones) == 1 else ""


def _sort_of_clock(asked: AskedCondition) -> str:
    return "TIMESTAMPTZ" if COLUMN_TYPES[asked.column_type].is_instant else "TIMESTAMP"


def _run(
    asked: AskedCondition, tables: str, value: str, given: dict[str, Any], shape: tuple[int, ...]
) -> Matrix:
    """Which pairs of a moment and a value the condition keeps."""
    sql, of_clock = hoisted(asked.tree)
    named = "".join(f", {one} AS h_{place}" for place, one in enumerate(of_clock))
    before, pairs = tables.rsplit("pairs AS", 1)
    # Materialised, lest the engine works them out anew for each date.
    query = f"""
        WITH {before}
             clock AS MATERIALIZED (SELECT i, a, n{named} FROM moments),
             pairs AS{pairs},
             held AS (SELECT *, {value} AS d_ FROM pairs)
        SELECT i, o FROM held WHERE {sql}"""
    cursor = _engine().cursor()
    watch = threading.Timer(_HANGS, cursor.interrupt)
    watch.daemon = True
    watch.start()
    try:
        found = cursor.execute(query, given).fetchnumpy()
    except duckdb.InterruptException:
        raise Unclear("it takes too long to run") from None
    except (duckdb.Error, RuntimeError) as error:
        pass_on(error)
        raise Unclear(f"DuckDB cannot run it: {first_line(error)}") from None
    finally:
        watch.cancel()
        watch.join()
    kept = np.zeros(shape, dtype=bool)
    kept[np.asarray(found["i"], dtype=np.int64), np.asarray(found["o"], dtype=np.int64)] = True
    return kept
