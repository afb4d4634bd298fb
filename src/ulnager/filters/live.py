"""Live conditions: a period as SQL that works out its own bounds, every day anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, tzinfo
from typing import Any

from sqlalchemy import ColumnElement

from ulnager.core.arguments import checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.explain import readings_notes
from ulnager.core.periods.grain import Grain
from ulnager.filters.live_condition import Live
from ulnager.filters.open_slots_sql import open_where


@checked()
def live_where(
    period: Period | str,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    defaults: Defaults | None = None,
    latest: object = None,
    latest_type: str | None = None,
    open_ended: Sequence[date | str] = (),
    today: date | None = None,
    now: datetime | str | None = None,
    anchor: str | ColumnElement[Any] | None = None,
    anchor_type: str = "date",
    running: bool = False,
    date_table: str | None = None,
    rounding: str | None = None,
    grain: str | Grain | None = None,
    day_starts: str = "00:00",
    parameters: Mapping[str, ColumnElement[Any]] | None = None,
) -> ColumnElement[bool]:
    """A condition that moves with the engine's clock, for any SQLAlchemy ``select``.

    ``column_type``, ``tz``, ``rounding`` and ``grain`` are those of :func:`ulnager.condition`;
    ``tz`` also says where today is. ``latest`` is the table (with its schema before a dot if need
    be) and the column whose dates answer for ``latest`` and ``earliest``; ``latest_type`` is what
    that column holds: ``date``, ``timestamp`` or ``timestamptz``. ``open_ended`` are dates in it
    that stand for none, such as 9999-12-31. ``today`` fixes the clock, to try another day, and
    ``now``, an aware datetime, its instant. A new day begins at ``day_starts``, a full hour, for
    the clock and for timestamps and instants alike; dates are the days that they say.

    With ``anchor``, a column, every row is measured from its own date there; that day is over,
    unless it is ``running``. ``anchor_type`` is as for ``latest``.

    ``date_table`` is the name of a table that ``ulnager calendar --to`` wrote from ``calendar``;
    calendars of weeks and tables, own units and business days take it. It has to hold every day
    that is asked for: where one is missing, no row is kept.

    The slots of a phrase that has some, ``last {n} days``, become bound parameters of their names;
    a value beyond its bounds, and null, keep no row. ``parameters`` are other SQL for them.

    Raises FilterError for what no engine can work out, and when it is compiled for what that one
    cannot; ResolveError for a period that may have several spans.
    """
    period = as_period(period, calendar)
    live = Live(
        column_type=column_type, tz=tz, calendar=calendar, calendars=calendars,
        defaults=defaults, latest=latest, latest_type=latest_type,
        open_ended=open_ended, today=today, now=now, anchor=anchor,
        anchor_type=anchor_type, running=running, date_table=date_table,
        rounding=rounding, grain=grain, day_starts=day_starts, parameters=parameters,
    )  # fmt: skip
    if isinstance(period, OpenPeriod):
        return open_where(live, period, on)
    return live.where(period.definition, on)


def live_notes(period: Period, defaults: Defaults | None = None) -> tuple[str, ...]:
    """How an ambiguous phrase is read where it is live, and how else it could be."""
    basis = Basis(GREGORIAN, 0, True)
    basis.defaults, basis.decided = defaults or basis.defaults, defaults is not None
    return tuple(readings_notes(period.definition, basis, dated=False))
