"""Pages: charts, and what governs the dates of each."""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, tzinfo
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from ulnager.choices.charts import Chart, ChartSource, OpenedChart, choices_without_rows
from ulnager.choices.form_reading import sent_fields, view_of
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import PLAIN, Language
from ulnager.choices.resolver import Look, Moment, Resolver, moment_from
from ulnager.choices.value_filters import OpenedValues, ValueFilter, opened_filters
from ulnager.choices.view import View
from ulnager.core.arguments import shown, told_names
from ulnager.core.errors import SettingError, UlnagerError
from ulnager.core.messages import Message
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.values import Json

if TYPE_CHECKING:
    from ulnager.numbers.running import Running
    from ulnager.numbers.totals_rows import Totals
    from ulnager.sources.shown_rows import ShownRows
    from ulnager.sources.source import Relation


class Play(NamedTuple):
    """How a page is played: by which step (the period's own length for None), whether it begins
    again and starts by itself; and after how many seconds an open page asks anew, 0 for never."""

    step: tuple[int, str] | None = None
    is_round: bool = False
    starts: bool = False
    refresh: int = 0


@dataclass(frozen=True)
class Page(ShowsItself):
    """Charts, and the pickers that govern them. ``home`` is the one for charts that name none.

    >>> from ulnager import read_book
    >>> from ulnager.demo import book_file
    >>> page = read_book(book_file()).page("operations")
    >>> [chart.key for chart in page.charts]
    ['passengers', 'year_before', 'this_year', 'harbours']
    """

    name: str
    label: str
    charts: tuple[Chart, ...]
    pickers: Mapping[str, Picker] = field(default_factory=dict)
    home: str | None = None
    look: Look | None = field(default=None, compare=False)
    sources: Mapping[str, ChartSource] = field(default_factory=dict, compare=False)
    language: Language = PLAIN
    resolver: Resolver = field(default_factory=Resolver)
    filters: tuple[ValueFilter, ...] = ()
    values_open: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """What its filters by value open with, where it says so itself."""
    details: str = "all"
    """``none`` for viewers who need no more than dates, marks and reasons."""
    play: Play = field(default_factory=Play)

    @told_names
    def open(
        self,
        today: date | str | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        chosen: Mapping[str, View] | None = None,
        locale: object = None,
        values: Mapping[str, str | Sequence[str]] | None = None,
    ) -> OpenedPage:
        """The page at a moment; ``chosen`` are views that the viewer has of its pickers, ``values``
        what is chosen of its filters by value, ``locale`` is the viewer's language, the book's
        unless it is said."""
        return self._opened_at(self._moment(today, now, tz, data, locale), chosen, locale, values)

    def _opened_at(
        self,
        moment: Moment,
        chosen: Mapping[str, View] | None = None,
        locale: object = None,
        values: Mapping[str, Any] | None = None,
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
                views[name] = View(own, view.moment, view.touched, view.said, signed=view.signed)
                by[name] = "viewer"
        return OpenedPage(self, moment, views, by, self._values(moment, values))

    def _values(
        self, moment: Moment, sent: Mapping[str, Any] | str | None, *, is_fixed: bool = False
    ) -> Mapping[str, OpenedValues]:
        return opened_filters(self.filters, moment.words, sent, self.values_open, is_fixed=is_fixed)

    def read(
        self,
        fields: Mapping[str, Any] | str,
        today: date | str | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        who: str = "link",
        locale: object = None,
    ) -> OpenedPage:
        """The page for a form, a link or its query; nothing in it raises an error. ``who`` sent it
        unless it is a form: a link, or a schedule."""
        return self._read_at(self._moment(today, now, tz, data, locale), fields, who, locale)

    def _read_at(
        self, moment: Moment, fields: Mapping[str, Any] | str, who: str, locale: object = None
    ) -> OpenedPage:
        """The page for fields at a moment that was made before."""
        views = {
            name: view_of(picker, picker.at(moment, locale), fields, is_trusted=who == "schedule")
            for name, picker in self.pickers.items()
        }
        sent = sent_fields(fields) or {}
        by = {name: "viewer" if f"{name}.state" in sent else who for name in views}
        values = self._values(moment, fields, is_fixed=who == "schedule")
        return OpenedPage(self, moment, views, by, values)

    def _moment(
        self, today: date | str | None, now: Any, tz: Any, data: object, locale: object
    ) -> Moment:
        zones = [picker.tz for picker in self.pickers.values() if picker.tz]
        zone = next(iter(zones), self.resolver.tz) if tz is None else tz
        words = self.language.words(locale)
        return moment_from(today, now, zone, data, self.look, words, self.resolver.day_starts)

    def __repr__(self) -> str:
        return f"<page {self.name}: {', '.join(chart.key for chart in self.charts)}>"

    def _table(self) -> Table:
        rows = [
            (
                one.label,
                f"{one.source}.{one.column}" if one.column else one.source,
                one.follows or ("" if one.pinned is None else one.pinned.period),
            )
            for one in self.charts
        ]
        return table(self.label, ("chart", "data", "dates"), rows)


class OpenedSources(dict[str, "Relation"]):
    """The sources of a page as they are at its moment, each opened when it is first asked for."""

    def __init__(self, sources: Mapping[str, ChartSource], moment: Moment) -> None:
        super().__init__()
        self.of, self.moment = sources, moment

    def __reduce__(self) -> tuple[Any, ...]:
        return OpenedSources, (self.of, self.moment)

    def __missing__(self, name: str) -> Relation:
        self[name] = self.of[name].opened(moment=self.moment)
        return self[name]


_WHO: Final = {
    "viewer": "chosen by the viewer",
    "link": "set by the link",
    "schedule": "set by the schedule",
}
"""Who chose the dates of a picker, as it is told."""


class OpenedPage(ShowsItself):
    """A page at a moment: ``views`` of its pickers, and its ``charts`` by key.

    >>> from ulnager import read_book
    >>> from ulnager.demo import book_file
    >>> opened = read_book(book_file()).page("operations").open(today="2026-05-20")
    >>> opened.views["dates"].choice
    'month_so_far'
    """

    def __init__(
        self,
        page: Page,
        moment: Moment,
        views: Mapping[str, View],
        by: Mapping[str, str],
        filters: Mapping[str, OpenedValues] | None = None,
    ) -> None:
        self.page, self.moment, self.views = page, moment, dict(views)
        self._by = dict(by)
        self.filters = dict(filters or {})
        self.sources = OpenedSources(page.sources, moment)
        self.charts = {chart.key: self._opened(chart) for chart in page.charts}
        for one in self.filters.values():
            one.charts = [chart for chart in self.charts.values() if self._has(chart, one)]
            one.sources = self.sources
        for chart in self.charts.values():
            chart.filters = tuple(one for one in self.filters.values() if one.filters(chart))

    def _has(self, chart: OpenedChart, one: OpenedValues) -> bool:
        """Whether the source of a chart has the column of a filter by value; one that cannot be
        read has it, so that it never shows more than was asked for."""
        try:
            columns = self.sources[chart.chart.source].columns
            return any(column.name == one.made.column for column in columns)
        except UlnagerError:
            return True

    def _opened(self, chart: Chart) -> OpenedChart:
        name = chart.follows
        if name is None:
            return OpenedChart(chart, self.moment, self.page.resolver)
        told = functools.partial(self.told, name)
        return OpenedChart(chart, self.moment, self.page.resolver, self.views[name], told)

    def governs(self, picker: str) -> tuple[str, ...]:
        """The keys of the charts that a picker moves."""
        return tuple(chart.key for chart in self.page.charts if self.picker_of(chart) == picker)

    def picker_of(self, chart: Chart) -> str | None:
        """The picker that a chart follows; None for one that is pinned or has no dates."""
        return chart.follows

    def told(self, name: str) -> str:
        """Where the dates of a picker came from, in words."""
        view, picker = self.views[name], self.page.pickers[name]
        label, words = view.choice_label, self.moment.words
        if view.locked:
            how = "which is fixed to {1}"
        elif view.opening:
            how = "which this page opens with {1}" if picker.start else "which opened with {1}"
        else:
            how = f"{_WHO[self._by[name]]}: {{1}}"
            if words.is_english:
                label = f"{label[:1].lower()}{label[1:]}"
        # What the book calls its things stands in the sentence as it is.
        return words.say(f"follows {{0}}, {how}", view._labelled(picker.label), label)

    def said(self, text: str, *arguments: Any, code: str = "") -> Message:
        """A sentence in the viewer's language."""
        return self.moment.words.say(text, *arguments, code=code)

    def _labelled(self, text: str) -> str:
        """A label of the book in the viewer's language."""
        return self.moment.words.label(text)

    @property
    def offered(self) -> tuple[str, ...]:
        """The names of the pickers that viewers may know of; of a hidden one they see the charts
        alone, with their dates."""
        pickers = self.page.pickers
        return tuple(name for name in self.views if pickers[name].viewers != "nothing")

    @property
    def values_state(self) -> dict[str, list[str]]:
        """What viewers chose of its filters by value, by the names of fields."""
        found: dict[str, list[str]] = {}
        for one in self.filters.values():
            found |= one.state
        return found

    def choices_without_rows(self, picker: str) -> Mapping[str, str]:
        """Why the dates of some choices of a picker hold no row of any chart that follows it, by
        the keys of these choices."""
        charts = [one for one in self.charts.values() if one.chart.follows == picker]
        return choices_without_rows(self.views[picker], charts, self.moment.words)

    def values(self) -> dict[str, Totals | Running | ShownRows | str | None]:
        """The numbers of each chart by its key: :class:`ulnager.Totals`, or a running measure; a
        sentence in place of too many buckets or for a problem, None for a chart without dates.

        Charts that read one source are worked out together, from one pass over it."""
        from ulnager.choices.chart_values import values_of

        found = values_of(self.page.sources, self.charts, opened=self.sources)
        for key, one in found.items():
            if getattr(one, "notes", ()):
                found[key] = replace(one, notes=tuple(self.said(note) for note in one.notes))
        for key, chart in self.charts.items():
            told: Any = chart.to_dict()["dates"] if chart.is_hidden else None
            if told is not None and hasattr(found.get(key), "told_as"):
                found[key] = replace(found[key], told_as=told["phrase"])
        return found

    def to_dict(self) -> Json:
        """The page as plain values, ready for JSON."""
        return {
            "page": self.page.name,
            "label": self._labelled(self.page.label),
            "today": self.moment.today.isoformat(),
            "pickers": {name: self.views[name].to_dict() for name in self.offered},
            "charts": {key: chart.to_dict() for key, chart in self.charts.items()},
            "values": {name: one.to_dict() for name, one in self.filters.items()},
            "nothing": {name: dict(self.choices_without_rows(name)) for name in self.offered},
        }

    def __repr__(self) -> str:
        return f"<page {self.page.name} on {self.moment.today}: {', '.join(self.charts)}>"

    def _table(self) -> Table:
        rows = [
            (one.label, one.dates, one.by or "", one.governed_by) for one in self.charts.values()
        ]
        told = f"{self._labelled(self.page.label)} on {self.moment.today}"
        return table(told, ("chart", "dates", "by", "governed by"), rows)
