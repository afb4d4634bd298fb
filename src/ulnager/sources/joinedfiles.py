"""A query over several sources that are files, each a view of its name."""

from __future__ import annotations

from collections.abc import Mapping

import duckdb
import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.filters.sql import sql_text
from ulnager.sources.embedded import EmbeddedSource, quoted
from ulnager.sources.files import FileSource


class JoinedFiles(EmbeddedSource):
    """The rows of a query that speaks of sources by name; each has the rows that it stands for.

    Raises SourceError for a query that does more than read, or speaks of anything else.
    """

    def __init__(
        self, name: str, query: str, parts: Mapping[str, FileSource], timeout: float | None
    ) -> None:
        super().__init__(name, timeout)
        self.connect()
        files: set[str] = set()
        for part, source in parts.items():
            rows = sql_text(sa.select(*source.rows.columns).select_from(source.rows), "duckdb")
            try:
                self._connection.execute(
                    f"CREATE VIEW {quoted(part)} AS WITH data AS ({source.view_sql}) {rows}"
                )
            except (duckdb.Error, RuntimeError) as error:
                raise self.unreadable(error) from None
            files |= source.opens
        self.lock(files)
        self.tables = tuple(parts)
        self.rows, self.rows_sql = self.queried(query, parts)
        self.columns = self.described(self.rows_sql)


def check_parts(name: str, parts: Mapping[str, object]) -> dict[str, FileSource]:
    """The sources of a query, which have to be files; SourceError otherwise."""
    for part, source in parts.items():
        if not isinstance(source, FileSource):
            raise SourceError(
                f"the query of {name} joins files, and {part} is no file; join it in its database"
            )
    return {part: source for part, source in parts.items() if isinstance(source, FileSource)}
