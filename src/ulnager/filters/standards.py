"""Conditions in open standards: OData 4 ``$filter``, and CQL2 as text and as JSON.

OData: OASIS OData 4.01, part 2, 5.1.1. CQL2: OGC 21-065r2. Both know dates and instants,
and no local time without a zone.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any, Final, NamedTuple

from ulnager.core.errors import FilterError
from ulnager.core.periods.resolution import ResolutionBase
from ulnager.filters.columns import Bounds, Held, column_bounds

_IDENTIFIER: Final = re.compile(r"[^\W\d]\w{0,127}")
_TYPES: Final = ("date", "timestamptz")


def odata(result: ResolutionBase, column: str, held: Held) -> str:
    """An OData 4 ``$filter`` expression that keeps the rows of a resolution.

    >>> import ulnager
    >>> from ulnager.filters.columns import held_as
    >>> odata(ulnager.period("2026-03").resolve(), "sailed_on", held_as())
    'sailed_on ge 2026-03-01 and sailed_on lt 2026-04-01'

    ``column`` is a property, or a path of them with ``/``. Raises FilterError for a name that
    OData cannot hold, or a type that it has no literals for.
    """
    if not all(_IDENTIFIER.fullmatch(part) for part in column.split("/")):
        raise FilterError(f"{column!r} is no name of an OData property: letters, digits and _ only")
    return _written(_ODATA, column, _bounds(result, held))


def cql2(result: ResolutionBase, column: str, held: Held) -> str:
    """A CQL2 text expression that keeps the rows of a resolution.

    >>> import ulnager
    >>> from ulnager.filters.columns import held_as
    >>> cql2(ulnager.period("until 2026-03-31").resolve(), "sailed_on", held_as())
    "sailed_on < DATE('2026-04-01')"
    """
    name = column if _IDENTIFIER.fullmatch(column) else '"' + column.replace('"', '""') + '"'
    return _written(_CQL2, name, _bounds(result, held))


def cql2_json(result: ResolutionBase, column: str, held: Held) -> Any:
    """A CQL2 JSON expression that keeps the rows of a resolution, as plain values."""
    property_ = {"property": column}
    spans: list[Any] = []
    for start, stop in _bounds(result, held):
        sides = [
            {"op": sign, "args": [property_, _value(side)]}
            for sign, side in ((">=", start), ("<", stop))
            if side is not None
        ]
        if not sides:
            sides = [{"op": "not", "args": [{"op": "isNull", "args": [property_]}]}]
        spans.append(sides[0] if len(sides) == 1 else {"op": "and", "args": sides})
    if not spans:
        return False
    return spans[0] if len(spans) == 1 else {"op": "or", "args": spans}


def _bounds(result: ResolutionBase, held: Held) -> Bounds:
    if held.column_type not in _TYPES:
        raise FilterError(
            f"there are no literals for {held.column_type!r} in this standard; use "
            f"{' or '.join(_TYPES)}"
        )
    return column_bounds(result, held)


class _Standard(NamedTuple):
    """How a standard says things: comparisons, joins, a value that is there, and nothing."""

    from_: str
    before: str
    and_: str
    or_: str
    present: str
    nothing: str
    literal: Callable[[date], str]


def _written(words: _Standard, name: str, bounds: Bounds) -> str:
    spans = []
    for start, stop in bounds:
        sides = [
            f"{name} {sign} {words.literal(side)}"
            for sign, side in ((words.from_, start), (words.before, stop))
            if side is not None
        ]
        spans.append(words.and_.join(sides) or f"{name} {words.present}")
    if len(spans) == 1:
        return spans[0]
    # In brackets, or an AND put before it would bind to the first span only.
    return f"({words.or_.join(f'({span})' for span in spans)})" if spans else words.nothing


def _text(value: date) -> str:
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat().replace("+00:00", "Z")
    return value.isoformat()


def _call(value: date) -> str:
    return f"{'TIMESTAMP' if isinstance(value, datetime) else 'DATE'}('{_text(value)}')"


_ODATA: Final = _Standard("ge", "lt", " and ", " or ", "ne null", "false", _text)
_CQL2: Final = _Standard(">=", "<", " AND ", " OR ", "IS NOT NULL", "FALSE", _call)


def _value(value: date) -> dict[str, str]:
    return {"timestamp" if isinstance(value, datetime) else "date": _text(value)}


STANDARDS: Final[dict[str, Callable[[ResolutionBase, str, Held], str]]] = {
    "odata": odata,
    "cql2": cql2,
    "cql2-json": lambda *given: json.dumps(cql2_json(*given)),
}
