"""Names, orders and words of version 0.2, which go on working through 0.3 with a warning.

Each says what to write now. Nothing inside of the package uses them.
"""

from __future__ import annotations

import functools
import warnings
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Final

RENAMED: Final[dict[str, dict[str, str]]] = {
    "where": {"result": "period", "on": "column"},
    "condition": {"result": "period", "on": "column"},
    "keep": {"frame": "source", "result": "period"},
    "keep_each": {"frame": "source"},
    "with_ages": {"frame": "source"},
    "preview": {"result": "period"},
    "totals": {"over": "period"},
    "running": {"phrase": "period"},
    "rehearse": {"phrase": "period"},
    "recognise": {"dialect": "target"},
    "check_sql": {"dialect": "target"},
}
"""The arguments that have another name now, by their calls."""
GONE: Final = (
    "FileSource",
    "TableRow",
    "cql2",
    "cql2_json",
    "live_where",
    "odata",
    "picker_where",
    "sarif",
    "sql_text",
)
"""The names that are no longer listed."""


def told(old: str, new: str) -> None:
    """The warning that something is written in another way now."""
    warnings.warn(f"{old} is deprecated; write {new}", DeprecationWarning, stacklevel=3)


def accepting(name: str, call: Callable[..., Any]) -> Callable[..., Any]:
    """A public call that takes the names and the order of arguments that it had as well."""
    old = RENAMED[name]

    @functools.wraps(call)
    def accepted(*args: Any, **given: Any) -> Any:
        for was, now in old.items():
            if was in given and now not in given:
                told(f"{name}({was}=…)", f"{now}=…")
                given[now] = given.pop(was)
        if name == "preview" and _is_turned(args, given):
            told("preview(period, source, …)", "the data first: preview(source, period, …)")
            args = (args[1], args[0], *args[2:])
        return call(*args, **given)

    return accepted


def _is_turned(args: tuple[Any, ...], given: Mapping[str, Any]) -> bool:
    """Whether a period comes before the data."""
    from ulnager.core.language.period import PeriodBase
    from ulnager.core.language.reader import is_phrase
    from ulnager.core.periods.buckets import Bucket
    from ulnager.core.periods.resolution import ResolutionBase

    if len(args) < 2 or "period" in given:
        return False
    first, second = args[:2]
    periods = (ResolutionBase, PeriodBase, Bucket)
    if isinstance(first, periods):
        return True
    is_text = isinstance(first, str) and not isinstance(second, periods)
    return is_text and is_phrase(first) and not (isinstance(second, str) and is_phrase(second))


def live_where(period: Any, on: Any, **options: Any) -> Any:
    """:func:`ulnager.where` of a period."""
    from ulnager.core.language.phrase import as_period
    from ulnager.filters.conditions import where

    told("live_where(period, column)", "where(period, column), which is live for a period")
    return where(as_period(period, options.get("calendar")), on, **options)


def picker_where(picker: Any, on: Any, **options: Any) -> Any:
    """``picker.where``."""
    told("picker_where(picker, column)", "picker.where(column)")
    return picker.where(on, **options)


def sql_text(clause: Any, target: str, *, bound: bool = False) -> str:
    """:func:`ulnager.condition` of a clause."""
    from ulnager.filters.sql_text import sql_text as written

    told("sql_text(clause, target)", "condition(clause, target=…, literal=True)")
    return written(clause, target, bound=bound)


def odata(result: Any, on: str, **when: Any) -> str:
    """:func:`ulnager.condition` for OData."""
    return _standard("odata", result, on, when)


def cql2(result: Any, on: str, **when: Any) -> str:
    """:func:`ulnager.condition` for CQL2."""
    return _standard("cql2", result, on, when)


def cql2_json(result: Any, on: str, **when: Any) -> Any:
    """:func:`ulnager.condition` for CQL2 as JSON, as plain values."""
    import json

    return json.loads(_standard("cql2-json", result, on, when))


def _standard(target: str, result: Any, on: str, when: dict[str, Any]) -> str:
    from ulnager.core.language.phrase import resolved
    from ulnager.filters.columns import held_as
    from ulnager.filters.standards import STANDARDS

    warnings.warn(
        f"{target.replace('-', '_')}(result, column) is deprecated; write "
        f"condition(result, column, target={target!r}).text",
        DeprecationWarning,
        stacklevel=3,
    )
    held = {name: when.pop(name) for name in ("column_type", "tz") if name in when}
    found = resolved(result, tz=held.get("tz"), **when)
    return STANDARDS[target](found, on, held_as(**held))


def sarif(findings: Iterable[Any]) -> dict[str, Any]:
    """``sarif()`` of what :func:`ulnager.check` returns."""
    from ulnager.checking.findings import Findings

    told("sarif(findings)", "check(book).sarif()")
    return Findings(findings).sarif()


def gone(name: str) -> Any:
    """A name that is no longer listed, with a warning where it is not a call that warns."""
    if name == "FileSource":
        from ulnager.sources.file_source import FileSource

        told("ulnager.FileSource", "ulnager.open_source")
        return FileSource
    if name == "TableRow":
        from ulnager.core.calendars.table_calendar import TableRow

        told("ulnager.TableRow", "a tuple of unit, start, end and label")
        return TableRow
    return globals()[name]
