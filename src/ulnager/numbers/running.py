"""Running measures: for each day the measure of a phrase that is measured from that day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any, NamedTuple, Unpack

import numpy as np
from numpy.typing import NDArray

from ulnager.core.arguments import checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import SettingError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import Settings, as_period
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.clock import calendars_of
from ulnager.core.periods.resolution import InstantResolution, Resolution, ResolutionBase
from ulnager.core.periods.spans import Span
from ulnager.core.values import Json
from ulnager.numbers.daily_aggregates import AskedColumn, Measure
from ulnager.numbers.plan import Measures, Plan, Ranges
from ulnager.numbers.totals import SORTS, asked_for, checked_how, first_look, resolved_over
from ulnager.numbers.totals_rows import Totals
from ulnager.sources.opening import source_with

_EPOCH = date(1970, 1, 1).toordinal()


class RunningRow(NamedTuple):
    """A day with the measure of its own window, and why that is not whole."""

    day: date
    split: Any
    value: Any
    window: Span
    reasons: tuple[str, ...] = ()

    @property
    def whole(self) -> bool:
        """Whether nothing is missing from its window."""
        return not self.reasons

    def to_dict(self) -> Json:
        """The row as plain values."""
        return {
            "day": self.day,
            "split": self.split,
            "value": self.value,
            "start": self.window.start,
            "end": self.window.end,
            "whole": self.whole,
            "reasons": list(self.reasons),
        }


@dataclass(frozen=True)
class Running:
    """The rows of :func:`running`, a day and split each, in order."""

    rows: tuple[RunningRow, ...]
    period: Period
    over: Resolution
    told_as: str | None = field(default=None, repr=False, compare=False)
    """What is told in place of the phrase, where viewers do not know that."""
    daily: Totals | None = field(default=None, repr=False, compare=False)
    """What the days themselves hold, where a page draws them behind."""

    def to_dict(self) -> Json:
        """The measure as plain values, ready for JSON."""
        rows = []
        for row in self.rows:
            told = row.to_dict()
            rows.append(
                {key: str(one) if isinstance(one, date) else one for key, one in told.items()}
            )
        return {
            "period": str(self.period),
            "over": self.told_as or str(self.over.period),
            "rows": rows,
        }

    def __repr__(self) -> str:
        return f"<running {self.period}: {len(self.rows):,} row{'s' * (len(self.rows) != 1)}>"


@checked(options=Settings, **SORTS)
def running(
    source: object,
    period: Period | str,
    *,
    over: Period | Resolution | str,
    column: str | None = None,
    value: str | None = None,
    how: str | None = None,
    per: str | None = None,
    split: str | None = None,
    where: Mapping[str, Any] | None = None,
    **when: Unpack[Settings],
) -> Running:
    """A measure for each day of ``over``, each over the phrase's own dates as of that day.

    ``last 7 rolling days`` is the seven-day total, ``month to date`` the running total of the
    month. It is worked out from all rows and cut to ``over`` afterwards. ``per`` divides by the
    days in each window: ``day``, ``business day`` or ``day with rows``. The other arguments are
    those of :func:`ulnager.totals`.

    >>> from ulnager.demo import table
    >>> line = running(table("sailings"), "last 7 rolling days", over="2026-04-01/2026-04-02",
    ...                value="passengers", today="2026-05-20")
    >>> [row.value for row in line.rows]
    [2102, 2164]

    Raises SettingError for a phrase with its own ``as of``, or one that may be several spans.
    """
    how = checked_how(how, value, per)
    opened, when = source_with(source, when, over, is_fixed=False)
    asked = asked_for(opened, column, when.get("tz"), value, split, where)
    others = {name: given for name, given in when.items() if name not in ("tz", "data")}
    period = running_period(period, others)
    held, extent = first_look(asked, (value, how), when.get("data"), others)
    plan = running_plan(asked, period, over, (value, how), extent, others, per)
    found: Running = plan.answered(held)
    return found


def running_period(phrase: Period | str, when: Mapping[str, Any]) -> Period:
    """The period that is measured from every day; SettingError for one that cannot be."""
    period = as_period(phrase, calendars_of(when.get("calendar")).chosen)
    if any(part.rule.sets_anchor for part in period.definition.walk()):
        raise SettingError(
            f"'{period}' has an anchor of its own, and every day is one here; leave 'as of' out"
        )
    if period.definition.is_sub_day:
        raise SettingError(f"'{period}' is of hours; a running measure goes by the day")
    return period


def running_plan(
    asked: AskedColumn,
    period: Period,
    over: Period | Resolution | str,
    measure: Measure,
    extent: Extent,
    when: Mapping[str, Any],
    per: str | None = None,
) -> Plan:
    """What a running measure needs, and how it comes out."""
    # A resolution has its dates; what is said besides is for the windows alone.
    of_windows = {"calendar", "calendars", "defaults"} if isinstance(over, ResolutionBase) else ()
    of_dates = {name: one for name, one in when.items() if name not in of_windows}
    shown = resolved_over(over, extent, asked.tz, of_dates)
    if isinstance(shown, InstantResolution):
        raise SettingError(
            f"'{shown.period}' is a period of hours; a running measure has a value for each day"
        )
    days = [day for start, stop in _closed(shown) for day in range(start, stop)]
    calendar = calendars_of(when.get("calendar") or shown.calendar).chosen
    today = None if shown._clock_day is None else date_of(shown._clock_day)
    starts, stops = np.array([], dtype=np.int64), np.array([], dtype=np.int64)
    if days:
        anchors = (np.array(days) - _EPOCH).astype("datetime64[D]")
        found = period.resolve_each(
            anchors,
            calendar=calendar,
            data=extent,
            calendars=when.get("calendars"),
            defaults=when.get("defaults"),
            today=today,
        )
        starts, stops = (_EPOCH + one.astype("datetime64[D]").astype(np.int64) for one in found)
    windows = list(zip(starts.tolist(), stops.tolist(), strict=True))
    wanted: list[Ranges] = [((start, stop),) if start < stop else () for start, stop in windows]
    reasons = _reasons(starts, stops, extent, shown._clock_day)
    spans = [Span(date_of(start), date_of(stop)) for start, stop in windows]

    def finish(answers: Measures) -> Running:
        splits = [None] if asked.split is None else sorted(answers.splits(), key=str)
        columns = [_divided(answers, key, wanted, windows, per, calendar) for key in splits]
        rows = tuple(
            RunningRow(date_of(day), key, column[place], spans[place], reasons[place])
            for place, day in enumerate(days)
            for key, column in zip(splits, columns, strict=True)
        )
        return Running(rows, period, shown)

    return Plan(asked, measure, wanted, finish)


def _divided(
    answers: Measures,
    key: Any,
    wanted: list[Ranges],
    windows: list[tuple[int, int]],
    per: str | None,
    calendar: Calendar,
) -> list[Any]:
    values = answers.of([key], wanted)
    if per is None:
        return values
    if per == "day":
        counts = [stop - start for start, stop in windows]
    elif per == "business day":
        at = calendar.business._position
        counts = [at(stop) - at(start) for start, stop in windows]
    else:
        counts = answers.days_with_rows([key], wanted)
    return [
        None if value is None or count <= 0 else value / count
        for value, count in zip(values, counts, strict=True)
    ]


def _closed(result: Resolution) -> list[tuple[int, int]]:
    found = []
    for start, stop in result.ranges:
        if start is None or stop is None:
            raise SettingError(
                f"'{result.period}' is open on one side; cut it first: '… within data'"
            )
        found.append((start, stop))
    return found


def _reasons(
    starts: NDArray[np.int64], stops: NDArray[np.int64], extent: Extent, today: int | None
) -> list[tuple[str, ...]]:
    """Why the window of each day is not whole."""
    # A last date that lies alone says nothing about the days before it.
    last = (extent.before_last or extent.last).toordinal()
    lost = _missing(starts, stops, extent)
    late = extent._half_loaded() or last + 1
    told = (
        (starts < extent.first.toordinal(), "the window begins before the data"),
        (stops - 1 > last, "the window runs past the data"),
        (lost > 0, None),
        (late < np.minimum(stops, last + 1), "half loaded"),
        (
            np.zeros(len(starts), bool) if today is None else (starts <= today) & (today < stops),
            "still running",
        ),
    )
    found = []
    for place, count in enumerate(lost.tolist()):
        missing = f"{count} day{'s' * (count > 1)} missing"
        found.append(tuple(text or missing for is_so, text in told if is_so[place]))
    return found


def _missing(
    starts: NDArray[np.int64], stops: NDArray[np.int64], extent: Extent
) -> NDArray[np.int64]:
    """How many days of each window are missing."""
    edges = [(low, high) for low, high in extent.missing if low is not None and high is not None]
    if not edges:
        return np.zeros(len(starts), dtype=np.int64)
    low, high = np.array(edges, dtype=np.int64).T
    sums = np.concatenate([[0], np.cumsum(high - low)])

    def before(day: NDArray[np.int64]) -> NDArray[np.int64]:
        """How many missing days lie before a day."""
        place = np.searchsorted(low, day)
        found: NDArray[np.int64] = sums[place]
        return found - np.where(place > 0, np.maximum(high[place - 1] - day, 0), 0)

    found: NDArray[np.int64] = np.where(starts < stops, before(stops) - before(starts), 0)
    return found
