"""One comparison for many periods: a statement in which parameters choose the dates.

Each period gives its start and its stop to a CASE, and the column is compared with both, so that
an index serves; what is measured from is worked out once, and a count is a parameter that is
counted with.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, Final, NamedTuple

from sqlalchemy import ColumnElement, Dialect, String, and_, false, literal_column, or_, true
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler

from ulnager.core.errors import UlnagerError
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.period_tree import Joined, Part, Sorted, parts_of
from ulnager.filters.engine_sql import ROW, EngineSql
from ulnager.filters.engines import engine_of
from ulnager.filters.engines.engine import HIDDEN, marked
from ulnager.filters.live_condition import Live, Ready, has_open_counts
from ulnager.filters.primitives import Test
from ulnager.filters.sql_text import dialect_named, named_column
from ulnager.filters.sql_values import SqlDay, check_nesting


class Choosable(NamedTuple):
    """A period of a statement: the key that chooses it, what else chooses it, what must hold of its
    inputs, and what it is written with."""

    key: str
    when: tuple[ColumnElement[bool], ...]
    valid: tuple[ColumnElement[bool], ...]
    live: Live
    definition: Definition


def can_be_chosen(one: Choosable) -> bool:
    """Whether a period is one span of days, which can stand among others in a CASE."""
    if one.live.until is not None or one.definition.is_sub_day:
        return False
    return isinstance(parts_of(one.definition), Part)


def counts_along(live: Live, definition: Definition) -> bool:
    """Whether an engine can count with the open counts of a period, and need not list them."""
    if not has_open_counts(definition):
        return True
    if definition.is_sub_day or live.date_table is not None:
        return False
    try:
        if not isinstance(parts_of(definition), Part):
            return False
        live.ready(definition, "d").days(definition, _probe(), *("day" for _ in _texts(live)))
    except UlnagerError:
        return False
    return True


def _probe() -> Dialect:
    return dialect_named("duckdb")


def _texts(live: Live) -> Iterator[ColumnElement[Any]]:
    """What stands in the text of a period: the anchor of each row, if any, and the parameters."""
    if live.anchor is not None:
        yield named_column(live.anchor)
    yield from (live.parameters or {}).values()


class _Alternative(NamedTuple):
    key: str
    ready: Ready
    definition: Definition
    whens: int
    texts: int


class ChosenSpan(Test):
    """The rows of the period that parameters choose, of several; of none where they choose none."""

    def __init__(
        self, column: ColumnElement[Any], chosen: ColumnElement[Any] | None, of: list[Choosable]
    ) -> None:
        clauses: list[ColumnElement[Any]] = [column, true() if chosen is None else chosen]
        self.alternatives = []
        for one in of:
            texts = list(_texts(one.live))
            clauses += [*one.when, and_(true(), *one.valid), *texts]
            ready = one.live.ready(one.definition, column)
            if ready.held.stands_for is not None:
                # Whether it cuts a unit of the column shows where it is written, on any engine.
                ready.days(one.definition, _probe(), *("day" for _ in texts))
            sizes = len(one.when), len(texts)
            self.alternatives.append(_Alternative(one.key, ready, one.definition, *sizes))
        self.is_keyed = chosen is not None
        super().__init__(*clauses)


class _Line(NamedTuple):
    """A period as it is written: what chooses it, what must hold, its start and its stop."""

    key: str
    when: tuple[str, ...]
    valid: str
    start: str | None
    stop: str | None

    @property
    def sides(self) -> tuple[bool, bool]:
        return self.start is not None, self.stop is not None


@compiles(ChosenSpan)
def _chosen_span(element: ChosenSpan, compiler: SQLCompiler, **options: Any) -> str:
    column, chosen, *texts = [
        compiler.process(one, **options).replace("%", HIDDEN) for one in element.clauses
    ]
    said = column, chosen, compiler.process(and_(true()), **options)
    found = _written(element, compiler.dialect, said, texts, is_named=False)
    # A row's own anchor would be asked for within a row, which some engines cannot do.
    if len(found) > _LONG and all(one.ready.has_clock for one in element.alternatives):
        named = _written(element, compiler.dialect, said, texts, is_named=True)
        found = min(found, named, key=len)
    check_nesting(engine_of(compiler.dialect.name), found)
    return str(marked(found, compiler.dialect))


_LONG: Final = 500
"""From so many characters on it may be shorter to give names to what is measured from."""


def _written(
    element: ChosenSpan,
    dialect: Dialect,
    said: tuple[str, str, str],
    texts: list[str],
    *,
    is_named: bool,
) -> str:
    """The condition, with what is measured from as it is, or named in a row of its own."""
    column, chosen, plain = said
    lines: list[_Line] = []
    names: dict[str, str] = {}
    place, sql = 0, None
    for one in element.alternatives:
        when = tuple(texts[place : place + one.whens])
        valid, *own = texts[place + one.whens : place + one.whens + 1 + one.texts]
        place += one.whens + 1 + one.texts
        sql, start, stop = one.ready.days(
            one.definition, dialect, *own, names=names if is_named else None
        )
        sides = [None if side is None else str(side) for side in (start, stop)]
        lines.append(_Line(one.key, when, "" if valid == plain else valid, *sides))
    assert sql is not None
    every = ([line for line in lines if line.sides == sides] for sides in _SIDES)
    groups = [group for group in every if group]
    held = element.alternatives[0].ready.held.column_type
    conditions = []
    for group in groups:
        tests = [
            f"{column} {sign} {_bound(sql, held, _case(entries, chosen, element), names)}"
            for sign, entries in (
                (">=", [(one, one.start, True) for one in group if one.sides[0]]),
                ("<", [(one, one.stop, not one.sides[0]) for one in group if one.sides[1]]),
            )
            if entries
        ]
        if not tests:
            tests = [f"{column} IS NOT NULL", *_any_of(group, chosen, element)]
        elif len(groups) > 1 and element.is_keyed:
            keys = dict.fromkeys(one.key for one in group)
            tests.insert(0, f"{chosen} IN ({', '.join(map(_quoted, keys))})")
        conditions.append(" AND ".join(tests))
    if len(conditions) == 1:
        return f"({conditions[0]})"
    return "(" + "\n OR ".join(f"({one})" for one in conditions) + ")"


_SIDES: Final = ((True, True), (True, False), (False, True), (False, False))


def _bound(sql: EngineSql, held: str, day: str, names: dict[str, str]) -> str:
    """A day as a value of the column, in the one row of what it is measured from."""
    found = sql.day_bound(SqlDay(sql.engine, day), held)
    used = [f"{text} AS {name}" for text, name in names.items() if f"{ROW}.{name}" in found]
    if not used:
        return found
    row = f"(SELECT {', '.join(used)}{sql.engine.from_nothing}) {ROW}"
    return f"(SELECT {found} FROM {row})"


def _quoted(key: str) -> str:
    return "'" + key.replace("'", "''") + "'"


def _any_of(group: list[_Line], chosen: str, element: ChosenSpan) -> Iterator[str]:
    """That one of a group is chosen, where no side is compared that says so."""
    tests = []
    for one in group:
        parts = [f"{chosen} = {_quoted(one.key)}"] if element.is_keyed else []
        parts += [text for text in (*one.when, one.valid) if text]
        tests.append(" AND ".join(parts))
    if all(tests):
        yield f"({' OR '.join(f'({test})' for test in tests)})"


def _case(
    entries: Iterable[tuple[_Line, str | None, bool]], chosen: str, element: ChosenSpan
) -> str:
    """The side of the period that is chosen; a null where none is."""
    by_key: dict[str, list[tuple[_Line, str, bool]]] = {}
    for line, side, is_checked in entries:
        by_key.setdefault(line.key, []).append((line, str(side), is_checked))
    inner = {key: _of_key(some) for key, some in by_key.items()}
    if not element.is_keyed:
        (only,) = inner.values()
        return only
    lines = "".join(f"\n  WHEN {_quoted(key)} THEN {text}" for key, text in inner.items())
    return f"CASE {chosen}{lines} END"


def _of_key(some: list[tuple[_Line, str, bool]]) -> str:
    """The side of what one key stands for; what must hold is asked of one side only."""
    is_checked = some[0][2]
    if not is_checked and len({side for _, side, _ in some}) == 1:
        return some[0][1]  # The other side is null where nothing is chosen.
    valid = {line.valid for line, _, _ in some if is_checked}
    common = next(iter(valid)) if len(valid) == 1 else ""
    asked = is_checked and not common
    more = [
        ((*line.when, line.valid) if asked and line.valid else line.when, side)
        for line, side, _ in some
    ]
    found = _among(more)
    return f"CASE WHEN {common} THEN {found} END" if common else found


def _among(some: list[tuple[tuple[str, ...], str]]) -> str:
    """One of several sides, by what chooses each: values of one expression after another."""
    if len(some) == 1:
        tests, side = some[0]
        return f"CASE WHEN {' AND '.join(tests)} THEN {side} END" if tests else side
    firsts = [_EQUAL.fullmatch(tests[0]) if tests else None for tests, _ in some]
    if all(firsts) and len({first[1] for first in firsts if first}) == 1:
        values: dict[str, list[tuple[tuple[str, ...], str]]] = {}
        for (tests, side), first in zip(some, firsts, strict=True):
            assert first is not None
            values.setdefault(first[2], []).append((tests[1:], side))
            expression = first[1]
        whens = "".join(f" WHEN {value} THEN {_among(inner)}" for value, inner in values.items())
        return f"CASE {expression}{whens} END"
    whens = "".join(f" WHEN {' AND '.join(tests)} THEN {side}" for tests, side in some if tests)
    last = next((f" ELSE {side}" for tests, side in some if not tests), "")
    return f"CASE{whens}{last} END"


_EQUAL: Final = re.compile(r"(.+) = ('[^']*')")


def chosen_where(
    of: Sequence[Choosable],
    column: str | ColumnElement[Any],
    chosen: ColumnElement[Any] | None = None,
) -> ColumnElement[bool]:
    """The rows of the period that is chosen: those of one span in one comparison, others beside."""
    on = named_column(column)
    spans = [one for one in of if can_be_chosen(one)]
    found: list[ColumnElement[bool]] = [ChosenSpan(on, chosen, spans)] if spans else []
    for one in of:
        if one not in spans:
            by_key = [] if chosen is None else [chosen == literal_column(_quoted(one.key), String)]
            found.append(and_(*by_key, *one.when, *one.valid, one.live.where(one.definition, on)))
    return found[0] if len(found) == 1 else or_(false(), *found)


class Cut(NamedTuple):
    """What a switch takes out of a period: a span, or all but some sorts of days."""

    span: Choosable | None
    sorted: Sorted | None = None


def cut_of(one: Choosable, cut: Definition) -> Cut | None:
    """What a cut takes out of a period of one span; None where that is neither."""
    tree = parts_of(cut)
    if isinstance(tree, Sorted) and tree.one == Part(one.definition):
        return Cut(None, tree)
    if not isinstance(tree, Joined) or tree.how != "except" or tree.one != Part(one.definition):
        return None
    if not isinstance(tree.two, Part):
        return None
    return Cut(one._replace(definition=tree.two.definition, valid=()))


def other_days(
    one: Choosable, cut: Sorted, column: str | ColumnElement[Any]
) -> ColumnElement[bool]:
    """The days that a cut by their sort takes out."""
    return ~one.live.sort_test(cut, column) if cut.is_only else one.live.sort_test(cut, column)
