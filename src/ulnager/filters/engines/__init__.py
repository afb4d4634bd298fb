"""The engines that conditions are written for and sources are asked by, a module each.

To add one, write its module and name it in ``TARGETS``; ``engine.py`` says what each field is.
"""

from __future__ import annotations

from typing import Final

from ulnager.core.errors import FilterError
from ulnager.filters.engines.ansi import ANSI
from ulnager.filters.engines.bigquery import BIGQUERY
from ulnager.filters.engines.clickhouse import CLICKHOUSE
from ulnager.filters.engines.databricks import DATABRICKS
from ulnager.filters.engines.datafusion import DATAFUSION
from ulnager.filters.engines.duckdb import DUCKDB
from ulnager.filters.engines.engine import Engine
from ulnager.filters.engines.mysql import MYSQL
from ulnager.filters.engines.oracle import ORACLE
from ulnager.filters.engines.postgresql import POSTGRESQL
from ulnager.filters.engines.redshift import REDSHIFT
from ulnager.filters.engines.snowflake import SNOWFLAKE
from ulnager.filters.engines.spark import SPARK
from ulnager.filters.engines.sqlite import SQLITE
from ulnager.filters.engines.trino import TRINO
from ulnager.filters.engines.tsql import TSQL

TARGETS: Final = {
    "ansi": ANSI,
    "duckdb": DUCKDB,
    "postgresql": POSTGRESQL,
    "mysql": MYSQL,
    "mariadb": MYSQL,
    "sqlite": SQLITE,
    "spark": SPARK,
    "datafusion": DATAFUSION,
    "clickhouse": CLICKHOUSE,
    "snowflake": SNOWFLAKE,
    "bigquery": BIGQUERY,
    "redshift": REDSHIFT,
    "trino": TRINO,
    "tsql": TSQL,
    "oracle": ORACLE,
    "databricks": DATABRICKS,
}
"""What conditions may be written for, by its name."""
ENGINES: Final = {
    name: one
    for name, one in {
        "sqlite": SQLITE,
        **TARGETS,
        "clickhousedb": CLICKHOUSE,
        "mssql": TSQL,
    }.items()
    if one is not ANSI
}
"""What works dates out by itself, by the names of SQLAlchemy's dialects."""


def engine_of(dialect: str) -> Engine:
    """How a dialect writes values: as one of these engines, or as the standard has it."""
    return ENGINES.get(dialect, ANSI)


def engine_named(name: str) -> Engine:
    """The engine of that name; FilterError when it cannot work dates out here."""
    if name not in ENGINES:
        raise FilterError(
            f"a live condition cannot be written for {name!r}; choose {', '.join(ENGINES)}"
        )
    return ENGINES[name]
