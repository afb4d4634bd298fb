"""Periods as tables, for tools that can only join: their days, or their bounds."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, date, datetime, tzinfo
from typing import Any, Final

from ulnager.core.errors import ResolveError
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.periods.spans import Span
from ulnager.core.words import label_of

Named = tuple[str, str, Resolution] | tuple[str, str, Resolution, str]
"""The name of a period, its label, its dates, and its short label where it has one."""

FIRST_DATE: Final = date.min
LAST_DATE: Final = date.max
"""What an open side is in a table of bounds, since null joins with nothing."""


def short_label(result: Resolution) -> str:
    """The dates of a resolution in a few words, however many spans it has.

    >>> import ulnager
    >>> short_label(ulnager.period("2026 only weekends").resolve())
    '3 Jan to 27 Dec 2026, 52 spans'
    """
    spans = result.spans
    if len(spans) < 2:
        return result.label
    return f"{label_of(Span(spans[0].start, spans[-1].stop))}, {len(spans)} spans"


def membership_table(
    resolutions: Iterable[Named],
    first: date | None = None,
    last: date | None = None,
    *,
    clip: bool = False,
    data: Extent | None = None,
) -> dict[str, Any]:
    """One row for each period and day in it, in the order in which the periods come.

    The columns are ``period``, ``label``, ``short_label`` (its own, else the dates in words),
    ``period_order`` (from 1) and ``date``. Without ``first`` and ``last`` the table covers its
    periods, open ones as far as the ``data`` goes. With them a period that reaches outside is a
    ResolveError, unless ``clip`` cuts it; so are a period of hours and an open one without data.
    Joined to rows without choosing a period, a row counts once for each period that its day is in.
    """
    import numpy as np

    parts: dict[str, list[Any]] = {
        name: [] for name in ("period", "label", "short_label", "period_order", "date")
    }
    for order, (name, label, result, *short) in enumerate(resolutions, 1):
        low, high = _limits(name, result, first, last, clip, data)
        days = np.arange(np.datetime64(low, "D"), np.datetime64(high, "D") + np.timedelta64(1, "D"))
        inside = days[result.mask(days)]
        values = (name, label, _short(result, short), order)
        for column, value in zip(parts, values, strict=False):
            parts[column].append(np.full(inside.size, value))
        parts["date"].append(inside)
    return {name: np.concatenate(found) if found else np.array([]) for name, found in parts.items()}


def _short(result: Resolution, said: Sequence[str]) -> str:
    return next((one for one in said if one), "") or short_label(result)


def _limits(
    name: str,
    result: Resolution,
    first: date | None,
    last: date | None,
    clip: bool,
    data: Extent | None,
) -> tuple[date, date]:
    """Between which days the rows of a period lie."""
    if isinstance(result, InstantResolution):
        raise ResolveError(f"{name} is a period of hours, and a table of days has no place for it")
    if result.is_empty:
        return date.max, date.max
    start, end = result.start, result.end
    ends = (("first", start, first), ("last", end, last))
    for side, edge, limit in ends:
        beyond = edge is None or (
            limit is not None and (edge < limit if side == "first" else edge > limit)
        )
        if limit is not None and beyond and not clip:
            shown = result.label
            raise ResolveError(
                f"{name} is {shown}, which reaches outside the table's {side} day, {limit}; "
                "take a longer table, leave the dates out to cover the periods, or say --clip "
                "(clip=True) to cut it there"
            )
    low, high = first or start, last or end
    if low is None or high is None:
        if data is None:
            raise ResolveError(
                f"{name} is open on one side ({result.label}), and a table of days ends somewhere; "
                "give the first and last day with --clip, or data (--source) to cut it to"
            )
        low, high = low or data.first, high or data.last
    return low, high


def bounds_table(resolutions: Iterable[Named], zone: tzinfo | None = None) -> dict[str, list[Any]]:
    """One row for each period: what to join by where rows have dates or instants.

    The columns are ``key``, ``label``, ``short_label``, ``sort_order`` (from 1), ``start``, the
    exclusive ``stop`` and ``is_empty``; with a ``zone`` also ``start_utc`` and ``stop_utc``, the
    instants at which the days begin there. A period of several spans has a row for each. An open
    side is 0001-01-01 or 9999-12-31, and an empty period starts and stops on its anchor, so that
    ``day >= start AND day < stop`` holds for what is in and for nothing else.
    """
    names = ["key", "label", "short_label", "sort_order", "start", "stop", "is_empty"]
    if zone is not None:
        names += ["start_utc", "stop_utc"]
    rows: list[Sequence[Any]] = []
    for order, (name, label, result, *short) in enumerate(resolutions, 1):
        if isinstance(result, InstantResolution):
            raise ResolveError(f"{name} is a period of hours; a table of bounds holds days")
        bounds = [(span.start or FIRST_DATE, span.stop or LAST_DATE) for span in result.spans]
        told = (name, label, _short(result, short), order)
        days: list[tuple[Any, Any]] = list(bounds) or [(result.anchor.day,) * 2]
        instants: list[tuple[Any, ...]] = (
            [()] * len(days)
            if zone is None
            else [
                (_instant(start, datetime.min), _instant(stop, datetime.max.replace(microsecond=0)))
                for start, stop in result.instants(zone)
            ]
            or [(datetime.combine(result.anchor.day, datetime.min.time()),) * 2]
        )
        rows += [
            (*told, *ends, result.is_empty, *moments)
            for ends, moments in zip(days, instants, strict=True)
        ]
    return {name: [row[place] for row in rows] for place, name in enumerate(names)}


def _instant(moment: datetime | None, open_side: datetime) -> datetime:
    """An instant in UTC, without its zone."""
    return open_side if moment is None else moment.astimezone(UTC).replace(tzinfo=None)
