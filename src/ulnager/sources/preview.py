"""Which rows a period keeps, and which it leaves out on each side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from itertools import accumulate
from pathlib import Path
from typing import Any, Final, Unpack

from sqlalchemy import ColumnElement, case, func, select

from ulnager.core.arguments import checked
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import Settings, resolved
from ulnager.core.messages import READING, of_code
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.resolution import InstantResolution, Resolution, ResolutionBase
from ulnager.core.periods.spans import Range, intersection, is_within
from ulnager.core.values import CopiesItself, Json
from ulnager.filters.columns import held_as
from ulnager.filters.frozen_condition import outside, rows_where
from ulnager.filters.lasting import checked_lasting
from ulnager.sources.kept import Kept, ends_in
from ulnager.sources.opening import source_with
from ulnager.sources.source import Relation

MOST_COLUMNS: Final = 200
"""How many columns the first rows show; a table may have many thousands."""


@dataclass(frozen=True)
class Preview(ShowsItself, CopiesItself):
    """What a period does to a table.

    ``source`` is its name and ``column`` that of its dates. ``total`` rows are ``kept``,
    ``before`` the first span, ``after`` the last, ``between`` two spans, or ``nulls``; ``first``
    and ``last`` are the first and last kept value in local
    time; ``extent`` is what the column holds; ``columns`` and ``rows`` are the first kept
    rows in order of date; ``warnings`` say what looks wrong, ``notes`` how the phrase was read.

    >>> import ulnager
    >>> from ulnager.demo import table
    >>> found = ulnager.preview(table("sailings"), "2026-03")
    >>> found.kept, found.before > 0, found.after > 0
    (279, True, True)
    """

    result: Resolution
    source: str
    column: str
    total: int
    kept: int
    before: int
    between: int
    after: int
    nulls: int
    first: date | datetime | None
    last: date | datetime | None
    extent: Extent | None
    columns: tuple[str, ...]
    rows: tuple[tuple[Any, ...], ...]
    warnings: tuple[str, ...]
    notes: tuple[str, ...] = ()
    kept_rows: Kept | None = field(default=None, compare=False, repr=False)

    def __getstate__(self) -> dict[str, object]:
        """Its numbers and first rows, and not what it would ask."""
        return {**self.__dict__, "kept_rows": None}

    def write(
        self,
        target: str | Path,
        *,
        name: str = "kept_rows",
        password: str | None = None,
        replace: bool = False,
        for_spreadsheets: bool = False,
    ) -> int:
        """Write all rows that are kept, in the source's own order; see :meth:`Kept.write`."""
        assert self.kept_rows is not None
        return self.kept_rows.write(
            str(target),
            name=name,
            password=password,
            replace=replace,
            for_spreadsheets=for_spreadsheets,
        )

    def _table(self) -> Table:
        told = [
            ("before", self.before),
            ("between", self.between),
            ("after", self.after),
            ("null", self.nulls),
            ("in all", self.total),
        ]
        rows = [("kept", f"{self.kept:,}", self.first, self.last)]
        rows += [(name, f"{count:,}", None, None) for name, count in told]
        title = f"{self.result.period}: {self.column} of {self.source}"
        return table(
            title, ("rows", "count", "first", "last"), rows, (1,), (*self.warnings, *self.notes)
        )

    def to_dict(self) -> Json:
        """The preview as plain values, ready for JSON."""
        return {
            "period": str(self.result.period),
            "spans": self.result.to_dict()["spans"],
            "source": self.source,
            "column": self.column,
            "rows": {
                "total": self.total,
                "kept": self.kept,
                "before": self.before,
                "between": self.between,
                "after": self.after,
                "null": self.nulls,
            },
            "first_kept": _text(self.first),
            "last_kept": _text(self.last),
            "data": None
            if self.extent is None
            else {"first": _text(self.extent.first), "last": _text(self.extent.last)},
            "warnings": list(self.warnings),
            "notes": list(self.notes),
            "columns": list(self.columns),
            "first_rows": [[_plain(value) for value in row] for row in self.rows],
        }

    def __repr__(self) -> str:
        return f"<preview of {self.result.period}: {self.kept:,} of {self.total:,} rows>"


@checked(options=Settings)
def preview(
    source: object,
    period: Resolution | Period | Bucket | str,
    column: str | None = None,
    *,
    rows: int = 20,
    rounding: str | None = None,
    until: str | None = None,
    lasting: str | None = None,
    **when: Unpack[Settings],
) -> Preview:
    """What a period keeps of a source, with its first ``rows`` rows.

    A phrase or a period is resolved, with ``today=`` and its siblings as for
    :meth:`ulnager.Period.resolve`; the source answers for latest. A path is opened. Where a row
    stands for more than a day, a period that cuts such a unit takes ``rounding``: ``inward`` or
    ``outward``. ``until`` and ``lasting`` are for rows that last, as for :func:`ulnager.where`:
    ``before`` are those that ended by then.

    >>> import ulnager
    >>> from ulnager.demo import table
    >>> sailings = ulnager.open_source(table("sailings"))
    >>> march = preview(sailings, "2026-03", "sailed_on")
    >>> march.kept, march.first, march.last
    (279, datetime.date(2026, 3, 1), datetime.date(2026, 3, 31))

    Raises SourceError as the source does, FilterError for instants without a zone.
    """
    is_fixed = isinstance(period, (ResolutionBase, Bucket))
    source, when = source_with(source, when, period, is_fixed=is_fixed)
    found, tz = source.column(column), when.get("tz")
    days = source.days_held(found, tz)
    if not is_fixed and "data" not in when:
        if not days.days:
            source.extent(found.name, tz)  # Says what is wrong.
        when["data"] = days.extent(source.grain(found, tz, when.get("calendar"), days))
    result = resolved(period, **when)
    grain = source.grain(found, tz, result.calendar, days)
    name = source.value(found.name)
    local = source.local(found, tz)
    kind = held_as(found.column_type or "date", tz, rounding, grain)
    how = checked_lasting(until, lasting)
    ends = None if until is None else ends_in(source, until, tz, how)
    kept = rows_where(result, name, kind, ends)
    before, after = outside(result, name, kind)
    if ends is not None and how != "begin":
        before = outside(result, ends.column, ends.held)[0]

    by_day = grain is None and ends is None and not isinstance(result, InstantResolution)
    of_first = kept
    if by_day and not result.day_starts and kind.stands_for is None:
        counts, inside = _of_days(days.counts, result.ranges)
        first, last = (inside[0], inside[-1]) if inside else (None, None)
        if found.held.has_time:
            extremes = select(func.min(local), func.max(local)).select_from(source.rows)
            ((first, last),) = source.run(extremes.where(kept))
        # What does not come first need not be put in order.
        up_to = accumulate(days.counts[day] for day in inside)
        enough = next((day for day, held in zip(inside, up_to, strict=True) if held >= rows), None)
        if enough is not None:
            until_then = intersection(result.ranges, ((None, enough.toordinal() + 1),))
            of_first = rows_where(result._with_ranges(until_then), name, kind)
    else:
        counts, first, last = _asked(source, kept, name.is_(None), before, after, local)
    total, kept_rows, nulls, early, late = counts
    source.check_days(found, first, last)
    # The column of the dates is always among those shown.
    others = [other for other in source.columns if other.name != found.name]
    picked = {found.name, *(other.name for other in others[: MOST_COLUMNS - 1])}
    held = [other for other in source.columns if other.name in picked]
    shown = [
        source.local(other, tz)
        if other.held.is_instant and other.name == found.name
        else source.value(other.name)
        for other in held
    ]
    # Rows of one day have no order of their own; the other columns give them a steady one.
    first_rows = source.run(select(*shown).where(of_first).order_by(name, *shown).limit(int(rows)))
    extent = days.extent(grain) if days.days else None
    return Preview(
        result,
        source.name,
        found.name,
        total,
        kept_rows,
        early,
        total - kept_rows - early - late - nulls,
        late,
        nulls,
        first,
        last,
        extent,
        tuple(other.name for other in held),
        tuple(first_rows),
        tuple(_warnings(result, extent, total, kept_rows, nulls)),
        _notes(result),
        Kept(source, kept),
    )


def _of_days(
    counts: Mapping[date | None, int], ranges: Sequence[Range]
) -> tuple[tuple[int, int, int, int, int], list[date]]:
    """How many rows there are in all, inside, without a date, before and after, by their days; and
    the days inside, in order."""
    inside: list[date] = []
    early = late = 0
    for day, rows in counts.items():
        if day is None:
            continue
        number = day.toordinal()
        if is_within(number, ranges):
            inside.append(day)
        elif ranges and ranges[0][0] is not None and number < ranges[0][0]:
            early += rows
        elif ranges and ranges[-1][1] is not None and number >= ranges[-1][1]:
            late += rows
    kept = sum(counts[day] for day in inside)
    return (sum(counts.values()), kept, counts.get(None, 0), early, late), sorted(inside)


def _asked(
    source: Relation,
    kept: ColumnElement[bool],
    null: ColumnElement[bool],
    before: ColumnElement[bool],
    after: ColumnElement[bool],
    local: ColumnElement[Any],
) -> tuple[tuple[int, int, int, int, int], Any, Any]:
    """The same of the source itself, with the first and the last value inside."""

    def counted(condition: ColumnElement[bool]) -> ColumnElement[Any]:
        return func.coalesce(func.sum(case((condition, 1), else_=0)), 0)

    asked = select(
        func.count(),
        counted(kept),
        counted(null),
        counted(before),
        counted(after),
        func.min(case((kept, local))),
        func.max(case((kept, local))),
    )
    ((total, inside, nulls, early, late, first, last),) = source.run(asked.select_from(source.rows))
    counts = (int(total), int(inside), int(nulls), int(early), int(late))
    return counts, first, last


def _notes(result: Resolution) -> tuple[str, ...]:
    """What a reader should know that is nothing wrong: how a phrase was read."""
    return tuple(of_code(result.notes, READING))


def _warnings(
    result: Resolution, extent: Extent | None, total: int, kept: int, nulls: int
) -> list[str]:
    notes = _notes(result)
    found = [note for note in result.notes if note not in notes]
    if not total:
        return [*found, "the source has no rows"]
    if extent is None:
        return [*found, "the column holds no date at all, only nulls"]
    is_bounded = result.start is not None or result.end is not None or result.stop is not None
    if not kept and not result.is_empty:
        found.append(nothing_kept(result, extent))
    elif kept == total - nulls and is_bounded:
        found.append(
            f"every row with a date is kept: the data runs from {extent.first} to {extent.last}, "
            "so the period leaves nothing out"
        )
    if extent._lone_text and extent._lone_text not in found:
        found.append(extent._lone_text)
    end, start = result.end, result.start
    if kept and end is not None and extent.last < end:
        short = (end - extent.last).days
        found.append(
            f"the data ends on {extent.last}, {short} day{'s' if short > 1 else ''} before "
            f"the period does on {end}"
        )
    if kept and start is not None and not isinstance(start, datetime) and extent.first > start:
        found.append(f"the data begins on {extent.first}, after the period does on {start}")
    return found


def nothing_kept(result: Resolution, extent: Extent) -> str:
    """That no row is kept, the likely reason, and what to do."""
    found = f"no row is kept: the data runs from {extent.first} to {extent.last}"
    start = result.start
    if start is not None and not isinstance(start, datetime) and extent.last < start:
        return f"{found}, and the period begins on {start}; measure it 'as of latest'"
    return found


def _text(value: date | None) -> str | None:
    return None if value is None else value.isoformat()


def _plain(value: Any) -> Any:
    """A cell as JSON can hold it."""
    if value is None or isinstance(value, (bool, int, float, str)):
        return value
    return value.isoformat() if isinstance(value, date) else str(value)
