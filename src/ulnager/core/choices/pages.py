"""Pages: charts, and what governs the dates of each."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, tzinfo
from typing import Any, Final

from ulnager.core.arguments import shown
from ulnager.core.choices.frozen import bounds_of, frozen_text
from ulnager.core.choices.hooks import filters
from ulnager.core.choices.moment import Look, Moment, moment_from
from ulnager.core.choices.opening import Picker
from ulnager.core.choices.picker import PLAIN, Choice, Language
from ulnager.core.choices.reading import sent_fields, view_of
from ulnager.core.choices.resolver import Resolver
from ulnager.core.choices.telling import dates_dict
from ulnager.core.choices.view import View
from ulnager.core.errors import Private, ResolveError, SettingError, UlnagerError, sentence_of
from ulnager.core.language.period import Period
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.spans import Range, intersection
from ulnager.core.units import Unit


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
    held: Mapping[str, Any] = field(default_factory=dict)
    """What its column holds, for conditions."""


@dataclass(frozen=True)
class Page:
    """Charts, and the pickers that govern them. ``home`` is the one for charts that name none."""

    name: str
    label: str
    charts: tuple[Chart, ...]
    pickers: Mapping[str, Picker] = field(default_factory=dict)
    home: str | None = None
    look: Look | None = field(default=None, compare=False)
    draw: Callable[[Mapping[str, OpenedChart]], Mapping[str, Any]] | None = field(
        default=None, compare=False
    )
    """What works out the numbers of charts by their keys, which lies outside of the core."""
    language: Language = PLAIN
    resolver: Resolver = field(default_factory=Resolver)

    def open(
        self,
        today: object = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        chosen: Mapping[str, View] | None = None,
        locale: object = None,
    ) -> OpenedPage:
        """The page at a moment; ``chosen`` are views that the viewer has of its pickers, ``locale``
        is the viewer's language, the book's unless it is said."""
        return self.opened_at(self._moment(today, now, tz, data, locale), chosen, locale)

    def opened_at(
        self,
        moment: Moment,
        chosen: Mapping[str, View] | None = None,
        locale: object = None,
    ) -> OpenedPage:
        """The page at a moment that was made before."""
        views = {
            name: View(picker, picker.at(moment, locale)) for name, picker in self.pickers.items()
        }
        by = dict.fromkeys(views, "opening")
        if chosen is not None and not isinstance(chosen, Mapping):
            raise SettingError(f"chosen is {shown(chosen)}; give views by the names of pickers")
        for name, view in (chosen or {}).items():
            if name in views:
                own = self.pickers[name]
                views[name] = View(own, view.moment, view.state, view.said, locked=view.locked,
                                   beyond=view.beyond)  # fmt: skip
                by[name] = "viewer"
        return OpenedPage(self, moment, views, by)

    def read(
        self,
        fields: Mapping[str, Any] | str,
        today: object = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        who: str = "link",
        locale: object = None,
    ) -> OpenedPage:
        """The page for a form, a link or its query; nothing in it raises an error. ``who`` sent it
        unless it is a form: a link, or a schedule."""
        return self.read_at(self._moment(today, now, tz, data, locale), fields, who, locale)

    def read_at(
        self, moment: Moment, fields: Mapping[str, Any] | str, who: str, locale: object = None
    ) -> OpenedPage:
        """The page for fields at a moment that was made before."""
        views = {
            name: view_of(picker, picker.at(moment, locale), fields)
            for name, picker in self.pickers.items()
        }
        sent = sent_fields(fields) or {}
        by = {name: "viewer" if f"{name}.state" in sent else who for name in views}
        return OpenedPage(self, moment, views, by)

    def _moment(self, today: object, now: Any, tz: Any, data: object, locale: object) -> Moment:
        zones = [picker.tz for picker in self.pickers.values() if picker.tz]
        zone = next(iter(zones), None) if tz is None else tz
        words = self.language.words(locale)
        return moment_from(today, now, zone, data, self.look, words)


_WHO: Final = {
    "viewer": "chosen by the viewer",
    "link": "set by the link",
    "schedule": "set by the schedule",
}
"""Who chose the dates of a picker, as it is told."""


class OpenedPage:
    """A page at a moment: ``views`` of its pickers, and its ``charts`` by key."""

    def __init__(
        self, page: Page, moment: Moment, views: Mapping[str, View], by: Mapping[str, str]
    ) -> None:
        self.page, self.moment, self.views = page, moment, dict(views)
        self._by = dict(by)
        self.charts = {chart.key: OpenedChart(self, chart) for chart in page.charts}

    def governs(self, picker: str) -> tuple[str, ...]:
        """The keys of the charts that a picker moves."""
        return tuple(chart.key for chart in self.page.charts if self.picker_of(chart) == picker)

    def picker_of(self, chart: Chart) -> str | None:
        """The picker that a chart follows; None for one that is pinned or has no dates."""
        return chart.follows

    def told(self, name: str) -> str:
        """Where the dates of a picker came from, in words."""
        view, picker = self.views[name], self.page.pickers[name]
        label, follows = view.choice_label, f"follows {view.labelled(picker.label)}"
        if view.locked:
            return self.said(f"{follows}, which is fixed to {label}")
        if view.opening:
            opened = "this page opens with" if picker.start else "opened with"
            return self.said(f"{follows}, which {opened} {label}")
        if self.moment.words.is_english:
            label = f"{label[:1].lower()}{label[1:]}"
        return self.said(f"{follows}, {_WHO[self._by[name]]}: {label}")

    def said(self, text: str) -> str:
        """A sentence in the viewer's language."""
        return self.moment.words.say(text)

    def labelled(self, text: str) -> str:
        """A label of the book in the viewer's language."""
        return self.moment.words.label(text)

    @property
    def offered(self) -> tuple[str, ...]:
        """The names of the pickers that viewers may know of; of a hidden one they see the charts
        alone, with their dates."""
        pickers = self.page.pickers
        return tuple(name for name in self.views if pickers[name].viewers != "nothing")

    def values(self) -> dict[str, Any]:
        """The numbers of each chart by its key: :class:`ulnager.Totals`, or a running measure; a
        sentence in place of too many buckets or for a problem, None for a chart without dates.

        Charts that read one source are worked out together, from one pass over it."""
        draw = self.page.draw
        found = {} if draw is None else dict(draw(self.charts))
        for key, chart in self.charts.items():
            told = chart.to_dict()["dates"] if chart.is_hidden else None
            if told is not None and hasattr(found.get(key), "told_as"):
                found[key] = replace(found[key], told_as=told["phrase"])
        return found

    def to_dict(self) -> dict[str, Any]:
        """The page as plain values, ready for JSON."""
        return {
            "page": self.page.name,
            "label": self.labelled(self.page.label),
            "today": self.moment.today.isoformat(),
            "pickers": {name: self.views[name].to_dict() for name in self.offered},
            "charts": {key: chart.to_dict() for key, chart in self.charts.items()},
        }


class OpenedChart:
    """A chart at a moment: its dates, and what governs them in words."""

    def __init__(self, opened: OpenedPage, chart: Chart) -> None:
        self.chart, self.key, self.label = chart, chart.key, opened.labelled(chart.label)
        self._opened = opened
        self.resolution: Resolution | None = None
        self.problems: tuple[str, ...] = ()
        self.notes: tuple[str, ...] = ()
        try:
            self._work_out()
        except UlnagerError as error:
            said = sentence_of(error)
            self.resolution = None
            self.problems = (said if isinstance(said, Private) else opened.said(said),)

    @property
    def view(self) -> View | None:
        """The view that it follows, None for one that is pinned or has no dates."""
        return None if self.chart.follows is None else self._opened.views[self.chart.follows]

    def said(self, text: str) -> str:
        """A sentence in the viewer's language."""
        return self._opened.said(text)

    def counted(self, count: int, unit: str) -> str:
        """So many of a unit, in the viewer's language."""
        return self.moment.words.counted(count, unit)

    @property
    def has_dates(self) -> bool:
        """Whether any dates are meant for it."""
        return self.chart.follows is not None or self.chart.pinned is not None

    def _work_out(self) -> None:
        chart, found = self.chart, None
        if chart.follows is not None:
            view = self._opened.views[chart.follows]
            if view.problems:
                self.problems = view.problems
                return
            found = view.resolution
        elif chart.pinned is not None:
            pinned = chart.pinned
            found = self._opened.page.resolver.resolved(
                pinned.definition([{}]), self._opened.moment, pinned.anchor, pinned.calendar
            )
        if found is None:
            return
        if chart.shift is not None:
            count, unit = chart.shift
            found = found.counterpart(abs(count), unit.name,
                                      later=count > 0)  # fmt: skip
        self.resolution = self._limited(found)

    @property
    def extent(self) -> Extent | None:
        """The dates of its source, as the page knows them."""
        return self.moment.extent((self.chart.source,))

    @property
    def moment(self) -> Moment:
        """When the page was opened, and what is known of the data since."""
        return self._opened.moment

    def _limited(self, found: Resolution) -> Resolution:
        """The dates without what lies outside the period of the source, which is named then."""
        limit, cut = self.chart.limit, self.chart.cut
        ranges = None if cut is None else cut(self._opened.moment)
        if limit is None or ranges is None:
            return found
        kept = intersection(found.ranges, ranges)
        if kept == found.ranges:
            return found
        self.notes = (self._opened.said(f"cut by the source's own period, '{limit}'"),)
        return found.with_ranges(kept)

    @property
    def dates(self) -> str:
        """Its dates for a person to read."""
        return self.resolution.label if self.resolution is not None else ""

    @property
    def governed_by(self) -> str:
        """What governs its dates, in words."""
        chart = self.chart
        if chart.pinned is not None:
            told = self._opened.said(f"pinned to {self._opened.labelled(chart.pinned.label)}")
        elif chart.follows is not None:
            told = self._opened.told(chart.follows)
        else:
            return self._opened.said("has no dates")
        if chart.shift is None:
            return told
        count, unit = chart.shift
        side, moved = "later" if count > 0 else "earlier", self.counted(abs(count), unit.name)
        return self._opened.said(f"{told}, {moved} {side}")

    @property
    def is_hidden(self) -> bool:
        """Whether it follows a picker that viewers do not know of."""
        follows = self.chart.follows
        return follows is not None and follows not in self._opened.offered

    @property
    def governed_for_viewers(self) -> str:
        """The same without the name and the choices of a hidden picker."""
        return self._opened.said("its dates are set here") if self.is_hidden else self.governed_by

    def _dates_dict(self) -> dict[str, Any] | None:
        found = dates_dict(self.resolution, self.moment.words)
        if found is not None and self.is_hidden and self.resolution is not None:
            bounds = bounds_of(self.resolution)
            found["phrase"] = frozen_text(bounds) if bounds else found["label"]
        return found

    @property
    def by(self) -> str | None:
        """The unit that it is grouped by."""
        if self.chart.by != "viewer":
            return self.chart.by
        return None if self.view is None else self.view.by

    @property
    def too_many(self) -> str | None:
        """What to say in place of values where there are more buckets than may be drawn."""
        most, by = self.chart.max_buckets, self.by
        if most is None or by is None or self.resolution is None:
            return None
        try:
            count = len(self.resolution.buckets(by))
        except UlnagerError as error:
            return self._opened.said(str(error))
        if count <= most:
            return None
        for coarser in ("day", "week", "month", "quarter", "half", "year"):
            try:
                fewer = len(self.resolution.buckets(coarser))
            except UlnagerError:
                continue
            if fewer <= most:
                told = f"{count:,} {by}s are more than {most}; by {coarser} there are {fewer:,}"
                return self._opened.said(told)
        return self._opened.said(f"{count:,} {by}s are more than {most}, and no coarser unit fits")

    def condition(self, column: Any = None, **settings: Any) -> Any:
        """The condition for its column; ResolveError while there is a problem."""
        if self.resolution is None:
            raise ResolveError("; ".join(self.problems) or f"{self.label} has no dates")
        on = column or self.chart.column
        return filters("condition")(self.resolution, on, **{**self.chart.held, **settings})

    def to_dict(self) -> dict[str, Any]:
        """The chart as plain values, ready for JSON."""
        return {
            "key": self.key,
            "label": self.label,
            "source": self.chart.source,
            "column": self.chart.column,
            "governed_by": self.governed_for_viewers,
            "by": self.by,
            "dates": self._dates_dict(),
            "problems": list(self.problems),
            "notes": [*self.notes, *([self.too_many] if self.too_many else [])],
        }
