"""Pickers of a book: what its file says of choices, inputs and grouping, as values.

Every mistake is told with its key and what would be right.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Final

from ulnager.book.book import Book, BookAnchor, BookPeriod
from ulnager.book.languages import language_of
from ulnager.book.offers import HeadingEntry, PickerEntry
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.calendars.zones import zone_named
from ulnager.core.choices.opening import Picker
from ulnager.core.choices.picker import (
    OF_DATA,
    AnchorPoint,
    Choice,
    Grouping,
    Language,
    Signer,
)
from ulnager.core.choices.reading import RESERVED
from ulnager.core.errors import BookError, ResolveError, UlnagerError
from ulnager.core.language.inputs import Input, checked_input
from ulnager.core.language.openperiod import OpenPeriod, cut_by, open_period
from ulnager.core.language.period import Period, period
from ulnager.core.suggest import no_such

_OPENING: Final = ("count", "day", "unit", "word")
_USUAL: Final = "month_so_far"


def anchor_point(anchor: BookAnchor) -> AnchorPoint:
    """An anchor of the book as pickers measure from it."""
    names = tuple(source.name for source in anchor.sources)
    return AnchorPoint(anchor.name, anchor.point, anchor.running, names)


def choice_of(entry: BookPeriod, heading: str | None = None) -> Choice:
    """A period of the book as viewers are offered it."""
    return Choice(
        entry.name,
        entry.period,
        entry.label or entry.name.replace("_", " ").capitalize(),
        entry.short or entry.label or entry.name.replace("_", " ").capitalize(),
        heading,
        entry.period.inputs,
        None if entry.anchor is None else anchor_point(entry.anchor),
        entry.calendar,
        entry.ranges,
    )


class Offers:
    """Makes the pickers of a book from what its file says."""

    def __init__(self, book: Book, anchor: AnchorPoint | None, signer: Signer | None) -> None:
        self.book, self.anchor, self.signer = book, anchor, signer
        self.anchors = {name: anchor_point(one) for name, one in book.anchors.items()}

    def wrong(self, key: str, problem: str, fix: str = "") -> BookError:
        """The error for a mistake at a key."""
        return BookError(self.book.file, key, problem, fix)

    def known(self, key: str, what: str, name: str, known: Iterable[str]) -> str:
        """The name itself; BookError where there is no such thing."""
        names = list(known)
        if name not in names:
            raise self.wrong(key, no_such(what, name, names))
        return name

    def picker(self, name: str, entry: PickerEntry, sources: tuple[str, ...]) -> Picker:
        """The picker of that name."""
        key = f"pickers.{name}"
        if entry.tz is not None:
            try:
                zone_named(entry.tz)
            except UlnagerError as error:
                raise self.wrong(f"{key}.tz", str(error)) from None
        choices = self._choices(key, entry)
        inputs = self._inputs(key, entry.inputs, choices)
        anchor = self.anchor
        if entry.anchor is not None:
            anchor = self.anchors[self.known(f"{key}.anchor", "anchor", entry.anchor, self.anchors)]
        opens = entry.opens or (_USUAL if not entry.choices else choices[0].key)
        picker = Picker(
            name,
            entry.label or name.replace("_", " ").capitalize(),
            choices,
            opens,
            inputs,
            anchor,
            self.anchors,
            entry.labels,
            entry.viewers,
            entry.tz,
            self._grouping(key, entry),
            self.book.calendar,
            self.book.calendars,
            self.book.defaults,
            sources,
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

    def _choices(self, key: str, entry: PickerEntry) -> tuple[Choice, ...]:
        if not entry.choices:
            return self._usual()
        found: list[Choice] = []
        heading: str | None = None
        for place, one in enumerate(entry.choices):
            if isinstance(one, HeadingEntry):
                heading = one.heading or None
                continue
            self.known(f"{key}.choices.{place}", "period", one, self.book.periods)
            if any(choice.key == one for choice in found):
                raise self.wrong(f"{key}.choices.{place}", f"the choice {one!r} is there twice")
            found.append(choice_of(self.book.periods[one], heading))
        if not found:
            raise self.wrong(f"{key}.choices", "there are headings, and no choice")
        return tuple(found)

    def _usual(self) -> tuple[Choice, ...]:
        """What a picker without choices offers: the usual ones of its calendar."""
        calendar = self.book.calendar or GREGORIAN
        said: list[tuple[str, Period, str, str | None]] = [
            ("today", period("today"), "Today", None),
            ("yesterday", period("yesterday"), "Yesterday", None),
        ]
        for unit in ("week", "month", "quarter", "year"):
            known = calendar.unit_named(unit)
            try:
                calendar.unit_start(739_000, known)
            except ResolveError:
                continue
            said += [
                (f"this_{unit}", period(f"this {unit}"), f"This {unit}", None),
                (f"previous_{unit}", period(f"previous {unit}"), f"Previous {unit}", None),
                (f"{unit}_so_far", period(f"{unit} to date"), f"{unit.capitalize()} so far", None),
            ]
        days = open_period(
            "last {n} rolling days", {"n": {"label": "Days", "opens": 30, "max": 366}}
        )
        own = open_period(
            "from {first} to {last}",
            {"first": {"opens": "start of month"}, "last": {"opens": "today"}},
        )
        said += [
            ("last_days", days, "Last {n} days", "{n} d"),
            ("own_dates", own, "Dates of your own", None),
        ]
        return tuple(
            Choice(name, one, label, short or label, None, one.inputs)
            for name, one, label, short in said
        )

    def _inputs(
        self, key: str, settings: Mapping[str, Mapping[str, Any]], choices: tuple[Choice, ...]
    ) -> dict[str, Input]:
        found = {}
        for name, given in settings.items():
            slots = [one.inputs[name] for one in choices if name in one.inputs]
            kind = given.get("kind", slots[0].kind if slots else "")
            if not kind:
                raise self.wrong(
                    f"{key}.inputs.{name}", f"no choice has a slot {{{name}}}",
                    "Say its kind: kind = 'switch' or 'anchor' is for every choice.",
                )  # fmt: skip
            if slots and slots[0].kind in ("unit", "word") and "of" not in given:
                given = {**given, "of": list(slots[0].of)}
            try:
                made = checked_input(name, kind, given)
                if made.kind == "switch":
                    cut_by(choices[0].period.definition, made.phrase or "")
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

    # What a picker has to hold.

    def _check(self, key: str, picker: Picker) -> None:
        keys = [choice.key for choice in picker.choices]
        for name in (*keys, *picker.inputs, *(n for c in picker.choices for n in c.inputs)):
            if name in RESERVED:
                raise self.wrong(key, f"{name!r} is a name of its own here; choose another")
        if picker.opens not in keys:
            raise self.wrong(
                f"{key}.opens", no_such("choice", picker.opens, keys),
                "It opens with one of its choices.",
            )  # fmt: skip
        names: dict[str, str] = {}
        for choice in picker.choices:
            parts = [choice.key, *(f"{choice.key}_{one}" for one in picker.own_inputs(choice))]
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
            needs = made.kind in _OPENING and (name in opening.inputs or name in picker.inputs)
            if needs and made.opens is None:
                where = (
                    f"{key}.inputs" if name in picker.inputs else f"periods.{opening.key}.inputs"
                )
                raise self.wrong(
                    f"{where}.{name}", f"{picker.name} opens with {opening.key}, whose slot "
                    f"{{{name}}} has nothing to open with", "Add opens = …",
                )  # fmt: skip

    def _alone(self, key: str, names: dict[str, str], parameter: str, told: str) -> None:
        if parameter in names:
            raise self.wrong(
                key, f"{names[parameter]} and {told} come out alike as the parameter {parameter}",
                "Rename one of them.",
            )  # fmt: skip
        names[parameter] = told

    def _check_input(self, key: str, picker: Picker, choice: Choice, made: Input) -> None:
        calendar = choice.calendar or picker.calendar or GREGORIAN
        try:
            for unit in (made.unit, made.under, made.step if made.kind == "day" else None):
                if unit is not None:
                    calendar.unit_named(unit)
            if made.kind == "day":
                for setting in (made.min, made.max, made.opens):
                    if isinstance(setting, str):
                        period(setting)
        except UlnagerError as error:
            raise self.wrong(key, str(error)) from None
        if made.only is not None and made.only != "business days":
            raise self.wrong(key, f"only is {made.only!r}", "Write only = 'business days'.")
        if made.source is not None:
            self.known(f"{key}.source", "source", made.source, self.book.sources)
        if made.kind == "anchor":
            if not made.of:
                raise self.wrong(key, "there is nothing to measure from", "Add of = ['…', 'day'].")
            for name in made.of:
                if name != "day":
                    self.known(f"{key}.of", "anchor", name, self.anchors)
        if made.kind == "listed" and not picker.sources_of(choice, made):
            raise self.wrong(key, "nobody says which data it lists", "Add source = '…'.")

    def _check_data(self, key: str, picker: Picker, choice: Choice) -> None:
        anchor = choice.anchor or picker.anchor
        parts = list(choice.period.definition.walk())
        if anchor is not None:
            parts += list(anchor.point.definition.walk())
        word = next((part for part in parts if part.rule.key in OF_DATA), None)
        if word is not None and not picker.sources_of(choice):
            raise self.wrong(
                key, f"the choice {choice.key} speaks of the data ('{word}'), and nobody says "
                "which", "Give its anchor sources = ['…'].",
            )  # fmt: skip


def is_open(one: Period) -> bool:
    """Whether a period has open slots."""
    return isinstance(one, OpenPeriod)
