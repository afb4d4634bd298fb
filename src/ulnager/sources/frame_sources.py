"""Data frames as sources: those in memory, and PySpark's, of which only the answers travel."""

from __future__ import annotations

import functools
import os
import secrets
import weakref
from typing import Any, Final

import duckdb
import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.filters.frames import index_name
from ulnager.filters.sql_text import sql_text
from ulnager.sources.duckdb_source import EmbeddedSource
from ulnager.sources.duckdb_text import quoted_name
from ulnager.sources.guard import limits_now
from ulnager.sources.source import Column, Relation, told_asked


class FrameSource(EmbeddedSource):
    """A data frame, or a table of PyArrow, to look into; a lazy one is worked out first.

    Raises SourceError for what is no frame that Narwhals knows.
    """

    tables = ("data",)

    def __init__(self, frame: Any) -> None:
        self._library = type(frame).__module__.split(".")[0]
        super().__init__(f"the {self._library} frame")
        try:
            self._held = _as_table(frame)
            self._connection = _engine(os.getpid(), limits_now().memory)
            self.columns = self.described("FROM data")
        except (duckdb.Error, RuntimeError, TypeError, ValueError) as error:
            raise self.unreadable(error) from None
        self.rows: sa.FromClause = sa.table(
            "data", *(sa.column(quoted_name(column.name)) for column in self.columns)
        )

    def how_to_date(self, name: str) -> str:
        from ulnager.filters.frames import how_to_date

        return f"; turn them into dates first{how_to_date(self._library, name)}"

    def cursor(self) -> Any:
        is_new = not hasattr(self._own, "cursor")
        found = super().cursor()
        if is_new:  # What is registered and temporary is of this cursor alone.
            found.register("held", self._held)
            found.execute("CREATE TEMP VIEW data AS SELECT * FROM held")
        return found


@functools.lru_cache(maxsize=4)
def _engine(process: int, memory: int) -> duckdb.DuckDBPyConnection:
    """The engine for all frames of a process, which can open nothing: a new one takes longer than
    many a question."""
    made = EmbeddedSource("frames")
    made.connect()
    made.lock()
    return made._connection


def is_frame(data: object) -> bool:
    """Whether Narwhals knows what this is."""
    if data is None or isinstance(data, (str, bytes, int, float, list, tuple, dict, set)):
        return False
    import narwhals as nw

    try:
        nw.from_native(data, pass_through=False)  # type: ignore[call-overload]
    except TypeError:
        return False
    return True


def _as_table(frame: Any) -> Any:
    import narwhals as nw

    if index_name(frame) is not None and index_name(frame) not in frame.columns:
        frame = frame.reset_index()
    known: Any = nw.from_native(frame, pass_through=False)
    if isinstance(known, nw.LazyFrame):
        known = known.collect()
    try:
        return known.to_arrow()
    except ImportError:
        raise SourceError(
            'a data frame as a source needs PyArrow: pip install "ulnager[frames]"'
        ) from None


_COLUMN_TYPES: Final = {"date": "date", "timestamp_ntz": "timestamp", "timestamp": "timestamptz"}


def is_spark(data: object) -> bool:
    """Whether this is a DataFrame of PySpark, of a session here or of a remote one."""
    kind = type(data)
    return kind.__module__.startswith("pyspark.sql.") and kind.__name__ == "DataFrame"


class SparkSource(Relation):
    """A DataFrame or table of Spark, named for as long as the source is there.

    Nothing is written, and no rows are brought here: each question is one query of Spark's SQL.
    """

    dialect_name = "spark"

    def __init__(self, frame: Any) -> None:
        self.name = "the PySpark frame"
        self.session = frame.sparkSession
        view = f"ulnager_{secrets.token_hex(8)}"
        frame.createOrReplaceTempView(view)
        self._view = _View()  # Copies share it: the last one of them takes the view away.
        weakref.finalize(self._view, _forget, self.session, view)
        self.columns = tuple(
            Column(field.name, kind := field.dataType.simpleString(), _COLUMN_TYPES.get(kind))
            for field in frame.schema.fields
        )
        self.rows = sa.table(view, *(sa.column(quoted_name(one.name)) for one in self.columns))

    def run(self, statement: sa.Executable) -> list[tuple[Any, ...]]:
        assert isinstance(statement, sa.ClauseElement)
        return [tuple(row) for row in self._asked(sql_text(statement, "spark"), "collect")]

    def plan(self, statement: sa.Executable) -> str:
        """How Spark will work out a question."""
        assert isinstance(statement, sa.ClauseElement)
        found = self._asked(f"EXPLAIN {sql_text(statement, 'spark')}", "collect")
        return "\n".join(str(row[0]) for row in found)

    def _asked(self, sql: str, what: str) -> Any:
        from pyspark.errors import PySparkException

        told_asked(self.name, sql)

        try:
            return getattr(self.session.sql(sql), what)()
        except PySparkException as error:
            said = str(error).strip().splitlines()[0]
            raise SourceError(f"{self.name} cannot be read: {said[:300]}") from None


class _View:
    """What is there as long as a view is needed."""


def _forget(session: Any, view: str) -> None:
    # The session may have ended before.
    try:
        session.catalog.dropTempView(view)
    except Exception:
        return
