"""Choices and pickers as a book defines them: values that are opened at a moment."""

from __future__ import annotations

import functools
import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, tzinfo
from typing import Any, Final, NamedTuple, Self

from ulnager.core.calendars.base import Calendar
from ulnager.core.choices.moment import Look, Moment, moment_from
from ulnager.core.language.inputs import Input
from ulnager.core.language.openperiod import OpenPeriod, cut_by, joined
from ulnager.core.language.period import Period, basis_of
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.resolution import Resolution
from ulnager.core.units import Unit
from ulnager.core.words import Words, words_of

OF_DATA = frozenset(
    {"latest", "earliest", "latest_whole_day", "latest_up_to", "latest_unit", "within_data"}
)


@dataclass(frozen=True)
class AnchorPoint:
    """A named point to measure from; ``running`` is None where the point itself decides."""

    name: str
    point: Period
    running: bool | None = None
    sources: tuple[str, ...] = ()


@dataclass(frozen=True)
class Choice:
    """A period as viewers are offered it. ``inputs`` are those of its own, by name."""

    key: str
    period: Period
    label: str
    short: str
    heading: str | None = None
    inputs: Mapping[str, Input] = field(default_factory=dict)
    anchor: AnchorPoint | None = None
    calendar: Calendar | None = None
    ranges: int = 1

    def definition(self, each: Sequence[Mapping[str, Any]]) -> Definition:
        """What it says with values for its inputs, a set of them for each range."""
        if not isinstance(self.period, OpenPeriod):
            return self.period.definition
        return joined([self.period.definition_with(values) for values in each])


@dataclass(frozen=True)
class Grouping:
    """The units that charts may be grouped by, and the one it opens with."""

    of: tuple[Unit, ...]
    opens: str = "fitting"
    max_buckets: int = 60
    label: str = "Grouped by"


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
    state that a page opens it with; ``sources`` answer for the data where an anchor has none.
    """

    name: str
    label: str
    choices: tuple[Choice, ...]
    opens: str
    inputs: Mapping[str, Input] = field(default_factory=dict)
    anchor: AnchorPoint | None = None
    anchors: Mapping[str, AnchorPoint] = field(default_factory=dict)
    labels: str = "long"
    viewers: str = "choose"
    tz: str | None = None
    by: Grouping | None = None
    calendar: Calendar | None = None
    calendars: Mapping[str, Calendar] = field(default_factory=dict)
    defaults: Defaults | None = None
    sources: tuple[str, ...] = ()
    start: Mapping[str, str] = field(default_factory=dict)
    look: Look | None = field(default=None, compare=False)
    signer: Signer | None = field(default=None, compare=False)
    listing: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)
    language: Language = PLAIN
    clock: Callable[[], datetime] | None = field(default=None, compare=False, repr=False)
    """By what links expire, where that is not the moment."""

    def moment(
        self,
        today: object = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
        locale: object = None,
    ) -> Moment:
        """The moment that a caller gives, in the picker's zone unless another is said."""
        zone = self.tz if tz is None else tz
        return moment_from(today, now, zone, data, self.look, self.language.words(locale))

    def on_page(
        self, start: Mapping[str, str], anchor: AnchorPoint | None, sources: tuple[str, ...]
    ) -> Self:
        """The same as a page opens it, with the anchor and the sources of that page."""
        return replace(
            self,
            start=dict(start),
            anchor=self.anchor or anchor,
            sources=sources or self.sources,
        )

    @functools.cached_property
    def identity(self) -> str:
        """What it is, whatever machine its book lies on: its name, its choices and what they say,
        its inputs. A signed link is for this."""
        said = [self.name, self.viewers, str(self.anchor and self.anchor.point)]
        for one in self.choices:
            said += [one.key, str(one.period), str(one.anchor and one.anchor.point)]
            said += [f"{name} {made}" for name, made in one.inputs.items()]
        said += [f"{name} {made}" for name, made in self.inputs.items()]
        return hashlib.sha256("\n".join(said).encode()).hexdigest()[:16]

    def choice(self, key: str) -> Choice | None:
        """The choice of that key, None when it has none."""
        return next((one for one in self.choices if one.key == key), None)

    def own_inputs(self, choice: Choice) -> dict[str, Input]:
        """The inputs of a choice that the picker has none of itself."""
        return {name: one for name, one in choice.inputs.items() if name not in self.inputs}

    def sources_of(self, choice: Choice | None, made: Input | None = None) -> tuple[str, ...]:
        """Which sources answer for the data."""
        if made is not None and made.source is not None:
            return (made.source,)
        anchor = (choice.anchor if choice else None) or self.anchor
        if anchor is not None and anchor.sources:
            return anchor.sources
        return self.sources

    def resolved(
        self, choice: Choice, each: Sequence[Mapping[str, Any]], moment: Moment
    ) -> Resolution:
        """The dates of a choice with values for its inputs.

        Raises ResolveError where it has none here.
        """
        definition, anchor = choice.definition(each), choice.anchor or self.anchor
        for name, made in self.inputs.items():
            value = each[0].get(name)
            if made.kind == "switch" and value:
                definition = cut_by(definition, made.phrase or "")
            elif made.kind == "anchor" and value is not None and name not in choice.inputs:
                anchor = self.anchor_of(value)
        return self.worked_out(definition, anchor, choice.calendar, moment, choice)

    def worked_out(
        self,
        definition: Definition,
        anchor: AnchorPoint | None,
        calendar: Calendar | None,
        moment: Moment,
        choice: Choice | None = None,
    ) -> Resolution:
        """The dates of a definition, measured from an anchor, at a moment."""
        asks = _asks_data(definition)
        if anchor is not None:
            asks = asks or _asks_data(anchor.point.definition)
        sources = (anchor.sources if anchor else ()) or self.sources_of(choice) if asks else ()
        # Many choices are measured against the same; what that is, is found once for a moment.
        is_sub_day = definition.is_sub_day
        name = "" if anchor is None else anchor.name
        key = ("basis", name, id(calendar or self.calendar), sources, asks, is_sub_day)
        # An anchor that a viewer typed has no name in the book.
        is_named = anchor is None or name in self.anchors
        basis = moment.known.get(key) if is_named else None
        if basis is None:
            basis = self._basis(anchor, calendar, moment, moment.extent(sources) if asks else None,
                                is_sub_day)  # fmt: skip
            if is_named:
                moment.known[key] = basis
        return Period(definition).resolve_on(basis)

    def _basis(
        self,
        anchor: AnchorPoint | None,
        calendar: Calendar | None,
        moment: Moment,
        data: Extent | None,
        is_sub_day: bool,
    ) -> Basis:
        given: dict[str, Any] = {
            **moment.clock(in_hours=is_sub_day),
            "calendar": calendar or self.calendar,
            "calendars": self.calendars,
            "defaults": self.defaults,
            "data": data,
            "locale": moment.words,
        }
        if anchor is None:
            return basis_of(**given)
        point = anchor.point.definition.args[0]
        if anchor.running is None:
            return basis_of(**given, as_of=str(point))
        day = anchor.point.resolve(**given).start
        assert day is not None
        return basis_of(**given, as_of=Anchor(day, anchor.running, str(point)))

    def anchor_of(self, value: Any) -> AnchorPoint:
        """The anchor that an input gives: one of the book's by name, or a day."""
        if isinstance(value, str):
            return self.anchors[value]
        if isinstance(value, Definition):
            return AnchorPoint("", Period(Definition(RULES["on"], (value,))))
        day = Definition(RULES["on"], (Definition(RULES["day"], (value,)),))
        return AnchorPoint(str(value), Period(day))


@functools.lru_cache(maxsize=4096)
@functools.lru_cache(maxsize=4096)
def _asks_data(definition: Definition) -> bool:
    """Whether a definition speaks of the data."""
    return any(part.rule.key in OF_DATA for part in definition.walk())


def point_day(
    text: Any, picker: PickerBase, moment: Moment, data: Callable[[], Extent | None]
) -> Resolution:
    """The dates of a point such as ``latest``, measured from the clock's day."""
    from ulnager.core.language.period import period

    found = period(str(text))
    needs = any(part.rule.key in OF_DATA for part in found.definition.walk())
    given: dict[str, Any] = {"data": data()} if needs else {}
    return found.resolve(
        today=moment.today, calendar=picker.calendar, calendars=picker.calendars, **given
    )
