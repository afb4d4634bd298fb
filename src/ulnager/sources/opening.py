"""From what people have in hand, a path or a URL, to a source."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, Protocol, runtime_checkable

from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.language.phrase import Settings
from ulnager.core.messages import NO_SUCH, error_message
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.clock import time_of_day
from ulnager.core.periods.resolution import ResolutionBase
from ulnager.sources.file_names import READERS
from ulnager.sources.source import Relation, Source, named_table

if TYPE_CHECKING:
    from sqlalchemy import Connection, Engine

IN_FILES: Final = ("sqlite", "duckdb")
"""The engines whose databases are files."""
DATABASE_SECONDS: Final = 30.0
"""How long a statement may take in a database, unless told otherwise."""

_WITHIN: ContextVar[float | None] = ContextVar("within", default=None)


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """While what is opened may take so long for a question, unless it is told otherwise."""
    token = _WITHIN.set(seconds)
    try:
        yield
    finally:
        _WITHIN.reset(token)


def seconds_for(timeout: float | None) -> float | None:
    """How long a question may take: as was said, or as long as everything may."""
    return _WITHIN.get() if timeout is None else timeout


@checked(source=Wanted((object,), "a path, several, the URL of a database, or an engine"))
def open_source(
    source: str | Path | Sequence[str | Path] | Engine | Connection,
    table: str | None = None,
    *,
    query: str | None = None,
    timeout: float | None = None,
    password: str | None = None,
    delimiter: str | None = None,
    header: bool | None = None,
    encoding: str | None = None,
    decimal: str | None = None,
    date_format: str | None = None,
    column_types: Mapping[str, str] | None = None,
    grain: str | None = None,
    stamps: str | None = None,
    open_ended: Sequence[date | str] = (),
) -> Source:
    """CSV or Parquet files, or a table or a query of a database, opened for reading.

    ``source`` is a path, a pattern, a folder or a list of these, which are read as one table; or
    the URL of a database, with its ``table``: a name, or a ``SELECT`` that stands for one. Of a
    file, ``table`` may be a ``SELECT`` over the file by its stem: ``sales`` for ``sales.csv``.
    ``query`` says outright that it is one. Or it is an engine or a connection of SQLAlchemy that is
    yours, or a session of DataFusion or chdb, which is asked where it is, in your thread: SELECTs
    only, and nothing is left open.
    ``password`` is for a URL that holds none. ``timeout`` is in seconds, for each question: 30 for
    databases unless told otherwise, none for files. ``delimiter``, ``header`` and ``encoding`` say
    of a CSV file what it cannot show; ``decimal`` is the sign before its decimals (``,`` reads
    ``1.234,50``); ``date_format`` says how its dates are written (as
    ``strptime`` has it, ``%d/%m/%Y``) where they can be read in more than one order. ISO dates need
    nothing. ``column_types`` names columns that are keys: ``yyyymmdd``, ``yyyymm``, ``yyyyww`` or
    ``iso-week`` (``2026-W14``). ``grain`` is the unit that a row stands for, where that is more
    than a day and cannot be found by itself, and ``stamps`` says whether its ``first`` or its
    ``last`` day is written. ``open_ended`` are dates that stand for none, such as ``9999-12-31``;
    without it those are recognised that are the first or last day of a year, 25 years from all
    others.

    >>> from ulnager.demo import table
    >>> open_source(table("sailings")).extent("sailed_on").last
    datetime.date(2026, 5, 17)

    Raises SourceError for what is missing, empty, of another sort, or cannot be reached.
    """
    if query is not None and table is not None:
        raise SettingError("give a table or a query, not both")
    return opened_source(
        source,
        _as_query(query) if table is None else table,
        timeout=timeout,
        password=password,
        delimiter=delimiter,
        header=header,
        encoding=encoding,
        decimal=decimal,
        date_format=date_format,
        column_types=column_types,
        grain=grain,
        stamps=stamps,
        open_ended=open_ended,
    )


def _as_query(query: str | None) -> str | None:
    from ulnager.sources.queries import looks_like_query

    if query is not None and not looks_like_query(query):
        raise SettingError(f"{shown(query)} is no query; give a SELECT, or the name of a table")
    return query


def opened_source(
    source: str | Path | Sequence[str | Path] | Engine | Connection,
    table: str | None = None,
    *,
    within: Path | None = None,
    timeout: float | None = None,
    password: str | None = None,
    delimiter: str | None = None,
    header: bool | None = None,
    encoding: str | None = None,
    decimal: str | None = None,
    date_format: str | None = None,
    column_types: Mapping[str, str] | None = None,
    grain: str | None = None,
    stamps: str | None = None,
    open_ended: Sequence[date | str] = (),
) -> Relation:
    """As :func:`open_source`; nothing outside of the folder ``within`` is opened, and no server is
    reached, where one is given."""
    if isinstance(source, (list, tuple)) and not source:
        raise SettingError("source is an empty list; give a path, several, or a URL")
    if timeout is not None and not (isinstance(timeout, (int, float)) and 0 < timeout < 10**6):
        raise SettingError(f"timeout is {timeout!r}; give seconds, such as 30")
    form = {
        "delimiter": delimiter,
        "header": header,
        "encoding": encoding,
        "decimal": decimal,
        "date_format": date_format,
    }
    if not isinstance(source, (str, Path, list, tuple)):
        return _of_bind(source, table, timeout, password, form).read_as(
            column_types or {}, grain, stamps, open_ended
        )
    timeout = seconds_for(timeout)
    if isinstance(source, (str, Path)) and (engine := database_file(source)) is not None:
        source = f"{engine}:///{source}"
    if isinstance(source, str) and "://" in source:
        for name, given in form.items():
            if given is not None:
                raise SettingError(f"{name} is for CSV files, and this is a database")
        found = _database(source, table, timeout or DATABASE_SECONDS, password, within)
        return found.read_as(column_types or {}, grain, stamps, open_ended)
    from ulnager.sources.file_source import FileSource
    from ulnager.sources.queries import looks_like_query

    if table is not None and not looks_like_query(table):
        raise SourceError(
            f"a file is one table already, and {table[:40]!r} is no query; leave the table out, or "
            "give a SELECT over the file by its name without the ending"
        )
    return FileSource(
        source,
        timeout=timeout,
        delimiter=delimiter,
        header=header,
        encoding=encoding,
        decimal=decimal,
        query=table,
        date_format=date_format,
        within=within,
    ).read_as(column_types or {}, grain, stamps, open_ended)


def _of_bind(
    source: Any,
    table: str | None,
    timeout: float | None,
    password: str | None,
    form: Mapping[str, object],
) -> Relation:
    """A table or a query of an engine or a connection that is the caller's own."""
    from ulnager.sources.columnar_sources import ColumnarSource, columnar_kind
    from ulnager.sources.own_connection import ConnectedTable, is_bind

    is_columnar = bool(columnar_kind(source))
    if not is_columnar and not is_bind(source):
        if type(source).__name__ in ("AsyncEngine", "AsyncConnection"):
            raise SettingError(
                "an asynchronous engine cannot be waited for here; give its sync_engine"
            )
        raise SettingError(
            f"{shown(source)} is no source; give a path, several, the URL of a database, or an "
            "engine or a connection of SQLAlchemy, or a session of DataFusion or chdb"
        )
    for name, given in {"timeout": timeout, "password": password, **form}.items():
        if given is not None:
            raise SettingError(f"{name} is not for a connection of your own; leave it out")
    if not table:
        raise SettingError("of which table? Give its name, or a query: table='sales'")
    return ColumnarSource(source, table) if is_columnar else ConnectedTable(source, table)


_MAGIC: Final = {"sqlite": (0, b"SQLite format 3\0"), "duckdb": (8, b"DUCK")}


def database_file(source: str | Path) -> str | None:
    """The engine of a file that is a database, by what it begins with; None for other files."""
    if "://" in str(source) or str(source).startswith("-"):
        return None
    try:
        path = Path(source)
        if not path.is_file() or path.suffix.lower() in READERS:
            return None
        with path.open("rb") as file:
            begun = file.read(16)
    except (OSError, ValueError):
        return None
    return next((one for one, (at, sign) in _MAGIC.items() if begun[at:].startswith(sign)), None)


def _tables(url: str, password: str | None, within: Path | None) -> str:
    """The names of the tables of a database, to be put behind a message; nothing where they cannot
    be told."""
    try:
        _database(url, "ulnager_no_table", DATABASE_SECONDS, password, within)
    except SourceError as error:
        said = error_message(error, NO_SUCH)
        return "" if said is None else f"; there are: {said.arguments[1].arguments[3]}"
    return ""


@runtime_checkable
class OfBook(Protocol):
    """A source of a book, which is opened when it is asked."""

    def opened(self, timeout: float | None = None) -> Relation:
        """It as it is now, with what the book says of it."""


def source_with(
    source: object, when: Settings, over: object, *, is_fixed: bool
) -> tuple[Relation, Settings]:
    """A source, and the settings with the zone and the calendar that its book says, where nothing
    else was said; dates that are ``is_fixed`` have their calendar. Its days start with those of
    what it is asked ``over``, if that is resolved, or as the settings say."""
    found = as_source(source)
    starts = when.get("day_starts")
    resolved = over if isinstance(over, (ResolutionBase, Bucket)) else None
    if resolved is not None:
        starts = time_of_day(resolved.day_starts)
    if starts is not None:
        # A copy, since who gave the source may ask it other things.
        found = copy.copy(found).starting(starts)
    own: Settings = {}
    if found.own_tz is not None:
        own["tz"] = found.own_tz
    if found.own_calendar is not None and not is_fixed:
        own["calendar"] = found.own_calendar
    if found.day_starts and resolved is None:
        own["day_starts"] = time_of_day(found.day_starts)
    said: Any = {name: given for name, given in when.items() if given is not None}
    return found, {**own, **said}


def as_source(source: object) -> Relation:
    """A source itself; or a path, a list of them, a URL with its table, or a data frame, opened.

    A DataFrame of PySpark stays in Spark.

    Raises SettingError for anything else.
    """
    if isinstance(source, Relation):
        return source
    if isinstance(source, OfBook):
        return source.opened()
    if isinstance(source, (str, Path)):
        return opened_source(source)
    if isinstance(source, (list, tuple)) and all(isinstance(one, (str, Path)) for one in source):
        if len(source) == 2 and "://" in str(source[0]):
            return opened_source(str(source[0]), str(source[1]))
        return opened_source(source)
    if isinstance(source, tuple) and len(source) == 2 and hasattr(source[0], "dialect"):
        return opened_source(*source)
    from ulnager.sources.frame_sources import FrameSource, SparkSource, is_frame, is_spark

    if is_spark(source):
        return SparkSource(source)
    if is_frame(source):
        return FrameSource(source)
    raise SettingError(
        f"{type(source).__name__} is no source; give a path, a data frame, the URL of a database "
        "with its table as a pair, or what ulnager.open_source opened"
    )


def _database(
    url: str, table: str | None, timeout: float, password: str | None, within: Path | None
) -> Relation:
    from ulnager.sources.trusted import check_server
    from ulnager.sources.urls import read_address

    address = read_address(url, password)
    if within is not None and address.driver.engine not in IN_FILES:
        check_server(address)
    if not table:
        there = _tables(url, password, within)
        raise SourceError(
            f"a database needs a table: its name, or a SELECT that stands for one{there}"
        )
    if "\0" in table or len(table) > 100_000:
        raise SourceError(f"{table[:40]!r} can be no table's name")
    if address.driver.engine == "duckdb":
        from ulnager.sources.duckdb_source import EmbeddedTable
        from ulnager.sources.sqlite_files import check_file

        path = check_file(address.url.database, address.name, within)
        return EmbeddedTable(path, named_table(address.name, table), table, timeout)
    from ulnager.sources.database_source import TableSource

    return TableSource(address, table, timeout, within)
