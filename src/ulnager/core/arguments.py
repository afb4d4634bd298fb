"""Arguments of the wrong sort are told by name, before anything is done with them."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from datetime import date, tzinfo
from typing import Any, Final, NamedTuple, ParamSpec, TypeVar

from ulnager.core.errors import SettingError

P = ParamSpec("P")
R = TypeVar("R")


class Wanted(NamedTuple):
    """What an argument may be, and what to give in words."""

    types: tuple[type, ...]
    give: str

    def fits(self, value: object) -> bool:
        if isinstance(value, bool):
            return bool in self.types
        return isinstance(value, self.types)


_NONE: Final = type(None)
TEXT: Final = (str, _NONE)

# One thing has one name, so the name of an argument says what it is.
_SORTS: Final = {
    "allow_outside": Wanted((bool,), "True or False"),
    "anchor_type": Wanted((str,), "what the column holds, such as 'date'"),
    "bound": Wanted((bool,), "True or False"),
    "column": Wanted(TEXT, "the name of a column"),
    "column_type": Wanted((str,), "what the column holds, such as 'date'"),
    "column_types": Wanted((Mapping, _NONE), "a mapping of columns, such as {'month': 'yyyymm'}"),
    "count": Wanted((int,), "a whole number"),
    "date_format": Wanted(TEXT, "a format such as '%d/%m/%Y'"),
    "date_table": Wanted(TEXT, "the name of a date table"),
    "day": Wanted((date,), "a date"),
    "day_starts": Wanted((str,), "a time such as '04:00'"),
    "days": Wanted((int,), "a whole number of days"),
    "days_off": Wanted((Iterable,), "names of weekdays, such as ['saturday', 'sunday']"),
    "delimiter": Wanted(TEXT, "the sign between two fields, such as ';'"),
    "decimal": Wanted(TEXT, "the sign before decimals, ',' or '.'"),
    "encoding": Wanted(TEXT, "the name of an encoding, such as 'utf-8'"),
    "ends": Wanted((str,), "which end counts, such as 'later'"),
    "header": Wanted((bool, _NONE), "True or False"),
    "holidays": Wanted((Iterable,), "dates"),
    "key": Wanted(TEXT, "the name of a column"),
    "later": Wanted((bool,), "True or False"),
    "latest_type": Wanted(TEXT, "what the column holds, such as 'date'"),
    "layout": Wanted((str,), "a layout such as '4-4-5'"),
    "literal": Wanted((bool,), "True or False"),
    "name": Wanted((str,), "a name"),
    "open_ended": Wanted((str, date, list, tuple), "dates such as ['9999-12-31']"),
    "parameters": Wanted((Mapping, _NONE), "a mapping of names to SQL"),
    "paramstyle": Wanted(TEXT, "how the driver marks parameters, such as 'qmark'"),
    "partial": Wanted((str,), "'mark', 'drop' or 'keep'"),
    "password": Wanted(TEXT, "a password"),
    "query": Wanted(TEXT, "a SELECT"),
    "replace": Wanted((bool,), "True or False"),
    "rounding": Wanted(TEXT, "'inward' or 'outward'"),
    "rows": Wanted((int,), "a whole number"),
    "running": Wanted((bool,), "True or False"),
    "share": Wanted((int, float), "a part of a usual day, from 0 to 1"),
    "short": Wanted((bool,), "True or False"),
    "stamps": Wanted(TEXT, "'first' or 'last'"),
    "starts": Wanted((date, _NONE), "a date"),
    "table": Wanted(TEXT, "the name of a table, or a SELECT"),
    "target": Wanted((str,), "the name of an engine or of a standard"),
    "timeout": Wanted((int, float, _NONE), "seconds, such as 30"),
    "lasting": Wanted(TEXT, "'overlap', 'inside' or 'begin'"),
    "until": Wanted(TEXT, "the name of a column"),
    "until_type": Wanted(TEXT, "what the column of the end holds, such as 'date'"),
    "tz": Wanted((str, tzinfo, _NONE), "a zone such as 'Europe/London'"),
    "working_days": Wanted((Iterable,), "dates"),
}


def shown(value: object) -> str:
    """A value in a message: itself where that is short, else of which sort it is.

    >>> shown("x"), shown([1, 2])
    ("'x'", 'a list')
    """
    if value is None or isinstance(value, (str, int, float, date)):
        text = repr(value)
        return text if len(text) <= 60 else f"{text[:60]}…"
    name = value.__name__ if isinstance(value, type) else type(value).__name__
    return f"a{'n' * (name[:1].lower() in 'aeiou')} {name}"


def checked(options: Any = None, **sorts: Wanted) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Checks the arguments of a public function by their names, and by ``sorts`` of its own;
    ``options`` is the TypedDict of those that it takes as keywords.

    Raises SettingError for one that cannot be, and for one that there is not, with the name that
    was meant.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        names = _names_of(function)
        takes = frozenset((*names, *(() if options is None else options.__annotations__)))
        takes_any = options is None and function.__code__.co_flags & _TAKES_ANY
        known = {name: sort for name, sort in _SORTS.items() if name in takes} | sorts

        @functools.wraps(function)
        def checking(*args: P.args, **given: P.kwargs) -> R:
            for name, value in zip(names, args, strict=False):
                if name in known and not known[name].fits(value):
                    raise _wrong(name, value, known[name])
            for name, value in given.items():
                if name not in takes and not takes_any:
                    raise _unknown(function.__qualname__, name, takes)
                if name in known and not known[name].fits(value):
                    raise _wrong(name, value, known[name])
            try:
                return function(*args, **given)
            except ModuleNotFoundError as error:
                raise needed(error) from None

        return checking

    return decorated


def told_names(function: Callable[P, R]) -> Callable[P, R]:
    """Tells which argument was meant, of a call that is too quick to be :func:`checked`."""
    names = _names_of(function)
    refusal = f"{function.__qualname__}() got an unexpected keyword argument"

    @functools.wraps(function)
    def calling(*args: P.args, **given: P.kwargs) -> R:
        try:
            return function(*args, **given)
        except TypeError as error:
            if not str(error).startswith(refusal):
                raise
            unknown = next(name for name in given if name not in names)
            raise _unknown(function.__qualname__, unknown, names) from None

    return calling


def check_options(call: str, given: Mapping[str, Any], options: Any) -> None:
    """SettingError for an option that cannot be, of a call that takes those of a TypedDict."""
    for name, value in given.items():
        if name not in options.__annotations__:
            raise _unknown(call, name, options.__annotations__)
        if name in _SORTS and not _SORTS[name].fits(value):
            raise _wrong(name, value, _SORTS[name])


def _names_of(function: Any) -> tuple[str, ...]:
    """The names of a plain function's arguments; ``inspect`` would take long to import."""
    code = function.__code__
    names: tuple[str, ...] = code.co_varnames[: code.co_argcount + code.co_kwonlyargcount]
    return names


_EXTRAS: Final = {
    "data": ("duckdb", "sqlglot"),
    "pictures": ("matplotlib",),
    "languages": ("babel",),
    "check": ("tree_sitter", "tree_sitter_toml"),
    "web": ("fastapi", "starlette", "uvicorn", "jinja2"),
    "frames": ("pandas", "polars", "pyarrow"),
    "calendars": ("holidays", "icalendar"),
    "postgresql": ("psycopg",),
    "mariadb": ("pymysql",),
    "spark": ("pyspark",),
    "clickhouse": ("chdb",),
    "streamlit": ("streamlit",),
    "dash": ("dash",),
    "notebook": ("ipywidgets",),
    "panel": ("panel",),
}


class MissingPackage(SettingError, ImportError):  # noqa: N818
    """A package that is not installed, with the extra that brings it."""


def needed(error: ModuleNotFoundError) -> Exception:
    """What to install for a package that is not there; the error itself for any other."""
    package = (error.name or "").partition(".")[0]
    for extra, packages in _EXTRAS.items():
        if package in packages:
            return MissingPackage(
                f'this needs {package}, which is not installed: pip install "ulnager[{extra}]"'
            )
    return error


class ArgumentError(SettingError, TypeError):
    """An argument that a call does not take."""


_TAKES_ANY: Final = 0x08
"""The flag of code with ``**`` among its arguments."""


def _unknown(call: str, name: str, takes: Iterable[str]) -> ArgumentError:
    from difflib import get_close_matches

    known = sorted({*takes} - {"self", "cls"})
    near = get_close_matches(name, known, 1)
    hint = f"did you mean {near[0]}?" if near else f"it takes {', '.join(known)}"
    return ArgumentError(f"{call.removesuffix('.__init__')}() takes no {name!r}; {hint}")


def _wrong(name: str, value: Any, sort: Wanted) -> SettingError:
    return SettingError(f"{name} is {shown(value)}; give {sort.give}")
