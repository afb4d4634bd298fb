"""Definitions: what a phrase says, before any date is known.

A definition is one rule of the phrase table with its arguments; arguments may be
definitions again. Working one out means calling the rule with a :class:`Basis`,
which holds everything that a period may be measured against.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from datetime import timedelta, tzinfo
from typing import Any, Final

from ulnager.core.calendars.calendar import Arithmetic, Calendar, OfCalendar
from ulnager.core.calendars.instants import InstantArithmetic
from ulnager.core.calendars.zones import LAST_DAY, date_of
from ulnager.core.errors import ResolveError
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.names import NamedUnit
from ulnager.core.periods.rule import RULES, Kind, Rule
from ulnager.core.periods.spans import Range, intersection, union
from ulnager.core.units import Unit
from ulnager.core.words import ENGLISH, Words


class Definition:
    """A rule with its arguments. Immutable, hashable; prints in canonical form.

    Two definitions are equal when they say the same.
    """

    __slots__ = (
        "_hash",
        "args",
        "asks_data",
        "counts_business_days",
        "depth",
        "is_plain_span",
        "is_sub_day",
        "rule",
        "unit",
    )

    rule: Rule
    args: tuple[Any, ...]
    depth: int
    unit: Unit | None
    """The unit that this rule itself is about, if any."""
    is_sub_day: bool
    """Whether it is about instants: hours, minutes, seconds, ``now`` or a timestamp."""
    counts_business_days: bool
    """Whether it is about business days and begins and ends with one."""
    asks_data: bool
    """Whether it speaks of the data."""
    is_plain_span: bool
    """Whether it is one rule about days that gives one pair, used as it comes."""
    _hash: int

    def __init__(self, rule: Rule, args: tuple[Any, ...] = ()) -> None:
        put = object.__setattr__
        put(self, "rule", rule)
        put(self, "args", args)
        depth, unit, named = 0, None, None
        asks_data = rule.asks == "data"
        is_sub_day = rule.is_instant
        for arg in args:
            if isinstance(arg, Definition):
                # What a whole phrase is measured from does not make the phrase one of instants.
                if not depth or rule.kind is not Kind.BASIS:
                    is_sub_day = is_sub_day or arg.is_sub_day
                asks_data = asks_data or arg.asks_data
                depth = max(depth, arg.depth)
            elif unit is None and isinstance(arg, Unit):
                unit = arg
            elif named is None and isinstance(arg, NamedUnit):
                named = arg.unit
        unit = unit or named
        is_sub_day = is_sub_day or (unit is not None and unit.microseconds > 0)
        put(self, "depth", 1 + depth)
        put(self, "unit", unit)
        put(self, "asks_data", asks_data)
        counts = unit is Unit.BUSINESS_DAY and rule.counts_days
        put(self, "counts_business_days", counts)
        put(self, "is_sub_day", is_sub_day)
        is_plain = rule.kind is Kind.SPAN and not (is_sub_day or counts)
        put(self, "is_plain_span", is_plain)
        put(self, "_hash", hash((rule.key, args)))

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("a definition does not change; make another")

    def __eq__(self, other: object) -> bool:
        return self is other or (
            isinstance(other, Definition) and self.rule is other.rule and self.args == other.args
        )

    def __hash__(self) -> int:
        return self._hash

    def __reduce__(self) -> tuple[Any, ...]:
        return _restore, (self.rule.key, self.args)

    def __repr__(self) -> str:
        return f"Definition({str(self)!r})"

    def __str__(self) -> str:
        words: dict[str, str] = {}
        for place, (slot, value) in enumerate(zip(self.rule.slots, self.args, strict=True)):
            words[slot] = _printed(value, self._count(), leads=place == 0 and self.rule.follows)
        return self.rule.template.format_map(words)

    def _count(self) -> int:
        return next((arg for arg in self.args if isinstance(arg, int)), 1)

    def walk(self) -> Iterator[Definition]:
        """This definition and all inside it, outermost first."""
        yield self
        for arg in self.args:
            if isinstance(arg, Definition):
                yield from arg.walk()

    @property
    def core(self) -> Definition:
        """The phrase without what it is measured from and without its shifts."""
        found = self
        while found.rule.kind in (Kind.BASIS, Kind.SHIFT):
            found = found.args[0]
        return found

    @property
    def point(self) -> Definition | None:
        """The point that it is, where it is one alone."""
        return self.args[0] if self.rule.of_point else None

    @property
    def open_sides(self) -> tuple[bool, bool]:
        """Whether it has no start, and no stop."""
        core = self.core
        opens = core.rule.opens
        return opens(*core.args) if callable(opens) else opens

    @property
    def shift(self) -> tuple[int, Any]:
        """By how much a shift moves, later when positive, and in which unit."""
        return self.args[1] * self.rule.sign, self.args[2]

    @property
    def edge_of(self) -> Definition | None:
        """The phrase whose first or last day it is."""
        return self.args[0] if self.rule.side else None

    @property
    def anchor_point(self) -> Definition | None:
        """The point that the phrase as a whole says it is measured from, the last that is said."""
        found = self
        while found.rule.kind in (Kind.BASIS, Kind.SHIFT):
            if found.rule.sets_anchor:
                point: Definition = found.args[1]
                return point
            found = found.args[0]
        return None

    @property
    def may_be_empty(self) -> bool:
        """Whether it may hold no day at all, as far as its words say."""
        core = self.core
        rule = core.rule
        if rule.never_empty is not None and rule.never_empty(*core.args):
            return False
        return rule.can_be_empty or rule.join == "within"

    @property
    def is_anchored(self) -> bool:
        """Whether some part of it is measured from the anchor, and not from a point of its own."""
        return any(
            (part.rule.asks == "anchor" and part.rule.from_anchor)
            or (
                part.unit is not None
                and part.rule.from_anchor
                and part.rule.kind in (Kind.SPAN, Kind.READING)
            )
            for part in self.walk()
        )

    def replaced(self, old: Definition, new: Definition) -> Definition:
        """The same with ``new`` where ``old`` stands."""
        if self is old:
            return new
        args = tuple(
            arg.replaced(old, new) if isinstance(arg, Definition) else arg for arg in self.args
        )
        # What holds no such part stays the same object, so that another part is found in it.
        is_same = all(one is other for one, other in zip(args, self.args, strict=True))
        return self if is_same else Definition(self.rule, args)

    # What holds other phrases is worked out once for a basis: what stands inside is asked for again
    # and again, by the dates, by the reasons, and by every phrase around it.

    def span(self, basis: Basis) -> tuple[Any, Any]:
        """The one pair of start and stop; ResolveError when it may have several."""
        if self.depth == 1:
            return self._span(basis)
        found: tuple[Any, Any] = basis.once("span", self, self._span)
        return found

    def ranges(self, basis: Basis) -> tuple[Range, ...]:
        """All its pairs, disjoint and in order; none when it is empty."""
        if self.depth == 1:
            if self.is_plain_span and not basis.in_instants:
                start, stop = self.rule.find(basis, *self.args)
                if start is None or stop is None or start < stop:
                    return ((start, stop),)
                return ()
            return self._ranges(basis)
        found: tuple[Range, ...] = basis.once("ranges", self, self._ranges)
        return found

    def day(self, basis: Basis) -> Any:
        """The day of a point."""
        if self.depth == 1:
            return self.rule.find(basis, *self.args)
        return basis.once("day", self, self._found)

    def changed(self, basis: Basis) -> Basis:
        """The basis that a phrase such as ``P as of POINT`` works its first part out against."""
        found: Basis = basis.once("changed", self, self._changed)
        return found

    def _found(self, basis: Basis) -> Any:
        return self.rule.find(basis, *self.args)

    def _changed(self, basis: Basis) -> Basis:
        found: Basis = self.rule.find(basis, *self.args[1:])
        return found

    def _span(self, basis: Basis) -> tuple[Any, Any]:
        if self.is_sub_day is not basis.in_instants:
            if basis.in_instants:
                return basis.as_instants((self.span(basis.in_days()),))[0]
            if self.rule.kind is not Kind.BASIS:
                basis = basis.to_instants()
        kind = self.rule.kind
        if kind is Kind.SPAN:
            pair: tuple[Any, Any] = self.rule.find(basis, *self.args)
            if self.cut_by(basis):
                raise self.several()
            return basis.trimmed(*pair) if self.counts_business_days else pair
        if kind is Kind.BASIS:
            inner: Definition = self.args[0]
            return inner.span(self.changed(basis.in_days()))
        if kind is Kind.READING:
            reading: Definition = self.rule.find(basis, *self.args)
            return reading.span(basis)
        one = self.rule.find_one
        if one is None:
            raise self.several()
        found: tuple[Any, Any] = one(basis, *self.args)
        return found

    def several(self) -> ResolveError:
        """The error where one span is needed, and it may be several."""
        return ResolveError(f"'{self}' may be several spans, and one is needed here")

    def cut_by(self, basis: Basis) -> tuple[Range, ...]:
        """The ranges that its days lie in, where it counts days of a phrase of several spans."""
        counts = self.rule.stays_in and self.unit in (Unit.DAY, Unit.BUSINESS_DAY)
        if not counts or not basis.calendar._is_plain or basis.in_instants:
            return ()
        found: tuple[Range, ...] = self.args[-1].ranges(basis)
        return found if len(found) > 1 else ()

    def _ranges(self, basis: Basis) -> tuple[Range, ...]:
        if self.is_sub_day is not basis.in_instants:
            if basis.in_instants:
                return basis.as_instants(self.ranges(basis.in_days()))
            if self.rule.kind is not Kind.BASIS:
                basis = basis.to_instants()
        kind = self.rule.kind
        if kind is Kind.SPAN:
            start, stop = self.rule.find(basis, *self.args)
            if self.counts_business_days:
                start, stop = basis.trimmed(start, stop)
            if start is not None and stop is not None and stop <= start:
                return ()
            inside = self.cut_by(basis)
            return intersection(((start, stop),), inside) if inside else ((start, stop),)
        if kind is Kind.BASIS:
            inner: Definition = self.args[0]
            return inner.ranges(self.changed(basis.in_days()))
        if kind is Kind.READING:
            reading: Definition = self.rule.find(basis, *self.args)
            return reading.ranges(basis)
        if not basis.calendar._is_plain:
            raise self.several()
        return union(self.rule.find(basis, *self.args))


def _printed(value: Any, count: int, leads: bool) -> str:
    if isinstance(value, Unit):
        return value.name if count == 1 else value.plural
    # What leads a chain is read from left to right anyway; elsewhere it needs brackets.
    if isinstance(value, Definition) and not leads:
        rule = value.rule
        is_open = rule.follows or rule.goes_on or rule.in_brackets
        # A weekday alone would be read as a sort of days.
        is_open = is_open or (rule.of_point and value.args[0].rule.is_day_name)
        return f"({value})" if is_open else str(value)
    return str(value)


def _stop_instant(here: InstantArithmetic, stop: Any) -> Any:
    """The instant at which a day is past; None at an open side, and where no day comes after it."""
    is_open = stop is None or (isinstance(stop, int) and stop > LAST_DAY)
    return None if is_open else here.instant_of(stop)


def _restore(key: str, args: tuple[Any, ...]) -> Definition:
    return Definition(RULES[key], args)


_MOST_KNOWN: Final = 500
"""So much is remembered of one basis, which many periods may share."""


class Basis:
    """What a period is worked out against. Days are day numbers.

    ``anchor`` is A of the rules; ``open_day`` is B, the first day that is not over;
    ``one`` is the width of an anchor. ``today`` is the clock's day and may be None when
    no phrase needs it; ``now`` is its instant and ``zone`` where the days are, likewise;
    ``day_starts`` is how long after midnight they begin.
    ``moment`` is the instant of a running anchor. A basis ``in_instants`` keeps the one in ``days``
    that it was made from; its anchor has no width.
    """

    calendar: Arithmetic
    anchor: Any
    running: bool
    open_day: Any
    one: int = 1
    in_instants: bool = False
    source: Definition | str = "today"
    today: Any = None
    now: int | None = None
    moment: int | None = None
    zone: tzinfo | None = None
    day_starts: timedelta = timedelta()
    data: Extent | None = None
    defaults: Defaults = Defaults()
    decided: bool = False
    """Whether somebody chose these defaults."""
    calendars: Mapping[str, Calendar] = {}
    words: Words = ENGLISH
    """How labels are written for people."""
    given: Mapping[str, Any] = {}
    """Days that stand for parameters of SQL, by their names."""
    days: Basis | None = None
    _instants: Basis | None = None
    _known: dict[tuple[str, Definition], Any] | None = None

    def __init__(self, calendar: Arithmetic, anchor: Any, running: bool) -> None:
        self.calendar = calendar
        self.anchor = anchor
        self.running = running
        self.open_day = anchor if running else anchor + 1

    def once(self, what: str, definition: Definition, find: Callable[[Basis], Any]) -> Any:
        """What ``find`` gives for a definition, worked out when it is first asked for."""
        known = self._known
        if known is None or len(known) > _MOST_KNOWN:
            known = self._known = {}
        key = (what, definition)
        found = known.get(key)
        if found is None:
            found = known[key] = find(self)
        return found

    def changed(self, **fields: Any) -> Basis:
        """A copy with other fields; ``open_day`` follows ``anchor`` and ``running``."""
        other = Basis.__new__(Basis)
        other.__dict__.update(self.__dict__)
        other.__dict__.update(fields)
        other.open_day = other.anchor if other.running else other.anchor + other.one
        other._known = other._instants = None
        return other

    def to_instants(self) -> Basis:
        """The same basis with instants for days; ResolveError when no moment is known."""
        if self._instants is None:
            self._instants = self._in_instants()
        return self._instants

    def _in_instants(self) -> Basis:
        arithmetic = self.instants_here()
        if not self.running:
            anchor = arithmetic.instant_of(self.anchor + 1)
        elif self.moment is not None:
            anchor = self.moment
        else:
            raise ResolveError(
                f"{date_of(self.anchor)} is still running, and hours need the moment; "
                "give now, or an anchor whose day is over"
            )
        return self.changed(calendar=arithmetic, anchor=anchor, one=0, in_instants=True, days=self)

    def instants_here(self) -> InstantArithmetic:
        """The calendar's arithmetic on instants in the zone."""
        if isinstance(self.calendar, InstantArithmetic):
            return self.calendar
        if self.zone is None:
            raise ResolveError(
                "hours, minutes and seconds need a time zone; give now with its offset, or tz"
            )
        if isinstance(self.calendar, OfCalendar):
            return self.calendar.instants(self.zone, self.day_starts)  # type: ignore[no-any-return]
        assert isinstance(self.calendar, Calendar)
        return InstantArithmetic(self.calendar, self.zone, self.day_starts)

    def in_days(self) -> Basis:
        """The basis in days that this one was made from, or is."""
        return self.days or self

    def as_instants(self, ranges: tuple[Range, ...]) -> tuple[Range, ...]:
        """Ranges of days as ranges of instants."""
        here = self.instants_here()
        return tuple(
            (None if start is None else here.instant_of(start), _stop_instant(here, stop))
            for start, stop in ranges
        )

    def begin(self, point: Definition) -> Any:
        """Where a point begins."""
        if self.in_instants and not point.is_sub_day:
            return self.instants_here().instant_of(point.day(self.in_days()))
        return point.day(self)

    def finish(self, point: Definition) -> Any:
        """Where a point is past: an instant at once, a day when it is over."""
        if self.in_instants and not point.is_sub_day:
            return self.instants_here().instant_of(point.day(self.in_days()) + 1)
        return point.day(self) + self.one

    def trimmed(self, start: Any, stop: Any) -> tuple[Any, Any]:
        """From the first business day in a span to the last one."""
        calendar = self.calendar
        if start is not None:
            start = calendar._unit_start(start, Unit.BUSINESS_DAY)
        if stop is not None:
            stop = calendar._settled(stop - self.one, Unit.BUSINESS_DAY) + self.one
        return start, stop

    def require(self, is_so: Any, problem: Callable[[], str]) -> None:
        """ResolveError unless it is so (for arrays: everywhere)."""
        if not (is_so if isinstance(is_so, bool) else is_so.all()):
            raise ResolveError(problem())

    def clock(self) -> Any:
        if self.today is None:
            raise ResolveError(
                "the phrase speaks of today, but no clock was given; pass today= or --today"
            )
        return self.today

    def extent(self) -> Extent:
        if self.data is None:
            raise ResolveError(
                "the phrase speaks of the data, but none was given; "
                "pass data=(first, last), or --source FILE"
            )
        return self.data

    def latest_up_to(self, day: Any) -> Any:
        """The last date in the data up to a day."""
        found = self.extent()._up_to(day)
        if found is None:
            raise ResolveError(
                f"the data holds no date so early; it begins on {self.extent().first}"
            )
        return found

    def as_anchor(self) -> Anchor:
        days = self.days or self
        return Anchor(date_of(days.anchor), days.running, str(days.source))
