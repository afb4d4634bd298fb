"""Pages and schedules of a book, as values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, Final

from ulnager.book.book import Book, BookPeriod
from ulnager.book.file_schema import ChartEntry, PageEntry, PickerEntry, ScheduleEntry, ValuesEntry
from ulnager.book.picker_builder import Offers, choice_of
from ulnager.book.schedules import Schedule, rule_of, time_of_day, zone_of
from ulnager.choices.charts import Chart
from ulnager.choices.form_reading import state_problem
from ulnager.choices.pages import Page, Play
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import MOST_BUCKETS, Choice
from ulnager.choices.value_filters import ValueFilter
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import BookError, SettingError, UlnagerError
from ulnager.core.language.period import PeriodBase
from ulnager.core.language.walks import shift_of, step_of
from ulnager.core.messages import Message
from ulnager.core.units import Unit
from ulnager.numbers.lasting_rows import HOWS as LASTING_HOWS
from ulnager.numbers.totals import checked_how

_LEAST_REFRESH: Final = 10
"""An open page asks anew after so many seconds at the earliest."""


class Pages:
    """Makes the pages and schedules of a book."""

    def __init__(
        self,
        book: Book,
        offers: Offers,
        pickers: Mapping[str, Picker],
        values: Mapping[str, ValuesEntry],
    ) -> None:
        self.book, self.offers, self.pickers = book, offers, pickers
        self.filters = {name: self._filter(name, entry) for name, entry in values.items()}

    def _filter(self, name: str, entry: ValuesEntry) -> ValueFilter:
        said = (entry.opens,) if isinstance(entry.opens, str) else tuple(entry.opens)
        if len(said) > 1 and not entry.several:
            raise self.offers.wrong(
                f"values.{name}.opens",
                "several values, and one can be chosen",
                "Name one, or say several = true.",
            )
        label = entry.label or name.replace("_", " ").capitalize()
        column = entry.column or name
        return ValueFilter(
            name, label, column, entry.several, said, entry.limit, self.offers.signer
        )

    def page(self, name: str, entry: PageEntry, home: str | None) -> Page:
        """The page of that name; ``home`` is the book's picker."""
        key = f"pages.{name}"
        own = entry.picker or home
        if own is not None:
            self.offers.known(f"{key}.picker", "picker", own, self.pickers)
        if entry.anchor is not None:
            raise self.offers.wrong(
                f"{key}.anchor",
                "a page has no anchor: where a period is shown changes nothing",
                f'Write anchor = "{entry.anchor}" at the top of the book, or in the periods that '
                "it is for; the usual choices of a picker take its anchor.",
            )
        charts = tuple(
            self._chart(f"{key}.charts.{one}", one, chart, own)
            for one, chart in entry.charts.items()
        )
        names = dict.fromkeys([*([own] if own else []), *(c.follows for c in charts if c.follows)])
        pickers = {}
        for one in names:
            said = ((k, v) for k, v in entry.opens.items() if k.split(".")[0] == one)
            state = {k: v if isinstance(v, str) else ",".join(v) for k, v in said}
            picker = self.pickers[one]._opened_by(state)
            # The unit is offered where a chart is grouped by it, and so are comparisons.
            mine = [c for c in charts if c.follows == one]
            is_grouped = any(c.by == "viewer" for c in mine)
            is_compared = any(c.drawn.get("beside") == "viewer" for c in mine)
            pickers[one] = replace(
                picker,
                by=picker.by if is_grouped else None,
                compare=picker.compare if is_compared else None,
            )
        filters = tuple(
            self.filters[self.offers.known(f"{key}.values", "filter by value", one, self.filters)]
            for one in entry.values
        )
        self._check_opens(f"{key}.opens", entry.opens, pickers, filters)
        label = entry.label or name.replace("_", " ").capitalize()
        book = self.book
        return Page(
            name,
            label,
            charts,
            pickers,
            own,
            book.look,
            book.sources,
            book.language,
            book.resolver,
            filters,
            {n: _several(said) for n, said in entry.opens.items() if n in entry.values},
            entry.details,
            self._play(key, entry),
        )

    def _play(self, key: str, entry: PageEntry) -> Play:
        step, seconds = None, 0
        if entry.step is not None:
            try:
                count, unit = step_of(entry.step)
            except UlnagerError as error:
                raise self.offers.wrong(f"{key}.step", str(error)) from None
            step = (count, unit.name)
        if entry.refresh is not None:
            many, _, unit_name = entry.refresh.partition(" ")
            size = {"second": 1, "minute": 60, "hour": 3600}.get(unit_name.removesuffix("s"), 0)
            seconds = int(many) * size if many.isascii() and many.isdigit() else 0
            if not _LEAST_REFRESH <= seconds <= 86_400:
                raise self.offers.wrong(
                    f"{key}.refresh",
                    f"{entry.refresh!r} is no time between {_LEAST_REFRESH} seconds and a day",
                    "Write '10 minutes'.",
                )
        return Play(step, entry.round, entry.plays, seconds)

    def _check_opens(
        self,
        key: str,
        opens: Mapping[str, str | list[str]],
        pickers: Mapping[str, Picker],
        filters: Sequence[ValueFilter],
    ) -> None:
        known = [one.name for one in filters]
        for name, said in opens.items():
            picker = pickers.get(name.split(".")[0])
            told = "" if name in known else "nothing of this page has that name"
            if picker is not None:
                text = said if isinstance(said, str) else ",".join(said)
                told = state_problem(picker, name, text) or ""
            if told:
                raise self.offers.wrong(f"{key}.{name}", told)

    def _chart(self, key: str, name: str, entry: ChartEntry, home: str | None) -> Chart:
        self.offers.known(f"{key}.source", "source", entry.source, self.book.sources)
        source = self.book.sources[entry.source]
        said = [one for one in ("period", "follows", "dates") if getattr(entry, one) is not None]
        if len(said) > 1:
            raise self.offers.wrong(key, f"{' and '.join(said)} are there; one of them governs it")
        follows = entry.follows or (home if not said else None)
        if not said and follows is None:
            raise self.offers.wrong(
                key,
                Message("no picker and no period governs this chart", code="ungoverned"),
                "Add follows = '…' or period = '…', or dates = 'none' if it has none.",
            )
        if follows is not None:
            self.offers.known(f"{key}.follows", "picker", follows, self.pickers)
        by = entry.by
        if by == "viewer":
            if follows is None or self.pickers[follows].by is None:
                raise self.offers.wrong(
                    f"{key}.by",
                    "no picker lets viewers choose the unit",
                    "Add [pickers.….by], or name a unit.",
                )
        elif by is not None:
            by = self._unit(f"{key}.by", by)
        if entry.beside == "viewer" and (follows is None or not self.pickers[follows].compare):
            raise self.offers.wrong(
                f"{key}.beside",
                "no picker lets viewers choose what to compare with",
                "Add [pickers.….compare], or name a shift.",
            )
        pinned = None if entry.period is None else self._pinned(f"{key}.period", entry.period)
        drawn = {
            n: getattr(entry, n)
            for n in ("value", "how", "split", "top", "beside", "running", "per", "where", "form")
        }
        if entry.form == "rows":
            drawn |= {n: getattr(entry, n) for n in ("columns", "order", "limit", "csv")}
        self._check_form(key, entry)
        return Chart(
            name,
            entry.label or name.replace("_", " ").capitalize(),
            entry.source,
            entry.column or source.column,
            pinned,
            follows,
            None if entry.shifted is None else self._shift(f"{key}.shifted", entry.shifted),
            source.limit,
            source.days_that_count if source.limit is not None else None,
            by,
            entry.partial,
            entry.max_buckets or MOST_BUCKETS,
            {n: one for n, one in drawn.items() if one},
            source.held,
            source.tz,
            entry.column in (None, source.column) and entry.until is None,
            entry.until,
        )

    def _check_form(self, key: str, entry: ChartEntry) -> None:
        """BookError for keys that do not go together."""
        told, instead = "", ""
        if entry.form == "number" and (entry.by or entry.split or entry.running):
            told = "one number has no by, no split and no running"
            instead = "Leave them out, or take another form."
        elif entry.form in ("bars", "line") and not (entry.by or entry.running):
            told = f"form = '{entry.form}' is of values by a unit"
            instead = "Add by = 'day', or by = 'viewer'."
        elif entry.form == "calendar" and (entry.by != "day" or entry.split or entry.running):
            told = "a calendar is of one value a day"
            instead = "Say by = 'day', and no split and no running."
        elif entry.form == "rows" and not entry.columns:
            told = "rows are shown in columns that are named, and none is"
            instead = "Add columns = ['…', '…']."
        elif entry.form != "rows" and (entry.columns or entry.order or entry.csv):
            told = "columns, order and csv are of rows"
            instead = "Add form = 'rows', or leave them out."
        elif entry.form == "rows" and (entry.by or entry.split or entry.running or entry.value):
            told = "rows are shown as they are, with no by, split, running and value"
            instead = "Leave them out, or take another form."
        elif entry.per and not entry.running:
            told = "per divides a running measure, and there is none"
            instead = "Add running = 'last 7 rolling days'."
        elif entry.until and (entry.running or entry.how not in (None, *LASTING_HOWS)):
            told = "of rows that last there are counts and sums, and no running measure"
            instead = "Leave running out and say how = 'count' or 'sum', or leave until out."
        elif entry.running and isinstance(entry.split, list):
            told = "a running measure is split by one column"
        elif entry.running and entry.top:
            told = "a running measure has a line for each value of its split, and no top"
            instead = "Leave top out."
        if told:
            raise self.offers.wrong(key, told, instead)
        try:
            checked_how(entry.how, entry.value, entry.per, entry.top, entry.split)
        except SettingError as error:
            raise self.offers.wrong(key, str(error)) from None

    def _unit(self, key: str, name: str) -> str:
        try:
            return (self.book.calendar or GREGORIAN).unit_named(name).name
        except UlnagerError as error:
            raise self.offers.wrong(key, str(error)) from None

    def _pinned(self, key: str, name: str) -> Choice:
        entry = self.book.periods.get(name)
        if entry is None:
            try:
                phrase = self.book.read(name)
                self._check_data(key, phrase, None)
                return Choice(name, phrase, f"'{name}'", name)
            except BookError:
                raise
            except UlnagerError:
                self.offers.known(key, "period", name, self.book.periods)
        assert entry is not None
        self._check_data(key, entry.period, entry)
        for slot, made in entry.period.inputs.items():
            if made.needs_opening and made.opens is None:
                raise self.offers.wrong(
                    key,
                    f"a pin shows what {name} opens with, and its slot {{{slot}}} has nothing "
                    "to open with",
                    f"Add opens = … to [periods.{name}.inputs.{slot}].",
                )
        return choice_of(entry)

    def _check_data(self, key: str, phrase: PeriodBase, entry: BookPeriod | None) -> None:
        """BookError for a phrase that speaks of data, where nobody says which."""
        own = None if entry is None or entry.anchor is None else entry.anchor.as_point
        if phrase.definition.asks_data and not self.book.resolver.sources(own):
            raise self.offers.wrong(
                key,
                f"'{phrase}' speaks of the data, and nobody says which",
                "Give it an anchor with sources = ['…'].",
            )

    def _shift(self, key: str, text: str) -> tuple[int, Unit]:
        try:
            found = shift_of(text)
        except UlnagerError:
            found = None
        if found is None:
            raise self.offers.wrong(
                key, f"{text!r} is no shift", "Write '1 year earlier', or '1 period earlier'."
            )
        return found

    def schedule(self, name: str, entry: ScheduleEntry, pages: Mapping[str, Page]) -> Schedule:
        """The schedule of that name."""
        key = f"schedules.{name}"
        page = pages[self.offers.known(f"{key}.page", "page", entry.page, pages)]
        self._check_opens(f"{key}.opens", entry.opens, page.pickers, page.filters)
        made: dict[str, Any] = {}
        zone = entry.tz or self.book.tz
        if zone is None:
            raise self.offers.wrong(
                key,
                "a schedule goes out by the clocks of a zone, and none is named",
                'Say tz = "America/Halifax", here or at the top of the book.',
            )
        for part, make, said in (("tz", zone_of, zone), ("at", time_of_day, entry.at)):
            try:
                made[part] = make(said)
            except UlnagerError as error:
                raise self.offers.wrong(f"{key}.{part}", str(error)) from None
        try:
            from datetime import date

            rule_of(entry.every, entry.starts, entry.starts or date(2026, 1, 1))
        except UlnagerError as error:
            raise self.offers.wrong(f"{key}.every", str(error)) from None
        label = entry.label or name.replace("_", " ").capitalize()
        return Schedule(
            name, label, page, entry.every, made["at"], made["tz"], entry.starts, dict(entry.opens)
        )


def _several(said: str | list[str]) -> tuple[str, ...]:
    return (said,) if isinstance(said, str) else tuple(said)


def checked_names(
    offers: Offers, *named: Mapping[str, PickerEntry | ValuesEntry | PageEntry | ScheduleEntry]
) -> None:
    """BookError for a picker, a filter by value, a page and a schedule of one name."""
    seen: dict[str, str] = {}
    for what, names in zip(("pickers", "values", "pages", "schedules"), named, strict=True):
        for name in names:
            if name in seen:
                raise offers.wrong(
                    f"{what}.{name}",
                    f"{seen[name]} has that name too",
                    "Rename one of them; they are shown by name.",
                )
            seen[name] = f"{what}.{name}"
