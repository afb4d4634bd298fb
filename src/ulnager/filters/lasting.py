"""Rows that last: contracts, stays and repairs, which begin on one day and end on another.

A row is in a period when the two **overlap**; or when it lies **inside**, or when it **begins** in
it. The day on which a row ends belongs to it; without one it is still open. A row without a
beginning is never kept.
"""

from __future__ import annotations

import functools
import operator
from collections.abc import Callable
from datetime import tzinfo
from typing import Any, Final, NamedTuple

from ulnager.core.errors import FilterError
from ulnager.core.periods.resolution import ResolutionBase
from ulnager.filters.columns import Held, held_as

LASTING: Final = ("overlap", "inside", "begin")
"""What a row that lasts has to do to be in a period."""


def checked_lasting(until: object, lasting: str | None) -> str:
    """How rows are in a period; FilterError for another word, or one without an end."""
    if lasting is None:
        return "overlap"
    if lasting not in LASTING:
        raise FilterError(f"lasting is {lasting!r}; choose {', '.join(LASTING)}")
    if until is None:
        raise FilterError("lasting is about rows with an end; name its column: until='ends_on'")
    return lasting


class Ends(NamedTuple):
    """The column of the last day of rows that last, what it holds, and how they are in a period."""

    column: Any
    held: Held
    lasting: str = "overlap"


def ends_of(
    until: Any, until_type: str | None, lasting: str | None, tz: str | tzinfo | None, begins: Held
) -> Ends | None:
    """What is said of the end, which is held as the beginning unless it is said; None for none."""
    how = checked_lasting(until, lasting)
    if until is None and until_type is not None:
        raise FilterError("until_type is about rows with an end; name its column: until='ends_on'")
    if until is None:
        return None
    return Ends(until, begins if until_type is None else held_as(until_type, tz), how)


def lasting_where(
    result: ResolutionBase,
    begins: tuple[Any, Held],
    ends: Ends,
    compared: Callable[[ResolutionBase, Any, Held], Any],
    is_open: Callable[[], Any],
) -> Any:
    """The condition of rows that last, in whatever ``compared`` writes conditions in.

    ``begins`` is the column of the first day with what it holds; ``compared`` gives the condition
    of a resolution for a column, and ``is_open`` the one that a row has no end.
    """
    *last, lasting = ends
    if lasting == "begin" or not result.ranges:
        return compared(result, *begins)
    spans = []
    for start, stop in result.ranges:
        if lasting == "inside":
            span = result._with_ranges(((start, stop),))
            spans.append(compared(span, *begins) & compared(span, *last))
            continue
        begun = compared(result._with_ranges(((None, stop),)), *begins)
        if start is None:
            spans.append(begun)
            continue
        going = compared(result._with_ranges(((start, None),)), *last) | is_open()
        spans.append(begun & going)
    return functools.reduce(operator.or_, spans)
