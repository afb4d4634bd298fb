"""Resolutions to SQL conditions, built with SQLAlchemy.

The column stands alone on its side, so that an index or a partition can be used.
Names are always quoted; values are bound, or written as literals on request.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Final

from sqlalchemy import ClauseElement, ColumnElement, Dialect, column, quoted_name, table
from sqlalchemy.engine.default import DefaultDialect
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.elements import BindParameter, BooleanClauseList
from sqlalchemy.sql.operators import and_ as and_op
from sqlalchemy.sql.operators import or_ as or_op
from sqlalchemy.sql.visitors import iterate

from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.errors import FilterError
from ulnager.core.suggest import no_such
from ulnager.filters.engines import TARGETS, engine_of

STYLES: Final = {
    "named": "named",
    "pyformat": "pyformat",
    "qmark": "qmark",
    "format": "format",
    "numeric": "numeric",
    "dollar": "numeric_dollar",
}
"""How drivers mark parameters, as PEP 249 names it (and ``$1``), with SQLAlchemy's names."""


@functools.cache
def dialect_named(target: str, paramstyle: str | None = None) -> DefaultDialect:
    """The dialect of a target, for text; FilterError when there is none of that name."""
    if target not in TARGETS:
        raise FilterError(f"there is no target {target!r}; choose {', '.join(TARGETS)}")
    style = STYLES.get(paramstyle or "named")
    if style is None:
        raise FilterError(f"there is no paramstyle {paramstyle!r}; choose {', '.join(STYLES)}")
    return TARGETS[target].dialect()(paramstyle=style)  # type: ignore[arg-type]


@dataclass(frozen=True)
class Condition:
    """A condition as text, with the values of its parameters in ``parameters``.

    ``parameters`` are a mapping, or a list for a driver that counts them; they are empty when the
    values stand in the text as literals. ``names`` are those of a list, in its order.

    >>> import ulnager
    >>> march = ulnager.period("2026-03").resolve()
    >>> print(ulnager.condition(march, "sold_on"))
    "sold_on" >= :start_1 AND "sold_on" < :stop_1
    """

    text: str
    parameters: Any = field(default_factory=dict)
    names: tuple[str, ...] = ()

    def __str__(self) -> str:
        return self.text

    def with_values(self, values: Mapping[str, Any]) -> Condition:
        """The same with values for parameters by their names, such as ``view.parameters``.

        >>> import ulnager
        >>> days = ulnager.condition("last {n} days", "sold_on", target="sqlite",
        ...                          paramstyle="qmark")
        >>> set(days.with_values({"n": 7}).parameters)
        {7}

        Raises FilterError for a name that it has no parameter of.
        """
        known = set(self.names or self.parameters)
        for name in values:
            if name not in known:
                raise FilterError(no_such("parameter", name, sorted(known)))
        if isinstance(self.parameters, dict):
            return replace(self, parameters={**self.parameters, **values})
        pairs = zip(self.names, self.parameters, strict=True)
        return replace(self, parameters=[values.get(name, held) for name, held in pairs])


def named_column(on: str | ColumnElement[Any]) -> ColumnElement[Any]:
    """The column itself, or one of that name, which is always quoted.

    A name may have its table and schema before it, parted by dots: each part is quoted by itself.
    In double quotes a dot belongs to the name: ``'"a.b"'`` is one column.
    """
    if hasattr(on, "__clause_element__"):  # An attribute of a mapped class.
        on = on.__clause_element__()
    if not isinstance(on, (str, ColumnElement)):
        raise FilterError(f"{shown(on)} is no column; give its name, or a SQLAlchemy column")
    if isinstance(on, str) and not on:
        raise FilterError("the column has no name; give the name of a date column")
    if not isinstance(on, str):
        return on
    *place, name = [quoted_name(part, quote=True) for part in _parts(on)]
    if not place:
        return column(name)
    schema = quoted_name(".".join(place[:-1]), quote=True) if place[:-1] else None
    found: ColumnElement[Any] = table(place[-1], column(name), schema=schema).c[name]
    return found


def exact_column(name: str) -> ColumnElement[Any]:
    """The column of exactly that name, whatever signs are in it."""
    return column(quoted_name(name, quote=True))


_PART = re.compile(r'"((?:[^"]|"")+)"|([^".]+)')


def _parts(on: str) -> list[str]:
    """The parts of ``schema.table.column``; the whole text where it is no such name."""
    parts, place = [], 0
    while True:
        match = _PART.match(on, place)
        if match is None:
            return [on]
        parts.append(match[2] if match[1] is None else match[1].replace('""', '"'))
        place = match.end()
        if place == len(on):
            return parts if len(parts) <= 3 else [on]
        if on[place] != ".":
            return [on]
        place += 1


@checked(clause=Wanted((ClauseElement,), "a condition, such as ulnager.where gives"))
def sql_text(clause: ClauseElement, target: str, *, bound: bool = False) -> str:
    """A clause as text, its values as literals, or with ``bound`` its parameters by name.

    >>> import ulnager
    >>> print(sql_text(ulnager.where(ulnager.period("this year"), "sailed_on"), "spark"))
    `sailed_on` >= trunc(current_date(), 'year') AND
    `sailed_on` < add_months(trunc(current_date(), 'year'), 12)

    ``target`` is an engine as for :func:`condition`; any other clause of SQLAlchemy will do, too.
    Raises FilterError for a target there is not, for what it cannot work out, and for open slots
    that are not ``bound``.
    """
    return compiled(clause, dialect_named(target), literal=not bound).text


def _open_names(clause: ClauseElement) -> list[str]:
    """The parameters of a clause that wait for a value."""
    found = (
        one.key
        for one in iterate(clause)
        if isinstance(one, BindParameter) and not one.unique and one.required
    )
    return list(dict.fromkeys(found))


def compiled(clause: ClauseElement, dialect: Dialect, *, literal: bool) -> Condition:
    """A clause as text in a dialect, which can stand beside an AND as it is."""
    is_any = isinstance(clause, BooleanClauseList) and clause.operator is or_op
    whole = clause.self_group(against=and_op) if is_any else clause
    open_ones = _open_names(clause) if literal else []
    if open_ones:
        raise FilterError(
            f"it has parameters ({', '.join(open_ones)}), which are no literals: its text has them "
            "by name when it is bound (literal=False, --bound)"
        )
    text = whole.compile(dialect=dialect, compile_kwargs={"literal_binds": True} if literal else {})
    assert isinstance(text, SQLCompiler)
    if literal:
        return Condition(str(text))
    as_text = engine_of(dialect.name).text_parameters
    parameters = {
        name: str(value) if as_text and isinstance(value, datetime) else value
        for name, value in ((name, _bound(text, name, held)) for name, held in text.params.items())
    }
    if not text.positional:
        return Condition(str(text), parameters)
    names = tuple(text.positiontup or ())
    return Condition(str(text), [parameters[name] for name in names], names)


def _bound(text: SQLCompiler, name: str, value: Any) -> Any:
    """A value as a driver takes it: what an engine keeps as text, or in UTC, is written so."""
    process = getattr(text.binds[name].type, "process_bind_param", None)
    return value if process is None or value is None else process(value, text.dialect)
