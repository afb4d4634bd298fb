"""SQLite files: opened for reading only, and dates in whatever form they are stored.

SQLite keeps dates as text, and compares them as text, so the form of what is stored is looked at
before a date is compared with it.
"""

from __future__ import annotations

import sqlite3
import time
from datetime import date, datetime, tzinfo
from pathlib import Path
from typing import Any, Final
from urllib.parse import quote

import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.core.messages import NO_FILE, Message
from ulnager.core.text import visible
from ulnager.sources.guard import limits_now, opened_at

_DAY: Final = "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"
_TIME: Final = "[0-9][0-9]:[0-9][0-9]"
_STEPS: Final = 2_000
"""How many steps of SQLite's machine go by between two looks at the clock."""
_PATTERN: Final = 1_000
"""How long a pattern of LIKE may be; the work grows with its length and that of the text."""

_READING: Final = frozenset(
    {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_RECURSIVE}
    | {sqlite3.SQLITE_TRANSACTION}
)
_PRAGMAS: Final = frozenset(
    f"{what}_{which}" for what in ("table", "index") for which in ("info", "xinfo", "list")
) | {"database_list", "foreign_key_list", "collation_list", "read_uncommitted"}


class Opener:
    """Opens connections to a file that can only read it, each with the same time limit."""

    def __init__(self, path: str, timeout: float | None) -> None:
        self.path = path
        self.timeout = timeout

    def __call__(self) -> sqlite3.Connection:
        address = f"file:{quote(str(Path(self.path).absolute()))}?mode=ro"
        # The pool hands a connection from thread to thread, to one at a time.
        connection = sqlite3.connect(
            address, uri=True, timeout=self.timeout or 60, check_same_thread=False
        )
        limit = limits_now()
        connection.execute("PRAGMA query_only = ON")
        # For the whole process, and never more than somebody asked for before.
        connection.execute(f"PRAGMA hard_heap_limit = {limit.memory}")
        connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, limit.text)
        connection.setlimit(sqlite3.SQLITE_LIMIT_LIKE_PATTERN_LENGTH, _PATTERN)
        connection.set_authorizer(_allowed)
        return connection

    def start_clock(self, connection: Any) -> None:
        """From now on the connection has its time."""
        if self.timeout is None:
            return
        stop = time.monotonic() + self.timeout
        connection.set_progress_handler(lambda: int(time.monotonic() > stop), _STEPS)


def _allowed(action: int, one: str | None, two: str | None, *_: Any) -> int:
    """Reading is allowed, and nothing else: no other file, no setting, no extension."""
    if action in _READING:
        return sqlite3.SQLITE_OK
    if action == sqlite3.SQLITE_FUNCTION:
        denied = two is not None and two.lower() in ("load_extension", "writefile", "readfile")
        return sqlite3.SQLITE_DENY if denied else sqlite3.SQLITE_OK
    if action == sqlite3.SQLITE_PRAGMA and (one or "").lower() in _PRAGMAS:
        # These tell something, and the one that could be set has no say over files.
        return sqlite3.SQLITE_OK
    return sqlite3.SQLITE_DENY


def check_file(path: str | None, name: str, within: Path | None = None) -> str:
    """The path of a database that is there, and leads nowhere outside of ``within``; SourceError
    otherwise, and none is made."""
    if not path or path == ":memory:":
        raise SourceError(
            f"{name}: a database in memory is empty here; name a file: sqlite:///x.db"
        )
    found = opened_at(path, within)
    try:
        is_there = Path(found).is_file()
    except (OSError, ValueError):
        is_there = False
    if not is_there:
        told = f"{name} cannot be read: there is no file {visible(path)}"
        raise SourceError(Message(told, code=NO_FILE))
    return found


class StoredText(sa.types.TypeDecorator[Any]):
    """Dates and timestamps that are stored as text, read back as dates and datetimes."""

    impl = sa.String
    cache_ok = True

    def process_result_value(self, value: Any, dialect: sa.Dialect) -> Any:
        if not isinstance(value, str):
            return value
        try:
            if len(value) == 10:
                return date.fromisoformat(value)
            moment = datetime.fromisoformat(value)
        except ValueError:
            return value
        return moment.replace(tzinfo=None)


def form_query(column: sa.ColumnElement[Any], rows: sa.FromClause) -> sa.Select[Any]:
    """Counts the forms in which a column holds its dates: a row each, with a sample."""
    is_text = sa.func.typeof(column) == "text"
    zoned = sa.or_(column.op("GLOB")("*Z"), column.op("GLOB")(f"*[+-]{_TIME}"))
    form = sa.case(
        (sa.or_(column.is_(None), column == ""), "none"),
        (sa.not_(is_text), sa.func.typeof(column)),
        (column.op("GLOB")(_DAY), "date"),
        (sa.and_(column.op("GLOB")(f"{_DAY}[ T]{_TIME}*"), zoned), "instant"),
        (column.op("GLOB")(f"{_DAY} {_TIME}*"), "space"),
        (column.op("GLOB")(f"{_DAY}T{_TIME}*"), "T"),
        else_="other",
    ).label("form")
    empty = sa.func.sum(sa.case((column == "", 1), else_=0))
    return (
        sa.select(form, sa.func.count(), empty, sa.func.min(column))
        .select_from(rows)
        .group_by(form)
    )


def column_of_forms(
    name: str, column: sa.ColumnElement[Any], forms: list[tuple[Any, ...]]
) -> tuple[str, sa.ColumnElement[Any]]:
    """What a column holds by the forms that were found, and how to compare with it.

    Raises SourceError for a column that holds other things than dates.
    """
    found = {form: (count, sample) for form, count, _, sample in forms if form != "none"}
    for form, (count, sample) in found.items():
        if form not in ("date", "space", "T", "instant"):
            shown = visible(str(sample))[:40]
            raise SourceError(
                f"column {name!r} holds {shown!r} in {count:,} row{'s' * (count > 1)}, which is no "
                "date; SQLite compares dates as text, and only 2026-05-17 and its like with a time "
                "can be compared; make a view with dates"
            )
    if "instant" in found and len(found) > 1:
        raise SourceError(
            f"column {name!r} holds times with a zone, such as {found['instant'][1]!r}, and others "
            "without one; make a view in which they are alike"
        )
    compared = column
    if "T" in found:
        compared = sa.func.replace(compared, "T", " ")
    if any(empty for _, _, empty, _ in forms):
        compared = sa.func.nullif(compared, "")
    if "instant" in found:
        utc = sa.func.strftime("%Y-%m-%d %H:%M:%f", column)
        return "timestamptz", sa.type_coerce(utc, StoredText())
    is_day = set(found) <= {"date"}
    return ("date" if is_day else "timestamp"), sa.type_coerce(compared, StoredText())


def check_utc(name: str, tz: str | tzinfo | None) -> None:
    """SourceError for the days of instants in another zone than UTC, which SQLite does not know."""
    if str(tz) not in ("UTC", "Etc/UTC"):
        raise SourceError(
            f"column {name!r} holds instants, and SQLite knows no time zones but UTC; give UTC as "
            "tz or --tz, or copy the rows into a Parquet file, where every zone is known"
        )
