"""Choices and pickers as a book defines them: values that are opened at a moment."""

from __future__ import annotations

import functools
import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, tzinfo
from typing import Any, Final, NamedTuple, Self

from ulnager.choices.resolver import AnchorPoint, Look, Moment, Resolver, moment_from, point_from
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of, zone_named
from ulnager.core.language.inputs import AnchorInput, Input, SwitchInput
from ulnager.core.language.open_period import OpenPeriod, cut_by, joined
from ulnager.core.language.period import PeriodBase
from ulnager.core.periods import phrases
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.periods.anchors import Defaults, Extent
from ulnager.core.periods.clock import Clock
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import Resolution
from ulnager.core.units import Unit
from ulnager.core.words import Words, words_of

MOST_BUCKETS: Final = 400
"""So many buckets are drawn of a chart, and offered to viewers, unless the book says otherwise."""


@dataclass(frozen=True)
class Choice:
    """A period as viewers are offered it. ``inputs`` are those of its own, by name."""

    key: str
    period: PeriodBase
    label: str
    short: str
    heading: str | None = None
    inputs: Mapping[str, Input] = field(default_factory=dict)
    anchor: AnchorPoint | None = None
    calendar: Calendar | None = None
    ranges: int = 1
    sentence: str = ""
    """The key of a sentence with its inputs in it, in which viewers put a period together."""

    def definition(self, each: Sequence[Mapping[str, Any]]) -> Definition:
        """What it says with values for its inputs, a set of them for each range."""
        if not isinstance(self.period, OpenPeriod):
            return self.period.definition
        return joined([self.period._definition_with(values) for values in each])


@dataclass(frozen=True)
class Grouping:
    """The units that charts may be grouped by, and the one it opens with."""

    of: tuple[Unit, ...]
    opens: str = "fitting"
    max_buckets: int = MOST_BUCKETS
    label: str = "Grouped by"


NOTHING: Final = "nothing"
"""What is chosen where charts are compared with nothing."""


@dataclass(frozen=True)
class Comparison:
    """What viewers may compare charts with: shifts such as ``1 year earlier``, as they are written,
    or ``nothing``; and what it opens with."""

    of: tuple[str, ...]
    opens: str
    label: str = "Compared with"


class Language(NamedTuple):
    """The language that labels and messages are in, a CLDR pattern for days, and the book's labels
    in other languages."""

    locale: str | None = None
    dates_as: str | None = None
    texts: Mapping[str, Mapping[str, str]] | None = None

    def words(self, locale: object = None) -> Words:
        """The words of this language, or of another that is asked for."""
        if isinstance(locale, Words):
            return locale
        return words_of(self.locale if locale is None else locale, self.dates_as, self.texts)


PLAIN: Final = Language()
"""English, as it is written here."""


class Signer:
    """Signs what viewers cannot do themselves; a book with a key has one."""

    ready = False
    """Whether the key is there."""

    def sign(self, value: dict[str, Any]) -> str:
        """The value with a signature, as text."""
        raise NotImplementedError

    def read(self, text: str) -> dict[str, Any] | None:
        """The value that was signed; None where it was changed."""
        raise NotImplementedError

    def check(self) -> None:
        """SettingError for a key that is too weak to sign with."""


@dataclass(frozen=True)
class PickerBase:
    """Choices in order, the one a picker opens with, and what viewers may do.

    ``inputs`` are the picker's own, which keep their values from choice to choice; ``start`` is the
    state that a page opens it with; ``resolver`` is the book's.
    """

    name: str
    label: str
    choices: tuple[Choice, ...]
    opens: str
    inputs: Mapping[str, Input] = field(default_factory=dict)
    anchor: AnchorPoint | None = None
    """Of its choices that are no periods of the book."""
    resolver: Resolver = field(default_factory=Resolver)
    labels: str = "long"
    viewers: str = "choose"
    tz: str | None = None
    by: Grouping | None = None
    compare: Comparison | None = None
    start: Mapping[str, str] = field(default_factory=dict)
    look: Look | None = field(default=None, compare=False)
    signer: Signer | None = field(default=None, compare=False)
    listing: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)
    language: Language = PLAIN
    calendar: Calendar | None = None
    clock: Callable[[], datetime] | None = field(default=None, compare=False, repr=False)
    """By what links expire, where that is not the moment."""

    def __post_init__(self) -> None:
        # One calendar for choices that have none of their own, whichever way it was given.
        if self.calendar is None:
            object.__setattr__(self, "calendar", self.resolver.calendar)
        elif self.resolver.calendar != self.calendar:
            object.__setattr__(self, "resolver", replace(self.resolver, calendar=self.calendar))

    @property
    def calendars(self) -> Mapping[str, Calendar]:
        """The calendars that phrases may speak of."""
        return self.resolver.calendars

    @property
    def defaults(self) -> Defaults | None:
        """How ambiguous phrases are read."""
        return self.resolver.defaults

    @property
    def anchors(self) -> Mapping[str, AnchorPoint]:
        """The anchors that viewers may choose among, by name."""
        return self.resolver.anchors

    def moment(
        self,
        today: date | str | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        locale: object = None,
    ) -> Moment:
        """The moment that a caller gives, in the picker's zone unless another is said."""
        zone = self.tz if tz is None else tz
        words, starts = self.language.words(locale), self.resolver.day_starts
        return moment_from(today, now, zone, data, self.look, words, starts)

    def at(self, moment: Moment, locale: object = None) -> Moment:
        """A moment as this picker has it: in its own zone, where the instant is known, and in its
        words."""
        found = moment.in_words(self.language.words(locale))
        if self.tz is None or moment.now is None or zone_named(self.tz) == moment.tz:
            return found
        here = Clock(None, moment.now, self.tz, moment.day_starts).basis(GREGORIAN)
        return replace(found, today=date_of(here.anchor), tz=here.zone, known={})

    def _opened_by(self, start: Mapping[str, str]) -> Self:
        """The same as a page opens it."""
        return replace(self, start=dict(start))

    @functools.cached_property
    def _identity(self) -> str:
        """What it is, whatever machine its book lies on: its name, its choices and what they say,
        its inputs. A signed link is for this."""
        said = [self.name, self.viewers, str(self.anchor and self.anchor.point)]
        for one in self.choices:
            said += [one.key, str(one.period), str(one.anchor and one.anchor.point)]
            said += [f"{name} {made}" for name, made in one.inputs.items()]
        said += [f"{name} {made}" for name, made in self.inputs.items()]
        return hashlib.sha256("\n".join(said).encode()).hexdigest()[:16]

    def _known_of(self, name: str) -> tuple[str, ...] | None:
        """What viewers may say of how its charts are grouped, or compared; None for another name,
        or where they have no say."""
        if name == f"{self.name}.by" and self.by is not None:
            return tuple(one.name for one in self.by.of)
        if name == f"{self.name}.compare" and self.compare is not None:
            return self.compare.of
        return None

    def choice(self, key: str) -> Choice | None:
        """The choice of that key, None when it has none."""
        return next((one for one in self.choices if one.key == key), None)

    def _own_inputs(self, choice: Choice) -> dict[str, Input]:
        """The inputs of a choice that the picker has none of itself."""
        return {name: one for name, one in choice.inputs.items() if name not in self.inputs}

    def _anchor_for(self, choice: Choice) -> AnchorPoint | None:
        """What a choice is measured from, unless a viewer says; None for the clock."""
        return choice.anchor or self.resolver.anchor

    def _sources_of(self, choice: Choice | None, made: Input | None = None) -> tuple[str, ...]:
        """Which sources answer for the data; of the picker as a whole those of its own anchor, or
        the ones that all its choices have in common."""
        if made is not None and made.source is not None:
            return (made.source,)
        if choice is not None:
            return self.resolver.sources(choice.anchor)
        found = self.resolver.sources(self.anchor)
        of_choices = {one.anchor.sources for one in self.choices if one.anchor} - {()}
        return found or (of_choices.pop() if len(of_choices) == 1 else ())

    @functools.cached_property
    def _is_of_several(self) -> bool:
        """Whether its choices are measured from different anchors."""
        moving = [one for one in self.choices if hangs_on_anchor(one.period.definition)]
        return len({anchor and anchor.name for anchor in map(self._anchor_for, moving)}) > 1

    def resolved(
        self, choice: Choice, each: Sequence[Mapping[str, Any]], moment: Moment
    ) -> Resolution:
        """The dates of a choice with values for its inputs.

        Raises ResolveError where it has none here.
        """
        definition, said = choice.definition(each), None
        for name, made in self.inputs.items():
            value = each[0].get(name)
            if isinstance(made, SwitchInput) and value:
                definition = cut_by(definition, made.phrase)
            elif isinstance(made, AnchorInput) and value is not None and name not in choice.inputs:
                said = self.anchor_of(value)
        found = self.resolver.resolved(
            definition, moment, choice.anchor, choice.calendar, said=said
        )
        if self.resolver.grained:
            self.resolver.check_grain(found, moment, choice.anchor or self.anchor)
        return found

    def anchor_of(self, value: Any) -> AnchorPoint:
        """The anchor that an input gives: one of the book's by name, or a day."""
        if isinstance(value, str):
            return self.anchors[value]
        if isinstance(value, Definition):
            return point_from(value)
        return point_from(Definition(phrases.day, (value,)))


def point_day(
    text: Any,
    picker: PickerBase,
    choice: Choice,
    moment: Moment,
    data: Callable[[], Extent | None] | None,
    said: AnchorPoint | None = None,
) -> Resolution:
    """The dates of a point such as ``start of month``, measured from what its choice is measured
    from, or what a viewer says; one that speaks of the data asks ``data``, where it has its own."""
    from ulnager.core.language.phrase import period

    definition = period(str(text)).definition
    if data is not None and definition.asks_data:
        extent = data()
        moment = replace(moment, data={} if extent is None else {"": extent}, known={})
        said = AnchorPoint("", period("today"))
    return picker.resolver.resolved(definition, moment, choice.anchor, choice.calendar, said=said)
