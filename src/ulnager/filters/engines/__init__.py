"""The engines that conditions are written for and sources are asked by, a module each.

To add one, write its module and name it in ``_MODULES``; ``engine.py`` says what each field is. A
module is read when its engine is first asked for.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from importlib import import_module
from typing import Final

from ulnager.core.errors import FilterError
from ulnager.filters.engines.ansi import ANSI
from ulnager.filters.engines.engine import Engine

_MODULES: Final = (
    "ansi",
    "duckdb",
    "postgresql",
    "mysql",
    "mariadb",
    "sqlite",
    "spark",
    "datafusion",
    "clickhouse",
    "snowflake",
    "bigquery",
    "redshift",
    "trino",
    "tsql",
    "oracle",
    "databricks",
)
_OTHER_NAMES: Final = {"mariadb": "mysql", "clickhousedb": "clickhouse", "mssql": "tsql"}


class _Engines(Mapping[str, Engine]):
    """Engines by their names, each read when it is asked for."""

    def __init__(self, names: tuple[str, ...]) -> None:
        self.names: dict[str, Engine | None] = dict.fromkeys(names)

    def __getitem__(self, name: str) -> Engine:
        found = self.names[name]
        if found is None:
            module = _OTHER_NAMES.get(name, name)
            read = import_module(f"ulnager.filters.engines.{module}")
            found = self.names[name] = getattr(read, module.upper())
        return found

    def __contains__(self, name: object) -> bool:
        return name in self.names

    def __iter__(self) -> Iterator[str]:
        return iter(self.names)

    def __len__(self) -> int:
        return len(self.names)


TARGETS: Final = _Engines(_MODULES)
"""What conditions may be written for, by its name."""
ENGINES: Final = _Engines(("sqlite", *_MODULES[1:], "clickhousedb", "mssql"))
"""What works dates out by itself, by the names of SQLAlchemy's dialects."""


def engine_of(dialect: str) -> Engine:
    """How a dialect writes values: as one of these engines, or as the standard has it."""
    return ENGINES.get(dialect, ANSI)


def engine_named(name: str) -> Engine:
    """The engine of that name; FilterError when it cannot work dates out here."""
    if name not in ENGINES:
        raise FilterError(
            f"a live condition cannot be written for {name!r}; choose {', '.join(_MODULES[1:])}"
        )
    return ENGINES[name]
