"""What the inputs of a choice hold: what was typed for them, or what they open with."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any, Final, NamedTuple

from ulnager.choices.picker_base import Choice, PickerBase, point_day
from ulnager.choices.resolver import AnchorPoint, Moment
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import FIRST_DAY, LAST_DAY, date_of
from ulnager.core.errors import UlnagerError
from ulnager.core.language.inputs import (
    BOUNDS,
    STEP,
    UNREAD,
    WANTED,
    AnchorInput,
    CountInput,
    DayInput,
    Input,
    InputProblem,
    ListedInput,
    SwitchInput,
    either,
    fixed_day,
)
from ulnager.core.language.open_period import joined, last_slots
from ulnager.core.messages import Message, message_of
from ulnager.core.periods import phrases
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.names import Label
from ulnager.core.periods.open_slots import OpenDay
from ulnager.core.periods.spans import FixedDates
from ulnager.core.units import Unit


class Listed(NamedTuple):
    """A unit that the data holds; ``options`` are the finer ones under it."""

    key: str
    label: str
    start: date
    end: date
    whole: bool
    options: tuple[Listed, ...] = ()

    @property
    def definition(self) -> Definition:
        """Its dates, as a phrase says them."""
        start, stop = self.start.toordinal(), self.end.toordinal() + 1
        if self.key[:1].isdigit():
            return Definition(
                phrases.fixed,
                (
                    FixedDates(
                        self.key, start, stop, _UNITS.get(len(self.key) + 10 * ("W" in self.key))
                    ),
                ),
            )
        return Definition(phrases.labelled, (Label(self.label),))


_UNITS = {4: Unit.YEAR, 7: Unit.MONTH, 18: Unit.WEEK}


def listed(made: ListedInput, calendar: Calendar, extent: Extent) -> tuple[Listed, ...]:
    """All the units from the first to the last date of the data, less those without rows."""
    unit = calendar.unit_named(made.unit or "week")
    finest = _units(calendar, unit, extent)
    if made.order == "newest":
        finest.reverse()
    if made.under is None:
        return tuple(finest)
    coarse = _units(calendar, calendar.unit_named(made.under), extent)
    if made.order == "newest":
        coarse.reverse()
    found = []
    for outer in coarse:
        inside = tuple(one for one in finest if outer.start <= one.start <= outer.end)
        # A unit that begins before the data stands under the first one.
        if outer is coarse[-1 if made.order == "newest" else 0]:
            before = tuple(one for one in finest if one.start < outer.start)
            inside = (*inside, *before) if made.order == "newest" else (*before, *inside)
        found.append(outer._replace(options=inside))
    # One whose coarser unit has no rows stands by itself.
    under = {one.key for outer in found for one in outer.options}
    found += [one for one in finest if one.key not in under]
    return tuple(sorted(found, key=lambda one: one.start, reverse=made.order == "newest"))


def _units(calendar: Calendar, unit: Unit, extent: Extent) -> list[Listed]:
    first, last = extent.first.toordinal(), extent.last.toordinal()
    found, start = [], calendar._unit_start(first, unit)
    while start <= last:
        stop = calendar._unit_stop(start, unit)
        low, high = max(start, first), min(stop, last + 1)
        is_missing = any(
            (a is None or a <= low) and (b is None or high <= b) for a, b in extent.missing
        )
        if not is_missing:
            day = date_of(start)
            label = calendar.label(day, unit)
            key, is_held = _key(calendar, unit, day, label), first <= start and stop - 1 <= last
            found.append(Listed(key, label, day, date_of(stop - 1), is_held))
        start = stop
    return found


def _key(calendar: Calendar, unit: Unit, day: date, label: str) -> str:
    """The ISO form where there is one, else the label in small letters with hyphens."""
    if unit is Unit.DAY:
        return day.isoformat()
    if unit is Unit.MONTH and day.day == 1 and calendar._names_months:
        return f"{day.year:04}-{day.month:02}"
    if (unit is Unit.WEEK and label[4:6] == "-W") or (unit is Unit.YEAR and label.isdigit()):
        return label
    return "-".join(label.lower().split())


def flat(options: tuple[Listed, ...]) -> dict[str, Listed]:
    """Units of all depths by their keys."""
    found: dict[str, Any] = {}
    for one in options:
        found[one.key] = one
        found.update({inner.key: inner for inner in one.options})
    return found


def offered(
    made: ListedInput, options: tuple[Listed, ...], chosen: frozenset[str]
) -> tuple[Listed, ...]:
    """The first ones up to the limit, and those that are chosen."""
    if made.limit is None:
        return options
    left, found = made.limit, []
    for one in options:
        if made.under is None or not one.options:
            if left > 0 or one.key in chosen:
                found.append(one)
            left -= 1
            continue
        inside = []
        for inner in one.options:
            if left > 0 or inner.key in chosen:
                inside.append(inner)
            left -= 1
        if inside or one.key in chosen:
            found.append(one._replace(options=tuple(inside)))
    return tuple(found)


_EVER: Final = (date.min, date.max)


class Given(NamedTuple):
    """An input with its value: None where there is a problem, or nothing yet."""

    made: Input
    name: str
    """Its whole name: ``dates.recent.n``."""
    value: Any
    text: str | None
    """What was typed, None where the viewer touched nothing."""
    problem: str | None
    range: int
    low: Any = None
    high: Any = None
    options: tuple[Listed, ...] = ()

    @property
    def key(self) -> str:
        """Its name in the phrase."""
        return self.made.name

    @property
    def label(self) -> str:
        """What is shown beside it."""
        return self.made.label

    @property
    def kind(self) -> str:
        """What it stands for: ``count``, ``day``, …"""
        return self.made.kind

    @property
    def id(self) -> str:
        """Its whole name with hyphens in place of dots."""
        return self.name.replace(".", "-")

    @property
    def min(self) -> Any:
        """The least value, where there is one."""
        return self.low

    @property
    def max(self) -> Any:
        """The largest value, where there is one."""
        return self.high

    @property
    def step(self) -> int | str | None:
        """The step between values, where there is one."""
        found: int | str | None = getattr(self.made, "step", None)
        return found

    @property
    def shown(self) -> str:
        """Its value as a form sends it back."""
        return self.text if self.problem and self.text is not None else value_text(self.value)

    @property
    def fills(self) -> Any:
        """Its value as it fills a slot."""
        if isinstance(self.made, ListedInput) and self.value is not None:
            known = flat(self.options)
            return joined([known[key].definition for key in self.value])
        return None if self.value is None else self.made.fill(self.value)


def value_text(value: Any) -> str:
    """A value as the text of a state."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, (list, tuple)):
        return ",".join(value_text(one) for one in value)
    return value.name if isinstance(value, Unit) else str(value)


class Inputs:
    """Reads the inputs of a choice, or of the picker, at a moment."""

    def __init__(self, picker: PickerBase, moment: Moment, choice: Choice) -> None:
        self.picker, self.moment, self.choice = picker, moment, choice
        calendar = choice.calendar or picker.calendar
        self.said: AnchorPoint | None = None
        self.calendar: Calendar = GREGORIAN if calendar is None else calendar

    def given(
        self, made: Input, name: str, text: str | None, number: int, start: str | None
    ) -> Given:
        """An input with what was typed, or else what the page or the input itself opens with."""
        low, high = self._bounds(made)
        options = self._options(made)
        base = Given(made, name, None, text, None, number, low, high, options)
        typed = text if text is not None else start
        if typed is None:
            value = self._opening(base)
            problem = None if value is not None else Message(made.wanted, code=WANTED)
            return base._replace(value=value, problem=problem)
        try:
            return base._replace(value=self._read(base, typed))
        except InputProblem as problem:
            # A switch that cannot be read keeps what it opens with.
            value = made.opens if isinstance(made, SwitchInput) else None
            return base._replace(value=value, problem=message_of(problem))

    def extent(self, made: Input | None = None) -> Extent | None:
        """The dates that answer for an input."""
        return self.moment.extent(self.picker._sources_of(self.choice, made))

    def _bounds(self, made: Input) -> tuple[Any, Any]:
        if isinstance(made, CountInput):
            return made.min, made.max
        if not isinstance(made, DayInput | AnchorInput):
            return None, None
        low, high = (made.min, made.max) if isinstance(made, DayInput) else (None, None)
        extent = None if low is not None and high is not None else self.extent(made)
        usual = _EVER if extent is None else (extent.first, extent.last)
        return self._day(made, low, usual[0]), self._day(made, high, usual[1], last=True)

    def _day(self, made: Input, setting: Any, usual: date, *, last: bool = False) -> date:
        if setting is None:
            return usual
        found = fixed_day(setting)
        if found is not None:
            return found
        try:
            own = None if made.source is None else lambda: self.extent(made)
            result = point_day(setting, self.picker, self.choice, self.moment, own, self.said)
        except UlnagerError:
            return usual
        return (result.end if last else result.start) or usual

    def _opening(self, base: Given) -> Any:
        made = base.made
        if isinstance(made, ListedInput):
            return self._opening_units(base, made)
        if isinstance(made, AnchorInput):
            opens = made.opens if made.opens is not None else next(iter(made.named), None)
            return fixed_day(opens) or opens
        if isinstance(made, DayInput) and made.opens is not None:
            day = self._day(made, made.opens, base.low)
            return self._within(base, made, min(max(day, base.low), base.high))
        return made.opens

    def _opening_units(self, base: Given, made: ListedInput) -> Any:
        known = flat(base.options)
        if made.opens not in (None, "latest"):
            return [made.opens] if made.opens in known else None
        finest = [one for one in known.values() if not one.options] or list(known.values())
        latest = max(finest, key=lambda one: one.start, default=None)
        return None if latest is None else [latest.key]

    def _within(self, base: Given, made: DayInput, day: date) -> date:
        """The nearest day that may be chosen, for one that an input opens with."""
        if self._fits(made, day):
            return day
        near = [one for one in self._neighbours(made, day) if base.low <= one <= base.high]
        return near[0] if near else day

    def _options(self, made: Input) -> tuple[Listed, ...]:
        if not isinstance(made, ListedInput):
            return ()
        extent = self.extent(made)
        if extent is None:
            return ()
        key = (
            made.unit,
            made.under,
            made.order,
            extent.first,
            extent.last,
            extent.missing,
            self.calendar,
        )
        kept = self.picker.listing
        # Others may clear it meanwhile: what was found is held here.
        options: tuple[Listed, ...] | None = kept.get(key)
        if options is None:
            options = listed(made, self.calendar, extent)
            if len(kept) > 64:
                kept.clear()
            kept[key] = options
        return options

    def _read(self, base: Given, text: str) -> Any:
        """What was typed as a value of the input's kind; InputProblem where it cannot be."""
        made = base.made
        if isinstance(made, ListedInput):
            return self._read_units(base, made, text)
        if isinstance(made, AnchorInput):
            name = text.strip()
            if name in made.named:
                return name
            if "day" not in made.of:
                raise InputProblem(Message("choose one of {0}", ", ".join(made.of), code=UNREAD))
        value = made.read(text)
        if isinstance(made, DayInput | AnchorInput):
            self._check_day(base, made, made.read(text))
        return value

    def _read_units(self, base: Given, made: ListedInput, text: str) -> list[str]:
        keys = list(dict.fromkeys(part.strip().lower() for part in text.split(",") if part.strip()))
        known = {key.lower(): key for key in flat(base.options)}
        if not keys:
            raise InputProblem(Message(made.wanted, code=WANTED))
        for key in keys:
            if key not in known:
                key = repr(key[:40])
                raise InputProblem(Message("the data does not hold {0}", key, code=BOUNDS))
        if len(keys) > 1 and not made.several:
            raise InputProblem(Message("only one can be chosen", code=BOUNDS))
        return [known[key] for key in keys]

    def _check_day(self, base: Given, made: DayInput | AnchorInput, day: date) -> None:
        if not base.low <= day <= base.high:
            low, high = (None if day in _EVER else day for day in (base.low, base.high))
            key = "{0} is out of bounds; give a date from {1} to {2}"
            raise InputProblem(Message(key, day, low or "…", high or "…", code=BOUNDS))
        if isinstance(made, DayInput) and not self._fits(made, day):
            near = [str(n) for n in self._neighbours(made, day) if base.low <= n <= base.high]
            told = either(near) if near else Message("another")
            if made.only:
                key = f"{{0}} is no {made.only}; give {{1}}"
                raise InputProblem(Message(key, day, told, code=STEP))
            edge = "end" if self._is_last(made) else "start"
            key, unit = f"{{0}} is no {edge} of a {{1}}; give {{2}}", Message(made.step or "")
            raise InputProblem(Message(key, day, unit, told, code=STEP))

    def _fits(self, made: DayInput, day: date) -> bool:
        number = day.toordinal()
        if made.only is not None and not self.calendar.business.contains(day):
            return False
        if made.step is None:
            return True
        unit = self.calendar.unit_named(made.step)
        if self._is_last(made):
            return self.calendar._unit_stop(number, unit) == number + 1
        return self.calendar._unit_start(number, unit) == number

    def fitting(self, made: DayInput, first: date, last: date) -> list[date]:
        """The days from one to another on which an input may stand."""
        days = (date_of(number) for number in range(first.toordinal(), last.toordinal() + 1))
        return [day for day in days if self._fits(made, day)]

    def _neighbours(self, made: DayInput, day: date) -> list[date]:
        """The nearest days that fit, the one before first."""
        number = day.toordinal()
        if made.step is None:
            unit = Unit.BUSINESS_DAY
            pair = self.calendar._settled(number, unit), self.calendar._unit_start(number, unit)
        else:
            unit = self.calendar.unit_named(made.step)
            start, stop = (
                self.calendar._unit_start(number, unit),
                self.calendar._unit_stop(number, unit),
            )
            pair = (start - 1, stop - 1) if self._is_last(made) else (start, stop)
        return [date_of(one) for one in pair if FIRST_DAY <= one <= LAST_DAY]

    def _is_last(self, made: Input) -> bool:
        return made.name in last_slots(self.choice.period.definition)


def day_pairs(definition: Definition) -> list[tuple[str, str]]:
    """The slots that are a first and a last day together."""
    pairs = []
    for part in definition.walk():
        if part.rule is phrases.between:
            ends = [arg.args[0] for arg in part.args if arg.rule is phrases.day]
            if len(ends) == 2 and all(isinstance(end, OpenDay) for end in ends):
                pairs.append((ends[0].slot, ends[1].slot))
    return pairs


def paired(choice: Choice, each: Mapping[str, Given]) -> dict[str, Given]:
    """The inputs with a first day that is not after its last one: an opening one gives way, one
    that was typed is a problem."""
    found = dict(each)
    for first_name, last_name in day_pairs(choice.period.definition):
        first, last = found.get(first_name), found.get(last_name)
        if first is None or last is None or first.value is None or last.value is None:
            continue
        if first.value <= last.value:
            continue
        if first.text is None and last.text is None:
            found[first_name] = first._replace(value=last.value)
            continue
        key = "the first date, {0}, comes after the last one, {1}; swapped they are {2} to {3}"
        days = first.value, last.value, last.value, first.value
        told = Message(key, *days, code="reversed")
        name, one = (first_name, first) if first.text is not None else (last_name, last)
        # Neither is kept as a value: no dates come of a pair that is the wrong way round.
        found[name] = one._replace(value=None, problem=told, text=one.text or str(one.value))
    return found
