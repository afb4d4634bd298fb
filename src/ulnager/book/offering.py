"""Pickers of a book: what its file says of choices, inputs and grouping, as values.

Every mistake is told with its key and what would be right.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Final

from ulnager.book.book import Book, BookPeriod
from ulnager.book.languages import language_of
from ulnager.book.offers import HeadingEntry, PickerEntry
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.calendars.zones import zone_named
from ulnager.core.choices.opening import Picker
from ulnager.core.choices.picker import Choice, Grouping, Language, Signer
from ulnager.core.choices.reading import RESERVED
from ulnager.core.choices.resolver import AnchorPoint, asks_data
from ulnager.core.errors import BookError, ResolveError, UlnagerError
from ulnager.core.language.inputs import Input, checked_input, fixed_day
from ulnager.core.language.openperiod import OpenPeriod, cut_by, open_period
from ulnager.core.language.period import Period, period
from ulnager.core.periods.deciding import hangs_on_anchor
from ulnager.core.suggest import no_such

_OPENING: Final = ("count", "day", "unit", "word")
_USUAL: Final = "month_so_far"


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
        inputs = self._inputs(key, entry.inputs, choices)
        opens = entry.opens or (_USUAL if not entry.choices else choices[0].key)
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
            entry.tz,
            self._grouping(key, entry),
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
        if not entry.choices:
            return self._usual(anchor)
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

    def _usual(self, anchor: AnchorPoint | None) -> tuple[Choice, ...]:
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
            Choice(name, one, label, short or label, None, one.inputs, anchor)
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
        if made.kind == "day" and not picker.sources_of(choice, made):
            for setting in (made.min, made.max, made.opens):
                is_point = isinstance(setting, str) and fixed_day(setting) is None
                if is_point and asks_data(period(str(setting)).definition):
                    raise self.wrong(
                        key, f"'{setting}' speaks of the data, and nobody says which",
                        "Add source = '…', or give the book an anchor with sources.",
                    )  # fmt: skip
        if made.kind == "listed" and not picker.sources_of(choice, made):
            raise self.wrong(key, "nobody says which data it lists", "Add source = '…'.")

    def _check_data(self, key: str, picker: Picker, choice: Choice) -> None:
        if asks_data(choice.period.definition) and not picker.sources_of(choice):
            raise self.wrong(
                key, f"the choice {choice.key} speaks of the data ('{choice.period}'), and nobody "
                "says which", "Give it an anchor with sources = ['…'].",
            )  # fmt: skip


def is_open(one: Period) -> bool:
    """Whether a period has open slots."""
    return isinstance(one, OpenPeriod)
