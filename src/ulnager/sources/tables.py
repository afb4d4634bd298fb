"""Tables that Ulnager writes: date tables and membership tables, to files and databases."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from ulnager.core.errors import ResolveError, SourceError
from ulnager.core.periods.resolution import Resolution
from ulnager.core.text import visible
from ulnager.sources.embedded import first_line, text
from ulnager.sources.urls import read_address
from ulnager.sources.writing import whole_file

Columns = Mapping[str, Any]
"""The columns of a table by name, each an array of the same length."""


def membership_table(
    resolutions: Iterable[tuple[str, str, Resolution]], first: Any, last: Any
) -> dict[str, Any]:
    """One row for each period and day, from ``first`` to ``last`` at the most.

    ``resolutions`` are names, labels and resolutions in the order in which viewers see them.
    The columns are ``period``, ``label``, ``short_label`` (the dates in words), ``period_order``
    (from 1) and ``date``. Raises ResolveError for a period of hours.
    """
    import numpy as np

    days = np.arange(np.datetime64(first, "D"), np.datetime64(last, "D") + 1)
    parts: dict[str, list[Any]] = {
        name: [] for name in ("period", "label", "short_label", "period_order", "date")
    }
    for order, (name, label, result) in enumerate(resolutions, 1):
        if result.days is None and result.end is None and result.start is not None:
            raise ResolveError(
                f"{name} is open or of hours, and a table of days has no place for it"
            )
        inside = days[result.mask(days)]
        for column, value in zip(parts, (name, label, result.label, order), strict=False):
            parts[column].append(np.full(inside.size, value))
        parts["date"].append(inside)
    return {name: np.concatenate(found) if found else np.array([]) for name, found in parts.items()}


def write_table(
    columns: Columns, target: str, *, name: str = "date_table", password: str | None = None
) -> int:
    """Write columns to a CSV or Parquet file, or to a table of a database; the rows written.

    ``target`` is a path ending in .csv or .parquet, or an SQLAlchemy URL, in which case the
    table ``name`` is made, in a schema where there is one before a dot; a table that is there
    already is an error. ``password`` is for a URL that holds none. Raises SourceError.
    """
    rows = len(next(iter(columns.values())))
    if "://" in target:
        _to_database(columns, target, name, password)
    elif Path(target).suffix.lower() in (".csv", ".parquet"):
        _to_file(columns, Path(target))
    else:
        raise SourceError(f"{target}: give a file ending in .csv or .parquet, or a database URL")
    return rows


def _to_file(columns: Columns, path: Path) -> None:
    import duckdb

    connection = duckdb.connect()
    # The engine takes microseconds where NumPy has days; the dates are cast back.
    held = {
        name: values.astype("datetime64[us]") if values.dtype.kind == "M" else values
        for name, values in columns.items()
    }
    held = {
        name: values.astype(object) if values.dtype.kind == "U" else values
        for name, values in held.items()
    }
    connection.register("held", held)
    shown = ", ".join(
        f'"{name}"::DATE AS "{name}"' if values.dtype.kind == "M" else f'"{name}"'
        for name, values in columns.items()
    )
    form = "FORMAT csv, HEADER" if path.suffix.lower() == ".csv" else "FORMAT parquet"
    with whole_file(path) as part:
        try:
            connection.execute(f"COPY (SELECT {shown} FROM held) TO {text(str(part))} ({form})")
        except duckdb.Error as error:
            raise SourceError(f"{path} cannot be written: {first_line(error)}") from None


def _to_database(columns: Columns, url: str, name: str, password: str | None) -> None:
    import sqlalchemy as sa

    types: dict[str, Any] = {
        "M": sa.Date(),
        "i": sa.BigInteger(),
        "b": sa.Boolean(),
        "U": sa.String(80),
    }
    try:
        address = read_address(url, password)
    except SourceError as error:
        raise SourceError(f"the database cannot be written: {error}") from None
    schema, _, own = name.rpartition(".")
    try:
        engine = sa.create_engine(address.url)
        table = sa.Table(
            sa.quoted_name(own, quote=True),
            sa.MetaData(),
            *(sa.Column(key, types[values.dtype.kind]) for key, values in columns.items()),
            schema=sa.quoted_name(schema, quote=True) if schema else None,
        )
        rows = zip(*(values.tolist() for values in columns.values()), strict=True)
        with engine.begin() as connection:
            if sa.inspect(connection).has_table(own, schema or None):
                raise SourceError(
                    f"the database has a table {visible(name)!r} already; choose another name"
                )
            table.create(connection)
            try:
                connection.execute(
                    table.insert(), [dict(zip(columns, row, strict=True)) for row in rows]
                )
            except sa.exc.SQLAlchemyError:
                # Not every engine takes back what was made in a transaction.
                connection.rollback()
                table.drop(connection, checkfirst=True)
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
