"""Rows that last: contracts, stays and repairs, which begin on one day and end on another.

A row is in a period when the two **overlap**; or when it lies **inside**, or when it **begins** in
it. The day on which a row ends belongs to it; without one it is still open. A row without a
beginning is never kept.
"""

from __future__ import annotations

import functools
import operator
from collections.abc import Callable
from typing import Any, Final

from ulnager.core.errors import FilterError
from ulnager.core.periods.resolution import ResolutionBase

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


def lasting_where(
    result: ResolutionBase,
    column: Any,
    until: Any,
    lasting: str,
    compared: Callable[[ResolutionBase, Any], Any],
    is_open: Callable[[], Any],
) -> Any:
    """The condition of rows that last, in whatever ``compared`` writes conditions in.

    ``compared`` gives the condition of a resolution for a column, and ``is_open`` the one that a
    row has no end.
    """
    if lasting == "begin" or not result.ranges:
        return compared(result, column)
    spans = []
    for start, stop in result.ranges:
        if lasting == "inside":
            span = result._with_ranges(((start, stop),))
            spans.append(compared(span, column) & compared(span, until))
            continue
        begun = compared(result._with_ranges(((None, stop),)), column)
        if start is None:
            spans.append(begun)
            continue
        going = compared(result._with_ranges(((start, None),)), until) | is_open()
        spans.append(begun & going)
    return functools.reduce(operator.or_, spans)
