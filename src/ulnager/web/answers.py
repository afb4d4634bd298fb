"""What the book answers, as plain values: a request becomes a state, and ``read`` gives a view.

Knows nothing of HTTP. What is kept between requests are the dates and numbers of sources that did
not change since, and nothing of a viewer.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, tzinfo
from typing import Any, Final, NamedTuple, TypeVar

from ulnager.book.book import Book, BookPeriod
from ulnager.book.opened_files import Cache, stamp_of
from ulnager.choices.chart_values import csv_rows
from ulnager.choices.charts import OpenedChart
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.resolver import Moment
from ulnager.core.arguments import shown
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of, day_start, zone_named
from ulnager.core.errors import BookError, SettingError, UlnagerError
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import near_by
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.clock import Clock, as_day
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.filters.conditions import condition
from ulnager.filters.standards import STANDARDS
from ulnager.numbers.running import Running
from ulnager.numbers.totals_rows import Totals
from ulnager.sources.opening import within
from ulnager.sources.source import GivenUp
from ulnager.web.problems import UNREADABLE, Refused
from ulnager.web.viewers import checked_instant, discreet, held_dates, links_of, periods_for_viewers

Found = TypeVar("Found")
SECONDS: Final = 15.0
"""So long a question to a source may take."""
_MOMENTS: Final = 5


class Answer(NamedTuple):
    """Plain values, the moment they stop being true, and whether they hang on what data holds.

    ``until`` is None where they do not stop: the clock was given.
    """

    told: dict[str, Any]
    until: datetime | None
    of_data: bool = True

    def to_dict(self) -> dict[str, Any]:
        """The answer as it is sent."""
        until = None if self.until is None else self.until.isoformat(timespec="seconds")
        return {"until": until, **self.told}


@dataclass
class _Numbers:
    """What the charts of a page hold, and as they are drawn, when somebody has drawn them."""

    values: dict[str, Any]
    drawn: tuple[Any, ...] | None = None


def has_hours(results: Iterable[Resolution | None]) -> bool:
    """Whether hours are among them, which move with each moment."""
    return any(isinstance(result, InstantResolution) for result in results)


def shown_on(opened: OpenedPage) -> list[Resolution | None]:
    """All dates that are told on a page."""
    of_choices = [one.resolution for view in opened.views.values() for one in view.choices]
    return [*(chart.resolution for chart in opened.charts.values()), *of_choices]


def _sources_of(opened: OpenedPage) -> list[str]:
    return sorted({chart.chart.source for chart in opened.charts.values()})


def _without_source(found: Any) -> Any:
    """Numbers without the opened source that they would ask for more, and hold in memory."""
    if isinstance(found, Totals):
        return replace(found, _asked=None)
    if isinstance(found, Running) and found.daily is not None:
        return replace(found, daily=_without_source(found.daily))
    return found


class BookAnswers:
    """What one book answers; ``today`` stops its clock, and with ``any_day`` viewers may set it.

    What viewers may know of is decided in ``web/viewers.py`` and in :class:`OpenedPage`.
    """

    def __init__(
        self, book: Book, today: date | str | None = None, *, any_day: bool = False
    ) -> None:
        if any_day and any(one.signer is not None for one in book.pickers.values()):
            raise SettingError(
                "viewers may not set the day of a book with a link_key: they would go round what "
                "its links fix; leave any_day (--any-day) out"
            )
        for one in book.pickers.values():
            if one.signer is not None:
                one.signer.check()
        self.today = None if today is None else as_day(today, "today")
        self.any_day = any_day
        self._extents, self._kept = Cache(200), Cache(200)
        pickers = {name: one for name, one in book.pickers.items() if one.viewers != "nothing"}
        self.book = replace(
            book, asks=self._asked, pickers=pickers, periods=periods_for_viewers(book, pickers)
        )
        self.pickers = {name: self._dressed(one) for name, one in pickers.items()}
        self.pages = {name: self._served(page) for name, page in book.pages.items()}

    def _dressed(self, picker: Picker) -> Picker:
        """A picker that asks what is kept here, and whose links expire by the real clock."""
        return replace(picker, look=self._look, clock=now_utc)

    def day(self, today: str | None) -> str | None:
        """The day that a request sets; Refused where it may not."""
        if today is not None and not self.any_day:
            raise Refused(400, "day", "the day cannot be set here; leave 'today' out")
        return today

    def _served(self, page: Page) -> Page:
        pickers = {name: self._dressed(one) for name, one in page.pickers.items()}
        return replace(page, look=self._look, pickers=pickers)

    def _look(self, name: str, moment: Moment) -> Extent | None:
        """The dates of a source; None for one that cannot be read, which its charts tell."""
        try:
            return self._asked(name, moment)
        except GivenUp:
            raise
        except UlnagerError:
            return None

    def _asked(self, name: str, moment: Moment) -> Extent | None:
        """The dates of a source, asked once while it does not change; None where there is none."""
        source = self.book.sources.get(name)
        if source is None:
            return None
        # Its own period may hang on the day, and of the past less counts.
        day = None if source.limit is None else (moment.today, moment.now and moment.tz)
        stamp = stamp_of(source)
        key = (name, stamp, day, moment.up_to, moment.clock_day, moment.day_starts)

        def ask() -> tuple[Extent, bool]:
            return source.extent(moment), bool(moment.known.get(("cut", name)))

        found, moment.known["cut", name] = self._extents.of(
            key, ask, lambda _: stamp_of(source) == stamp
        )
        return found

    def clock(
        self, today: str | None = None, tz: str | None = None, locale: str | None = None
    ) -> dict[str, Any]:
        """The moment of a request, and its language."""
        zone = {} if tz is None else {"tz": tz}
        if locale is not None:
            zone["locale"] = locale
        if today is not None:
            return {"today": as_day(today, "today"), **zone}
        return zone if self.today is None else {"today": self.today, **zone}

    def until(
        self,
        today: str | None,
        zone: tzinfo | str | None = None,
        of: Iterable[Resolution | None] = (),
    ) -> datetime | None:
        """When the day ends in a zone, and this moment where hours are among what is told; None
        where the clock stands still."""
        if today is not None or self.today is not None:
            return None
        if has_hours(of):
            return datetime.now().astimezone()
        return end_of_day(zone, self.book.day_starts)

    # Phrases.

    def _period(self, phrase: str) -> Period:
        entry = self.book.periods.get(phrase)
        found = entry.period if entry is not None else self.book.read(phrase)
        if isinstance(found, OpenPeriod):
            raise SettingError("it has open slots; a picker's view fills them")
        return found._closed()

    def _entry(self, phrase: str) -> BookPeriod | None:
        return self.book.period(phrase) if phrase in self.book.periods else None

    def _resolved(self, phrase: str, **basis: Any) -> Resolution:
        known = phrase in self.book.periods
        return (self.book.resolve if known else self.book.resolve_text)(phrase, **basis)

    def resolution(
        self,
        phrase: str,
        today: str | None = None,
        as_of: str | None = None,
        tz: str | None = None,
        locale: str | None = None,
    ) -> Answer:
        """The dates of a phrase, or of a period of the book."""
        basis = self.clock(today, tz, locale) | ({} if as_of is None else {"as_of": as_of})
        with within(SECONDS):
            result = self._resolved(phrase, **basis)
        return self._told({"resolution": _plain(result)}, [result], today, tz)

    def readings(self, phrase: str, today: str | None = None, tz: str | None = None) -> Answer:
        """Every reading of a phrase, and the phrases near it."""
        period = self._period(phrase)
        entry, moment = self._entry(phrase), self.book.moment(**self.clock(today, tz))
        found: list[tuple[str, Resolution]] = []
        with within(SECONDS):
            for name, way in period.readings().items():
                found.append((name, self.book._resolve_phrase(way, entry=entry, moment=moment)))
            for way in near_by(period, found[0][1]):
                result = self.book._resolve_phrase(way, entry=entry, moment=moment)
                found.append(("near by", result))
        told = {"readings": [{"reading": name, **_plain(result)} for name, result in found]}
        return self._told(told, [result for _, result in found], today, tz)

    def condition(
        self,
        phrase: str,
        column: str,
        target: str = "ansi",
        *,
        column_type: str = "date",
        tz: str | None = None,
        live: bool = False,
        today: str | None = None,
    ) -> Answer:
        """The condition for a column, frozen or live."""
        held: dict[str, Any] = {"column_type": column_type, "tz": tz}
        if live:
            if target in STANDARDS:
                raise SettingError(f"{target} has no clock; leave live out")
            period = self._period(phrase)
            entry = self._entry(phrase)
            made = condition(
                period if entry is None else entry.anchored,
                column,
                target=target,
                literal=True,
                **held,
            )
            told = {"period": str(period), "text": made.text, "parameters": {}, "live": True}
            return Answer({"condition": told}, None, of_data=False)
        with within(SECONDS):
            result = self._resolved(phrase, **self.clock(today))
        told = {
            "period": str(result.period),
            "live": False,
            **_condition(result, column, target, held),
        }
        return self._told({"condition": told}, [result], today)

    def _told(
        self,
        told: dict[str, Any],
        results: list[Resolution],
        today: str | None,
        tz: str | None = None,
    ) -> Answer:
        if has_hours(results):
            return Answer(told, self.until(today, tz, results))
        of_data = any(result.period.definition.asks_data for result in results) or any(
            result.anchor.source not in ("today", "date") for result in results
        )
        return Answer(told, self.until(today, tz or self.book.tz), of_data)

    # What viewers choose.

    def at_a_glance(self, today: str | None = None) -> Answer:
        """Every period with its dates, and the names of what viewers may know of."""
        periods, results = [], []
        moment = self.book.moment(**self.clock(today))
        for entry in self.book.periods.values():
            dates, slots = None, sorted(getattr(entry.period, "inputs", {}))
            if not slots:
                try:
                    with within(SECONDS):
                        results.append(self.book.resolve(entry.name, moment=moment))
                    dates = results[-1].label
                except UlnagerError:
                    dates = None
            label, phrase = entry.label or entry.name, str(entry.period)
            told_one = {
                "name": entry.name,
                "label": label,
                "short": entry.short or label,
                "phrase": phrase,
            }
            periods.append({**told_one, "dates": dates, "inputs": slots})
        kinds: dict[str, Mapping[str, Any]] = {
            "pickers": self.book.pickers,
            "pages": self.book.pages,
            "schedules": self.book.schedules,
        }
        told: dict[str, Any] = {
            kind: [{"name": one.name, "label": one.label} for one in named.values()]
            for kind, named in kinds.items()
        }
        return Answer({"periods": periods, **told}, self.until(today, self.book.tz, results))

    def view(
        self,
        name: str,
        fields: Mapping[str, Any],
        today: str | None = None,
        locale: str | None = None,
    ) -> Answer:
        """What a picker shows for fields, and the links from there."""
        picker = self._named("picker", name, self.pickers)
        with within(SECONDS):
            view = picker.read(fields, **self.clock(today, locale=locale))
            told = {"view": view.to_dict(), "links": links_of(view)}
        told["view"]["problems"] = [view._in_words(discreet(one)) for one in view.problems]
        shown = [one.resolution for one in view.choices]
        return Answer(told, self.until(today, picker.tz, [view.resolution, *shown]))

    def opened(
        self,
        name: str,
        fields: Mapping[str, Any],
        today: str | None = None,
        locale: str | None = None,
    ) -> OpenedPage:
        """A page for fields."""
        page: Page = self._named("page", name, self.pages)
        return page.read(fields, **self.clock(today, locale=locale))

    def page(
        self,
        name: str,
        fields: Mapping[str, Any],
        today: str | None = None,
        locale: str | None = None,
        *,
        values: bool = True,
    ) -> Answer:
        """A page for fields: its pickers, its charts and what governs them, and their numbers."""
        with within(SECONDS):
            opened = self.opened(name, fields, today, locale)
            told: Any = opened.to_dict()
            numbers = self.values(opened, told) if values else {}
        for key, chart in told["charts"].items():
            chart["problems"] = [opened.said(discreet(one)) for one in chart["problems"]]
            found = numbers.get(key)
            is_said = found is None or isinstance(found, str)
            chart["values"] = None if found is None or is_said else found.to_dict()
            if isinstance(found, str) and found not in (*chart["problems"], *chart["notes"]):
                chart["notes"].append(found)
        for picker in told["pickers"].values():
            picker["problems"] = [opened.said(discreet(one)) for one in picker["problems"]]
        return Answer({"page": told}, self.until(today, opened.moment.tz, shown_on(opened)))

    def csv(
        self, name: str, key: str, fields: Mapping[str, Any], today: str | None = None
    ) -> list[bytes]:
        """The rows of a chart as pieces of a CSV file, where the book says that they may be had."""
        with within(SECONDS):
            opened = self.opened(name, fields, today)
            chart: OpenedChart = self._named("chart", key, opened.charts)
            if not chart.chart.drawn.get("csv"):
                raise Refused(404, "path", "the rows of this chart are not to be had")
            if chart.resolution is None or chart.filtered:
                told = chart.filtered or "; ".join(map(discreet, chart.problems))
                raise Refused(422, "dates", told or "the chart has no dates")
            return list(csv_rows(self.book.sources, chart, opened.sources))

    def values(self, opened: OpenedPage, told: Any) -> dict[str, Any]:
        """The numbers of a page's charts; a sentence for one that has none. ``told`` is the page as
        plain values."""
        return self._numbers(opened, told).values

    def drawn(self, opened: OpenedPage, told: Any, draw: Callable[..., Found]) -> tuple[Found, ...]:
        """The charts of a page as ``draw`` makes them of their numbers."""
        found = self._numbers(opened, told)
        if found.drawn is None:
            found.drawn = tuple(draw(opened, key, found.values, discreet) for key in opened.charts)
        return found.drawn

    def _numbers(self, opened: OpenedPage, told: Any) -> _Numbers:
        try:
            stamps = self._stamps(opened)
            return self._kept.of(
                self._question(opened, stamps, told),
                lambda: self._worked_out(opened),
                lambda _: self._stamps(opened) == stamps,
            )
        except _UnreadError as unread:
            return unread.numbers

    def _stamps(self, opened: OpenedPage) -> Hashable:
        """What the sources of a page look like."""
        return tuple(stamp_of(self.book.sources[name]) for name in _sources_of(opened))

    def _question(self, opened: OpenedPage, stamps: Hashable, told: Any) -> Hashable:
        """What the numbers of a page hang on, all of it: the page as it was told, with what viewers
        touched; the moment; what the sources look like, and what they hold."""
        sources = _sources_of(opened)
        moment, results = opened.moment, shown_on(opened)
        hidden = [
            view.to_dict() for name, view in opened.views.items() if name not in told["pickers"]
        ]
        return (
            json.dumps([told, hidden], sort_keys=True, default=str),
            (moment.today, str(moment.tz), moment.words),
            # An instant is another with each request, and counts where hours are shown only; the
            # day, also that of a picker's own zone, says what is unfinished.
            moment.now if has_hours(results) else None,
            tuple(result and result._clock_day for result in results),
            stamps,
            tuple(held_dates(moment.extent((name,))) for name in sources),
        )

    def _worked_out(self, opened: OpenedPage) -> _Numbers:
        values = {
            key: discreet(one) if isinstance(one, str) else _without_source(one)
            for key, one in opened.values().items()
        }
        found = _Numbers(values)
        if UNREADABLE in values.values():
            raise _UnreadError(found)  # Not to be kept: it may be there again in a moment.
        return found

    def schedule(self, name: str, now: str | None = None) -> Answer:
        """The next moments of a schedule, and what goes out at each."""
        schedule = self._named("schedule", name, self.book.schedules)
        if now is not None:
            checked_instant(now)
            if not self.any_day:
                raise Refused(400, "day", "the moment cannot be set here; leave 'now' out")
        at = (
            now
            if now is not None
            else (self.today and datetime.combine(self.today, time(), schedule.zone))
        )
        moments = schedule.moments(at or datetime.now(schedule.zone), _MOMENTS)
        schedule = replace(schedule, page=self.pages[schedule.page.name])
        with within(SECONDS):
            told = [schedule.to_dict(moment, today=self.today) for moment in moments]
        for one in told:
            for chart in one["charts"].values():
                chart["problems"] = [discreet(problem) for problem in chart["problems"]]
            one["links"] = {k: link for k, link in one["links"].items() if k in self.pickers}
        until = None if now is not None or self.today else next(iter(moments), None)
        return Answer({"moments": told}, until)

    def _named(self, what: str, name: str, known: Mapping[str, Any]) -> Any:
        if name not in known:
            there = ", ".join(known) or "none"
            raise BookError("", what, f"there is no {what} {shown(name)}; there are: {there}")
        return known[name]


def now_utc() -> datetime:
    """The real clock, whatever a service shows."""
    return datetime.now(UTC)


class _UnreadError(Exception):
    def __init__(self, numbers: _Numbers) -> None:
        super().__init__()
        self.numbers = numbers


def end_of_day(zone: tzinfo | str | None, day_starts: str = "00:00") -> datetime:
    """When the next day starts in a zone, or where this machine is."""
    where = datetime.now().astimezone().tzinfo if zone is None else zone_named(zone)
    assert where is not None
    basis = Clock(tz=where, day_starts=day_starts).basis(GREGORIAN)
    tomorrow = date_of(int(basis.anchor) + 1)
    return day_start(tomorrow, where, basis.day_starts).astimezone(where)


def _plain(result: Resolution) -> dict[str, Any]:
    told = result.to_dict()
    told["steps"] = list(result.steps)
    return told


def _condition(
    result: Resolution, column: str, target: str, held: Mapping[str, Any]
) -> dict[str, Any]:
    made = condition(result, column, target=target, **held)
    return {
        "text": made.text,
        "parameters": {name: str(one) for name, one in made.parameters.items()},
    }
