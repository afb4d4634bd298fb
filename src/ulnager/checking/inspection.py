"""A book that is checked: what its sources hold, its periods resolved, and what was found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import date, datetime, time
from functools import cached_property
from pathlib import Path
from typing import Any, Final

from ulnager.book.book import Book, BookAnchor, BookPeriod
from ulnager.book.file_text import Whole, line_in
from ulnager.checking.findings import SEVERITIES, Finding
from ulnager.checking.toml_places import line_of, lines_of
from ulnager.choices.resolver import Moment, moment_from
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import ResolveError, SourceError, UlnagerError
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.messages import OFF_TABLE, error_message
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.spans import is_within
from ulnager.sources.profile import Profile, profile
from ulnager.sources.source import Relation

Key = tuple[str, ...]
_ACCEPT: Final = "accept"


class Checking:
    """A book that is checked: what its sources hold, its periods resolved, and what was found."""

    def __init__(self, file: str, book: Book | None, whole: Whole, today: date) -> None:
        self.file, self.values, self.today = file, whole.values, today
        self._origins = whole.origins
        self._book = book
        self._folder = f"{Path(file).resolve().parent}/"
        self._found: list[tuple[Key, Finding]] = []
        self._quiet: set[tuple[str, Key]] = set()
        self._lines = {name: lines_of(text) for name, text in whole.texts.items()}
        self._profiles: dict[str, Profile | None] = {}
        self._opened: dict[str, Relation | None] = {}
        self._resolved: dict[str, Resolution | None] = {}

    @property
    def book(self) -> Book:
        """The book; rules are asked only where there is one."""
        assert self._book is not None
        return self._book

    def add(
        self,
        rule: str,
        path: Key,
        message: str,
        instead: str = "",
        *,
        as_hint: bool = False,
        only_accepted: bool = False,
    ) -> None:
        """A finding at a key of the file; ``only_accepted`` ones are for acceptances alone."""
        if only_accepted:
            self._quiet.add((rule, path))
            return
        severity = "hint" if as_hint else SEVERITIES[rule]
        message, instead = (text.replace(self._folder, "") for text in (message, instead))
        file, line = self._place(path)
        if not path:  # Of a file that is no TOML nothing else is known.
            line = line_in(message) or line
        told = Finding(rule, severity, file, line, ".".join(path), message, instead)
        self._found.append((path, told))

    def _place(self, path: Key) -> tuple[str, int]:
        """The file and the line of a key."""
        file = self._origins.get((path[0], path[1]), self.file) if path[1:] else self.file
        return file, line_of(self._lines.get(file, {}), path)

    def has_found(self, rule: str, path: Key) -> bool:
        """Whether there is a finding of a rule at a key, or below it."""
        return any(one.rule == rule and at[: len(path)] == path for at, one in self._found)

    def told(self) -> tuple[Finding, ...]:
        """What is not accepted, and the acceptances that nothing needs, in the order of lines."""
        accepted = list(_acceptances(self.values))
        used: set[tuple[Key, str]] = set()
        left = []
        for path, finding in self._found:
            by = [
                (at, rule)
                for at, rule in accepted
                if rule == finding.rule and path[: len(at)] == at
            ]
            used.update(by)
            if not by:
                left.append(finding)
        for rule, path in self._quiet:
            used.update((at, one) for at, one in accepted if one == rule and path[: len(at)] == at)
        for at, rule in accepted:
            if (at, rule) in used:
                continue
            path = (*at, _ACCEPT, rule)
            known = (
                f"there is no rule {rule!r}" if rule not in SEVERITIES else "nothing is found there"
            )
            left.append(
                Finding(
                    "unused",
                    "hint",
                    *self._place(path),
                    ".".join(path),
                    f"this acceptance matches nothing: {known}",
                    "Take it out.",
                )
            )
        return tuple(sorted(left, key=self._order))

    def _order(self, one: Finding) -> tuple[object, ...]:
        return one.file != self.file, one.file, one.line, one.key, one.rule, one.message

    # What the sources hold.

    def source(self, name: str) -> Relation | None:
        """A source, opened once; None where it cannot be, which is told as missing."""
        if name not in self._opened:
            try:
                self._opened[name] = self.book.sources[name].opened(moment=self.moment)
            except UlnagerError as error:
                self._opened[name] = None
                self.add(
                    "missing",
                    ("sources", name),
                    str(error),
                    "Name what is there; what uses it has nothing.",
                )
        return self._opened[name]

    def profile(self, name: str) -> Profile | None:
        """What a source holds; None where it cannot be read, which is told."""
        if name not in self._profiles:
            source, entry = self.source(name), self.book.sources[name]
            found = None
            if source is not None:
                try:
                    found = profile(
                        source,
                        entry.column,
                        today=self.today,
                        tz=entry.tz,
                        calendar=entry.calendar,
                        share=entry.share,
                    )
                except SourceError as error:
                    key = ("sources", name, "column") if entry.column else ("sources", name)
                    self.add("missing", key, str(error))
            self._profiles[name] = found
        return self._profiles[name]

    def extent(self, names: Iterable[str]) -> Extent | None:
        """The dates that all of some sources hold."""
        return self.moment.extent(tuple(names))

    def look(self, name: str, moment: Moment) -> Extent | None:
        """The dates of a source, from its profile."""
        held = self.profile(name)
        return None if held is None else held.extent

    @cached_property
    def moment(self) -> Moment:
        """The moment at which the book is judged: midday of the day, where hours are asked."""
        zones = {one.tz for one in self.book.sources.values()} - {None}
        noon = datetime.combine(self.today, time(12))
        zone, starts = next(iter(zones), None) or "UTC", self.book.day_starts
        made = moment_from(None, noon, zone, None, self.look, day_starts=starts)
        return replace(made, today=self.today)

    def lacks(self, path: Key, source: Relation | None, name: str, values: Any) -> bool:
        """Whether no row of a source has some value of a column, which is told."""
        some = list(values) if isinstance(values, (list, tuple)) else [values]
        if source is None:
            return False
        gone = []
        for value in some:
            try:
                clause = source.values_in(name, [value])
                if not source.kept(name, clause)[0]:
                    gone.append(value)
            except UlnagerError:
                return False  # A column that is not there is told as missing.
        if gone:
            told = ", ".join(repr(one) for one in gone)
            self.add(
                "nothing",
                path,
                f"no row has {name} = {told}",
                "Write the value as the data does, or leave it out.",
                as_hint=len(gone) < len(some),
            )
        return len(gone) == len(some)

    # What the periods are.

    @cached_property
    def used_by(self) -> dict[str, tuple[str, ...]]:
        """The sources of each period: of its anchor, of charts that show it, or the only one."""
        book = self.book
        found: dict[str, dict[str, None]] = {name: {} for name in book.periods}
        for name, entry in book.periods.items():
            anchor = self.anchor_of(entry)
            if anchor is not None:
                found[name].update(dict.fromkeys(one.name for one in anchor.sources))
        for page in book.pages.values():
            for chart in page.charts:
                if chart.pinned is not None and chart.pinned.key in found:
                    found[chart.pinned.key][chart.source] = None
                if chart.follows is not None:
                    for choice in page.pickers[chart.follows].choices:
                        if choice.key in found:
                            found[choice.key][chart.source] = None
        only = tuple(book.sources) if len(book.sources) == 1 else ()
        return {name: tuple(some) or only for name, some in found.items()}

    def period(self, entry: BookPeriod) -> Period | None:
        """The phrase of an entry, its slots as they open; None where a viewer types dates."""
        if not isinstance(entry.period, OpenPeriod):
            return entry.period._closed()
        inputs = entry.period.inputs
        if any(one.kind not in ("count", "unit", "word") for one in inputs.values()):
            return None
        try:
            return entry.period.filled(**{name: one.opens for name, one in inputs.items()})
        except UlnagerError:
            return None

    def calendar(self, entry: BookPeriod) -> Calendar:
        """The calendar that an entry is resolved in."""
        return entry.calendar or self.book.calendar or GREGORIAN

    def asks_data(self, entry: BookPeriod) -> bool:
        """Whether the data says what an entry is measured from."""
        anchor = self.anchor_of(entry)
        phrases = [entry.period, *([anchor.point] if anchor else [])]
        return any(one.definition.asks_data for one in phrases)

    def anchor_of(self, entry: BookPeriod) -> BookAnchor | None:
        """What an entry is measured from; None for the clock, or where nothing has a say."""
        found = entry.anchor or self.book.anchor
        return found if found is not None and hangs_on_anchor(entry.period.definition) else None

    def resolved(self, entry: BookPeriod) -> Resolution | None:
        """The dates of an entry on the day; None where it has none, with the reason told."""
        if entry.name not in self._resolved:
            try:
                self._resolved[entry.name] = self._resolve(entry)
            except ResolveError as error:
                self._resolved[entry.name] = None
                if self.extent(self.used_by[entry.name]) is not None or not self.asks_data(entry):
                    is_off = error_message(error, OFF_TABLE) is not None
                    rule = "runs-out" if is_off else "nothing"
                    self.add(
                        rule, ("periods", entry.name), f"it has no dates on {self.today}: {error}"
                    )
            except UlnagerError:
                self._resolved[entry.name] = None
        return self._resolved[entry.name]

    def all_resolved(self) -> list[tuple[BookPeriod, Resolution]]:
        """The periods that have dates on the day, with these."""
        pairs = [(entry, self.resolved(entry)) for entry in self.book.periods.values()]
        return [(entry, result) for entry, result in pairs if result is not None]

    def _resolve(self, entry: BookPeriod) -> Resolution | None:
        phrase = self.period(entry)
        if phrase is None:
            return None
        return self.book._resolve_phrase(phrase, entry=entry, moment=self.moment)

    def kept(self, name: str, result: Resolution) -> int:
        """How many rows of a source lie in a resolution."""
        held = self.profile(name)
        if held is None:
            return 0
        ranges = result.ranges
        return sum(rows for day, rows in held.counts.items() if is_within(day.toordinal(), ranges))


def _acceptances(values: Any, path: Key = ()) -> Iterable[tuple[Key, str]]:
    """Where findings are accepted, and of which rules."""
    if not isinstance(values, Mapping):
        return
    for name, one in values.items():
        if (
            name == _ACCEPT
            and isinstance(one, Mapping)
            and path[-1:]
            not in (
                ("periods",),
                ("pickers",),
                ("pages",),
                ("sources",),
                ("anchors",),
                ("calendars",),
                ("schedules",),
                ("charts",),
                ("inputs",),
            )
        ):
            for rule in one:
                yield path, str(rule)
        else:
            yield from _acceptances(one, (*path, str(name)))
