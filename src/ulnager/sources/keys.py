"""Keys of days, months and weeks in a source: the date that each one stands for, as SQL there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from sqlalchemy import ColumnElement, Date, literal_column
from sqlalchemy import type_coerce as as_type
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement

from ulnager.core.arguments import shown
from ulnager.core.errors import SettingError

# ``{k}`` is the key, a whole number; of an ISO week as text that number is taken out of it.
_NUMBER: Final = "CAST(replace({k}, '-W', '') AS {integer})"
_DAYS: Final[Mapping[str, Mapping[str, str]]] = {
    "duckdb": {
        "yyyymmdd": "CAST(try_strptime(CAST({k} AS VARCHAR), '%Y%m%d') AS DATE)",
        "yyyymm": "CAST(try_strptime(CAST({k} AS VARCHAR), '%Y%m') AS DATE)",
        "yyyyww": "(make_date(CAST({k} // 100 AS BIGINT), 1, 4) "
        "+ CAST(({k} % 100) * 7 - 6 - isodow(make_date(CAST({k} // 100 AS BIGINT), 1, 4)) "
        "AS INTEGER))",
    },
    "postgresql": {
        "yyyymmdd": "to_date(CAST({k} AS TEXT), 'YYYYMMDD')",
        "yyyymm": "to_date(CAST({k} AS TEXT), 'YYYYMM')",
        "yyyyww": "to_date(CAST({k} AS TEXT), 'IYYYIW')",
    },
    "sqlite": {
        "yyyymmdd": "date(printf('%04d-%02d-%02d', {k} / 10000, {k} / 100 % 100, {k} % 100))",
        "yyyymm": "date(printf('%04d-%02d-01', {k} / 100, {k} % 100))",
        "yyyyww": "date(printf('%04d-01-04', {k} / 100), 'weekday 0', '-13 days', "
        "({k} % 100 * 7) || ' days')",
    },
    "spark": {
        "yyyymmdd": "CAST(try_to_timestamp(CAST({k} AS STRING), 'yyyyMMdd') AS DATE)",
        "yyyymm": "CAST(try_to_timestamp(CAST({k} AS STRING), 'yyyyMM') AS DATE)",
        "yyyyww": "date_add(make_date(CAST({k} AS INT) DIV 100, 1, 4), CAST({k} % 100 * 7 - 7 AS "
        "INT) - weekday(make_date(CAST({k} AS INT) DIV 100, 1, 4)))",
    },
    "mysql": {
        "yyyymmdd": "STR_TO_DATE({k}, '%Y%m%d')",
        "yyyymm": "STR_TO_DATE(CONCAT({k}, '01'), '%Y%m%d')",
        "yyyyww": "STR_TO_DATE(CONCAT({k}, ' Monday'), '%x%v %W')",
    },
}
_INTEGERS: Final = {"mysql": "SIGNED"}
KEY_TYPES: Final = ("yyyymmdd", "yyyymm", "yyyyww", "iso-week")


class KeyDay(FunctionElement[Any]):
    """The date that a key stands for: of a month its first, of an ISO week its Monday."""

    inherit_cache = True
    type = Date()

    def __init__(self, key: ColumnElement[Any], key_type: str) -> None:
        super().__init__(key, literal_column(f"'{key_type}'"))
        self.key_type = key_type


@compiles(KeyDay)
def _key_day(element: KeyDay, compiler: SQLCompiler, **options: Any) -> str:
    key = compiler.process(next(iter(element.clauses)), **options)
    name = "mysql" if compiler.dialect.name == "mariadb" else compiler.dialect.name
    if element.key_type == "iso-week":
        key = _NUMBER.format(k=key, integer=_INTEGERS.get(name, "INTEGER"))
    kind = "yyyyww" if element.key_type == "iso-week" else element.key_type
    written = _DAYS[name][kind].format(k=f"({key})")
    is_marked = compiler.dialect.paramstyle in ("format", "pyformat")
    return written.replace("%", "%%") if is_marked else written


def key_day(key: ColumnElement[Any], key_type: str) -> ColumnElement[Any]:
    """The date of a key as SQL; each engine's null for what is no key."""
    return as_type(KeyDay(key, key_type), Date())


def check_key_types(types: object) -> dict[str, str]:
    """The columns that are keys with what they are; SettingError for anything else."""
    if not isinstance(types, Mapping):
        raise SettingError(
            "column_types is a mapping of columns to what they hold, such as {'month': 'yyyymm'}"
        )
    for name, kind in types.items():
        if not isinstance(name, str) or not isinstance(kind, str) or kind not in KEY_TYPES:
            raise SettingError(
                f"column_types: {name!r} cannot be {shown(kind)}; choose {', '.join(KEY_TYPES)}; "
                "dates and timestamps need nothing"
            )
    return dict(types)
