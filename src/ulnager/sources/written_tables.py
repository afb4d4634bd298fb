"""Tables that Ulnager writes, to files and databases: date tables, membership and bounds tables,
and the rows that a period keeps. Whole or not at all, also where an older one is replaced."""

from __future__ import annotations

import csv
import hashlib
import re
import secrets
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any, Final, NamedTuple

from ulnager.core.errors import SettingError, SourceError
from ulnager.core.text import visible
from ulnager.sources.duckdb_text import first_line, quoted, text
from ulnager.sources.urls import Address, read_address
from ulnager.sources.writing import as_text, whole_file

Columns = Mapping[str, Any]
"""The columns of a table by name, each an array or a list of the same length."""

_BATCH: Final = 5_000


def write_table(
    columns: Columns,
    target: str,
    *,
    name: str = "date_table",
    password: str | None = None,
    replace: bool = False,
    for_spreadsheets: bool = False,
) -> int:
    """Write columns to a CSV or Parquet file, or to a table of a database; the rows written.

    ``target`` is a path ending in .csv or .parquet, or an SQLAlchemy URL, in which case the
    table ``name`` is made, in a schema where there is one before a dot. What is there already is
    kept, and an error, unless it is to ``replace``: then readers see the old one or the new one,
    whole. ``password`` is for a URL that holds none. ``for_spreadsheets`` puts an apostrophe before
    texts of a CSV file that a spreadsheet would run as formulas. Raises SourceError.
    """
    check_spreadsheets(target, for_spreadsheets)
    held = {key: getattr(values, "tolist", lambda v=values: v)() for key, values in columns.items()}
    rows = len(next(iter(held.values())))
    if "://" in target:
        write_rows(
            tuple(held),
            zip(*held.values(), strict=True),
            target,
            name=name,
            password=password,
            replace=replace,
        )
        return rows
    with new_file(target, replace) as part:
        if part.suffix.lower() == ".csv":
            rows_of = zip(*held.values(), strict=True)
            _to_csv(part, tuple(held), rows_of, for_spreadsheets=for_spreadsheets)
        else:
            _to_parquet(part, columns)
    return rows


def new_file(target: str, replace: bool) -> Any:
    """A place for a new file; SourceError for another sort, or one that is there already."""
    path = Path(target)
    if path.suffix.lower() not in (".csv", ".parquet"):
        raise SourceError(f"{target}: give a file ending in .csv or .parquet, or a database URL")
    if not replace and path.is_file():
        raise SourceError(
            f"{target} is there already; say --replace (replace=True) to make it anew, or choose "
            "another name"
        )
    return whole_file(path)


def check_spreadsheets(target: str, for_spreadsheets: bool) -> None:
    """SettingError where texts are to be escaped for spreadsheets in what is no CSV file."""
    if for_spreadsheets and not target.lower().endswith(".csv"):
        raise SettingError(f"for_spreadsheets is about .csv files, and {target} is none")


def _to_csv(
    path: Path, names: Sequence[str], rows: Iterable[Sequence[Any]], *, for_spreadsheets: bool
) -> None:
    plain = _escaped if for_spreadsheets else _plain
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow([plain(name) for name in names])
        writer.writerows([["" if v is None else plain(v) for v in row] for row in rows])


def _escaped(value: Any) -> Any:
    told = _plain(value)
    return as_text(told) if isinstance(told, str) else told


def _plain(value: Any) -> Any:
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, datetime):
        return value.isoformat(sep=" ")
    return value


def _to_parquet(path: Path, columns: Columns) -> None:
    import duckdb
    import numpy as np

    from ulnager.sources.duckdb_source import started

    connection = started()
    arrays = {
        name: np.array([None if one is None else str(one) for one in values], dtype=object)
        if isinstance(values, list)
        else values
        for name, values in columns.items()
    }
    # The engine takes microseconds where NumPy has days; the dates are cast back, texts to their
    # sort.
    held = {
        name: values.astype("datetime64[us]" if values.dtype.kind == "M" else object)
        if values.dtype.kind in "MU"
        else values
        for name, values in arrays.items()
    }
    connection.register("held", held)
    shown = ", ".join(f"{quoted(name)}{_cast(columns[name])} AS {quoted(name)}" for name in arrays)
    try:
        connection.execute(f"COPY (SELECT {shown} FROM held) TO {text(str(path))} (FORMAT parquet)")
    except duckdb.Error as error:
        raise SourceError(f"{path} cannot be written: {first_line(error)}") from None


def _cast(values: Any) -> str:
    if isinstance(values, list):
        return f"::{sort_of(values).engine_type}"
    return "::DATE" if values.dtype.kind == "M" else ""


class Sort(NamedTuple):
    """What the values of a column are, as a table holds them."""

    kind: type
    """``bool``, ``int``, ``float``, ``Decimal``, ``datetime``, ``date`` or ``str``."""
    has_zone: bool = False
    decimals: int = 0
    longest: int = 0
    """Of texts, the signs of the longest; 0 where there is no value."""

    @property
    def engine_type(self) -> str:
        """The type in the embedded engine."""
        if self.kind is Decimal:
            return f"DECIMAL(38, {self.decimals})"
        return "TIMESTAMP WITH TIME ZONE" if self.has_zone else _ENGINE_TYPES[self.kind]

    def fitted(self, value: Any, *, in_utc: bool = False) -> Any:
        """A value as such a column takes it; ``in_utc``, an instant without its zone."""
        if value is None:
            return None
        if self.has_zone and in_utc:
            return value.astimezone(UTC).replace(tzinfo=None)
        return self.kind(value) if self.kind in (str, float) else value


_ENGINE_TYPES: Final[dict[type, str]] = {
    bool: "BOOLEAN",
    int: "BIGINT",
    float: "DOUBLE",
    datetime: "TIMESTAMP",
    date: "DATE",
    str: "VARCHAR",
}
_MOST_DECIMALS: Final = 18
_MOST_WHOLE: Final = 2**63


def sort_of(values: Iterable[Any]) -> Sort:
    """The one sort of the values of a column; text where they are of several.

    >>> sort_of([1, None, 2.5]).engine_type, sort_of([1, "x"]).engine_type
    ('DOUBLE', 'VARCHAR')
    """
    held = [value for value in values if value is not None]
    sorts = set(map(type, held))
    if len(sorts) == 1 and sorts <= {bool, date}:
        return Sort(sorts.pop())
    if sorts and sorts <= {int, float, Decimal}:
        return _number_of(held, sorts)
    zones = {value.tzinfo is not None for value in held if isinstance(value, datetime)}
    if sorts and all(issubclass(sort, datetime) for sort in sorts) and len(zones) == 1:
        return Sort(datetime, has_zone=zones.pop())
    return _text_of(held)


def _number_of(held: list[Any], sorts: set[type]) -> Sort:
    if sorts == {int}:
        fits = all(-_MOST_WHOLE <= value < _MOST_WHOLE for value in held)
        return Sort(int) if fits else _text_of(held)
    if float in sorts or not all(Decimal(value).is_finite() for value in held):
        return Sort(float)
    finest = max(-int(Decimal(value).as_tuple().exponent) for value in held)
    return Sort(Decimal, decimals=max(finest, 0)) if finest <= _MOST_DECIMALS else Sort(float)


def _text_of(held: list[Any]) -> Sort:
    return Sort(str, longest=max((len(str(value)) for value in held), default=0))


def write_rows(
    names: Sequence[str],
    rows: Iterable[Sequence[Any]],
    url: str,
    *,
    name: str,
    password: str | None = None,
    replace: bool = False,
) -> int:
    """Rows as a table of a database, new or in place of an older one; how many were written."""
    held = [tuple(row) for row in rows]
    try:
        address = read_address(url, password)
    except SourceError as error:
        raise SourceError(f"the database cannot be written: {error}") from None
    if address.driver.engine == "duckdb":
        _to_duckdb(address, name, names, held, replace)
    else:
        _to_server(address, name, names, held, replace)
    return len(held)


def _there(name: str) -> SourceError:
    return SourceError(
        f"the database has a table {visible(name)!r} already; say --replace (replace=True) to make "
        "it anew, or choose another name"
    )


def _sorts(names: Sequence[str], rows: list[tuple[Any, ...]]) -> dict[str, Sort]:
    return {name: sort_of(row[place] for row in rows) for place, name in enumerate(names)}


def _server_type(sort: Sort) -> Any:
    import sqlalchemy as sa
    from sqlalchemy.dialects import mysql

    if sort.kind is datetime:
        exact = mysql.DATETIME(fsp=6)
        return sa.DateTime(timezone=sort.has_zone).with_variant(exact, "mysql", "mariadb")
    types: dict[type, Any] = {
        bool: sa.Boolean(),
        int: sa.BigInteger(),
        float: sa.Double(),
        Decimal: sa.Numeric(38, sort.decimals),
        date: sa.Date(),
    }
    return types.get(sort.kind) or sa.String(max(80, sort.longest))


def _can_hold(known: Any, sort: Sort, *, in_utc: bool) -> bool:
    """Whether a column that is there takes such values as they are."""
    import sqlalchemy as sa

    if sort.kind is str:
        length = getattr(known, "length", None)
        is_text = isinstance(known, sa.String) and (length is None or length >= sort.longest)
        return is_text or not sort.longest
    if sort.kind is datetime:
        return isinstance(known, sa.DateTime) and bool(known.timezone) == (
            sort.has_zone and not in_utc
        )
    if sort.kind is Decimal:
        is_exact = isinstance(known, sa.Numeric) and not isinstance(known, sa.Float)
        return is_exact and (known.scale is None or known.scale >= sort.decimals)
    kinds: dict[type, Any] = {bool: sa.Boolean, int: sa.Integer, float: sa.Float, date: sa.Date}
    return isinstance(known, kinds[sort.kind])


_WAIT: Final = 10
"""So many seconds a run waits for another one that writes the same table."""


def _alone(connection: Any, name: str) -> None:
    """Holds the name of a table until the connection ends; SourceError where another run does."""
    import sqlalchemy as sa

    held = hashlib.sha256(f"{connection.engine.url.database} {name}".encode()).hexdigest()[:32]
    found = connection.execute(
        sa.text("SELECT GET_LOCK(:n, :w)"), {"n": f"ulnager {held}", "w": _WAIT}
    )
    if found.scalar() != 1:
        raise SourceError(f"another run writes the table {visible(name)}; try again")


def _left_over(inspector: Any, own: str, schema: str | None) -> list[str]:
    """The tables that a run for a table left over that was killed."""
    form = re.compile(re.escape(own[:40]) + "_[0-9a-f]{8}_(new|old)")
    return [one for one in inspector.get_table_names(schema) if form.fullmatch(one)]


def _to_server(
    address: Address, name: str, names: Sequence[str], rows: list[tuple[Any, ...]], replace: bool
) -> None:
    import sqlalchemy as sa

    schema, _, own = name.rpartition(".")
    within = sa.quoted_name(schema, quote=True) if schema else None
    sorts = _sorts(names, rows)
    # What has no type for instants holds them in UTC.
    in_utc = address.driver.engine != "postgresql"

    def table(called: str) -> sa.Table:
        columns = (
            sa.Column(sa.quoted_name(key, quote=True), _server_type(sorts[key])) for key in names
        )
        return sa.Table(sa.quoted_name(called, quote=True), sa.MetaData(), *columns, schema=within)

    def fill(connection: sa.Connection, made: sa.Table) -> None:
        for start in range(0, len(rows), _BATCH):
            batch = [
                {
                    name: sorts[name].fitted(value, in_utc=in_utc)
                    for name, value in zip(names, row, strict=True)
                }
                for row in rows[start : start + _BATCH]
            ]
            connection.execute(made.insert(), batch)
        if connection.dialect.name == "postgresql":
            # Until it is counted, a condition that looks days up in a date table takes long.
            connection.exec_driver_sql(f"ANALYZE {quote(made)}")

    is_mysql = address.driver.engine in ("mysql", "mariadb")
    try:
        engine = sa.create_engine(address.url, poolclass=sa.pool.NullPool)
        quote = engine.dialect.identifier_preparer.format_table
        with engine.connect() as connection:
            if is_mysql:
                _alone(connection, name)
            is_there = sa.inspect(connection).has_table(own, schema or None)
            if is_there and not replace:
                raise _there(name)
            if is_mysql:
                for old_name in _left_over(sa.inspect(connection), own, schema or None):
                    table(old_name).drop(connection)
            known = sa.inspect(connection).get_columns(own, schema or None) if is_there else []
            is_alike = [one["name"] for one in known] == list(names) and all(
                _can_hold(one["type"], sorts[one["name"]], in_utc=in_utc) for one in known
            )
            if is_there and not is_mysql and is_alike:
                # In one transaction: readers see what was there until all of it is new.
                connection.execute(table(own).delete())
                fill(connection, table(own))
                connection.commit()
                return
            # Beside it first, under a name of its own, which then takes the place of the other.
            aside = f"{own[:40]}_{secrets.token_hex(4)}"
            # What MySQL makes is there at once, so it never begins under the name itself.
            made = table(f"{aside}_new" if is_there or is_mysql else own)
            old = table(f"{aside}_old")
            try:
                made.create(connection)
                fill(connection, made)
                if is_mysql:
                    moves = [(table(own), old)] if is_there else []
                    moves.append((made, table(own)))
                    told = ", ".join(f"{quote(one)} TO {quote(other)}" for one, other in moves)
                    connection.exec_driver_sql(f"RENAME TABLE {told}")
                    old.drop(connection, checkfirst=True)
                elif is_there:
                    table(own).drop(connection)
                    to = engine.dialect.identifier_preparer.quote(own)
                    connection.exec_driver_sql(f"ALTER TABLE {quote(made)} RENAME TO {to}")
                connection.commit()
            except BaseException:
                # Not every engine takes back what was made in a transaction.
                connection.rollback()
                made.drop(connection, checkfirst=True)
                connection.commit()
                raise
    except ImportError as error:
        raise SourceError(
            f"the database cannot be written: its driver is missing: {error}"
        ) from None
    except (
        sa.exc.SQLAlchemyError,
        AttributeError,
        LookupError,
        OSError,
        TypeError,
        ValueError,
    ) as error:
        reason = str(getattr(error, "orig", None) or type(error).__name__).splitlines()[0]
        raise SourceError(f"{address.name} cannot be written: {address.hidden(reason)}") from None


def _to_duckdb(
    address: Address, name: str, names: Sequence[str], rows: list[tuple[Any, ...]], replace: bool
) -> None:
    import duckdb

    from ulnager.sources.duckdb_source import pass_on, started

    schema, _, own = name.rpartition(".")
    place = f"{quoted(schema or 'main')}.{quoted(own)}"
    sorts = _sorts(names, rows)
    columns = ", ".join(f"{quoted(key)} {sorts[key].engine_type}" for key in names)
    signs = ", ".join("?" * len(names))
    try:
        with started(str(address.url.database)) as connection:
            there = connection.execute(
                "SELECT count(*) FROM information_schema.tables WHERE table_schema = ? "
                "AND table_name = ?",
                [schema or "main", own],
            ).fetchall()[0][0]
            if there and not replace:
                raise _there(name)
            connection.execute("BEGIN")
            connection.execute(f"CREATE OR REPLACE TABLE {place} ({columns})")
            if rows:
                fitted = [
                    tuple(sorts[key].fitted(one) for key, one in zip(names, row, strict=True))
                    for row in rows
                ]
                connection.executemany(f"INSERT INTO {place} VALUES ({signs})", fitted)
            connection.execute("COMMIT")
    except (duckdb.Error, RuntimeError, OSError) as error:
        pass_on(error)
        reason = first_line(error)
        if "already attached" in reason:
            reason = "a source of this process has it open; write first, or let go of that (del)"
        raise SourceError(f"{address.name} cannot be written: {reason}") from None
