"""Conditions in open standards: OData 4 ``$filter``, and CQL2 as text and as JSON.

OData: OASIS OData 4.01, part 2, 5.1.1. CQL2: OGC 21-065r2. Both know dates and instants,
and no local time without a zone.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import UTC, date, datetime, tzinfo
from typing import Any, Final, NamedTuple

from ulnager.core.arguments import Wanted, checked
from ulnager.core.errors import FilterError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import resolved
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.columns import Bounds, column_bounds, held_as

_IDENTIFIER: Final = re.compile(r"[^\W\d]\w{0,127}")
_TYPES: Final = ("date", "timestamptz")


@checked(on=Wanted((str,), "the name of a column"))
def odata(
    result: Resolution | Period | str,
    on: str,
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    **when: Any,
) -> str:
    """An OData 4 ``$filter`` expression that keeps the rows of a resolution.

    >>> import ulnager
    >>> odata(ulnager.period("2026-03").resolve(), "sailed_on")
    'sailed_on ge 2026-03-01 and sailed_on lt 2026-04-01'

    ``on`` is a property, or a path of them with ``/``. A phrase or a period is resolved, with
    ``today=`` and its siblings as for :meth:`ulnager.Period.resolve`. Raises FilterError for a
    name that OData cannot hold, or a type that it has no literals for.
    """
    if not all(_IDENTIFIER.fullmatch(part) for part in on.split("/")):
        raise FilterError(f"{on!r} is no name of an OData property: letters, digits and _ only")
    return _written(_ODATA, on, _bounds(resolved(result, tz=tz, **when), column_type, tz))


@checked(on=Wanted((str,), "the name of a column"))
def cql2(
    result: Resolution | Period | str,
    on: str,
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    **when: Any,
) -> str:
    """A CQL2 text expression that keeps the rows of a resolution.

    >>> import ulnager
    >>> cql2(ulnager.period("until 2026-03-31").resolve(), "sailed_on")
    "sailed_on < DATE('2026-04-01')"
    """
    name = on if _IDENTIFIER.fullmatch(on) else '"' + on.replace('"', '""') + '"'
    return _written(_CQL2, name, _bounds(resolved(result, tz=tz, **when), column_type, tz))


@checked(on=Wanted((str,), "the name of a column"))
def cql2_json(
    result: Resolution | Period | str,
    on: str,
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    **when: Any,
) -> Any:
    """A CQL2 JSON expression that keeps the rows of a resolution, as plain values."""
    property_ = {"property": on}
    spans: list[Any] = []
    for start, stop in _bounds(resolved(result, tz=tz, **when), column_type, tz):
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


def _bounds(result: Resolution, column_type: str, tz: str | tzinfo | None) -> Bounds:
    if column_type not in _TYPES:
        raise FilterError(
            f"there are no literals for {column_type!r} in this standard; use {' or '.join(_TYPES)}"
        )
    return column_bounds(result, held_as(column_type, tz))


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


STANDARDS: Final[dict[str, Callable[..., str]]] = {
    "odata": odata,
    "cql2": cql2,
    "cql2-json": lambda *args, **options: json.dumps(cql2_json(*args, **options)),
}
