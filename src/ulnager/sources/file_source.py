"""CSV and Parquet files, one or several, read through DuckDB as one table.

A source is opened read-only, under the name ``data`` inside; nothing that runs here can
change it, or open another file.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, Final

import duckdb
import sqlalchemy as sa

from ulnager.core.errors import SourceError, UlnagerError
from ulnager.filters.sql_text import sql_text
from ulnager.sources.csv_form import (
    ENCODINGS,
    CsvForm,
    CsvSettings,
    check_records,
    form_of,
    transcoded,
)
from ulnager.sources.date_text import check_format, written_dates
from ulnager.sources.duckdb_source import EmbeddedSource, pass_on
from ulnager.sources.duckdb_text import quoted, quoted_name, text
from ulnager.sources.file_names import Files, named_files
from ulnager.sources.guard import check_unpacked, limits_now
from ulnager.sources.source import Column

_WIDE: Final = 1_000
_FEW_NAMES: Final = 20
_SMALL: Final = 32_000_000
"""So many bytes of text are kept in memory."""
_HELD: Final = '"the rows, kept"'
_STRICT: Final = "quote = '\"', escape = '\"', strict_mode = true, null_padding = false"


class FileSource(EmbeddedSource):
    """A CSV or Parquet file, or several as one table, to look into.

    ``path`` is a name, a pattern (``sales/*.parquet``), a folder, or a list of these; a name that
    exists is that file. ``columns`` holds its columns in order, ``files`` the files. ``delimiter``,
    ``header``, ``encoding`` and ``decimal`` say what a CSV file cannot show. A ``query`` over the
    file by its stem, or by the name ``data``, stands for its rows.

    Raises SourceError when it cannot be read, with the line of what does not fit.
    """

    tables = ("data",)

    def __init__(
        self,
        path: str | Path | Sequence[str | Path],
        *,
        delimiter: str | None = None,
        header: bool | None = None,
        encoding: str | None = None,
        decimal: str | None = None,
        timeout: float | None = None,
        query: str | None = None,
        date_format: str | None = None,
        within: Path | None = None,
    ) -> None:
        check_format(date_format)
        found = named_files([path] if isinstance(path, (str, Path)) else list(path), within)
        super().__init__(found.name, timeout)
        self.files = found.paths
        self._opened = found.opened
        settings = CsvSettings(delimiter, header, encoding, decimal)
        if settings.encoding not in (None, *ENCODINGS) and found.sort == "csv":
            # What the engine cannot read is read by Python.
            kept = str(settings.encoding)
            pairs = zip(found.paths, found.opened, strict=True)
            found = found._replace(opened=tuple(transcoded(path, at, kept) for path, at in pairs))
            settings = replace(settings, encoding="utf-8")
        self._decimal, self.is_text = decimal, found.sort == "csv"
        self._opened = found.opened
        self._forms: list[CsvForm] = []
        try:
            reads = self._reads(found, settings)
            self._connection.execute(f"CREATE VIEW data AS {self.view_sql}")
            self.columns: tuple[Column, ...] = self.described("FROM data")
            self._tell_dates(reads, date_format)
            self._laid_out(found, query)
        except UlnagerError:
            raise
        except (duckdb.Error, RuntimeError, TypeError, ValueError) as error:
            raise self.unreadable(error) from None

    def _reads(self, found: Files, settings: CsvSettings) -> str:
        """What reads the files, in the engine's words."""
        self.connect()
        # Names are patterns to the engine; in brackets a sign stands for itself.
        escaped = [_escaped(path) for path in found.opened]
        listed = f"[{', '.join(map(text, escaped))}]"
        parts = ", hive_partitioning = true" if found.parts else ""
        if found.sort == "csv":
            for at in found.opened:
                if at.lower().endswith(".gz"):
                    check_unpacked(at)
            self._forms = [
                form_of(path, settings, at)
                for path, at in zip(found.paths, found.opened, strict=True)
            ]
            self._check_same()
            reads = f"read_csv({listed}, {self._csv_options(escaped)}{parts})"
        else:
            if settings != CsvSettings():
                raise SourceError(
                    f"{self.name}: delimiter, header, encoding and decimal are for CSV files, and "
                    "this is Parquet"
                )
            self._check_schemas(listed)
            self._check_unpacked(listed)
            reads = f"read_parquet({listed}{parts})"
        self.view_sql = f"SELECT * FROM {reads}"
        self.opens = {*found.opened, *escaped}
        return reads

    def _laid_out(self, found: Files, query: str | None) -> None:
        """Columns and rows; the file may go away meanwhile."""
        names = {"data", *(Path(path).stem for path in found.paths)}
        if query is not None or len(names) <= _FEW_NAMES:
            # A query speaks of a file by its stem, and so does what answers for latest.
            for name in names - {"data"}:
                self._connection.execute(f"CREATE VIEW {quoted(name)} AS SELECT * FROM data")
        self.lock(self.opens)
        self.rows: sa.FromClause = sa.table(
            "data", *(sa.column(quoted_name(c.name)) for c in self.columns)
        )
        if query is not None:
            self.rows, self.rows_sql = self.queried(query, names)
            self.columns = self.described(self.rows_sql)

    def hold(self) -> None:
        """Keep the rows of a small text file in memory, as they are now: they would be read from
        text for each question. Where one cannot be read, who asks for it is told."""
        if not self.is_text or any(path.lower().endswith(".gz") for path in self._opened):
            return
        with suppress(duckdb.Error, RuntimeError, OSError):
            if sum(Path(path).stat().st_size for path in self._opened) <= _SMALL:
                self._connection.execute(f"CREATE TABLE {_HELD} AS SELECT * FROM data")
                self._connection.execute(f"CREATE OR REPLACE VIEW data AS SELECT * FROM {_HELD}")

    def _tell_dates(self, reads: str, date_format: str | None) -> None:
        """Columns of text whose values prove how their dates are written become dates."""

        def ask(sql: str) -> list[Any]:
            return self._connection.execute(sql).fetchall()

        columns = self.columns
        texts = [column.name for column in columns if column.engine_type == "VARCHAR"]
        told = written_dates(ask, texts, date_format)
        of_days = [one for one in told if not one.is_month]
        if date_format is None and (of_days or any(one.column_type for one in columns)):
            told = of_days  # The months beside the days are what those are grouped by.
        self.unsure = {one.column: one.question for one in told if len(one.formats) > 1}
        sure = [one for one in told if len(one.formats) == 1]
        self.monthly = frozenset(one.column for one in sure if one.is_month)
        self.date_formats = {one.column: one.formats[0] for one in sure}
        if date_format is not None and not sure:
            raise SourceError(
                f"{self.name}: no column of text holds dates written as {date_format!r} throughout"
            )
        if sure:
            dates = ", ".join(
                f"CAST(try_strptime(trim({quoted(one.column)}), {text(one.formats[0])}) AS "
                f"{one.held}) AS {quoted(one.column)}"
                for one in sure
            )
            self.view_sql = f"SELECT * REPLACE ({dates}) FROM {reads}"
            ask(f"CREATE OR REPLACE VIEW data AS {self.view_sql}")
            self.columns = self.described("FROM data")

    def _check_same(self) -> None:
        """SourceError for files whose headers are not the same."""
        first = self._forms[0]
        for path, form in zip(self.files, self._forms, strict=True):
            if form != first:
                what = next(one for one, told in _TOLD.items() if told(form) != told(first))
                raise SourceError(
                    f"{path} has the {what} {_TOLD[what](form)}, and {self.files[0]} has "
                    f"{_TOLD[what](first)}; files that are read as one have to agree"
                )

    def _check_schemas(self, listed: str) -> None:
        if len(self.files) < 2:
            return
        try:
            found = self._connection.execute(
                "SELECT file_name, list((name, type, converted_type)) FROM "
                f"parquet_schema({listed}) WHERE type IS NOT NULL GROUP BY 1 ORDER BY 1"
            ).fetchall()
        except (duckdb.Error, RuntimeError) as error:
            raise self.unreadable(error) from None
        named = dict(zip(self._opened, self.files, strict=True))
        for path, columns in found:
            if columns != found[0][1]:
                these, those = (", ".join(c[0] for c in one) for one in (columns, found[0][1]))
                raise SourceError(
                    f"{named.get(path, path)} has the columns {these}, and "
                    f"{self.files[0]} has {those}, or of other types; "
                    "files that are read as one have to agree"
                )

    def _csv_options(self, escaped: list[str]) -> str:
        form = self._forms[0]
        said = (
            f"delim = {text(form.delimiter)}, header = {str(form.header).lower()}, "
            f"skip = {form.skipped}, "
            f"encoding = {text(form.encoding)}, {_STRICT}"
        )
        if self._decimal is not None:
            thousands = "." if self._decimal == "," else ","
            said += f", decimal_separator = {text(self._decimal)}, thousands = {text(thousands)}"
        types, formats, same_names = self._types(escaped, said)
        if self._decimal is None and same_names and len(form.names) > _WIDE:
            # The engine finds by itself what was found just now, and would take seconds to read a
            # list of so many columns.
            return said
        if self._decimal is not None:
            types = self._decimal_types(escaped, said, types)
        columns = ", ".join(
            f"{text(name)}: {text(kind)}" for name, kind in zip(form.names, types, strict=True)
        )
        return f"auto_detect = false, {said}, columns = {{{columns}}}{formats}"

    def _types(self, escaped: list[str], said: str) -> tuple[list[str], str, bool]:
        """The types of the columns by their first values, how dates are written, and whether the
        engine gives the columns the names they have here."""
        width = len(self._forms[0].names)
        kinds: list[list[str]] = []
        formats, same_names = "", True
        for place, name in enumerate(escaped[:20]):
            try:
                ((columns, days, times),) = self._connection.execute(
                    "SELECT Columns, DateFormat, TimestampFormat FROM "
                    f"sniff_csv({text(name)}, {said})"
                ).fetchall()
            except (duckdb.Error, RuntimeError, TypeError, ValueError) as error:
                check_records(self.files[place], self._forms[place], self._opened[place])
                if self._forms[place].skipped and "Sniffer" in str(error):
                    told = f"{self.files[place]} cannot be read: take away what stands before the "
                    raise SourceError(f"{told}header") from None
                if "SAMPLE" in str(error).upper() or "sniff" in str(error):
                    columns, days, times = [{"type": "VARCHAR"}] * width, None, None
                else:
                    raise self.unreadable(error) from None
            if len(columns) != width:
                check_records(self.files[place], self._forms[place], self._opened[place])
                columns = [{"type": "VARCHAR"}] * width
            # Other orders than ISO's are told apart by all values, and not by the first ones.
            guessed = {
                kind
                for kind, form in (("DATE", days), ("TIMESTAMP", times))
                if form and not form.startswith("%Y-%m-%d")
            }
            days, times = (
                None if kind in guessed else form
                for kind, form in (("DATE", days), ("TIMESTAMP", times))
            )
            kinds.append(
                ["VARCHAR" if column["type"] in guessed else column["type"] for column in columns]
            )
            same_names &= [column.get("name") for column in columns] == [*self._forms[0].names]
            formats = "".join(
                f", {option} = {text(found)}"
                for option, found in (("dateformat", days), ("timestampformat", times))
                if found
            )
        one = [_common({kind[n] for kind in kinds}) for n in range(width)]
        same = same_names and len(set(map(tuple, kinds))) == 1
        return one, formats, same

    def _decimal_types(self, escaped: list[str], said: str, types: list[str]) -> list[str]:
        """The types, with numbers where all values are written as such with that decimal sign; the
        engine tells it by the first ones, and gives some up that it can read."""
        point, comma = ("[.]", ",") if self._decimal == "," else (",", "[.]")
        number = rf"\s*[+-]?(\d{{1,3}}({point}\d{{3}})+|\d+)?({comma}\d*)?([eE][+-]?\d+)?\s*"
        names = [f"c{place}" for place in range(len(types))]
        asked = [
            name
            for name, kind in zip(names, types, strict=True)
            if kind in ("VARCHAR", "DOUBLE", "BIGINT")
        ]
        if not asked:
            return types
        listed = ", ".join(f"{text(name)}: 'VARCHAR'" for name in names)
        tests = ", ".join(
            f"coalesce(bool_and(regexp_full_match({name}, {text(number)})), false), "
            f"coalesce(bool_or({name} LIKE '%{self._decimal}%'), false)"
            for name in asked
        )
        found = self._connection.execute(
            f"SELECT {tests} FROM read_csv([{', '.join(map(text, escaped))}], auto_detect = false, "
            f"{said}, columns = {{{listed}}})"
        ).fetchone()
        assert found is not None
        all_are = dict(zip(asked, found[::2], strict=True))
        has_sign = dict(zip(asked, found[1::2], strict=True))
        return [
            kind
            if name not in all_are
            else "VARCHAR"
            if not all_are[name]
            else "DOUBLE"
            if has_sign[name]
            else kind
            for name, kind in zip(names, types, strict=True)
        ]

    def unreadable(self, error: Exception) -> SourceError:
        """What does not fit, with its line, where that can be found."""
        pass_on(error)
        for path, at, form in zip(self.files, self._opened, self._forms, strict=False):
            try:
                check_records(path, form, at)
            except SourceError as found:
                return found
        said = [line for line in str(error).split("\n") if line.strip()] or [type(error).__name__]
        value = next((line for line in said if line.startswith(("Error when", "Could not"))), None)
        if self._forms and value is not None and len(said) > 1:
            line = said[0].rpartition("Line: ")[2]
            return SourceError(
                f"{self.name} cannot be read: line {line}: {value}; the column holds other things "
                "than its first lines do"
            )
        told = str(super().unreadable(error))
        for path, at in zip(self.files, self._opened, strict=True):
            told = told.replace(at, path)
        return SourceError(told)

    def _check_unpacked(self, listed: str) -> None:
        """SourceError for Parquet files whose pages unpack to far more than their size."""
        limit = limits_now()
        size = sum(Path(at).stat().st_size for at in self._opened)
        most = max(limit.unpacked, limit.ratio * size)
        try:
            ((unpacked,),) = self._connection.execute(
                f"SELECT coalesce(sum(total_uncompressed_size), 0) FROM parquet_metadata({listed})"
            ).fetchall()
        except (duckdb.Error, RuntimeError) as error:
            raise self.unreadable(error) from None
        if unpacked > most:
            raise SourceError(
                f"{self.name} unpacks to more than {most:,} bytes, {limit.ratio} times its size or "
                "more; raise the limit unpacked if you trust it (docs/security.md)"
            )


def _common(kinds: set[str]) -> str:
    """One type for the values of several files."""
    if len(kinds) == 1:
        return kinds.pop()
    numbers = {"BIGINT", "DOUBLE"}
    if kinds <= numbers:
        return "DOUBLE"
    return "TIMESTAMP" if kinds == {"DATE", "TIMESTAMP"} else "VARCHAR"


_TOLD: Final[dict[str, Callable[[CsvForm], str]]] = {
    "columns": lambda form: ", ".join(form.names[:8]),
    "delimiter": lambda form: repr(form.delimiter),
    "encoding": lambda form: form.encoding,
    "lines before the header": lambda form: str(form.skipped),
    "header": lambda form: str(form.header),
}
"""What the forms of files may differ in, and how it is told."""


def _escaped(path: str) -> str:
    return "".join(f"[{sign}]" if sign in "*?[" else sign for sign in path)


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
