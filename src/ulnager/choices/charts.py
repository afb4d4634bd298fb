"""Charts of pages: what each shows, and its dates at a moment."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, Protocol, Unpack, cast

from ulnager.choices.frozen import bounds_of, frozen_text
from ulnager.choices.grouping import unit_of_rows, unit_that_fits
from ulnager.choices.labels import dates_dict
from ulnager.choices.picker_base import Choice, PickerBase
from ulnager.choices.picker_state import PickerState
from ulnager.choices.resolver import Moment, Resolver
from ulnager.choices.view import View
from ulnager.choices.view_shape import DatesTold
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import Private, ResolveError, UlnagerError, sentence_of
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period
from ulnager.core.language.walks import shift_of
from ulnager.core.messages import Message, message_of
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.spans import Range, intersection
from ulnager.core.units import Unit
from ulnager.core.values import Json
from ulnager.numbers.chart_model import without_rows
from ulnager.sources.source import Relation

if TYPE_CHECKING:
    from ulnager.choices.value_filters import OpenedValues
    from ulnager.filters.conditions import FrozenOptions
    from ulnager.filters.sql_text import Condition


class ChartSource(Protocol):
    """Where a chart's rows are: its date column and zone, and how to open it at a moment."""

    @property
    def column(self) -> str | None: ...
    @property
    def tz(self) -> str | None: ...
    @property
    def calendar(self) -> Calendar | None: ...
    @property
    def share(self) -> float: ...
    @property
    def rounding(self) -> str | None: ...
    def opened(self, timeout: float | None = None, moment: Moment | None = None) -> Relation: ...
    def extent(self, moment: Moment | None = None) -> Extent: ...


@dataclass(frozen=True)
class Chart:
    """A chart of a page: ``pinned`` to a period of its own, following a picker, or without dates.

    ``limit`` is the period of its source: nothing outside reaches it. The other fields say what is
    drawn.
    """

    key: str
    label: str
    source: str
    column: str | None = None
    pinned: Choice | None = None
    follows: str | None = None
    shift: tuple[int, Unit] | None = None
    limit: Period | None = None
    cut: Callable[[Moment], tuple[Range, ...] | None] | None = field(default=None, compare=False)
    """The days inside of that period at a moment."""
    by: str | None = None
    partial: str = "mark"
    max_buckets: int | None = None
    drawn: Mapping[str, Any] = field(default_factory=dict)
    held: Callable[[str], Mapping[str, Any]] | None = field(default=None, compare=False)
    """What a column of its source holds, for conditions."""
    tz: str | None = None
    """Where the days of its source are."""
    is_of_source: bool = True
    """Whether its rows stand for the days of their source, by its date column."""
    until: str | None = None
    """The column of the last day, for rows that last."""


def choices_without_rows(
    view: View, charts: Sequence[OpenedChart], words: Any
) -> Mapping[str, Message]:
    """Why the dates of choices hold no row of any of the charts that follow their picker, by the
    keys of these."""
    try:
        extents = [chart.extent for chart in charts]
    except UlnagerError:
        return {}
    if not all(
        chart.chart.is_of_source and chart.chart.shift is None and chart.chart.limit is None
        for chart in charts
    ):
        return {}
    known = [one for one in extents if one is not None]
    if not known or len(known) < len(extents):
        return {}
    found = {}
    for choice in view.picker.choices:
        told = [without_rows(view._result_of(choice), one, words) for one in known]
        if told[0] is not None and all(told):
            found[choice.key] = told[0]
    return found


class OpenedChart:
    """A chart at a moment: its dates, and what governs them in words.

    ``view`` is the one that it follows, None for one that is pinned or has no dates; ``told`` says
    where the view's dates came from.
    """

    def __init__(
        self,
        chart: Chart,
        moment: Moment,
        resolver: Resolver,
        view: View | None = None,
        told: Callable[[], str] = str,
    ) -> None:
        self.chart, self.key, self.label = chart, chart.key, moment.words.label(chart.label)
        self.moment, self.view = moment, view
        self.filters: tuple[OpenedValues, ...] = ()
        """The filters by value that its rows go through."""
        self._told = told
        pinned = chart.pinned
        self._pin = (
            None
            if pinned is None
            else PickerState(
                PickerBase("pin", chart.label, (pinned,), pinned.key, resolver=resolver), moment
            )
        )
        """What a pin opens with, as a picker of this one choice would show it."""
        self.resolution: Resolution | None = None
        self.problems: tuple[str, ...] = ()
        self.notes: tuple[str, ...] = ()
        try:
            self._work_out()
        except UlnagerError as error:
            said = sentence_of(error)
            self.resolution = None
            self.problems = (said if isinstance(said, Private) else self.said(said),)

    def said(self, text: str, *arguments: Any, code: str = "") -> Message:
        """A sentence in the viewer's language."""
        return self.moment.words.say(text, *arguments, code=code)

    def counted(self, count: int, unit: str) -> str:
        """So many of a unit, in the viewer's language."""
        return self.moment.words.counted(count, unit)

    def _work_out(self) -> None:
        chart, found = self.chart, None
        if self.view is not None:
            if self.view.problems:
                self.problems = self.view.problems
                return
            found = self.view.resolution
        elif self._pin is not None:
            if self._pin.problems:
                self.problems = self._pin.problems
                return
            found = self._pin.resolution
        if found is None:
            return
        if chart.shift is not None:
            count, unit = chart.shift
            found = found.counterpart(abs(count), unit.name, later=count > 0)
        self.resolution = self._limited(found)

    @property
    def extent(self) -> Extent | None:
        """The dates of its source, as the page knows them."""
        return self.moment.extent((self.chart.source,))

    def _limited(self, found: Resolution) -> Resolution:
        """The dates without what lies outside the period of the source, which is named then."""
        limit, cut = self.chart.limit, self.chart.cut
        ranges = None if cut is None else cut(self.moment)
        if limit is None or ranges is None:
            return found
        kept = intersection(found.ranges, found._bounds_of(ranges))
        if kept == found.ranges:
            return found
        key = "cut by the source's own period, {0}"
        self.notes = (self.said(key, f"'{limit}'", code="cut-by-source"),)
        return found._with_ranges(kept)

    @property
    def dates(self) -> str:
        """Its dates for a person to read."""
        return self.resolution.label if self.resolution is not None else ""

    @property
    def governed_by(self) -> str:
        """What governs its dates, in words."""
        chart = self.chart
        if chart.pinned is not None:
            assert self._pin is not None
            told: str = self.said("pinned to {0}", self._pin.choice_label)
        elif chart.follows is not None:
            told = self._told()
        else:
            return self.said("has no dates")
        if chart.shift is None:
            return told
        count, unit = chart.shift
        side = "later" if count > 0 else "earlier"
        moved = self.counted(abs(count), unit.name)
        return self.said(f"{{0}}, {{1}} {side}", told, moved)

    @property
    def is_hidden(self) -> bool:
        """Whether it follows a picker that viewers do not know of."""
        return self.view is not None and self.view.picker.viewers == "nothing"

    @property
    def governed_for_viewers(self) -> str:
        """The same without the name and the choices of a hidden picker."""
        return self.said("its dates are set here") if self.is_hidden else self.governed_by

    def _dates_dict(self) -> DatesTold | None:
        found = dates_dict(self.resolution, self.moment.words)
        if found is not None and self.is_hidden and self.resolution is not None:
            bounds = bounds_of(self.resolution)
            found["phrase"] = frozen_text(bounds) if bounds else found["label"]
        return found

    @property
    def by(self) -> str | None:
        """The unit that it is grouped by: a coarser one than was asked for where that gives more
        buckets than may be drawn."""
        return self._unit[0]

    @cached_property
    def _unit(self) -> tuple[str | None, Message | None]:
        """The unit, and what is to be said of it; no unit where none gives few enough buckets."""
        is_chosen = self.chart.by == "viewer"
        asked = self.view.by if is_chosen and self.view is not None else self.chart.by
        most, result = self.chart.max_buckets, self.resolution
        if asked is None or (is_chosen and self.view is None):
            return None, None
        if most is None or result is None:
            return asked, None
        own = self.view.picker.by if is_chosen and self.view is not None else None
        units = (Unit.DAY, *result.calendar.units) if own is None else own.of
        try:
            extent, coarse = self.extent, None
            if is_chosen and self.chart.is_of_source and extent is not None:
                asked, coarse = unit_of_rows(asked, result, extent.grain)
            found, told = unit_that_fits(units, asked, result, extent, most)
        except UlnagerError as error:
            return None, self.said(message_of(error))
        told = told or coarse
        return found, None if told is None else self.said(told)

    @property
    def beside(self) -> str | None:
        """What stands beside its numbers: a shift or a phrase, the viewer's choice where it says
        so."""
        said: str | None = self.chart.drawn.get("beside")
        if said != "viewer":
            return said
        return None if self.view is None else self.view.compared_with

    @cached_property
    def beside_dates(self) -> Resolution | None:
        """The dates that stand beside its own; None for nothing, and where there are none."""
        said, result = self.beside, self.resolution
        if said is None or result is None:
            return None
        try:
            moved = shift_of(said) if said.strip().endswith(("earlier", "later")) else None
            if moved is None:
                return as_period(said, result.calendar).resolve(**self.moment.clock())
            return result.counterpart(abs(moved[0]), moved[1].name, later=moved[0] > 0)
        except UlnagerError:
            return None  # Its values say what is wrong.

    @property
    def where(self) -> tuple[Mapping[str, Any], ...]:
        """The values that its rows must have, by column: its own, and those that viewers chose."""
        own = self.chart.drawn.get("where")
        chosen = [
            {one.made.column: list(one.values)} for one in self.filters if one.values is not None
        ]
        return (*((own,) if own else ()), *chosen)

    @property
    def filtered(self) -> str:
        """Why it has no rows, where a filter by value has a problem."""
        return "; ".join(str(one.problem) for one in self.filters if one.problem)

    @property
    def too_many(self) -> str | None:
        """What to say in place of values where there are more buckets than may be drawn, of
        whatever unit."""
        by, told = self._unit
        return told if by is None else None

    @property
    def nothing(self) -> Message | None:
        """Why no row can be in its dates; None where some could be, and where nobody can tell."""
        if self.resolution is None or not self.chart.is_of_source:
            return None
        try:
            extent = self.extent
        except UlnagerError:
            return None  # Its values say what is wrong.
        return without_rows(self.resolution, extent, self.moment.words) if extent else None

    @property
    def said_of_it(self) -> tuple[str, ...]:
        """What is to be said of what it shows: its notes, its unit, and why it has no rows."""
        return (*self.notes, *filter(None, (self._unit[1], self.nothing)))

    def condition(self, column: str | None = None, **settings: Unpack[FrozenOptions]) -> Condition:
        """The condition for its column; ResolveError while there is a problem."""
        if self.resolution is None:
            raise ResolveError("; ".join(self.problems) or f"{self.label} has no dates")
        on = self.chart.column or "" if column is None else column
        held = self.chart.held
        if held is not None and isinstance(on, str) and "column_type" not in settings:
            settings = cast("FrozenOptions", {**held(on), **settings})
        from ulnager.filters.conditions import condition

        # A column of another name has its end beside it under another name, too.
        if self.chart.until is not None and column is None:
            end = self.chart.until
            end_type = None if held is None else held(end).get("column_type")
            return condition(self.resolution, on, until=end, until_type=end_type, **settings)
        return condition(self.resolution, on, **settings)

    def to_dict(self) -> Json:
        """The chart as plain values, ready for JSON."""
        return {
            "key": self.key,
            "label": self.label,
            "source": self.chart.source,
            "column": self.chart.column,
            **({"until": self.chart.until} if self.chart.until else {}),
            "governed_by": self.governed_for_viewers,
            "by": self.by,
            "dates": self._dates_dict(),
            "compared_with": dates_dict(self.beside_dates, self.moment.words),
            "nothing": self.nothing,
            "problems": list(self.problems),
            "notes": list(self.said_of_it),
        }

    def __repr__(self) -> str:
        return f"<chart {self.key}: {self.dates}>"
