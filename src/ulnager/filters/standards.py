"""Conditions in open standards: OData 4 ``$filter``, and CQL2 as text and as JSON.

OData: OASIS OData 4.01, part 2, 5.1.1. CQL2: OGC 21-065r2. Both know dates and instants,
and no local time without a zone.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import UTC, date, datetime, tzinfo
from typing import Any, Final

from ulnager.core.errors import FilterError
from ulnager.core.resolution import Resolution
from ulnager.core.zones import zone_named
from ulnager.filters.columns import column_bounds

_IDENTIFIER: Final = re.compile(r"[^\W\d]\w{0,127}")
_TYPES: Final = ("date", "timestamptz")


def odata(
    result: Resolution, on: str, *, column_type: str = "date", tz: str | tzinfo | None = None
) -> str:
    """An OData 4 ``$filter`` expression that keeps the rows of a resolution.

    >>> import ulnager
    >>> odata(ulnager.period("2026-03").resolve(), "sailed_on")
    'sailed_on ge 2026-03-01 and sailed_on lt 2026-04-01'

    ``on`` is a property, or a path of them with ``/``. Raises FilterError for a name that
    OData cannot hold, or a type that it has no literals for.
    """
    if not all(_IDENTIFIER.fullmatch(part) for part in on.split("/")):
        raise FilterError(f"{on!r} is no name of an OData property: letters, digits and _ only")
    spans = []
    for start, stop in _bounds(result, column_type, tz):
        sides = [f"{on} ge {_text(start)}"] if start is not None else []
        sides += [f"{on} lt {_text(stop)}"] if stop is not None else []
        spans.append(" and ".join(sides) or f"{on} ne null")
    return _joined(spans, " or ", "false")


def cql2(
    result: Resolution, on: str, *, column_type: str = "date", tz: str | tzinfo | None = None
) -> str:
    """A CQL2 text expression that keeps the rows of a resolution.

    >>> import ulnager
    >>> cql2(ulnager.period("until 2026-03-31").resolve(), "sailed_on")
    "sailed_on < DATE('2026-04-01')"
    """
    name = on if _IDENTIFIER.fullmatch(on) else '"' + on.replace('"', '""') + '"'
    spans = []
    for start, stop in _bounds(result, column_type, tz):
        sides = [f"{name} >= {_call(start)}"] if start is not None else []
        sides += [f"{name} < {_call(stop)}"] if stop is not None else []
        spans.append(" AND ".join(sides) or f"{name} IS NOT NULL")
    return _joined(spans, " OR ", "FALSE")


def cql2_json(
    result: Resolution, on: str, *, column_type: str = "date", tz: str | tzinfo | None = None
) -> Any:
    """A CQL2 JSON expression that keeps the rows of a resolution, as plain values."""
    property_ = {"property": on}
    spans: list[Any] = []
    for start, stop in _bounds(result, column_type, tz):
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


def _bounds(result: Resolution, column_type: str, tz: str | tzinfo | None) -> Any:
    if column_type not in _TYPES:
        raise FilterError(
            f"there are no literals for {column_type!r} in this standard; use {' or '.join(_TYPES)}"
        )
    return column_bounds(result, column_type, None if tz is None else zone_named(tz))


def _joined(spans: list[str], word: str, nothing: str) -> str:
    if len(spans) == 1:
        return spans[0]
    return "(" + word.join(f"({span})" for span in spans) + ")" if spans else nothing


def _text(value: date) -> str:
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat().replace("+00:00", "Z")
    return value.isoformat()


def _call(value: date) -> str:
    return f"{'TIMESTAMP' if isinstance(value, datetime) else 'DATE'}('{_text(value)}')"


def _value(value: date) -> dict[str, str]:
    return {"timestamp" if isinstance(value, datetime) else "date": _text(value)}


STANDARDS: Final[dict[str, Callable[..., str]]] = {
    "odata": odata,
    "cql2": cql2,
    "cql2-json": lambda *args, **options: json.dumps(cql2_json(*args, **options)),
}
