"""From and to points, open sides, and dates that are written out."""

from __future__ import annotations

from typing import Any

from ulnager.core.calendars.zones import LAST_DAY
from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import Label
from ulnager.core.periods.phrases.named import between_names
from ulnager.core.periods.phrases.points import day
from ulnager.core.periods.phrases.table import Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.text import pattern
from ulnager.core.units import Unit

_PART_OF_YEAR = pattern(r"[QH][1-4] \d{4}")

# From and to points.


@row(Kind.SPAN, "{point}", from_anchor=False, of_point=True)
def on(c: Basis, point: Definition) -> Pair:
    return c.begin(point), c.finish(point)


@row(
    Kind.SPAN,
    "from {point} to {point_2}",
    "It begins at {start} and ends {ends}, both ends in.",
    also=("between {point} and {point_2}", "from {point} until {point_2}"),
    ends=("begin", "finish 2"),
    can_be_empty=True,
    never_empty=lambda point, point_2: point.rule is day and point_2.rule is day,
    last_days=(False, True),
    from_anchor=False,
)
def between(c: Basis, point: Definition, point_2: Definition) -> Pair:
    named = between_names(c, point, point_2)
    return named or (c.begin(point), c.finish(point_2))


@row(
    Kind.SPAN,
    "since {point}",
    "It begins at {start} and ends with {the_anchor}.",
    ends=("begin", "to date"),
    can_be_empty=True,
    never_empty=lambda point: _has_begun(point),
    asks="anchor",
)
def since(c: Basis, point: Definition) -> Pair:
    return c.begin(point), c.anchor + c.one


def _has_begun(point: Definition) -> bool:
    """A unit around the anchor does not start after it."""
    return point.rule.side == "start" and point.args[0].rule.place in (0, -1)


@row(
    Kind.SPAN,
    "before {point}",
    "Everything before {stop} is in.",
    ends=("day", "begin"),
    opens=(True, False),
    from_anchor=False,
)
def before(c: Basis, point: Definition) -> Pair:
    return None, c.begin(point)


@row(
    Kind.SPAN,
    "until {point}",
    "Everything up to its end is in: it ends {ends}.",
    ends=("day", "finish"),
    opens=(True, False),
    last_days=(True,),
    from_anchor=False,
)
def until(c: Basis, point: Definition) -> Pair:
    return None, c.finish(point)


@row(
    Kind.SPAN,
    "after {point}",
    "Everything after it is in: it begins at {start}.",
    ends=("finish", "day"),
    opens=(False, True),
    last_days=(True,),
    from_anchor=False,
)
def after(c: Basis, point: Definition) -> Pair:
    return c.finish(point), None


@row(
    Kind.SPAN,
    "from {point}",
    "Everything from {start} on is in.",
    ends=("begin", "day"),
    opens=(False, True),
    goes_on=True,
    from_anchor=False,
)
def from_(c: Basis, point: Definition) -> Pair:
    return c.begin(point), None


@row(
    Kind.SPAN,
    "{unit} of {point}",
    "It is the whole {unit} around that day, from {start}.",
    also=("{unit} containing {point}",),
    ends=("unit", "unit"),
    step="unit",
    from_anchor=False,
    # The week of a month is no one week.
    refuses=lambda unit, point: point.rule.kind is not Kind.POINT,
)
def unit_of(c: Basis, unit: Unit, point: Definition) -> Pair:
    day = c.begin(point)
    return c.calendar._unit_start(day, unit), c.calendar._unit_stop(day, unit)


@row(
    Kind.SPAN,
    "all dates",
    "Nothing is cut off on either side.",
    also=("all time", "everything"),
    opens=(True, True),
    from_anchor=False,
)
def all_dates(c: Basis) -> Pair:
    return None, None


@row(
    Kind.SPAN,
    "{iso}",
    "These dates are fixed; no anchor moves them.",
    ends=("fixed", "fixed"),
    step="fixed",
    opens=lambda iso: (iso.start is None, iso.stop is None or iso.stop > LAST_DAY),
    is_written=True,
    from_anchor=False,
)
def fixed(c: Basis, iso: Any) -> Pair:
    return iso.start, iso.stop


@row(
    Kind.SPAN,
    "{label}",
    "The calendar calls these dates so; no anchor moves them.",
    is_written=True,
    from_anchor=False,
)
def labelled(c: Basis, label: Label) -> Pair:
    found = c.calendar._labelled(label.text)
    if found is None and _PART_OF_YEAR.fullmatch(label.text):
        # Where years are not the Gregorian ones, their quarters and halves are marked so.
        found = c.calendar._labelled(label.text.replace(" ", " FY"))
    if found is None:
        weeks = c.calendar._plain._weeks_named(label.text)
        if weeks is not None:
            raise ResolveError(f"there is no {label}: {weeks}")
        raise ResolveError(
            f"this calendar calls nothing {label}; its labels look like "
            + ", ".join(f'"{text}"' for text in c.calendar._sample_labels())
        )
    return found
