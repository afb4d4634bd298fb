"""Arguments of the wrong sort are told by name, before anything is done with them."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from datetime import date, timedelta, tzinfo
from typing import Any, Final, NamedTuple, ParamSpec, TypeVar

from ulnager.core.errors import SettingError

P = ParamSpec("P")
R = TypeVar("R")


class Sort(NamedTuple):
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
    "allow_outside": Sort((bool,), "True or False"),
    "anchor_type": Sort((str,), "what the column holds, such as 'date'"),
    "bound": Sort((bool,), "True or False"),
    "column": Sort(TEXT, "the name of a column"),
    "column_type": Sort((str,), "what the column holds, such as 'date'"),
    "column_types": Sort((Mapping, _NONE), "a mapping of columns, such as {'month': 'yyyymm'}"),
    "count": Sort((int,), "a whole number"),
    "date_format": Sort(TEXT, "a format such as '%d/%m/%Y'"),
    "date_table": Sort(TEXT, "the name of a date table"),
    "day": Sort((date,), "a date"),
    "day_starts": Sort((str, timedelta), "a time such as '04:00'"),
    "days": Sort((int,), "a whole number of days"),
    "days_off": Sort((Iterable,), "names of weekdays, such as ['saturday', 'sunday']"),
    "delimiter": Sort(TEXT, "the sign between two fields, such as ';'"),
    "decimal": Sort(TEXT, "the sign before decimals, ',' or '.'"),
    "encoding": Sort(TEXT, "the name of an encoding, such as 'utf-8'"),
    "ends": Sort((str,), "which end counts, such as 'later'"),
    "header": Sort((bool, _NONE), "True or False"),
    "holidays": Sort((Iterable,), "dates"),
    "key": Sort(TEXT, "the name of a column"),
    "later": Sort((bool,), "True or False"),
    "latest_type": Sort(TEXT, "what the column holds, such as 'date'"),
    "layout": Sort((str,), "a layout such as '4-4-5'"),
    "literal": Sort((bool,), "True or False"),
    "name": Sort((str,), "a name"),
    "open_ended": Sort((str, date, list, tuple), "dates such as ['9999-12-31']"),
    "parameters": Sort((Mapping, _NONE), "a mapping of names to SQL"),
    "partial": Sort((str,), "'mark', 'drop' or 'keep'"),
    "password": Sort(TEXT, "a password"),
    "query": Sort(TEXT, "a SELECT"),
    "replace": Sort((bool,), "True or False"),
    "rounding": Sort(TEXT, "'inward' or 'outward'"),
    "rows": Sort((int,), "a whole number"),
    "running": Sort((bool,), "True or False"),
    "share": Sort((int, float), "a part of a usual day, from 0 to 1"),
    "short": Sort((bool,), "True or False"),
    "stamps": Sort(TEXT, "'first' or 'last'"),
    "starts": Sort((date, _NONE), "a date"),
    "table": Sort(TEXT, "the name of a table, or a SELECT"),
    "target": Sort((str,), "the name of an engine or of a standard"),
    "timeout": Sort((int, float, _NONE), "seconds, such as 30"),
    "tz": Sort((str, tzinfo, _NONE), "a zone such as 'Europe/London'"),
    "working_days": Sort((Iterable,), "dates"),
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


def checked(**sorts: Sort) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Checks the arguments of a public function by their names, and by ``sorts`` of its own.

    Raises SettingError for one that cannot be.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        names = _names_of(function)
        known = {name: sort for name, sort in _SORTS.items() if name in names} | sorts

        @functools.wraps(function)
        def checking(*args: P.args, **given: P.kwargs) -> R:
            for name, value in zip(names, args, strict=False):
                if name in known and not known[name].fits(value):
                    raise _wrong(name, value, known[name])
            for name, value in given.items():
                if name in known and not known[name].fits(value):
                    raise _wrong(name, value, known[name])
            return function(*args, **given)

        return checking

    return decorated


def check_arguments(given: Mapping[str, Any]) -> None:
    """SettingError for an argument that cannot be, of a call that passes its own on."""
    for name, value in given.items():
        if name in _SORTS and not _SORTS[name].fits(value):
            raise _wrong(name, value, _SORTS[name])


def _names_of(function: Any) -> tuple[str, ...]:
    """The names of a plain function's arguments; ``inspect`` would take long to import."""
    code = function.__code__
    names: tuple[str, ...] = code.co_varnames[: code.co_argcount + code.co_kwonlyargcount]
    return names


def _wrong(name: str, value: Any, sort: Sort) -> SettingError:
    return SettingError(f"{name} is {shown(value)}; give {sort.give}")
