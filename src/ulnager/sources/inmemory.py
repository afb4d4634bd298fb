"""Data frames as sources: looked into with the same questions as files."""

from __future__ import annotations

from typing import Any

import duckdb
import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.sources.embedded import EmbeddedSource, quoted_name


class FrameSource(EmbeddedSource):
    """A data frame, or a table of PyArrow, to look into; a lazy one is worked out first.

    Raises SourceError for what is no frame that Narwhals knows.
    """

    tables = ("data",)

    def __init__(self, frame: Any) -> None:
        super().__init__(f"the {type(frame).__module__.split('.')[0]} frame")
        self.connect()
        try:
            self._held = _as_table(frame)
            self._connection.register("held", self._held)
            self._connection.execute("CREATE VIEW data AS SELECT * FROM held")
            self.columns = self.described("FROM data")
        except (duckdb.Error, RuntimeError, TypeError, ValueError) as error:
            raise self.unreadable(error) from None
        self.lock()
        self.rows: sa.FromClause = sa.table(
            "data", *(sa.column(quoted_name(column.name)) for column in self.columns)
        )

    def cursor(self) -> Any:
        found = super().cursor()
        found.register("held", self._held)
        return found


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

    known: Any = nw.from_native(frame, pass_through=False)
    if isinstance(known, nw.LazyFrame):
        known = known.collect()
    try:
        return known.to_arrow()
    except ImportError:
        raise SourceError(
            "a data frame as a source needs PyArrow: pip install 'ulnager[frames]'"
        ) from None
