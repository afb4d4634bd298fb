"""How dialects of SQL are read, a module for each family of them.

To add one, write its module and name it here; ``rewriting.py`` has what several of them share, and
``dialect_reader.py`` says what each field is.
"""

from __future__ import annotations

from typing import Final

import sqlglot

from ulnager.checking.readers.clickhouse_reader import CLICKHOUSE
from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.mysql_reader import MYSQL
from ulnager.checking.readers.oracle_reader import ORACLE
from ulnager.checking.readers.rewriting import unquoted
from ulnager.checking.readers.spark_reader import DATABRICKS, SPARK
from ulnager.checking.readers.sqlite_reader import SQLITE
from ulnager.checking.readers.tsql_reader import TSQL
from ulnager.checking.readers.warehouse_readers import BIGQUERY, REDSHIFT, SNOWFLAKE, TRINO
from ulnager.core.errors import FilterError

READERS: Final = {
    "duckdb": Reader(
        "duckdb",
        (
            *("make_date", "to_months", "to_days", "to_weeks", "to_years", "isodow", "yearweek"),
            *("to_hours", "to_minutes", "to_seconds", "to_microseconds", "epoch_us", "epoch_ms"),
        ),
        by_edges=True,
    ),
    "postgresql": Reader("postgres", ("make_date", "daterange", "age"), unquoted),
    "sqlite": SQLITE,
    "mysql": MYSQL,
    "mariadb": MYSQL,
    "spark": SPARK,
    "databricks": DATABRICKS,
    "trino": TRINO,
    "clickhouse": CLICKHOUSE,
    # It reads as PostgreSQL does, and counts with dates otherwise.
    "datafusion": Reader("postgres", dates_stay=True),
    "tsql": TSQL,
    "mssql": TSQL,
    "bigquery": BIGQUERY,
    "snowflake": SNOWFLAKE,
    "redshift": REDSHIFT,
    "oracle": ORACLE,
}
_BY_PARSER: Final = {one.reads: one for name, one in READERS.items() if name != "datafusion"}
_COMMON: Final = tuple(name for name in READERS if name not in ("redshift", "oracle"))


def reader_of(name: str) -> Reader:
    """How a dialect is read; FilterError for one that there is not."""
    known = READERS.get(name.lower()) or _BY_PARSER.get(name.lower())
    if known is None and name.lower() in {one.value for one in sqlglot.Dialects}:
        return Reader(name.lower())
    if known is None:
        raise FilterError(f"there is no dialect {name!r}; take one such as {', '.join(_COMMON)}")
    return known
