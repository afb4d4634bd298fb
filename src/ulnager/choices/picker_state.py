"""What a picker shows at a moment, worked out from the moment and from what was touched."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date
from functools import cached_property
from typing import Any, Final, NamedTuple

from ulnager.choices.frozen import Bounds, cut, definition_of, read_frozen
from ulnager.choices.grouping import Grouped, chosen_unit, grouped
from ulnager.choices.input_values import Given, Inputs, paired
from ulnager.choices.labels import filled_label, value_label
from ulnager.choices.picker_base import NOTHING, Choice, PickerBase
from ulnager.choices.resolver import Moment
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import ResolveError, UlnagerError
from ulnager.core.language.inputs import AnchorInput, Input, WordInput
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.walks import shift_of
from ulnager.core.messages import CUT, EMPTY, Message, code_of, message_of, of_code
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import Resolution, ResolutionBase
from ulnager.core.words import Words

_NOTHING_GIVEN: Final[list[dict[str, Any]]] = [{}]


class ShownChoice(NamedTuple):
    """A choice as viewers see it at a moment; no resolution while it has a problem."""

    key: str
    label: str
    short: str
    heading: str | None
    chosen: bool
    resolution: Resolution | None


class ComparedWith(NamedTuple):
    """What charts may be compared with, as viewers see it; ``resolution`` are the dates that stand
    beside those shown, None for nothing, and where there are none."""

    key: str
    label: str
    chosen: bool
    resolution: Resolution | None


class Signed(NamedTuple):
    """What a signed link allowed: to be fixed, or to show dates that lie beyond the data."""

    token: str
    is_fixed: bool = False
    dates: str = ""


class PickerState:
    """What a picker shows at a moment to a viewer who touched ``state``.

    ``choices``, ``inputs`` and ``by`` are typed values; ``resolution`` is None while there are
    ``problems``. They are equal when they show the same picker, moment and state.
    """

    def __init__(
        self,
        picker: PickerBase,
        moment: Moment,
        state: Mapping[str, str] | None = None,
        said: tuple[str, ...] = (),
        *,
        signed: Signed | None = None,
    ) -> None:
        self.picker, self.moment, self.said, self.signed = picker, moment, said, signed
        self.locked = picker.viewers != "choose" or (signed is not None and signed.is_fixed)
        self._state = dict(state or {})

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, PickerState)
            and (self.picker, self.moment, self._state)
            == (other.picker, other.moment, other._state)
            and self.signed == other.signed
        )

    def __hash__(self) -> int:
        return hash((self.picker.name, self.moment.today, tuple(sorted(self._state.items()))))

    def __repr__(self) -> str:
        return f"<view of {self.picker.name} on {self.moment.today}: {self.choice_label}>"

    # What it shows.

    @property
    def state(self) -> dict[str, str]:
        """All that the viewer touched, under all choices, as text; with the signed link that is
        still made use of."""
        token = self._token
        return dict(self._state) | ({f"{self.picker.name}.signed": token} if token else {})

    @property
    def touched(self) -> dict[str, str]:
        """The same without the link."""
        return dict(self._state)

    @property
    def _token(self) -> str:
        if self.signed is None:
            return ""
        is_used = self.locked or (
            self.signed.dates != "" and self._text(self.picker.name) == self.signed.dates
        )
        return self.signed.token if is_used else ""

    def _text(self, name: str) -> str | None:
        found = self._state.get(name)
        return self.picker.start.get(name) if found is None else found

    @cached_property
    def frozen(self) -> list[Bounds] | None:
        """The fixed dates that it shows in place of a choice."""
        text = self._text(self.picker.name) or ""
        bounds = read_frozen(text)
        if bounds is None:
            return None
        is_signed = self.signed is not None and self.signed.dates == text
        return (bounds if is_signed else cut(bounds, self.extent)) or None

    @cached_property
    def extent(self) -> Any:
        """The dates of the picker's data, None where nobody knows them."""
        return self.moment.extent(self.picker._sources_of(None))

    @cached_property
    def chosen(self) -> Choice | None:
        """The choice that is shown; None for fixed dates."""
        if self.frozen is not None:
            return None
        name = self._text(self.picker.name)
        found = None if name is None else self.picker.choice(name)
        return found or self.picker.choice(self._opening_key)

    @property
    def _opening_key(self) -> str:
        """The key of the choice that it opens with."""
        start = self.picker.start.get(self.picker.name)
        return start if start and self.picker.choice(start) else self.picker.opens

    @property
    def choice(self) -> str | None:
        """The key of the choice that is shown; None for fixed dates."""
        return None if self.chosen is None else self.chosen.key

    @property
    def opening(self) -> bool:
        """Whether it shows what it opened with."""
        return not self._state

    def _key_of(self, choice: Choice | None, name: str, number: int = 1) -> str:
        """The whole name of an input."""
        own = name in self.picker.inputs
        parts = [self.picker.name, *(() if own or choice is None else (choice.key,)), name]
        return ".".join(parts) + (f".{number}" if number > 1 and not own else "")

    def _range_count(self, choice: Choice) -> int:
        """How many ranges of a choice there are."""
        numbers = [1]
        for name in choice.inputs:
            for number in range(2, choice.ranges + 1):
                if self._text(self._key_of(choice, name, number)) is not None:
                    numbers.append(number)
        return max(numbers)

    def given(self, choice: Choice) -> list[dict[str, Given]]:
        """The inputs of a choice for each range, the picker's own with the first one's."""
        known = self._known.get(choice.key)
        if known is None:
            known = self._known[choice.key] = self._given(choice)
        return known

    @cached_property
    def _known(self) -> dict[str, list[dict[str, Given]]]:
        return {}

    def _given(self, choice: Choice) -> list[dict[str, Given]]:
        if not choice.inputs and not self.picker.inputs:
            return [{}]
        reader = Inputs(self.picker, self.moment, choice)
        own = {
            name: reader.given(made, key, self._state.get(key), 1, self.picker.start.get(key))
            for name, made in self.picker.inputs.items()
            for key in [self._key_of(None, name)]
        }
        for name, one in own.items():
            if (
                isinstance(one.made, AnchorInput)
                and one.value is not None
                and name not in choice.inputs
            ):
                reader.said = self.picker.anchor_of(one.value)
        found = []
        others = self.picker._own_inputs(choice)
        for number in range(1, (self._range_count(choice) if others else 1) + 1):
            each = {
                name: reader.given(
                    made, key, self._state.get(key), number, self.picker.start.get(key)
                )
                for name, made in others.items()
                for key in [self._key_of(choice, name, number)]
            }
            found.append({**own, **paired(choice, each)})
        return found

    def _shown_inputs(self) -> Iterator[tuple[Input, Given]]:
        if self.chosen is None:
            return
        each = self.given(self.chosen)
        for name, made in self.picker.inputs.items():
            yield made, each[0][name]
        for one in each:
            for name, given in one.items():
                if name not in self.picker.inputs:
                    yield given.made, given

    @cached_property
    def inputs(self) -> tuple[Given, ...]:
        """The picker's inputs and those of the chosen choice, range by range."""
        return tuple(given for _, given in self._shown_inputs())

    @property
    def choices(self) -> tuple[ShownChoice, ...]:
        """The choices in order, each with its label and its dates."""
        return tuple(
            ShownChoice(
                one.key,
                self.called(one, short=self.picker.labels == "short"),
                self.called(one, short=True),
                one.heading and self._labelled(one.heading),
                one.key == self.choice,
                self._result_of(one),
            )
            for one in self.picker.choices
        )

    def _result_of(self, choice: Choice) -> Resolution | None:
        """The dates of a choice as it stands; None while one of its inputs has a problem."""
        known, key = self._results, choice.key
        found = known.get(key)
        if found is None and key not in known:
            try:
                found = self._worked_out(choice)
            except UlnagerError as error:
                found = message_of(error)
            known[key] = found
        return found if isinstance(found, ResolutionBase) else None

    @cached_property
    def _results(self) -> dict[str, Resolution | str | None]:
        return {}

    def _worked_out(self, choice: Choice) -> Resolution | None:
        if not (choice.inputs or self.picker.inputs):
            return self.picker.resolved(choice, _NOTHING_GIVEN, self.moment)
        each = self.given(choice)
        if any(given.problem for one in each for given in one.values()):
            return None
        for one in each:
            self._check_together(choice, one)
        values = [{name: given.fills for name, given in one.items()} for one in each]
        return self.picker.resolved(choice, values, self.moment)

    def _check_together(self, choice: Choice, each: Mapping[str, Given]) -> None:
        """ResolveError for words that do not go together, in the viewer's language."""
        if not isinstance(choice.period, OpenPeriod):
            return
        if not choice.period._goes({name: given.value for name, given in each.items()}):
            words = [
                self._labelled(given.made.told(given.value))
                for given in each.values()
                if isinstance(given.made, WordInput)
            ]
            told = "these do not go together: {0}"
            raise ResolveError(self._in_words(told, ", ".join(words)))

    def _fixed(self, definition: Definition) -> Resolution:
        return self.picker.resolver.fixed(definition, self.moment)

    @cached_property
    def resolution(self) -> Resolution | None:
        """The dates; None while there are problems."""
        if self.chosen is None:
            assert self.frozen is not None
            definition = definition_of(self.frozen)
            return self._fixed(definition)
        return self._result_of(self.chosen)

    @property
    def words(self) -> Words:
        """The words of the viewer's language."""
        return self.moment.words

    def counted(self, count: int, unit: str) -> str:
        """So many of a unit, in the viewer's language."""
        return self.words.counted(count, unit)

    def day(self, day: date) -> str:
        """A day, in the viewer's language."""
        return self.words.day(day)

    @property
    def locale(self) -> str:
        """The viewer's language."""
        return self.words.locale

    def _in_words(self, text: str, *arguments: Any, code: str = "") -> Message:
        """A sentence in the viewer's language."""
        return self.words.say(text, *arguments, code=code)

    def _labelled(self, text: str) -> str:
        """A label of the book in the viewer's language."""
        return self.words.label(text)

    @cached_property
    def problems(self) -> tuple[str, ...]:
        """Why there are no dates, in words for viewers."""
        found = [
            self._in_words("{0}: {1}", self._called(one), one.problem, code=code_of(one.problem))
            for one in self.inputs
            if one.problem
        ]
        if self.chosen is not None and not found and self.resolution is None:
            why = self._results[self.chosen.key]
            found += [self._in_words(why)] if isinstance(why, str) else []
        return tuple(found)

    def _apart(self, given: Given, word: str) -> list[str]:
        """The words of other inputs, as they stand, that a word of one does not go with."""
        period = None if self.chosen is None else self.chosen.period
        if not isinstance(period, OpenPeriod) or not isinstance(given.made, WordInput):
            return []
        return [
            self._labelled(one.made.told(one.value))
            for one in self.inputs
            if isinstance(one.made, WordInput)
            and one.range == given.range
            and one.value is not None
            and one.key != given.key
            and not period._goes({one.key: one.value, given.key: word})
        ]

    def _called(self, given: Given) -> str:
        label = self._labelled(given.made.label)
        return f"{label} ({given.range})" if given.range > 1 else label

    @cached_property
    def units(self) -> tuple[Grouped, ...]:
        """The units that charts may be grouped by."""
        if self.picker.by is None:
            return ()
        return grouped(self.picker.by, self.resolution, self.extent)

    @cached_property
    def _unit(self) -> tuple[Grouped | None, str | None]:
        if self.picker.by is None:
            return None, None
        return chosen_unit(self.units, self._asked_unit, self.picker.by.opens)

    @property
    def _asked_unit(self) -> str | None:
        asked = self._text(f"{self.picker.name}.by")
        known = {one.name for one in self.picker.by.of} if self.picker.by else set()
        return asked if asked in known else None

    @property
    def by(self) -> str | None:
        """The unit that charts are grouped by; None where viewers have no say in it."""
        return None if self._unit[0] is None else self._unit[0].key

    @property
    def compared_with(self) -> str | None:
        """The shift that its charts are compared with; None for nothing, and where viewers have no
        say in it."""
        found = self._comparison
        return None if found == NOTHING else found

    @property
    def _comparison(self) -> str | None:
        if self.picker.compare is None:
            return None
        asked = self._text(f"{self.picker.name}.compare")
        return asked if asked in self.picker.compare.of else self.picker.compare.opens

    @property
    def comparisons(self) -> tuple[ComparedWith, ...]:
        """What charts may be compared with, each with its dates."""
        if self.picker.compare is None:
            return ()
        return tuple(
            ComparedWith(one, self._called_shift(one), one == self._comparison, self._moved(one))
            for one in self.picker.compare.of
        )

    def _called_shift(self, shift: str) -> str:
        found = None if shift == NOTHING else shift_of(shift)
        if found is None:
            return self._in_words("Nothing")
        count, unit = found
        key = "{0} later" if count > 0 else "{0} earlier"
        return self._in_words(key, self.counted(abs(count), unit.name))

    def _moved(self, shift: str) -> Resolution | None:
        found = None if shift == NOTHING else shift_of(shift)
        if found is None or self.resolution is None:
            return None
        try:
            return self.resolution.counterpart(abs(found[0]), found[1].name, later=found[0] > 0)
        except UlnagerError:
            return None  # It is open on one side, or of another time.

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What a viewer should know, in words."""
        found = list(self.said)
        if self.chosen is None or self._text(self.picker.name) != self.chosen.key:
            found += self._frozen_notes()
        result = self.resolution
        if result is not None and self.chosen is not None:
            found += of_code(result.notes, CUT)
            if self._overlap():
                told = "the ranges overlap; a day in several of them counts once"
                found.append(Message(told, code="overlap"))
        if result is not None and result.is_empty:
            found += of_code(result.notes, EMPTY)
        if self._unit[1] and result is not None:
            found.append(self._unit[1])
        return tuple(dict.fromkeys(map(self._in_words, found)))

    @property
    def _measured_from(self) -> str | None:
        """The name of the anchor that the chosen dates are measured from; None for the clock, and
        where nothing has a say."""
        choice = self.chosen
        if choice is None or not hangs_on_anchor(choice.period.definition):
            return None
        anchor = self.picker._anchor_for(choice)
        return None if anchor is None else anchor.name

    def _frozen_notes(self) -> Iterator[str]:
        bounds = read_frozen(self._text(self.picker.name) or "")
        if bounds is None:
            return
        if self.frozen is None:
            told = "the dates of the link lie outside the data; this is what it opens with"
            yield Message(told, code="outside-data")
        elif self.frozen != bounds:
            first, last = self.extent.first, self.extent.last
            told = "the dates are cut to those of the data, {0} to {1}"
            yield Message(told, first, last, code="cut-to-data")

    def _overlap(self) -> bool:
        assert self.chosen is not None
        each = self.given(self.chosen)
        if len(each) < 2 or self.resolution is None:
            return False
        days = 0
        for one in each:
            values = {name: given.fills for name, given in one.items()}
            days += self.picker.resolved(self.chosen, [values], self.moment).days or 0
        return days > (self.resolution.days or 0)

    @property
    def choice_label(self) -> str:
        """What is shown, in the picker's long or short labels."""
        return self.called(self.chosen, short=self.picker.labels == "short")

    def called(self, choice: Choice | None, *, short: bool = False) -> str:
        """What a choice is called, with the values of its inputs and its dates; fixed dates are
        called by their days."""
        if choice is None:
            return self.resolution.label if self.resolution else ""
        text = self._labelled(choice.short if short else choice.label)
        if "{" not in text:
            return text
        values = {
            name: value_label(given, self.words) for name, given in self.given(choice)[0].items()
        }
        if "{dates}" in text:
            result = self._result_of(choice)
            values["dates"] = result.label if result else "…"
        return filled_label(text, values)

    @property
    def shown(self) -> dict[str, str]:
        """What is shown and untouched, by the names of a form's fields."""
        found = {}
        if self.picker.name not in self._state and self.choice is not None:
            found[self.picker.name] = self.choice
        for given in self.inputs:
            if given.name not in self._state:
                found[given.name] = given.shown
        of_charts = (("by", self.by), ("compare", self._comparison))
        for key, text in of_charts:
            name = f"{self.picker.name}.{key}"
            if text is not None and name not in self._state:
                found[name] = text
        return found

    @property
    def calendar(self) -> Any:
        """The calendar that its dates are worked out in."""
        if self.resolution is not None:
            return self.resolution.calendar
        return self.picker.calendar or GREGORIAN
