"""Pickers of a book: what its file says of choices, inputs and grouping, as values.

Every mistake is told with its key and what would be right.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any, Final, NamedTuple

from ulnager.book.book import Book, BookPeriod
from ulnager.book.file_schema import HeadingEntry, PhraseEntry, PickerEntry
from ulnager.book.labels_by_language import language_of
from ulnager.choices.form_reading import RESERVED
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import NOTHING, Choice, Comparison, Grouping, Language, Signer
from ulnager.choices.resolver import AnchorPoint
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import BookError, ResolveError, UlnagerError
from ulnager.core.language.inputs import (
    AnchorInput,
    DayInput,
    Input,
    ListedInput,
    SwitchInput,
    UnitInput,
    WordInput,
    checked_input,
)
from ulnager.core.language.open_period import RUNNING, cut_by
from ulnager.core.language.phrase import period, period_or_open
from ulnager.core.language.walks import shift_of
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.suggest import no_such
from ulnager.core.units import Unit

USUAL: Final = "usual"
"""What stands for all of them in a list of choices."""
OPENS: Final = "month_so_far"
AHEAD: Final = ("tomorrow", "next_days", "next_week", "next_month", "next_quarter", "next_year")
"""Those that look ahead; a list names them, and 'usual' does not stand for them."""
UNITS: Final = ("week", "month", "quarter", "year")


class Offer(NamedTuple):
    """A usual choice: its phrase, its labels, and what its inputs open with."""

    phrase: str
    label: str
    short: str = ""
    inputs: dict[str, dict[str, object]] | None = None


def is_by_clock(anchor: AnchorPoint | None) -> bool:
    """Whether an anchor is the clock's day, or there is none."""
    return anchor is None or anchor.definition.rule.is_running


def usual_keys(calendar: Calendar, anchor: AnchorPoint | None) -> list[str]:
    """The keys that 'usual' stands for.

    Where they are measured from another day than the clock's, that day and the one before stand in
    place of today and yesterday.
    """
    others = ("anchor_day", "day_before") if is_by_clock(anchor) else ("today", "yesterday")
    return [key for key in usual_offers(calendar, anchor) if key not in (*AHEAD, *others)]


def usual_offers(calendar: Calendar, anchor: AnchorPoint | None) -> dict[str, Offer]:
    """All usual choices by their keys, those that look ahead last."""
    by_clock = is_by_clock(anchor)
    of_data = anchor is not None and anchor.asks_data
    found = {
        "today": Offer("today", "Today"),
        "yesterday": Offer("yesterday", "Yesterday"),
        "anchor_day": Offer("anchor day", "Latest day" if of_data else "{dates}"),
        "day_before": Offer("1 day before anchor day", "The day before"),
    }
    for unit in _units_of(calendar):
        found |= {
            f"this_{unit}": Offer(f"this {unit}", f"This {unit}"),
            f"previous_{unit}": Offer(f"previous {unit}", f"Previous {unit}"),
            f"{unit}_so_far": Offer(f"{unit} to date", f"{unit.capitalize()} so far"),
        }
    days: dict[str, object] = {"label": "Days", "opens": 30, "max": 366}
    last = "today" if by_clock else "anchor day"
    found |= {
        "last_days": Offer("last {n} rolling days", "Last {n} days", "{n} d", {"n": days}),
        "own_dates": Offer(
            "from {first} to {last}",
            "Dates of your own",
            "",
            {"first": {"opens": "start of month"}, "last": {"opens": last}},
        ),
        "tomorrow": (
            Offer("tomorrow", "Tomorrow")
            if by_clock
            else Offer("1 day after anchor day", "The day after")
        ),
        "next_days": Offer("next {n} rolling days", "Next {n} days", "", {"n": days}),
    }
    found |= {f"next_{unit}": Offer(f"next {unit}", f"Next {unit}") for unit in _units_of(calendar)}
    return found


def _units_of(calendar: Calendar) -> list[str]:
    found = []
    for name in UNITS:
        unit = calendar.unit_named(name)
        try:
            calendar._unit_start(calendar._some_day(unit), unit)
        except ResolveError:
            continue
        found.append(name)
    return found


def choice_from(
    key: str, offer: Offer, heading: str | None, anchor: AnchorPoint | None, calendar: Calendar
) -> Choice:
    """An offer as a choice of a picker, measured from the picker's anchor.

    Raises PeriodSyntaxError for a phrase that is none, SettingError for settings that fit no slot.
    """
    phrase = period_or_open(offer.phrase, calendar, offer.inputs)
    label = offer.label or key.replace("_", " ").capitalize()
    return Choice(key, phrase, label, offer.short or label, heading, phrase.inputs, anchor)


def choice_of(entry: BookPeriod, heading: str | None = None) -> Choice:
    """A period of the book as viewers are offered it."""
    return Choice(
        entry.name,
        entry.period,
        entry.label or entry.name.replace("_", " ").capitalize(),
        entry.short or entry.label or entry.name.replace("_", " ").capitalize(),
        heading,
        entry.period.inputs,
        None if entry.anchor is None else entry.anchor.as_point,
        entry.calendar,
        entry.ranges,
    )


BUILT: Final = "{side} {n} {how} {unit}"
"""What viewers put together."""
BUILT_WORDS: Final = {
    "whole": "whole ones only",
    "rolling": "to the day",
    "to date": "the running one counted so far",
    "to end": "the running one counted to its end",
    "from date": "the running one counted from here on",
    "from start": "the running one counted whole",
}
"""The readings of a count of units, as a sentence says them."""
SENTENCE: Final = "{0} {1} {3}, {2}"
"""The order of these words in English; a catalogue has another."""
_BUILT_UNITS: Final = ("day", "week", "month", "quarter", "year")
_CUTS: Final = {
    "no_today": {"phrase": "except today", "label": "Leave today out"},
    "no_running": {"phrase": RUNNING, "label": "Leave out what is still running"},
    "no_future": {"phrase": "within until today", "label": "Leave out what is to come"},
}
"""Switches that a word gives."""


class Offers:
    """Makes the pickers of a book from what its file says."""

    def __init__(self, book: Book, signer: Signer | None) -> None:
        self.book, self.signer = book, signer
        self.anchors = book.resolver.anchors

    def wrong(self, key: str, problem: str, fix: str = "") -> BookError:
        """The error for a mistake at a key."""
        return BookError(self.book.file, key, problem, fix)

    def known(self, key: str, what: str, name: str, known: Iterable[str]) -> str:
        """The name itself; BookError where there is no such thing."""
        names = list(known)
        if name not in names:
            raise self.wrong(key, no_such(what, name, names))
        return name

    def picker(self, name: str, entry: PickerEntry) -> Picker:
        """The picker of that name."""
        key = f"pickers.{name}"
        if entry.tz is not None:
            try:
                zone_named(entry.tz)
            except UlnagerError as error:
                raise self.wrong(f"{key}.tz", str(error)) from None
        anchor = None
        if entry.anchor is not None:
            anchor = self.anchors[self.known(f"{key}.anchor", "anchor", entry.anchor, self.anchors)]
        choices = self._choices(key, entry, anchor)
        self._check_anchor(key, entry, choices)
        twice = [one for one in entry.cuts if one in entry.inputs]
        if twice:
            raise self.wrong(f"{key}.cuts", f"there is an input {twice[0]!r} already")
        cuts: dict[str, Mapping[str, Any]] = {
            one: {"kind": "switch", **_CUTS[one]} for one in entry.cuts
        }
        inputs = self._inputs(key, {**cuts, **entry.inputs}, choices)
        is_usual = USUAL in (entry.choices or [USUAL])
        opens = entry.opens or (OPENS if is_usual else choices[0].key)
        picker = Picker(
            name,
            entry.label or name.replace("_", " ").capitalize(),
            choices,
            opens,
            inputs,
            anchor,
            self.book.resolver,
            entry.labels,
            entry.viewers,
            entry.tz or self.book.tz,
            self._grouping(key, entry),
            self._comparison(key, entry),
            {},
            self.book.look,
            self.signer,
            language=self._language(key, entry),
        )
        self._check(key, picker)
        return picker

    def _language(self, key: str, entry: PickerEntry) -> Language:
        """The book's language, with days written as the picker says."""
        if entry.dates_as is None:
            return self.book.language
        language_of(self.book.file, f"{key}.", None, entry.dates_as, {})
        return self.book.language._replace(dates_as=entry.dates_as)

    def _check_anchor(self, key: str, entry: PickerEntry, choices: tuple[Choice, ...]) -> None:
        """BookError for an anchor of a picker that was meant for periods of the book: in version
        0.2 they were measured from it, and now they would be from the clock."""
        if entry.anchor is None or self.book.anchor is not None:
            return
        for choice in choices:
            period = self.book.periods.get(choice.key)
            if period is None or period.anchor is not None:
                continue
            if hangs_on_anchor(period.period.definition):
                raise self.wrong(
                    f"{key}.anchor",
                    f"the picker's anchor has no say over {choice.key!r}, which is a period of the "
                    "book and has the same dates wherever it is shown",
                    f'Write anchor = "{entry.anchor}" at the top of the book, for all periods that '
                    f"name none; or in [periods.{choice.key}].",
                )

    def _choices(
        self, key: str, entry: PickerEntry, anchor: AnchorPoint | None
    ) -> tuple[Choice, ...]:
        found: list[Choice] = []
        heading: str | None = None
        for place, one in enumerate(entry.choices or [USUAL]):
            at = f"{key}.choices.{place}"
            if isinstance(one, HeadingEntry):
                heading = one.heading or None
                continue
            for choice in self._offered(at, one, heading, anchor):
                if any(other.key == choice.key for other in found):
                    raise self.wrong(at, f"the choice {choice.key!r} is there twice")
                found.append(choice)
        if not found:
            raise self.wrong(f"{key}.choices", "there are headings, and no choice")
        return tuple(found)

    def _offered(
        self, key: str, one: str | PhraseEntry, heading: str | None, anchor: AnchorPoint | None
    ) -> Iterator[Choice]:
        """The choices that one place of a list stands for: a period of the book, the usual ones,
        one of these, or a phrase."""
        calendar = self.book.calendar or GREGORIAN
        if isinstance(one, PhraseEntry):
            yield self._phrase(key, one, heading, anchor, calendar)
            return
        measured_from = anchor or self.book.resolver.anchor
        names = usual_keys(calendar, measured_from) if one == USUAL else [one]
        is_own = self.book.periods.keys() >= set(names)
        usual = {} if is_own else usual_offers(calendar, measured_from)
        if one != USUAL:
            self.known(key, "period", one, [*self.book.periods, *usual])
        for name in names:
            # A period of the book goes before the usual choice of its key.
            if name in self.book.periods:
                yield choice_of(self.book.periods[name], heading)
            else:
                yield choice_from(name, usual[name], heading, anchor, calendar)

    def _phrase(
        self,
        key: str,
        entry: PhraseEntry,
        heading: str | None,
        anchor: AnchorPoint | None,
        calendar: Calendar,
    ) -> Choice:
        """A phrase that stands in the list itself."""
        if entry.build == bool(entry.phrase):
            raise self.wrong(
                key,
                "a choice that is put together has no phrase of its own"
                if entry.build
                else "there is no phrase",
                "Say phrase = '…', or build = true.",
            )
        if entry.build:
            return self._built(key, entry, heading, anchor, calendar)
        name = entry.key or re.sub(r"[^a-z0-9]+", "_", entry.phrase.lower()).strip("_")
        if not re.fullmatch(r"[a-z][a-z0-9_]*", name):
            raise self.wrong(key, f"{name!r} can be no key", "Say key = '…', in small letters.")
        if name in self.book.periods:
            raise self.wrong(
                key,
                f"{name!r} is a period of the book, which may have other dates",
                f"Name it: '{name}'; or say another key.",
            )
        offer = Offer(entry.phrase, entry.label, entry.short, entry.inputs or None)
        try:
            if entry.inputs or "{" in entry.phrase:
                return choice_from(name, offer, heading, anchor, calendar)
            read = self.book.read(entry.phrase)
        except BookError:
            raise
        except UlnagerError as error:
            raise self.wrong(f"{key}.phrase", str(error).partition("\n")[0]) from None
        label = entry.label or name.replace("_", " ").capitalize()
        return Choice(name, read, label, entry.short or label, heading, {}, anchor)

    def _built(
        self,
        key: str,
        entry: PhraseEntry,
        heading: str | None,
        anchor: AnchorPoint | None,
        calendar: Calendar,
    ) -> Choice:
        """A sentence in which viewers put a period together."""
        units = [unit.name for unit in (Unit.DAY, *calendar.units) if unit.name in _BUILT_UNITS]
        inputs: dict[str, Any] = {
            "side": {
                "kind": "word",
                "of": ["last", "next"],
                "opens": "last",
                "label": "Which way",
                "labels": {"last": "last", "next": "next"},
            },
            "n": {"opens": 4, "max": 400, "label": "How many"},
            "how": {
                "kind": "word",
                "of": list(BUILT_WORDS),
                "opens": "whole",
                "label": "Which",
                "labels": BUILT_WORDS,
            },
            "unit": {"of": units, "opens": "week", "label": "Unit"},
        }
        for name, one in entry.inputs.items():
            if name not in inputs:
                raise self.wrong(f"{key}.inputs.{name}", no_such("input", name, list(inputs)))
            labels = {**inputs[name].get("labels", {}), **one.get("labels", {})}
            inputs[name] |= one
            if "opens" not in one and inputs[name]["opens"] not in inputs[name].get("of", [4]):
                inputs[name]["opens"] = inputs[name]["of"][0]
            if labels:
                of = inputs[name]["of"]
                inputs[name]["labels"] = {word: labels[word] for word in of if word in labels}
        name = entry.key or "build"
        label = entry.label or "Put together"
        offer = Offer(BUILT, label, entry.short or label, inputs)
        try:
            found = choice_from(name, offer, heading, anchor, calendar)
        except UlnagerError as error:
            raise self.wrong(key, str(error).partition("\n")[0]) from None
        return replace(found, sentence=SENTENCE)

    def _inputs(
        self, key: str, settings: Mapping[str, Mapping[str, Any]], choices: tuple[Choice, ...]
    ) -> dict[str, Input]:
        found = {}
        for name, given in settings.items():
            slots = [one.inputs[name] for one in choices if name in one.inputs]
            kind = given.get("kind", slots[0].kind if slots else "")
            if not kind:
                raise self.wrong(
                    f"{key}.inputs.{name}",
                    f"no choice has a slot {{{name}}}",
                    "Say its kind: kind = 'switch' or 'anchor' is for every choice.",
                )
            if slots and isinstance(slots[0], UnitInput | WordInput) and "of" not in given:
                given = {**given, "of": list(slots[0].of)}
            try:
                made = checked_input(name, kind, given)
                if isinstance(made, SwitchInput):
                    cut_by(choices[0].period.definition, made.phrase)
            except UlnagerError as error:
                raise self.wrong(f"{key}.inputs.{name}", str(error)) from None
            found[name] = made
        return found

    def _grouping(self, key: str, entry: PickerEntry) -> Grouping | None:
        if entry.by is None:
            return None
        calendar = self.book.calendar or GREGORIAN
        try:
            units = tuple(calendar.unit_named(one) for one in entry.by.of)
        except UlnagerError as error:
            raise self.wrong(f"{key}.by.of", str(error)) from None
        names = [unit.name for unit in units]
        if entry.by.opens != "fitting" and entry.by.opens not in names:
            raise self.wrong(
                f"{key}.by.opens", no_such("unit", entry.by.opens, ["fitting", *names])
            )
        return Grouping(units, entry.by.opens, entry.by.max_buckets, entry.by.label)

    def _comparison(self, key: str, entry: PickerEntry) -> Comparison | None:
        if entry.compare is None:
            return None
        of = tuple(dict.fromkeys(entry.compare.of))
        for one in of:
            try:
                is_shift = one == NOTHING or shift_of(one) is not None
            except UlnagerError:
                is_shift = False
            if not is_shift:
                raise self.wrong(
                    f"{key}.compare.of",
                    f"{one!r} is nothing to compare with",
                    "Write shifts such as '1 year earlier' or '1 period earlier', and 'nothing'.",
                )
        opens = entry.compare.opens or of[0]
        if opens not in of:
            raise self.wrong(f"{key}.compare.opens", no_such("comparison", opens, list(of)))
        return Comparison(of, opens, entry.compare.label)

    # What a picker has to hold.

    def _check(self, key: str, picker: Picker) -> None:
        keys = [choice.key for choice in picker.choices]
        for name in (*keys, *picker.inputs, *(n for c in picker.choices for n in c.inputs)):
            if name in RESERVED:
                raise self.wrong(key, f"{name!r} is a name of its own here; choose another")
        if picker.opens not in keys:
            raise self.wrong(
                f"{key}.opens",
                no_such("choice", picker.opens, keys),
                "It opens with one of its choices.",
            )
        names: dict[str, str] = {}
        for choice in picker.choices:
            parts = [choice.key, *(f"{choice.key}_{one}" for one in picker._own_inputs(choice))]
            for part in parts[1:]:
                self._alone(key, names, part, f"{choice.key}.{part.removeprefix(choice.key)[1:]}")
            for made in choice.inputs.values():
                self._check_input(f"periods.{choice.key}.inputs.{made.name}", picker, choice, made)
            self._check_data(key, picker, choice)
        for name, made in picker.inputs.items():
            self._alone(key, names, name, name)
            self._check_input(f"{key}.inputs.{name}", picker, picker.choices[0], made)
        opening = picker.choice(picker.opens)
        assert opening is not None
        for name, made in {**opening.inputs, **picker.inputs}.items():
            needs = made.needs_opening and (name in opening.inputs or name in picker.inputs)
            if needs and made.opens is None:
                where = (
                    f"{key}.inputs" if name in picker.inputs else f"periods.{opening.key}.inputs"
                )
                raise self.wrong(
                    f"{where}.{name}",
                    f"{picker.name} opens with {opening.key}, whose slot "
                    f"{{{name}}} has nothing to open with",
                    "Add opens = …",
                )

    def _alone(self, key: str, names: dict[str, str], parameter: str, told: str) -> None:
        if parameter in names:
            raise self.wrong(
                key,
                f"{names[parameter]} and {told} come out alike as the parameter {parameter}",
                "Rename one of them.",
            )
        names[parameter] = told

    def _check_input(self, key: str, picker: Picker, choice: Choice, made: Input) -> None:
        calendar = choice.calendar or picker.calendar or GREGORIAN
        points = made.points if isinstance(made, DayInput) else []
        try:
            for unit in made.units():
                calendar.unit_named(unit)
            for point in points:
                period(point)
        except UlnagerError as error:
            raise self.wrong(key, str(error)) from None
        if isinstance(made, DayInput) and made.only not in (None, "business days"):
            raise self.wrong(key, f"only is {made.only!r}", "Write only = 'business days'.")
        if made.source is not None:
            self.known(f"{key}.source", "source", made.source, self.book.sources)
        if isinstance(made, AnchorInput):
            if not made.of:
                raise self.wrong(key, "there is nothing to measure from", "Add of = ['…', 'day'].")
            for name in made.named:
                self.known(f"{key}.of", "anchor", name, self.anchors)
        for point in points:
            asks = period(point).definition.asks_data and not picker._sources_of(choice, made)
            if asks:
                raise self.wrong(
                    key,
                    f"'{point}' speaks of the data, and nobody says which",
                    "Add source = '…', or give the book an anchor with sources.",
                )
        if isinstance(made, ListedInput) and not picker._sources_of(choice, made):
            raise self.wrong(key, "nobody says which data it lists", "Add source = '…'.")

    def _check_data(self, key: str, picker: Picker, choice: Choice) -> None:
        if choice.period.definition.asks_data and not picker._sources_of(choice):
            raise self.wrong(
                key,
                f"the choice {choice.key} speaks of the data ('{choice.period}'), and nobody "
                "says which",
                "Give it an anchor with sources = ['…'].",
            )
